package grammar

import (
	"crypto/sha256"
	"fmt"
	"os"
	"os/exec"
	"slices"
	"strings"
	"testing"

	"rinzel/internal/css/ast"
	"rinzel/internal/css/parse"
	"rinzel/internal/css/token"
	"rinzel/internal/source"
)

// TestDefinitionsAreReadable checks that every definition of the table can be
// parsed, except for the listed ones, which are not needed for values.
func TestDefinitionsAreReadable(t *testing.T) {
	unread := map[string]bool{"path-length": true, "general-enclosed": true, "pseudo-class-selector": true,
		"event-trigger-event": true}
	table := load()
	for kind, list := range map[string]map[string]string{
		"property": table.properties, "type": table.types, "function": table.functions, "descriptor": table.descriptors, "correction": corrections,
	} {
		for name, syntax := range list {
			if syntax == "" {
				continue
			}
			if _, err := parseSyntax(syntax); (err != nil) != unread[name] {
				t.Errorf("%s %s: %s: %v", kind, name, syntax, err)
			}
		}
	}
}

// values parses the value of a declaration.
func values(t testing.TB, src string) []ast.Value {
	t.Helper()
	sheet, _ := parse.Sheet(new(source.Set).Add(source.Path{Name: "x.css"}, "x.css", "a{b:"+src+"}"))
	rule := sheet.Nodes[0].(*ast.StyleRule)
	if len(rule.Nodes) != 1 {
		t.Fatalf("%q is no value", src)
	}
	d, ok := rule.Nodes[0].(*ast.Declaration)
	if !ok {
		t.Fatalf("%q is no value", src)
	}
	return ast.Significant(d.Value)
}

