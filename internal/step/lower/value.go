package lower

import (
	"math"
	"slices"
	"strconv"
	"strings"

	"rinzel/internal/browsers"
	"rinzel/internal/css/ast"
	"rinzel/internal/css/token"
	"rinzel/internal/css/value"
)

// This file rewrites values in equivalent forms that every browser supports, so
// that no fallback is needed.

// The features of these values.
const (
	clampFunction  = "css.types.clamp"
	maxFunction    = "css.types.max"
	hexWithAlpha   = "css.types.color.rgb_hexadecimal_notation.alpha_hexadecimal_notation"
	hwbFunction    = "css.types.color.hwb"
	systemFont     = "css.properties.font-family.system-ui"
	spacedRGB      = "css.types.color.rgb.space_separated_parameters"
	spacedHSL      = "css.types.color.hsl.space_separated_parameters"
	doublePosition = ".doubleposition" // suffix of the feature of a gradient
)

// gradients are the functions whose stops may have two positions (CSS Images 4,
// section 3.5.1), with the features of these.
var gradients = map[string]string{
	"linear-gradient":           "css.types.gradient.linear-gradient" + doublePosition,
	"repeating-linear-gradient": "css.types.gradient.linear-gradient" + doublePosition,
	"radial-gradient":           "css.types.gradient.radial-gradient" + doublePosition,
	"repeating-radial-gradient": "css.types.gradient.radial-gradient" + doublePosition,
	"conic-gradient":            "css.types.gradient.conic-gradient" + doublePosition,
	"repeating-conic-gradient":  "css.types.gradient.conic-gradient" + doublePosition,
}

// valueFeatures are the features that this rewrite is for.
var valueFeatures = []string{
	clampFunction, hexWithAlpha, hwbFunction, systemFont, spacedRGB, spacedHSL, "css.types.gradient.linear-gradient" +
		doublePosition,
	"css.types.gradient.radial-gradient" + doublePosition, "css.types.gradient.conic-gradient" + doublePosition,
}

// values returns the rewrite of values.
func (l *lowering) values() func(*ast.Declaration, site) []ast.Node {
	r := &valueRewriter{lowering: l, gradients: make(map[string]bool)}
	for name, feature := range gradients {
		r.gradients[name] = l.needed(feature)
	}
	r.clamp = l.needed(clampFunction) && len(l.Targets.Unsupported(maxFunction)) == 0
	r.hex, r.hwb, r.rgb, r.hsl = l.needed(hexWithAlpha), l.needed(hwbFunction), l.needed(spacedRGB), l.needed(spacedHSL)
	fonts := l.needed(systemFont)
	return func(d *ast.Declaration, at site) []ast.Node {
		r.custom = d.IsCustom()
		values, changed := ast.MapValues(d.Value, r.rewrite)
		if fonts && !at.descriptors && (token.EqualFold(d.Name, "font") || token.EqualFold(d.Name, "font-family")) {
			if named, ok := systemFonts(values); ok {
				values, changed = named, true
			}
		}
		if !changed {
			return nil
		}
		copied := *d
		copied.Value = values
		return []ast.Node{&copied}
	}
}

// valueRewriter is the rewrite for the targets.
type valueRewriter struct {
	*lowering
	gradients                 map[string]bool // those whose stops may only have one position in some target
	clamp, hex, hwb, rgb, hsl bool
	custom                    bool // the value of a custom property, where a hash may be anything
}

// rewrite rewrites a value and its arguments.
func (r *valueRewriter) rewrite(v *ast.Value) (with ast.Value, changed bool) {
	switch v.Kind {
	case token.Hash:
		if r.hex && !r.custom && (len(v.Text) == 5 || len(v.Text) == 9) {
			return withoutAlphaDigits(v)
		}
	case token.Function:
		return r.function(v)
	}
	return with, false
}

