package source

import (
	"slices"
	"sync"
)

// Listing is the files of the source folder that belong to the project, or
// those of a root, in lexical order of their paths. It is immutable: a tree
// returns the same listing as long as the files are the same.
type Listing struct {
	Files []Path
	// Failed lists the folders that could not be read; their files are missing
	// in Files.
	Failed []FolderError

	known map[Path]bool
}

// FolderError is the error of reading a folder.
type FolderError struct {
	Path Path
	Err  error
}

// Has reports whether a file is in the listing.
func (l *Listing) Has(p Path) bool { return l.known[p] }

// lister lists files, and remembers the last listing.
type lister struct {
	enter  func(dir string) bool // of the source folder; nil enters all
	omit   func(Path) bool       // of the source folder; nil omits none
	mu     sync.Mutex
	byRoot map[string]*listed
}

// listed is a listing of a root.
type listed struct {
	last  *Listing
	stale bool // files were created or deleted since
}

// ListBy sets which files of the source folder [Tree.List] returns: those in
// folders accepted by enter, except those accepted by omit. It must be called
// before the first listing; by default all files are listed.
func (t *Tree) ListBy(enter func(dir string) bool, omit func(Path) bool) {
	t.lister.enter, t.lister.omit = enter, omit
}

// List returns the files of the source folder, or all files of a root. The disk
// is only read again after [Tree.Forget] was called for a file that was created
// or deleted, or if a folder could not be read.
func (t *Tree) List(root string) *Listing {
	l := &t.lister
	l.mu.Lock()
	defer l.mu.Unlock()
	if l.byRoot == nil {
		l.byRoot = make(map[string]*listed)
	}
	of := l.byRoot[root]
	if of == nil {
		of = new(listed)
		l.byRoot[root] = of
	}
	if of.last != nil && !of.stale {
		return of.last
	}
	fresh := t.listRoot(root)
	if of.last == nil || len(fresh.Failed)+len(of.last.Failed) > 0 || !slices.Equal(fresh.Files, of.last.Files) {
		of.last = fresh
	}
	of.stale = false
	return of.last
}

// listRoot reads the files of a root from disk.
func (t *Tree) listRoot(root string) *Listing {
	out := &Listing{known: make(map[Path]bool)}
	enter := func(dir string) bool { return root != "" || t.lister.enter == nil || t.lister.enter(dir) }
	omitted := func(p Path) bool { return root == "" && t.lister.omit != nil && t.lister.omit(p) }
	t.Walk(root, enter, func(p Path) {
		if !omitted(p) {
			out.Files = append(out.Files, p)
			out.known[p] = true
		}
	}, func(p Path, err error) {
		if !omitted(p) {
			out.Failed = append(out.Failed, FolderError{p, err})
		}
	})
	return out
}

// staleListing marks listings that a change of a file may affect.
func (t *Tree) staleListing(p Path) {
	of := t.lister.byRoot[p.Root]
	if of != nil && of.last != nil && (len(of.last.Failed) > 0 || of.last.Has(p) != t.exists(p)) {
		of.stale = true
	}
}
