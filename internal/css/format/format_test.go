package format

import (
	"errors"
	"io/fs"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"rinzel/internal/browsertest"
	"rinzel/internal/css/csstest"
	"rinzel/internal/diag"
	"rinzel/internal/source"
)

// formatted formats a text, and checks that formatting again changes nothing.
func formatted(t *testing.T, src string) string {
	t.Helper()
	text, found, err := Sheet(source.Detached(source.Path{Name: "x.css"}, "x.css", src))
	if err != nil || diag.HasErrors(found) {
		t.Fatalf("%q: %v, %v", src, err, found)
	}
	again, _, err := Sheet(source.Detached(source.Path{Name: "x.css"}, "x.css", text))
	if err != nil || again != text {
		t.Fatalf("%q becomes\n%s\nand then\n%s\n%v", src, text, again, err)
	}
	return text
}

func TestSheet(t *testing.T) {
	for _, test := range []struct{ name, src, want string }{
		{"a rule", "a{color:red;top:0}", "a {\n  color: red;\n  top: 0;\n}\n"},
		{"empty", "", ""},
		{"only white space", " \n\n", ""},
		{"an empty rule", "a{}", "a {}\n"},
		{"selectors", "a>b,.c+d  .e,\n:is(x>y,z)~w , [a~=b]{}", "a > b,\n.c + d .e,\n:is(x>y, z) ~ w,\n[a~=b] {}\n"},
		{"scopes and pages", "@scope (a:hover) to (b:not(c)){}@page :first{}@page x:left{}", "@scope (a:hover) to (b:not(c)) {}\n\n@page :first {}\n\n@page x:left {}\n"},
		{"conditions", "@media (min-width:1px)and (1px<=width<2px),print{}@container x (width>=1px)or style(--a:b){}@supports selector(a:hover) and (a:b){}@import \"a\"layer(b)screen;@import url(a)layer;",
			"@media (min-width: 1px) and (1px <= width < 2px), print {}\n\n@container x (width >= 1px) or style(--a:b) {}\n\n@supports selector(a:hover) and (a: b) {}\n\n@import \"a\" layer(b) screen;\n@import url(a) layer;\n"},
		{"names with parts", "@keyframes a-(b)c{}@layer a-(b)-c;@custom-media --a-(b)-c (width>1px);a-(b)c{d-(e)f:g(h)i \"j\"k}", "@keyframes a-(b)c {}\n\n@layer a-(b)-c;\n@custom-media --a-(b)-c (width > 1px);\n\na-(b)c {\n  d-(e)f: g(h) i \"j\" k;\n}\n"},
		{"custom selectors", "@custom-selector :--x a>b;@scope(a>b)to (c){}", "@custom-selector :--x a>b;\n\n@scope (a>b)to (c) {}\n"},
		{"what nth-child takes", "a:nth-child(2n+1),b:nth-child( +n ),c:nth-of-type(n + 2){}",
			"a:nth-child(2n+1),\nb:nth-child(+n),\nc:nth-of-type(n + 2) {}\n"},
		{"nested rules", "a{top:0;& b{left:0}>c{d:e}@media print{f:g}}",
			"a {\n  top: 0;\n\n  & b {\n    left: 0;\n  }\n\n  > c {\n    d: e;\n  }\n\n  @media print {\n    f: g;\n  }\n}\n"},
		{"blank lines", "a{b:c;\n\n\n\nd:e;\nf:g}\n\n\n\nh{}i{}", "a {\n  b: c;\n\n  d: e;\n  f: g;\n}\n\nh {}\n\ni {}\n"},
		{"statements", "@charset \"utf-8\";@import 'a.css' layer(x)screen;@layer a,b;\n\n@namespace svg url(x);",
			"@charset \"utf-8\";\n@import 'a.css' layer(x) screen;\n@layer a, b;\n\n@namespace svg url(x);\n"},
		{"at-rules", "@media(min-width:40em)and (width<=60em){a{}}@supports not (display:grid){b{}}",
			"@media (min-width: 40em) and (width <= 60em) {\n  a {}\n}\n\n@supports not (display: grid) {\n  b {}\n}\n"},
		{"comments", "/* one */\n/* two */a{/* three */b:c;/* four */\n/* five */d:e/* six */;f/* seven */:/* eight */g}/* nine */",
			"/* one */\n/* two */\na {\n  /* three */\n  b: c; /* four */\n  /* five */\n  d: e/* six */;\n  f/* seven */: /* eight */g;\n}\n\n/* nine */\n"},
		{"comments in selectors", "a/* one */>/* two */b , /* three */c{}", "a/* one */ > /* two */b,\n/* three */c {}\n"},
		{"a long comment", "a {\n\t\n    /* one\n     * two\n       three\n     */\n    b: c }", "a {\n  /* one\n   * two\n     three\n   */\n  b: c;\n}\n"},
		{"a comment belongs to its rule", "a{}\n\n/* b */\nb{}\n/* c */\n\nc{}", "a {}\n\n/* b */\nb {}\n\n/* c */\n\nc {}\n"},
		{"values", "a{b:rgb( 1 ,2,3 );c:url( x ) , d  e;f:calc(1px + 2px)/2;g:h!important;i:j ! important}",
			"a {\n  b: rgb(1, 2, 3);\n  c: url( x ), d e;\n  f: calc(1px + 2px)/2;\n  g: h !important;\n  i: j ! important;\n}\n"},
		{"lines of values", "a{\n  b:\n      \"c d\"\n      \"e f\";\n  transition: x 1s,\n y 2s;\n g: h(\n 1,\n 2\n )}",
			"a {\n  b:\n    \"c d\"\n    \"e f\";\n  transition: x 1s,\n    y 2s;\n  g: h(\n      1,\n      2\n    );\n}\n"},
		{"custom properties", "a{--b:  c  d ;--e:{ f: g };--h:;--i: }", "a {\n  --b: c  d;\n  --e: { f: g };\n  --h:;\n  --i:;\n}\n"},
		{"constants", "@const a:1px;@const b{c:d;e{f:g}}@default h : 2px;a{b:const(a)}",
			"@const a: 1px;\n\n@const b {\n  c: d;\n\n  e {\n    f: g;\n  }\n}\n\n@default h: 2px;\n\na {\n  b: const(a);\n}\n"},
		{"the language", "@loop k,v over const(b){.n-(k){m-(k):const(v)}}@when const(a:b)and media(width>1px){c{}}@else{d{}}@mixin --x(--p <length>:1px){@contents}a{@apply --x(2px){b:c}}",
			"@loop k, v over const(b) {\n  .n-(k) {\n    m-(k): const(v);\n  }\n}\n\n@when const(a: b) and media(width > 1px) {\n  c {}\n}\n@else {\n  d {}\n}\n\n" +
				"@mixin --x(--p <length>: 1px) {\n  @contents;\n}\n\na {\n  @apply --x(2px) {\n    b: c;\n  }\n}\n"},
		{"families", `@family .w-(n)\/(m){@slot n:<integer [1,∞]>;@slot m:range(1,2);width:1%}@mode at\:{&:hover{@contents}}`,
			"@family .w-(n)\\/(m) {\n  @slot n: <integer [1, ∞]>;\n  @slot m: range(1, 2);\n  width: 1%;\n}\n\n@mode at\\: {\n  &:hover {\n    @contents;\n  }\n}\n"},
		{"keyframes", "@keyframes k{from,50%{a:b}to{}}", "@keyframes k {\n  from, 50% {\n    a: b;\n  }\n\n  to {}\n}\n"},
		{"line ends", "a{\r\nb:c;\r\n\r\nd:e}\r\n/* x\r\n y */", "a {\r\n  b: c;\r\n\r\n  d: e;\r\n}\r\n\r\n/* x\r\n y */\r\n"},
		{"semicolons", "a{;b:c;;d:e;};", "a {\n  b: c;\n  d: e;\n}\n"},
		{"old filters", "a{filter:progid:D.M(a='b' , c=1)}", "a {\n  filter: progid:D.M(a='b', c=1);\n}\n"},
	} {
		if got := formatted(t, test.src); got != test.want {
			t.Errorf("%s: %q becomes\n%s\nwant\n%s", test.name, test.src, got, test.want)
		}
	}
	for _, bad := range []string{"a{", "a { b: url(x y) }", "}"} {
		text, found, err := Sheet(source.Detached(source.Path{}, "", bad))
		if text != "" || !diag.HasErrors(found) && !errors.Is(err, ErrBroken) {
			t.Errorf("%q is formatted: %q", bad, text)
		}
	}
}

