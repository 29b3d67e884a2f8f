package site_test

import (
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"golang.org/x/tools/txtar"

	"rinzel/internal/browsertest"
	"rinzel/internal/project"
	"rinzel/internal/site"
	"rinzel/internal/source"
	"rinzel/internal/sourcemap"
)

// scriptSettings has a profile for each way in which pages get the sheets of
// scripts.
const scriptSettings = `
-- rinzel.toml --
source = "site"
[purge]
keep = ["*"]
[profile.adopting]
script-styles = "adopt"
[profile.small]
inherits = "production"
script-styles = "adopt"
`

// quayScripts is a site whose scripts import sheets in every way.
const quayScripts = scriptSettings + `
-- site/index.html --
<!doctype html>
<html>
<head>
  <meta charset="utf-8">
  <link rel="stylesheet" href="css/site.css">
  <script type="importmap">{"imports": {"boats/": "./js/boats/", "signs.css": "./css/signs.css"}}</script>
  <script type="module" src="js/main.js"></script>
</head>
<body>
  <p class="board">Boats</p><p class="fleet">Petrel</p><p class="inline">Tides</p><p class="sign">Quay</p>
  <p class="map">Map</p><p class="legend">Legend</p><quay-bell></quay-bell>
  <script type="module">
    import "./css/inline.css";
    window.inline = getComputedStyle(document.querySelector(".inline")).color;
  </script>
</body>
</html>
-- site/plain.html --
<!doctype html>
<meta charset=utf-8>
<title>Plain</title>
<p class="map">Map</p><p class="legend">Legend</p><p class="fleet">Petrel</p>
<script src="js/later.js"></script>
-- site/css/site.css --
@default tone: rgb(1, 2, 3);
body { color: const(tone) }
.board { color: red }
-- site/css/board.css --
.board { color: rgb(0, 0, 10); background: url("../img/sea.svg") }
-- site/css/fleet.css --
@import "parts/hull.css";
.fleet { color: rgb(0, 0, 20); & b { color: red } }
-- site/css/parts/hull.css --
.fleet { color: red; left: 7px }
-- site/css/inline.css --
.inline { color: rgb(0, 0, 30) }
-- site/css/signs.css --
.sign { color: rgb(0, 0, 40) }
-- site/css/map.css --
.map { color: rgb(0, 0, 50) }
.legend { color: red }
-- site/css/legend.css --
.legend { color: rgb(0, 0, 60) }
-- site/css/bell.css --
:host { display: block; & b { color: rgb(0, 0, 70); background: url("../img/sea.svg") } }
-- site/css/note.css --
.legend { left: 3px; & b { color: red } }
-- site/img/sea.svg --
<svg xmlns="http://www.w3.org/2000/svg"/>
-- site/js/main.js --
import "../css/board.css";
import { petrel } from "boats/petrel.js";
import "signs.css"
import bell from "../css/bell.css" with { type: "css" };
window.board = getComputedStyle(document.querySelector(".board")).color;
window.draw = async () => (await import("./map.js")).draw();
customElements.define("quay-bell", class extends HTMLElement {
  connectedCallback() {
    const shadow = this.attachShadow({ mode: "open" });
    shadow.adoptedStyleSheets = [bell];
    shadow.innerHTML = "<b>bell</b>";
    window.bell = getComputedStyle(shadow.querySelector("b")).color;
  }
});
-- site/js/boats/petrel.js --
export const petrel = 1; import "../../css/fleet.css"; window.fleet = getComputedStyle(document.querySelector(".fleet")).color;
-- site/js/map.js --
import "../css/map.css";
import '../css/legend.css';
import "./boats/petrel.js";
const map = getComputedStyle(document.querySelector(".map")).color;
export const draw = () => map + " " + getComputedStyle(document.querySelector(".legend")).color;
-- site/js/later.js --
window.draw = async () => (await import("./map.js")).draw();
window.note = async () => { await import("../css/note.css"); return getComputedStyle(document.querySelector(".legend")).left; };
window.sheet = new URL("x", "http://quay.example/").href;
-- site/js/unread.js --
import "../css/nowhere.css";
`

