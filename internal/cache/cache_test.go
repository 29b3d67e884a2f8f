package cache_test

import (
	"testing"
	"testing/fstest"

	"rinzel/internal/cache"
	"rinzel/internal/source"
)

// TestTable changes files one after another. A result must be computed again
// exactly when one of the answers that it depends on has changed.
func TestTable(t *testing.T) {
	at := func(name string) source.Path { return source.Path{Name: name} }
	tests := []struct {
		name   string
		ask    func(source.Reader) string
		change func(fstest.MapFS)
		path   string
		again  bool
	}{
		{"other text", text("a"), put("a", "two"), "a", true},
		{"same text", text("a"), put("a", "one"), "a", false},
		{"another file", text("a"), put("b", "two"), "b", false},
		{"text appears", text("c"), put("c", "three"), "c", true},
		{"text vanishes", text("a"), remove("a"), "a", true},
		{"no longer UTF-8", text("a"), put("a", "\xff\xff\x00"), "a", true},
		{"missing file appears", exists("c"), put("c", ""), "c", true},
		{"file vanishes", exists("a"), remove("a"), "a", true},
		{"file stays", exists("a"), put("a", "two"), "a", false},
		{"other content", content("a"), put("a", "two"), "a", true},
		{"same content", content("a"), put("a", "one"), "a", false},
		{"other start", head("a"), put("a", "<p>"), "a", true},
		{"a name in the folder", siblings("a"), put("c", ""), "c", true},
		{"the same names", siblings("a"), put("a", "two"), "a", false},
		{"a file more", list, put("dir/c", ""), "dir/c", true},
		{"a file less", list, remove("b"), "b", true},
		{"the same files", list, put("b", "two"), "b", false},
	}
	for _, test := range tests {
		t.Run(test.name, func(t *testing.T) {
			files := fstest.MapFS{"a": {Data: []byte("one")}, "b": {}}
			tree := source.NewTree(source.Folder{FS: files})
			store := cache.NewStore(tree)
			inner, outer := cache.NewTable[string, string](store), cache.NewTable[string, string](store)
			worked := 0
			// The outer result depends on the reads of the inner one.
			get := func() string {
				return outer.Get(tree, "k", nil, func(r *cache.Reads) (string, bool) {
					worked++
					return inner.Get(r, "k", nil, func(r *cache.Reads) (string, bool) { return test.ask(r), true }), true
				})
			}
			get()
			get()
			if worked != 1 {
				t.Fatalf("before a change the work was done %d times", worked)
			}
			test.change(files)
			tree.Forget(at(test.path))
			store.Advance()
			want := test.ask(source.NewTree(source.Folder{FS: files}))
			if got := get(); got != want {
				t.Errorf("got %q, want %q", got, want)
			}
			if again := worked == 2; again != test.again {
				t.Errorf("done again: %v, want %v", again, test.again)
			}
		})
	}
}

// TestTableKeepsNothingUnfinished checks that a cancelled result is not stored.
func TestTableKeepsNothingUnfinished(t *testing.T) {
	tree := source.NewTree(source.Folder{FS: fstest.MapFS{}})
	table := cache.NewTable[int, int](cache.NewStore(tree))
	for want := range 3 {
		got := table.Get(tree, 0, nil, func(*cache.Reads) (int, bool) { return want, want == 1 })
		if want = min(want, 1); got != want {
			t.Errorf("got %d, want %d", got, want)
		}
	}
}

// TestTableValid checks that a result is computed again if its other
// dependencies have changed.
func TestTableValid(t *testing.T) {
	tree := source.NewTree(source.Folder{FS: fstest.MapFS{}})
	table := cache.NewTable[int, int](cache.NewStore(tree))
	for _, want := range []int{1, 1, 2, 1} {
		got := table.Get(tree, 0, func(v int) bool { return v == want }, func(*cache.Reads) (int, bool) { return want, true })
		if got != want {
			t.Errorf("got %d, want %d", got, want)
		}
	}
}

// TestSweep checks that results are dropped if the last build did not use them
// or their file has changed.
func TestSweep(t *testing.T) {
	files := fstest.MapFS{"a": {Data: []byte("one")}, "b": {}}
	tree := source.NewTree(source.Folder{FS: files})
	store := cache.NewStore(tree)
	table, parsed := cache.NewTable[string, string](store), cache.NewPerFile[int](store)
	worked := 0
	get := func(name string) {
		table.Get(tree, name, nil, func(r *cache.Reads) (string, bool) { return text(name)(r), true })
		if f, err := tree.Text(source.Path{Name: name}); err == nil {
			parsed.Get(f, func() int { worked++; return 0 })
		}
	}
	get("a")
	get("b")
	files["a"].Data = []byte("two")
	tree.Forget(source.Path{Name: "a"})
	store.Advance()
	get("a")
	store.Sweep()
	left := 0
	table.Each(func(string, string) { left++ })
	if left != 1 {
		t.Errorf("%d results are left, want that of a", left)
	}
	get("b")
	if worked != 3 {
		t.Errorf("files were parsed %d times, want 3: b is as it was", worked)
	}
}

func put(name, text string) func(fstest.MapFS) {
	return func(files fstest.MapFS) { files[name] = &fstest.MapFile{Data: []byte(text)} }
}

func remove(name string) func(fstest.MapFS) {
	return func(files fstest.MapFS) { delete(files, name) }
}

func text(name string) func(source.Reader) string {
	return func(r source.Reader) string {
		f, err := r.Text(source.Path{Name: name})
		if err != nil {
			return err.Error()
		}
		return f.Text
	}
}

func exists(name string) func(source.Reader) string {
	return func(r source.Reader) string {
		if r.Exists(source.Path{Name: name}) {
			return "yes"
		}
		return "no"
	}
}

func content(name string) func(source.Reader) string {
	return func(r source.Reader) string {
		c, err := r.Copy(source.Path{Name: name})
		if err != nil {
			return err.Error()
		}
		return string(c.Sum[:])
	}
}

func head(name string) func(source.Reader) string {
	return func(r source.Reader) string { return r.Head(source.Path{Name: name}) }
}

func siblings(name string) func(source.Reader) string {
	return func(r source.Reader) string {
		text := ""
		for _, s := range r.Siblings(source.Path{Name: name}) {
			text += s + " "
		}
		return text
	}
}

func list(r source.Reader) string {
	text := ""
	for _, p := range r.List("").Files {
		text += p.Name + " "
	}
	return text
}