// fit are valid values of properties.
var fit = []string{
	"color: red", "color: #FfF", "color: #12345678", "color: rgb(1, 2, 3)", "color: rgb(1 2 3 / 50%)", "color: rgba(1,2,3,.5)", "color: hsl(120deg 50% 50%)",
	"color: oklch(from red l c h)", "color: color-mix(in oklab, red, blue 20%)", "color: Transparent", "color: canvastext", "color: light-dark(red, blue)", "color: inherit",
	"color: color(display-p3 1 0 0)", "color: currentColor", "color: revert-layer", "color: contrast-color(red)",
	"width: 0", "width: 10px", "width: calc(100% - 2em)", "width: min-content", "width: fit-content(2em)", "width: max(1px, 2vw)", "width: stretch",
	"margin: 0 auto", "margin: -1px 2% 3em 4rem", "padding: 1px 2px", "inset: 0 auto", "gap: 1px normal", "place-items: center start",
	"background: red", "background: url(x.png) no-repeat center / cover, linear-gradient(to top, red, blue 50%) fixed", "background: none", "background: 0 0", "background: center top / 10px auto red",
	"background-position: right 3px bottom 10px", "background-position: left 10%", "background-size: 10px auto, cover", "background-image: image-set('x.png' 1x, url(y.png) 2x)",
	"background-image: radial-gradient(circle at 50% 50%, red 0%, blue 10px 20px)", "background-image: conic-gradient(from 45deg, red, 30%, blue)", "background-image: repeating-linear-gradient(45deg, red 0 10px, blue 10px 20px)",
	"font: 12px/1.5 'Some Name', serif", "font: italic bold 1em Arial Black", "font: caption", "font-family: Harbour Sans, system-ui, sans-serif", "font-weight: 650", "font-size: larger",
	"font-variant: small-caps tabular-nums", "font-feature-settings: 'liga' 1, 'kern'", "line-height: 1.5", "line-height: normal",
	"display: block", "display: inline flex", "display: list-item flow-root", "display: grid", "position: sticky", "float: inline-start", "overflow: hidden auto", "clip: rect(1px, 2px, 3px, auto)", "clip: rect(0 0 0 0)",
	"grid-template-columns: [a] 1fr [b c] minmax(10px, 1fr) repeat(2, [x] auto)", "grid-template-columns: repeat(auto-fill, minmax(10em, 1fr))", "grid-template-areas: 'a b' 'c d'",
	"grid-area: 1 / span 2 / a / b 3", "grid: auto-flow / 1fr 1fr", "grid-template: 'a a' 40px 'b c' 40px / 1fr 1fr", "grid-column: 1 / -1", "grid: 'a' 1fr / auto",
	"flex: 1", "flex: 1 1 0", "flex: none", "flex: 1 1 auto", "flex-flow: row wrap", "order: -1",
	"transform: translate(-50%, 10px) rotate(45deg) scale(1.5)", "transform: scale(1, 2) matrix(1,0,0,1,0,0)", "rotate: x 45deg", "translate: 10px 50%", "scale: 1 2 3", "transform-origin: top left 3px",
	"transition: opacity .3s ease-in-out, transform 200ms cubic-bezier(.1,.7,1,.1) 1s", "transition: none", "transition: all 0s", "animation: drift 3s infinite alternate both", "animation: 3s steps(4, end) -1s drift paused, x 1s",
	"content: 'a' counter(n) attr(x)", "content: none", "content: url(x.png) / 'alt'", "counter-reset: a 1 b", "quotes: '«' '»'", "content: open-quote",
	"border: 1px solid red", "border: none", "border: solid", "border-radius: 1px 2px / 3px", "border-image: url(x.png) 30 / 10px round", "border-spacing: 1px 2px", "border-color: red green",
	"box-shadow: inset 0 0 2px 1px red, 1px 1px", "text-shadow: 1px 1px 2px red, 0 0 #000", "filter: blur(2px) drop-shadow(1px 1px red)", "filter: none", "clip-path: polygon(0 0, 100% 0, 50% 50%)", "clip-path: inset(1px round 2px)",
	"shape-outside: circle(50% at 0 0)", "mask: url(x.svg) center / contain no-repeat", "cursor: url(x.cur) 2 2, url(y.cur), pointer", "cursor: grab", "will-change: transform, opacity", "contain: layout paint",
	"text-decoration: underline dotted red 2px", "text-align: start", "vertical-align: -2px", "vertical-align: middle", "white-space: pre-wrap", "word-break: break-word", "hyphens: auto", "text-overflow: ellipsis",
	"list-style: square inside url(x.png)", "outline: 1px auto red", "opacity: 50%", "opacity: 0.5", "z-index: -1", "z-index: calc(1 + 2)", "columns: 2 10em", "aspect-ratio: 16 / 9", "aspect-ratio: auto 1 / 2",
	"fill: none", "fill: url(#x) red", "stroke-dasharray: 1 2, 3", "unicode-bidi: isolate", "container: card / inline-size", "appearance: none", "user-select: none", "all: unset", "accent-color: auto", "scrollbar-color: red blue",
	"object-position: 10% 20%", "resize: both", "offset-path: path('M0 0')", "offset: path('M0 0') 10px auto", "scroll-snap-type: x mandatory", "touch-action: pan-x pinch-zoom", "image-rendering: pixelated", "mix-blend-mode: multiply",
	"page-break-after: always", "break-inside: avoid", "orphans: 2", "tab-size: 4", "writing-mode: vertical-rl", "text-transform: uppercase", "text-indent: 2em hanging", "letter-spacing: -0.01em", "zoom: 1.5", "font-size-adjust: 0.5", "isolation: isolate", "inset-block: 1px 2px", "margin-inline: auto",
	"text-emphasis: filled red", "perspective: 100px", "backface-visibility: hidden", "caret-color: auto", "column-rule: 1px solid red", "src: url(x.woff2) format('woff2')", "anchor-name: --a", "position-area: top left", "width: anchor-size(width)", "top: anchor(bottom)",
	"animation-timeline: scroll(block nearest)", "animation-range: entry 0% cover 50%", "view-transition-name: x", "interpolate-size: allow-keywords", "text-wrap: balance", "text-box: trim-both cap alphabetic", "field-sizing: content", "width: calc-size(auto, size)",
}

