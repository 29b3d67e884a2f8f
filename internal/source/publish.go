package source

import (
	"bytes"
	"context"
	"crypto/rand"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"maps"
	"os"
	"path"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"github.com/gofrs/flock"
)

// OutFile is a file to be written.
type OutFile struct {
	Path string // slash-separated, relative to the output folder
	Data []byte
}

// Published tells what [Publish] did.
type Published struct {
	Written   int // files that are new or changed
	Unchanged int
	Changed   []string // the names of those written
	Removed   []string // files of an earlier build that this one no longer makes
	Left      []string // those of them that stay, since somebody changed them or they could not be removed
}

// ForeignError means that files stand in the way which Rinzel did not write.
type ForeignError struct {
	Paths []string // relative to the output folder
}

func (e *ForeignError) Error() string {
	return "not written by Rinzel: " + strings.Join(e.Paths, ", ")
}

// own is the folder within the output folder where Rinzel keeps its list of
// the files it wrote, and makes new ones ready.
const own = ".rinzel"

// ListName is the list of the files that were written into an output folder,
// and so what tells one from other folders.
const ListName = own + "/written.json"

// Publish writes files into the folder dir, which it makes if need be. All are
// first written beside the old ones and then moved into place, pages last, so
// each file is old or new and never half, and a page never names a file that
// is not there. Files that an earlier call wrote and this one did not are
// removed if they are as they were written; any other is left alone, and if one stands where a file belongs
// nothing is written and the error is a *ForeignError.
func Publish(dir string, files []OutFile) (Published, error) { return publishInto(dir, files, false) }

// PublishMore is [Publish] for files beside those of earlier calls, which all stay.
func PublishMore(dir string, files []OutFile) (Published, error) {
	return publishInto(dir, files, true)
}

func publishInto(dir string, files []OutFile, more bool) (Published, error) {
	if err := os.MkdirAll(dir, 0o755); err != nil {
		return Published{}, err
	}
	root, err := os.OpenRoot(dir)
	if err != nil {
		return Published{}, err
	}
	defer root.Close()
	unlock, err := lock(root, dir)
	if err != nil {
		return Published{}, err
	}
	defer unlock()
	return publish(root, files, more)
}

// lockWait is how long a build waits for another one that writes into the same folder.
var lockWait = 30 * time.Second

// lock keeps other builds from writing into the folder dir, until the function that it returns is called. The system
// takes the lock of a build that was killed away.
func lock(root *os.Root, dir string) (unlock func(), err error) {
	if err := root.MkdirAll(own, 0o755); err != nil {
		return nil, err
	}
	f := flock.New(filepath.Join(dir, own, "lock"))
	ctx, cancel := context.WithTimeout(context.Background(), lockWait)
	defer cancel()
	const pause = 10 * time.Millisecond
	_, err = f.TryLockContext(ctx, pause)
	if errors.Is(err, context.DeadlineExceeded) {
		return nil, fmt.Errorf("another build has been writing into %q for %v", dir, lockWait)
	}
	if err != nil {
		return nil, err
	}
	return func() { _ = f.Close() }, nil
}

// Outputs returns those of the files that [Publish] wrote into the folder dir whose names end in ending, by name. A file
// that is gone, or cannot be read, is left out.
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
		if data, err := root.ReadFile(name); err == nil {
			out[name] = data
		}
	}
	return out
}

// Clean removes the files that [Publish] wrote into the folder dir, and the
// folders that this leaves empty, the folder itself among them, and returns
// their names. Any other file stays, and so do those that somebody changed, or that could
// not be removed: left are their names. It is no error if there is no such folder, or
// nothing was written into it.
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
	unlock, err := lock(root, dir)
	if err != nil {
		return nil, nil, err
	}
	defer unlock()
	list, err := readList(root)
	if err != nil {
		return nil, nil, err
	}
	for _, name := range pagesFirst(list.names()) {
		switch list.remove(root, name) {
		case removedIt:
			removed = append(removed, name)
		case leftIt, failedIt:
			left = append(left, name)
		}
	}
	if err := root.RemoveAll(own); err != nil {
		return removed, left, err
	}
	_ = os.Remove(dir) // it stays if it holds anything else
	return removed, left, nil
}

