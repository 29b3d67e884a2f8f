// Package emit is about the files that a build writes: their names, that each has one owner, their compressed forms, and the
// outputs of a build as a file system. It writes nothing itself.
package emit

import (
	"slices"
	"strings"

	"rinzel/internal/source"
)

// Kind tells the kinds of outputs apart.
type Kind string

// The kinds of outputs, in the order in which they are listed.
const (
	StyleKind    Kind = "style"
	MapKind      Kind = "map"
	ScriptKind   Kind = "script" // that was changed or made; others are assets
	PageKind     Kind = "page"
	AssetKind    Kind = "asset"
	ManifestKind Kind = "manifest"
	PackedKind   Kind = "packed" // the compressed form of another
)

var kindOrder = []Kind{StyleKind, MapKind, ScriptKind, PageKind, AssetKind, ManifestKind, PackedKind}

// Output is a file to be written.
type Output struct {
	Path string // relative to the output folder
	Kind Kind
	Data []byte
	Copy *source.Copy // the file that it is a copy of; nil if Data is its content
	From source.Path  // the file that it is made from, of scripts and assets
	// Owner is what asks for the output, for when two do.
	Owner source.Span
}

// Size returns how many bytes the file has.
func (o *Output) Size() int64 {
	if o.Copy != nil {
		return o.Copy.Size
	}
	return int64(len(o.Data))
}

// Content returns the bytes of the file. The error is that a file which is copied cannot be read, or changed since it was hashed.
func (o *Output) Content() ([]byte, error) {
	if o.Copy != nil {
		return o.Copy.Read()
	}
	return o.Data, nil
}

// Same reports whether two outputs have the same content.
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
