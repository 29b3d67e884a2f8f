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

// TestLineEnds builds the demo with the line ends of Windows: the bundles are the same,
// those for release also by name. Pages keep their line ends, and so do the sources in
// maps.
func TestLineEnds(t *testing.T) {
	for _, profile := range []string{project.Development, project.Production} {
		t.Run(profile, func(t *testing.T) { lineEnds(t, profile) })
	}
}

// lineEnds compares two builds of the demo with different line ends.
func lineEnds(t *testing.T, profile string) {
	plain := filepath.Join(buildDemo(t, profile), "public")
	other := buildChangedDemo(t, profile, func(dir string) {
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
		if kind == ".css" && profile == project.Development {
			got, want = withoutMap(got), withoutMap(want)
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

// withoutMap returns a sheet without the map at its end.
func withoutMap(sheet []byte) []byte {
	before, _, _ := bytes.Cut(sheet, []byte("/*# sourceMappingURL="))
	return before
}
