// Package watch reports changes of files in folders. It watches folders instead
// of files, so that it detects files that editors replace, and missing files
// that are created. It groups bursts of changes.
package watch

import (
	"context"
	"errors"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"github.com/fsnotify/fsnotify"
)

// Folder is a folder to watch with all its subfolders.
type Folder struct {
	Path string
	// Skip reports whether a subfolder is excluded, given its path relative to
	// Path with slashes. Nil excludes none.
	Skip func(dir string) bool
	// Only, if not empty, is the only file of interest; subfolders are not
	// watched then.
	Only string
}

// Watcher watches folders. It is not safe for concurrent use.
type Watcher struct {
	// Attributes reports whether a change of permissions, owner or times of a
	// file or folder counts as a change. Nil counts none.
	Attributes func(name string) bool

	notify  *fsnotify.Watcher
	folders []Folder        // watched with all subfolders
	single  map[string]bool // files and folders that are watched individually
	changed map[string]bool // since the last burst
}

// A burst is over after no change for some time, or after the duration most.
// Somebody waits for the effect of saving one file, which editors do in a few
// milliseconds, at most by a temporary file and its rename. More changes are a
// switch of branches or an installation, with pauses between files.
const (
	quietOfFew = 10 * time.Millisecond
	quiet      = 40 * time.Millisecond
	few        = 3 // number of changes
	most       = time.Second
)

// pause returns how long no further change means the end of the burst.
func (w *Watcher) pause() time.Duration {
	if len(w.changed) <= few {
		return quietOfFew
	}
	return quiet
}

// ErrOverflow means that the system dropped events: anything may have changed,
// and new folders may not be watched. The caller should start a new watcher and
// read everything again.
var ErrOverflow = errors.New("watch: too many changes at once for the system to report")

// Start watches folders. The caller must close the watcher. The error is that a
// folder cannot be watched, or that the system limit of watches is reached.
func Start(folders []Folder) (*Watcher, error) {
	notify, err := fsnotify.NewWatcher()
	if err != nil {
		return nil, err
	}
	w := &Watcher{notify: notify, single: make(map[string]bool), changed: make(map[string]bool)}
	for _, f := range folders {
		if err := w.Extend(f); err != nil {
			return nil, errors.Join(err, notify.Close())
		}
	}
	return w, nil
}

// Close stops watching.
func (w *Watcher) Close() error { return w.notify.Close() }

// Extend watches another folder. The error is like that of [Start].
func (w *Watcher) Extend(f Folder) error {
	if f.Only != "" {
		w.single[filepath.Join(f.Path, f.Only)] = true
		return w.notify.Add(f.Path)
	}
	w.folders = append(w.folders, f)
	return w.add(f, f.Path, false)
}

// Watches reports whether a file or folder is watched individually. This ends
// when its folder is deleted or renamed.
func (w *Watcher) Watches(name string) bool { return w.single[name] }

// Covers reports whether changes of a file or folder are reported because a
// parent folder is watched.
func (w *Watcher) Covers(name string) bool {
	for _, f := range w.folders {
		if rel, err := filepath.Rel(f.Path, name); err == nil && filepath.IsLocal(rel) && !w.isExcluded(&f, rel) {
			return true
		}
	}
	return false
}

// Note marks a file or folder as changed: the next call of [Watcher.Next]
// returns it.
func (w *Watcher) Note(name string) { w.changed[name] = true }

// add watches a folder and its subfolders. With note, the files in it count as
// changed: they were created before the watch.
func (w *Watcher) add(f Folder, dir string, note bool) error {
	return filepath.WalkDir(dir, func(name string, d fs.DirEntry, err error) error {
		switch {
		case err != nil && name == f.Path:
			return err
		case err != nil:
			return nil // it was deleted right after it was created
		case !d.IsDir():
			if note {
				w.changed[name] = true
			}
			return nil
		case name != f.Path && f.skips(name):
			return filepath.SkipDir
		}
		// An unreadable folder may become readable: its parent reports that.
		if err := w.notify.Add(name); err != nil && !errors.Is(err, fs.ErrNotExist) && !errors.Is(err, fs.ErrPermission) {
			return err
		}
		return nil
	})
}

