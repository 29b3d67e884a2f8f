package cli

import (
	"cmp"
	"errors"
	"fmt"
	"io/fs"
	"maps"
	"path/filepath"
	"slices"
	"strings"
	"syscall"

	"rinzel/internal/project"
	"rinzel/internal/source"
	"rinzel/internal/watch"
)

// This file has a watch be told of all that its builds read.

// cannotWatch words that folders cannot be watched.
func cannotWatch(err error) error {
	if errors.Is(err, syscall.ENOSPC) {
		return fmt.Errorf("cannot watch: the system watches no more folders (%w); leave folders out by exclude in rinzel.toml, or raise fs.inotify.max_user_watches", err)
	}
	return fmt.Errorf("cannot watch: %w", err)
}

// folders returns the source folder and the roots, by the names of these, with their
// absolute paths.
func (w *watching) folders() map[string]string {
	out := make(map[string]string)
	add := func(root, dir string) {
		if abs, err := filepath.Abs(dir); err == nil {
			out[root] = abs
		}
	}
	add("", w.project.SourceDir())
	dirs := w.project.RootDirs()
	for i, root := range slices.Sorted(maps.Keys(w.project.Settings.Roots)) {
		add(root, dirs[i])
	}
	return out
}

// follow watches the folders of a project, unless they are watched.
func (w *watching) follow(p *project.Project) error {
	const most = 10 // folders that come and go for ever are none to wait for
	for i := 0; ; i++ {
		folders, err := foldersOf(p, w.flags.settings)
		if err != nil {
			return err
		}
		var paths []string
		for _, f := range folders {
			paths = append(paths, filepath.Join(f.Path, f.Only))
		}
		if w.watcher != nil && slices.Equal(paths, w.paths) && !w.lost {
			return nil
		}
		watcher, err := watch.Start(folders)
		if errors.Is(err, fs.ErrNotExist) && i < most {
			continue // one went meanwhile
		}
		if err != nil {
			return cannotWatch(err)
		}
		if w.watcher != nil {
			_ = w.watcher.Close()
		}
		watcher.Attributes = w.rightsChanged
		w.watcher, w.paths, w.lost = watcher, paths, false
		w.single, w.above, w.awaited = make(map[string][]source.Path), make(map[string]bool), make(map[string]bool)
		if i == most {
			return nil
		}
		// A folder that came before the watch began is none of them: look again.
	}
}

// foldersOf returns what a build of a project reads: the source folder, the
// roots, and the settings file, by absolute paths. Those that are not there are
// left out; the settings may come to name others.
func foldersOf(p *project.Project, settings string) ([]watch.Folder, error) {
	var out []watch.Folder
	add := func(dir string, skip func(string) bool) error {
		abs, err := filepath.Abs(dir)
		// The folder itself may go, and come back: what is around it is watched first, so that nothing is missed.
		if parent := filepath.Dir(abs); err == nil && filepath.Clean(dir) != "." && source.IsFolder(parent) {
			out = append(out, watch.Folder{Path: parent, Only: filepath.Base(abs)})
		}
		if err == nil && source.IsFolder(abs) {
			out = append(out, watch.Folder{Path: abs, Skip: skip})
		}
		return err
	}
	skip := p.Skip()
	if err := add(p.SourceDir(), skip); err != nil {
		return nil, err
	}
	for _, dir := range p.RootDirs() {
		err := add(dir, func(d string) bool {
			base := d[strings.LastIndexByte(d, '/')+1:]
			return strings.HasPrefix(base, ".") && base != "." || base == "node_modules"
		})
		if err != nil {
			return nil, err
		}
	}
	name := cmp.Or(settings, p.Settings.File, project.FileName)
	file, err := filepath.Abs(name)
	if err != nil {
		return nil, err
	}
	return append(out, watch.Folder{Path: filepath.Dir(file), Only: filepath.Base(file)}), nil
}

