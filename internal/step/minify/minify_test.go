package minify

import (
	"testing"

	"rinzel/internal/browsers"
	"rinzel/internal/css/csstest"
	"rinzel/internal/css/parse"
	"rinzel/internal/css/print"
	"rinzel/internal/source"
)

// minified returns a minified sheet for the default targets.
func minified(src string) string { return minifiedFor(src, Options{Targets: browsers.Default()}) }

// minifiedFor returns a minified sheet.
func minifiedFor(src string, opts Options) string {
	sheet, _ := parse.Sheet(new(source.Set).Add(source.Path{Name: "x.css"}, "x.css", src))
	nodes, _ := Proved(sheet.Nodes, opts)
	return print.Sheet(nodes, print.Options{Compact: true})
}

// asIs returns a sheet that is only printed compactly.
func asIs(src string) string {
	sheet, _ := parse.Sheet(new(source.Set).Add(source.Path{Name: "x.css"}, "x.css", src))
	return print.Sheet(sheet.Nodes, print.Options{Compact: true})
}

func TestMinify(t *testing.T) {
	tests := []struct{ name, src, want string }{
		{"numbers", `a { margin: 0.50em +1.0px -0.0px 1.50E+03px; width: 010.00% }`, `a{margin:.5em 1px 0 1.5e+03px;width:10%}`},
		{"whole numbers stay of their type", `a { z-index: 1.0; order: 2.50; flex-grow: 1.0; line-height: 1.50 }`, `a{z-index:1.0;order:2.5;flex-grow:1;line-height:1.5}`},
		{"signs without a space stay", `a { margin: 1px+2px; width: calc(1px + +2px) }`, `a{margin:1px+2px;width:3px}`},
		{"units like exponents", `a { width: 1.0em; x: 1.0e } `, `a{width:1em;x:1e}`},
		{"hex", `a { color: #FFFFFF; background: #AABBCCDD; fill: #ABCDEF }`, `a{color:#fff;background:#abcd;fill:#abcdef}`},
		{"names", `a { color: white; background: #ff0000; border: 1px solid BLACK; fill: rebeccapurple }`, `a{color:#fff;background:red;border:1px solid #000;fill:#639}`},
		{"rgb", `a { color: rgb(255, 0, 0); background: rgba(0 128 0); fill: rgb(1,2,3); stroke: rgba(0,0,0,.5); outline-color: rgb(300,0,0) }`,
			`a{color:red;background:green;fill:#010203;stroke:rgba(0,0,0,.5);outline-color:red}`},
		{"colours in gradients", `a { background: linear-gradient(90deg, #ffffff 0.50%, white) }`, `a{background:linear-gradient(90deg,#fff .5%,#fff)}`},
		{"no colours", `a { animation: white 1s; grid-area: red; font-family: black; background: paint(white); filter: url(#ffffff) }`,
			`a{animation:white 1s;grid-area:red;font-family:black;background:paint(white);filter:url(#ffffff)}`},
		{"custom properties stay", `a { --x:  #FFFFFF  0.50em ; --y: 'a' }`, `a{--x:#FFFFFF  0.50em;--y:'a'}`},
		{"quotes", `a { content: 'x'; x: 'a"b'; y: "c'd"; z: 'e\'f' }`, `a{content:"x";x:'a"b';y:"c'd";z:'e\'f'}`},
		{"urls", `a { b: url("x.png") url('y z.png') url( "a'b" ) URL("w") }`, `a{b:url(x.png) url("y z.png") url("a'b") url(w)}`},
		{"attributes", `a[b="c"], a[b='d e'], a[b="1"], a:not([c='d']) { x: y }`, `a[b=c],a[b="d e"],a[b="1"],a:not([c=d]){x:y}`},
		{"slashes", `a { font: 12px / 1.5 x; border-radius: 1px 2px / 3px; grid-area: 1 / 2 / 3 / 4; x: calc(1px / 2) }`, `a{font:12px/1.5 x;border-radius:1px 2px/3px;grid-area:1/2/3/4;x:.5px}`},
		{"media", `@media screen and (min-width: 600px) and (400px <= width) { a { b: c } }`, `@media screen and (min-width:600px) and (400px <= width){a{b:c}}`},
		{"supports", `@supports (display: grid) and selector(a > b) { a { b: c } }`, `@supports(display:grid) and selector(a > b){a{b:c}}`},
		{"empty rules", `a {} b { } @media x { c {} } @supports (d: e) {} f { /* g */ } h { i {} }`, ``},
		{"empty rules that mean something", `@layer a {} @keyframes b {} @font-face {} @property --c {}`, `@layer a{}@keyframes b{}@font-face{}@property --c{}`},
		{"kept comments", `a { /*! b */ } /*! c */ d { /* e */ f: g }`, "a{/*! b */}/*! c */d{f:g}"},
		{"bad declarations", `a { b: c; *zoom: 1; d: e }`, `a{b:c;d:e}`},
		{"names of properties", `A { COLOR: RED }`, `A{color:RED}`},
		{"old filters", `a { filter: progid:X.gradient(startColorstr='#80000000', x=0.50) }`, `a{filter:progid:X.gradient(startColorstr='#80000000',x=0.50)}`},
		{"keyframes", `@keyframes x { 0.0% { b: 0.0px } 50.50% { b: c } }`, `@keyframes x{0%{b:0px}50.5%{b:c}}`},
	}
	for _, test := range tests {
		t.Run(test.name, func(t *testing.T) {
			want := test.want
			if want != "" {
				want += "\n"
			}
			got := minified(test.src)
			if got != want {
				t.Errorf("%s\n got %swant %s", test.src, got, want)
			}
			if twice := minified(got); twice != got {
				t.Errorf("twice %s", twice)
			}
		})
	}
}

// FuzzMinify checks that minifying is idempotent, to the byte.
func FuzzMinify(f *testing.F) {
	for _, src := range csstest.All() {
		f.Add(src)
	}
	f.Fuzz(func(t *testing.T, src string) {
		once := minified(src)
		if twice := minified(once); twice != once {
			t.Fatalf("source %q\nonce   %q\ntwice  %q", src, once, twice)
		}
	})
}

func BenchmarkMinify(b *testing.B) {
	f := new(source.Set).Add(source.Path{Name: "x.css"}, "x.css", csstest.Generate(1<<20))
	sheet, _ := parse.Sheet(f)
	b.SetBytes(int64(len(f.Text)))
	b.ReportAllocs()
	for b.Loop() {
		Nodes(sheet.Nodes, Options{})
	}
}
