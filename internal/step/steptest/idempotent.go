// Package steptest has test helpers that several steps share.
package steptest

import (
	"testing"

	"rinzel/internal/css/ast"
	"rinzel/internal/css/csstest"
	"rinzel/internal/css/parse"
	"rinzel/internal/css/print"
	"rinzel/internal/diag"
	"rinzel/internal/source"
)

// FuzzIdempotent fuzzes a step with the shared sheets and additional seeds: the
// result for a valid sheet must be valid, and running the step again must not
// change anything.
func FuzzIdempotent(f *testing.F, step func([]ast.Node) []ast.Node, seeds ...string) {
	f.Helper()
	for _, src := range append(csstest.All(), seeds...) {
		f.Add(src)
	}
	f.Fuzz(func(t *testing.T, src string) {
		sheet, diags := read(src)
		if diag.HasErrors(diags) {
			return
		}
		text := print.Sheet(step(sheet.Nodes), print.Options{})
		again, diags := read(text)
		if diag.HasErrors(diags) {
			t.Fatalf("%q became %q: %v", src, text, diags)
		}
		if twice := step(again.Nodes); !ast.Equal(twice, again.Nodes, false) {
			t.Fatalf("%q became %q, and then %q", src, text, print.Sheet(twice, print.Options{}))
		}
	})
}

// read parses src.
func read(src string) (*ast.Stylesheet, []diag.Diagnostic) {
	return parse.Sheet(new(source.Set).Add(source.Path{Name: "x.css"}, "x.css", src))
}
