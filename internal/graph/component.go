package graph

import (
	"cmp"
	"slices"
	"strings"

	"rinzel/internal/markup"
	"rinzel/internal/source"
)

// Component is a component file: markup, script and style blocks in one file.
type Component struct {
	File   *source.File
	Styles []StyleBlock
	// Script has the imports and literals of all script blocks together.
	Script *ScriptFile
	// ScriptEnd is where the code of its last script block ends; -1 if it has no such
	// block.
	ScriptEnd int
}

// StyleBlock is a style element of a component.
type StyleBlock struct {
	Whole    Span   // from the start tag to the end tag
	Text     Span   // the sheet
	Language string // as the element names it, in lower case; "css" if it names none
	// Named is the attribute that names the language; empty if there is none.
	Named Span
	// Special is set if the element has other attributes: they mean something to
	// what compiles the component.
	Special bool
}

// StyleTexts returns where the texts of its style blocks are.
func (c *Component) StyleTexts() (out []Span) {
	for _, b := range c.Styles {
		out = append(out, b.Text)
	}
	return out
}

// void are the elements without an end tag (HTML, section 13.1.2).
var void = []string{"area", "base", "br", "col", "embed", "hr", "img", "input", "link", "meta", "source", "track", "wbr"}

// optionalEnd are the elements whose end tag may be missing (HTML, section 13.1.2.4): in a
// component, they are taken for empty.
var optionalEnd = []string{"li", "dt", "dd", "p", "rt", "rp", "optgroup", "option", "colgroup", "caption", "thead", "tbody", "tfoot",
	"tr", "td", "th"}

// ReadComponent finds the blocks of a component: its script and style elements that
// are not inside of other elements.
func ReadComponent(f *source.File) *Component {
	r := componentReader{file: f, out: &Component{File: f, Script: &ScriptFile{File: f}, ScriptEnd: -1}}
	for t := range markup.Tokens(f.Text, Span{Start: 0, End: len(f.Text)}) {
		switch t.Kind {
		case markup.StartTag:
			r.start(markup.Name(f.Text, t.At), t.At)
		case markup.Text:
			if r.block != "" {
				r.text = t.At
			}
		case markup.EndTag:
			r.end(markup.Name(f.Text, t.At), t.At)
		}
	}
	return r.out
}

// componentReader reads a component.
type componentReader struct {
	file  *source.File
	out   *Component
	open  []string // names of the open elements
	block string   // name of the open block; empty outside of blocks
	tag   Span     // its start tag
	text  Span     // its text
}

// start enters an element.
func (r *componentReader) start(name string, tag Span) {
	if name == "script" || name == "style" {
		if r.block == "" && len(r.open) == 0 {
			r.block, r.tag, r.text = name, tag, Span{Start: tag.End, End: tag.End}
		}
		return
	}
	closed := strings.HasSuffix(r.file.Text[tag.Start:tag.End], "/>")
	if !closed && !slices.Contains(void, name) && !slices.Contains(optionalEnd, name) {
		r.open = append(r.open, name)
	}
}

// end leaves an element, and those in it that have no end tag.
func (r *componentReader) end(name string, tag Span) {
	switch {
	case name == r.block:
		whole := Span{Start: r.tag.Start, End: tag.End}
		if name == "style" {
			r.out.Styles = append(r.out.Styles, r.style(whole))
		} else {
			r.script()
		}
		r.block = ""
	case name != "script" && name != "style":
		for i := len(r.open) - 1; i >= 0; i-- {
			if r.open[i] == name {
				r.open = r.open[:i]
				break
			}
		}
	}
}

// style returns the style block that was read.
func (r *componentReader) style(whole Span) StyleBlock {
	out := StyleBlock{Whole: whole, Text: r.text, Language: "css"}
	for _, a := range markup.Attributes(r.file.Text, r.tag) {
		if a.Name != "type" && a.Name != "lang" || out.Named.End > 0 {
			out.Special = true
			continue
		}
		name := strings.TrimPrefix(strings.ToLower(strings.TrimSpace(a.Value)), "text/")
		out.Language, out.Named = cmp.Or(name, "css"), a.Whole
	}
	return out
}

// script adds the script block that was read.
func (r *componentReader) script() {
	attrs := markup.Attributes(r.file.Text, r.tag)
	if markup.Find(attrs, "src") != nil {
		return
	}
	r.out.ScriptEnd = r.text.End
	read, all := ReadScript(r.file, r.text), r.out.Script
	all.Imports = append(all.Imports, read.Imports...)
	all.Paths = append(all.Paths, read.Paths...)
	all.Words = append(all.Words, read.Words...)
	all.Built = append(all.Built, read.Built...)
	all.Compiled = true
}
