package site_test

import (
	"context"
	"errors"
	"fmt"
	"io/fs"
	"maps"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"testing"
	"testing/fstest"

	"golang.org/x/tools/txtar"

	"rinzel/internal/browsertest"
	"rinzel/internal/css/parse"
	"rinzel/internal/diag"
	"rinzel/internal/emit"
	"rinzel/internal/project"
	"rinzel/internal/site"
	"rinzel/internal/source"
	"rinzel/internal/step/compose"
)

// testSite is a project in a temporary folder, with its pages in the folder
// site.
type testSite struct{ dir string }

// newSite writes the files of a txtar archive. Settings without a source folder
// get one.
func newSite(t *testing.T, archive string) testSite {
	t.Helper()
	s := testSite{t.TempDir()}
	files := txtar.Parse([]byte(archive)).Files
	if !slices.ContainsFunc(files, func(f txtar.File) bool { return f.Name == project.FileName }) {
		files = append(files, txtar.File{Name: project.FileName, Data: []byte("source = \"site\"\n")})
	}
	for _, f := range files {
		path := filepath.Join(s.dir, filepath.FromSlash(f.Name))
		if err := errors.Join(os.MkdirAll(filepath.Dir(path), 0o755), os.WriteFile(path, f.Data, 0o644)); err != nil {
			t.Fatal(err)
		}
	}
	return s
}

// build builds the site, writes it to a folder named after the profile, and
// returns the result and the displayed findings.
func (s testSite) build(t *testing.T, profile string) (*site.Result, string) {
	t.Helper()
	p, diags, err := project.Open(project.Options{Settings: filepath.Join(s.dir, project.FileName),
		Output: s.output(profile)})
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = p.Close() })
	res := &site.Result{}
	if !diag.HasErrors(diags) {
		if res, err = site.Build(context.Background(), p, site.Options{Profile: profile}); err != nil {
			t.Fatal(err)
		}
		diags = append(diags, res.Diagnostics...)
	}
	var b strings.Builder
	r := diag.Renderer{Files: p.Tree.Set}
	_ = r.Render(&b, diags)
	if !diag.HasErrors(diags) {
		checkFinished(t, res.Outputs)
		if _, err := source.Publish(t.Context(), p.Output, emit.Files(res.Outputs), source.PublishOptions{}); err != nil {
			t.Fatal(err)
		}
	}
	return res, strings.ReplaceAll(b.String(), s.dir+"/", "")
}

// checkFinished checks that the sheets of a build contain no build-time syntax.
func checkFinished(t *testing.T, outputs []emit.Output) {
	t.Helper()
	for _, o := range outputs {
		if o.Kind != emit.StyleKind {
			continue
		}
		sheet, _ := parse.Sheet(new(source.Set).Add(source.Path{}, "", string(o.Data)))
		if _, what, ok := compose.Leftover(sheet.Nodes); ok {
			t.Errorf("%s holds %s:\n%s", o.Path, what, o.Data)
		}
	}
}

func (s testSite) output(profile string) string { return filepath.Join(s.dir, "public-"+profile) }

