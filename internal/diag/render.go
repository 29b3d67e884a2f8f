package diag

import (
	"fmt"
	"io"
	"strings"
	"unicode/utf8"

	"github.com/mattn/go-runewidth"

	"rinzel/internal/source"
)

// Renderer writes findings as text for people.
type Renderer struct {
	Files *source.Set
	Color bool // use ANSI colours
	// Width is the width of a code frame in columns; longer source lines are
	// cut around the position. 0 means 100.
	Width int
}

// Limits of the output.
const (
	tabStop      = 4
	defaultWidth = 100
)

// Render writes all findings, each followed by a blank line.
func (r *Renderer) Render(w io.Writer, ds []Diagnostic) error {
	var b strings.Builder
	for _, d := range ds {
		r.one(&b, d)
		b.WriteByte('\n')
	}
	_, err := io.WriteString(w, b.String())
	return err
}

// SGR colour numbers.
const (
	bold   = "1"
	red    = "1;31"
	yellow = "1;33"
	cyan   = "1;36"
	dim    = "2"
)

// paint colours a text, if colours are on.
func (r *Renderer) paint(sgr, s string) string {
	if !r.Color {
		return s
	}
	return "\x1b[" + sgr + "m" + s + "\x1b[0m"
}

// one writes one finding.
func (r *Renderer) one(b *strings.Builder, d Diagnostic) {
	color := [...]string{Note: cyan, Warning: yellow, Error: red}[d.Severity]
	if place := r.Position(d.Span); place != "" {
		b.WriteString(r.paint(bold, place) + ": ")
	}
	fmt.Fprintf(b, "%s: %s %s\n", r.paint(color, d.Severity.String()), Printable(d.Message),
		r.paint(dim, "["+string(d.Code)+"]"))
	r.frame(b, d.Span, color)
	if len(d.Also) > 0 {
		fmt.Fprintf(b, "  also at %s\n", r.also(&d))
	}
	for _, rel := range d.Related {
		fmt.Fprintf(b, "  %s: %s\n", r.Position(rel.Span), Printable(rel.Message))
		r.frame(b, rel.Span, cyan)
	}
	if d.Output != "" {
		b.WriteString("  it wrote:\n")
		for line := range strings.SplitSeq(d.Output, "\n") {
			b.WriteString(r.paint(dim, "      |") + " " + Printable(line) + "\n")
		}
	}
	if len(d.Imports) > 0 {
		var places []string
		for _, at := range d.Imports {
			places = append(places, r.Position(at))
		}
		fmt.Fprintf(b, "  imported by %s\n", strings.Join(places, ", "))
	}
	if d.Fix != "" {
		fmt.Fprintf(b, "  %s %s\n", r.paint(cyan, "fix:"), Printable(d.Fix))
	}
}

// also lists the first of the further positions with the same cause, and the
// number of the others.
func (r *Renderer) also(d *Diagnostic) string {
	const most = 5
	var places []string
	for _, at := range d.Also {
		if place := r.Position(at); place != "" && len(places) < most {
			places = append(places, place)
		}
	}
	text := strings.Join(places, ", ")
	switch more := len(d.Also) - len(places); {
	case len(places) == 0 && more == 1:
		return "1 other place"
	case len(places) == 0:
		return fmt.Sprintf("%d other places", more)
	case more > 0:
		text += fmt.Sprintf(" and %d more", more)
	}
	return text
}

// Frame returns the source line of a span with the span underlined, as two
// lines; "" for the zero Span.
func (r *Renderer) Frame(s source.Span) string {
	var b strings.Builder
	r.frame(&b, s, cyan)
	return b.String()
}

// Position returns the start of a span as file:line:column, or "" for the zero
// Span.
func (r *Renderer) Position(s source.Span) string {
	f := r.Files.File(s.Start.File)
	if f == nil {
		return ""
	}
	line, column := f.Position(s.Start.Off)
	return fmt.Sprintf("%s:%d:%d", Printable(f.Name), line, column)
}

// frame writes the source line of a span with the span underlined.
func (r *Renderer) frame(b *strings.Builder, s source.Span, color string) {
	f := r.Files.File(s.Start.File)
	if f == nil || f.Text == "" {
		return
	}
	line := f.Line(s.Start.Off)
	text := f.LineText(line)
	from := min(int(s.Start.Off-f.LineStart(line)), len(text))
	to := max(from, min(int(s.End-f.LineStart(line)), len(text)))
	text, from, to = r.cut(text, from, to)

	gutter := fmt.Sprintf("%5d", line+1)
	lead := expand(text[:from], 0)
	mark := expand(text[from:to], runewidth.StringWidth(lead))
	tail := expand(text[to:], runewidth.StringWidth(lead+mark))
	b.WriteString(strings.TrimRight(r.paint(dim, gutter+" |")+" "+lead+mark+tail, " ") + "\n")
	fmt.Fprintf(b, "%s %s%s\n", r.paint(dim, "      |"), strings.Repeat(" ", runewidth.StringWidth(lead)),
		r.paint(color, strings.Repeat("^", max(1, runewidth.StringWidth(mark)))))
}

// cut shortens a line that is wider than the frame to the part around the span,
// and returns the new range of the span. It cuts between characters.
func (r *Renderer) cut(text string, from, to int) (string, int, int) {
	width := r.Width
	if width == 0 {
		width = defaultWidth
	}
	if len(text) <= width {
		return text, from, to
	}
	const dots = "…"
	start := max(0, from-width/3)
	end := min(len(text), start+width)
	for start > 0 && !utf8.RuneStart(text[start]) {
		start--
	}
	for end < len(text) && !utf8.RuneStart(text[end]) {
		end++
	}
	lead, tail := "", ""
	if start > 0 {
		lead = dots
	}
	if end < len(text) {
		tail = dots
	}
	to = min(to, end)
	return lead + text[start:end] + tail, from - start + len(lead), to - start + len(lead)
}

// expand returns s as displayed on a terminal from a column on: tabs as spaces,
// control characters as symbols.
func expand(s string, column int) string {
	if !strings.ContainsFunc(s, func(r rune) bool { return r < ' ' || 0x7f <= r && r < 0xa0 }) {
		return s
	}
	var b strings.Builder
	for _, r := range s {
		if r == '\t' {
			n := tabStop - column%tabStop
			b.WriteString(strings.Repeat(" ", n))
			column += n
			continue
		}
		r = picture(r)
		b.WriteRune(r)
		column += runewidth.RuneWidth(r)
	}
	return b.String()
}

// picture returns a visible symbol for a control character, and other
// characters unchanged, so that source text cannot control the terminal.
func picture(r rune) rune {
	switch {
	case r < ' ':
		return '\u2400' + r
	case r == 0x7f:
		return '\u2421'
	case 0x80 <= r && r < 0xa0:
		return utf8.RuneError
	}
	return r
}

// Printable returns s on one line without control characters, safe for a
// terminal whatever file names and sources contain.
func Printable(s string) string { return strings.Map(picture, s) }
