package emit

import (
	"testing"

	"rinzel/internal/source"
)

// TestUnhashedName removes the hash that HashedName adds, and nothing else.
func TestUnhashedName(t *testing.T) {
	for _, name := range []string{"index.css", "islands/gannet.css", "a.b.css"} {
		if got := UnhashedName(HashedName(name, source.Sum{1, 2, 3})); got != name {
			t.Errorf("%s became %s", name, got)
		}
	}
	for _, name := range []string{"index.css", "jquay.min.css", "a.ABCDEFGHIJ.css", "a.abcdefghij.js", "a.abcdefghijk.css"} {
		if got := UnhashedName(name); got != name {
			t.Errorf("%s became %s", name, got)
		}
	}
}
