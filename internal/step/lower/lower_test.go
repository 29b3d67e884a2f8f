package lower

import (
	"slices"
	"strings"
	"testing"

	"rinzel/internal/browsers"
	"rinzel/internal/css/csstest"
	"rinzel/internal/css/parse"
	"rinzel/internal/css/print"
	"rinzel/internal/source"
)

var old = browsers.AtLeast(map[string]browsers.Version{"chrome": 109000})

func lowered(src string, targets browsers.Targets) string {
	return loweredWith(src, Options{Targets: targets})
}

func loweredWith(src string, opts Options) string {
	sheet, _ := parse.Sheet(new(source.Set).Add(source.Path{Name: "x.css"}, "x.css", src))
	return print.Sheet(Nodes(sheet.Nodes, opts), print.Options{Compact: true})
}

// ancient are the browsers of 2017 and all newer ones.
var ancient = browsers.AtLeast(map[string]browsers.Version{"chrome": 58000, "firefox": 52000, "safari": 10000})

// TestNothingNeeded checks that nodes that need no change are returned, not
// copied.
func TestNothingNeeded(t *testing.T) {
	sheet, _ := parse.Sheet(new(source.Set).Add(source.Path{Name: "x.css"}, "x.css",
		"@media print { a { color: red } } b { top: 0 } @keyframes x { to { top: 0 } }"))
	if nodes := Nodes(sheet.Nodes, Options{Targets: ancient}); !slices.Equal(nodes, sheet.Nodes) {
		t.Errorf("other nodes: %v", nodes)
	}
}

// lowerTest is a sheet and its lowered form; an empty want means unchanged.
type lowerTest struct{ src, want string }

func testLowering(t *testing.T, opts Options, tests []lowerTest) {
	t.Helper()
	for _, test := range tests {
		if test.want == "" {
			test.want = strings.TrimSuffix(loweredWith(test.src, Options{}), "\n")
		}
		got := loweredWith(test.src, opts)
		if got != test.want+"\n" {
			t.Errorf("%s\n got %swant %s", test.src, got, test.want)
		}
		if twice := loweredWith(got, opts); twice != got {
			t.Errorf("%s\n a second time %s", test.src, twice)
		}
		if newest := loweredWith(test.src,
			Options{Targets: browsers.AtLeast(map[string]browsers.Version{"chrome": 150000})}); newest != loweredWith(test.src, Options{}) {
			t.Errorf("%s\n is lowered for browsers that read it: %s", test.src, newest)
		}
	}
}

