package value

import (
	"math"
	"strings"

	"rinzel/internal/css/ast"
	"rinzel/internal/css/token"
)

// Color is a colour with known channels (CSS Color 4 and 5).
type Color struct {
	Space    Space
	Channels [3]float64 // see [Space]; a missing channel is 0
	Alpha    float64    // from 0 to 1
	// Missing marks channels that are the keyword none; the fourth is alpha.
	Missing [4]bool
	// Legacy marks a colour in one of the notations from before CSS Color 4:
	// rgb(), hsl(), hwb(), hexadecimal and names. Browsers serialize its
	// channels as bytes, and mix two of them in sRGB by default.
	Legacy bool
}

// functionSpaces are the functions that are named after a colour space.
var functionSpaces = map[string]Space{
	"rgb": SRGB, "rgba": SRGB, "hsl": HSL, "hsla": HSL, "hwb": HWB, "lab": Lab, "lch": LCH, "oklab": Oklab, "oklch": Oklch,
}

// ColorOf returns the colour of a value. ok is false if the value is not a
// colour, or if only browsers know it: currentcolor, a system colour, one with
// var().
func ColorOf(v *ast.Value) (c Color, ok bool) {
	switch v.Kind {
	case token.Hash:
		return hexColor(v.Text[1:])
	case token.Ident:
		name := token.Lower(v.Text)
		if name == "transparent" {
			return Color{Legacy: true}, true
		}
		if hex, found := named[name]; found {
			return hexColor(hex)
		}
		return c, false
	case token.Function:
		switch name := token.Lower(v.Name()); name {
		case "color-mix":
			return mix(v)
		case "color":
			return colorFunction(v)
		case "alpha":
			return alphaFunction(v)
		case "contrast-color":
			return contrast(v)
		default:
			space, found := functionSpaces[name]
			if !found {
				return c, false
			}
			return spaceFunction(v, space)
		}
	}
	return c, false
}

// hexColor parses a colour in hexadecimal notation without the hash.
func hexColor(s string) (c Color, ok bool) {
	c = Color{Legacy: true, Alpha: 1}
	size := 2
	if len(s) == 3 || len(s) == 4 {
		size = 1
	} else if len(s) != 6 && len(s) != 8 {
		return Color{}, false
	}
	for i := 0; i*size < len(s); i++ {
		n := 0
		for _, d := range []byte(s[i*size : (i+1)*size]) {
			if !token.IsHex(d) {
				return Color{}, false
			}
			n = n*16 + strings.IndexByte("0123456789abcdef", d|0x20)
		}
		if size == 1 {
			n *= 17
		}
		if i < 3 {
			c.Channels[i] = float64(n) / 255
		} else {
			c.Alpha = float64(n) / 255
		}
	}
	return c, true
}

// channelArgs are the arguments of a colour function, after the space in
// color() and the origin of a relative colour.
type channelArgs struct {
	values [3]*ast.Value
	alpha  *ast.Value // nil if there is none
	commas bool
}

// channelArguments splits the arguments of a colour function: three channels,
// and optionally alpha after a slash or, in the legacy syntax, a comma.
func channelArguments(values []ast.Value) (args channelArgs, ok bool) {
	n, slash, commas := 0, false, 0
	for i := range values {
		v := &values[i]
		switch {
		case v.Kind == token.Comma:
			commas++
		case v.IsDelim('/') && n == 3 && !slash && commas == 0:
			slash = true
		case n < 3:
			args.values[n] = v
			n++
		case n == 3 && (slash || commas == 3):
			args.alpha = v
			n++
		default:
			return args, false
		}
	}
	args.commas = commas > 0
	complete := n == 3 && !slash && (commas == 0 || commas == 2) || n == 4 && (slash || commas == 3)
	return args, complete
}

// spaceFunction parses rgb(), hsl(), hwb(), lab(), lch(), oklab() and oklch().
func spaceFunction(v *ast.Value, space Space) (Color, bool) {
	values := ast.Significant(v.Values())
	origin, values, relative := takeOrigin(values)
	if relative && origin == nil {
		return Color{}, false
	}
	args, ok := channelArguments(values)
	if !ok || args.commas && (relative || space != SRGB && space != HSL) {
		return Color{}, false
	}
	info := spaceInfos[space]
	scale := info.scale
	unit := vector{1, 1, 1}
	if space == SRGB {
		unit = vector{255, 255, 255}
	}
	r := channelReader{info: info, scale: scale, unit: unit}
	if relative {
		r.from(origin.resolved(space))
	}
	c, ok := r.color(space, args)
	if !ok {
		return Color{}, false
	}
	if relative {
		return c.stored(), true
	}
	if space == SRGB || space == HSL || space == HWB {
		return c.legacy(args.commas), true
	}
	return c, true
}

