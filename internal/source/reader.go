package source

// Reader answers questions about the files of a project. A [Tree] does so from the disk; the package cache puts a recorder in
// front of one, so that a result is known to depend on what was read for it.
type Reader interface {
	// Text returns a text file, as [Tree.Text] does.
	Text(p Path) (*File, error)
	// Exists reports whether a path is that of a file that can be opened.
	Exists(p Path) bool
	// Copy returns the size and hash of a file, as [Tree.Copy] does.
	Copy(p Path) (*Copy, error)
	// Siblings returns the names in the folder of a path, as [Tree.Siblings] does.
	Siblings(p Path) []string
	// Head returns the first bytes of a file, as [Tree.Head] does.
	Head(p Path) string
	// List returns the files of the source folder or of a root, as [Tree.List] does.
	List(root string) *Listing
	// HasRoot reports whether there is a root of that name.
	HasRoot(name string) bool
	// Roots returns the names of all roots, sorted.
	Roots() []string
	// Show returns the path as people are shown it, relative to the working folder.
	Show(p Path) string
}

var _ Reader = (*Tree)(nil)
