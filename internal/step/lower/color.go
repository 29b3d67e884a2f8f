package lower

import (
	"strings"

	"rinzel/internal/browsers"
	"rinzel/internal/css/ast"
	"rinzel/internal/css/token"
	"rinzel/internal/css/value"
)

// This file adds sRGB fallbacks before declarations with colours that a target
// does not support. The original declarations stay for other browsers.

// colorFunctions are the colour functions that older browsers do not support.
var colorFunctions = []string{"color", "lab", "lch", "oklab", "oklch", "color-mix", "contrast-color"}

// relativeFunctions are those that older browsers support, but not as relative
// colours.
var relativeFunctions = []string{"rgb", "rgba", "hsl", "hsla", "hwb"}

// colorFeatures are the features that this rewrite is for.
var colorFeatures = func() []string {
	var out []string
	for _, name := range colorFunctions {
		out = append(out, browsers.Color(name))
	}
	for _, name := range append([]string{"lab", "lch", "oklab", "oklch", "color"}, relativeFunctions...) {
		out = append(out, relative(name))
	}
	return out
}()

// relative returns the feature of relative colours in a function.
func relative(name string) string {
	return browsers.Color(strings.TrimSuffix(name, "a")) + ".relative_syntax"
}

// colors returns the rewrite of colours.
func (l *lowering) colors() func(*ast.Declaration, site) []ast.Node {
	c := &colors{l, make(map[string]bool), make(map[string]bool)}
	for _, name := range colorFunctions {
		c.unsupported[name] = l.needed(browsers.Color(name))
		c.relative[name] = l.needed(relative(name))
	}
	for _, name := range relativeFunctions {
		c.relative[name] = l.needed(relative(name))
	}
	return c.declaration
}

// colors is the rewrite of colours for the targets.
type colors struct {
	*lowering
	unsupported map[string]bool // functions that some target does not support
	relative    map[string]bool // those that it does not support as relative colours
}

// isUnsupported reports whether some target does not support a colour function.
func (c *colors) isUnsupported(v *ast.Value) bool {
	if !mayBeColor(v.Text) {
		return false
	}
	name := token.Lower(v.Name())
	return c.unsupported[name] || c.relative[name] && isRelative(v)
}

// mayBeColor is a quick test by the first letter whether a function may be a
// colour.
func mayBeColor(text string) bool { return strings.IndexByte("clorhCLORH\\", text[0]) >= 0 }

// isRelative reports whether v is a relative colour.
func isRelative(v *ast.Value) bool {
	args := ast.Significant(v.Values())
	return len(args) > 0 && args[0].IsIdent("from")
}

// declaration returns a fallback followed by the declaration. Browsers skip a
// declaration with an unsupported colour, unless it is a custom property or
// contains var(): these need a guard.
func (c *colors) declaration(d *ast.Declaration, at site) []ast.Node {
	if !holdsFunction(d.Value, c.isUnsupported) || at.again(d) || holdsFunction(at.tested, c.isUnsupported) {
		return nil
	}
	var test ast.Value
	fallback, changed := ast.MapValues(d.Value, func(v *ast.Value) (with ast.Value, changed bool) {
		if v.Kind != token.Function || !c.isUnsupported(v) {
			return with, false
		}
		color, ok := colorOf(v)
		if !ok {
			return with, false
		}
		test = c.test(token.Lower(v.Name()), v)
		return bytesOf(color, v), true
	})
	if !changed {
		return nil
	}
	first := *d
	first.Value = fallback
	switch {
	case !d.IsCustom() && !holdsVar(d.Value):
		return []ast.Node{&first, d}
	case !at.mayGuard:
		return nil
	}
	return []ast.Node{&first, guard(test, false, d)}
}

// colorOf returns the colour of a function, if it is known.
func colorOf(v *ast.Value) (value.Color, bool) {
	if c, ok := value.ColorOf(v); ok {
		return c, true
	}
	if with, ok := value.FoldColor(v); ok {
		return value.ColorOf(&with)
	}
	return value.Color{}, false
}

// test returns a colour with a function, as a feature test.
func (c *colors) test(name string, v *ast.Value) ast.Value {
	at := &ast.Value{Pos: v.Pos}
	zero := func(space bool) ast.Value {
		return ast.Value{Kind: token.Number, Text: "0", Pos: v.Pos, Space: space}
	}
	args := []ast.Value{zero(false), zero(true), zero(true)}
	switch {
	case isRelative(v) && !c.unsupported[name]:
		args = []ast.Value{ident("from", at, false), ident("red", at, true), zero(true), zero(true), zero(true)}
	case name == "color":
		args = append([]ast.Value{ident("srgb", at, false)}, zero(true), zero(true), zero(true))
	case name == "color-mix":
		comma := ast.Value{Kind: token.Comma, Text: ",", Pos: v.Pos}
		args = []ast.Value{ident("in", at, false), ident("srgb", at, true), comma, ident("red", at, false), comma,
			ident("red", at, false)}
	case name == "contrast-color":
		args = []ast.Value{ident("red", at, false)}
	}
	return call(name, args, at)
}
