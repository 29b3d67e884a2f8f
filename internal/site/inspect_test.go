package site_test

import (
	"context"
	"fmt"
	"path/filepath"
	"strings"
	"testing"

	"rinzel/internal/diag"
	"rinzel/internal/link"
	"rinzel/internal/project"
	"rinzel/internal/query"
)

// opened opens the project of a site.
func (s testSite) opened(t *testing.T) *project.Project {
	t.Helper()
	p, diags, err := project.Open(project.Options{Settings: filepath.Join(s.dir, project.FileName)})
	if err != nil || diag.HasErrors(diags) {
		t.Fatal(err, diags)
	}
	t.Cleanup(func() { p.Close() })
	return p
}

// codes returns the codes of findings with the texts of their spans.
func codes(p *project.Project, diags []diag.Diagnostic) string {
	var out []string
	for _, d := range diags {
		f := p.Tree.Set.File(d.Span.Start.File)
		out = append(out, string(d.Code)+" "+f.Text[d.Span.Start.Off:d.Span.End])
	}
	return strings.Join(out, ", ")
}

func TestListConstants(t *testing.T) {
	for _, test := range []struct{ name, archive, want, findings string }{
		{"an override, what it derives, what reads it", `
-- site/index.html --
<link rel=stylesheet href=main.css>
-- site/main.css --
@const accent: teal;
@import "kit:kit.css";
a { color: const(strong) }
-- kit/kit.css --
@default accent: navy;
@default strong: color-mix(in srgb, const(accent), black);
@default unused: 1px;
b { color: const(accent) }
-- rinzel.toml --
source = "site"
[roots]
kit = "kit"
`, "accent=teal rules 1 others 1 gives [strong] rgb 0 128 128; strong=color(srgb 0 0.25098 0.25098) rules 1 others 0 gives [] rgb 0 64 64; unused=1px rules 0 others 0 gives []", ""},
		{"without a page, the sheets that no other imports", `
-- site/main.css --
@const x: 1px;
@import "part.css";
-- site/part.css --
a { b: const(x) }
`, "x=1px rules 1 others 0 gives []", ""},
		{"read in one of two bundles", `
-- site/index.html --
<link rel=stylesheet href=one.css><link rel=stylesheet href=two.css>
-- site/one.css --
@import "values.css"; a { b: const(x) }
-- site/two.css --
@import "values.css"; a { b: c }
-- site/values.css --
@const x: 1px; @const y: 2px;
`, "x=1px rules 1 others 0 gives []; y=2px rules 0 others 0 gives []; x=1px rules 0 others 0 gives []; y=2px rules 0 others 0 gives []", "unused-constant y"},
		{"same as the default, put back", `
-- site/index.html --
<link rel=stylesheet href=main.css>
-- site/main.css --
@const t.a: 1px; @drop t.b;
@default t { a: 1px; b: 2px }
@const t.b: 3px;
@loop v over const(t) { a { b: const(v) } }
`, "t.a=1px rules 1 others 1 gives []; t.b=3px rules 1 others 2 gives []", "redundant-constant t.a, restored-key t.b"},
	} {
		p := newSite(t, test.archive).opened(t)
		found, err := query.ListConstants(context.Background(), p)
		if err != nil {
			t.Fatal(err)
		}
		var got []string
		for _, s := range found.Sheets {
			for _, c := range s.Constants {
				line := fmt.Sprintf("%s=%s rules %d others %d gives %v", c.Path, c.Value, c.Rules, len(c.Others), c.Derived)
				if c.Color != nil {
					line += fmt.Sprintf(" rgb %d %d %d", c.Color[0], c.Color[1], c.Color[2])
				}
				got = append(got, line)
			}
		}
		if text := strings.Join(got, "; "); text != test.want || codes(p, found.Diagnostics) != test.findings {
			t.Errorf("%s:\n got %s\nwant %s\nfindings %s\nwant     %s", test.name, text, test.want,
				codes(p, found.Diagnostics), test.findings)
		}
	}
}

// formatTrees formats import trees in one line.
func formatTrees(list []*link.ImportNode) string {
	var out []string
	for _, n := range list {
		text := fmt.Sprintf("%s %d", filepath.Base(n.Sheet), n.Rules)
		if n.Constants > 0 {
			text += fmt.Sprintf(" sets %d", n.Constants)
		}
		for _, flag := range []struct {
			is   bool
			word string
		}{{n.Excluded, "out"}, {n.External, "external"}, {n.Repeated, "repeated"}, {n.Condition != "", "in " + n.Condition}} {
			if flag.is {
				text += " " + flag.word
			}
		}
		if len(n.Imports) > 0 {
			text += " (" + formatTrees(n.Imports) + ")"
		}
		out = append(out, text)
	}
	return strings.Join(out, ", ")
}

