package value

import "math"

// InGamut reports whether the colour is inside the gamut of an RGB space.
func (c Color) InGamut(space Space) bool {
	const slack = 1e-6
	rgb := c.to(space)
	for _, x := range rgb.Channels {
		if x < -slack || x > 1+slack {
			return false
		}
	}
	return true
}

// Mapped returns the colour in sRGB as a fallback for browsers without wider
// gamuts. Colours outside of the gamut keep lightness and hue, and lose chroma
// (CSS Color 4, section 13.2). Missing channels become 0.
func (c Color) Mapped() Color {
	c.Missing = [4]bool{}
	out := Color{Space: SRGB, Alpha: c.Alpha, Legacy: true}
	target := c.to(Oklch)
	switch l := target.Channels[0]; {
	case c.InGamut(SRGB):
		out.Channels = c.to(SRGB).Channels
	case l >= 1:
		out.Channels = [3]float64{1, 1, 1}
	case l > 0:
		out.Channels = lessChroma(target)
	}
	for i, x := range out.Channels {
		// in single precision, like browsers
		out.Channels[i] = math.Round(float64(float32(math.Max(0, math.Min(1, x)))*255)) / 255
	}
	return out
}

// lessChroma returns the sRGB channels of the colour inside the gamut that is
// closest to c in Oklch: one with less chroma, or a clipped colour that is
// visually the same.
func lessChroma(c Color) [3]float64 {
	const noticeable, enough = 0.02, 0.0001
	clipped := clip(c)
	if difference(clipped, c) < noticeable {
		return clipped.Channels
	}
	low, high := 0.0, c.Channels[1]
	lowInGamut := true
	for high-low > enough {
		chroma := (low + high) / 2
		c.Channels[1] = chroma
		if lowInGamut && c.InGamut(SRGB) {
			low = chroma
			continue
		}
		clipped = clip(c)
		d := difference(clipped, c)
		switch {
		case d < noticeable && noticeable-d < enough:
			return clipped.Channels
		case d < noticeable:
			lowInGamut = false
			low = chroma
		default:
			high = chroma
		}
	}
	return clipped.Channels
}

// clip returns the colour in sRGB with all channels clamped.
func clip(c Color) Color {
	rgb := c.to(SRGB)
	for i, x := range rgb.Channels {
		rgb.Channels[i] = math.Max(0, math.Min(1, x))
	}
	return rgb
}

// difference returns the visual distance between two colours: their distance in
// Oklab.
func difference(a, b Color) float64 {
	x, y := a.to(Oklab).Channels, b.to(Oklab).Channels
	return math.Hypot(math.Hypot(x[0]-y[0], x[1]-y[1]), x[2]-y[2])
}