// TestScriptsInBrowser loads pages whose scripts import sheets in a browser, as
// built by each profile.
func TestScriptsInBrowser(t *testing.T) {
	browser := browsertest.Start(t)
	s := newSite(t, quayScripts)
	page := browser.Open("about:blank")
	for _, profile := range []string{project.Development, project.Production, "adopting", "small"} {
		t.Run(profile, func(t *testing.T) {
			if _, found := s.build(t, profile); found != "" {
				t.Fatal(found)
			}
			server := serve(t, s.output(profile))
			for _, test := range []struct{ page, expression, want string }{
				{"index.html", "board", "rgb(0, 0, 10)"},
				{"index.html", "fleet", "rgb(0, 0, 20)"},
				{"index.html", "inline", "rgb(0, 0, 30)"},
				{"index.html", `getComputedStyle(document.querySelector(".sign")).color`, "rgb(0, 0, 40)"},
				{"index.html", `getComputedStyle(document.querySelector(".fleet")).left`, "7px"},
				{"index.html", "bell", "rgb(0, 0, 70)"},
				{"index.html", "draw()", "rgb(0, 0, 50) rgb(0, 0, 60)"},
				{"plain.html", "draw()", "rgb(0, 0, 50) rgb(0, 0, 60)"},
				{"plain.html", "fleet", "rgb(0, 0, 20)"},
				{"plain.html", "note()", "3px"},
				{"plain.html", `getComputedStyle(document.querySelector(".board") ?? document.body).color`, "rgb(0, 0, 0)"},
			} {
				if test.expression != "fleet" || test.page != "plain.html" {
					page.Load(server + "/" + test.page)
				}
				var got string
				page.Eval(test.expression, &got)
				if got != test.want {
					t.Errorf("%s: %s is %q, want %q", test.page, test.expression, got, test.want)
				}
				if problems := page.Problems(); len(problems) > 0 {
					t.Errorf("%s: %s", test.page, problems)
				}
			}
			// Sheets of the page are not loaded again for a later script.
			page.Load(server + "/index.html")
			var got []string
			page.Eval(`draw().then(() => draw()).then(() => [...document.querySelectorAll("link[rel=stylesheet]")].map((l) => new URL(l.href).pathname.replace(/\.[a-z2-7]{10}\./, ".")))`, &got)
			want := "/index.css /js/map.css"
			if strings.Contains("adopting small", profile) {
				want = "/index.css"
			}
			if strings.Join(got, " ") != want {
				t.Errorf("linked sheets are %s, want %s", got, want)
			}
		})
	}
}

// TestScriptOutputs checks the outputs for scripts.
func TestScriptOutputs(t *testing.T) {
	s := newSite(t, quayScripts)
	res, found := s.build(t, project.Development)
	if found != "" {
		t.Fatal(found)
	}
	out := outputTexts(res)
	for _, test := range []struct{ file, want string }{
		{"js/main.js", ";                         \nimport { petrel } from \"boats/petrel.js\";\n;                 \nimport bell from \"../css/bell.css\" with { type: \"css\" };\n"},
		{"js/boats/petrel.js", `export const petrel = 1; import "../map-2.css.js"; window`},
		{"js/map.js", "import \"./map.css.js\";\nimport './map.css.js';\nimport \"./boats/petrel.js\";"},
		{"js/later.js", `await import("../css/note.css.js"); return`},
		{"index.html", "    ;                         \n    window.inline"},
		{"index.html", "  <link rel=\"stylesheet\" href=\"index.css\">\n  <script type=\"importmap\">"},
		{"css/bell.css", ":host b"},
		{"js/map.css", ".legend {\n  color: rgb(0, 0, 60);"},
		{"js/map-2.css.js", `others = [new URL("../index.css", import.meta.url).href]`},
	} {
		if !strings.Contains(out[test.file], test.want) {
			t.Errorf("%s lacks\n%s\nit is\n%s", test.file, test.want, out[test.file])
		}
	}
	for _, name := range []string{"css/board.css", "css/inline.css", "js/unread.js", "css/signs.css"} {
		if _, ok := out[name]; ok {
			t.Errorf("%s is written", name)
		}
	}
	var late []string
	for _, p := range res.Pages {
		late = append(late, strings.Join(p.Lazy, " "))
	}
	if got := strings.Join(late, "|"); got != "js/map.css|js/map.css js/map-2.css css/note.css" {
		t.Errorf("loaded later: %s", got)
	}
}

