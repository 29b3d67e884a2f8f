package internal_test

import (
	"io/fs"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"testing"

	"rinzel/internal/diag/code"
	"rinzel/internal/pipeline"
	"rinzel/internal/step/check"
)

// TestMessagesAreDocumented checks that docs/messages.md lists the codes of
// findings, and that each is reported somewhere.
func TestMessagesAreDocumented(t *testing.T) {
	uses := regexp.MustCompile(`\bcode\.([A-Z]\w*)`)
	plain := regexp.MustCompile(`\bCode(?: =|:) "|Code, d\.\w+ = "`)
	used := make(map[string]bool)
	err := filepath.WalkDir(".", func(name string, d fs.DirEntry, err error) error {
		if err != nil || !strings.HasSuffix(name, ".go") || strings.HasSuffix(name, "_test.go") ||
			strings.HasPrefix(name, "diag/code/") {
			return err
		}
		text, err := os.ReadFile(name)
		for _, m := range uses.FindAllStringSubmatch(string(text), -1) {
			used[m[1]] = true
		}
		if at := plain.FindIndex(text); at != nil {
			t.Errorf("%s writes a code as text: %s", name, text[at[0]:at[1]])
		}
		return err
	})
	if err != nil {
		t.Fatal(err)
	}
	names := make(map[string]string) // names of constants, by code
	source, err := os.ReadFile("diag/code/code.go")
	if err != nil {
		t.Fatal(err)
	}
	for _, m := range regexp.MustCompile(`(?m)^\t(\w+) +Code = "([a-z0-9-]+)"`).FindAllStringSubmatch(string(source), -1) {
		names[m[2]] = m[1]
	}
	doc, err := os.ReadFile("../docs/messages.md")
	if err != nil {
		t.Fatal(err)
	}
	var listed []code.Code
	for _, m := range regexp.MustCompile("(?m)^\\| `([a-z0-9-]+)` \\|").FindAllStringSubmatch(string(doc), -1) {
		listed = append(listed, code.Code(m[1]))
	}
	if !slices.Equal(listed, code.All) || !slices.IsSorted(listed) || len(names) != len(listed) {
		t.Errorf("docs/messages.md lists %d codes, or others, or not sorted; there are %d, and %d in the table",
			len(listed), len(names), len(code.All))
	}
	for _, c := range code.All {
		if !used[names[string(c)]] && !strings.HasPrefix(string(c), "unclosed-") { // which are concatenated
			t.Errorf("nothing reports %q", c)
		}
	}
}

// TestStepsAreDocumented checks that docs/settings.md lists the steps, in
// order.
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
		want = append(want, "| `"+string(c.Name)+"` | "+c.Level.String()+" | "+c.About+" |")
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

// TestStepExamples checks that the documentation of steps has the examples that
// other tests run.
func TestStepExamples(t *testing.T) {
	doc, err := os.ReadFile("../docs/steps.md")
	if err != nil {
		t.Fatal(err)
	}
	for name, language := range map[string]string{"ink/main.go": "go", "banner.sh": "sh", "quiet.py": "python",
		"card.py": "python"} {
		text, err := os.ReadFile("../docs/steps/" + name)
		if err != nil {
			t.Fatal(err)
		}
		if !strings.Contains(string(doc), "```"+language+"\n"+string(text)+"```\n") {
			t.Errorf("docs/steps.md does not have %s as it is", name)
		}
	}
}
