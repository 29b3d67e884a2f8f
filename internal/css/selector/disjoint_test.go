package selector_test

import (
	"testing"

	"rinzel/internal/css/ast"
	"rinzel/internal/css/parse"
	"rinzel/internal/css/selector"
	"rinzel/internal/source"
)

func TestDisjoint(t *testing.T) {
	tests := []struct {
		a, b string
		want bool
	}{
		{"a", "p", true},
		{"a", "A", false},
		{".x", ".y", false},
		{"a.x", "p.x", true},
		{"p a", "div a", false},
		{"p a", "p b", true},
		{"#x", "#y", true},
		{"#x", "#X", false}, // quirks mode
		{".x:before", ".x::before", false},
		{".x::before", ".x::after", true},
		{".x::before", ".x", true},
		{".x::-webkit-a", ".x::placeholder", false},
		{".x::-webkit-a", ".x", true},
		{"[type=a]", `[type="b"]`, true},
		{"[type=a]", `[type="A"]`, false},
		{"[type=a]", "[type^=b]", false},
		{"[type=a]", "[kind=b]", false},
		{`[type="a b"]`, `[type="a c"]`, false}, // unknown
		{".x", ".y:not(.x)", true},
		{".x", ".y:not(.x, .z)", false}, // unknown
		{".x", ".y:not(.z)", false},
		{"svg|a", "p", false},
	}
	for _, test := range tests {
		a, b := parsed(t, test.a), parsed(t, test.b)
		if selector.Disjoint(a, b) != test.want || selector.Disjoint(b, a) != test.want {
			t.Errorf("%s and %s: got %v, want %v", test.a, test.b, !test.want, test.want)
		}
	}
}

// parsed returns a selector.
func parsed(t *testing.T, text string) ast.Selector {
	t.Helper()
	sheet, _ := parse.Sheet(new(source.Set).Add(source.Path{Name: "x.css"}, "x.css", text+"{}"))
	rule, ok := sheet.Nodes[0].(*ast.StyleRule)
	if !ok || len(rule.Selectors) != 1 {
		t.Fatalf("%q is not a selector", text)
	}
	return rule.Selectors[0]
}
