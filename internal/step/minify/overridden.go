package minify

import (
	"slices"

	"rinzel/internal/css/ast"
	"rinzel/internal/css/print"
	"rinzel/internal/css/token"
)

// This file removes what later rules of a block override.

// dropOverridden removes the declarations that later rules with the same
// selectors override. It reports whether there were any.
func (m *minifier) dropOverridden(items *[]*item) bool {
	later := m.repeated(*items)
	if len(later) == 0 {
		return false
	}
	changed := false
	for i := len(*items) - 1; i >= 0; i-- {
		it := (*items)[i]
		if !m.isSplittable(it) || m.effort > m.maxEffort {
			continue
		}
		p := &it.parts[0]
		if !slices.ContainsFunc(p.selectors, func(id selectorID) bool { _, ok := later[id]; return ok }) {
			continue
		}
		overridden := func(c claim) bool {
			return !slices.ContainsFunc(p.selectors, func(id selectorID) bool {
				return !slices.ContainsFunc(later[id], func(o claim) bool { return m.overrides(o, c) })
			})
		}
		kept := p.claims
		if slices.ContainsFunc(kept, overridden) {
			kept = m.fewest(slices.DeleteFunc(slices.Clone(kept), overridden))
			(*items)[i] = m.newRule(it.rule, it.rule.Selectors, p.selectors, kept)
			changed = true
		}
		for _, id := range p.selectors {
			if list, ok := later[id]; ok && len(list)+len(kept) <= maxCompared {
				later[id] = append(list, kept...)
			}
		}
	}
	*items = slices.DeleteFunc(*items, func(it *item) bool { return it == nil })
	return changed
}

// isSplittable reports whether an item is a rule that means the same as one rule
// for each of its selectors.
func (m *minifier) isSplittable(it *item) bool {
	return it.isMergeable() && (len(it.parts[0].selectors) == 1 || m.listable(&it.parts[0], &it.parts[0]))
}

// repeated returns the selectors that two rules have in common, with an empty
// list for each.
func (m *minifier) repeated(items []*item) map[selectorID][]claim {
	m.blocks++
	m.seenIn = slices.Grow(m.seenIn, len(m.pool.selectors)-len(m.seenIn))[:len(m.pool.selectors)]
	out := make(map[selectorID][]claim)
	for _, it := range items {
		if !it.isMergeable() {
			continue
		}
		for _, id := range it.parts[0].selectors {
			if m.seenIn[id] == m.blocks {
				out[id] = nil
			}
			m.seenIn[id] = m.blocks
		}
	}
	return out
}

// definitions are the at-rules of which only the last of equal ones has an
// effect.
var definitions = words("keyframes -webkit-keyframes font-face property counter-style")

// dropRepeated removes definitions that are repeated later in the sheet.
func (m *minifier) dropRepeated(nodes []ast.Node) []ast.Node {
	count := 0
	for _, n := range nodes {
		if isDefinition(n) {
			count++
		}
	}
	if count < 2 {
		return nodes
	}
	seen := make(map[string]bool, count)
	out := make([]ast.Node, 0, len(nodes))
	for _, n := range slices.Backward(nodes) {
		if isDefinition(n) && !m.frozenInside(n) {
			m.buf = print.Append(m.buf[:0], []ast.Node{n}, print.Options{Compact: true})
			if seen[string(m.buf)] {
				continue
			}
			seen[string(m.buf)] = true
		}
		out = append(out, n)
	}
	if len(out) == len(nodes) {
		return nodes
	}
	slices.Reverse(out)
	return out
}

// isDefinition reports whether a node defines something by name.
func isDefinition(n ast.Node) bool {
	r, ok := n.(*ast.AtRule)
	return ok && r.Block != nil && definitions[token.Lower(r.Name)]
}
