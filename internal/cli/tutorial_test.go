package cli_test

import (
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"testing"
)

// fence matches a block of code in Markdown: its language, what follows it in the same
// line, and the text.
var fence = regexp.MustCompile("(?ms)^```([a-z]+)(?: ([^\n]+))?\n(.*?)^```$")

// TestTutorial does what docs/tutorial.md says, in an empty folder: blocks with a file name
// are saved, commands are run, and the text after them is what the last one prints. The
// server runs until the end, and serves what was saved.
func TestTutorial(t *testing.T) {
	text, err := os.ReadFile("../../docs/tutorial.md")
	if err != nil {
		t.Fatal(err)
	}
	u := &tutorial{t: t, dir: t.TempDir()}
	if outputs := u.follow(string(text)); outputs < 6 || u.address == "" {
		t.Errorf("%d outputs, served at %q", outputs, u.address)
	}
	for name, want := range map[string]string{"/": "Ring the bell", "/timetable.html": "Long Sand",
		"/timetable.css": ".departures .is-late {\n  color: #b3261e;"} {
		awaitServed(t, u.address+name, 200, want)
	}
}

// TestReadme runs the three commands of the README in an empty folder: the site is served,
// and released.
func TestReadme(t *testing.T) {
	text, err := os.ReadFile("../../README.md")
	if err != nil {
		t.Fatal(err)
	}
	_, section, _ := strings.Cut(string(text), "## Three commands")
	block := fence.FindStringSubmatch(section)
	u := &tutorial{t: t, dir: t.TempDir()}
	commands := 0
	for line := range strings.Lines(block[3]) {
		line, _, _ = strings.Cut(line, "#")
		u.command(strings.TrimSpace(line))
		commands++
	}
	u.succeeded()
	if commands != 3 || u.address == "" {
		t.Errorf("%d commands, served at %q", commands, u.address)
	}
	awaitServed(t, u.address+"/", 200, "Ring the bell")
	page, err := os.ReadFile(filepath.Join(u.dir, "public", "index.html"))
	if err != nil || !anyHash.Match(page) {
		t.Errorf("the released page is %s, %v", page, err)
	}
}

// tutorial is a run of a tutorial.
type tutorial struct {
	t       *testing.T
	dir     string // where commands are run
	behind  string // address of an application server
	address string // of the server
	last    string // command
	output  string // of it
	status  int
}

// follow does what a text says, and returns how many outputs it shows.
func (u *tutorial) follow(text string) (outputs int) {
	u.t.Helper()
	for _, block := range fence.FindAllStringSubmatch(text, -1) {
		language, name, code := block[1], block[2], block[3]
		end, isEnd := strings.CutPrefix(name, "at the end of ")
		switch {
		case isEnd:
			have, err := os.ReadFile(filepath.Join(u.dir, filepath.FromSlash(end)))
			if err != nil {
				u.t.Fatal(err)
			}
			u.save(end, string(have)+code)
		case name != "":
			u.save(name, code)
		case language == "sh":
			for line := range strings.Lines(code) {
				u.command(strings.TrimSpace(line))
			}
		case language == "text":
			outputs++
			u.compare(code)
		default:
			u.t.Errorf("a block of %s without a file name", language)
		}
	}
	u.succeeded()
	return outputs
}

// save writes a file as an editor does.
func (u *tutorial) save(name, text string) {
	u.t.Helper()
	if err := os.WriteFile(filepath.Join(u.dir, filepath.FromSlash(name)), []byte(text), 0o600); err != nil {
		u.t.Fatal(err)
	}
}

// command runs a command line.
func (u *tutorial) command(line string) {
	u.t.Helper()
	u.succeeded()
	args := words(line)
	switch {
	case args[0] == "cd":
		u.dir = filepath.Join(u.dir, args[1])
	case line == "rinzel serve --open": // without a browser
		_, u.address = startServe(u.t, u.dir, "--port", "0")
	case strings.HasPrefix(line, "rinzel serve --behind "):
		_, u.address = startServe(u.t, u.dir, "--port", "0", "--behind", u.behind)
	default:
		if args[0] == "rinzel" {
			args[0] = program
		}
		cmd := exec.CommandContext(u.t.Context(), args[0], args[1:]...)
		cmd.Dir = u.dir
		out, err := cmd.CombinedOutput()
		if cmd.ProcessState == nil {
			u.t.Fatalf("%s: %v", line, err)
		}
		u.last, u.output, u.status = line, string(out), cmd.ProcessState.ExitCode()
	}
}

// succeeded checks that the last command succeeded: only one whose output the tutorial
// shows may fail.
func (u *tutorial) succeeded() {
	u.t.Helper()
	if u.status != 0 {
		u.t.Errorf("%s: exit status %d\n%s", u.last, u.status, u.output)
	}
}

// compare compares the output of the last command with the one of the tutorial, except for
// times, hashes, the spaces of columns, and the order of the two streams.
func (u *tutorial) compare(want string) {
	u.t.Helper()
	if got, want := shown(u.output), shown(want); got != want && !strings.HasPrefix(got, want) {
		u.t.Errorf("%s prints\n%s\n\nthe tutorial has\n%s", u.last, got, want)
	}
	u.status = 0
}

var (
	anyHash  = regexp.MustCompile(`\.(?:[a-z2-7]{10}|…)\.(css|js|svg|woff2)`)
	anyTime  = regexp.MustCompile(`\bin \d[\d.]*(?:µs|ms|s)\b`)
	anySpace = regexp.MustCompile(`(\S) +`)
)

// shown returns an output without what differs between two runs.
func shown(text string) string {
	text = anyTime.ReplaceAllString(anyHash.ReplaceAllString(text, ".….$1"), "in 5ms")
	return strings.TrimSpace(anySpace.ReplaceAllString(text, "$1 "))
}
