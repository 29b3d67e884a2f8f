package value

import (
	"math"
	"strings"

	"rinzel/internal/css/ast"
	"rinzel/internal/css/token"
)

// This file writes colours.

// shortNames are the colours whose name is shorter than their shortest
// hexadecimal notation, by that notation.
var shortNames = func() map[string]string {
	set := make(map[string]string)
	for name, hex := range named {
		hex = ShortHex("#" + hex)
		if have := set[hex]; len(name) < len(hex) && (have == "" || len(name) < len(have) || len(name) == len(have) && name < have) {
			set[hex] = name
		}
	}
	return set
}()

// ShortHex returns a colour in hexadecimal notation with as few digits, in
// lower case, without changing whether it has an alpha channel. What is no
// such notation is returned as it is.
func ShortHex(s string) string {
	if _, ok := hexColor(s[1:]); !ok {
		return s
	}
	s = strings.ToLower(s)
	if len(s) != 7 && len(s) != 9 {
		return s
	}
	short := make([]byte, 1, 5)
	short[0] = '#'
	for i := 1; i < len(s); i += 2 {
		if s[i] != s[i+1] {
			return s
		}
		short = append(short, s[i])
	}
	return string(short)
}

// ShortColor returns the shortest way to write a colour that is a name or in
// hexadecimal notation. What is neither is returned as it is.
func ShortColor(s string) string {
	short := s
	if s[0] == '#' {
		short = ShortHex(s)
	} else if hex, ok := named[token.Lower(s)]; ok {
		short = ShortHex("#" + hex)
	}
	if name, ok := shortNames[short]; ok {
		short = name
	}
	if len(short) >= len(s) && s[0] != '#' {
		return s
	}
	return short
}

// Shortest returns the shortest value that a browser reads as the same
// colour, of one that is known and written in a form from before CSS Color 4:
// rgb(255 0 0) becomes red. ok is false for all others, and where nothing is
// shorter. If exact is set, the colour is worked with further, and what would
// be rounded to bytes is left.
func Shortest(v *ast.Value, exact bool) (with ast.Value, ok bool) {
	c, ok := ColorOf(v)
	if !ok || !c.Legacy || v.Kind != token.Function || exact && !c.isBytes() {
		return with, false
	}
	with = c.Value(v)
	if with.Kind == token.Function && len(compact(&with)) >= len(compact(v)) {
		return with, false
	}
	return with, true
}

// Value returns the colour as a value in the place of another: a colour from
// before CSS Color 4 in hexadecimal notation or by its name, any other in the
// function of its space.
func (c Color) Value(at *ast.Value) ast.Value {
	w := writer{at: at}
	out := ast.Value{}
	if hex, ok := c.hex(); ok {
		kind := token.Hash
		hex = ShortColor(hex)
		if hex[0] != '#' {
			kind = token.Ident
		}
		out = w.token(kind, hex, at.Space)
		return out
	}
	info := spaceInfos[c.Space]
	name := "color("
	var values []ast.Value
	switch {
	case c.Space == SRGB && c.Legacy:
		return c.commas(w, at.Space)
	case info.own:
		name = info.name + "("
	default:
		values = append(values, w.token(token.Ident, info.name, false))
	}
	for i, x := range c.Channels {
		values = append(values, w.channel(x, info.scale[i], c.Missing[i], len(values) > 0))
	}
	if c.Alpha != 1 || c.Missing[3] {
		values = append(values, w.token(token.Delim, "/", true), w.channel(c.Alpha, 1, c.Missing[3], true))
	}
	return w.nested(token.Function, name, values, at.Space)
}

// commas writes a colour in the form of rgba() that every browser reads.
func (c Color) commas(w writer, space bool) ast.Value {
	var values []ast.Value
	for _, x := range c.Channels {
		values = append(values, w.number(Number{Value: math.Round(float64(float32(x) * 255))}, false), w.token(token.Comma, ",", false))
	}
	values = append(values, w.number(Number{Value: c.Alpha}, false))
	return w.nested(token.Function, "rgba(", values, space)
}

// channel writes a channel. whole is what 100% is of it, or 0 for a hue: it is
// written to the millionth of that, far below what any screen shows.
func (w writer) channel(x, whole float64, missing, space bool) ast.Value {
	if missing {
		return w.token(token.Ident, "none", space)
	}
	decimals := 1e6
	switch {
	case whole == 0:
		decimals = 1e3
	case whole > 1:
		decimals = 1e4
	}
	return w.token(token.Number, w.digits.text(math.Round(x*decimals)/decimals), space)
}

// Hex returns an opaque colour of sRGB in hexadecimal notation. ok is false for all others.
func (c Color) Hex() (string, bool) {
	if !c.InGamut(SRGB) || c.Alpha != 1 {
		return "", false
	}
	rgb := c.to(SRGB)
	rgb.Legacy, rgb.Missing = true, [4]bool{}
	return rgb.hex()
}

// Mixed returns a mix of a colour with transparent that leaves alpha, from 0 to 1, of it.
func Mixed(v *ast.Value, alpha float64) ast.Value {
	w := writer{at: v}
	color := *v
	color.Space = false
	return w.nested(token.Function, "color-mix(", []ast.Value{
		w.token(token.Ident, "in", false), w.token(token.Ident, "srgb", true), w.token(token.Comma, ",", false),
		color, w.number(Number{alpha * 100, "%"}, true), w.token(token.Comma, ",", false), w.token(token.Ident, "transparent", false),
	}, v.Space)
}

// hex returns a colour from before CSS Color 4 in hexadecimal notation. ok is
// false if it is none, or its alpha is no whole number of 255ths.
func (c Color) hex() (string, bool) {
	if !c.Legacy || c.Space != SRGB || c.Missing != [4]bool{} {
		return "", false
	}
	const digits = "0123456789abcdef"
	out := append(make([]byte, 0, 9), '#')
	for i, x := range [4]float64{c.Channels[0], c.Channels[1], c.Channels[2], c.Alpha} {
		n := math.Round(float64(float32(x) * 255)) // in single precision, as browsers do
		if i == 3 && math.Abs(n-x*255) > 1e-9 {
			return "", false
		}
		out = append(out, digits[int(n)>>4], digits[int(n)&15])
	}
	if c.Alpha == 1 {
		out = out[:7]
	}
	return string(out), true
}

// isBytes reports whether the channels are whole numbers of 255ths.
func (c Color) isBytes() bool {
	for _, x := range c.Channels {
		if math.Abs(x*255-math.Round(x*255)) > 1e-9 {
			return false
		}
	}
	return true
}

// FoldColor returns what a mix, a relative or a contrasting colour comes to. ok
// is false if v is none of them, or only a browser knows.
func FoldColor(v *ast.Value) (with ast.Value, ok bool) {
	if v.Kind != token.Function {
		return with, false
	}
	values := ast.Significant(v.Values())
	if !v.IsFunction("color-mix") && !v.IsFunction("contrast-color") && (len(values) == 0 || !values[0].IsIdent("from")) {
		return with, false
	}
	c, ok := ColorOf(v)
	if !ok {
		return with, false
	}
	return c.Value(v), true
}
