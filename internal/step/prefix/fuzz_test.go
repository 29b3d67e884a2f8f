package prefix

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

// FuzzPrefix holds what is prefixed to being readable, and to needing nothing more.
func FuzzPrefix(f *testing.F) {
	for _, src := range csstest.All() {
		f.Add(src)
	}
	f.Add("a,b::placeholder,:fullscreen{user-select:none;width:fit-content;background:image-set(url(x) 1x);transition:transform 1s,backdrop-filter 2s}@keyframes k{to{transform:none}}@-webkit-keyframes k{}")
	older := browsers.AtLeast(map[string]browsers.Version{"chrome": 20000, "safari": 8000, "firefox": 12000})
	f.Fuzz(func(t *testing.T, src string) {
		sheet, diags := parse.Sheet(new(source.Set).Add(source.Path{Name: "x.css"}, "x.css", src))
		if diag.HasErrors(diags) {
			return
		}
		once, _ := Nodes(sheet.Nodes, older)
		text := print.Sheet(once, print.Options{})
		again, diags := parse.Sheet(new(source.Set).Add(source.Path{Name: "x.css"}, "x.css", text))
		if diag.HasErrors(diags) {
			t.Fatalf("%q became %q: %v", src, text, diags)
		}
		if twice, _ := Nodes(again.Nodes, older); !ast.Equal(twice, again.Nodes, false) {
			t.Fatalf("%q became %q, and then %q", src, text, print.Sheet(twice, print.Options{}))
		}
	})
}
