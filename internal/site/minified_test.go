package site_test

import (
	"strings"
	"testing"
	"testing/fstest"

	"rinzel/internal/emit"
	"rinzel/internal/project"
	"rinzel/internal/site"
	"rinzel/internal/sourcemap"
)

// scripted builds a site of a page with scripts for release.
func scripted(t *testing.T, settings, page string, files map[string]string) *site.Result {
	t.Helper()
	fs := fstest.MapFS{"rinzel.toml": {Data: []byte(settings)}, "index.html": {Data: []byte(page)}}
	for name, text := range files {
		fs[name] = &fstest.MapFile{Data: []byte(text)}
	}
	res, err := site.Build(t.Context(), openTree(t, fs), site.Options{Profile: project.Production})
	if err != nil {
		t.Fatal(err)
	}
	return res
}

func TestMinifiedScripts(t *testing.T) {
	const page = `<!doctype html><link rel=stylesheet href=a.css><p class=a><script src=a.js integrity="sha256-old"></script>`
	const js = "// Counts ferries.\nconst ferries = [ 'gannet' , 'petrel' ]\nconsole.debug( ferries )\nfor ( const f of ferries ) {\n  console.log( f )\n}\n"
	const small = "const ferries=[\"gannet\",\"petrel\"]\nconsole.debug(ferries)\nfor(const f of ferries){console.log(f)}\n"
	css := map[string]string{"a.css": ".a { top: 0 }"}
	with := func(text string) map[string]string {
		return map[string]string{"a.css": css["a.css"], "a.js": text}
	}
	res := scripted(t, "", page, with(js))
	got := textOf(res, "a.js")
	if got != small+"//# sourceMappingURL=a.js.map\n" {
		t.Errorf("the script is\n%s", got)
	}
	if html := textOf(res, "index.html"); !strings.Contains(html, `integrity="`+emit.Integrity([]byte(got))) {
		t.Errorf("the hash in the page is not that of the script: %s", html)
	}
	m, err := sourcemap.Read([]byte(textOf(res, "a.js.map")))
	if err != nil {
		t.Fatal(err)
	}
	lines := strings.Split(got, "\n")
	for _, word := range []string{"ferries", "gannet", "console.debug", "of", "console.log", "f)"} {
		for n, line := range lines[:3] {
			column := strings.Index(line, word)
			if column < 0 {
				continue
			}
			at, ok := m.Find(n, column)
			src := strings.Split(js, "\n")
			from := strings.TrimLeft(src[at.SourceLine][at.SourceColumn:], " '")
			if !ok || !strings.HasPrefix(from, strings.TrimSuffix(word, ")")) {
				t.Errorf("%q leads to %q", word, from)
			}
		}
	}
	for settings, want := range map[string]string{
		"[scripts]\nfinish = []\n": js,
		"[scripts]\ndrop = [\"console.debug\"]\n": "const ferries=[\"gannet\",\"petrel\"];for(const f of ferries){console.log(f)}\n" +
			"//# sourceMappingURL=a.js.map\n",
	} {
		if got := textOf(scripted(t, settings, page, with(js)), "a.js"); got != want {
			t.Errorf("%s: the script is\n%s", settings, got)
		}
	}
	// One that is small already is copied as it is.
	if got := textOf(scripted(t, "", page, with(small)), "a.js"); got != small {
		t.Errorf("a small script becomes\n%s", got)
	}
	// A broken one is copied, and reported at its place.
	res = scripted(t, "", page, with("let a = 1;\nlet b = 'gannet;\n"))
	if got := textOf(res, "a.js"); !strings.Contains(got, "'gannet") {
		t.Errorf("a broken script becomes\n%s", got)
	}
	found := ""
	for _, d := range res.Diagnostics {
		found += string(d.Code) + ": " + d.Message + "; "
	}
	if !strings.Contains(found, "script-syntax: syntax error, so browsers do not run this script: the string is not closed") {
		t.Errorf("the findings are %s", found)
	}
	// Comments or operators, depending on the kind of the script: it stays.
	const markup = "let a = 1   ;\nlet b = a<!--a\nb()   ;   b()\n"
	if got := textOf(scripted(t, "", page, with(markup)), "a.js"); got != markup {
		t.Errorf("a script with a markup comment becomes\n%s", got)
	}
}

