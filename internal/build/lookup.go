package build

import (
	"regexp"
	"slices"
	"strings"

	"rinzel/internal/diag"
	"rinzel/internal/diag/code"
	"rinzel/internal/graph"
	"rinzel/internal/source"
)

// This file finds scripts that look for the style links of a page: by their number, media, title or
// address. On such a page each link stays one, where it is.

// lookUps are the ways in which scripts look for style links, in their text.
var lookUps = regexp.MustCompile(`\bstyleSheets\s*(?:\[|\.item\s*\()|\blink\[\s*(?:href|media|title)|getElementsByTagName(?:NS)?\(\s*["']link["']\s*\)|link\[rel[^\]]*\]\s*["']?\s*\)\s*\[`)

// addressLookUps are those by address, with the address as a part.
var addressLookUps = regexp.MustCompile(`\blink(?:\[[^\]]*\])*\[\s*href\s*[*^$~|]?=\s*\\?["']?([^"'\]\\]+)`)

// lookUp is what a script of a page looks for.
type lookUp struct {
	at        source.Span
	addresses []string // of links, or parts of them
}

// byAddress reports whether a script looks for a link by its address.
func (f *lookUp) byAddress(l graph.Link) bool {
	return f != nil && slices.ContainsFunc(f.addresses, func(address string) bool { return strings.Contains(l.Href.Address, address) })
}

// lookUps notes what the scripts of a page look for among its links. Libraries of scripts look for
// links of their own. Sheets that they look for by address keep their addresses.
func (r *run) lookUps(p *graph.Page) {
	found := new(lookUp)
	look := func(f *source.File, text string, offset int) {
		for _, m := range addressLookUps.FindAllStringSubmatch(text, -1) {
			found.addresses = append(found.addresses, m[1])
		}
		if at := lookUps.FindStringIndex(text); at != nil && !found.at.IsValid() {
			found.at = f.Pos(offset + at[0]).To(uint32(offset + at[1]))
		}
	}
	for _, s := range p.Scripts {
		if s.Text.End > 0 {
			look(p.File, p.File.Text[s.Text.Start:s.Text.End], s.Text.Start)
		}
	}
	const most = 200_000 // bytes of a script that a site has written for its pages
	for _, f := range r.program.files {
		if !isScript(f.path.Name) {
			continue
		}
		if text, err := r.b.project.Tree.Text(f.path); err == nil && len(text.Text) <= most {
			look(text, text.Text, 0)
		}
	}
	if !found.at.IsValid() {
		return
	}
	r.program.found = found
	for _, g := range p.Groups {
		for _, l := range g.Links {
			if t := r.b.resolveAt(p, l.Href); found.byAddress(l) && t.Kind == graph.Local && r.b.project.Tree.Exists(t.Path) {
				r.uses(t.Path, refSpan(p, l.Href))
			}
		}
	}
}

// keepApart has each link of a page be one, with its own media and in its place, if scripts look for it.
func (b *builder) keepApart(p *graph.Page, runs *program, groups []entryGroup) []entryGroup {
	links := 0
	for _, g := range groups {
		links += len(g.group.Links)
	}
	if runs.found == nil || links == 0 {
		return groups
	}
	b.report(diag.Diagnostic{Code: code.LinksApart, Severity: diag.Note, Span: runs.found.at, Cause: p.File.Path.String(),
		Message: "this script looks for style links of its page, so each of them stays one of its own"})
	var out []entryGroup
	for _, g := range groups {
		for i, l := range g.group.Links {
			out = append(out, entryGroup{group: graph.Group{Links: []graph.Link{l}}, entries: g.entries[i : i+1], at: refSpan(p, l.Href), apart: true})
		}
		if len(g.scripts) > 0 {
			out = append(out, entryGroup{scripts: g.scripts, at: g.at, apart: true})
		}
	}
	return out
}
