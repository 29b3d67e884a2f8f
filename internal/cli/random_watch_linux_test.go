package cli_test

import (
	"errors"
	"fmt"
	"io/fs"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"testing"
	"time"
)

// stressed returns the number of iterations: short of times, or times
// multiplied by RINZEL_STRESS if that is set, as in scripts/stress.
func stressed(times int) int {
	if n, err := strconv.Atoi(os.Getenv("RINZEL_STRESS")); err == nil && n > 0 {
		return times * n
	}
	return times
}

// randomSite is a site with random changes.
type randomSite struct {
	t    *testing.T
	r    *rand.Rand
	dir  string // of the project
	site string // the source folder
	n    int    // number of changes
}

func (s *randomSite) must(err error) {
	s.t.Helper()
	if err != nil && !errors.Is(err, fs.ErrNotExist) {
		s.t.Fatal(err)
	}
}

// files returns the files of the site with an extension.
func (s *randomSite) files(ending string) []string {
	var out []string
	_ = filepath.WalkDir(s.site, func(name string, d fs.DirEntry, err error) error {
		if err == nil && !d.IsDir() && strings.HasSuffix(name, ending) {
			out = append(out, name)
		}
		return nil
	})
	return out
}

// folders returns the folders of the site, except for its root.
func (s *randomSite) folders() []string {
	var out []string
	_ = filepath.WalkDir(s.site, func(name string, d fs.DirEntry, err error) error {
		if err == nil && d.IsDir() && name != s.site {
			out = append(out, name)
		}
		return nil
	})
	return out
}

func pick[T any](r *rand.Rand, list []T) (one T, ok bool) {
	if len(list) == 0 {
		return one, false
	}
	return list[r.IntN(len(list))], true
}

// aFolder returns a folder of the site, or its root.
func (s *randomSite) aFolder() string {
	if f, ok := pick(s.r, s.folders()); ok && s.r.IntN(3) > 0 {
		return f
	}
	return s.site
}

func (s *randomSite) sheet() string {
	out := fmt.Sprintf(".c%d { top: %dpx; color: #%06x }\n", s.r.IntN(8), s.n, s.n*7919)
	for range s.r.IntN(3) {
		out = fmt.Sprintf("@import %q;\n",
			[]string{"a.css", "css/b.css", "/css/a.css", "../a.css", ".hidden/h.css", "node_modules/kit/kit.css",
				"/none.css", "package:kit"}[s.r.IntN(8)]) + out
	}
	if s.r.IntN(12) == 0 {
		out += ".open { color: red\n"
	}
	return out
}

func (s *randomSite) page() string {
	out := "<!doctype html>"
	for range 1 + s.r.IntN(3) {
		out += fmt.Sprintf("<link rel=stylesheet href=%s>",
			[]string{"a.css", "css/b.css", "/css/a.css", "/a.css", "/js.css", "new0.css", "/linked/a.css"}[s.r.IntN(7)])
	}
	return out + fmt.Sprintf("<img src=/pier.svg><p class=\"c%d c%d\">%d", s.r.IntN(8), s.r.IntN(8), s.n)
}

func (s *randomSite) write(name, text string) {
	s.t.Helper()
	s.must(os.MkdirAll(filepath.Dir(name), 0o755))
	if s.r.IntN(2) == 0 { // as editors do
		s.must(os.WriteFile(name+".tmp~", []byte(text), 0o644))
		s.must(os.Rename(name+".tmp~", name))
		return
	}
	_ = os.Chmod(name, 0o644)
	if err := os.WriteFile(name, []byte(text), 0o644); err != nil {
		s.t.Logf("not written: %v", err) // a dangling link, or a folder
	}
}

