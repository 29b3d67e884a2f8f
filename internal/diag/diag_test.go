package diag

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"rinzel/internal/diag/code"

	"rinzel/internal/source"
)

// TestRender compares the output of Render with a literal.
func TestRender(t *testing.T) {
	set := new(source.Set)
	f := set.Add(source.Path{Name: "a.css"}, "site/a.css",
		"\ta { b: é😀x;\r\n  c: d\x1b[31m }\n"+strings.Repeat("long ", 30)+"here"+strings.Repeat(" tail", 30)+"\n")
	at := func(text string) source.Span { return source.SpanOf(f.Pos(strings.Index(f.Text, text)), len(text)) }
	r := Renderer{Files: set, Width: 40}
	var b strings.Builder
	err := r.Render(&b, []Diagnostic{
		{Code: "one", Severity: Error, Span: at("😀"), Message: "first \"\x1b[0m\""},
		{Code: "two", Severity: Warning, Span: at("c: d"), Message: "second", Fix: "do this", Related: []Related{{at("a {"), "opened here"}}},
		{Code: "three", Severity: Note, Span: at("here"), Message: "third"},
		{Code: "four", Severity: Error, Message: "without a place"},
		{Code: "five", Severity: Error, Span: source.SpanOf(f.Pos(len(f.Text)), 0), Message: "at the end"},
	})
	if err != nil {
		t.Fatal(err)
	}
	want := `site/a.css:1:10: error: first "␛[0m" [one]
    1 |     a { b: é😀x;
      |             ^^

site/a.css:2:3: warning: second [two]
    2 |   c: d␛[31m }
      |   ^^^^
  site/a.css:1:2: opened here
    1 |     a { b: é😀x;
      |     ^^^
  fix: do this

site/a.css:3:151: note: third [three]
    3 | …ng long long here tail tail tail tail ta…
      |               ^^^^

error: without a place [four]

site/a.css:4:1: error: at the end [five]
    4 |
      | ^

`
	if b.String() != want {
		t.Errorf("got\n%s\nwant\n%s", b.String(), want)
	}
	r.Color = true
	b.Reset()
	_ = r.Render(&b, []Diagnostic{{Code: "one", Severity: Error, Message: "m"}})
	if got := b.String(); got != "\x1b[1;31merror\x1b[0m: m \x1b[2m[one]\x1b[0m\n\n" {
		t.Errorf("in colour: %q", got)
	}
}

func TestSorted(t *testing.T) {
	set := new(source.Set)
	a, b := set.Add(source.Path{}, "a", "xxx"), set.Add(source.Path{}, "b", "xxx")
	var l List
	add := func(c code.Code, s Severity, f *source.File, off int) {
		l.Add(Diagnostic{Code: c, Severity: s, Span: source.SpanOf(f.Pos(off), 1)})
	}
	add("w", Warning, a, 0)
	add("e", Error, b, 1)
	add("n", Note, a, 0)
	add("e", Error, a, 2)
	add("e", Error, b, 1)
	add("e", Error, b, 0)
	var got []string
	for _, d := range l.Sorted(nil) {
		got = append(got, fmt.Sprint(d.Code, d.Span.Start.File, d.Span.Start.Off))
	}
	if s := strings.Join(got, " "); s != "e1 2 e2 0 e2 1 w1 0 n1 0" || !HasErrors(l.Sorted(nil)) {
		t.Errorf("got %s", s)
	}
}

func TestNearest(t *testing.T) {
	names := []string{"output", "source", "base", "tickets.css", "timetable.css"}
	for name, want := range map[string]string{
		"ouput": "output", "outptu": "output", "Sorce": "source", "bsae": "base", "tikets.css": "tickets.css",
		"x": "", "nothing": "", "base": "", "": "",
	} {
		if got := Nearest(name, names); got != want {
			t.Errorf("Nearest(%q) = %q, want %q", name, got, want)
		}
	}
}

