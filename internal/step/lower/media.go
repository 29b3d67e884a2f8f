package lower

import (
	"math"
	"slices"
	"strconv"

	"rinzel/internal/css/ast"
	"rinzel/internal/css/print"
	"rinzel/internal/css/token"
)

// This file rewrites media features in range syntax (Media Queries 4, section
// 2.4.3) with min- and max-: (width >= 40rem) becomes (min-width: 40rem). There
// is no equivalent of < and >. A query with one of them gets an approximation
// before it, which is slightly narrower, for browsers without range syntax;
// together the two match exactly where the original does.

// rangeSyntax is the feature of range syntax in media queries.
const rangeSyntax = "css.at-rules.media.range_syntax"

// Media returns a media query list that all targets support. ok is false if it
// is unchanged.
func Media(values []ast.Value, opts Options) (with []ast.Value, ok bool) {
	if !hasRange(values) || opts.AsIs[rangeSyntax] || len(opts.Targets.Unsupported(rangeSyntax)) == 0 {
		return values, false
	}
	var out [][]ast.Value
	changed := false
	for _, query := range ast.SplitAt(values, token.Comma) {
		narrower, strict, ok := withoutRanges(query)
		if !ok {
			out = append(out, query)
			continue
		}
		if strict && len(out) > 0 && sameQuery(out[len(out)-1], narrower) {
			out = append(out, query) // it was lowered before
			continue
		}
		changed = true
		if out = append(out, narrower); strict {
			out = append(out, query)
		}
	}
	if !changed {
		return values, false
	}
	return ast.JoinCommas(out), true
}

// sameQuery reports whether two queries are equal, apart from white space.
func sameQuery(a, b []ast.Value) bool { return print.CompactValues(a) == print.CompactValues(b) }

// ranges rewrites the queries of @media rules.
func (l *lowering) ranges(nodes []ast.Node) []ast.Node {
	return l.rules(nodes, func(n ast.Node) (with ast.Node, changed bool) {
		r, ok := n.(*ast.AtRule)
		if !ok || !token.EqualFold(r.Name, "media") {
			return n, false
		}
		prelude, ok := Media(r.Prelude, l.Options)
		if !ok {
			return n, false
		}
		copied := *r
		copied.Prelude = prelude
		return &copied, true
	})
}

// hasRange reports whether values contain a comparison in brackets.
func hasRange(values []ast.Value) bool {
	return slices.ContainsFunc(values, func(v ast.Value) bool {
		return v.Kind == token.LParen && slices.ContainsFunc(v.Values(), isComparison)
	})
}

// isComparison reports whether v is a comparison sign.
func isComparison(v ast.Value) bool { return v.IsDelim('<') || v.IsDelim('>') || v.IsDelim('=') }

// withoutRanges returns a query with ranges written as min- and max-. strict is
// set if it matches slightly less than the original. ok is false if the query
// has no range, or one without an equivalent, or another syntax that only newer
// browsers support.
func withoutRanges(query []ast.Value) (out []ast.Value, strict, ok bool) {
	negated := len(query) > 0 && query[0].IsIdent("not")
	if negated && len(query) > 1 && query[1].Kind == token.LParen ||
		slices.ContainsFunc(query, func(v ast.Value) bool { return v.IsIdent("or") }) {
		return nil, false, false
	}
	for _, v := range query {
		inner := v.Values()
		if v.Kind != token.LParen || !slices.ContainsFunc(inner, isComparison) {
			if hasRange(inner) {
				return nil, false, false // brackets in brackets
			}
			out = append(out, v)
			continue
		}
		features, isStrict, readable := bounds(inner, negated)
		if !readable {
			return nil, false, false
		}
		ok = true
		strict = strict || isStrict
		for i, f := range features {
			if i > 0 {
				out = append(out, ast.Value{Kind: token.Ident, Text: "and", Pos: v.Pos, Space: true})
			}
			f.Space = i > 0 || v.Space
			out = append(out, f)
		}
	}
	return out, strict, ok
}

