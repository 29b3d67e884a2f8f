package link

import (
	"testing"

	"rinzel/internal/css/ast"
	"rinzel/internal/css/parse"
	"rinzel/internal/css/print"
	"rinzel/internal/graph"
	"rinzel/internal/source"
)

// TestOnImport checks the conditions of an import in a sheet that is itself
// imported with conditions.
func TestOnImport(t *testing.T) {
	t.Parallel()
	for _, c := range []struct{ outer, inner, want string }{
		{`"a" print`, `"x"`, `@import "x" print;`},
		{`"a"  layer(a)`, `url(x)`, `@import url(x) layer(a);`},
		{`"a" layer(a)`, `"x" layer(b.c)`, `@import "x" layer(a.b.c);`},
		{`"a" layer(a.b)`, `"x" screen`, `@import "x" layer(a.b) screen;`},
		{`"a" print`, `"x" layer`, `@import "x" layer print;`},
		{`"a" layer`, `"x"`, ``},
		{`"a" layer(a)`, `"x" layer`, ``},
		{`"a" supports(display: grid)`, `"x"`, `@import "x" supports(display: grid);`},
		{`"a" supports(display: grid)`, `"x" supports(not (a: b)) layer`, `@import "x" supports((display: grid) and (not (a: b))) layer;`},
		{`"a" supports(selector(a > b)) print`, `"x" supports(c: d) print`, `@import "x" supports((selector(a > b)) and (c: d)) print;`},
		{`"a" screen`, `"x" print`, `@import "x" not all;`},
		{`"a" screen and (color)`, `"x" screen and (width > 3px)`, `@import "x" screen and (color) and (width > 3px);`},
		{`"a" (color)`, `"x" only screen and (width > 3px)`, `@import "x" only screen and (color) and (width > 3px);`},
		{`"a" (color) or (grid)`, `"x" (width > 3px)`, `@import "x" ((color) or (grid)) and (width > 3px);`},
		{`"a" not (color)`, `"x" (width > 3px), print`, `@import "x" (not (color)) and (width > 3px), print and (not (color));`},
		{`"a" screen, print`, `"x" (color), (grid)`, `@import "x" screen and (color), screen and (grid), print and (color), print and (grid);`},
		{`"a" not screen`, `"x" (color)`, ``},
		{`"a" screen, (a), (b), (c), (d)`, `"x" (e), (f), (g), (h)`, ``},
	} {
		outer, inner := importOf(t, c.outer), importOf(t, c.inner)
		imp, ok := graph.ReadImport(outer.Prelude)
		if !ok {
			t.Fatal(c.outer)
		}
		cond := &Condition{At: outer.At, HasLayer: imp.HasLayer, Layer: imp.Layer, Supports: imp.Supports, Media: imp.Media}
		got := ""
		if with, ok := cond.OnImport(inner); ok {
			got = print.Sheet([]ast.Node{with}, print.Options{})
		}
		if want := c.want; got != want+"\n" && got != want {
			t.Errorf("%s in %s: got %q, want %q", c.inner, c.outer, got, c.want)
		}
	}
}

func importOf(t *testing.T, prelude string) *ast.AtRule {
	sheet, diags := parse.Sheet(new(source.Set).Add(source.Path{}, "", "@import "+prelude+";"))
	if len(diags) > 0 {
		t.Fatal(diags)
	}
	return sheet.Nodes[0].(*ast.AtRule)
}
