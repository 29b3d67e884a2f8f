package source

import (
	"errors"
	"fmt"
	"io/fs"
	"os"
	"os/exec"
	"path/filepath"
	"reflect"
	"runtime"
	"slices"
	"strings"
	"testing"
	"testing/fstest"
	"time"
)

func TestPlaces(t *testing.T) {
	// Columns: of é 1 unit and 1 character, of the emoji 2 units and 1
	// character.
	f := new(Set).Add(Path{Name: "x"}, "x", "\uFEFFé😀\ta\r\nb\rc\n\nd")
	tests := []struct {
		before                  string
		line, column, character int
	}{
		{"é", 0, 0, 1}, {"😀", 0, 1, 2}, {"\t", 0, 3, 3}, {"a", 0, 4, 4}, {"b", 1, 0, 1}, {"c", 2, 0, 1}, {"d", 4, 0, 1},
	}
	for _, test := range tests {
		off := uint32(strings.Index(f.Text, test.before))
		line := f.Line(off)
		if got := f.UTF16Column(line, off); line != test.line || got != test.column {
			t.Errorf("%q is at %d:%d, want %d:%d", test.before, line, got, test.line, test.column)
		}
		if l, c := f.Position(off); l != test.line+1 || c != test.character {
			t.Errorf("%q is shown at %d:%d, want %d:%d", test.before, l, c, test.line+1, test.character)
		}
	}
	if !f.BOM || f.Lines() != 5 || f.LineText(0) != "é😀\ta" || f.LineText(3) != "" || f.LineText(4) != "d" {
		t.Errorf("BOM %v, %d lines, %q", f.BOM, f.Lines(), f.LineText(0))
	}
	if empty := new(Set).Add(Path{}, "", ""); empty.Lines() != 1 || empty.Line(0) != 0 {
		t.Errorf("an empty file has %d lines", empty.Lines())
	}
}

func TestTreeStaysInside(t *testing.T) {
	dir := t.TempDir()
	write := func(name, text string) {
		path := filepath.Join(dir, name)
		if err := errors.Join(os.MkdirAll(filepath.Dir(path), 0o755), os.WriteFile(path, []byte(text), 0o600)); err != nil {
			t.Fatal(err)
		}
	}
	write("secret", "s")
	write("site/a.css", "a")
	write("site/sub/b.css", "b")
	for link, to := range map[string]string{"site/in.css": "a.css", "site/out.css": "../secret", "site/up": "..",
		"site/loop": "loop"} {
		if err := os.Symlink(to, filepath.Join(dir, link)); err != nil {
			t.Skip(err)
		}
	}
	folder, closer, err := OpenFolder("", filepath.Join(dir, "site"), "site")
	if err != nil {
		t.Fatal(err)
	}
	defer closer.Close()
	tree := NewTree(folder)
	for name, want := range map[string]error{
		"a.css": nil, "in.css": nil, "sub/b.css": nil, "out.css": ErrOutside, "up/secret": ErrOutside, "../secret": ErrOutside,
		"/etc/passwd": ErrOutside, "sub": ErrDirectory, "none": fs.ErrNotExist, "sub/../../secret": ErrOutside,
	} {
		_, err := tree.Text(Path{Name: name})
		if !errors.Is(err, want) {
			t.Errorf("%s: got %v, want %v", name, err, want)
		}
		if exists := tree.Exists(Path{Name: name}); exists != (want == nil) {
			t.Errorf("%s exists: %v", name, exists)
		}
	}
	if _, err := tree.Text(Path{Name: "loop"}); err == nil {
		t.Error("a link to itself can be read")
	}
	if _, err := tree.Text(Path{Root: "kit", Name: "a"}); !errors.Is(err, ErrNoRoot) {
		t.Errorf("a root that is not there: %v", err)
	}
	var walked []string
	tree.Walk("", func(dir string) bool { return dir != "sub" }, func(p Path) { walked = append(walked, p.Name) },
		func(p Path, err error) { t.Error(p, err) })
	if want := []string{"a.css", "in.css"}; !reflect.DeepEqual(walked, want) {
		t.Errorf("walked %v, want %v", walked, want)
	}
}

