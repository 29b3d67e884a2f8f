package cli_test

import (
	"encoding/json"
	"os"
	"path/filepath"
	"strings"
	"testing"
)

func TestReport(t *testing.T) {
	dir := lay(t, stagedSite...)
	code, out, errs := runIn(t, dir, "report")
	if code != 0 || !strings.HasPrefix(out, "wrote style-report.html, ") || !strings.HasSuffix(out, " of styles\n") {
		t.Fatal(code, out, errs)
	}
	page, err := os.ReadFile(filepath.Join(dir, "style-report.html"))
	if err != nil || !strings.Contains(string(page), "<h2>Bundles</h2>") {
		t.Fatal(err)
	}
	// It is written again, and is no page of the site.
	if code, out, errs := runIn(t, dir, "report"); code != 0 || !strings.Contains(out, ": 1 page, ") {
		t.Error(code, out, errs)
	}
	for _, test := range []struct {
		output, want string
	}{
		{"main.css", "main.css exists and is not a report: name another file with -o"},
		{"index.html", "index.html exists and is not a report"},
		{"other.html", "other.html is in the source folder and would be part of the site"},
	} {
		code, _, errs := runIn(t, dir, "report", "-o", test.output)
		if code != 2 || !strings.Contains(errs, test.want) {
			t.Errorf("report -o %s: %d %s", test.output, code, errs)
		}
	}
	elsewhere := filepath.Join(t.TempDir(), "styles.html")
	if code, _, errs := runIn(t, dir, "report", "-o", elsewhere); code != 0 {
		t.Error(code, errs)
	}
	if code, out, errs := runIn(t, dir, "report", "-o", "-"); code != 0 || !strings.HasPrefix(out, "<!doctype html>") {
		t.Error(code, errs)
	}
	var answer struct {
		Version int
		Total   struct{ Bundles, Pages int }
	}
	_, out, _ = runIn(t, dir, "report", "--json")
	if err := json.Unmarshal([]byte(out), &answer); err != nil || answer.Version != 1 || answer.Total.Pages != 1 ||
		strings.Contains(out, "null") {
		t.Error(err, out)
	}
}

// TestHistoryOfBuilds checks that builds for release are recorded if their sizes
// change, and that the file is not part of the site.
func TestHistoryOfBuilds(t *testing.T) {
	dir := lay(t, append(stagedSite, "rinzel.toml", "[report]\nhistory = \"sizes.jsonl\"\n")...)
	lines := func() int {
		data, _ := os.ReadFile(filepath.Join(dir, "sizes.jsonl"))
		return strings.Count(string(data), "\n")
	}
	build := func(args ...string) {
		t.Helper()
		if code, out, errs := runIn(t, dir, append([]string{"build"}, args...)...); code != 0 ||
			strings.Contains(out, "not copied: 2 files") {
			t.Fatal(code, out, errs)
		}
	}
	build()
	if n := lines(); n != 0 {
		t.Errorf("a build for development is recorded: %d lines", n)
	}
	build("-p", "production")
	build("-p", "production")
	if n := lines(); n != 1 {
		t.Errorf("%d lines after two equal builds", n)
	}
	if err := os.WriteFile(filepath.Join(dir, "part.css"), []byte("@const gap: 4px;\n.quay { padding: 9px 8px }\n"), 0o666); err != nil {
		t.Fatal(err)
	}
	build("-p", "production", "--dry-run")
	build("-p", "production")
	if n := lines(); n != 2 {
		t.Errorf("%d lines after a change", n)
	}
	if code, out, errs := runIn(t, dir, "report", "-o", "-"); code != 0 || !strings.Contains(out, "<polyline points=") {
		t.Errorf("%d %s: no line of the history", code, errs)
	}
	if err := os.WriteFile(filepath.Join(dir, "sizes.jsonl"), []byte("ferry\n"), 0o666); err != nil {
		t.Fatal(err)
	}
	code, _, errs := runIn(t, dir, "report")
	if code != 2 || !strings.Contains(errs, "sizes.jsonl: line 1 is not an entry") {
		t.Errorf("%d %s", code, errs)
	}
}
