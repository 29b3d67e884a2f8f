package minify

import (
	"slices"
	"strings"

	"rinzel/internal/css/accept"
	"rinzel/internal/css/ast"
	"rinzel/internal/css/grammar"
	"rinzel/internal/css/known"
	"rinzel/internal/css/token"
	"rinzel/internal/css/value"
)

// This file shortens tokens: numbers, colours, strings, URLs, and white space
// between them.

// valueContext is the context of a value.
type valueContext struct {
	color  bool // a colour is allowed here
	number bool // a number may lose its fraction
	math   bool // inside calc() or similar: white space may be significant
	mixed  bool // a colour here is an intermediate result
	alpha  bool // browsers know hexadecimal colours with alpha
	to     bool // browsers know directions of gradients that start with to
	zero   bool // a length of zero needs no unit
	angle  bool // an angle of zero needs no unit
	units  bool // a unit may be replaced by another one
}

// declaration minifies a declaration.
func (m *minifier) declaration(d *ast.Declaration) ast.Edit {
	if d.IsCustom() || m.isFrozen(d) {
		return ast.Keep
	}
	n := m.written.Number(d)
	if n < len(m.minimal) && m.minimal[n] {
		return ast.Keep
	}
	edit := m.shorterDeclaration(d)
	if n == len(m.minimal) {
		m.minimal = append(m.minimal, !edit.Changed())
	}
	return edit
}

// shorterDeclaration shortens a declaration.
func (m *minifier) shorterDeclaration(d *ast.Declaration) ast.Edit {
	name := token.Lower(d.Name)
	if slices.ContainsFunc(d.Value, func(v ast.Value) bool {
		return v.Kind == token.Colon && strings.HasSuffix(name, "filter") ||
			v.Kind == token.Ident && strings.IndexByte(v.Text, '\\') >= 0
	}) {
		return ast.Keep // filters of old browsers with a grammar of their own, and declarations that only those accept
	}
	list, changed := values(d.Value, m.contextOf(name))
	if short, ok := m.rewritten(name, list); ok {
		list, changed = short, true
	}
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
		if v.Space && tightens(list, i, in.math) {
			if !changed {
				with, changed = *v, true
			}
			with.Space = false
		}
		return with, changed
	})
}

// tightens reports whether the white space before the value at i is
// insignificant: next to a slash, as in font and border-radius, and next to an
// asterisk in calculations. Comments are ignored, because they are not printed.
func tightens(list []ast.Value, i int, math bool) bool {
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
	return (v.IsDelim('/') || before.IsDelim('/') || math && (v.IsDelim('*') || before.IsDelim('*'))) && !joins
}

