package source

import (
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"maps"
	"os"
	"path"
	"slices"
	"syscall"
)

// ListName is the list of the files that were written into an output folder,
// and so what tells one from other folders.
const ListName = own + "/written.json"

// written is the files that were written into a folder.
type written map[string]record

// record is what is known of a file that was written. The zero record is of one that may be old or new.
type record struct {
	Hash string `json:"hash,omitempty"`
	Size int64  `json:"size,omitempty"` // in bytes
	Time int64  `json:"time,omitempty"` // when it was written, in nanoseconds since 1970
}

func recordOf(hash string, info fs.FileInfo) record {
	return record{hash, info.Size(), info.ModTime().UnixNano()}
}

// describes reports whether a file is the one that was written, by its size and its time.
func (r record) describes(info fs.FileInfo) bool {
	return info.Mode().IsRegular() && r.Size == info.Size() && r.Time == info.ModTime().UnixNano()
}

func (w written) names() []string { return slices.Sorted(maps.Keys(w)) }

func (w written) has(name string) bool {
	_, ok := w[name]
	return ok
}

// fingerprint returns the hash by which a file is known to be as it was written.
func fingerprint(sum Sum) string { return hex.EncodeToString(sum[:16]) }

func sumOfBytes(data []byte) Sum { return sha256.Sum256(data) }

// hashOf returns the fingerprint of a file in the output folder.
func hashOf(root *os.Root, name string) (string, error) {
	f, err := root.Open(name)
	if err != nil {
		return "", err
	}
	defer f.Close()
	sum, _, err := sumOf(f)
	return fingerprint(sum), err
}

// isThere looks at a path in the output folder, without following a link at its end.
func isThere(root *os.Root, name string) (info fs.FileInfo, there bool, err error) {
	info, err = root.Lstat(name)
	if errors.Is(err, fs.ErrNotExist) || errors.Is(err, syscall.ENOTDIR) {
		return nil, false, nil
	}
	return info, err == nil, err
}

// unchanged reports whether a file is in the list and as it was written. The error is that it cannot be read.
func (w written) unchanged(root *os.Root, name string) (bool, error) {
	r, ok := w[name]
	if !ok {
		return false, nil
	}
	info, there, err := isThere(root, name)
	if !there || !info.Mode().IsRegular() {
		return false, err
	}
	if r.Hash == "" || r.describes(info) {
		return true, nil
	}
	if r.Size != info.Size() {
		return false, nil
	}
	hash, err := hashOf(root, name)
	return err == nil && hash == r.Hash, err
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

// holdsAll reports whether all files in a folder were written into it, and are as they were written.
func (w written) holdsAll(root *os.Root, dir string) bool {
	all := true
	_ = fs.WalkDir(root.FS(), dir, func(name string, d fs.DirEntry, err error) error {
		if err == nil && d.IsDir() {
			return nil
		}
		if same, failed := w.unchanged(root, name); err != nil || failed != nil || !same {
			all = false
			return fs.SkipAll
		}
		return nil
	})
	return all
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
	_, there, err := isThere(root, name)
	switch {
	case err != nil && plain(err) == ErrOutside:
		return leftIt // by way of a link that somebody put there
	case err != nil:
		return failedIt
	case !there:
		return goneIt
	}
	same, err := w.unchanged(root, name)
	switch {
	case err != nil:
		return failedIt
	case !same:
		return leftIt
	case root.Remove(name) != nil:
		return failedIt
	}
	removeEmpty(root, path.Dir(name))
	return removedIt
}

// removeEmpty removes a folder and those around it as long as they are empty, or not there.
func removeEmpty(root *os.Root, dir string) {
	for ; dir != "."; dir = path.Dir(dir) {
		if err := root.Remove(dir); err != nil && !errors.Is(err, fs.ErrNotExist) {
			return
		}
	}
}

// writtenList is the form of the list on disk.
type writtenList struct {
	Files written `json:"files"`
}

// readRegular reads a file in the output folder. Opening a pipe would wait for who writes into it.
func readRegular(root *os.Root, name string) ([]byte, error) {
	if info, err := root.Stat(name); err == nil && !info.Mode().IsRegular() {
		return nil, &fs.PathError{Op: "read", Path: name, Err: ErrNotRegular}
	}
	return root.ReadFile(name)
}

func readList(root *os.Root) (written, error) {
	data, err := readRegular(root, ListName)
	if errors.Is(err, fs.ErrNotExist) {
		return nil, nil
	}
	if err != nil {
		return nil, err
	}
	var list writtenList
	if err := json.Unmarshal(data, &list); err != nil {
		return nil, fmt.Errorf("the list of written files %s is damaged: %w", ListName, err)
	}
	return list.Files, nil
}

func writeList(root *os.Root, next string, w written) error {
	data, err := json.MarshalIndent(writtenList{w}, "", " ")
	if err != nil {
		return err
	}
	if err := root.MkdirAll(next, 0o755); err != nil {
		return err
	}
	fresh := path.Join(next, "written.json.new")
	if err := root.WriteFile(fresh, append(data, '\n'), 0o644); err != nil {
		return err
	}
	return root.Rename(fresh, ListName)
}
