package purge

import (
	"fmt"
	"strings"
	"testing"

	"rinzel/internal/css/csstest"
	"rinzel/internal/css/parse"
	"rinzel/internal/css/print"
	"rinzel/internal/source"
)

func purged(src string, e *Evidence) (string, Result) {
	sheet, _ := parse.Sheet(new(source.Set).Add(source.Path{Name: "x.css"}, "x.css", src))
	nodes, result := Nodes(sheet.Nodes, e)
	return print.Sheet(nodes, print.Options{Compact: true}), result
}

func TestPurge(t *testing.T) {
	const page = `<body class="wide"><main id="quay"><p class="notice">Boats</p><svg viewBox="0 0 1 1"><circle/></svg></main></body>`
	tests := []struct{ name, src, want string }{
		{"class", `.notice{a:b}.dead{a:b}`, `.notice{a:b}`},
		{"id", `#quay{a:b}#pier{a:b}`, `#quay{a:b}`},
		{"element", `p{a:b}aside{a:b}P{a:b}circle{a:b}`, `p{a:b}P{a:b}circle{a:b}`},
		{"implied elements", `html,head,tbody{a:b}`, `html,head,tbody{a:b}`},
		{"compound and complex", `p.notice{a:b}p.dead{a:b}.wide .notice{a:b}.wide>.dead{a:b}`, `p.notice{a:b}.wide .notice{a:b}`},
		{"dead members of a list", `.dead,.notice,aside{a:b}`, `.notice{a:b}`},
		{"states, attributes, pseudo-elements", `p:hover::before{a:b}[data-x],[hidden]{a:b}::selection{a:b}:root{a:b}*{a:b}`,
			`p:hover::before{a:b}[data-x],[hidden]{a:b}::selection{a:b}:root{a:b}*{a:b}`},
		{"is and where", `:is(.dead,.notice){a:b}:where(.dead,aside){a:b}`, `:is(.dead,.notice){a:b}`},
		{"has and not", `p:has(.dead){a:b}p:not(.dead){a:b}`, `p:not(.dead){a:b}`},
		{"nth-child of", `:nth-child(2 of .dead){a:b}:nth-child(2 of p){a:b}`, `:nth-child(2 of p){a:b}`},
		{"what is not judged", `::part(dead){a:b}:host(.dead){a:b}::slotted(.dead){a:b}:unknown(.dead){a:b}`,
			`::part(dead){a:b}:host(.dead){a:b}::slotted(.dead){a:b}:unknown(.dead){a:b}`},
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
			e.AddHTML(page)
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
		{"classes of a page", func(e *Evidence) { e.AddHTML(`<p class="a  md:flex w-1/2">`) }, ".a .md\\:flex .w-1\\/2"},
		{"text of a page is none", func(e *Evidence) { e.AddHTML(`<p>a b</p><!-- <p class="a"> --><style>.a{}</style>`) }, ""},
		{"without scripts", func(e *Evidence) { e.AddHTML(`<noscript><p class=a></noscript><p class=b>`) }, ".a .b"},
		{"addresses and prose are none", func(e *Evidence) { e.AddHTML(`<a href="a.html#b" title=a><img src=a alt="a" style="a: b">`) }, ".b"},
		{"data attributes", func(e *Evidence) { e.AddHTML(`<p data-state="b" aria-controls=a>`) }, ".a .b"},
		{"template and inline script", func(e *Evidence) {
			e.AddHTML(`<template><p class=a></template><script>f("b")</script><i onclick="g('md:flex')">`)
		}, ".a .b .md\\:flex"},
		{"string in a script", func(e *Evidence) { e.AddScript(`el.classList.add("a"); el.className = 'x b y'`) }, ".a .b"},
		{"words in a script are none", func(e *Evidence) { e.AddScript(`let a = b + dialog`) }, ""},
		{"keys of an object", func(e *Evidence) { e.AddScript(`x({ a: true, "b": 1 })`) }, ".a .b"},
		{"joined names", func(e *Evidence) { e.AddScript("'c-' + n; `${x}-wide`") }, ".c-1 .x-wide"},
		{"selector in a script", func(e *Evidence) { e.AddScript(`document.querySelector(".a > .b")`) }, ".a .b"},
		{"markup in a script", func(e *Evidence) { e.AddScript("x.innerHTML = `<dialog class=\"a\">`") }, ".a dialog"},
		{"element made by a script", func(e *Evidence) { e.AddScript(`createElement("dialog")`) }, "dialog"},
		{"any text", func(e *Evidence) { e.AddText("{{ if x }}<p class='a w-1/2'>") }, ".a .w-1\\/2"},
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
	e.AddHTML(`<p class=a>`)
	if _, got := purged(`.a{x:y}.b{x:y}@media print{.b,.a{x:y}.c{x:y}}`, e); got != (Result{Rules: 4, RemovedRules: 2, RemovedBytes: 16}) {
		t.Errorf("got %+v", got)
	}
}

func BenchmarkPurge(b *testing.B) {
	f := new(source.Set).Add(source.Path{Name: "x.css"}, "x.css", csstest.Generate(1<<20))
	sheet, _ := parse.Sheet(f)
	e := NewEvidence([]string{".is-*"})
	for i := 0; i < 3000; i += 3 {
		e.AddHTML(fmt.Sprintf(`<p class="berth-%d vessel__name">`, i))
	}
	b.SetBytes(int64(len(f.Text)))
	b.ReportAllocs()
	for b.Loop() {
		Nodes(sheet.Nodes, e)
	}
}