func TestDidYouMean(t *testing.T) {
	known := []string{"gap", "accent", "accent-strong"}
	for name, want := range map[string]string{"acent": `did you mean "accent"?`, "gpa": `did you mean "gap"?`,
		"something": "the names are few", "": "the names are few"} {
		if got := DidYouMean(name, known, "the names are few"); got != want {
			t.Errorf("%q: got %q, want %q", name, got, want)
		}
	}
}

func TestImportsAreShown(t *testing.T) {
	set := new(source.Set)
	a, b := set.Add(source.Path{Name: "a.css"}, "a.css", "x\ny"), set.Add(source.Path{Name: "b.css"}, "b.css", "z")
	var out strings.Builder
	r := Renderer{Files: set}
	d := Diagnostic{Code: "c", Severity: Error, Span: source.SpanOf(a.Pos(2), 1), Message: "m", Fix: "n",
		Imports: []source.Span{source.SpanOf(b.Pos(0), 1), source.SpanOf(a.Pos(0), 1)}}
	if err := r.Render(&out, []Diagnostic{d}); err != nil {
		t.Fatal(err)
	}
	if want := "a.css:2:1: error: m [c]\n    2 | y\n      | ^\n  imported by b.css:1:1, a.css:1:1\n  fix: n\n\n"; out.String() != want {
		t.Errorf("got %s\nwant %s", out.String(), want)
	}
}

// TestDuplicates checks that equal findings are merged at the first of their
// positions.
func TestDuplicates(t *testing.T) {
	set := new(source.Set)
	f := set.Add(source.Path{Name: "a.css"}, "a.css", "1\n2\n3\n4\n5\n6\n7\n8\n")
	var list []Diagnostic
	for line := range 8 {
		list = append(list, Diagnostic{Code: "c", Severity: Warning, Span: source.SpanOf(f.Pos(2*line), 1), Message: "m"})
	}
	list = append(list, Diagnostic{Code: "c", Severity: Warning, Message: "m"},
		Diagnostic{Code: "d", Severity: Warning, Message: "m"}, Diagnostic{Code: "d", Message: "m"})
	var out strings.Builder
	r := Renderer{Files: set}
	if err := r.Render(&out, Alike(list)); err != nil {
		t.Fatal(err)
	}
	want := "a.css:1:1: warning: m [c]\n    1 | 1\n      | ^\n  also at a.css:2:1, a.css:3:1, a.css:4:1, a.css:5:1, a.css:6:1 and 3 more\n\nwarning: m [d]\n  also at 1 other place\n\n"
	if out.String() != want {
		t.Errorf("got\n%s\nwant\n%s", out.String(), want)
	}
}

// TestCause checks that findings with the same cause are merged at the first of
// their positions.
func TestCause(t *testing.T) {
	set := new(source.Set)
	f := set.Add(source.Path{Name: "a.html"}, "a.html", "one two three")
	at := func(off int) source.Span { return source.SpanOf(f.Pos(off), 3) }
	var l List
	l.Add(Diagnostic{Code: "missing", Severity: Warning, Span: at(8), Message: "3", Cause: "x.js"})
	l.Add(Diagnostic{Code: "missing", Severity: Warning, Span: at(0), Message: "1", Cause: "x.js"})
	l.Add(Diagnostic{Code: "missing", Severity: Warning, Span: at(4), Message: "2", Cause: "y.js"})
	l.Add(Diagnostic{Code: "other", Severity: Warning, Span: at(8), Message: "4", Cause: "x.js"})
	l.Add(Diagnostic{Code: "missing", Severity: Warning, Span: at(4), Message: "5", Cause: "x.js"})
	l.Add(Diagnostic{Code: "missing", Severity: Warning, Span: at(0), Message: "6"})
	l.Add(Diagnostic{Code: "missing", Severity: Warning, Span: at(8), Message: "6"})
	var got []string
	for _, d := range l.Sorted(set) {
		got = append(got, fmt.Sprintf("%s %s %d", d.Code, d.Message, len(d.Also)))
	}
	want := []string{"missing 1 2", "missing 6 0", "missing 2 0", "missing 6 0", "other 4 0"}
	if !slices.Equal(got, want) {
		t.Errorf("got  %q\nwant %q", got, want)
	}
}
