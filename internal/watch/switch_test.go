package watch

import (
	"context"
	"errors"
	"fmt"
	"math/rand/v2"
	"os"
	"path/filepath"
	"slices"
	"testing"
	"time"
)

// TestSwitches replaces a folder repeatedly, at once and file by file, and
// checks that later changes are reported.
func TestSwitches(t *testing.T) {
	top := t.TempDir()
	site := filepath.Join(top, "site")
	n := 0
	fill := func(dir string) {
		n++
		for _, name := range []string{"a.css", "css/b.css", "css/deep/c.css", "islands/d.css"} {
			file := filepath.Join(dir, name)
			if err := errors.Join(os.MkdirAll(filepath.Dir(file), 0o755),
				os.WriteFile(file, []byte(fmt.Sprint(n)), 0o644)); err != nil {
				t.Fatal(err)
			}
		}
	}
	fill(site)
	w, err := Start([]Folder{{Path: site}, {Path: top, Only: "site"}, {Path: filepath.Join(site, "css"), Only: "b.css"}})
	if err != nil {
		t.Fatal(err)
	}
	defer w.Close()
	r := rand.New(rand.NewPCG(1, 2))
	must := func(err error) {
		t.Helper()
		if err != nil {
			t.Fatal(err)
		}
	}
	for i := range 30 {
		for range 1 + r.IntN(3) {
			if r.IntN(2) == 0 {
				branch, gone := filepath.Join(top, "branch"), filepath.Join(top, "gone")
				fill(branch)
				must(os.Rename(site, gone))
				must(os.Rename(branch, site))
				must(os.RemoveAll(gone))
			} else {
				must(os.RemoveAll(site))
				fill(site)
			}
			if r.IntN(2) == 0 {
				time.Sleep(time.Duration(r.IntN(60)) * time.Millisecond)
			}
		}
		file := filepath.Join(site, []string{"a.css", "css/b.css", "css/deep/c.css", "islands/d.css"}[r.IntN(4)])
		ctx, cancel := context.WithTimeout(t.Context(), 5*time.Second)
		for settled := false; !settled; {
			quick, stop := context.WithTimeout(ctx, 120*time.Millisecond)
			_, err := w.Next(quick)
			stop()
			settled = err != nil
		}
		must(os.WriteFile(file, []byte("x"), 0o644))
		names, err := w.Next(ctx)
		cancel()
		if err != nil || !slices.Contains(names, file) {
			t.Fatalf("round %d: %s is not told of: %v, %v; watched: %v", i, file, names, err, w.notify.WatchList())
		}
	}
}
