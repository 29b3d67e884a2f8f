package site_test

import (
	"fmt"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"testing"

	"rinzel/internal/project"
)

// TestBrokenPages checks that a development build writes the pages without
// errors, that pages with errors show them, and that a production build with
// errors writes nothing.
func TestBrokenPages(t *testing.T) {
	const good = "-- site/good.html --\n<!doctype html><title>Good</title><link rel=stylesheet href=good.css><p>good</p>\n-- site/good.css --\np { color: green }\n"
	tests := []struct {
		name, archive string
		broken        []string
		shows         []string // of the first page with an error
		not           []string
	}{
		{"an error in a sheet of one page", good + "-- site/bad.html --\n<!doctype html><title>Bad</title><link rel=stylesheet href=bad.css><p>bad</p>\n-- site/bad.css --\np { color: const(colour) }\n",
			[]string{"site/bad.html"}, []string{"[unknown-constant]", "bad.css:1:", "<p>bad</p>"}, nil},
		{"an error in an imported sheet", good + "-- site/bad.html --\n<link rel=stylesheet href=bad.css><p>bad</p>\n-- site/bad.css --\n@import \"part.css\";\n-- site/part.css --\np { color: const(colour) }\n",
			[]string{"site/bad.html"}, []string{"part.css:1:"}, nil},
		{"an error in a sheet of two pages out of three", good + "-- site/a.html --\n<link rel=stylesheet href=bad.css><p>a</p>\n-- site/b.html --\n<link rel=stylesheet href=bad.css><p>b</p>\n-- site/bad.css --\np { color: const(colour) }\n",
			[]string{"site/a.html", "site/b.html"}, []string{"[unknown-constant]"}, nil},
		{"an import that leads nowhere", good + "-- site/bad.html --\n<style>@import \"gone.css\";</style><p>bad</p>\n",
			[]string{"site/bad.html"}, []string{"gone.css", "[missing-file]"}, nil},
		{"a link that leads nowhere is a warning", good + "-- site/bad.html --\n<link rel=stylesheet href=gone.css><p>bad</p>\n", nil, nil, nil},
		{"text that looks like markup", good + "-- site/bad.html --\n<link rel=stylesheet href=bad.css><p>bad</p>\n-- site/bad.css --\np { content: \"<script>\" const(colour) }\n",
			[]string{"site/bad.html"}, []string{"&lt;script&gt;"}, []string{"<script>"}},
		{"warnings break nothing", good + "-- site/bad.html --\n<link rel=stylesheet href=bad.css><p>bad</p>\n-- site/bad.css --\np { colour: red }\n", nil, nil, nil},
	}
	for _, test := range tests {
		t.Run(test.name, func(t *testing.T) {
			s := newSite(t, test.archive)
			res, found := s.build(t, project.Development)
			var broken []string
			for _, name := range res.Broken {
				broken = append(broken, strings.TrimPrefix(name, s.dir+"/"))
			}
			if !slices.Equal(broken, test.broken) {
				t.Fatalf("broken are %q, want %q\n%s", broken, test.broken, found)
			}
			if !res.Writable() {
				t.Error("a development build cannot be written")
			}
			texts := make(map[string]string)
			for _, o := range res.Outputs {
				texts[o.Path] = string(o.Data)
			}
			if text, ok := texts["good.html"]; !ok || strings.Contains(text, `role="alert"`) {
				t.Errorf("the page without errors: %q", text)
			}
			if len(test.broken) == 0 {
				return
			}
			first := texts[strings.TrimPrefix(test.broken[0], "site/")]
			for _, s := range test.shows {
				if !strings.Contains(first, s) {
					t.Errorf("the broken page lacks %q:\n%s", s, first)
				}
			}
			for _, s := range test.not {
				if strings.Contains(first, s) {
					t.Errorf("the broken page holds %q:\n%s", s, first)
				}
			}
			res, _ = newSite(t, test.archive).build(t, project.Production)
			if len(res.Broken) > 0 || res.Writable() {
				t.Errorf("a release with errors can be written; broken are %q", res.Broken)
			}
		})
	}
}

