package internal_test

import (
	"go/ast"
	"go/parser"
	"go/token"
	"io/fs"
	"path/filepath"
	"slices"
	"strings"
	"testing"
)

// Maximum size of a function, and of the median function. Generated tables may
// be longer.
const (
	mostLines    = 80
	mostBranches = 15
	mostMedian   = 12
)

// tables are functions that are one condition, or one comparison for each type:
// Go has no other form for such a table.
var tables = []string{"delimFuses", "Fuses", "equalNode"}

// TestFunctionSize checks the sizes of functions.
func TestFunctionSize(t *testing.T) {
	var lengths []int
	files := token.NewFileSet()
	err := filepath.WalkDir("..", func(name string, d fs.DirEntry, err error) error {
		if err != nil {
			return err
		}
		if d.IsDir() && strings.HasPrefix(d.Name(), ".") && d.Name() != ".." {
			return filepath.SkipDir
		}
		if !strings.HasSuffix(name, ".go") || strings.HasSuffix(name, "_test.go") {
			return nil
		}
		f, err := parser.ParseFile(files, name, nil, parser.ParseComments)
		if err != nil || ast.IsGenerated(f) {
			return err
		}
		for _, decl := range f.Decls {
			fn, ok := decl.(*ast.FuncDecl)
			if !ok || fn.Body == nil {
				continue
			}
			lines := files.Position(fn.End()).Line - files.Position(fn.Pos()).Line + 1
			lengths = append(lengths, lines)
			if n := 1 + branches(fn.Body); (n > mostBranches || lines > mostLines) && !slices.Contains(tables, fn.Name.Name) {
				t.Errorf("%v: %s has %d lines and %d branches; at most %d and %d", files.Position(fn.Pos()), fn.Name.Name,
					lines, n, mostLines, mostBranches)
			}
		}
		return nil
	})
	if err != nil {
		t.Fatal(err)
	}
	slices.Sort(lengths)
	if median := lengths[len(lengths)/2]; median > mostMedian {
		t.Errorf("half of the %d functions have more than %d lines, want %d", len(lengths), median, mostMedian)
	}
}

// branches counts the branches in a node. A switch counts as one, however many
// cases it has: they are read one after another. The bodies of cases count as
// usual.
func branches(n ast.Node) int {
	count := 0
	ast.Inspect(n, func(n ast.Node) bool {
		switch n := n.(type) {
		case *ast.IfStmt, *ast.ForStmt, *ast.RangeStmt, *ast.SwitchStmt, *ast.TypeSwitchStmt, *ast.SelectStmt:
			count++
		case *ast.CaseClause:
			for _, s := range n.Body {
				count += branches(s)
			}
			return false
		case *ast.BinaryExpr:
			if n.Op == token.LAND || n.Op == token.LOR {
				count++
			}
		}
		return true
	})
	return count
}
