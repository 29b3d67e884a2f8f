package ast_test

import (
	"go/ast"
	"go/parser"
	"go/token"
	"reflect"
	"strings"
	"testing"

	css "rinzel/internal/css/ast"
	"rinzel/internal/css/print"
	csstoken "rinzel/internal/css/token"
)

// nodes has a node of every type.
var nodes = []css.Node{
	&css.StyleRule{}, &css.QualifiedRule{}, &css.AtRule{Name: "x", Block: &css.Block{}}, &css.Declaration{Name: "x"},
	&css.InterpolatedDeclaration{Name: []css.Value{{Kind: csstoken.LParen, Text: "(", Inner: &css.Inner{}}}},
	&css.Comment{Text: "/**/"}, &css.BadRule{Text: "x{}"}, &css.BadDeclaration{Text: "x"},
}

// TestEveryNode checks that the walker, the printer, the copier and the
// comparison handle every type of node: each panics on an unknown one.
func TestEveryNode(t *testing.T) {
	f, err := parser.ParseFile(token.NewFileSet(), "ast.go", nil, 0)
	if err != nil {
		t.Fatal(err)
	}
	have := make(map[string]bool)
	for _, n := range nodes {
		have[reflect.TypeOf(n).Elem().Name()] = true
	}
	for _, decl := range f.Decls {
		if fn, ok := decl.(*ast.FuncDecl); ok && fn.Name.Name == "node" {
			if name := fn.Recv.List[0].Type.(*ast.StarExpr).X.(*ast.Ident).Name; !have[name] {
				t.Errorf("no %s among the nodes of this test", name)
			}
		}
	}
	met := 0
	css.Walk(nodes, func(css.Node) bool { met++; return true })
	if met != len(nodes) {
		t.Errorf("walked over %d nodes, want %d", met, len(nodes))
	}
	if out := print.Sheet(nodes, print.Options{}); strings.Count(out, "\n") < len(nodes) {
		t.Errorf("printed %q", out)
	}
	if !css.Equal(nodes, nodes, true) {
		t.Error("the nodes are not equal to themselves")
	}
	for i, n := range nodes {
		if css.Equal([]css.Node{n}, []css.Node{nodes[(i+1)%len(nodes)]}, true) {
			t.Errorf("%T is equal to another node", n)
		}
		n.Pos()
		n.Span()
	}
}

func TestMapShares(t *testing.T) {
	same, changed := css.Map(nodes, func(css.Node) css.Edit { return css.Keep })
	if changed || &same[0] != &nodes[0] {
		t.Error("a list in which nothing changed was copied")
	}
	twice, changed := css.Map(nodes[:3], func(n css.Node) css.Edit {
		switch n.(type) {
		case *css.QualifiedRule:
			return css.Splice([]css.Node{n, n})
		case *css.AtRule:
			return css.Remove
		}
		return css.Keep
	})
	if want := []css.Node{nodes[0], nodes[1], nodes[1]}; !changed || !reflect.DeepEqual(twice, want) {
		t.Errorf("got %v, want %v", twice, want)
	}
}

func TestMapListShares(t *testing.T) {
	list := []int{1, 2, 3}
	same, changed := css.MapList(list, func(_ int, n *int) (int, bool) { return *n, false })
	if changed || &same[0] != &list[0] {
		t.Error("a list in which nothing changed was copied")
	}
	other, changed := css.MapList(list, func(i int, n *int) (int, bool) { return *n * 10, i == 1 })
	if !changed || !reflect.DeepEqual(other, []int{1, 20, 3}) || !reflect.DeepEqual(list, []int{1, 2, 3}) {
		t.Errorf("got %v of %v", other, list)
	}
}
