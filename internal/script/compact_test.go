package script

import (
	"encoding/json"
	"io/fs"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"rinzel/internal/browsertest"
)

// compact returns a compact script, or its problems in brackets.
func compact(text string, opts CompactOptions) string {
	pieces, problems := Compact(text, opts)
	var b strings.Builder
	for _, p := range pieces {
		b.WriteString(p.Text)
	}
	for _, p := range problems {
		b.WriteString("[" + text[p.At.Start:p.At.End] + ": " + p.Message + "]")
	}
	return b.String()
}

func TestCompact(t *testing.T) {
	tests := []struct{ name, text, want string }{
		{"white space", "  var a  =  1 ;\n\n  b ( a , 2 ) ;\n", "var a=1;b(a,2);"},
		{"comments", "// one\na(); /* two\n */ b() // three", "a();b()"},
		{"kept comments", "/*! Harbour */\na()/*! x */;\n//! y\nb(); // @license z\n", "/*! Harbour */\na()/*! x */;//! y\nb();// @license z\n"},
		{"a comment after a slash", "a / /*! x */ b", "a/ /*! x */b"},
		{"a comment after return", "return /*! x */ 5", "return/*! x */5"},
		{"words", "typeof   a  in b\nlet x = new Foo\nx", "typeof a in b\nlet x=new Foo\nx"},
		{"operators", "a + +b - -c; a + ++b; a-- - --b; a++ + b; x = a ? .5 : - .5", "a+ +b- -c;a+ ++b;a-- - --b;a++ +b;x=a?.5:-.5"},
		{"markup comments", "<!-- old\na()\n--> more\nb < ! --c; d-- > e", "a()\nb< !--c;d-- >e"},
		{"numbers", "1 .toFixed(); 1..x; 1.5.x; 0x1f .y; a[0] . b", "1 .toFixed();1..x;1.5.x;0x1f .y;a[0].b"},
		{"regular expressions", "a = / [/] /g ; b = c / d / e; if (x) /a b/ .test(y); c / /d/.e; return /x/ in y", "a=/ [/] /g;b=c/d/e;if(x)/a b/.test(y);c/ /d/.e;return/x/ in y"},
		{"templates", "`a  ${ b + `${ c } ` } d` . e", "`a  ${b+`${c} `} d`.e"},
		{"strings", `'a' + "it's" + 'say "x"' + 'it\'s' + "\"a\" 'b'" + 'use strict' + "\x41\\"`, `"a"+"it's"+'say "x"'+"it's"+"\"a\" 'b'"+"use strict"+"\x41\\"`},
		{"line breaks between statements", "a\nb\n++c\nd\n(e)\n[f]\n`g`\n/h/i", "a\nb\n++c\nd\n(e)\n[f]\n`g`\n/h/i"},
		{"line breaks in expressions", "a =\n b +\n c\n * d\n && e\n ? f\n : g,\n [\n1,\n2\n],\n { a:\n 1,\n }", "a=b+c*d&&e?f:g,[1,2],{a:1,}"},
		{"return", "return\na\nbreak\nb; continue\n}", "[}: the bracket closes nothing]"},
		{"restricted", "{return\na}{break\nb}{continue\n}throw\na\nyield\na", "{return\na}{break\nb}{continue}throw\na\nyield\na"},
		{"chains", "a\n  .b()\n  ?.c()\n  .d", "a.b()?.c().d"},
		{"control", "if (a)\n  b\nelse\n  c\nfor (;;)\n  d\ndo\n  e\nwhile (f)\ng", "if(a)b\nelse c\nfor(;;)d\ndo e\nwhile(f)g"},
		{"blocks", "if (a) {\n b\n}\nc\nfunction f() {\n}\ng\nclass A {\n}\nh\n{ i }\nj", "if(a){b}c\nfunction f(){}g\nclass A{}h\n{i}j"},
		{"functions in expressions", "a = function () {\n}\nb\nc = class {\n}\nd\ne = () => {\n}\nf\ng = {\n}\nh", "a=function(){}\nb\nc=class{}\nd\ne=()=>{}\nf\ng={}\nh"},
		{"async and generators", "async function f() {\n}\na\nfunction* g() {\n}\nexport default function () {\n}\nb", "async function f(){}a\nfunction*g(){}export default function(){}b"},
		{"classes", "class A extends B {\n a\n b = 1\n get\n *c() {\n }\n static\n d\n static {\n }\n #e = 2;\n f() { }\n}", "class A extends B{a\nb=1\nget\n*c(){}static\nd\nstatic{}#e=2;f(){}}"},
		{"members with the names of keywords", "a.if\n(b)\na.in\nc = {\n if: 1, else:\n 2,\n do() {\n } }", "a.if\n(b)\na.in\nc={if:1,else:2,do(){}}"},
		{"labels and cases", "a: {\n b }\nc\nswitch (d) {\n case 1: {\n e }\n default:\n f }\ng", "a:{b}c\nswitch(d){case 1:{e}default:f}g"},
		{"hashbang", "#!/bin/x\n a()", "#!/bin/x\na()"},
		{"other line ends", "a()\u2028b()\r\nc() // x\u2029d() // y\re()", "a()\nb()\nc()\nd()\ne()"},
		{"for await", "for await (const a of b)\n c\nawait (d)\ne", "for await(const a of b)c\nawait(d)\ne"},
		{"not closed", "a = 'b\nc", "['b: the string is not closed on its line]"},
		{"a bracket", "a(b", "[(: the bracket is not closed]"},
		{"another bracket", "a(b]", "[]: the bracket does not match the one that is open]"},
		{"a regular expression", "a = /b\n/", "[/: the regular expression is not closed on its line]"},
		{"a template", "a = `b", "[`: the template is not closed]"},
		{"a comment", "a /* b", "[/*: the comment is not closed]"},
	}
	for _, test := range tests {
		got := compact(test.text, CompactOptions{})
		if i := strings.Index(got, "]["); i > 0 && strings.HasPrefix(got, "[") {
			got = got[:i+1]
		}
		if got != test.want {
			t.Errorf("%s:\n got %q\nwant %q", test.name, got, test.want)
		}
	}
	if got := compact("a\n--> b\nc < !--d", CompactOptions{Module: true}); got != "a\n-- >b\nc< !--d" {
		t.Errorf("in a module: %q", got)
	}
}

