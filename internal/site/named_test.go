package site_test

import (
	"strings"
	"testing"

	"rinzel/internal/browsertest"
	"rinzel/internal/project"
)

// serverSite has no page: its pages are made by a server.
const serverSite = `
-- rinzel.toml --
source = "site"
[roots]
kit = "kit"
[bundles.app]
from = ["css/base.css", "js/app.js", "kit:kit.css"]
[bundles.tones]
from = ["css/tones/*.css"]
file = "tones/{name}.css"
[purge]
evidence = ["**/*.tmpl"]
keep = [".is-*"]
[profile.adopting]
script-styles = "adopt"
-- kit/kit.css --
.card { background: url("dot.svg") }
-- kit/dot.svg --
<svg xmlns="http://www.w3.org/2000/svg"/>
-- site/berth.tmpl --
<p class="card board chart gone">{{ .Berth }}</p>
-- site/css/base.css --
@import "tones/day.css";
.board { color: red; width: 1px }
.idle { color: red }
-- site/css/board.css --
.board { color: navy }
-- site/css/chart.css --
.chart { color: teal }
-- site/css/tones/day.css --
.card { color: black }
-- site/css/tones/night.css --
.is-night { color: white }
-- site/js/app.js --
import "../css/board.css";
import { b } from "./b.js";
addEventListener("click", () => import("./chart.js"));
-- site/js/b.js --
export const b = 1;
-- site/js/chart.js --
import "../css/chart.css";
import "../css/board.css";
`

func TestNamedBundles(t *testing.T) {
	s := newSite(t, serverSite)
	res, found := s.build(t, project.Development)
	if found != "" {
		t.Fatal(found)
	}
	out := outputTexts(res)
	for _, test := range []struct{ file, want string }{
		{"app.css", "color: black;\n}\n\n.board {\n  color: red;\n  width: 1px;\n}\n\n.idle {\n  color: red;\n}\n\n.board {\n  color: navy;\n}\n\n.card {\n  background: url(_kit/dot.svg);"},
		{"tones/day.css", ".card {\n  color: black;"},
		{"tones/night.css", ".is-night {"},
		{"js/app.js", ";                         \nimport { b } from \"./b.js\";"},
		{"js/b.js", "export"},
		{"js/chart.js", "import \"./chart.css.js\";\n;                         \n"},
		{"js/chart.css", ".chart {\n  color: teal;"},
		{"_kit/dot.svg", "svg"},
	} {
		if !strings.Contains(strings.ReplaceAll(out[test.file], `"_kit/dot.svg"`, "_kit/dot.svg"), test.want) {
			t.Errorf("%s lacks %q:\n%s", test.file, test.want, out[test.file])
		}
	}
	if strings.Contains(out["js/chart.css"], "navy") {
		t.Error("the bundle of the chart holds what the bundle that runs it has")
	}
	res, found = s.build(t, project.Production)
	if found != "" {
		t.Fatal(found)
	}
	for _, b := range res.Bundles {
		text := outputTexts(res)[b.Path]
		if b.Name == "app.css" && (!b.Named || strings.Contains(text, ".idle") || !strings.Contains(text, ".board{")) {
			t.Errorf("%+v %s", b, text)
		}
	}
	if manifest := outputTexts(res)["bundles.json"]; !strings.Contains(manifest, `"tones/night.css": "tones/night.`) {
		t.Errorf("got %s", manifest)
	}
	res, _ = s.build(t, "adopting")
	if text := outputTexts(res)["app.css"]; strings.Contains(text, "navy") || !strings.Contains(text, ".idle") ||
		!strings.Contains(text, ".card") {
		t.Errorf("the sheets of scripts are put in by script, and the bundle is %s", text)
	}
}

