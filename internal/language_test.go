package internal_test

import (
	"context"
	"errors"
	"flag"
	"fmt"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"testing"

	"golang.org/x/tools/txtar"

	"rinzel/internal/css/parse"
	"rinzel/internal/css/print"
	"rinzel/internal/diag"
	"rinzel/internal/project"
	"rinzel/internal/site"
	"rinzel/internal/source"
	"rinzel/internal/step/compose"
)

var update = flag.Bool("update", false, "write the results into the documents")

// TestLanguageExamples composes the examples of docs/language.md and compares
// the results with those after the arrows. The examples are one sheet, in
// order; one of several files is a separate project.
func TestLanguageExamples(t *testing.T) {
	const name = "../docs/language.md"
	doc, err := os.ReadFile(name)
	if err != nil {
		t.Fatal(err)
	}
	set := new(source.Set)
	scope := compose.NewScope()
	count := 0
	example := regexp.MustCompile("(?s)```css( files)?\n(.*?)```\n\n```css result\n(.*?)```")
	made := example.ReplaceAllStringFunc(string(doc), func(text string) string {
		m := example.FindStringSubmatch(text)
		count++
		var result, findings string
		if m[1] != "" {
			result, findings = builtFiles(t, m[2])
		} else {
			result, findings = composedExample(set, scope, m[2])
		}
		if findings != "" {
			t.Errorf("findings in an example:\n%s%s", m[2], findings)
		}
		if result != m[3] && !*update {
			t.Errorf("%s\n got %s\nwant %s", m[2], result, m[3])
		}
		return fmt.Sprintf("```css%s\n%s```\n\n```css result\n%s```", m[1], m[2], result)
	})
	if blocks := strings.Count(string(doc), "```css"); blocks != 2*count {
		t.Errorf("%d of %d blocks are an example or its result", 2*count, blocks)
	}
	if *update {
		if err := os.WriteFile(name, []byte(made), 0o644); err != nil {
			t.Fatal(err)
		}
	}
}

// composedExample composes an example in the scope of those before it.
func composedExample(set *source.Set, scope *compose.Scope, text string) (result, findings string) {
	tree, diags := parse.Sheet(set.Add(source.Path{Name: "language.md"}, "language.md", text))
	c := &compose.Composer{Report: func(d diag.Diagnostic) { diags = append(diags, d) }}
	nodes := c.Nodes(tree.Nodes, scope)
	diags = slices.Concat(diags, parse.BadSelectors(nodes), scope.Unknown())
	return print.Sheet(nodes, print.Options{}), rendered(set, diags)
}

func rendered(set *source.Set, diags []diag.Diagnostic) string {
	var b strings.Builder
	r := diag.Renderer{Files: set}
	_ = r.Render(&b, diags)
	return b.String()
}

// layOut writes the files of an archive to a temporary folder.
func layOut(t *testing.T, files []txtar.File) (dir string) {
	t.Helper()
	dir = t.TempDir()
	for _, f := range files {
		name := filepath.Join(dir, filepath.FromSlash(f.Name))
		if err := errors.Join(os.MkdirAll(filepath.Dir(name), 0o755), os.WriteFile(name, f.Data, 0o644)); err != nil {
			t.Fatal(err)
		}
	}
	return dir
}

// openProject opens the project in a folder.
func openProject(t *testing.T, dir string) (*project.Project, []diag.Diagnostic) {
	t.Helper()
	settings := filepath.Join(dir, project.FileName)
	if _, err := os.Stat(settings); err != nil {
		if err := os.WriteFile(settings, nil, 0o644); err != nil {
			t.Fatal(err)
		}
	}
	p, diags, err := project.Open(project.Options{Settings: settings, Output: filepath.Join(dir, "public")})
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { p.Close() })
	return p, diags
}

// builtFiles builds main.css of a project of several files, for browsers that
// support everything.
func builtFiles(t *testing.T, archive string) (result, findings string) {
	return builtFor(t, archive, "150")
}

// builtFor does the same for a version of one browser.
func builtFor(t *testing.T, archive, floor string) (result, findings string) {
	t.Helper()
	files := append(txtar.Parse([]byte(archive)).Files, txtar.File{Name: project.FileName,
		Data: []byte("[browsers]\nfloor = { chrome = \"" + floor + "\" }\n[profile.development]\nmaps = \"none\"\n")})
	dir := layOut(t, files)
	p, diags := openProject(t, dir)
	res, err := site.Sheet(context.Background(), p, "main.css", filepath.Join(dir, "out.css"), site.Options{})
	if err != nil {
		t.Fatal(err)
	}
	if diags = append(diags, res.Diagnostics...); len(diags) > 0 {
		findings = strings.ReplaceAll(rendered(p.Tree.Set, diags), dir+"/", "")
	}
	if len(res.Outputs) == 0 {
		return "", findings
	}
	return string(res.Outputs[0].Data), findings
}

