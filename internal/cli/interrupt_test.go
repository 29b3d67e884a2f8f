package cli_test

import (
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"runtime"
	"strings"
	"testing"
	"time"
)

// TestInterrupt interrupts a long build at many moments. It must end soon and
// leave the output unchanged.
func TestInterrupt(t *testing.T) {
	if runtime.GOOS == "windows" {
		t.Skip("a process cannot be interrupted by another one")
	}
	var css strings.Builder
	for i := range 25_000 {
		fmt.Fprintf(&css, ".pier-%d:is(.a, .b) > .berth { margin: calc(%dpx * 2) 0; color: color-mix(in srgb, #%06x, white 20%%); & i { transition: transform %dms } }\n", i, i, i*37, i)
	}
	dir := lay(t, "rinzel.toml", "source = \"site\"\n", "site/index.html",
		"<!doctype html><link rel=stylesheet href=main.css><p class=a>", "site/main.css", ".a { top: 0 }\n")
	if code, _, errs := runIn(t, dir, "build"); code != 0 {
		t.Fatal(errs)
	}
	before := contents(t, filepath.Join(dir, "public"))
	if err := os.WriteFile(filepath.Join(dir, "site", "main.css"), []byte(css.String()), 0o644); err != nil {
		t.Fatal(err)
	}
	const late = 2 * time.Second // 0.1 s on an idle machine
	stopped := 0
	for wait := 100 * time.Millisecond; ; wait += 120 * time.Millisecond {
		cmd := exec.Command(program, "build", "--profile", "production")
		var out strings.Builder
		cmd.Dir, cmd.Stdout, cmd.Stderr = dir, &out, &out
		if err := cmd.Start(); err != nil {
			t.Fatal(err)
		}
		time.Sleep(wait)
		start := time.Now()
		_ = cmd.Process.Signal(os.Interrupt)
		_ = cmd.Wait()
		if took := time.Since(start); took > late {
			t.Errorf("after %v it took %v to stop", wait, took)
		}
		if !strings.Contains(out.String(), "rinzel: interrupted") {
			break // finished, or no signal handler yet
		}
		if stopped++; cmd.ProcessState.ExitCode() != 2 || !equal(contents(t, filepath.Join(dir, "public")), before) {
			t.Errorf("after %v: status %d, and other output than before\n%s", wait, cmd.ProcessState.ExitCode(), out.String())
		}
	}
	if stopped < 3 {
		t.Errorf("it was stopped only %d times", stopped)
	}
	t.Logf("stopped %d times", stopped)
}
