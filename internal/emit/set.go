package emit

import (
	"fmt"
	"slices"
	"strings"

	"rinzel/internal/diag"
	"rinzel/internal/diag/code"
	"rinzel/internal/inventory"
	"rinzel/internal/source"
)

// Set collects the outputs of a build and ensures that each has a single owner.
type Set struct {
	Files  *inventory.Inventory
	Report func(...diag.Diagnostic)
	// Rewritten has the files that are not copied unchanged: scripts that
	// import sheets, and their maps.
	Rewritten map[source.Path][]byte
	// Was has the sizes of those that steps changed, before, in bytes.
	Was map[source.Path]int64
	// Others are those that are no scripts.
	Others map[source.Path]bool

	list   []Output
	owners map[string]int // index in list, by the path in lower case
}

// Asset is a file to copy for a page or sheet.
type Asset struct {
	Path source.Path
	Name string      // output path
	At   source.Span // the reference
}

// Add adds an output. Paths that only differ in case are the same file on many
// systems, so they conflict on all.
func (s *Set) Add(o Output) {
	key := strings.ToLower(o.Path)
	if i, ok := s.owners[key]; ok {
		if o.Kind == MapKind {
			return // already reported for its sheet
		}
		s.Report(diag.Diagnostic{Code: code.OutputConflict, Severity: diag.Error, Span: o.Owner,
			Message: fmt.Sprintf("two output files have the same path %q", o.Path),
			Related: []diag.Related{{Span: s.list[i].Owner, Message: "the other one is made from this"}},
			Fix:     "rename one of the two source files"})
		return
	}
	if s.owners == nil {
		s.owners = make(map[string]int)
	}
	s.owners[key] = len(s.list)
	s.list = append(s.list, o)
}

// AddAsset adds a copy of a file, once. It reports if the file cannot be read.
func (s *Set) AddAsset(a Asset) {
	if i, ok := s.owners[strings.ToLower(a.Name)]; ok && s.list[i].From == a.Path {
		return
	}
	if data, ok := s.Rewritten[a.Path]; ok {
		kind := ScriptKind
		if s.Others[a.Path] {
			kind = AssetKind
		}
		s.Add(Output{Path: a.Name, Kind: kind, Data: data, Owner: a.At, From: a.Path, Was: s.Was[a.Path]})
		return
	}
	file, err := s.Files.Copy(a.Path)
	if err != nil {
		s.Report(s.Files.Unreadable(a.Path, err, a.At))
		return
	}
	s.Add(Output{Path: a.Name, Kind: AssetKind, Copy: file, Owner: a.At, From: a.Path})
}

// Copies returns the outputs that are copies of files. They may be modified until
// others are added.
func (s *Set) Copies() []*Output {
	var out []*Output
	for i := range s.list {
		if s.list[i].Copy != nil {
			out = append(out, &s.list[i])
		}
	}
	return out
}

// Find returns the output with a path, which may be modified; nil if there is
// none.
func (s *Set) Find(path string) *Output {
	if i, ok := s.owners[strings.ToLower(path)]; ok {
		return &s.list[i]
	}
	return nil
}

// Copied returns the source files that are copied or rewritten.
func (s *Set) Copied() map[source.Path]bool {
	copied := make(map[source.Path]bool)
	for _, o := range s.list {
		copied[o.From] = true
	}
	return copied
}

// Sorted returns all outputs in listing order.
func (s *Set) Sorted() []Output {
	out := slices.Clone(s.list)
	Sort(out)
	return out
}
