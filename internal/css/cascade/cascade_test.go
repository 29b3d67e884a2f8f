package cascade

import (
	"fmt"
	"strings"
	"testing"

	"rinzel/internal/browsers"
	"rinzel/internal/css/accept"
	"rinzel/internal/css/ast"
	"rinzel/internal/css/csstest"
	"rinzel/internal/css/parse"
	"rinzel/internal/source"
)

// nodesOf parses a sheet.
func nodesOf(text string) []ast.Node {
	tree, _ := parse.Sheet(new(source.Set).Add(source.Path{Name: "x.css"}, "x.css", text))
	return tree.Nodes
}

// accepting are browsers that accept the declarations for which it returns true,
// and the selectors of CSS 2.
type accepting func(d *ast.Declaration) bool

// Needs returns nothing, or a feature that only this declaration needs.
func (a accepting) Needs(d *ast.Declaration) []string {
	if a(d) {
		return nil
	}
	return []string{fmt.Sprintf("%p", d)}
}

// Feature reports that some browser lacks each feature.
func (accepting) Feature(string) bool { return false }

// Implies reports that no feature comes with others.
func (accepting) Implies([]string, string) bool { return false }

// Selector reports whether all browsers accept a selector.
func (accepting) Selector(s ast.Selector) bool {
	return accept.Of(browsers.Targets{}).Selector(s)
}

// plain accepts declarations whose values have no function and no prefix.
var plain = accepting(func(d *ast.Declaration) bool {
	for i := range d.Value {
		if d.Value[i].Inner != nil && !d.Value[i].IsFunction("url") || strings.HasPrefix(d.Value[i].Text, "-") {
			return false
		}
	}
	return !strings.HasPrefix(d.Name, "-") || ast.IsCustomName(d.Name)
})

// nothing accepts no declaration for certain.
var nothing = accepting(func(d *ast.Declaration) bool { return false })

// TestSame compares sheets that mean the same.
func TestSame(t *testing.T) {
	for _, pair := range [][2]string{
		{"", " /* x */ "},
		{"a { color: red }", "a{color:red;}"},
		{"a { color: red; color: blue }", "a { color: blue }"},
		{"a { color: red } a { color: blue }", "a { color: blue }"},
		{"a { color: red } b { color: green } a { color: blue }", "b { color: green } a { color: blue }"},
		{"a, b { color: red }", "a { color: red } b { color: red }"},
		{"a { color: red } b { top: 0 }", "b { top: 0 } a { color: red }"},
		{"a { color: red } .b { color: blue }", ".b { color: blue } a { color: red }"},
		{"a { color: red } b { color: red }", "b { color: red } a { color: red }"},
		{"a { color: red } b { color: blue !important }", "b { color: blue !important } a { color: red }"},
		{"a { margin: 1px 2px }", "a { margin-top: 1px; margin-right: 2px; margin-bottom: 1px; margin-left: 2px }"},
		{"a { margin-top: 9px; margin: 1px }", "a { margin: 1px 1px 1px }"},
		{"a { padding: 0.50em 1em .5em }", "a { padding: .5em 1em }"},
		{"a { color: #FFF }", "a { color: #ffffff }"},
		{"a { background: URL(x.png) }", "a { background: url(\"x.png\") }"},
		{"@media print { a { color: red } } @media print { b { top: 0 } }", "@media print { a { color: red } b { top: 0 } }"},
		{".a { top: 0; &:hover { top: 1px } .b { left: 0 } }", ".a { top: 0 } .a:hover { top: 1px } .a .b { left: 0 }"},
		{".a { @media print { top: 0 } }", "@media print { .a { top: 0 } }"},
		{"a, .b { & .c { top: 0 } }", "a, .b { & .c { top: 0px; top: 0 } }"},
		{".a { > b { top: 0 } + & { left: 0 } & + & { left: 1px } & { right: 0 } }",
			".a > b { top: 0 } .a { + & { left: 0 } & + & { left: 1px } } .a { right: 0 }"},
		{".a { .b & { top: 0 } &:not(&) { left: 0 } }", ".a { &:not(&) { left: 0 } .b & { top: 0 } }"},
		{"@layer x { .a { top: 0 } } .b { top: 1px } @layer x { .c { top: 2px } }",
			"@layer x { .a { top: 0 } .c { top: 2px } } .b { top: 1px }"},
		{"@layer x { .a { top: 0 } } @layer y { .b { top: 1px } } @layer x { .c { top: 2px } }",
			"@layer x { .a { top: 0 } .c { top: 2px } } @layer y { .b { top: 1px } }"},
		{"@scope (.x) { .a { top: 0px } .b { left: 0 } .a { right: 0 } }", "@scope (.x) { .b { left: 0 } .a { top: 0; right: 0 } }"},
		{"@scope (.x) { top: 0px } @scope (.x) { left: 0px }", "@scope (.x) { top: 0; left: 0 }"},
		{"@media not all { .a { top: 0 } }", ""},
		{"@media all and (color), print, print { .a { top: 0 } }", "@media (color), print { .a { top: 0 } }"},
		{"@font-face { font-family: x } @font-face { font-family: x }", "@font-face { font-family: x }"},
		{"a { &.x { left: 0 } } p.x { left: 1px } a.x { left: 2px }", "a { &.x { left: 0 } } a.x { left: 2px } p.x { left: 1px }"},
		{"::-x-track, ::-x-thumb { top: 0 }", "::-x-thumb, ::-x-track { top: 0px }"},
		{"a { box-shadow: 0 1px 0 0 red, inset 0 0 2px #000 }", "a { box-shadow: 0 1px #f00, inset 0 0 2px 0 black }"},
		{"a { grid-row: 1 / auto; grid-column: pier }", "a { grid-row-start: 1; grid-row-end: auto; grid-column: pier / pier }"},
		{"a { color: red; color: oklch(0 0 0) }", "a { color: blue; color: red; color: oklch(0 0 0) }"},
	} {
		for i := range 2 {
			if d := Compare(nodesOf(pair[i]), nodesOf(pair[1-i]), plain); d != nil {
				t.Errorf("%s\n%s\n%s", pair[i], pair[1-i], d.Message)
			}
		}
	}
}