// branch creates a copy of the site for a switch of branches.
func (s *randomSite) branch(dir string) {
	s.t.Helper()
	for i, name := range []string{"a.css", "css/a.css", "css/b.css", "index.html", "islands/gannet.html",
		"islands/a.css", ".hidden/h.css", "node_modules/kit/kit.css", "node_modules/kit/package.json", "pier.svg", "js.css", "notes.txt"} {
		text := s.sheet()
		switch filepath.Ext(name) {
		case ".html":
			text = s.page()
		case ".json":
			text = `{"style": "kit.css", "version": "1.0.0"}`
		case ".svg":
			text = fmt.Sprintf("<svg id=\"s%d\"/>", s.n)
		case ".txt":
			text = "c1"
		}
		if strings.Contains(name, "hidden") || strings.Contains(name, "kit.css") {
			text = fmt.Sprintf(".c%d { left: %dpx }\n", i%8, s.n)
		}
		file := filepath.Join(dir, filepath.FromSlash(name))
		s.must(os.MkdirAll(filepath.Dir(file), 0o755))
		s.must(os.WriteFile(file, []byte(text), 0o644))
	}
}

// swap exchanges two files or folders.
func (s *randomSite) swap(a, b string) {
	if a == b || strings.HasPrefix(a, b) || strings.HasPrefix(b, a) {
		return
	}
	spare := filepath.Join(s.dir, "spare")
	s.must(os.Rename(a, spare))
	s.must(os.Rename(b, a))
	s.must(os.Rename(spare, b))
}

// step makes a change and describes it.
func (s *randomSite) step() string {
	s.t.Helper()
	s.n++
	sheets, pages, folders := s.files(".css"), s.files(".html"), s.folders()
	sheet, _ := pick(s.r, sheets)
	page, _ := pick(s.r, pages)
	folder, hasFolder := pick(s.r, folders)
	switch kind := s.r.IntN(22); {
	case kind < 5 && sheet != "":
		s.write(sheet, s.sheet())
		return "a sheet: " + sheet
	case kind < 7 && page != "":
		s.write(page, s.page())
		return "a page: " + page
	case kind == 7:
		name := filepath.Join(s.aFolder(), fmt.Sprintf("new%d.css", s.r.IntN(3)))
		s.write(name, s.sheet())
		return "a new sheet: " + name
	case kind == 8:
		name := filepath.Join(s.aFolder(), fmt.Sprintf("new%d.html", s.r.IntN(3)))
		s.write(name, s.page())
		return "a new page: " + name
	case kind == 9 && len(sheets) > 4:
		s.must(os.Remove(sheet))
		return "removed: " + sheet
	case kind == 10 && len(pages) > 2:
		s.must(os.Remove(page))
		return "removed: " + page
	case kind == 11 && hasFolder:
		to := filepath.Join(s.site, fmt.Sprintf("moved%d", s.r.IntN(3)))
		if _, err := os.Lstat(to); err == nil || strings.HasPrefix(to, folder) {
			return "nothing"
		}
		s.must(os.Rename(folder, to))
		return "moved: " + folder + " to " + to
	case kind == 12 && len(folders) > 1:
		other, _ := pick(s.r, folders)
		s.swap(folder, other)
		return "swapped: " + folder + " and " + other
	case kind == 13 && len(sheets) > 1:
		other, _ := pick(s.r, sheets)
		s.swap(sheet, other)
		return "swapped: " + sheet + " and " + other
	case kind == 14:
		link := filepath.Join(s.site, "linked")
		if _, err := os.Lstat(link); err == nil {
			s.must(os.RemoveAll(link))
		}
		to := []string{"css", ".hidden", "islands", "nowhere"}[s.r.IntN(4)]
		s.must(os.Symlink(to, link))
		return "a link to " + to
	case kind == 15 && sheet != "":
		link := filepath.Join(s.site, "js.css")
		_ = os.Remove(link)
		rel, _ := filepath.Rel(s.site, sheet)
		s.must(os.Symlink(rel, link))
		return "a link to " + rel
	case kind == 16 && sheet != "":
		s.must(os.Chmod(sheet, []fs.FileMode{0, 0o644}[s.r.IntN(2)]))
		return "the rights of " + sheet
	case kind == 17:
		spare := filepath.Join(s.dir, "branch")
		s.must(os.RemoveAll(spare))
		s.branch(spare)
		s.must(os.Rename(s.site, filepath.Join(s.dir, "gone")))
		s.must(os.Rename(spare, s.site))
		s.must(os.RemoveAll(filepath.Join(s.dir, "gone")))
		return "another branch, at once"
	case kind == 18:
		s.must(os.RemoveAll(s.site))
		s.branch(s.site)
		return "another branch, file by file"
	case kind == 19:
		for i := range 40 {
			name := filepath.Join(s.site, "many", fmt.Sprintf("m%d.css", i))
			s.write(name, fmt.Sprintf(".c%d { right: %dpx }\n", i%8, s.n))
		}
		return "forty files"
	case kind == 20:
		s.write(filepath.Join(s.dir, "rinzel.toml"),
			fmt.Sprintf("source = \"site\"\n[split]\nmin-bytes = %d\n", s.r.IntN(2)*4000))
		return "the settings"
	case kind == 21:
		for _, name := range []string{".hidden/h.css", "node_modules/kit/kit.css", "pier.svg"} {
			s.write(filepath.Join(s.site, filepath.FromSlash(name)), fmt.Sprintf(".c1 { bottom: %dpx }", s.n))
		}
		return "what is hidden"
	}
	return "nothing"
}

