package value

import (
	"math"

	"rinzel/internal/css/ast"
	"rinzel/internal/css/token"
)

// This file mixes colours (CSS Color 5, section 3; CSS Color 4, section 12).

// hueMethod determines in which direction hues are interpolated.
type hueMethod uint8

// The hue interpolation methods.
const (
	shorter hueMethod = iota
	longer
	increasing
	decreasing
)

// hueMethods are the methods by keyword.
var hueMethods = map[string]hueMethod{"shorter": shorter, "longer": longer, "increasing": increasing,
	"decreasing": decreasing}

// component is a colour in a mix with its percentage.
type component struct {
	color   Color
	percent float64 // negative if omitted
}

// mix parses color-mix() and returns the result.
func mix(v *ast.Value) (Color, bool) {
	parts := ast.SplitAt(ast.Significant(v.Values()), token.Comma)
	space, method, ok := Oklab, shorter, true
	if len(parts) > 0 && len(parts[0]) > 0 && parts[0][0].IsIdent("in") {
		if space, method, ok = mixMethod(parts[0][1:]); !ok {
			return Color{}, false
		}
		parts = parts[1:]
	}
	if len(parts) != 2 {
		return Color{}, false
	}
	var components [2]component
	for i, part := range parts {
		if components[i], ok = mixComponent(part); !ok {
			return Color{}, false
		}
	}
	return mixed(components[0], components[1], space, method)
}

// mixMethod parses the space of a mix, and the hue interpolation method.
func mixMethod(values []ast.Value) (Space, hueMethod, bool) {
	if len(values) == 0 || values[0].Kind != token.Ident {
		return 0, 0, false
	}
	space, ok := spaceNames[token.Lower(values[0].Text)]
	switch {
	case !ok:
		return 0, 0, false
	case len(values) == 1:
		return space, shorter, true
	case len(values) != 3 || !values[2].IsIdent("hue") || spaceInfos[space].hue < 0:
		return 0, 0, false
	}
	method, ok := hueMethods[token.Lower(values[1].Text)]
	return space, method, ok
}

// mixComponent parses a colour and its percentage, in either order.
func mixComponent(values []ast.Value) (component, bool) {
	out := component{percent: -1}
	found := false
	for i := range values {
		v := &values[i]
		if n, ok := Measure(v, nil); ok && n.Unit == "%" && out.percent < 0 && n.Value >= 0 && n.Value <= 100 {
			out.percent = n.Value
			continue
		}
		c, ok := ColorOf(v)
		if !ok || found {
			return out, false
		}
		out.color, found = c, true
	}
	return out, found
}

// mixed returns the mix of two colours.
func mixed(a, b component, space Space, method hueMethod) (Color, bool) {
	switch {
	case a.percent < 0 && b.percent < 0:
		a.percent, b.percent = 50, 50
	case a.percent < 0:
		a.percent = 100 - b.percent
	case b.percent < 0:
		b.percent = 100 - a.percent
	}
	total := a.percent + b.percent
	if total == 0 {
		return Color{}, false
	}
	out := interpolate(a.color, b.color, space, method, b.percent/total)
	out.Alpha *= math.Min(1, total/100)
	return out.stored(), true
}

// interpolate returns the colour at a fraction of the way from a to b.
func interpolate(a, b Color, space Space, method hueMethod, at float64) Color {
	a, b = a.to(space), b.to(space)
	out := Color{Space: space}
	for i := range 3 { // a missing channel is taken from the other colour
		out.Missing[i] = a.Missing[i] && b.Missing[i]
		if a.Missing[i] {
			a.Channels[i] = b.Channels[i]
		} else if b.Missing[i] {
			b.Channels[i] = a.Channels[i]
		}
	}
	switch {
	case a.Missing[3] && b.Missing[3]:
		out.Missing[3] = true
		a.Alpha, b.Alpha = 1, 1
	case a.Missing[3]:
		a.Alpha = b.Alpha
	case b.Missing[3]:
		b.Alpha = a.Alpha
	}
	between := func(x, y float64) float64 { return x + (y-x)*at }
	out.Alpha = between(a.Alpha, b.Alpha)
	for i := range 3 {
		x, y := a.Channels[i], b.Channels[i]
		if i == spaceInfos[space].hue {
			x, y = method.fix(x, y)
			out.Channels[i] = normalized(between(x, y))
			continue
		}
		if out.Alpha == 0 {
			continue // fully transparent: the channels are undefined
		}
		out.Channels[i] = between(x*a.Alpha, y*b.Alpha) / out.Alpha
	}
	if out.Missing[3] {
		out.Alpha = 0
	}
	return out
}

// fix returns the two hues adjusted so that linear interpolation follows the
// method (CSS Color 4, section 12.4).
func (m hueMethod) fix(a, b float64) (float64, float64) {
	a, b = normalized(a), normalized(b)
	d := b - a
	switch {
	case m == shorter && d > 180, m == longer && 0 < d && d < 180, m == decreasing && d > 0:
		a += 360
	case m == shorter && d < -180, m == longer && -180 < d && d <= 0, m == increasing && d < 0:
		b += 360
	}
	return a, b
}
