package compose

import (
	"strings"
	"testing"

	"rinzel/internal/browsertest"
)

// draftPairs are sheets with features of drafts that no browser supports yet:
// mixins (CSS Functions and Mixins 1), custom media (Media Queries 5), custom
// selectors (CSS Extensions 1) and @when (CSS Conditional 5). Each has its
// equivalent in CSS that every browser supports.
var draftPairs = [][2]string{
	// mixins
	{`@mixin --edge() { border: 2px solid teal; } #berth { @apply --edge(); }`, `#berth { border: 2px solid teal }`},
	{`@mixin --edge { border: 2px solid teal; } #berth { @apply --edge; }`, `#berth { border: 2px solid teal }`},
	{`@mixin --pad(--by) { padding: var(--by); } #berth { @apply --pad(7px); }`, `#berth { padding: 7px }`},
	{`@mixin --pad(--by: 3px) { padding: var(--by); } #berth { @apply --pad(); } h1 { @apply --pad(9px); }`, `#berth { padding: 3px } h1 { padding: 9px }`},
	{`@mixin --pad(--y <length>, --x <length>: 4px) { padding: var(--y) var(--x); } #berth { @apply --pad(1px); } h1 { @apply --pad(1px, 2px); }`, `#berth { padding: 1px 4px } h1 { padding: 1px 2px }`},
	{`@mixin --sides(--all) { padding: var(--all); } #berth { @apply --sides(1px 2px 3px); }`, `#berth { padding: 1px 2px 3px }`},
	{`@mixin --move(--what) { transition: var(--what); } #berth { @apply --move({opacity 1s, color 2s}); }`, `#berth { transition: opacity 1s, color 2s }`},
	{`@mixin --square(--size) { width: var(--size); height: var(--size); } #berth { @apply --square(calc(2px * 3)); }`, `#berth { width: 6px; height: 6px }`},
	{`@mixin --lift { &:first-child { top: 4px; } .card & { left: 5px; } } #berth { @apply --lift; }`, `#berth:first-child { top: 4px } .card #berth { left: 5px }`},
	{`@mixin --wide { @media (width > 900px) { width: 40px; } } #berth { @apply --wide; }`, `@media (width > 900px) { #berth { width: 40px } }`},
	{`@mixin --wrap { @media (width > 900px) { @contents; } } #berth { @apply --wrap { width: 40px; color: teal; } }`, `@media (width > 900px) { #berth { width: 40px; color: teal } }`},
	{`@mixin --or { @contents { width: 9px; } } #berth { @apply --or; } h1 { @apply --or { width: 8px; } }`, `#berth { width: 9px } h1 { width: 8px }`},
	{`@mixin --twice { @contents; .card & { @contents; } } h1 { @apply --twice { color: teal; } }`, `h1 { color: teal }`},
	{`@mixin --in { .note { @contents; } } .card { @apply --in { &.note { width: 6px; } color: teal; } }`, `.card .note { color: teal } .card .note.note { width: 6px }`},
	{`@mixin --a { color: red; width: 1px; } #berth { color: blue; @apply --a; width: 2px; }`, `#berth { color: red; width: 2px }`},
	{`@mixin --a { color: red; } @mixin --b { @apply --a; width: 5px; } #berth { @apply --b; }`, `#berth { color: red; width: 5px }`},
	{`@mixin --a(--n) { width: var(--n); } @mixin --b(--n) { @apply --a(calc(var(--n) + 1px)); height: var(--n); } #berth { @apply --b(4px); }`, `#berth { width: 5px; height: 4px }`},
	{`#berth { @apply --late; } @mixin --late { width: 3px; } @mixin --late { width: 4px; }`, `#berth { width: 4px }`},
	{`@mixin --own { --w: 9px; width: var(--w); } #berth { --w: 2px; @apply --own; height: var(--w); }`, `#berth { --w: 9px; width: 9px; height: 9px }`},
	{`@mixin --tone(--c <color>) { color: var(--c); background: color-mix(in srgb, var(--c) 20%, white); } #berth { @apply --tone(#14697a); }`, `#berth { color: #14697a; background: color-mix(in srgb, #14697a 20%, white) }`},
	{`@mixin --layered { @layer low { color: red; } color: blue; } #berth { @apply --layered; }`, `@layer low { #berth { color: red } } #berth { color: blue }`},
	{`@mixin --if { @supports (display: grid) { display: grid; } @supports not (display: grid) { display: table; } } #berth { @apply --if; }`, `#berth { display: grid }`},
	{`@mixin --with(--x, @contents) { left: var(--x); @contents; } #berth { @apply --with(3px) { color: red; } }`, `#berth { left: 3px; color: red }`},
	{`@mixin --important { width: 5px !important; } #berth { @apply --important; width: 6px; }`, `#berth { width: 5px }`},
	{`@mixin --before { &::before { content: "x"; display: block; height: 7px; } } #berth { @apply --before; }`, `#berth::before { content: "x"; display: block; height: 7px }`},
	{`@function --half(--n) { result: calc(var(--n) / 2) } @mixin --m(--n) { width: --half(var(--n)); } #berth { @apply --m(10px); }`, `#berth { width: 5px }`},
	{`@function --f() { result: 1px; @media (width > 900px) { result: 9px } } @mixin --m(--n) { width: var(--n); height: 3px; } #berth { @apply --m(--f()); }`, `#berth { width: 1px; height: 3px } @media (width > 900px) { #berth { width: 9px } }`},
	{`@function --f() { result: 1px; @media (width > 900px) { result: 9px } } @mixin --m(--n) { #berth { width: var(--n); } } @apply --m(--f());`, `#berth { width: 1px } @media (width > 900px) { #berth { width: 9px } }`},
	{`@function --f() { result: 1px; @media (width > 900px) { result: 9px } } @function --g() { result: red; @supports (display: grid) { result: teal } } @mixin --m(--n, --c) { .card & { width: var(--n); color: var(--c); @contents; } } #berth { @apply --m(--f(), --g()) { height: 4px; } }`, `#berth { width: 1px; color: teal; height: 4px } @media (width > 900px) { #berth { width: 9px } }`},
	{`@function --f(--n) { result: var(--n); @media (width > 900px) { result: calc(var(--n) * 2) } } @mixin --in(--n) { width: var(--n); } @mixin --m(--n) { @apply --in(--f(var(--n))); } #berth { @apply --m(--f(3px)); }`, `#berth { width: 3px } @media (width > 900px) { #berth { width: 12px } }`},
	// custom media
	{`@custom-media --wide (width > 900px); @media (--wide) { #berth { width: 9px } }`, `@media (width > 900px) { #berth { width: 9px } }`},
	{`@custom-media --either print, (width > 900px); @media (--either) { #berth { width: 9px } }`, `@media print, (width > 900px) { #berth { width: 9px } }`},
	{`@custom-media --wide (width > 900px); @media not (--wide) { #berth { width: 9px } }`, `@media (width <= 900px) { #berth { width: 9px } }`},
	{`@custom-media --a (width > 500px); @custom-media --b (--a) and (height > 10px); @media screen and (--b) { #berth { width: 9px } }`, `@media screen and (width > 500px) and (height > 10px) { #berth { width: 9px } }`},
	{`@media (--late) { #berth { width: 9px } } @custom-media --late (width > 900px);`, `@media (width > 900px) { #berth { width: 9px } }`},
	{`@custom-media --on true; @custom-media --off false; @media (--on) { #berth { width: 9px } } @media (--off) { #berth { width: 8px } } @media (--off) or (width > 1px) { #berth { height: 4px } }`, `#berth { width: 9px; height: 4px }`},
	{`@custom-media --all; @media (--all) { #berth { width: 9px } }`, `#berth { width: 9px }`},
	{`@custom-media --x not print; @media (--x) and (width > 900px) { #berth { width: 9px } }`, `@media (width > 900px) { #berth { width: 9px } }`},
	{`@custom-media --x (width > 900px); @custom-media --x (width > 1px); @media (--x) { #berth { width: 9px } }`, `#berth { width: 9px }`},
	{`@custom-media --x (width > 900px); #berth { width: 1px; @media (--x) { width: 9px } }`, `#berth { width: 1px } @media (width > 900px) { #berth { width: 9px } }`},
	// custom selectors
	{`@custom-selector :--title h1, h2; :--title { width: 9px }`, `h1, h2 { width: 9px }`},
	{`@custom-selector :--title h1, .nothing#id; :--title { width: 9px } h1 { width: 8px }`, `:is(h1, .nothing#id) { width: 9px } h1 { width: 8px }`},
	{`@custom-selector :--note .note, [data-tone]; .card :--note { width: 9px } :--note.card { height: 3px }`, `.card .note, .card [data-tone] { width: 9px } .card[data-tone], .note.card { height: 3px }`},
	{`@custom-selector :--in .card > p; :--in { width: 9px } :not(:--in) { height: 3px }`, `.card > p { width: 9px } :not(.card > p) { height: 3px }`},
	{`@custom-selector :--a p; @custom-selector :--b :--a, h1; main :--b { width: 9px }`, `main :is(p, h1) { width: 9px }`},
	{`:--late { width: 9px } @custom-selector :--late #berth;`, `#berth { width: 9px }`},
	{`@custom-selector :--x p; .card { & :--x { width: 9px } :--x& { height: 1px } }`, `.card p { width: 9px } p.card { height: 1px }`},
	{`@custom-selector :--x p; :--x::before { content: "x" } :--x:first-child { width: 9px }`, `p::before { content: "x" } p:first-child { width: 9px }`},
	// @when and @else
	{`@when media(width > 900px) { #berth { width: 9px } } @else { #berth { width: 8px } }`, `#berth { width: 8px } @media (width > 900px) { #berth { width: 9px } }`},
	{`@when media(width > 900px) and supports(display: grid) { #berth { width: 9px } } @else media(width > 500px) { #berth { width: 7px } } @else { #berth { width: 8px } }`, `@media (width > 900px) { #berth { width: 9px } } @media (width <= 900px) and (width > 500px) { #berth { width: 7px } }`},
	{`@when media(print) or media(width > 900px) { #berth { width: 9px } }`, `@media (width > 900px) { #berth { width: 9px } }`},
	{`@when not supports(display: nothing) { #berth { width: 9px } } @else { #berth { width: 1px } }`, `#berth { width: 9px }`},
	{`@when supports(selector(a:has(b))) and (media(width > 900px) or media(height > 5000px)) { #berth { width: 9px } } @else { #berth { width: 4px } }`, `#berth { width: 4px } @media (width > 900px) { #berth { width: 9px } }`},
	{`#berth { @when media(width > 900px) { width: 9px } @else { width: 8px } }`, `#berth { width: 8px } @media (width > 900px) { #berth { width: 9px } }`},
	{`@when media(screen) { #berth { width: 9px } } @else media(print) { #berth { width: 1px } }`, `#berth { width: 9px }`},
	{`@when media((width > 900px) and (height > 1px)) { #berth { width: 9px } }`, `@media (width > 900px) { #berth { width: 9px } }`},
	{`.card { container-type: inline-size } @when container(width > 700px) { #berth { height: 9px } } @else { #berth { height: 8px } }`, `.card { container-type: inline-size } #berth { height: 8px } @container (width > 700px) { #berth { height: 9px } }`},
	{`@when media(width > 900px) { @when media(width > 1200px) { #berth { width: 9px } } @else { #berth { width: 7px } } }`, `@media (width > 1200px) { #berth { width: 9px } }`},
}

