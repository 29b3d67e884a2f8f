package compare

import (
	"errors"
	"fmt"
	"math"
	"strings"
	"testing"
	"testing/fstest"

	"rinzel/internal/browsers"
	"rinzel/internal/css/accept"
	"rinzel/internal/emit"
	"rinzel/internal/source"
)

// folders returns a tree with the roots old and new. Files are given as
// "root/name" and text in turn.
func folders(files ...string) *source.Tree {
	roots := map[string]fstest.MapFS{"old": {}, "new": {}}
	for i := 0; i < len(files); i += 2 {
		root, name, _ := strings.Cut(files[i], "/")
		roots[root][name] = &fstest.MapFile{Data: []byte(files[i+1])}
	}
	return source.NewTree(source.Folder{Name: "old", Show: "before", FS: roots["old"]},
		source.Folder{Name: "new", Show: "after", FS: roots["new"]})
}

// manifest returns a bundles.json of bundles, given as name, published path and
// text, and the page that loads it.
func manifest(bundles ...[4]string) string {
	var list []emit.ManifestEntry
	for _, b := range bundles {
		list = append(list, emit.ManifestEntry{Name: b[0], Path: b[1], Bytes: len(b[2]),
			Integrity: emit.Integrity([]byte(b[2])), Pages: strings.Fields(b[3])})
	}
	return string(emit.Manifest(list).Data)
}

// compared compares the output folders old and new of a tree, and describes the
// result.
func compared(t *testing.T, tree *source.Tree) (*Report, string) {
	t.Helper()
	var builds []*Build
	for _, root := range []string{"old", "new"} {
		b, err := ReadFolder(tree, root)
		if err != nil {
			t.Fatal(err)
		}
		builds = append(builds, b)
	}
	r := Builds(builds[0], builds[1], accept.Of(browsers.Default()))
	var out []string
	for _, p := range r.Sheets {
		gone, added, changed := p.Counts()
		out = append(out, fmt.Sprintf("%s %s %d-%d-%d %d", p.Name, p.State, gone, added, changed, len(p.Others)))
	}
	for _, p := range r.Pages {
		out = append(out, fmt.Sprintf("%s %d %d", p.Name, p.Old.Bytes, p.New.Bytes))
	}
	return r, strings.Join(out, "; ")
}

// TestFolders compares output folders without a list of bundles.
func TestFolders(t *testing.T) {
	tree := folders(
		"old/a.css", ".a { top: 0 }", "new/a.css", ".a { top: 0 }",
		"old/b.aaaaaaaaaa.css", ".a { top: 0px }", "new/b.bbbbbbbbbb.css", ".a{top:0}",
		"old/c.css", ".a { top: 0 } .b { left: 0 } .c { right: 0 }", "new/c.css", ".a { top: 1px } .c { right: 0 } .d, .e { left: 0 }",
		"old/d.css", ".a { top: 0 } .b { top: 1px }", "new/d.css", ".b { top: 1px } .a { top: 0 }",
		"old/e.css", "@keyframes k { to { top: 0 } }", "new/e.css", "@keyframes k { to { top: 1px } }",
		"old/gone.css", "a { top: 0 }", "new/deep/new.css", "a { top: 0 }", "new/page.html", "<p>", "new/a.css.map", "{}")
	r, got := compared(t, tree)
	const want = "a.css equal 0-0-0 0; b.css same 0-0-0 0; c.css different 1-2-1 0; d.css different 0-0-0 1; " +
		"deep/new.css added 0-0-0 0; e.css different 0-0-0 1; gone.css gone 0-0-0 0"
	if got != want {
		t.Errorf("got  %s\nwant %s", got, want)
	}
	if r.Pages != nil || !r.Differs() {
		t.Errorf("pages %v, differs %v", r.Pages, r.Differs())
	}
	if _, err := ReadFolder(folders("old/x.html", "<p>"), "old"); !errors.Is(err, ErrNoSheets) {
		t.Errorf("a folder without sheets: %v", err)
	}
}