// settle reads the lines of a watch until none follows for a while.
func (w *watched) settle() {
	for {
		select {
		case line := <-w.lines:
			w.seen = append(w.seen, line)
		case <-time.After(100 * time.Millisecond):
			return
		}
	}
}

// TestWatchRandomly makes random changes to a site while a watch runs. After
// each, the output must equal that of a fresh build.
func TestWatchRandomly(t *testing.T) {
	seed := uint64(stressed(1))
	s := &randomSite{t: t, r: rand.New(rand.NewPCG(seed, 4)), dir: lay(t, "rinzel.toml", "source = \"site\"\n")}
	s.site = filepath.Join(s.dir, "site")
	s.branch(s.site)
	as := unprivileged(t, s.dir)
	fresh := func() (string, map[string]string) {
		cmd := exec.Command(program, "build", "--output", "fresh")
		cmd.Dir, cmd.SysProcAttr = s.dir, as
		out, _ := cmd.CombinedOutput()
		return string(out), contents(t, filepath.Join(s.dir, "fresh"))
	}
	w := startWatchAs(t, s.dir, as)
	w.expect("watching")
	var done []string
	steps, compared := stressed(40), 0
	for i := range steps {
		what := s.step()
		if s.r.IntN(4) == 0 {
			what += ", " + s.step()
		}
		done = append(done, what)
		said, want := fresh()
		if strings.Contains(said, "bad-settings") {
			t.Fatal(said)
		}
		if strings.Contains(said, "nothing written") {
			// The output may be of any state since the last successful build.
			w.settle()
			continue
		}
		compared++
		late := time.Now().Add(10 * time.Second)
		for !equal(contents(t, filepath.Join(s.dir, "public")), want) {
			if time.Now().After(late) {
				got := contents(t, filepath.Join(s.dir, "public"))
				for name := range want {
					if got[name] != want[name] {
						t.Logf("%s is\n%s\nwant\n%s", name, got[name], want[name])
					}
				}
				for name := range got {
					if _, ok := want[name]; !ok {
						t.Logf("%s is there", name)
					}
				}
				for len(w.lines) > 0 {
					w.seen = append(w.seen, <-w.lines)
				}
				t.Fatalf("step %d: the output is not what a fresh build writes\nsteps: %s\nfresh build:\n%s\nwatch:\n%s", i,
					strings.Join(done[max(0, i-4):], "\n"), said, strings.Join(w.seen[max(0, len(w.seen)-60):], "\n"))
			}
			time.Sleep(10 * time.Millisecond)
		}
		w.settle()
	}
	idle := len(done) - len(slices.DeleteFunc(done, func(what string) bool { return what == "nothing" }))
	if compared < steps/3 || idle > steps/2 {
		t.Errorf("of %d steps %d were compared, and %d did nothing", steps, compared, idle)
	}
	t.Logf("%d steps, %d of them compared", steps, compared)
}
