package minify

import (
	"slices"

	"rinzel/internal/css/ast"
)

// This file minifies the declarations of a rule: it removes those that always
// lose, writes longhands as shorthands, and orders them.

// declarations minifies the nodes of a style rule.
func (m *minifier) declarations(nodes []ast.Node) []ast.Node {
	m.last = nil
	if m.hasFrozen(nodes) {
		return nodes
	}
	n := 0
	for n < len(nodes) && isDeclaration(nodes[n]) {
		n++
	}
	if n < 2 {
		return nodes
	}
	start := len(m.claims)
	for _, d := range nodes[:n] {
		m.claims = append(m.claims, m.claimOf(d.(*ast.Declaration)))
	}
	list := m.fewest(m.claims[start:len(m.claims):len(m.claims)])
	if n == len(nodes) {
		m.last = list
	}
	if len(list) == n && isUnchanged(list, nodes) {
		return nodes
	}
	out := make([]ast.Node, 0, len(list)+len(nodes)-n)
	for i := range list {
		out = append(out, list[i].of)
	}
	return append(out, nodes[n:]...)
}

// fewest returns declarations without those that always lose, and with
// shorthands.
func (m *minifier) fewest(list []claim) []claim { return m.combine(m.withoutLosers(list)) }

// isUnchanged reports whether declarations are the same as the first nodes.
func isUnchanged(list []claim, nodes []ast.Node) bool {
	for i := range list {
		if ast.Node(list[i].of) != nodes[i] {
			return false
		}
	}
	return true
}

// isDeclaration reports whether a node is a declaration.
func isDeclaration(n ast.Node) bool { _, ok := n.(*ast.Declaration); return ok }

// hasFrozen reports whether a declaration of the block must stay as it is.
func (m *minifier) hasFrozen(nodes []ast.Node) bool {
	return len(m.frozen) > 0 && slices.ContainsFunc(nodes, m.isFrozen)
}

// maxCompared limits the number of declarations of a rule that are compared with
// each other.
const maxCompared = 300

// withoutLosers returns declarations without those that another one of the rule
// overrides in every browser.
func (m *minifier) withoutLosers(list []claim) []claim {
	if m.effort += len(list); len(list) > maxCompared || m.effort > m.maxEffort {
		return list
	}
	out := make([]claim, 0, len(list))
	for i := len(list) - 1; i >= 0; i-- {
		c := list[i]
		if !slices.ContainsFunc(out, func(later claim) bool { return m.overrides(later, c) }) {
			out = append(out, c)
		}
	}
	slices.Reverse(out)
	return slices.DeleteFunc(out, func(c claim) bool { // an important one wins whatever follows
		return !c.of.Important && slices.ContainsFunc(out, func(o claim) bool {
			return o.of.Important && m.overrides(o, c)
		})
	})
}

// overrides reports whether a declaration wins over an earlier one, or over one
// that is less important, in every browser, for all that the other one sets.
func (m *minifier) overrides(c, o claim) bool {
	if !c.of.Important && o.of.Important || !c.property.Covers(o.property) {
		return false
	}
	m.effort += 100 // it takes longer than other comparisons
	return m.accept.Supersedes(c.of, o.of)
}
