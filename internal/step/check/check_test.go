package check

import (
	"fmt"
	"strings"
	"testing"

	"rinzel/internal/browsers"
	"rinzel/internal/css/ast"
	"rinzel/internal/css/csstest"
	"rinzel/internal/css/parse"
	"rinzel/internal/diag"
	"rinzel/internal/source"
)

// found returns what a check finds in a sheet, a finding a line: its code, what
// it is about, its message and its mend.
func found(src string, look func([]ast.Node) []diag.Diagnostic) string {
	set := new(source.Set)
	f := set.Add(source.Path{Name: "x.css"}, "x.css", src)
	sheet, _ := parse.Sheet(f)
	var lines []string
	for _, d := range look(sheet.Nodes) {
		line := fmt.Sprintf("%s [%s] %s", d.Code, f.Text[d.Span.Start.Off:d.Span.End], d.Message)
		if d.Mend != "" {
			line += "; " + d.Mend
		}
		lines = append(lines, line)
	}
	return strings.Join(lines, "\n")
}

func TestNodes(t *testing.T) {
	targets := browsers.Default()
	tests := []struct{ src, want string }{
		{`a { color: red; margin: 0 auto } @media (min-width: 1px) { a:hover { top: 0 } } @font-face { font-family: x; src: url(x) }`, ``},
		{`a { colr: red }`, `unknown-property [colr] there is no property "colr"; did you mean "color"?`},
		{`a { xyzzy: red }`, `unknown-property [xyzzy] there is no property "xyzzy"`},
		{`a { --colr: red; -webkit-unheard-of: 1; zoom: 2; -webkit-tap-highlight-color: red }`, ``},
		{`a { display: blok }`, `unknown-value [blok] "blok" does not fit into the value of "display"; did you mean "block"?`},
		{`a { padding: auto }`, `unknown-value [auto] "auto" does not fit into the value of "padding"; it takes a length or a percentage`},
		{`a { font: bold }`, `unknown-value [bold] the value of "font" ends too early`},
		{`a { width: var(--x) nonsense; height: env(x) y; color: --tone(3) }`, ``},
		{`a { width: -moz-available; display: -webkit-box; background: -webkit-linear-gradient(left, red, blue) }`, ``},
		{`a { width: 10 }`, `missing-unit [10] "10" has no unit, and no browser reads it as a length; write "10px", or another unit`},
		{`a { margin: 0 1.5 }`, `missing-unit [1.5] "1.5" has no unit, and no browser reads it as a length; write "1.5px", or another unit`},
		{`a { transform: rotate(45) }`, `missing-unit [45] "45" has no unit, and no browser reads it as an angle; write "45deg", or another unit`},
		{`a { transition: color 1 }`, `missing-unit [1] "1" has no unit, and no browser reads it as a time; write "1s", or another unit`},
		{`a { line-height: 2; flex: 1; opacity: 0.5; width: 0 }`, ``},
		{`a { padding: -1px }`, `out-of-range [-1px] "-1px" is out of range: "padding" takes 0 or more`},
		{`a { transition-timing-function: cubic-bezier(2, 0, 0, 1) }`, `out-of-range [2] "2" is out of range: "transition-timing-function" takes 0 to 1`},
		{`a { color: #12345 }`, `bad-color [#12345] "#12345" is no colour; a colour has 3, 4, 6 or 8 digits from 0 to 9 and a to f`},
		{`a { color: #ggg }`, `bad-color [#ggg] "#ggg" is no colour; a colour has 3, 4, 6 or 8 digits from 0 to 9 and a to f`},
		{`a { color: rgb(1, 2) }`, `unknown-value [,] "," does not fit into the value of "color"; it takes a number, a percentage or "none"`},
		{`@medai print { a { colr: red } }`, `unknown-at-rule [@medai] there is no at-rule "@medai"; did you mean "@media"?`},
		{`@-webkit-keyframes x { to { colr: red } }`, `unknown-property [colr] there is no property "colr"; did you mean "color"?`},
		{`@font-face { font-famly: x; src: url(x) }`, `unknown-descriptor [font-famly] "@font-face" has no descriptor "font-famly"; did you mean "font-family"?`},
		{`@font-face { font-display: fast }`, `unknown-value [fast] "fast" does not fit into the value of "font-display"; it takes "auto", "block", "fallback", "optional" or "swap"`},
		{`@page { size: A4 landscape; margin: 1cm; marjin: 0 }`, `unknown-property [marjin] there is no property "marjin"; did you mean "margin"?`},
		{`@font-feature-values x { @styleset { anything: 1 } }`, ``},
		{`@media (min-widht: 1px) {}`, `unknown-media-feature [min-widht] there is no media feature "min-widht"; did you mean "min-width"?`},
		{`@media (widht > 1px) and (hover) {}`, `unknown-media-feature [widht] there is no media feature "widht"; did you mean "width"?`},
		{`@media (1px < width <= 2px) and (prefers-color-scheme: dark), (-webkit-min-device-pixel-ratio: 2) and (min-resolution: 2dppx) {}`, ``},
		{`@media (min-width 3px) {}`, `bad-query [(min-width 3px)] the media query cannot be read here, and never holds: expected a feature, and perhaps ':' and a value; write (min-width: 3px)`},
		{`@media scren, print {}`, `bad-query [scren] there is no media type "scren", and the query never holds; did you mean "screen"?`},
		{`@media screen (width > 1px) {}`, `bad-query [screen (width > 1px)] the media query cannot be read, and never holds; write "and" between the media type and a feature in brackets`},
		{`@media (width > 1px) and (hover) or (color) {}`, `bad-query [or] the media query joins by "and" and by "or", and never holds; put one of them in brackets`},
		{`@media (width > 1px) and {}`, `bad-query [and] the media query ends after "and", and never holds`},
		{`@media (width > 1px) (hover) {}`, `bad-query [(hover)] the media query cannot be read here, and never holds; write "and" or "or" between two features`},
		{`@media screen and width {}`, `bad-query [width] the media query cannot be read here, and never holds: expected a feature in brackets, found "width"`},
		{`@media () {}`, `bad-query [()] the brackets of the media query are empty, and it never holds`},
		{`@media all {} @media not screen, only print and (color) {} @media (width > 1px) and (not (hover)) {} @media not (hover) {} @media (1px < width < 2px) or ((hover) and (color)) {} @media screen and (min-width: calc(1px + 2px)) {} @media {} @media (min-aspect-ratio: 16 / 9) {}`, ``},
		{`@media \0screen {} @media screen and (min-width:0\0) {} @media tv, (hover) {}`, ``},
		{`@container (min-width 3px) {}`, `bad-query [(min-width 3px)] the container query cannot be read here, and never holds: expected a feature, and perhaps ':' and a value; write (min-width: 3px)`},
		{`@container card (width > 1px) and (not (height > 2px)) {} @container style(--x: 1) {} @container card {} @container not (width > 1px) {}`, ``},
		{`@layer a b; @layer a.b, c; @layer {} @layer x {}`, `bad-layer [a b] the names of layers cannot be read, and browsers skip the rule; write commas between the names of layers, and dots between those of a layer in a layer`},
		{`@keyframes k { 50 { top: 0 } form { top: 1px } from, 30.5%, to { top: 2px } entry 0% { top: 3px } }`, `bad-keyframe [50] "50" selects no keyframe, and browsers skip what stands in its block; write 50%` + "\n" +
			`bad-keyframe [form] "form" selects no keyframe, and browsers skip what stands in its block; did you mean "from"?`},
		{`a { color: ; --x: ; --y:; }`, `unknown-value [color] "color" has no value, and browsers skip it; give it a value, or leave it out`},
		{`a { width: var(gap); height: calc(1px + var(--x, var(y))); top: env(); left: env(safe-area-inset-left, 1px); right: var(--z) }`, `bad-var [var(gap)] var() names no custom property, and browsers skip the declaration; write var(--gap)` + "\n" +
			`bad-var [var(y)] var() names no custom property, and browsers skip the declaration; write var(--y)` + "\n" + `bad-var [env()] env() names nothing, and browsers skip the declaration`},
		{`a:hovr {}`, `unknown-pseudo [:hovr] there is no ":hovr", and browsers drop a rule with it; did you mean ":hover"?`},
		{`a:placeholder, a::hover {}`, `unknown-pseudo [:placeholder] there is no ":placeholder", and browsers drop a rule with it; it is a pseudo-element: write "::placeholder"` + "\n" +
			`unknown-pseudo [::hover] there is no "::hover", and browsers drop a rule with it; it is a pseudo-class: write ":hover"`},
		{`a:is(.b, :hovr) {}`, `unknown-pseudo [:hovr] there is no ":hovr", and browsers drop a rule with it; did you mean ":hover"?`},
		{`a::before, a:first-line, ::-webkit-scrollbar-thumb:horizontal, :-moz-any(a), ::part(x), :host(b) {}`, ``},
		{`a { top: 1px; color: red; top: 1px }`, `repeated-declaration [top: 1px] "top" is declared twice, with the same value; leave one of the two out`},
		{`a { top: 1px; top: 2px }`, `overridden-declaration [top: 1px] "top" is overridden by "top" in the same rule; leave it out, or write it behind the other`},
		{`a { margin-left: 1px; margin: 0 }`, `overridden-declaration [margin-left: 1px] "margin-left" is overridden by "margin" in the same rule; leave it out, or write it behind the other`},
		{`a { top: 1px !important; top: 2px }`, `overridden-declaration [top: 2px] "top" is overridden by "top" in the same rule; leave it out`},
		{`a { height: 100vh; height: 100dvh; color: red; color: oklch(0.6 0.1 20); margin: 0; margin-left: 1px; margin-left: 2px !important; top: 1px; top: var(--x) }`,
			`overridden-declaration [margin-left: 1px] "margin-left" is overridden by "margin-left" in the same rule; leave it out, or write it behind the other`},
		{`a { text-decoration: underline; text-decoration: underline dotted }`, ``},
		{`a { -webkit-text-size-adjust: none }`, `only-prefixed [-webkit-text-size-adjust] "-webkit-text-size-adjust" stands here without "text-size-adjust"; write "text-size-adjust": the step prefix adds those with a prefix that a target needs`},
		{`a { -webkit-transform: none } a::-webkit-x { -webkit-text-size-adjust: none } @-webkit-keyframes k { to { -webkit-text-size-adjust: none } }`, ``}, // all targets read it, or only those that need it
		{`@-ms-viewport { width: device-width } @media (transform-3d), (-webkit-transform-3d) { a { top: 0 } } @page { size: A4 }`, ``},
		{`a { speak: none; _display: inline; behavior: url(a.htc) }`, "old-hack [speak] \"speak: none\" is read by browsers of long ago alone\nold-hack [_display] \"_display: inline\" is read by browsers of long ago alone\nold-hack [behavior] \"behavior: url(a.htc)\" is read by browsers of long ago alone"},
		{`a { content: ""; content: 0 }`, `unknown-value [0] "0" does not fit into the value of "content"`}, // so that it overrides nothing
		{`a { -webkit-transform: none; transform: none; -webkit-line-clamp: 2; -webkit-box-orient: vertical }`, ``},
		{`a { word-wrap: break-word }`, `out-of-date [word-wrap] "word-wrap" is the old name of "overflow-wrap"; write "overflow-wrap"`},
		{`a { clip: rect(0 0 0 0) }`, `out-of-date [clip] the property "clip" is out of date`},
		{`a { filter: alpha(opacity=50); width: 10px\9 }`, `old-hack [alpha(opacity=50)] "alpha(" is read by browsers of long ago alone` + "\n" + `old-hack [10px\9 ] "10px\\9 " is read by browsers of long ago alone`},
		{`/* rinzel as-is: check */ a { colr: red } b { /* rinzel as-is */ colr: red; widht: 0 }`, `unknown-property [widht] there is no property "widht"; did you mean "width"?`},
		{`a { b { colr: red } @media print { d { widht: 0 } } }`, `unknown-property [colr] there is no property "colr"; did you mean "color"?` + "\n" + `unknown-property [widht] there is no property "widht"; did you mean "width"?`},
	}
	for _, test := range tests {
		if got := found(test.src, func(n []ast.Node) []diag.Diagnostic { return New(targets).Nodes(n) }); got != test.want {
			t.Errorf("%s\n got %s\nwant %s", test.src, got, test.want)
		}
	}
}

