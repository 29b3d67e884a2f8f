package compose

import (
	"encoding/json"
	"fmt"
	"math"
	"regexp"
	"strconv"
	"strings"
	"testing"

	"rinzel/internal/browsertest"
)

// draftCases are sheets that a browser can read unbuilt, with functions and
// conditions of the drafts CSS Functions and Mixins 1, CSS Values 5, CSS
// Conditional 5 and CSS Nesting 1. Each sets properties of the element with the
// ID berth.
var draftCases = []string{
	// parameters and arguments
	`@function --double(--n) { result: calc(var(--n) * 2) } #berth { width: --double(21px) }`,
	`@function --shade() { result: rgb(0 80 90) } #berth { color: --shade() }`,
	`@function --pad(--y, --x: 12px) { result: var(--y) var(--x) } #berth { padding: --pad(3px) }`,
	`@function --pad(--y, --x: 12px) { result: var(--y) var(--x) } #berth { padding: --pad(3px, 4px) }`,
	`@function --both(--a: 3px, --b: calc(var(--a) + 1px)) { result: var(--b) } #berth { width: --both(); height: --both(9px); top: --both(1px, 2px) }`,
	`@function --first(--a, --b) { result: var(--a) } #berth { width: --first(7px, 8px) }`,
	`@function --space(--a) { result: var(--a) } #berth { margin: --space(1px 2px 3px) }`,
	`@function --list(--names, --n) { result: var(--names) } #berth { transition: --list({opacity 1s, color 2s}, 2) }`,
	`@function --raw(--a) { result: calc(2 * var(--a)) } #berth { width: --raw(calc(1px + 2px)) }`,
	`@function --deep(--a) { result: calc((var(--a) + 1px) * 2) } @function --more(--a) { result: calc(var(--a) + 3px) } #berth { width: --deep(--more(1px)); height: --more(--deep(1px)) }`,
	`@function --id(--a) { result: var(--a) } #berth { --gap: 6px; width: --id(var(--gap)); height: calc(--id(2px) + --id(3px)) }`,
	`@function --MiXed(--A, --a) { result: var(--A) } #berth { width: --MiXed(5px, 6px) }`,
	`@function --esc\(ape(--a) { result: var(--a) } #berth { width: --esc\(ape(5px) }`,
	// types
	`@function --typed(--n <length>) returns <length> { result: calc(var(--n) + 1px) } #berth { width: --typed(4px) }`,
	`@function --any(--a type(*)) { result: var(--a) } #berth { margin: --any(1px 2px) }`,
	`@function --or(--a type(<length> | auto)) { result: var(--a) } #berth { width: --or(auto); height: --or(3px) }`,
	`@function --times(--l <time>#) { result: var(--l) } #berth { transition-duration: --times({1s, 2s}) }`,
	`@function --more(--l <length>+) { result: var(--l) } #berth { padding: --more(1px 2px 3px) }`,
	`@function --share(--p <percentage>: 10%) returns <percentage> { result: calc(var(--p) * 3) } #berth { width: --share() }`,
	`@function --tint(--c <color>) returns <color> { result: color-mix(in srgb, var(--c) 50%, white) } #berth { color: --tint(#c8501f) }`,
	`@function --turn(--a <angle>) { result: calc(var(--a) / 2) } #berth { rotate: --turn(90deg) }`,
	`@function --wait(--t <time>) { result: opacity var(--t) } #berth { transition: --wait(250ms) }`,
	`@function --count(--n <integer>) { result: calc(var(--n) + 1) } #berth { z-index: --count(4); order: --count(1) }`,
	`@function --ease(--n <number>: 0.5) { result: var(--n) } #berth { opacity: --ease() }`,
	// locals
	`@function --f(--n) { --d: calc(var(--n) * 2); result: var(--d) } #berth { width: --f(3px) }`,
	`@function --f() { --x: var(--w); --w: 8px; result: var(--x) } #berth { --w: 3px; width: --f() }`,
	`@function --f() { result: var(--w) } #berth { --w: 3px; width: --f() }`,
	`@function --f() { --w: 9px; result: var(--w) } #berth { --w: 3px; width: --f(); height: var(--w) }`,
	`@function --f(--w) { result: var(--w) } #berth { --w: 3px; width: --f(9px); height: var(--w) }`,
	`@function --f(--a) { --w: 1px; result: var(--a) } #berth { --w: 3px; width: --f(var(--w)) }`,
	`@function --f() { --x: 1px; --x: 2px; result: var(--x) } #berth { width: --f() }`,
	`@function --f() { result: 1px; result: 2px } #berth { width: --f() }`,
	`@function --f() { result: var(--x); --x: 4px } #berth { width: --f() }`,
	`@function --f() { --x: initial; result: var(--x, 5px) } #berth { --x: 3px; width: --f() }`,
	`@function --f() { --x: inherit; result: var(--x, 5px) } #berth { --x: 3px; width: --f() }`,
	`@function --f(--a) { --a: 6px; result: var(--a) } #berth { width: --f(5px) }`,
	// functions that call functions
	`@function --g() { result: var(--q, 77px) } @function --f(--q) { result: --g() } #berth { width: --f(2px); height: --g() }`,
	`@function --g() { result: var(--q) } @function --f() { --q: 7px; result: --g() } #berth { width: --f() }`,
	`@function --g(--q) { result: var(--q) } @function --f(--q) { result: calc(--g(1px) + var(--q)) } #berth { width: --f(2px) }`,
	`@function --g() { --q: 1px; result: var(--q) } @function --f() { --q: 7px; result: calc(--g() + var(--q)) } #berth { width: --f() }`,
	`@function --h() { result: var(--q) } @function --g() { result: --h() } @function --f(--q) { result: --g() } #berth { width: --f(4px) }`,
	`@function --h() { --q: inherit; result: var(--q) } @function --f(--q) { result: --h() } #berth { width: --f(4px) }`,
	`#berth { width: --later(2px) } @function --later(--n) { result: calc(var(--n) * 3) }`,
	`@function --f() { result: --later() } #berth { width: --f() } @function --later() { result: 11px }`,
	`@function --f() { result: 1px } #berth { width: --f() } @function --f() { result: 4px }`,
	// calls in other values
	`@function --half(--n) { result: calc(var(--n) / 2) } #berth { width: min(--half(10px), 9px); height: max(--half(10px), 9px); inset: --half(4px) 1px }`,
	`@function --hue() { result: 200 } #berth { color: hsl(--hue() 50% 50%); background-color: oklch(0.5 0.1 --hue()) }`,
	`@function --img() { result: linear-gradient(red, blue) } #berth { background-image: --img(), --img() }`,
	`@function --f(--n) { result: var(--n) } #berth { --inner: --f(3px); width: var(--inner); height: var(--none, --f(4px)) }`,
	`@function --f() { result: 3px } #berth { --g: 1px; width: calc(--f() * 2 + var(--g)) !important; width: 1px }`,
	`@function --f() { result: 3px } #berth { border: --f() solid; border-radius: --f() }`,
	`@function --font() { result: italic bold 20px/1.5 serif } #berth { font: --font() }`,
	`@function --f() { result: 3px } #berth { & { width: --f() } @media (width > 1px) { height: --f() } }`,
	`@function --col(--n) { result: repeat(var(--n), 1fr) } #berth { display: grid; width: 100px; grid-template-columns: --col(2) }`,
	// conditions in functions
	`@function --f() { result: 1px; @media (width > 1000px) { result: 2px } } #berth { width: --f() }`,
	`@function --f() { @media (width > 1000px) { result: 2px } result: 1px } #berth { width: --f() }`,
	`@function --f() { --d: 1px; @media (width > 1000px) { --d: 2px } result: calc(var(--d) * 3) } #berth { width: --f() }`,
	`@function --f() { result: 1px; @supports (display: grid) { result: 2px } @supports (display: nothing) { result: 3px } } #berth { width: --f() }`,
	`@function --f() { result: 1px; @media (width > 1px) { result: 2px; @media (width > 1000px) { result: 3px } } } #berth { width: --f() }`,
	`@function --f() { result: 1px; @media (width > 1000px) { result: 2px } @media (width < 1000px) { result: 3px } } #berth { width: --f(); width: calc(--f() * 2); height: --f() }`,
	`@function --f() { --a: 1px; --b: 1px; @media (width > 1000px) { --a: 2px } @media (height > 10px) { --b: 4px } result: var(--a) var(--b) } #berth { padding: --f() }`,
	`@function --f() { @media (width > 1000px) { result: 2px } } #berth { width: 9px; height: 9px; width: --f() }`,
	`@function --f() { @media (width > 1000px) { result: blue } } #berth { color: red; color: --f() }`,
	`@function --f() { result: 1px; @media (width > 1000px) { result: 2px } } #berth { width: --f(); width: 8px; height: 4px }`,
	`@function --f() { result: 1px; @media (width > 1000px) { result: 2px } } #berth { width: --f() !important; width: 8px }`,
	`@function --f() { result: 1px; @media (width > 1000px) { result: 2px } } #berth { --x: --f(); width: var(--x); --y: a --f() b }`,
	`@function --g(--n) { result: var(--n); @media (width > 1000px) { result: calc(var(--n) + 1px) } } @function --f() { result: calc(--g(1px) + --g(2px)) } #berth { width: --f() }`,
	`@function --f() { result: 1px; @container (width > 100px) { result: 2px } } div { container-type: inline-size; width: 400px } #berth { width: --f() }`,
	`@function --f() { result: 1px; @media (width > 1000px) { result: 2px } } #berth { width: --f(); & { width: 3px } height: --f() }`,
	`@function --f() { --x: 1px; @media (width > 1000px) { --x: initial } result: var(--x, 6px) } #berth { width: --f() }`,
	// if()
	`#berth { width: if(media(width > 1000px): 5px; else: 6px) }`,
	`#berth { width: if(media((width > 1px) and (height > 1px)): 5px; else: 6px) }`,
	`#berth { width: if(supports(display: grid): 5px; else: 6px); height: if(not supports(display: grid): 5px; else: 6px) }`,
	`#berth { width: if(supports(display: nothing) or media(width > 1px): 5px; else: 6px) }`,
	`#berth { --tone: calm; width: if(style(--tone: calm): 5px; style(--tone: alert): 6px; else: 7px) }`,
	`#berth { width: 3px; width: if(media(width < 1px): 5px) }`,
	`#berth { color: red; color: if(media(width < 1px): blue); --y: a if(media(width < 1px): b) }`,
	`#berth { padding: 1px if(media(width > 1px): 2px; else: 3px) 4px }`,
	`#berth { width: if(else: 5px; media(width > 1px): 3px) }`,
	`#berth { width: calc(if(media(width > 1px): 2px; else: 3px) * 2) }`,
	`@function --f(--n) { result: if(media(width > 1000px): var(--n); else: 9px) } #berth { width: --f(2px) }`,
	`@function --f(--n) { --d: if(supports(display: grid): 2px; else: 3px); result: calc(var(--d) + var(--n)) } #berth { width: --f(2px) }`,
	`@function --f(--n: 7px) { result: var(--n) } #berth { width: --f(if(media(width > 1000px): 2px)) }`,
	`@function --f(--n: 7px) { result: calc(var(--n) * 2) } #berth { width: --f(if(supports(display: nothing): 2px;)) }`,
	`@function --f(--m, --n: calc(var(--m) * 3)) { result: var(--n) } #berth { width: --f(2px, if(media(width > 1000px): 1px)) }`,
	`@function --f(--n: 7px) { result: var(--n) } #berth { width: --f(if(media(width > 1000px): 2px; else: 3px)) }`,
	// calculations and colours in results
	`@function --f(--n) { result: round(up, var(--n), 5px) } #berth { width: --f(11px) }`,
	`@function --f(--n) { result: clamp(1px, var(--n), 10px) } #berth { width: --f(11px); height: --f(0px); top: --f(5px) }`,
	`@function --fluid(--min, --max) { result: clamp(var(--min), 1vw + 2px, var(--max)) } #berth { width: --fluid(1px, 900px) }`,
	`@function --f(--c, --p: 20%) { result: color-mix(in oklab, var(--c), black var(--p)) } #berth { color: --f(teal); background-color: --f(white, 50%) }`,
	`@function --f(--c) { result: oklch(from var(--c) calc(l * 0.8) c h) } #berth { color: --f(teal) }`,
	`@function --f(--c) { result: rgb(from var(--c) r g b / 50%) } #berth { background-color: --f(#c8501f) }`,
	`@function --neg(--n) { result: calc(-1 * var(--n)) } #berth { margin: --neg(4px); top: --neg(1em) }`,
	`@function --pow(--b, --e) { result: calc(1px * pow(var(--b), var(--e))) } #berth { width: --pow(2, 5) }`,
	`@function --f(--n) { result: calc(var(--n) + 1vw - 2%) } #berth { width: --f(4px); padding-left: --f(1em) }`,
}

