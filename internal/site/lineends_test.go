package site_test

import (
	"bytes"
	"io/fs"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"rinzel/internal/project"
)

// TestLineEnds builds the demo with the line ends of Windows: the bundles for release are
// the same, also by name; pages keep their line ends.
func TestLineEnds(t *testing.T) {
	plain := filepath.Join(buildDemo(t, project.Production), "public")
	other := buildChangedDemo(t, project.Production, func(dir string) {
		err := filepath.WalkDir(dir, func(name string, d fs.DirEntry, err error) error {
			if err != nil || d.IsDir() {
				return err
			}
			switch filepath.Ext(name) {
			case ".css", ".html", ".js", ".toml", ".json":
			default:
				return nil
			}
			text, err := os.ReadFile(name)
			if err != nil {
				return err
			}
			return os.WriteFile(name, bytes.ReplaceAll(text, []byte("\n"), []byte("\r\n")), 0o600)
		})
		if err != nil {
			t.Fatal(err)
		}
	})
	bundles := 0
	err := filepath.WalkDir(plain, func(name string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() {
			return err
		}
		rel, _ := filepath.Rel(plain, name)
		kind := filepath.Ext(name)
		if kind != ".css" && kind != ".html" {
			return nil
		}
		want, err := os.ReadFile(name)
		if err != nil {
			return err
		}
		got, err := os.ReadFile(filepath.Join(other, "public", rel))
		if err != nil {
			return err
		}
		if kind == ".html" {
			if !bytes.Contains(got, []byte("\r\n")) {
				t.Errorf("%s has other line ends than its source", rel)
			}
			return nil
		}
		if bundles++; !bytes.Equal(got, want) {
			t.Errorf("%s differs: %d bytes, and %d with the line ends of Windows", rel, len(want), len(got))
		}
		if strings.Contains(string(got), "\r") {
			t.Errorf("%s has a carriage return", rel)
		}
		return nil
	})
	if err != nil {
		t.Fatal(err)
	}
	if bundles < 5 {
		t.Errorf("only %d bundles", bundles)
	}
}