// followRead watches what the last build read and no watched folder holds: files of installed packages, whose folders are large
// and not watched as a whole, files in hidden folders, and files that links lead to. It notes what may not be read.
func (w *watching) followRead() error {
	w.locked, w.ends = make(map[string]bool), make(map[string]bool)
	var failed error
	w.project.Tree.Opened(func(p source.Path, err error) {
		name, absErr := filepath.Abs(filepath.FromSlash(w.project.Tree.Show(p)))
		if absErr != nil || failed != nil {
			return
		}
		if errors.Is(err, fs.ErrPermission) {
			w.locked[name] = true
		}
		if !w.watcher.Covers(name) {
			failed = w.followFile(name, p)
		}
	})
	w.project.Tree.Found(func(p source.Path) {
		if name, err := filepath.Abs(filepath.FromSlash(w.project.Tree.Show(p))); err == nil && failed == nil && !w.watcher.Covers(name) {
			failed = w.followFile(name, p)
		}
	})
	for _, p := range w.project.Tree.Linked() {
		if name, err := filepath.Abs(filepath.FromSlash(w.project.Tree.Show(p))); err == nil && failed == nil {
			failed = w.followLinks(name, p)
		}
	}
	return cmp.Or(failed, w.awaitPackages())
}

// followFile watches a single file that was read as p, unless it does. Of one in a folder that is not there, it waits for the folder.
func (w *watching) followFile(name string, p source.Path) error {
	if !slices.Contains(w.single[name], p) {
		w.single[name] = append(w.single[name], p)
	}
	if w.watcher.Watches(name) {
		return nil
	}
	if !source.IsFolder(filepath.Dir(name)) {
		if filepath.VolumeName(name) != "" {
			return nil
		}
		return w.await(string(filepath.Separator), strings.TrimPrefix(filepath.ToSlash(name), "/"))
	}
	// The folders around it may be moved, up to the one that its root is in. They are watched first.
	top, err := filepath.Abs(filepath.FromSlash(w.project.Tree.Show(source.Path{Root: p.Root, Name: "."})))
	if err != nil {
		return err
	}
	var around []string
	for dir := filepath.Dir(name); dir != filepath.Dir(top) && dir != filepath.Dir(dir) && !(w.above[dir] && w.watcher.Watches(dir)); dir = filepath.Dir(dir) {
		if w.watcher.Covers(dir) {
			break
		}
		around = append(around, dir)
	}
	for _, dir := range slices.Backward(around) {
		if err := w.watchOnly(dir); err != nil {
			return err
		}
		w.above[dir] = true
	}
	return w.watchOnly(name)
}

// watchOnly watches a single file or folder.
func (w *watching) watchOnly(name string) error {
	if err := w.watcher.Extend(watch.Folder{Path: filepath.Dir(name), Only: filepath.Base(name)}); err != nil {
		return cannotWatch(err)
	}
	return nil
}

// followLinks watches all links on the way to a file, and the file at their end.
func (w *watching) followLinks(name string, p source.Path) error {
	for _, place := range source.LinkPlaces(name) {
		w.ends[place] = true
		if w.watcher.Covers(place) {
			continue
		}
		if err := w.followFile(place, p); err != nil {
			return err
		}
	}
	return nil
}

// rightsChanged reports whether a file or folder may be read now and could not be when it was last built, or the reverse.
func (w *watching) rightsChanged(name string) bool {
	readable := source.MayRead(name)
	return readable == w.locked[name] && (readable || source.Exists(name))
}

// awaitPackages watches for what would bring files of packages that a build asked for and that are not there: the folder
// of all packages, that of a package, or one in it, whichever is the first that is missing.
func (w *watching) awaitPackages() error {
	for dir := w.project.SourceDir(); ; dir = filepath.Dir(dir) {
		if err := w.await(dir, project.PackageFolder); err != nil {
			return err
		}
		if rel, err := filepath.Rel(w.project.Dir, dir); err != nil || rel == "." || !filepath.IsLocal(rel) {
			break
		}
	}
	tree := w.project.Tree
	for _, root := range project.PackageRoots(tree) {
		top := filepath.FromSlash(tree.Show(source.Path{Root: root, Name: "."}))
		for _, p := range tree.Missing(root) {
			if err := w.await(top, p.Name); err != nil {
				return err
			}
		}
	}
	return nil
}

// await watches for the first part of a path below a folder that is not there.
func (w *watching) await(dir, name string) error {
	for _, part := range strings.Split(name, "/") {
		next := filepath.Join(dir, part)
		if source.IsFolder(next) {
			dir = next
			continue
		}
		abs, err := filepath.Abs(next)
		if err != nil || w.awaited[abs] && w.watcher.Watches(abs) || source.Exists(next) || !source.IsFolder(dir) {
			return nil
		}
		if err := w.watcher.Extend(watch.Folder{Path: filepath.Dir(abs), Only: part}); err != nil {
			return cannotWatch(err)
		}
		w.awaited[abs] = true
		if source.Exists(next) || source.IsFolder(next) { // it came before it was watched
			w.watcher.Note(abs)
		}
		return nil
	}
	return nil
}
