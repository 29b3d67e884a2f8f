package site_test

import (
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/base64"
	"fmt"
	"image"
	"image/png"
	"io/fs"
	"os"
	"os/exec"
	"path/filepath"
	"runtime"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"golang.org/x/tools/txtar"

	"rinzel/internal/diag"
	"rinzel/internal/diag/code"
	"rinzel/internal/emit"
	"rinzel/internal/project"
	"rinzel/internal/site"
	"rinzel/internal/source"
	"rinzel/internal/sourcemap"
)

// examples returns the folder of the steps in the documentation, and the one in
// Go, built as a program and as a module.
func examples(t *testing.T) (dir, program, module string) {
	t.Helper()
	inkOnce.Do(func() {
		var out string
		if out, inkErr = os.MkdirTemp("", "ink"); inkErr != nil {
			return
		}
		ink = out
		for name, env := range map[string][]string{"ink": nil, "ink.wasm": {"GOOS=wasip1", "GOARCH=wasm"}} {
			cmd := exec.Command("go", "build", "-o", filepath.Join(out, name), "rinzel/docs/steps/ink")
			cmd.Env = append(append(os.Environ(), "CGO_ENABLED=0"), env...)
			if text, err := cmd.CombinedOutput(); err != nil {
				inkErr = fmt.Errorf("%w: %s", err, text)
			}
		}
	})
	if inkErr != nil {
		t.Fatal(inkErr)
	}
	dir, err := filepath.Abs("../../docs/steps")
	if err != nil {
		t.Fatal(err)
	}
	return dir, filepath.Join(ink, "ink"), filepath.Join(ink, "ink.wasm")
}

var (
	inkOnce sync.Once
	ink     string // folder of the built examples
	inkErr  error
)

// newOwnSite writes a site with steps. DOCS and INK in its files are the paths of
// the examples; the module is tools/ink.wasm. Results are stored in its folder
// "stored".
func newOwnSite(t *testing.T, archive string) string {
	t.Helper()
	if runtime.GOOS == "windows" {
		t.Skip("the programs of this test are those of Unix")
	}
	docs, program, module := examples(t)
	dir := t.TempDir()
	for _, f := range txtar.Parse([]byte(archive)).Files {
		text := strings.NewReplacer("DOCS", docs, "INK", program).Replace(string(f.Data))
		if f.Name == "rinzel.toml" {
			text += "\n[cache]\nfolder = \"stored\"\n"
		}
		writeFile(t, dir, f.Name, text)
	}
	code, err := os.ReadFile(module)
	if err != nil {
		t.Fatal(err)
	}
	writeFile(t, dir, "tools/ink.wasm", string(code))
	return dir
}

// writeFile writes a file in a folder.
func writeFile(t *testing.T, dir, name, text string) {
	t.Helper()
	name = filepath.Join(dir, filepath.FromSlash(name))
	if err := os.MkdirAll(filepath.Dir(name), 0o700); err != nil {
		t.Fatal(err)
	}
	if err := os.WriteFile(name, []byte(text), 0o600); err != nil {
		t.Fatal(err)
	}
}

// buildOwn builds a site, and returns the project and the result.
func buildOwn(t *testing.T, dir, profile string) (*project.Project, *site.Result) {
	t.Helper()
	p, found, err := project.Open(project.Options{Settings: filepath.Join(dir, "rinzel.toml")})
	if err != nil || diag.HasErrors(found) {
		t.Fatal(err, found)
	}
	t.Cleanup(func() { _ = p.Close() })
	res, err := site.Build(t.Context(), p, site.Options{Profile: profile})
	if err != nil {
		t.Fatal(err)
	}
	return p, res
}

// textOf returns the first output whose path ends in one of the endings.
func textOf(res *site.Result, endings ...string) string {
	for _, o := range res.Outputs {
		for _, ending := range endings {
			if strings.HasSuffix(o.Path, ending) {
				data, _ := o.Content()
				return string(data)
			}
		}
	}
	return "no output " + strings.Join(endings, ", ")
}

