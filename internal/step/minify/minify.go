// Package minify shortens a sheet without changing its meaning. Together with
// compact printing, which drops white space, comments and the last semicolons,
// it
//
//   - shortens numbers: 0.50em to .5em;
//   - shortens colours where a property accepts one: #ffffff and white to #fff,
//     rgb(255, 0, 0) and hsl(0 100% 50%) to red;
//   - removes the quotes of url() and of attribute values where possible, and
//     writes other strings in double quotes;
//   - removes insignificant white space around brackets, slashes and colons;
//   - removes empty rules, and what every browser skips.
//
// It does not touch custom properties, which scripts can read, unknown
// functions, and numbers whose type would change. It is idempotent.
package minify

import (
	"slices"
	"strings"

	"rinzel/internal/css/ast"
	"rinzel/internal/css/known"
	"rinzel/internal/css/scan"
	"rinzel/internal/css/token"
	"rinzel/internal/css/value"
)

// Nodes returns minified nodes. Nodes that cannot be shortened are shared, not
// copied.
func Nodes(nodes []ast.Node) []ast.Node {
	out, _ := ast.Map(nodes, node)
	return out
}

// node minifies one node.
func node(n ast.Node) ast.Edit {
	switch n := n.(type) {
	case *ast.Declaration:
		return declaration(n)
	case *ast.BadDeclaration, *ast.BadRule:
		return ast.Remove // every browser skips it (CSS Syntax Level 3, section 5)
	case *ast.Comment:
		return ast.Keep
	}
	if r, ok := n.(*ast.AtRule); ok && verbatim[token.Lower(r.Name)] {
		return ast.Keep
	}
	edited, changed := ast.MapBody(n, node)
	switch r := edited.(type) {
	case *ast.StyleRule:
		if empty(r.Nodes) {
			return ast.Remove
		}
		if list, ok := selectors(r.Selectors); ok {
			copied := *r
			copied.Selectors = list
			return ast.Replace(&copied)
		}
	case *ast.QualifiedRule:
		if list, ok := values(r.Prelude, valueContext{}); ok {
			copied := *r
			copied.Prelude = list
			return ast.Replace(&copied)
		}
	case *ast.AtRule:
		name := token.Lower(r.Name)
		if r.Block != nil && isRemovable(name) && empty(r.Block.Nodes) {
			return ast.Remove
		}
		if list, ok := prelude(name, r.Prelude); ok {
			copied := *r
			copied.Prelude = list
			return ast.Replace(&copied)
		}
	}
	if changed {
		return ast.Replace(edited)
	}
	return ast.Keep
}

// isRemovable reports whether an empty at-rule has no effect. An empty @layer
// still orders layers, and empty @keyframes hide others with the same name.
func isRemovable(atRule string) bool { return known.HoldsStyleRules(atRule) && atRule != "layer" }

// verbatim are the at-rules whose blocks are not changed: names in
// @font-feature-values are case-sensitive, and scripts read the initial value
// of a registered property as it is written.
var verbatim = words("font-feature-values property")

// empty reports whether compact printing of a block yields nothing.
func empty(nodes []ast.Node) bool {
	return !slices.ContainsFunc(nodes, func(n ast.Node) bool {
		c, ok := n.(*ast.Comment)
		return !ok || strings.HasPrefix(c.Text, "/*!")
	})
}

// valueContext is the context of a value.
type valueContext struct {
	color  bool // a colour is allowed here
	number bool // a number may lose its fraction
	math   bool // inside calc() or similar: white space may be significant
	mixed  bool // a colour here is an intermediate result
}

// declaration minifies a declaration.
func declaration(d *ast.Declaration) ast.Edit {
	if d.IsCustom() {
		return ast.Keep
	}
	name := token.Lower(d.Name)
	in := contextOf(name)
	if strings.HasSuffix(name, "filter") &&
		slices.ContainsFunc(d.Value, func(v ast.Value) bool { return v.Kind == token.Colon }) {
		return ast.Keep // legacy syntax with a grammar of its own
	}
	list, changed := values(d.Value, in)
	if strings.IndexByte(d.Name, '\\') >= 0 {
		name = d.Name // an escaped name may be invalid unescaped
	}
	if !changed && d.Name == name {
		return ast.Keep
	}
	copied := *d
	copied.Value, copied.Name = list, name
	return ast.Replace(&copied)
}