// misfit are invalid values of properties with the expected result: the value
// that does not match and, after "<", one of the expected types.
var misfit = []struct{ src, at, near string }{
	{"color: rad", "rad", ""}, {"color: #12345", "#12345", ""}, {"color: 12px", "12px", ""}, {"width: 10", "10", "length"}, {"width: red", "red", "auto"}, {"display: blok", "blok", "block"},
	{"display: block foo", "foo", ""}, {"margin: 1px 2px 3px 4px 5px", "5px", ""}, {"width: -1px", "-1px", "length"}, {"padding: 1px auto", "auto", "length"}, {"background: linear-gradient(to up, red, blue)", "up", "top"},
	{"background: linear-gradient(left, red, blue)", "left", "to"}, {"transform: rotate(45)", "45", "angle"}, {"transition: color 1", "1", "time"}, {"font: bold", "", "length"}, {"flex: 1 1 1 1", "1", ""}, {"color: rgb(1, 2)", ",", ""},
	{"grid-template-columns: 1fr 2rf", "2rf", ""}, {"z-index: 1.5", "1.5", "integer"}, {"animation: drift 3 4", "4", "time"}, {"position: centre", "centre", "sticky"}, {"width: calc(1s + 2s)", "calc(", ""}, {"opacity: 1px", "1px", "number"},
	{"border: 1px soild red", "soild", "solid"}, {"color: rgb(1 2 3 / )", "", ""}, {"width: inherit 1px", "inherit", ""},
}

func TestMatch(t *testing.T) {
	for _, src := range fit {
		name, value := cut(src)
		d, ok := Property(name)
		if !ok && name != "src" {
			t.Errorf("unknown property %q", name)
			continue
		}
		if m, ok := d.Match(values(t, value)); !ok {
			t.Errorf("%s does not fit %s: %s", src, d.Syntax(), describe(m))
		}
	}
}

func describe(m Misfit) string {
	at := "the end"
	if m.At != nil {
		at = m.At.Text
	}
	return fmt.Sprintf("%s; expected %v or %v", at, m.Keywords, m.Types)
}

func cut(src string) (name, value string) {
	name, value, _ = strings.Cut(src, ": ")
	return name, value
}

func TestMisfit(t *testing.T) {
	for _, test := range misfit {
		name, value := cut(test.src)
		d, _ := Property(name)
		m, ok := d.Match(values(t, value))
		if ok {
			t.Errorf("%s fits %s", test.src, d.Syntax())
			continue
		}
		at := ""
		if m.At != nil {
			at = m.At.Text
		}
		if at != test.at || test.near != "" && !slices.Contains(m.Keywords, test.near) &&
			!slices.Contains(m.Types, test.near) {
			t.Errorf("%s: %s", test.src, describe(m))
		}
	}
}

// TestDefinitionsAreAsGenerated checks that nobody edited the table and, where
// the data that it is generated from is available, that gen reproduces it.
func TestDefinitionsAreAsGenerated(t *testing.T) {
	body, sum, _ := strings.Cut(definitions, "\nsum ")
	if want := fmt.Sprintf("%x\n", sha256.Sum256([]byte(body+"\n"))); sum != want {
		t.Errorf("definitions.txt was changed by hand: its sum is %q, want %q", sum, want)
	}
	data := os.Getenv("DEFINITION_DATA")
	if data == "" {
		return
	}
	made, err := exec.Command("go", "run", "./gen", "-definitions", data).Output()
	if err != nil || string(made) != definitions {
		t.Errorf("definitions.txt is not what gen makes of %s: %v", data, err)
	}
}

// TestParse parses definitions and prints them with all brackets.
func TestParse(t *testing.T) {
	for src, want := range map[string]string{
		"a b | c || d && e f":        "((a b) | (c || (d && (e f))))",
		"[ a | b ]# , c{2,3} d#{2}?": "((a | b)#{1,}  , c{2,3} d#{2,2}{0,1})",
		"f( <x [0,∞]> )! / '+'":      "((f(x))! / +)",
		"'[' <a>* ']' ( b )":         "([a{0,}] (b))",
	} {
		e, err := parseSyntax(src)
		if err != nil {
			t.Errorf("%s: %v", src, err)
			continue
		}
		if got, want := strings.ReplaceAll(written(e), " ", ""), strings.ReplaceAll(want, " ", ""); got != want {
			t.Errorf("%s: got %s, want %s", src, got, want)
		}
	}
	for _, bad := range []string{"[ a", "a ]", "<a", "a{x}", "…", "'a", "f( a"} {
		if e, err := parseSyntax(bad); err == nil {
			t.Errorf("%s was read as %s", bad, written(e))
		}
	}
}

