package session_test

import (
	"context"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"rinzel/internal/diag"
	"rinzel/internal/emit"
	"rinzel/internal/project"
	"rinzel/internal/session"
	"rinzel/internal/site"
)

// folder is a project in a temporary folder.
type folder struct {
	*testing.T
	dir string
}

func newFolder(t *testing.T) folder {
	f := folder{t, t.TempDir()}
	f.write("rinzel.toml", "source = \"site\"\noutput = \"public\"\n")
	f.write("site/index.html", `<!doctype html><link rel=stylesheet href=quay.css><img src=boat.svg>`)
	f.write("site/about.html", `<!doctype html><link rel=stylesheet href=about.css>`)
	f.write("site/quay.css", ".quay { color: navy }")
	f.write("site/about.css", ".about { color: teal }")
	f.write("site/boat.svg", "<svg/>")
	return f
}

// write writes a file, and returns its absolute name.
func (f folder) write(name, text string) string {
	f.Helper()
	path := filepath.Join(f.dir, filepath.FromSlash(name))
	if err := os.MkdirAll(filepath.Dir(path), 0o755); err != nil {
		f.Fatal(err)
	}
	if err := os.WriteFile(path, []byte(text), 0o644); err != nil {
		f.Fatal(err)
	}
	return path
}

// watch starts a watch of the folder, and returns it with a context for what a test waits
// for.
func (f folder) watch() (context.Context, *session.Watch) {
	f.Helper()
	w, err := session.StartWatch(f.options(new(int)))
	if err != nil {
		f.Fatal(err)
	}
	ctx, cancel := context.WithTimeout(f.Context(), time.Minute)
	f.Cleanup(func() {
		cancel()
		w.Close()
	})
	return ctx, w
}

// options returns options of a session that builds the site for development and
// counts the builds.
func (f folder) options(builds *int) session.Options {
	return session.Options{
		Project: project.Options{Settings: filepath.Join(f.dir, project.FileName)},
		Build: func(ctx context.Context, p *project.Project, c *site.Cache) (*site.Result, error) {
			*builds++
			return site.Build(ctx, p, site.Options{Cache: c})
		},
	}
}

// TestSession changes files one after another, and checks which outputs the
// session reports as changed.
func TestSession(t *testing.T) {
	f := newFolder(t)
	builds := 0
	s, err := session.Open(f.options(&builds))
	if err != nil {
		t.Fatal(err)
	}
	defer s.Close()
	all := "about.css about.html boat.svg index.css index.html"
	for _, step := range []struct {
		what             string
		change           func() []string
		changed, removed string
	}{
		{"the first build", func() []string { return nil }, all, ""},
		{"nothing", func() []string { return nil }, "", ""},
		{"another value", func() []string { return []string{f.write("site/quay.css", ".quay { color: olive }")} }, "index.css", ""},
		{"saved as it was", func() []string { return []string{f.write("site/about.css", ".about { color: teal }")} }, "", ""},
		{"a new picture", func() []string { return []string{f.write("site/boat.svg", "<svg><g/></svg>")} }, "boat.svg", ""},
		{"a picture less", func() []string {
			return []string{f.write("site/index.html", `<!doctype html><link rel=stylesheet href=quay.css>`)}
		}, "index.html", "boat.svg"},
		{"a page less", func() []string {
			name := filepath.Join(f.dir, "site", "about.html")
			if err := os.Remove(name); err != nil {
				t.Fatal(err)
			}
			return []string{name}
		}, "", "about.css about.html"},
		{"an error", func() []string { return []string{f.write("rinzel.toml", "source = 1\n")} }, "", ""},
		{"the error is gone", func() []string {
			return []string{f.write("rinzel.toml", "source = \"site\"\noutput = \"public\"\n")}
		}, "", ""},
		{"other settings", func() []string {
			return []string{f.write("rinzel.toml", "source = \"site\"\noutput = \"public\"\n[constants]\ntone = \"red\"\n")}
		}, "", ""},
	} {
		if err := s.Apply(step.change()); err != nil {
			t.Fatalf("%s: %v", step.what, err)
		}
		u, err := s.Build(t.Context())
		if err != nil {
			t.Fatalf("%s: %v", step.what, err)
		}
		maps := func(name string) bool { return strings.HasSuffix(name, ".map") }
		changed, removed := strings.Join(slices.DeleteFunc(u.Changed, maps), " "),
			strings.Join(slices.DeleteFunc(u.Removed, maps), " ")
		if changed != step.changed || removed != step.removed {
			t.Errorf("%s: changed %q, removed %q; want %q, %q", step.what, changed, removed, step.changed, step.removed)
		}
		if failed := step.what == "an error"; failed != diag.HasErrors(u.Diagnostics) {
			t.Errorf("%s: the findings are %v", step.what, u.Diagnostics)
		}
	}
}

// TestOutputsAsFiles checks that the outputs of a session can be read as a file
// system without being written.
func TestOutputsAsFiles(t *testing.T) {
	f := newFolder(t)
	builds := 0
	s, err := session.Open(f.options(&builds))
	if err != nil {
		t.Fatal(err)
	}
	defer s.Close()
	u, err := s.Build(t.Context())
	if err != nil {
		t.Fatal(err)
	}
	for name, want := range map[string]string{"index.html": "index.css", "index.css": "navy", "boat.svg": "<svg/>"} {
		if data, err := fs.ReadFile(emit.FS(u.Outputs), name); err != nil || !strings.Contains(string(data), want) {
			t.Errorf("%s holds %q (%v), want %q in it", name, data, err, want)
		}
	}
	if _, err := os.Stat(filepath.Join(f.dir, "public")); err == nil {
		t.Error("the output folder was made")
	}
}

// TestWatch checks that a watch builds after changes, and ignores files that
// nothing reads.
func TestWatch(t *testing.T) {
	f := newFolder(t)
	unread := f.write("site/notes.pdf", "a")
	builds := 0
	w, err := session.StartWatch(f.options(&builds))
	if err != nil {
		t.Fatal(err)
	}
	defer w.Close()
	ctx, cancel := context.WithTimeout(t.Context(), 20*time.Second)
	defer cancel()
	if _, err := w.Build(ctx); err != nil {
		t.Fatal(err)
	}
	f.write("site/notes.pdf", "b")
	sheet := f.write("site/quay.css", ".quay { color: maroon }")
	changes, err := w.Next(ctx)
	if err != nil {
		t.Fatal(err)
	}
	if !slices.Contains(changes.Names, sheet) || slices.Contains(changes.Names, unread) {
		t.Errorf("changed are %v", changes.Names)
	}
	u, err := w.Build(ctx)
	if err != nil || !slices.Contains(u.Changed, "index.css") {
		t.Errorf("changed are %v, %v", u.Changed, err)
	}
}
