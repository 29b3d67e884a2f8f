package purge

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"golang.org/x/net/html"

	"rinzel/internal/css/csstest"
	"rinzel/internal/css/parse"
	"rinzel/internal/css/print"
	"rinzel/internal/source"
)

func purged(src string, e *Evidence) (string, Result) {
	sheet, _ := parse.Sheet(new(source.Set).Add(source.Path{Name: "x.css"}, "x.css", src))
	nodes, result := Nodes(sheet.Nodes, Options{Evidence: e})
	return print.Sheet(nodes, print.Options{Compact: true}), result
}

// textFile returns a file with a text. Pages are not in quirks mode.
func textFile(text string) *source.File {
	return new(source.Set).Add(source.Path{Name: "x"}, "x", text)
}

func TestPurge(t *testing.T) {
	const page = `<body class="wide"><main id="quay"><p class="notice" part="lamp">Boats</p><svg viewBox="0 0 1 1"><circle/></svg></main></body>`
	tests := []struct{ name, src, want string }{
		{"class", `.notice{a:b}.dead{a:b}`, `.notice{a:b}`},
		{"id", `#quay{a:b}#pier{a:b}`, `#quay{a:b}`},
		{"element", `p{a:b}aside{a:b}P{a:b}circle{a:b}`, `p{a:b}P{a:b}circle{a:b}`},
		{"implied elements", `html,head,tbody{a:b}`, `html,head,tbody{a:b}`},
		{"compound and complex", `p.notice{a:b}p.dead{a:b}.wide .notice{a:b}.wide>.dead{a:b}`, `p.notice{a:b}.wide .notice{a:b}`},
		{"dead members of a list", `.dead,.notice,aside{a:b}`, `.notice{a:b}`},
		{"states, pseudo-elements", `p:hover::before{a:b}::selection{a:b}:root{a:b}*{a:b}`, `p:hover::before{a:b}::selection{a:b}:root{a:b}*{a:b}`},
		{"attributes", `[class]{a:b}[hidden]{a:b}[viewbox="0 0 1 1"]{a:b}[VIEWBOX^="0 1"]{a:b}[class~=notice]{a:b}[class~=note]{a:b}[open]{a:b}`,
			`[class]{a:b}[viewbox="0 0 1 1"]{a:b}[class~=notice]{a:b}[open]{a:b}`},
		{"attribute operators", `[id$=ay]{a:b}[id*=ua]{a:b}[id|=quay]{a:b}[id^=""]{a:b}[id=QUAY i]{a:b}[id="quai"]{a:b}`, `[id$=ay]{a:b}[id*=ua]{a:b}[id|=quay]{a:b}[id=QUAY i]{a:b}`},
		{"nested rules", `.notice{a:b;& .dead{a:b}& p{a:b}}.dead{& p{a:b}}`, `.notice{a:b;& p{a:b}}`},
		{"the weight of nested rules", `.notice,#dead{& p{a:b}}.notice,.dead{& p{a:b}}`, `.notice,#dead{& p{a:b}}.notice{& p{a:b}}`},
		{"is and where", `:is(.dead,.notice){a:b}:where(.dead,aside){a:b}`, `:is(.dead,.notice){a:b}`},
		{"has and not", `p:has(.dead){a:b}p:not(.dead){a:b}`, `p:not(.dead){a:b}`},
		{"nth-child of", `:nth-child(2 of .dead){a:b}:nth-child(2 of p){a:b}`, `:nth-child(2 of p){a:b}`},
		{"parts, hosts and slots", `::part(dead){a:b}::part(lamp){a:b}::part(lamp dead){a:b}:host(.dead){a:b}:host(.notice){a:b}:host{a:b}::slotted(.dead){a:b}::slotted(p){a:b}`,
			`::part(lamp){a:b}:host(.notice){a:b}:host{a:b}::slotted(p){a:b}`},
		{"what is not judged", `:unknown(.dead){a:b}::unknown{a:b}`, `:unknown(.dead){a:b}::unknown{a:b}`},
		{"at-rules left empty", `@media print{.dead{a:b}}@supports(a:b){@media print{.dead{a:b}}}`, ``},
		{"at-rules partly empty", `@media print{.dead{a:b}p{a:b}}`, `@media print{p{a:b}}`},
		{"layers keep their place", `@layer x{.dead{a:b}}@layer y;`, `@layer x{}@layer y;`},
		{"what is used by name", `@keyframes dead{to{a:b}}@font-face{a:b}@property --dead{a:b}@page{a:b}`,
			`@keyframes dead{to{a:b}}@font-face{a:b}@property --dead{a:b}@page{a:b}`},
		{"bad selectors", `.notice,5{a:b}.dead,5{a:b}`, `.notice,5{a:b}.dead,5{a:b}`},
		{"namespaces", `svg|circle{a:b}svg|rect{a:b}*|p{a:b}`, `svg|circle{a:b}*|p{a:b}`},
		{"escapes", `.not\69 ce{a:b}`, `.not\69 ce{a:b}`},
		{"keep", `.is-open{a:b}#app-x{a:b}x-tag{a:b}.dead.is-shut{a:b}`, `.is-open{a:b}#app-x{a:b}x-tag{a:b}.dead.is-shut{a:b}`},
	}
	for _, test := range tests {
		t.Run(test.name, func(t *testing.T) {
			e := NewEvidence([]string{".is-*", "#app-*", "x-*"})
			e.AddHTML(textFile("<!doctype html>" + page))
			want := test.want
			if want != "" {
				want += "\n"
			}
			if got, _ := purged(test.src, e); got != want {
				t.Errorf("%s\n got %swant %s", test.src, got, want)
			}
		})
	}
}