// TestScriptMapsCompose minifies a script that comes with a map, in a file and
// inline: the new one leads to the first source.
func TestScriptMapsCompose(t *testing.T) {
	const made = "var depth = 4 ;\nconsole.log( depth ) ; // The depth of the harbour in metres.\n"
	const first = "let depth: number = 4;\n\nconsole.log(depth);\n"
	// Line 1 to line 1, line 2 to line 3.
	const input = `{"version":3,"sources":["src/tide.ink"],"sourcesContent":["let depth: number = 4;\n\nconsole.log(depth);\n"],"names":[],"mappings":"AAAA;AAEA"}`
	for name, comment := range map[string]string{"a file": "//# sourceMappingURL=a.js.map\n",
		"inline": "//# sourceMappingURL=" + sourcemap.DataURL([]byte(input)) + "\n"} {
		res := scripted(t, "", "<!doctype html><link rel=stylesheet href=a.css><p class=a><script src=a.js></script>",
			map[string]string{"a.css": ".a { top: 0 }", "a.js": made + comment, "a.js.map": input})
		js := textOf(res, "a.js")
		if js != "var depth=4;console.log(depth);\n//# sourceMappingURL=a.js.map\n" {
			t.Errorf("%s: the script is %q", name, js)
		}
		m, err := sourcemap.Read([]byte(textOf(res, "a.js.map")))
		if err != nil {
			t.Fatal(err)
		}
		at, ok := m.Find(0, strings.Index(js, "console"))
		from := m.Sources[at.Source]
		if !ok || at.SourceLine != 2 || !strings.HasSuffix(from.URL, "src/tide.ink") || from.Content != first {
			t.Errorf("%s: leads to %+v of %+v", name, at, m.Sources)
		}
	}
}

// TestModulePreloads checks which modules a page links in advance.
func TestModulePreloads(t *testing.T) {
	files := map[string]string{"a.css": ".a { top: 0 }", "js/main.js": "import './a.js'; import('./later.js'); export * from '../b.js'; import './c.js?x';",
		"js/a.js": "import '../b.js'; import './main.js'; import 'tide'", "b.js": "import './d.js'", "d.js": "1", "js/later.js": "2", "js/c.js": "3",
		"tide.js": "4", "old.js": "5"}
	const head = "<!doctype html><html><head><link rel=stylesheet href=a.css><script type=importmap>{\"imports\":{\"tide\":\"./tide.js\"}}</script>"
	link := func(names ...string) string {
		out := ""
		for _, name := range names {
			out += `<link rel="modulepreload" href="` + name + `">`
		}
		return out
	}
	tests := []struct{ name, settings, page, want string }{
		{"a module", "", head + "</head><p class=a><script type=module src=js/main.js></script>", link("js/a.js", "b.js", "tide.js", "d.js") + "</head>"},
		{"others that the page has", "", head + "<link rel=modulepreload href=d.js><script type=module src=b.js></script></head><p class=a><script type=module src=js/main.js></script>",
			link("js/a.js", "tide.js") + "</head>"},
		{"a classic script", "", head + "</head><p class=a><script src=old.js></script>", "</script></head>"},
		{"with crossorigin", "", head + "</head><p class=a><script type=module crossorigin src=b.js></script>", "</script></head>"},
		{"turned off", "[scripts]\npreload = false\n", head + "</head><p class=a><script type=module src=b.js></script>", "</script></head>"},
		{"an import map in the body", "", "<!doctype html><html><head><link rel=stylesheet href=a.css></head><p class=a><script type=importmap>{}</script><script type=module src=b.js></script>", "css></head>"},
		{"XHTML", "", "<html xmlns=\"http://www.w3.org/1999/xhtml\"><head><link rel=\"stylesheet\" href=\"a.css\" /></head><body><p class=\"a\"></p><script type=\"module\" src=\"b.js\"></script></body></html>", ""},
	}
	for _, test := range tests {
		res := scripted(t, test.settings, test.page, files)
		if html := textOf(res, "index.html"); !strings.Contains(html, test.want) {
			t.Errorf("%s: the page is\n%s", test.name, html)
		}
	}
}
