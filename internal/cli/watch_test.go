package cli_test

import (
	"bufio"
	"errors"
	"fmt"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"syscall"
	"testing"
	"time"
)

// watched is a running watch with its output lines.
type watched struct {
	t     testing.TB
	dir   string
	cmd   *exec.Cmd
	lines chan string
	seen  []string
}

func startWatch(t *testing.T, dir string, args ...string) *watched {
	return startWatchAs(t, dir, nil, args...)
}

// startWatchAs starts a watch with other process attributes.
func startWatchAs(t *testing.T, dir string, as *syscall.SysProcAttr, args ...string) *watched {
	return startAs(t, dir, as, append([]string{"watch"}, args...)...)
}

// startAs starts a command that runs until it is killed.
func startAs(t testing.TB, dir string, as *syscall.SysProcAttr, args ...string) *watched {
	w := &watched{t: t, dir: dir, cmd: exec.Command(program, args...), lines: make(chan string, 1000)}
	w.cmd.Dir, w.cmd.SysProcAttr = dir, as
	r, pipe := io.Pipe()
	w.cmd.Stdout, w.cmd.Stderr = pipe, pipe
	if err := w.cmd.Start(); err != nil {
		t.Fatal(err)
	}
	go func() {
		for s := bufio.NewScanner(r); s.Scan(); {
			w.lines <- s.Text()
		}
	}()
	t.Cleanup(func() { _ = w.cmd.Process.Kill() })
	return w
}

// expect waits for a line that contains a text.
func (w *watched) expect(text string) {
	w.t.Helper()
	late := time.After(20 * time.Second)
	for {
		select {
		case line := <-w.lines:
			w.seen = append(w.seen, line)
			if strings.Contains(line, text) {
				return
			}
		case <-late:
			w.t.Fatalf("no line with %q; all lines:\n%s", text, strings.Join(w.seen, "\n"))
		}
	}
}

func (w *watched) write(name, text string) {
	w.t.Helper()
	file := filepath.Join(w.dir, filepath.FromSlash(name))
	if err := os.MkdirAll(filepath.Dir(file), 0o755); err != nil {
		w.t.Fatal(err)
	}
	if err := os.WriteFile(file, []byte(text), 0o644); err != nil {
		w.t.Fatal(err)
	}
}

// has waits until an output file contains a text.
func (w *watched) has(name, text string) {
	w.t.Helper()
	var data []byte
	var err error
	for range 100 { // the build that wrote last may be one before the change
		data, err = os.ReadFile(filepath.Join(w.dir, filepath.FromSlash(name)))
		if err == nil && strings.Contains(string(data), text) {
			return
		}
		time.Sleep(20 * time.Millisecond)
	}
	w.t.Errorf("%s lacks %q: %v\n%s", name, text, err, data)
}