func TestValues(t *testing.T) {
	testLowering(t, Options{Targets: ancient}, []lowerTest{
		{`a { color: #12345678; --c: #f008 }`, `a{color:rgba(18,52,86,0.471);--c:#f008}`},
		{`a { color: rgb(1 2 3); background: rgb(100% 0% 0% / 50%) }`, `a{color:#010203;background:rgba(255,0,0,0.5)}`},
		{`a { color: rgb(1, 2, 3); background: hsl(120, 100%, 25%) }`, ``},
		{`a { color: rgb(1 2 3 / var(--a)); fill: hsl(120 100% 25% / var(--a)); background: rgb(var(--c) / 50%); stroke: rgb(1 50% 3 / var(--a)) }`,
			`a{color:rgba(1,2,3,var(--a));fill:hsla(120,100%,25%,var(--a));background:rgb(var(--c) / 50%);stroke:rgb(1 50% 3 / var(--a))}`},
		{`a { color: hsl(120deg 100% 25%); fill: hwb(120 20% 20% / 0.5) }`, `a{color:green;fill:rgba(51,204,51,0.5)}`},
		{`a { background: linear-gradient(to right, red 0 10px, blue 50% 60%, rgb(1 2 3) 4px calc(5px + 1em)) }`,
			`a{background:linear-gradient(to right,red 0,red 10px,blue 50%,blue 60%,#010203 4px,#010203 calc(5px + 1em))}`},
		{`a { background: radial-gradient(ellipse 10px 20px, red 0, blue 10px 20px), repeating-linear-gradient(45deg, var(--a) 0 1px) }`,
			`a{background:radial-gradient(ellipse 10px 20px,red 0,blue 10px,blue 20px),repeating-linear-gradient(45deg,var(--a) 0,var(--a) 1px)}`},
		{`a { width: clamp(1px, 2vw, 3px) }`, ``}, // they do not support max() either
		{`a { font: 1em/2 system-ui, serif; font-family: system-ui } b { font-family: system-ui, -apple-system, serif }`,
			`a{font:1em/2 system-ui,-apple-system,"Segoe UI",Roboto,serif;font-family:system-ui,-apple-system,"Segoe UI",Roboto}b{font-family:system-ui,-apple-system,serif}`},
		{`@keyframes k { to { color: #f008 } }`, `@keyframes k{to{color:rgba(255,0,0,0.533)}}`},
	})
	testLowering(t, Options{Targets: browsers.AtLeast(map[string]browsers.Version{"chrome": 79000, "safari": 12000})},
		[]lowerTest{
			{`a { width: clamp(1px, 2vw, 3px); --w: clamp(1px,var(--x),3px) }`, `a{width:max(1px,min(2vw,3px));--w:max(1px,min(var(--x),3px))}`},
			{`a { width: calc(1px + clamp(1px, clamp(2px, 3vw, 4px), 5px)) }`, `a{width:calc(1px + max(1px,min(max(2px,min(3vw,4px)),5px)))}`},
			{`a { width: clamp(none, 2vw, 3px); height: clamp(1px, 2vw, none) }`, `a{width:min(2vw,3px);height:max(1px,2vw)}`},
			{`a { width: clamp(1px, 2vw) }`, ``},
		})
	testLowering(t, Options{Targets: ancient, AsIs: map[string]bool{hexWithAlpha: true}},
		[]lowerTest{{`a { color: #12345678 }`, ``}})
}

func TestAsIs(t *testing.T) {
	const src = `/* rinzel as-is: lower */ a { b { color: #f008 } } c { /* rinzel as-is */ d { color: #f008 } e { /* rinzel as-is */ color: #f008; fill: #f008 } }`
	got := loweredWith(src, Options{Targets: ancient})
	if want := "a{b{color:#f008}}c{d{color:#f008}}c e{color:#f008;fill:rgba(255,0,0,0.533)}\n"; got != want {
		t.Errorf("%s\n got %swant %s", src, got, want)
	}
}

func TestProperties(t *testing.T) {
	testLowering(t, Options{Targets: ancient}, []lowerTest{
		{`a { inset: 0 }`, `a{top:0;right:0;bottom:0;left:0}`},
		{`a { inset: 1px 2px 3px !important; color: red }`, `a{top:1px!important;right:2px!important;bottom:3px!important;left:2px!important;color:red}`},
		{`a { inset: var(--x) } b { inset: 1px var(--x) } c { inset: 1px var(--x) 2px 3px }`, `a{inset:var(--x)}b{inset:1px var(--x)}c{top:1px;right:var(--x);bottom:2px;left:3px}`},
		{`a { place-items: center; place-content: start end; place-self: first baseline; place-items: baseline }`,
			`a{align-items:center;justify-items:center;align-content:start;justify-content:end;place-self:first baseline;place-items:baseline}`},
		{`a { overflow: hidden auto } b { overflow: hidden }`, `a{overflow-x:hidden;overflow-y:auto}b{overflow:hidden}`},
		{`a { display: inline flex } b { display: flow-root inline } c { display: ruby block } d { display: flex }`,
			`a{display:inline-flex}b{display:inline-block}c{display:ruby block}d{display:flex}`},
		{`a { margin-inline: 1px }`, ``},
	})
	logical := []lowerTest{
		{`a { margin-inline: 1px 2px; padding-block: 3px; inset-inline-start: 4px }`, `a{margin-left:1px;margin-right:2px;padding-top:3px;padding-bottom:3px;left:4px}`},
		{`a { border-inline: 1px solid red; border-block-color: red blue; border-inline-end-width: 2px }`,
			`a{border-left:1px solid red;border-right:1px solid red;border-top-color:red;border-bottom-color:blue;border-right-width:2px}`},
		{`a { inline-size: var(--w); max-block-size: 3em; border-start-end-radius: 4px 5px }`, `a{width:var(--w);max-height:3em;border-top-right-radius:4px 5px}`},
		{`a { margin-inline: var(--x) } a { margin-inline-start: var(--x) }`, `a{margin-inline:var(--x)}a{margin-left:var(--x)}`},
	}
	testLowering(t, Options{Targets: ancient, Direction: LeftToRight}, logical)
	testLowering(t, Options{Targets: ancient, Direction: RightToLeft}, []lowerTest{
		{`a { margin-inline: 1px 2px; inset-inline-start: 4px; border-start-end-radius: 4px; margin-block-start: 0 }`,
			`a{margin-right:1px;margin-left:2px;right:4px;border-top-left-radius:4px;margin-top:0}`},
	})
}