// TestManifests compares builds with lists of bundles: the sizes of pages are
// the sums of their sheets, and sheets that were replaced since are not known.
func TestManifests(t *testing.T) {
	const small, large, other = ".a{top:0}", ".a{top:0}.b{left:0}", ".c{right:0}"
	old := manifest([4]string{"index.css", "index.old.css", small, "index.html"},
		[4]string{"shared.css", "shared.css", other, "index.html quay/a.html"})
	now := manifest([4]string{"index.css", "index.new.css", large, "index.html"},
		[4]string{"shared.css", "shared.css", other, "index.html quay/a.html new.html"})
	files := []string{"old/bundles.json", old, "old/index.old.css", small, "old/shared.css", other, "old/left.css", "unlisted",
		"new/bundles.json", now, "new/index.new.css", large, "new/shared.css", other}
	r, got := compared(t, folders(files...))
	want := "index.css different 0-1-0 0; shared.css equal 0-0-0 0; index.html 20 30; new.html 0 11; quay/a.html 11 11"
	if got != want {
		t.Errorf("got  %s\nwant %s", got, want)
	}
	if p := r.Pages[0]; p.New.Brotli != r.Sheets[0].New.Size.Brotli+r.Sheets[1].New.Size.Brotli || p.New.Gzip == 0 {
		t.Errorf("compressed sizes of a page: %+v", p)
	}
	if name, growth := r.MostGrown(); name != "index.html" || growth <= 0 {
		t.Errorf("%s has grown most, by %v", name, growth)
	}
	before, after := r.Totals()
	if before.Bytes != 20 || after.Bytes != 30 {
		t.Errorf("totals %v and %v", before, after)
	}
	// Only the list of the old build is left.
	r, got = compared(t, folders(append([]string{"old/bundles.json", old}, files[8:]...)...))
	want = strings.Replace(want, "index.css different 0-1-0", "index.css unknown 0-0-0", 1)
	if got != want {
		t.Errorf("without the old sheets: %s", got)
	}
	if _, growth := r.MostGrown(); math.Abs(growth-0.5) > 1e-9 || !r.Differs() {
		t.Errorf("grown by %v, differs %v", growth, r.Differs())
	}
	// The old sheet was replaced by the new one, which has the same name.
	replaced := append(append([]string{}, files...), "old/index.old.css", large)
	if _, got := compared(t, folders(replaced...)); !strings.HasPrefix(got, "index.css unknown") {
		t.Errorf("a replaced sheet: %s", got)
	}
	for _, text := range []string{"{", "[]", "{}", `{"files": 1}`} {
		_, err := ReadManifest(folders("old/bundles.json", text), source.Path{Root: "old", Name: "bundles.json"})
		if err == nil || !strings.Contains(err.Error(), "bundles.json is not a list of bundles") {
			t.Errorf("%s: %v", text, err)
		}
	}
	// Paths of a list do not leave its folder.
	outside := manifest([4]string{"a.css", "../new/index.new.css", large, ""})
	b, err := ReadManifest(folders("old/bundles.json", outside, "new/index.new.css", large), source.Path{Root: "old", Name: "bundles.json"})
	if err != nil || b.Sheets[0].File != nil {
		t.Errorf("a path outside: %v, %v", b, err)
	}
}

// TestSheets compares two sheets with different names.
func TestSheets(t *testing.T) {
	tree := folders("old/a.css", ".a { top: 0 }", "new/b.css", ".a { top: 1px }")
	a, err := ReadSheet(tree, source.Path{Root: "old", Name: "a.css"})
	if err != nil {
		t.Fatal(err)
	}
	b, err := ReadSheet(tree, source.Path{Root: "new", Name: "b.css"})
	if err != nil {
		t.Fatal(err)
	}
	r := Builds(a, b, accept.Of(browsers.Default()))
	if len(r.Sheets) != 1 || r.Sheets[0].State != Different || len(r.Sheets[0].Changes) != 1 {
		t.Errorf("%+v", r.Sheets)
	}
	if r := Builds(a, a, accept.Of(browsers.Default())); r.Differs() {
		t.Errorf("a sheet differs from itself: %+v", r.Sheets)
	}
}

// TestGrowth computes by how much sizes grow.
func TestGrowth(t *testing.T) {
	tests := []struct {
		old, now Size
		want     float64
	}{
		{Size{100, 50, 40}, Size{200, 50, 50}, 0.25},
		{Size{100, 0, 0}, Size{150, 50, 40}, 0.5},
		{Size{100, 50, 40}, Size{50, 25, 20}, -0.5},
		{Size{}, Size{50, 25, 20}, 0},
	}
	for _, test := range tests {
		if got := Growth(test.old, test.now); math.Abs(got-test.want) > 1e-9 {
			t.Errorf("%v to %v: %v", test.old, test.now, got)
		}
	}
}
