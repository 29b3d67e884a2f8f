package link

import (
	"slices"

	"rinzel/internal/css/ast"
	"rinzel/internal/css/token"
	"rinzel/internal/diag"
	"rinzel/internal/diag/code"
	"rinzel/internal/graph"
	"rinzel/internal/source"
)

// This file handles imports of external sheets, which stay imports. Browsers
// only support imports at the top of a sheet, so the rules before an external
// import in the cascade become a separate bundle, which the page links first.

// external appends an external import. It gets the layers, support and media
// conditions of the imports that lead to its sheet.
func (a *assembler) external(r *ast.AtRule, prelude []ast.Value, conds []*Condition) {
	kept := *r
	kept.Prelude = prelude
	with := &kept
	if len(conds) > 0 && conds[len(conds)-1].At == r.At {
		conds = conds[:len(conds)-1] // its own conditions are part of it already
	}
	for _, c := range slices.Backward(conds) {
		merged, ok := c.OnImport(with)
		if !ok {
			a.report(ExternalUnderConditions(r))
			return
		}
		with = merged
	}
	a.entry.External++
	a.entry.Pieces = append(a.entry.Pieces, Piece{External: with})
}

// ExternalUnderConditions returns the finding that one import cannot express
// the conditions of several.
func ExternalUnderConditions(r *ast.AtRule) diag.Diagnostic {
	return diag.Diagnostic{Code: code.ExternalImport, Severity: diag.Error, Span: r.Span(),
		Message: "an external sheet is imported under the conditions of several imports: a single import cannot express them",
		Fix:     "name the layers, or import it with all conditions from the outer sheet"}
}

// MayPrecedeExternal reports whether an external import may follow a piece in
// one sheet.
func (p *Piece) MayPrecedeExternal() bool {
	return p.External != nil || p.Prologue || len(p.Nodes) == 0
}

// OnImport returns an external import with an additional outer condition. ok is
// false if one import cannot express both: an anonymous layer in another layer,
// or two media query lists without a short product.
func (c *Condition) OnImport(r *ast.AtRule) (with *ast.AtRule, ok bool) {
	imp, ok := graph.ReadImport(r.Prelude)
	if !ok {
		return nil, false
	}
	address := slices.IndexFunc(r.Prelude, func(v ast.Value) bool { return v.Kind != token.Comment })
	prelude := slices.Clone(r.Prelude[:address+1])
	if c.HasLayer || imp.HasLayer {
		layer, ok := joinedLayers(c, imp)
		if !ok {
			return nil, false
		}
		prelude = append(prelude, layer)
	}
	if supports := joinedSupports(c.Supports, imp.Supports); len(supports) > 0 {
		prelude = append(prelude, called("supports", supports, r.At))
	}
	media, ok := joinedMedia(c.Media, imp.Media)
	if !ok {
		return nil, false
	}
	copied := *r
	copied.Prelude = append(prelude, media...)
	return &copied, true
}

// called returns a function with arguments.
func called(name string, values []ast.Value, at source.Pos) ast.Value {
	values = slices.Clone(values)
	values[0].Space = false
	return ast.Value{Kind: token.Function, Text: name + "(", Pos: at, Space: true,
		Inner: &ast.Inner{Values: values, Close: at}}
}

// joinedLayers returns the layer that is one layer nested in another.
func joinedLayers(c *Condition, imp graph.Import) (ast.Value, bool) {
	unnamed := c.HasLayer && len(c.Layer) == 0 || imp.HasLayer && len(imp.Layer) == 0
	switch {
	case c.HasLayer && unnamed: // its other parts must be in it as well
		return ast.Value{}, false
	case imp.HasLayer && unnamed && c.HasLayer:
		return ast.Value{}, false
	case unnamed:
		return ast.Value{Kind: token.Ident, Text: "layer", Pos: c.At, Space: true}, true
	}
	values := slices.Clone(c.Layer)
	if c.HasLayer && imp.HasLayer {
		values = append(values, ast.Value{Kind: token.Delim, Text: ".", Pos: c.At})
	}
	if imp.HasLayer {
		values = append(values, imp.Layer...)
	}
	return called("layer", values, c.At), true
}

