package source

import (
	"cmp"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"maps"
	"os"
	"path"
	"path/filepath"
	"slices"
	"sort"
	"strings"
	"sync"
	"time"
	"unicode/utf8"
	"unsafe"

	"golang.org/x/text/encoding/unicode"
)

// MaxFileSize limits the size of files that are read into memory, in bytes.
// Copied files ([Tree.Copy]) have no limit.
const MaxFileSize = 256 << 20

// MaxTextSize limits the size of text files, in bytes: processing needs many
// times as much memory.
const MaxTextSize = 64 << 20

// Errors of reading, in addition to those of package io/fs.
var (
	// ErrNotUTF8 means that a text file is not valid UTF-8.
	ErrNotUTF8 = errors.New("is not UTF-8 text")
	// ErrDirectory means that a path is a folder instead of a file.
	ErrDirectory = errors.New("is a folder, not a file")
	// ErrNotRegular means that a path is a pipe or a device instead of a file.
	ErrNotRegular = errors.New("is a pipe or a device, not a file")
	// ErrOutside means that a path leads out of its folder.
	ErrOutside = errors.New("leads outside its folder")
	// ErrTooLarge means that a file is larger than MaxFileSize.
	ErrTooLarge = fmt.Errorf("is larger than %d MB", MaxFileSize>>20)
	// ErrLongText means that a text file is larger than MaxTextSize.
	ErrLongText = fmt.Errorf("is larger than %d MB", MaxTextSize>>20)
	// ErrNoRoot means that a path has an unknown root.
	ErrNoRoot = errors.New("names no root")
)

// EncodingError tells where the text of a file is not valid UTF-8.
type EncodingError struct {
	File *File // its text ends before the first invalid byte
}

// Error names the file.
func (e *EncodingError) Error() string { return e.File.Name + " " + ErrNotUTF8.Error() }

// Unwrap makes the error match ErrNotUTF8.
func (e *EncodingError) Unwrap() error { return ErrNotUTF8 }

// Folder is a readable folder: the source folder, or a root.
type Folder struct {
	Name string // root; empty for the source folder
	Show string // displayed path; empty for the working folder. One with a colon at the end is no folder on disk.
	FS   fs.FS
}

// OpenFolder opens a folder on disk. Reads never leave the folder, whatever
// symbolic links it contains. The caller must close the io.Closer.
func OpenFolder(name, dir, show string) (Folder, io.Closer, error) {
	root, err := os.OpenRoot(dir)
	if err != nil {
		return Folder{}, nil, err
	}
	if show == "." {
		show = ""
	}
	return Folder{Name: name, Show: filepath.ToSlash(show), FS: root.FS()}, root, nil
}

// Tree is everything that a build may read. It caches texts, so that each file
// is read once and looks the same for all readers. It is safe for concurrent
// use.
type Tree struct {
	Set *Set
	// NoteLinks makes the tree record which files it reads through symbolic
	// links, see [Tree.Linked]. It must be set before anything is read.
	NoteLinks bool

	folders map[string]Folder

	mu     sync.Mutex
	texts  map[Path]*reading
	copies map[Path]*hashed
	old    []*File         // forgotten files that findings of the last build may refer to
	opened map[Path]error  // files that were opened, with the error
	linked map[Path]bool   // those reached through a symbolic link
	labels map[Path]string // see [Tree.SetEncoding]
	label  string          // the first label

	overlays map[Path][]byte // texts that are not saved yet, see [Tree.Overlay]

	lister lister
	heads  sync.Map // first bytes of files: Path to string

	there    sync.Map // whether a path is a file: Path to bool
	caseless sync.Map // whether a folder is case-insensitive: its name to bool
}

// reading is a file that was read, or is being read.
type reading struct {
	once   sync.Once
	file   *File
	err    error
	before *File // the file before it was forgotten, or nil
}

// NewTree returns a tree of folders with different names.
func NewTree(folders ...Folder) *Tree {
	t := &Tree{Set: new(Set), folders: make(map[string]Folder), texts: make(map[Path]*reading),
		copies: make(map[Path]*hashed), opened: make(map[Path]error)}
	for _, f := range folders {
		t.folders[f.Name] = f
	}
	return t
}

// AddFolder adds a folder to the tree. It must not be called while the tree is
// in use.
func (t *Tree) AddFolder(f Folder) { t.folders[f.Name] = f }

// HasRoot reports whether a root exists.
func (t *Tree) HasRoot(name string) bool {
	_, ok := t.folders[name]
	return ok
}