func TestDrop(t *testing.T) {
	tests := []struct{ text, want string }{
		{"console.debug(1);a()", "a()"},
		{"a();console.debug(`${b({c:1})}`, [d], (e))\nf()", "a();f()"},
		{"if (a) console.debug(b); else c()", "if(a);else c()"},
		{"if (a) { console.debug(b) }", "if(a){}"},
		{"function f() {\n  console.debug(b)\n  return 1\n}", "function f(){return 1}"},
		{"const f = () => { console.debug(1); g() }", "const f=()=>{g()}"},
		{"a = console.debug(1); b", "a=console.debug(1);b"},
		{"console.debug(1).then(a)", "console.debug(1).then(a)"},
		{"console.debug(1)\n.then(a)", "console.debug(1).then(a)"},
		{"console.debug(1)\n(a)", "console.debug(1)\n(a)"},
		{"console.debug(1), b()", "console.debug(1),b()"},
		{"my.console.debug(1); console.debugger(1); console.debug; console.log(1)", "my.console.debug(1);console.debugger(1);console.debug;console.log(1)"},
		{"() => console.debug(1)", "()=>console.debug(1)"},
		{"class A { console = 1; debug() { console.debug(1); } }", "class A{console=1;debug(){}}"},
		{"a\nconsole.debug(1)\nb", "a;b"},
		{"a\nconsole.debug(1);(b)", "a;(b)"},
		{"import 'a'\nconsole.debug(1)\n;[b]", "import\"a\";[b]"},
		{"do console.debug(1); while (a)", "do;while(a)"},
		{"label: console.debug(1)", "label:console.debug(1)"},
	}
	for _, test := range tests {
		if got := compact(test.text, CompactOptions{Drop: []string{"console.debug"}}); got != test.want {
			t.Errorf("%s\n got %q\nwant %q", test.text, got, test.want)
		}
	}
}

// tokensOf returns the tokens of a script. Strings are decoded, so that quotes do
// not count.
func tokensOf(text string, module bool) (out []string) {
	l := newLexer(text)
	l.strict, l.module, l.blockAt = true, module, make(map[int]bool)
	for t := l.next(); t.kind != end; t = l.next() {
		if t.kind == str {
			out = append(out, `"`+withoutQuoteEscapes(text[t.start+1:t.end-1]))
			continue
		}
		out = append(out, text[t.start:t.end])
	}
	return out
}

