package emit

import (
	"bytes"
	"io"
	"io/fs"
	"path"
	"slices"
	"strings"
	"time"
)

// FS returns outputs as a file system without file times. It implements
// [fs.ReadFileFS] and [fs.ReadDirFS], and is safe for concurrent use.
func FS(outputs []Output) fs.FS {
	out := outputFS{"": {name: ".", dir: true}}
	for i := range outputs {
		o := &outputs[i]
		out[o.Path] = &node{name: path.Base(o.Path), output: o}
		child := out[o.Path]
		for name := o.Path; name != ""; {
			parent := strings.TrimSuffix(path.Dir(name), ".")
			known := out[parent]
			if known == nil {
				known = &node{name: path.Base(parent), dir: true}
				out[parent] = known
			}
			fresh := len(known.entries) == 0 && parent != ""
			known.entries = append(known.entries, child)
			if !fresh {
				break
			}
			name, child = parent, known
		}
	}
	for _, n := range out {
		slices.SortFunc(n.entries, func(a, b fs.DirEntry) int { return strings.Compare(a.Name(), b.Name()) })
	}
	return out
}

// outputFS has the files and folders by path; the root is "".
type outputFS map[string]*node

// node is a file or folder, and its own fs.FileInfo.
type node struct {
	name    string
	dir     bool
	output  *Output
	entries []fs.DirEntry // of a folder
}

// find returns the node of a path.
func (f outputFS) find(op, name string) (*node, error) {
	if !fs.ValidPath(name) {
		return nil, &fs.PathError{Op: op, Path: name, Err: fs.ErrInvalid}
	}
	key := name
	if name == "." {
		key = ""
	}
	n := f[key]
	if n == nil {
		return nil, &fs.PathError{Op: op, Path: name, Err: fs.ErrNotExist}
	}
	return n, nil
}

// Open opens a file or folder.
func (f outputFS) Open(name string) (fs.File, error) {
	n, err := f.find("open", name)
	if err != nil {
		return nil, err
	}
	if n.dir {
		return &openFolder{node: n}, nil
	}
	if n.output.Copy != nil {
		return n.output.Copy.Open()
	}
	return &openFile{n, bytes.NewReader(n.output.Data)}, nil
}

// ReadFile returns the contents of a file.
func (f outputFS) ReadFile(name string) ([]byte, error) {
	n, err := f.find("read", name)
	if err != nil {
		return nil, err
	}
	if n.dir {
		return nil, &fs.PathError{Op: "read", Path: name, Err: fs.ErrInvalid}
	}
	content, err := n.output.Content()
	return slices.Clone(content), err
}

// ReadDir returns the entries of a folder, sorted by name.
func (f outputFS) ReadDir(name string) ([]fs.DirEntry, error) {
	n, err := f.find("readdir", name)
	if err != nil {
		return nil, err
	}
	if !n.dir {
		return nil, &fs.PathError{Op: "readdir", Path: name, Err: fs.ErrInvalid}
	}
	return slices.Clone(n.entries), nil
}

func (n *node) Name() string               { return n.name }
func (n *node) IsDir() bool                { return n.dir }
func (n *node) Type() fs.FileMode          { return n.Mode().Type() }
func (n *node) Info() (fs.FileInfo, error) { return n, nil }
func (n *node) ModTime() time.Time         { return time.Time{} }
func (n *node) Sys() any                   { return nil }

// Size returns the size of the file.
func (n *node) Size() int64 {
	if n.dir {
		return 0
	}
	return n.output.Size()
}

// Mode returns the mode for reading.
func (n *node) Mode() fs.FileMode {
	if n.dir {
		return fs.ModeDir | 0o555
	}
	return 0o444
}

// openFile is an open file.
type openFile struct {
	*node
	*bytes.Reader
}

func (f *openFile) Stat() (fs.FileInfo, error) { return f.node, nil }
func (f *openFile) Size() int64                { return f.node.Size() }
func (f *openFile) Close() error               { return nil }

// openFolder is an open folder.
type openFolder struct {
	*node
	read int // number of entries read so far
}

func (d *openFolder) Stat() (fs.FileInfo, error) { return d.node, nil }
func (d *openFolder) Close() error               { return nil }

// Read fails: a folder has no contents.
func (d *openFolder) Read([]byte) (int, error) {
	return 0, &fs.PathError{Op: "read", Path: d.name, Err: fs.ErrInvalid}
}

// ReadDir returns the next n entries, or all remaining ones.
func (d *openFolder) ReadDir(n int) ([]fs.DirEntry, error) {
	left := d.entries[d.read:]
	if n > 0 && len(left) == 0 {
		return nil, io.EOF
	}
	if n > 0 {
		left = left[:min(n, len(left))]
	}
	d.read += len(left)
	return slices.Clone(left), nil
}
