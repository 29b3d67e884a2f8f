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
		if have := set[hex]; len(name) < len(hex) &&
			(have == "" || len(name) < len(have) || len(name) == len(have) && name < have) {
			set[hex] = name
		}
	}
	return set
}()

// ShortHex shortens a colour in hexadecimal notation, in lower case, without
// adding or removing alpha. Other text is returned unchanged.
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

// ShortColor returns the shortest notation of a colour that is a name or
// hexadecimal. Other text is returned unchanged.
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

// Shortest returns the shortest value for a colour in a legacy notation:
// rgb(255 0 0) becomes red. ok is false for other values, and if nothing is
// shorter. exact must be set if the colour is an intermediate result: then
// colours that would be rounded to bytes are left unchanged.
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

// Value returns the colour as a value that replaces at: a legacy colour as
// hexadecimal or by name, others in the function of their space.
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

// commas writes a colour in the legacy syntax of rgba(), which every browser
// supports.
func (c Color) commas(w writer, space bool) ast.Value {
	var values []ast.Value
	for _, x := range c.Channels {
		values = append(values, w.number(Number{Value: math.Round(float64(float32(x) * 255))}, false),
			w.token(token.Comma, ",", false))
	}
	values = append(values, w.number(Number{Value: c.Alpha}, false))
	return w.nested(token.Function, "rgba(", values, space)
}

// channel writes a channel with a precision of a millionth of whole, which is
// 100%, or 0 for a hue. That is far below what a screen can show.
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

// Hex returns an opaque sRGB colour in hexadecimal notation. ok is false for
// other colours.
func (c Color) Hex() (string, bool) {
	if !c.InGamut(SRGB) || c.Alpha != 1 {
		return "", false
	}
	rgb := c.to(SRGB)
	rgb.Legacy, rgb.Missing = true, [4]bool{}
	return rgb.hex()
}

// Mixed returns a colour mixed with transparent, so that its alpha is
// multiplied by alpha, from 0 to 1.
func Mixed(v *ast.Value, alpha float64) ast.Value {
	w := writer{at: v}
	color := *v
	color.Space = false
	return w.nested(token.Function, "color-mix(", []ast.Value{
		w.token(token.Ident, "in", false), w.token(token.Ident, "srgb", true), w.token(token.Comma, ",", false),
		color, w.number(Number{alpha * 100, "%"}, true), w.token(token.Comma, ",", false),
		w.token(token.Ident, "transparent", false),
	}, v.Space)
}

// hex returns a legacy colour in hexadecimal notation. ok is false if it is not
// a legacy colour, or if its alpha is not a multiple of 1/255.
func (c Color) hex() (string, bool) {
	if !c.Legacy || c.Space != SRGB || c.Missing != [4]bool{} {
		return "", false
	}
	const digits = "0123456789abcdef"
	out := append(make([]byte, 0, 9), '#')
	for i, x := range [4]float64{c.Channels[0], c.Channels[1], c.Channels[2], c.Alpha} {
		n := math.Round(float64(float32(x) * 255)) // in single precision, like browsers
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

// isBytes reports whether the channels are multiples of 1/255.
func (c Color) isBytes() bool {
	for _, x := range c.Channels {
		if math.Abs(x*255-math.Round(x*255)) > 1e-9 {
			return false
		}
	}
	return true
}

// FoldColor computes a mixed, relative or contrasting colour. ok is false if v
// is none of these, or if only browsers know the result.
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