// function rewrites a function.
func (r *valueRewriter) function(v *ast.Value) (with ast.Value, changed bool) {
	name := token.Lower(v.Name())
	switch {
	case r.clamp && name == "clamp":
		with, changed = clamped(v)
	case r.hwb && name == "hwb":
		return inBytes(v)
	case r.rgb && (name == "rgb" || name == "rgba"), r.hsl && (name == "hsl" || name == "hsla"):
		return withCommas(v, name[:3])
	case r.gradients[name]:
		with, changed = singleStops(v)
	}
	if !changed {
		return with, false
	}
	// The arguments of a rewritten function have not been visited yet.
	if inner, ok := ast.MapValues(with.Inner.Values, r.rewrite); ok {
		with.Inner = &ast.Inner{Values: inner, Close: with.Inner.Close}
	}
	return with, true
}

// withoutAlphaDigits returns a colour with four or eight digits as rgba().
// Three decimals distinguish all bytes of alpha.
func withoutAlphaDigits(v *ast.Value) (with ast.Value, ok bool) {
	c, ok := value.ColorOf(v)
	if !ok {
		return with, false
	}
	var args []ast.Value
	for _, x := range c.Channels {
		args = append(args, number(math.Round(x*255), v), ast.Value{Kind: token.Comma, Text: ",", Pos: v.Pos})
	}
	return call("rgba", append(args, number(math.Round(c.Alpha*1000)/1000, v)), v), true
}

// number returns a number with the position of another value.
func number(n float64, at *ast.Value) ast.Value {
	return ast.Value{Kind: token.Number, Text: strconv.FormatFloat(n, 'f', -1, 64), Pos: at.Pos}
}

// inBytes returns a colour in the oldest supported syntax.
func inBytes(v *ast.Value) (with ast.Value, ok bool) {
	c, ok := value.ColorOf(v)
	if !ok || isRelative(v) {
		return with, false
	}
	return bytesOf(c, v), true
}

// bytesOf returns an sRGB colour in the oldest supported syntax.
func bytesOf(c value.Color, at *ast.Value) ast.Value {
	out := c.Mapped().Value(at)
	if out.Kind == token.Hash && (len(out.Text) == 5 || len(out.Text) == 9) {
		out, _ = withoutAlphaDigits(&out)
	}
	return out
}

// clamped returns clamp(a, b, c) as max(a, min(b, c)) (CSS Values 4, section
// 10.2.1).
func clamped(v *ast.Value) (with ast.Value, ok bool) {
	args := ast.SplitAt(ast.Significant(v.Values()), token.Comma)
	if len(args) != 3 || slices.ContainsFunc(args, func(a []ast.Value) bool { return len(a) == 0 }) {
		return with, false
	}
	comma := ast.Value{Kind: token.Comma, Text: ",", Pos: v.Pos}
	inner := args[1]
	if !isNone(args[2]) {
		inner = []ast.Value{call("min", slices.Concat(args[1], []ast.Value{comma}, args[2]), &args[1][0])}
	}
	switch {
	case isNone(args[0]) && isNone(args[2]):
		return call("calc", inner, v), true
	case isNone(args[0]):
		inner[0].Space = v.Space
		return inner[0], true
	}
	return call("max", slices.Concat(args[0], []ast.Value{comma}, inner), v), true
}

// isNone reports whether an argument is none.
func isNone(arg []ast.Value) bool { return len(arg) == 1 && arg[0].IsIdent("none") }

// withCommas returns rgb() or hsl() in the syntax before CSS Color 4: as bytes
// if the colour is known, otherwise with commas if only its alpha is unknown.
func withCommas(v *ast.Value, name string) (with ast.Value, ok bool) {
	args := ast.Significant(v.Values())
	if isRelative(v) || slices.ContainsFunc(args, func(a ast.Value) bool { return a.Kind == token.Comma }) {
		return with, false
	}
	if with, ok := inBytes(v); ok {
		return with, true
	}
	if len(args) != 5 || !args[3].IsDelim('/') || !isOldForm(args, name) {
		return with, false
	}
	comma := ast.Value{Kind: token.Comma, Text: ",", Pos: v.Pos}
	var out []ast.Value
	for i, a := range args {
		if i > 0 && i != 3 {
			out = append(out, comma)
		}
		if i != 3 {
			a.Space = false
			out = append(out, a)
		}
	}
	return call(name+"a", out, v), true
}

