package build

import (
	"path"
	"slices"
	"strings"
	"sync"

	"rinzel/internal/graph"
	"rinzel/internal/project"
	"rinzel/internal/source"
)

// This file names the files that are copied beside the pages: with a hash of
// their content where bundles have one and nothing can count on the plain name.

// asset is a file that a page or sheet needs beside it.
type asset struct {
	path source.Path
	name string      // in the output folder
	at   source.Span // what names it
}

// assetNames are the names of assets, worked out when they are first asked for.
type assetNames struct {
	once      sync.Once
	mentioned map[string]bool // names of files that text of the project mentions, in lower case
	names     sync.Map        // source.Path to string
}

// plainAssetName returns where an asset is copied to if its name has no hash.
func plainAssetName(p source.Path) string {
	if p.Root != "" {
		return "_" + p.Root + "/" + p.Name
	}
	return p.Name
}

// assetName returns where an asset is copied to for those who are told its address.
func (b *builder) assetName(p source.Path) string {
	if name, ok := b.assets.names.Load(p); ok {
		return name.(string)
	}
	name := plainAssetName(p)
	if b.profile.Names == project.HashedNames && !b.mentions(path.Base(p.Name)) {
		if data, err := b.project.Tree.Bytes(p); err == nil {
			name = hashedName(name, data)
		}
	}
	b.assets.names.Store(p, name)
	return name
}

// mentioning are the extensions of files that may name others, by addresses
// that are not rewritten.
var mentioning = []string{".js", ".mjs", ".cjs", ".json", ".webmanifest", ".svg", ".xml", ".txt", ".md"}

// mentions reports whether the text of a file of the source folder holds the
// name of a file: a script that makes an address of it, or an image with another
// in it, counts on that name.
func (b *builder) mentions(name string) bool {
	b.assets.once.Do(func() {
		b.assets.mentioned = make(map[string]bool)
		b.walk(func(p source.Path) {
			if !slices.Contains(mentioning, strings.ToLower(path.Ext(p.Name))) {
				return
			}
			f, err := b.project.Tree.Text(p)
			if err != nil {
				return // it is copied as it is
			}
			for _, word := range strings.FieldsFunc(f.Text, endsFileName) {
				if strings.Contains(word, ".") {
					b.assets.mentioned[strings.ToLower(word)] = true
				}
			}
		})
	})
	return b.assets.mentioned[strings.ToLower(name)]
}

// endsFileName reports whether a character ends the name of a file in an address.
func endsFileName(c rune) bool {
	return c <= ' ' || strings.ContainsRune("/\\\"'`()<>[]{},;:=?#&|!*+$", c)
}

// moved returns what gives the addresses in a bundle as they are written, and notes
// the files that they lead to. seen gives the address of an output file as it is seen
// from the bundle.
func (b *builder) moved(assets *[]asset, seen func(name string) string) func(urlUse) (string, bool) {
	return func(u urlUse) (string, bool) {
		to, ok := b.assetOf(u)
		if !ok {
			return "", false
		}
		name := b.assetName(to.Path)
		*assets = append(*assets, asset{to.Path, name, u.at})
		return seen(name) + to.Tail, true
	}
}

// moveAssets notes the files that a page names, and returns the edits that make
// it name them as they are written.
func (b *builder) moveAssets(res *pageResult) []graph.Edit {
	var edits []graph.Edit
	p := res.page
	for _, r := range p.Refs {
		t := b.resolve(p, r.Address)
		if t.Kind != graph.Local || !b.copyable(t.Path) {
			continue
		}
		a := asset{t.Path, plainAssetName(t.Path), refSpan(p, r)}
		if name := b.assetName(t.Path); !r.Fixed && name != a.name {
			a.name = name
			edits = append(edits, r.Move(b.addressOf(p, name)+t.Tail))
		}
		res.assets = append(res.assets, a)
	}
	return edits
}
