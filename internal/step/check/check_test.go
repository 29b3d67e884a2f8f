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

// found returns the findings of a sheet, one per line: code, text, message and
// fix.
func found(src string, look func([]ast.Node) []diag.Diagnostic) string {
	set := new(source.Set)
	f := set.Add(source.Path{Name: "x.css"}, "x.css", src)
	sheet, _ := parse.Sheet(f)
	var lines []string
	for _, d := range look(sheet.Nodes) {
		line := fmt.Sprintf("%s [%s] %s", d.Code, f.Text[d.Span.Start.Off:d.Span.End], d.Message)
		if d.Fix != "" {
			line += "; " + d.Fix
		}
		lines = append(lines, line)
	}
	return strings.Join(lines, "\n")
}

func TestNodes(t *testing.T) {
	targets := browsers.Default()
	tests := []struct{ src, want string }{
		{`a { color: red; margin: 0 auto } @media (min-width: 1px) { a:hover { top: 0 } } @font-face { font-family: x; src: url(x) }`, ``},
		{`a { colr: red }`, `unknown-property [colr] unknown property "colr"; did you mean "color"?`},
		{`a { xyzzy: red }`, `unknown-property [xyzzy] unknown property "xyzzy"`},
		{`a { --colr: red; -webkit-unheard-of: 1; zoom: 2; -webkit-tap-highlight-color: red }`, ``},
		{`a { display: blok }`, `unknown-value [blok] invalid value "blok" for "display"; did you mean "block"?`},
		{`a { padding: auto }`, `unknown-value [auto] invalid value "auto" for "padding"; it accepts a length or a percentage`},
		{`a { font: bold }`, `unknown-value [bold] incomplete value of "font"`},
		{`a { width: var(--x) nonsense; height: env(x) y; color: --tone(3) }`, ``},
		{`a { width: -moz-available; display: -webkit-box; background: -webkit-linear-gradient(left, red, blue) }`, ``},
		{`a { width: 10 }`, `missing-unit [10] "10" has no unit: browsers do not accept it as a length; write "10px", or use another unit`},
		{`a { margin: 0 1.5 }`, `missing-unit [1.5] "1.5" has no unit: browsers do not accept it as a length; write "1.5px", or use another unit`},
		{`a { transform: rotate(45) }`, `missing-unit [45] "45" has no unit: browsers do not accept it as an angle; write "45deg", or use another unit`},
		{`a { transition: color 1 }`, `missing-unit [1] "1" has no unit: browsers do not accept it as a time; write "1s", or use another unit`},
		{`a { line-height: 2; flex: 1; opacity: 0.5; width: 0 }`, ``},
		{`a { padding: -1px }`, `out-of-range [-1px] "-1px" is out of range: "padding" accepts 0 or more`},
		{`a { transition-timing-function: cubic-bezier(2, 0, 0, 1) }`, `out-of-range [2] "2" is out of range: "transition-timing-function" accepts 0 to 1`},
		{`a { color: #12345 }`, `bad-color [#12345] invalid colour "#12345"; use 3, 4, 6 or 8 hexadecimal digits`},
		{`a { color: #ggg }`, `bad-color [#ggg] invalid colour "#ggg"; use 3, 4, 6 or 8 hexadecimal digits`},
		{`a { color: rgb(1, 2) }`, `unknown-value [,] invalid value "," for "color"; it accepts a number, a percentage or "none"`},
		{`@medai print { a { colr: red } }`, `unknown-at-rule [@medai] unknown at-rule "@medai"; did you mean "@media"?`},
		{`@-webkit-keyframes x { to { colr: red } }`, `unknown-property [colr] unknown property "colr"; did you mean "color"?`},
		{`@font-face { font-famly: x; src: url(x) }`, `unknown-descriptor [font-famly] unknown descriptor "font-famly" of "@font-face"; did you mean "font-family"?`},
		{`@font-face { font-display: fast }`, `unknown-value [fast] invalid value "fast" for "font-display"; it accepts "auto", "block", "fallback", "optional" or "swap"`},
		{`@page { size: A4 landscape; margin: 1cm; marjin: 0 }`, `unknown-property [marjin] unknown property "marjin"; did you mean "margin"?`},
		{`@font-feature-values x { @styleset { anything: 1 } }`, ``},
		{`@media (min-widht: 1px) {}`, `unknown-media-feature [min-widht] unknown media feature "min-widht"; did you mean "min-width"?`},
		{`@media (widht > 1px) and (hover) {}`, `unknown-media-feature [widht] unknown media feature "widht"; did you mean "width"?`},
		{`@media (1px < width <= 2px) and (prefers-color-scheme: dark), (-webkit-min-device-pixel-ratio: 2) and (min-resolution: 2dppx) {}`, ``},
		{`@media (min-width 3px) {}`, `bad-query [(min-width 3px)] invalid media query: expected a feature, optionally with ':' and a value; it never matches; write (min-width: 3px)`},
		{`@media scren, print {}`, `bad-query [scren] unknown media type "scren": the query never matches; did you mean "screen"?`},
		{`@media screen (width > 1px) {}`, `bad-query [screen (width > 1px)] invalid media query: it never matches; write "and" between the media type and a feature in brackets`},
		{`@media (width > 1px) and (hover) or (color) {}`, `bad-query [or] invalid media query: "and" and "or" need brackets; it never matches; put one of them in brackets`},
		{`@media (width > 1px) and {}`, `bad-query [and] incomplete media query after "and": it never matches`},
		{`@media (width > 1px) (hover) {}`, `bad-query [(hover)] invalid media query: it never matches; write "and" or "or" between two features`},
		{`@media screen and width {}`, `bad-query [width] invalid media query: expected a feature in brackets, got "width"; it never matches`},
		{`@media () {}`, `bad-query [()] empty brackets in the media query: it never matches`},
		{`@media all {} @media not screen, only print and (color) {} @media (width > 1px) and (not (hover)) {} @media not (hover) {} @media (1px < width < 2px) or ((hover) and (color)) {} @media screen and (min-width: calc(1px + 2px)) {} @media {} @media (min-aspect-ratio: 16 / 9) {}`, ``},
		{`@media \0screen {} @media screen and (min-width:0\0) {} @media tv, (hover) {}`, ``},
		{`@container (min-width 3px) {}`, `bad-query [(min-width 3px)] invalid container query: expected a feature, optionally with ':' and a value; it never matches; write (min-width: 3px)`},
		{`@container card (width > 1px) and (not (height > 2px)) {} @container style(--x: 1) {} @container card {} @container not (width > 1px) {}`, ``},
		{`@layer a b; @layer a.b, c; @layer {} @layer x {}`, `bad-layer [a b] invalid layer names: browsers skip the rule; separate layers with commas, and nested layers with dots`},
		{`@keyframes k { 50 { top: 0 } form { top: 1px } from, 30.5%, to { top: 2px } entry 0% { top: 3px } }`, `bad-keyframe [50] invalid keyframe selector "50": browsers skip its block; write 50%` + "\n" +
			`bad-keyframe [form] invalid keyframe selector "form": browsers skip its block; did you mean "from"?`},
		{`a { color: ; --x: ; --y:; }`, `unknown-value [color] "color" has no value: browsers skip it; add a value, or remove it`},
		{`a { width: var(gap); height: calc(1px + var(--x, var(y))); top: env(); left: env(safe-area-inset-left, 1px); right: var(--z) }`, `bad-var [var(gap)] var() without a custom property: browsers skip the declaration; write var(--gap)` + "\n" +
			`bad-var [var(y)] var() without a custom property: browsers skip the declaration; write var(--y)` + "\n" + `bad-var [env()] env() without a name: browsers skip the declaration`},
		{`a:hovr {}`, `unknown-pseudo [:hovr] unknown pseudo-class or pseudo-element ":hovr": browsers drop the rule; did you mean ":hover"?`},
		{`a:placeholder, a::hover {}`, `unknown-pseudo [:placeholder] unknown pseudo-class or pseudo-element ":placeholder": browsers drop the rule; it is a pseudo-element: write "::placeholder"` + "\n" +
			`unknown-pseudo [::hover] unknown pseudo-class or pseudo-element "::hover": browsers drop the rule; it is a pseudo-class: write ":hover"`},
		{`a:is(.b, :hovr) {}`, `unknown-pseudo [:hovr] unknown pseudo-class or pseudo-element ":hovr": browsers drop the rule; did you mean ":hover"?`},
		{`a::before, a:first-line, ::-webkit-scrollbar-thumb:horizontal, :-moz-any(a), ::part(x), :host(b) {}`, ``},
		{`a { top: 1px; color: red; top: 1px }`, `duplicate-declaration [top: 1px] duplicate declaration of "top"; remove one of the two`},
		{`a { top: 1px; top: 2px }`, `overridden-declaration [top: 1px] "top" is overridden by "top" in the same rule; remove it, or move it after the other`},
		{`a { margin-left: 1px; margin: 0 }`, `overridden-declaration [margin-left: 1px] "margin-left" is overridden by "margin" in the same rule; remove it, or move it after the other`},
		{`a { top: 1px !important; top: 2px }`, `overridden-declaration [top: 2px] "top" is overridden by "top" in the same rule; remove it`},
		{`a { height: 100vh; height: 100dvh; color: red; color: oklch(0.6 0.1 20); margin: 0; margin-left: 1px; margin-left: 2px !important; top: 1px; top: var(--x) }`,
			`overridden-declaration [margin-left: 1px] "margin-left" is overridden by "margin-left" in the same rule; remove it, or move it after the other`},
		{`a { text-decoration: underline; text-decoration: underline dotted }`, ``},
		{`a { -webkit-text-size-adjust: none }`, `only-prefixed [-webkit-text-size-adjust] "-webkit-text-size-adjust" without its standard form "text-size-adjust"; write "text-size-adjust": the step prefix adds the prefixed forms that targets need`},
		{`a { -webkit-transform: none } a::-webkit-x { -webkit-text-size-adjust: none } @-webkit-keyframes k { to { -webkit-text-size-adjust: none } }`, ``}, // supported by all targets, or only by those that need it
		{`@-ms-viewport { width: device-width } @media (transform-3d), (-webkit-transform-3d) { a { top: 0 } } @page { size: A4 }`, ``},
		{`a { speak: none; _display: inline; behavior: url(a.htc) }`, "legacy-hack [speak] \"speak: none\" is a hack for legacy browsers\nlegacy-hack [_display] \"_display: inline\" is a hack for legacy browsers\nlegacy-hack [behavior] \"behavior: url(a.htc)\" is a hack for legacy browsers"},
		{`a { content: ""; content: 0 }`, `unknown-value [0] invalid value "0" for "content"`}, // so that it overrides nothing
		{`a { -webkit-transform: none; transform: none; -webkit-line-clamp: 2; -webkit-box-orient: vertical }`, ``},
		{`a { word-wrap: break-word }`, `deprecated [word-wrap] "word-wrap" is deprecated: its name is "overflow-wrap" now; write "overflow-wrap"`},
		{`a { clip: rect(0 0 0 0) }`, `deprecated [clip] property "clip" is deprecated`},
		{`a { filter: alpha(opacity=50); width: 10px\9 }`, `legacy-hack [alpha(opacity=50)] "alpha(" is a hack for legacy browsers` + "\n" + `legacy-hack [10px\9 ] "10px\\9 " is a hack for legacy browsers`},
		{`/* rinzel as-is: check */ a { colr: red } b { /* rinzel as-is */ colr: red; widht: 0 }`, `unknown-property [widht] unknown property "widht"; did you mean "width"?`},
		{`a { b { colr: red } @media print { d { widht: 0 } } }`, `unknown-property [colr] unknown property "colr"; did you mean "color"?` + "\n" + `unknown-property [widht] unknown property "widht"; did you mean "width"?`},
	}
	for _, test := range tests {
		if got := found(test.src, func(n []ast.Node) []diag.Diagnostic { return New(targets).Nodes(n) }); got != test.want {
			t.Errorf("%s\n got %s\nwant %s", test.src, got, test.want)
		}
	}
}