// pages are sites that a browser can read unbuilt, and whose pages must look
// the same when built.
var pages = []struct{ name, archive string }{
	{"order of links and imports", `
-- site/index.html --
<link rel=stylesheet href=css/a.css><link rel=stylesheet href=css/b.css><link rel=stylesheet href=css/c.css media=print>
<link rel=stylesheet href=css/d.css media="(min-width: 10px)"><p class="x y">x</p><b>b</b>
-- site/css/a.css --
@import "e.css";
.x { color: red; top: 1px }
-- site/css/b.css --
.x { color: green } b { color: blue }
-- site/css/c.css --
.x { color: blue }
-- site/css/d.css --
.x { background: yellow }
-- site/css/e.css --
.x { color: blue; left: 2px; border: 1px solid }
`},
	{"a style block between links", `
-- site/index.html --
<link rel=stylesheet href=a.css><style>.x { color: green; top: 2px }</style><link rel=stylesheet href=b.css><p class="x">x</p>
-- site/a.css --
.x { color: red; top: 1px; left: 1px }
-- site/b.css --
.x { color: blue }
`},
	{"two sheets with one namespace prefix", `
-- site/index.html --
<!doctype html><link rel=stylesheet href=main.css><p class=x>x</p><svg width=9 height=9><a class=y xlink:href="#z"><circle r=4 /></a></svg><a class=y href="#z">y</a>
-- site/main.css --
@import "a.css"; @import "b.css"; @import "c.css";
@namespace q url(http://www.w3.org/1999/xhtml);
q|a { outline: 1px solid red }
-- site/a.css --
@namespace q "http://www.w3.org/1999/xhtml";
q|a { color: green } q|p:is(q|p, q|a) { top: 1px } *|a { left: 1px } a { left: 2px }
-- site/b.css --
@namespace q "http://www.w3.org/2000/svg";
@namespace l "http://www.w3.org/1999/xlink";
q|a { color: blue } q|*:has(> q|circle) { opacity: 0.5 } [l|href] { rotate: 3deg } |a { color: red } :not(q|a).y { fill: red } @media (width > 1px) { q|svg { width: 20px; & q|circle { r: 2px } } }
-- site/c.css --
@namespace q "http://www.w3.org/1998/Math/MathML";
@namespace q "http://www.w3.org/2000/svg";
q|circle { fill: teal }
`},
	{"layers of imports", `
-- site/index.html --
<link rel=stylesheet href=main.css><p class="x">x</p>
-- site/main.css --
@charset "utf-8";
@layer first, second;
@import "b.css" layer(second);
@import "a.css" layer(first);
@import "c.css" layer;
@import "d.css" layer(first.deep);
@import "e.css" layer(third) supports(display: grid) (min-width: 1px);
.x { top: 9px }
-- site/a.css --
.x { color: red; top: 1px; left: 1px !important; background: red }
-- site/b.css --
.x { color: green; top: 2px; left: 2px !important; right: 2px }
-- site/c.css --
@import "f.css";
.x { right: 3px; bottom: 3px; left: 3px !important }
-- site/d.css --
.x { color: blue; background: blue; width: 10px }
-- site/e.css --
.x { width: 20px; bottom: 4px; left: 4px !important }
-- site/f.css --
.x { right: 5px; bottom: 5px; height: 5px; left: 5px !important }
`},
	{"a layer statement between imports", `
-- site/index.html --
<link rel=stylesheet href=main.css><p class="x">x</p>
-- site/main.css --
@import "a.css" layer(a);
@layer b, a;
@import "b.css" layer(b);
.x { width: 1px }
-- site/a.css --
.x { color: red }
-- site/b.css --
.x { color: green; top: 1px }
`},
	{"anonymous layers are apart", `
-- site/index.html --
<link rel=stylesheet href=main.css><p class="x">x</p>
-- site/main.css --
@import "a.css" layer;
@import "b.css" layer;
@import "a.css" layer;
-- site/a.css --
@import "c.css";
.x { color: red; top: 1px !important; left: 1px }
-- site/b.css --
.x { color: green; top: 2px !important; left: 2px !important }
-- site/c.css --
.x.x { color: blue; left: 3px !important }
`},
	{"the same sheet more than once", `
-- site/index.html --
<link rel=stylesheet href=main.css><p class="x">x</p>
-- site/main.css --
@import "a.css";
@import "b.css";
@import "a.css";
@import "a.css" print;
@import "c.css";
-- site/a.css --
.x { color: red; top: 1px }
-- site/b.css --
.x { color: green; top: 2px; left: 2px }
-- site/c.css --
@import "a.css";
.x { left: 3px }
`},
	{"conditions within conditions", `
-- site/index.html --
<link rel=stylesheet href=main.css media="screen and (min-width: 5px)"><p class="x">x</p>
-- site/main.css --
@import "a.css" (min-width: 100px);
@import "b.css" (min-width: 10000px);
@import "c.css" supports(not (display: nonsense));
@import "c.css" supports(display: nonsense) print;
-- site/a.css --
@import "d.css" (max-width: 5000px);
.x { color: red }
-- site/b.css --
@import "d.css";
.x { color: green; width: 7px }
-- site/c.css --
.x { top: 3px }
-- site/d.css --
.x { color: blue; left: 4px }
`},
	{"late and missing pieces of syntax", `
-- site/index.html --
<link rel=stylesheet href=main.css><p class="x">x</p><i>i</i>
-- site/main.css --
<!-- .x { color: red; *top: 1px; left: 2px; width: 10px }
@import "a.css";
.x, i:::before { color: green }
i { color: blue -->
; top: 1px }
-- site/a.css --
.x { color: blue }
`},
	{"nested rules", `
-- site/index.html --
<link rel=stylesheet href=main.css><main id=m class="card big"><h1 class=title>t <em>e</em></h1><p class="title x">x <span class=y>y</span></p><a href="#">a</a><div>d</div></main><p class=x>x</p>
-- site/main.css --
.card, #none { color: red; .title { color: green } & > p { top: 1px } + p { top: 2px } }
.card { .title.title { color: blue } }
main { .big& { left: 1px } &.card { left: 2px } & & { left: 3px } :not(&) { right: 5px } }
.card .title { color: purple; & em { color: orange } .card & { width: 30px } }
.title { .x&, h1& { height: 20px } &::before { content: "b"; color: red } &:not(.x)::after { content: "a" } }
.x { top: 3px; .y { top: 4px } top: 5px; @media (min-width: 1px) { bottom: 1px; .y { bottom: 2px } } }
#m { & div, a { border: 1px solid red } > div { border-color: blue } :is(&, .none) > a { border-width: 3px } }
.none::before, div { & { padding: 4px } }
`},
	{"addresses", `
-- site/index.html --
<base href="/deep/"><link rel=stylesheet href="../css/main.css"><p class="x">x</p><img src="i.svg" alt="">
-- site/deep/i.svg --
<svg xmlns="http://www.w3.org/2000/svg" width="5" height="5"/>
-- site/css/main.css --
@import url("parts/a%20b.css");
.x { background-image: url(../img/one.svg), url("../img/two'.svg"), url(data:image/gif;base64,R0lGODlhAQABAAAAACw=); }
-- site/css/parts/a b.css --
.x { --u: url(../../img/one.svg); list-style-image: var(--u); border-image-source: image-set("../../img/one.svg" 1x, url(../../img/two'.svg) 2x); cursor: url("../../img/one.svg#f"), auto }
-- site/img/one.svg --
<svg xmlns="http://www.w3.org/2000/svg" width="5" height="5"/>
-- site/img/two'.svg --
<svg xmlns="http://www.w3.org/2000/svg" width="6" height="6"/>
`},
	{"calculations, and colours for all browsers", `
-- site/index.html --
<link rel=stylesheet href=main.css><p class="x">x</p><b>b</b><div class=y><i>i</i></div>
-- site/main.css --
:root { --gap: calc(2px * 3); --sum: 1px + 2px; --n: 2; --blue: color(display-p3 0.25 0.5 0.75); --dark: oklch(0.5 0.1 240) }
.x { width: calc(100% / 3 - 2 * 1em - 1px * 3); margin: calc(10px - 15px) calc(var(--gap) * 2 * 3); padding: calc(10px - 15px); color: color-mix(in srgb, red, blue) }
.x { position: relative; top: calc(2 * var(--sum) * 3); left: min(10%, 3px, 1cm); rotate: calc(0.25turn + 10deg); opacity: calc(1 / 4); z-index: calc(7 / 2); transition: color calc(0.1s * 3) }
b { line-height: calc(3 - 1); border: calc(1px * var(--n)) solid var(--blue); background: linear-gradient(calc(45deg + 45deg), var(--dark), color-mix(in srgb, white 25%, black)) }
.y { flex: calc(1 + 1) 0 calc(0px * 2); grid-template-columns: repeat(calc(1 + 2), minmax(calc(1px * 5), 1fr)); transform: translate(calc(-1px * 4), calc(50% - 50px)) scale(calc(1 / 4)) }
.y { filter: blur(calc(1px + 1px)) drop-shadow(0 calc(1px - 2px) 3px rgb(from teal r 0 b / 50%)); box-shadow: 0 calc(2px - 3px) calc(1px * 4) hsl(210 50% 50% / 0.4); outline: 2px solid hwb(200 20% 30%) }
@media (min-width: calc(100px + 50px)) { i { left: calc(5px + 5px); color: rgb(0 0 0 / 50%); caret-color: contrast-color(teal) } }
@supports (width: calc(1px + 1px)) { i { top: round(up, 7px, 5px); text-indent: clamp(1px, -5px, 3px); letter-spacing: calc(-1px / 4) } }
@keyframes k { to { left: calc(1px * 3); color: oklch(0.5 0.1 240) } }
`},
	{"namespaces and text outside ASCII", `
-- site/index.html --
<meta charset=latin1><link rel=stylesheet href=main.css><p class="&eacute;">x</p><svg><a>a</a></svg><a>b</a>
-- site/main.css --
@import "a.css";
@namespace svg url(http://www.w3.org/2000/svg);
svg|a { color: red }
-- site/a.css --
.é::before { content: "→ 😀" } a { color: blue }
`},
}