// withoutQuoteEscapes returns the contents of a string without backslashes before
// quotes.
func withoutQuoteEscapes(inner string) string {
	var b strings.Builder
	for i := 0; i < len(inner); i++ {
		if inner[i] == '\\' && i+1 < len(inner) {
			if i++; inner[i] != '"' && inner[i] != '\'' {
				b.WriteByte('\\')
			}
		}
		b.WriteByte(inner[i])
	}
	return b.String()
}

// checkCompact checks that a compact script has the same tokens, and that
// compacting it again changes nothing.
func checkCompact(t *testing.T, name, text string, module bool) (small string, ok bool) {
	t.Helper()
	opts := CompactOptions{Module: module}
	pieces, problems := Compact(text, opts)
	if len(problems) > 0 {
		return "", false
	}
	if len(pieces) == 0 { // nothing, or unclear
		return text, true
	}
	var b strings.Builder
	for _, p := range pieces {
		b.WriteString(p.Text)
		if p.At > len(text) {
			t.Errorf("%s: a part is at %d of %d", name, p.At, len(text))
		}
	}
	small = b.String()
	before, after := tokensOf(text, module), tokensOf(small, module)
	for i := range max(len(before), len(after)) {
		if i >= len(before) || i >= len(after) || before[i] != after[i] {
			from := max(0, i-5)
			t.Errorf("%s: token %d differs:\n%q\n%q", name, i, before[from:min(i+3, len(before))],
				after[from:min(i+3, len(after))])
			return small, true
		}
	}
	if again := compact(small, opts); again != small {
		t.Errorf("%s: a second run changes it:\n%.300q\n%.300q", name, small, again)
	}
	return small, true
}

func FuzzCompact(f *testing.F) {
	for _, text := range []string{"a /b/ c\n`${{}}`", "return/*! x\n*/5", "<!--\n-->", "class{get\n*a(){}}", "'\\\n'", "a\n//!b", "if(a)/b/", "1.\n.a", "b / / c", "b / * c", "* /\n* /", ". . .", ".1 .", "b /\n//!", "b / /*! c */ d", "#!a\r#", "/*!*//*!*/a"} {
		f.Add(text, false)
		f.Add(text, true)
	}
	f.Fuzz(func(t *testing.T, text string, module bool) { checkCompact(t, "it", text, module) })
}

// TestCompactInBrowser runs scripts, and what is made of them, and compares the
// results. They depend on where statements end.
func TestCompactInBrowser(t *testing.T) {
	page := browsertest.Start(t).Open("about:blank")
	scripts := []string{
		"let a = 1\nlet b = a\n++b\nb",
		"let a = 1, b = 2\nlet c = a\n-b\nc",
		"var f = function () { return 7 }\nvar x = 1\n;(function () { x = f() })()\nx",
		"var f = function () { return x => x * 2 }\n(3)\nf(4)",
		"function f() {\n  return\n  5\n}\nString(f())",
		"var i = 0\nfor (;;) { if (i++ > 3)\n break\n else\n continue }\ni",
		"var i = 0; do\n i++\nwhile (i < 5)\ni",
		"var a = 4, g = 2\nvar x = a\n/ 2 /g\nx",
		"var x = 8; if (x) /8/.test(x) && x++\nx",
		"class A {\n a = 1\n get\n b() { return 2 }\n static\n c = 3\n 'd'\n = 4\n [`e`] = 5\n}\nvar o = new A; [o.a, o.b, A.c, o.d, o.e]",
		"class A {\n get\n *b() { yield 1 }\n}\nObject.getOwnPropertyNames(new A) + [...new A().b()]",
		"var a = {\n if: 1,\n get x() { return 2 },\n async\n () { }\n};[a.if, a.x, typeof a.async]",
		"var x = 3\nvar y = x-- > 1\nvar z = 1 < ! --x\n;[x, y, z]",
		"var a = 1\n/* x\n */ var b = 2\na + b",
		"label: for (var i = 0; i < 3; i++) { for (;;) { continue label\n} }\ni",
		"var s = 'it\\'s' + \"say \\\"x\\\"\" + 'a\\\nb' + `c\n ${ 'd' /* e */ } `\ns",
		"var t = `a${ { b: `${ 1 + 1 }` }.b }c`\nt",
		"'use strict'\n;(function () { return typeof this })()",
		"(function () { 'use strict'\nreturn typeof this })()",
		"function* g() { var x = yield\n1; return x }\nvar i = g(); [i.next().value === undefined, i.next(5).value]",
		"var async = 1\nvar of = 2\nvar let1 = async\n+ of\nlet1",
		"var a = b = 3\nvar c = a in [1, 2, 3, 4]\n instanceof Object\nc",
		"var x = 1; switch (x) { case 1: { x = 2 }\n case 2:\n x += 5 }\nx",
		"if (0) ; else\n var y = 5\ny",
		"var f = () => {\n}\n[1].length",
		"var f = x =>\n x + 1\nf(1)",
		"var r = /[/\\]]+/g\n.exec('a/]b')\nr[0]",
		"var a = 5..toString() + 1 .toFixed(1) + 0x1f .toString() + 1e3.toFixed() + 1.5.toFixed()\na",
		"try {\n throw 1 } catch {\n var e = 2 } finally {\n e++ }\ne",
		"var a = 1\nvar b = a ?.5 : 2\nb",
		"var o = { a: null }\nvar b = o ?. a ?? 'x'\nb",
		"var x = function () {\n} / 2\nString(x)",
		"var a = +1 - -1 + +'2' - - -1\na",
		"while (0)\n;\nvar z = 1\nz",
		"<!-- a comment\nvar q = 1\n--> another\nq",
		"var f = async function () {\n}\nvar p = f\n.name\np",
		"new Function('a', 'return a // b\\n')(3)",
	}
	for _, text := range scripts {
		small, ok := checkCompact(t, text, text, false)
		if !ok {
			t.Errorf("%s: has problems", text)
			continue
		}
		run := func(text string) string {
			code, _ := json.Marshal(text)
			var out string
			page.Eval(`(function () { try { return JSON.stringify(eval(`+string(code)+`)) ?? "nothing" } catch (e) { return String(e) } })()`, &out)
			return out
		}
		if got, want := run(small), run(text); got != want {
			t.Errorf("%s\ngives %s; compact it is\n%s\nand gives %s", text, want, small, got)
		}
	}
}