// skips reports whether a folder is excluded.
func (f *Folder) skips(name string) bool {
	rel, err := filepath.Rel(f.Path, name)
	return err != nil || f.Skip != nil && f.Skip(filepath.ToSlash(rel))
}

// Next waits for changes and returns the names of the files and folders that
// were changed, created, moved or deleted, sorted, after the burst is over. The
// error is that of a cancelled context, [ErrOverflow], or one of the system.
func (w *Watcher) Next(ctx context.Context) ([]string, error) {
	var over, end <-chan time.Time // none before the first change
	if len(w.changed) > 0 {
		over, end = time.After(w.pause()), time.After(most)
	}
	for {
		select {
		case <-ctx.Done():
			return nil, ctx.Err()
		case err := <-w.notify.Errors:
			if errors.Is(err, fsnotify.ErrEventOverflow) {
				return nil, ErrOverflow
			}
			return nil, err
		case event, ok := <-w.notify.Events:
			if !ok {
				return nil, fs.ErrClosed
			}
			if err := w.handle(event); err != nil {
				return nil, err
			}
			if len(w.changed) > 0 {
				over = time.After(w.pause())
				if end == nil {
					end = time.After(most)
				}
			}
			continue
		case <-over:
		case <-end:
		}
		var names []string
		for name := range w.changed {
			names = append(names, name)
		}
		clear(w.changed)
		slices.Sort(names)
		return names, nil
	}
}

// handle records the subject of an event, and watches a new folder.
func (w *Watcher) handle(event fsnotify.Event) error {
	if event.Op == fsnotify.Chmod && (w.Attributes == nil || !w.Attributes(event.Name)) {
		return nil
	}
	if event.Has(fsnotify.Rename) {
		w.leave(event.Name)
	}
	if event.Has(fsnotify.Remove | fsnotify.Rename) {
		w.forget(event.Name)
	}
	if w.single[event.Name] {
		w.changed[event.Name] = true
	}
	for _, f := range w.folders {
		if err := w.handleIn(f, event); err != nil {
			return err
		}
	}
	return nil
}

// handleIn does the same for one watched folder.
func (w *Watcher) handleIn(f Folder, event fsnotify.Event) error {
	rel, err := filepath.Rel(f.Path, event.Name)
	if err != nil || !filepath.IsLocal(rel) || w.isExcluded(&f, rel) {
		return nil
	}
	w.changed[event.Name] = true
	if info, err := os.Stat(event.Name); err == nil && info.IsDir() &&
		(event.Has(fsnotify.Create) || event.Has(fsnotify.Chmod)) {
		return w.add(f, event.Name, true)
	}
	return nil
}

// forget stops watching individual files in a deleted folder and its
// subfolders, and marks them as changed.
func (w *Watcher) forget(dir string) {
	for name := range w.single {
		if strings.HasPrefix(name, dir+string(filepath.Separator)) {
			w.changed[name] = true
			delete(w.single, name)
		}
	}
}

// leave stops watching a folder that was moved away, with its subfolders: the
// system would report changes under the old names. It is watched again where it
// was moved to.
func (w *Watcher) leave(dir string) {
	for _, name := range w.notify.WatchList() {
		if name == dir || strings.HasPrefix(name, dir+string(filepath.Separator)) {
			_ = w.notify.Remove(name) // it may be gone already
		}
	}
}

// isExcluded reports whether a path is in an excluded folder, or is one.
func (w *Watcher) isExcluded(f *Folder, rel string) bool {
	if f.Skip == nil || rel == "." {
		return false // the watched folder itself
	}
	rel = filepath.ToSlash(rel)
	for i := 0; i <= len(rel); i++ {
		if (i == len(rel) || rel[i] == '/') && f.Skip(rel[:i]) {
			return true
		}
	}
	return false
}
