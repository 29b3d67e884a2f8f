package selector

import (
	"testing"

	"rinzel/internal/css/parse"
	"rinzel/internal/source"
)

func TestSpecificity(t *testing.T) {
	tests := []struct {
		src  string
		want Specificity
	}{
		{"*", Specificity{0, 0, 0}},
		{"li", Specificity{0, 0, 1}},
		{"ul ol + li", Specificity{0, 0, 3}},
		{"h1 + *[rel=up]", Specificity{0, 1, 1}},
		{"#x34y", Specificity{1, 0, 0}},
		{":is(em, #foo)", Specificity{1, 0, 0}},
		{".qux:where(em, #foo#bar#baz)", Specificity{0, 1, 0}},
		{":nth-child(even of li, .item)", Specificity{0, 2, 0}},
		{":not(em, strong#foo)", Specificity{1, 0, 1}},
		{"a:hover::before", Specificity{0, 1, 2}},
		{"a:before", Specificity{0, 0, 2}},
		{"a:has(> .b)", Specificity{0, 1, 1}},
		{"::slotted(.a)", Specificity{0, 1, 1}},
		{"&", Specificity{0, 0, 0}},
	}
	for _, test := range tests {
		list, diags := parse.Selectors(new(source.Set).Add(source.Path{}, "", test.src))
		if got := Of(list[0]); got != test.want || len(diags) > 0 {
			t.Errorf("%s: got %v, want %v %v", test.src, got, test.want, diags)
		}
	}
}

func TestLess(t *testing.T) {
	rising := []Specificity{{0, 0, 1}, {0, 0, 9}, {0, 1, 0}, {0, 1, 1}, {1, 0, 0}, {1, 0, 1}}
	for i := range rising {
		for j := range rising {
			if got := rising[i].Less(rising[j]); got != (i < j) {
				t.Errorf("%v less than %v: got %v", rising[i], rising[j], got)
			}
		}
	}
}

// TestNested checks selectors in a rule with the specificity 1,0,0.
func TestNested(t *testing.T) {
	for src, want := range map[string]Specificity{
		"b": {1, 0, 1}, "&": {1, 0, 0}, "& &": {2, 0, 0}, ".a &": {1, 1, 0}, ":is(&, b) .a": {1, 1, 0},
		":where(&) .a": {0, 1, 0}, "b:not(&)": {1, 0, 1},
	} {
		list, _ := parse.Selectors(new(source.Set).Add(source.Path{}, "", src))
		if got := Nested(list[0], Specificity{IDs: 1}); got != want {
			t.Errorf("%s: got %v, want %v", src, got, want)
		}
	}
}