// rendered returns findings as they are shown, with their paths relative to a
// folder.
func rendered(p *project.Project, dir string, list []diag.Diagnostic) string {
	var b bytes.Buffer
	_ = (&diag.Renderer{Files: p.Tree.Set}).Render(&b, list)
	show := p.Tree.Show(source.Path{Root: project.FolderRoot})
	return strings.NewReplacer(show+"/", "", dir+"/", "").Replace(b.String())
}

const harbour = `
-- site/index.html --
<!doctype html>
<link rel="stylesheet" href="quay.ink">
<link rel="stylesheet" href="pier.css">
<script type="module" src="main.js"></script>
<p class="quay">Ferries <img src="boat.svg">
-- site/quay.ink --
use "tones.ink"
tone rail silver
.quay {
  color: ~deep;
  border-color: ~rail;
}
-- site/tones.ink --
tone deep #0b3c5d
-- site/pier.css --
@import "rail.ink";
.quay { padding: 12px }
-- site/rail.ink --
.quay { margin: 1px }
-- site/main.js --
import "./sub/late.js";
console.debug("a");
export const depth = 4;
console.log(depth);
-- site/sub/late.js --
import "../late.ink";
console.debug("late");
-- site/late.ink --
tone late #aabbcc
.quay { outline-color: ~late }
-- site/boat.svg --
<svg xmlns="http://www.w3.org/2000/svg"><!-- a boat --><path d="M0 0"/></svg>
`

// TestOwnSteps runs steps of each kind on everything that they work on, and checks
// what is written.
func TestOwnSteps(t *testing.T) {
	for name, how := range map[string]string{"program": `run = ["INK"]`, "module": `module = "tools/ink.wasm"`} {
		dir := newOwnSite(t, `
-- rinzel.toml --
source = "site"
[[chain]]
match = "**/*"
steps = ["compose", "lower", "prefix", "units"]
[step.ink]
on = "sheet"
takes = "ink"
`+how+`
[step.units]
on = "sheet"
run = ["sed", "s/12px/13px/"]
protocol = "text"
[step.banner]
on = "bundle"
run = ["DOCS/banner.sh"]
protocol = "text"
[step.stamp]
on = "page"
run = ["sed", "s/Ferries/Boats/"]
protocol = "text"
[step.quiet]
on = "script"
run = ["sed", "/console.debug/d"]
protocol = "text"
[step.svg]
on = "asset"
match = "**/*.svg"
run = ["sed", "s/<!--.*-->//"]
protocol = "text"
[profile.production]
finish = ["minify", "banner"]
script-styles = "link"
`+harbour)
		p, res := buildOwn(t, dir, project.Production)
		if len(res.Diagnostics) > 0 {
			t.Fatalf("%s:\n%s", name, rendered(p, dir, res.Diagnostics))
		}
		css := textOf(res, ".css")
		for _, want := range []string{"/*! index.css, made for production */.quay{color:#0b3c5d;", "border-color:silver", "padding:13px", "margin:1px"} {
			if !strings.Contains(css, want) {
				t.Errorf("%s: the bundle has no %q: %s", name, want, css)
			}
		}
		if late := allOf(res, ".css"); !strings.Contains(late, "outline-color:#abc") {
			t.Errorf("%s: the sheet that a script imports is missing in %s", name, late)
		}
		if js := textOf(res, "main.js"); strings.Contains(js, "debug") || !strings.Contains(js, "console.log") {
			t.Errorf("%s: the script is %s", name, js)
		}
		if page := textOf(res, "index.html"); !strings.Contains(page, "Boats") || !strings.Contains(page, `src="boat.`) {
			t.Errorf("%s: the page is %s", name, page)
		}
		if svg := textOf(res, ".svg"); strings.Contains(svg, "boat") || !strings.Contains(svg, "<path") {
			t.Errorf("%s: the picture is %s", name, svg)
		}
		for _, o := range res.Outputs {
			if strings.HasSuffix(o.Path, ".ink") {
				t.Errorf("%s: %s is written", name, o.Path)
			}
		}
	}
}

// allOf returns all outputs with an ending.
func allOf(res *site.Result, ending string) string {
	var b strings.Builder
	for _, o := range res.Outputs {
		if strings.HasSuffix(o.Path, ending) {
			data, _ := o.Content()
			b.Write(data)
		}
	}
	return b.String()
}