// TestProbedBundleStaysFile checks that a bundle that scripts look up is
// linked, while another one of its size is inlined.
func TestProbedBundleStaysFile(t *testing.T) {
	s := newSite(t, strings.Replace(quayScripts, "[purge]", "[split]\ninline = 5000\n[purge]",
		1)+"-- site/other.html --\n<!doctype html><link rel=stylesheet href=css/board.css>\n")
	res, found := s.build(t, project.Development)
	if found != "" {
		t.Fatal(found)
	}
	out := outputTexts(res)
	if !strings.Contains(out["index.html"], `<link rel="stylesheet" href="index.css">`) ||
		!strings.Contains(out["js/map-2.css.js"], `new URL("../index.css", import.meta.url)`) {
		t.Errorf("index: %s\n%s", out["index.html"], out["js/map-2.css.js"])
	}
	if !strings.Contains(out["other.html"], "<style>") {
		t.Errorf("other: %s", out["other.html"])
	}
}

// TestScriptIntegrity checks the integrity hash of a rewritten script.
func TestScriptIntegrity(t *testing.T) {
	s := newSite(t, "-- site/index.html --\n<script type=module src=a.js integrity='sha384-old'></script><script type=module src=b.js integrity=sha384-same></script><p class=a>\n-- site/a.js --\nimport './a.css'; window.ran = true\n-- site/b.js --\n1\n-- site/a.css --\n.a { color: red }\n")
	res, found := s.build(t, project.Development)
	if found != "" {
		t.Fatal(found)
	}
	page := outputTexts(res)["index.html"]
	if strings.Contains(page, "sha384-old") || !strings.Contains(page, "sha384-same") {
		t.Error(page)
	}
	browser := browsertest.Start(t).Open(serve(t, s.output(project.Development)) + "/index.html")
	ran := false
	if browser.Eval("window.ran === true", &ran); !ran {
		t.Errorf("the script did not run: %s", browser.Problems())
	}
}

func outputTexts(res *site.Result) map[string]string {
	out := make(map[string]string)
	for _, o := range res.Outputs {
		out[o.Path] = contentOf(o)
	}
	return out
}

// TestPlainScriptsStay checks that scripts without sheet imports are copied
// unchanged in development.
func TestPlainScriptsStay(t *testing.T) {
	module := "\ufeff// \u2028 é\r\nimport { a } from './b.js';\r\nexport * from './b.js'; import('./b.js'); `${import.meta.url}`\r\n"
	s := newSite(t, "-- site/index.html --\n<script src=a.js></script><script type=module src=m.js></script>\n-- site/a.js --\nx = /[/'\"]/\n-- site/b.js --\nexport const a = 1")
	if err := os.WriteFile(filepath.Join(s.dir, "site", "m.js"), []byte(module), 0o644); err != nil {
		t.Fatal(err)
	}
	res, found := s.build(t, project.Development)
	if found != "" {
		t.Fatal(found)
	}
	if got := outputTexts(res)["m.js"]; got != module {
		t.Errorf("got %q", got)
	}
}