// isOldForm reports whether the channels of rgb() or hsl() have the types of
// the legacy syntax: three numbers or three percentages for rgb(), a number and
// two percentages for hsl().
func isOldForm(args []ast.Value, name string) bool {
	var kinds [3]token.Kind
	for i := range kinds {
		kinds[i] = args[i].Kind
	}
	n, p := token.Number, token.Percentage
	switch name {
	case "rgb":
		return kinds == [3]token.Kind{n, n, n} || kinds == [3]token.Kind{p, p, p}
	case "hsl":
		return kinds == [3]token.Kind{n, p, p}
	}
	return true
}

// singleStops returns a gradient with each colour stop with two positions as
// two stops.
func singleStops(v *ast.Value) (with ast.Value, ok bool) {
	var out []ast.Value
	for i, stop := range ast.SplitAt(v.Values(), token.Comma) {
		if i > 0 {
			out = append(out, ast.Value{Kind: token.Comma, Text: ",", Pos: v.Pos})
		}
		color, from, to, double := stopOf(ast.Significant(stop))
		if !double {
			out = append(out, stop...)
			continue
		}
		ok = true
		color.Space, from.Space, to.Space = false, true, true
		out = append(out, color, from, ast.Value{Kind: token.Comma, Text: ",", Pos: to.Pos}, color, to)
	}
	if !ok {
		return with, false
	}
	with = *v
	with.Inner = &ast.Inner{Values: out, Close: v.Inner.Close}
	return with, true
}

// stopOf reads a colour stop with two positions. ok is false for anything else.
func stopOf(stop []ast.Value) (color, from, to ast.Value, ok bool) {
	if len(stop) != 3 {
		return color, from, to, false
	}
	places := make([]ast.Value, 0, 3)
	for i := range stop {
		v := &stop[i]
		if _, isNumber := value.Read(v); isNumber || value.IsMath(v) {
			places = append(places, *v)
		} else if isColor(v) {
			color, ok = *v, true
		}
	}
	if !ok || len(places) != 2 {
		return color, from, to, false
	}
	return color, places[0], places[1], true
}

// isColor reports whether a value is a colour, not a keyword of a shape.
func isColor(v *ast.Value) bool {
	if _, ok := value.ColorOf(v); ok || v.IsIdent("currentcolor") || v.IsFunction("var") {
		return true
	}
	return v.Kind == token.Function && browsers.Known(browsers.Color(token.Lower(v.Name())))
}

// systemNames are the names of the system font where system-ui is not
// supported: on macOS and iOS (from the browser data), Windows and Android.
var systemNames = []string{"-apple-system", `"Segoe UI"`, "Roboto"}

// systemFonts returns a font list with the legacy names of system-ui after it.
// ok is false if system-ui is not in the list, or the names are there already.
func systemFonts(values []ast.Value) (with []ast.Value, ok bool) {
	at := slices.IndexFunc(values, func(v ast.Value) bool { return v.IsIdent("system-ui") })
	if at < 0 || slices.ContainsFunc(values, func(v ast.Value) bool {
		return slices.ContainsFunc(systemNames,
			func(name string) bool { return strings.EqualFold(strings.Trim(name, `"`), strings.Trim(v.Text, `"'`)) })
	}) {
		return values, false
	}
	with = slices.Clone(values[:at+1])
	for _, name := range systemNames {
		kind := token.Ident
		if name[0] == '"' {
			kind = token.String
		}
		with = append(with, ast.Value{Kind: token.Comma, Text: ",", Pos: values[at].Pos},
			ast.Value{Kind: kind, Text: name, Pos: values[at].Pos})
	}
	return append(with, values[at+1:]...), true
}
