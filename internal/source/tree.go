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
	"sort"
	"strings"
	"sync"
	"time"
	"unicode/utf8"
	"unsafe"

	"golang.org/x/text/encoding/unicode"
)

// MaxFileSize is the largest file that is read as a whole, in bytes. A larger one is no style sheet or page, and would only
// exhaust the memory. What is only copied ([Tree.Copy]) may have any size.
const MaxFileSize = 256 << 20

// MaxTextSize is the largest text file that is read, in bytes: what is made of a text takes many times its room.
const MaxTextSize = 64 << 20

// Errors that a read can end with, besides those of the io/fs package.
var (
	// ErrNotUTF8 means that a text file holds bytes that are not UTF-8.
	ErrNotUTF8 = errors.New("is not UTF-8 text")
	// ErrDirectory means that a folder stands where a file is expected.
	ErrDirectory = errors.New("is a folder, not a file")
	// ErrNotRegular means that a pipe or a device stands where a file is expected.
	ErrNotRegular = errors.New("is a pipe or a device, not a file")
	// ErrOutside means that a path leads out of the folder it is relative to.
	ErrOutside = errors.New("leads outside its folder")
	// ErrTooLarge means that a file is larger than MaxFileSize.
	ErrTooLarge = fmt.Errorf("is larger than %d MB", MaxFileSize>>20)
	// ErrLongText means that a text file is larger than MaxTextSize.
	ErrLongText = fmt.Errorf("is larger than %d MB", MaxTextSize>>20)
	// ErrNoRoot means that no root has the name in a path.
	ErrNoRoot = errors.New("names no root")
)

// EncodingError tells where the text of a file stops being UTF-8.
type EncodingError struct {
	File *File // its text ends before the first byte that is not UTF-8
}

func (e *EncodingError) Error() string { return e.File.Name + " " + ErrNotUTF8.Error() }

// Unwrap makes the error match ErrNotUTF8.
func (e *EncodingError) Unwrap() error { return ErrNotUTF8 }

// Folder is a folder that may be read: the source folder, or a root.
type Folder struct {
	Name string // the root's name; empty for the source folder
	Show string // how people are shown its path; empty for the working folder
	FS   fs.FS
}

// OpenFolder opens a folder on disk. Reads through it never leave it, whatever
// symbolic links it holds. The caller closes the returned io.Closer.
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

// Tree is all that a build may read. It keeps each text file it has read, so
// a file is read once and looks the same to all who ask. It is safe for
// concurrent use.
type Tree struct {
	Set *Set
	// NoteLinks has the tree note which files it reads by way of a symbolic link: see
	// [Tree.Linked]. It is set before anything is read.
	NoteLinks bool

	folders map[string]Folder

	mu     sync.Mutex
	kept   map[Path]*reading
	copies map[Path]*hashed
	old    []*File         // that were forgotten, and of which findings of the last build may tell
	opened map[Path]error  // files that were to be read, and what came of it
	linked map[Path]bool   // those to which a symbolic link leads
	labels map[Path]string // see [Tree.SetEncoding]
	label  string          // the first of them

	lister lister
	heads  sync.Map // the first bytes of files: Path to string

	there    sync.Map // whether a path is a file: Path to bool
	caseless sync.Map // whether a folder takes upper and lower case for the same: its name to bool
}

// reading is a file that was read, or is being read.
type reading struct {
	once   sync.Once
	file   *File
	err    error
	before *File // what it held when it was read before it was forgotten; nil if it was not
}

// NewTree returns a tree over folders, whose names must differ.
func NewTree(folders ...Folder) *Tree {
	t := &Tree{Set: new(Set), folders: make(map[string]Folder), kept: make(map[Path]*reading), copies: make(map[Path]*hashed), opened: make(map[Path]error)}
	for _, f := range folders {
		t.folders[f.Name] = f
	}
	return t
}

// AddFolder makes another folder part of the tree. It must not be called
// while the tree is read from.
func (t *Tree) AddFolder(f Folder) { t.folders[f.Name] = f }

// HasRoot reports whether the tree has a folder of that name.
func (t *Tree) HasRoot(name string) bool {
	_, ok := t.folders[name]
	return ok
}

// Roots returns the names of all roots, sorted, without the source folder's.
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

// Show returns the path as people are shown it, relative to the working folder.
func (t *Tree) Show(p Path) string { return path.Join(t.folders[p.Root].Show, p.Name) }