// TestOwnMaps checks that source maps lead through steps: one that reads another
// language, two that add lines without a map, and one that gives a map.
func TestOwnMaps(t *testing.T) {
	dir := newOwnSite(t, `
-- rinzel.toml --
source = "site"
[[chain]]
match = "**/*"
steps = ["compose", "lower", "prefix", "lines", "indented"]
[step.ink]
on = "sheet"
takes = "ink"
run = ["INK"]
[step.lines]
on = "sheet"
run = ["awk", "{ print \"\"; print; } /color/ { print \"  top: 0;\" }"]
protocol = "text"
[step.indented]
on = "sheet"
run = ["sh", "tools/indented.sh"]
protocol = "text"
[step.banner]
on = "bundle"
run = ["DOCS/banner.sh"]
protocol = "text"
[step.quiet]
on = "script"
run = ["sed", "s/^console.debug.*$/\\n\\n/"]
protocol = "text"
[profile.development]
finish = ["banner"]
maps = "file"
[profile.production]
finish = ["minify", "banner"]
-- tools/indented.sh --
# Indents all by a comment, and gives a map that leads each line to its start.
awk '{ print "/**/" $0; maps = maps (NR == 1 ? "IAAA" : ";IACA") } END {
	printf "/*# sourceMappingURL=data:application/json,{\"version\":3,\"sources\":[\"\"],\"names\":[],\"mappings\":\"%s\"} */\n", maps }'
`+harbour)
	wants := map[string]string{"color": "site/quay.ink:4", "border-color": "site/quay.ink:5", "padding": "site/pier.css:2",
		"margin": "site/rail.ink:1"}
	for _, profile := range []string{project.Development, project.Production} {
		p, res := buildOwn(t, dir, profile)
		if len(res.Diagnostics) > 0 {
			t.Fatal(rendered(p, dir, res.Diagnostics))
		}
		m, err := sourcemap.Read([]byte(textOf(res, "index.css.map", "index."+hashIn(res)+".css.map")))
		if err != nil {
			t.Fatal(err)
		}
		for declared, want := range wants {
			if got := leadsTo(m, textOf(res, ".css"), declared); !strings.HasSuffix(got, want) {
				t.Errorf("%s: %s leads to %q, want %s", profile, declared, got, want)
			}
		}
		js := textOf(res, "main.js")
		m, err = sourcemap.Read([]byte(textOf(res, "main.js.map")))
		if err != nil {
			t.Fatal(err)
		}
		before := js[:strings.Index(js, "console.log")]
		line := strings.Count(before, "\n")
		if at, ok := m.Find(line, len(before)-strings.LastIndex(before, "\n")-1); !ok || at.SourceLine != 3 ||
			!strings.HasSuffix(m.Sources[at.Source].URL, "site/main.js") {
			t.Errorf("%s: line %d of the script leads to %+v, %v", profile, line+1, at, ok)
		}
	}
}

// hashIn returns the hash in the name of the first bundle.
func hashIn(res *site.Result) string {
	for _, o := range res.Outputs {
		if parts := strings.Split(o.Path, "."); o.Kind == emit.StyleKind && parts[0] == "index" && len(parts) == 3 {
			return parts[1]
		}
	}
	return ""
}

