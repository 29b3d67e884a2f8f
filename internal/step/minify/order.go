package minify

import (
	"slices"

	"rinzel/internal/css/ast"
	"rinzel/internal/css/known"
	"rinzel/internal/css/property"
	"rinzel/internal/css/selector"
	"rinzel/internal/css/token"
)

// This file decides which rules may change places: those whose declarations do
// not compete on any element.

// item is a node of a block, with what it claims.
type item struct {
	node ast.Node
	rule *ast.StyleRule // a rule with declarations only; otherwise nil
	// fixed is set if it must keep its place; others may still move past it.
	fixed bool
	parts []part
	kinds uint64 // of all declarations, see [property.Property.Kinds]
	names string // text of the selectors, or of the name and prelude of a block
	body  string // text of the declarations
}

// part is a rule that an item consists of or contains.
type part struct {
	selectors []ast.Selector
	weights   []selector.Specificity // of each selector
	// anywhere is set if the elements and the specificity are not known: the
	// rule is nested or in a scope.
	anywhere bool
	claims   []claim
	kinds    uint64
}

// claim is a declaration of a part.
type claim struct {
	property *property.Property
	of       *ast.Declaration
}

// conditional are the at-rules that only restrict where their rules apply, so
// that their blocks can be joined and moved like rules.
func conditional(name string) bool { return known.IsCondition(name) && name != "starting-style" }

// newItem returns the item of a node.
func (m *minifier) newItem(n ast.Node) *item {
	it := &item{node: n}
	switch n := n.(type) {
	case *ast.StyleRule:
		if isPlain(n) {
			it.rule = n
		}
		it.fixed = m.frozenInside(n)
	case *ast.AtRule:
		it.fixed = !isMovable(n) || m.frozenInside(n)
	default:
		it.fixed = true
	}
	it.gather(n, false)
	return it
}

// isPlain reports whether a rule has declarations only.
func isPlain(r *ast.StyleRule) bool {
	return !slices.ContainsFunc(r.Nodes, func(n ast.Node) bool { _, ok := n.(*ast.Declaration); return !ok })
}

// isMovable reports whether an at-rule only contains style rules, in blocks that
// are conditions.
func isMovable(r *ast.AtRule) bool {
	if r.Block == nil || !conditional(token.Lower(r.Name)) {
		return false
	}
	return !slices.ContainsFunc(r.Block.Nodes, func(n ast.Node) bool {
		switch n := n.(type) {
		case *ast.StyleRule:
			return false
		case *ast.AtRule:
			return !isMovable(n)
		}
		return true
	})
}

// gather adds the parts of a node.
func (it *item) gather(n ast.Node, anywhere bool) {
	switch n := n.(type) {
	case *ast.StyleRule:
		p := part{selectors: n.Selectors, anywhere: anywhere}
		for _, s := range n.Selectors {
			p.weights = append(p.weights, selector.Of(s))
			if selector.Contains(s, ast.NestingSelector) {
				p.anywhere = true
			}
		}
		p.claim(n.Nodes)
		it.add(p)
		for _, inner := range n.Nodes {
			it.gather(inner, true)
		}
	case *ast.AtRule:
		if n.Block == nil || !known.HoldsStyleRules(token.Lower(n.Name)) {
			return
		}
		anywhere = anywhere || token.EqualFold(n.Name, "scope")
		p := part{anywhere: true}
		p.claim(n.Block.Nodes) // declarations in a nested at-rule
		it.add(p)
		for _, inner := range n.Block.Nodes {
			it.gather(inner, anywhere)
		}
	}
}

// add adds a part that declares something.
func (it *item) add(p part) {
	if len(p.claims) > 0 {
		it.parts = append(it.parts, p)
		it.kinds |= p.kinds
	}
}

// claim adds the declarations among nodes.
func (p *part) claim(nodes []ast.Node) {
	for _, n := range nodes {
		if d, ok := n.(*ast.Declaration); ok {
			c := claim{property.Of(d.Name), d}
			p.claims = append(p.claims, c)
			p.kinds |= c.property.Kinds()
		}
	}
}

// onlyAll is the bit that all sets of kinds have in common.
const onlyAll = 1 << 63

// conflicts reports whether the order of two items can matter.
func conflicts(a, b *item) bool {
	common := a.kinds & b.kinds
	if common == 0 || common == onlyAll {
		return false
	}
	for i := range a.parts {
		for k := range b.parts {
			p, q := &a.parts[i], &b.parts[k]
			if common := p.kinds & q.kinds; common != 0 && common != onlyAll && p.competes(q) && p.meets(q) {
				return true
			}
		}
	}
	return false
}

// competes reports whether declarations of two parts compete and differ.
func (p *part) competes(q *part) bool {
	for i := range p.claims {
		for k := range q.claims {
			if p.claims[i].competes(&q.claims[k]) {
				return true
			}
		}
	}
	return false
}

// competes reports whether two declarations compete and differ.
func (c *claim) competes(o *claim) bool {
	return c.of.Important == o.of.Important && property.Compete(c.property, o.property) &&
		!(c.property.Standard == o.property.Standard && ast.EqualValues(c.of.Value, o.of.Value))
}

// maxMeetings limits the pairs of selectors that are compared.
const maxMeetings = 1024

// meets reports whether some element may match both parts with the same
// specificity.
func (p *part) meets(q *part) bool {
	if p.anywhere || q.anywhere || len(p.selectors)*len(q.selectors) > maxMeetings {
		return true
	}
	for i, a := range p.selectors {
		for k, b := range q.selectors {
			if p.weights[i] == q.weights[k] && !selector.Disjoint(a, b) {
				return true
			}
		}
	}
	return false
}
