package source

import (
	"cmp"
	"context"
	"crypto/rand"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"maps"
	"os"
	"path"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
)

// OutFile is a file to be written: Data, or a copy of a file.
type OutFile struct {
	Path string // slash-separated, relative to the output folder
	Data []byte
	Copy *Copy // nil if Data has the contents
}

// Published is the result of [Publish].
type Published struct {
	Written   int // number of new or changed files
	Unchanged int
	Changed   []string // their names
	Removed   []string // files of an earlier build that are not part of this one
	// files of an earlier build that were not removed, because somebody changed them or because of an error
	Left []string
}

// ForeignError means that files not written by Rinzel are in the way.
type ForeignError struct {
	Paths []string // relative to the output folder
}

// Error lists the files.
func (e *ForeignError) Error() string {
	return "not written by Rinzel: " + strings.Join(e.Paths, ", ")
}

// own is the folder in the output folder with the list of written files, in
// which new files are prepared.
const own = ".rinzel"

// State of all calls of Publish in the process.
var (
	publishing sync.RWMutex // held for reading while files are moved
	published  atomic.Bool
)

// HoldPublishing waits until no call of [Publish] is moving files, and makes
// later calls fail, so that the process can exit without leaving a mix of old
// and new files. It reports whether any call has moved files.
func HoldPublishing() bool {
	publishing.Lock()
	return published.Load()
}

// PublishOptions configure [Publish].
type PublishOptions struct {
	More bool // keep the files of earlier calls
	Sync bool // flush new files to disk before they replace old ones
}

// Publish writes files to the folder dir, which it creates if necessary. All
// files are first written next to the old ones and then moved to their
// destinations: referenced files before those that refer to them, pages last.
// So each file is either old or new, never partial, and a page never refers to
// a missing file. If a file cannot be moved, all moves are undone. Unmodified
// files of an earlier call that are not part of this one are removed. Other
// files are never touched: if one is at a destination, nothing is written and
// the error is a *ForeignError. Cancelling the context before the first move
// aborts the call.
func Publish(ctx context.Context, dir string, files []OutFile, opts PublishOptions) (Published, error) {
	if err := os.MkdirAll(dir, 0o755); err != nil {
		return Published{}, err
	}
	root, err := os.OpenRoot(dir)
	if err != nil {
		return Published{}, err
	}
	defer root.Close()
	unlock, err := lock(ctx, root, dir)
	if err != nil {
		return Published{}, err
	}
	defer unlock()
	return publish(ctx, root, files, opts)
}

// Outputs returns the contents of the files written by [Publish] in the folder
// dir whose names have a suffix, by name. Files that are missing or unreadable
// are omitted.
func Outputs(dir, ending string) map[string][]byte {
	root, err := os.OpenRoot(dir)
	if err != nil {
		return nil
	}
	defer root.Close()
	list, err := readList(root)
	if err != nil {
		return nil
	}
	out := make(map[string][]byte)
	for name := range list {
		if !strings.HasSuffix(name, ending) {
			continue
		}
		if data, err := readRegular(root, name); err == nil {
			out[name] = data
		}
	}
	return out
}

// Clean removes the files written by [Publish] in the folder dir, and folders
// that become empty, including dir, and returns their names. Other files are
// not touched; left has the names of files that somebody changed or that could
// not be removed. It is not an error if the folder does not exist or has no
// such files.
func Clean(dir string) (removed, left []string, err error) {
	root, err := os.OpenRoot(dir)
	if errors.Is(err, fs.ErrNotExist) {
		return nil, nil, nil
	}
	if err != nil {
		return nil, nil, err
	}
	defer root.Close()
	if _, err := root.Stat(own); errors.Is(err, fs.ErrNotExist) {
		return nil, nil, nil
	}
	unlock, err := lock(context.Background(), root, dir)
	if err != nil {
		return nil, nil, err
	}
	defer unlock()
	list, err := readList(root)
	if err != nil {
		return nil, nil, err
	}
	for _, name := range referringFirst(list.names()) {
		switch list.remove(root, name) {
		case deleted:
			removed = append(removed, name)
		case notRemoved, failedIt:
			left = append(left, name)
		}
	}
	if openFilesStay {
		unlock() // the folder has the lock file
	}
	if err := root.RemoveAll(own); err != nil {
		return removed, left, err
	}
	_ = os.Remove(dir) // it stays if it is not empty
	return removed, left, nil
}

