package emit_test

import (
	"testing"
	"testing/fstest"

	"rinzel/internal/emit"
	"rinzel/internal/source"
)

// TestFS checks that outputs are a valid file system, including copied files.
func TestFS(t *testing.T) {
	tree := source.NewTree(source.Folder{FS: fstest.MapFS{"map.svg": {Data: []byte("<svg/>")}}})
	file, err := tree.Copy(source.Path{Name: "map.svg"})
	if err != nil {
		t.Fatal(err)
	}
	outputs := []emit.Output{
		{Path: "index.html", Data: []byte("<p>")}, {Path: "pages/a/b.html"}, {Path: "pages/a/c.html", Data: []byte("c")},
		{Path: "pages/d.html"}, {Path: "img/map.svg", Copy: file}, {Path: "img/deep/er/x.css", Data: []byte("a{}")},
	}
	var paths []string
	for _, o := range outputs {
		paths = append(paths, o.Path)
	}
	// A copied file is opened in the source folder, so the others are compared
	// without it.
	if err := fstest.TestFS(emit.FS(append(outputs[:4:4], outputs[5])), append(paths[:4:4], paths[5])...); err != nil {
		t.Error(err)
	}
	for _, o := range outputs {
		want, _ := o.Content()
		if got, err := emit.FS(outputs).(interface {
			ReadFile(string) ([]byte, error)
		}).ReadFile(o.Path); err != nil || string(got) != string(want) {
			t.Errorf("%s holds %q, want %q (%v)", o.Path, got, want, err)
		}
	}
	if err := fstest.TestFS(emit.FS(nil)); err != nil {
		t.Error(err)
	}
}
