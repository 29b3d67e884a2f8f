package site_test

import (
	"strings"
	"testing"

	"rinzel/internal/project"
)

// TestDefinedElsewhere checks that the finding for an undefined name mentions
// the sheet that defines it.
func TestDefinedElsewhere(t *testing.T) {
	const definitions = `@const sea: teal; @const tone { calm: teal; deep { one: 1 } } @const tone.alert: red;
@mixin --card { color: red } @mixin --pad(--by) { padding: var(--by) }
@function --twice(--n) { result: calc(var(--n) * 2) }
@custom-media --narrow (width < 3px); @custom-selector :--title h1;`
	for _, c := range []struct{ use, want string }{
		{"a { color: const(sea) }", "defs.css:1:8"},
		{"a { color: const(tone.calm) }", "defs.css:1:33"},
		{"a { order: const(tone.deep.one) }", "defs.css:1:52"},
		{"a { color: const(tone.alert) }", "defs.css:1:70"},
		{"a { color: const(seaa) }", `if you mean "sea": add @import "../defs.css"; at the top of the sheet`},
		{"a { color: const(nothing-like-it) }", ""},
		{"a { @apply --card; }", "defs.css:2:8"},
		{"a { @apply --pad(1px); }", "defs.css:2:37"},
		{"a { width: --twice(1px) }", "defs.css:3:11"},
		{"@media (--narrow) { a { color: red } }", "defs.css:4:15"},
		{"@media (--narow) { a { color: red } }", `if you mean "--narrow"`},
		{":--title { color: red }", "defs.css:4:56"},
	} {
		for _, linked := range []bool{true, false} {
			page := "<!doctype html><link rel=stylesheet href=css/main.css><a>"
			if linked {
				page = "<!doctype html><link rel=stylesheet href=defs.css><link rel=stylesheet href=css/main.css><a>"
			}
			s := newSite(t, "-- site/index.html --\n"+page+"\n-- site/css/main.css --\n"+c.use+
				"\n-- site/defs.css --\n"+definitions+"\nb { color: red }\n")
			_, found := s.build(t, project.Development)
			words := []string{c.want, `@import "../defs.css"; at the top of the sheet`}
			if linked {
				words = append(words, "linked sheets do not share definitions")
			}
			for _, want := range words {
				if c.want != "" && !strings.Contains(found, want) {
					t.Errorf("%s, linked %t: no %q in\n%s", c.use, linked, want, found)
				}
			}
			if c.want == "" && strings.Contains(found, "defs.css") {
				t.Errorf("%s: got\n%s", c.use, found)
			}
		}
	}
}

// TestMissingKeyframes checks that animations without keyframes are reported,
// but only if no sheet can define them.
func TestMissingKeyframes(t *testing.T) {
	const frames = "@keyframes drift { to { color: red } }"
	for _, c := range []struct{ name, page, css, want string }{
		{"defined", "", frames + "a { animation: 1s drift }", ""},
		{"missing", "", "a { animation: 1s ease-in drift }", "no sheet defines @keyframes drift"},
		{"a slip", "", frames + "a { animation-name: drfit }", `did you mean "drift"?`},
		{"one of several", "", frames + "a { animation: drift 1s, sink 2s }", "no sheet defines @keyframes sink"},
		{"keywords", "", "a { animation: none; animation: inherit; animation-name: none, none; animation: 1s linear infinite alternate both paused }", ""},
		{"a string", "", "a { animation: 'sink' 1s }", "no sheet defines @keyframes sink"},
		{"a prefix", "", "@-webkit-keyframes drift { to { color: red } } a { -webkit-animation: drift 1s }", ""},
		{"var()", "", "a { animation: var(--name) 1s }", ""},
		{"in a style element", "<style>" + frames + "</style>", "a { animation: drift 1s }", ""},
		{"in another sheet", "<link rel=stylesheet href=other.css>", "a { animation: drift 1s }", ""},
		{"in an imported sheet", "", "@import 'other.css'; a { animation: drift 1s }", ""},
		{"from elsewhere", "<link rel=stylesheet href=https://ferries.example/a.css>", "a { animation: sink 1s }", ""},
		{"imported from elsewhere", "", "@import 'https://ferries.example/a.css'; a { animation: sink 1s }", ""},
		{"made by a loop", "", "@loop n over range(1, 2) { @keyframes drift-(n) { to { color: red } } } a { animation: drift-2 1s }", ""},
	} {
		t.Run(c.name, func(t *testing.T) {
			s := newSite(t, "-- site/index.html --\n<!doctype html>"+c.page+"<link rel=stylesheet href=main.css><a>\n-- site/main.css --\n"+c.css+"\n-- site/other.css --\n"+frames+"\n")
			_, found := s.build(t, project.Development)
			if c.want == "" && strings.Contains(found, "missing-keyframes") || !strings.Contains(found, c.want) {
				t.Errorf("no %q in\n%s", c.want, found)
			}
		})
	}
}