func TestSupport(t *testing.T) {
	targets := browsers.AtLeast(map[string]browsers.Version{"chrome": 100000, "safari": 15000})
	const drop, earlier = "browsers without support drop the whole rule: keep it in a rule of its own, and write another one without it", "add a fallback before it that all targets support"
	tests := []struct{ src, want string }{
		{`a { color: red; display: grid; cursor: pointer }`, ``},
		{`a:has(b) {} c:has(d) {}`, `unsupported [:has] ":has" is unsupported in chrome up to 104, safari up to 15.3 (used 2 times); ` + drop},
		{`a { b { color: red } }`, `unsupported [b ] a nested rule is unsupported in chrome up to 111, safari up to 16.4; add "lower" to the chain of this sheet`},
		{`@container (width > 1px) { a { top: 0 } }`, `unsupported [@container] "@container" is unsupported in chrome up to 104, safari up to 15.6`},
		{`a { height: 100dvh }`, `unsupported [100dvh] the unit "dvh" is unsupported in chrome up to 107, safari up to 15.3; ` + earlier},
		{`a { height: 100vh; height: 100dvh }`, ``},
		{`a { color: light-dark(red, blue) }`, `unsupported [light-dark(] "light-dark()" is unsupported in chrome up to 122, safari up to 17.4; ` + earlier},
		{`a { color: rgb(from red r g b) }`, `unsupported [rgb(from red r g b)] a relative colour in "rgb()" is unsupported in chrome up to 118, safari up to 16.3; ` + earlier},
		{`@supports (color: light-dark(red, blue)) { a { color: light-dark(red, blue) } }`, ``},
		{`a { text-wrap: balance; clip: rect(0 0 0 0) }`, `unsupported-property [text-wrap] the property "text-wrap" is unsupported in chrome up to 113, safari up to 17.3`},
		{`a { overflow: clip }`, `unsupported [clip] "clip" as a value of "overflow" is unsupported in safari up to 15.6; ` + earlier},
		{`a { user-select: none }`, ``}, // with a prefix it is
		{`@media (forced-colors: active) { a { top: 0 } }`, `unsupported-property [forced-colors] the media feature "forced-colors" is unsupported in safari up to 15.6`},
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

// FuzzNodes checks that the spans of findings are inside the text.
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
			// What the end of the file closes has a text that is longer than
			// the file.
			if !d.Span.IsValid() || d.Span.End < d.Span.Start.Off || int(d.Span.End) > len(file.Text)+2 || d.Message == "" {
				t.Fatalf("%q: %+v", src, d)
			}
		}
	})
}
