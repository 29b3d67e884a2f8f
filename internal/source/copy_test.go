package source

import (
	"errors"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"runtime"
	"strings"
	"testing"
	"time"
)

// openDir returns a tree for a folder on disk.
func openDir(t *testing.T, dir string) *Tree {
	t.Helper()
	folder, closer, err := OpenFolder("", dir, "")
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = closer.Close() })
	return NewTree(folder)
}

// TestCopy checks that a file larger than the limit for reading is copied
// without being held in memory.
func TestCopy(t *testing.T) {
	dir, public := t.TempDir(), filepath.Join(t.TempDir(), "public")
	const size = MaxFileSize + 1
	video := filepath.Join(dir, "harbour.mp4")
	if err := errors.Join(os.WriteFile(video, []byte("start"), 0o644), os.Truncate(video, size)); err != nil {
		t.Fatal(err)
	}
	tree := openDir(t, dir)
	if _, err := tree.Bytes(Path{Name: "harbour.mp4"}); !errors.Is(err, ErrTooLarge) {
		t.Errorf("read whole: %v", err)
	}
	var before, after runtime.MemStats
	runtime.ReadMemStats(&before)
	c, err := tree.Copy(Path{Name: "harbour.mp4"})
	if err != nil || c.Size != size {
		t.Fatalf("%+v, %v", c, err)
	}
	files := []OutFile{{Path: "harbour.mp4", Copy: c}}
	for i, want := range []int{1, 0} {
		if p, err := Publish(t.Context(), public, files, PublishOptions{}); err != nil || p.Written != want {
			t.Fatalf("call %d: %+v, %v", i+1, p, err)
		}
	}
	if runtime.ReadMemStats(&after); after.TotalAlloc-before.TotalAlloc > 8<<20 {
		t.Errorf("copying it took %d MB of memory", (after.TotalAlloc-before.TotalAlloc)>>20)
	}
	if info, err := os.Stat(filepath.Join(public, "harbour.mp4")); err != nil || info.Size() != size {
		t.Errorf("%v, %v", info, err)
	}
	if again, err := tree.Copy(Path{Name: "harbour.mp4"}); again != c || err != nil {
		t.Errorf("a second time: %p is not %p, %v", again, c, err)
	}
	for _, p := range []Path{{Name: "none"}, {Name: "."}, {Name: "../x"}, {Root: "kit", Name: "x"}} {
		if _, err := tree.Copy(p); err == nil {
			t.Errorf("%v can be copied", p)
		}
	}
}

// TestCopyOfChanged checks that a file that changes between hashing and copying
// is not published under its previous hash.
func TestCopyOfChanged(t *testing.T) {
	dir, public := t.TempDir(), filepath.Join(t.TempDir(), "public")
	name := filepath.Join(dir, "a.svg")
	write := func(text string) {
		t.Helper()
		later := time.Now().Add(time.Duration(len(text)) * time.Second)
		if err := errors.Join(os.WriteFile(name, []byte(text), 0o644), os.Chtimes(name, later, later)); err != nil {
			t.Fatal(err)
		}
	}
	write("<svg/>")
	tree := openDir(t, dir)
	c, err := tree.Copy(Path{Name: "a.svg"})
	if err != nil {
		t.Fatal(err)
	}
	write("<svg></svg>")
	if _, err := Publish(t.Context(), public, []OutFile{{Path: "a.svg", Copy: c}}, PublishOptions{}); !errors.Is(err,
		ErrChanged) {
		t.Errorf("got %v, want ErrChanged", err)
	}
	if got := treeOf(t, public); got != "" {
		t.Errorf("%s is published", got)
	}
	if _, err := c.Read(); !errors.Is(err, ErrChanged) {
		t.Errorf("read: %v", err)
	}
	tree.Forget(Path{Name: "a.svg"})
	if c, err = tree.Copy(Path{Name: "a.svg"}); err != nil {
		t.Fatal(err)
	}
	if _, err := Publish(t.Context(), public, []OutFile{{Path: "a.svg", Copy: c}}, PublishOptions{}); err != nil ||
		treeOf(t, public) != "a.svg=<svg></svg>" {
		t.Errorf("%v, %s", err, treeOf(t, public))
	}
	f, err := c.Open()
	if err != nil {
		t.Fatal(err)
	}
	defer f.Close()
	if data, err := io.ReadAll(f); err != nil || string(data) != "<svg></svg>" {
		t.Errorf("%q, %v", data, err)
	}
}