// TestWatch changes the inputs of a watch and checks its builds.
func TestWatch(t *testing.T) {
	dir := lay(t, "rinzel.toml", "source = \"site\"\n[roots]\nkit = \"vendor\"\n", "vendor/kit.css", ".kit { top: 0 }\n",
		"site/index.html", "<link rel=stylesheet href=main.css><p class=a>", "site/main.css", "@import \"kit:kit.css\";\n.a { top: 1px }\n")
	w := startWatch(t, dir)
	w.expect("built 1 page")
	w.expect("watching site, vendor, rinzel.toml; stop with Ctrl-C")
	w.has("public/index.css", "top: 1px")

	w.write("site/main.css", "@import \"kit:kit.css\";\n.a { top: 2px }\n")
	w.expect("site/main.css changed")
	w.expect("wrote index.css, in ")
	w.has("public/index.css", "top: 2px")

	w.write("vendor/kit.css", ".kit { top: 3px }\n")
	w.expect("vendor/kit.css changed")
	w.expect("wrote index.css")
	w.has("public/index.css", "top: 3px")

	// An error keeps the previous output.
	w.write("site/main.css", "@import \"late.css\";\n.a { top: 4px }\n")
	w.expect("no such sheet: \"site/late.css\"")
	w.expect("previous output kept")
	w.has("public/index.css", "top: 2px")

	// Creating the missing file fixes the error.
	w.write("site/late.css", ".late { top: 5px }\n")
	w.expect("wrote index.css")
	w.has("public/index.css", "top: 5px")

	// A new page in a new folder.
	w.write("site/islands/gannet.html", "<link rel=stylesheet href=../main.css><p class=late>")
	w.expect("wrote islands/gannet.css, islands/gannet.html")

	// A removed folder.
	if err := os.RemoveAll(filepath.Join(dir, "site", "islands")); err != nil {
		t.Fatal(err)
	}
	w.expect("removed 2 files")

	// A sheet of a package that is now read, and a script that imports one.
	w.write("site/node_modules/tide/package.json", `{"style": "tide.css"}`)
	w.write("site/node_modules/tide/tide.css", ".a { width: 1px }\n")
	w.write("site/main.js", "import \"./script.css\";\n")
	w.write("site/script.css", ".a { height: 1px }\n")
	w.write("rinzel.toml", "source = \"site\"\n")
	w.expect("rinzel.toml")
	w.expect("wrote nothing")
	w.write("site/index.html",
		"<link rel=stylesheet href=package:tide><script type=module src=main.js></script><p class=a>")
	w.expect("site/index.html changed")
	w.expect("wrote index.css, main.js, index.html")
	w.has("public/index.css", "width: 1px")
	w.write("site/node_modules/tide/tide.css", ".a { width: 2px }\n")
	w.expect("tide.css changed")
	w.expect("wrote index.css")
	w.has("public/index.css", "width: 2px")
	w.write("site/main.js", "let a;\n")
	w.expect("wrote index.css, main.js")
	w.write("site/index.html", "<link rel=stylesheet href=main.css><p class=a>")
	w.expect("wrote index.css, index.html, removed 1 file")
	w.write("site/islands/gannet.html", "<link rel=stylesheet href=../main.css><p class=late>")
	w.expect("wrote islands/gannet.css, islands/gannet.html")

	// The settings.
	w.write("rinzel.toml", "source = \"site\"\nbase = \"no slash\"\n")
	w.expect("base must be a URL path")
	w.expect("nothing written")
	w.write("rinzel.toml", "source = \"site\"\n[profile.development]\nmaps = \"none\"\n")
	w.expect("rinzel.toml changed")
	w.expect("wrote index.css, islands/gannet.css")

	if err := w.cmd.Process.Signal(os.Interrupt); err != nil {
		t.Fatal(err)
	}
	if err := w.cmd.Wait(); err != nil {
		t.Errorf("it ended with %v", err)
	}
}

// TestWatchSheet watches a single sheet that is written to the folder of its
// sources.
func TestWatchSheet(t *testing.T) {
	dir := lay(t, "main.css", "@import \"part.css\";\n.a { top: 1px }\n", "part.css", ".b { top: 0 }\n", "other.css",
		".c { top: 0 }\n")
	w := startWatch(t, dir, "main.css", "-o", "out.css")
	w.expect("built 1 bundle")
	w.expect("watching")
	w.has("out.css", "top: 1px")
	w.write("part.css", ".b { top: 2px }\n")
	w.expect("part.css changed")
	w.expect("wrote out.css, in ")
	w.has("out.css", "top: 2px")
	w.write("part.css", ".b { top: const(x) }\n")
	w.expect("unknown constant \"x\"")
	w.expect("nothing written")
	w.has("out.css", "top: 2px")
	w.write("part.css", ".b { top: 3px }\n")
	w.expect("wrote out.css, in ")
	w.has("out.css", "top: 3px")
	for _, line := range w.seen {
		if strings.Contains(line, "out.css changed") {
			t.Errorf("its own output has it build again: %q", line)
		}
	}
}

func TestWatchRefusesNonsense(t *testing.T) {
	code, _, errs := runIn(t, t.TempDir(), "watch", "--profile", "nonsense")
	if code != 2 || !strings.Contains(errs, `unknown profile "nonsense"`) {
		t.Errorf("%d %s", code, errs)
	}
	for _, args := range [][]string{{"watch", "-"}, {"watch", "a.css", "-o", "-"}, {"watch", "a.html"}} {
		if code, _, errs := runIn(t, t.TempDir(), args...); code != 2 || errs == "" {
			t.Errorf("%v: %d %s", args, code, errs)
		}
	}
}

// TestWatchInstalls installs packages while a watch runs, file by file as
// installers do, and installs them again.
func TestWatchInstalls(t *testing.T) {
	dir := lay(t, "rinzel.toml", "source = \"site\"\n", "site/index.html",
		"<link rel=stylesheet href=main.css><p class=gauge>",
		"site/main.css", "@import \"package:@quay/gauge\"; @import \"package:dial/css/dial.css\";\n")
	w := startWatch(t, dir)
	w.expect(`package "@quay/gauge" is not installed`)
	w.expect("watching")
	w.write("node_modules/other/package.json", "{}")
	w.expect(`package "@quay/gauge" is not installed`)
	w.write("node_modules/@quay/gauge/package.json", `{"style": "dist/gauge.css"}`)
	w.expect("does not declare a main sheet")
	w.write("node_modules/@quay/gauge/dist/gauge.css", ".gauge { top: 1px }\n")
	w.expect(`package "dial" is not installed`)
	w.write("node_modules/dial/css/dial.css", ".gauge { left: 1px }\n")
	w.expect("built 1 page")
	w.has("public/index.css", "top: 1px")
	w.has("public/index.css", "left: 1px")

	// Another version replaces one.
	if err := os.RemoveAll(filepath.Join(dir, "node_modules", "dial")); err != nil {
		t.Fatal(err)
	}
	w.expect(`package "dial" is not installed`)
	w.write("node_modules/dial/css/dial.css", ".gauge { left: 2px }\n")
	w.expect("wrote index.css")
	w.has("public/index.css", "left: 2px")
	w.write("node_modules/dial/css/dial.css", ".gauge { left: 3px }\n")
	w.expect("wrote index.css")
	w.has("public/index.css", "left: 3px")
}