// bounds returns the one or two features that are equivalent to a range. In a
// negated query, the approximation matches slightly more instead of less.
func bounds(values []ast.Value, negated bool) (features []ast.Value, strict, ok bool) {
	parts, signs, ok := comparison(values)
	if !ok {
		return nil, false, false // more than one value, such as a ratio
	}
	name := slices.IndexFunc(parts, func(v ast.Value) bool { return v.Kind == token.Ident })
	if len(signs) == 0 || len(signs) > 2 || len(parts) != len(signs)+1 || name < 0 || len(signs) == 2 && name != 1 {
		return nil, false, false
	}
	for i, sign := range signs {
		value := parts[i]
		if i == name {
			value = parts[i+1]
		} else {
			sign = mirror[sign] // the value comes before the name
		}
		f, isStrict, readable := bound(parts[name], sign, value, negated)
		if !readable {
			return nil, false, false
		}
		strict = strict || isStrict
		features = append(features, f)
	}
	return features, strict, true
}

// comparison splits a range into values and names, and the comparison signs
// between them. ok is false if two operands are adjacent.
func comparison(values []ast.Value) (parts []ast.Value, signs []string, ok bool) {
	for i := 0; i < len(values); i++ {
		v := values[i]
		if !isComparison(v) {
			if len(parts) != len(signs) {
				return nil, nil, false
			}
			parts = append(parts, v)
			continue
		}
		sign := v.Text
		if i+1 < len(values) && values[i+1].IsDelim('=') && !values[i+1].Space {
			sign += "="
			i++
		}
		signs = append(signs, sign)
	}
	return parts, signs, true
}

// mirror has the comparison signs with swapped operands.
var mirror = map[string]string{"<": ">", ">": "<", "<=": ">=", ">=": "<=", "=": "="}

// rangeFeatures are the media features of type range.
var rangeFeatures = map[string]bool{
	"width": true, "height": true, "device-width": true, "device-height": true, "resolution": true, "color": true,
	"color-index": true, "monochrome": true,
	"aspect-ratio": true, "device-aspect-ratio": true,
}

// bound returns the feature that is equivalent to a comparison of a feature
// with a value.
func bound(name ast.Value, sign string, value ast.Value, negated bool) (f ast.Value, strict, ok bool) {
	feature := token.Lower(name.Text)
	digits := 0
	if value.Kind == token.Number || value.Kind == token.Dimension {
		digits = token.NumberLen(value.Text)
	}
	if !rangeFeatures[feature] || digits == 0 {
		return f, false, false
	}
	prefix := ""
	switch sign[0] {
	case '<':
		prefix = "max-"
	case '>':
		prefix = "min-"
	}
	if strict = sign == "<" || sign == ">"; strict && !negated {
		n, err := strconv.ParseFloat(value.Text[:digits], 64)
		if err != nil {
			return f, false, false
		}
		step := nearest(feature, token.Lower(value.Text[digits:]))
		if sign == "<" {
			step = -step
		}
		if n += step; n < 0 {
			return f, false, false
		}
		value.Text = strconv.FormatFloat(math.Round(n*1000)/1000, 'f', -1, 64) + value.Text[digits:]
	}
	value.Space = true
	f = ast.Value{Kind: token.LParen, Text: "(", Pos: name.Pos, Inner: &ast.Inner{Values: []ast.Value{
		{Kind: token.Ident, Text: prefix + feature, Pos: name.Pos}, {Kind: token.Colon, Text: ":", Pos: name.Pos}, value,
	}}}
	return f, strict, true
}

// nearest returns the distance to the next distinguishable value: less than any
// device can show, and one for counts.
func nearest(feature, unit string) float64 {
	switch {
	case feature == "color" || feature == "color-index" || feature == "monochrome":
		return 1
	case unit == "px":
		return 0.02
	}
	return 0.001
}