// TestOwnFindings makes steps report and fail, and compares what is shown.
func TestOwnFindings(t *testing.T) {
	const settings = "-- rinzel.toml --\nsource = \"site\"\n[step.ink]\non = \"sheet\"\ntakes = \"ink\"\n"
	const page = "-- site/index.html --\n<!doctype html><link rel=stylesheet href=a.ink><script src=a.js></script><img src=a.svg>\n" +
		"-- site/a.js --\nlet a = 1\n-- site/a.svg --\n<svg/>\n"
	tests := []struct{ name, settings, sheet, want string }{
		{"a finding at its place", `run = ["INK"]`, "\n.quay { color: ~depe }\n", `site/a.ink:2:16: error: there is no tone ~depe (step "ink") [step-finding]
    2 | .quay { color: ~depe }
      |                ^^^^^
  fix: define it: tone depe navy

`},
		{"a mistake in CSS from a step", `run = ["INK"]`, "tone a 1px\n.quay { top: ~a; colour }\n", `site/a.ink:2:18: warning: expected a declaration or a rule, got "colour": browsers skip it [bad-declaration]
    2 | .quay { top: ~a; colour }
      |                  ^^^^^^
  fix: write name: value;

`},
		{"a program that fails", `run = ["sh", "-c", "echo no tide >&2; exit 3"]`, ".quay {}\n", `site/a.ink:1:1: error: the step "ink" failed: exit status 3 [step-failed]
    1 | .quay {}
      | ^
  it wrote:
      | no tide

`},
		{"a program that does not answer", `run = ["sh", "-c", "echo waiting >&2; sleep 3600"]` + "\ntime = 0.5", ".quay {}\n", `site/a.ink:1:1: error: the step "ink" failed: no answer in 500ms [step-failed]
    1 | .quay {}
      | ^
  it wrote:
      | waiting

`},
		{"a module that is missing", `module = "tools/tide.wasm"`, ".quay {}\n", `rinzel.toml:2:2: error: the step "ink" failed: the module "tools/tide.wasm" cannot be read: file does not exist [step-failed]
    2 | [step.ink]
      |  ^^^^^^^^

`},
		{"a program that is missing", `run = ["tools/tide"]`, ".quay {}\n", `rinzel.toml:2:2: error: the step "ink" failed: there is no program "tools/tide" [step-failed]
    2 | [step.ink]
      |  ^^^^^^^^

`},
		{"a picture", `run = ["INK"]` + "\n[step.svg]\non = \"asset\"\nmatch = \"*.svg\"\nrun = [\"false\"]\nprotocol = \"text\"\n", ".quay {}\n", `error: the step "svg" failed on "a.svg": exit status 1 [step-failed]

`},
		{"a script", `run = ["INK"]` + "\n[step.js]\non = \"script\"\nrun = [\"false\"]\nprotocol = \"text\"\n", ".quay {}\n", `site/a.js:1:1: error: the step "js" failed: exit status 1 [step-failed]
    1 | let a = 1
      | ^

`},
		{"a wrong path", `run = ["sh", "-c", "echo '{\"read\": [\"../secret\"]}'"]`, ".quay {}\n", `site/a.ink:1:1: error: the step "ink" failed: it says that it read "../secret": paths must be relative to the folder of the settings, and inside it [step-failed]
    1 | .quay {}
      | ^

`},
		{"a broken map", `run = ["sh", "-c", "echo '{\"text\": \".quay { top: 0 }\", \"map\": {\"version\": 2}}'"]`, ".quay {}\n", `site/a.ink:1:1: warning: the step "ink" gave an invalid source map, so positions are found by comparing lines: source map has version 2: expected 3 [step-finding]
    1 | .quay {}
      | ^

`},
	}
	for _, test := range tests {
		t.Run(test.name, func(t *testing.T) {
			dir := newOwnSite(t, settings+test.settings+"\n"+page+"-- site/a.ink --\n"+test.sheet)
			p, res := buildOwn(t, dir, project.Development)
			if got := rendered(p, dir, res.Diagnostics); got != test.want {
				t.Errorf("got:\n%s\nwant:\n%s", got, test.want)
			}
		})
	}
}

// outputsOf returns all outputs with their contents.
func outputsOf(t *testing.T, res *site.Result) map[string]string {
	t.Helper()
	out := make(map[string]string)
	for _, o := range res.Outputs {
		data, err := o.Content()
		if err != nil {
			t.Fatal(err)
		}
		out[o.Path] = string(data)
	}
	return out
}