// Text reads a text file, in the encoding that it names or that [Tree.SetEncoding] says if it
// is not UTF-8. The error is nil or wraps one of the package's
// errors or of io/fs; it does not repeat the path.
func (t *Tree) Text(p Path) (*File, error) {
	t.mu.Lock()
	r := t.kept[p]
	if r == nil {
		r = new(reading)
		t.kept[p] = r
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

// Put has a path hold a text that is on no disk, such as that of standard input, and that people are shown
// under a name of its own. It must be called before the path is asked for.
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
	t.kept[p] = r
	t.mu.Unlock()
	t.there.Store(p, true)
}

// Holds reports whether a file is what its path was read as last, and was not forgotten since.
func (t *Tree) Holds(f *File) bool {
	t.mu.Lock()
	defer t.mu.Unlock()
	r := t.kept[f.Path]
	return r != nil && r.file == f
}

// Read returns the text files that were asked for, as people are shown them, sorted.
func (t *Tree) Read() []string {
	t.mu.Lock()
	defer t.mu.Unlock()
	var out []string
	for p := range t.kept {
		out = append(out, t.Show(p))
	}
	sort.Strings(out)
	return out
}

// Forget has the tree read a file again when it is asked for next, and look whether it
// is there. A file that turns out to hold the text of before is the same [File] as before. It must not be called while the tree
// is read from.
func (t *Tree) Forget(p Path) {
	if r := t.kept[p]; r != nil {
		delete(t.kept, p)
		if before := cmp.Or(r.file, r.before); before != nil {
			t.kept[p] = &reading{before: before}
		}
	}
	delete(t.copies, p)
	delete(t.opened, p)
	t.there.Delete(p)
	t.heads.Delete(p)
	t.staleListing(p)
}

// Missing returns the paths in a folder of which it was asked whether there is a file, and there was none, sorted.
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

// Found calls visit with each file of which it was asked whether it is there, and that is, in no order.
func (t *Tree) Found(visit func(Path)) {
	t.there.Range(func(key, there any) bool {
		if there.(bool) {
			visit(key.(Path))
		}
		return true
	})
}

// DropOld gives up the texts of files that were forgotten: nothing may refer to places in them any more. It must not be called
// while the tree is read from.
func (t *Tree) DropOld() {
	for _, f := range t.old {
		t.Set.Drop(f)
	}
	t.old = nil
}

// Opened calls visit with each file of which something was to be read, whether it is there or not, and with the error, in no
// order.
func (t *Tree) Opened(visit func(Path, error)) {
	t.mu.Lock()
	opened := maps.Clone(t.opened)
	t.mu.Unlock()
	for p, err := range opened {
		visit(p, err)
	}
}

// Linked returns the files that were read by way of a symbolic link, sorted: they
// may change where nobody looks for it.
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

// noteLink notes a file if a symbolic link leads to it.
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

// readText reads a text file, which held before when it was read last; nil if it was not.
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
	if enc != unicode.UTF8 { // else some of its bytes are replaced, as browsers do
		f.encoding, f.raw = enc, data
	}
	return t.Set.add(f), nil
}

// validPrefix returns how many bytes of s are UTF-8 from its start.
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

// Bytes reads any file whole. The error is as [Tree.Text] returns it.
func (t *Tree) Bytes(p Path) ([]byte, error) {
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
		case len(data) > MaxFileSize: // it grew while being read
			return nil, ErrTooLarge
		case len(data) == cap(data):
			data = append(data, 0)[:len(data)]
		}
	}
}

// open opens a regular file, and notes it. The error is as [Tree.Text] returns it.
func (t *Tree) open(p Path) (fs.File, fs.FileInfo, error) {
	t.noteLink(p)
	f, info, err := t.openRegular(p)
	t.mu.Lock()
	t.opened[p] = err
	t.mu.Unlock()
	return f, info, err
}

func (t *Tree) openRegular(p Path) (fs.File, fs.FileInfo, error) {
	folder, ok := t.folders[p.Root]
	if !ok {
		return nil, nil, ErrNoRoot
	}
	if !fs.ValidPath(p.Name) {
		return nil, nil, ErrOutside
	}
	// Opening a pipe would wait for who writes into it.
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

// headSize is how many bytes of a file are its head.
const headSize = 256

// Head returns the first bytes of a file, at most 256; none if it cannot be read, or is not a regular file.
func (t *Tree) Head(p Path) string {
	if head, ok := t.heads.Load(p); ok {
		return head.(string)
	}
	head := string(t.readHead(p))
	t.heads.Store(p, head)
	return head
}

func (t *Tree) readHead(p Path) []byte {
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

// Modified returns when a file was last written. It is asked of the disk each time. ok is false if there is no such file.
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

// Exists reports whether p is a file that can be opened. It is asked of the
// disk once.
func (t *Tree) Exists(p Path) bool {
	if there, ok := t.there.Load(p); ok {
		return there.(bool)
	}
	there := t.exists(p)
	t.there.Store(p, there)
	return there
}

func (t *Tree) exists(p Path) bool {
	folder, ok := t.folders[p.Root]
	if !ok || !fs.ValidPath(p.Name) {
		return false
	}
	info, err := fs.Stat(folder.FS, p.Name)
	return err == nil && info.Mode().IsRegular()
}

// plain returns err without the path and the operation, which a diagnostic
// words better, and maps the refusal of os.Root to ErrOutside.
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
	case strings.Contains(pe.Err.Error(), "escapes"): // os.Root exports no value for it
		return ErrOutside
	}
	return pe.Err
}

// Walk calls visit for every regular file of a folder, in lexical order of
// the whole path, with the path below the folder. enter decides for each
// folder whether it is walked. Symbolic links to folders are not followed.
// A folder that cannot be read is passed to failed and left out.
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

// Siblings returns the names of the entries in the folder that would hold p,
// so that a near one can be proposed; nil if there is no such folder.
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

// Resolve returns the path that ref names when it stands in a file at from.
// ref is a path, not a URL: percent-encoding is undone and query and fragment
// are cut before. A leading slash means the top of from's folder.
// ok is false when the path leads outside the folder.
func Resolve(from Path, ref string) (p Path, ok bool) {
	var name string
	if strings.HasPrefix(ref, "/") {
		name = path.Clean(strings.TrimLeft(ref, "/"))
	} else {
		name = path.Join(path.Dir(from.Name), ref)
	}
	return Path{from.Root, name}, fs.ValidPath(name)
}