func TestText(t *testing.T) {
	tree := NewTree(Folder{Show: "site",
		FS: fstest.MapFS{"bad.toml": {Data: []byte("ab\xffc")}, "good.css": {Data: []byte("é")}}})
	_, err := tree.Text(Path{Name: "bad.toml"})
	var encoding *EncodingError
	if !errors.As(err, &encoding) || !errors.Is(err, ErrNotUTF8) || encoding.File.Text != "ab" {
		t.Errorf("got %v", err)
	}
	a, err1 := tree.Text(Path{Name: "good.css"})
	b, err2 := tree.Text(Path{Name: "good.css"})
	if a != b || err1 != nil || err2 != nil || a.Name != "site/good.css" {
		t.Errorf("read twice: %v %v %v %v", a, b, err1, err2)
	}
}

func publishAll(t *testing.T, dir string, files ...string) Published {
	t.Helper()
	var out []OutFile
	for _, f := range files {
		name, text, _ := strings.Cut(f, "=")
		out = append(out, OutFile{Path: name, Data: []byte(text)})
	}
	p, err := Publish(t.Context(), dir, out, PublishOptions{})
	if err != nil {
		t.Fatal(err)
	}
	return p
}

// tree returns the files of a folder as name=text, except for those of Rinzel.
func treeOf(t *testing.T, dir string) string {
	t.Helper()
	var out []string
	err := filepath.WalkDir(dir, func(path string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() {
			return err
		}
		text, err := os.ReadFile(path)
		rel, _ := filepath.Rel(dir, path)
		if rel = filepath.ToSlash(rel); !strings.HasPrefix(rel, own+"/") {
			out = append(out, rel+"="+string(text))
		}
		return err
	})
	if err != nil {
		t.Fatal(err)
	}
	return strings.Join(out, " ")
}

func TestPublish(t *testing.T) {
	dir := filepath.Join(t.TempDir(), "deep", "public")
	if got := publishAll(t, dir, "a.css=1", "x/y/b.css=1", "index.html=1"); got.Written != 3 {
		t.Errorf("first: %+v", got)
	}
	if err := os.WriteFile(filepath.Join(dir, "mine.txt"), []byte("m"), 0o644); err != nil {
		t.Fatal(err)
	}
	got := publishAll(t, dir, "a.css=2", "index.html=1")
	if got.Written != 1 || got.Unchanged != 1 || !reflect.DeepEqual(got.Removed, []string{"x/y/b.css"}) {
		t.Errorf("second: %+v", got)
	}
	if got, want := treeOf(t, dir), "a.css=2 index.html=1 mine.txt=m"; got != want {
		t.Errorf("got %s, want %s", got, want)
	}
	if _, err := os.Stat(filepath.Join(dir, "x")); !errors.Is(err, fs.ErrNotExist) {
		t.Errorf("the folder that was left empty is there: %v", err)
	}
	_, err := Publish(t.Context(), dir,
		[]OutFile{{Path: "new.css", Data: []byte("1")}, {Path: "mine.txt", Data: []byte("2")}}, PublishOptions{})
	var foreign *ForeignError
	if !errors.As(err, &foreign) || !reflect.DeepEqual(foreign.Paths, []string{"mine.txt"}) {
		t.Errorf("a file of the user's: %v", err)
	}
	if got, want := treeOf(t, dir), "a.css=2 index.html=1 mine.txt=m"; got != want {
		t.Errorf("after a refusal: got %s, want %s", got, want)
	}
	for _, bad := range []string{"../x", "/x", ".", "a/../../x", ""} {
		if _, err := Publish(t.Context(), dir, []OutFile{{Path: bad, Data: nil}}, PublishOptions{}); err == nil {
			t.Errorf("wrote to %q", bad)
		}
	}
}

