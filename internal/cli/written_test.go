package cli

import (
	"bytes"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"rinzel/internal/site"
)

// laySite writes a site with a number of pages, each with a sheet of its own
// and one that all share, to a temporary folder, and makes it the working
// folder.
func laySite(t *testing.T, pages int) {
	t.Helper()
	dir := t.TempDir()
	write := func(name, text string) {
		if err := os.WriteFile(filepath.Join(dir, name), []byte(text), 0o666); err != nil {
			t.Fatal(err)
		}
	}
	write("all.css", ".quay { color: red }\n.lost { color: red }\n/*! "+strings.Repeat("harbour ", 300)+"*/")
	for i := range pages {
		write(fmt.Sprintf("berth%d.html", i), fmt.Sprintf("<!doctype html><link rel=stylesheet href=all.css>"+
			"<link rel=stylesheet href=own%d.css><p class=\"quay own%d\">x", i, i))
		write(fmt.Sprintf("own%d.css", i), fmt.Sprintf(".own%d { order: %d }\n", i, i))
	}
	t.Chdir(dir)
}

// run runs a command in the working folder.
func run(t *testing.T, args ...string) (code int, stdout, stderr string) {
	t.Helper()
	var out, errs bytes.Buffer
	code = Run(t.Context(), args, IO{Out: &out, Err: &errs})
	return code, out.String(), errs.String()
}

// TestFoldedFiles checks that the list of files of a large site fits a screen,
// and that nothing is left out of its sums.
func TestFoldedFiles(t *testing.T) {
	laySite(t, 50)
	_, out, _ := run(t, "build", "-p", "production")
	if lines := strings.Count(out, "\n"); lines > 24 {
		t.Errorf("%d lines:\n%s", lines, out)
	}
	for _, want := range []string{"\n  shared.", "  and 43 more bundles", "  51 source maps", "  and 47 more pages", "\n  bundles.json"} {
		if !strings.Contains(out, want) {
			t.Errorf("no %q in\n%s", want, out)
		}
	}
	if !strings.Contains(out, "52 rules in 53 lines became 51 in 51") {
		t.Errorf("no numbers of rules and lines in\n%s", out)
	}
	_, all, _ := run(t, "build", "-p", "production", "--files")
	if strings.Count(all, ".html") != 51 || strings.Contains(all, "more") { // with the evidence
		t.Errorf("--files does not list all files:\n%s", all)
	}
}

func TestFewFiles(t *testing.T) {
	laySite(t, 5)
	if _, out, _ := run(t, "build"); strings.Contains(out, "more page") || strings.Count(out, ".html ") != 5 {
		t.Errorf("a short list is folded:\n%s", out)
	}
}

func TestQuiet(t *testing.T) {
	laySite(t, 2)
	if code, out, errs := run(t, "build", "--quiet"); code != 0 || out+errs != "" {
		t.Errorf("%d %q %q", code, out, errs)
	}
	if err := os.WriteFile("own1.css", []byte("a { color: const(nothing) }"), 0o666); err != nil {
		t.Fatal(err)
	}
	code, out, errs := run(t, "build", "-q", "-p", "production")
	if code != 1 || out != "" || !strings.Contains(errs, "unknown-constant") {
		t.Errorf("%d %q %q", code, out, errs)
	}
}

func TestTimes(t *testing.T) {
	laySite(t, 3)
	_, json, _ := run(t, "build", "-p", "production", "--times", "--json")
	if !strings.Contains(json, `"name": "minify",`) || !strings.Contains(json, `"finalRules": `) {
		t.Errorf("no times in\n%s", json)
	}
	_, out, _ := run(t, "build", "-p", "production", "--times")
	for _, want := range []string{"\n  time in ", "\n  minify ", "\n  purge ", "\n  evidence ", "\n  compose ", "\n  own0.css "} {
		if !strings.Contains(out, want) {
			t.Errorf("no %q in\n%s", want, out)
		}
	}
}

// TestProgress checks that progress is shown after a while, on terminals only,
// in one line that is removed at the end.
func TestProgress(t *testing.T) {
	var out bytes.Buffer
	now := time.Unix(0, 0)
	p := showProgress(IO{Err: &out, ErrTerminal: true})
	p.now = func() time.Time { return now }
	p.next = now.Add(patient)
	step := func(after time.Duration, done int) {
		now = now.Add(after)
		p.update(site.Progress{Doing: "making bundles", Done: done, Total: 90})
	}
	step(patient/2, 1)
	if out.Len() > 0 {
		t.Errorf("shown at once: %q", out.String())
	}
	step(patient, 2)
	step(interval/10, 3)
	step(interval, 40)
	p.end()
	step(interval, 50)
	want := "\r\x1b[Kmaking bundles: 2 of 90\r\x1b[Kmaking bundles: 40 of 90\r\x1b[K"
	if out.String() != want {
		t.Errorf("%q, want %q", out.String(), want)
	}
	out.Reset()
	p = showProgress(IO{Err: &out})
	p.next = time.Time{}
	p.update(site.Progress{Doing: "making bundles"})
	p.end()
	if out.Len() > 0 {
		t.Errorf("shown without a terminal: %q", out.String())
	}
}