func TestEvidence(t *testing.T) {
	const sheet = ".a{x:y}.b{x:y}.c-1{x:y}.x-wide{x:y}.md\\:flex{x:y}.w-1\\/2{x:y}dialog{x:y}"
	tests := []struct {
		name string
		add  func(*Evidence)
		want string
	}{
		{"nothing", func(*Evidence) {}, ""},
		{"classes of a page", func(e *Evidence) { e.AddHTML(textFile(`<p class="a  md:flex w-1/2">`)) }, ".a .md\\:flex .w-1\\/2"},
		{"text of a page is none", func(e *Evidence) { e.AddHTML(textFile(`<p>a b</p><!-- <p class="a"> --><style>.a{}</style>`)) }, ""},
		{"without scripts", func(e *Evidence) { e.AddHTML(textFile(`<noscript><p class=a></noscript><p class=b>`)) }, ".a .b"},
		{"addresses and prose are none", func(e *Evidence) { e.AddHTML(textFile(`<a href="a.html#b" title=a><img src=a alt="a" style="a: b">`)) }, ""},
		{"data attributes", func(e *Evidence) { e.AddHTML(textFile(`<p data-state="b" aria-controls=a>`)) }, ".a .b"},
		{"template and inline script", func(e *Evidence) {
			e.AddHTML(textFile(`<template><p class=a></template><script>f("b")</script><i onclick="g('md:flex')">`))
		}, ".a .b .md\\:flex"},
		{"string in a script", func(e *Evidence) { e.AddScript(textFile(`el.classList.add("a"); el.className = 'x b y'`)) }, ".a .b"},
		{"words in a script are none", func(e *Evidence) { e.AddScript(textFile(`let a = b + dialog`)) }, ""},
		{"keys of an object", func(e *Evidence) { e.AddScript(textFile(`x({ a: true, "b": 1 })`)) }, ".a .b"},
		{"joined names", func(e *Evidence) { e.AddScript(textFile("'c-' + n; `${x}-wide`")) }, ".c-1 .x-wide"},
		{"selector in a script", func(e *Evidence) { e.AddScript(textFile(`document.querySelector(".a > .b")`)) }, ".a .b"},
		{"markup in a script", func(e *Evidence) { e.AddScript(textFile("x.innerHTML = `<dialog class=\"a\">`")) }, ".a dialog"},
		{"element made by a script", func(e *Evidence) { e.AddScript(textFile(`createElement("dialog")`)) }, "dialog"},
		{"any text", func(e *Evidence) { e.AddText(textFile("{{ if x }}<p class='a w-1/2'>")) }, ".a .w-1\\/2"},
	}
	for _, test := range tests {
		t.Run(test.name, func(t *testing.T) {
			e := NewEvidence(nil)
			test.add(e)
			want := ""
			for _, name := range []string{".a", ".b", ".c-1", ".x-wide", ".md\\:flex", ".w-1\\/2", "dialog"} {
				for _, kept := range strings.Fields(test.want) {
					if kept == name {
						want += name + "{x:y}"
					}
				}
			}
			if want != "" {
				want += "\n"
			}
			if got, _ := purged(sheet, e); got != want {
				t.Errorf("got  %swant %s", got, want)
			}
		})
	}
}

