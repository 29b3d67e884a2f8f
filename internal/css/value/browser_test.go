package value

import (
	"encoding/json"
	"fmt"
	"maps"
	"math"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"testing"

	"rinzel/internal/browsertest"
	"rinzel/internal/css/ast"
	"rinzel/internal/css/print"
)

// check is an expression, its folded form, and the results of a browser for
// both.
type check struct{ Property, Source, Folded, Want, Got string }

// compareInBrowser computes the source and the folded text of each check in a browser.
func compareInBrowser(t *testing.T, checks []check) []check {
	t.Helper()
	page := browsertest.Start(t).Open("about:blank")
	list, err := json.Marshal(checks)
	if err != nil {
		t.Fatal(err)
	}
	var out []check
	page.Eval(fmt.Sprintf(`(checks => {
		document.documentElement.style.fontSize = "10px";
		const e = document.createElement("div");
		document.body.append(e);
		document.body.style.width = "970px";
		const read = (p, v) => {
			e.style.cssText = "position: absolute; color-scheme: light; font-size: 13px; --five: 5px; --two: 2; --sum: 1px + 2px; --low: -3; color: rgb(10 20 30)";
			const before = e.style.cssText;
			e.style.setProperty(p, v);
			return e.style.cssText === before ? "invalid" : getComputedStyle(e).getPropertyValue(p);
		};
		for (const c of checks) { c.Want = read(c.Property, c.Source); c.Got = read(c.Property, c.Folded) }
		return checks;
	})(%s)`, list), &out)
	return out
}

// samples fills the verbs of a format with all combinations of values.
func samples(format string, lists ...[]string) []string {
	out := []string{format}
	for _, list := range lists {
		var next []string
		for _, f := range out {
			for _, item := range list {
				next = append(next, strings.Replace(f, "@", item, 1))
			}
		}
		out = next
	}
	return out
}

func mathSamples() map[string][]string {
	lengths := []string{"3px", "-7.5px", "2em", "1.5rem", "10%", "1cm", "0px", "4vw"}
	numbers := []string{"3", "-2", "0.3", "7.25", "0"}
	fluid := []string{"var(--five)", "var(--sum)", "calc(var(--sum))", "5px"}
	widths := slices.Concat(
		samples("calc(@ + @ * 3)", lengths, lengths),
		samples("calc(2 * (@ - @) / 4 + 1px)", lengths, lengths),
		samples("calc(1px - (@ - (2px + @)))", lengths, lengths),
		samples("min(@, @, 5px)", lengths, lengths),
		samples("max(@, 1px + @)", lengths, lengths),
		samples("clamp(@, 11px, @)", lengths, lengths),
		samples("calc(2 * @ * 3)", fluid), samples("calc(1px + @ - 2px - 3px)", fluid), samples("calc(4px - @)", fluid),
		samples("calc(2 * 3 * @ / 2 / 2)", fluid), samples("calc(7px - 2 * @ + 3px)", fluid),
		samples("calc(2 * (1px + @))", fluid),
		samples("max(1px, @, 2px)", fluid), samples("calc(30px / var(--two) / 3)"), samples("calc(1px + var(--low) * 2px)"),
		samples("round(@, @)", []string{"17px", "-17px", "2.5px", "7.5px"}, []string{"5px", "2px", "0.3px", "-5px"}),
		samples("round(@, @, 5px)", []string{"up", "down", "nearest", "to-zero"},
			[]string{"17px", "-17px", "12.5px", "-12.5px"}),
		samples("@(@, @)", []string{"mod", "rem", "hypot"}, []string{"18px", "-18px", "1cm"}, []string{"5px", "-5px", "7px"}),
		samples("abs(@)", lengths), samples("hypot(@)", lengths), samples("calc(1px * sign(@))", lengths),
		samples("calc(100% / @)", []string{"3", "7", "11", "12", "0.7"}),
		samples("calc(1px * progress(@, 10px, 20px))", []string{"5px", "12px", "25px"}),
		samples("calc(3px * @)",
			[]string{"pi", "e", "pow(2, 3)", "sqrt(2)", "log(10)", "log(8, 2)", "exp(1)", "sin(1)", "cos(60deg)",
				"tan(0.1turn)", "(10px / 4px)", "(1s / 250ms)"}),
	)
	return map[string][]string{
		"margin-left": widths, "width": widths,
		"rotate": slices.Concat(samples("@(@)", []string{"asin", "acos", "atan"}, []string{"0.3", "-1", "1", "0"}), samples("atan2(@, @)", []string{"3px", "-2px"}, []string{"1cm", "-5px"}),
			samples("calc(@ + 10deg)", []string{"1rad", "0.25turn", "50grad", "-400deg"})),
		"opacity":             slices.Concat(samples("calc(@ * @)", numbers, numbers), samples("calc(@ / 3)", numbers), samples("@(@)", []string{"sin", "cos", "tan", "abs", "sign", "exp", "round"}, numbers)),
		"z-index":             slices.Concat(samples("calc(@ * @)", numbers, numbers), samples("round(@, @)", []string{"up", "down"}, numbers)),
		"transition-duration": samples("calc(@ + @)", []string{"1s", "250ms", "-3s"}, []string{"30ms", "0.5s"}),
		"line-height":         samples("calc(@ - 1)", numbers), "flex-grow": samples("calc(@ / 2)", numbers),
		"padding-left": samples("calc(@ - 20px)", lengths), "letter-spacing": samples("calc(@ / 3)", lengths[:4]),
	}
}

