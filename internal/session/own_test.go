package session_test

import (
	"context"
	"runtime"
	"strings"
	"testing"
	"time"

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
	builds := 0
	w, err := session.StartWatch(f.options(&builds))
	if err != nil {
		t.Fatal(err)
	}
	defer w.Close()
	ctx, cancel := context.WithTimeout(t.Context(), time.Minute)
	defer cancel()
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
		{"tools/tide.sh", "yes ''", "no answer in 700ms", ""},
		{"tools/tide.sh", "exit 9", "exit status 9", ""},
		{"tools/tide.sh", strings.ReplaceAll(good, "top", "left"), "", "left: 5px"},
		{"site/tones.txt", "teal", "", "left: 5px"},
		{"size.txt", "6px", "", "left: 6px"},
	}
	for _, c := range changes {
		name := f.write(c.name, c.text)
		for {
			got, err := w.Next(ctx)
			if err != nil {
				t.Fatalf("%s: %q is not noticed: %v", c.name, c.text, err)
			}
			if strings.Contains(strings.Join(got.Names, " "), name) {
				break
			}
		}
		build(c.name+": "+c.text, c.failure, c.want)
	}
}
