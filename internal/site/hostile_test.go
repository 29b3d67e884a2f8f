package site_test

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"runtime"
	"strings"
	"testing"
	"time"

	"rinzel/internal/diag"
	"rinzel/internal/project"
	"rinzel/internal/site"
)

// repeat joins the texts that a function returns for the numbers below n.
func repeat(n int, format string) string {
	var b strings.Builder
	for i := range n {
		b.WriteString(strings.NewReplacer("#+", fmt.Sprint(i+1), "#", fmt.Sprint(i)).Replace(format))
	}
	return b.String()
}

const (
	oldFloor   = "[browsers]\nfloor = { chrome = \"60\" }\n"
	plainPage  = "<!doctype html><link rel=stylesheet href=main.css><p class=a>x"
	tenClasses = ".l0, .l1, .l2, .l3, .l4, .l5, .l6, .l7, .l8, .l9"
)

// chainOfImports returns sheets i0.css to iN.css that each import the next one.
// The last one contains css.
func chainOfImports(n int, with, css string) map[string]string {
	out := make(map[string]string)
	for i := range n {
		out[fmt.Sprintf("i%d.css", i)] = fmt.Sprintf("@import \"i%d.css\" %s;", i+1, with)
	}
	out[fmt.Sprintf("i%d.css", n)] = css
	return out
}