// TestListed compares rules with the same fallbacks, written in different ways,
// with one rule for both: its declarations have another order than theirs.
func TestListed(t *testing.T) {
	const apart = `.a { -webkit-transition: width linear .3s; transition: width linear .3s; transition: width linear .3s, -webkit-transform .5s }
		.b { -webkit-transition: width .3s linear; transition: width 300ms linear; transition: width .3s linear, -webkit-transform 500ms }`
	const listed = ".a, .b { -webkit-transition: width .3s linear; transition: width .3s linear; transition: width .3s linear, -webkit-transform .5s }"
	any := accept.Of(browsers.Targets{})
	if d := Compare(nodesOf(apart), nodesOf(listed), any); d != nil {
		t.Error(d.Message)
	}
	if d := Compare(nodesOf(strings.Replace(apart, "500ms", "501ms", 1)), nodesOf(listed), any); d == nil {
		t.Error("reported as the same, with another time")
	}
}

// TestDifferent compares sheets that do not mean the same.
func TestDifferent(t *testing.T) {
	for _, pair := range [][2]string{
		{".a { color: red }", ""},
		{".a { color: red }", ".a { color: blue }"},
		{".a { color: red }", ".b { color: red }"},
		{".a { color: red }", ".a { color: red !important }"},
		{".a { color: red } .b { color: blue }", ".b { color: blue } .a { color: red }"},
		{".a { color: red; color: oklch(0 0 0) }", ".a { color: oklch(0 0 0) }"},
		{".a { color: red; color: oklch(0 0 0) }", ".a { color: oklch(0 0 0); color: red }"},
		{".a { color: red } .b { color: green } .a { color: blue }", ".a { color: blue } .b { color: green }"},
		{"@media print { .a { color: red } }", "@media screen { .a { color: red } }"},
		{"@media print { .a { color: red } }", ".a { color: red }"},
		{"@layer x { .a { color: red } }", "@layer y { .a { color: red } }"},
		{"@layer x { .a { top: 0 } .c { top: 1px } }", "@layer x { .c { top: 1px } .a { top: 0 } }"},
		{"@scope (.x) { .a { top: 0 } }", "@scope (.y) { .a { top: 0 } }"},
		{"@scope (.x) { top: 0 }", "@scope (.x) { }"},
		{"@scope (.x) { top: 0 }", "@scope (.x) { :scope { top: 0 } }"},
		{"@scope (.x) { .a { top: 0 } .b { top: 1px } }", "@scope (.x) { .b { top: 1px } .a { top: 0 } }"},
		{".a { @scope (&) { .b { top: 0 } } }", ".c { @scope (&) { .b { top: 0 } } }"},
		{"@layer y; @layer x { .a { top: 0 } }", "@layer x { .a { top: 0 } } @layer y;"},
		{"@layer { .a { color: red } } @layer { .b { color: blue } }", "@layer { .a { color: red } .b { color: blue } }"},
		{"@layer x { .a { top: 0 } } @layer y { .b { left: 0 } }", "@layer y { .b { left: 0 } } @layer x { .a { top: 0 } }"},
		{".a { margin: 1px } .b { margin-left: 2px }", ".b { margin-left: 2px } .a { margin: 1px }"},
		{".a { margin-left: 1px } .b { margin-inline-start: 2px }", ".b { margin-inline-start: 2px } .a { margin-left: 1px }"},
		{".a { width: 1px } .b { inline-size: 2px }", ".b { inline-size: 2px } .a { width: 1px }"},
		{".a { all: unset } .b { top: 0 }", ".b { top: 0 } .a { all: unset }"},
		{".a { z-index: 1 }", ".a { z-index: 1.0 }"},
		{".a { margin: 1px red }", ".a { margin-top: 1px; margin-right: red; margin-bottom: 1px; margin-left: red }"},
		{"a, b::-x-thumb { color: red }", ".a { color: red } b::-x-thumb { color: red }"},
		{"a, .b { & .c { top: 0 } }", "a .c { top: 0 } .b .c { top: 0 }"},
		{".a { animation: Drift 1s }", ".a { animation: drift 1s }"},
		{".a { --x: 1 }", ".a { --X: 1 }"},
		{".a { --x: a }", ".a { --x: A }"},
		{"@keyframes k { to { top: 0 } }", "@keyframes k { to { top: 1px } }"},
		{".a { -webkit-transform: none } .b { transform: scale(1) }", ".b { transform: scale(1) } .a { -webkit-transform: none }"},
		{".a { border: 1px solid red } .b { border-top: 0 }", ".b { border-top: 0 } .a { border: 1px solid red }"},
		{"@import \"a.css\"; @import \"b.css\";", "@import \"b.css\"; @import \"a.css\";"},
		{"a::before { &:hover { top: 0 } }", "a::before:hover { top: 0 }"},
		{"a { box-shadow: 0 1px 0 1px red }", "a { box-shadow: 0 1px 0 red }"},
		{"a::after b, c { top: 0 }", "a::after b { top: 0 } c { top: 0 }"},
		{"a { text-shadow: 0 1px 0 0 red }", "a { text-shadow: 0 1px red }"},
		{"a { box-shadow: 0 1px red }", "a { box-shadow: inset 0 1px red }"},
		{"a { box-shadow: 0 0 0 0 var(--x) }", "a { box-shadow: 0 0 var(--x) }"},
		{"a { background: linear-gradient(to bottom right, red, blue) }", "a { background: linear-gradient(red, blue) }"},
		{"a { background: -webkit-linear-gradient(to bottom, red, blue) }", "a { background: -webkit-linear-gradient(red, blue) }"},
		{"a { grid-row: 1 / 1 }", "a { grid-row: 1 }"},
		{"a { grid-row: pier / auto }", "a { grid-row: pier }"},
	} {
		for i := range 2 {
			if d := Compare(nodesOf(pair[i]), nodesOf(pair[1-i]), plain); d == nil || d.Message == "" {
				t.Errorf("no difference:\n%s\n%s", pair[i], pair[1-i])
			}
		}
	}
}