func TestSelectors(t *testing.T) {
	testLowering(t, Options{Targets: ancient}, []lowerTest{
		{`:is(.a, .b) c { x: y }`, `.a c,.b c{x:y}`},
		{`p:is(.a, .b):hover > :is(#i, #j) { x: y }`, `p.a:hover>#i,p.a:hover>#j,p.b:hover>#i,p.b:hover>#j{x:y}`},
		{`:is(h1, h2).t { x: y }`, `h1.t,h2.t{x:y}`},
		{`.t:is(h1, h2) { x: y }`, `h1.t,h2.t{x:y}`},
		{`:is(.a .b, .c > .d) e { x: y }`, `.a .b e,.c>.d e{x:y}`},
		{`e :is(.a .b, .c .d) { x: y }`, ``},
		{`:is(.a, b) { x: y }`, ``}, // of different specificity
		{`p:is(a, b) { x: y }`, ``}, // never matches
		{`:is(:is(.a, .b), .c) { x: y }`, `.a,.b,.c{x:y}`},
		{`:is(.a, :focus-visible) { x: y }`, ``}, // an unknown one would invalidate the list
		{`:is() { x: y }`, ``},
		{`a:not(.b, .c) { x: y }`, ``},
		{`.x:where(.a) { x: y }`, ``},
		{`.a, .b { &:hover { .c & { x: y } } }`, `.c .a:hover,.c .b:hover{x:y}`},
		{`a:any-link, b a.x:any-link:hover { x: y }`, ``}, // they support it with a prefix
	})
	testLowering(t, Options{Targets: browsers.AtLeast(map[string]browsers.Version{"edge": 16000})}, []lowerTest{
		{`a:any-link, b a.x:any-link:hover { x: y }`, `a[href],b a.x[href]:hover{x:y}`},
		{`:any-link { x: y }`, ``},
	})
	testLowering(t, Options{Targets: ancient, Direction: LeftToRight}, []lowerTest{
		{`.a:dir(ltr) b, .a:dir(rtl) { x: y }`, `.a:not([dir=rtl]) b{x:y}`},
		{`.a { c: d } .a:dir(rtl) { x: y } .b { c: d }`, `.a{c:d}.b{c:d}`},
	})
}

