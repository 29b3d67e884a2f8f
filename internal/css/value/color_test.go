package value

import (
	"math"
	"testing"
)

// TestConversions takes a colour around through every space and back.
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

// TestGamut holds the mapping to what the specification promises: what can be
// shown stays, what cannot keeps its lightness and hue as far as no eye sees
// a difference.
func TestGamut(t *testing.T) {
	for _, text := range []string{"color(display-p3 0 1 0)", "color(display-p3 1 0 0)", "oklch(0.7 0.4 150)", "oklch(0.3 0.3 30)", "oklch(0.95 0.2 100)",
		"lab(50 120 -120)", "color(rec2020 0 0 1)", "teal", "oklch(0.6 0.1 200)"} {
		c, _ := ColorOf(read(t, text))
		mapped := c.Mapped()
		if !mapped.InGamut(SRGB) || !mapped.Legacy {
			t.Errorf("%s: %v cannot be shown", text, mapped)
		}
		was, is := c.to(Oklch), mapped.to(Oklch)
		turn := math.Mod(math.Abs(was.Channels[2]-is.Channels[2])+180, 360) - 180
		if math.Abs(was.Channels[0]-is.Channels[0]) > 0.03 || is.Channels[1] > was.Channels[1]+0.02 || math.Abs(turn)*math.Pi/180*is.Channels[1] > 0.03 {
			t.Errorf("%s: %v became %v", text, was.Channels, is.Channels)
		}
		if c.InGamut(SRGB) && difference(c, mapped) > 0.005 {
			t.Errorf("%s can be shown, and became %v", text, mapped)
		}
	}
	for text, want := range map[string]string{"oklch(1.2 0.3 20)": "#fff", "oklch(0 0.3 20)": "#000", "lab(100 0 0)": "#fff", "oklch(0.6 0.1 200 / 0.2)": "#0d929833"} {
		c, _ := ColorOf(read(t, text))
		v := c.Mapped().Value(read(t, text))
		if got := compact(&v); got != want {
			t.Errorf("%s: got %s, want %s", text, got, want)
		}
	}
}
