package lower

import (
	"testing"

	"rinzel/internal/browsers"
	"rinzel/internal/css/csstest"
	"rinzel/internal/css/parse"
	"rinzel/internal/css/print"
	"rinzel/internal/source"
)

var old = browsers.AtLeast(map[string]browsers.Version{"chrome": 109000})

func lowered(src string, targets browsers.Targets) string {
	sheet, _ := parse.Sheet(new(source.Set).Add(source.Path{Name: "x.css"}, "x.css", src))
	return print.Sheet(Nodes(sheet.Nodes, targets), print.Options{Compact: true})
}

func TestNesting(t *testing.T) {
	tests := []struct{ name, src, want string }{
		{"descendant", `.a { x: y; .b { z: w } }`, `.a{x:y}.a .b{z:w}`},
		{"ampersand", `.a { &:hover { x: y } &.b { x: y } & > c { x: y } }`, `.a:hover{x:y}.a.b{x:y}.a>c{x:y}`},
		{"relative", `.a { > b { x: y } + c { x: y } ~ d { x: y } }`, `.a>b{x:y}.a+c{x:y}.a~d{x:y}`},
		{"behind", `.a { .b & { x: y } .c &:hover { x: y } }`, `.b .a{x:y}.c .a:hover{x:y}`},
		{"twice", `.a { & + & { x: y } & & { x: y } }`, `.a+.a{x:y}.a .a{x:y}`},
		{"doubled", `.a { && { x: y } }`, `.a.a{x:y}`},
		{"type behind ampersand", `.a { &div { x: y } div& { x: y } }`, `div.a{x:y}div.a{x:y}`},
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
		want := lowered("@media "+test.want+" { a { b: c } }", browsers.AtLeast(map[string]browsers.Version{"chrome": 150000}))
		if got != want {
			t.Errorf("%s\n got %swant %s", test.src, got, want)
		}
		if twice := lowered(got, older); twice != got {
			t.Errorf("a second time %s", twice)
		}
	}
	if src := "@media(width < 1px){a{b:c}}\n"; lowered(src, browsers.AtLeast(map[string]browsers.Version{"chrome": 150000})) != src {
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
	if src := "a{color:oklch(0.6 0.1 200)}\n"; lowered(src, browsers.AtLeast(map[string]browsers.Version{"chrome": 120000})) != src {
		t.Errorf("lowered for browsers that read it: %s", lowered(src, browsers.AtLeast(map[string]browsers.Version{"chrome": 120000})))
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
		Nodes(sheet.Nodes, old)
	}
}