// values minifies a list of values.
func values(list []ast.Value, in valueContext) ([]ast.Value, bool) {
	return ast.MapList(list, func(i int, v *ast.Value) (with ast.Value, changed bool) {
		with, changed = single(v, in)
		if v.Space && !in.math && tightens(list, i) {
			if !changed {
				with, changed = *v, true
			}
			with.Space = false
		}
		return with, changed
	})
}

// tightens reports whether the white space before the value at i is
// insignificant: next to a slash, as in font and border-radius. Comments are
// ignored, because they are not printed.
func tightens(list []ast.Value, i int) bool {
	k := i - 1
	for k >= 0 && list[k].Kind == token.Comment {
		k--
	}
	v := &list[i]
	if k < 0 || v.Kind == token.Comment {
		return false
	}
	before := &list[k]
	joins := before.IsDelim('/') && (v.IsDelim('/') || v.IsDelim('*')) // could become a comment
	return (v.IsDelim('/') || before.IsDelim('/')) && !joins
}

// single returns a shorter value with the same meaning, if there is one.
func single(v *ast.Value, in valueContext) (with ast.Value, changed bool) {
	switch v.Kind {
	case token.Number, token.Percentage, token.Dimension:
		if isShort(v.Text) {
			return with, false
		}
	}
	switch v.Kind {
	case token.Number:
		return text(v, number(v.Text, !in.number, v.Space))
	case token.Percentage:
		return text(v, number(v.Text[:len(v.Text)-1], false, v.Space)+"%")
	case token.Dimension:
		n := token.NumberLen(v.Text)
		if v.Text[n] == '\\' {
			return with, false // its text could be read as an exponent
		}
		return text(v, number(v.Text[:n], false, v.Space)+v.Text[n:])
	case token.Hash, token.Ident:
		if !in.color {
			return with, false
		}
		if short := value.ShortColor(v.Text); short != v.Text {
			with = *v
			with.Text, with.Kind = short, kindOf(short)
			return with, true
		}
	case token.String:
		return text(v, quoted(v.Text))
	case token.Function:
		return function(v, in)
	case token.LParen:
		return brackets(v, in)
	}
	return with, false
}

// text returns v with another text, unless that is longer.
func text(v *ast.Value, with string) (short ast.Value, changed bool) {
	if with == v.Text || len(with) > len(v.Text) {
		return short, false
	}
	short = *v
	short.Text = with
	return short, true
}

// isShort reports whether a number is obviously minimal: digits without a sign,
// leading zero, fraction or exponent.
func isShort(s string) bool {
	if s[0] < '1' || s[0] > '9' {
		return s[0] == '0' && (len(s) == 1 || s[1] == '%')
	}
	for i := 1; i < len(s); i++ {
		if c := s[i]; !token.IsDigit(c) {
			return c != '.' && c|0x20 != 'e'
		}
	}
	return true
}

// number shortens a number. The sign is only removed if white space separates
// the number from what is before it. With keepFraction, a number with a
// fraction keeps one, because an integer would have another type (CSS Values 4,
// section 5.2): z-index: 1.0 is invalid, and must stay invalid.
func number(s string, keepFraction, spaced bool) string {
	sign := ""
	if s[0] == '+' || s[0] == '-' {
		sign, s = s[:1], s[1:]
		if sign == "+" && spaced {
			sign = ""
		}
	}
	exponent := ""
	if i := strings.IndexAny(s, "eE"); i >= 0 {
		s, exponent = s[:i], strings.ToLower(s[i:])
	}
	whole, fraction, hasFraction := strings.Cut(s, ".")
	whole = strings.TrimLeft(whole, "0")
	fraction = strings.TrimRight(fraction, "0")
	switch {
	case fraction != "":
		return sign + whole + "." + fraction + exponent
	case whole == "":
		whole = "0"
	}
	if hasFraction && keepFraction && exponent == "" {
		return sign + whole + ".0"
	}
	return sign + whole + exponent
}

// quoted writes a string in double quotes, unless that is longer.
func quoted(s string) string {
	if s[0] == '"' || strings.ContainsAny(s, "\"\\") {
		return s
	}
	return `"` + s[1:len(s)-1] + `"`
}