// TestWatchIntoFile redirects the output of a watch to a file in its source
// folder, and changes thousands of files at once.
func TestWatchIntoFile(t *testing.T) {
	files := []string{"rinzel.toml", "source = \"site\"\n", "site/index.html",
		"<link rel=stylesheet href=main.css><p class=a>", "site/main.css", ".a { top: 0 }\n"}
	dir := lay(t, files...)
	log := filepath.Join(dir, "site", "watch.txt")
	cmd := exec.Command("sh", "-c", `exec "$1" watch > site/watch.txt 2>&1`, "sh", program)
	cmd.Dir = dir
	if err := cmd.Start(); err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = cmd.Process.Kill() })
	says := func(text string) string {
		t.Helper()
		for range 400 {
			if data, err := os.ReadFile(log); err == nil && strings.Contains(string(data), text) {
				return string(data)
			}
			time.Sleep(50 * time.Millisecond)
		}
		data, _ := os.ReadFile(log)
		t.Fatalf("no %q in\n%s", text, data)
		return ""
	}
	says("watching")
	for i := 1; i <= 3; i++ {
		if err := os.WriteFile(filepath.Join(dir, "site", "main.css"), fmt.Appendf(nil, ".a { top: %dpx }\n", i),
			0o644); err != nil {
			t.Fatal(err)
		}
		for strings.Count(says("wrote index.css"), "wrote index.css") < i {
			time.Sleep(20 * time.Millisecond)
		}
	}
	if said := says("wrote index.css"); strings.Count(said, "changed") != 3 {
		t.Errorf("the watch went on by itself:\n%s", said)
	}
	many := filepath.Join(dir, "site", "many")
	if err := os.Mkdir(many, 0o755); err != nil {
		t.Fatal(err)
	}
	for i := range 5000 {
		if err := os.WriteFile(filepath.Join(many, fmt.Sprintf("f%d.txt", i)), []byte("x"), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	if err := os.WriteFile(filepath.Join(dir, "site", "main.css"), []byte(".a { top: 77px }\n"), 0o644); err != nil {
		t.Fatal(err)
	}
	for range 200 {
		if data, _ := os.ReadFile(filepath.Join(dir, "public", "index.css")); strings.Contains(string(data), "77px") {
			return
		}
		time.Sleep(50 * time.Millisecond)
	}
	t.Errorf("the last change was not built:\n%s", says("watching"))
}

// TestWatchMovedFolder moves a folder while a watch runs, and edits files in
// it.
func TestWatchMovedFolder(t *testing.T) {
	const page = "<!doctype html><link rel=stylesheet href=%s/main.css><p class=a>"
	dir := lay(t, "rinzel.toml", "source = \"site\"\n", "site/index.html", fmt.Sprintf(page, "css"),
		"site/css/main.css", "@import \"parts/a.css\";\n", "site/css/parts/a.css", ".a { top: 1px }\n")
	w := startWatch(t, dir)
	w.expect("watching")
	if err := os.Rename(filepath.Join(dir, "site", "css"), filepath.Join(dir, "site", "styles")); err != nil {
		t.Fatal(err)
	}
	w.write("site/index.html", fmt.Sprintf(page, "styles"))
	for i := 2; i < 5; i++ {
		w.write("site/styles/parts/a.css", fmt.Sprintf(".a { top: %dpx }\n", i))
		for range 400 {
			if data, _ := os.ReadFile(filepath.Join(dir, "public", "index.css")); strings.Contains(string(data),
				fmt.Sprintf("top: %dpx", i)) {
				break
			}
			time.Sleep(20 * time.Millisecond)
		}
		w.has("public/index.css", fmt.Sprintf("top: %dpx", i))
	}
}

// TestWatchEveryDependency changes files outside of the watched folders: in
// hidden folders, in package folders by relative URL, and at the end of chains
// of links to other folders.
func TestWatchEveryDependency(t *testing.T) {
	const page = "<!doctype html><link rel=stylesheet href=main.css><p class=\"a b c d e\"><img src=pier.svg>"
	dir := lay(t, "rinzel.toml", "source = \"site\"\n", "site/index.html", page,
		"site/main.css", "@import \".hidden/a.css\";\n@import \"node_modules/kit/b.css\";\n@import \"theme/c.css\";\n@import \"d.css\";\n",
		"site/.hidden/a.css", ".a { top: 1px }\n", "site/node_modules/kit/b.css", ".b { top: 1px }\n",
		"site/.themes/north/c.css", ".c { top: 1px }\n", "site/.themes/south/c.css", ".c { left: 1px }\n",
		"site/.store/d.css", ".d { top: 1px }\n", "site/.store/pier.svg", "<svg/>")
	site := filepath.Join(dir, "site")
	for link, to := range map[string]string{"theme": ".themes/now", ".themes/now": "north", "d.css": ".store/link.css",
		".store/link.css": "d.css", "pier.svg": ".store/pier.svg"} {
		if err := os.Symlink(to, filepath.Join(site, link)); err != nil {
			t.Skip(err)
		}
	}
	w := startWatch(t, dir)
	w.expect("built 1 page")
	w.expect("watching")
	for i, change := range []struct{ name, text string }{
		{".hidden/a.css", ".a { top: 2px }"}, {"node_modules/kit/b.css", ".b { top: 3px }"}, {".themes/north/c.css", ".c { top: 4px }"}, {".store/d.css", ".d { top: 5px }"},
		{".hidden/a.css", ".a { top: 6px }"},
	} {
		w.write("site/"+change.name, change.text)
		w.expect("wrote index.css")
		w.has("public/index.css", strings.Trim(change.text[strings.Index(change.text, "top"):], " }"))
		if t.Failed() {
			t.Fatalf("change %d", i)
		}
	}
	w.write("site/.store/pier.svg", "<svg></svg>")
	w.expect("wrote pier.svg")
	w.has("public/pier.svg", "<svg></svg>")

	// A link in the middle of a chain changes.
	next := filepath.Join(site, ".themes", "next")
	if err := errors.Join(os.Symlink("south", next), os.Rename(next, filepath.Join(site, ".themes", "now"))); err != nil {
		t.Fatal(err)
	}
	w.expect("wrote index.css")
	w.has("public/index.css", "left: 1px")
	w.write("site/.themes/south/c.css", ".c { left: 2px }\n")
	w.expect("wrote index.css")
	w.has("public/index.css", "left: 2px")
	// A file that was missing in a hidden folder.
	w.write("site/main.css", "@import \".late/x.css\";\n")
	w.expect(`no such sheet: "site/.late/x.css"`)
	w.write("site/.late/x.css", ".a { right: 0 }\n")
	w.expect("wrote index.css")
	w.has("public/index.css", "right: 0")
	// A dangling link gets a target.
	if err := os.Symlink("../.store/y.css", filepath.Join(site, ".late", "y.css")); err != nil {
		t.Fatal(err)
	}
	w.write("site/main.css", "@import \".late/y.css\";\n")
	w.expect(`no such sheet: "site/.late/y.css"`)
	w.write("site/.store/y.css", ".a { bottom: 0 }\n")
	w.expect("wrote index.css")
	w.has("public/index.css", "bottom: 0")
}

// TestWatchIgnoresUnreadFiles checks that changes of files that nothing reads start no
// build.
func TestWatchIgnoresUnreadFiles(t *testing.T) {
	dir := lay(t, "rinzel.toml", "source = \"site\"\nexclude = [\"old/**\"]\n", "site/index.html",
		"<!doctype html><link rel=stylesheet href=main.css><p class=a>",
		"site/main.css", ".a { top: 0 }\n", "site/notes/log.bin", "0",
		"site/unused.css", ".b { top: 0 }\n", "site/old/a.html", "")
	w := startWatch(t, dir)
	w.expect("built 1 page")
	w.expect("watching")
	for i := range 5 {
		w.write("site/notes/log.bin", strings.Repeat("1", i))
		w.write("site/unused.css", fmt.Sprintf(".b { top: %dpx }\n", i))
		w.write("site/old/a.html", strings.Repeat("1", i))
		time.Sleep(60 * time.Millisecond)
	}
	w.write("site/main.css", ".a { top: 1px }\n")
	w.expect("wrote index.css")
	if got := strings.Join(w.seen, "\n"); strings.Contains(got, "log.bin") ||
		strings.Contains(got, "unused.css changed") || strings.Contains(got, "old/a.html") {
		t.Errorf("it was built for what nothing reads:\n%s", got)
	}
}