// TestScriptMaps checks the source map of a script with a rewritten import.
func TestScriptMaps(t *testing.T) {
	code := "import\"./a.css\";import{b}from\"./b.js\";/*é😀*/import(\"./long/way/c.css\");call(b);\ncall(import(\"./long/way/c.css\"),b)\n"
	original := strings.ReplaceAll(code, ";", ";\n")
	// Each word "call", "b" and "from" of the code is mapped to its position in
	// the original.
	files := new(source.Set)
	file := files.Add(source.Path{Name: "m.ts"}, "m.ts", original)
	builder := sourcemap.NewBuilder(files)
	generated := new(source.Set).Add(source.Path{Name: "m.js"}, "m.js", code)
	from := 0
	for _, word := range []string{"from", "import(", "call", "call", "b)"} {
		at := from + strings.Index(code[from:], word)
		from = at + 1
		newlines := strings.Count(code[:at], ";")
		line := generated.Line(uint32(at))
		builder.Add(line, generated.UTF16Column(line, uint32(at)), file.Pos(at+newlines), "")
	}
	data := builder.JSON("m.js", func(*source.File) string { return "m.ts" })
	inline := "//# sourceMappingURL=" + sourcemap.DataURL(data) + "\n"
	for name, script := range map[string]string{"m.js": code + "//# sourceMappingURL=m.js.map\n", "n.js": code + inline} {
		s := newSite(t, "-- site/index.html --\n<script type=module src="+name+"></script>\n-- site/a.css --\n.a { color: red }\n-- site/long/way/c.css --\n.c { color: red }\n-- site/b.js --\nexport const b = 1")
		for file, text := range map[string]string{name: script, "m.js.map": string(data)} {
			if err := os.WriteFile(filepath.Join(s.dir, "site", file), []byte(text), 0o644); err != nil {
				t.Fatal(err)
			}
		}
		res, found := s.build(t, project.Development)
		if found != "" {
			t.Fatal(found)
		}
		out := outputTexts(res)
		mapText := []byte(out["m.js.map"])
		if name == "n.js" {
			_, address, _ := strings.Cut(strings.TrimSpace(out[name]), "//# sourceMappingURL=")
			var err error
			if mapText, err = sourcemap.DecodeDataURL(address); err != nil {
				t.Fatal(err)
			}
		}
		m, err := sourcemap.Read(mapText)
		if err != nil || len(m.Mappings) != 5 {
			t.Fatal(m, err)
		}
		after := new(source.Set).Add(source.Path{Name: name}, name, out[name])
		for _, p := range m.Mappings {
			got := out[name][after.UTF16Offset(p.Line, p.Column):]
			want := original[file.UTF16Offset(p.SourceLine, p.SourceColumn):]
			if got[:2] != want[:2] {
				t.Errorf("%s: %q leads to %q", name, got, want)
			}
		}
		if m.Sources[0].Content != original {
			t.Errorf("%s: the source is %q", name, m.Sources[0].Content)
		}
	}
}

