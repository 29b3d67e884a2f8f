package minify

import (
	"context"
	"strings"
	"testing"

	"rinzel/internal/browsers"
	"rinzel/internal/css/ast"
	"rinzel/internal/css/cascade"
	"rinzel/internal/css/parse"
	"rinzel/internal/css/print"
	"rinzel/internal/diag"
	"rinzel/internal/source"
	"rinzel/internal/step"
)

// TestUndo undoes the changes of declarations that a comparison does not accept.
func TestUndo(t *testing.T) {
	const src = ".a { margin: 0px; top: 0px } .b { left: 0px } .a { right: 0px } @keyframes k { from { top: 0px } }"
	tree, _ := parse.Sheet(new(source.Set).Add(source.Path{Name: "x.css"}, "x.css", src))
	// find returns the declaration of a property.
	find := func(nodes []ast.Node, name string) (found *ast.Declaration) {
		ast.Walk(nodes, func(n ast.Node) bool {
			if d, ok := n.(*ast.Declaration); ok && d.Name == name {
				found = d
			}
			return true
		})
		return found
	}
	tests := []struct{ refused, want string }{
		{"", `.a{margin:0;top:0;right:0}.b{left:0}@keyframes k{0%{top:0}}`},
		{"right", `.a{margin:0;top:0}.b{left:0}.a{right:0px}@keyframes k{0%{top:0}}`},
		{"margin", `.a{margin:0px;top:0}.b{left:0}.a{right:0}@keyframes k{0%{top:0}}`},
	}
	for _, test := range tests {
		attempts := 0
		nodes, undone := proved(tree.Nodes, Options{Targets: browsers.Default()}, func(small []ast.Node) []*cascade.Difference {
			attempts++
			before, after := find(tree.Nodes, test.refused), find(small, test.refused)
			if test.refused == "" || ast.EqualValues(before.Value, after.Value) {
				return nil
			}
			return []*cascade.Difference{{Message: "they differ", A: before.Span(), Involved: []*ast.Declaration{before, after}}}
		})
		got := strings.TrimSuffix(print.Sheet(nodes, print.Options{Compact: true}), "\n")
		if got != test.want {
			t.Errorf("without %q:\n got %s\nwant %s", test.refused, got, test.want)
		}
		if wantUndone := min(1, len(test.refused)); len(undone) != wantUndone || attempts != wantUndone+1 {
			t.Errorf("without %q: %d undone in %d attempts", test.refused, len(undone), attempts)
		}
	}
	// If freezing rules does not help, they keep their places.
	nodes, undone := proved(tree.Nodes, Options{Targets: browsers.Default()}, func(small []ast.Node) []*cascade.Difference {
		if len(small) == len(tree.Nodes) {
			return nil
		}
		return []*cascade.Difference{{Message: "rules moved"}}
	})
	const still = ".a{margin:0;top:0}.b{left:0}.a{right:0}@keyframes k{0%{top:0}}\n"
	if got := print.Sheet(nodes, print.Options{Compact: true}); got != still || len(undone) == 0 {
		t.Errorf("%d undone; with rules that keep their places: %s", len(undone), got)
	}
	// Nothing is changed if nothing is accepted.
	nodes, undone = proved(tree.Nodes, Options{}, func([]ast.Node) []*cascade.Difference {
		return []*cascade.Difference{{Message: "they differ"}}
	})
	if len(undone) == 0 || !ast.Equal(nodes, tree.Nodes, true) {
		t.Errorf("%d undone, and the sheet is %s", len(undone), print.Sheet(nodes, print.Options{}))
	}
}

// TestStep minifies a unit without findings.
func TestStep(t *testing.T) {
	tree, _ := parse.Sheet(new(source.Set).Add(source.Path{Name: "x.css"}, "x.css", ".a { top: 0px } .b { top: 0px }"))
	u := &step.Unit{Kind: step.Bundle, Nodes: tree.Nodes, Report: func(d diag.Diagnostic) { t.Error(d.Message) }}
	if err := (Step{Options{Targets: browsers.Default()}}).Run(context.Background(), u); err != nil {
		t.Fatal(err)
	}
	if got := print.Sheet(u.Nodes, print.Options{Compact: u.Compact}); got != ".a,.b{top:0}\n" {
		t.Error(got)
	}
}
