package value

import (
	"math"
	"testing"
)

// TestConversions converts a colour through every colour space and back.
func TestConversions(t *testing.T) {
	for _, text := range []string{"teal", "#fa0", "gray", "color(display-p3 0.2 0.9 0.1)", "oklch(0.7 0.15 300)"} {
		c, ok := ColorOf(read(t, text))
		if !ok {
			t.Fatalf("%s is not known", text)
		}
		for s := range spaces {
			there := convert(c.Channels, c.Space, s)
			back := convert(there, s, c.Space)
			for i := range back {
				if math.Abs(back[i]-c.Channels[i]) > 1e-6 {
					t.Errorf("%s by way of %s: got %v, want %v", text, s, back, c.Channels)
					break
				}
			}
		}
	}
}

func TestColorText(t *testing.T) {
	for _, test := range []struct{ source, want string }{
		{"color-mix(in srgb, red, blue)", "color(srgb 0.5 0 0.5)"},
		{"color-mix(in oklab, white, black 20%)", "oklab(0.8 0 0)"},
		{"color-mix(in oklch, oklch(0.5 0.1 350), oklch(0.5 0.1 10))", "oklch(0.5 0.1 0)"},
		{"color-mix(in oklch longer hue, oklch(0.5 0.1 350), oklch(0.5 0.1 10))", "oklch(0.5 0.1 180)"},
		{"color-mix(in lch, lch(50 30 none), lch(70 30 40))", "lch(60 30 40)"},
		{"color-mix(in srgb, red 20%, blue 20%)", "color(srgb 0.5 0 0.5 / 0.4)"},
		{"color-mix(in srgb, red 0%, blue 0%)", "color-mix(in srgb, red 0%, blue 0%)"},
		{"color-mix(in srgb, transparent, blue)", "color(srgb 0 0 1 / 0.5)"},
		{"color-mix(in oklab, currentcolor, blue)", "color-mix(in oklab, currentcolor, blue)"},
		{"color-mix(in oklab, var(--x), blue)", "color-mix(in oklab, var(--x), blue)"},
		{"color-mix(in lemon, red, blue)", "color-mix(in lemon, red, blue)"},
		{"color-mix(red, blue)", "oklab(0.539985 0.096203 -0.092841)"},
		{"rgb(from #123456 r g b / 50%)", "color(srgb 0.070588 0.203922 0.337255 / 0.5)"},
		{"oklch(from oklch(0.5 0.1 20) calc(l * 0.8) c calc(h + 350))", "oklch(0.4 0.1 10)"},
		{"oklch(from oklch(0.5 none 20) l c h)", "oklch(0.5 none 20)"},
		{"oklch(from oklch(0.5 0.1 20) l c calc(x))", "oklch(from oklch(0.5 0.1 20) l c calc(x))"},
		{"oklch(from var(--x) l c h)", "oklch(from var(--x) l c h)"},
		{"rgb(255 0 0)", "red"}, {"rgb(255, 255, 255)", "#fff"}, {"rgba(0,0,0,.2)", "#0003"}, {"rgba(0,0,0,.5)", "rgba(0,0,0,.5)"},
		{"hsla(0, 0%, 0%, 0.5)", "rgba(0, 0, 0, 0.5)"}, {"hsl(120 100% 25%)", "green"}, {"hwb(0 0% 0%)", "red"}, {"rgb(none 0 0)", "rgb(none 0 0)"},
		{"rgb(1, 2 3)", "rgb(1, 2 3)"}, {"rgb(1 2)", "rgb(1 2)"}, {"hsl(120, none, 25%)", "hsl(120, none, 25%)"}, {"lab(50, 20, 20)", "lab(50, 20, 20)"},
	} {
		if got := foldedColor(t, test.source); got != test.want {
			t.Errorf("%s: got %s, want %s", test.source, got, test.want)
		}
	}
}

