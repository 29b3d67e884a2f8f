package minify

import (
	"io/fs"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"rinzel/internal/browsers"
	"rinzel/internal/browsertest"
	"rinzel/internal/css/parse"
	"rinzel/internal/css/print"
	"rinzel/internal/source"
)

// TestTrialStyles minifies each sheet of a folder for both sizes. A browser must
// compute the same styles as for the source, and a second run must change
// nothing. Changes that were undone are counted, with their reasons.
func TestTrialStyles(t *testing.T) {
	dir := os.Getenv(trialDir)
	if dir == "" {
		t.Skip(trialDir + " names no folder of style sheets; see scripts/trial")
	}
	page := browsertest.Start(t).Open("about:blank")
	sheets, elements, undoneCount := 0, 0, 0
	err := filepath.WalkDir(dir, func(path string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() || !strings.HasSuffix(path, ".css") || strings.HasSuffix(path, ".min.css") {
			return err
		}
		text, err := os.ReadFile(path)
		if err != nil {
			return err
		}
		name := strings.TrimPrefix(path, dir)
		tree, _ := parse.Sheet(new(source.Set).Add(source.Path{Name: name}, name, strings.TrimPrefix(string(text), "\uFEFF")))
		source := strings.TrimPrefix(print.Sheet(tree.Nodes, print.Options{Compact: true}), "\uFEFF")
		last := ""
		for _, size := range []Size{Compressed, Uncompressed} {
			opts := Options{Targets: browsers.Default(), Size: size}
			nodes, undone := Proved(tree.Nodes, opts)
			for _, u := range undone {
				t.Logf("%s: undone: %s", name, u.Message)
			}
			small := strings.TrimPrefix(print.Sheet(nodes, print.Options{Compact: true}), "\uFEFF")
			if twice := minifiedFor(small, opts); twice != small && len(undone) == 0 {
				t.Errorf("%s, %s: a second run changes the result", name, size)
			}
			undoneCount += len(undone)
			if small == last {
				continue
			}
			last = small
			count, diff := page.DiffStyles(source, small, 3)
			for _, d := range diff {
				t.Errorf("%s, %s: %s", name, size, d)
			}
			elements += count
		}
		sheets++
		return nil
	})
	if err != nil {
		t.Fatal(err)
	}
	t.Logf("%d sheets with %d elements, %d changes undone", sheets, elements, undoneCount)
}