// colorFunction parses color().
func colorFunction(v *ast.Value) (Color, bool) {
	values := ast.Significant(v.Values())
	origin, values, relative := takeOrigin(values)
	if relative && origin == nil || len(values) == 0 || values[0].Kind != token.Ident {
		return Color{}, false
	}
	space, ok := spaceNames[token.Lower(values[0].Text)]
	if !ok || spaceInfos[space].own {
		return Color{}, false
	}
	args, ok := channelArguments(values[1:])
	if !ok || args.commas {
		return Color{}, false
	}
	r := channelReader{info: spaceInfos[space], scale: spaceInfos[space].scale, unit: vector{1, 1, 1}}
	if relative {
		r.from(origin.resolved(space))
	}
	return r.color(space, args)
}

// alphaFunction parses alpha(), a colour with another alpha (CSS Color 5,
// section 5).
func alphaFunction(v *ast.Value) (Color, bool) {
	origin, values, relative := takeOrigin(ast.Significant(v.Values()))
	if !relative || origin == nil || len(values) != 2 || !values[0].IsDelim('/') {
		return Color{}, false
	}
	c := *origin
	r := channelReader{named: map[string]float64{"alpha": c.Alpha}, none: map[string]bool{"alpha": c.Missing[3]}}
	n, missing, ok := r.number(&values[1], 1)
	if !ok {
		return Color{}, false
	}
	c.Alpha, c.Missing[3] = math.Max(0, math.Min(1, n)), missing
	legacy := c.Legacy || c.Space == HSL || c.Space == HWB
	c = c.stored()
	if c.Legacy = legacy && !missing; c.Legacy {
		c.Missing = [4]bool{}
	}
	return c, true
}

// contrast parses contrast-color(): black or white, whichever has the higher
// contrast ratio (CSS Color 5, section 7; the ratio is that of the
// accessibility guidelines).
func contrast(v *ast.Value) (Color, bool) {
	values := ast.Significant(v.Values())
	if len(values) != 1 {
		return Color{}, false
	}
	c, ok := ColorOf(&values[0])
	if !ok {
		return Color{}, false
	}
	luminance := toD65(c.Space, c.Channels)[1]
	out := Color{Alpha: 1, Legacy: true}
	if 1.05/(luminance+0.05) >= (luminance+0.05)/0.05 {
		out.Channels = [3]float64{1, 1, 1}
	}
	return out, true
}

// takeOrigin takes the origin of a relative colour from the start of values. It
// is nil, with relative true, if only browsers know it.
func takeOrigin(values []ast.Value) (origin *Color, rest []ast.Value, relative bool) {
	if len(values) < 2 || !values[0].IsIdent("from") {
		return nil, values, false
	}
	if c, ok := ColorOf(&values[1]); ok {
		origin = &c
	}
	return origin, values[2:], true
}

// channelReader parses the channels of a colour.
type channelReader struct {
	info  spaceInfo
	scale [3]float64
	unit  vector             // value of 1 in each channel as a plain number
	named map[string]float64 // channels of the origin as numbers
	none  map[string]bool    // missing channels of the origin
	alpha float64            // of the origin
	isRel bool
}

// from sets the origin of a relative colour.
func (r *channelReader) from(origin Color) {
	r.isRel = true
	r.named, r.none = make(map[string]float64), make(map[string]bool)
	for i, name := range r.info.channels {
		r.named[name] = origin.Channels[i] * r.unit[i]
		r.none[name] = origin.Missing[i]
	}
	r.named["alpha"], r.none["alpha"] = origin.Alpha, origin.Missing[3]
	r.alpha = origin.Alpha
}

// color parses the channels of a colour in a space.
func (r *channelReader) color(space Space, args channelArgs) (Color, bool) {
	c := Color{Space: space, Alpha: 1}
	for i, v := range args.values {
		n, missing, ok := r.channel(v, i)
		if !ok || missing && args.commas {
			return Color{}, false
		}
		c.Channels[i], c.Missing[i] = n, missing
	}
	switch {
	case args.alpha != nil:
		n, missing, ok := r.number(args.alpha, 1)
		if !ok {
			return Color{}, false
		}
		c.Alpha, c.Missing[3] = math.Max(0, math.Min(1, n)), missing
	case r.isRel:
		c.Alpha, c.Missing[3] = r.alpha, r.none["alpha"]
	}
	return c.clamped(), true
}

// channel parses a channel.
func (r *channelReader) channel(v *ast.Value, i int) (n float64, missing, ok bool) {
	if i == r.info.hue {
		return r.hue(v)
	}
	n, missing, ok = r.number(v, r.scale[i]*r.unit[i])
	return n / r.unit[i], missing, ok
}

