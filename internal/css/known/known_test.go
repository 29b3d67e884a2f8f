package known_test

import (
	"slices"
	"strings"
	"testing"

	"rinzel/internal/css/grammar"
	"rinzel/internal/css/known"
)

// TestTableIsCurrent checks that the generated table agrees with the embedded
// definitions.
func TestTableIsCurrent(t *testing.T) {
	for _, name := range slices.Concat(grammar.Properties(), grammar.Aliases()) {
		d, _ := grammar.Property(name)
		if d.Syntax() == "" {
			continue
		}
		if got, want := known.Property(name), d.Facts(); got != want {
			t.Errorf("%s: the table has %+v, the definition %+v: run go generate", name, got, want)
		}
	}
	for _, name := range grammar.Functions() {
		if f, ok := grammar.FunctionFacts(name); ok {
			if got, want := known.Function(strings.ToLower(name)), f; got != want {
				t.Errorf("%s(): the table has %+v, the definition %+v: run go generate", name, got, want)
			}
		}
	}
}

func TestValues(t *testing.T) {
	for _, c := range []struct {
		property                    string
		colors, fractions, negative bool
	}{
		{"color", true, false, false},
		{"text-decoration", true, false, false},
		{"mask", true, false, false}, // gradients; its size must not be negative
		{"-webkit-mask-image", true, false, false},
		{"animation", false, true, false},
		{"list-style", false, false, false}, // a counter style may have the name of a color
		{"margin-top", false, false, true},
		{"padding", false, false, false},
		{"z-index", false, false, false},
		{"opacity", false, true, true},
		{"line-height", false, true, false},
		{"no-such-property", false, false, false},
	} {
		v := known.Property(c.property)
		if got := []bool{v.TakesOnlyColors(), v.Fractions, v.Negative}; !slices.Equal(got,
			[]bool{c.colors, c.fractions, c.negative}) {
			t.Errorf("%s: got %v, want %v %v %v", c.property, got, c.colors, c.fractions, c.negative)
		}
	}
	if z := known.Property("z-index"); z.Low >= 0 {
		t.Errorf("z-index: %+v", z)
	}
}