// Roots returns the names of all roots, sorted, without the source folder.
func (t *Tree) Roots() []string {
	var names []string
	for name := range t.folders {
		if name != "" {
			names = append(names, name)
		}
	}
	sort.Strings(names)
	return names
}

// Show returns the path for display, relative to the working folder.
func (t *Tree) Show(p Path) string {
	show := t.folders[p.Root].Show
	if strings.HasSuffix(show, ":") {
		return show + p.Name
	}
	return path.Join(show, p.Name)
}

// Text reads a text file. A file that is not UTF-8 is decoded by the encoding
// that it declares, or that was set by [Tree.SetEncoding]. The error wraps one
// of this package or of io/fs, without the path.
func (t *Tree) Text(p Path) (*File, error) {
	t.mu.Lock()
	r := t.texts[p]
	if r == nil {
		r = new(reading)
		t.texts[p] = r
	}
	t.mu.Unlock()
	r.once.Do(func() {
		r.file, r.err = t.readText(p, r.before)
		if r.before != nil && r.file != r.before {
			t.mu.Lock()
			t.old = append(t.old, r.before)
			t.mu.Unlock()
		}
		r.before = nil
	})
	return r.file, r.err
}

// Put sets the text of a path that is not on disk, such as standard input, with
// its displayed path. It must be called before the path is read.
func (t *Tree) Put(p Path, show string, text []byte) {
	r := &reading{}
	r.once.Do(func() {
		if utf8.Valid(text) {
			r.file = t.Set.Add(p, show, string(text))
		} else {
			r.err = &EncodingError{t.Set.Add(p, show, string(text[:validPrefix(string(text))]))}
		}
	})
	t.mu.Lock()
	t.texts[p] = r
	t.mu.Unlock()
	t.there.Store(p, true)
}

// Holds reports whether a file is the current version of its path.
func (t *Tree) Holds(f *File) bool {
	t.mu.Lock()
	defer t.mu.Unlock()
	r := t.texts[f.Path]
	return r != nil && r.file == f
}

// Read returns the displayed paths of the text files read so far, sorted.
func (t *Tree) Read() []string {
	t.mu.Lock()
	defer t.mu.Unlock()
	var out []string
	for p := range t.texts {
		out = append(out, t.Show(p))
	}
	sort.Strings(out)
	return out
}

// Forget makes the tree read a file, and check its existence, again. If its
// text is unchanged, the tree returns the same [File] as before. It must not be
// called while the tree is in use.
func (t *Tree) Forget(p Path) {
	if r := t.texts[p]; r != nil {
		delete(t.texts, p)
		if before := cmp.Or(r.file, r.before); before != nil {
			t.texts[p] = &reading{before: before}
		}
	}
	delete(t.copies, p)
	delete(t.opened, p)
	t.there.Delete(p)
	t.heads.Delete(p)
	t.staleListing(p)
}

// Missing returns the paths in a root that were looked for and do not exist,
// sorted.
func (t *Tree) Missing(root string) []Path {
	var out []Path
	t.there.Range(func(key, there any) bool {
		if p := key.(Path); p.Root == root && !there.(bool) && fs.ValidPath(p.Name) {
			out = append(out, p)
		}
		return true
	})
	sort.Slice(out, func(i, k int) bool { return out[i].Name < out[k].Name })
	return out
}

// Found calls visit with each file that was looked for and exists, in no
// particular order.
func (t *Tree) Found(visit func(Path)) {
	t.there.Range(func(key, there any) bool {
		if there.(bool) {
			visit(key.(Path))
		}
		return true
	})
}

// DropOld releases the texts of forgotten files: positions in them must not be
// used any more. It must not be called while the tree is in use.
func (t *Tree) DropOld() {
	for _, f := range t.old {
		t.Set.Drop(f)
	}
	t.old = nil
}

// Opened calls visit with each file that was opened, and the error, in no
// particular order.
func (t *Tree) Opened(visit func(Path, error)) {
	t.mu.Lock()
	opened := maps.Clone(t.opened)
	t.mu.Unlock()
	for p, err := range opened {
		visit(p, err)
	}
}

// Linked returns the files read through symbolic links, sorted: they may change
// outside of the watched folders.
func (t *Tree) Linked() []Path {
	t.mu.Lock()
	defer t.mu.Unlock()
	var out []Path
	for p := range t.linked {
		out = append(out, p)
	}
	sort.Slice(out, func(i, k int) bool { return out[i].String() < out[k].String() })
	return out
}