func TestResult(t *testing.T) {
	e := NewEvidence(nil)
	e.AddHTML(textFile(`<p class=a>`))
	if _, got := purged(`.a{x:y}.b{x:y}@media print{.b,.a{x:y}.c{x:y}}`,
		e); got != (Result{Rules: 4, RemovedRules: 2, RemovedBytes: 16}) {
		t.Errorf("got %+v", got)
	}
}

func BenchmarkPurge(b *testing.B) {
	f := new(source.Set).Add(source.Path{Name: "x.css"}, "x.css", csstest.Generate(1<<20))
	sheet, _ := parse.Sheet(f)
	e := NewEvidence([]string{".is-*"})
	for i := 0; i < 3000; i += 3 {
		e.AddHTML(textFile(fmt.Sprintf(`<p class="berth-%d vessel__name">`, i)))
	}
	b.SetBytes(int64(len(f.Text)))
	b.ReportAllocs()
	for b.Loop() {
		Nodes(sheet.Nodes, Options{Evidence: e})
	}
}

// TestAttributesOfScripts checks that rules for attributes that scripts may set
// are kept.
func TestAttributesOfScripts(t *testing.T) {
	for script, want := range map[string]string{
		`el.setAttribute("data-tone", x)`: "[data-tone]", `el.dataset.tone = x`: "[data-tone]", `el.hidden = true`: "[hidden]", `el.ariaExpanded = "true"`: "[aria-expanded=true]",
		`h("a", { hidden: true })`: "[hidden]", `el.toggleAttribute('hidden')`: "[hidden]", `const hidden = 1`: "", `el.dataset["tone"]`: "[data-tone]",
	} {
		e := NewEvidence(nil)
		e.AddScript(textFile(script))
		if want != "" {
			want += "{a:b}\n"
		}
		if got, _ := purged("[data-tone]{a:b}[hidden]{a:b}[aria-expanded=true]{a:b}", e); got != want {
			t.Errorf("%s: got %q, want %q", script, got, want)
		}
	}
}

// TestQuirks checks that the case of classes is ignored if a page is in quirks
// mode.
func TestQuirks(t *testing.T) {
	const kept = ".note{a:b}#quay{a:b}\n"
	for doctype, want := range map[string]string{
		``:                kept,
		`<!doctype html>`: ``,
		`<!DOCTYPE html SYSTEM "about:legacy-compat">`: ``,
		`<!doctype quay>`: kept,
		`<!DOCTYPE HTML PUBLIC "-//W3C//DTD HTML 3.2 Final//EN">`:                                                      kept,
		`<!DOCTYPE HTML PUBLIC "-//W3C//DTD HTML 4.01 Transitional//EN">`:                                              kept, // without a system identifier
		`<!DOCTYPE HTML PUBLIC "-//W3C//DTD HTML 4.01 Transitional//EN" "http://www.w3.org/TR/html4/loose.dtd">`:       ``,   // limited quirks
		`<!DOCTYPE html PUBLIC "-//W3C//DTD XHTML 1.0 Transitional//EN" "http://www.w3.org/TR/xhtml1/DTD/xhtml1.dtd">`: ``,
	} {
		page := doctype + `<p class=Note id=Quay>`
		e := NewEvidence(nil)
		e.AddHTML(textFile(page))
		if got, _ := purged(".note{a:b}#quay{a:b}", e); got != want {
			t.Errorf("%s: got %q, want %q", page, got, want)
		}
	}
}

