package cli_test

import (
	"errors"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"sync"
	"testing"
)

// TestTwoBuildsAtOnce builds two projects into one folder at the same time,
// repeatedly. The result must be the output of one of them.
func TestTwoBuildsAtOnce(t *testing.T) {
	lays := func(name string, pages int) string {
		files := []string{"rinzel.toml", "source = \"site\"\n", "site/main.css", ".a { content: \"" + name + "\" }\n"}
		for i := range pages {
			files = append(files, fmt.Sprintf("site/p%d.html", i),
				fmt.Sprintf("<!doctype html><link rel=stylesheet href=%s%d.css><link rel=stylesheet href=main.css><p class=a>%s", name, i, name),
				fmt.Sprintf("site/%s%d.css", name, i), fmt.Sprintf(".a { top: %dpx }\n", i))
		}
		return lay(t, files...)
	}
	one, two := lays("one", 12), lays("two", 9)
	alone := func(dir string) map[string]string {
		out := filepath.Join(t.TempDir(), "public")
		if code, _, errs := runIn(t, dir, "build", "--output", out); code != 0 {
			t.Fatal(errs)
		}
		return contents(t, out)
	}
	first, second := alone(one), alone(two)
	public := filepath.Join(t.TempDir(), "public")
	for range 6 {
		var wait sync.WaitGroup
		for _, dir := range []string{one, two, one, two} {
			wait.Go(func() {
				cmd := exec.Command(program, "build", "--output", public)
				cmd.Dir = dir
				if out, err := cmd.CombinedOutput(); err != nil {
					t.Errorf("%v\n%s", err, out)
				}
			})
		}
		wait.Wait()
		if got := contents(t, public); !equal(got, first) && !equal(got, second) {
			t.Fatalf("the output is of neither: %d files", len(got))
		}
	}
}

// TestBuildBesideWatch builds into the folder of a watch, which must continue.
func TestBuildBesideWatch(t *testing.T) {
	dir := lay(t, "rinzel.toml", "source = \"site\"\n", "site/index.html",
		"<!doctype html><link rel=stylesheet href=main.css><p class=a>", "site/main.css", ".a { top: 0 }\n")
	w := startWatch(t, dir)
	w.expect("watching")
	for i := 1; i <= 5; i++ {
		w.write("site/main.css", fmt.Sprintf(".a { top: %dpx }\n", i))
		w.write(fmt.Sprintf("site/new%d.html", i), "<!doctype html><link rel=stylesheet href=main.css><p class=a>")
		if code, _, errs := runIn(t, dir, "build", "--profile", []string{"production", "development"}[i%2]); code != 0 {
			t.Fatal(errs)
		}
		w.expect("wrote")
	}
	if code, _, errs := runIn(t, dir, "build"); code != 0 {
		t.Fatal(errs)
	}
	w.write("site/main.css", ".a { top: 99px }\n")
	w.expect("wrote")
	w.has("public/index.css", "99px")
	for _, line := range w.seen {
		if strings.Contains(line, "foreign-file") || strings.HasPrefix(line, "rinzel: ") &&
			!strings.Contains(line, "profile ") {
			t.Errorf("the watch says %q", line)
		}
	}
}

