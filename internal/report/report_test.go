package report_test

import (
	"bytes"
	"fmt"
	"io/fs"
	"maps"
	"math/rand/v2"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"testing/fstest"
	"time"

	"golang.org/x/net/html"

	"rinzel/demo"
	"rinzel/internal/diag"
	"rinzel/internal/emit"
	"rinzel/internal/project"
	"rinzel/internal/report"
	"rinzel/internal/site"
	"rinzel/internal/source"
)

// open writes a site to a temporary folder and opens it.
func open(t *testing.T, files fs.FS) *project.Project {
	t.Helper()
	dir, err := source.WriteTree(filepath.Join(t.TempDir(), "harbour"), files)
	if err != nil {
		t.Fatal(err)
	}
	p, diags, err := project.Open(project.Options{Settings: filepath.Join(dir, project.FileName)})
	if err != nil || diag.HasErrors(diags) {
		t.Fatal(err, diags)
	}
	t.Cleanup(func() { _ = p.Close() })
	return p
}

// reportOf returns the report on a site.
func reportOf(t *testing.T, p *project.Project, profile string, history ...report.Entry) *report.Report {
	t.Helper()
	r, diags, err := report.Make(t.Context(), p, profile, history, nil)
	if err != nil || r == nil {
		t.Fatal(err, diags)
	}
	return r
}

// buildOf builds a site.
func buildOf(t *testing.T, p *project.Project, profile string) *site.Result {
	t.Helper()
	res, err := site.Build(t.Context(), p, site.Options{Profile: profile})
	if err != nil {
		t.Fatal(err)
	}
	return res
}

// demoSite opens the sample site.
func demoSite(t *testing.T) *project.Project { return open(t, demo.Site()) }

// randomSite returns a random site of pages that link several sheets.
func randomSite(seed uint64) fstest.MapFS {
	g := rand.New(rand.NewPCG(seed, 9))
	settings := []string{"", "[split]\ninline = 300\n", "[split]\nmin-bytes = 1\n", "[profile.production]\nmaps = \"inline\"\n"}
	files := fstest.MapFS{"rinzel.toml": {Data: []byte(settings[g.IntN(len(settings))])}}
	sheets := 3 + g.IntN(5)
	for i := range sheets {
		var b strings.Builder
		if i+1 < sheets && g.IntN(3) == 0 {
			fmt.Fprintf(&b, "@import \"s%d.css\"%s;\n", i+1, []string{"", " print", " layer(kit)"}[g.IntN(3)])
		}
		b.WriteString(".all { order: 1 }\n")
		for range 1 + g.IntN(20) {
			fmt.Fprintf(&b, ".c%d { color: #%06x; content: \"%s\"; margin: %dpx }\n", g.IntN(30), g.IntN(1<<24),
				[]string{"quay", "übersee", "\U0001F6A2"}[g.IntN(3)], g.IntN(9))
		}
		files[fmt.Sprintf("css/s%d.css", i)] = &fstest.MapFile{Data: []byte(b.String())}
	}
	for i := range 1 + g.IntN(5) {
		text := "<!doctype html><meta charset=utf-8>"
		for k := range sheets {
			if g.IntN(2) == 0 {
				text += fmt.Sprintf("<link rel=stylesheet href=css/s%d.css>", k)
			}
		}
		if g.IntN(3) == 0 {
			text += "<style>.c1 { top: 0 }</style>"
		}
		text += "<p class=all>"
		for range 12 {
			text += fmt.Sprintf("<p class=\"c%d\">x", g.IntN(30))
		}
		files[fmt.Sprintf("p%d.html", i)] = &fstest.MapFile{Data: []byte(text)}
	}
	return files
}