// TestVerdicts checks the verdicts on selectors, with the positions of the
// evidence.
func TestVerdicts(t *testing.T) {
	files := new(source.Set)
	page := files.Add(source.Path{Name: "p.html"}, "p.html",
		"<!doctype html>\n<p title=notice class=\"board notice\" id=quay data-kind=x>é<b onclick=\"f('late')\">")
	script := files.Add(source.Path{Name: "s.js"}, "s.js",
		"let a = 'é one two-' + b;\nel.hidden = x ? 'on-time' : {gone: 1}")
	e := NewEvidence([]string{".is-*"})
	e.AddHTML(page)
	e.AddScript(script)
	sheet, _ := parse.Sheet(files.Add(source.Path{Name: "x.css"}, "x.css",
		".board .notice#quay{a:b} p:is(.dead,.late){a:b} .one.two-x,.dead #pier{a:b} [hidden],[data-kind=x],.gone{a:b} .is-odd{a:b} .dead{& .board{a:b}}"))
	var got []string
	_, result := Nodes(sheet.Nodes, Options{Evidence: e, Record: func(v Verdict) {
		text := fmt.Sprint(v.Kept)
		for _, r := range v.Why {
			text += " " + r.Part
			if f := files.File(r.Use.At.File); f != nil {
				text += fmt.Sprintf("=%s %.6s", r.Use.Kind, f.Text[r.Use.At.Off:])
			} else if r.Use.Kind != "" {
				text += "=" + string(r.Use.Kind)
			}
		}
		got = append(got, text)
	}})
	want := []string{
		"true .board=page board  .notice=page notice #quay=page quay d", "true p=page <p tit .late=text late')", "true .one=text one tw .two-x=joined two-' ", "false .dead #pier",
		"true [hidden]=text hidden", "true [data-kind=x]=page x>é<b ", "true .gone=text gone: ", "true .is-*=keep", "false .dead", "false =around",
	}
	if strings.Join(got, "\n") != strings.Join(want, "\n") {
		t.Errorf("got\n%s\nwant\n%s", strings.Join(got, "\n"), strings.Join(want, "\n"))
	}
	if result.Rules != 7 || result.RemovedRules != 2 || result.MatchedKeeps != 1 {
		t.Errorf("got %+v", result)
	}
}

// TestDefinitions checks that definitions are removed if no remaining rule uses
// their names.
func TestDefinitions(t *testing.T) {
	const sheet = `@keyframes drift{to{a:b}}@keyframes sink{to{a:b}}@keyframes late{to{a:b}}@font-face{font-family:"Quay Sans"}@font-face{font-family:Pier}@font-face{font-family:Mole Deep}
		@counter-style knots{system:extends fathoms}@counter-style fathoms{a:b}@counter-style leagues{a:b}@property --gap{a:b}@property --lost{a:b}@property --name{a:b}
		.a{animation:1s drift;font:1rem/1 Quay Sans,serif;list-style:knots;margin:var(--gap);--name:sink}.dead{animation-name:late;font-family:Pier}`
	e := NewEvidence(nil)
	e.AddHTML(textFile(`<!doctype html><p class=a style="font: 1rem 'Mole Deep'">`))
	nodes, _ := parse.Sheet(textFile(sheet))
	kept, _ := Nodes(nodes.Nodes, Options{Evidence: e})
	uses := UsesOf(kept)
	out, result := Nodes(nodes.Nodes, Options{Evidence: e, Uses: uses})
	got := print.Sheet(out, print.Options{Compact: true})
	for _, name := range []string{"drift", "sink", "Quay Sans", "Mole Deep", "knots", "fathoms", "--gap", "--name"} {
		if !strings.Contains(got, name) {
			t.Errorf("%s is gone: %s", name, got)
		}
	}
	for _, name := range []string{"late", "Pier", "leagues", "--lost", "dead"} {
		if strings.Contains(got, name) {
			t.Errorf("%s stays: %s", name, got)
		}
	}
	if result.RemovedNamed != 4 {
		t.Errorf("got %+v", result)
	}
	if again := UsesOf(kept); !again.Equal(uses) || again.Equal(new(Uses)) {
		t.Error("uses do not equal themselves")
	}
}