func TestListImports(t *testing.T) {
	p := newSite(t, `
-- site/index.html --
<link rel=stylesheet href=main.css>
-- site/none.html --
<p>
-- site/main.css --
@import "https://example.com/a.css";
@import "note.css";
@import "all.css" layer(kit) supports(display: grid) print without("b.css");
@import "note.css";
@const x: 1;
a { b { c: d } }
-- site/all.css --
@import "a.css";
@import "b.css";
-- site/a.css --
@const y: 1; @default y: 2; @const g { a: 1; b: 2 }
-- site/b.css --
@const z: 1;
.b { c: d }
-- site/note.css --
.note { c: d }
-- site/old.css --
.old { c: d }
`).opened(t)
	for name, want := range map[string]string{
		"":           "main.css 1 sets 1 (a.css 0 external, note.css 1 repeated, all.css 0 in layer(kit) supports(display: grid) print (a.css 0 sets 4, b.css 0 sets 1 out), note.css 1); ",
		"index.html": "main.css 1 sets 1 (a.css 0 external, note.css 1 repeated, all.css 0 in layer(kit) supports(display: grid) print (a.css 0 sets 4, b.css 0 sets 1 out), note.css 1)",
		"none.html":  "",
		"all.css":    "all.css 0 (a.css 0 sets 4, b.css 1 sets 1)",
	} {
		found, err := query.ListImports(context.Background(), p, name)
		if err != nil {
			t.Fatal(err)
		}
		var got []string
		for _, e := range found.Entries {
			got = append(got, formatTrees(e.Trees))
		}
		if text := strings.Join(got, "; "); text != want {
			t.Errorf("%q:\n got %s\nwant %s", name, text, want)
		}
		if len(found.Unreached) != 1 || filepath.Base(found.Unreached[0]) != "old.css" {
			t.Errorf("%q: unreached %v", name, found.Unreached)
		}
	}
	found, err := query.ListImports(context.Background(), p, "maim.css")
	if err != nil || len(found.Diagnostics) != 1 || found.Diagnostics[0].Code != "missing-file" {
		t.Errorf("got %v, %v", found, err)
	}
	if _, err := query.ListImports(context.Background(), p, "kti:all.css"); err == nil {
		t.Error("a root that is not there was read")
	}
}

// TestSetOfImports checks what set() in an import does, and that the outer import
// takes precedence.
func TestSetOfImports(t *testing.T) {
	s := newSite(t, `
-- site/index.html --
<link rel=stylesheet href=main.css>
-- site/main.css --
@const sea: #14697a;
@import "kit.css" set(--fill: const(sea); --size: calc(1px * 3); --none: 1);
-- site/kit.css --
@import "plain.css" set(--fill: red; --edge: 2px  solid);
-- site/plain.css --
:root { --fill: blue; --edge: 1px; --size: 1px; --other: 1px }
@media print { .x { --fill: black; color: var(--fill) } }
`)
	_, found := s.build(t, project.Development)
	css := s.read(t, project.Development, "index.css")
	want := ":root {\n  --fill: #14697a;\n  --edge: 2px solid;\n  --size: 3px;\n  --other: 1px;\n}\n\n@media print {\n  .x {\n    --fill: #14697a;\n    color: var(--fill);\n  }\n}\n"
	if !strings.HasPrefix(css, want) {
		t.Errorf("got %s\nwant %s", css, want)
	}
	if !strings.Contains(found, `set(): no imported sheet declares the custom property "--none"`) ||
		strings.Count(found, "unmatched-part") != 1 {
		t.Errorf("found %s", found)
	}
}

// TestTokensOfSites reads token files of the settings and of sheets.
func TestTokensOfSites(t *testing.T) {
	s := newSite(t, `
-- site/index.html --
<link rel=stylesheet href=main.css><link rel=stylesheet href=other.css>
-- site/main.css --
@tokens "night.json" as night;
@tokens "kit:kit.json";
a { box-shadow: const(gap.small) const(kit.radius) const(night.tone), 1px 1px const(call) }
-- site/other.css --
c { margin: const(gap.small) const(night.tone, auto) }
-- site/base.json --
{ "gap": { "$type": "dimension", "small": { "$value": "4px" } }, "buoy": { "$type": "color", "$value": "red" } }
-- site/over.json --
{ "gap": { "$type": "dimension", "small": { "$value": "5px" } }, "call": { "$value": "{buoy}" } }
-- site/night.json --
{ "tone": { "$type": "color", "$value": "navy" } }
-- kit/kit.json --
{ "kit": { "radius": { "$type": "dimension", "$value": "3px" } } }
-- rinzel.toml --
source = "site"
tokens = ["base.json", "over.json"]
[roots]
kit = "kit"
`)
	_, found := s.build(t, project.Development)
	css := s.read(t, project.Development, "index.css")
	if want := "a {\n  box-shadow: 5px 3px navy, 1px 1px red;\n}\n\nc {\n  margin: 5px auto;\n}\n"; !strings.HasPrefix(css, want) || found != "" {
		t.Errorf("got %s\nwant %s\n%s", css, want, found)
	}
}