// hostile are short projects with unbounded growth of time or memory. code is
// the finding that ends each, or empty if it must be built.
var hostile = []struct {
	name, css, code string
	settings, page  string
	files           map[string]string
}{
	{name: "nested lists that multiply", css: strings.Repeat(tenClasses+" {", 10) + "a: b" + strings.Repeat("}", 10), code: "too-many-selectors", settings: oldFloor},
	{name: "nested lists behind &", css: strings.Repeat("& .a, & .b, & .c, & .d {", 20) + "a: b" + strings.Repeat("}", 20), code: "too-many-selectors", settings: oldFloor},
	{name: "nested lists in :is()", css: ".a {" + strings.Repeat(":is("+tenClasses+") & {", 12) + "a: b" + strings.Repeat("}", 13), settings: oldFloor},
	{name: "a product of two lists", css: repeat(3000, ".a#, ") + ".z {" + repeat(3000, "& .b#, ") + "i { a: b } }", code: "too-many-selectors", settings: oldFloor},
	{name: "concat() that doubles", css: "@const s: \"x\";" + strings.Repeat("@const s: concat(const(s), const(s));", 40) + "a { content: const(s) }", code: "too-many-values"},
	{name: "ident() that doubles", css: "@const s: x;" + strings.Repeat("@const s: ident(const(s) const(s));", 40) + "a { b: const(s) }", code: "too-many-values"},
	{name: "names that double", css: "@const s: x;" + strings.Repeat("@const s: a-(s)-(s);", 40) + ".(s) { a: b }", code: "too-many-values"},
	{name: "a long name in many rules", css: "@const s: x;" + strings.Repeat("@const s: ident(const(s) const(s));", 18) + repeat(2000, ".x-(s)-# { a: b }"), code: "too-many-values"},
	{name: "values that double", css: "@const s: 1 1;" + strings.Repeat("@const s: const(s) const(s);", 60) + "a { b: const(s) }", code: "too-many-values"},
	{name: "values that double in functions", css: "@const s: 1;" + strings.Repeat("@const s: f(const(s), const(s));", 60) + "a { b: const(s) }", code: "too-many-values"},
	{name: "if() that doubles", css: "@const x: if(media(hover): 1px; else: 2px);" + strings.Repeat("@const x: if(media(hover): const(x); else: const(x));", 40) + "a { b: const(x) }", code: "too-many-values"},
	{name: "mixed colours that double", css: "@const c: currentcolor;" + strings.Repeat("@const c: color-mix(in srgb, const(c), const(c));", 60) + "a { color: const(c) }", code: "too-many-values"},
	{name: "relative colours in a chain", css: "@const c: currentcolor;" + strings.Repeat("@const c: oklch(from const(c) calc(l * 0.9) c h);", 3000) + "a { color: const(c) }", code: "too-deep"},
	{name: "replacements that double", css: "@import \"i0.css\" replace(mast: old old);", files: chainOfImports(60, "replace(mast: old old)", "a { b: mast }"), code: "too-many-values"},
	{name: "many replacements", css: "@import \"lib.css\" replace(" + repeat(5000, "#px: #+px;") + ");", files: map[string]string{"lib.css": repeat(5000, ".a# { width: #px }")}},
	{name: "loops with empty bodies", css: strings.Repeat("@loop i over range(1, 99999) {", 4) + strings.Repeat("}", 4), code: "too-many-values"},
	{name: "loops around @const", css: "@loop i over range(1, 99999) { @loop j over range(1, 99999) { @const x: 1; } }", code: "too-many-values"},
	{name: "loops around @default", css: "@loop i over range(1, 99999) { @loop j over range(1, 99999) { @default x: 1; } }", code: "too-many-values"},
	{name: "loops around @mixin", css: "@loop i over range(1, 99999) { @loop j over range(1, 99999) { @mixin --m { a: b } } }", code: "too-many-values"},
	{name: "loops around @when", css: "@loop i over range(1, 99999) { @loop j over range(1, 99999) { @when const(nope) { a { b: c } } } }", code: "too-many-values"},
	{name: "contents that double", css: repeat(50, "@mixin --m#+ { @apply --m# { @contents; @contents } }") + "@mixin --m0 { @contents; @contents } .a { @apply --m50 { b: c } }", code: "too-many-values"},
	{name: "empty contents that double", css: repeat(50, "@mixin --m#+ { @apply --m# { @contents; @contents } }") + "@mixin --m0 { @contents; @contents } .a { @apply --m50 {} }", code: "too-many-values"},
	{name: "mixins that double", css: repeat(40, "@mixin --m#+ { .x { @apply --m#; @apply --m# } }") + "@mixin --m0 { a: b } .a { @apply --m40 }", code: "too-many-values"},
	{name: "functions that double", css: repeat(50, "@function --f#+() { result: calc(--f#() + --f#()) }") + "@function --f0() { result: 1 } .a { b: --f50() }", code: "too-many-values"},
	{name: "a function with a hundred conditions", css: "@function --f() { result: 1px; " + repeat(100, "@media (width > #px) { result: #px }") + " } .a { width: --f() }", code: "bad-call"},
	{name: "custom selectors that double", css: repeat(60, "@custom-selector :--x#+ :--x# a, :--x# b;") + "@custom-selector :--x0 i; :--x60 { a: b }", code: "bad-custom-name"},
	{name: "custom media that double", css: repeat(60, "@custom-media --x#+ (--x#) and (--x#), (width > #px);") + "@custom-media --x0 (hover); @media (--x60) { .a { b: c } }", code: "bad-custom-name"},
	{name: "groups that double", css: "@const g0 { a: 1; b: 2 }" + repeat(40, "@const g#+ { x: const(g#); y: const(g#) }") + ".a { b: const(g0.a) }"},
	{name: "a long chain of @else", css: "@when media(width > 1px) { .a { b: c } }" + repeat(500, "@else media(width > #px) { .a { b: c } }"), code: "bad-condition"},
	{name: "many values for set()", css: "@import \"lib.css\" set(" + repeat(5000, "--p#: #;") + ");", files: map[string]string{"lib.css": ".a {" + repeat(5000, "--p#: 0;") + "}"}},
	{name: "many patterns for without()", css: "@import \"lib.css\" without(" + repeat(5000, "selector(\".q#*\"), ") + "selector(\".z\"));", files: map[string]string{"lib.css": ".a { b: c }" + repeat(20_000, ".p# { a: b }")}},
	{name: "a tag with many attributes", css: ".a { b: c }", page: "<!doctype html><link rel=stylesheet href=main.css><p class=a " + repeat(50_000, "a#=b ") + ">"},
	{name: "a tag with one attribute many times", css: ".a { b: c }", page: "<!doctype html><link rel=stylesheet href=main.css><p class=a " + repeat(100_000, "class=a# ") + ">"},
	{name: "letters whose other case is longer", css: ".v { b: c }", page: "<!doctype html><link rel=stylesheet href=main.css><p ȺȺȺȺȺ CLASS=v ŉŉŉ ID=İİİ>"},
	{name: "a key of many parts", css: ".a { b: c }", settings: repeat(5000, "k#.") + "z = 1\n", code: "bad-settings"},
	{name: "a long list", css: ".a { b: c }", settings: "exclude = [" + repeat(20_000, "\"x#/**\",") + "]\n"},
	{name: "many declarations of one property", css: ".a {" + repeat(20_000, "margin-inline-start: #px;") + "}", settings: oldFloor},
	{name: "many declarations of shorthands", css: ".a {" + repeat(5000, "margin: #px; margin-left: 1px; all: unset;") + "}", settings: oldFloor},
	{name: "many unknown at-rules", css: repeat(100_000, "@unk# x;") + ".a { b: c }"},
	{name: "many bad properties", css: ".a {" + repeat(50_000, "colr#: red;") + "}"},
	{name: "zero bytes", css: strings.Repeat("\x00", 1<<20)},
	{name: "brackets without an end", css: ".a { b: " + strings.Repeat("(", 100_000), code: "too-deep"},
	{name: "blocks without an end", css: strings.Repeat("a{", 100_000), code: "too-deep"},
	{name: "tokens that double", css: "@tokens \"t.json\"; .a { b: c }", code: "bad-tokens", files: map[string]string{"t.json": `{ "g0": { "a": { "$type": "number", "$value": 1 } }` + repeat(60, `, "g#+": { "x": { "$extends": "{g#}" }, "y": { "$extends": "{g#}" } }`) + "}"}},
	{name: "a token group that extends itself by a child", css: "@tokens \"t.json\"; .a { b: c }", code: "bad-tokens", files: map[string]string{"t.json": `{ "a": { "$extends": "{a.b}", "b": { "$extends": "{a}", "c": { "$type": "number", "$value": 1 } } } }`}},
	{name: "a token group that extends its parent", css: "@tokens \"t.json\"; .a { b: c }", code: "bad-tokens", files: map[string]string{"t.json": `{ "a": { "b": { "$extends": "{a}" }, "c": { "$type": "number", "$value": 1 } } }`}},
	{name: "a chain of aliases", css: "@tokens \"t.json\"; .a { b: c }", files: map[string]string{"t.json": `{ "c0": { "$type": "number", "$value": 1 }` + repeat(16_000, `, "c#+": { "$value": "{c#}" }`) + "}"}},
	{name: "a chain of aliases backwards", css: "@tokens \"t.json\"; .a { b: c }", files: map[string]string{"t.json": "{" + repeat(16_000, `"c#": { "$value": "{c#+}" }, `) + `"c16000": { "$type": "number", "$value": 1 } }`}},
	{name: "nested lists with the default browsers", css: strings.Repeat(".l0, .l1, .l2, .l3, .l4, .l5, .l6, .l7 {", 10) + "a: b" + strings.Repeat("}", 10)},
	{name: "nested lists behind & with the default browsers", css: strings.Repeat("& .a, & .b, & .c, & .d, & #e, & f, & g, & h {", 10) + "a: b" + strings.Repeat("}", 10)},
	{name: "nested lists of prefixed selectors", css: strings.Repeat("& ::placeholder, & :fullscreen, & .a:is(b, #c), & :any-link {", 12) + "a: b" + strings.Repeat("}", 12)},
	{name: "lists in :is() side by side", css: strings.Repeat(":is("+tenClasses+") ", 12) + "{ a: b }", settings: oldFloor},
	{name: "lists in :is() in each other", css: strings.Repeat(":is(.x, .y + ", 40) + ".z" + strings.Repeat(")", 40) + "{ a: b }", settings: oldFloor},
	{name: "lists in :not()", css: strings.Repeat(":not("+tenClasses+") ", 12) + "{ a: b }", settings: oldFloor},
	{name: "many patterns to keep", css: repeat(20_000, ".p# { a: b }"), settings: "[purge]\nkeep = [" + repeat(1000, "\".q#*\", ") + "]\n"},
	{name: "a tag with very many attributes", css: ".a { b: c }", page: "<!doctype html><link rel=stylesheet href=main.css><p class=a " + repeat(200_000, "a#=b ") + ">"},
	{name: "loops in mixins in loops", css: "@mixin --m { @loop i over range(1, 1000) { @contents } } @loop i over range(1, 1000) { @apply --m { @apply --m { .x { a: b } } } }", code: "too-many-values"},
	{name: "settings with nested lists", css: ".a { b: c }", settings: "x = " + strings.Repeat("[", 500_000), code: "bad-settings"},
	{name: "settings with nested tables in braces", css: ".a { b: c }", settings: "x = " + strings.Repeat("{ a = ", 150_000), code: "bad-settings"},
	{name: "settings without end", css: ".a { b: c }", settings: repeat(100_000, "k# = 1 # so many\n"), code: "bad-settings"},
	{name: "settings with nested tables", css: ".a { b: c }", settings: "[" + repeat(20_000, "k#.") + "z]\n", code: "bad-settings"},
	{name: "an import of itself by many ways", css: repeat(200, "@import \"main.css?#\";") + ".a { b: c }", code: "import-cycle"},
	{name: "imports that double", css: "@import \"i0.css\"; .a { b: c }", code: "too-many-imports", files: doublingImports(30)},
}