// BenchmarkPurgeBesideParsing reads 200 pages as evidence and purges 1 MB of
// rules, as a multiple of the time for parsing the sheet and the pages. Both
// run in turns.
func BenchmarkPurgeBesideParsing(b *testing.B) {
	files := new(source.Set)
	sheetFile := files.Add(source.Path{Name: "x.css"}, "x.css", csstest.Generate(1<<20))
	var pages []*source.File
	for i := range 200 {
		var text strings.Builder
		text.WriteString("<!doctype html><title>Quay</title>")
		for k := range 120 {
			fmt.Fprintf(&text, "<section id=s%d class=\"berth-%d vessel__name\"><p data-tone=calm>Boats leave from berth %d</p></section>\n", k, (i*7+k)%3000, k)
		}
		text.WriteString("<script>document.querySelector('.berth-1').classList.add('is-open', 'note-' + x)</script>")
		pages = append(pages, files.Add(source.Path{Name: "p.html"}, "p.html", text.String()))
	}
	var parsing, purging time.Duration
	for b.Loop() {
		start := time.Now()
		sheet, _ := parse.Sheet(sheetFile)
		for _, p := range pages {
			if _, err := html.Parse(strings.NewReader(p.Text)); err != nil {
				b.Fatal(err)
			}
		}
		parsing += time.Since(start)
		start = time.Now()
		all := NewEvidence(nil)
		for _, p := range pages {
			e := NewEvidence(nil)
			e.AddHTML(p)
			all.Add(e)
		}
		Nodes(sheet.Nodes, Options{Evidence: all, Uses: UsesOf(sheet.Nodes)})
		purging += time.Since(start)
	}
	b.ReportMetric(purging.Seconds()/parsing.Seconds(), "purge/parse")
}

// BenchmarkManyNames purges with a million names, and with a hundred thousand:
// the time per name must not grow.
func BenchmarkManyNames(b *testing.B) {
	f := new(source.Set).Add(source.Path{Name: "x.css"}, "x.css", csstest.Generate(1<<20))
	sheet, _ := parse.Sheet(f)
	for _, n := range []int{100_000, 1_000_000} {
		b.Run(fmt.Sprint(n), func(b *testing.B) {
			var text strings.Builder
			for i := range n {
				fmt.Fprintf(&text, "name-%d ", i)
			}
			file := textFile(text.String())
			for b.Loop() {
				e := NewEvidence(nil)
				e.AddText(file)
				Nodes(sheet.Nodes, Options{Evidence: e})
			}
			b.ReportMetric(float64(b.Elapsed().Nanoseconds())/float64(b.N)/float64(n), "ns/name")
		})
	}
}

// TestMutations removes and adds one name after another, and checks that
// exactly its rules are removed and added.
func TestMutations(t *testing.T) {
	names := []string{"berth", "boat", "mole", "pier", "note-calm"}
	page := func(without string) string {
		text := "<!doctype html>"
		for i, name := range names {
			switch {
			case name == without:
			case i%2 == 0:
				text += "<p class=" + name + ">"
			default:
				text += "<script>el.className = '" + name + "'</script>"
			}
		}
		return text
	}
	var sheet string
	for _, name := range names {
		sheet += "." + name + "{a:b}"
	}
	for _, without := range append(names, "") {
		e := NewEvidence(nil)
		e.AddHTML(textFile(page(without)))
		want := strings.Replace(sheet, "."+without+"{a:b}", "", 1)
		if got, _ := purged(sheet, e); strings.TrimSpace(got) != want {
			t.Errorf("without %q: got %s, want %s", without, got, want)
		}
	}
}

// TestProperties checks that custom properties are removed if nothing reads
// them, even indirectly.
func TestProperties(t *testing.T) {
	const sheet = `.a{--read:var(--by-way);--by-way:1;--dead:var(--dead-too);--dead-too:1;--scripted:1;--attribute:1;--query:1;--self:var(--self);margin:var(--read)}.b{--dead:1}@container style(--query: 1){.a{top:0}}`
	e := NewEvidence(nil)
	e.AddHTML(textFile(`<!doctype html><p class="a b" style="margin: var(--attribute)"><script>getPropertyValue("--scripted")</script>`))
	nodes, _ := parse.Sheet(textFile(sheet))
	uses := UsesOf(nodes.Nodes)
	uses.Close()
	out, result := Nodes(nodes.Nodes, Options{Evidence: e, Uses: uses, Properties: true})
	want := ".a{--read:var(--by-way);--by-way:1;--scripted:1;--attribute:1;--query:1;margin:var(--read)}@container style(--query: 1){.a{top:0}}\n"
	if got := print.Sheet(out, print.Options{Compact: true}); got != want || result.RemovedNamed != 4 {
		t.Errorf("got %s, want %s; %+v", got, want, result)
	}
}