// joinedSupports returns the conjunction of two conditions.
func joinedSupports(a, b []ast.Value) []ast.Value {
	if len(a) == 0 || len(b) == 0 {
		return slices.Concat(a, b)
	}
	return []ast.Value{inParens(supportsCondition(a)), {Kind: token.Ident, Text: "and", Pos: a[0].Pos, Space: true},
		spaced(inParens(supportsCondition(b)))}
}

// inParens returns a condition as an operand of "and".
func inParens(values []ast.Value) ast.Value {
	if len(values) == 1 && values[0].Kind == token.LParen {
		return values[0]
	}
	values = slices.Clone(values)
	values[0].Space = false
	return ast.Value{Kind: token.LParen, Text: "(", Pos: values[0].Pos,
		Inner: &ast.Inner{Values: values, Close: values[0].Pos}}
}

// spaced returns v with white space before it.
func spaced(v ast.Value) ast.Value {
	v.Space = true
	return v
}

// maxQueries limits the number of media queries in the product of two lists.
const maxQueries = 16

// joinedMedia returns the media queries that match where one of each list
// matches. ok is false if that cannot be written: two media types, one of them
// negated.
func joinedMedia(a, b []ast.Value) (out []ast.Value, ok bool) {
	if len(a) == 0 || len(b) == 0 {
		out = slices.Concat(a, b)
		if len(out) > 0 {
			out[0] = spaced(out[0])
		}
		return out, true
	}
	as, bs := ast.SplitAt(a, token.Comma), ast.SplitAt(b, token.Comma)
	if len(as)*len(bs) > maxQueries {
		return nil, false
	}
	for _, one := range as {
		for _, two := range bs {
			query, ok := joinedQuery(one, two)
			if !ok {
				return nil, false
			}
			if len(out) > 0 {
				out = append(out, ast.Value{Kind: token.Comma, Text: ",", Pos: a[0].Pos})
			}
			query[0].Space = len(out) == 0
			out = append(out, query...)
		}
	}
	return out, true
}

// joinedQuery returns the query that matches where both match.
func joinedQuery(a, b []ast.Value) ([]ast.Value, bool) {
	typeA, restA, okA := splitQuery(a)
	typeB, restB, okB := splitQuery(b)
	if !okA || !okB {
		return nil, false
	}
	and := ast.Value{Kind: token.Ident, Text: "and", Pos: a[0].Pos, Space: true}
	var out []ast.Value
	switch {
	case len(typeA) == 0:
		out = slices.Clone(typeB)
	case len(typeB) == 0 || token.EqualFold(typeA[len(typeA)-1].Text, typeB[len(typeB)-1].Text):
		out = slices.Clone(typeA)
	default:
		return []ast.Value{{Kind: token.Ident, Text: "not", Pos: a[0].Pos},
			{Kind: token.Ident, Text: "all", Pos: a[0].Pos, Space: true}}, true
	}
	for _, rest := range [][]ast.Value{restA, restB} {
		if len(rest) == 0 {
			continue
		}
		if len(out) > 0 {
			out = append(out, and)
		}
		joins := !slices.ContainsFunc(rest, func(v ast.Value) bool { return v.IsIdent("or") || v.IsIdent("not") })
		if !joins {
			rest = []ast.Value{inParens(rest)}
		}
		first := len(out)
		out = append(out, rest...)
		out[first].Space = first > 0
	}
	return out, true
}

// splitQuery splits a media query into its type, including "only", and its
// features. ok is false for a negated type.
func splitQuery(query []ast.Value) (kind, features []ast.Value, ok bool) {
	n := 0
	if len(query) > 1 && (query[0].IsIdent("only") || query[0].IsIdent("not")) && query[1].Kind == token.Ident {
		if query[0].IsIdent("not") {
			return nil, nil, false
		}
		n = 1
	}
	if n < len(query) && query[n].Kind == token.Ident && !query[n].IsIdent("not") {
		n++
		if n < len(query) {
			if !query[n].IsIdent("and") || n+1 == len(query) {
				return nil, nil, false
			}
			return query[:n], query[n+1:], true
		}
		return query[:n], nil, true
	}
	return nil, query, true
}
