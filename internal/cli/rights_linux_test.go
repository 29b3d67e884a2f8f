package cli_test

import (
	"errors"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"syscall"
	"testing"
)

// unprivileged makes the program run as an unprivileged user, for whom file
// permissions apply. The folder is given to that user.
func unprivileged(t *testing.T, dir string) *syscall.SysProcAttr {
	t.Helper()
	if os.Getuid() != 0 {
		return nil
	}
	const nobody = 65534
	for _, d := range []string{filepath.Dir(dir), filepath.Dir(program)} { // the latter are created for one user
		if err := os.Chmod(d, 0o755); err != nil {
			t.Fatal(err)
		}
	}
	err := filepath.WalkDir(dir, func(name string, _ os.DirEntry, err error) error {
		return errors.Join(err, os.Lchown(name, nobody, nobody))
	})
	if err != nil {
		t.Fatal(err)
	}
	return &syscall.SysProcAttr{Credential: &syscall.Credential{Uid: nobody, Gid: nobody}}
}

// runUnprivileged runs the program as in [unprivileged].
func runUnprivileged(t *testing.T, dir string, args ...string) (code int, out string) {
	t.Helper()
	cmd := exec.Command(program, args...)
	cmd.Dir, cmd.SysProcAttr = dir, unprivileged(t, dir)
	text, err := cmd.CombinedOutput()
	var exit *exec.ExitError
	if err != nil && !errors.As(err, &exit) {
		t.Fatal(err)
	}
	return cmd.ProcessState.ExitCode(), string(text)
}

func chmod(t *testing.T, mode os.FileMode, names ...string) {
	t.Helper()
	for _, name := range names {
		if err := os.Chmod(name, mode); err != nil {
			t.Fatal(err)
		}
	}
}

// TestRights checks that an unreadable folder is an error that removes nothing,
// and that an output folder remains unchanged if a file in it cannot be
// replaced.
func TestRights(t *testing.T) {
	dir := lay(t, "rinzel.toml", "source = \"site\"\nexclude = [\"drafts/**\"]\n", "site/index.html",
		"<!doctype html><link rel=stylesheet href=main.css><p class=a><img src=img/a.svg>",
		"site/main.css", ".a { top: 0 }\n", "site/islands/gannet.html", "<!doctype html><link rel=stylesheet href=../main.css><p class=a>",
		"site/img/a.svg", "<svg/>", "site/drafts/a.html", "")
	public, islands, drafts := filepath.Join(dir, "public"), filepath.Join(dir, "site", "islands"),
		filepath.Join(dir, "site", "drafts")
	if code, out := runUnprivileged(t, dir, "build"); code != 0 {
		t.Fatal(out)
	}
	before := contents(t, public)
	chmod(t, 0, islands)
	code, out := runUnprivileged(t, dir, "build")
	chmod(t, 0o755, islands)
	if code != 1 || !strings.Contains(out, `error: cannot read a folder: no permission to read "site/islands" [unreadable-file]`) {
		t.Errorf("%d %s", code, out)
	}
	if got := contents(t, public); !equal(got, before) {
		t.Error("the output is not as it was")
	}
	chmod(t, 0, drafts)
	code, out = runUnprivileged(t, dir, "build")
	chmod(t, 0o755, drafts)
	if code != 0 {
		t.Errorf("a folder that is excluded: %d %s", code, out)
	}
	// The output folder is read-only.
	if err := errors.Join(os.WriteFile(filepath.Join(dir, "site", "main.css"), []byte(".a { top: 1px }\n"), 0o644),
		os.WriteFile(filepath.Join(dir, "site", "img", "a.svg"), []byte("<svg></svg>"), 0o644)); err != nil {
		t.Fatal(err)
	}
	for _, sub := range []string{"img", "islands"} {
		chmod(t, 0o555, filepath.Join(public, sub))
		code, out = runUnprivileged(t, dir, "build")
		chmod(t, 0o755, filepath.Join(public, sub))
		if code != 2 || !strings.Contains(out, "permission denied") {
			t.Errorf("%s: %d %s", sub, code, out)
		}
		if got := contents(t, public); !equal(got, before) {
			t.Errorf("%s: the output is a mix", sub)
		}
	}
	if code, out = runUnprivileged(t, dir, "build"); code != 0 || equal(contents(t, public), before) {
		t.Errorf("%d %s", code, out)
	}
}

// TestWatchRights changes the read permission of files and folders while a
// watch runs.
func TestWatchRights(t *testing.T) {
	dir := lay(t, "rinzel.toml", "source = \"site\"\n", "site/index.html",
		"<!doctype html><link rel=stylesheet href=main.css><p class=\"a b\">",
		"site/main.css", "@import \"more.css\";\n.a { top: 0 }\n", "site/more.css", ".b { top: 1px }\n", "site/islands/gannet.html", "<!doctype html><p>")
	sheet, islands := filepath.Join(dir, "site", "more.css"), filepath.Join(dir, "site", "islands")
	chmod(t, 0, sheet)
	w := startWatchAs(t, dir, unprivileged(t, dir))
	w.expect(`no permission to read "site/more.css"`)
	w.expect("watching")
	chmod(t, 0o644, sheet)
	w.expect("wrote index.css, index.html")
	w.has("public/index.css", "top: 1px")
	chmod(t, 0, sheet)
	w.expect(`no permission to read "site/more.css"`)
	w.expect("wrote index.css, index.html")
	chmod(t, 0o644, sheet)
	w.expect("wrote index.css, index.html")
	chmod(t, 0, islands)
	w.expect(`cannot read a folder: no permission to read "site/islands"`)
	w.expect("previous output kept")
	chmod(t, 0o755, islands)
	w.expect("wrote nothing")
	w.write("site/islands/gannet.html", "<!doctype html><link rel=stylesheet href=../more.css><p class=b>")
	w.expect("islands/gannet.html")
}