// drafts has, for each row of the table of drafts in docs/language.md, sheets
// with a text of their results or, after '!', the code of a finding.
var drafts = map[string][][2]string{
	"`@function`: parameters, defaults, locals": {
		{"@function --f(--a, --b: 2px) { --x: var(--y); --y: var(--a); result: var(--x) var(--b) } a { margin: --f(1px) }", "margin: 1px 2px"},
		{"@function --f() { --x: initial; result: var(--x, 3px) } @function --g(--z) { result: --h() } @function --h() { result: var(--z) } a { margin: --f() --g(4px) }", "margin: 3px 4px"},
		{"@function --f() { result: var(--theirs) } a { width: --f() }", "width: var(--theirs)"},
		{"a { width: --f() }", "!unknown-function"},
		{"@function --f() { --x: var(--x); result: var(--x) } a { width: --f() }", "!bad-call"},
	},
	"`@function`: types, `returns`": {
		{"@function --f(--a <length>) returns <length> { result: var(--a) } a { width: --f(var(--x)) }", "width: var(--x)"},
		{"@function --f(--a <length>) { result: 1px } a { width: --f(red) }", "!bad-call"},
		{"@function --f() returns <length> { result: red } a { width: --f() }", "!bad-call"},
	},
	"`@function`: conditions": {
		{"@function --f() { result: 1px; @media print { result: 2px } } a { width: --f() }", "width: 1px;\n\n  @media print {\n    width: 2px;"},
		{"@function --f() { result: 1px; @media print { result: 2px } } @const x: --f();", "!bad-call"},
		{"@function --f() { result: 1px; @media print { result: 2px } } @keyframes k { to { width: --f() } }", "!bad-call"},
		{"@function --f() { result: 1px; @media print { result: 2px } } @mixin --m(--a) { width: var(--a) } a { @apply --m(--f()) }", "width: 1px;\n\n  @media print {\n    width: 2px;"},
	},
	"`@function`: order and layers": {
		{"a { width: --f() } @function --f() { result: 1px } @function --f() { result: 2px }", "width: 2px"},
	},
	"`@mixin`, `@apply`, `@contents`": {
		{"a { @apply --m(1px) { top: 0 } } @mixin --m(--a, @contents) { width: var(--a); @contents }", "width: 1px;\n  top: 0"},
		{"@mixin --m(--a) { width: var(--a) } a { @apply --m }", "!bad-call"},
	},
	"`@custom-media`": {
		{"@media (--x) and (hover) { a { top: 0 } } @custom-media --x (width < 9px), print;", "@media (width < 9px) and (hover), print and (hover)"},
		{"@custom-media --x; @media (--x) { a { top: 0 } }", "@media all"},
		{"@media (--x) { a { top: 0 } }", "!unknown-media"},
		{"@custom-media --x (--x);", "!bad-custom-name"},
	},
	"`@custom-selector`": {
		{":--x b { top: 0 } @custom-selector :--x h1, .a;", ":is(h1, .a) b"},
		{":--x { top: 0 }", "!unknown-selector"},
		{"@custom-selector :--x :--x;", "!bad-custom-name"},
	},
	"`@when`, `@else`": {
		{"@when media(print and (width > 1px)) { a { top: 0 } } @else supports(top: 0) { a { top: 1px } } @when container(width > 1px) { a { top: 2px } }", "@media print {\n  @media (width > 1px) {"},
		{"@when " + strings.Repeat("(media(a) or supports(b: c)) and ", 40) + "media(d) { a { top: 0 } }", "!bad-condition"},
	},
	"`if()`": {
		{"@const x: 0; a { width: if(const(x): 1px; media(hover): 2px; else: 3px); height: if(const(x): 1px); top: if(media(print): 1px; else: 2px) }", "width: if(media(hover): 2px; else: 3px);\n  height: unset;\n  top: 2px;\n\n  @media print {"},
		{"@keyframes k { to { top: if(media(print): 1px; else: 2px) } }", "!bad-condition"},
	},
	"`ident()`, `src()` with known arguments": {
		{"@const x: pier; a { view-transition-name: ident(\"to-\" const(x)); background: src(concat(const(x), \".png\")); color: ident(var(--x)) }\n-- pier.png --\nx", "view-transition-name: to-pier;\n  background: url(\"pier.png\");\n  color: ident(var(--x))"},
	},
	"nested rules, `&`": {{".a { top: 0; & b { top: 1px } }", "& b {"}},
	"math functions": {
		{"a { width: calc(1px + 2px); height: calc(1px + 2px + var(--x)) }", "width: 3px;\n  height: calc(3px + var(--x))"},
		{"a { width: calc(1px + 2s) }", "!bad-math"},
	},
	"colours, `color-mix()`, relative colours": {
		{"a { color: color-mix(in srgb, red, blue); fill: color-mix(in srgb, currentcolor, blue) }", "color: color(srgb 0.5 0 0.5);\n  fill: color-mix(in srgb, currentcolor, blue)"},
	},
	"`@import` with `layer`, `supports()`, media": {
		{"@import \"b.css\" layer(x) supports(top: 0) print;\n-- b.css --\nb { top: 0 }", "@media print {\n  @supports (top: 0) {\n    @layer x {"},
		{"@import \"https://quay.example/a.css\";", "@import \"https://quay.example/a.css\""},
		{"@import \"b.css\" layer(x) print;\n-- b.css --\n@import \"https://quay.example/a.css\" layer(y) screen and (width > 3px);", "@import \"https://quay.example/a.css\" layer(x.y) not all;"},
		{"@import \"b.css\" layer;\n-- b.css --\n@import \"https://quay.example/a.css\";", "!external-import"},
		{"@import \"b.css\"; @import \"https://quay.example/a.css\";\n-- b.css --\nb { top: 0 }", "!external-import"},
	},
	"design tokens": {
		{"@tokens \"t.json\"; a { top: const(b); left: const(g.a) }\n-- t.json --\n{ \"$type\": \"number\", \"a\": { \"$value\": 1 }, \"b\": { \"$ref\": \"#/a\" }, \"h\": { \"a\": { \"$value\": \"{a}\" } }, \"g\": { \"$extends\": \"{h}\" } }", "top: 1;\n  left: 1"},
		{"@tokens \"t.json\";\n-- t.json --\n{ \"a\": { \"$ref\": \"other.json#/a\" } }", "!bad-tokens"},
	},
}

