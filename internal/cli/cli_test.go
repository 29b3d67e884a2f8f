package cli_test

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"testing"

	"rinzel/internal/cli"
)

// run runs the command line in a folder, in this process.
func runIn(t *testing.T, dir string, args ...string) (code int, stdout, stderr string) {
	t.Helper()
	t.Chdir(dir)
	var out, errs bytes.Buffer
	code = cli.Run(context.Background(), args, cli.IO{Out: &out, Err: &errs})
	return code, out.String(), errs.String()
}

// lay writes files to a new folder. They are given as names and texts in turn.
func lay(t testing.TB, files ...string) string {
	t.Helper()
	dir := t.TempDir()
	for i := 0; i < len(files); i += 2 {
		name := filepath.Join(dir, filepath.FromSlash(files[i]))
		if err := os.MkdirAll(filepath.Dir(name), 0o755); err != nil {
			t.Fatal(err)
		}
		if err := os.WriteFile(name, []byte(files[i+1]), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	return dir
}

func TestVersion(t *testing.T) {
	code, out, _ := runIn(t, t.TempDir(), "version")
	if code != 0 || !regexp.MustCompile(`^rinzel .+\nbrowser data from @mdn/browser-compat-data [0-9.]+, caniuse-db [0-9.]+\ndefinitions from @webref/css [0-9.]+\n$`).MatchString(out) {
		t.Errorf("%d %q", code, out)
	}
}

func TestDemo(t *testing.T) {
	dir := t.TempDir()
	code, out, errs := runIn(t, dir, "demo", "harbour")
	if code != 0 || errs != "" {
		t.Fatalf("%d %s", code, errs)
	}
	for _, want := range []string{
		"sample site: harbour\n",
		"% of world use\nsteps of sheets: **/* compose, lower, prefix | gauge:**/*.css lower, prefix; of bundles: purge, minify, banner\n",
		"  steps on 6 pages: ", "  steps on 4 scripts: ", "  steps on 5 other files: ",
		"built 6 pages, 9 bundles, 2 of them shared, ", " lines became 233 in 9, 9 of 260 rules purged,\n      3 vendor prefixes added, ",
		"open " + filepath.Join(dir, "harbour", "public", "index.html") + " in a browser\n",
	} {
		if !strings.Contains(out, want) {
			t.Errorf("no %q in\n%s", want, out)
		}
	}
	for line := range strings.Lines(out) {
		if len(line) > 121 && !strings.Contains(line, dir) {
			t.Errorf("%d bytes: %s", len(line), line)
		}
	}
	pages, _ := filepath.Glob("harbour/public/*.html")
	sheets, _ := filepath.Glob("harbour/public/*.css")
	if len(pages) != 5 || len(sheets) != 7 {
		t.Errorf("%d pages, %d sheets", len(pages), len(sheets))
	}
	if code, _, errs := runIn(t, dir, "demo", "harbour"); code != 2 ||
		!strings.Contains(errs, `folder "harbour" is not empty`) {
		t.Errorf("a second time: %d %s", code, errs)
	}
}

// result is the JSON form of a build, as far as these tests need it.
type result struct {
	Version  int
	Profile  string
	Finish   []string
	Written  bool
	Removed  []string
	Outputs  []struct{ Path, Kind string }
	Bundles  []struct{ Name, Page string }
	Findings []struct {
		Code, Severity, File, Message, Fix string
		Line, Column, EndLine, EndColumn   int
		Related                            []struct {
			File    string
			Line    int
			Message string
		}
	} `json:"diagnostics"`
}

func TestJSON(t *testing.T) {
	dir := lay(t, "index.html", "<link rel=stylesheet href=a.css><p class=a>", "a.css",
		".a { top: 0; *d: e }\n.dead { left: 0 }\n")
	code, out, errs := runIn(t, dir, "build", "--json", "--profile", "production")
	var r result
	if err := json.Unmarshal([]byte(out), &r); err != nil || code != 0 || errs != "" {
		t.Fatal(code, err, errs, out)
	}
	var kinds []string
	for _, o := range r.Outputs {
		kinds = append(kinds, o.Kind)
		if !strings.HasPrefix(o.Path, "public/") {
			t.Errorf("output %s", o.Path)
		}
	}
	if !slices.Equal(kinds, []string{"style", "map", "page", "manifest"}) || r.Version != 1 || !r.Written ||
		r.Profile != "production" ||
		!slices.Equal(r.Finish, []string{"purge", "minify"}) || len(r.Bundles) != 1 || r.Bundles[0].Page != "index.html" {
		t.Errorf("got %+v", r)
	}
	if len(r.Findings) != 1 {
		t.Fatalf("findings %+v", r.Findings)
	}
	if f := r.Findings[0]; f.Code != "bad-declaration" || f.Severity != "warning" || f.File != "a.css" ||
		f.Line != 1 || f.Column != 14 || f.EndColumn != 19 {
		t.Errorf("finding %+v", f)
	}
}

func TestJSONOfErrors(t *testing.T) {
	dir := lay(t, "index.html", "<link rel=stylesheet href=a.css>", "a.css", "@import \"b.css\";", "b.css",
		"@import \"c.css\";")
	code, out, errs := runIn(t, dir, "build", "--json")
	var r result
	if err := json.Unmarshal([]byte(out), &r); err != nil || code != 1 || errs != "" {
		t.Fatal(code, err, errs, out)
	}
	if r.Written || len(r.Outputs) != 0 || len(r.Findings) != 1 {
		t.Fatalf("got %+v", r)
	}
	if f := r.Findings[0]; f.Code != "missing-file" || f.File != "b.css" || len(f.Related) != 1 ||
		f.Related[0].File != "a.css" || f.Related[0].Line != 1 {
		t.Errorf("finding %+v", f)
	}
	if _, err := os.Stat("public"); err == nil {
		t.Error("something was written")
	}
	dir = lay(t, "rinzel.toml", "sorce = 1\n")
	code, out, _ = runIn(t, dir, "build", "--json")
	if err := json.Unmarshal([]byte(out), &r); err != nil || code != 1 || r.Findings[0].Code != "bad-settings" {
		t.Error(code, err, out)
	}
}

func TestColor(t *testing.T) {
	dir := lay(t, "index.html", "<link rel=stylesheet href=none.css>")
	t.Chdir(dir)
	for _, colored := range []bool{false, true} {
		var out, errs bytes.Buffer
		code := cli.Run(context.Background(), []string{"build", "--profile", "production"},
			cli.IO{Out: &out, Err: &errs, OutColor: colored, ErrColor: colored})
		if code != 1 || strings.Contains(out.String()+errs.String(), "\x1b[") != colored {
			t.Errorf("colour %v: %d %q %q", colored, code, out.String(), errs.String())
		}
	}
}

func TestHelp(t *testing.T) {
	for _, args := range [][]string{{}, {"help"}, {"build", "--help"}, {"demo", "--help"}, {"version", "--help"}} {
		code, out, errs := runIn(t, t.TempDir(), args...)
		if code != 0 || errs != "" || !strings.Contains(out, "Examples:\n  rinzel ") {
			t.Errorf("%v: %d, no example in\n%s%s", args, code, out, errs)
		}
	}
}

func TestCompletion(t *testing.T) {
	dir := lay(t, "rinzel.toml", "[profile.staging]\ninherits = \"production\"\n")
	_, out, _ := runIn(t, dir, "__complete", "build", "--profile", "")
	if !strings.HasPrefix(out, "development\nproduction\nstaging\n") {
		t.Errorf("profiles: %q", out)
	}
	for _, shell := range []string{"bash", "zsh", "fish", "powershell"} {
		if code, out, _ := runIn(t, dir, "completion", shell); code != 0 || len(out) < 1000 {
			t.Errorf("%s: %d, %d bytes", shell, code, len(out))
		}
	}
}

func TestStopped(t *testing.T) {
	t.Chdir(lay(t, "index.html", "<p>"))
	ctx, cancel := context.WithCancel(context.Background())
	cancel()
	var out, errs bytes.Buffer
	if code := cli.Run(ctx, []string{"build"}, cli.IO{Out: &out, Err: &errs}); code != 2 ||
		!strings.Contains(errs.String(), "interrupted, previous output kept") {
		t.Errorf("%d %q", code, errs.String())
	}
	if _, err := os.Stat("public"); err == nil {
		t.Error("something was written")
	}
}

// TestSettingsElsewhere checks that paths are relative to the settings file.
func TestSettingsElsewhere(t *testing.T) {
	dir := lay(t, "conf/rinzel.toml", "source = \"../site\"\noutput = \"../out\"\n", "site/index.html",
		"<link rel=stylesheet href=a.css>", "site/a.css", "p { b: c }")
	code, out, errs := runIn(t, dir, "build", "--settings", "conf/rinzel.toml")
	if code != 0 || !strings.Contains(out, "settings conf/rinzel.toml") {
		t.Fatalf("%d %s%s", code, out, errs)
	}
	text, err := os.ReadFile("out/index.css")
	if err != nil || !strings.HasPrefix(string(text), "p {\n  b: c;\n}\n") {
		t.Errorf("%v %s", err, text)
	}
}

// TestNothingButDefinitions checks that an empty output is explained.
func TestNothingButDefinitions(t *testing.T) {
	dir := lay(t, "index.html", "<link rel=stylesheet href=a.css>", "a.css", "@const x: 1;")
	code, out, _ := runIn(t, dir, "build")
	if code != 0 || !strings.Contains(out, "empty: its sheets have no rules") {
		t.Errorf("%d %s", code, out)
	}
}

// TestUnreferenced lists unreferenced files.
func TestUnreferenced(t *testing.T) {
	dir := lay(t, "rinzel.toml", "source = \"site\"\n[bundles.app]\nfrom = [\"app.css\"]\n", "site/index.html",
		"<link rel=stylesheet href=main.css><script type=module src=js/main.js></script><style>@import \"block.css\";</style>",
		"site/main.css", "@tokens \"quay.tokens.json\";\n.a { background: url(img/sea.svg) }\n", "site/app.css", ".b { color: red }\n", "site/block.css", ".c { color: red }\n", "site/quay.tokens.json", "{}",
		"site/js/main.js", "import \"./part.css\"; import(\"./later.js\");\n", "site/js/part.css", ".d { color: red }\n", "site/js/later.js", "import \"./later.css\";\n", "site/js/later.css", ".e { color: red }\n",
		"site/img/sea.svg", "<svg/>", "site/img/old.svg", "<svg/>",
		"site/old.css", ".f { color: red }\n", "site/js/old.js", "x", "site/.hidden", "x")
	code, out, errs := runIn(t, dir, "imports", "--files")
	if want := "3 files in the source folder used by no page and no bundle of the settings:\n  site/img/old.svg\n  site/js/old.js\n  site/old.css\n"; code != 0 || out != want {
		t.Errorf("%d %s\n%s, want %s", code, out, errs, want)
	}
	if code, out, _ := runIn(t, dir, "imports", "--files", "--json"); code != 0 ||
		!strings.Contains(out, `"site/js/old.js"`) {
		t.Errorf("%d %s", code, out)
	}
	code, out, _ = runIn(t, dir, "imports")
	for _, want := range []string{"site/js/part.css  1 rule; imported by site/js/main.js",
		"site/js/later.css  1 rule; imported by site/js/later.js", "the bundle app.css\n└─ site/app.css  1 rule\n", "└─ the style element in line 1  only imports\n   └─ site/block.css  1 rule\n", "1 sheet in the source folder used by no page"} {
		if code != 0 || !strings.Contains(out, want) {
			t.Errorf("%d no %q in\n%s", code, want, out)
		}
	}
}

// TestManyFindings checks that only some of many findings of a kind are shown,
// and in a watch only new ones.
func TestManyFindings(t *testing.T) {
	var many strings.Builder
	for i := range 30 {
		fmt.Fprintf(&many, ".a { colr%d: red }\n", i)
	}
	dir := lay(t, "index.html", "<link rel=stylesheet href=main.css><p class=a>", "main.css",
		many.String()+".a { color: red")
	if _, _, errs := runIn(t, dir, "build"); strings.Count(errs, "unknown property") != 20 ||
		!strings.Contains(errs, "and 10 more [unknown-property]; --json lists all\n") {
		t.Errorf("got %s", errs)
	}
	w := startWatch(t, dir)
	w.expect("unknown property")
	w.expect("watching")
	w.write("main.css", "\n\n"+many.String()+".a { width: 1px }\n")
	w.expect("30 findings unchanged")
	w.expect("built 1 page")
	w.write("main.css", many.String()+".a { colr30: red }\n")
	w.expect("unknown property")
	w.expect("30 findings unchanged")
}

// TestDryRun checks that a dry run lists the files to be written, and no rules.
func TestDryRun(t *testing.T) {
	dir := lay(t, "index.html", "<link rel=stylesheet href=main.css><p class=a>", "main.css",
		".a { color: red }\n.b { color: red; animation: drift 1s }\n@keyframes drift { to { top: 0 } }\n")
	code, out, errs := runIn(t, dir, "build", "--dry-run", "--purged", "-p", "production")
	for _, want := range []string{"  main.css          3       2  66%\n", "  would write to public",
		"1 of 2 rules purged,", "1 definition purged, nothing written"} {
		if code != 0 || !strings.Contains(out, want) {
			t.Errorf("%d no %q in\n%s%s", code, want, out, errs)
		}
	}
	if _, err := os.Stat(filepath.Join(dir, "public")); err == nil {
		t.Error("something was written")
	}
	if code, out, _ := runIn(t, dir, "build", "--dry-run", "--json"); code != 0 ||
		!strings.Contains(out, `"written": false`) {
		t.Errorf("%d %s", code, out)
	}
}

// TestWhy runs the command why.
func TestWhy(t *testing.T) {
	dir := lay(t, "rinzel.toml", "source = \"site\"\n[purge]\nkeep = [\".is-*\"]\n", "site/index.html",
		"<!doctype html><link rel=stylesheet href=main.css><p class=\"board bord\">x<script src=main.js></script>",
		"site/main.js", "el.className = \"note-\" + kind;\nel.id = \"quay\";\n", "site/list.py", "page(kind)",
		"site/main.css", ".board,\n.pier { color: red }\n.note-calm { color: red }\n.is-open { color: red }\n/* rinzel as-is: purge */\n.mole { color: red }\n#quay { color: red }\nbody { color: red }\n@keyframes drift { to { top: 0 } }\n.board { @media print { .pier & { top: 0 } } }\n")
	for _, test := range []struct{ question, want string }{
		{".board", ".board\n  site/main.css:1:1  .board  kept in index.css\n    .board is on a page: site/index.html:1:61\n"},
		{".pier", "  site/main.css:2:1  .pier  purged from index.css\n    unused: .pier\n"},
		{".note-calm", "    .note-calm may be built from \"note-*\", which a script or template completes: site/main.js:1:17 (partial evidence)\n"},
		{"is-open", "    [purge] keep lists \".is-*\"\n"},
		{"mole", "    kept by a comment in the sheet\n"},
		{"#quay", "    #quay occurs as a word in a script or text: site/main.js:2:10\n  #quay in use at site/main.js:2:10\n"},
		{"body", "    body exists on every page, or is set by browsers\n"},
		{"drift", "  site/main.css:9:1  @keyframes drift  purged from index.css\n    not used by any remaining rule\n"},
		{".bord", "  not in any sheet of the site; did you mean \".board\"?\n  .bord in use at site/index.html:1:67\n"},
	} {
		code, out, errs := runIn(t, dir, "why", test.question)
		if code != 0 || !strings.Contains(out, test.want) {
			t.Errorf("%s: %d\n%s%s\nwant\n%s", test.question, code, out, errs, test.want)
		}
	}
	code, out, _ := runIn(t, dir, "why")
	for _, want := range []string{"profile production purges 1 of 7 rules in 1 bundle, and 1 definition used by these only\n", "  site/main.css          9       3  33%\n", "  .bord  site/index.html:1:67; did you mean \".board\"?\n", "not searched for names in use: \"**/*.py\";"} {
		if code != 0 || !strings.Contains(out, want) {
			t.Errorf("%d no %q in\n%s", code, want, out)
		}
	}
	if code, out, _ := runIn(t, dir, "why", "--all", "--json"); code != 0 ||
		!strings.Contains(out, `"how": "joined"`) || !strings.Contains(out, `"selector": "@keyframes drift"`) {
		t.Errorf("%d %s", code, out)
	}
	if code, _, errs := runIn(t, dir, "why", ".board", "-p", "development"); code != 2 ||
		!strings.Contains(errs, `the profile "development" does not purge`) {
		t.Errorf("%d %s", code, errs)
	}
}

// TestWhyOfPages checks the answers about pages, pseudo-classes, at-rules and
// custom properties.
func TestWhyOfPages(t *testing.T) {
	filler := "/*! " + strings.Repeat("ferry ", 400) + "*/\n"
	dir := lay(t, "index.html", "<!doctype html><link rel=stylesheet href=main.css><p class=pier>x",
		"list.html", "<!doctype html><link rel=stylesheet href=main.css><p class=mole>x<script src=list.js></script>",
		"list.js", "el.style.setProperty('--tide', 1); el.className = 'berth'",
		"main.css", ".pier:hover { color: red }\n.mole, .berth { color: red }\n@media print { .pier::after { top: 0 } }\n"+
			"@media screen { .mole { top: var(--tide, 1px) } }\n:root { --tide: 2px; --depth: var(--tide) }\n.lost { top: var(--depth) }\n"+filler)
	for _, test := range []struct {
		args string
		code int
		want string
	}{
		{".pier:hover", 0, "  main.css:1:1  .pier:hover  kept in shared.css\n"},
		{".pier:hover", 0, "    needed by 1 of the 2 pages that load it: index.html\n"},
		{".mole:hover", 0, "not in any sheet of the site"},
		{":hover", 0, "  main.css:1:1  .pier:hover  kept"},
		{"::after", 0, "  main.css:3:16  .pier::after  kept"},
		{":root", 0, "    needed by all 2 pages that load it\n"},
		{"@media", 0, "  main.css:4:17  .mole  kept in shared.css\n"},
		{"@media", 0, "  main.css:3:16  .pier::after  kept"},
		{"@media print", 0, "  main.css:3:16  .pier::after  kept"},
		{"@media speech", 0, "not in any sheet of the site"},
		{".berth --page list.html", 0, "  main.css:2:8  .berth  kept in shared.css\n"},
		{".berth --page index.html", 0, "  main.css:2:8  .berth  not needed by this page, in shared.css\n    unused: .berth\n"},
		{".lost --page index.html", 0, "  main.css:6:1  .lost  purged from shared.css\n"},
		{"--page index.html", 0, "  shared.css          6       3  50%\n"},
		{"--page index.html", 0, "  main.css:2:1  .mole  shared.css\n"},
		{"--page indx.html", 2, "no such page: \"indx.html\"; did you mean \"index.html\"?"},
		{"-- --tide", 0, "  set         main.css:5:9  :root { --tide: 2px }  in shared.css\n"},
		{"-- --tide", 0, "  read        main.css:4:25  .mole { top: var(--tide, 1px) }  in shared.css\n"},
		{"-- --tide", 0, "  read        main.css:5:22  :root { --depth: var(--tide) }  in shared.css\n  in use at list.js:1:23\n"},
		{"-- --depth", 0, "  read        main.css:6:9  .lost { top: var(--depth) }  purged from shared.css\n"},
		{"-- --dept", 0, "no sheet of the site sets or reads it; did you mean \"--depth\"?"},
		{"--json -- --depth", 0, "\"purged\": true"},
	} {
		code, out, errs := runIn(t, dir, append([]string{"why"}, questionArgs(test.args)...)...)
		if code != test.code || !strings.Contains(out+errs, test.want) {
			t.Errorf("why %s: %d\n%s%s\nwant\n%s", test.args, code, out, errs, test.want)
		}
	}
}

// questionArgs splits arguments at spaces, but not in at-rules.
func questionArgs(text string) []string {
	if strings.HasPrefix(text, "@") {
		return []string{text}
	}
	return strings.Fields(text)
}
