package project

import (
	"errors"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"rinzel/internal/diag"
	"rinzel/internal/source"
)

// lay writes files to a new folder, which becomes the working folder.
func lay(t *testing.T, files map[string]string) {
	t.Helper()
	t.Chdir(t.TempDir())
	for name, text := range files {
		if err := errors.Join(os.MkdirAll(filepath.Dir(name), 0o755), os.WriteFile(name, []byte(text), 0o644)); err != nil {
			t.Fatal(err)
		}
	}
}

func TestOpen(t *testing.T) {
	lay(t, map[string]string{"rinzel.toml": "source = \"site\"\n[roots]\nkit = \"vendor/kit\"\n", "site/a.css": "a{}",
		"vendor/kit/b.css": "b{}", "secret": ""})
	p, diags, err := Open(Options{})
	if err != nil || len(diags) > 0 {
		t.Fatal(diags, err)
	}
	defer p.Close()
	for path, ok := range map[source.Path]bool{
		{Name: "a.css"}: true, {Root: "kit", Name: "b.css"}: true, {Name: "../secret"}: false, {Name: "b.css"}: false, {Root: "kit", Name: "../../secret"}: false,
	} {
		if _, err := p.Tree.Text(path); (err == nil) != ok {
			t.Errorf("%v: %v", path, err)
		}
	}
	if p.Output != "public" || p.Settings.File != "rinzel.toml" ||
		p.Tree.Show(source.Path{Root: "kit", Name: "b.css"}) != "vendor/kit/b.css" {
		t.Errorf("output %q, settings %q", p.Output, p.Settings.File)
	}
}

func TestOpenWithoutSettings(t *testing.T) {
	lay(t, map[string]string{"deep/a.css": "a{}"})
	p, diags, err := Open(Options{Source: "deep", Output: "elsewhere"})
	if err != nil || len(diags) > 0 {
		t.Fatal(diags, err)
	}
	defer p.Close()
	if !p.Tree.Exists(source.Path{Name: "a.css"}) || p.Output != "elsewhere" || p.Settings.File != "" {
		t.Errorf("output %q, settings %q", p.Output, p.Settings.File)
	}
	if _, _, err := Open(Options{Settings: "none.toml"}); err == nil {
		t.Error("settings that are not there were opened")
	}
}

func TestOutputHoldsSources(t *testing.T) {
	lay(t, map[string]string{"site/a.css": "", "kit/b.css": "",
		"rinzel.toml": "source = \"site\"\n[roots]\nkit = \"kit\"\n"})
	if err := os.Symlink("site", "link"); err != nil {
		t.Skip(err)
	}
	for output, bad := range map[string]bool{
		"public": false, "site/public": false, "sit": false, ".": true, "site": true, "./site/": true, "kit": true, "..": true, "link": true, "site/../site": true,
	} {
		p, diags, err := Open(Options{Output: output})
		if err != nil {
			t.Fatal(err)
		}
		p.Close()
		if diag.HasErrors(diags) != bad {
			t.Errorf("output %q: %v", output, diags)
		}
	}
}

func TestSkip(t *testing.T) {
	lay(t, map[string]string{
		"rinzel.toml": "[roots]\nkit = \"vendor/kit\"\n", "a.html": "", "sub/b.html": "", "public/c.html": "", ".git/d.html": "", "sub/.hidden/e.html": "",
		"node_modules/f.html": "", "sub/node_modules/g.html": "", "vendor/kit/h.html": "", "vendor/i.html": "", "old/" + source.ListName: "{}", "old/j.html": "", "next/k.html": "",
	})
	p, diags, err := Open(Options{Output: "next"})
	if err != nil || len(diags) > 0 {
		t.Fatal(diags, err)
	}
	defer p.Close()
	skip := p.Skip()
	var found []string
	p.Tree.Walk("", func(dir string) bool { return !skip(dir) }, func(f source.Path) {
		if strings.HasSuffix(f.Name, ".html") {
			found = append(found, f.Name)
		}
	}, func(f source.Path, err error) { t.Error(f, err) })
	if want := []string{"a.html", "sub/b.html", "vendor/i.html"}; !slices.Equal(found, want) {
		t.Errorf("got %v, want %v", found, want)
	}
}