// single returns a shorter value with the same meaning, if there is one.
func single(v *ast.Value, in valueContext) (with ast.Value, changed bool) {
	switch v.Kind {
	case token.Number, token.Percentage, token.Dimension:
		if isShort(v.Text) && v.Text[len(v.Text)-1]|0x20 != 's' { // times may be shorter in another unit
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
		return dimension(v, n, in)
	case token.Hash, token.Ident:
		if !in.color {
			return with, false
		}
		short := value.ShortColor(v.Text)
		if in.alpha && v.IsIdent("transparent") {
			short = "#0000"
		}
		if short != v.Text {
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

// dimension shortens a number with a unit; n is the length of the number.
func dimension(v *ast.Value, n int, in valueContext) (with ast.Value, changed bool) {
	digits, unit := number(v.Text[:n], false, v.Space), token.Lower(v.Text[n:])
	short := digits + v.Text[n:]
	if strings.Trim(digits, "+-0.") == "" && !in.math &&
		(in.zero && value.Measures(unit) == "length" || in.angle && value.Measures(unit) == "angle") {
		with = *v
		with.Kind, with.Text = token.Number, "0"
		return with, true
	}
	if in.units && (unit == "ms" || unit == "s") {
		short = shorterTime(digits, unit, short)
	}
	return text(v, short)
}

// shorterTime returns a time in the other unit if that is shorter.
func shorterTime(digits, unit, text string) string {
	if strings.Contains(digits, "e") {
		return text
	}
	by, other := 3, "ms"
	if unit == "ms" {
		by, other = -3, "s"
	}
	if short := number(shifted(digits, by), false, true) + other; len(short) < len(text) {
		return short
	}
	return text
}

// shifted returns a number with its point moved to the right by a number of
// digits.
func shifted(digits string, by int) string {
	sign := ""
	if digits[0] == '+' || digits[0] == '-' {
		sign, digits = digits[:1], digits[1:]
	}
	whole, fraction, _ := strings.Cut(digits, ".")
	at := len(whole) + by
	all := whole + fraction
	if at < 0 {
		all, at = strings.Repeat("0", -at)+all, 0
	}
	if at > len(all) {
		all += strings.Repeat("0", at-len(all))
	}
	return sign + all[:at] + "." + all[at:]
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
func (m *minifier) contextOf(property string) valueContext {
	v := known.Property(property)
	in := valueContext{color: v.TakesOnlyColors(), number: v.Fractions, alpha: m.accept.Feature(accept.AlphaHex),
		to: m.accept.Feature(accept.GradientTo)}
	if _, ok := grammar.Property(property); ok {
		in.units = true
		// Where numbers are allowed, 0 and 0px are different.
		in.zero = !v.Fractions && v.Low == 0 && v.High == 0
	}
	return in
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
		if short, ok := shortColor(v, in); ok {
			return short, true
		}
	}
	with, changed = inside(v, in.inside(v, name))
	if in.color && in.to && strings.HasSuffix(name, "linear-gradient") && name[0] != '-' {
		return gradient(v, with, changed)
	}
	return with, changed
}

// inside returns the context of the arguments of a function, given with its name
// in lower case.
func (in valueContext) inside(v *ast.Value, name string) valueContext {
	return valueContext{
		color:  in.color && takesColors(name),
		number: known.Function(name).Fractions,
		mixed:  in.mixed || name == "color-mix",
		math:   in.math && !known.Substitutes(name) || value.IsMath(v) || name == "calc-size",
		alpha:  in.alpha,
		to:     in.to,
		zero:   in.units && known.ZeroLength(name),
		angle:  in.units && known.ZeroAngle(name),
		units:  in.units && !known.Substitutes(name),
	}
}

// gradient minifies a linear gradient, of which the arguments are minified
// already if changed is set.
func gradient(v *ast.Value, with ast.Value, changed bool) (ast.Value, bool) {
	if !changed {
		with = *v
	}
	if list, ok := withoutDefaultDirection(with.Inner.Values); ok {
		return withArgs(&with, list), true
	}
	return with, changed
}

// withoutDefaultDirection returns the arguments of a linear gradient without "to
// bottom" (CSS Images 3, section 3.1.1). ok is false if they do not start with
// that.
func withoutDefaultDirection(args []ast.Value) (rest []ast.Value, ok bool) {
	if len(args) < 4 || !args[0].IsIdent("to") || !args[1].IsIdent("bottom") || args[2].Kind != token.Comma {
		return args, false
	}
	rest = slices.Clone(args[3:])
	rest[0].Space = false
	return rest, true
}

// shortColor returns the shortest form of a colour function.
func shortColor(v *ast.Value, in valueContext) (short ast.Value, ok bool) {
	short, ok = value.Shortest(v, in.mixed)
	if ok && !in.alpha && short.Text == "#0000" {
		short.Kind, short.Text = token.Ident, "transparent"
	}
	if !ok || !in.alpha && hasAlpha(&short) {
		return short, false
	}
	if short.Inner != nil {
		if inner, ok := inside(&short, valueContext{number: true}); ok {
			short = inner
		}
	}
	return short, true
}

// hasAlpha reports whether v is a hexadecimal colour with alpha.
func hasAlpha(v *ast.Value) bool {
	return v.Kind == token.Hash && (len(v.Text) == 5 || len(v.Text) == 9)
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
