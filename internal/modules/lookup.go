package modules

import (
	"regexp"
	"slices"
	"strings"

	"rinzel/internal/graph"
	"rinzel/internal/inventory"
	"rinzel/internal/source"
)

// This file finds scripts that look for the style links of a page: by their number, media, title or
// address. On such a page each link stays one, where it is.

// lookUps are the ways in which scripts look for style links, in their text.
var lookUps = regexp.MustCompile(`\bstyleSheets\s*(?:\[|\.item\s*\()|\blink\[\s*(?:href|media|title)|getElementsByTagName(?:NS)?\(\s*["']link["']\s*\)|link\[rel[^\]]*\]\s*["']?\s*\)\s*\[`)

// addressLookUps are those by address, with the address as a part.
var addressLookUps = regexp.MustCompile(`\blink(?:\[[^\]]*\])*\[\s*href\s*[*^$~|]?=\s*\\?["']?([^"'\]\\]+)`)

// LookUp is what a script of a page looks for.
type LookUp struct {
	At        source.Span
	addresses []string // of links, or parts of them
}

// Equal reports whether two scripts look for the same in the same way; nil stands for one that looks for nothing.
func (f *LookUp) Equal(o *LookUp) bool {
	if f == nil || o == nil {
		return f == o
	}
	return f.At == o.At && slices.Equal(f.addresses, o.addresses)
}

// ByAddress reports whether a script looks for a link by its address.
func (f *LookUp) ByAddress(l graph.Link) bool {
	return f != nil && slices.ContainsFunc(f.addresses, func(address string) bool { return strings.Contains(l.Href.Address, address) })
}

// look notes what a script looks for that stands at an offset of a file.
func (f *LookUp) look(file *source.File, text string, offset int) {
	for _, m := range addressLookUps.FindAllStringSubmatch(text, -1) {
		f.addresses = append(f.addresses, m[1])
	}
	if at := lookUps.FindStringIndex(text); at != nil && !f.At.IsValid() {
		f.At = file.Pos(offset + at[0]).To(uint32(offset + at[1]))
	}
}

// lookUps notes what the scripts of a page look for among its links. Libraries of scripts look for
// links of their own. Sheets that they look for by address keep their addresses.
func (r *run) lookUps(p *graph.Page) {
	found := new(LookUp)
	for _, s := range p.Scripts {
		if s.Text.End > 0 {
			found.look(p.File, p.File.Text[s.Text.Start:s.Text.End], s.Text.Start)
		}
	}
	const most = 200_000 // bytes of a script that a site has written for its pages
	for _, f := range r.program.Files {
		if !inventory.IsScript(f.Path.Name) {
			continue
		}
		if text, err := r.Files.Text(f.Path); err == nil && len(text.Text) <= most {
			found.look(text, text.Text, 0)
		}
	}
	if !found.At.IsValid() {
		return
	}
	r.program.LookUp = found
	for _, g := range p.Groups {
		for _, l := range g.Links {
			if t := r.Files.ResolveIn(p, l.Href); found.ByAddress(l) && t.Kind == graph.Local && r.Files.Exists(t.Path) {
				r.uses(t.Path, p.Place(l.Href))
			}
		}
	}
}
