package asis

import (
	"strings"
	"testing"

	"rinzel/internal/css/ast"
	"rinzel/internal/css/parse"
	"rinzel/internal/css/print"
	"rinzel/internal/source"
)

func TestLeft(t *testing.T) {
	tests := []struct{ src, want string }{ // what prefix excludes, ignoring comments
		{`a {} b {}`, ``},
		{`/* rinzel as-is */ a {} b {}`, `a`},
		{`/*! rinzel as-is */ /* why */ a {} b {}`, `a`},
		{`/*rinzel as-is: prefix*/ a {}`, `a`},
		{`/* rinzel as-is: lower, check */ a {}`, ``},
		{`/* rinzel as-is: check , prefix */ a {}`, `a`},
		{`a {} /* rinzel as-is from here */ b {} c {} /* rinzel as-is to here */ d {}`, `b c`},
		{`/* rinzel as-is from here: prefix */ a {} /* rinzel as-is to here: lower */ b {} /* rinzel as-is to here */ c {}`, `a b`},
		{`/* rinzel as-is */ /* rinzel as-is from here */ a {} /* rinzel as-is to here */ b {}`, `a`},
		{`/* about rinzel as-is */ a {}`, ``},
		{`/* rinzel as-is: minify */ a {}`, ``},
		{`@media print { a {} /* rinzel as-is */ b { c {} } c {} } /* rinzel as-is */ d {}`, `b d`},
	}
	for _, test := range tests {
		list := nodes(test.src)
		set := Exempt(list, "prefix")
		var left []string
		ast.Walk(list, func(n ast.Node) bool {
			if rule, ok := n.(*ast.StyleRule); set[n] && ok {
				left = append(left, print.Selector(rule.Selectors[0]))
			}
			return true
		})
		if got := strings.Join(left, " "); got != test.want {
			t.Errorf("%s: leaves %q, want %q", test.src, got, test.want)
		}
	}
}

func TestMisread(t *testing.T) {
	for src, want := range map[string]string{
		`a { /* rinzel as-is: minify */ }`:     `as-is cannot be used with "minify": expected one of lower, prefix, check, purge`,
		`/* rinzel as-is until the end */`:     `expected "from here", "to here" or ':' after "as-is", got "until the end"`,
		`/* rinzel as-is */ a { /* other */ }`: ``,
	} {
		got := ""
		for _, d := range Misread(nodes(src), []string{"lower", "prefix", "check", "purge"}) {
			got += d.Message
		}
		if got != want {
			t.Errorf("%s: %q, want %q", src, got, want)
		}
	}
}

func nodes(src string) []ast.Node {
	sheet, _ := parse.Sheet(new(source.Set).Add(source.Path{Name: "x.css"}, "x.css", src))
	return sheet.Nodes
}