// TestDraftPairsInBrowser checks that composed mixins, custom media, custom
// selectors and @when look the same as their equivalents, in a wide and a
// narrow window.
func TestDraftPairsInBrowser(t *testing.T) {
	page := browsertest.Start(t).Open("about:blank")
	const look = `(sheet => {
		document.head.innerHTML = document.body.innerHTML = "";
		const style = document.createElement("style");
		style.textContent = "#berth, h1 { position: relative } " + sheet;
		document.head.append(style);
		document.body.innerHTML = "<main><h1>x</h1><div class='card open' data-tone=calm><p id=berth class=note>x</p><i>y</i></div></main>";
		const out = {};
		for (const [i, e] of [...document.querySelectorAll("main, main *")].entries()) for (const pseudo of ["", "::before"]) {
			const computed = getComputedStyle(e, pseudo || null);
			for (const name of [...computed].filter(n => !n.startsWith("--"))) out[i + pseudo + " " + name] = computed.getPropertyValue(name);
		}
		return out;
	})(%s)`
	ask := asking(t, page, look)
	changes := make(map[string]bool) // by the equivalent: it changes something at some width
	for _, width := range []int{1280, 600} {
		page.Call("Emulation.setDeviceMetricsOverride",
			map[string]any{"width": width, "height": 800, "deviceScaleFactor": 1, "mobile": false}, nil)
		bare := ask("")
		for _, pair := range draftPairs {
			made, diags := composed(pair[0])
			if len(diags) > 0 {
				t.Errorf("%s: %v", pair[0], diags)
				continue
			}
			for _, own := range []string{"@mixin", "@apply", "@contents", "@custom", ":--", "@when", "@else"} {
				if strings.Contains(made, own) {
					t.Errorf("%s became %s, with %q", pair[0], made, own)
				}
			}
			want, got := ask(pair[1]), ask(made)
			for name, value := range want {
				if !nearly(got[name], value) {
					t.Errorf("%d pixels: %s\nbecame %s: %s is %q, want %q", width, pair[0], strings.TrimSpace(made), name,
						got[name], value)
				}
				changes[pair[1]] = changes[pair[1]] || value != bare[name]
			}
		}
	}
	for _, pair := range draftPairs {
		if !changes[pair[1]] {
			t.Errorf("%s changes nothing, and so shows nothing", pair[1])
		}
	}
	t.Logf("%d sheets", len(draftPairs))
}
