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

// index has the files that builds read or looked for, and their folders.
type index struct {
	files, folders, opened map[source.Path]bool
	listing                *source.Listing // files of the source folder that belong to the project
	exclude                []project.Glob
}

// known returns the index of all builds of the project so far.
func (s *Session) known() *index {
	if s.index != nil {
		return s.index
	}
	x := &index{
		files: make(map[source.Path]bool), folders: make(map[source.Path]bool), opened: make(map[source.Path]bool),
		listing: s.cache.Files().List(""), exclude: s.project.Settings.Excludes(),
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

// add adds a file and its folder.
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

// find reports whether a path is a file that was read or looked for, and
// whether it is a folder that contains such files.
func (x *index) find(p source.Path) (file, folder bool) { return x.files[p], x.folders[p] }

// isUnread reports whether the contents of a file are irrelevant for builds:
// nothing was read from it, and it existed before or does not belong to the
// project.
func (x *index) isUnread(p source.Path) bool {
	return !x.opened[p] && (x.listing.Has(p) || project.AnyMatches(x.exclude, p))
}

// foldersByRoot returns the absolute paths of the source folder and the roots
// by root name.
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

// pathsIn returns the paths of a file in folders, which are by root name.
func pathsIn(folders map[string]string, name string) (paths []source.Path) {
	for root, dir := range folders {
		if rel, err := filepath.Rel(dir, name); err == nil && filepath.IsLocal(rel) {
			paths = append(paths, source.Path{Root: root, Name: filepath.ToSlash(rel)})
		}
	}
	return paths
}

// settingsFiles returns the absolute paths of the settings file of a project, and of
// those that it extends. named is the requested file; empty for the default.
func settingsFiles(p *project.Project, named string) ([]string, error) {
	var out []string
	for _, name := range append([]string{cmp.Or(named, p.Settings.File, project.FileName)}, p.Settings.Extends...) {
		abs, err := filepath.Abs(name)
		if err != nil {
			return nil, err
		}
		out = append(out, abs)
	}
	return out, nil
}