// found are inputs that this package has formatted wrongly once.
var found = []string{"0+{}", ":A(0+){}", "@sCope()+(00)", "\ufeff\ufeff", "00\\ ,0{}", "@a \\;",
	"@\\0!", "0{A:\\ }", "\\\\{}", "@\\000000!", "0{--({0)}):{}}",
	"0{--(a{b)c}d )}e:f}", "0{\\--:x\r\n\x00 }"}

// FuzzSheet formats any sheet: the result means the same, and formatting it again changes
// nothing.
func FuzzSheet(f *testing.F) {
	for _, src := range append(csstest.All(), found...) {
		f.Add(src)
	}
	f.Fuzz(func(t *testing.T, src string) {
		file := source.Detached(source.Path{Name: "x.css"}, "x.css", src)
		text, found, err := Sheet(file)
		if diag.HasErrors(found) || errors.Is(err, ErrBroken) {
			return
		}
		if err != nil {
			t.Fatalf("%q: %v", src, err)
		}
		again, found, err := Sheet(source.Detached(source.Path{Name: "x.css"}, "x.css", text))
		if err != nil || diag.HasErrors(found) || again != text {
			t.Fatalf("%q becomes\n%s\nand then\n%s\n%v %v", src, text, again, err, found)
		}
	})
}

// TestTrial formats the sheets below the folder RINZEL_TRIAL, and compares the rules in a
// browser.
func TestTrial(t *testing.T) {
	dir := os.Getenv("RINZEL_TRIAL")
	if dir == "" {
		t.Skip("RINZEL_TRIAL names no folder")
	}
	page := browsertest.Start(t).Open("about:blank")
	sheets, refused, rules := 0, 0, 0
	err := filepath.WalkDir(dir, func(name string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() || !strings.HasSuffix(name, ".css") {
			return err
		}
		src, err := os.ReadFile(name)
		if err != nil {
			return err
		}
		text, found, err := Sheet(source.Detached(source.Path{Name: "x.css"}, "x.css", string(src)))
		sheets++
		if diag.HasErrors(found) || errors.Is(err, ErrBroken) {
			refused++
			return nil
		}
		if err != nil {
			t.Errorf("%s: %v", name, err)
			return nil
		}
		again, _, err := Sheet(source.Detached(source.Path{Name: "x.css"}, "x.css", text))
		if err != nil || again != text {
			t.Errorf("%s is another sheet when it is formatted twice: %v", name, err)
		}
		n, diff := page.DiffRules(strings.TrimPrefix(string(src), byteOrderMark), text)
		rules += n
		for _, d := range diff {
			t.Errorf("%s: in the browser, %s", name, d)
		}
		return nil
	})
	if err != nil {
		t.Fatal(err)
	}
	t.Logf("%d sheets, %d with errors, %d rules compared in the browser", sheets, refused, rules)
}