func TestShortColor(t *testing.T) {
	for source, want := range map[string]string{
		"#FF0000": "red", "#ffffff": "#fff", "#AABBCCDD": "#abcd", "#12345": "#12345", "#xyz": "#xyz", "white": "#fff", "White": "#fff", "tan": "tan",
		"#d2b48c": "tan", "lightgoldenrodyellow": "#fafad2", "cyan": "cyan", "#00FFFF": "#0ff", "darkred": "darkred", "solid": "solid", "#808080": "gray",
		"transparent": "transparent", "#F00": "red", "#f00f": "#f00f",
	} {
		if got := ShortColor(source); got != want {
			t.Errorf("%s: got %s, want %s", source, got, want)
		}
	}
}

// TestGamut checks the gamut mapping of the specification: colours in gamut
// remain, others keep their lightness and hue up to a difference that is not
// visible.
func TestGamut(t *testing.T) {
	for _, text := range []string{"color(display-p3 0 1 0)", "color(display-p3 1 0 0)", "oklch(0.7 0.4 150)",
		"oklch(0.3 0.3 30)", "oklch(0.95 0.2 100)",
		"lab(50 120 -120)", "color(rec2020 0 0 1)", "teal", "oklch(0.6 0.1 200)"} {
		c, _ := ColorOf(read(t, text))
		mapped := c.Mapped()
		if !mapped.InGamut(SRGB) || !mapped.Legacy {
			t.Errorf("%s: %v cannot be shown", text, mapped)
		}
		was, is := c.to(Oklch), mapped.to(Oklch)
		turn := math.Mod(math.Abs(was.Channels[2]-is.Channels[2])+180, 360) - 180
		if math.Abs(was.Channels[0]-is.Channels[0]) > 0.03 || is.Channels[1] > was.Channels[1]+0.02 ||
			math.Abs(turn)*math.Pi/180*is.Channels[1] > 0.03 {
			t.Errorf("%s: %v became %v", text, was.Channels, is.Channels)
		}
		if c.InGamut(SRGB) && difference(c, mapped) > 0.005 {
			t.Errorf("%s can be shown, and became %v", text, mapped)
		}
	}
	for text, want := range map[string]string{"oklch(1.2 0.3 20)": "#fff", "oklch(0 0.3 20)": "#000",
		"lab(100 0 0)": "#fff", "oklch(0.6 0.1 200 / 0.2)": "#0d929833"} {
		c, _ := ColorOf(read(t, text))
		v := c.Mapped().Value(read(t, text))
		if got := compact(&v); got != want {
			t.Errorf("%s: got %s, want %s", text, got, want)
		}
	}
}

// TestKnownColors compares conversions with values from the specifications of
// the colour spaces: primaries and white.
func TestKnownColors(t *testing.T) {
	for _, test := range []struct {
		source string
		space  Space
		want   [3]float64
	}{
		{"white", XYZD65, [3]float64{0.95046, 1, 1.08906}}, {"white", XYZD50, [3]float64{0.96430, 1, 0.82511}},
		{"white", Lab, [3]float64{100, 0, 0}}, {"white", Oklab, [3]float64{1, 0, 0}}, {"red", XYZD65, [3]float64{0.41239, 0.21264, 0.01933}},
		{"red", Oklab, [3]float64{0.62796, 0.22486, 0.12585}}, {"lime", Oklch, [3]float64{0.86644, 0.29483, 142.495}}, {"blue", Lab, [3]float64{29.568, 68.2874, -112.0294}},
		{"red", DisplayP3, [3]float64{0.91749, 0.20029, 0.13856}}, {"lime", Rec2020, [3]float64{0.56754, 0.95928, 0.26897}}, {"red", HSL, [3]float64{0, 100, 50}},
		{"teal", HWB, [3]float64{180, 0, 49.8039}}, {"hsl(120 100% 25%)", SRGB, [3]float64{0, 0.5, 0}}, {"color(display-p3 1 0 0)", SRGB, [3]float64{1.09307, -0.22674, -0.15014}},
		{"color(prophoto-rgb 0 0 1)", XYZD50, [3]float64{0.03134, 0.00009, 0.82511}}, {"color(a98-rgb 0 1 0)", XYZD65, [3]float64{0.18555, 0.62736, 0.07068}},
	} {
		c, ok := ColorOf(read(t, test.source))
		got := c.to(test.space).Channels
		for i := range got {
			scale := math.Max(1, spaceInfos[test.space].scale[i])
			if spaceInfos[test.space].hue == i {
				scale = 360
			}
			if !ok || math.Abs(got[i]-test.want[i]) > 3e-5*scale {
				t.Errorf("%s in %s: got %v, want %v", test.source, test.space, got, test.want)
				break
			}
		}
	}
}

