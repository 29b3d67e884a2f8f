package internal_test

import (
	"go/ast"
	"go/parser"
	"go/scanner"
	"go/token"
	"io/fs"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"
)

// maxColumns is the maximum length of a line in bytes.
const maxColumns = 120

// longLiteral is the length in bytes from which a string literal is a reason
// for a line of more than maxColumns: a broken text cannot be searched for.
const longLiteral = 40

// avoided matches words that readers would have to decode. docs/glossary.md has
// the words to use.
var avoided = regexp.MustCompile(`(?i)(?:^|[^-\w])(told|judged|judges|sought|drawn|turned|parted|behind|within|settled|` +
	`settles|mends?|mended|remarks?|of long ago|so called|(?:is|are) to be|anew|heeds?|holds that|` +
	`becomes? of|became of|stands?)(?:[^-\w]|$)`)

// standsFor is the only use of "stands" that is allowed.
var standsFor = regexp.MustCompile(`(?i)\bstands? for\b`)

// avoidedIn returns the first avoided word of a text, or "".
func avoidedIn(text string) string {
	if m := avoided.FindStringSubmatch(standsFor.ReplaceAllString(text, "")); m != nil {
		return m[1]
	}
	return ""
}

// TestWords checks that comments, messages and docs avoid words that readers
// would have to decode.
func TestWords(t *testing.T) {
	goFiles(t, func(name, text string) {
		scanGo(t, name, text, func(line int, tok token.Token, literal string) {
			if literal == `"behind"` { // the name of a flag
				return
			}
			isMessage := tok == token.STRING && !strings.HasSuffix(name, "_test.go") && !strings.Contains(literal, "\n")
			if word := avoidedIn(literal); word != "" && (tok == token.COMMENT || isMessage) {
				t.Errorf("%s:%d: use another word than %q in %s", name, line, word, literal)
			}
		})
	})
	files(t, ".md", func(name, text string) {
		text, _, _ = strings.Cut(text, "\n## Names that changed")
		for i, line := range strings.Split(text, "\n") {
			if word := avoidedIn(line); word != "" {
				t.Errorf("%s:%d: use another word than %q in %s", name, i+1, word, line)
			}
		}
	})
}

// TestLineLength checks that lines have at most maxColumns bytes, except for
// tables, examples, and lines with a long string literal.
func TestLineLength(t *testing.T) {
	goFiles(t, func(name, text string) {
		exempt := tableRows(t, name, text)
		scanGo(t, name, text, func(line int, tok token.Token, literal string) {
			if tok == token.STRING && (len(literal) >= longLiteral || strings.Contains(literal, "\n")) {
				for i := range 1 + strings.Count(literal, "\n") {
					exempt[line+i] = true
				}
			}
		})
		for i, line := range strings.Split(text, "\n") {
			if len(line) > maxColumns && !exempt[i+1] && !strings.HasPrefix(line, "//go:") {
				t.Errorf("%s:%d: %d bytes, at most %d are allowed: %s", name, i+1, len(line), maxColumns, line)
			}
		}
	})
	files(t, ".md", func(name, text string) {
		example := false
		for i, line := range strings.Split(text, "\n") {
			if strings.HasPrefix(strings.TrimSpace(line), "```") {
				example = !example
			}
			if len(line) > maxColumns && !example && !strings.HasPrefix(line, "|") {
				t.Errorf("%s:%d: %d bytes, at most %d are allowed: %s", name, i+1, len(line), maxColumns, line)
			}
		}
	})
}

// TestExportedNames checks that every exported name has a comment, which starts
// with the name.
func TestExportedNames(t *testing.T) {
	goFiles(t, func(name, text string) {
		if strings.HasSuffix(name, "_test.go") {
			return
		}
		set := token.NewFileSet()
		f, err := parser.ParseFile(set, name, text, parser.ParseComments)
		if err != nil {
			t.Fatal(err)
		}
		check := func(id *ast.Ident, docs ...*ast.CommentGroup) {
			if !id.IsExported() {
				return
			}
			var doc string
			for _, d := range docs {
				doc += d.Text()
			}
			words := append(strings.Fields(doc), "", "")
			first := strings.Trim(words[0], ",.:")
			if doc == "" || len(docs) == 1 && first != id.Name && (words[0] != "A" && words[0] != "An" || words[1] != id.Name) {
				t.Errorf("%v: the comment of %s must start with its name: %q", set.Position(id.Pos()), id.Name, doc)
			}
		}
		for _, decl := range f.Decls {
			switch decl := decl.(type) {
			case *ast.FuncDecl:
				if receiverIsExported(decl) {
					check(decl.Name, decl.Doc)
				}
			case *ast.GenDecl:
				checkSpecs(decl, check)
			}
		}
	})
}

