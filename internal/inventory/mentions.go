package inventory

import (
	"slices"
	"strings"

	"rinzel/internal/cache"
	"rinzel/internal/graph"
	"rinzel/internal/source"
)

// This file finds names of files in texts: a script that makes an address of a name, or an image with another in it, counts on
// that name.

// mentioning are the extensions of files, beside pages, that may name others by addresses that are not rewritten.
var mentioning = []string{".js", ".mjs", ".cjs", ".json", ".webmanifest", ".svg", ".xml", ".txt", ".md"}

// Names is a set of names of files, without their folders.
type Names map[string]bool

// Has reports whether a name is in the set, in upper or lower case.
func (n Names) Has(name string) bool { return n[strings.ToLower(name)] }

// Mentioned returns what may be names of files in the texts of the source folder. The addresses in pages that are rewritten do
// not count.
func (i *Inventory) Mentioned() Names {
	return i.mentioned.Get(i.Reader, struct{}{}, nil, func(r *cache.Reads) (Names, bool) {
		all := make(Names)
		for _, p := range r.List("").Files {
			if !IsPage(p.Name) && !hasExt(p.Name, mentioning...) {
				continue
			}
			f, err := r.Text(p)
			if err != nil {
				continue // it is copied as it is
			}
			for _, name := range i.names.Get(f, func() []string { return i.namesIn(f) }) {
				all[name] = true
			}
		}
		return all, true
	})
}

// namesIn returns what may be names of files in a text, in lower case, each once.
func (i *Inventory) namesIn(f *source.File) []string {
	text := f.Text
	if IsPage(f.Path.Name) {
		text = notRewritten(i.Page(f))
	}
	var out []string
	for _, word := range strings.FieldsFunc(text, endsFileName) {
		if strings.Contains(word, ".") {
			out = append(out, strings.ToLower(word))
		}
	}
	slices.Sort(out)
	return slices.Clip(slices.Compact(out))
}

// notRewritten returns the text of a page without the addresses that are rewritten.
func notRewritten(p *graph.Page) string {
	var edits []graph.Edit
	cut := func(at graph.Span) { edits = append(edits, graph.Edit{At: at, With: " "}) }
	for _, r := range p.Refs {
		if !r.Fixed {
			cut(r.At)
		}
	}
	for _, g := range p.Groups {
		for _, l := range g.Links {
			cut(l.Href.At)
		}
	}
	for _, at := range p.Styles {
		cut(at)
	}
	return graph.Apply(p.File.Text, edits)
}

// endsFileName reports whether a character ends the name of a file in an address.
func endsFileName(c rune) bool {
	return c <= ' ' || strings.ContainsRune("/\\\"'`()<>[]{},;:=?#&|!*+$", c)
}
