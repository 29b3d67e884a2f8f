package graph

import (
	"fmt"
	"strings"
	"testing"

	"rinzel/internal/css/ast"
	"rinzel/internal/css/parse"
	"rinzel/internal/css/print"
	"rinzel/internal/source"
)

// said parses the import of a sheet and formats it.
func said(t *testing.T, text string) string {
	t.Helper()
	sheet, _ := parse.Sheet(new(source.Set).Add(source.Path{Name: "x.css"}, "x.css", "@import "+text+";"))
	r, ok := IsImport(sheet.Nodes[0])
	if !ok {
		return "no import"
	}
	imp, ok := ReadImport(r.Prelude)
	if !ok {
		return "unreadable"
	}
	out := []string{imp.Address}
	add := func(what string, values []ast.Value) {
		if len(values) > 0 {
			out = append(out, what+" "+print.Values(values))
		}
	}
	if imp.HasLayer {
		out = append(out, "layered")
	}
	add("layer", imp.Layer)
	add("supports", imp.Supports)
	add("media", imp.Media)
	for _, p := range imp.Parts {
		for _, pattern := range p.Patterns {
			out = append(out, fmt.Sprintf("only %v %q selector %v", p.Only, pattern.Text, pattern.Selector))
		}
	}
	for _, g := range imp.Assignments {
		out = append(out, g.Name+" is "+print.Values(g.Value))
	}
	return strings.Join(out, "; ")
}

func TestReadImport(t *testing.T) {
	for text, want := range map[string]string{
		`"a.css"`:    "a.css",
		`url(a.css)`: "a.css",
		`url("a.css") LAYER( x.y ) supports(display: grid) screen and (color)`: "a.css; layered; layer x.y; supports display: grid; media screen and (color)",
		"":                                      "unreadable",
		`url("a.css") layer`:                    "a.css; layered",
		`src("a.css") layer(x.y) print`:         "a.css; layered; layer x.y; media print",
		`"a.css" supports(gap: 1px) screen, tv`: "a.css; supports gap: 1px; media screen, tv",
		`"a.css" without("b.css", selector(".c*")) layer(x)`: `a.css; layered; layer x; only false "b.css" selector false; only false ".c*" selector true`,
		`"a.css" layer(x) (width > 1px) only("b.css")`:       `a.css; layered; layer x; media (width > 1px); only true "b.css" selector false`,
		`"a.css" set(--a: 1px 2px; --b: f(x);) print`:        "a.css; media print; --a is 1px 2px; --b is f(x)",
		`"a.css" set(--a: 1) set(--b: 2)`:                    "a.css; --a is 1; --b is 2",
		`/* x */ "a.css" /* y */ print`:                      "a.css; media print",
		`a.css`:                                              "unreadable",
		`"a.css" without()`:                                  "unreadable",
		`"a.css" without(b.css)`:                             "unreadable",
		`"a.css" without(selector(.b))`:                      "unreadable",
		`"a.css" set()`:                                      "unreadable",
		`"a.css" set(a: 1)`:                                  "unreadable",
		`"a.css" set(--a)`:                                   "unreadable",
		`"a.css" set(--a:)`:                                  "unreadable",
		`"a.css" set(--a 1)`:                                 "unreadable",
	} {
		if got := said(t, text); got != want {
			t.Errorf("%s\n got %s\nwant %s", text, got, want)
		}
	}
}