// TestMissingChannels checks the keyword none in conversions and mixes.
func TestMissingChannels(t *testing.T) {
	tests := []struct {
		source string
		space  Space
		want   [4]bool
	}{
		{"oklch(0.5 none 20)", LCH, [4]bool{false, true, true, false}}, // no chroma, and therefore no hue
		{"oklch(none 0.1 20)", Lab, [4]bool{true, false, false, false}},
		{"hsl(none 50% 50%)", Oklch, [4]bool{false, false, true, false}},
		{"gray", Oklch, [4]bool{false, false, true, false}},
		{"rgb(none 0 0)", XYZD65, [4]bool{true, false, false, false}},
		{"lab(50 none 20)", Oklab, [4]bool{false, true, false, false}},
		{"oklab(0.5 0.1 none)", SRGB, [4]bool{}},
		{"rgb(1 2 3 / none)", Lab, [4]bool{3: true}},
	}
	for _, test := range tests {
		c, ok := ColorOf(read(t, test.source))
		if got := c.to(test.space).Missing; !ok || got != test.want {
			t.Errorf("%s in %s: got %v, want %v", test.source, test.space, got, test.want)
		}
	}
}

func TestHues(t *testing.T) {
	for _, test := range []struct {
		method     hueMethod
		a, b, want float64 // a, b, and the hue halfway
	}{
		{shorter, 10, 350, 0}, {shorter, 350, 10, 0}, {shorter, 0, 180, 90}, {longer, 10, 350, 180}, {longer, 10, 10, 190},
		{increasing, 350, 10, 0}, {increasing, 10, 350, 180}, {decreasing, 10, 350, 0}, {decreasing, 350, 10, 180}, {shorter, -10, 370, 0},
	} {
		a, b := test.method.fix(test.a, test.b)
		if got := normalized((a + b) / 2); math.Abs(got-test.want) > 1e-9 {
			t.Errorf("%v from %v to %v: got %v, want %v", test.method, test.a, test.b, got, test.want)
		}
	}
}

// TestNotColors checks that invalid and unknown colours remain unchanged.
func TestNotColors(t *testing.T) {
	for _, text := range []string{"currentcolor", "canvas", "solid", "#12", "#ggg", "rgb()", "rgb(1 2 3 4)",
		"rgb(1, 2, 3 / 4)", "rgb(1 2 3 /)", "rgb(1px 2 3)",
		"hsl(10px 1% 1%)", "lab(50 20)", "color(1 2 3)", "color(srgb 1 2)", "color(srgb, 1, 2, 3)", "color(lab 1 2 3)", "rgb(var(--x) 2 3)", "rgb(from red r g)",
		"rgb(from red r, g, b)", "rgb(from canvas r g b)", "oklch(from red r g b)", "color-mix()", "color-mix(in srgb, red)", "color-mix(in srgb hue, red, blue)",
		"color-mix(in srgb shorter hue, red, blue)", "color-mix(in hsl nearer hue, red, blue)", "color-mix(in srgb, red 120%, blue)", "color-mix(in srgb, red blue, blue)",
		"alpha(red / 1)", "alpha(from red)", "contrast-color(red, blue)", "light-dark(red, blue)", "calc(1)", "1px"} {
		if c, ok := ColorOf(read(t, text)); ok {
			t.Errorf("%s: got %v", text, c)
		}
	}
}