// TestStructure checks decisions by the structure of pages, if nothing can
// change it.
func TestStructure(t *testing.T) {
	const page = `<!doctype html><main class=quay><ul id=boats><li class=boat>a</li> text <li class="boat late">b</li></ul><noscript><p class=boat></p></noscript>
		<template><b class=lamp></b></template></main><p class=pier><script>el.classList.add("moved")</script><i class=moved></i>`
	for sel, want := range map[string]bool{
		".quay .boat": true, ".boat .quay": false, ".quay > .boat": false, "#boats > .boat": true, "ul>li+li": true, ".late + .boat": false, ".boat ~ .late": true, ".late ~ .boat": false,
		".quay p.boat": true, ".pier .boat": false, "body .pier": true, ".pier .moved": true, ".quay .moved": true, ".pier .lamp": true, ".boat:hover .late": false, ".quay :is(.late, .pier)": true,
		".pier :is(.late, .boat)": false, ".quay::before": true, ".boat:not(.late) + li": true, ".quay ul.late": false, ".quay, .boat .quay": true, "html>body>main": true,
	} {
		e := NewEvidence(nil)
		e.AddHTML(textFile(page))
		e.AddStructure(textFile(page))
		got, _ := purged(sel+"{a:b}", e)
		if (got != "") != want {
			t.Errorf("%s: kept %v, want %v", sel, got != "", want)
		}
	}
}

// TestElementsOfScripts checks that rules for elements that scripts create
// without naming them are kept.
func TestElementsOfScripts(t *testing.T) {
	for script, want := range map[string]string{
		`row.insertCell()`: "td", `table.createTHead()`: "thead", `new Image(3, 4)`: "img", `s.add(new Option("x"))`: "option", `createElement("caption")`: "caption", `let td, Image`: "",
	} {
		e := NewEvidence(nil)
		e.AddScript(textFile(script))
		if want != "" {
			want += "{a:b}\n"
		}
		if got, _ := purged("td{a:b}thead{a:b}img{a:b}option{a:b}caption{a:b}", e); got != want {
			t.Errorf("%s: got %q, want %q", script, got, want)
		}
	}
}

// FuzzEvidence checks that the spans of evidence are inside its file, and that
// purging never removes a selector for a class of a page.
func FuzzEvidence(f *testing.F) {
	f.Add("<!doctype html><p class='a b' ID=c data-x=\"é\" onclick=\"f('d-' + e)\"><svg><a xlink:href=#f></svg><noscript><i class=g></noscript>")
	f.Add("el.classList.add(`a-${b}`, 'c:d'); x = { e: 1 }.f.dataset.g")
	f.Add("---\na: b\n---\n<{{ x }} class=c {% if d %}><?php $e > 'f' ?><p class=\"{{ g }} h-{{ i }}\" CLASS='<%= j %>' ${k")
	f.Fuzz(func(t *testing.T, text string) {
		file := textFile(text)
		FromData(text, func(mark string, at int) {
			if mark == "" || at < 0 || !strings.HasPrefix(text[at:], mark) {
				t.Fatalf("the mark %q is not at %d", mark, at)
			}
		})
		for _, add := range []func(*Evidence, *source.File){(*Evidence).AddHTML, (*Evidence).AddScript,
			(*Evidence).AddText, (*Evidence).AddStructure} {
			e := NewEvidence(nil)
			add(e, file)
			e.Each(func(name string, at source.Pos) {
				if int(at.Off) > len(file.Text) {
					t.Fatalf("%q at %d of %d", name, at.Off, len(file.Text))
				}
			})
			for name := range e.Classes() {
				if _, ok := e.Class(name); !ok {
					t.Fatalf("the class %q is not in use", name)
				}
			}
			if c := e.Since(e); c.Concerns(map[string]bool{"a": true}) && len(e.documents) == 0 {
				t.Fatal("evidence differs from itself")
			}
		}
	})
}