// receiverIsExported reports whether a function can be called from another
// package by its name. Methods of unexported types implement interfaces.
func receiverIsExported(f *ast.FuncDecl) bool {
	if f.Recv == nil {
		return true
	}
	exported := true
	ast.Inspect(f.Recv.List[0].Type, func(n ast.Node) bool {
		if id, ok := n.(*ast.Ident); ok && !id.IsExported() {
			exported = false
		}
		return true
	})
	return exported
}

// checkSpecs calls check with every name of a declaration and its comments. A
// name in a group, and a field of a struct, may also have a comment in its
// line.
func checkSpecs(decl *ast.GenDecl, check func(*ast.Ident, ...*ast.CommentGroup)) {
	for _, spec := range decl.Specs {
		switch spec := spec.(type) {
		case *ast.TypeSpec:
			if decl.Lparen.IsValid() {
				check(spec.Name, spec.Doc)
			} else {
				check(spec.Name, decl.Doc)
			}
			checkFields(spec.Type, check)
		case *ast.ValueSpec:
			for _, id := range spec.Names {
				if decl.Lparen.IsValid() {
					check(id, decl.Doc, spec.Doc, spec.Comment)
				} else {
					check(id, decl.Doc)
				}
			}
		}
	}
}

// checkFields calls check with the methods of an interface. The comment of a
// struct may describe its fields.
func checkFields(typ ast.Expr, check func(*ast.Ident, ...*ast.CommentGroup)) {
	t, ok := typ.(*ast.InterfaceType)
	if !ok {
		return
	}
	for _, m := range t.Methods.List {
		for _, id := range m.Names {
			check(id, m.Doc, m.Comment)
		}
	}
}

// tableRows returns the lines of a file that are elements of composite
// literals, and of constants in raw strings.
func tableRows(t *testing.T, name, text string) map[int]bool {
	set := token.NewFileSet()
	f, err := parser.ParseFile(set, name, text, parser.SkipObjectResolution)
	if err != nil {
		t.Fatal(err)
	}
	rows := make(map[int]bool)
	ast.Inspect(f, func(n ast.Node) bool {
		if lit, ok := n.(*ast.CompositeLit); ok {
			for _, e := range lit.Elts {
				if line := set.Position(e.Pos()).Line; line == set.Position(e.End()).Line {
					rows[line] = true
				}
			}
		}
		return true
	})
	return rows
}

// scanGo calls visit with the tokens of a Go file and the lines they start in.
func scanGo(t *testing.T, name, text string, visit func(line int, tok token.Token, literal string)) {
	set := token.NewFileSet()
	file := set.AddFile(name, -1, len(text))
	var s scanner.Scanner
	s.Init(file, []byte(text), func(at token.Position, msg string) { t.Fatalf("%v: %s", at, msg) }, scanner.ScanComments)
	for {
		pos, tok, literal := s.Scan()
		if tok == token.EOF {
			return
		}
		visit(set.Position(pos).Line, tok, literal)
	}
}

// generated matches the comment of generated Go files.
var generated = regexp.MustCompile(`(?m)^// Code generated .* DO NOT EDIT\.$`)

// goFiles calls visit with the Go files of the project, except for generated
// ones and this one.
func goFiles(t *testing.T, visit func(name, text string)) {
	files(t, ".go", func(name, text string) {
		if filepath.Base(name) != "words_test.go" && !generated.MatchString(text) {
			visit(name, text)
		}
	})
}

// files calls visit with the files of the project that have an extension.
func files(t *testing.T, extension string, visit func(name, text string)) {
	err := filepath.WalkDir("..", func(name string, d fs.DirEntry, err error) error {
		if err != nil {
			return err
		}
		if d.IsDir() && strings.HasPrefix(d.Name(), ".") && d.Name() != ".." {
			return filepath.SkipDir
		}
		if d.IsDir() || filepath.Ext(name) != extension {
			return nil
		}
		text, err := os.ReadFile(name)
		visit(name, string(text))
		return err
	})
	if err != nil {
		t.Fatal(err)
	}
}
