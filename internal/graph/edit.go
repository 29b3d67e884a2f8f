package graph

import (
	"slices"
	"strings"

	"rinzel/internal/markup"

	"golang.org/x/net/html"
)

// This file creates and applies the edits that replace the links of a page by
// bundles.

// Edit is a replacement of bytes of a page.
type Edit struct {
	At   Span
	With string
}

// LinkTarget is the new target of a link.
type LinkTarget struct {
	Address   string
	Integrity string // hash for the integrity attribute; empty for none
	// Style, if not empty, is the sheet itself, which replaces the link by a
	// style element.
	Style string
	Media string // new media attribute; empty to keep the current one
}

// Point returns the edits that replace the links of a group by links to
// targets. The tag of the first link is used for each, with the new URL, and
// without an integrity hash and a media attribute that the sheets contain now.
// Each further tag gets a line of its own if the first has one.
func (g Group) Point(p *Page, targets []LinkTarget) []Edit {
	first := g.Links[0]
	_, sameMedia := g.SharedMedia()
	var tags []string
	for _, to := range targets {
		if to.Style != "" {
			tags = append(tags, g.styleElement(p, to))
			continue
		}
		edits := []Edit{{first.Href.At, quoteFor(first, to.Address)}}
		if to.Integrity != "" {
			after := markup.Find(first.attrs, "href").Whole.End
			edits = append(edits, Edit{Span{Start: after, End: after}, ` integrity="` + to.Integrity + `"`})
		}
		for _, a := range first.attrs {
			switch {
			case a.Name == "integrity" || a.Name == "media" && !sameMedia:
				edits = append(edits, Edit{a.Whole, ""})
			case a.Name == "media" && to.Media != "":
				edits = append(edits, Edit{a.Whole, `media="` + html.EscapeString(to.Media) + `"`})
			}
		}
		tags = append(tags, ApplyToPart(p.File.Text, first.Tag, edits))
	}
	edits := []Edit{{first.Tag, strings.Join(tags, lineBreak(p.File.Text, first.Tag.Start))}}
	for _, l := range g.Links[1:] {
		edits = append(edits, Edit{l.Tag, ""})
	}
	return edits
}

// Append returns the edits that add links to targets after everything else that
// styles the page: at the end of its head, or after the last thing that styles
// it.
func (p *Page) Append(targets []LinkTarget) []Edit {
	if len(targets) == 0 {
		return nil
	}
	void := ">"
	if p.IsXML() {
		void = " />"
	}
	var tags []string
	for _, to := range targets {
		if to.Style != "" {
			tags = append(tags, Group{}.styleElement(p, to))
			continue
		}
		tag := `<link rel="stylesheet" href="` + html.EscapeString(to.Address) + `"`
		if to.Integrity != "" {
			tag += ` integrity="` + to.Integrity + `"`
		}
		tags = append(tags, tag+void)
	}
	if p.styles.End > p.head {
		br := lineBreak(p.File.Text, p.styles.Start)
		return []Edit{{Span{Start: p.styles.End, End: p.styles.End}, br + strings.Join(tags, br)}}
	}
	return p.appendToHead(tags)
}

// PreloadModules returns the edits that add links to modules at the end of the
// head (HTML, section 4.6.7.13), so that browsers fetch them in parallel. There are
// none if an import map may come later: it must come first.
func (p *Page) PreloadModules(addresses []string) []Edit {
	if len(addresses) == 0 || slices.ContainsFunc(p.Maps, func(m Span) bool { return m.End > p.head }) {
		return nil
	}
	void := ">"
	if p.IsXML() {
		void = " />"
	}
	var tags []string
	for _, address := range addresses {
		tags = append(tags, `<link rel="modulepreload" href="`+html.EscapeString(address)+`"`+void)
	}
	return p.appendToHead(tags)
}

// appendToHead returns the edits that add tags at the end of the head.
func (p *Page) appendToHead(tags []string) []Edit {
	text := p.File.Text
	line := strings.LastIndexByte(text[:p.head], '\n') + 1
	if line == 0 || strings.Trim(text[line:p.head], " \t") != "" {
		return []Edit{{Span{Start: p.head, End: p.head}, strings.Join(tags, "")}}
	}
	indent, br := indentBefore(text, line)
	return []Edit{{Span{Start: line, End: line}, indent + strings.Join(tags, br+indent) + br}}
}

