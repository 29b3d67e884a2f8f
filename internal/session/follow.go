package session

import (
	"cmp"
	"errors"
	"io/fs"
	"path/filepath"
	"slices"
	"strings"

	"rinzel/internal/project"
	"rinzel/internal/source"
	"rinzel/internal/watch"
)

// This file watches files that a build read outside of the watched folders.

// followRead watches files of the last build that no watched folder contains:
// files of installed packages, whose folders are too large to be watched as a
// whole, files in hidden folders, and the targets of links. It also records
// files without read permission.
func (w *Watch) followRead() error {
	w.locked, w.ends = make(map[string]bool), make(map[string]bool)
	var failed error
	w.project.Tree.Opened(func(p source.Path, err error) {
		if err == nil && w.covered[p] {
			return
		}
		name, absErr := filepath.Abs(filepath.FromSlash(w.project.Tree.Show(p)))
		if absErr != nil || failed != nil {
			return
		}
		if errors.Is(err, fs.ErrPermission) {
			w.locked[name] = true
		}
		if w.watcher.Covers(name) {
			w.covered[p] = true
		} else {
			failed = w.followFile(name, p)
		}
	})
	w.project.Tree.Found(func(p source.Path) {
		if w.covered[p] {
			return
		}
		if name, err := filepath.Abs(filepath.FromSlash(w.project.Tree.Show(p))); err == nil && failed == nil &&
			!w.watcher.Covers(name) {
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

// followFile watches a single file that was read as p, unless it is watched
// already. If its folder does not exist, it waits for the folder.
func (w *Watch) followFile(name string, p source.Path) error {
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
	// Any folder up to the one that contains the root may be moved. They are
	// watched first.
	top, err := filepath.Abs(filepath.FromSlash(w.project.Tree.Show(source.Path{Root: p.Root, Name: "."})))
	if err != nil {
		return err
	}
	var around []string
	for dir := filepath.Dir(name); dir != filepath.Dir(top) && dir != filepath.Dir(dir) &&
		!(w.above[dir] && w.watcher.Watches(dir)); dir = filepath.Dir(dir) {
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
func (w *Watch) watchOnly(name string) error {
	if err := w.watcher.Extend(watch.Folder{Path: filepath.Dir(name), Only: filepath.Base(name)}); err != nil {
		return cannotWatch(err)
	}
	return nil
}

// followLinks watches all links on the path to a file, and their target.
func (w *Watch) followLinks(name string, p source.Path) error {
	for _, place := range source.LinkChain(name) {
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

// permissionChanged reports whether a file or folder became readable or
// unreadable since the last build.
func (w *Watch) permissionChanged(name string) bool {
	readable := source.MayRead(name)
	return readable == w.locked[name] && (readable || source.Exists(name))
}

// awaitPackages waits for files of missing packages that a build asked for: it
// watches the first existing parent of the package folder, of a package, or of
// a folder in it.
func (w *Watch) awaitPackages() error {
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

// await watches for the first missing part of a path below a folder.
func (w *Watch) await(dir, name string) error {
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
		if source.Exists(next) || source.IsFolder(next) { // it was created before the watch
			w.watcher.Note(abs)
		}
		return nil
	}
	return nil
}
