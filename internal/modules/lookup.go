package modules

import (
	"regexp"
	"slices"
	"strings"

	"rinzel/internal/graph"
	"rinzel/internal/inventory"
	"rinzel/internal/source"
)

// This file detects scripts that look for the style links of their page, by
// number, media, title or URL. The links of such a page are not merged.

// lookUps matches the ways in which scripts look for style links.
var lookUps = regexp.MustCompile(`\bstyleSheets\s*(?:\[|\.item\s*\()|\blink\[\s*(?:href|media|title)|getElementsByTagName(?:NS)?\(\s*["']link["']\s*\)|link\[rel[^\]]*\]\s*["']?\s*\)\s*\[`)

// addressLookUps matches those by URL, and captures the URL.
var addressLookUps = regexp.MustCompile(`\blink(?:\[[^\]]*\])*\[\s*href\s*[*^$~|]?=\s*\\?["']?([^"'\]\\]+)`)

// LookUp describes what the scripts of a page look for.
type LookUp struct {
	At        source.Span
	addresses []string // URLs of links, or parts of them
}

// Equal reports whether two are equal; nil means that scripts look for nothing.
func (f *LookUp) Equal(o *LookUp) bool {
	if f == nil || o == nil {
		return f == o
	}
	return f.At == o.At && slices.Equal(f.addresses, o.addresses)
}

// ByAddress reports whether a script looks for a link by its URL.
func (f *LookUp) ByAddress(l graph.Link) bool {
	return f != nil && slices.ContainsFunc(f.addresses,
		func(address string) bool { return strings.Contains(l.Href.Address, address) })
}

// look records what a script at an offset of a file looks for.
func (f *LookUp) look(file *source.File, text string, offset int) {
	if !strings.Contains(text, "link") && !strings.Contains(text, "styleSheets") {
		return // much faster than the expressions
	}
	for _, m := range addressLookUps.FindAllStringSubmatch(text, -1) {
		f.addresses = append(f.addresses, m[1])
	}
	if at := lookUps.FindStringIndex(text); at != nil && !f.At.IsValid() {
		f.At = file.Pos(offset + at[0]).To(uint32(offset + at[1]))
	}
}

// add records what another script looks for.
func (f *LookUp) add(o *LookUp) {
	f.addresses = append(f.addresses, o.addresses...)
	if !f.At.IsValid() {
		f.At = o.At
	}
}

// lookUpsOf returns what a script file looks for. Pages share scripts, so that is
// determined once for each file.
func (r *run) lookUpsOf(file *source.File) *LookUp {
	if known, ok := r.looked.Load(file); ok {
		return known.(*LookUp)
	}
	found := new(LookUp)
	found.look(file, file.Text, 0)
	r.looked.Store(file, found)
	return found
}

// lookUps records what the scripts of a page look for among its links. Script
// libraries look for their own links only. Sheets that scripts look for by URL
// keep their URLs.
func (r *run) lookUps(p *graph.Page) {
	found := new(LookUp)
	for _, s := range p.Scripts {
		if s.Text.End > 0 {
			found.look(p.File, p.File.Text[s.Text.Start:s.Text.End], s.Text.Start)
		}
	}
	const most = 200_000 // size of a script that is specific to the site, in bytes
	for _, f := range r.program.Files {
		if !inventory.IsScript(f.Path.Name) {
			continue
		}
		if text, err := r.Files.Text(f.Path); err == nil && len(text.Text) <= most {
			found.add(r.lookUpsOf(text))
		}
	}
	if !found.At.IsValid() {
		return
	}
	r.program.LookUp = found
	for _, g := range p.Groups {
		for _, l := range g.Links {
			if t := r.Files.ResolveIn(p, l.Href); found.ByAddress(l) && t.Kind == graph.Local && r.Files.Exists(t.Path) {
				r.uses(t.Path, p.Position(l.Href))
			}
		}
	}
}