// takesColors reports whether the arguments of a function may be colours
// wherever the function itself is allowed in place of a colour or an image. The
// name is in lower case.
func takesColors(function string) bool {
	_, standard := token.SplitVendor(function)
	return known.Function(standard).Color
}

// kindOf returns the token kind of a colour.
func kindOf(color string) token.Kind {
	if color[0] == '#' {
		return token.Hash
	}
	return token.Ident
}

// contextOf returns the context of the values of a property, given in lower
// case.
func contextOf(property string) valueContext {
	v := known.Property(property)
	return valueContext{color: v.TakesOnlyColors(), number: v.Fractions}
}

// words returns the set of words in s.
func words(s string) map[string]bool {
	set := make(map[string]bool)
	for _, w := range strings.Fields(s) {
		set[w] = true
	}
	return set
}

// function minifies a function.
func function(v *ast.Value, in valueContext) (with ast.Value, changed bool) {
	name := token.Lower(v.Name())
	if name == "url" {
		return unquote(v)
	}
	if in.color {
		if short, ok := value.Shortest(v, in.mixed); ok {
			if short.Inner != nil {
				if inner, ok := inside(&short, valueContext{number: true}); ok {
					short = inner
				}
			}
			return short, true
		}
	}
	inner := valueContext{
		color:  in.color && takesColors(name),
		number: known.Function(name).Fractions,
		mixed:  in.mixed || name == "color-mix",
		math:   in.math || value.IsMath(v) || name == "calc-size",
	}
	return inside(v, inner)
}

// brackets minifies parentheses that do not belong to a function.
func brackets(v *ast.Value, in valueContext) (with ast.Value, changed bool) {
	return inside(v, valueContext{math: in.math})
}

// inside minifies the contents of a function or brackets.
func inside(v *ast.Value, in valueContext) (with ast.Value, changed bool) {
	list, changed := values(v.Inner.Values, in)
	if !changed {
		return with, false
	}
	return withArgs(v, list), true
}

// withArgs returns v with other arguments.
func withArgs(v *ast.Value, args []ast.Value) ast.Value {
	with := *v
	with.Inner = &ast.Inner{Values: args, Close: v.Inner.Close}
	return with
}

// unquote turns url("x") into url(x) if the URL allows it.
func unquote(v *ast.Value) (with ast.Value, changed bool) {
	args := v.Inner.Values
	if len(args) != 1 || args[0].Kind != token.String {
		return with, false
	}
	address := token.StringValue(args[0].Text)
	if !token.PlainURL(address) {
		if with := quoted(args[0].Text); with != args[0].Text {
			arg := args[0]
			arg.Text = with
			return withArgs(v, []ast.Value{arg}), true
		}
		return with, false
	}
	return ast.Value{Kind: token.URL, Text: "url(" + address + ")", Pos: v.Pos, Space: v.Space}, true
}

// featureRules are the at-rules whose preludes test features in brackets.
var featureRules = words("media supports container import custom-media")

// prelude minifies the prelude of an at-rule.
func prelude(name string, list []ast.Value) ([]ast.Value, bool) {
	if !featureRules[name] {
		return list, false
	}
	return features(list)
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

// selectors minifies a selector list.
func selectors(list []ast.Selector) ([]ast.Selector, bool) {
	return ast.MapList(list, func(_ int, s *ast.Selector) (ast.Selector, bool) {
		return ast.MapList(*s, func(_ int, p *ast.Simple) (with ast.Simple, changed bool) {
			if p.Args == nil {
				return with, false
			}
			args, changed := arguments(*p)
			with = *p
			with.Args = args
			return with, changed
		})
	})
}

// arguments removes the quotes of an attribute value, and minifies the
// selectors in a pseudo-class.
func arguments(p ast.Simple) (*ast.Args, bool) {
	args := *p.Args
	list, changed := selectors(args.Selectors)
	args.Selectors = list
	if p.Kind == ast.AttributeSelector && args.Value.Kind == token.String {
		raw := args.Value.Text
		value := raw[1 : len(raw)-1]
		if !strings.ContainsRune(value, '\\') && scan.StartsIdent(value) && token.EscapeName(value) == value {
			args.Value.Kind, args.Value.Text = token.Ident, value
			changed = true
		} else if with := quoted(raw); with != raw {
			args.Value.Text = with
			changed = true
		}
	}
	return &args, changed
}
