package selector

import "testing"

func TestPattern(t *testing.T) {
	for _, c := range []struct {
		pattern, text string
		want          bool
	}{
		{".quay", ".quay", true},
		{".quay", ".quay-wall", false},
		{".quay*", ".quay-wall", true},
		{".quay*", ".quay", true},
		{"*wall", ".quay-wall", true},
		{".q*-*l", ".quay-wall", true},
		{".q*-*x", ".quay-wall", false},
		{"*", "", true},
		{".a*a", ".a", false}, // the two ends must not overlap
		{"[hidden]", "[hidden]", true},
		{"[data-*]", "[data-tone]", true},
		{"a?", "ab", false}, // only the star is a wildcard
		{`.w\:1\/2`, ".w:1/2", true},
		{`.sm\:*`, ".sm:quay", true},
		{".a > .b/*", ".a > .b/c", true},
	} {
		p := NewPattern(c.pattern)
		if got := p.Match(c.text); got != c.want {
			t.Errorf("%s on %s: %v", c.pattern, c.text, got)
		}
	}
}