func TestSupport(t *testing.T) {
	targets := browsers.AtLeast(map[string]browsers.Version{"chrome": 100000, "safari": 15000})
	const drop, earlier = "browsers that lack it drop the rule: give what may apply without it a rule of its own", "write a value before it that all targets read"
	tests := []struct{ src, want string }{
		{`a { color: red; display: grid; cursor: pointer }`, ``},
		{`a:has(b) {} c:has(d) {}`, `lacking [:has] ":has" is not read by chrome up to 104, safari up to 15.3 (1 more like it); ` + drop},
		{`a { b { color: red } }`, `lacking [b ] a nested rule is not read by chrome up to 111, safari up to 16.4; put "lower" into the chain of this sheet`},
		{`@container (width > 1px) { a { top: 0 } }`, `lacking [@container] "@container" is not read by chrome up to 104, safari up to 15.6`},
		{`a { height: 100dvh }`, `lacking [100dvh] the unit "dvh" is not read by chrome up to 107, safari up to 15.3; ` + earlier},
		{`a { height: 100vh; height: 100dvh }`, ``},
		{`a { color: light-dark(red, blue) }`, `lacking [light-dark(] "light-dark()" is not read by chrome up to 122, safari up to 17.4; ` + earlier},
		{`a { color: rgb(from red r g b) }`, `lacking [rgb(from red r g b)] a relative colour in "rgb()" is not read by chrome up to 118, safari up to 16.3; ` + earlier},
		{`@supports (color: light-dark(red, blue)) { a { color: light-dark(red, blue) } }`, ``},
		{`a { text-wrap: balance; clip: rect(0 0 0 0) }`, `lacking-property [text-wrap] the property "text-wrap" is not read by chrome up to 113, safari up to 17.3`},
		{`a { overflow: clip }`, `lacking [clip] "clip" as a value of "overflow" is not read by safari up to 15.6; ` + earlier},
		{`a { user-select: none }`, ``}, // under a prefix it is
		{`@media (forced-colors: active) { a { top: 0 } }`, `lacking-property [forced-colors] the media feature "forced-colors" is not read by safari up to 15.6`},
		{`/* rinzel as-is */ a:has(b) {}`, ``},
	}
	for _, test := range tests {
		if got := found(test.src, func(n []ast.Node) []diag.Diagnostic { return New(targets).Support(n) }); got != test.want {
			t.Errorf("%s\n got %s\nwant %s", test.src, got, test.want)
		}
	}
}

