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
	layer string // name of a layer, of a block with its rules; otherwise empty
	parts []part
	kinds uint64     // of all declarations, see [property.Property.Kinds]
	names string     // text of the selectors, or of the name and prelude of a block
	text  string     // of the declarations
	nodes []ast.Node // of a block that was joined with others, until all are
}

// body returns the nodes of a block.
func (it *item) body() []ast.Node {
	if it.nodes != nil {
		return it.nodes
	}
	return slices.Clip(ast.Body(it.node))
}

// part is a rule that an item consists of or contains.
type part struct {
	selectors []ast.Selector
	weights   []selector.Specificity // of each selector; nil if they were not needed so far
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
	hash     uint64 // of the name and the value; different ones may have the same
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
		m.claim(part{selectors: n.Selectors, anywhere: anywhere}, n.Nodes)
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
			c := m.claimOf(d)
			m.claims = append(m.claims, c)
			p.kinds |= c.kinds
		}
	}
	if p.claims = m.claims[start:len(m.claims):len(m.claims)]; len(p.claims) > 0 {
		m.parts = append(m.parts, p)
	}
}

// claimOf returns the claim of a declaration.
func (m *minifier) claimOf(d *ast.Declaration) claim {
	p := m.property(d.Name)
	return claim{p, d, p.Kinds(), hashDeclaration(d)}
}

// hashOf adds values to an FNV-1a hash.
func hashOf(hash uint64, values []ast.Value) uint64 {
	for i := range values {
		v := &values[i]
		mark := byte(v.Kind) << 1
		if v.Space {
			mark |= 1
		}
		hash = (hash ^ uint64(mark)) * 1099511628211
		for k := 0; k < len(v.Text); k++ {
			hash = (hash ^ uint64(v.Text[k])) * 1099511628211
		}
		if v.Inner != nil {
			hash = hashOf(hash, v.Inner.Values)
		}
	}
	return hash
}

// property returns the property with a name as written.
func (m *minifier) property(name string) *property.Property {
	p := m.properties[name]
	if p == nil {
		p = property.Of(name)
		m.properties[name] = p
	}
	return p
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
			if common := p.kinds & q.kinds; common != 0 && common != onlyAll && m.compete(p, q) && p.meets(q) {
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
	if c.of.Important != o.of.Important || c.of == o.of {
		return false
	}
	if c.property == o.property && c.hash != o.hash {
		return true
	}
	return property.Compete(c.property, o.property) &&
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
	p.weigh()
	q.weigh()
	for i, a := range p.selectors {
		for k, b := range q.selectors {
			if p.weights[i] == q.weights[k] && !selector.Disjoint(a, b) {
				return true
			}
		}
	}
	return false
}

// weigh computes the weights.
func (p *part) weigh() {
	if p.weights == nil {
		for _, s := range p.selectors {
			p.weights = append(p.weights, selector.Of(s))
		}
	}
}