// noteLink records a file that is reached through a symbolic link.
func (t *Tree) noteLink(p Path) {
	links, ok := t.folders[p.Root].FS.(fs.ReadLinkFS)
	if !ok || !t.NoteLinks || !fs.ValidPath(p.Name) {
		return
	}
	for name := p.Name; name != "."; name = path.Dir(name) {
		if info, err := links.Lstat(name); err == nil && info.Mode()&fs.ModeSymlink != 0 {
			t.mu.Lock()
			if t.linked == nil {
				t.linked = make(map[Path]bool)
			}
			t.linked[p] = true
			t.mu.Unlock()
			return
		}
	}
}

// readText reads a text file; before is its previous version, or nil.
func (t *Tree) readText(p Path, before *File) (*File, error) {
	data, err := t.Bytes(p)
	switch {
	case err != nil:
		return nil, err
	case len(data) > MaxTextSize:
		return nil, ErrLongText
	}
	text := unsafe.String(unsafe.SliceData(data), len(data)) // nobody else has the bytes
	if before != nil && before.holds(text) {
		return before, nil
	}
	if utf8.ValidString(text) {
		return t.Set.Add(p, t.Show(p), text), nil
	}
	decoded, enc, ok := t.decode(p, data)
	if !ok {
		return nil, &EncodingError{t.Set.Add(p, t.Show(p), text[:validPrefix(text)])}
	}
	f := newFile(p, t.Show(p), decoded)
	if enc != unicode.UTF8 { // otherwise invalid bytes are replaced, as in browsers
		f.encoding, f.raw = enc, data
	}
	return t.Set.add(f), nil
}

// validPrefix returns the length of the valid UTF-8 at the start of s.
func validPrefix(s string) int {
	for i := 0; i < len(s); {
		r, n := utf8.DecodeRuneInString(s[i:])
		if r == utf8.RuneError && n == 1 {
			return i
		}
		i += n
	}
	return len(s)
}

// Overlay sets the text of a file that is not saved yet: it is read instead of what is on
// disk. nil removes it. It must not be called while the tree is in use.
func (t *Tree) Overlay(p Path, text []byte) {
	if text == nil {
		delete(t.overlays, p)
	} else {
		if t.overlays == nil {
			t.overlays = make(map[Path][]byte)
		}
		t.overlays[p] = text
	}
	t.Forget(p)
}

// Bytes reads a whole file. The error is like that of [Tree.Text].
func (t *Tree) Bytes(p Path) ([]byte, error) {
	if text, ok := t.overlays[p]; ok {
		return slices.Clone(text), nil
	}
	f, info, err := t.open(p)
	if err != nil {
		return nil, err
	}
	defer f.Close()
	if info.Size() > MaxFileSize {
		return nil, ErrTooLarge
	}
	data := make([]byte, 0, info.Size()+1)
	for {
		n, err := f.Read(data[len(data):cap(data)])
		data = data[:len(data)+n]
		switch {
		case err == io.EOF:
			return data, nil
		case err != nil:
			return nil, plain(err)
		case len(data) > MaxFileSize: // it grew while it was read
			return nil, ErrTooLarge
		case len(data) == cap(data):
			data = append(data, 0)[:len(data)]
		}
	}
}

// open opens a regular file, and records it. The error is like that of
// [Tree.Text].
func (t *Tree) open(p Path) (fs.File, fs.FileInfo, error) {
	t.noteLink(p)
	f, info, err := t.openRegular(p)
	t.mu.Lock()
	t.opened[p] = err
	t.mu.Unlock()
	return f, info, err
}

// openRegular is open without recording.
func (t *Tree) openRegular(p Path) (fs.File, fs.FileInfo, error) {
	folder, ok := t.folders[p.Root]
	if !ok {
		return nil, nil, ErrNoRoot
	}
	if !fs.ValidPath(p.Name) {
		return nil, nil, ErrOutside
	}
	// Opening a pipe would block.
	if info, err := fs.Stat(folder.FS, p.Name); err == nil && !info.IsDir() && !info.Mode().IsRegular() {
		return nil, nil, ErrNotRegular
	}
	f, err := folder.FS.Open(p.Name)
	if err != nil {
		return nil, nil, plain(err)
	}
	info, err := f.Stat()
	switch {
	case err != nil:
		err = plain(err)
	case info.IsDir():
		err = ErrDirectory
	case !info.Mode().IsRegular():
		err = ErrNotRegular
	default:
		return f, info, nil
	}
	_ = f.Close()
	return nil, nil, err
}