// TestPagesLookTheSame compares unbuilt and built pages in a browser.
func TestPagesLookTheSame(t *testing.T) {
	page := browsertest.Start(t).Open("about:blank")
	for _, p := range pages {
		t.Run(p.name, func(t *testing.T) {
			s := newSite(t, p.archive)
			unbuilt := stylesOf(t, page, serve(t, filepath.Join(s.dir, "site")), "index.html")
			for _, profile := range []string{project.Development, project.Production} {
				if _, found := s.build(t, profile); strings.Contains(found, "error:") {
					t.Fatalf("%s", found)
				}
				built := stylesOf(t, page, serve(t, s.output(profile)), "index.html")
				dropAddresses(unbuilt)
				dropAddresses(built)
				for _, line := range unbuilt.Diff(built, 10) {
					t.Errorf("%s: %s", profile, line)
				}
			}
		})
	}
}

// dropAddresses removes custom properties with URLs: their text depends on the
// folder of the sheet, but that of the properties that use them does not.
func dropAddresses(styles browsertest.Styles) {
	for _, values := range styles {
		maps.DeleteFunc(values, func(name, value string) bool {
			return strings.HasPrefix(name, "--") && strings.Contains(value, "url(")
		})
	}
}

// TestSiteFindings checks the findings of faulty sites. Each is written as
// position, severity and code.
func TestSiteFindings(t *testing.T) {
	tests := []struct{ name, archive, want string }{
		{"import behind a rule", "-- site/i.html --\n<link rel=stylesheet href=a.css><a class=é>\n-- site/a.css --\na{} @import \"b.css\";\n",
			"site/a.css:1:5: warning [late-import]"},
		{"missing asset", "-- site/i.html --\n<link rel=stylesheet href=a.css><a class=é>\n-- site/a.css --\na { fill: url(img/boat.svg) }\n-- site/img/boot.svg --\n",
			"site/a.css:1:11: warning [missing-asset]"},
		{"import without an address", "-- site/i.html --\n<link rel=stylesheet href=a.css><a class=é>\n-- site/a.css --\n@import nothing;\n",
			"site/a.css:1:1: error [bad-import]"},
		{"other encoding", "-- site/i.html --\n<link rel=stylesheet href=a.css><a class=é>\n-- site/a.css --\n@charset \"latin1\"; .é {}\n",
			"site/a.css:1:1: error [charset]"},
		{"import from elsewhere after rules of a style element", "-- site/i.html --\n<style>@import \"b.css\"; @import \"https://example.com/x.css\";</style><a class=é>\n-- site/b.css --\na { b: c }\n",
			"site/i.html:1:25: error [external-import]"},
		{"import from elsewhere in a layer without a name", "-- site/i.html --\n<link rel=stylesheet href=a.css><a class=é>\n-- site/a.css --\n@import \"b.css\" layer;\n-- site/b.css --\n@import \"//example.com/x.css\";\n",
			"site/b.css:1:1: error [external-import]"},
		{"late namespace", "-- site/i.html --\n<link rel=stylesheet href=a.css><a class=é>\n-- site/a.css --\na { color: red } @namespace \"x\";\n",
			"site/a.css:1:18: warning [late-import]"},
		{"itself", "-- site/i.html --\n<link rel=stylesheet href=a.css><a class=é>\n-- site/a.css --\n@import \"a.css\";\n",
			"site/a.css:1:9: error [import-cycle]"},
		{"constant of another page's sheet", "-- site/i.html --\n<link rel=stylesheet href=a.css><link rel=stylesheet href=b.css><a>\n-- site/a.css --\n@const x: 1;\n-- site/b.css --\na { b: const(x) }\n",
			"site/b.css:1:14: error [unknown-constant]"},
		{"purged to nothing", "-- site/i.html --\n<link rel=stylesheet href=a.css><a class=é>\n-- site/a.css --\n.a { b: c }\n",
			"error [purged-empty]"},
		{"evidence that matches nothing", "-- rinzel.toml --\nsource = \"site\"\n[purge]\nevidence = [\"**/*.php\"]\n-- site/i.html --\n", "rinzel.toml:3:13: error [missing-evidence]"},
		{"roots", "-- rinzel.toml --\nsource = \"site\"\n[roots]\nkit = \"kit\"\n-- site/i.html --\n<link rel=stylesheet href=a.css><a class=é>\n-- site/a.css --\n@import \"kit:al.css\";\n-- kit/all.css --\n",
			"site/a.css:1:9: error [missing-file]"},
		{"root that is not there", "-- rinzel.toml --\nsource = \"site\"\n[roots]\nkit = \"kti\"\n-- site/i.html --\n", "rinzel.toml:3:7: error [bad-settings]"},
		{"output in a root", "-- rinzel.toml --\nsource = \"site\"\n[roots]\nkit = \"public-production/kit\"\n-- site/i.html --\n-- public-production/kit/a.css --\n", "error [bad-settings]"},
	}
	for _, test := range tests {
		t.Run(test.name, func(t *testing.T) {
			_, found := newSite(t, test.archive).build(t, project.Production)
			first, _, _ := strings.Cut(found, "\n")
			place, _, _ := strings.Cut(test.want, " ")
			_, code, _ := strings.Cut(test.want, "[")
			if !strings.HasPrefix(first, strings.TrimSuffix(place, "error")) || !strings.Contains(first, "["+code) {
				t.Errorf("got\n%s\nwant %s", found, test.want)
			}
		})
	}
}