// TestDiskTrouble checks that a build that cannot write reports that, exits
// with status 2, and leaves the output unchanged.
func TestDiskTrouble(t *testing.T) {
	dir := lay(t, "rinzel.toml", "source = \"site\"\n", "site/index.html",
		"<!doctype html><link rel=stylesheet href=main.css><p class=a>", "site/main.css", ".a { top: 0 }\n")
	if code, _, errs := runIn(t, dir, "build"); code != 0 {
		t.Fatal(errs)
	}
	before := contents(t, filepath.Join(dir, "public"))
	large := "." + strings.Repeat("a", 4000) + " { top: 1px }\n"
	if err := os.WriteFile(filepath.Join(dir, "site", "main.css"), []byte(strings.Repeat(large, 10)), 0o644); err != nil {
		t.Fatal(err)
	}
	limited := func(command string) (int, string) {
		cmd := exec.Command("sh", "-c", command, "sh", program)
		cmd.Dir = dir
		out, err := cmd.CombinedOutput()
		var exit *exec.ExitError
		if err != nil && !errors.As(err, &exit) {
			t.Fatal(err)
		}
		return cmd.ProcessState.ExitCode(), string(out)
	}
	// No file may be larger than 8 kB here, as on a full disk.
	code, out := limited(`ulimit -f 16; exec "$1" build`)
	if code != 2 || !strings.Contains(out, "rinzel: ") || !strings.Contains(out, "too large") {
		t.Errorf("%d %s", code, out)
	}
	if got := contents(t, filepath.Join(dir, "public")); !equal(got, before) {
		t.Errorf("a build that could not write left %d files, want %d", len(got), len(before))
	}
	if left, _ := filepath.Glob(filepath.Join(dir, "public", ".rinzel", "next-*")); len(left) > 0 {
		t.Errorf("%q is left", left)
	}
	if code, _, errs := runIn(t, dir, "build"); code != 0 {
		t.Errorf("with room again: %d %s", code, errs)
	}
	// Nobody can create files in /proc.
	code, _, errs := runIn(t, dir, "build", "--output", "/proc/rinzel")
	if code != 2 || !strings.Contains(errs, "rinzel: ") {
		t.Errorf("%d %s", code, errs)
	}
	code, _, errs = runIn(t, dir, "build", "site/main.css", "-o", "/proc/main.css")
	if code != 2 || !strings.Contains(errs, "rinzel: ") {
		t.Errorf("%d %s", code, errs)
	}
	// A file is in the way of the folder.
	if err := os.WriteFile(filepath.Join(dir, "taken"), nil, 0o644); err != nil {
		t.Fatal(err)
	}
	code, _, errs = runIn(t, dir, "build", "--output", "taken")
	if code == 0 || !strings.Contains(errs, "taken") {
		t.Errorf("%d %s", code, errs)
	}
}

// TestWatchFolderComesBack removes the source folder of a watch and restores
// it.
func TestWatchFolderComesBack(t *testing.T) {
	dir := lay(t, "rinzel.toml", "source = \"site\"\n", "site/index.html",
		"<!doctype html><link rel=stylesheet href=css/main.css><p class=a>", "site/css/main.css", ".a { top: 0 }\n")
	w := startWatch(t, dir)
	w.expect("watching")
	for i := range 2 {
		if err := os.Rename(filepath.Join(dir, "site"), filepath.Join(dir, "away")); err != nil {
			t.Fatal(err)
		}
		w.expect("cannot open")
		w.has("public/index.css", "top:")
		if err := os.Rename(filepath.Join(dir, "away"), filepath.Join(dir, "site")); err != nil {
			t.Fatal(err)
		}
		w.expect("wrote")
		w.write("site/css/main.css", fmt.Sprintf(".a { top: %dpx }\n", i+5))
		w.expect("wrote index.css")
		w.has("public/index.css", fmt.Sprintf("%dpx", i+5))
	}
}

// contents returns the files of a folder, except for those of Rinzel itself.
func contents(t *testing.T, dir string) map[string]string {
	out := make(map[string]string)
	err := filepath.WalkDir(dir, func(name string, d os.DirEntry, err error) error {
		if err != nil || d.IsDir() {
			return err
		}
		rel, _ := filepath.Rel(dir, name)
		if !strings.HasPrefix(rel, ".rinzel") {
			data, err := os.ReadFile(name)
			if err != nil {
				return err
			}
			out[filepath.ToSlash(rel)] = string(data)
		}
		return nil
	})
	if err != nil && !errors.Is(err, os.ErrNotExist) {
		t.Fatal(err)
	}
	return out
}

// equal reports whether two folders have the same files.
func equal(a, b map[string]string) bool {
	if len(a) != len(b) {
		return false
	}
	for name, text := range a {
		if b[name] != text {
			return false
		}
	}
	return true
}