func TestPublishFollowsNoLinkOut(t *testing.T) {
	top := t.TempDir()
	dir := filepath.Join(top, "public")
	if err := errors.Join(os.Mkdir(dir, 0o755), os.Mkdir(filepath.Join(top, "elsewhere"), 0o755)); err != nil {
		t.Fatal(err)
	}
	if err := os.Symlink("../elsewhere", filepath.Join(dir, "css")); err != nil {
		t.Skip(err)
	}
	if _, err := Publish(t.Context(), dir, []OutFile{{Path: "css/a.css", Data: []byte("1")}},
		PublishOptions{}); err == nil {
		t.Error("wrote through a link that leads out")
	}
	if got := treeOf(t, filepath.Join(top, "elsewhere")); got != "" {
		t.Errorf("elsewhere holds %s", got)
	}
}

func TestWriteFile(t *testing.T) {
	dir := t.TempDir()
	name := filepath.Join(dir, "new", "a.css")
	for _, text := range []string{"1", "2"} {
		if err := WriteFile(name, []byte(text)); err != nil {
			t.Fatal(err)
		}
		if got, _ := os.ReadFile(name); string(got) != text {
			t.Errorf("got %q, want %q", got, text)
		}
	}
	if got := treeOf(t, dir); got != "new/a.css=2" {
		t.Errorf("left behind: %s", got)
	}
	if err := WriteFile(dir, nil); !errors.Is(err, ErrDirectory) {
		t.Errorf("onto a folder: %v", err)
	}
}

func TestClean(t *testing.T) {
	dir := filepath.Join(t.TempDir(), "public")
	if removed, _, err := Clean(dir); err != nil || removed != nil {
		t.Errorf("a folder that is not there: %v, %v", removed, err)
	}
	if _, err := Publish(t.Context(), dir,
		[]OutFile{{Path: "a.css", Data: []byte("a")}, {Path: "deep/er/b.css", Data: []byte("b")},
			{Path: "gone.css", Data: []byte("c")}}, PublishOptions{}); err != nil {
		t.Fatal(err)
	}
	if err := errors.Join(os.WriteFile(filepath.Join(dir, "deep", "own.txt"), []byte("mine"), 0o644),
		os.Remove(filepath.Join(dir, "gone.css"))); err != nil {
		t.Fatal(err)
	}
	removed, _, err := Clean(dir)
	if err != nil || !slices.Equal(removed, []string{"a.css", "deep/er/b.css"}) {
		t.Errorf("removed %v, %v", removed, err)
	}
	if !Exists(filepath.Join(dir, "deep", "own.txt")) || Exists(filepath.Join(dir, "a.css")) ||
		Exists(filepath.Join(dir, "deep", "er")) || Exists(filepath.Join(dir, ".rinzel")) {
		t.Error("more or less is left than what nobody built")
	}
	if removed, _, err := Clean(dir); err != nil || removed != nil || !IsFolder(dir) {
		t.Errorf("a second time: %v, %v", removed, err)
	}
	// Names outside of the folder in a list are not removed.
	outside := filepath.Join(filepath.Dir(dir), "outside.txt")
	if err := errors.Join(os.WriteFile(outside, nil, 0o644), os.MkdirAll(filepath.Join(dir, ".rinzel"), 0o755),
		os.WriteFile(filepath.Join(dir, ".rinzel", "written.json"),
			[]byte(`{"files": {"../outside.txt": {}, "/etc/none": {}}}`), 0o644)); err != nil {
		t.Fatal(err)
	}
	if removed, _, err := Clean(dir); err != nil || len(removed) > 0 || !Exists(outside) {
		t.Errorf("outside: %v, %v", removed, err)
	}
}