func publish(root *os.Root, files []OutFile, more bool) (p Published, err error) {
	removeUnfinished(root)
	old, err := readList(root)
	if err != nil {
		return p, err
	}
	changed, err := changedFiles(root, files, old)
	if err != nil {
		return p, err
	}
	p.Written, p.Unchanged = len(changed), len(files)-len(changed)
	for _, f := range changed {
		p.Changed = append(p.Changed, f.Path)
	}

	next := path.Join(own, nextPrefix+rand.Text())
	defer func() { err = errors.Join(err, root.RemoveAll(next)) }()
	for _, f := range changed {
		if err := writeNew(root, path.Join(next, f.Path), f.Data); err != nil {
			return p, err
		}
	}
	current := make(written, len(files))
	for _, f := range files {
		if current[f.Path] = old[f.Path]; current[f.Path] == "" {
			current[f.Path] = fingerprint(f.Data)
		}
	}
	for _, f := range changed {
		current[f.Path] = fingerprint(f.Data)
	}
	if more {
		for name, hash := range old {
			if current[name] == "" {
				current[name] = hash
			}
		}
	}
	// The list names old and new files while they change places, so that an interrupted run leaves none that nobody
	// owns: those that change without a hash, since they may be either.
	both := make(written, len(old)+len(current))
	maps.Copy(both, old)
	maps.Copy(both, current)
	for _, f := range changed {
		both[f.Path] = ""
	}
	if err := writeList(root, next, both); err != nil {
		return p, err
	}
	for _, f := range pagesLast(changed) {
		old.giveWay(root, f.Path)
		if err := moveIn(root, path.Join(next, f.Path), f.Path); err != nil {
			return p, err
		}
	}
	for _, name := range pagesFirst(old.names()) { // so that none names a file that is gone
		if _, made := current[name]; made {
			continue
		}
		switch old.remove(root, name) {
		case removedIt:
			p.Removed = append(p.Removed, name)
		case leftIt: // it is somebody else's now
			p.Left = append(p.Left, name)
		case failedIt:
			p.Left = append(p.Left, name)
			current[name] = old[name]
		}
	}
	return p, writeList(root, next, current)
}

// nextPrefix starts the names of the folders in which files are made ready.
const nextPrefix = "next-"

// removeUnfinished removes what builds that were killed made ready.
func removeUnfinished(root *os.Root) {
	dir, err := root.Open(own)
	if err != nil {
		return
	}
	entries, _ := dir.ReadDir(-1)
	_ = dir.Close()
	for _, e := range entries {
		if strings.HasPrefix(e.Name(), nextPrefix) {
			_ = root.RemoveAll(path.Join(own, e.Name())) // else the next build tries again
		}
	}
}

// changedFiles returns those of files that do not stand in the folder as they are.
func changedFiles(root *os.Root, files []OutFile, old written) ([]OutFile, error) {
	var changed []OutFile
	foreign := &ForeignError{}
	for _, f := range files {
		if !fs.ValidPath(f.Path) || f.Path == "." {
			return nil, fmt.Errorf("output path %q leads outside the output folder", f.Path)
		}
		same, mine, err := compare(root, f, old)
		switch {
		case err != nil:
			return nil, err
		case same:
		case mine:
			changed = append(changed, f)
		default:
			foreign.Paths = append(foreign.Paths, f.Path)
		}
	}
	if len(foreign.Paths) > 0 {
		return nil, foreign
	}
	return changed, nil
}

// compare tells whether a file is there as it is to be, and if not, whether what is there may give way to it: nothing, or
// what an earlier build wrote. The error is that what is there cannot be read.
func compare(root *os.Root, f OutFile, old written) (same, mine bool, err error) {
	info, err := root.Lstat(f.Path)
	switch {
	case err != nil: // it is missing, or a file is where a folder of its path is to be
		return false, blockedBy(root, f.Path) == "" || old.has(blockedBy(root, f.Path)), nil
	case info.IsDir():
		return false, old.holdsAll(root, f.Path), nil
	}
	if !old.has(f.Path) && !info.Mode().IsRegular() {
		return false, false, nil
	}
	have, err := root.ReadFile(f.Path)
	if err != nil && info.Mode().IsRegular() {
		return false, false, err
	}
	same = err == nil && info.Mode().IsRegular() && bytes.Equal(have, f.Data)
	return same, old.has(f.Path), nil
}

// blockedBy returns the file that is where a folder of a path is to be, or "".
func blockedBy(root *os.Root, name string) string {
	for dir := path.Dir(name); dir != "."; dir = path.Dir(dir) {
		if info, err := root.Lstat(dir); err == nil && !info.IsDir() {
			return dir
		}
	}
	return ""
}

func (w written) has(name string) bool {
	_, ok := w[name]
	return ok
}

// holdsAll reports whether all files in a folder were written into it.
func (w written) holdsAll(root *os.Root, dir string) bool {
	all := true
	_ = fs.WalkDir(root.FS(), dir, func(name string, d fs.DirEntry, err error) error {
		all = all && err == nil && (d.IsDir() || w.has(name))
		return nil
	})
	return all
}

// giveWay removes files of an earlier build that are where a folder is to be, and those in a folder that is to be a file.
func (w written) giveWay(root *os.Root, to string) {
	if name := blockedBy(root, to); name != "" && w.has(name) {
		w.remove(root, name)
	}
	if info, err := root.Lstat(to); err != nil || !info.IsDir() {
		return
	}
	for _, name := range w.names() {
		if strings.HasPrefix(name, to+"/") {
			w.remove(root, name)
		}
	}
}

func pagesLast(files []OutFile) []OutFile {
	files = slices.Clone(files)
	slices.SortStableFunc(files, func(a, b OutFile) int { return isPage(a.Path) - isPage(b.Path) })
	return files
}