func TestScriptFindings(t *testing.T) {
	for _, test := range []struct{ name, script, want string }{
		{"a name without a type", `import boats from "./css/a.css";`, "named-style-import"},
		{"a missing sheet", `import "./css/aa.css";`, `did you mean "site/css/a.css"?`},
		{"a missing script", `import "./boat.js";`, "missing-script"},
		{"a bare name", `import { boats } from "boats";`, "bare-import"},
		{"a module of a package", `import "tide";`, `{"imports": {"tide": "/node_modules/tide/index.js"}}</script>`},
		{"a bare sheet", `import "css/a.css";`, `write "./css/a.css"`},
		{"a package that is not installed", `import "quay/a.css";`, `package "quay" is not installed`},
		{"outside", `import "../../a.css";`, "outside"},
		{"from elsewhere", `import "https://quay.example/a.css";`, "external-import"},
		{"no root", `import "kitt:a.css";`, `did you mean "kit"?`},
		{"modules from elsewhere", `import "https://quay.example/a.js"; import("data:text/javascript,1");`, ""},
		{"another root", `import "kit:a.css"; import b from "kit:a.css" with { type: "css" };`, ""},
		{"a sheet that is wrong", `import "./css/wrong.css";`, "unclosed-block"},
		{"an object that imports from elsewhere", `import far from "./css/far.css" with { type: "css" };`, "browsers ignore such imports"},
		{"what is worked out", "import(`./${name}.css`); import(name); f('./' + name);", ""},
	} {
		t.Run(test.name, func(t *testing.T) {
			s := newSite(t, "-- rinzel.toml --\nsource = \"site\"\n[roots]\nkit = \"kit\"\n-- kit/a.css --\n.a { color: red }\n-- site/index.html --\n<script type=module src=m.js></script>\n-- site/css/a.css --\n.a { color: red }\n-- site/css/wrong.css --\n.a { color: red\n-- site/css/far.css --\n@import \"https://quay.example/a.css\";\n-- site/boats.js --\n"+
				"-- site/node_modules/tide/package.json --\n{}\n-- site/node_modules/tide/index.js --\n-- site/m.js --\n"+test.script)
			_, found := s.build(t, project.Development)
			if (found == "") != (test.want == "") || !strings.Contains(found, test.want) {
				t.Errorf("got %s\nwant %s", found, test.want)
			}
		})
	}
	s := newSite(t, "-- site/index.html --\n<script src=m.js></script>\n<script type=importmap>{</script><script src=n.js></script>\n-- site/m.js --\nimport './b.js'\n-- site/b.js --\n")
	if _, found := s.build(t, project.Development); !strings.Contains(found, "classic-import") ||
		!strings.Contains(found, "bad-import-map") || !strings.Contains(found, "missing-script") {
		t.Errorf("got %s", found)
	}
	const twoMaps = "-- site/%s.html --\n<script type=importmap>{\"imports\": {\"x\": \"./%s.css\"}}</script><script type=module src=m.js></script>\n-- site/%[1]s.css --\na { color: red }\n"
	s = newSite(t, fmt.Sprintf(twoMaps, "a", "a")+fmt.Sprintf(twoMaps, "b",
		"b")+"-- site/m.js --\nimport sheet from 'x' with { type: 'css' }")
	if _, found := s.build(t, project.Development); !strings.Contains(found, "import-map-conflict") {
		t.Errorf("got %s", found)
	}
}

// moduleSite is a generated site of modules, some of which are components. In its
// shadow, each import of a sheet, and each style block, is an import of a module that
// records its evaluation.
func moduleSite(seed uint64) (site, shadow *txtar.Archive) {
	g := rand.New(rand.NewPCG(seed, 11))
	site, shadow = new(txtar.Archive), new(txtar.Archive)
	add := func(name, text, inShadow string) {
		site.Files = append(site.Files, txtar.File{Name: "site/" + name, Data: []byte(text)})
		shadow.Files = append(shadow.Files, txtar.File{Name: name, Data: []byte(inShadow)})
	}
	const sheets, modules, pages, components = 8, 9, 3, 4
	module := func(i int) string {
		if i >= modules-components {
			return fmt.Sprintf("m%d.card", i)
		}
		return fmt.Sprintf("m%d.js", i)
	}
	for i := range sheets {
		add(fmt.Sprintf("s%d.css", i), fmt.Sprintf("p:not(#s%d) { order: %d }", i, i), "") // rules that are not merged
		add(fmt.Sprintf("s%d.js", i), "", fmt.Sprintf("(window.met ??= []).push(%d)", i))
	}
	imports := func(of int) string {
		var text strings.Builder
		for range g.IntN(4) {
			switch g.IntN(5) {
			case 0, 1:
				fmt.Fprintf(&text, "import \"./s%d.css\";\n", g.IntN(sheets))
			case 2:
				fmt.Fprintf(&text, "import \"./%s\";\n", module(g.IntN(modules))) // itself as well
			case 3:
				fmt.Fprintf(&text, "export * from \"./%s\";\n", module(min(of+1, modules-1)))
			case 4:
				fmt.Fprintf(&text, "(window.later ??= []).push(() => import(\"./%s\"));\n", module(g.IntN(modules)))
			}
		}
		return text.String()
	}
	inShadow := strings.NewReplacer(".css", ".js", ".card", ".js")
	for i := range modules {
		text := imports(i)
		if name := module(i); strings.HasSuffix(name, ".js") {
			add(name, text, inShadow.Replace(text))
			continue
		}
		own := fmt.Sprintf("<style>\np:not(#c%d) { order: %d }\n</style>\n", i, sheets+i)
		switch g.IntN(3) {
		case 0:
			add(module(i), own+"<script>\n"+text+"</script>", "")
		case 1:
			add(module(i), "<script>\n"+text+"</script>\n\n"+own, "")
		default:
			text = ""
			add(module(i), "<template><style>a {}</style></template>\n"+own, "")
		}
		add(fmt.Sprintf("m%d.js", i), "", inShadow.Replace(text)+fmt.Sprintf("import \"./c%d.js\";\n", i))
		add(fmt.Sprintf("c%d.js", i), "", fmt.Sprintf("(window.met ??= []).push(%d)", sheets+i))
	}
	for i := range pages {
		text := "<!doctype html><p>quay</p>\n"
		for range 1 + g.IntN(2) {
			if g.IntN(3) == 0 {
				text += "<script type=module>\n" + strings.ReplaceAll(imports(0), "export *", "import * as x") + "</script>\n"
			} else {
				text += fmt.Sprintf("<script type=module src=m%d.js></script>\n", g.IntN(modules-components))
			}
		}
		text = onceNamed(text)
		add(fmt.Sprintf("p%d.html", i), text, inShadow.Replace(text))
	}
	return site, shadow
}

