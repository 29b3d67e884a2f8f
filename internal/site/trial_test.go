package site_test

import (
	"context"
	"encoding/json"
	"fmt"
	"io/fs"
	"maps"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"rinzel/internal/browsers"
	"rinzel/internal/browsertest"
	"rinzel/internal/css/ast"
	"rinzel/internal/css/csstest"
	"rinzel/internal/css/parse"
	"rinzel/internal/css/print"
	"rinzel/internal/diag"
	"rinzel/internal/project"
	"rinzel/internal/query"
	"rinzel/internal/site"
	"rinzel/internal/source"
	"rinzel/internal/step/check"
	"rinzel/internal/step/compose"
	"rinzel/internal/step/lower"
	"rinzel/internal/step/minify"
	"rinzel/internal/step/prefix"
)

// trialDir is the environment variable with the folder of style sheets for
// TestTrial, which scripts/trial fills from packages.
const trialDir = "RINZEL_TRIAL"

// TestTrial tests every style sheet of a folder: it logs findings, requires the
// round trip, and compares the rules of source, compact and minified output in
// a browser.
func TestTrial(t *testing.T) {
	dir := os.Getenv(trialDir)
	if dir == "" {
		t.Skip(trialDir + " names no folder of style sheets; see scripts/trial")
	}
	page := browsertest.Start(t).Open("about:blank")
	sheets, rules := 0, 0
	found := make(map[string]int)
	err := filepath.WalkDir(dir, func(path string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() || !strings.HasSuffix(path, ".css") {
			return err
		}
		text, err := os.ReadFile(path)
		if err != nil {
			return err
		}
		rel, _ := filepath.Rel(dir, path)
		sheets++
		t.Run(filepath.ToSlash(rel), func(t *testing.T) {
			rules += trySheet(t, page, rel, string(text), true)
			checkSheet(t, rel, string(text), found)
			checkIdempotent(t, rel, string(text))
		})
		return nil
	})
	if err != nil {
		t.Fatal(err)
	}
	t.Logf("%d sheets, %d rules as the browser reads them", sheets, rules)
	for _, message := range slices.Sorted(maps.Keys(found)) {
		t.Logf("%5d times %s", found[message], message)
	}
}

// checkIdempotent checks that lower and prefix are idempotent for old browsers.
func checkIdempotent(t *testing.T, name, src string) {
	old := browsers.AtLeast(map[string]browsers.Version{"chrome": 20000, "safari": 6000, "firefox": 12000, "edge": 12000})
	run := func(src string) string {
		sheet, _ := parse.Sheet(new(source.Set).Add(source.Path{Name: name}, name, src))
		nodes := lower.Nodes(sheet.Nodes, lower.Options{Targets: old, Direction: lower.LeftToRight})
		nodes, _ = prefix.Nodes(nodes, prefix.Options{Targets: old})
		return print.Sheet(nodes, print.Options{})
	}
	once := run(src)
	if twice := run(once); twice != once {
		a, b := strings.Split(once, "\n"), strings.Split(twice, "\n")
		for i := range min(len(a), len(b)) {
			if a[i] != b[i] {
				t.Errorf("%s: line %d is %q, and a second time %q", name, i+1, a[i], b[i])
				break
			}
		}
	}
}

// checkSheet counts the findings of the step check, for review.
func checkSheet(t *testing.T, name, src string, found map[string]int) {
	sheet, _ := parse.Sheet(new(source.Set).Add(source.Path{Name: name}, name, src))
	for _, d := range check.New(browsers.Default()).Nodes(sheet.Nodes) {
		if d.Severity == diag.Error {
			found[fmt.Sprintf("[%s] %s", d.Code, d.Message)]++
		}
	}
}

// TestBrowserReadsTheSame does for small inputs what TestTrial does for large
// ones.
func TestBrowserReadsTheSame(t *testing.T) {
	page := browsertest.Start(t).Open("about:blank")
	for _, src := range csstest.All() {
		trySheet(t, page, "case", src, false)
	}
	trySheet(t, page, "generated", csstest.Generate(1<<17), false)
}