// TestPatterns checks which names partly known names keep.
func TestPatterns(t *testing.T) {
	const sheet = ".is-open{a:b}.isopen{a:b}.open{a:b}.card__title--wide{a:b}.card{a:b}.x7{a:b}.xyz{a:b}"
	for _, test := range []struct{ script, want string }{
		{"f('is-' + v)", ".is-open{a:b}"},
		{"f('is' + v)", ""},                                            // two letters are too few
		{"f('is' + v, 'open')", ".is-open{a:b}.isopen{a:b}.open{a:b}"}, // unless the rest is a word of the script
		{"f('x' + 7)", ".x7{a:b}"},                                     // it is completely known
		{"f('x' + v)", ".x7{a:b}"},                                     // numbers are likely to be computed
		{"f(v + 'open')", ".is-open{a:b}.isopen{a:b}.open{a:b}"},       // four letters are enough
		{"f(`${b}__${e}--${m}`)", ""},
		{"f(`${b}__${e}--${m}`, 'card title wide')", ".card__title--wide{a:b}.card{a:b}"},
		{"f(`${b}__x--${m}`)", ""},
		{"const b = 'card', e = 'title'; f([b, e].join('__') + '--' + m)", ".card__title--wide{a:b}.card{a:b}"},
		{"const p = 'ca'; g = n => f(p + n); g('rd')", ".card{a:b}"},
		{"let p = 'ca'; p += 'rd'; f(p)", ".card{a:b}"},
		{"f(a + b)", ""},
	} {
		e := NewEvidence(nil)
		e.AddScript(textFile(test.script))
		if got, _ := purged(sheet, e); strings.TrimSpace(got) != test.want {
			t.Errorf("%s\ngot  %s\nwant %s", test.script, got, test.want)
		}
	}
}

// TestRelated checks which rules are kept because of an unreadable script.
func TestRelated(t *testing.T) {
	const page = `<!doctype html><div class="modal bs-tip" id="fleet-map" data-toggle="tooltip"><p class="tide-table">`
	for _, test := range []struct {
		selector string
		kept     bool
	}{
		{".modal.show", true},     // a state of a used name
		{".open .modal", true},    // and of its ancestor
		{".modal-backdrop", true}, // starts with the first word of a used name
		{".modal .dialog", false}, // another one inside it
		{".show", false},          // unrelated
		{".tooltip-top", true},    // a word of a data attribute
		{".bs-pop", false},        // a short first word is the prefix of a whole library
		{".bs-tip-top", true},
		{"#fleet-list", true},
		{".tide-table > .dead", false},
		{".carousel.modal", true},
	} {
		for _, unread := range []bool{true, false} {
			e := NewEvidence(nil)
			f := textFile(page)
			e.AddHTML(f)
			if unread {
				e.AddUnreadable(f.Pos(0))
			}
			got, _ := purged(test.selector+"{a:b}", e)
			if want := test.kept && unread; (got != "") != want {
				t.Errorf("%s stays: %v, with a script that cannot be read: %v", test.selector, got != "", unread)
			}
		}
	}
}

func TestKeepPatterns(t *testing.T) {
	for _, test := range []struct{ pattern, selector string }{
		{".w-*", `.w-1\/2`},
		{".w-*", ".w-"},
		{"*-open", "dialog-open"},
		{".is-*-now", ".is-open-now"},
		{"#*", "#quay"},
		{".md:*", `.md\:flex`},
	} {
		if got, _ := purged(test.selector+"{a:b}", NewEvidence([]string{test.pattern})); got == "" {
			t.Errorf("%s does not keep %s", test.pattern, test.selector)
		}
	}
	for _, test := range []struct{ pattern, selector string }{{".w-*", ".x-w-1"}, {".is-*-now", ".is-open"},
		{".quay", "#quay"}, {"quay", ".quay"}} {
		if got, _ := purged(test.selector+"{a:b}", NewEvidence([]string{test.pattern})); got != "" {
			t.Errorf("%s keeps %s", test.pattern, test.selector)
		}
	}
}