// TestSums compares the sums of reports on random sites with the files that a
// build of them writes.
func TestSums(t *testing.T) {
	for seed := range uint64(200) {
		p := open(t, randomSite(seed))
		profile := []string{project.Production, project.Development}[seed%2]
		r := reportOf(t, p, profile)
		res := buildOf(t, p, profile)
		if _, err := source.Publish(t.Context(), p.Output, emit.Files(res.Outputs), source.PublishOptions{}); err != nil {
			t.Fatal(err)
		}
		onDisk := make(map[string]int)
		sum := 0
		for name, data := range source.Outputs(p.Output, ".css") {
			onDisk[name] = len(data)
			sum += len(data)
		}
		if r.Total.Written != sum {
			t.Errorf("seed %d: %d bytes, %d on disk", seed, r.Total.Written, sum)
		}
		bySheet := make(map[string]int)
		files := 0
		for _, b := range r.Bundles {
			parts := b.Rest
			for _, s := range b.Sheets {
				parts += s.Bytes
				bySheet[s.Sheet] += s.Bytes
			}
			if n, ok := onDisk[b.Path]; ok {
				files++
				if n != b.Bytes || parts != n {
					t.Errorf("seed %d: %s has %d bytes in sheets, %d in the report, %d on disk", seed, b.Path, parts, b.Bytes, n)
				}
			}
		}
		if files != len(onDisk) {
			t.Errorf("seed %d: %d bundles, %d on disk", seed, files, len(onDisk))
		}
		mapped, area := 0, 0.0
		for _, g := range r.Map.Groups {
			for _, c := range g.Cells {
				mapped += c.Bytes
				area += c.W * c.H
			}
		}
		all := 0
		for _, s := range r.Sheets {
			all += s.Bytes
			if s.Bytes != bySheet[s.Name] {
				t.Errorf("seed %d: %s has %d bytes, %d in bundles", seed, s.Name, s.Bytes, bySheet[s.Name])
			}
		}
		if mapped != all || all > 0 && area > float64(r.Map.Width*r.Map.Height) {
			t.Errorf("seed %d: the map has %d of %d bytes, area %g", seed, mapped, all, area)
		}
		if t.Failed() {
			return
		}
	}
}

