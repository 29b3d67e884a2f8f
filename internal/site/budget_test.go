package site_test

import (
	"fmt"
	"strings"
	"testing"
	"testing/fstest"

	"rinzel/internal/diag"
	"rinzel/internal/emit"
	"rinzel/internal/project"
	"rinzel/internal/site"
)

// budgetSite returns a site with two pages, a shared sheet, and a sheet of its
// own for each.
func budgetSite(settings string, more string) fstest.MapFS {
	filler := strings.Repeat(".quay { order: 1; content: \"harbour\" }\n", 60)
	return fstest.MapFS{
		"rinzel.toml": {Data: []byte(settings)},
		"index.html":  {Data: []byte(`<!doctype html><link rel=stylesheet href=all.css><link rel=stylesheet href=a.css><p class="quay a">`)},
		"islands/x.html": {Data: []byte(`<!doctype html><link rel=stylesheet href=../all.css>` +
			`<link rel=stylesheet href=../b.css><p class="quay b">`)},
		"all.css": {Data: []byte("/*! " + strings.Repeat("ferry ", 200) + "*/\n" + filler + ".all { color: red }\n.a, .b { top: 0 }\n" + more)},
		"a.css":   {Data: []byte(".a { color: teal }\n.all { left: 0 }\n")},
		"b.css":   {Data: []byte(".b { color: navy }\n")},
	}
}

// overBudget builds a site for release, and returns the findings about budgets.
// before has the files of the previous build.
func overBudget(t *testing.T, files fstest.MapFS, before map[string][]byte, maps project.Maps) (found []diag.Diagnostic,
	outputs map[string][]byte) {
	t.Helper()
	p := openTree(t, files)
	profile := p.Settings.Profiles[project.Production]
	profile.Maps = maps
	p.Settings.Profiles[project.Production] = profile
	res, err := site.Build(t.Context(), p, site.Options{Profile: project.Production})
	if err != nil {
		t.Fatal(err)
	}
	outputs = make(map[string][]byte)
	for _, o := range res.Outputs {
		outputs[o.Path] = o.Data
	}
	found = site.OverBudget(p.Settings, res, func() map[string][]byte { return before })
	for i := range found {
		found[i].Message = strings.ReplaceAll(found[i].Message, p.SourceDir()+"/", "")
	}
	return found, outputs
}

func TestBudgets(t *testing.T) {
	for _, test := range []struct {
		settings string
		want     []string // the findings, without the last sentence
	}{
		{"", nil},
		{"[budget]\npage = \"1 MB\"\nbundle-brotli = 100000\nunused = 100", nil},
		{"[budget]\npage = 1000", []string{`the styles of "index.html" have `, `the styles of "islands/x.html" have `}},
		{"[budget]\npage = 1000\n[budget.\"islands/**\"]\npage = \"1 MB\"", []string{`the styles of "index.html" have `}},
		{"[budget.\"islands/**\"]\npage-gzip = 1\npage-brotli = 2", []string{`the styles of "islands/x.html" have `,
			`the styles of "islands/x.html" have `}},
		{"[budget]\nbundle = \"0.5 kB\"", []string{`the bundle "shared.css" has `}},
		{"[budget]\nunused = \"5%\"", nil},
	} {
		found, _ := overBudget(t, budgetSite(test.settings, ""), nil, project.FileMaps)
		var got []string
		for _, d := range found {
			got = append(got, d.Message)
		}
		if len(got) != len(test.want) {
			t.Errorf("%s\ngot %q\nwant %q", test.settings, got, test.want)
			continue
		}
		for i, want := range test.want {
			if !strings.HasPrefix(got[i], want) || strings.Contains(got[i], "since") {
				t.Errorf("%s\ngot %q\nwant %q", test.settings, got[i], want)
			}
		}
	}
}