// onceNamed numbers the names that imports bind, to make them unique.
func onceNamed(text string) string {
	for n := 0; strings.Contains(text, "as x "); n++ {
		text = strings.Replace(text, "as x ", fmt.Sprintf("as x%d ", n), 1)
	}
	return text
}

// TestModuleOrder records the evaluation order of modules in a browser, and
// compares the order of sheets on built pages with it.
func TestModuleOrder(t *testing.T) {
	browser := browsertest.Start(t)
	page := browser.Open("about:blank")
	compiler, err := filepath.Abs("../../docs/steps/card.py")
	if err != nil {
		t.Fatal(err)
	}
	compiler = fmt.Sprintf("[step.card]\non = \"script\"\ntakes = \"card\"\nrun = [%q]\n", compiler)
	const runAll = `(async () => { for (let i = 0; i < (window.later ?? []).length; i++) await window.later[i](); `
	late := 0
	for seed := range uint64(8) {
		archive, shadow := moduleSite(seed)
		settings := txtar.Parse([]byte(scriptSettings)).Files
		settings[0].Data = []byte(string(settings[0].Data) + "[components]\nmatch = [\"*.card\"]\n" + compiler)
		s := newSite(t, string(txtar.Format(&txtar.Archive{Files: append(archive.Files, settings...)})))
		reference := serve(t, newSite(t, string(txtar.Format(shadow))).dir)
		for _, profile := range []string{project.Production, "adopting"} {
			if _, found := s.build(t, profile); strings.Contains(found, ": error: ") {
				t.Fatalf("seed %d: %s", seed, found)
			}
			server := serve(t, s.output(profile))
			for i := range 3 {
				name := fmt.Sprintf("/p%d.html", i)
				var want, got []int
				page.Load(reference + name)
				page.Eval(runAll+"return window.met ?? [] })()", &want)
				page.Load(server + name)
				page.Eval(runAll+`return [...document.styleSheets, ...document.adoptedStyleSheets].flatMap((s) => [...s.cssRules].map((r) => Number(r.style.order))) })()`, &got)
				if !slices.Equal(got, want) {
					text, _ := json.Marshal(string(txtar.Format(archive)))
					t.Errorf("seed %d, %s, %s: the sheets come in the order %v, want %v; problems %v\n%s", seed, profile, name,
						got, want, page.Problems(), text)
				}
				var links int
				page.Eval("document.querySelectorAll('link').length", &links)
				late += links
			}
		}
	}
	if late < 15 {
		t.Errorf("only %d sheets were linked: the sites test little", late)
	}
}
