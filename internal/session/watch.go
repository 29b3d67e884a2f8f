package session

import (
	"context"
	"errors"
	"fmt"
	"io/fs"
	"path/filepath"
	"slices"
	"strings"
	"syscall"
	"time"

	"rinzel/internal/project"
	"rinzel/internal/source"
	"rinzel/internal/watch"
)

// Watch is a session that gets changes from the file system. It watches
// everything that the last build read.
type Watch struct {
	*Session
	// Ignore reports whether changes of a file never require a build; nil
	// ignores none.
	Ignore func(name string) bool
	// Notice reports whether changes of a file that no build reads are returned
	// by [Watch.Next] as well; nil for none.
	Notice func(name string) bool

	watcher  *watch.Watcher
	paths    []string // of the watched folders
	settings []string // absolute paths of the settings file and of those that it extends
	lost     bool     // the watcher missed changes and must be restarted

	// files that are watched individually, by absolute names, with the paths they were read as
	single  map[string][]source.Path
	ends    map[string]bool      // links used by the last build, and their targets
	above   map[string]bool      // parents of these, which may be moved
	locked  map[string]bool      // what the last build had no permission to read
	awaited map[string]bool      // missing parents of packages or of their files
	covered map[source.Path]bool // read files that are in watched folders
}

// Changes are the changes since the last build.
type Changes struct {
	Names []string  // absolute names of files and folders, sorted
	At    time.Time // time of the last change
	// Lost is set if the system dropped change events, so that everything is
	// read again.
	Lost bool
}

// StartWatch opens a project and watches its folders. The caller must close the
// watch.
func StartWatch(opts Options) (*Watch, error) {
	w := &Watch{Session: &Session{opts: opts}}
	w.adopt = w.follow
	if err := w.reopen(); err != nil {
		return nil, errors.Join(err, w.Close())
	}
	return w, nil
}

// Close stops watching and closes the session.
func (w *Watch) Close() error {
	if w.watcher == nil {
		return w.Session.Close()
	}
	return errors.Join(w.watcher.Close(), w.Session.Close())
}

// Folders returns the absolute paths of the watched folders and files, in
// order.
func (w *Watch) Folders() []string { return slices.Clone(w.paths) }

// Build builds the project, and watches everything that was read for it.
func (w *Watch) Build(ctx context.Context) (*Update, error) {
	u, err := w.Session.Build(ctx)
	if err == nil && w.cache != nil {
		err = w.followRead()
	}
	return u, err
}

// Next waits for a change that a build depends on, and applies it to the
// session. The error is that of a cancelled context, or one of the run.
func (w *Watch) Next(ctx context.Context) (Changes, error) {
	for {
		names, err := w.watcher.Next(ctx)
		if errors.Is(err, watch.ErrOverflow) {
			w.lost = true
			return Changes{w.settings[:1], time.Now(), true}, w.reopen()
		}
		if err != nil {
			return Changes{}, err
		}
		if names = slices.DeleteFunc(names, w.irrelevant()); len(names) > 0 {
			return Changes{Names: names, At: time.Now()}, w.Apply(names)
		}
	}
}

// Apply is like [Session.Apply], including files that are watched individually.
func (w *Watch) Apply(changed []string) error {
	paths, ok := w.pathsOf(changed)
	for _, name := range changed {
		if w.above[name] {
			w.lost = true // its contents are watched under old names
		}
		if w.lost || w.awaited[name] {
			ok = false
		}
		paths = append(paths, w.single[name]...)
	}
	if !ok {
		return w.reopen()
	}
	w.apply(paths)
	return nil
}

// irrelevant returns a function that recognizes changes that need no build.
func (w *Watch) irrelevant() func(name string) bool {
	var known *index
	var folders map[string]string
	if w.cache != nil {
		known, folders = w.known(), foldersByRoot(w.project)
	}
	return func(name string) bool {
		if w.Ignore != nil && w.Ignore(name) {
			return true
		}
		if slices.Contains(w.settings, name) { // it may be in the source folder, where builds do not read it
			return false
		}
		if w.Notice != nil && w.Notice(name) {
			return false
		}
		if known == nil || w.ends[name] || w.single[name] != nil || w.awaited[name] || !source.IsRegular(name) {
			return false
		}
		paths := pathsIn(folders, name)
		return len(paths) > 0 && !slices.ContainsFunc(paths, func(p source.Path) bool { return !known.isUnread(p) })
	}
}

// cannotWatch returns the error that folders cannot be watched.
func cannotWatch(err error) error {
	if errors.Is(err, syscall.ENOSPC) {
		return fmt.Errorf("cannot watch: the system limit of watched folders is reached (%w); exclude folders with exclude in rinzel.toml, or raise fs.inotify.max_user_watches", err)
	}
	return fmt.Errorf("cannot watch: %w", err)
}

// follow watches the folders of a project, unless they are watched already.
func (w *Watch) follow(p *project.Project) error {
	const most = 10 // do not wait for folders that come and go forever
	w.covered = make(map[source.Path]bool)
	for i := 0; ; i++ {
		folders, settings, err := watchedFolders(p, w.opts.Project.Settings)
		if err != nil {
			return err
		}
		var paths []string
		for _, f := range folders {
			paths = append(paths, filepath.Join(f.Path, f.Only))
		}
		w.settings = settings
		if w.watcher != nil && slices.Equal(paths, w.paths) && !w.lost {
			return nil
		}
		watcher, err := watch.Start(folders)
		if errors.Is(err, fs.ErrNotExist) && i < most {
			continue // one was deleted in the meantime
		}
		if err != nil {
			return cannotWatch(err)
		}
		if w.watcher != nil {
			_ = w.watcher.Close()
		}
		watcher.Attributes = w.permissionChanged
		w.watcher, w.paths, w.lost = watcher, paths, false
		w.single, w.above, w.awaited = make(map[string][]source.Path), make(map[string]bool), make(map[string]bool)
		if i == most {
			return nil
		}
		// A folder may have been created before the watch: look again.
	}
}

// watchedFolders returns the absolute paths that a build reads: the source
// folder, the roots, and the settings files. Missing ones are left out; the
// settings may name them later.
func watchedFolders(p *project.Project, named string) (out []watch.Folder, settings []string, err error) {
	add := func(dir string, skip func(string) bool) error {
		abs, err := filepath.Abs(dir)
		// The folder itself may be deleted and created again: watch its parent
		// first, so that no change is missed.
		if parent := filepath.Dir(abs); err == nil && filepath.Clean(dir) != "." && source.IsFolder(parent) {
			out = append(out, watch.Folder{Path: parent, Only: filepath.Base(abs)})
		}
		if err == nil && source.IsFolder(abs) {
			out = append(out, watch.Folder{Path: abs, Skip: skip})
		}
		return err
	}
	if err := add(p.SourceDir(), p.Skip()); err != nil {
		return nil, nil, err
	}
	for _, dir := range p.RootDirs() {
		err := add(dir, func(d string) bool {
			base := d[strings.LastIndexByte(d, '/')+1:]
			return strings.HasPrefix(base, ".") && base != "." || base == project.PackageFolder
		})
		if err != nil {
			return nil, nil, err
		}
	}
	settings, err = settingsFiles(p, named)
	for i, name := range settings {
		if i > 0 && !source.IsFolder(filepath.Dir(name)) {
			continue
		}
		out = append(out, watch.Folder{Path: filepath.Dir(name), Only: filepath.Base(name)})
	}
	return out, settings, err
}