// TestFilesAndFolders checks that a file may become a folder from one build to
// the next, and a folder a file.
func TestFilesAndFolders(t *testing.T) {
	dir := t.TempDir()
	for i, names := range [][]string{{"a", "b/c.css", "b/d/e.css"}, {"a/x.css", "b"}, {"a/x.css/y", "b/c/d/e"},
		{"a", "b/c.css", "b/d/e.css"}} {
		var want []string
		for _, name := range names {
			want = append(want, fmt.Sprintf("%s=%d", name, i))
		}
		publishAll(t, dir, want...)
		if got := treeOf(t, dir); got != strings.Join(want, " ") {
			t.Errorf("build %d: got %s, want %s", i, got, strings.Join(want, " "))
		}
	}
	// A folder with foreign files is not replaced, and neither is a foreign
	// file.
	if err := errors.Join(os.WriteFile(filepath.Join(dir, "b", "mine.txt"), nil, 0o644),
		os.WriteFile(filepath.Join(dir, "own"), nil, 0o644)); err != nil {
		t.Fatal(err)
	}
	if _, err := Publish(t.Context(), dir, []OutFile{{Path: "a", Data: []byte("3")}, {Path: "b", Data: []byte("x")}},
		PublishOptions{}); err == nil {
		t.Error("a folder with a file of somebody else became a file")
	} else if got := treeOf(t, dir); !strings.Contains(got, "b/c.css=3") {
		t.Errorf("something was written before the refusal: %s", got)
	}
	var foreign *ForeignError
	if _, err := Publish(t.Context(), dir,
		[]OutFile{{Path: "a", Data: []byte("3")}, {Path: "own/x", Data: []byte("x")}}, PublishOptions{}); !errors.As(err,
		&foreign) {
		t.Errorf("a file of somebody else gave way to a folder: %v", err)
	}
	if !Exists(filepath.Join(dir, "b", "mine.txt")) || !Exists(filepath.Join(dir, "own")) {
		t.Error("files of somebody else are gone")
	}
}

// TestChangedOutputs checks that files that somebody changed, or that replaced
// an output, are never removed.
func TestChangedOutputs(t *testing.T) {
	dir := filepath.Join(t.TempDir(), "public")
	out := func(names ...string) []OutFile {
		var files []OutFile
		for _, name := range names {
			files = append(files, OutFile{Path: name, Data: []byte(name)})
		}
		return files
	}
	if _, err := Publish(t.Context(), dir, out("a.css", "b.css", "c.css", "d.css", "e.css", "x/f.css"),
		PublishOptions{}); err != nil {
		t.Fatal(err)
	}
	elsewhere := filepath.Join(t.TempDir(), "mine.css")
	err := errors.Join(os.WriteFile(filepath.Join(dir, "b.css"), []byte("mine"), 0o644),
		os.Remove(filepath.Join(dir, "c.css")),
		os.WriteFile(elsewhere, []byte("d.css"), 0o644), os.Remove(filepath.Join(dir, "d.css")),
		os.Symlink(elsewhere, filepath.Join(dir, "d.css")))
	if err != nil {
		t.Fatal(err)
	}
	got, err := Publish(t.Context(), dir, out("e.css"), PublishOptions{})
	if err != nil || !slices.Equal(got.Removed, []string{"a.css", "x/f.css"}) ||
		!slices.Equal(got.Left, []string{"b.css", "d.css"}) {
		t.Fatalf("removed %q, left %q, %v", got.Removed, got.Left, err)
	}
	if !Exists(filepath.Join(dir, "b.css")) || !Exists(filepath.Join(dir, "d.css")) || !Exists(elsewhere) ||
		Exists(filepath.Join(dir, "x")) {
		t.Error("more or less is left than what was changed")
	}
	if got, err := Publish(t.Context(), dir, out("e.css"), PublishOptions{}); err != nil ||
		len(got.Removed)+len(got.Left) > 0 {
		t.Errorf("the next time: %+v, %v", got, err)
	}
	// The foreign file is now an obstacle, as any other.
	var foreign *ForeignError
	if _, err := Publish(t.Context(), dir, out("b.css", "e.css"), PublishOptions{}); !errors.As(err, &foreign) {
		t.Errorf("got %v, want that b.css is not ours", err)
	}
	if err := os.WriteFile(filepath.Join(dir, "e.css"), []byte("mine"), 0o644); err != nil {
		t.Fatal(err)
	}
	if removed, left, err := Clean(dir); err != nil || len(removed) > 0 || !slices.Equal(left, []string{"e.css"}) ||
		!Exists(filepath.Join(dir, "e.css")) {
		t.Errorf("removed %q, left %q, %v", removed, left, err)
	}
	// After an interrupted build, hashes are unknown: the listed files are
	// removed unchecked.
	if err := errors.Join(os.MkdirAll(filepath.Join(dir, ".rinzel"), 0o755),
		os.WriteFile(filepath.Join(dir, ".rinzel", "written.json"), []byte(`{"files": {"e.css": {}}}`), 0o644)); err != nil {
		t.Fatal(err)
	}
	if removed, _, err := Clean(dir); err != nil || !slices.Equal(removed, []string{"e.css"}) {
		t.Errorf("removed %q, %v", removed, err)
	}
}