// locked is a file system with one unreadable file.
type locked struct {
	fs.FS
	name string
}

func (l locked) Open(name string) (fs.File, error) {
	if name == l.name {
		return nil, &fs.PathError{Op: "open", Path: name, Err: fs.ErrPermission}
	}
	return l.FS.Open(name)
}

func TestUnreadableSheet(t *testing.T) {
	files := fstest.MapFS{"a.css": {Data: []byte("@import \"b.css\";")}, "b.css": {Data: []byte("b{}")}}
	p := &project.Project{Settings: project.Default(), Tree: source.NewTree(source.Folder{FS: locked{files, "b.css"}})}
	res, err := site.Sheet(context.Background(), p, "a.css", "", site.Options{})
	if err != nil || len(res.Diagnostics) != 1 || len(res.Outputs) == 0 {
		t.Fatal(res, err)
	}
	d := res.Diagnostics[0]
	if d.Code != "unreadable-file" || d.Message != `no permission to read "b.css"` || d.Span.Start.Off != 8 ||
		d.Severity != diag.Error {
		t.Errorf("got %+v", d)
	}
}

// contentOf returns the content of an output, or its error.
func contentOf(o emit.Output) string {
	data, err := o.Content()
	if err != nil {
		return err.Error()
	}
	return string(data)
}

func TestCancelled(t *testing.T) {
	ctx, cancel := context.WithCancel(context.Background())
	cancel()
	p := &project.Project{Settings: project.Default(), Tree: source.NewTree(source.Folder{FS: fstest.MapFS{"i.html": {}}})}
	if _, err := site.Build(ctx, p, site.Options{}); !errors.Is(err, context.Canceled) {
		t.Errorf("got %v", err)
	}
}

// TestConstantsFlow checks the scope of constants across sheets.
func TestConstantsFlow(t *testing.T) {
	s := newSite(t, `
-- site/index.html --
<link rel=stylesheet href=main.css>
-- site/main.css --
@const gap: 1px;
@import "lib/all.css";
.main { top: const(gap); border: const(lib-line); float: const(late, none) }
@const late: 2px;
-- site/lib/all.css --
@default gap: 9px;
@default lib-line: const(gap) solid;
@import "part.css";
-- site/lib/part.css --
.part { top: const(gap); border: const(lib-line); }
`)
	_, found := s.build(t, project.Development)
	css, err := os.ReadFile(filepath.Join(s.output(project.Development), "index.css"))
	want := ".part {\n  top: 1px;\n  border: 1px solid;\n}\n\n.main {\n  top: 1px;\n  border: 1px solid;\n  float: none;\n}\n"
	if err != nil || found != "" || !strings.HasPrefix(string(css), want) {
		t.Errorf("%v %s\n got %s\nwant %s", err, found, css, want)
	}
}

// TestPartialImports checks that without() and only() of imports exclude rules, and that
// excluded rules still set their constants.
func TestPartialImports(t *testing.T) {
	const kit = `
-- rinzel.toml --
source = "site"
[roots]
kit = "kit"
-- kit/all.css --
@import "values.css";
@import "parts/button.css";
@import "parts/badge.css";
.all { a: b }
-- kit/values.css --
@default line: 1px;
.values { a: const(line) }
-- kit/parts/button.css --
@const own: 2px;
.button, .button-big { a: b }
@media print { .button-big { a: b } }
-- kit/parts/badge.css --
.badge { a: const(own) const(line) }
-- site/index.html --
<link rel=stylesheet href=a.css>
-- site/a.css --
`
	tests := []struct{ imports, want, found string }{
		{`@import "kit:all.css" without("parts/button.css");`, ".values .badge .all", ""},
		{`@import "kit:all.css" without("b*.css");`, ".values .all", ""},
		{`@import "kit:all.css" only("badge.css");`, ".badge", ""},
		{`@import "kit:all.css" only("parts/**") without("badge.css");`, ".button .button-big .button-big", ""},
		{`@import "kit:all.css" without(selector(".button-*"), selector(".all"));`, ".values .button .badge", ""},
		{`@import "kit:all.css" layer(x) without("parts/*");`, ".values .all", ""},
		{`@import "kit:all.css" without("bagde.css");`, ".values .button .button-big .button-big .badge .all", "no imported sheet matches \"bagde.css\""},
		{`@import "kit:all.css" without(selector(".none"));`, ".values .button .button-big .button-big .badge .all", "no imported selector matches \".none\""},
		{`@import "kit:all.css" without();`, "", "invalid @import"},
		{`@import "kit:all.css" without(badge);`, "", "invalid @import"},
	}
	for _, test := range tests {
		t.Run(test.imports, func(t *testing.T) {
			s := newSite(t, kit+test.imports+"\n")
			_, found := s.build(t, project.Development)
			if !strings.Contains(found, test.found) || test.found == "" && found != "" {
				t.Errorf("found\n%s\nwant %s", found, test.found)
			}
			css, _ := os.ReadFile(filepath.Join(s.output(project.Development), "index.css"))
			text, _, _ := strings.Cut(string(css), "/*#")
			got := strings.Join(regexp.MustCompile(`\.[a-z-]+`).FindAllString(text, -1), " ")
			if got != test.want {
				t.Errorf("got %s, want %s\n%s", got, test.want, text)
			}
		})
	}
}

