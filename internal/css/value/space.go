package value

import "math"

// This file converts between colour spaces (CSS Color 4, sections 10 and 18).
// Matrices are computed from the chromaticities that define the spaces, so that
// only published numbers appear here.

// Space is a colour space.
type Space uint8

// The colour spaces of CSS. Their channels are those of the corresponding
// functions: red, green and blue from 0 to 1; hue in degrees; saturation,
// whiteness, blackness, and the lightness of HSL, Lab and LCH from 0 to 100.
const (
	SRGB Space = iota
	HSL
	HWB
	SRGBLinear
	DisplayP3
	DisplayP3Linear
	A98RGB
	ProPhotoRGB
	Rec2020
	Lab
	LCH
	Oklab
	Oklch
	XYZD50
	XYZD65
	spaces
)

// spaceInfo describes a space.
type spaceInfo struct {
	name     string // in color(), or of its function
	own      bool   // it has a function of its own
	channels [3]string
	// scale is the value of 100% in each channel; 0 for a hue.
	scale [3]float64
	hue   int // index of the hue channel, or -1
}

// names of the channels of RGB and XYZ spaces
var rgbChannels, xyzChannels = [3]string{"r", "g", "b"}, [3]string{"x", "y", "z"}

// spaceInfos describes all spaces.
var spaceInfos = [spaces]spaceInfo{
	SRGB:            {"srgb", false, rgbChannels, [3]float64{1, 1, 1}, -1},
	HSL:             {"hsl", true, [3]string{"h", "s", "l"}, [3]float64{0, 100, 100}, 0},
	HWB:             {"hwb", true, [3]string{"h", "w", "b"}, [3]float64{0, 100, 100}, 0},
	SRGBLinear:      {"srgb-linear", false, rgbChannels, [3]float64{1, 1, 1}, -1},
	DisplayP3:       {"display-p3", false, rgbChannels, [3]float64{1, 1, 1}, -1},
	DisplayP3Linear: {"display-p3-linear", false, rgbChannels, [3]float64{1, 1, 1}, -1},
	A98RGB:          {"a98-rgb", false, rgbChannels, [3]float64{1, 1, 1}, -1},
	ProPhotoRGB:     {"prophoto-rgb", false, rgbChannels, [3]float64{1, 1, 1}, -1},
	Rec2020:         {"rec2020", false, rgbChannels, [3]float64{1, 1, 1}, -1},
	Lab:             {"lab", true, [3]string{"l", "a", "b"}, [3]float64{100, 125, 125}, -1},
	LCH:             {"lch", true, [3]string{"l", "c", "h"}, [3]float64{100, 150, 0}, 2},
	Oklab:           {"oklab", true, [3]string{"l", "a", "b"}, [3]float64{1, 0.4, 0.4}, -1},
	Oklch:           {"oklch", true, [3]string{"l", "c", "h"}, [3]float64{1, 0.4, 0}, 2},
	XYZD50:          {"xyz-d50", false, xyzChannels, [3]float64{1, 1, 1}, -1},
	XYZD65:          {"xyz-d65", false, xyzChannels, [3]float64{1, 1, 1}, -1},
}

// String returns the CSS name of the space.
func (s Space) String() string { return spaceInfos[s].name }

// spaceNames maps all names to spaces; some spaces have two.
var spaceNames = func() map[string]Space {
	set := map[string]Space{"xyz": XYZD65}
	for s, info := range spaceInfos {
		set[info.name] = Space(s)
	}
	return set
}()

type (
	vector [3]float64
	matrix [3]vector
)

// times returns m·v.
func (m matrix) times(v vector) vector {
	var out vector
	for i, row := range m {
		out[i] = row[0]*v[0] + row[1]*v[1] + row[2]*v[2]
	}
	return out
}

// after returns m·o.
func (m matrix) after(o matrix) matrix {
	var out matrix
	for i := range 3 {
		for k := range 3 {
			out[i][k] = m[i][0]*o[0][k] + m[i][1]*o[1][k] + m[i][2]*o[2][k]
		}
	}
	return out
}

// inverse returns the inverse matrix.
func (m matrix) inverse() matrix {
	var out matrix
	minor := func(i, k int) float64 {
		a, b := (i+1)%3, (i+2)%3
		c, d := (k+1)%3, (k+2)%3
		return m[a][c]*m[b][d] - m[a][d]*m[b][c]
	}
	det := m[0][0]*minor(0, 0) + m[0][1]*minor(0, 1) + m[0][2]*minor(0, 2)
	for i := range 3 {
		for k := range 3 {
			out[k][i] = minor(i, k) / det
		}
	}
	return out
}

