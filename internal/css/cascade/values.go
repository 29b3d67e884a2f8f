package cascade

import (
	"math"
	"slices"
	"strconv"
	"strings"

	"rinzel/internal/css/ast"
	"rinzel/internal/css/grammar"
	"rinzel/internal/css/known"
	"rinzel/internal/css/print"
	"rinzel/internal/css/token"
	"rinzel/internal/css/value"
)

// This file writes values in a form in which equal ones have the same text.

// valueContext is what may be assumed about a value because of where it is.
type valueContext struct {
	property string // in lower case; empty for preludes and descriptors
	defined  bool   // a specification defines the property
	color    bool   // colours are allowed, and every hash and name of a colour is one
	names    bool   // keywords may be names of the author, whose case matters
	zero     bool   // 0 is a length
	angle    bool   // 0 is an angle
	math     bool   // in a calculation
	mixed    bool   // a colour is an intermediate result
}

// contextOf returns the context of the values of a property in lower case.
func contextOf(property string) valueContext {
	facts := known.Property(property)
	c := valueContext{property: property, color: facts.TakesOnlyColors(), names: facts.Names}
	if _, c.defined = grammar.Property(property); c.defined {
		c.zero = !facts.Fractions && facts.Low == 0 && facts.High == 0
	}
	return c
}

// textOf returns values as text.
func textOf(values []ast.Value, c valueContext) string {
	var b strings.Builder
	writeValues(&b, ast.Significant(values), c)
	return b.String()
}

// writeValues writes values without comments.
func writeValues(b *strings.Builder, values []ast.Value, c valueContext) {
	for i := range values {
		v := &values[i]
		if i > 0 && v.Space && !isTight(&values[i-1], c) && !isTight(v, c) {
			b.WriteByte(' ')
		}
		writeValue(b, v, c)
	}
}

// isTight reports whether white space next to v does not matter.
func isTight(v *ast.Value, c valueContext) bool { return v.IsDelim('/') || c.math && v.IsDelim('*') }

// writeValue writes one value.
func writeValue(b *strings.Builder, v *ast.Value, c valueContext) {
	if c.color {
		if text, ok := colorText(v, c.mixed); ok {
			b.WriteString(text)
			return
		}
	}
	switch v.Kind {
	case token.Number, token.Percentage, token.Dimension:
		b.WriteString(numberText(v, c))
	case token.String:
		b.WriteString(token.Quote(token.StringValue(v.Text)))
	case token.URL:
		b.WriteString("url(" + token.Quote(token.URLValue(v.Text)) + ")")
	case token.Hash:
		b.WriteString(v.Text)
	case token.Ident:
		if c.defined && !c.names {
			b.WriteString(token.Lower(v.Text))
		} else { // the case of a name matters
			b.WriteString(v.Text)
		}
	case token.Function:
		writeFunction(b, v, c)
	default:
		b.WriteString(v.Text)
		if v.Inner != nil {
			writeValues(b, ast.Significant(v.Inner.Values), valueContext{property: c.property, math: c.math})
			b.WriteString(closing(v.Text))
		}
	}
}

// writeFunction writes a function.
func writeFunction(b *strings.Builder, v *ast.Value, c valueContext) {
	name := token.Lower(v.Name())
	if c.defined && !c.math && value.IsMath(v) {
		if folded, ok, err := value.Fold(v, value.ContextOf(c.property)); ok && err == nil {
			if v = &folded; folded.Kind != token.Function {
				writeValue(b, v, c)
				return
			}
			name = token.Lower(v.Name())
		}
	}
	if ast.IsCustomName(v.Text) {
		b.WriteString(v.Text)
	} else {
		b.WriteString(name + "(")
	}
	args := ast.Significant(v.Inner.Values)
	if c.defined && strings.HasSuffix(name, "linear-gradient") && name[0] != '-' {
		args = withoutDefaultDirection(args)
	}
	writeValues(b, args, c.inside(v, name))
	b.WriteByte(')')
}