// publication is one call of [Publish].
type publication struct {
	root  *os.Root
	next  string  // folder in which new files are prepared
	old   written // files of earlier calls
	files []pending
}

// pending is a file that may have to be written.
type pending struct {
	OutFile
	hash string
}

// publish implements Publish in an open folder.
func publish(ctx context.Context, root *os.Root, files []OutFile, opts PublishOptions) (p Published, err error) {
	removeUnfinished(root)
	old, err := readList(root)
	if err != nil {
		return p, err
	}
	pub := &publication{root: root, next: path.Join(own, nextPrefix+rand.Text()), old: old}
	changed, current, err := pub.compareAll(ctx, files)
	if err != nil {
		return p, err
	}
	p.Written, p.Unchanged = len(changed), len(files)-len(changed)
	for _, f := range changed {
		p.Changed = append(p.Changed, f.Path)
	}
	if opts.More {
		for name, record := range old {
			if !current.has(name) {
				current[name] = record
			}
		}
	}
	if len(changed) == 0 && maps.Equal(old, current) {
		return p, nil
	}
	defer func() { _ = root.RemoveAll(pub.next) }() // the next build tries again
	if err := pub.prepare(ctx, changed, current, opts.Sync); err != nil {
		return p, err
	}
	if !publishing.TryRLock() {
		return p, context.Canceled
	}
	defer publishing.RUnlock()
	published.Store(true)
	if err := pub.switchOver(changed, current); err != nil {
		return p, err
	}
	pub.removeStale(current, &p)
	return p, writeList(root, pub.next, current)
}

// compareAll returns the files that differ from those in the folder, and the
// records of the others.
func (p *publication) compareAll(ctx context.Context, files []OutFile) (changed []pending, current written, err error) {
	current = make(written, len(files))
	foreign := &ForeignError{}
	for _, f := range files {
		if err := ctx.Err(); err != nil {
			return nil, nil, err
		}
		if !fs.ValidPath(f.Path) || f.Path == "." {
			return nil, nil, fmt.Errorf("output path %q leads outside the output folder", f.Path)
		}
		next := pending{f, f.hash()}
		record, mine, err := p.compare(next)
		switch {
		case err != nil:
			return nil, nil, err
		case record != nil:
			current[f.Path] = *record
		case mine:
			changed = append(changed, next)
		default:
			foreign.Paths = append(foreign.Paths, f.Path)
		}
	}
	if len(foreign.Paths) > 0 {
		return nil, nil, foreign
	}
	return changed, current, nil
}

// compare returns the record of a file that is up to date. Otherwise, mine
// reports whether the existing file may be replaced: there is none, or an
// earlier build wrote it. The error is that the existing file cannot be read.
func (p *publication) compare(f pending) (same *record, mine bool, err error) {
	info, there, err := isThere(p.root, f.Path)
	switch {
	case err != nil:
		return nil, false, err
	case !there: // it is missing, or a file is in place of a parent folder
		blocker := blockedBy(p.root, f.Path)
		if blocker == "" {
			return nil, true, nil
		}
		mine, err = p.old.unchanged(p.root, blocker)
		return nil, mine, err
	case info.IsDir():
		return nil, p.old.holdsAll(p.root, f.Path), nil
	case !info.Mode().IsRegular():
		return nil, p.old.has(f.Path), nil
	}
	was, known := p.old[f.Path]
	if known && was.Hash != "" && was.describes(info) {
		if was.Hash == f.hash {
			return &was, true, nil
		}
		return nil, true, nil
	}
	if info.Size() != f.size() {
		return nil, known, nil
	}
	hash, err := hashOf(p.root, f.Path)
	if err != nil {
		return nil, false, err
	}
	if hash == f.hash {
		now := recordOf(hash, info)
		return &now, true, nil
	}
	return nil, known, nil
}