// chromaticity is a colour without brightness: CIE 1931 x and y.
type chromaticity [2]float64

// xyz returns the XYZ coordinates for Y = 1.
func (c chromaticity) xyz() vector { return vector{c[0] / c[1], 1, (1 - c[0] - c[1]) / c[1]} }

// The white points of CSS (CSS Color 4, section 18).
var (
	d50 = chromaticity{0.3457, 0.3585}
	d65 = chromaticity{0.3127, 0.3290}
)

// toXYZ returns the matrix from linear light in an RGB space to XYZ.
func toXYZ(red, green, blue, white chromaticity) matrix {
	var primaries matrix
	for i, c := range []chromaticity{red, green, blue} {
		xyz := c.xyz()
		for k := range 3 {
			primaries[k][i] = xyz[k]
		}
	}
	brightness := primaries.inverse().times(white.xyz())
	for k := range 3 {
		for i := range 3 {
			primaries[k][i] *= brightness[i]
		}
	}
	return primaries
}

// bradford is the matrix to the cone responses used for chromatic adaptation
// (CSS Color 4, section 10.1).
var bradford = matrix{{0.8951, 0.2664, -0.1614}, {-0.7502, 1.7135, 0.0367}, {0.0389, -0.0685, 1.0296}}

// adapt returns the matrix that adapts XYZ from one white point to another.
func adapt(from, to chromaticity) matrix {
	a, b := bradford.times(from.xyz()), bradford.times(to.xyz())
	scale := matrix{{b[0] / a[0]}, {0, b[1] / a[1]}, {0, 0, b[2] / a[2]}}
	return bradford.inverse().after(scale).after(bradford)
}

// rgbSpace is an RGB space: its matrices and transfer functions.
type rgbSpace struct {
	toXYZ, fromXYZ matrix // XYZ under D65
	decode, encode func(float64) float64
}

// newRGB returns the RGB space with the given primaries, white point and
// transfer functions.
func newRGB(primaries [3]chromaticity, white chromaticity, decode, encode func(float64) float64) *rgbSpace {
	m := toXYZ(primaries[0], primaries[1], primaries[2], white)
	if white != d65 {
		m = adapt(white, d65).after(m)
	}
	return &rgbSpace{m, m.inverse(), decode, encode}
}

// The RGB spaces.
var (
	srgbPrimaries = [3]chromaticity{{0.640, 0.330}, {0.300, 0.600}, {0.150, 0.060}}
	p3Primaries   = [3]chromaticity{{0.680, 0.320}, {0.265, 0.690}, {0.150, 0.060}}

	rgbSpaces = map[Space]*rgbSpace{
		SRGB:            newRGB(srgbPrimaries, d65, srgbDecode, srgbEncode),
		SRGBLinear:      newRGB(srgbPrimaries, d65, linear, linear),
		DisplayP3:       newRGB(p3Primaries, d65, srgbDecode, srgbEncode),
		DisplayP3Linear: newRGB(p3Primaries, d65, linear, linear),
		A98RGB: newRGB([3]chromaticity{{0.640, 0.330}, {0.210, 0.710}, {0.150, 0.060}}, d65, power(563.0/256),
			power(256.0/563)),
		ProPhotoRGB: newRGB([3]chromaticity{{0.734699, 0.265301}, {0.159597, 0.840403}, {0.036598, 0.000105}}, d50,
			prophotoDecode, prophotoEncode),
		Rec2020: newRGB([3]chromaticity{{0.708, 0.292}, {0.170, 0.797}, {0.131, 0.046}}, d65, rec2020Decode,
			rec2020Encode),
	}

	d65ToD50 = adapt(d65, d50)
	d50ToD65 = d65ToD50.inverse()
)

// linear is the identity.
func linear(x float64) float64 { return x }

// mirrored extends a transfer function to negative numbers by symmetry.
func mirrored(f func(float64) float64) func(float64) float64 {
	return func(x float64) float64 { return math.Copysign(f(math.Abs(x)), x) }
}

// power returns a power function.
func power(exponent float64) func(float64) float64 {
	return mirrored(func(x float64) float64 { return math.Pow(x, exponent) })
}

