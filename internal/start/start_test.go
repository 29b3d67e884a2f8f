package start_test

import (
	"bytes"
	"context"
	"errors"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"golang.org/x/tools/txtar"

	"rinzel/internal/diag"
	"rinzel/internal/project"
	"rinzel/internal/site"
	"rinzel/internal/start"
)

// lay writes the files of an archive into a temporary folder.
func lay(t *testing.T, archive string) string {
	t.Helper()
	dir := t.TempDir()
	for _, f := range txtar.Parse([]byte(archive)).Files {
		name := filepath.Join(dir, filepath.FromSlash(f.Name))
		if err := errors.Join(os.MkdirAll(filepath.Dir(name), 0o755), os.WriteFile(name, f.Data, 0o644)); err != nil {
			t.Fatal(err)
		}
	}
	return dir
}

// propose returns the plan for a folder.
func propose(t *testing.T, dir string) *start.Plan {
	t.Helper()
	plan, err := start.Propose(t.Context(), dir)
	if err != nil {
		t.Fatal(err)
	}
	return plan
}

// build builds a folder with its settings, for release, and returns the names of the
// outputs. There must be no finding.
func build(t *testing.T, dir string) []string {
	t.Helper()
	p, found, err := project.Open(project.Options{Settings: filepath.Join(dir, project.FileName)})
	if err != nil {
		t.Fatal(err)
	}
	defer p.Close()
	var names []string
	if len(found) == 0 {
		res, err := site.Build(context.Background(), p, site.Options{Profile: project.Production})
		if err != nil {
			t.Fatal(err)
		}
		found = slices.DeleteFunc(res.Diagnostics, func(d diag.Diagnostic) bool { return d.Severity < diag.Warning })
		for _, o := range res.Outputs {
			names = append(names, o.Path)
		}
	}
	if len(found) > 0 {
		var text bytes.Buffer
		renderer := diag.Renderer{Files: p.Tree.Set}
		if err := renderer.Render(&text, found); err != nil {
			t.Fatal(err)
		}
		t.Error(text.String())
	}
	return names
}

// TestNewSite checks the site that an empty folder gets: it builds without a finding,
// existing files stay, and a second start is refused.
func TestNewSite(t *testing.T) {
	dir := filepath.Join(lay(t, "-- README.md --\n-- .gitignore --\nown\n"), ".")
	plan := propose(t, dir)
	if !plan.New || !slices.Equal(plan.Kept, []string{".gitignore"}) {
		t.Errorf("%+v", plan)
	}
	if err := plan.Write(dir); err != nil {
		t.Fatal(err)
	}
	if text, _ := os.ReadFile(filepath.Join(dir, ".gitignore")); string(text) != "own\n" {
		t.Errorf("the file is now %s", text)
	}
	if names := build(t, dir); !slices.Contains(names, "index.html") || !slices.Contains(names, "js/site.js") {
		t.Error(names)
	}
	if _, err := start.Propose(t.Context(), dir); !errors.Is(err, start.ErrSettings) {
		t.Error(err)
	}
	if err := plan.Write(dir); !errors.Is(err, fs.ErrExist) {
		t.Errorf("files are written twice: %v", err)
	}
	if missing := propose(t, filepath.Join(dir, "not", "there")); len(missing.Files) != 5 {
		t.Errorf("a missing folder gets %d files", len(missing.Files))
	}
}

