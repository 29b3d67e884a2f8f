package session

import (
	"cmp"
	"maps"
	"path"
	"path/filepath"
	"slices"

	"rinzel/internal/project"
	"rinzel/internal/source"
)

// index is the files that builds read or looked for, and the folders that hold them.
type index struct {
	files, folders, opened map[source.Path]bool
	listing                *source.Listing // the files of the source folder that belong to the project
	exclude                []project.Glob
}

// known returns what the builds of the project so far read or looked for.
func (s *Session) known() *index {
	if s.index != nil {
		return s.index
	}
	x := &index{
		files: make(map[source.Path]bool), folders: make(map[source.Path]bool), opened: make(map[source.Path]bool),
		listing: s.cache.Files().List(""), exclude: s.project.Settings.Exclude,
	}
	for _, p := range x.listing.Files {
		x.add(p)
	}
	s.project.Tree.Opened(func(p source.Path, _ error) {
		x.add(p)
		x.opened[p] = true
	})
	s.index = x
	return x
}

func (x *index) add(p source.Path) {
	x.files[p] = true
	for dir := path.Dir(p.Name); dir != "." && dir != "/"; dir = path.Dir(dir) {
		folder := source.Path{Root: p.Root, Name: dir}
		if x.folders[folder] {
			break
		}
		x.folders[folder] = true
	}
}

// find tells whether a path is that of a file that was read or looked for, and whether
// it is that of a folder which held some.
func (x *index) find(p source.Path) (file, folder bool) { return x.files[p], x.folders[p] }

// isUnread reports whether a path is that of a file of which nothing was read, and which was there before or is no part of the
// project: whatever it holds, a build makes the same.
func (x *index) isUnread(p source.Path) bool {
	return !x.opened[p] && (x.listing.Has(p) || project.AnyMatches(x.exclude, p))
}

// foldersByRoot returns the absolute paths of the source folder and the roots, by the names of these.
func foldersByRoot(p *project.Project) map[string]string {
	out := make(map[string]string)
	add := func(root, dir string) {
		if abs, err := filepath.Abs(dir); err == nil {
			out[root] = abs
		}
	}
	add("", p.SourceDir())
	dirs := p.RootDirs()
	for i, root := range slices.Sorted(maps.Keys(p.Settings.Roots)) {
		add(root, dirs[i])
	}
	return out
}

// pathsIn returns the paths that folders give a file. They are by the names of their roots.
func pathsIn(folders map[string]string, name string) (paths []source.Path) {
	for root, dir := range folders {
		if rel, err := filepath.Rel(dir, name); err == nil && filepath.IsLocal(rel) {
			paths = append(paths, source.Path{Root: root, Name: filepath.ToSlash(rel)})
		}
	}
	return paths
}

// settingsFile returns the absolute path of the settings of a project. named is the file that was asked for; empty for none.
func settingsFile(p *project.Project, named string) (string, error) {
	return filepath.Abs(cmp.Or(named, p.Settings.File, project.FileName))
}