func pagesFirst(names []string) []string {
	names = slices.Clone(names)
	slices.SortStableFunc(names, func(a, b string) int { return isPage(b) - isPage(a) })
	return names
}

// isPage returns 1 for the name of a page, and 0 for any other.
func isPage(name string) int {
	if strings.HasPrefix(strings.ToLower(path.Ext(name)), ".htm") {
		return 1
	}
	return 0
}

func writeNew(root *os.Root, name string, data []byte) error {
	if err := root.MkdirAll(path.Dir(name), 0o755); err != nil {
		return err
	}
	return root.WriteFile(name, data, 0o644)
}

func moveIn(root *os.Root, from, to string) error {
	if dir := path.Dir(to); dir != "." {
		if err := root.MkdirAll(dir, 0o755); err != nil {
			return err
		}
	}
	return root.Rename(from, to)
}

// written is the files that were written into a folder, each with the hash of what was written, which is empty if that
// is not known.
type written map[string]string

func (w written) names() []string { return slices.Sorted(maps.Keys(w)) }

// fingerprint returns the hash by which a file is known to be as it was written.
func fingerprint(data []byte) string {
	sum := sha256.Sum256(data)
	return hex.EncodeToString(sum[:16])
}

// removal is what came of removing a file.
type removal int

const (
	removedIt removal = iota
	goneIt            // it was not there
	leftIt            // it is not what was written
	failedIt
)

// remove removes a file that was written, and the folders that it leaves empty. A file that somebody changed, or put in
// its place, stays.
func (w written) remove(root *os.Root, name string) removal {
	if !fs.ValidPath(name) {
		return goneIt
	}
	info, err := root.Lstat(name)
	if err != nil {
		return goneIt
	}
	if !info.Mode().IsRegular() {
		return leftIt
	}
	if hash := w[name]; hash != "" {
		if data, err := root.ReadFile(name); err != nil || fingerprint(data) != hash {
			return leftIt
		}
	}
	if root.Remove(name) != nil {
		return failedIt
	}
	for dir := path.Dir(name); dir != "." && root.Remove(dir) == nil; dir = path.Dir(dir) {
	}
	return removedIt
}

// writtenList is the form of the list on disk. Lists of before had names alone.
type writtenList struct {
	Files  []string          `json:"files"`
	Hashes map[string]string `json:"hashes,omitempty"`
}

func readList(root *os.Root) (written, error) {
	data, err := root.ReadFile(ListName)
	if errors.Is(err, fs.ErrNotExist) {
		return nil, nil
	}
	if err != nil {
		return nil, err
	}
	var list writtenList
	if err := json.Unmarshal(data, &list); err != nil {
		return nil, fmt.Errorf("the list of written files, %s, is damaged: %w", ListName, err)
	}
	out := make(written, len(list.Files))
	for _, name := range list.Files {
		out[name] = list.Hashes[name]
	}
	return out, nil
}

func writeList(root *os.Root, next string, w written) error {
	list := writtenList{Files: w.names(), Hashes: make(map[string]string, len(w))}
	for name, hash := range w {
		if hash != "" {
			list.Hashes[name] = hash
		}
	}
	data, err := json.MarshalIndent(list, "", " ")
	if err != nil {
		return err
	}
	fresh := path.Join(next, "written.json.new")
	if err := writeNew(root, fresh, append(data, '\n')); err != nil {
		return err
	}
	return root.Rename(fresh, ListName)
}

// WriteFile writes a single file anywhere, by way of another beside it, so
// that it is old or new and never half.
func WriteFile(name string, data []byte) error {
	if info, err := os.Stat(name); err == nil && info.IsDir() {
		return &fs.PathError{Op: "write", Path: name, Err: ErrDirectory}
	}
	dir := filepath.Dir(name)
	if err := os.MkdirAll(dir, 0o755); err != nil {
		return err
	}
	f, err := os.CreateTemp(dir, "."+filepath.Base(name)+".*")
	if err != nil {
		return err
	}
	defer os.Remove(f.Name()) // fails once it was moved
	_, err = f.Write(data)
	err = errors.Join(err, f.Chmod(0o644), f.Close())
	if err != nil {
		return err
	}
	return os.Rename(f.Name(), name)
}

// IsFolder reports whether there is a folder at a path on disk.
func IsFolder(name string) bool {
	info, err := os.Stat(name)
	return err == nil && info.IsDir()
}

// Exists reports whether there is anything at a path on disk.
func Exists(name string) bool {
	_, err := os.Lstat(name)
	return err == nil
}

// WriteTree writes all files of a file system into a folder, which must be
// empty or not exist, and returns the folder. If dir is empty it makes a
// temporary one.
func WriteTree(dir string, tree fs.FS) (string, error) {
	if dir == "" {
		made, err := os.MkdirTemp("", "rinzel-")
		if err != nil {
			return "", err
		}
		dir = made
	} else if entries, err := os.ReadDir(dir); err == nil && len(entries) > 0 {
		return "", fmt.Errorf("the folder %q is not empty", dir)
	}
	return dir, os.CopyFS(dir, tree)
}
