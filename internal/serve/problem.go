package serve

import (
	"bytes"
	"crypto/sha256"
	_ "embed" // embeds the style sheet of the panel
	"html/template"
	"net/http"
	"net/url"
	"path/filepath"
	"strconv"
	"strings"

	"rinzel/internal/diag"
	"rinzel/internal/source"
)

// This file shows why a build failed: in a panel that the client puts over open
// pages, or as a page of its own if nothing was built yet. Both are the same
// document.

// The names of the document, of its style sheet, and of source files, below
// ownPrefix.
const (
	findingsName = "findings"
	panelName    = "panel.css"
	sourceName   = "source"
)

// maxFindings is the number of findings that are shown.
const maxFindings = 20

// Problem is why a build failed, or why some of its pages have errors.
type Problem struct {
	// Pages are the URL paths of the pages with errors; empty for all pages.
	Pages []string

	shown
	id      string                  // hash of what is shown
	sources map[string]*source.File // by displayed name
}

// shown is the part of a problem that is shown.
type shown struct {
	Title    string
	Findings []finding
	More     string // what is not listed
}

// finding is a finding as it is shown.
type finding struct {
	Severity, Code, Message string
	Place                   []piece
	Text                    []piece // frames, related places and the fix, preformatted
}

// piece is a part of a text, which may be a link.
type piece struct {
	Text string
	Link template.URL // empty for none
}

// NewProblem returns the errors in ds as a problem. editor, if not empty, is
// the URL of a place in an editor, with {path}, {line} and {column}; by
// default, places link to the source as the server shows it.
func NewProblem(files *source.Set, ds []diag.Diagnostic, editor string) *Problem {
	p := &Problem{sources: make(map[string]*source.File)}
	r := diag.Renderer{Files: files, Width: 90}
	var errors, others int
	for i := range ds {
		d := &ds[i]
		if d.Severity != diag.Error {
			others++
			continue
		}
		if errors++; errors <= maxFindings {
			p.Findings = append(p.Findings, p.finding(&r, d, editor))
		}
	}
	p.Title = diag.Count(errors, "error")
	var more []string
	if errors > maxFindings {
		more = append(more, diag.Count(errors-maxFindings, "more error"))
	}
	if others > 0 {
		more = append(more, diag.Count(others, "other finding"))
	}
	if len(more) > 0 {
		p.More = strings.Join(more, " and ") + " in the terminal"
	}
	var b bytes.Buffer
	_ = pages.ExecuteTemplate(&b, "findings", &p.shown) // writing to a buffer cannot fail
	sum := sha256.Sum256(b.Bytes())
	p.id = encoded(sum[:])
	return p
}

// hash identifies what is shown; it is empty for nil.
func (p *Problem) hash() string {
	if p == nil {
		return ""
	}
	return p.id
}

// String returns the findings as plain text.
func (p *Problem) String() string {
	var b strings.Builder
	for _, f := range p.Findings {
		for _, part := range f.Place {
			b.WriteString(part.Text + ": ")
		}
		b.WriteString(f.Severity + ": " + f.Message + " [" + f.Code + "]\n")
		for _, part := range f.Text {
			b.WriteString(part.Text)
		}
		b.WriteString("\n")
	}
	return b.String() + p.More
}

// finding returns d as it is shown, and notes the files that it mentions.
func (p *Problem) finding(r *diag.Renderer, d *diag.Diagnostic, editor string) finding {
	f := finding{Severity: d.Severity.String(), Code: string(d.Code), Message: diag.Printable(d.Message)}
	f.Place = p.linked(r, r.Position(d.Span), []source.Span{d.Span}, editor)
	var text strings.Builder
	_ = r.Render(&text, []diag.Diagnostic{*d}) // writing to a strings.Builder cannot fail
	_, rest, _ := strings.Cut(text.String(), "\n")
	spans := append([]source.Span(nil), d.Also...)
	for _, related := range d.Related {
		spans = append(spans, related.Span)
	}
	f.Text = p.linked(r, strings.TrimRight(rest, "\n"), append(spans, d.Imports...), editor)
	return f
}