// The transfer functions.
var (
	srgbDecode = mirrored(func(x float64) float64 {
		if x <= 0.04045 {
			return x / 12.92
		}
		return math.Pow((x+0.055)/1.055, 2.4)
	})
	srgbEncode = mirrored(func(x float64) float64 {
		if x <= 0.0031308 {
			return x * 12.92
		}
		return 1.055*math.Pow(x, 1/2.4) - 0.055
	})
	prophotoDecode = mirrored(func(x float64) float64 {
		if x <= 16.0/512 {
			return x / 16
		}
		return math.Pow(x, 1.8)
	})
	prophotoEncode = mirrored(func(x float64) float64 {
		if x < 1.0/512 {
			return x * 16
		}
		return math.Pow(x, 1/1.8)
	})
)

// The curve of Rec. 2020 is linear near black.
const rec2020Alpha, rec2020Beta = 1.09929682680944, 0.018053968510807

// The remaining RGB spaces.
var (
	rec2020Decode = mirrored(func(x float64) float64 {
		if x < rec2020Beta*4.5 {
			return x / 4.5
		}
		return math.Pow((x+rec2020Alpha-1)/rec2020Alpha, 1/0.45)
	})
	rec2020Encode = mirrored(func(x float64) float64 {
		if x <= rec2020Beta {
			return x * 4.5
		}
		return rec2020Alpha*math.Pow(x, 0.45) - (rec2020Alpha - 1)
	})
)

// The matrices of Oklab (CSS Color 4, section 18).
var (
	xyzToLMS = matrix{
		{0.8190224379967030, 0.3619062600528904, -0.1288737815209879},
		{0.0329836539323885, 0.9292868615863434, 0.0361446663506424},
		{0.0481771893596242, 0.2642395317527308, 0.6335478284694309},
	}
	lmsToOklab = matrix{
		{0.2104542683093140, 0.7936177747023054, -0.0040720430116193},
		{1.9779985324311684, -2.4285922420485799, 0.4505937096174110},
		{0.0259040424655478, 0.7827717124575296, -0.8086757549230774},
	}
	lmsToXYZ   = xyzToLMS.inverse()
	oklabToLMS = lmsToOklab.inverse()
)

// The constants of CIE Lab.
const labKappa, labEpsilon = 24389.0 / 27, 216.0 / 24389

// xyzToLab converts XYZ under D50 to Lab.
func xyzToLab(xyz vector) vector {
	white := d50.xyz()
	var f vector
	for i := range 3 {
		if t := xyz[i] / white[i]; t > labEpsilon {
			f[i] = math.Cbrt(t)
		} else {
			f[i] = (labKappa*t + 16) / 116
		}
	}
	return vector{116*f[1] - 16, 500 * (f[0] - f[1]), 200 * (f[1] - f[2])}
}

// labToXYZ is the inverse of xyzToLab.
func labToXYZ(lab vector) vector {
	white := d50.xyz()
	y := (lab[0] + 16) / 116
	out := vector{y + lab[1]/500, y, y - lab[2]/200}
	for i, f := range out {
		if t := f * f * f; t > labEpsilon {
			out[i] = t * white[i]
		} else {
			out[i] = (116*f - 16) / labKappa * white[i]
		}
	}
	return out
}

// oklabToXYZ converts Oklab to XYZ under D65.
func oklabToXYZ(lab vector) vector {
	lms := oklabToLMS.times(lab)
	for i, x := range lms {
		lms[i] = x * x * x
	}
	return lmsToXYZ.times(lms)
}

// xyzToOklab is the inverse of oklabToXYZ.
func xyzToOklab(xyz vector) vector {
	lms := xyzToLMS.times(xyz)
	for i, x := range lms {
		lms[i] = math.Cbrt(x)
	}
	return lmsToOklab.times(lms)
}

// polar converts lightness, a and b to lightness, chroma and hue.
func polar(lab vector) vector {
	hue := math.Atan2(lab[2], lab[1]) * 180 / math.Pi
	return vector{lab[0], math.Hypot(lab[1], lab[2]), normalized(hue)}
}

// rectangular is the inverse of polar.
func rectangular(lch vector) vector {
	hue := lch[2] * math.Pi / 180
	return vector{lch[0], lch[1] * math.Cos(hue), lch[1] * math.Sin(hue)}
}

// normalized returns a hue from 0 to 360 degrees.
func normalized(hue float64) float64 {
	if hue = math.Mod(hue, 360); hue < 0 {
		hue += 360
	}
	return hue
}

// hslToRGB converts HSL to sRGB.
func hslToRGB(c vector) vector {
	h, s, l := normalized(c[0]), c[1]/100, c[2]/100
	f := func(n float64) float64 {
		k := math.Mod(n+h/30, 12)
		return l - s*math.Min(l, 1-l)*math.Max(-1, math.Min(math.Min(k-3, 9-k), 1))
	}
	return vector{f(0), f(8), f(4)}
}