func TestHead(t *testing.T) {
	tree := NewTree(Folder{FS: fstest.MapFS{"a": {Data: []byte("quay")}, "d/b": {}}})
	for _, test := range []struct {
		path Path
		want string
	}{{Path{Name: "a"}, "quay"}, {Path{Name: "d/b"}, ""}, {Path{Name: "d"}, ""}, {Path{Name: "none"}, ""},
		{Path{Name: "../a"}, ""}, {Path{Root: "kit", Name: "a"}, ""}} {
		if got := tree.Head(test.path); got != test.want {
			t.Errorf("%v starts with %q, want %q", test.path, got, test.want)
		}
	}
}

// TestPipesAreNotRead checks that a pipe, which would block, is rejected at
// once.
func TestPipesAreNotRead(t *testing.T) {
	dir := t.TempDir()
	if err := exec.Command("mkfifo", filepath.Join(dir, "pipe.css")).Run(); err != nil {
		t.Skip("no pipes here:", err)
	}
	folder, closer, err := OpenFolder("", dir, "")
	if err != nil {
		t.Fatal(err)
	}
	defer closer.Close()
	tree := NewTree(folder)
	done := make(chan error, 1)
	go func() {
		_, err := tree.Text(Path{Name: "pipe.css"})
		if head := tree.Head(Path{Name: "pipe.css"}); head != "" {
			err = fmt.Errorf("read %q", head)
		}
		done <- err
	}()
	select {
	case err := <-done:
		if !errors.Is(err, ErrNotRegular) {
			t.Errorf("the error is %v", err)
		}
	case <-time.After(10 * time.Second):
		t.Fatal("the pipe is waited for")
	}
}

func TestFindAbove(t *testing.T) {
	top := t.TempDir()
	for name, mode := range map[string]os.FileMode{"open": 0o777, "open/deep": 0o755, "a/b/c": 0o755,
		"repo/.git": 0o755, "repo/sub": 0o755} {
		dir := filepath.Join(top, filepath.FromSlash(name))
		if err := errors.Join(os.MkdirAll(dir, 0o755), os.Chmod(dir, mode)); err != nil {
			t.Fatal(err)
		}
	}
	for _, name := range []string{"a/x.toml", "open/x.toml", "x.toml"} {
		if err := os.WriteFile(filepath.Join(top, filepath.FromSlash(name)), nil, 0o644); err != nil {
			t.Fatal(err)
		}
	}
	for dir, want := range map[string]string{
		"a": "x.toml", "a/b": "../x.toml", "a/b/c": "../../x.toml", "open": "x.toml", "open/deep": "", "repo/sub": "", "repo": "",
	} {
		if runtime.GOOS == "windows" && dir == "open/deep" {
			continue // the bits of a mode have no meaning
		}
		t.Chdir(filepath.Join(top, filepath.FromSlash(dir)))
		if got := filepath.ToSlash(FindAbove("x.toml")); got != want {
			t.Errorf("in %s: found %q, want %q", dir, got, want)
		}
	}
}