func written(e *expr) string {
	var args []string
	for _, a := range e.args {
		args = append(args, written(a))
	}
	out := e.text
	switch e.op {
	case function:
		out += "(" + args[0] + ")"
	case block:
		out += args[0] + map[string]string{"(": ")", "[": "]"}[e.text]
	case sequence, allOf, someOf, oneOf:
		out = "(" + strings.Join(args, map[op]string{sequence: " ", allOf: "&&", someOf: "||", oneOf: "|"}[e.op]) + ")"
		if len(args) == 1 {
			out = args[0]
		}
	case repeat:
		out = args[0]
		if e.commas {
			out += "#"
		}
		out += fmt.Sprintf("{%d,", e.least)
		if e.most < unbounded {
			out += fmt.Sprint(e.most)
		}
		out += "}"
	}
	if e.filled {
		out = "(" + out + ")!"
	}
	return out
}

// FuzzMatch checks that matching is bounded, that a mismatch is at a value of
// the input, and that what matches also matches when repeated in a list with
// commas.
func FuzzMatch(f *testing.F) {
	for _, src := range fit {
		name, value := cut(src)
		f.Add(name, value)
	}
	for _, m := range misfit {
		name, value := cut(m.src)
		f.Add(name, value)
	}
	f.Add("font", strings.Repeat("a/", 60))
	f.Add("grid-template", strings.Repeat("[a]1fr'b'", 30))
	f.Fuzz(func(t *testing.T, name, src string) {
		d, ok := Property(name)
		sheet, diags := parse.Sheet(new(source.Set).Add(source.Path{Name: "x.css"}, "x.css", "a{b:"+src+"}"))
		rule, isRule := sheet.Nodes[0].(*ast.StyleRule)
		if !ok || len(diags) > 0 || !isRule || len(rule.Nodes) != 1 || len(sheet.Nodes) != 1 {
			return
		}
		decl, isDecl := rule.Nodes[0].(*ast.Declaration)
		if !isDecl {
			return
		}
		list := ast.Significant(decl.Value)
		m, ok := d.Match(list)
		if !ok && m.At != nil && !strings.Contains(src, m.At.Text) {
			t.Fatalf("%s: %s: nothing fits to %q, which is not there", name, src, m.At.Text)
		}
		if ok && name == "transition-delay" && len(list) > 0 && !Open(list) && !isWide(list) {
			twice := append(append(slices.Clone(list), ast.Value{Kind: token.Comma, Text: ","}), list...)
			if _, ok := d.Match(twice); !ok {
				t.Fatalf("%s: %s fits, and does not twice", name, src)
			}
		}
	})
}

func isWide(list []ast.Value) bool {
	return len(list) == 1 && slices.Contains(wide, strings.ToLower(list[0].Text))
}

func TestKeywords(t *testing.T) {
	for name, want := range map[string]string{
		"border-style":   "dashed dotted double groove hidden inset none outset ridge solid",
		"grid-auto-flow": "column dense row", // "row dense" is two words
		"margin":         "auto", "opacity": "", "fill": "child context-fill context-stroke none",
		"background-clip": "border-area border-box content-box padding-box text",
	} {
		d, _ := Property(name)
		if got := strings.Join(d.Keywords(), " "); got != want {
			t.Errorf("keywords of %s: %s, want %s", name, got, want)
		}
	}
}

func BenchmarkMatch(b *testing.B) { benchmarkMatch(b, false) }

// BenchmarkMatchAnew matches values whose shapes are not cached.
func BenchmarkMatchAnew(b *testing.B) { benchmarkMatch(b, true) }

func benchmarkMatch(b *testing.B, forget bool) {
	var lists [][]ast.Value
	var defs []Definition
	for _, src := range fit {
		name, value := cut(src)
		if d, ok := Property(name); ok {
			defs, lists = append(defs, d), append(lists, values(b, value))
		}
	}
	b.ReportAllocs()
	for b.Loop() {
		if forget {
			load().verdicts.valid = nil
		}
		for i, d := range defs {
			d.Match(lists[i])
		}
	}
	b.ReportMetric(float64(b.Elapsed().Nanoseconds())/float64(b.N*len(defs)), "ns/value")
}