// TestMathInBrowser compares several hundred calculations with their folded
// forms in a browser.
func TestMathInBrowser(t *testing.T) {
	var checks []check
	all := mathSamples()
	for _, property := range slices.Sorted(maps.Keys(all)) {
		for _, source := range all[property] {
			checks = append(checks, check{Property: property, Source: source, Folded: folded(t, source, ContextOf(property))})
		}
	}
	changed, valid := 0, 0
	for _, c := range compareInBrowser(t, checks) {
		if strings.HasPrefix(c.Folded, "error: ") {
			if c.Want != "invalid" {
				t.Errorf("%s: %s is %s to the browser, but here: %s", c.Property, c.Source, c.Want, c.Folded)
			}
			continue
		}
		if c.Want != "invalid" {
			valid++
		}
		if c.Folded != c.Source {
			changed++
		}
		if !near(c.Want, c.Got, 2e-6) {
			t.Errorf("%s: %s became %s: %s, want %s", c.Property, c.Source, c.Folded, c.Got, c.Want)
		}
	}
	t.Logf("%d expressions, %d valid, %d worked out", len(checks), valid, changed)
	if changed < 500 || valid < 700 {
		t.Errorf("of %d expressions %d were worked out and %d are valid", len(checks), changed, valid)
	}
}

var numberPattern = regexp.MustCompile(`-?[0-9.]+(e[-+]?[0-9]+)?`)

// near reports whether two texts are equal except for numbers that differ by at
// most a fraction of their value, or of one.
func near(a, b string, tolerance float64) bool {
	if numberPattern.ReplaceAllString(a, "0") != numberPattern.ReplaceAllString(b, "0") {
		return false
	}
	xs, ys := numberPattern.FindAllString(a, -1), numberPattern.FindAllString(b, -1)
	for i := range xs {
		x, _ := strconv.ParseFloat(xs[i], 64)
		y, _ := strconv.ParseFloat(ys[i], 64)
		if math.Abs(x-y) > tolerance*math.Max(1, math.Abs(x)) {
			return false
		}
	}
	return true
}

// sameColor reports whether two computed colours are in one colour space and look
// the same. A difference is visible from 0.02 on (CSS Colour 4, section 13.2.1):
// browsers use less exact matrices.
func sameColor(t *testing.T, a, b string) bool {
	if a == b {
		return a != "invalid"
	}
	x, okX := ColorOf(read(t, a))
	y, okY := ColorOf(read(t, b))
	return okX && okY && x.Space == y.Space && x.Legacy == y.Legacy && math.Abs(x.Alpha-y.Alpha) < 1e-6 &&
		(difference(x, y) < 2e-3 || near(a, b, 1e-3))
}

// decidedByNoise reports whether the result of a browser depends on rounding
// errors: it finds a hue in a grey that has none in HSL and HWB, and the curves
// of ProPhoto and A98 RGB near black amplify small differences.
func decidedByNoise(source string) bool {
	grey := strings.Contains(source, "lch(50 none 20)") &&
		(strings.Contains(source, "hsl") || strings.Contains(source, "hwb"))
	return grey || strings.Contains(source, "oklch(none 0.1 20)") && strings.Contains(source, "prophoto") ||
		strings.Contains(source, "a98-rgb") && strings.Contains(source, "red, blue")
}

// foldedColor returns the folded form of a color-mix(), a relative colour or a
// legacy colour.
func foldedColor(t *testing.T, text string) string {
	v := read(t, text)
	with, ok := FoldColor(v)
	if !ok {
		with, ok = Shortest(v, false)
	}
	if !ok {
		return text
	}
	return print.Values([]ast.Value{with})
}

