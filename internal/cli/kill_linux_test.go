//go:build amd64

package cli_test

import (
	"errors"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"runtime"
	"strings"
	"syscall"
	"testing"
)

// writingCalls are the system calls that change files.
var writingCalls = map[uint64]bool{
	syscall.SYS_WRITE: true, syscall.SYS_PWRITE64: true, syscall.SYS_OPENAT: true, syscall.SYS_RENAMEAT: true, 316: true, // renameat2
	syscall.SYS_UNLINKAT: true, syscall.SYS_MKDIRAT: true, syscall.SYS_FTRUNCATE: true, syscall.SYS_FSYNC: true, syscall.SYS_FLOCK: true,
	syscall.SYS_CLOSE: true,
}

// killedAt runs the program and kills it as it enters the n-th of its system calls that change files. It returns false
// if the program ended before that. Only calls after the output folder was first opened for writing count: those that
// read the project are left out.
func killedAt(dir string, n int, args ...string) (killed bool, err error) {
	runtime.LockOSThread()
	defer runtime.UnlockOSThread()
	cmd := exec.Command(program, args...)
	cmd.Dir, cmd.SysProcAttr = dir, &syscall.SysProcAttr{Ptrace: true}
	if err := cmd.Start(); err != nil {
		return false, err
	}
	pid := cmd.Process.Pid
	var status syscall.WaitStatus
	if _, err := syscall.Wait4(pid, &status, syscall.WALL, nil); err != nil {
		return false, err
	}
	const exitKill, sysGood = 0x100000, 0x1
	if err := syscall.PtraceSetOptions(pid, exitKill|sysGood|syscall.PTRACE_O_TRACECLONE); err != nil {
		return false, err
	}
	inside := make(map[int]bool) // threads that are in a system call
	count, writes := 0, false
	if err := syscall.PtraceSyscall(pid, 0); err != nil {
		return false, err
	}
	for {
		thread, err := syscall.Wait4(-1, &status, syscall.WALL, nil)
		if errors.Is(err, syscall.ECHILD) {
			return killed, nil
		}
		if err != nil {
			return false, err
		}
		if !status.Stopped() {
			if thread == pid {
				return killed, nil
			}
			continue
		}
		signal := 0
		switch sig := status.StopSignal(); {
		case sig == syscall.SIGTRAP|0x80:
			inside[thread] = !inside[thread]
			var regs syscall.PtraceRegs
			if inside[thread] && syscall.PtraceGetRegs(thread, &regs) == nil {
				writes = writes || regs.Orig_rax == syscall.SYS_FLOCK // the first thing that writing does
				if writes && writingCalls[regs.Orig_rax] {
					if count++; count == n {
						killed = true
						_ = syscall.Kill(pid, syscall.SIGKILL)
						continue
					}
				}
			}
		case sig == syscall.SIGTRAP, sig == syscall.SIGSTOP: // a thread was made
		default:
			signal = int(sig)
		}
		_ = syscall.PtraceSyscall(thread, signal) // one that is gone needs nothing
	}
}

// linkedSheets finds the sheets that a page links.
var linkedSheets = regexp.MustCompile(`rel=stylesheet href=([^ >]+)`)

// TestKilled kills a build at every system call of writing its output: each file is old or new then, no page names a file
// that is missing, and the next build ends as if nothing had been.
func TestKilled(t *testing.T) {
	const page = "<!doctype html><link rel=stylesheet href=%s><link rel=stylesheet href=kit.css><p class=\"a b\">"
	files := func(version int) []string {
		return []string{"rinzel.toml", "source = \"site\"\n[profile.production]\nmaps = \"none\"\nnames = \"plain\"\n[split]\nleast = 0\n", "site/kit.css", ".b { color: teal }\n",
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
	build := []string{"build", "--profile", "production"}
	run(build...)
	public := filepath.Join(dir, "public")
	before := contents(t, public)
	next := lay(t, append(files(2), "site/new.html", fmt.Sprintf(page, "a.css"))...)
	if err := os.Remove(filepath.Join(next, "site/other/two.html")); err != nil {
		t.Fatal(err)
	}
	if code, _, errs := runIn(t, next, build...); code != 0 {
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
	kills := 0
	for n := 1; ; n++ {
		fresh := filepath.Join(next, "public")
		if err := errors.Join(os.RemoveAll(fresh), os.CopyFS(fresh, os.DirFS(saved))); err != nil {
			t.Fatal(err)
		}
		killed, err := killedAt(next, n, build...)
		if errors.Is(err, syscall.EPERM) {
			t.Skip("the system does not let processes be traced")
		}
		if err != nil {
			t.Fatal(err)
		}
		holds(t, n, contents(t, fresh), before, after)
		if code, _, errs := runIn(t, next, build...); code != 0 {
			t.Fatalf("kill %d: the next build ends with %d: %s", n, code, errs)
		}
		if got := contents(t, fresh); !equal(got, after) {
			t.Errorf("kill %d: the next build writes %d files, want %d", n, len(got), len(after))
		}
		if left, _ := filepath.Glob(filepath.Join(fresh, ".rinzel", "next-*")); len(left) > 0 {
			t.Errorf("kill %d: %q is left", n, left)
		}
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

// holds checks what is there after a kill.
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
