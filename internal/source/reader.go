package source

// Reader answers questions about the files of a project. A [Tree] reads from
// disk; package cache wraps it in a recorder to determine what a result depends
// on.
type Reader interface {
	// Text returns a text file; see [Tree.Text].
	Text(p Path) (*File, error)
	// Exists reports whether a file exists and can be opened.
	Exists(p Path) bool
	// Copy returns the size and hash of a file; see [Tree.Copy].
	Copy(p Path) (*Copy, error)
	// Siblings returns the names in the folder of a path; see [Tree.Siblings].
	Siblings(p Path) []string
	// Head returns the first bytes of a file; see [Tree.Head].
	Head(p Path) string
	// List returns the files of the source folder or of a root; see
	// [Tree.List].
	List(root string) *Listing
	// HasRoot reports whether a root exists.
	HasRoot(name string) bool
	// Roots returns the names of all roots, sorted.
	Roots() []string
	// Show returns the path for display, relative to the working folder.
	Show(p Path) string
}

var _ Reader = (*Tree)(nil)
