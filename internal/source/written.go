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

// ListName is the list of written files in an output folder, which also
// identifies output folders.
const ListName = own + "/written.json"

// written is the files that were written to a folder.
type written map[string]record

// record describes a written file. The zero record is that of a file that may
// be old or new.
type record struct {
	Hash string `json:"hash,omitempty"`
	Size int64  `json:"size,omitempty"` // in bytes
	Time int64  `json:"time,omitempty"` // modification time in nanoseconds since 1970
}

// recordOf returns the record of a file.
func recordOf(hash string, info fs.FileInfo) record {
	return record{hash, info.Size(), info.ModTime().UnixNano()}
}

// describes reports whether a file is the written one, by size and time.
func (r record) describes(info fs.FileInfo) bool {
	return info.Mode().IsRegular() && r.Size == info.Size() && r.Time == info.ModTime().UnixNano()
}

// names returns the names of the files, sorted.
func (w written) names() []string { return slices.Sorted(maps.Keys(w)) }

// has reports whether a file is in the list.
func (w written) has(name string) bool {
	_, ok := w[name]
	return ok
}

// fingerprint returns the hash that identifies the contents of a written file.
func fingerprint(sum Sum) string { return hex.EncodeToString(sum[:16]) }

// sumOfBytes returns the hash of data.
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

// isThere looks up a path in the output folder, without following a final link.
func isThere(root *os.Root, name string) (info fs.FileInfo, there bool, err error) {
	info, err = root.Lstat(name)
	if errors.Is(err, fs.ErrNotExist) || errors.Is(err, syscall.ENOTDIR) {
		return nil, false, nil
	}
	return info, err == nil, err
}

// unchanged reports whether a file is in the list and not modified. The error
// is that it cannot be read.
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

// blockedBy returns the file in place of a parent folder of a path, or "".
func blockedBy(root *os.Root, name string) string {
	for dir := path.Dir(name); dir != "."; dir = path.Dir(dir) {
		if info, err := root.Lstat(dir); err == nil && !info.IsDir() {
			return dir
		}
	}
	return ""
}

// holdsAll reports whether all files in a folder are in the list and not
// modified.
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

// removal is the result of removing a file.
type removal int

// The results.
const (
	deleted     removal = iota
	alreadyGone         // it did not exist
	notRemoved          // it was modified
	failedIt
)

// remove removes a written file, and the folders that become empty. A file that
// somebody modified or replaced is not removed.
func (w written) remove(root *os.Root, name string) removal {
	if !fs.ValidPath(name) {
		return alreadyGone
	}
	_, there, err := isThere(root, name)
	switch {
	case err != nil && plain(err) == ErrOutside:
		return notRemoved // through a link that somebody created
	case err != nil:
		return failedIt
	case !there:
		return alreadyGone
	}
	same, err := w.unchanged(root, name)
	switch {
	case err != nil:
		return failedIt
	case !same:
		return notRemoved
	case root.Remove(name) != nil:
		return failedIt
	}
	removeEmpty(root, path.Dir(name))
	return deleted
}

// removeEmpty removes a folder and its parents as long as they are empty or
// missing.
func removeEmpty(root *os.Root, dir string) {
	for ; dir != "."; dir = path.Dir(dir) {
		if err := root.Remove(dir); err != nil && !errors.Is(err, fs.ErrNotExist) {
			return
		}
	}
}

// writtenList is the list on disk.
type writtenList struct {
	Files written `json:"files"`
}

// readRegular reads a file in the output folder. Opening a pipe would block.
func readRegular(root *os.Root, name string) ([]byte, error) {
	if info, err := root.Stat(name); err == nil && !info.Mode().IsRegular() {
		return nil, &fs.PathError{Op: "read", Path: name, Err: ErrNotRegular}
	}
	return root.ReadFile(name)
}

// readList reads the list.
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

// writeList writes the list.
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
