package lower

import (
	"slices"

	"rinzel/internal/browsers"
	"rinzel/internal/css/ast"
	"rinzel/internal/css/print"
	"rinzel/internal/css/token"
)

// This file rewrites light-dark() (CSS Color 5, section 9) for browsers without
// it: they get the light colour. If the sheet enables both schemes for the
// page, and does not override them elsewhere, they get the dark colour in
// @media.

// lightDark is the feature of light-dark().
var lightDark = browsers.Color("light-dark")

// schemes returns the rewrite of light-dark().
func (l *lowering) schemes() func(*ast.Declaration, site) []ast.Node {
	return func(d *ast.Declaration, at site) []ast.Node { return scheme(d, at, l.followsScheme) }
}

// isLightDark reports whether v is light-dark().
func isLightDark(v *ast.Value) bool { return v.IsFunction("light-dark") }

// scheme rewrites a declaration with light-dark().
func scheme(d *ast.Declaration, at site, followed func() bool) []ast.Node {
	if !holdsFunction(d.Value, isLightDark) || at.again(d) || holdsFunction(at.tested, isLightDark) {
		return nil
	}
	light, dark := *d, *d
	var ok1, ok2 bool
	light.Value, ok1 = inScheme(d.Value, 0)
	dark.Value, ok2 = inScheme(d.Value, 1)
	guarded := d.IsCustom() || holdsVar(d.Value)
	if !ok1 || !ok2 || guarded && !at.mayGuard {
		return nil
	}
	place := &ast.Value{Pos: d.NamePos}
	comma := ast.Value{Kind: token.Comma, Text: ",", Pos: d.NamePos}
	test := call("light-dark", []ast.Value{ident("red", place, false), comma, ident("red", place, false)}, place)
	out := []ast.Node{&light}
	if !guarded {
		out = append(out, d)
	}
	if at.mayGuard && followed() {
		query := ast.Value{Kind: token.LParen, Text: "(", Pos: d.NamePos, Inner: &ast.Inner{Values: []ast.Value{
			ident("prefers-color-scheme", place, false), {Kind: token.Colon, Text: ":", Pos: d.NamePos},
			ident("dark", place, true),
		}}}
		out = append(out, &ast.AtRule{At: d.NamePos, Name: "media", Prelude: []ast.Value{query},
			Block: &ast.Block{Nodes: []ast.Node{guard(test, true, &dark)}}})
	}
	if guarded {
		out = append(out, guard(test, false, d))
	}
	return out
}

// inScheme returns values with each light-dark() replaced by one of its
// arguments. ok is false if one does not have two arguments.
func inScheme(values []ast.Value, which int) (out []ast.Value, ok bool) {
	ok = true
	out = make([]ast.Value, 0, len(values))
	for _, v := range values {
		switch {
		case isLightDark(&v):
			args := ast.SplitAt(v.Values(), token.Comma)
			if len(args) != 2 {
				return nil, false
			}
			arg := trimmed(args[which])
			if len(arg) == 0 {
				return nil, false
			}
			inner, innerOK := inScheme(arg, which)
			if !innerOK {
				return nil, false
			}
			inner[0].Space = v.Space
			out = append(out, inner...)
			continue
		case v.Inner != nil:
			inner, innerOK := inScheme(v.Inner.Values, which)
			ok = ok && innerOK
			v.Inner = &ast.Inner{Values: inner, Close: v.Inner.Close}
		}
		out = append(out, v)
	}
	return out, ok
}

// isRoot reports whether a selector is :root or html.
func isRoot(s ast.Selector) bool {
	return len(s) == 1 &&
		(s[0].Kind == ast.PseudoClass && token.EqualFold(s[0].Name, "root") || s[0].Kind == ast.TypeSelector &&
			token.EqualFold(s[0].Name, "html"))
}

// trimmed returns values without leading and trailing white space values.
func trimmed(values []ast.Value) []ast.Value {
	for len(values) > 0 && values[0].Kind == token.Whitespace {
		values = values[1:]
	}
	for len(values) > 0 && values[len(values)-1].Kind == token.Whitespace {
		values = values[:len(values)-1]
	}
	return values
}

// followsScheme reports whether a sheet enables both schemes for the root of
// the page, unconditionally, and does not set color-scheme elsewhere.
func followsScheme(nodes []ast.Node) bool {
	root, others := 0, 0
	for _, n := range nodes {
		r, ok := n.(*ast.StyleRule)
		ofRoot := ok && slices.ContainsFunc(r.Selectors, isRoot)
		ast.Walk([]ast.Node{n}, func(n ast.Node) bool {
			d, ok := n.(*ast.Declaration)
			switch {
			case !ok || !token.EqualFold(d.Name, "color-scheme"):
			case ofRoot && slices.Contains(r.Nodes, n) &&
				slices.Contains([]string{"light dark", "dark light"}, token.Lower(print.CompactValues(d.Value))):
				root++
			default:
				others++
			}
			return true
		})
	}
	return root > 0 && others == 0
}