// TestErrorsOfAllPages checks that nothing is written if every page has an
// error.
func TestErrorsOfAllPages(t *testing.T) {
	for name, archive := range map[string]string{
		"the only page":  "-- site/a.html --\n<link rel=stylesheet href=a.css>\n-- site/a.css --\np { color: const(colour) }\n",
		"the only pages": "-- site/a.html --\n<link rel=stylesheet href=a.css>\n-- site/b.html --\n<link rel=stylesheet href=a.css>\n-- site/a.css --\np { color: const(colour) }\n",
	} {
		t.Run(name, func(t *testing.T) {
			if res, found := newSite(t, archive).build(t, project.Development); res.Writable() || len(res.Broken) > 0 {
				t.Errorf("broken are %q; %s", res.Broken, found)
			}
		})
	}
}

// TestUnmatchedPatterns checks that each pattern of the settings without a match is
// reported at its position, and no other.
func TestUnmatchedPatterns(t *testing.T) {
	const site = "-- site/i.html --\n<link rel=stylesheet href=a.css><link rel=stylesheet href=gone.css><p>\n-- site/a.css --\np { top: 0 }\n-- site/docs/list.pdf --\n-- site/.well-known/key.txt --\n-- site/old/x.html --\n<p>\n"
	tests := []struct {
		setting string
		codes   []string
	}{
		{`external = ["gone.css"]`, nil},
		{`external = ["gone.css", "other.css"]`, []string{"unmatched-pattern"}},
		{"external = [\"gone.css\"]\ncopy = [\"docs/*.pdf\"]", nil},
		{"external = [\"gone.css\"]\ncopy = [\".well-known/**\"]", nil},
		{"external = [\"gone.css\"]\ncopy = [\"doc/*.pdf\"]", []string{"unmatched-pattern"}},
		{"external = [\"gone.css\"]\nexclude = [\"old/**\"]", nil},
		{"external = [\"gone.css\"]\nexclude = [\"new/**\"]", []string{"unmatched-pattern"}},
	}
	for _, test := range tests {
		res, found := newSite(t, "-- rinzel.toml --\nsource = \"site\"\n"+test.setting+"\n"+site).build(t,
			project.Development)
		var codes []string
		for _, d := range res.Diagnostics {
			if d.Code != "unreferenced-files" {
				codes = append(codes, string(d.Code))
			}
		}
		if !slices.Equal(codes, test.codes) {
			t.Errorf("%s: found %q, want %q\n%s", test.setting, codes, test.codes, found)
		}
	}
}

// TestMostRulesPurged checks which bundles are reported because most of their
// rules are removed.
func TestMostRulesPurged(t *testing.T) {
	sheet := func(used, unused int) string {
		var b strings.Builder
		for i := range used {
			fmt.Fprintf(&b, ".used-%d { top: 0 }\n", i)
		}
		for i := range unused {
			fmt.Fprintf(&b, ".gone-%d { top: 0 }\n", i)
		}
		return b.String()
	}
	page := func(used int) string {
		var b strings.Builder
		for i := range used {
			fmt.Fprintf(&b, "<p class=used-%d>", i)
		}
		return b.String()
	}
	tests := []struct {
		used, unused int
		settings     string
		want         string
	}{
		{1, 30, "", "purged-mostly"},
		{3, 27, "", ""},
		{2, 19, "", "purged-mostly"},
		{1, 18, "", ""}, // too few rules
		{1, 30, "[purge]\nmax-removed = 100\n", ""},
		{1, 30, "[purge]\nmax-removed = 80\n", "purge-limit"},
		{30, 1, "", ""},
	}
	for _, test := range tests {
		archive := "-- rinzel.toml --\nsource = \"site\"\n" + test.settings +
			"-- site/i.html --\n<link rel=stylesheet href=a.css>" + page(test.used) + "\n-- site/a.css --\n" + sheet(test.used, test.unused)
		res, found := newSite(t, archive).build(t, project.Production)
		var code string
		for _, d := range res.Diagnostics {
			code += string(d.Code)
		}
		if code != test.want {
			t.Errorf("%d used and %d unused rules, settings %q: found %q, want %q\n%s", test.used, test.unused,
				test.settings, code, test.want, found)
		}
	}
}