// TestFigures changes a site, and checks that each figure of the report changes
// with it.
func TestFigures(t *testing.T) {
	const settings = "tokens = [\"t.json\"]\n[browsers]\nshare = 0.1\n[budget]\nbundle = 60\nunused = \"10%\"\n"
	base := func() fstest.MapFS {
		return fstest.MapFS{
			"rinzel.toml": {Data: []byte(settings)},
			"t.json":      {Data: []byte(`{"sea": {"$type": "color", "$value": "#14697a"}}`)},
			"index.html":  {Data: []byte(`<!doctype html><link rel=stylesheet href=main.css><p class="quay">x`)},
			"main.css":    {Data: []byte("@import \"part.css\";\n.quay { color: const(sea) }\n.lost { top: 0 }\n")},
			"part.css":    {Data: []byte(".quay { order: 1 }\n")},
		}
	}
	write := func(name, text string) func(fstest.MapFS) {
		return func(f fstest.MapFS) { f[name] = &fstest.MapFile{Data: []byte(text)} }
	}
	more := func(name, text string) func(fstest.MapFS) {
		return func(f fstest.MapFS) { f[name] = &fstest.MapFile{Data: append(f[name].Data, text...)} }
	}
	before := reportOf(t, open(t, base()), project.Production)
	for _, test := range []struct {
		figure string
		change func(fstest.MapFS)
		of     func(*report.Report) any
	}{
		{"written bytes", more("main.css", ".quay { left: 1px }"), func(r *report.Report) any { return r.Total.Written }},
		{"brotli", more("main.css", ".quay { left: 1px }"), func(r *report.Report) any { return r.Total.Brotli }},
		{"gzip", more("main.css", ".quay { left: 1px }"), func(r *report.Report) any { return r.Total.Gzip }},
		{"source bytes", more("part.css", "/* ferry */"), func(r *report.Report) any { return r.Total.Source }},
		{"bytes in pages", more("index.html", "<style>p { left: 0 }</style>"), func(r *report.Report) any { return r.Total.Inline }},
		{"pages", write("two.html", "<!doctype html>x"), func(r *report.Report) any { return len(r.Pages) }},
		{"bundles", write("two.html", "<!doctype html><link rel=stylesheet href=part.css><p class=quay>"), func(r *report.Report) any { return len(r.Bundles) }},
		{"bytes of a sheet", more("part.css", ".quay { left: 1px }"), func(r *report.Report) any { return r.Sheets }},
		{"cells of the map", more("part.css", ".quay { left: 1px }"), func(r *report.Report) any { return r.Map.Groups[0].Cells }},
		{"use of a page", more("main.css", ".pier { left: 1px }\n/* rinzel as-is: purge */ .mole { top: 0 }"), func(r *report.Report) any { return r.Pages[0].UsedPercent() }},
		{"unused share", more("main.css", "/* rinzel as-is: purge */ .mole { top: 0 }"), func(r *report.Report) any { return r.Bundles[0].MostUnused }},
		{"purged selectors", more("main.css", ".pier { top: 0 }"), func(r *report.Report) any { return purgedOf(r) }},
		{"removed bytes", more("main.css", ".pier { top: 0 }"), func(r *report.Report) any { return r.Total.RemovedBytes }},
		{"reasons", more("main.css", ".pier { top: 0 }"), func(r *report.Report) any { return purgedOf(r) }},
		{"classes without a rule", more("index.html", "<p class=ferry>"), func(r *report.Report) any { return r.NoRule }},
		{"class lists", more("index.html", strings.Repeat("<p class='a b c'>", 3)), func(r *report.Report) any { return r.Lists }},
		{"imports", more("part.css", ".a { top: 0 }"), func(r *report.Report) any { return r.Imports }},
		{"unreached sheets", write("other.css", "a { top: 0 }"), func(r *report.Report) any { return r.Unreached }},
		{"constants", write("t.json", `{"sea": {"$type": "color", "$value": "#14697b"}}`), func(r *report.Report) any { return r.Constants }},
		{"readers of constants", more("part.css", ".quay { background: const(sea) }"), func(r *report.Report) any { return r.Constants[0].Readers }},
		{"rewrites", more("main.css", ".quay { .quay & { top: 0 } }"), func(r *report.Report) any { return r.Rewrites }},
		{"prefixes", more("main.css", ".quay { user-select: none }"), func(r *report.Report) any { return r.Rewrites }},
		{"findings", more("main.css", ".quay { colour: red }"), func(r *report.Report) any { return r.FindingsOf }},
		{"budgets", write("rinzel.toml", strings.Replace(settings, "60", "70", 1)), func(r *report.Report) any { return r.Budgets[0].Most }},
		{"spent budget", more("main.css", ".quay { left: 1px }"), func(r *report.Report) any { return r.Budgets[0].Value }},
		{"times", write("index.html", "<!doctype html><link rel=stylesheet href=part.css><p class=quay>"), func(r *report.Report) any { return len(r.SheetTimes) }},
		{"history", more("main.css", ".quay { left: 1px }"), func(r *report.Report) any { return r.History }},
		{"targets", write("rinzel.toml", strings.Replace(settings, "0.1", "4", 1)), func(r *report.Report) any { return r.Share }},
	} {
		files := base()
		test.change(files)
		after := reportOf(t, open(t, files), project.Production)
		old, now := withoutDir(fmt.Sprintf("%+v", test.of(before))), withoutDir(fmt.Sprintf("%+v", test.of(after)))
		if old == now {
			t.Errorf("%s: a change of the site does not change it: %s", test.figure, now)
		}
		if test.figure != "times" && pageOf(t, after) == pageOf(t, before) {
			t.Errorf("%s: the page is the same", test.figure)
		}
	}
}

// purgedOf returns the numbers of purged selectors of all sheets, and the
// reasons.
func purgedOf(r *report.Report) (out []string) {
	for _, s := range r.Sheets {
		out = append(out, fmt.Sprint(s.Name, s.Selectors, s.Purged, s.Reasons))
	}
	return out
}

// withoutDir returns a text without the names of temporary folders.
func withoutDir(text string) string {
	for {
		before, after, ok := strings.Cut(text, os.TempDir())
		if !ok {
			return text
		}
		_, after, _ = strings.Cut(after, "harbour")
		text = before + after
	}
}

// pageOf returns the page of a report, without the times, which differ from build to build.
func pageOf(t *testing.T, r *report.Report) string {
	t.Helper()
	var b bytes.Buffer
	if err := r.Write(&b); err != nil {
		t.Fatal(err)
	}
	before, after, _ := strings.Cut(b.String(), `<section id="times">`)
	_, after, _ = strings.Cut(after, "</section>")
	return withoutDir(before + after)
}

