//go:build amd64

package cli_test

import (
	"errors"
	"fmt"
	"maps"
	"math"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"runtime"
	"strings"
	"syscall"
	"testing"
)

const (
	sysRenameat2     = 316
	sysCopyFileRange = 326
	sysSyncfs        = 306
)

// failingCalls are the system calls that open files or change folders, and that
// may fail at any time.
var failingCalls = map[uint64]bool{
	syscall.SYS_OPENAT: true, syscall.SYS_RENAMEAT: true, sysRenameat2: true, syscall.SYS_LINKAT: true,
	syscall.SYS_UNLINKAT: true, syscall.SYS_MKDIRAT: true,
	sysSyncfs: true,
}

// writingCalls are the system calls that change files.
var writingCalls = map[uint64]bool{
	syscall.SYS_WRITE: true, syscall.SYS_PWRITE64: true, syscall.SYS_FTRUNCATE: true, syscall.SYS_FLOCK: true,
	syscall.SYS_CLOSE: true,
	sysCopyFileRange:  true,
}

func init() { maps.Copy(writingCalls, failingCalls) }

// interfere runs the program and kills it when it enters the n-th of some
// system calls, or makes that call fail if failure is not zero. It returns
// false if the program ended before that. Only calls after the lock of the
// output folder count, which excludes reading the project.
func interfere(dir string, calls map[uint64]bool, n int, failure syscall.Errno, args ...string) (done bool,
	code int, err error) {
	runtime.LockOSThread()
	defer runtime.UnlockOSThread()
	cmd := exec.Command(program, args...)
	cmd.Dir, cmd.SysProcAttr = dir, &syscall.SysProcAttr{Ptrace: true}
	if err := cmd.Start(); err != nil {
		return false, 0, err
	}
	pid := cmd.Process.Pid
	var status syscall.WaitStatus
	if _, err := syscall.Wait4(pid, &status, syscall.WALL, nil); err != nil {
		return false, 0, err
	}
	const exitKill, sysGood = 0x100000, 0x1
	if err := syscall.PtraceSetOptions(pid, exitKill|sysGood|syscall.PTRACE_O_TRACECLONE); err != nil {
		return false, 0, err
	}
	inside := make(map[int]bool) // threads that are in a system call
	count, writes, failing := 0, false, 0
	if err := syscall.PtraceSyscall(pid, 0); err != nil {
		return false, 0, err
	}
	for {
		thread, err := syscall.Wait4(-1, &status, syscall.WALL, nil)
		if errors.Is(err, syscall.ECHILD) {
			return done, code, nil
		}
		if err != nil {
			return false, 0, err
		}
		if !status.Stopped() {
			if thread == pid {
				return done, status.ExitStatus(), nil
			}
			continue
		}
		signal := 0
		switch sig := status.StopSignal(); {
		case sig == syscall.SIGTRAP|0x80:
			inside[thread] = !inside[thread]
			var regs syscall.PtraceRegs
			if syscall.PtraceGetRegs(thread, &regs) != nil {
				break
			}
			if thread == failing {
				failing = 0
				regs.Rax = uint64(-int64(failure))
				_ = syscall.PtraceSetRegs(thread, &regs)
			}
			if !inside[thread] {
				break
			}
			writes = writes || regs.Orig_rax == syscall.SYS_FLOCK // the first step of writing
			if !writes || !calls[regs.Orig_rax] {
				break
			}
			if count++; count != n {
				break
			}
			done = true
			if failure == 0 {
				_ = syscall.Kill(pid, syscall.SIGKILL)
				continue
			}
			failing = thread
			regs.Orig_rax = math.MaxUint64 // no call has this number
			_ = syscall.PtraceSetRegs(thread, &regs)
		case sig == syscall.SIGTRAP, sig == syscall.SIGSTOP: // a new thread
		default:
			signal = int(sig)
		}
		_ = syscall.PtraceSyscall(thread, signal) // an ended thread
	}
}

// linkedSheets returns the sheets that a page links.
var linkedSheets = regexp.MustCompile(`rel=stylesheet href=([^ >]+)`)

// change is a project with the output of an older version.
type change struct {
	dir           string            // of the project
	public        string            // the output folder
	before, after map[string]string // its content before, and as expected

	saved string
}

