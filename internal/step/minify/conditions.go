package minify

import (
	"slices"
	"strings"

	"rinzel/internal/css/ast"
	"rinzel/internal/css/token"
)

// This file shortens the conditions of at-rules.

// featureRules are the at-rules whose preludes test features in brackets.
var featureRules = words("media supports container import custom-media")

// prelude minifies the prelude of an at-rule.
func (m *minifier) prelude(name string, list []ast.Value) ([]ast.Value, bool) {
	if !featureRules[name] {
		return list, false
	}
	list, changed := features(list)
	if name != "media" || hasComment(list) {
		return list, changed
	}
	var queries [][]ast.Value
	for _, q := range ast.SplitAt(list, token.Comma) {
		if q = m.mediaQuery(q); len(q) > 0 && !isNever(q) &&
			!slices.ContainsFunc(queries, func(o []ast.Value) bool { return ast.EqualValues(o, q) }) {
			queries = append(queries, q)
		}
	}
	if len(queries) == 0 { // nothing, or a query that never matches
		return list, changed
	}
	short := ast.JoinCommas(queries)
	if ast.EqualValues(short, list) {
		return list, changed
	}
	return short, true
}

// isNever reports whether a media query never matches.
func isNever(query []ast.Value) bool {
	return len(query) == 2 && query[0].IsIdent("not") && query[1].IsIdent("all")
}

// mediaQuery shortens a media query (Media Queries 4, section 3).
func (m *minifier) mediaQuery(query []ast.Value) []ast.Value {
	if len(query) > 2 && query[0].IsIdent("all") && query[1].IsIdent("and") {
		query = slices.Clone(query[2:])
		query[0].Space = false
	}
	if !m.accept.Feature(rangeSyntax) {
		return query
	}
	var out []ast.Value
	for i := 0; i < len(query); i++ {
		low, isMin := asRange(&query[i], "min-")
		if isMin && i+2 < len(query) && query[i+1].IsIdent("and") {
			if high, ok := asRange(&query[i+2], "max-"); ok && same(low.Inner.Values[0], high.Inner.Values[0]) {
				out = append(out, bothRanges(&low, &high))
				i += 2
				continue
			}
		}
		high, isMax := asRange(&query[i], "max-")
		switch {
		case isMin:
			out = append(out, low)
		case isMax:
			out = append(out, high)
		default:
			out = append(out, query[i])
		}
	}
	return out
}

// rangeSyntax is the feature of media queries such as (width >= 600px).
const rangeSyntax = "css.at-rules.media.range_syntax"

// ranges are the features that are shortened.
var ranges = words("width height aspect-ratio resolution")

// asRange returns (min-width: 600px) as (width>=600px), and (max-width: 600px)
// as (width<=600px). ok is false for other values.
func asRange(v *ast.Value, prefix string) (with ast.Value, ok bool) {
	if v.Kind != token.LParen {
		return with, false
	}
	inner := v.Inner.Values
	if len(inner) < 3 || inner[0].Kind != token.Ident || inner[1].Kind != token.Colon {
		return with, false
	}
	name, found := strings.CutPrefix(token.Lower(inner[0].Text), prefix)
	if !found || !ranges[name] || slices.ContainsFunc(inner[2:], func(v ast.Value) bool { return v.Inner != nil }) {
		return with, false
	}
	sign := ">"
	if prefix == "max-" {
		sign = "<"
	}
	at := inner[0].Pos
	values := []ast.Value{{Kind: token.Ident, Text: name, Pos: at}, {Kind: token.Delim, Text: sign, Pos: at},
		{Kind: token.Delim, Text: "=", Pos: at}}
	values = append(values, inner[2:]...)
	values[3].Space = false
	return withArgs(v, values), true
}

// bothRanges returns (width>=a) and (width<=b) as (a<=width<=b).
func bothRanges(low, high *ast.Value) ast.Value {
	a, b := low.Inner.Values, high.Inner.Values
	values := slices.Clone(a[3:])
	values = append(values, b[1], b[2], a[0])
	values = append(values, b[1:]...)
	return withArgs(low, values)
}

// features minifies feature tests in values, at any depth of brackets. The
// arguments of functions are not changed.
func features(list []ast.Value) ([]ast.Value, bool) {
	return ast.MapList(list, func(_ int, v *ast.Value) (with ast.Value, changed bool) {
		if v.Kind != token.LParen {
			return with, false
		}
		return feature(v)
	})
}

// feature removes the white space around the colon in (name: value).
func feature(v *ast.Value) (with ast.Value, changed bool) {
	args, changed := features(v.Inner.Values)
	if len(args) > 2 && args[0].Kind == token.Ident && args[1].Kind == token.Colon && !ast.IsCustomName(args[0].Text) &&
		(args[1].Space || args[2].Space) {
		args = slices.Clone(args)
		args[1].Space, args[2].Space = false, false
		changed = true
	}
	if !changed {
		return with, false
	}
	return withArgs(v, args), true
}