// TestPage checks that the page of the sample site has no outside parts, is well
// formed, and has the figures.
func TestPage(t *testing.T) {
	r := reportOf(t, demoSite(t), project.Production)
	page := pageOf(t, r)
	if _, err := html.Parse(strings.NewReader(page)); err != nil {
		t.Fatal(err)
	}
	for _, part := range []string{"http://", "https://", " src=", "@import", "url("} {
		if strings.Contains(page, part) {
			t.Errorf("the page has %q", part)
		}
	}
	for _, part := range []string{"<title>Styles of harbour</title>", "color.sea", "#14697a", "-webkit-user-select", "shared.css",
		"board.css", diag.Size(r.Total.Written), `id="history"`} {
		if !strings.Contains(page, part) {
			t.Errorf("the page has no %q", part)
		}
	}
	if !report.Is([]byte(page)) || report.Is([]byte("<!doctype html>")) {
		t.Error("the page is not known as a report")
	}
}

// TestHostileNames checks that names from the sources are escaped.
func TestHostileNames(t *testing.T) {
	r := reportOf(t, open(t, fstest.MapFS{"rinzel.toml": {Data: []byte("")},
		"a<script>b.html": {Data: []byte(`<!doctype html><link rel=stylesheet href="m%3Ci%3Ex.css"><p class="&lt;b&gt;ug</script>">x`)},
		"m<i>x.css":       {Data: []byte("@const x: \"</script><script>alert(1)</script>\";\n.a\\<img, p { color: const(x) }\n")},
	}), project.Production)
	page := pageOf(t, r)
	for _, part := range []string{"a<script>", "m<i>", "<script>alert", "<b>ug"} {
		if strings.Contains(page, part) {
			t.Errorf("the page has %q", part)
		}
	}
}

func TestHistory(t *testing.T) {
	entry := report.Entry{Profile: "production", Bytes: 10, Bundles: map[string]int{"a.css": 10}}
	now := time.Date(2026, 5, 1, 12, 0, 0, 0, time.UTC)
	line := entry.Append(nil, now)
	history, err := report.ReadHistory(append(line, '\n'))
	if err != nil || len(history) != 1 || !history[0].Same(&entry) || !history[0].Time.Equal(now) {
		t.Fatal(err, history)
	}
	if again := entry.Append(history, now); again != nil {
		t.Errorf("the same sizes are recorded again: %s", again)
	}
	other := entry
	other.Profile = "staging"
	if other.Append(history, now) == nil {
		t.Error("another profile is not recorded")
	}
	entry.Bytes++
	if entry.Append(history, now) == nil {
		t.Error("other sizes are not recorded")
	}
	if _, err := report.ReadHistory([]byte("{}\nferry\n")); err == nil || !strings.Contains(err.Error(), "line 2 ") {
		t.Errorf("got %v", err)
	}
}

// TestRuleForClassList checks the rule that could stand for a class list: with the
// members of families, in the order of their rules.
func TestRuleForClassList(t *testing.T) {
	list := `<p class='hover-color-red ferry width-1/2 color-blue'>`
	files := fstest.MapFS{
		"rinzel.toml": {},
		"index.html":  {Data: []byte(`<!doctype html><link rel=stylesheet href=main.css>` + strings.Repeat(list+"<p class='x y color-red'>", 3))},
		"main.css": {Data: []byte(`@family .color-(c) { @slot c: <color>; color: const(c) }
			@family .width-(n)\/(m) { @slot n: range(1, 3); @slot m: range(2, 4); width: calc(100% * const(n) / const(m)) }
			@mode hover- { &:hover { @contents; } }`)},
	}
	r := reportOf(t, open(t, files), project.Development)
	rules := make(map[string]string)
	for _, l := range r.Lists {
		rules[strings.Join(l.Classes, " ")] = l.Rule
	}
	want := map[string]string{"color-blue ferry hover-color-red width-1/2": `.name { @take .color-blue .width-1\/2 .hover-color-red; }`,
		"color-red x y": ""}
	if !maps.Equal(rules, want) {
		t.Errorf("%q, want %q", rules, want)
	}
	if !strings.Contains(pageOf(t, r), `@take .color-blue .width-1\/2 .hover-color-red`) {
		t.Error("the page does not have the rule")
	}
}