// tryCompose compares each declaration that compose changes in a sheet without
// build-time syntax, before and after in a browser.
func tryCompose(t *testing.T, page *browsertest.Page, name string, nodes []ast.Node, show bool) {
	c := &compose.Composer{Report: func(d diag.Diagnostic) {
		if show {
			t.Logf("%s: compose: %s", name, d.Message)
		}
	}}
	scope := compose.NewScope()
	before, after := declarations(nodes), declarations(c.Nodes(nodes, scope))
	if len(scope.Unknown()) > 0 || len(before) != len(after) {
		return // it has build-time syntax
	}
	type change struct{ Property, Before, After, Want, Got string }
	var changes []change
	for i, d := range before {
		if was, is := print.Values(d.Value), print.Values(after[i].Value); was != is {
			changes = append(changes, change{Property: d.Name, Before: was, After: is})
		}
	}
	if len(changes) == 0 {
		return
	}
	if show {
		t.Logf("%s: compose changed %d declarations", name, len(changes))
	}
	list, err := json.Marshal(changes)
	if err != nil {
		t.Fatal(err)
	}
	page.Eval(fmt.Sprintf(`(changes => {
		const e = document.createElement("div");
		document.body.append(e);
		const read = (p, v) => {
			e.style.cssText = "font-size: 13px; position: absolute; display: grid";
			e.style.setProperty(p, v);
			const style = getComputedStyle(e);
			return e.style.length + " " + [...style].map(n => style.getPropertyValue(n)).join("|") + style.getPropertyValue(p);
		};
		for (const c of changes) { c.Want = read(c.Property, c.Before); c.Got = read(c.Property, c.After) }
		e.remove();
		return changes.filter(c => c.Want !== c.Got);
	})(%s)`, list), &changes)
	for _, c := range changes {
		t.Errorf("%s: %s: %s became %s, which the browser computes otherwise", name, c.Property, c.Before, c.After)
	}
}

// declarations returns all declarations at every depth, in order.
func declarations(nodes []ast.Node) []*ast.Declaration {
	var out []*ast.Declaration
	ast.Walk(nodes, func(n ast.Node) bool {
		if d, ok := n.(*ast.Declaration); ok {
			out = append(out, d)
		}
		return true
	})
	return out
}

// trySheet checks one sheet and returns the number of rules in the browser.
func trySheet(t *testing.T, page *browsertest.Page, name, text string, show bool) int {
	set := new(source.Set)
	f := set.Add(source.Path{Name: name}, name, text)
	sheet, diags := parse.Sheet(f)
	diags = append(diags, parse.BadSelectors(sheet.Nodes)...)
	if show && len(diags) > 0 {
		var b strings.Builder
		r := diag.Renderer{Files: set}
		_ = r.Render(&b, diags)
		t.Logf("findings:\n%s", b.String())
	}
	compact := print.Sheet(sheet.Nodes, print.Options{Compact: true})
	again, _ := parse.Sheet(set.Add(source.Path{Name: name}, name, compact))
	if !ast.Equal(sheet.Nodes, again.Nodes, false) {
		t.Errorf("%s: the compact output is another sheet", name)
	}
	tryCompose(t, page, name, sheet.Nodes, show)
	if diag.HasErrors(diags) {
		return 0 // a sheet with errors is not written
	}
	rules, diff := page.DiffRules(f.Text, strings.TrimPrefix(compact, "\uFEFF"))
	for _, d := range diff {
		t.Errorf("compact, in the browser: %s", d)
	}
	opts := minify.Options{Targets: browsers.Default()}
	small, undone := minify.Proved(sheet.Nodes, opts)
	for _, u := range undone {
		t.Logf("%s: undone: %s", name, u.Message)
	}
	if twice := minify.Nodes(small, opts); !ast.Equal(small, twice, true) && len(undone) == 0 {
		t.Errorf("%s: minifying twice changes it again", name)
	}
	_, diff = page.DiffStyles(strings.TrimPrefix(compact, "\uFEFF"), print.Sheet(small, print.Options{Compact: true}), 3)
	for _, d := range diff {
		t.Errorf("minified, in the browser: %s\nsource %.200q", d, text)
	}
	return rules
}