// TestUndo checks that a failed move restores everything: replaced files, new
// files, and files and folders that replaced each other.
func TestUndo(t *testing.T) {
	dir := t.TempDir()
	publishAll(t, dir, "a.css=1", "b/c.css=1", "b/d.css=1", "e=1", "index.html=1")
	before := treeOf(t, dir)
	list, err := os.ReadFile(filepath.Join(dir, ListName))
	if err != nil {
		t.Fatal(err)
	}
	root, err := os.OpenRoot(dir)
	if err != nil {
		t.Fatal(err)
	}
	defer root.Close()
	old, err := readList(root)
	if err != nil {
		t.Fatal(err)
	}
	p := &publication{root: root, next: own + "/next-x", old: old}
	var changed []pending
	for _, name := range []string{"a.css", "b", "e/f/g", "new/h.css", "index.html"} {
		changed = append(changed, pending{OutFile{Path: name, Data: []byte("2")}, "x"})
	}
	if err := p.prepare(t.Context(), changed, make(written), true); err != nil {
		t.Fatal(err)
	}
	if err := os.Remove(filepath.Join(dir, p.next, "index.html")); err != nil {
		t.Fatal(err)
	}
	if err := p.switchOver(changed, make(written)); !errors.Is(err, fs.ErrNotExist) {
		t.Errorf("got %v, want that a file is missing", err)
	}
	if got := treeOf(t, dir); got != before {
		t.Errorf("got %s, want %s", got, before)
	}
	if again, err := os.ReadFile(filepath.Join(dir, ListName)); err != nil || string(again) != string(list) {
		t.Errorf("the list is %s, want %s", again, list)
	}
	if Exists(filepath.Join(dir, "new")) {
		t.Error("a new folder is left")
	}
}

// TestRank checks that referenced files are moved before those that refer to
// them.
func TestRank(t *testing.T) {
	var files []pending
	for _, name := range []string{"index.html", "a.css", "app.js", "A.XHTML", "b.svg", "x.htm", "site.webmanifest"} {
		files = append(files, pending{OutFile: OutFile{Path: name}})
	}
	var got []string
	for _, f := range referencedFirst(files) {
		got = append(got, f.Path)
	}
	if want := "b.svg a.css app.js site.webmanifest index.html A.XHTML x.htm"; strings.Join(got, " ") != want {
		t.Errorf("got %v, want %s", got, want)
	}
}

// TestOutputIsKnownByItsTime checks that an output with an unchanged time is
// not read again. One with another time is read, and remains if its content is
// the same.
func TestOutputIsKnownByItsTime(t *testing.T) {
	dir := t.TempDir()
	publishAll(t, dir, "a.css=1", "b.css=1")
	a, b := filepath.Join(dir, "a.css"), filepath.Join(dir, "b.css")
	past := time.Now().Add(-time.Hour)
	if err := errors.Join(os.Chtimes(a, past, past), os.WriteFile(b, []byte("2"), 0o644),
		os.Chtimes(b, past, past)); err != nil {
		t.Fatal(err)
	}
	if got := publishAll(t, dir, "a.css=1", "b.css=1"); got.Unchanged != 1 || treeOf(t, dir) != "a.css=1 b.css=1" {
		t.Errorf("%+v, %s", got, treeOf(t, dir))
	}
	if info, err := os.Stat(a); err != nil || !info.ModTime().Equal(past) {
		t.Errorf("a file that held the same was written: %v, %v", info, err)
	}
	if got := publishAll(t, dir, "a.css=1", "b.css=1"); got.Unchanged != 2 {
		t.Errorf("%+v", got)
	}
}