// TestTrialCompact compacts all scripts of a folder. The tokens must stay, and the
// browser must compile them if it compiles the source.
func TestTrialCompact(t *testing.T) {
	dir := os.Getenv(trialDir)
	if dir == "" {
		t.Skip("the environment variable " + trialDir + " names no folder")
	}
	page := browsertest.Start(t).Open("about:blank")
	var files, problems, before, after int
	err := filepath.WalkDir(dir, func(name string, d fs.DirEntry, err error) error {
		ext := filepath.Ext(name)
		if err != nil || d.IsDir() || ext != ".js" && ext != ".mjs" && ext != ".cjs" {
			return err
		}
		data, err := os.ReadFile(name)
		if err != nil || len(data) > 3<<20 {
			return err
		}
		text := strings.TrimPrefix(strings.ToValidUTF8(string(data), "?"), "\uFEFF")
		module := compiles(page, text, true) == "" && compiles(page, text, false) != ""
		failed := compiles(page, text, module)
		small, ok := checkCompact(t, name, text, module)
		switch {
		case !ok && failed == "":
			t.Errorf("%s: compiles, but has %s", name, compact(text, CompactOptions{Module: module}))
		case !ok:
			problems++
		case failed == "":
			if now := compiles(page, small, module); now != "" {
				t.Errorf("%s: compact it does not compile: %s", name, now)
			}
		}
		files, before, after = files+1, before+len(text), after+len(small)
		return nil
	})
	if err != nil {
		t.Fatal(err)
	}
	t.Logf("%d scripts, %d with syntax errors, %d kB to %d kB", files, problems, before>>10, after>>10)
}

// compiles returns the error of the browser in compiling a script, or "".
func compiles(page *browsertest.Page, text string, module bool) string {
	if module {
		code, _ := json.Marshal(text + "\n;import 'nowhere:x'")
		var out string
		page.Eval(`import(URL.createObjectURL(new Blob([`+string(code)+`], { type: "text/javascript" }))).then(() => "", e => e instanceof SyntaxError ? String(e) : "")`, &out)
		return out
	}
	var out struct {
		ExceptionDetails *struct {
			Exception struct{ Description string }
		}
	}
	page.Call("Runtime.compileScript", map[string]any{"expression": text, "sourceURL": "", "persistScript": false}, &out)
	if out.ExceptionDetails != nil {
		return out.ExceptionDetails.Exception.Description
	}
	return ""
}