var (
	dashedCall = regexp.MustCompile(`[^-\w]--[\w-]+\(`)
	numbers    = regexp.MustCompile(`-?\d*\.?\d+(e-?\d+)?`)
)

// nearly reports whether two values are equal except for differences of numbers
// in single precision, in which browsers compute colours.
func nearly(a, b string) bool {
	if a == b {
		return true
	}
	x, y := numbers.FindAllString(a, -1), numbers.FindAllString(b, -1)
	if len(x) != len(y) || numbers.ReplaceAllString(a, "0") != numbers.ReplaceAllString(b, "0") {
		return false
	}
	for i := range x {
		m, _ := strconv.ParseFloat(x[i], 64)
		n, _ := strconv.ParseFloat(y[i], 64)
		if math.Abs(m-n) > 0.005 {
			return false
		}
	}
	return true
}

// asking returns a script that reads the results of a sheet in a browser: look
// is a script with %s for the sheet, as a string.
func asking(t *testing.T, page *browsertest.Page, look string) func(sheet string) map[string]string {
	return func(sheet string) map[string]string {
		text, err := json.Marshal(sheet)
		if err != nil {
			t.Fatal(err)
		}
		var out map[string]string
		page.Eval(fmt.Sprintf(look, text), &out)
		return out
	}
}

