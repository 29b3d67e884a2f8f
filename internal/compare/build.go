// Package compare compares the styles of two builds, or two sheets: their sizes,
// what they declare, and whether they mean the same.
package compare

import (
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"path"
	"regexp"
	"slices"
	"strings"

	"rinzel/internal/emit"
	"rinzel/internal/project"
	"rinzel/internal/source"
)

// Build is the styles of one build.
type Build struct {
	Sheets []*Sheet            // ordered by name
	Pages  map[string][]*Sheet // the sheets that each page loads; nil if that is not known
	single bool                // it is one sheet, whatever its name
}

// Sheet is one sheet of a build.
type Sheet struct {
	Name string       // path without the hash of the content
	File *source.File // nil if only its size is known
	Size Size
	hash string // of the content; empty if it is not known
}

// Size is the size of a sheet, or of the sheets of a page, in bytes, without
// links to source maps.
type Size struct {
	Bytes int
	// Gzip and Brotli are the sizes after compression; 0 if the text is not
	// known.
	Gzip, Brotli int
}

// plus returns the sum of two sizes.
func (s Size) plus(o Size) Size { return Size{s.Bytes + o.Bytes, s.Gzip + o.Gzip, s.Brotli + o.Brotli} }

// ReadSheet reads a sheet as a build of one sheet.
func ReadSheet(tree *source.Tree, p source.Path) (*Build, error) {
	s, err := readSheet(tree, p, p.Name)
	if err != nil {
		return nil, err
	}
	return &Build{Sheets: []*Sheet{s}, single: true}, nil
}

// readSheet reads a sheet and measures it.
func readSheet(tree *source.Tree, p source.Path, name string) (*Sheet, error) {
	f, err := tree.Text(p)
	if err != nil {
		return nil, err
	}
	data := []byte(mapLink.ReplaceAllString(f.Text, "\n"))
	return &Sheet{Name: name, File: f, Size: Size{len(data), emit.PackedSize(data, project.Gzip),
		emit.PackedSize(data, project.Brotli)}}, nil
}

// mapLink matches the link to a source map at the end of a sheet (ECMA-426,
// section 11.2.2), which only developer tools read.
var mapLink = regexp.MustCompile(`\n?/\*# sourceMappingURL=[^*]*\*/\s*$`)

// ErrNoSheets means that a folder has no sheets.
var ErrNoSheets = errors.New("no sheets in this folder")

// ReadFolder reads the sheets of an output folder, given by its root in the tree:
// those that its bundles.json lists, or all, if it has none.
func ReadFolder(tree *source.Tree, root string) (*Build, error) {
	manifest := source.Path{Root: root, Name: emit.ManifestName}
	if tree.Exists(manifest) {
		return ReadManifest(tree, manifest)
	}
	b := &Build{}
	var failed error
	tree.Walk(root, func(string) bool { return true }, func(p source.Path) {
		if strings.HasSuffix(p.Name, ".css") && failed == nil {
			var s *Sheet
			if s, failed = readSheet(tree, p, emit.UnhashedName(p.Name)); failed == nil {
				b.Sheets = append(b.Sheets, s)
			}
		}
	}, func(_ source.Path, err error) { failed = err })
	if failed == nil && len(b.Sheets) == 0 {
		failed = ErrNoSheets
	}
	b.sort()
	return b, failed
}

// ReadManifest reads a bundles.json, and the sheets that it lists. Of sheets that
// do not exist any more only the size is known.
func ReadManifest(tree *source.Tree, p source.Path) (*Build, error) {
	f, err := tree.Text(p)
	if err != nil {
		return nil, err
	}
	var manifest struct {
		Files map[string]struct {
			Path, Integrity string
			Bytes           int
			Pages           []string
		}
	}
	if err := json.Unmarshal([]byte(f.Text), &manifest); err != nil || manifest.Files == nil {
		return nil, fmt.Errorf("%s is not a list of bundles that a build wrote", f.Name)
	}
	b := &Build{Pages: make(map[string][]*Sheet)}
	for name, listed := range manifest.Files {
		at := source.Path{Root: p.Root, Name: path.Join(path.Dir(p.Name), listed.Path)}
		s := &Sheet{Name: name, Size: Size{Bytes: listed.Bytes}}
		if fs.ValidPath(at.Name) {
			switch read, err := readSheet(tree, at, name); {
			case err == nil && emit.Integrity([]byte(read.File.Text)) == listed.Integrity:
				s = read
			case err != nil && !errors.Is(err, fs.ErrNotExist):
				return nil, err
			}
		}
		s.hash = listed.Integrity
		b.Sheets = append(b.Sheets, s)
		for _, page := range listed.Pages {
			b.Pages[page] = append(b.Pages[page], s)
		}
	}
	b.sort()
	return b, nil
}

// sort orders the sheets.
func (b *Build) sort() {
	slices.SortFunc(b.Sheets, func(a, b *Sheet) int { return strings.Compare(a.Name, b.Name) })
}