// TestConstantsOfImporters checks that a sheet that several pages import has the
// constants of each of them.
func TestConstantsOfImporters(t *testing.T) {
	s := newSite(t, `
-- site/a.html --
<link rel=stylesheet href=a.css><p class=boat>a</p>
-- site/b.html --
<link rel=stylesheet href=b.css><p class=boat>b</p>
-- site/a.css --
@const tone: teal;
@import "boat.css";
-- site/b.css --
@const tone: navy;
@import "boat.css";
-- site/boat.css --
.boat { color: const(tone) }
`)
	for _, profile := range []string{project.Development, project.Production} {
		res, found := s.build(t, profile)
		texts := outputTexts(res)
		var sheets []string
		for _, b := range res.Bundles {
			sheets = append(sheets, texts[b.Path])
		}
		if found != "" || len(sheets) != 2 || !strings.Contains(sheets[0], "teal") || !strings.Contains(sheets[1], "navy") {
			t.Errorf("%s: %q\n%s", profile, sheets, found)
		}
	}
}

// TestBase checks that a site below a folder of its server has the URLs that it
// will have there, in every profile.
func TestBase(t *testing.T) {
	s := newSite(t, `
-- rinzel.toml --
source = "site"
base = "/quay/"
[scripts]
finish = []
-- site/index.html --
<!doctype html><link rel=stylesheet href="/main.css"><img src="/img/a.svg" srcset="/img/a.svg 1x, /other/b.svg 2x">
<p style="background: url(/img/a.svg)"><a href="/">home</a><a href="/elsewhere">x</a>
<script type=module src="/app.js"></script><script type=module>import "/lib.js"; import("/app.js")</script>
-- site/main.css --
p { background: url("/img/a.svg") }
-- site/app.js --
import { x } from "/lib.js"; new URL("/img/a.svg", import.meta.url); import("/elsewhere.js"); fetch("/data");
-- site/lib.js --
export const x = 1;
-- site/img/a.svg --
<svg xmlns="http://www.w3.org/2000/svg"/>
`)
	for _, profile := range []string{project.Development, project.Production} {
		res, _ := s.build(t, profile)
		texts := outputTexts(res)
		for name, wants := range map[string][]string{
			"index.html": {`<img src="/quay/img/a.svg" srcset="/quay/img/a.svg 1x, /other/b.svg 2x">`,
				`style="background: url(/quay/img/a.svg)"`, `<a href="/quay/">`, `<a href="/elsewhere">`, `src="/quay/app.js"`,
				`import "/quay/lib.js"; import("/quay/app.js")`},
			"app.js": {`from "/quay/lib.js"`, `new URL("/quay/img/a.svg", import.meta.url)`, `import("/elsewhere.js")`, `fetch("/data")`},
		} {
			for _, want := range wants {
				if !strings.Contains(texts[name], want) {
					t.Errorf("%s: %s has no %s:\n%s", profile, name, want, texts[name])
				}
			}
		}
	}
}