// linked returns a text with links at the places that it names, which are in
// the order of spans.
func (p *Problem) linked(r *diag.Renderer, text string, spans []source.Span, editor string) []piece {
	var out []piece
	for _, span := range spans {
		place := r.Position(span)
		at := strings.Index(text, place)
		if place == "" || at < 0 {
			continue
		}
		f := r.Files.File(span.Start.File)
		p.sources[f.Name] = f
		line, column := f.Position(span.Start.Off)
		if at > 0 {
			out = append(out, piece{Text: text[:at]})
		}
		out = append(out, piece{place, linkTo(f.Name, line, column, editor)})
		text = text[at+len(place):]
	}
	if text != "" {
		out = append(out, piece{Text: text})
	}
	return out
}

// linkTo returns the URL of a place in a source file, given by its displayed
// name.
func linkTo(name string, line, column int, editor string) template.URL {
	at := strconv.Itoa(line)
	if editor == "" {
		query := url.Values{"file": {name}, "line": {at}}
		return template.URL(ownPrefix + sourceName + "?" + query.Encode() + "#L" + at)
	}
	if full, err := filepath.Abs(filepath.FromSlash(name)); err == nil {
		name = filepath.ToSlash(full)
	}
	return template.URL(strings.NewReplacer("{path}", (&url.URL{Path: name}).EscapedPath(), "{line}", at,
		"{column}", strconv.Itoa(column)).Replace(editor))
}

// serveFindings serves the document with the current findings. It is empty if
// there are none.
func serveFindings(w http.ResponseWriter, n *Snapshot) {
	now := &shown{Title: "No errors"}
	if n != nil && n.Problem != nil {
		now = &n.Problem.shown
	}
	message{Title: now.Title, Problem: now, Panel: true}.write(w, http.StatusOK, n)
}

// serveProblem answers a request while nothing could be built. The page reloads
// when the errors change.
func serveProblem(w http.ResponseWriter, r *http.Request, n *Snapshot) {
	if !wantsPage(r) {
		http.Error(w, n.Problem.String(), http.StatusInternalServerError)
		return
	}
	message{Title: "The site could not be built", Lead: "This page reloads when the errors are fixed.",
		Problem: &n.Problem.shown}.write(w, http.StatusInternalServerError, n)
}

// panelSheet is the style sheet of the panel and of the pages of the server
// itself.
//
//go:embed panel.css
var panelSheet string

// shownLines is the number of lines before and after a place that are shown.
const shownLines = 1000

// sourceLine is a line of a source file as it is shown.
type sourceLine struct {
	Number int
	Text   string
	Marked bool
}

// serveSource serves a source file that the current findings mention, with a
// line marked. Other files are not served.
func serveSource(w http.ResponseWriter, r *http.Request, n *Snapshot) {
	name := r.URL.Query().Get("file")
	var f *source.File
	if n != nil && n.Problem != nil {
		f = n.Problem.sources[name]
	}
	if f == nil {
		message{Title: "No such file", Lead: "Only files with errors are shown."}.write(w, http.StatusNotFound, n)
		return
	}
	marked, _ := strconv.Atoi(r.URL.Query().Get("line"))
	m := message{Title: diag.Printable(name)}
	lines := strings.SplitAfter(f.Text, "\n")
	first := max(0, min(marked, len(lines))-shownLines)
	last := min(len(lines), first+2*shownLines)
	if first > 0 || last < len(lines) {
		m.Lead = "Lines " + strconv.Itoa(first+1) + " to " + strconv.Itoa(last) + " of " + strconv.Itoa(len(lines)) + "."
	}
	for i, line := range lines[first:last] {
		m.Source = append(m.Source, sourceLine{first + i + 1, line, first+i+1 == marked})
	}
	m.write(w, http.StatusOK, n)
}