// TestCompareItself compares sheets with themselves.
func TestCompareItself(t *testing.T) {
	for _, text := range append(csstest.All(), csstest.Generate(200_000)) {
		for _, opts := range []Browsers{nothing, plain} {
			if d := Compare(nodesOf(text), nodesOf(text), opts); d != nil {
				t.Errorf("%.200s\n%s", text, d.Message)
			}
		}
	}
}

// BenchmarkCompare compares a large sheet with itself.
// TestMovedFar compares sheets in which many rules moved past very many others:
// only the order of those that others passed is compared.
func TestMovedFar(t *testing.T) {
	rules := func(class string, count int) string {
		var b strings.Builder
		for i := range count {
			fmt.Fprintf(&b, ".%s%d{color:red}", class, i)
		}
		return b.String()
	}
	moved, still, next := rules("a", 400), rules("b", 100_000), rules("c", 400)
	if d := Compare(nodesOf(still+next+moved), nodesOf(still+moved+next), plain); d != nil {
		t.Errorf("reported as different: %s", d.Message)
	}
	const x, blue = ".x{color:red}", ".x.y{color:blue} .y{color:blue}"
	if d := Compare(nodesOf(still+x+next+blue), nodesOf(still+blue+next+x), plain); d == nil {
		t.Error("reported as the same, with .x and .y in another order")
	}
}

func BenchmarkCompare(b *testing.B) {
	text := csstest.Generate(1 << 20)
	nodes := nodesOf(text)
	b.SetBytes(int64(len(text)))
	b.ReportAllocs()
	for b.Loop() {
		if d := Compare(nodes, nodes, plain); d != nil {
			b.Fatal(d.Message)
		}
	}
}