const counted = `
-- rinzel.toml --
source = "site"
[step.ink]
on = "sheet"
takes = "ink"
run = ["sh", "tools/ink.sh"]
inputs = ["tools/**"]
[step.svg]
on = "asset"
match = "**/*.svg"
run = ["sh", "-c", "echo x >> runs; sed 's/<!--.*-->//'"]
protocol = "text"
-- tools/ink.sh --
# Asks for a file, reads another one itself, and notes that it ran.
echo x >> runs
read -r request
echo '{"get": "tones.txt"}'
read -r answer
tone=$(printf '%s' "$answer" | sed 's/.*"text":"//; s/\\.*//')
size=$(cat size.txt)
printf '{"text": ".quay { color: %s; top: %s }", "read": ["size.txt"]}' "$tone" "$size"
-- size.txt --
4px
-- site/index.html --
<!doctype html><link rel=stylesheet href=a.ink><p class=quay><img src=a.svg>
-- site/a.ink --
.quay {}
-- site/tones.txt --
navy
-- site/a.svg --
<svg xmlns="http://www.w3.org/2000/svg"><!-- a boat --></svg>
`

// runs returns how often steps ran since the last call.
func runs(dir string) int {
	name := filepath.Join(dir, "runs")
	data, _ := os.ReadFile(name)
	_ = os.Remove(name)
	return strings.Count(string(data), "x")
}

// TestOwnResultsAreStored checks when steps run: if nothing that they depend on
// changed, the stored result is used, and is the same as without a store.
func TestOwnResultsAreStored(t *testing.T) {
	dir := newOwnSite(t, counted)
	change := func(name, text string) { writeFile(t, dir, name, text) }
	steps := []struct {
		name string
		do   func()
		runs int
		want string // in the bundle
	}{
		{"first", func() {}, 2, "color: navy;\n  top: 4px"},
		{"again", func() {}, 0, "color: navy;\n  top: 4px"},
		{"the file that it asks for", func() { change("site/tones.txt", "teal\n") }, 1, "color: teal"},
		{"and back", func() { change("site/tones.txt", "navy\n") }, 0, "color: navy"},
		{"the file that it reads", func() { change("size.txt", "5px\n") }, 1, "top: 5px"},
		{"the sheet", func() { change("site/a.ink", ".pier {}\n") }, 1, "top: 5px"},
		{"the picture", func() { change("site/a.svg", "<svg/>") }, 1, "top: 5px"},
		{"its program", func() { change("tools/ink.sh", mustRead(t, dir, "tools/ink.sh")+"# new\n") }, 1, "top: 5px"},
		{"an input", func() { change("tools/notes.txt", "x") }, 1, "top: 5px"},
		{"without the store", func() { _ = os.RemoveAll(filepath.Join(dir, "stored")) }, 2, "top: 5px"},
		{"a damaged store", func() { damage(t, filepath.Join(dir, "stored")) }, 2, "top: 5px"},
	}
	for _, s := range steps {
		s.do()
		p, res := buildOwn(t, dir, project.Development)
		if len(res.Diagnostics) > 0 {
			t.Fatal(rendered(p, dir, res.Diagnostics))
		}
		if got := runs(dir); got != s.runs {
			t.Errorf("%s: steps ran %d times, want %d", s.name, got, s.runs)
		}
		if css := textOf(res, ".css"); !strings.Contains(css, s.want) {
			t.Errorf("%s: the bundle is %s", s.name, css)
		}
	}
}

// mustRead returns the text of a file.
func mustRead(t *testing.T, dir, name string) string {
	t.Helper()
	data, err := os.ReadFile(filepath.Join(dir, name))
	if err != nil {
		t.Fatal(err)
	}
	return string(data)
}

// damage shortens all files in a folder.
func damage(t *testing.T, dir string) {
	t.Helper()
	err := filepath.WalkDir(dir, func(name string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() {
			return err
		}
		info, err := d.Info()
		if err != nil {
			return err
		}
		return os.Truncate(name, info.Size()/2)
	})
	if err != nil {
		t.Fatal(err)
	}
}

