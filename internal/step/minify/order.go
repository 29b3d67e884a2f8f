package minify

import (
	"slices"

	"rinzel/internal/css/ast"
	"rinzel/internal/css/known"
	"rinzel/internal/css/print"
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
	layer string     // name of a layer, of a block with its rules; otherwise empty
	parts []part     // of a rule with declarations only, exactly one
	kinds uint64     // of all declarations, see [property.Property.Kinds]
	key   string     // of a block: blocks with the same one can be joined
	nodes []ast.Node // of a block that was joined with others, until all are
}

// body returns the nodes of a block.
func (it *item) body() []ast.Node {
	if it.nodes != nil {
		return it.nodes
	}
	return slices.Clip(ast.Body(it.node))
}

// isMergeable reports whether an item is a rule that can be merged with others.
func (it *item) isMergeable() bool { return it.rule != nil && !it.fixed }

// namesHash returns a hash of the selectors of a rule, whatever their order.
func (it *item) namesHash() uint64 {
	hash := uint64(0)
	for _, id := range it.parts[0].selectors {
		hash += hashOf(id)
	}
	return hash
}

// bodyHash returns a hash of the declarations of a rule, whatever their order.
func (it *item) bodyHash() uint64 {
	hash := uint64(0)
	for i := range it.parts[0].claims {
		hash += hashOf(it.parts[0].claims[i].id)
	}
	return hash
}

// part is a rule that an item consists of or contains.
type part struct {
	selectors []selectorID
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
	kinds    uint64 // of the property
	id       declarationID
}

// conditional are the at-rules that only restrict where their rules apply, so
// that their blocks can be joined and moved like rules.
func conditional(name string) bool { return known.IsCondition(name) && name != "starting-style" }

// fill sets an item to that of a node.
func (m *minifier) fill(it *item, n ast.Node) {
	it.node = n
	switch n := n.(type) {
	case *ast.StyleRule:
		if isPlain(n) {
			it.rule = n
		}
		it.fixed = m.frozenInside(n)
	case *ast.AtRule:
		it.fixed = !isMovable(n) || m.frozenInside(n)
		if token.EqualFold(n.Name, "layer") && n.Block != nil && !m.frozenInside(n) {
			it.layer = print.CompactValues(n.Prelude)
		}
	default:
		it.fixed = true
	}
	start := len(m.parts)
	m.gather(n, false)
	it.parts = m.parts[start:len(m.parts):len(m.parts)]
	for i := range it.parts {
		it.kinds |= it.parts[i].kinds
	}
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

// gather adds the parts of a node to those of the block.
func (m *minifier) gather(n ast.Node, anywhere bool) {
	switch n := n.(type) {
	case *ast.StyleRule:
		if !anywhere {
			for _, s := range n.Selectors {
				anywhere = anywhere || selector.Contains(s, ast.NestingSelector)
			}
		}
		p := part{selectors: m.selectorIDs(n.Selectors), anywhere: anywhere}
		if claims, ok := m.claimed[n]; ok {
			m.addPart(p, claims)
			return
		}
		m.claim(p, n.Nodes)
		for _, inner := range n.Nodes {
			if !isDeclaration(inner) {
				m.gather(inner, true)
			}
		}
	case *ast.AtRule:
		if n.Block == nil || !known.HoldsStyleRules(token.Lower(n.Name)) {
			return
		}
		anywhere = anywhere || token.EqualFold(n.Name, "scope")
		m.claim(part{anywhere: true}, n.Block.Nodes) // declarations in a nested at-rule
		for _, inner := range n.Block.Nodes {
			if !isDeclaration(inner) {
				m.gather(inner, anywhere)
			}
		}
	}
}

// claim adds a part with the declarations among nodes, if there are any.
func (m *minifier) claim(p part, nodes []ast.Node) {
	start := len(m.claims)
	for _, n := range nodes {
		if d, ok := n.(*ast.Declaration); ok {
			m.claims = append(m.claims, m.claimOf(d))
		}
	}
	m.addPart(p, m.claims[start:len(m.claims):len(m.claims)])
}

// addPart adds a part with claims, if there are any.
func (m *minifier) addPart(p part, claims []claim) {
	if len(claims) == 0 {
		return
	}
	p.claims = claims
	for i := range claims {
		p.kinds |= claims[i].kinds
	}
	m.parts = append(m.parts, p)
}

// claimOf returns the claim of a declaration.
func (m *minifier) claimOf(d *ast.Declaration) claim {
	id := m.pool.declaration(d)
	info := &m.pool.declarations[id]
	return claim{info.property, d, info.kinds, id}
}

// selectorIDs returns the numbers of selectors.
func (m *minifier) selectorIDs(list []ast.Selector) []selectorID {
	start := len(m.ids)
	for _, s := range list {
		m.ids = append(m.ids, m.pool.selector(s))
	}
	return m.ids[start:len(m.ids):len(m.ids)]
}

// onlyAll is the bit that all sets of kinds have in common.
const onlyAll = 1 << 63

// conflicts reports whether the order of two items can matter. It also does if
// too much was compared before.
func (m *minifier) conflicts(a, b *item) bool {
	m.effort++
	common := a.kinds & b.kinds
	if common == 0 || common == onlyAll {
		return false
	}
	if m.effort += len(a.parts) * len(b.parts); m.effort > m.maxEffort {
		return true
	}
	for i := range a.parts {
		for k := range b.parts {
			p, q := &a.parts[i], &b.parts[k]
			if common := p.kinds & q.kinds; common != 0 && common != onlyAll && m.compete(p, q) && m.meet(p, q) {
				return true
			}
		}
	}
	return false
}

// compete reports whether declarations of two parts compete and differ.
func (m *minifier) compete(p, q *part) bool {
	m.effort += len(p.claims) + len(q.claims)
	if len(p.claims) > maxCompared || len(q.claims) > maxCompared {
		return true
	}
	for i := range p.claims {
		c := &p.claims[i]
		if common := c.kinds & q.kinds; common == 0 || common == onlyAll {
			continue
		}
		for k := range q.claims {
			o := &q.claims[k]
			if common := c.kinds & o.kinds; common != 0 && common != onlyAll && c.competes(o) {
				return true
			}
		}
	}
	return false
}

// competes reports whether two declarations compete and differ.
func (c *claim) competes(o *claim) bool {
	if c.of.Important != o.of.Important || c.id == o.id {
		return false
	}
	return c.property == o.property || property.Compete(c.property, o.property) &&
		!(c.property.Standard == o.property.Standard && ast.EqualValues(c.of.Value, o.of.Value))
}

// maxMeetings limits the pairs of selectors that are compared.
const maxMeetings = 1024

// meet reports whether some element may match both parts with the same
// specificity.
func (m *minifier) meet(p, q *part) bool {
	if p.anywhere || q.anywhere || len(p.selectors)*len(q.selectors) > maxMeetings {
		return true
	}
	for _, a := range p.selectors {
		x := &m.pool.selectors[a]
		for _, b := range q.selectors {
			if y := &m.pool.selectors[b]; x.weight == y.weight && !selector.Disjoint(x.of, y.of) {
				return true
			}
		}
	}
	return false
}