func TestSchemes(t *testing.T) {
	testLowering(t, Options{Targets: browsers.AtLeast(map[string]browsers.Version{"chrome": 122000})}, []lowerTest{
		{`a { color: light-dark(red, blue) }`, `a{color:red;color:light-dark(red,blue)}`},
		{`:root { color-scheme: light dark } a { border: 1px solid light-dark(red, blue) }`,
			`:root{color-scheme:light dark}a{border:1px solid red;border:1px solid light-dark(red,blue);@media(prefers-color-scheme: dark){@supports not (color: light-dark(red,red)){border:1px solid blue}}}`},
		{`:root { color-scheme: light dark; --c: light-dark(red, blue) }`,
			`:root{color-scheme:light dark;--c:red;@media(prefers-color-scheme: dark){@supports not (color: light-dark(red,red)){--c:blue}}@supports(color: light-dark(red,red)){--c:light-dark(red, blue)}}`},
		{`:root { color-scheme: light dark } .night { color-scheme: dark } a { color: light-dark(red, blue) }`,
			`:root{color-scheme:light dark}.night{color-scheme:dark}a{color:red;color:light-dark(red,blue)}`},
		{`@media print { :root { color-scheme: light dark } } a { color: light-dark(red, blue) }`, `@media print{:root{color-scheme:light dark}}a{color:red;color:light-dark(red,blue)}`},
		{`a { color: light-dark(red) }`, ``},
		{`@keyframes k { to { color: light-dark(red, blue); --c: light-dark(red, blue) } }`, `@keyframes k{to{color:red;color:light-dark(red,blue);--c:light-dark(red, blue)}}`},
		{`a { color: light-dark(light-dark(red, lime), f(light-dark(blue, navy))) }`, `a{color:red;color:light-dark(light-dark(red,lime),f(light-dark(blue,navy)))}`},
	})
}

func TestNesting(t *testing.T) {
	tests := []struct{ name, src, want string }{
		{"descendant", `.a { x: y; .b { z: w } }`, `.a{x:y}.a .b{z:w}`},
		{"ampersand", `.a { &:hover { x: y } &.b { x: y } & > c { x: y } }`, `.a:hover{x:y}.a.b{x:y}.a>c{x:y}`},
		{"relative", `.a { > b { x: y } + c { x: y } ~ d { x: y } }`, `.a>b{x:y}.a+c{x:y}.a~d{x:y}`},
		{"behind", `.a { .b & { x: y } .c &:hover { x: y } }`, `.b .a{x:y}.c .a:hover{x:y}`},
		{"twice", `.a { & + & { x: y } & & { x: y } }`, `.a+.a{x:y}.a .a{x:y}`},
		{"doubled", `.a { && { x: y } }`, `.a.a{x:y}`},
		{"type behind ampersand", `.a { &div { x: y } div& { x: y } }`, `&div{x:y}div.a{x:y}`},
		{"type twice", `div { .b& { x: y } p& { x: y } && { x: y } }`, `div.b{x:y}p:is(div){x:y}:is(div):is(div){x:y}`},
		{"list of equal weight", `.a, .b { &:hover { x: y } > c { x: y } }`, `.a:hover,.b:hover{x:y}.a>c,.b>c{x:y}`},
		{"list of unequal weight", `.a, #b { &:hover { x: y } }`, `:is(.a,#b):hover{x:y}`},
		{"list behind", `.a, .b { .c & { x: y } }`, `.c :is(.a,.b){x:y}`},
		{"complex parent leads", `.a .b { & c { x: y } &:hover { x: y } }`, `.a .b c{x:y}.a .b:hover{x:y}`},
		{"complex parent behind", `.a .b { .c & { x: y } }`, `.c :is(.a .b){x:y}`},
		{"in an argument", `.a { :not(&) { x: y } b:has(> &) { x: y } }`, `:not(.a){x:y}b:has(>.a){x:y}`},
		{"list in an argument", `.a, b { :not(&) { x: y } }`, `:not(:is(.a,b)){x:y}`},
		{"pseudo-element parent", `.a::before { &:hover { x: y } }`, `:is(.a::before):hover{x:y}`},
		{"in media", `.a { @media print { x: y; b { z: w } } }`, `@media print{.a{x:y}.a b{z:w}}`},
		{"in media, pseudo-element", `.a::before { @media print { x: y } }`, `@media print{.a::before{x:y}}`},
		{"media in media", `.a { @media print { @supports (x: y) { x: y } } }`, `@media print{@supports(x: y){.a{x:y}}}`},
		{"order of declarations", `.a { x: 1; .b { x: 2 } x: 3; }`, `.a{x:1}.a .b{x:2}.a{x:3}`},
		{"deep", `.a { .b { .c { x: y } & > d { x: y } } }`, `.a .b .c{x:y}.a .b>d{x:y}`},
		{"deep lists", `.a, .b { .c, .d { x: y } }`, `.a .c,.b .c,.a .d,.b .d{x:y}`},
		{"within media", `@media print { .a { b { x: y } } }`, `@media print{.a b{x:y}}`},
		{"layer within", `.a { @layer x { y: z } }`, `@layer x{.a{y:z}}`},
		{"unknown at-rule stays", `.a { @apply x; y: z; b { c: d } }`, `.a{@apply x;y:z}.a b{c:d}`},
		{"empty", `.a { x: y; .b {} }`, `.a{x:y}`},
		{"flat", `.a { x: y } .b {}`, `.a{x:y}.b{}`},
		{"bad", `.a { 5 { x: y } b { x: y } }`, `5{x:y}.a b{x:y}`},
		{"pseudo-class list", `:is(.a, .b) { c { x: y } }`, `:is(.a,.b) c{x:y}`},
	}
	for _, test := range tests {
		t.Run(test.name, func(t *testing.T) {
			if got := lowered(test.src, old); got != test.want+"\n" {
				t.Errorf("%s\n got %swant %s", test.src, got, test.want)
			}
		})
	}
}

