// Package watch tells when files in folders change. It watches folders rather
// than files, so that files which editors replace, and files that appear where one
// was missing, are met; and it gathers bursts of changes.
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

// Folder is a folder that is watched with all below it.
type Folder struct {
	Path string
	// Skip reports whether a folder below is left out, by its path from Path with
	// slashes. Nil leaves out none.
	Skip func(dir string) bool
	// Only, if it is not empty, is the one file that counts, and no folder below
	// is watched.
	Only string
}

// Watcher watches folders. It is not safe for concurrent use.
type Watcher struct {
	// Attributes reports whether a file or folder of which only permissions, owner or times changed counts as changed. Nil
	// counts none.
	Attributes func(name string) bool

	notify  *fsnotify.Watcher
	folders []Folder        // that are watched with all below
	single  map[string]bool // files and folders that are watched alone
	changed map[string]bool // since the last burst
}

// quiet is how long no change may follow for a burst to be over, and most how long
// one lasts at the most. An editor that saves all its files takes some milliseconds.
const (
	quiet = 40 * time.Millisecond
	most  = time.Second
)

// ErrOverflow means that more changed at once than the system tells of: anything may be other than it was, and folders
// may not be watched that were made. A new watcher is to be started, and everything looked at again.
var ErrOverflow = errors.New("watch: too many changes at once for the system to report")

// Start watches folders. The caller closes the watcher. The error is that a folder
// cannot be watched, or that the system watches no more of them.
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

// Extend watches another folder as well. The error is as that of [Start].
func (w *Watcher) Extend(f Folder) error {
	if f.Only != "" {
		w.single[filepath.Join(f.Path, f.Only)] = true
		return w.notify.Add(f.Path)
	}
	w.folders = append(w.folders, f)
	return w.add(f, f.Path, false)
}

// Watches reports whether a file or folder is watched alone. It is not any more once its folder is gone, or has another name.
func (w *Watcher) Watches(name string) bool { return w.single[name] }

// Covers reports whether changes of a file or folder are told of since a folder around it is watched with all below it.
func (w *Watcher) Covers(name string) bool {
	for _, f := range w.folders {
		if rel, err := filepath.Rel(f.Path, name); err == nil && filepath.IsLocal(rel) && !w.leftOut(&f, rel) {
			return true
		}
	}
	return false
}

// Note counts a file or folder as changed: the next call of [Watcher.Next] returns it.
func (w *Watcher) Note(name string) { w.changed[name] = true }

// add watches a folder and all below it. With note, the files in it count as
// changed: they came before it was watched.
func (w *Watcher) add(f Folder, dir string, note bool) error {
	return filepath.WalkDir(dir, func(name string, d fs.DirEntry, err error) error {
		switch {
		case err != nil && name == f.Path:
			return err
		case err != nil:
			return nil // it went as soon as it came
		case !d.IsDir():
			if note {
				w.changed[name] = true
			}
			return nil
		case name != f.Path && f.skips(name):
			return filepath.SkipDir
		}
		// What cannot be read may be later: the folder around it tells.
		if err := w.notify.Add(name); err != nil && !errors.Is(err, fs.ErrNotExist) && !errors.Is(err, fs.ErrPermission) {
			return err
		}
		return nil
	})
}

// skips reports whether a folder is left out.
func (f *Folder) skips(name string) bool {
	rel, err := filepath.Rel(f.Path, name)
	return err != nil || f.Skip != nil && f.Skip(filepath.ToSlash(rel))
}

// Next waits for changes and returns the names of the files and folders that
// were changed, made, moved or removed, sorted, once no more follow. The error is
// that of a context that ended, [ErrOverflow], or one of the system.
func (w *Watcher) Next(ctx context.Context) ([]string, error) {
	var over, end <-chan time.Time // none before the first change
	if len(w.changed) > 0 {
		over, end = time.After(quiet), time.After(most)
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
			if err := w.take(event); err != nil {
				return nil, err
			}
			if len(w.changed) > 0 {
				over = time.After(quiet)
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

// take notes what an event is about, and watches a folder that was made.
func (w *Watcher) take(event fsnotify.Event) error {
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
		if err := w.takeIn(f, event); err != nil {
			return err
		}
	}
	return nil
}

// takeIn does the same for one watched folder, in which the event may be.
func (w *Watcher) takeIn(f Folder, event fsnotify.Event) error {
	rel, err := filepath.Rel(f.Path, event.Name)
	if err != nil || !filepath.IsLocal(rel) || w.leftOut(&f, rel) {
		return nil
	}
	w.changed[event.Name] = true
	if info, err := os.Stat(event.Name); err == nil && info.IsDir() && (event.Has(fsnotify.Create) || event.Has(fsnotify.Chmod)) {
		return w.add(f, event.Name, true)
	}
	return nil
}

// forget has what is watched alone in a folder that is gone, and in those below it, count as changed, and as watched no more.
func (w *Watcher) forget(dir string) {
	for name := range w.single {
		if strings.HasPrefix(name, dir+string(filepath.Separator)) {
			w.changed[name] = true
			delete(w.single, name)
		}
	}
}

// leave ends the watches of a folder that was moved away and of all below it: the system goes on to tell of them by their
// old names. Where they were moved to they are watched anew.
func (w *Watcher) leave(dir string) {
	for _, name := range w.notify.WatchList() {
		if name == dir || strings.HasPrefix(name, dir+string(filepath.Separator)) {
			_ = w.notify.Remove(name) // it may be gone already
		}
	}
}

// leftOut reports whether a path lies in a folder that is left out, or is one.
func (w *Watcher) leftOut(f *Folder, rel string) bool {
	if f.Skip == nil || rel == "." {
		return false // the folder itself is what is watched
	}
	rel = filepath.ToSlash(rel)
	for i := 0; i <= len(rel); i++ {
		if (i == len(rel) || rel[i] == '/') && f.Skip(rel[:i]) {
			return true
		}
	}
	return false
}