// TestExternalImportsStay checks that an external import is first in a bundle
// of its own, after what is linked before it.
func TestExternalImportsStay(t *testing.T) {
	s := newSite(t, `
-- site/index.html --
<link rel=stylesheet href=a.css>
<link rel=stylesheet href=b.css>
<link rel=stylesheet href=https://example.com/x.css>
<link rel=stylesheet href=c.css>
-- site/a.css --
.a { x: y }
-- site/b.css --
@layer z; @import url(https://example.com/y.css) layer(z) print; .b { x: y }
-- site/c.css --
.c { x: y }
`)
	s.build(t, project.Development)
	read := func(name string) string {
		text, err := os.ReadFile(filepath.Join(s.output(project.Development), name))
		if err != nil {
			t.Fatal(err)
		}
		css, _, _ := strings.Cut(string(text), "/*#")
		return css
	}
	if got, want := read("index.html"), "<link rel=stylesheet href=index.css>\n<link rel=stylesheet href=index-2.css>\n"+
		"<link rel=stylesheet href=https://example.com/x.css>\n<link rel=stylesheet href=index-3.css>\n"; got != want {
		t.Errorf("got\n%s\nwant\n%s", got, want)
	}
	if got, want := read("index-2.css"),
		"@layer z;\n@import url(https://example.com/y.css) layer(z) print;\n\n.b {\n  x: y;\n}\n"; got != want {
		t.Errorf("got\n%s\nwant\n%s", got, want)
	}
}

// TestSameBytes builds one site in two folders, with its files created in
// another order, and compares all outputs.
func TestSameBytes(t *testing.T) {
	var archive strings.Builder
	for i := range 12 {
		fmt.Fprintf(&archive,
			"-- site/p%d.html --\n<link rel=stylesheet href=s%d.css><link rel=stylesheet href=s%d.css><p class=c%d><script type=module src=m%d.js></script>\n", i, i, (i*5+1)%12, i, i%5)
		fmt.Fprintf(&archive,
			"-- site/s%d.css --\n@import \"s%d.css\" (min-width: %dpx);\n.c%d, .c%d { user-select: none; background: url(i%d.svg) }\n-- site/i%d.svg --\n", i, 12+i%3, i, i, (i+1)%12, i%4, i)
	}
	for i := 12; i < 15; i++ {
		fmt.Fprintf(&archive, "-- site/s%d.css --\np { order: %d }\n", i, i)
	}
	for i := range 5 {
		fmt.Fprintf(&archive,
			"-- site/m%d.js --\nimport './s%d.css'; import './m%d.js'; import('./m%d.js'); import s from './s%d.css' with { type: 'css' }\n", i, i, (i+1)%5, (i+2)%5, 5+i)
		fmt.Fprintf(&archive,
			"-- site/l%d.js --\nimport './s%d.css'; import './s%d.css'\n-- site/q%d.html --\n<script type=module>import('./l%d.js'); import('./l%d.js')</script><p class=c%d>\n", i, 5+i, 6+i, i, i, (i*2)%5, 5+i)
	}
	parsed := txtar.Parse([]byte(archive.String()))
	outputs := func() map[string]string {
		s := newSite(t, string(txtar.Format(parsed)))
		slices.Reverse(parsed.Files)
		res, found := s.build(t, project.Production)
		if strings.Contains(found, "error:") {
			t.Fatal(found)
		}
		files := map[string]string{"findings": found} // of sheets in opposite order
		for _, o := range res.Outputs {
			files[o.Path] = contentOf(o)
		}
		return files
	}
	a, b := outputs(), outputs()
	if len(a) != len(b) || len(a) < 12*3+4 {
		t.Fatalf("%d files and %d files", len(a), len(b))
	}
	for name, text := range a {
		if b[name] != text {
			t.Errorf("%s differs:\n%s\n%s", name, text, b[name])
		}
	}
}

// read returns an output file of a profile.
func (s testSite) read(t *testing.T, profile, name string) string {
	t.Helper()
	data, err := os.ReadFile(filepath.Join(s.output(profile), name))
	if err != nil {
		t.Fatal(err)
	}
	return string(data)
}

