package session_test

import (
	"os"
	"path/filepath"
	"strings"
	"testing"
)

// TestWatchShared changes settings that the settings of a watched project extend: also
// while they are invalid, or missing.
func TestWatchShared(t *testing.T) {
	f := newFolder(t)
	f.write("rinzel.toml", "extends = \"shared/a.toml\"\nsource = \"site\"\n")
	f.write("shared/a.toml", "extends = \"b.toml\"\n")
	f.write("shared/b.toml", "[constants]\ntone = \"navy\"\n")
	f.write("site/index.html", "<link rel=stylesheet href=a.css>")
	f.write("site/a.css", "p { color: const(tone) }")
	ctx, w := f.watch()
	build := func(what, want string) {
		t.Helper()
		u, err := w.Build(ctx)
		if err != nil {
			t.Fatal(what, err)
		}
		text := ""
		for _, d := range u.Diagnostics {
			text += d.Message + "\n"
		}
		for _, o := range u.Outputs {
			content, err := o.Content()
			if err != nil {
				t.Fatal(err)
			}
			text += string(content) + "\n"
		}
		if !strings.Contains(text, want) {
			t.Errorf("%s: no %q in %s", what, want, text)
		}
	}
	build("first", "color: navy")
	for _, step := range []struct{ name, text, want string }{
		{"shared/b.toml", "[constants]\ntone = \"teal\"\n", "color: teal"},
		{"shared/b.toml", "[constants\n", "unclosed table name"},
		{"shared/b.toml", "[constants]\ntone = \"tan\"\n", "color: tan"},
		{"shared/b.toml", "", "no settings file"},
		{"shared/b.toml", "[constants]\ntone = \"red\"\n", "color: red"},
		{"shared/a.toml", "[constants]\ntone = \"lime\"\n", "color: lime"},
		{"rinzel.toml", "source = \"site\"\n[constants]\ntone = \"aqua\"\n", "color: aqua"},
	} {
		if step.text == "" {
			if err := os.Remove(filepath.Join(f.dir, filepath.FromSlash(step.name))); err != nil {
				t.Fatal(err)
			}
		} else {
			f.write(step.name, step.text)
		}
		if _, err := w.Next(ctx); err != nil {
			t.Fatal(step, err)
		}
		build(step.name, step.want)
	}
}