// number parses a number, or a percentage of whole.
func (r *channelReader) number(v *ast.Value, whole float64) (n float64, missing, ok bool) {
	if v.Kind == token.Ident {
		return r.keyword(v)
	}
	num, ok := Measure(v, r.named)
	switch {
	case !ok:
		return 0, false, false
	case num.Unit == "%":
		return num.Value / 100 * whole, false, true
	}
	return num.Value, false, num.Unit == ""
}

// hue parses a hue: a number of degrees or an angle.
func (r *channelReader) hue(v *ast.Value) (n float64, missing, ok bool) {
	if v.Kind == token.Ident {
		return r.keyword(v)
	}
	num, ok := Measure(v, r.named)
	if !ok {
		return 0, false, false
	}
	num, ok = num.resolved()
	return normalized(num.Value), false, ok && (num.Unit == "" || num.Unit == "deg")
}

// keyword parses none, or a channel of the origin.
func (r *channelReader) keyword(v *ast.Value) (n float64, missing, ok bool) {
	name := token.Lower(v.Text)
	if name == "none" {
		return 0, true, true
	}
	n, ok = r.named[name]
	return n, r.none[name], ok
}

// clamped returns the colour with bounded channels clamped (CSS Color 4,
// section 9.3).
func (c Color) clamped() Color {
	switch c.Space {
	case Lab, LCH, Oklab, Oklch:
		c.Channels[0] = math.Max(0, math.Min(spaceInfos[c.Space].scale[0], c.Channels[0]))
		if c.Space == LCH || c.Space == Oklch {
			c.Channels[1] = math.Max(0, c.Channels[1])
		}
	case HSL:
		c.Channels[1] = math.Max(0, c.Channels[1])
	}
	return c
}

// legacy returns a colour of rgb(), hsl() or hwb() as browsers store it:
// clamped to sRGB, unless a channel is missing.
func (c Color) legacy(commas bool) Color {
	if c.Missing != [4]bool{} && !commas {
		return c
	}
	rgb := c.to(SRGB)
	for i, x := range rgb.Channels {
		rgb.Channels[i] = math.Max(0, math.Min(1, x))
	}
	rgb.Missing = [4]bool{}
	rgb.Legacy = true
	return rgb
}

// stored returns a computed colour as browsers store it: HSL and HWB are
// notations for sRGB (CSS Color 4, section 15).
func (c Color) stored() Color {
	if c.Space == HSL || c.Space == HWB {
		c = c.to(SRGB)
		c.Missing = [4]bool{3: c.Missing[3]}
	}
	return c
}

// to converts the colour to another space. Missing channels stay missing if the
// other space has an analogous channel; the powerless hue of a grey becomes
// missing (CSS Color 4, sections 12.2 and 4.4).
func (c Color) to(space Space) Color {
	if c.Space == space {
		return c
	}
	out := Color{Space: space, Alpha: c.Alpha, Channels: convert(c.Channels, c.Space, space)}
	out.Missing[3] = c.Missing[3]
	for i := range 3 {
		if !c.Missing[i] {
			continue
		}
		for k := range 3 {
			if analogous(c.Space, i, space, k) {
				out.Missing[k], out.Channels[k] = true, 0
			}
		}
	}
	if hue := spaceInfos[space].hue; hue >= 0 && powerless(out) {
		out.Missing[hue], out.Channels[hue] = true, 0
	}
	return out
}

// To converts the colour to another space. Missing and powerless channels
// become 0.
func (c Color) To(space Space) Color { return c.to(space) }

// resolved converts the colour to another space without missing channels; in
// its own space it is unchanged.
func (c Color) resolved(space Space) Color {
	if c.Space == space {
		return c
	}
	c.Missing = [4]bool{3: c.Missing[3]}
	return c.to(space)
}

// powerless reports whether the hue of a colour is powerless.
func powerless(c Color) bool {
	switch c.Space {
	case HSL:
		return c.Channels[1] < 0.001
	case HWB:
		return c.Channels[1]+c.Channels[2] > 99.999
	case LCH:
		return c.Channels[1] < 0.0015
	case Oklch:
		return c.Channels[1] < 0.000004
	}
	return false
}

// analogous reports whether channels of two spaces are analogous.
func analogous(a Space, i int, b Space, k int) bool {
	kindA, kindB := channelKind(a, i), channelKind(b, k)
	return kindA != "" && kindA == kindB
}

// channelKind returns the kind of a channel (CSS Color 4, section 12.2).
func channelKind(s Space, i int) string {
	switch name := spaceInfos[s].channels[i]; name {
	case "r", "x":
		return "red"
	case "g", "y":
		return "green"
	case "z":
		return "blue"
	case "b":
		switch s {
		case HWB:
			return ""
		case Lab, Oklab:
			return "b"
		}
		return "blue"
	case "c", "s":
		return "colorfulness"
	case "w":
		return ""
	default:
		return name // l, a, h
	}
}