func TestEveryCodeIsDistinct(t *testing.T) {
	for i, c := range Codes {
		if known, ok := Find(c.Name); !ok || known != Codes[i] || c.About == "" {
			t.Errorf("%v is not found by its name", c)
		}
	}
}

func BenchmarkNodes(b *testing.B) {
	f := new(source.Set).Add(source.Path{Name: "x.css"}, "x.css", csstest.Generate(1<<20))
	sheet, _ := parse.Sheet(f)
	targets := browsers.Default()
	b.SetBytes(int64(len(f.Text)))
	b.ReportAllocs()
	for b.Loop() {
		New(targets).Nodes(sheet.Nodes)
		New(targets).Support(sheet.Nodes)
	}
}

// FuzzNodes holds that findings lie in the text they are about.
func FuzzNodes(f *testing.F) {
	for _, src := range csstest.All() {
		f.Add(src)
	}
	f.Add("@media (a<b){c:d(e){width:10;width:calc(1px + 1s);color:#12;-webkit-transform:none;margin-left:0;margin:0}}@page{size:A4;x:y}")
	targets := browsers.Default()
	f.Fuzz(func(t *testing.T, src string) {
		file := new(source.Set).Add(source.Path{Name: "x.css"}, "x.css", src)
		sheet, _ := parse.Sheet(file)
		for _, d := range append(New(targets).Nodes(sheet.Nodes), New(targets).Support(sheet.Nodes)...) {
			// What the end of the file closes has a text that is longer than the file.
			if !d.Span.IsValid() || d.Span.End < d.Span.Start.Off || int(d.Span.End) > len(file.Text)+2 || d.Message == "" {
				t.Fatalf("%q: %+v", src, d)
			}
		}
	})
}
