package lower

import (
	"testing"

	"rinzel/internal/browsers"
	"rinzel/internal/css/ast"
	"rinzel/internal/css/csstest"
	"rinzel/internal/css/parse"
	"rinzel/internal/css/print"
	"rinzel/internal/diag"
	"rinzel/internal/source"
)

// FuzzLower holds what is lowered to being readable, and to needing nothing more.
func FuzzLower(f *testing.F) {
	for _, src := range csstest.All() {
		f.Add(src)
	}
	f.Add("@media (width<1px) and (2em<=height<3em),not all and (color>2){a{b:oklch(.6 .1 2);--c:lab(1 2 3);c{d:var(--x) color(srgb 1 0 0)}}}@keyframes k{to{--c:lab(1 2 3)}}")
	older := browsers.AtLeast(map[string]browsers.Version{"chrome": 60000, "safari": 12000})
	f.Fuzz(func(t *testing.T, src string) {
		sheet, diags := parse.Sheet(new(source.Set).Add(source.Path{Name: "x.css"}, "x.css", src))
		if diag.HasErrors(diags) {
			return
		}
		once := Nodes(sheet.Nodes, older)
		text := print.Sheet(once, print.Options{})
		again, diags := parse.Sheet(new(source.Set).Add(source.Path{Name: "x.css"}, "x.css", text))
		if diag.HasErrors(diags) {
			t.Fatalf("%q became %q: %v", src, text, diags)
		}
		if twice := Nodes(again.Nodes, older); !ast.Equal(twice, again.Nodes, false) {
			t.Fatalf("%q became %q, and then %q", src, text, print.Sheet(twice, print.Options{}))
		}
	})
}
