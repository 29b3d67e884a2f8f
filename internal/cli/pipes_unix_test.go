//go:build unix

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

// TestPipes replaces each file that the program opens by a pipe: opening it
// would block forever.
func TestPipes(t *testing.T) {
	for _, test := range []struct {
		pipe, args, want string // part of the expected message; empty for success
	}{
		{"rinzel.toml", "build", "settings file rinzel.toml: is a pipe"},
		{"site/main.css", "build", `"site/main.css" is a pipe`},
		{"site/index.html", "build", ""}, // not a page
		{"site/lib.css", "build", `"site/lib.css" is a pipe`},
		{"site/t.json", "build", `"site/t.json" is a pipe`},
		{"site/a.svg", "build", ""}, // a missing file,
		{"site/app.js", "build", ""},
		{"node_modules/kit/package.json", "build", ""},
		{"package-lock.json", "build", ""},
		{"public/index.css", "build", ""}, // replaced by the next build
		{"public/.rinzel/written.json", "build", "written.json: is a pipe"},
		{"public/.rinzel/written.json", "clean", "written.json: is a pipe"},
		{"public/.rinzel/lock", "build", "lock: is a pipe"},
		{"out.css", "build site/main.css -o out.css", "out.css is a pipe"},
		{"in.css", "build in.css -o out.css", "in.css"},
		{"site/index.html", "why .a", ""},
		{"site/main.css", "check", `"site/main.css" is a pipe`},
	} {
		dir := lay(t, "rinzel.toml", "source = \"site\"\ntokens = [\"t.json\"]\n", "site/index.html",
			"<!doctype html><link rel=stylesheet href=main.css><script src=app.js></script><p class=a>",
			"site/two.html", "<!doctype html><link rel=stylesheet href=package:kit><p class=a>", "node_modules/kit/package.json", `{"style": "kit.css", "version": "1.0.0"}`, "node_modules/kit/kit.css", ".a { left: 0 }\n",
			"site/main.css", "@import \"lib.css\"; .a { top: 0; background: url(a.svg) }\n", "site/lib.css", ".a { right: 0 }\n", "site/t.json", "{}", "site/a.svg", "<svg/>", "site/app.js", "1\n")
		if code, _, errs := runIn(t, dir, "build"); code != 0 {
			t.Fatal(errs)
		}
		pipe := filepath.Join(dir, filepath.FromSlash(test.pipe))
		_ = os.Remove(pipe)
		if err := syscall.Mkfifo(pipe, 0o644); err != nil {
			t.Skip(err)
		}
		cmd := exec.Command(program, strings.Fields(test.args)...)
		var out strings.Builder
		cmd.Dir, cmd.Stdout, cmd.Stderr = dir, &out, &out
		if err := cmd.Start(); err != nil {
			t.Fatal(err)
		}
		late := time.AfterFunc(20*time.Second, func() { _ = cmd.Process.Kill() })
		err := cmd.Wait()
		if !late.Stop() {
			t.Errorf("%s: %s does not come to an end", test.args, test.pipe)
		}
		if ok := err == nil; ok != (test.want == "") || !strings.Contains(out.String(), test.want) {
			t.Errorf("%s, %s is a pipe: %v\n%s", test.args, test.pipe, err, out.String())
		}
	}
}
