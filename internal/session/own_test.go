package session_test

import (
	"context"
	"os"
	"runtime"
	"strings"
	"testing"

	"rinzel/internal/session"
)

// TestWatchOwnSteps changes the program of a step, and what it reads, while the
// project is watched. The step fails in all ways; the watch goes on, and the
// outputs of the last good build stay.
func TestWatchOwnSteps(t *testing.T) {
	if runtime.GOOS == "windows" {
		t.Skip("the programs of this test are those of Unix")
	}
	f := newFolder(t)
	f.write("rinzel.toml", `source = "site"
[cache]
folder = "stored"
[step.tide]
on = "sheet"
run = ["sh", "tools/tide.sh"]
time = 0.7
[[chain]]
match = "**/*"
steps = ["compose", "tide"]
`)
	const good = `read -r request
echo '{"get": "/tones.txt"}'
read -r tones
size=$(cat size.txt)
printf '{"text": ".quay { color: navy; top: %s }", "read": ["size.txt"]}' "$size"
`
	f.write("tools/tide.sh", good)
	f.write("site/tones.txt", "navy")
	f.write("size.txt", "4px")
	ctx, w := f.watch()
	build := func(what, failure, text string) {
		t.Helper()
		u, err := w.Build(ctx)
		if err != nil {
			t.Fatal(what, err)
		}
		found := ""
		for _, d := range u.Diagnostics {
			if d.Severity > 0 {
				found += d.Message + "; " + d.Output
			}
		}
		if failure == "" && found != "" || !strings.Contains(found, failure) {
			t.Errorf("%s: the findings are %q, want %q", what, found, failure)
		}
		if failure != "" && u.Writable() {
			t.Errorf("%s: the result would be written", what)
		}
		for _, o := range u.Outputs {
			if data, _ := o.Content(); o.Path == "index.css" && failure == "" && !strings.Contains(string(data), text) {
				t.Errorf("%s: the bundle is %s", what, data)
			}
		}
	}
	build("first", "", "top: 4px")
	changes := []struct{ name, text, failure, want string }{
		{"size.txt", "5px", "", "top: 5px"},
		{"tools/tide.sh", "echo ebb >&2; sleep 3600", "no answer in 700ms; ebb", ""},
		{"tools/tide.sh", "sh -c 'sleep 3600' & sh -c 'sleep 3600' & wait", "no answer in 700ms", ""},
		{"tools/tide.sh", "printf '{\"text\": \"'", "without a complete answer", ""},
		{"tools/tide.sh", "yes flood", "its answer is not valid JSON", ""},
		{"tools/tide.sh", "yes ''", "the step \"tide\" failed: ", ""}, // too slow, or too much: that depends on the machine
		{"tools/tide.sh", "exit 9", "exit status 9", ""},
		{"tools/tide.sh", strings.ReplaceAll(good, "top", "left"), "", "left: 5px"},
		{"site/tones.txt", "teal", "", "left: 5px"},
		{"size.txt", "6px", "", "left: 6px"},
	}
	for _, c := range changes {
		awaitChange(ctx, t, w, f.write(c.name, c.text))
		build(c.name+": "+c.text, c.failure, c.want)
	}
}

// awaitChange waits until a watch notices a change of a file.
func awaitChange(ctx context.Context, t *testing.T, w *session.Watch, name string) {
	t.Helper()
	for {
		got, err := w.Next(ctx)
		if err != nil {
			t.Fatalf("the change of %s is not noticed: %v", name, err)
		}
		if strings.Contains(strings.Join(got.Names, " "), name) {
			return
		}
	}
}

// wasm returns a module whose _start has some code, and one page of memory.
func wasm(code string) string {
	section := func(id byte, content string) string { return string([]byte{id, byte(len(content))}) + content }
	body := "\x00" + code + "\x0b" // no local variables; end
	return "\x00asm\x01\x00\x00\x00" +
		section(1, "\x01\x60\x00\x00") + section(3, "\x01\x00") + section(5, "\x01\x00\x01") +
		section(7, "\x02\x06_start\x00\x00\x06memory\x02\x00") + section(10, "\x01"+string([]byte{byte(len(body))})+body)
}

// TestWatchModules changes the module of a step while the project is watched. It
// fails in all ways; the watch goes on, and the outputs of the last good build
// stay.
func TestWatchModules(t *testing.T) {
	f := newFolder(t)
	f.write("rinzel.toml", `source = "site"
[cache]
folder = "stored"
[step.banner]
on = "bundle"
module = "tools/banner.wasm"
protocol = "text"
time = 0.7
memory = 8
[profile.development]
finish = ["banner"]
`)
	good, err := os.ReadFile("../../demo/harbour/tools/banner.wasm")
	if err != nil {
		t.Fatal(err)
	}
	f.write("tools/banner.wasm", string(good))
	ctx, w := f.watch()
	build := func(what, failure string) {
		t.Helper()
		u, err := w.Build(ctx)
		if err != nil {
			t.Fatal(what, err)
		}
		found := ""
		for _, d := range u.Diagnostics {
			found += d.Message + "; "
		}
		if (failure == "") != (found == "") || !strings.Contains(found, failure) || u.Writable() != (failure == "") {
			t.Errorf("%s: the findings are %q, want %q; writable: %v", what, found, failure, u.Writable())
		}
		for _, o := range u.Outputs {
			if o.Path != "index.css" || failure != "" {
				continue
			}
			if data, _ := o.Content(); !strings.HasPrefix(string(data), "/*! Sallow Quay") {
				t.Errorf("%s: the bundle is %s", what, data)
			}
		}
	}
	build("first", "")
	for _, c := range []struct{ what, module, failure string }{
		{"a loop", wasm("\x03\x40\x0c\x00\x0b"), "no answer in 700ms"},
		{"it takes all memory, and traps", wasm("\x03\x40\x41\x01\x40\x00\x41\x7f\x47\x0d\x00\x0b\x00"), "unreachable"},
		{"it takes memory for ever", wasm("\x03\x40\x41\x01\x40\x00\x1a\x0c\x00\x0b"), "no answer in 700ms"},
		{"a trap", wasm("\x00"), "unreachable"},
		{"a read outside of the memory", wasm("\x41\x7f\x28\x02\x00\x1a"), "out of bounds"},
		{"good again", string(good), ""},
		{"half a module", string(good[:200]), "step \"banner\" failed"},
		{"no module", "quay", "step \"banner\" failed"},
		{"good once more", string(good), ""},
	} {
		awaitChange(ctx, t, w, f.write("tools/banner.wasm", c.module))
		build(c.what, c.failure)
	}
}
