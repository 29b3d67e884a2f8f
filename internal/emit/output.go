// Package emit represents the files that a build produces: their names, their
// owners, their compressed forms, and the whole set as a file system ([FS]). It
// does not write to disk.
package emit

import (
	"slices"
	"strings"

	"rinzel/internal/source"
)

// Kind is the kind of an output.
type Kind string

// The kinds of outputs, in listing order.
const (
	StyleKind      Kind = "style"
	MapKind        Kind = "map"
	ScriptKind     Kind = "script" // rewritten or generated; other scripts are assets
	PageKind       Kind = "page"
	AssetKind      Kind = "asset"
	ManifestKind   Kind = "manifest"
	CompressedKind Kind = "packed" // the compressed form of another output
)

// kindOrder is the listing order.
var kindOrder = []Kind{StyleKind, MapKind, ScriptKind, PageKind, AssetKind, ManifestKind, CompressedKind}

// Output is a file to be written.
type Output struct {
	Path string // relative to the output folder
	Kind Kind
	Data []byte
	Copy *source.Copy // source of a copy; nil if Data has the contents
	From source.Path  // source file of scripts and assets
	Was  int64        // its size in bytes, if steps changed it; otherwise 0
	// Owner is the reference that requires the output, for conflicts.
	Owner source.Span
	// Adopts is the name of the variable with the constructed sheet, in a module
	// of the build that adds one to the page; otherwise empty.
	Adopts string
}

// Size returns the size of the file in bytes.
func (o *Output) Size() int64 {
	if o.Copy != nil {
		return o.Copy.Size
	}
	return int64(len(o.Data))
}

// Content returns the contents of the file. The error is that a copied file
// cannot be read, or changed since it was hashed.
func (o *Output) Content() ([]byte, error) {
	if o.Copy != nil {
		return o.Copy.Read()
	}
	return o.Data, nil
}

// Same reports whether two outputs have the same contents.
func (o *Output) Same(other *Output) bool {
	if o.Copy != nil && other.Copy != nil {
		return o.Copy.Sum == other.Copy.Sum
	}
	return o.Copy == nil && other.Copy == nil && string(o.Data) == string(other.Data)
}

// Sort sorts outputs by kind, then by path.
func Sort(outputs []Output) {
	slices.SortStableFunc(outputs, func(a, b Output) int {
		if d := slices.Index(kindOrder, a.Kind) - slices.Index(kindOrder, b.Kind); d != 0 {
			return d
		}
		return strings.Compare(a.Path, b.Path)
	})
}

// Files returns the outputs as files to be published.
func Files(outputs []Output) []source.OutFile {
	files := make([]source.OutFile, len(outputs))
	for i, o := range outputs {
		files[i] = source.OutFile{Path: o.Path, Data: o.Data, Copy: o.Copy}
	}
	return files
}