// TestStyleElements checks that style elements go through the chain and the
// finish.
func TestStyleElements(t *testing.T) {
	s := newSite(t, `
-- site/island/index.html --
<title>x</title><style media=print>
@import "../part.css" layer(part);
@const gap: 4px;
.x { margin: const(gap); & b { user-select: none; background: url(boat.svg) } }
.dead { color: red }
</style><p class=x>x<b class=part>y</b></p><template><style>.in { template }</style></template>
<style type="text/template">{{ this }} is none</style><style>{{ broken }</style><style>} .x {}</style><style>.a { color: <?= $tone ?> }</style><style>.a { color: {{ tone }}; }</style><style>{% if x %} .a { color: red } {% endif %}</style><style>p::before { content: "</STYLE é" }</style>
-- site/part.css --
.part { color: navy }
-- site/island/boat.svg --
<svg/>
-- rinzel.toml --
source = "site"
`)
	_, found := s.build(t, project.Production)
	html := hashInName.ReplaceAllString(s.read(t, project.Production, "island/index.html"), ".HASH.")
	for _, want := range []string{
		"<style media=print>@layer part{.part{color:navy}}.x{margin:4px}.x b{-webkit-user-select:none;user-select:none;background:url(boat.HASH.svg)}</style><p class=x>",
		"<template><style>.in { template }</style></template>", `<style type="text/template">{{ this }} is none</style>`, "<style>{{ broken }</style>",
		"<style>} .x {}</style><style>.a { color: <?= $tone ?> }</style>", "<style>.a { color: {{ tone }}; }</style><style>{% if x %} .a { color: red } {% endif %}</style>",
	} {
		if !strings.Contains(html, want) {
			t.Errorf("no %s in %s", want, html)
		}
	}
	if !strings.Contains(found, "the style element is left unchanged") || strings.Contains(found, "error:") {
		t.Errorf("found %s", found)
	}
	s.build(t, project.Development)
	if html := s.read(t, project.Development, "island/index.html"); !strings.Contains(html,
		"<style media=print>\n@layer part {\n  .part {\n    color: navy;\n  }\n}\n\n.x {\n  margin: 4px;\n}\n") {
		t.Errorf("development: %s", html)
	}
	if got := site.WithinStyle(`a{content:"</STYLE </style>"}`); got != `a{content:"<\/STYLE <\/style>"}` {
		t.Errorf("got %s", got)
	}
	// Findings have positions in the page.
	bad := newSite(t, "-- site/index.html --\n<p>é</p>\n<style>p { colr: red }</style>\n")
	if _, found := bad.build(t, project.Development); !strings.Contains(found,
		"index.html:2:12: warning: unknown property \"colr\"") {
		t.Errorf("found %s", found)
	}
}

// TestInlinedAssets renders inlined assets in a browser.
func TestInlinedAssets(t *testing.T) {
	s := newSite(t, `
-- site/index.html --
<link rel=stylesheet href=main.css><p class=x>x</p><p class=y>y</p><p class=z>z</p>
-- site/main.css --
p { width: 20px; height: 20px; color: transparent }
.x { background: url("a b.svg") }
.y { background: url(large.svg) }
.z { background: url(a%20b.svg#part) }
-- site/a b.svg --
<svg xmlns="http://www.w3.org/2000/svg" viewBox='0 0 2 2'><!-- é "50%" \ # --><path fill="#00ff00" d="M0 0h2v2H0z"/></svg>
-- site/large.svg --
<svg xmlns="http://www.w3.org/2000/svg"><path d="`+strings.Repeat("M0 0", 100)+`"/></svg>
-- rinzel.toml --
source = "site"
[assets]
inline = 300
`)
	page := browsertest.Start(t).Open("about:blank")
	for _, profile := range []string{project.Development, project.Production} {
		if _, found := s.build(t, profile); found != "" {
			t.Fatal(found)
		}
		page.Load(serve(t, s.output(profile)) + "/index.html")
		var got struct{ X, Y, Z, Pixel string }
		page.Eval(`(async () => {
			const image = e => getComputedStyle(document.querySelector(e)).backgroundImage.replace(/^url\("|"\)$/g, "");
			const drawn = new Image();
			drawn.src = image(".x");
			await drawn.decode();
			const c = document.createElement("canvas").getContext("2d");
			c.drawImage(drawn, 0, 0, 20, 20);
			return { X: image(".x").slice(0, 19), Y: image(".y").replace(/.*\//, ""), Z: image(".z").replace(/.*\//, ""), Pixel: [...c.getImageData(5, 5, 1, 1).data].join() };
		})()`, &got)
		if problems := page.Problems(); len(problems) > 0 {
			t.Error(problems)
		}
		y, z := hashInName.ReplaceAllString(got.Y, "."), hashInName.ReplaceAllString(got.Z, ".")
		if got.X != "data:image/svg+xml," || y != "large.svg" || z != "a%20b.svg#part" || got.Pixel != "0,255,0,255" {
			t.Errorf("%s: %+v", profile, got)
		}
	}
}

// TestInlinedBundles inlines small bundles, and compares the pages in a browser.
func TestInlinedBundles(t *testing.T) {
	const archive = `
-- site/index.html --
<meta charset=utf-8>
<link rel=stylesheet href=all.css><link rel=stylesheet href=home.css><p class=x>x</p>
-- site/print.html --
<link rel=stylesheet href=print.css media="(min-width: 1px)"><p class=x>x</p>
-- site/large.html --
<link rel=stylesheet href=all.css><link rel=stylesheet href=large.css><p class=x>x</p>
-- site/based.html --
<base href=/img/><link rel=stylesheet href=../based.css><p class=x>x</p>
-- site/all.css --
p { margin: 1px }
-- site/home.css --
.x { background: url(img/a.svg); color: navy } .x::before { content: "é</style>" }
-- site/print.css --
.x { color: teal }
-- site/based.css --
.x { color: olive; background: url(img/a.svg) }
-- site/large.css --
.x { --large: "0123456789012345678901234567890123456789012345678901234567890123456789012345678901234567890123456789012345678901234567890123456789"; color: red }
-- site/img/a.svg --
<svg xmlns="http://www.w3.org/2000/svg"/>
-- rinzel.toml --
source = "site"
[split]
min-bytes = 0
`
	browser := browsertest.Start(t).Open("about:blank")
	linked, within := newSite(t, archive), newSite(t, archive+"inline = 110\n")
	for _, profile := range []string{project.Development, project.Production} {
		for _, s := range []testSite{linked, within} {
			if _, found := s.build(t, profile); found != "" {
				t.Fatal(found)
			}
		}
		a, b := serve(t, linked.output(profile)), serve(t, within.output(profile))
		for _, name := range []string{"index.html", "print.html", "large.html", "based.html"} {
			for _, line := range stylesOf(t, browser, a, name).Diff(stylesOf(t, browser, b, name), 5) {
				t.Errorf("%s %s: %s", profile, name, line)
			}
		}
	}
	index := within.read(t, project.Production, "index.html")
	if !strings.Contains(index, "<link rel=stylesheet href=shared.") ||
		!strings.Contains(index, `é<\/style>"}</style>`) || strings.Contains(index, "@charset") {
		t.Errorf("index %s", index)
	}
	if text := within.read(t, project.Production, "print.html"); !strings.Contains(text,
		`<style media="(min-width: 1px)">.x{color:teal}</style>`) {
		t.Errorf("print %s", text)
	}
	if text := within.read(t, project.Production, "large.html"); strings.Contains(text, "<style") {
		t.Errorf("large %s", text)
	}
	if text := within.read(t, project.Production, "based.html"); !strings.Contains(text,
		"<style>.x{color:olive;background:url(/img/a.") {
		t.Errorf("based %s", text)
	}
	if sheets, _ := filepath.Glob(filepath.Join(within.output(project.Production), "*.css")); len(sheets) != 2 {
		t.Errorf("written: %s", sheets)
	}
}

