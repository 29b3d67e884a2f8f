package lower

import (
	"slices"

	"rinzel/internal/browsers"
	"rinzel/internal/css/ast"
	"rinzel/internal/css/token"
	"rinzel/internal/css/value"
)

// This file writes colours that a target does not read in sRGB before the
// declarations that have them, which stay for all others.

// colorFunctions are the functions of CSS Color 4 that have features of their own.
var colorFunctions = []string{"color", "lab", "lch", "oklab", "oklch"}

// colors rewrites colours.
type colors struct {
	lacking map[string]bool // functions that some target does not read
}

func newColors(targets browsers.Targets) colors {
	c := colors{make(map[string]bool)}
	for _, name := range colorFunctions {
		if len(targets.Lacking(browsers.Color(name))) > 0 {
			c.lacking[name] = true
		}
	}
	return c
}

// nodes returns nodes with fallbacks for colours. mayGuard tells that a rule may
// stand among them.
func (c colors) nodes(nodes []ast.Node, mayGuard bool) ([]ast.Node, bool) {
	var before ast.Node
	return ast.Map(nodes, func(n ast.Node) ast.Edit {
		prior := before
		before = n
		d, ok := n.(*ast.Declaration)
		if !ok {
			if c.isGuard(n) {
				return ast.Keep
			}
			_, isKeyframe := n.(*ast.QualifiedRule)
			if edited, changed := c.nodes(ast.Body(n), !isKeyframe); changed {
				return ast.Replace(ast.WithBody(n, edited))
			}
			return ast.Keep
		}
		if p, ok := prior.(*ast.Declaration); ok && token.EqualFold(p.Name, token.Lower(d.Name)) {
			return ast.Keep // there is a fallback already
		}
		return c.declaration(d, mayGuard)
	})
}

// isGuard reports whether n is a rule for browsers that read a colour function.
func (c colors) isGuard(n ast.Node) bool {
	r, ok := n.(*ast.AtRule)
	return ok && token.EqualFold(r.Name, "supports") && c.names(r.Prelude)
}

func (c colors) names(values []ast.Value) bool {
	for i := range values {
		v := &values[i]
		if v.Inner == nil {
			continue
		}
		if v.Kind == token.Function && mayBeColor(v.Text) && c.lacking[token.Lower(v.Name())] || c.names(v.Inner.Values) {
			return true
		}
	}
	return false
}

// mayBeColor tells by its first letter whether a function may be one of
// [colorFunctions].
func mayBeColor(text string) bool {
	first := text[0] | 0x20
	return first == 'c' || first == 'l' || first == 'o' || first == '\\'|0x20
}

// occurIn reports whether a declaration in nodes has a colour to be rewritten.
func (c colors) occurIn(nodes []ast.Node) bool {
	found := false
	ast.Walk(nodes, func(n ast.Node) bool {
		if d, ok := n.(*ast.Declaration); ok && !found {
			found = c.names(d.Value)
		}
		return !found
	})
	return found
}

// declaration returns what stands for a declaration: a fallback, and itself.
// Browsers that do not read a colour skip the declaration, unless it is of a
// custom property or holds var(): those need a guard.
func (c colors) declaration(d *ast.Declaration, mayGuard bool) ast.Edit {
	if !c.names(d.Value) {
		return ast.Keep
	}
	var function string
	fallback, changed := ast.MapValues(d.Value, func(v *ast.Value) (with ast.Value, changed bool) {
		name := token.Lower(v.Name())
		if !c.lacking[name] {
			return with, false
		}
		color, ok := value.ColorOf(v)
		if !ok {
			return with, false
		}
		function = name
		return color.Mapped().Value(v), true
	})
	if !changed {
		return ast.Keep
	}
	first := *d
	first.Value = fallback
	switch {
	case !d.IsCustom() && !holdsVar(d.Value):
		return ast.Splice([]ast.Node{&first, d})
	case !mayGuard:
		return ast.Keep
	}
	return ast.Splice([]ast.Node{&first, guard(function, d)})
}

// holdsVar reports whether values hold a function in whose place a browser
// puts tokens.
func holdsVar(values []ast.Value) bool {
	return slices.ContainsFunc(values, func(v ast.Value) bool {
		return v.IsFunction("var") || v.IsFunction("env") || holdsVar(v.Values())
	})
}

// guard returns a declaration for browsers that read a colour function.
func guard(function string, d *ast.Declaration) ast.Node {
	zero := func(space bool) ast.Value {
		return ast.Value{Kind: token.Number, Text: "0", Pos: d.NamePos, Space: space}
	}
	args := []ast.Value{zero(false), zero(true), zero(true)}
	if function == "color" {
		args = append([]ast.Value{{Kind: token.Ident, Text: "srgb", Pos: d.NamePos}}, zero(true), zero(true), zero(true))
	}
	call := ast.Value{Kind: token.Function, Text: function + "(", Pos: d.NamePos, Space: true, Inner: &ast.Inner{Values: args}}
	test := ast.Value{Kind: token.LParen, Text: "(", Pos: d.NamePos, Inner: &ast.Inner{Values: []ast.Value{
		{Kind: token.Ident, Text: "color", Pos: d.NamePos}, {Kind: token.Colon, Text: ":", Pos: d.NamePos}, call,
	}}}
	return &ast.AtRule{At: d.NamePos, Name: "supports", Prelude: []ast.Value{test}, Block: &ast.Block{Nodes: []ast.Node{d}}}
}
