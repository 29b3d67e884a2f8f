package script

import (
	"fmt"
	"strings"
	"testing"
)

// moduleCases are scripts and their imports: the kind, "=" if names are bound,
// the specifier, and the type after a colon.
var moduleCases = []struct{ name, src, want string }{
	{"side effect", `import "./a.css";`, "static ./a.css"},
	{"no semicolon", "import './a.css'\nimport './b.js'", "static ./a.css|static ./b.js"},
	{"default", `import a from "./a.js"`, "static= ./a.js"},
	{"named from", `import from from "./a.js"`, "static= ./a.js"},
	{"all names", `import a, { b as c, "d e" as f, default as g, } from "./a.js";`, "static= ./a.js"},
	{"namespace", `import * as a from'./a.js';import b,*as c from"./b.js"`, "static= ./a.js|static= ./b.js"},
	{"phases", `import defer * as a from "./a.js"; import source b from "./b.wasm"; import.defer("./c.js")`, "static= ./a.js|static= ./b.wasm|dynamic ./c.js"},
	{"attributes", `import a from "./a.css" with { type: "css" };`, "static= ./a.css:css"},
	{"attribute names quoted", `import a from "./a.json" with { "type": 'json', }`, "static= ./a.json:json"},
	{"re-exports", `export * from "./a.js"; export * as b from "./b.js"; export { c, d as e } from "./c.js"; export { f }; export default "from"`, "export= ./a.js|export= ./b.js|export= ./c.js"},
	{"exports of its own", `export { a }; export const from = "./a.js"; export function b() { return "./b.js" }`, ""},
	{"export, then a string", "export { a }\n'./b.js'", ""},
	{"calls", `import("./a.js"); await import('./b.css', { with: { type: "css" } }); x = import(` + "`./c.js`" + `)`, "dynamic ./a.js|dynamic ./b.css:css|dynamic ./c.js"},
	{"calls with work", "import('./a/' + name); import(name); import(`./${name}.js`)", ""},
	{"a call in a function", `const load = async () => { if (x) { return (await import("./a.js")).start(); } }`, "dynamic ./a.js"},
	{"a call in the arguments of another", `f(import("./a.js"), [import("./b.js")], { c: import("./c.js") }, ...await import("./d.js"))`, "dynamic ./a.js|dynamic ./b.js|dynamic ./c.js|dynamic ./d.js"},
	{"addresses", `new URL("a.svg", import.meta.url); new URL("b.svg", location.href); new URL('./c.svg', import.meta.url).href`, "address a.svg|address ./c.svg"},
	{"no imports", `a.import("./a.js"); a?.import("./b.js"); import.meta.url; x = { import: "./c.js" }; class A { static import(a) {} #import = 1 }`, ""},
	{"in text", "'import \"./a.js\"'; `import(\"./b.js\")`; // import './c.js'\n/* import './d.js' */ /import '.\\/e.js'/", ""},
	{"in a hole", "`${import('./a.js')}`", "dynamic ./a.js"},
	{"behind a comment", "/* a */ import /* b */ a /* c */ from /* d */ './a.js' /* e */;", "static= ./a.js"},
	{"in a block", `{ import "./a.js" } function f() { import b from "./b.js" }`, ""},
	{"escapes", `import "./\u0061.js"`, "static ./a.js"},
	{"behind a regular expression", `if (a) /import "x"; "/.test(b); import "./c.js"`, "static ./c.js"},
	{"behind a division", `const a = (b) / 2; import "./c.js"; d / 1`, "static ./c.js"},
	{"regular expression behind a block", "if (a) { }\n/[\"']/.test(b)\nimport './c.js'", "static ./c.js"},
	{"division behind an object", "a = { b: 1 } / 2; import './c.js' // /", "static ./c.js"},
	{"an object behind a choice", "a = b ? { c: 1 } / 2 : { d: 1 } / 3; import './c.js' // /", "static ./c.js"},
	{"a block behind a case", "switch (a) { case 1: { } /'/.test(b); default: { } /\"/.test(c) }\nimport './c.js'", "static ./c.js"},
	{"members with the names of words", `a.return / 2; import "./b.js"; c.if(d) / 2; import "./e.js" // /`, "static ./b.js|static ./e.js"},
	{"postfix", `a++ / 2; import "./b.js"; c-- / 2 // /`, "static ./b.js"},
	{"numbers", `.5 / 2; 1. / 2; 1.e3 / 4; import "./b.js"; a?.5/1:2/3`, "static ./b.js"},
	{"hashbang", "#!/usr/bin/env 'x\nimport './a.js'", "static ./a.js"},
	{"templates within templates", "`a${`b${c}` + `d`}e`; import './f.js'", "static ./f.js"},
	{"braces in a hole", "`${ (() => { return { a: '}' } })() }`; import './f.js'", "static ./f.js"},
	{"brackets that do not fit", "`${ ) ] }`; import './f.js'", "static ./f.js"},
	{"unfinished", `import { a } from "./a.js`, ""},
	{"unfinished call", `import("./a.js", { with: { type: "css"`, "dynamic ./a.js:css"},
	{"template with a hole as a specifier", "import(`${a}`)", ""},
	{"byte order mark", "\ufeffimport './a.js'", "static ./a.js"},
}

