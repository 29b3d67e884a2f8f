// Package minify writes the same sheet with less text. Together with compact
// printing, which drops white space, comments and the last semicolons, it
//
//   - shortens numbers: 0.50em to .5em;
//   - shortens colours where a property takes one: #ffffff and white to #fff,
//     rgb(255, 0, 0) and hsl(0 100% 50%) to red;
//   - takes the quotes off url() and attribute values that need none, and
//     writes other strings in double quotes;
//   - drops white space around brackets, slashes and colons where it means
//     nothing;
//   - removes rules without content, and what every browser skips.
//
// What it cannot judge it leaves: custom properties, as scripts read them;
// unknown functions; numbers where a whole one would mean something else.
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

// Nodes returns nodes with less text and the same meaning. Nodes in which
// nothing can be saved are shared, not copied. Running it twice changes
// nothing the second time.
func Nodes(nodes []ast.Node) []ast.Node {
	out, _ := ast.Map(nodes, node)
	return out
}

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
		if list, ok := values(r.Prelude, place{}); ok {
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

// isRemovable reports whether an at-rule means nothing when it is empty. An empty
// @layer still orders the layers, and empty @keyframes hide others of their name.
func isRemovable(atRule string) bool { return known.HoldsStyleRules(atRule) && atRule != "layer" }

// verbatim are the at-rules whose blocks are left as they are: the names in @font-feature-values are
// told apart by case, and scripts read the initial value of a property as it is written.
var verbatim = words("font-feature-values property")

// empty reports whether a block holds nothing that is printed compactly.
func empty(nodes []ast.Node) bool {
	return !slices.ContainsFunc(nodes, func(n ast.Node) bool {
		c, ok := n.(*ast.Comment)
		return !ok || strings.HasPrefix(c.Text, "/*!")
	})
}

// place says what a value may be taken for.
type place struct {
	color  bool // a colour may stand here
	number bool // a number may be written as a whole one
	math   bool // within calc() or the like: white space may matter
	mixed  bool // a colour that stands here is worked with further
}

func declaration(d *ast.Declaration) ast.Edit {
	if d.IsCustom() {
		return ast.Keep
	}
	name := token.Lower(d.Name)
	in := placeOf(name)
	if strings.HasSuffix(name, "filter") && slices.ContainsFunc(d.Value, func(v ast.Value) bool { return v.Kind == token.Colon }) {
		return ast.Keep // an old form with a grammar of its own
	}
	list, changed := values(d.Value, in)
	if strings.IndexByte(d.Name, '\\') >= 0 {
		name = d.Name // what is escaped may not stand without
	}
	if !changed && d.Name == name {
		return ast.Keep
	}
	copied := *d
	copied.Value, copied.Name = list, name
	return ast.Replace(&copied)
}

// values shortens a list of values.
func values(list []ast.Value, in place) ([]ast.Value, bool) {
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

// tightens reports whether the white space before the value at i means
// nothing: beside a slash, as in font and border-radius. Comments are not
// printed, and count for nothing.
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
	joins := before.IsDelim('/') && (v.IsDelim('/') || v.IsDelim('*')) // into a comment, perhaps
	return (v.IsDelim('/') || before.IsDelim('/')) && !joins
}

// single returns what is shorter than a value and means the same, if there is
// such a thing.
func single(v *ast.Value, in place) (with ast.Value, changed bool) {
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
			return with, false // what it stands for may be read as an exponent
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

// text returns v with another text, if that is shorter or as long.
func text(v *ast.Value, with string) (short ast.Value, changed bool) {
	if with == v.Text || len(with) > len(v.Text) {
		return short, false
	}
	short = *v
	short.Text = with
	return short, true
}

// isShort reports whether a number is plainly as short as it can be: digits
// without a sign, a leading zero, a fraction or an exponent.
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

// number shortens a number. A sign is dropped only where white space parts
// the number from what is before it. If keepFraction is set, a number with a
// fraction keeps one, since a whole number would be of another type (CSS
// Values 4, section 5.2): z-index: 1.0 is invalid, and must stay so.
func number(s string, keepFraction, parted bool) string {
	sign := ""
	if s[0] == '+' || s[0] == '-' {
		sign, s = s[:1], s[1:]
		if sign == "+" && parted {
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

// quoted writes a string in double quotes where that is not longer.
func quoted(s string) string {
	if s[0] == '"' || strings.ContainsAny(s, "\"\\") {
		return s
	}
	return `"` + s[1:len(s)-1] + `"`
}

// takesColors reports whether the arguments of a function may be colours wherever the
// function itself may stand for a colour or an image, by its name in lower case.
func takesColors(function string) bool {
	_, standard := token.SplitVendor(function)
	return known.Function(standard).Color
}

func kindOf(color string) token.Kind {
	if color[0] == '#' {
		return token.Hash
	}
	return token.Ident
}

// placeOf says how the values of a property, in lower case, are read.
func placeOf(property string) place {
	v := known.Property(property)
	return place{color: v.TakesOnlyColors(), number: v.Fractions}
}

func words(s string) map[string]bool {
	set := make(map[string]bool)
	for _, w := range strings.Fields(s) {
		set[w] = true
	}
	return set
}

func function(v *ast.Value, in place) (with ast.Value, changed bool) {
	name := token.Lower(v.Name())
	if name == "url" {
		return unquote(v)
	}
	if in.color {
		if short, ok := value.Shortest(v, in.mixed); ok {
			if short.Inner != nil {
				if inner, ok := within(&short, place{number: true}); ok {
					short = inner
				}
			}
			return short, true
		}
	}
	inner := place{
		color:  in.color && takesColors(name),
		number: known.Function(name).Fractions,
		mixed:  in.mixed || name == "color-mix",
		math:   in.math || value.IsMath(v) || name == "calc-size",
	}
	return within(v, inner)
}

// brackets shortens what stands in parentheses that belong to no function.
func brackets(v *ast.Value, in place) (with ast.Value, changed bool) {
	return within(v, place{math: in.math})
}

func within(v *ast.Value, in place) (with ast.Value, changed bool) {
	list, changed := values(v.Inner.Values, in)
	if !changed {
		return with, false
	}
	return withArgs(v, list), true
}

// withArgs returns v with other values in its brackets.
func withArgs(v *ast.Value, args []ast.Value) ast.Value {
	with := *v
	with.Inner = &ast.Inner{Values: args, Close: v.Inner.Close}
	return with
}

// unquote turns url("x") into url(x) where the address allows it.
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

// prelude shortens the values before the block of an at-rule.
func prelude(name string, list []ast.Value) ([]ast.Value, bool) {
	if !featureRules[name] {
		return list, false
	}
	return features(list)
}

// features shortens the tests in brackets among values, at any depth of
// brackets. The arguments of functions are not ours to judge.
func features(list []ast.Value) ([]ast.Value, bool) {
	return ast.MapList(list, func(_ int, v *ast.Value) (with ast.Value, changed bool) {
		if v.Kind != token.LParen {
			return with, false
		}
		return feature(v)
	})
}

// feature drops the white space around the colon in (name: value).
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

// selectors shortens a selector list.
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

// arguments takes the quotes off an attribute value and shortens the
// selectors within a pseudo-class.
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