// TestPreloads checks the URLs of preload links to sheets.
func TestPreloads(t *testing.T) {
	s := newSite(t, `
-- site/index.html --
<link rel=preload as=style href=main.css><link rel="preload" as="style" href="late.css" onload="this.rel='stylesheet'"><link rel=preload as=style href=https://example.com/x.css>
<link rel=stylesheet href=main.css><p class=x>x</p>
-- site/main.css --
@import "part.css";
.x { top: 0 }
-- site/part.css --
.part { top: 0 }
-- site/late.css --
.x { & b { order: 1 } }
-- rinzel.toml --
source = "site"
`)
	_, found := s.build(t, project.Development)
	html := s.read(t, project.Development, "index.html")
	for _, want := range []string{"<link rel=preload as=style href=index.css>",
		`<link rel="preload" as="style" href="index-2.css" onload="this.rel='stylesheet'">`, "href=https://example.com/x.css>", "<link rel=stylesheet href=index.css>"} {
		if !strings.Contains(html, want) {
			t.Errorf("no %s in %s", want, html)
		}
	}
	if css := s.read(t, project.Development, "index-2.css"); found != "" || !strings.Contains(css, ".x b {") {
		t.Errorf("%s %s", found, css)
	}
	missing := newSite(t, "-- site/index.html --\n<link rel=preload as=style href=none.css>\n")
	if _, found := missing.build(t, project.Development); !strings.Contains(found, "linked by the page") {
		t.Errorf("found %s", found)
	}
}

// TestHashedAssets checks which files get hashed names, and that all references
// use them.
func TestHashedAssets(t *testing.T) {
	s := newSite(t, `
-- site/index.html --
<link rel=icon href=img/flag.svg><link rel=preload as=font href=fonts/tide.woff2><link rel=preload as=script href=js/a.js><link rel=manifest href=app.webmanifest>
<link rel=stylesheet href=main.css><p class=x><img src="img/boat.png?v=2#top" srcset="img/boat.png 1x, img/large.png 2x"><img src='img/a&amp;b.png'>
<a href=img/boat.png>boat</a><a href=papers/terms.pdf>terms</a><video poster=img/still.png></video><img src=img/counted.png><script src=js/a.js></script>
-- site/main.css --
.x { background: url(img/boat.png), url(img/none.png); src: url(fonts/tide.woff2) }
-- site/js/a.js --
const still = "img/" + "counted.png"
-- site/img/boat.png --
boat
-- site/img/large.png --
large
-- site/img/still.png --
still
-- site/img/counted.png --
counted
-- site/img/a&b.png --
ab
-- site/img/flag.svg --
<svg><image href="still.png"/></svg>
-- site/fonts/tide.woff2 --
tide
-- site/papers/terms.pdf --
terms
-- site/app.webmanifest --
{}
`)
	s.build(t, project.Production)
	html := hashInName.ReplaceAllString(s.read(t, project.Production, "index.html"), ".HASH.")
	for _, want := range []string{
		"<link rel=icon href=img/flag.HASH.svg>", "<link rel=preload as=font href=fonts/tide.HASH.woff2>", "<link rel=preload as=script href=js/a.js>", "href=app.webmanifest>",
		`<img src="img/boat.png?v=2#top" srcset="img/boat.png 1x, img/large.HASH.png 2x">`, `<img src='img/a&amp;b.png'>`, "<a href=img/boat.png>", "<a href=papers/terms.pdf>",
		"<video poster=img/still.png>", "<img src=img/counted.png>", "<script src=js/a.js>",
	} {
		if !strings.Contains(html, want) {
			t.Errorf("no %s in %s", want, html)
		}
	}
	css := hashInName.ReplaceAllString(s.read(t, project.Production, sheetOf(t, s)), ".HASH.")
	if want := ".x{background:url(img/boat.png),url(img/none.png);src:url(fonts/tide.HASH.woff2)}"; !strings.Contains(css, want) {
		t.Errorf("got %s, want %s", css, want)
	}
	for _, name := range []string{"img/boat.png", "img/counted.png", "papers/terms.pdf", "app.webmanifest", "js/a.js",
		"img/a&b.png", "img/still.png"} {
		s.read(t, project.Production, name) // files with unchanged names exist
	}
	for _, m := range regexp.MustCompile(`(?:src|href|poster)=["']?([^"' >?]+)`).FindAllStringSubmatch(s.read(t,
		project.Production, "index.html"), -1) {
		s.read(t, project.Production, strings.ReplaceAll(m[1], "&amp;", "&"))
	}
	s.build(t, project.Development)
	if html := s.read(t, project.Development, "index.html"); !strings.Contains(html,
		`srcset="img/boat.png 1x, img/large.png 2x"`) {
		t.Errorf("development: %s", html)
	}
}

