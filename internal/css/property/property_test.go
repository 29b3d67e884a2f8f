package property

import (
	"testing"

	"rinzel/internal/css/grammar"
)

func TestCompete(t *testing.T) {
	tests := []struct {
		a, b string
		want bool
	}{
		{"color", "color", true},
		{"COLOR", "color", true},
		{`c\6flor`, "color", true},
		{"color", "background-color", false},
		{"margin", "margin-top", true},
		{"margin-left", "margin-top", false},
		{"margin-left", "margin-inline-start", true},
		{"inset-inline", "left", true},
		{"inline-size", "height", true},
		{"border-start-start-radius", "border-top-left-radius", true},
		{"border-start-start-radius", "border-radius", true},
		{"border-radius", "border-color", false},
		{"border", "border-image-source", true},
		{"border-width", "border-image-width", false},
		{"font", "line-height", true},
		{"font", "font-kerning", true},
		{"background", "background-size", true},
		{"background", "-webkit-background-size", true},
		{"-moz-columns", "column-width", true},
		{"-webkit-transition", "transition-delay", true},
		{"-moz-border-radius-topleft", "border-radius", true},
		{"page-break-before", "break-before", true},
		{"-webkit-column-break-inside", "break-inside", true},
		{"word-wrap", "overflow-wrap", true},
		{"grid-gap", "row-gap", true},
		{"--a", "--A", false},
		{"--a", `--\61`, true},
		{"all", "color", true},
		{"unheard-of", "unheard-of", true},
		{"unheard-of", "color", false},
	}
	for _, test := range tests {
		p, q := Of(test.a), Of(test.b)
		if Compete(p, q) != test.want || Compete(q, p) != test.want {
			t.Errorf("%s and %s: got %v, want %v", test.a, test.b, !test.want, test.want)
		}
		if test.want && p.Kinds()&q.Kinds() == 0 {
			t.Errorf("%s and %s compete without a common kind", test.a, test.b)
		}
	}
}

func TestCovers(t *testing.T) {
	tests := []struct {
		a, b string
		want bool
	}{
		{"margin", "margin-top", true},
		{"margin-top", "margin", false},
		{"border", "border-color", true},
		{"border", "border-image", true},
		{"border", "border-radius", false},
		{"border-color", "border", false},
		{"font", "font-variant", true},
		{"flex", "flex-flow", false},
		{"-webkit-transition", "transition-delay", false},
		{"transition", "-webkit-transition", false},
		{"-webkit-transition", "-webkit-transition", true},
	}
	for _, test := range tests {
		if got := Of(test.a).Covers(Of(test.b)); got != test.want {
			t.Errorf("%s covers %s: got %v", test.a, test.b, got)
		}
	}
}

// TestShorthandsCompete checks that every shorthand of the data competes with
// each of its longhands, and covers it.
func TestShorthandsCompete(t *testing.T) {
	for _, name := range grammar.Properties() {
		p := Of(name)
		for _, l := range grammar.Longhands(name) {
			if !Compete(p, Of(l)) {
				t.Errorf("%s does not compete with %s", name, l)
			}
			if !p.Legacy && !Of(l).Legacy && !p.Covers(Of(l)) {
				t.Errorf("%s does not cover %s", name, l)
			}
		}
	}
}
