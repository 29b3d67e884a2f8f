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
	texts, repeated := m.selectorTexts(*items)
	if !repeated {
		return false
	}
	later := make(map[string][]claim) // by selector
	changed := false
	for i := len(*items) - 1; i >= 0; i-- {
		it := (*items)[i]
		if len(texts[i]) == 0 || m.effort > m.maxEffort {
			continue
		}
		kept := slices.DeleteFunc(slices.Clone(it.parts[0].claims), func(c claim) bool {
			return !slices.ContainsFunc(texts[i], func(text string) bool {
				return !slices.ContainsFunc(later[text], func(o claim) bool { return m.overrides(o, c) })
			})
		})
		if len(kept) < len(it.parts[0].claims) {
			changed = true
			(*items)[i] = m.withClaims(it, kept)
		}
		for _, text := range texts[i] {
			if len(later[text])+len(kept) <= maxCompared {
				later[text] = append(later[text], kept...)
			}
		}
	}
	*items = slices.DeleteFunc(*items, func(it *item) bool { return it == nil })
	return changed
}

// selectorTexts returns the selectors of each plain rule as texts; nil for others,
// and for lists that some browser may drop. repeated is set if two rules have
// one in common.
func (m *minifier) selectorTexts(items []*item) (texts [][]string, repeated bool) {
	texts = make([][]string, len(items))
	seen := make(map[string]bool)
	for i, it := range items {
		if it.rule == nil || it.fixed || len(it.rule.Selectors) > 1 && !m.listable(it.rule, it.rule) {
			continue
		}
		for k := range it.rule.Selectors {
			m.buf = print.AppendSelectors(m.buf[:0], it.rule.Selectors[k:k+1])
			text := string(m.buf)
			texts[i] = append(texts[i], text)
			repeated = repeated || seen[text]
			seen[text] = true
		}
	}
	return texts, repeated
}

// withClaims returns the item of a rule with other declarations; nil without
// any.
func (m *minifier) withClaims(it *item, claims []claim) *item {
	if len(claims) == 0 {
		return nil
	}
	m.align(claims)
	r := *it.rule
	r.Nodes = make([]ast.Node, len(claims))
	for i, c := range claims {
		r.Nodes[i] = c.of
	}
	out := new(item)
	m.fill(out, &r)
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