func colorSamples() []string {
	colors := []string{"teal", "#fa0", "#12345678", "rgb(10% 20% 30%)", "hsl(200 50% 40%)", "hwb(90 10% 20%)",
		"lab(50 40 -20)", "lch(60 30 120)",
		"oklab(0.6 -0.1 0.1)", "oklch(0.7 0.15 300 / 0.5)", "color(display-p3 0.2 0.9 0.1)", "color(rec2020 0.1 0.5 0.9)", "color(xyz-d50 0.3 0.4 0.1)",
		"gray", "white", "black", "transparent", "oklch(none 0.1 20)", "hsl(none 50% 40%)", "lch(50 none 20)", "rgb(none 20 30)"}
	spaces := []string{"srgb", "srgb-linear", "lab", "oklab", "xyz", "xyz-d50", "display-p3", "a98-rgb",
		"prophoto-rgb", "rec2020", "hsl", "hwb", "lch", "oklch",
		"hsl longer hue", "oklch increasing hue", "lch decreasing hue"}
	return slices.Concat(
		samples("color-mix(in @, @, #c04080)", spaces, colors),
		samples("color-mix(in @, @ 30%, rebeccapurple)", []string{"oklch", "hsl", "srgb"}, colors),
		samples("color-mix(in @, @ 30%, #0af 20%)", []string{"oklab", "hwb", "lch longer hue"}, colors),
		samples("color-mix(in @, color-mix(in @, red, blue), 25% lime)", spaces, []string{"oklch", "srgb", "hsl"}),
		samples("@(from @ @)", []string{"rgb"}, colors,
			[]string{"r g b", "b g r / alpha", "calc(r * 0.8) g 128 / 50%", "50% 20% none"}),
		samples("@(from @ @)", []string{"hsl"}, colors,
			[]string{"h s l", "calc(h + 90) s 40%", "h 100% calc(l / 2) / calc(alpha * 0.5)"}),
		samples("@(from @ @)", []string{"hwb"}, colors, []string{"h w b", "calc(h - 30) 20% b"}),
		samples("@(from @ @)", []string{"lab", "oklab"}, colors, []string{"l a b", "calc(l * 0.8) b a", "50% 20% -10%"}),
		samples("@(from @ @)", []string{"lch", "oklch"}, colors,
			[]string{"l c h", "calc(l * 0.8) c h", "l calc(c / 2) calc(h + 180)", "l c 90deg"}),
		samples("color(from @ @ @)", colors,
			[]string{"srgb", "display-p3", "rec2020", "srgb-linear", "a98-rgb", "prophoto-rgb"},
			[]string{"r g b", "calc(r / 2) g 0.5"}),
		samples("color(from @ xyz x y z)", colors),
		samples("contrast-color(@)", colors),
		samples("contrast-color(@)", []string{"#777", "#757575", "#767676", "#0af", "#c60"}),
		samples("alpha(from @ / @)", append(colors[:len(colors)-1:len(colors)-1], "color(srgb 0.2 0.3 0.4)"),
			[]string{"0.3", "calc(alpha * 0.5)", "none"}),
		samples("rgb(@ @ @)", []string{"0", "127.5", "300"}, []string{"12", "-5"}, []string{"255", "51"}),
		samples("rgba(12, 34, 56, @)", []string{"0.5", "0.2", "1", "0", "50%"}),
		samples("hsl(@, @, @)", []string{"0", "33", "210", "-40", "0.4turn"}, []string{"0%", "45%", "100%"},
			[]string{"10%", "50%", "88%", "100%"}),
		samples("hwb(@ @ @ / 0.4)", []string{"30", "200deg"}, []string{"0%", "70%"}, []string{"20%", "60%"}),
		samples("color-mix(in oklab, currentcolor, @)", []string{"red"}), samples("rgb(@ 0 0)", []string{"calc(20 * 3)"}),
	)
}

// TestColorsInBrowser compares mixes, relative colours and legacy colours with
// their folded forms in a browser.
func TestColorsInBrowser(t *testing.T) {
	var checks []check
	for _, source := range colorSamples() {
		checks = append(checks, check{Property: "background-color", Source: source, Folded: foldedColor(t, source)})
	}
	for _, name := range slices.Sorted(maps.Keys(named)) {
		checks = append(checks, check{Property: "background-color", Source: name, Folded: "#" + named[name]})
	}
	changed := 0
	for _, c := range compareInBrowser(t, checks) {
		if c.Folded != c.Source {
			changed++
		}
		if !sameColor(t, c.Want, c.Got) && !decidedByNoise(c.Source) {
			t.Errorf("%s became %s: %s, want %s", c.Source, c.Folded, c.Got, c.Want)
		}
	}
	t.Logf("%d colours, %d worked out", len(checks), changed)
	if changed < 1000 {
		t.Errorf("only %d of %d colours were worked out", changed, len(checks))
	}
}