// doublingImports are sheets that each import the next one twice.
func doublingImports(n int) map[string]string {
	files := make(map[string]string)
	for i := range n {
		files[fmt.Sprintf("i%d.css", i)] = fmt.Sprintf("@import \"i%d.css\" layer(a); @import \"i%d.css\" layer(b);", i+1,
			i+1)
	}
	files[fmt.Sprintf("i%d.css", n)] = ".b { c: d }"
	return files
}

// TestHostileInput checks that each project ends in bounded time and memory
// with the expected finding.
func TestHostileInput(t *testing.T) {
	const patience, room = time.Minute, 1 << 30 // on a very busy machine; an idle one takes 2 seconds
	for _, h := range hostile {
		t.Run(h.name, func(t *testing.T) {
			dir := t.TempDir()
			page := h.page
			if page == "" {
				page = plainPage
			}
			files := map[string]string{"main.css": h.css, "index.html": page, project.FileName: h.settings}
			for name, text := range h.files {
				files[name] = text
			}
			for name, text := range files {
				if err := os.WriteFile(filepath.Join(dir, name), []byte(text), 0o644); err != nil {
					t.Fatal(err)
				}
			}
			var before, after runtime.MemStats
			runtime.ReadMemStats(&before)
			start := time.Now()
			p, diags, err := project.Open(project.Options{Settings: filepath.Join(dir, project.FileName)})
			if err != nil {
				t.Fatal(err)
			}
			defer p.Close()
			if !diag.HasErrors(diags) {
				res, err := site.Build(context.Background(), p, site.Options{Profile: project.Production})
				if err != nil {
					t.Fatal(err)
				}
				diags = append(diags, res.Diagnostics...)
			}
			var text strings.Builder
			r := diag.Renderer{Files: p.Tree.Set}
			if err := r.Render(&text, diags); err != nil {
				t.Fatal(err)
			}
			took := time.Since(start)
			runtime.ReadMemStats(&after)
			if took > patience {
				t.Errorf("it took %v", took)
			}
			if grown := after.TotalAlloc - before.TotalAlloc; grown > 4*room || after.HeapAlloc > room {
				t.Errorf("it allocated %d MB, and %d MB are in use", grown>>20, after.HeapAlloc>>20)
			}
			if h.code != "" && !strings.Contains(text.String(), "["+h.code+"]") {
				t.Errorf("no finding %s:\n%.2000s", h.code, text.String())
			}
			t.Logf("%v, %d MB", took.Round(time.Millisecond), (after.TotalAlloc-before.TotalAlloc)>>20)
		})
	}
}
