package lower

import (
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"

	"rinzel/internal/browsers"
	"rinzel/internal/browsertest"
)

// readStyles is a JavaScript function: it returns the computed styles of all
// elements of a page with a sheet, as one text each.
const readStyles = `(css => {
	style.textContent = css;
	return [...document.querySelectorAll("body, body *")].map(e => {
		const s = getComputedStyle(e);
		return [...s].map(p => p + ": " + s.getPropertyValue(p)).join("\n");
	});
})`

// TestLoweredInBrowser compares random sheets with their lowered form for
// browsers of 2017, by the computed styles of all elements, on pages of both
// directions.
func TestLoweredInBrowser(t *testing.T) {
	page := browsertest.Start(t).Open("about:blank")
	g := &generator{Rand: rand.New(rand.NewPCG(3, 4))}
	length := func() string {
		return g.pick("0", "1px", "2em", "3%", "auto", "calc(1px + 1em)", "clamp(1px, 2vw, 30px)")
	}
	color := func() string {
		return g.pick("#f00c", "#12345678", "rgb(1 2 3)", "rgb(10% 20% 30% / 40%)", "hsl(120deg 50% 50% / 0.5)",
			"hwb(20 20% 30%)", "oklch(0.6 0.1 200)",
			"color-mix(in srgb, red, blue)", "rgb(from red g r b / 0.4)", "lab(50 20 20)", "currentcolor")
	}
	sides := func(most int) string {
		out := length()
		for range g.IntN(most) {
			out += " " + length()
		}
		return out
	}
	logical := func(box string) string {
		axis := g.pick("inline", "block")
		return box + "-" + g.pick(axis+": "+sides(2), axis+"-start: "+length(), axis+"-end: "+length())
	}
	declaration := func() string {
		switch g.IntN(12) {
		case 0:
			return "inset: " + sides(4)
		case 1:
			return logical(g.pick("margin", "inset"))
		case 2:
			return strings.NewReplacer("auto", "4px", "3%",
				"5px").Replace(logical(g.pick("padding", "scroll-padding", "scroll-margin")))
		case 3:
			return "border-" + g.pick("inline", "block", "inline-start", "block-end") + ": 2px " +
				g.pick("solid ", "dotted ") + color()
		case 4:
			return "border-" + g.pick("inline", "block") + "-" +
				g.pick("width: 1px 3px", "style: solid dashed", "color: red blue", "start-color: green")
		case 5:
			return g.pick("inline-size: ", "block-size: ", "min-inline-size: ", "max-block-size: ") +
				g.pick("10px", "50%", "3em")
		case 6:
			return "border-" + g.pick("start-start", "start-end", "end-start", "end-end") + "-radius: 3px 5px"
		case 7:
			return g.pick("place-items", "place-content", "place-self") + ": " +
				g.pick("center", "start end", "stretch", "baseline", "end center")
		case 8:
			return "overflow: " + g.pick("hidden auto", "scroll hidden", "auto", "visible")
		case 9:
			return "display: " +
				g.pick("inline flex", "block flow-root", "grid block", "inline grid", "inline flow-root",
					"list-item block flow", "flex")
		case 10:
			return g.pick("color", "background-color", "outline-color", "text-decoration-color") + ": " + color()
		}
		return "background-image: " +
			g.pick("linear-gradient(to right, red 0 10px, blue 10px 20px)",
				"radial-gradient(circle, "+color()+" 0 50%, blue 70%)",
				"conic-gradient(red 0 25%, blue 0 50%)", "repeating-linear-gradient(45deg, rgb(0 0 0 / 50%) 0 2px, #fff8 2px 4px)")
	}
	for _, direction := range []Direction{LeftToRight, RightToLeft} {
		opts := Options{Targets: ancient, Direction: direction}
		var cases [][2]string
		for range 150 {
			var sheet strings.Builder
			for range 1 + g.IntN(4) {
				sheet.WriteString(g.pick(":is(.x, .y)", "p:is(.y, .z) b", ":is(p, b):is(.x, .y, .z)", ".x", "p",
					"div > :is(p, b)", ".x:dir(ltr)", "p:dir(rtl)", ".y") + " { ")
				for range 1 + g.IntN(4) {
					sheet.WriteString(declaration() + "; ")
				}
				if g.IntN(3) == 0 {
					sheet.WriteString("&:is(.y, .z) { " + declaration() + " } ")
				}
				sheet.WriteString("} ")
			}
			cases = append(cases, [2]string{sheet.String(), loweredWith(sheet.String(), opts)})
		}
		list, _ := json.Marshal(cases)
		markup, _ := json.Marshal(strings.ReplaceAll(nestingPage, "class=x>",
			"class=x style='position:relative;color:navy'>"))
		var out struct {
			Different [][]string
			Styled    int
		}
		page.Eval(fmt.Sprintf(`((cases, markup, dir) => {
			document.documentElement.dir = dir;
			document.body.innerHTML = markup;
			document.querySelectorAll("style").forEach(s => s.remove());
			const style = document.createElement("style");
			document.head.append(style);
			const read = %s;
			const plain = read("");
			let styled = 0;
			const different = [];
			for (const [source, lowered] of cases) {
				const a = read(source), b = read(lowered);
				styled += a.filter((v, i) => v !== plain[i]).length;
				const i = a.findIndex((v, i) => v !== b[i]);
				if (i >= 0) {
					const was = a[i].split("\n"), is = b[i].split("\n");
					const k = was.findIndex((v, k) => v !== is[k]);
					different.push([source, lowered, was[k], is[k]]);
				}
			}
			return { Different: different, Styled: styled };
		})(%s, %s, %q)`, readStyles, list, markup, direction), &out)
		for i, d := range out.Different {
			if i == 4 {
				t.Errorf("%s: and %d more", direction, len(out.Different)-i)
				break
			}
			t.Errorf("%s: %s, and %s when lowered\nsource  %s\nlowered %s", direction, d[2], d[3], d[0], d[1])
		}
		if out.Styled < 500 {
			t.Errorf("only %d elements were styled: the sheets prove nothing", out.Styled)
		}
		for _, c := range cases {
			if strings.Contains(c[1], "inline-start") || strings.Contains(c[1], "inset:") {
				t.Errorf("not lowered: %s", c[1])
			}
		}
	}
}