// Show returns the edit that inserts a text at the top of a page, such as its
// errors.
func (p *Page) Show(text string) Edit {
	at := max(p.body, p.head)
	return Edit{Span{Start: at, End: at},
		`<pre role="alert" style="all: revert; position: relative; z-index: 2147483647; margin: 0; padding: 1em; ` +
			`background: #fff; color: #611; border-bottom: 4px solid #b22; font: 14px/1.4 monospace; white-space: pre-wrap; text-align: left">` +
			html.EscapeString(text) + "</pre>"}
}

// indentBefore returns the indentation of the line before the one that starts
// at line, and its line end.
func indentBefore(text string, line int) (indent, br string) {
	br = "\n"
	if strings.HasSuffix(text[:line], "\r\n") {
		br = "\r\n"
	}
	before := strings.TrimSuffix(text[:line], br)
	before = before[strings.LastIndexByte(before, '\n')+1:]
	rest := strings.TrimLeft(before, " \t")
	indent = before[:len(before)-len(rest)]
	if strings.HasPrefix(rest, "<head") {
		indent += "  "
	}
	return indent, br
}

// styleElement returns a style element that replaces the links of a group.
func (g Group) styleElement(p *Page, to LinkTarget) string {
	tag, css := "<style", to.Style
	if p.IsXML() && strings.ContainsAny(css, "<&") { // in XML it is not raw text
		css = "/*<![CDATA[*/" + strings.ReplaceAll(css, "]]>", `]]\>`) + "/*]]>*/"
	}
	if len(g.Links) == 0 {
		return tag + ">" + css + "</style>"
	}
	if _, same := g.SharedMedia(); same {
		if media := markup.Find(g.Links[0].attrs, "media"); media != nil && to.Media != "" {
			tag += ` media="` + html.EscapeString(to.Media) + `"`
		} else if media != nil {
			tag += " " + p.File.Text[media.Whole.Start:media.Whole.End]
		}
	}
	return tag + ">" + css + "</style>"
}

// lineBreak returns the separator between two lines with the same indentation
// as the line that starts with the tag; "" if something precedes the tag on its
// line.
func lineBreak(text string, at int) string {
	line := strings.LastIndexByte(text[:at], '\n') + 1
	indent := text[line:at]
	if line == 0 && at > 0 || strings.Trim(indent, " \t") != "" {
		return ""
	}
	if line > 1 && text[line-2] == '\r' {
		return "\r\n" + indent
	}
	return "\n" + indent
}

// ApplyToPart returns a part of a text with edits applied.
func ApplyToPart(text string, part Span, edits []Edit) string {
	edits = slices.Clone(edits)
	for i := range edits {
		edits[i].At.Start -= part.Start
		edits[i].At.End -= part.Start
	}
	return Apply(text[part.Start:part.End], edits)
}

// Move returns the edit that changes the URL of a reference.
func (r Ref) Move(address string) Edit {
	return Edit{r.At, html.EscapeString(address)}
}

// quoteFor returns address as the value of a link's href, which may be
// unquoted.
func quoteFor(l Link, address string) string {
	text := html.EscapeString(address)
	for _, a := range l.attrs {
		if a.Name == "href" && a.Whole.End == a.At.End && strings.ContainsAny(text, " \t\n=`") {
			return `"` + text + `"`
		}
	}
	return text
}

// Apply returns text with edits applied, which must not overlap.
func Apply(text string, edits []Edit) string {
	edits = slices.Clone(edits)
	slices.SortStableFunc(edits, func(a, b Edit) int { return a.At.Start - b.At.Start })
	var b strings.Builder
	end := 0
	for _, e := range edits {
		b.WriteString(text[end:e.At.Start])
		b.WriteString(e.With)
		end = e.At.End
	}
	b.WriteString(text[end:])
	return b.String()
}
