package cli_test

import (
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"syscall"
	"testing"
	"time"
)

// TestKilledWithSteps kills the program again and again while steps run and their
// results are stored. The next build must write what one without a store does, and
// the programs of the steps must end.
func TestKilledWithSteps(t *testing.T) {
	dir := lay(t, "rinzel.toml", `source = "site"
[cache]
folder = "stored"
[step.ink]
on = "sheet"
takes = "ink"
run = ["sh", "-c", "sleep 0.05; exec sed s/water/navy/"]
protocol = "text"
[step.svg]
on = "asset"
match = "**/*.svg"
run = ["sed", "s/<!--.*-->//"]
protocol = "text"
`, "site/index.html", "<!doctype html><link rel=stylesheet href=a.ink><link rel=stylesheet href=b.ink><p class=quay><img src=a.svg>",
		"site/a.ink", ".quay { color: water }\n", "site/b.ink", ".quay { fill: water }\n",
		"site/a.svg", "<svg><!-- a --></svg>\n")
	if code, _, errs := runIn(t, dir, "build"); code != 0 {
		t.Fatal(errs)
	}
	want := contents(t, filepath.Join(dir, "public"))
	if !strings.Contains(want["index.css"], "navy") {
		t.Fatalf("the bundle is %s", want["index.css"])
	}
	for i := range 12 {
		_ = os.RemoveAll(filepath.Join(dir, "public"))
		if i%4 == 0 {
			_ = os.RemoveAll(filepath.Join(dir, "stored"))
		}
		cmd := exec.Command(program, "build")
		cmd.Dir = dir
		if err := cmd.Start(); err != nil {
			t.Fatal(err)
		}
		time.Sleep(time.Duration(i) * 9 * time.Millisecond)
		_ = cmd.Process.Signal(syscall.SIGKILL)
		_ = cmd.Wait()
		if code, _, errs := runIn(t, dir, "build"); code != 0 {
			t.Fatal(errs)
		}
		if got := contents(t, filepath.Join(dir, "public")); !equal(got, want) {
			t.Fatalf("after killing a build, the next one writes %v, want %v", got, want)
		}
	}
}