// TestSettings checks the settings for sites of different kinds: what they have, and
// that the site builds with them.
func TestSettings(t *testing.T) {
	const page = "<!doctype html><html lang=en><title>Tern</title><link rel=stylesheet href=css/a.css><p class=tern>"
	const sheet = ".tern { color: teal }\n"
	for _, test := range []struct {
		name, archive, settings string
		server                  bool
		outputs                 string // one of them
	}{
		{"pages at the top", "-- index.html --\n" + page + "\n-- css/a.css --\n" + sheet,
			`source = "."; output = "public"`, false, "index.html"},
		{"pages in a folder", "-- web/index.html --\n" + page + "\n-- web/css/a.css --\n" + sheet + "-- notes/one.html --\n<p>part",
			`source = "web"; output = "public"; [roots]; notes = "notes"; [purge]; evidence = ["notes:**/*.html"]`, false, "index.html"},
		{"pages in public", "-- public/index.html --\n" + page + "\n-- public/css/a.css --\n" + sheet,
			`source = "public"; output = "built"`, false, "index.html"},
		{"an output of something else", "-- .gitignore --\n/made/\n*.log\n-- made/index.html --\n<html>\n-- index.html --\n" + page +
			"\n-- css/a.css --\n" + sheet, `source = "."; output = "public"; exclude = ["made/**"]`, false, "index.html"},
		{"an output of our own", "-- public/.rinzel/written.json --\n{\"version\":1,\"outputs\":{}}\n-- index.html --\n" + page +
			"\n-- css/a.css --\n" + sheet, `source = "."; output = "public"`, false, "index.html"},
		{"templates beside styles", "-- static/css/a.css --\n@import \"b.css\";\n-- static/css/b.css --\n" + sheet +
			"-- templates/base.html --\n<!doctype html><html><body class='tern'>{% block page %}\n-- templates/list.html --\n<p class=tern>\n",
			`source = "static"; output = "public"; [bundles.a]; from = ["css/a.css"]; file = "css/a.css"; ` +
				`[roots]; templates = "templates"; [purge]; evidence = ["templates:**/*.html"]`, true, "bundles.json"},
		{"paths of templates", "-- static/css/a.css --\n" + sheet + "-- static/js/a.js --\n-- static/notes.md --\n-- made/index.html --\n" + page +
			"\n-- .gitignore --\nmade\n-- views/base.html --\n<link rel=stylesheet href='/assets/css/a.css?v={{ v }}'><link href=\"//far/css/a.css\">\n" +
			"-- app/views.py --\n-- app/more.py --\n-- views/other.html --\n<link rel=stylesheet href={{ root }}/css/a.css><a class=tern href=css/a.css>\n",
			`source = "static"; output = "public"; base = "/assets/"; copy = ["**/*.js"]; [bundles.a]; from = ["css/a.css"]; file = "css/a.css"; ` +
				`[roots]; views = "views"; [purge]; evidence = ["views:**/*.html"]`, true, "js/a.js"},
		{"templates and styles mixed", "-- app/a.css --\n" + sheet + "-- lib/b.css --\n" + sheet + "-- app/page.php --\n<p class=tern>\n",
			`source = "."; output = "public"; [bundles.a]; from = ["app/a.css"]; file = "app/a.css"; [bundles.b]; ` +
				`from = ["lib/b.css"]; file = "lib/b.css"`, true, "bundles.json"},
		{"many sheets", "-- page.php --\n<p class=tern>\n" + manySheets(sheet),
			`source = "."; output = "public"; [bundles.sheets]; from = ["css/*.css"]; file = "{path}.css"`, true, "bundles.json"},
		{"a sheet that imports another", "-- css/a.css --\n@import \"b.css\";\n" + sheet + "-- css/b.css --\n" + sheet + "-- page.php --\n<p class=tern>\n",
			`source = "."; output = "public"; [bundles.a]; from = ["css/a.css"]; file = "css/a.css"`, true, "bundles.json"},
		{"packages", "-- index.html --\n" + page + "\n-- css/a.css --\n" + sheet + "-- package.json --\n" +
			`{"dependencies": {"buoys": "1", "charts": "1", "gone": "1"}}` + "\n-- node_modules/buoys/package.json --\n" +
			`{"style": "all.css"}` + "\n-- node_modules/buoys/all.css --\n-- node_modules/charts/index.js --\n",
			`source = "."; output = "public"; #   @import "package:buoys";`, false, "index.html"},
		{"an application with one page", "-- index.html --\n" + page + "\n-- css/a.css --\n" + sheet + "-- js/a.js --\nhistory.pushState(null, '', '/b');\n",
			`source = "."; output = "public"; [serve]; fallback = "index.html"`, false, "index.html"},
		{"XHTML", "-- index.html --\n<?xml version=\"1.0\"?><?xml-stylesheet href=\"x.xsl\"?>" + page + "\n-- css/a.css --\n" + sheet,
			`source = "."; output = "public"`, false, "index.html"},
		{"names that need quotes", "-- \"quay\"/index.html --\n" + page + "\n-- \"quay\"/css/a.css --\n" + sheet,
			`source = "\"quay\""; output = "public"`, false, "index.html"},
	} {
		t.Run(test.name, func(t *testing.T) {
			dir := lay(t, test.archive)
			plan := propose(t, dir)
			if plan.New || len(plan.Files) != 1 || plan.Server != test.server {
				t.Fatalf("%+v", plan)
			}
			var lines []string
			for line := range strings.Lines(plan.Files[0].Text) {
				line = strings.TrimSpace(line)
				if len(line) > 100 {
					t.Errorf("%d characters: %s", len(line), line)
				}
				if line != "" && (line[0] != '#' || strings.Contains(line, "@import")) {
					lines = append(lines, line)
				}
			}
			if got := strings.Join(lines, "; "); got != test.settings {
				t.Errorf("the settings are\n%s, want\n%s", got, test.settings)
			}
			if err := plan.Write(dir); err != nil {
				t.Fatal(err)
			}
			if names := build(t, dir); !slices.Contains(names, test.outputs) {
				t.Errorf("the outputs are %q", names)
			}
		})
	}
}

// manySheets returns an archive of sheets.
func manySheets(text string) string {
	var b strings.Builder
	for _, name := range strings.Fields("anchor berth crane dock eddy ferry gull") {
		b.WriteString("-- css/" + name + ".css --\n" + text)
	}
	return b.String()
}

// TestProgram checks the hint about the programs of a server.
func TestProgram(t *testing.T) {
	const site = "-- static/a.css --\n.tern { color: teal }\n-- views/a.html --\n<p class=tern>\n"
	for archive, want := range map[string]string{
		site + "-- app/views.py --\n-- app/deep/x.py --\n": `(app/deep/x.py and 1 other file), add their folder to [roots], and "app:**/*.py" to evidence.`,
		site + "-- server.go --\n":                         "",
		site:                                               "",
	} {
		text := strings.Join(strings.Fields(strings.ReplaceAll(propose(t, lay(t, archive)).Files[0].Text, "\n#", "")), " ")
		if strings.Contains(text, "programs of the server") != (want != "") || !strings.Contains(text, want) {
			t.Errorf("no %q in %s", want, text)
		}
	}
}