// TestTemplateMarks checks names that a template completes.
func TestTemplateMarks(t *testing.T) {
	const sheet = ".notice-watch{a:b}.pre-7{a:b}.on{a:b}.off{a:b}.dead{a:b}"
	for page, want := range map[string]string{
		`<p class="notice-{{ kind }}">`:                                  ".notice-watch{a:b}",
		`<p class="pre-<%= k %>">`:                                       ".pre-7{a:b}",
		`<p class="<?= $k ?>-watch">`:                                    ".notice-watch{a:b}",
		`<p class="{% if x %}on{% else %}off{% endif %}">`:               ".on{a:b}.off{a:b}",
		`<p class="notice-{% if x %}watch{% else %}calm{% endif %}">`:    ".notice-watch{a:b}",
		`<p class="pre-{{#if x}}7{{else}}8{{/if}} {{#if x}}on{{/if}}">`:  ".pre-7{a:b}.on{a:b}",
		`<p class="<?php if ($x): ?>on<?php else: ?>off<?php endif ?>">`: ".on{a:b}.off{a:b}",
		`<p class="{{ x ? 'on' : 'off' }}">`:                             ".on{a:b}.off{a:b}",
		`<p class:on={x} [class.off]="y">`:                               ".on{a:b}.off{a:b}",
		`<script type="text/template"><p class=on></script>`:             ".on{a:b}",
		`<script type="text/javascript">f('on')</script>`:                ".on{a:b}",
		`<iframe srcdoc="<p class='on off'>"></iframe>`:                  ".on{a:b}.off{a:b}",
		`<p {% if open %}class="on"{% endif %}>`:                         ".on{a:b}",
		`{% include "card.html" with kind="off" %}<p>off`:                ".off{a:b}",
		`{% set name = "notice-" ~ kind %}<p class="{{ name }}">`:        ".notice-watch{a:b}",
		`<ul>{{> card kind="on" }}</ul>on off`:                           ".on{a:b}",
		`<% kind = "on" %><?php $other = 'off' ?>dead`:                   ".on{a:b}.off{a:b}",
		`<h{{ level }} class="on"></h{{ level }}>`:                       ".on{a:b}",
		`<{{ heading }} class="on">off</{{ heading }}>`:                  ".on{a:b}",
		`{# off #}<p>{{ on`:                                              "",
		"---\nkind: on\n---\n<p class=\"{{ kind }}\">off":                ".on{a:b}",
		"---\r\nkind: [on, notice-watch]\r\n---\r\noff":                  ".notice-watch{a:b}.on{a:b}",
		"---\nkind: on": "",
	} {
		e := NewEvidence(nil)
		if !strings.HasPrefix(page, "---") {
			page = "<!doctype html>" + page
		}
		e.AddHTML(textFile(page))
		if got, _ := purged(sheet, e); strings.TrimSpace(got) != want {
			t.Errorf("%s\ngot  %s\nwant %s", page, got, want)
		}
	}
}

// TestFromData checks which classes of templates are all data.
func TestFromData(t *testing.T) {
	for text, want := range map[string]string{
		`<p class="{{ section }}">`:                                  "{{ section }}",
		`<p class="page {{- .Section -}} {{ kind|lower }}">`:         "{{- .Section -}} {{ kind|lower }}",
		`<p class='<%= @section %> <?= $s ?>'>`:                      "<%= @section %> <?= $s ?>",
		`<p class="<?php echo $this->kind; ?>">`:                     "<?php echo $this->kind; ?>",
		`<p CLASS = "${row['kind']}"><p class="{{ a }}">`:            "${row['kind']} {{ a }}",
		`<p class="is-{{ state }} {{ 'on' if x }} {{ call(x) }}">`:   "",
		`<p class="{{ if .Late }} is-late {{ else }} on {{ end }}">`: "",
		`<p class="{% if x %}{{ y }}{% endif %} {% z %}">`:           "",
		`<p class=page id="{{ section }}" class="`:                   "",
		`<p title="class='{{">{{ section }}`:                         "",
		`<p class="{{ section }}`:                                    "",
	} {
		var got []string
		FromData(text, func(mark string, at int) {
			if got = append(got, mark); !strings.HasPrefix(text[at:], mark) {
				t.Errorf("%s: %q is not at %d", text, mark, at)
			}
		})
		if strings.Join(got, " ") != want {
			t.Errorf("%s: got %q, want %q", text, got, want)
		}
	}
}