// TestWithoutTheFeature replaces function names in lowered sheets by unknown
// ones, to make the browser read the fallbacks as an older one would. In both
// colour schemes, the result must look the same as the original.
func TestWithoutTheFeature(t *testing.T) {
	page := browsertest.Start(t).Open("about:blank")
	unknown := strings.NewReplacer("light-dark(", "no-light-dark(", "oklch(", "no-oklch(", "color-mix(",
		"no-color-mix(", "lab(", "no-lab(", "rgb(from", "no-rgb(from")
	const both, markup = ":root { color-scheme: light dark } ", `<div class=x><p class=y>1</p><p class=z>2</p></div>`
	sheets := []string{
		both + "p { color: light-dark(red, blue) }",
		both + "p { border: 2px solid light-dark(#f008, rgb(1 2 3 / 50%)); color: red }",
		both + ":root { --c: light-dark(oklch(0.6 0.1 200), lime) } p { color: var(--c); background: light-dark(var(--c), navy) }",
		both + ".x { &.x p { color: light-dark(lime, oklch(0.6 0.1 20)); } --k: light-dark(teal, gold); } .y { fill: var(--k) }",
		"p { color: light-dark(red, blue) }",
		both + "@media (min-width: 1px) { .y { color: light-dark(red, blue) !important } } p { color: lime }",
		"p { color: oklch(0.6 0.1 200); background: color-mix(in srgb, red, blue); outline: 1px solid rgb(from red g r b) } .x { --c: lab(50 20 20); color: var(--c) }",
	}
	targets := browsers.AtLeast(map[string]browsers.Version{"chrome": 100000, "safari": 14000})
	for _, scheme := range []string{"light", "dark"} {
		page.Call("Emulation.setEmulatedMedia",
			map[string]any{"features": []map[string]string{{"name": "prefers-color-scheme", "value": scheme}}}, nil)
		for _, src := range sheets {
			lowered := lowered(src, targets)
			list, _ := json.Marshal([]string{src, lowered, unknown.Replace(lowered)})
			var looks [][]string
			page.Eval(fmt.Sprintf(`((sheets, markup) => {
				document.body.innerHTML = markup;
				document.querySelectorAll("style").forEach(s => s.remove());
				const style = document.createElement("style");
				document.head.append(style);
				// What the browser gives out as oklch() is drawn, to be compared with the bytes of sRGB.
				const c = document.createElement("canvas").getContext("2d", { willReadFrequently: true });
				const bytes = color => { c.clearRect(0, 0, 1, 1); c.fillStyle = color; c.fillRect(0, 0, 1, 1); return [...c.getImageData(0, 0, 1, 1).data].join(","); };
				return sheets.map(css => {
					style.textContent = css;
					return [...document.querySelectorAll("div, p")].map(e => {
						const s = getComputedStyle(e);
						return [s.color, s.backgroundColor, s.borderTopColor, s.outlineColor, s.fill].map(bytes).join(" ");
					});
				});
			})(%s, %q)`, list, markup), &looks)
			for i, what := range []string{"lowered", "without the feature"} {
				for k := range looks[0] {
					if looks[0][k] != looks[i+1][k] {
						t.Errorf("%s, %s: %s\nis %s, was %s\n%s", scheme, what, src, looks[i+1][k], looks[0][k], unknown.Replace(lowered))
						break
					}
				}
			}
		}
	}
}
