package intern

import (
	"fmt"
	"strings"
	"testing"

	"rinzel/internal/css/ast"
	"rinzel/internal/css/parse"
	"rinzel/internal/source"
)

// rulesOf parses style rules.
func rulesOf(t *testing.T, text string) (out []*ast.StyleRule) {
	t.Helper()
	tree, problems := parse.Sheet(new(source.Set).Add(source.Path{Name: "x.css"}, "x.css", text))
	if len(problems) > 0 {
		t.Fatal(problems)
	}
	for _, n := range tree.Nodes {
		out = append(out, n.(*ast.StyleRule))
	}
	return out
}

// TestSelectors numbers selectors: the want of each is the number of the first
// that is equal to it.
func TestSelectors(t *testing.T) {
	tests := []struct {
		text string
		want int
	}{
		{"a", 0}, {".a", 1}, {"#a", 2}, {"a b", 3}, {"a > b", 4}, {"a", 0}, {"a  b", 3}, {"a>b", 4}, {".a:hover", 5},
		{".a:not(.b)", 6}, {".a:not(.c)", 7}, {".a:not(.b, .c)", 8}, {".a:not( .b )", 6}, {"[a=b]", 9}, {"[a~=b]", 10},
		{"[a=c]", 11}, {"[a=b i]", 12}, {"[a]", 13}, {":nth-child(2n)", 14}, {":nth-child(2n+1)", 15}, {"::before", 16},
		{":before", 17}, {".\\31 a", 18}, {".\\000031 a", 18}, {".a\\:b", 19}, {".a", 1}, {":is(.a .b)", 20}, {":is(.a, .b)", 21},
	}
	numbers := NewSelectors()
	for _, test := range tests {
		if got := numbers.Number(rulesOf(t, test.text+" { top: 0 }")[0].Selectors[0]); got != test.want {
			t.Errorf("%s has the number %d, want %d", test.text, got, test.want)
		}
	}
	if got := numbers.Len(); got != 22 {
		t.Errorf("%d different selectors", got)
	}
	if got := numbers.Of(1)[0].Name; got != "a" {
		t.Errorf("number 1 is %s", got)
	}
}

// TestDeclarations numbers declarations like TestSelectors.
func TestDeclarations(t *testing.T) {
	tests := []struct {
		text string
		want int
	}{
		{"top: 0", 0}, {"top: 0px", 1}, {"top: 0 !important", 2}, {"top:0", 0}, {"left: 0", 3}, {"TOP: 0", 4},
		{"margin: 0 1px", 5}, {"margin: 0  1px", 5}, {"width: calc(1px + 2px)", 6}, {"width: calc(1px + 3px)", 7},
		{"width: f(g(1) 2)", 8}, {"width: f(g(1 2))", 9}, {"--x: a", 10}, {"--x: A", 11}, {"x: \\31 a", 12}, {"x: \\000031 a", 12},
	}
	numbers := NewDeclarations()
	for _, test := range tests {
		d := rulesOf(t, "a { "+test.text+" }")[0].Nodes[0].(*ast.Declaration)
		if got := numbers.Number(d); got != test.want {
			t.Errorf("%s has the number %d, want %d", test.text, got, test.want)
		}
	}
}

// TestChains numbers things that have the same hash.
func TestChains(t *testing.T) {
	numbers := newTable[string]()
	for i, text := range []string{"pier", "quay", "pier", "ferry", "quay"} {
		got := numbers.number(1, text, func(o string) bool { return o == text })
		if want := []int{0, 1, 0, 2, 1}[i]; got != want {
			t.Errorf("%s has the number %d, want %d", text, got, want)
		}
	}
}

// TestManyDifferent numbers many selectors that differ in one token only: none
// may be compared with all others.
func TestManyDifferent(t *testing.T) {
	for _, form := range []string{":nth-child(%dn+1)", ".a\\:%d", "[data-a=\"%d\"]", ":is(.a%d)", "#a%d"} {
		numbers := NewSelectors()
		var b strings.Builder
		for i := range 2000 {
			fmt.Fprintf(&b, form+" { top: 0 }", i)
		}
		for i, r := range rulesOf(t, b.String()) {
			if got := numbers.Number(r.Selectors[0]); got != i {
				t.Fatalf("%s: %d has the number %d", form, i, got)
			}
		}
		if len(numbers.first) < 1990 {
			t.Errorf("%s: only %d different hashes", form, len(numbers.first))
		}
	}
}

func BenchmarkDeclarations(b *testing.B) {
	tree, _ := parse.Sheet(new(source.Set).Add(source.Path{Name: "x.css"}, "x.css",
		"a { margin: 0 1px 2px; color: rgb(1 2 3 / 50%); transition: opacity .3s ease-in }"))
	nodes := tree.Nodes[0].(*ast.StyleRule).Nodes
	numbers := NewDeclarations()
	b.ReportAllocs()
	for b.Loop() {
		for _, n := range nodes {
			numbers.Number(n.(*ast.Declaration))
		}
	}
}