// inside returns the context of the arguments of a function, given with its name
// in lower case.
func (c valueContext) inside(v *ast.Value, name string) valueContext {
	in := valueContext{property: c.property, defined: c.defined, names: true}
	if known.Substitutes(name) {
		return in
	}
	_, standard := token.SplitVendor(name)
	in.color = c.color && known.Function(standard).Color
	in.zero = c.defined && known.ZeroLength(name)
	in.angle = c.defined && known.ZeroAngle(name)
	in.math = c.math || value.IsMath(v) || name == "calc-size"
	in.mixed = c.mixed || name == "color-mix"
	return in
}

// withoutDefaultDirection returns the arguments of a linear gradient without "to
// bottom" (CSS Images 3, section 3.1.1).
func withoutDefaultDirection(args []ast.Value) []ast.Value {
	if len(args) < 4 || !args[0].IsIdent("to") || !args[1].IsIdent("bottom") || args[2].Kind != token.Comma {
		return args
	}
	rest := slices.Clone(args[3:])
	rest[0].Space = false
	return rest
}

// colorText returns a colour as its channels, as far as it is known. In legacy
// colours that are results, browsers round channels to bytes.
func colorText(v *ast.Value, mixed bool) (text string, ok bool) {
	c, ok := value.ColorOf(v)
	if !ok || !c.Legacy || c.Space != value.SRGB || c.Missing != [4]bool{} {
		return "", false
	}
	if v.Kind == token.Function && !known.ColorFunction(token.Lower(v.Name())) {
		return "", false
	}
	out := []byte("color(")
	for _, x := range c.Channels {
		n := float64(float32(x) * 255) // in single precision, like browsers
		if !mixed {
			n = math.Round(n)
		}
		out = append(strconv.AppendFloat(out, n, 'g', 9, 64), ' ')
	}
	return string(append(strconv.AppendFloat(out, c.Alpha, 'g', 6, 64), ')')), true
}

// numberText returns a number in one form. A whole number with a fraction or
// exponent keeps its own: it is no integer (CSS Values 4, section 5.2).
func numberText(v *ast.Value, c valueContext) string {
	n, ok := value.Read(v)
	if !ok {
		return token.Lower(v.Text)
	}
	if n.Unit == "" && n.Value == math.Trunc(n.Value) && strings.ContainsAny(v.Text, ".eE") &&
		!known.Property(c.property).Fractions && c.property != "" {
		return token.Lower(v.Text)
	}
	if n.Value == 0 && !c.math &&
		(c.zero && value.Measures(n.Unit) == "length" || c.angle && value.Measures(n.Unit) == "angle") {
		return "0"
	}
	if n.Unit == "ms" && c.defined {
		n = value.Number{Value: math.Round(n.Value*1e9) / 1e12, Unit: "s"}
	}
	return strconv.FormatFloat(n.Value, 'g', 12, 64) + n.Unit
}

// closing returns the bracket that closes a block.
func closing(open string) string {
	switch open[len(open)-1] {
	case '[':
		return "]"
	case '{':
		return "}"
	}
	return ")"
}

// preludeText returns the prelude of an at-rule as text.
func preludeText(values []ast.Value) string {
	var b strings.Builder
	values = ast.Significant(values)
	for i := range values {
		v := &values[i]
		if i > 0 && v.Space && v.Kind != token.Colon && values[i-1].Kind != token.Colon && !isComparison(v) &&
			!isComparison(&values[i-1]) {
			b.WriteByte(' ')
		}
		if v.Kind == token.LParen {
			b.WriteString("(" + preludeText(v.Inner.Values) + ")")
			continue
		}
		b.WriteString(textOf(values[i:i+1], valueContext{}))
	}
	return b.String()
}

// isComparison reports whether v is part of a comparison in a media query.
func isComparison(v *ast.Value) bool { return v.IsDelim('<') || v.IsDelim('>') || v.IsDelim('=') }

// customText returns the value of a custom property, which scripts can read.
func customText(d *ast.Declaration) string { return print.Values(d.Value) }