// newChange creates a project that changes a page and two sheets, adds a page
// and removes one.
func newChange(t *testing.T) *change {
	t.Helper()
	const page = "<!doctype html><link rel=stylesheet href=%s><link rel=stylesheet href=kit.css><p class=\"a b\">"
	files := func(version int) []string {
		return []string{"rinzel.toml",
			"source = \"site\"\n[profile.production]\nmaps = \"none\"\nnames = \"plain\"\n[split]\nmin-bytes = 0\n", "site/kit.css", ".b { color: teal }\n",
			"site/index.html", fmt.Sprintf(page, "a.css"), "site/other/two.html", fmt.Sprintf(page, "/b.css"), "site/other/kit.css", ".b { top: 1px }\n",
			"site/a.css", fmt.Sprintf(".a { width: %dpx }\n", version), "site/b.css", fmt.Sprintf(".a { height: %dpx }\n", version)}
	}
	dir := lay(t, files(1)...)
	run := func(args ...string) {
		t.Helper()
		if code, out, errs := runIn(t, dir, args...); code != 0 {
			t.Fatalf("%d %s %s", code, out, errs)
		}
	}
	run("build", "--profile", "production")
	public := filepath.Join(dir, "public")
	before := contents(t, public)
	next := lay(t, append(files(2), "site/new.html", fmt.Sprintf(page, "a.css"))...)
	if err := os.Remove(filepath.Join(next, "site/other/two.html")); err != nil {
		t.Fatal(err)
	}
	if code, _, errs := runIn(t, next, "build", "--profile", "production"); code != 0 {
		t.Fatal(errs)
	}
	after := contents(t, filepath.Join(next, "public"))
	if len(before) < 4 || len(after) < 3 {
		t.Fatalf("%d files, then %d", len(before), len(after))
	}
	saved := filepath.Join(t.TempDir(), "public")
	if err := os.CopyFS(saved, os.DirFS(public)); err != nil {
		t.Fatal(err)
	}
	return &change{next, filepath.Join(next, "public"), before, after, saved}
}

// restore resets the output folder.
func (c *change) restore(t *testing.T) {
	t.Helper()
	if err := errors.Join(os.RemoveAll(c.public), os.CopyFS(c.public, os.DirFS(c.saved))); err != nil {
		t.Fatal(err)
	}
}

// interfere interferes with a build, and reports whether the build had not
// ended before.
func (c *change) interfere(t *testing.T, calls map[uint64]bool, n int, failure syscall.Errno) (done bool, code int) {
	t.Helper()
	done, code, err := interfere(c.dir, calls, n, failure, "build", "--profile", "production")
	if errors.Is(err, syscall.EPERM) {
		t.Skip("the system does not let processes be traced")
	}
	if err != nil {
		t.Fatal(err)
	}
	return done, code
}

// repaired checks that the next build succeeds as usual.
func (c *change) repaired(t *testing.T, what string) {
	t.Helper()
	if code, _, errs := runIn(t, c.dir, "build", "--profile", "production"); code != 0 {
		t.Fatalf("%s: the next build ends with %d: %s", what, code, errs)
	}
	if got := contents(t, c.public); !equal(got, c.after) {
		t.Errorf("%s: the next build writes %d files, want %d", what, len(got), len(c.after))
	}
	if left, _ := filepath.Glob(filepath.Join(c.public, ".rinzel", "*")); len(left) != 1 {
		t.Errorf("%s: %q is left, want the list alone", what, left)
	}
}

// TestKilled kills a build at every system call while it writes its output.
// Every file must be old or new, no page may link a missing file, and the next
// build must succeed.
func TestKilled(t *testing.T) {
	c := newChange(t)
	kills := 0
	for n := 1; ; n++ {
		c.restore(t)
		killed, _ := c.interfere(t, writingCalls, n, 0)
		holds(t, n, contents(t, c.public), c.before, c.after)
		c.repaired(t, fmt.Sprintf("kill %d", n))
		if !killed {
			break
		}
		kills++
	}
	if kills < 20 {
		t.Errorf("the build was killed only %d times", kills)
	}
	t.Logf("killed at %d system calls", kills)
}

// TestFailures makes every system call fail with which a build opens files or
// changes folders. The output must be completely old or completely new, and the
// next build must succeed.
func TestFailures(t *testing.T) {
	c := newChange(t)
	failures, undone := 0, 0
	for n := 1; ; n++ {
		c.restore(t)
		failed, code := c.interfere(t, failingCalls, n, syscall.EACCES)
		now := contents(t, c.public)
		holds(t, n, now, c.before, c.after)
		if isOld := equal(now, c.before); isOld {
			undone++
			if code == 0 {
				t.Errorf("failure %d: nothing written, and the build ends well", n)
			}
		} else {
			for name, text := range c.after {
				if now[name] != text {
					t.Errorf("failure %d: the output is neither old nor new: %s is %q (the build ends with %d)", n, name,
						now[name], code)
				}
			}
		}
		c.repaired(t, fmt.Sprintf("failure %d", n))
		if !failed {
			break
		}
		failures++
	}
	if failures < 20 || undone < 10 {
		t.Errorf("only %d calls failed, and %d builds were undone", failures, undone)
	}
	t.Logf("%d system calls failed, %d builds were undone", failures, undone)
}

// holds checks the output folder after a kill.
func holds(t *testing.T, n int, now, before, after map[string]string) {
	t.Helper()
	for name, text := range now {
		if text != before[name] && text != after[name] {
			t.Errorf("kill %d: %s is neither old nor new: %q", n, name, text)
		}
		if !strings.HasSuffix(name, ".html") {
			continue
		}
		for _, m := range linkedSheets.FindAllStringSubmatch(text, -1) {
			to := strings.TrimPrefix(m[1], "/")
			if !strings.HasPrefix(m[1], "/") {
				to = filepath.ToSlash(filepath.Join(filepath.Dir(name), m[1]))
			}
			if _, ok := now[to]; !ok {
				t.Errorf("kill %d: %s links %s, which is missing", n, name, to)
			}
		}
	}
}
