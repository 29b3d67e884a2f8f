package site

import (
	"crypto/sha256"
	"slices"
	"sync"

	"rinzel/internal/css/ast"
	"rinzel/internal/css/print"
	"rinzel/internal/css/selector"
	"rinzel/internal/link"
	"rinzel/internal/split"
	"rinzel/internal/step/purge"
)

// traits are facts about the content of a piece. They are computed on first
// use.
type traits struct {
	once   sync.Once
	text   [sha256.Size]byte // hash of its content
	size   int
	claims *split.Claims
	// namespaces is set if it declares namespaces, which would affect adjacent
	// sheets.
	namespaces bool

	vars *varUse // use of custom properties; nil until computed

	named   sync.Once
	classes map[string]bool // in the selectors of its rules

	// The result of purging; nil until computed.
	uses      *purge.Uses     // of the remaining rules
	remaining int             // size of the remaining rules in bytes
	names     map[string]bool // that the verdicts on its selectors depend on
	evidence  *purge.Evidence // that the verdicts are based on
}

// traitsFor returns the traits of a content.
func traitsFor(c *link.Content) *traits {
	return c.Facts(func() any { return new(traits) }).(*traits)
}

// traitsOf returns the traits of a piece that is not an external import.
func traitsOf(p *link.Piece) *traits { return traitsFor(p.Content) }

// classesOf returns the classes in the selectors of a piece that is not an external
// import.
func classesOf(p *link.Piece) map[string]bool {
	t := traitsOf(p)
	t.named.Do(func() {
		t.classes = make(map[string]bool)
		ast.Walk(p.Nodes, func(n ast.Node) bool {
			if r, ok := n.(*ast.StyleRule); ok {
				for _, s := range r.Selectors {
					selector.AddClasses(s, t.classes)
				}
			}
			return true
		})
	})
	return t.classes
}

// compute determines what sharing the piece depends on.
func (t *traits) compute(p *link.Piece) *traits {
	t.once.Do(func() {
		text := print.Append(nil, p.Nodes, print.Options{Compact: true})
		t.text, t.size = sha256.Sum256(text), len(text)
		t.claims = split.Of(p.Nodes, p.Content.Layered)
		t.namespaces = slices.ContainsFunc(p.Nodes, link.IsNamespace)
	})
	return t
}