// TestOwnStepsTogether builds with one store in several builds at once, some of
// which are cancelled: all results must be those of a build without a store.
func TestOwnStepsTogether(t *testing.T) {
	dir := newOwnSite(t, counted)
	_, res := buildOwn(t, dir, project.Development)
	want := outputsOf(t, res)
	if err := os.RemoveAll(filepath.Join(dir, "stored")); err != nil {
		t.Fatal(err)
	}
	var group sync.WaitGroup
	for i := range 12 {
		group.Go(func() {
			p, _, err := project.Open(project.Options{Settings: filepath.Join(dir, "rinzel.toml")})
			if err != nil {
				t.Error(err)
				return
			}
			defer p.Close()
			ctx, cancel := context.WithCancel(t.Context())
			defer cancel()
			if i%2 == 0 {
				time.AfterFunc(time.Duration(i)*3*time.Millisecond, cancel)
			}
			res, err := site.Build(ctx, p, site.Options{Profile: project.Development})
			if err != nil {
				if ctx.Err() == nil {
					t.Error(err)
				}
				return
			}
			got := outputsOf(t, res)
			for name, text := range want {
				if got[name] != text {
					t.Errorf("%s differs:\n%s\nwant:\n%s", name, got[name], text)
				}
			}
		})
	}
	group.Wait()
}

// TestOwnMemory changes a site with steps, and compares each build with one
// without a memory.
func TestOwnMemory(t *testing.T) {
	dir := newOwnSite(t, counted)
	p, _, err := project.Open(project.Options{Settings: filepath.Join(dir, "rinzel.toml")})
	if err != nil {
		t.Fatal(err)
	}
	defer p.Close()
	memory := site.NewCache(p)
	tools := source.Path{Root: project.FolderRoot, Name: "tools/ink.sh"}
	changes := []struct {
		path source.Path
		text string
		runs int
	}{
		{source.Path{Name: "site/index.html"}, "", 2},
		{source.Path{Name: "index.html"}, "<!doctype html><link rel=stylesheet href=a.ink><p class='quay pier'><img src=a.svg>\n", 0},
		{source.Path{Name: "tones.txt"}, "teal\n", 1},
		{source.Path{Root: project.FolderRoot, Name: "size.txt"}, "6px\n", 1},
		{source.Path{Name: "a.svg"}, "<svg><!-- x --></svg>", 1},
		{tools, "echo x >> runs; echo '{\"text\": \".quay { left: 1px }\"}'\n", 1},
		{tools, "echo x >> runs; echo '{\"text\": '\n", 1},
		{tools, "echo x >> runs; echo '{\"text\": \".quay { left: 2px }\"}'\n", 1},
	}
	for i, c := range changes {
		if c.text != "" {
			name := c.path.Name
			if c.path.Root == "" {
				name = "site/" + name
			}
			writeFile(t, dir, name, c.text)
			memory.Apply([]source.Path{c.path})
		}
		res, err := site.Build(t.Context(), p, site.Options{Profile: project.Development, Cache: memory})
		if err != nil {
			t.Fatal(err)
		}
		if got := runs(dir); got != c.runs {
			t.Errorf("change %d, %v: steps ran %d times, want %d", i, c.path, got, c.runs)
		}
		fresh, again := buildOwn(t, dir, project.Development)
		runs(dir)
		if got, want := everything(p, res), everything(fresh, again); got != want {
			t.Errorf("change %d, %v: %s", i, c.path, firstDifference(got, want))
		}
	}
}

// TestOwnOrder checks that steps on files that are written run in the order of
// before and after, only in their profiles, and only on matching files.
func TestOwnOrder(t *testing.T) {
	dir := newOwnSite(t, `
-- rinzel.toml --
source = "site"
[step.three]
on = "page"
after = ["two"]
run = ["sed", "s/$/3/"]
protocol = "text"
[step.one]
on = "page"
run = ["sed", "s/$/1/"]
protocol = "text"
before = ["two"]
[step.two]
on = "page"
run = ["sed", "s/$/2/"]
protocol = "text"
[step.never]
on = "page"
match = "other/**"
run = ["false"]
[step.later]
on = "page"
profiles = ["production"]
run = ["sed", "s/$/4/"]
protocol = "text"
-- site/index.html --
<!doctype html><p>Ferries
`)
	for profile, want := range map[string]string{project.Development: "Ferries123\n", project.Production: "Ferries1234\n"} {
		if _, res := buildOwn(t, dir, profile); !strings.HasSuffix(textOf(res, "index.html"), want) {
			t.Errorf("%s: the page is %s", profile, textOf(res, "index.html"))
		}
	}
}