// TestDrafts checks the table of drafts in docs/language.md against builds.
func TestDrafts(t *testing.T) {
	doc, err := os.ReadFile("../docs/language.md")
	if err != nil {
		t.Fatal(err)
	}
	_, table, _ := strings.Cut(string(doc), "## Support of drafts")
	listed := make(map[string]bool)
	for _, m := range regexp.MustCompile(`(?m)^\| ([^|]+) \|`).FindAllStringSubmatch(table, -1) {
		if m[1] != "feature" {
			listed[m[1]] = true
		}
	}
	for feature := range listed {
		if drafts[feature] == nil {
			t.Errorf("no case for the row %q", feature)
		}
	}
	for feature, cases := range drafts {
		if !listed[feature] {
			t.Errorf("the table has no row %q", feature)
		}
		for _, c := range cases {
			result, findings := builtFiles(t, "-- main.css --\n"+c[0]+"\n")
			if code, refused := strings.CutPrefix(c[1], "!"); refused {
				if !strings.Contains(findings, "["+code+"]") {
					t.Errorf("%s: %s\nfound %s\nwant %s", feature, c[0], findings, code)
				}
				continue
			}
			if !strings.Contains(result, c[1]) {
				t.Errorf("%s: %s\n got %s\nwant %s\n%s", feature, c[0], result, c[1], findings)
			}
		}
	}
	nested, _ := builtFor(t, "-- main.css --\n.a { top: 0; & b { top: 1px } }\n", "60")
	if !strings.Contains(nested, ".a b {") {
		t.Errorf("nested rules are not written out: %s", nested)
	}
	many := strings.Repeat(".a, .b, .c, .d, .e, .f, .g, .h, .i, .j {", 8) + "top: 0" + strings.Repeat("}", 8)
	_, findings := builtFor(t, "-- main.css --\n"+many+"\n", "60")
	if !strings.Contains(findings, "[too-many-selectors]") {
		t.Errorf("found %s", findings)
	}
}