func (i Import) String() string {
	s := [...]string{"static", "export", "dynamic", "address"}[i.Kind]
	if i.Binds {
		s += "="
	}
	s += " " + i.Specifier
	if i.Type != "" {
		s += ":" + i.Type
	}
	return s
}

func TestImports(t *testing.T) {
	for _, test := range moduleCases {
		t.Run(test.name, func(t *testing.T) {
			var got []string
			for _, imp := range Imports(test.src) {
				got = append(got, fmt.Sprint(imp))
			}
			if got := strings.Join(got, "|"); got != test.want {
				t.Errorf("%s:\ngot  %s\nwant %s", test.src, got, test.want)
			}
		})
	}
}

// TestImportPlaces checks that the spans of an import contain its text.
func TestImportPlaces(t *testing.T) {
	src := `a(); import b from "./c.css" with { type: "css" } ; import('./d.js', { with: {} }).then(e); new URL("f", import.meta.url).href; import "./g.js"
h()`
	want := []string{
		`import b from "./c.css" with { type: "css" } ;|./c.css`,
		`import('./d.js', { with: {} })|./d.js`,
		`new URL("f", import.meta.url)|f`,
		`import "./g.js"|./g.js`,
	}
	for i, imp := range Imports(src) {
		got := src[imp.Whole.Start:imp.Whole.End] + "|" + src[imp.At.Start:imp.At.End]
		if i >= len(want) || got != want[i] {
			t.Errorf("got %s", got)
		}
	}
}

func FuzzImports(f *testing.F) {
	for _, c := range moduleCases {
		f.Add(c.src)
	}
	f.Add(strings.Repeat("(`${", 300))
	f.Fuzz(func(t *testing.T, src string) {
		last := 0
		for _, imp := range Imports(src) {
			at, whole := imp.At, imp.Whole
			if whole.Start < last && imp.Kind <= ReExport || at.Start < whole.Start || at.End < at.Start ||
				whole.End < at.End || whole.End > len(src) {
				t.Fatalf("%v at %v in %v, behind %d, of %d", imp, at, whole, last, len(src))
			}
			if quote := src[at.Start-1]; quote != src[at.End] || !strings.ContainsRune("\"'`", rune(quote)) {
				t.Fatalf("%v stands in %q", imp, src[at.Start-1:at.End+1])
			}
			if imp.Kind <= ReExport {
				last = whole.End
			}
			// Imports that were found are found again without the other code.
			again := Imports(src[whole.Start:whole.End])
			if len(again) == 0 || again[0].Specifier != imp.Specifier {
				t.Fatalf("%v is not found again in %q: %v", imp, src[whole.Start:whole.End], again)
			}
		}
	})
}