// TestOwnExampleInPython runs the example of the documentation in Python.
func TestOwnExampleInPython(t *testing.T) {
	if _, err := exec.LookPath("python3"); err != nil {
		if os.Getenv("RINZEL_BROWSER_REQUIRED") != "" {
			t.Fatal("python3 is not installed")
		}
		t.Skip("python3 is not installed")
	}
	dir := newOwnSite(t, `
-- rinzel.toml --
source = "site"
[step.quiet]
on = "script"
run = ["python3", "DOCS/quiet.py"]
time = 60
options = { methods = ["debug", "info"] }
-- site/index.html --
<!doctype html><script src=a.js></script><script src=b.js></script><script src=c.js></script>
-- site/a.js --
console.debug("a");
console.log("b");
console.info("c");
-- site/b.js --
let depth = 4;
  console.debug("a",
    depth);
-- site/c.js --
console.log("quay");
`)
	p, res := buildOwn(t, dir, project.Production)
	if js := textOf(res, "a.js"); !strings.HasPrefix(js, "console.log(\"b\");\n") || strings.Contains(js, "info") {
		t.Errorf("the script is %s", js)
	}
	if c := textOf(res, "c.js"); c != "console.log(\"quay\");\n" {
		t.Errorf("the script without changes is %q", c)
	}
	i := slices.IndexFunc(res.Diagnostics, func(d diag.Diagnostic) bool { return d.Code == code.StepFinding })
	if i < 0 {
		t.Fatal("no finding")
	}
	if got := rendered(p, dir, res.Diagnostics[i:i+1]); !strings.HasPrefix(got, "site/b.js:2:3: warning: a call that goes on") {
		t.Errorf("the finding is %s", got)
	}
}

// TestShrink makes pictures smaller in builds for release: also inlined ones, and
// with names from their new contents.
func TestShrink(t *testing.T) {
	img := image.NewNRGBA(image.Rect(0, 0, 60, 40))
	for i := range img.Pix {
		img.Pix[i] = byte(i / 97)
	}
	var picture bytes.Buffer
	if err := (&png.Encoder{CompressionLevel: png.NoCompression}).Encode(&picture, img); err != nil {
		t.Fatal(err)
	}
	dir := newOwnSite(t, `
-- rinzel.toml --
[assets]
shrink = true
-- index.html --
<!doctype html><link rel=stylesheet href=a.css><p class=a><img src=boat.png><img src=rail.svg>
-- rail.svg --
<svg xmlns="http://www.w3.org/2000/svg">
  <style> .a { fill: blue } </style> <!-- a rail -->
  <path class="a" d="M 0.0 0" />
</svg>
-- a.css --
.a { background: url(boat.png) }
`)
	writeFile(t, dir, "boat.png", picture.String())
	_, res := buildOwn(t, dir, project.Production)
	small := textOf(res, ".png")
	if len(small) == 0 || len(small) >= picture.Len()/2 {
		t.Errorf("the picture has %d bytes, before %d", len(small), picture.Len())
	}
	sum := sha256.Sum256([]byte(small))
	if svg := textOf(res, ".svg"); svg != `<svg xmlns="http://www.w3.org/2000/svg"><style>.a{fill:blue}</style><path class="a" d="M0 0"/></svg>` {
		t.Errorf("the SVG file is %s", svg)
	}
	if name := emit.HashedName("boat.png", sum); !strings.Contains(textOf(res, "index.html"), name) ||
		!strings.Contains(textOf(res, ".css"), name) {
		t.Errorf("the name is not %s in %s", name, textOf(res, "index.html"))
	}
	if _, res := buildOwn(t, dir, project.Development); textOf(res, ".png") != picture.String() {
		t.Error("the picture changed in development")
	}
	settings := mustRead(t, dir, "rinzel.toml")
	inline := strings.Replace(settings, "shrink = true", fmt.Sprintf("shrink = true\ninline = %d", len(small)), 1)
	writeFile(t, dir, "rinzel.toml", inline)
	_, res = buildOwn(t, dir, project.Production)
	if css := textOf(res, ".css"); !strings.Contains(css, base64.StdEncoding.EncodeToString([]byte(small))) {
		t.Errorf("the small picture is not inlined: %.200s", css)
	}
}
