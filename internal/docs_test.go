package internal_test

import (
	"io/fs"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"testing"

	"rinzel/internal/pipeline"
	"rinzel/internal/step/check"
)

// TestMessagesAreDocumented checks that the codes in the sources and those in
// docs/messages.md are the same.
func TestMessagesAreDocumented(t *testing.T) {
	code := regexp.MustCompile(`(?:Code: |Code = |Code, d\.Mend = |p\.warn\(|p\.fail\(|c\.fail\(|c\.wait\(|\.unknownName\(|d\.Code, d\.Message = )"([a-z0-9-]+)"`)
	var used []string
	for _, c := range check.Codes {
		used = append(used, c.Name)
	}
	used = append(used, "unclosed-block", "unclosed-bracket", "unclosed-function", "unclosed-comment", "unclosed-string", "unclosed-url")
	err := filepath.WalkDir(".", func(name string, d fs.DirEntry, err error) error {
		if err != nil || !strings.HasSuffix(name, ".go") || strings.HasSuffix(name, "_test.go") {
			return err
		}
		text, err := os.ReadFile(name)
		for _, m := range code.FindAllStringSubmatch(string(text), -1) {
			if m[1] != "unclosed-" {
				used = append(used, m[1])
			}
		}
		return err
	})
	if err != nil {
		t.Fatal(err)
	}
	doc, err := os.ReadFile("../docs/messages.md")
	if err != nil {
		t.Fatal(err)
	}
	var listed []string
	for _, m := range regexp.MustCompile("(?m)^\\| `([a-z0-9-]+)` \\|").FindAllStringSubmatch(string(doc), -1) {
		listed = append(listed, m[1])
	}
	slices.Sort(used)
	used = slices.Compact(used)
	for _, c := range used {
		if !slices.Contains(listed, c) {
			t.Errorf("docs/messages.md lacks %q", c)
		}
	}
	for _, c := range listed {
		if !slices.Contains(used, c) {
			t.Errorf("docs/messages.md lists %q, which nothing reports", c)
		}
	}
	if !slices.IsSorted(listed) {
		t.Error("the codes in docs/messages.md are not sorted")
	}
}

// TestStepsAreDocumented checks that docs/settings.md lists the steps, in order.
func TestStepsAreDocumented(t *testing.T) {
	doc, err := os.ReadFile("../docs/settings.md")
	if err != nil {
		t.Fatal(err)
	}
	var listed, want []string
	for _, m := range regexp.MustCompile("(?m)^\\| `([a-z]+)` \\| (sheet|bundle) \\|").FindAllStringSubmatch(string(doc), -1) {
		listed = append(listed, m[1]+" "+m[2])
	}
	for _, s := range pipeline.Steps {
		want = append(want, s.Name+" "+string(s.On))
	}
	if !slices.Equal(listed, want) {
		t.Errorf("listed %q, want %q", listed, want)
	}
}

// TestLinksLead checks that the files that the README and docs link exist, and
// that each picture is linked from the README.
func TestLinksLead(t *testing.T) {
	link := regexp.MustCompile(`\]\(([^)#:]+)\)`)
	docs, _ := filepath.Glob("../docs/*.md")
	for _, name := range append(docs, "../README.md") {
		text, err := os.ReadFile(name)
		if err != nil {
			t.Fatal(err)
		}
		for _, m := range link.FindAllStringSubmatch(string(text), -1) {
			if _, err := os.Stat(filepath.Join(filepath.Dir(name), m[1])); err != nil {
				t.Errorf("%s links %s: %v", name, m[1], err)
			}
		}
	}
	readme, _ := os.ReadFile("../README.md")
	pictures, _ := filepath.Glob("../docs/screenshots/*.png")
	for _, p := range pictures {
		if !strings.Contains(string(readme), filepath.Base(p)) {
			t.Errorf("the README does not link %s", p)
		}
	}
}

// TestChecksAreDocumented checks that docs/checking.md lists the checks with
// their levels, in order.
func TestChecksAreDocumented(t *testing.T) {
	doc, err := os.ReadFile("../docs/checking.md")
	if err != nil {
		t.Fatal(err)
	}
	var want, listed []string
	for _, c := range check.Codes {
		want = append(want, "| `"+c.Name+"` | "+c.Level.String()+" | "+c.About+" |")
	}
	for line := range strings.Lines(string(doc)) {
		if strings.HasPrefix(line, "| `") {
			listed = append(listed, strings.TrimSpace(line))
		}
	}
	if !slices.Equal(listed, want) {
		t.Errorf("docs/checking.md lists\n%s\nwant\n%s", strings.Join(listed, "\n"), strings.Join(want, "\n"))
	}
}