// TestBudgetOfUnused checks that a rule of another page counts as unused.
func TestBudgetOfUnused(t *testing.T) {
	files := budgetSite("[budget]\nunused = \"20%\"\nlevel = \"error\"", "")
	files["all.css"] = &fstest.MapFile{Data: []byte(strings.Repeat("/*! ferry */", 100) + ".quay { top: 0 } .b { color: red; background: linear-gradient(red, blue, red, blue, red, blue, red) }")}
	files["index.html"] = &fstest.MapFile{Data: []byte(`<!doctype html><link rel=stylesheet href=all.css><p class=quay>`)}
	files["islands/x.html"] = &fstest.MapFile{Data: []byte(`<!doctype html><link rel=stylesheet href=../all.css><p class="quay b">`)}
	files["all.css"].Data = []byte(strings.Replace(string(files["all.css"].Data), "/*! ferry */", "", 99))
	found, _ := overBudget(t, files, nil, project.FileMaps)
	if len(found) != 1 || found[0].Severity != diag.Error ||
		!strings.Contains(found[0].Message, `"index.html" does not use `) {
		t.Fatalf("%+v", found)
	}
}

// TestGrowth checks that a finding names what grew since the previous build.
func TestGrowth(t *testing.T) {
	for _, maps := range []project.Maps{project.FileMaps, project.InlineMaps} {
		testGrowth(t, maps)
	}
}

func testGrowth(t *testing.T, maps project.Maps) {
	t.Helper()
	settings := "[budget]\npage = 1000\n[profile.production]\n"
	_, before := overBudget(t, budgetSite(settings, ""), nil, maps)
	found, _ := overBudget(t, budgetSite(settings, ".quay { background: linear-gradient(red, blue) }"), before, maps)
	if len(found) != 2 || !strings.Contains(found[0].Message, "; since the last build: +37 B (all.css +37 B)") {
		t.Errorf("%+v", found)
	}
	found, _ = overBudget(t, budgetSite(settings, ""), before, maps)
	if len(found) != 2 || !strings.Contains(found[0].Message, "; since the last build: no growth") {
		t.Errorf("%+v", found)
	}
}

// TestUses compares what pages use of their bundles with the classes on them.
func TestUses(t *testing.T) {
	p := openTree(t, fstest.MapFS{
		"rinzel.toml": {Data: []byte("")},
		"index.html": {Data: []byte(`<!doctype html><link rel=stylesheet href=all.css><p class=a>` +
			`<script src=one.js></script>`)},
		"two.html":  {Data: []byte(`<!doctype html><link rel=stylesheet href=all.css><p class=b>`)},
		"one.js":    {Data: []byte(`document.body.className = "c"`)},
		"other.js":  {Data: []byte(`document.body.className = "d"`)},
		"list.tmpl": {Data: []byte(`<p class=e>`)},
		"all.css":   {Data: []byte("/*! " + strings.Repeat("ferry ", 200) + "*/.a{top:1px}.b{top:2px}.c{top:3px}.d{top:4px}.e{top:5px}")},
	})
	res, err := site.Build(t.Context(), p, site.Options{Profile: project.Production})
	if err != nil {
		t.Fatal(err)
	}
	got := ""
	for _, u := range res.Uses() {
		page := strings.TrimPrefix(u.Page, p.SourceDir()+"/")
		got += fmt.Sprintf("%s %s %d/%d %d; ", page, u.Bundle, u.UsedRules, u.Rules, u.Bytes-u.UsedBytes)
	}
	if want := "index.html shared.css 4/5 11; two.html shared.css 3/5 22; "; got != want {
		t.Errorf("got %s\nwant %s", got, want)
	}
	for _, o := range res.Outputs {
		css, _, _ := strings.Cut(string(o.Data), "/*# ")
		if o.Kind == emit.StyleKind && len(res.Uses()) > 0 && res.Uses()[0].Bytes != len(css) {
			t.Errorf("%d bytes of %q", res.Uses()[0].Bytes, o.Data)
		}
	}
}
