package source

import (
	"io/fs"
	"path"
	"slices"
	"strings"
)

// Spelling returns the path of a file with the case used on disk, and whether
// it differs from p. It only differs on case-insensitive file systems:
// elsewhere a path in another case does not exist. The answer is not cached.
func (t *Tree) Spelling(p Path) (spelled Path, differs bool) {
	folder, ok := t.folders[p.Root]
	if !ok || !fs.ValidPath(p.Name) || !t.ignoresCase(folder, p.Name) {
		return p, false
	}
	dir := "."
	for _, part := range strings.Split(p.Name, "/") {
		entries, err := fs.ReadDir(folder.FS, dir)
		if err != nil {
			return p, false
		}
		i := slices.IndexFunc(entries, func(e fs.DirEntry) bool { return e.Name() == part })
		if i < 0 {
			i = slices.IndexFunc(entries, func(e fs.DirEntry) bool { return strings.EqualFold(e.Name(), part) })
		}
		if i < 0 {
			return p, false
		}
		dir = path.Join(dir, entries[i].Name())
	}
	return Path{Root: p.Root, Name: dir}, dir != p.Name
}

// ignoresCase reports whether a folder is case-insensitive. The answer is
// cached.
func (t *Tree) ignoresCase(f Folder, name string) bool {
	if known, ok := t.caseless.Load(f.Name); ok {
		return known.(bool)
	}
	other := strings.ToUpper(name)
	if other == name {
		other = strings.ToLower(name)
	}
	if other == name {
		return false // a name without letters cannot tell
	}
	_, err := fs.Stat(f.FS, other)
	ignores := err == nil && t.exists(Path{Root: f.Name, Name: name})
	t.caseless.Store(f.Name, ignores)
	return ignores
}
