package cli_test

import (
	"fmt"
	"os"
	"path/filepath"
	"syscall"
	"testing"
)

// TestWatchOverflow stops a watch during more changes than the event queue of
// the system can hold. It must scan everything again and watch the folders that
// were created in the meantime.
func TestWatchOverflow(t *testing.T) {
	dir := lay(t, "rinzel.toml", "source = \"site\"\n", "site/index.html",
		"<!doctype html><link rel=stylesheet href=main.css><p class=a>", "site/main.css", ".a { top: 0 }\n")
	w := startWatch(t, dir)
	w.expect("watching")
	if err := w.cmd.Process.Signal(syscall.SIGSTOP); err != nil {
		t.Fatal(err)
	}
	many := filepath.Join(dir, "site", "many")
	if err := os.Mkdir(many, 0o755); err != nil {
		t.Fatal(err)
	}
	for i := range 12_000 { // each is created, written and closed
		if err := os.WriteFile(filepath.Join(dir, "site", fmt.Sprintf("f%d.txt", i)), []byte("x"), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	w.write("site/many/part.css", ".a { left: 1px }\n")
	w.write("site/main.css", "@import \"many/part.css\"; .a { top: 7px }\n")
	if err := w.cmd.Process.Signal(syscall.SIGCONT); err != nil {
		t.Fatal(err)
	}
	w.expect("all files are read again")
	w.expect("wrote")
	w.has("public/index.css", "left: 1px")
	w.write("site/many/part.css", ".a { left: 2px }\n")
	w.expect("wrote index.css")
	w.has("public/index.css", "left: 2px")
}