// prepare writes the changed files next to the old ones, and a list with both
// old and new files while they are replaced, so that an interrupted run leaves
// no unknown files: changing files are listed without a hash. It adds the
// changed files to current.
func (p *publication) prepare(ctx context.Context, changed []pending, current written, sync bool) error {
	for _, f := range changed {
		if err := ctx.Err(); err != nil {
			return err
		}
		info, err := p.writeNew(f)
		if err != nil {
			return err
		}
		current[f.Path] = recordOf(f.hash, info)
	}
	both := make(written, len(p.old)+len(current))
	maps.Copy(both, p.old)
	maps.Copy(both, current)
	for _, f := range changed {
		both[f.Path] = record{}
	}
	if err := writeList(p.root, p.next, both); err != nil {
		return err
	}
	if sync {
		if err := syncFolder(p.root, p.next, len(changed)); err != nil {
			return err
		}
	}
	return ctx.Err()
}

// writeNew writes a file to the folder for new ones.
func (p *publication) writeNew(f pending) (fs.FileInfo, error) {
	name := path.Join(p.next, f.Path)
	if err := p.root.MkdirAll(path.Dir(name), 0o755); err != nil {
		return nil, err
	}
	out, err := p.root.OpenFile(name, os.O_WRONLY|os.O_CREATE|os.O_EXCL, 0o644)
	if err != nil {
		return nil, err
	}
	err = f.writeTo(out)
	info, statErr := out.Stat()
	return info, errors.Join(err, statErr, out.Close())
}

// writeTo writes the contents of a file.
func (f pending) writeTo(out *os.File) error {
	if f.Copy == nil {
		_, err := out.Write(f.Data)
		return err
	}
	in, err := f.Copy.Open()
	if err != nil {
		return &fs.PathError{Op: "copy", Path: f.Path, Err: err}
	}
	defer in.Close()
	n, err := io.Copy(out, in)
	if err == nil && n != f.Copy.Size {
		err = &fs.PathError{Op: "copy", Path: f.Path, Err: ErrChanged}
	}
	return err
}

// size returns the size of a file.
func (f OutFile) size() int64 {
	if f.Copy != nil {
		return f.Copy.Size
	}
	return int64(len(f.Data))
}

// hash returns the hash of a file.
func (f OutFile) hash() string {
	if f.Copy != nil {
		return fingerprint(f.Copy.Sum)
	}
	return fingerprint(sumOfBytes(f.Data))
}

// switchOver moves the changed files to their destinations, all or none.
func (p *publication) switchOver(changed []pending, current written) error {
	m := &mover{root: p.root, aside: path.Join(p.next, "aside")}
	for _, f := range referencedFirst(changed) {
		if err := m.move(path.Join(p.next, f.Path), f.Path); err != nil {
			return errors.Join(err, m.undo(), writeList(p.root, p.next, p.old))
		}
	}
	for _, name := range m.movedAside {
		delete(p.old, name)
	}
	return nil
}

// removeStale removes files of earlier calls that are not part of this one. A
// file that cannot be removed stays in the list, with everything it may refer
// to.
func (p *publication) removeStale(current written, out *Published) {
	failed := 0 // highest rank of a file that could not be removed
	for _, name := range referringFirst(p.old.names()) {
		if current.has(name) {
			continue
		}
		if rank(name) < failed {
			current[name] = p.old[name]
			continue
		}
		switch p.old.remove(p.root, name) {
		case deleted:
			out.Removed = append(out.Removed, name)
		case notRemoved: // somebody changed it
			out.Left = append(out.Left, name)
		case failedIt:
			out.Left = append(out.Left, name)
			current[name] = p.old[name]
			failed = max(failed, rank(name))
		}
	}
}