// TestTemplatesAreEvidence checks which files beside pages are evidence.
func TestTemplatesAreEvidence(t *testing.T) {
	const used = "<p class=\"berth\">x</p>\n"
	tests := []struct {
		file, text string
		read       bool
	}{
		{"site/part.tmpl", used, true},
		{"site/part.php", "<?php if ($x): ?>" + used, true},
		{"site/data.json", `{"class": "berth"}`, true}, // referenced by the page
		{"site/other.json", `{"class": "berth"}`, false},
		{"site/list.md", "# Piers\n\n" + used, true},
		{"site/part.widget", "<template>" + used + "</template>", true}, // an unknown extension, with markup
		{"site/part.widget", "berth", false},
		{"site/readme", "berth\n", false},
		{"site/img/a.svg", "<svg xmlns='http://www.w3.org/2000/svg'><g class='berth'/></svg>", false}, // not referenced
		{"other/part.tmpl", used, false},
	}
	for _, test := range tests {
		archive := "-- site/i.html --\n<link rel=stylesheet href=a.css><b data-list=data.json>x</b>\n-- site/a.css --\nb { top: 0 } .berth { left: 0 }\n-- " + test.file + " --\n" + test.text + "\n"
		res, found := newSite(t, archive).build(t, project.Production)
		var css string
		for _, o := range res.Outputs {
			if strings.HasSuffix(o.Path, ".css") {
				css += string(o.Data)
			}
		}
		if got := strings.Contains(css, ".berth"); got != test.read {
			t.Errorf("%s (%q): names in use are %v, want %v\n%s\n%s", test.file, test.text, got, test.read, css, found)
		}
	}
}

// TestBrokenPagesAreFixed checks that a page with errors is rewritten when they
// are fixed.
func TestBrokenPagesAreFixed(t *testing.T) {
	s := newSite(t, "-- site/a.html --\n<link rel=stylesheet href=a.css><p>a</p>\n-- site/b.html --\n<p>b</p>\n-- site/a.css --\np { top: 0 }\n")
	build := func(css string) string {
		t.Helper()
		if err := os.WriteFile(filepath.Join(s.dir, "site", "a.css"), []byte(css), 0o644); err != nil {
			t.Fatal(err)
		}
		if res, found := s.build(t, project.Development); !res.Writable() {
			t.Fatal(found)
		}
		data, err := os.ReadFile(filepath.Join(s.output(project.Development), "a.html"))
		if err != nil && !os.IsNotExist(err) {
			t.Fatal(err)
		}
		return string(data)
	}
	before := build("p { top: 0 }")
	_ = build("p { top: const(x) }")
	if after := build("p { top: 0 }"); after != before {
		t.Errorf("the page is\n%s\nand was\n%s", after, before)
	}
}

// TestTextAtTheEnd checks that text at the end of a sheet, which browsers
// ignore, does not change the rules of the sheets that follow in a bundle.
func TestTextAtTheEnd(t *testing.T) {
	for _, end := range []string{"}", "}}", ";", "; ;", "};", ".quay", ".quay,", ")", "]", "/* a */ } /* b */", "-->",
		"@layer a", "@media print", "@media print }", ";/*! licence */", "%", "@custom-selector :--t h1", ":--t }"} {
		s := newSite(t, "-- site/index.html --\n<!doctype html><link rel=stylesheet href=a.css><link rel=stylesheet href=b.css>"+
			"<p class=ferry>x\n-- site/b.css --\n@import \"c.css\"; .ferry { color: teal }\n"+
			"-- site/a.css --\np { top: 0 } "+end+"\n-- site/c.css --\np { top: 1px } "+end+"\n")
		res, found := s.build(t, project.Development)
		if strings.Contains(found, "error:") { // a browser drops rules of the sheet: nothing is published
			continue
		}
		for _, o := range res.Outputs {
			if !strings.HasSuffix(o.Path, ".css") {
				continue
			}
			// Only a block, a comment or a whole statement may precede the rule.
			if !regexp.MustCompile(`(?:\}|\*/|\n@[^;}]*;)\s*\.ferry \{`).Match(o.Data) {
				t.Errorf("%q: the rule after it is spoilt:\n%s\n%s", end, o.Data, found)
			}
			if n := strings.Count(string(o.Data), "top:"); n != 2 {
				t.Errorf("%q: %d rules before, want 2:\n%s", end, n, o.Data)
			}
		}
	}
}
