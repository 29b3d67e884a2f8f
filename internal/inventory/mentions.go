package inventory

import (
	"slices"
	"strings"

	"rinzel/internal/cache"
	"rinzel/internal/graph"
	"rinzel/internal/source"
)

// This file finds file names in texts: a script that builds a URL from a name,
// or an image that contains another one, relies on that name.

// mentioning are the extensions of files, in addition to pages, that may refer
// to others by URLs that are not rewritten.
var mentioning = []string{".js", ".mjs", ".cjs", ".json", ".webmanifest", ".svg", ".xml", ".txt", ".md"}

// Names is a set of file names without folders.
type Names map[string]bool

// Has reports whether a name is in the set, ignoring case.
func (n Names) Has(name string) bool { return n[strings.ToLower(name)] }

// Mentioned returns possible file names in the texts of the source folder. URLs
// in pages that are rewritten do not count.
func (i *Inventory) Mentioned() Names {
	return i.mentioned.Get(i.Reader, struct{}{}, nil, func(r *cache.Reads) (Names, bool) {
		all := make(Names)
		for _, p := range r.List("").Files {
			if !IsPage(p.Name) && !hasExt(p.Name, mentioning...) {
				continue
			}
			f, err := r.Text(p)
			if err != nil {
				continue // it is copied unchanged
			}
			for _, name := range i.names.Get(f, func() []string { return i.namesIn(f) }) {
				all[name] = true
			}
		}
		return all, true
	})
}

// namesIn returns the possible file names in a text, in lower case, without
// duplicates.
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

// notRewritten returns the text of a page without the URLs that are rewritten.
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

// endsFileName reports whether a character ends a file name in a URL.
func endsFileName(c rune) bool {
	return c <= ' ' || strings.ContainsRune("/\\\"'`()<>[]{},;:=?#&|!*+$", c)
}