// sheetOf returns the name of the only bundle of a production build.
func sheetOf(t *testing.T, s testSite) string {
	t.Helper()
	found, err := filepath.Glob(filepath.Join(s.output(project.Production), "*.css"))
	if err != nil || len(found) != 1 {
		t.Fatal(found, err)
	}
	return filepath.Base(found[0])
}

// TestPackages builds a site whose sheets and pages refer to installed
// packages.
func TestPackages(t *testing.T) {
	archive := `
-- site/index.html --
<link rel=stylesheet href="package:quay/theme.css"><link rel=stylesheet href=main.css><p class=x>
-- site/main.css --
@import "package:@quay/kit" layer(kit) without("carousel.css");
@import "package:missing";
p { top: 0 }
-- node_modules/@quay/kit/package.json --
{ "style": "all.css" }
-- node_modules/@quay/kit/all.css --
@import "button.css"; @import "carousel.css";
-- node_modules/@quay/kit/button.css --
.button { background: url(img/wave.svg) }
-- node_modules/@quay/kit/carousel.css --
.carousel { top: 0 }
-- node_modules/@quay/kit/img/wave.svg --
<svg/>
-- node_modules/quay/package.json --
{}
-- node_modules/quay/theme.css --
b { order: 1 }
-- node_modules/missing/other.css --
-- rinzel.toml --
source = "site"
`
	_, found := newSite(t, archive).build(t, project.Development)
	if !strings.Contains(found, `package "missing" does not declare a main sheet`) ||
		!strings.Contains(found, "its sheets are: package:missing/other.css") {
		t.Errorf("found %s", found)
	}
	s := newSite(t, strings.Replace(archive, "@import \"package:missing\";\n", "", 1))
	_, found = s.build(t, project.Development)
	css := s.read(t, project.Development, "index.css")
	for _, want := range []string{"order: 1",
		"@layer kit {\n  .button {\n    background: url(_package/@quay/kit/img/wave.svg)", "top: 0"} {
		if !strings.Contains(css, want) {
			t.Errorf("no %s in %s", want, css)
		}
	}
	if found != "" || strings.Contains(css, "carousel") ||
		s.read(t, project.Development, "_package/@quay/kit/img/wave.svg") == "" {
		t.Errorf("found %s in %s", found, css)
	}
}

// TestMediaOfLinks checks that the media of a link is lowered for the targets
// if it becomes a rule.
func TestMediaOfLinks(t *testing.T) {
	s := newSite(t, `
-- site/index.html --
<link rel=stylesheet href=a.css><link rel=stylesheet href=b.css media="(width >= 40rem)"><p class=x>
-- site/a.css --
p { top: 0 }
-- site/b.css --
p { top: 1px }
-- rinzel.toml --
source = "site"
`)
	_, found := s.build(t, project.Development)
	css := s.read(t, project.Development, "index.css")
	if want := "@media (min-width: 40rem) {\n  p {\n    top: 1px;\n  }\n}\n"; !strings.Contains(css, want) || found != "" {
		t.Errorf("got %s\nwant %s\n%s", css, want, found)
	}
}

// TestMissingRefs checks that missing files that a page loads are reported, and
// not those that it links to.
func TestMissingRefs(t *testing.T) {
	s := newSite(t, `
-- site/index.html --
<link rel=icon href=img/fery.svg><img src=img/ferry.svg srcset="img/ferry.svg 1x, img/large.svg 2x"><img src="img/{{ boat }}.svg">
<a href=later.html>later</a><iframe src=frame.html></iframe><img src="https://quay.example/a.png"><img src="data:image/png,x"><video poster="img/"></video>
-- site/img/ferry.svg --
<svg xmlns="http://www.w3.org/2000/svg"/>
`)
	_, found := s.build(t, project.Development)
	if strings.Count(found, "[missing-asset]") != 2 ||
		!strings.Contains(found, `did you mean "site/img/ferry.svg"?`) ||
		!strings.Contains(found, `no such file: "site/img/large.svg"`) {
		t.Errorf("got %s", found)
	}
}

// TestNearNames checks suggestions for missing files, from all folders.
func TestNearNames(t *testing.T) {
	const files = `
-- css/parts/board.css --
-- old/parts/board.css --
-- css/fare.css --
-- img/ferry.svg --
-- img/readme.md --
`
	for link, want := range map[string]string{
		`<link rel=stylesheet href=css/fara.css>`:       `did you mean "css/fare.css"?`,        // same folder
		`<link rel=stylesheet href=fare.css>`:           `did you mean "css/fare.css"?`,        // another folder
		`<link rel=stylesheet href=board.css>`:          `did you mean "css/parts/board.css"?`, // the first of two
		`<link rel=stylesheet href=old/part/board.css>`: `did you mean "old/parts/board.css"?`, // the nearer of two
		`<link rel=stylesheet href=boart.css>`:          `did you mean "css/parts/board.css"?`, // a similar name
		`<link rel=stylesheet href=lighthouse.css>`:     `if something else provides it, add it to external`,
		`<link rel=stylesheet href=readme.css>`:         `if something else provides it, add it to external`, // another kind
		`<img src=ferry.svg>`:                           `did you mean "img/ferry.svg"?`,
	} {
		s := newSite(t, "-- rinzel.toml --\nsource = \".\"\n-- index.html --\n"+link+files)
		if _, found := s.build(t, project.Development); !strings.Contains(found, "fix: "+want) {
			t.Errorf("%s: got %s\nwant %s", link, found, want)
		}
	}
}