// TestDraftsInBrowser compares composed functions and conditions with those of
// the browser, in a wide and a narrow window.
func TestDraftsInBrowser(t *testing.T) {
	page := browsertest.Start(t).Open("about:blank")
	const look = `(sheet => {
		document.head.innerHTML = document.body.innerHTML = "";
		const style = document.createElement("style");
		style.textContent = "#berth { position: relative } " + sheet;
		document.head.append(style);
		document.body.innerHTML = "<div><p id=berth>x</p></div>";
		const computed = getComputedStyle(berth), out = {};
		for (const name of [...computed].filter(n => !n.startsWith("--"))) out[name] = computed.getPropertyValue(name);
		for (const name of ["--x", "--y", "--inner"]) out[name] = computed.getPropertyValue(name).trim();
		return out;
	})(%s)`
	ask := asking(t, page, look)
	for _, width := range []int{1280, 600} {
		page.Call("Emulation.setDeviceMetricsOverride",
			map[string]any{"width": width, "height": 800, "deviceScaleFactor": 1, "mobile": false}, nil)
		for _, src := range draftCases {
			made, diags := composed(src)
			if len(diags) > 0 {
				t.Errorf("%s: %v", src, diags)
				continue
			}
			if strings.Contains(made, "@function") || dashedCall.MatchString(made) {
				t.Errorf("%s became %s, which a browser is to finish", src, made)
			}
			want, got := ask(src), ask(made)
			for name, value := range want {
				if !nearly(got[name], value) {
					t.Errorf("%d pixels: %s\nbecame %s: %s is %q, want %q", width, src, strings.TrimSpace(made), name, got[name],
						value)
				}
			}
		}
	}
	t.Logf("%d sheets", len(draftCases))
}
