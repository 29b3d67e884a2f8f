package internal_test

import (
	"context"
	"errors"
	"flag"
	"fmt"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"testing"

	"golang.org/x/tools/txtar"

	"rinzel/internal/build"
	"rinzel/internal/css/parse"
	"rinzel/internal/css/print"
	"rinzel/internal/diag"
	"rinzel/internal/project"
	"rinzel/internal/source"
	"rinzel/internal/step/compose"
)

var update = flag.Bool("update", false, "write the results into the documents")

// TestLanguageExamples composes the examples of docs/language.md and compares
// what comes of each with the result that stands behind it. The examples make
// one sheet, in order; one of several files is a project of its own.
func TestLanguageExamples(t *testing.T) {
	const name = "../docs/language.md"
	doc, err := os.ReadFile(name)
	if err != nil {
		t.Fatal(err)
	}
	set := new(source.Set)
	scope := compose.NewScope()
	count := 0
	example := regexp.MustCompile("(?s)```css( files)?\n(.*?)```\n\n```css result\n(.*?)```")
	made := example.ReplaceAllStringFunc(string(doc), func(text string) string {
		m := example.FindStringSubmatch(text)
		count++
		var result, findings string
		if m[1] != "" {
			result, findings = builtFiles(t, m[2])
		} else {
			result, findings = composedExample(set, scope, m[2])
		}
		if findings != "" {
			t.Errorf("findings in an example:\n%s%s", m[2], findings)
		}
		if result != m[3] && !*update {
			t.Errorf("%s\n got %s\nwant %s", m[2], result, m[3])
		}
		return fmt.Sprintf("```css%s\n%s```\n\n```css result\n%s```", m[1], m[2], result)
	})
	if blocks := strings.Count(string(doc), "```css"); blocks != 2*count {
		t.Errorf("%d of %d blocks are an example or its result", 2*count, blocks)
	}
	if *update {
		if err := os.WriteFile(name, []byte(made), 0o644); err != nil {
			t.Fatal(err)
		}
	}
}

// composedExample composes an example that goes on with the scope of those before.
func composedExample(set *source.Set, scope *compose.Scope, text string) (result, findings string) {
	tree, diags := parse.Sheet(set.Add(source.Path{Name: "language.md"}, "language.md", text))
	c := &compose.Composer{Report: func(d diag.Diagnostic) { diags = append(diags, d) }}
	nodes := c.Nodes(tree.Nodes, scope)
	diags = slices.Concat(diags, parse.BadSelectors(nodes), scope.Unknown())
	return print.Sheet(nodes, print.Options{}), rendered(set, diags)
}

func rendered(set *source.Set, diags []diag.Diagnostic) string {
	var b strings.Builder
	r := diag.Renderer{Files: set}
	_ = r.Render(&b, diags)
	return b.String()
}

// layOut writes the files of an archive into a temporary folder.
func layOut(t *testing.T, files []txtar.File) (dir string) {
	t.Helper()
	dir = t.TempDir()
	for _, f := range files {
		name := filepath.Join(dir, filepath.FromSlash(f.Name))
		if err := errors.Join(os.MkdirAll(filepath.Dir(name), 0o755), os.WriteFile(name, f.Data, 0o644)); err != nil {
			t.Fatal(err)
		}
	}
	return dir
}

// openProject opens the project in a folder.
func openProject(t *testing.T, dir string) (*project.Project, []diag.Diagnostic) {
	t.Helper()
	settings := filepath.Join(dir, project.FileName)
	if _, err := os.Stat(settings); err != nil {
		if err := os.WriteFile(settings, nil, 0o644); err != nil {
			t.Fatal(err)
		}
	}
	p, diags, err := project.Open(project.Options{Settings: settings, Output: filepath.Join(dir, "public")})
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { p.Close() })
	return p, diags
}

// builtFiles builds main.css of a project of several files, for browsers that
// read everything.
func builtFiles(t *testing.T, archive string) (result, findings string) {
	files := append(txtar.Parse([]byte(archive)).Files, txtar.File{Name: project.FileName,
		Data: []byte("[browsers]\nfloor = { chrome = \"150\" }\n[profile.development]\nmaps = \"none\"\n")})
	dir := layOut(t, files)
	p, diags := openProject(t, dir)
	res, err := build.Sheet(context.Background(), p, "main.css", filepath.Join(dir, "out.css"), build.Options{})
	if err != nil {
		t.Fatal(err)
	}
	if diags = append(diags, res.Diagnostics...); len(diags) > 0 {
		findings = strings.ReplaceAll(rendered(p.Tree.Set, diags), dir+"/", "")
	}
	if len(res.Outputs) == 0 {
		return "", findings
	}
	return string(res.Outputs[0].Data), findings
}
