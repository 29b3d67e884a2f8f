package internal_test

import (
	"context"
	"fmt"
	"os"
	"path"
	"regexp"
	"slices"
	"strings"
	"testing"

	"golang.org/x/tools/txtar"

	"rinzel/internal/diag"
	"rinzel/internal/query"
	"rinzel/internal/site"
)

// notInGallery are the codes that cannot be shown with a few lines of source.
var notInGallery = map[string]string{
	"foreign-file":      "needs a file in the output folder",
	"lost-rules":        "needs the output of a build before",
	"wrong-case":        "needs a file system that takes upper and lower case for the same",
	"no-sheets":         "is about a folder without any sheet",
	"not-minified":      "needs a change that cannot be shown to be safe; none is known",
	"not-utf-8":         "needs bytes that are no text",
	"over-budget":       "compares the outputs with the build before",
	"page-outside":      "needs a page outside of the source folder",
	"step-failed":       "needs a program",
	"step-finding":      "needs a program",
	"too-deep":          "needs 256 brackets",
	"too-many-findings": "needs hundreds of findings",
	"too-many-imports":  "needs a hundred sheets",
	"unclosed-string":   "needs a file that ends without a line end",
	"unreadable-file":   "needs a file without the right to read it",
}

// TestGallery builds the cases of testdata/gallery.txtar and compares the
// findings with docs/gallery.md. Each code of docs/messages.md has a case.
func TestGallery(t *testing.T) {
	archive, err := txtar.ParseFile("testdata/gallery.txtar")
	if err != nil {
		t.Fatal(err)
	}
	cases := make(map[string][]txtar.File)
	var codes []string
	for _, f := range archive.Files {
		code, name, _ := strings.Cut(f.Name, "/")
		if cases[code] == nil {
			codes = append(codes, code)
		}
		cases[code] = append(cases[code], txtar.File{Name: name, Data: f.Data})
	}
	var b strings.Builder
	b.WriteString("# Gallery of messages\n\nFor each code of [messages.md](messages.md): a source, and the finding as a build shows it.\n" +
		"A test makes this page from `internal/testdata/gallery.txtar`.\n")
	for _, code := range codes {
		fmt.Fprintf(&b, "\n## %s\n", code)
		for _, f := range cases[code] {
			if f.Name != "index.txt" {
				fmt.Fprintf(&b, "\n`%s`\n\n```%s\n%s```\n", f.Name, strings.TrimPrefix(path.Ext(f.Name), "."), f.Data)
			}
		}
		fmt.Fprintf(&b, "\n```text\n%s```\n", findingsOf(t, code, cases[code]))
	}
	const name = "../docs/gallery.md"
	if *update {
		if err := os.WriteFile(name, []byte(b.String()), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	if have, _ := os.ReadFile(name); string(have) != b.String() {
		t.Errorf("%s is not what the cases make; go test ./internal -run TestGallery -update writes it:\n%s", name,
			firstDifference(string(have), b.String()))
	}
	if !slices.IsSorted(codes) {
		t.Error("the cases are not sorted")
	}
	doc, err := os.ReadFile("../docs/messages.md")
	if err != nil {
		t.Fatal(err)
	}
	for _, m := range regexp.MustCompile("(?m)^\\| `([a-z0-9-]+)` \\|").FindAllStringSubmatch(string(doc), -1) {
		if (cases[m[1]] == nil) == (notInGallery[m[1]] == "") {
			t.Errorf("%q has no case, or needs none", m[1])
		}
	}
}

// findingsOf returns the findings of a project that have a code, as they are
// displayed.
func findingsOf(t *testing.T, code string, files []txtar.File) string {
	has := func(name string) bool {
		return slices.ContainsFunc(files, func(f txtar.File) bool { return f.Name == name })
	}
	if !has("index.html") && !has("index.txt") {
		files = append(slices.Clip(files),
			txtar.File{Name: "index.html",
				Data: []byte("<!doctype html><link rel=\"stylesheet\" href=\"main.css\"><p class=\"board\">")})
	}
	if !has("main.css") {
		files = append(slices.Clip(files), txtar.File{Name: "main.css"})
	}
	dir := layOut(t, files)
	p, diags := openProject(t, dir)
	if !diag.HasErrors(diags) {
		res, err := site.Build(context.Background(), p, site.Options{Profile: "production"})
		if err != nil {
			t.Fatal(err)
		}
		constants, err := query.ListConstants(context.Background(), p)
		if err != nil {
			t.Fatal(err)
		}
		checked, err := site.Check(context.Background(), p, nil, site.Options{})
		if err != nil {
			t.Fatal(err)
		}
		diags = append(diags, res.Diagnostics...)
		for _, d := range slices.Concat(checked.Diagnostics, constants.Diagnostics) {
			if !slices.ContainsFunc(diags, func(o diag.Diagnostic) bool { return o.Code == d.Code }) {
				diags = append(diags, d)
			}
		}
	}
	diags = slices.DeleteFunc(diags, func(d diag.Diagnostic) bool { return string(d.Code) != code })
	if len(diags) == 0 {
		t.Errorf("%s: no such finding", code)
	}
	return strings.ReplaceAll(rendered(p.Tree.Set, diags), dir+"/", "")
}

// firstDifference returns the first lines in which two texts differ.
func firstDifference(a, b string) string {
	as, bs := strings.Split(a, "\n"), strings.Split(b, "\n")
	for i := range min(len(as), len(bs)) {
		if as[i] != bs[i] {
			return fmt.Sprintf("line %d: %q, want %q", i+1, as[i], bs[i])
		}
	}
	return "one is longer"
}