// rgbToHSL is the inverse of hslToRGB. Negative saturation, of colours outside
// of the gamut, becomes positive with the opposite hue.
func rgbToHSL(c vector) vector {
	hue, low, high := hueOf(c)
	l := (low + high) / 2
	s := 0.0
	if d := high - low; d != 0 && l != 0 && l != 1 {
		s = (high - l) / math.Min(l, 1-l) * 100
	}
	if s < 0 {
		hue, s = normalized(hue+180), -s
	}
	return vector{hue, s, l * 100}
}

// hueOf returns the hue of an RGB colour, and its lowest and highest channel.
func hueOf(c vector) (hue, low, high float64) {
	low, high = math.Min(c[0], math.Min(c[1], c[2])), math.Max(c[0], math.Max(c[1], c[2]))
	d := high - low
	switch {
	case d == 0:
		return 0, low, high
	case high == c[0]:
		hue = (c[1] - c[2]) / d
	case high == c[1]:
		hue = (c[2]-c[0])/d + 2
	default:
		hue = (c[0]-c[1])/d + 4
	}
	return normalized(hue * 60), low, high
}

// hwbToRGB converts HWB to sRGB.
func hwbToRGB(c vector) vector {
	white, black := c[1]/100, c[2]/100
	if white+black >= 1 {
		gray := white / (white + black)
		return vector{gray, gray, gray}
	}
	out := hslToRGB(vector{c[0], 100, 50})
	for i := range out {
		out[i] = out[i]*(1-white-black) + white
	}
	return out
}

// rgbToHWB is the inverse of hwbToRGB.
func rgbToHWB(c vector) vector {
	hue, low, high := hueOf(c)
	return vector{hue, low * 100, (1 - high) * 100}
}

// toD65 converts a colour to XYZ under D65.
func toD65(s Space, c vector) vector {
	switch s {
	case HSL:
		return toD65(SRGB, hslToRGB(c))
	case HWB:
		return toD65(SRGB, hwbToRGB(c))
	case Lab:
		return d50ToD65.times(labToXYZ(c))
	case LCH:
		return toD65(Lab, rectangular(c))
	case Oklab:
		return oklabToXYZ(c)
	case Oklch:
		return oklabToXYZ(rectangular(c))
	case XYZD50:
		return d50ToD65.times(c)
	case XYZD65:
		return c
	}
	rgb := rgbSpaces[s]
	for i := range c {
		c[i] = rgb.decode(c[i])
	}
	return rgb.toXYZ.times(c)
}

// fromD65 is the inverse of toD65.
func fromD65(s Space, xyz vector) vector {
	switch s {
	case HSL:
		return rgbToHSL(fromD65(SRGB, xyz))
	case HWB:
		return rgbToHWB(fromD65(SRGB, xyz))
	case Lab:
		return xyzToLab(d65ToD50.times(xyz))
	case LCH:
		return polar(fromD65(Lab, xyz))
	case Oklab:
		return xyzToOklab(xyz)
	case Oklch:
		return polar(xyzToOklab(xyz))
	case XYZD50:
		return d65ToD50.times(xyz)
	case XYZD65:
		return xyz
	}
	rgb := rgbSpaces[s]
	c := rgb.fromXYZ.times(xyz)
	for i := range c {
		c[i] = rgb.encode(c[i])
	}
	return c
}

// convert converts the channels of a colour to another space. Spaces with the
// same underlying RGB are converted directly, without loss.
func convert(c vector, from, to Space) vector {
	if from == to {
		return c
	}
	switch [2]Space{from, to} {
	case [2]Space{HSL, SRGB}:
		return hslToRGB(c)
	case [2]Space{HWB, SRGB}:
		return hwbToRGB(c)
	case [2]Space{SRGB, HSL}:
		return rgbToHSL(c)
	case [2]Space{SRGB, HWB}:
		return rgbToHWB(c)
	case [2]Space{HSL, HWB}:
		return rgbToHWB(hslToRGB(c))
	case [2]Space{HWB, HSL}:
		return rgbToHSL(hwbToRGB(c))
	case [2]Space{Lab, LCH}, [2]Space{Oklab, Oklch}:
		return polar(c)
	case [2]Space{LCH, Lab}, [2]Space{Oklch, Oklab}:
		return rectangular(c)
	}
	return fromD65(to, toD65(from, c))
}