func TestRanges(t *testing.T) {
	older := browsers.AtLeast(map[string]browsers.Version{"safari": 15004})
	tests := []struct{ src, want string }{
		{`(width >= 40rem)`, `(min-width: 40rem)`}, {`(40rem <= width)`, `(min-width: 40rem)`}, {`(width<=600px)`, `(max-width: 600px)`},
		{`screen and (width >= 40rem) and (hover)`, `screen and (min-width: 40rem) and (hover)`},
		{`(width < 600px)`, `(max-width: 599.98px),(width < 600px)`}, {`(width > 40rem)`, `(min-width: 40.001rem),(width > 40rem)`},
		{`(20rem <= width <= 60rem)`, `(min-width: 20rem) and (max-width: 60rem)`}, {`(60rem > width >= 20rem)`, `(max-width: 59.999rem) and (min-width: 20rem),(60rem > width >= 20rem)`},
		{`(width = 5px)`, `(width: 5px)`}, {`(color > 4)`, `(min-color: 5),(color > 4)`}, {`(resolution >= 2dppx)`, `(min-resolution: 2dppx)`},
		{`not all and (width < 40rem)`, `not all and (max-width: 40rem),not all and (width < 40rem)`}, {`not screen and (width >= 40rem)`, `not screen and (min-width: 40rem)`},
		{`print, (width >= 1px), (height < 2em)`, `print,(min-width: 1px),(max-height: 1.999em),(height < 2em)`},
		{`(width >= calc(1px + 2em))`, ``}, {`(aspect-ratio > 16/9)`, ``}, {`not (width < 1px)`, ``}, {`(width < 1px) or (hover)`, ``}, {`(width < 0px)`, ``},
		{`((width >= 1px) and (hover))`, ``}, {`(hover)`, ``}, {`(min-width: 1px)`, ``}, {`(grid = 1)`, ``}, {`(width)`, ``},
	}
	for _, test := range tests {
		if test.want == "" {
			test.want = test.src
		}
		got := lowered("@media "+test.src+" { a { b: c } }", older)
		want := lowered("@media "+test.want+" { a { b: c } }",
			browsers.AtLeast(map[string]browsers.Version{"chrome": 150000}))
		if got != want {
			t.Errorf("%s\n got %swant %s", test.src, got, want)
		}
		if twice := lowered(got, older); twice != got {
			t.Errorf("a second time %s", twice)
		}
	}
	if src := "@media(width < 1px){a{b:c}}\n"; lowered(src,
		browsers.AtLeast(map[string]browsers.Version{"chrome": 150000})) != src {
		t.Error("a range was lowered for browsers that read it")
	}
}