// nextPrefix is the prefix of folders in which files are prepared.
const nextPrefix = "next-"

// removeUnfinished removes files that killed builds prepared.
func removeUnfinished(root *os.Root) {
	dir, err := root.Open(own)
	if err != nil {
		return
	}
	entries, _ := dir.ReadDir(-1)
	_ = dir.Close()
	for _, e := range entries {
		if strings.HasPrefix(e.Name(), nextPrefix) {
			_ = root.RemoveAll(path.Join(own, e.Name())) // the next build tries again
		}
	}
}

// referencedFirst sorts files so that referenced ones come before those that
// refer to them.
func referencedFirst(files []pending) []pending {
	files = slices.Clone(files)
	slices.SortStableFunc(files, func(a, b pending) int { return cmp.Compare(rank(a.Path), rank(b.Path)) })
	return files
}

// referringFirst sorts names in the reverse order.
func referringFirst(names []string) []string {
	names = slices.Clone(names)
	slices.SortStableFunc(names, func(a, b string) int { return cmp.Compare(rank(b), rank(a)) })
	return names
}

// rank orders types of files by references: pages refer to scripts and sheets,
// scripts to sheets, sheets to images and fonts.
func rank(name string) int {
	switch ext := strings.ToLower(path.Ext(name)); {
	case strings.HasPrefix(ext, ".htm"), ext == ".xhtml", ext == ".xht":
		return 3
	case ext == ".js", ext == ".mjs", ext == ".json", ext == ".webmanifest":
		return 2
	case ext == ".css":
		return 1
	}
	return 0
}

// WriteFile writes a single file atomically, through a temporary file next to
// it.
func WriteFile(name string, data []byte) error {
	if info, err := os.Stat(name); err == nil && info.IsDir() {
		return &fs.PathError{Op: "write", Path: name, Err: ErrDirectory}
	}
	if info, err := os.Lstat(name); err == nil && !info.Mode().IsRegular() && info.Mode()&fs.ModeSymlink == 0 {
		return &fs.PathError{Op: "write", Path: name, Err: ErrNotRegular}
	}
	dir := filepath.Dir(name)
	if err := os.MkdirAll(dir, 0o755); err != nil {
		return err
	}
	f, err := os.CreateTemp(dir, "."+filepath.Base(name)+".*")
	if err != nil {
		return err
	}
	defer os.Remove(f.Name()) // fails after it was moved
	_, err = f.Write(data)
	err = errors.Join(err, f.Chmod(0o644), f.Close())
	if err != nil {
		return err
	}
	return os.Rename(f.Name(), name)
}

// IsFolder reports whether a path on disk is a folder.
func IsFolder(name string) bool {
	info, err := os.Stat(name)
	return err == nil && info.IsDir()
}

// Exists reports whether a path on disk exists.
func Exists(name string) bool {
	_, err := os.Lstat(name)
	return err == nil
}

// WriteTree writes all files of a file system to a folder, which must be empty
// or not exist, and returns the folder. If dir is empty, it creates a temporary
// one.
func WriteTree(dir string, tree fs.FS) (string, error) {
	if dir == "" {
		made, err := os.MkdirTemp("", "rinzel-")
		if err != nil {
			return "", err
		}
		dir = made
	} else if entries, err := os.ReadDir(dir); err == nil && len(entries) > 0 {
		return "", fmt.Errorf("folder %q is not empty", dir)
	}
	return dir, os.CopyFS(dir, tree)
}

// WriteNew writes a new file, and creates the folders that lead to it. An existing file
// stays as it is: the error matches fs.ErrExist.
func WriteNew(name, text string) error {
	if err := os.MkdirAll(filepath.Dir(name), 0o777); err != nil {
		return err
	}
	file, err := os.OpenFile(name, os.O_CREATE|os.O_EXCL|os.O_WRONLY, 0o666)
	if err != nil {
		return err
	}
	_, err = file.WriteString(text)
	return errors.Join(err, file.Close())
}
