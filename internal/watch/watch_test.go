package watch

import (
	"context"
	"errors"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/fsnotify/fsnotify"
)

// next returns the changed files in a folder, with slashes.
func next(t *testing.T, w *Watcher, dir string) []string {
	t.Helper()
	ctx, cancel := context.WithTimeout(context.Background(), 20*time.Second)
	defer cancel()
	names, err := w.Next(ctx)
	if err != nil {
		t.Fatal(err)
	}
	var out []string
	for _, name := range names {
		rel, _ := filepath.Rel(dir, name)
		out = append(out, filepath.ToSlash(rel))
	}
	return out
}

func write(t *testing.T, dir string, names ...string) {
	t.Helper()
	for _, name := range names {
		file := filepath.Join(dir, filepath.FromSlash(name))
		if err := os.MkdirAll(filepath.Dir(file), 0o755); err != nil {
			t.Fatal(err)
		}
		if err := os.WriteFile(file, []byte(name), 0o644); err != nil {
			t.Fatal(err)
		}
	}
}

func TestNext(t *testing.T) {
	dir := t.TempDir()
	write(t, dir, "site/a.css", "site/deep/b.css", "site/public/out.css", "rinzel.toml", "other.txt")
	site := filepath.Join(dir, "site")
	w, err := Start([]Folder{
		{Path: site, Skip: func(d string) bool { return d == "public" || strings.HasPrefix(filepath.Base(d), ".") }},
		{Path: dir, Only: "rinzel.toml"},
	})
	if err != nil {
		t.Fatal(err)
	}
	defer w.Close()
	steps := []struct {
		what string
		do   func()
		want []string
	}{
		{"a file", func() { write(t, dir, "site/a.css") }, []string{"site/a.css"}},
		{"several at once", func() { write(t, dir, "site/a.css", "site/deep/b.css", "site/new.css") }, []string{"site/a.css", "site/deep/b.css", "site/new.css"}},
		{"the settings, and no file beside them", func() { write(t, dir, "other.txt", "rinzel.toml") }, []string{"rinzel.toml"}},
		{"a file that is replaced", func() {
			write(t, dir, "site/deep/b.css.tmp")
			if err := os.Rename(filepath.Join(site, "deep", "b.css.tmp"), filepath.Join(site, "deep", "b.css")); err != nil {
				t.Error(err)
			}
		}, []string{"site/deep/b.css", "site/deep/b.css.tmp"}},
		{"a folder that is made, with what is in it", func() { write(t, dir, "site/islands/far/c.css") }, []string{"site/islands/far/c.css"}},
		{"a file in it", func() { write(t, dir, "site/islands/far/c.css") }, []string{"site/islands/far/c.css"}},
		{"a file that is removed, and none in a folder that is left out", func() {
			write(t, dir, "site/public/out.css", "site/.git/x")
			if err := os.Remove(filepath.Join(site, "new.css")); err != nil {
				t.Error(err)
			}
		}, []string{"site/new.css"}},
	}
	for _, step := range steps {
		step.do()
		got := next(t, w, dir)
		for _, name := range step.want { // the content of a new folder may be reported after it
			for !slices.Contains(got, name) && len(got) < 10 {
				got = append(got, next(t, w, dir)...)
			}
		}
		slices.Sort(got)
		got = slices.DeleteFunc(slices.Compact(got),
			func(name string) bool { return name == "site/islands" || name == "site/islands/far" })
		if !slices.Equal(got, step.want) {
			t.Errorf("%s: %s, want %s", step.what, got, step.want)
		}
	}
}

func TestNextEnds(t *testing.T) {
	w, err := Start([]Folder{{Path: t.TempDir()}})
	if err != nil {
		t.Fatal(err)
	}
	defer w.Close()
	ctx, cancel := context.WithCancel(context.Background())
	cancel()
	if _, err := w.Next(ctx); err != context.Canceled {
		t.Errorf("got %v", err)
	}
	if _, err := Start([]Folder{{Path: filepath.Join(t.TempDir(), "none")}}); err == nil {
		t.Error("a folder that is not there is watched")
	}
}

// TestOverflow checks that lost events are reported.
func TestOverflow(t *testing.T) {
	w, err := Start([]Folder{{Path: t.TempDir()}})
	if err != nil {
		t.Fatal(err)
	}
	defer w.Close()
	go func() { w.notify.Errors <- fsnotify.ErrEventOverflow }()
	if _, err := w.Next(context.Background()); !errors.Is(err, ErrOverflow) {
		t.Errorf("got %v", err)
	}
}

// TestMovedFolders checks changes in moved folders, under their new names, and
// in those that take their old ones.
func TestMovedFolders(t *testing.T) {
	dir := t.TempDir()
	write(t, dir, "css/deep/er/a.css", "two/b.css")
	w, err := Start([]Folder{{Path: dir}})
	if err != nil {
		t.Fatal(err)
	}
	defer w.Close()
	move := func(from, to string) {
		t.Helper()
		if err := os.Rename(filepath.Join(dir, from), filepath.Join(dir, to)); err != nil {
			t.Fatal(err)
		}
	}
	sees := func(name string) {
		t.Helper()
		write(t, dir, name)
		if got := next(t, w, dir); !slices.Contains(got, name) {
			t.Errorf("got %q, want %s", got, name)
		}
	}
	move("css", "styles")
	if got := next(t, w, dir); !slices.Contains(got, "styles/deep/er/a.css") {
		t.Errorf("after the move: %q", got)
	}
	sees("styles/deep/er/a.css")
	sees("styles/deep/new.css")
	write(t, dir, "css/deep/er/c.css")
	next(t, w, dir)
	sees("css/deep/er/c.css")
	sees("styles/deep/er/a.css")
	// Two folders are swapped.
	move("two", "three")
	move("styles", "two")
	move("three", "styles")
	next(t, w, dir)
	sees("two/deep/er/a.css")
	sees("styles/b.css")
	move("two/deep/er", "styles/er")
	next(t, w, dir)
	sees("styles/er/a.css")
}