func TestNamedBundleFindings(t *testing.T) {
	for _, test := range []struct{ settings, want string }{
		{`[bundles.app]
from = ["css/bse.css"]`, `did you mean "site/css/base.css"?`},
		{`[bundles.app]
from = ["kitt:a.css"]`, `unknown root in "kitt:a.css"`},
		{`[bundles.app]
from = ["index.html"]`, "neither a sheet nor a script"},
		{`[bundles.app]
from = ["css/*.scs"]`, "matches no sheet"},
		{`[bundles.app]
from = ["css/base.css"]
file = "index.css"`, "output-conflict"},
		{`[bundles.app]
from = ["css/base.css"]
file = "../x.css"`, "is not a valid path of a sheet"},
		{`[bundles.app]
from = ["css/base.css", "css/tone.css"]
file = "{nme}.css"`, "unknown placeholder in"},
		{`[bundles.app]
from = []`, "has no sources"},
		{`[bundles.app]
form = ["css/base.css"]`, `did you mean "from"?`},
		{`[bundles.tones]
from = ["css/base.css", "css/deep/base.css"]
file = "{name}.css"`, "output-conflict"},
		{`[bundles.far]
from = ["css/tone.css", "css/far.css"]`, "external-import"},
		{`[bundles.far]
from = ["css/far.css", "css/tone.css"]`, ""},
		{`[split]
page-file = "main.css"`, "all pages would use the same file"},
		{`[split]
shared-file = "{path}.css"`, "unknown placeholder in"},
	} {
		s := newSite(t, "-- rinzel.toml --\nsource = \"site\"\n"+test.settings+`
-- site/index.html --
<link rel=stylesheet href=css/base.css><p class=board>
-- site/css/base.css --
.board { color: red }
-- site/css/deep/base.css --
.board { color: red }
-- site/css/tone.css --
.board { color: red }
-- site/css/far.css --
@import "https://quay.example/a.css";
`)
		_, found := s.build(t, project.Development)
		if (found == "") != (test.want == "") || !strings.Contains(found, test.want) {
			t.Errorf("%s\ngot %s\nwant %s", test.settings, found, test.want)
		}
	}
	s := newSite(t, "-- rinzel.toml --\nsource = \"site\"\n[bundles.app]\nfrom = [\"a.css\"]\n-- site/a.css --\n.a { color: red }\n")
	if _, found := s.build(t, project.Production); !strings.Contains(found, "no evidence found") {
		t.Errorf("without evidence: %s", found)
	}
}

// TestBundleFiles compares pages whose bundles are in other folders.
func TestBundleFiles(t *testing.T) {
	const archive = `
-- site/index.html --
<link rel=stylesheet href=css/all.css><link rel=stylesheet href=css/home.css><p class=x>x</p>
-- site/deep/page.html --
<link rel=stylesheet href=../css/all.css><link rel=stylesheet href=../css/deep.css><p class=x>x</p>
-- site/css/all.css --
p { margin: 1px; background: url(../img/a.svg) }
-- site/css/home.css --
.x { border-image: url(../img/b.svg) }
-- site/css/deep.css --
.x { list-style: url(../img/b.svg); color: teal }
-- site/img/a.svg --
<svg xmlns="http://www.w3.org/2000/svg"/>
-- site/img/b.svg --
<svg xmlns="http://www.w3.org/2000/svg"><!-- b --></svg>
-- rinzel.toml --
source = "site"
[split]
min-bytes = 0
`
	browser := browsertest.Start(t).Open("about:blank")
	plain := newSite(t, archive)
	for i, settings := range []string{
		"page-file = \"assets/css/{path}.css\"\nshared-file = \"assets/all.css\"\n", "page-file = \"{name}.css\"\ninline = 400\n",
	} {
		s := newSite(t, archive+settings)
		for _, profile := range []string{project.Development, project.Production} {
			for _, s := range []testSite{plain, s} {
				if _, found := s.build(t, profile); found != "" {
					t.Fatal(found)
				}
			}
			a, b := serve(t, plain.output(profile)), serve(t, s.output(profile))
			for _, name := range []string{"index.html", "deep/page.html"} {
				for _, line := range stylesOf(t, browser, a, name).Diff(stylesOf(t, browser, b, name), 5) {
					t.Errorf("%d %s %s: %s", i, profile, name, line)
				}
			}
		}
		text := s.read(t, project.Development, "deep/page.html")
		want := []string{"<link rel=stylesheet href=../assets/all.css>\n<link rel=stylesheet href=../assets/css/deep/page.css>", `url("../img/b.svg")`}[i]
		if !strings.Contains(strings.ReplaceAll(text, "url(../img/b.svg)", `url("../img/b.svg")`), want) {
			t.Errorf("%d: %s", i, text)
		}
	}
}
