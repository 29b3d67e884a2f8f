package project

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"golang.org/x/tools/txtar"

	"rinzel/internal/diag"
)

// openArchive opens the project "pier" of an archive, and returns its findings as text.
func openArchive(t *testing.T, archive string) (*Project, string) {
	t.Helper()
	dir := t.TempDir()
	for _, f := range txtar.Parse([]byte(archive)).Files {
		name := filepath.Join(dir, filepath.FromSlash(f.Name))
		if err := os.MkdirAll(filepath.Dir(name), 0o755); err != nil {
			t.Fatal(err)
		}
		if err := os.WriteFile(name, f.Data, 0o644); err != nil {
			t.Fatal(err)
		}
	}
	t.Chdir(dir)
	p, found, err := Open(Options{Settings: "pier/rinzel.toml"})
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = p.Close() })
	var text strings.Builder
	renderer := diag.Renderer{Files: p.Tree.Set}
	if err := renderer.Render(&text, found); err != nil {
		t.Fatal(err)
	}
	return p, text.String()
}

// TestExtends checks how settings of files that extend one another are merged.
func TestExtends(t *testing.T) {
	p, found := openArchive(t, `
-- pier/rinzel.toml --
extends = "../shared/rinzel.toml"
[constants]
edge = "3px"
tone = { sea = "navy" }
[purge]
keep = [".b"]
[[chain]]
match = "**/*"
steps = ["compose"]
-- pier/x.css --
-- shared/rinzel.toml --
extends = "package:house/rinzel.toml"
base = "/pier/"
[roots]
kit = "css"
[constants]
edge = "2px"
tone = { sea = "teal", sand = "tan" }
[purge]
keep = [".a", ".c"]
max-removed = 40
[[chain]]
match = "*.css"
steps = []
[[chain]]
match = "**/*"
steps = ["prefix"]
-- shared/css/kit.css --
-- node_modules/house/rinzel.toml --
base = "/"
[constants]
gap = "1px"
edge = "1px"
[profile.production]
integrity = true
[cache]
folder = "stored"
`)
	if found != "" {
		t.Fatal(found)
	}
	s := p.Settings
	var constants []string
	for _, c := range s.Constants {
		constants = append(constants, strings.Join(c.Path, ".")+"="+c.Text)
	}
	if got, want := strings.Join(constants, " "), "gap=1px tone.sand=tan edge=3px tone.sea=navy"; got != want {
		t.Errorf("constants %s, want %s", got, want)
	}
	if s.Base != "/pier/" || len(s.Purge.Keep) != 1 || s.Purge.MaxRemoved != 40 || len(s.Chains) != 2 ||
		!s.Profiles[Production].Integrity {
		t.Errorf("%s, %v, %v, %v", s.Base, s.Purge, s.Chains, s.Profiles[Production])
	}
	if got := filepath.ToSlash(p.RootDirs()[0]); got != "shared/css" {
		t.Errorf("the root is %s", got)
	}
	if got := filepath.ToSlash(p.CacheFolder()); !strings.HasSuffix(got, "node_modules/house/stored") {
		t.Errorf("the cache is in %s", got)
	}
	if got := filepath.ToSlash(strings.Join(s.Extends, " ")); !strings.HasPrefix(got, "shared/rinzel.toml ") ||
		!strings.HasSuffix(got, "node_modules/house/rinzel.toml") {
		t.Errorf("extends %s", got)
	}
}

// TestExtendsFindings checks the findings about files that extend one another, with
// their places.
func TestExtendsFindings(t *testing.T) {
	for _, test := range []struct{ own, shared, other, want string }{
		{`extends = "none.toml"`, "", "", `pier/rinzel.toml:1:11: error: no settings file "none.toml"`},
		{`extends = "../none/x.toml"`, "", "", `pier/rinzel.toml:1:11: error: no settings file`},
		{`extends = "package:none/x.toml"`, "", "", `pier/rinzel.toml:1:11: error: no settings file`},
		{`extends = "package:../x"`, "", "", "leads outside its folder"},
		{`extends = "../shared"`, "", "", "pier/rinzel.toml:1:11: error: cannot read the settings file"},
		{`extends = 3`, "", "", "pier/rinzel.toml:1:11: error: extends must be the path"},
		{`extends = "../shared/a.toml"`, `bases = "/"`, "", `shared/a.toml:1:1: error: unknown key "bases"`},
		{`extends = "../shared/a.toml"`, "\n[split]\nshared = -1", "", "shared/a.toml:3:10: error: "},
		{"extends = \"../shared/a.toml\"\n[split]\nshared = -1", "[split]\nshared = -2", "", "pier/rinzel.toml:3:10: error: "},
		{`extends = "../shared/a.toml"`, "[split]\nshared = 'x'", "", "shared/a.toml:2:10: error: "},
		{"extends = \"../shared/a.toml\"\nexternal = 1", "external = ['x']", "", "pier/rinzel.toml:2:12: error: "},
		{"extends = \"../shared/a.toml\"\nexternal = ['[']", "external = ['a', '[', '[']", "", "pier/rinzel.toml:2:13: error: "},
		{`extends = "../shared/a.toml"`, "base = ", "", "shared/a.toml:1:"},
		{`extends = "../shared/a.toml"`, "base = \"\xff\"", "", "is not UTF-8 text"},
		{`extends = "../shared/a.toml"`, `extends = "b.toml"`, `extends = "./a.toml"`, `shared/b.toml:1:11: error: the settings file "shared/a.toml" extends itself`},
		{`extends = "../shared/a.toml"`, `extends = "b.toml"`, `step = 1`, "shared/b.toml:1:8: error: "},
		{`extends = "../shared/a.toml"`, `extends = false`, "", "shared/a.toml:1:11: error: extends must be the path"},
		{`extends = "../shared/a.toml"`, "[roots]\nstd = 'x'", "", `shared/a.toml:2:1: error: root "std" is reserved`},
	} {
		archive := "-- pier/rinzel.toml --\n" + test.own + "\n-- shared/a.toml --\n" + test.shared +
			"\n-- shared/b.toml --\n" + test.other
		_, found := openArchive(t, archive)
		if !strings.Contains(found, test.want) || strings.Count(found, "error:") != 1 {
			t.Errorf("%+v\nhas the findings\n%s", test, found)
		}
	}
}
