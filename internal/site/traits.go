package site

import (
	"crypto/sha256"
	"slices"
	"sync"

	"rinzel/internal/css/print"
	"rinzel/internal/link"
	"rinzel/internal/split"
	"rinzel/internal/step/purge"
)

// traits are what is known of the content of a piece. They are worked out when
// they are first asked for.
type traits struct {
	once   sync.Once
	text   [sha256.Size]byte // of what it says
	size   int
	claims *split.Claims
	// namespaces says that it declares namespaces, which would hold for what stands beside it.
	namespaces bool

	vars *varUse // what it does with custom properties; nil until it is asked for

	// What purging makes of it; nil until it is judged.
	uses     *purge.Uses     // by what stays of it
	left     int             // bytes of what stays of it
	names    map[string]bool // by which its selectors are judged
	evidence *purge.Evidence // by which that was found
}

// traitsFor returns the traits of a content.
func traitsFor(c *link.Content) *traits {
	return c.Facts(func() any { return new(traits) }).(*traits)
}

// traitsOf returns the traits of a piece that is no import from elsewhere.
func traitsOf(p *link.Piece) *traits { return traitsFor(p.Content) }

// of works out what sharing the piece depends on.
func (t *traits) of(p *link.Piece) *traits {
	t.once.Do(func() {
		text := print.Append(nil, p.Nodes, print.Options{Compact: true})
		t.text, t.size = sha256.Sum256(text), len(text)
		t.claims = split.Of(p.Nodes, p.Content.Layered)
		t.namespaces = slices.ContainsFunc(p.Nodes, link.IsNamespace)
	})
	return t
}