// TestTrialPurge purges each large sheet of the trial for a page with some of
// its classes, and compares the number of kept selectors with those that match
// an element in the browser, ignoring states and pseudo-elements.
func TestTrialPurge(t *testing.T) {
	dir := os.Getenv(trialDir)
	if dir == "" {
		t.Skip(trialDir + " names no folder of style sheets; see scripts/trial")
	}
	page := browsertest.Start(t).Open("about:blank")
	err := filepath.WalkDir(dir, func(file string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() || !strings.HasSuffix(file, ".css") || strings.HasSuffix(file, ".min.css") {
			return err
		}
		text, err := os.ReadFile(file)
		if err != nil || len(text) < 50_000 || len(text) > 2_000_000 {
			return err
		}
		rel, _ := filepath.Rel(dir, file)
		t.Run(filepath.ToSlash(rel), func(t *testing.T) { tryPurge(t, page, string(text)) })
		return nil
	})
	if err != nil {
		t.Fatal(err)
	}
}

func tryPurge(t *testing.T, page *browsertest.Page, text string) {
	sheet, _ := parse.Sheet(new(source.Set).Add(source.Path{Name: "x.css"}, "x.css", text))
	classes := make(map[string]bool)
	ast.Walk(sheet.Nodes, func(n ast.Node) bool {
		if r, ok := n.(*ast.StyleRule); ok {
			for _, s := range r.Selectors {
				for i := range s {
					if s[i].Kind == ast.ClassSelector && !strings.Contains(s[i].Name, "\\") {
						classes[s[i].Name] = true
					}
				}
			}
		}
		return true
	})
	html := "<!doctype html><link rel=stylesheet href=main.css>\n"
	for i, name := range slices.Sorted(maps.Keys(classes)) {
		if i%8 == 0 { // some of them
			html += fmt.Sprintf("<div class=%q><a href=#x class=%q>x</a><button type=button class=%q>x</button><p class=%q><span class=%q>x</span></p></div>\n", name, name, name, name, name)
		}
	}
	s := newSite(t, "-- site/index.html --\n"+html+"-- site/main.css --\n"+text+"\n-- rinzel.toml --\nsource = \"site\"\n[[chain]]\nmatch = \"**/*.css\"\nsteps = []\n[check]\nin-build = \"off\"\n")
	p, _, err := project.Open(project.Options{Settings: filepath.Join(s.dir, project.FileName)})
	if err != nil {
		t.Fatal(err)
	}
	defer p.Close()
	purged, err := query.Purging(context.Background(), p, site.Options{Profile: project.Production})
	if err != nil || len(purged.Verdicts) == 0 {
		t.Skip(err, len(purged.Errors) > 0)
	}
	page.Load(serve(t, filepath.Join(s.dir, "site")) + "/index.html")
	kept, matched, lost := 0, 0, 0
	var texts []string
	for i := range purged.Verdicts {
		if purged.Verdicts[i].Selector != nil {
			texts = append(texts, purged.Verdicts[i].Text())
		}
	}
	list, _ := json.Marshal(texts)
	var hits []bool
	page.Eval(fmt.Sprintf(`%s.map((s) => { try { return !!document.querySelector(s.replace(/::?[-\w]+(?![-\w(])/g, (p) => /^:(root|first-child|last-child|only-child|empty|first-of-type|last-of-type|only-of-type|link|any-link)$/.test(p) ? p : "") .replace(/^\s*$/, "*").replace(/([>+~ ])\s*$/, "$1 *").replace(/^\s*([>+~])/, "* $1")) } catch { return false } })`, list), &hits)
	n := 0
	for _, j := range purged.Verdicts {
		if j.Selector == nil {
			continue
		}
		switch {
		case j.Kept && hits[n]:
			kept, matched = kept+1, matched+1
		case j.Kept:
			kept++
		case hits[n]:
			matched, lost = matched+1, lost+1
			t.Errorf("%s matches something, and is purged", j.Text())
		}
		n++
	}
	t.Logf("of %d selectors %.1f%% match something, and %.1f%% stay", n, float64(matched)*100/float64(n),
		float64(kept)*100/float64(n))
}