// headSize is the size of the head of a file.
const headSize = 256

// Head returns the first bytes of a file, at most 256; "" if it cannot be read
// or is not a regular file.
func (t *Tree) Head(p Path) string {
	if head, ok := t.heads.Load(p); ok {
		return head.(string)
	}
	head := string(t.readHead(p))
	t.heads.Store(p, head)
	return head
}

// readHead is Head without the cache.
func (t *Tree) readHead(p Path) []byte {
	if text, ok := t.overlays[p]; ok {
		return text[:min(len(text), headSize)]
	}
	f, _, err := t.open(p)
	if err != nil {
		return nil
	}
	defer f.Close()
	data, err := io.ReadAll(io.LimitReader(f, headSize))
	if err != nil {
		return nil
	}
	return data
}

// Modified returns the modification time of a file, uncached. ok is false if it
// does not exist.
func (t *Tree) Modified(p Path) (at time.Time, ok bool) {
	folder, ok := t.folders[p.Root]
	if !ok || !fs.ValidPath(p.Name) {
		return at, false
	}
	info, err := fs.Stat(folder.FS, p.Name)
	if err != nil {
		return at, false
	}
	return info.ModTime(), true
}

// Exists reports whether p is a file that can be opened. The answer is cached.
func (t *Tree) Exists(p Path) bool {
	if there, ok := t.there.Load(p); ok {
		return there.(bool)
	}
	there := t.exists(p)
	t.there.Store(p, there)
	return there
}

// exists is Exists without the cache.
func (t *Tree) exists(p Path) bool {
	folder, ok := t.folders[p.Root]
	if !ok || !fs.ValidPath(p.Name) {
		return false
	}
	info, err := fs.Stat(folder.FS, p.Name)
	return err == nil && info.Mode().IsRegular()
}

// plain returns err without path and operation, and maps the error of os.Root
// for paths outside of it to ErrOutside.
func plain(err error) error {
	var pe *fs.PathError
	if !errors.As(err, &pe) {
		return err
	}
	switch {
	case errors.Is(pe.Err, fs.ErrNotExist):
		return fs.ErrNotExist
	case errors.Is(pe.Err, fs.ErrPermission):
		return fs.ErrPermission
	case strings.Contains(pe.Err.Error(), "escapes"): // os.Root does not export this error
		return ErrOutside
	}
	return pe.Err
}

// Walk calls visit for every regular file of a folder, in lexical order of the
// whole path. enter decides which folders are entered. Symbolic links to
// folders are not followed. Unreadable folders are passed to failed and
// skipped.
func (t *Tree) Walk(root string, enter func(dir string) bool, visit func(Path), failed func(Path, error)) {
	folder, ok := t.folders[root]
	if !ok {
		return
	}
	_ = fs.WalkDir(folder.FS, ".", func(name string, d fs.DirEntry, err error) error {
		switch {
		case err != nil:
			t.mu.Lock()
			t.opened[Path{root, name}] = plain(err)
			t.mu.Unlock()
			failed(Path{root, name}, plain(err))
			if d != nil && d.IsDir() {
				return fs.SkipDir
			}
		case d.IsDir():
			if name != "." && !enter(name) {
				return fs.SkipDir
			}
		case d.Type().IsRegular():
			visit(Path{root, name})
		case d.Type()&fs.ModeSymlink != 0 && t.Exists(Path{root, name}):
			visit(Path{root, name})
		}
		return nil
	})
}

// Siblings returns the names in the folder of p, for suggestions; nil if the
// folder does not exist.
func (t *Tree) Siblings(p Path) []string {
	folder, ok := t.folders[p.Root]
	dir := path.Dir(p.Name)
	if !ok || !fs.ValidPath(dir) {
		return nil
	}
	entries, err := fs.ReadDir(folder.FS, dir)
	if err != nil {
		return nil
	}
	var names []string
	for _, e := range entries {
		names = append(names, e.Name())
	}
	return names
}

// Resolve returns the path of a reference in the file from. ref is a path, not
// a URL: percent-encoding, query and fragment must be removed before. A leading
// slash means the top of from's folder. ok is false if the path leads outside.
func Resolve(from Path, ref string) (p Path, ok bool) {
	var name string
	if strings.HasPrefix(ref, "/") {
		name = path.Clean(strings.TrimLeft(ref, "/"))
	} else {
		name = path.Join(path.Dir(from.Name), ref)
	}
	return Path{from.Root, name}, fs.ValidPath(name)
}