func TestColors(t *testing.T) {
	tests := []struct{ name, src, want string }{
		{"before", `a { color: oklch(0.6 0.1 200); b: c }`, `a{color:#0d9298;color:oklch(0.6 0.1 200);b:c}`},
		{"beyond sRGB", `a { color: color(display-p3 0 1 0 / 50%) !important }`, `a{color:rgba(0,251,41,0.5)!important;color:color(display-p3 0 1 0 / 50%)!important}`},
		{"within a value", `a { background: linear-gradient(lab(50 20 20), red) }`, `a{background:linear-gradient(#9e6956,red);background:linear-gradient(lab(50 20 20),red)}`},
		{"with its own fallback", `a { color: red; color: oklch(0.6 0.1 200) }`, `a{color:red;color:oklch(0.6 0.1 200)}`},
		{"custom property", `a { --x: oklch(0.6 0.1 200); b: c }`, `a{--x:#0d9298}@supports(color: oklch(0 0 0)){a{--x:oklch(0.6 0.1 200)}}a{b:c}`},
		{"beside var()", `a { border: var(--w) solid color(srgb 1 0 0) }`, `a{border:var(--w) solid red}@supports(color: color(srgb 0 0 0)){a{border:var(--w) solid color(srgb 1 0 0)}}`},
		{"in keyframes", `@keyframes x { to { color: lab(50 20 20); --x: lab(50 20 20) } }`, `@keyframes x{to{color:#9e6956;color:lab(50 20 20);--x:lab(50 20 20)}}`},
		{"mix", `a { color: color-mix(in srgb, red, blue); fill: color-mix(in srgb, var(--c), red) }`, `a{color:purple;color:color-mix(in srgb,red,blue);fill:color-mix(in srgb,var(--c),red)}`},
		{"relative", `a { color: rgb(from red g r b / 50%); --c: hsl(from red h s l) }`,
			`a{color:rgba(0,255,0,0.5);color:rgb(from red g r b / 50%);--c:red}@supports(color: hsl(from red 0 0 0)){a{--c:hsl(from red h s l)}}`},
		{"only a browser knows", `a { color: oklch(var(--l) 0.1 20); fill: oklch(from currentcolor l c h) }`, `a{color:oklch(var(--l) 0.1 20);fill:oklch(from currentcolor l c h)}`},
		{"guarded already", `@supports (color: lab(0 0 0)) { a { --x: lab(50 20 20) } }`, `@supports(color: lab(0 0 0)){a{--x:lab(50 20 20)}}`},
	}
	for _, test := range tests {
		got := lowered(test.src, old)
		if got != test.want+"\n" {
			t.Errorf("%s: %s\n got %swant %s", test.name, test.src, got, test.want)
		}
		if twice := lowered(got, old); twice != got {
			t.Errorf("%s: a second time %s", test.name, twice)
		}
	}
	if src := "a{color:oklch(0.6 0.1 200)}\n"; lowered(src,
		browsers.AtLeast(map[string]browsers.Version{"chrome": 120000})) != src {
		t.Errorf("lowered for browsers that read it: %s",
			lowered(src, browsers.AtLeast(map[string]browsers.Version{"chrome": 120000})))
	}
}

func TestOnlyWhereATargetLacksIt(t *testing.T) {
	src := ".a{.b{x:y}}\n"
	if got := lowered(src, browsers.AtLeast(map[string]browsers.Version{"chrome": 120000, "safari": 17002})); got != src {
		t.Errorf("got %s", got)
	}
}

func TestLowerTwice(t *testing.T) {
	for _, src := range append(csstest.Valid, csstest.Generate(1<<14)) {
		once := lowered(src, old)
		if twice := lowered(once, old); twice != once {
			t.Errorf("%q\nonce  %s\ntwice %s", src, once, twice)
		}
	}
}

func BenchmarkLower(b *testing.B) {
	f := new(source.Set).Add(source.Path{Name: "x.css"}, "x.css", csstest.Generate(1<<20))
	sheet, _ := parse.Sheet(f)
	b.SetBytes(int64(len(f.Text)))
	b.ReportAllocs()
	for b.Loop() {
		Nodes(sheet.Nodes, Options{Targets: old})
	}
}
