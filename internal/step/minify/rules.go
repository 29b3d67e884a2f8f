package minify

import (
	"slices"

	"rinzel/internal/css/ast"
	"rinzel/internal/css/known"
	"rinzel/internal/css/print"
	"rinzel/internal/css/token"
)

// This file merges the rules of a block.

// mergeRules merges style rules with equal selectors, or with equal
// declarations. It reports whether there were any.
func (m *minifier) mergeRules(items *[]*item) bool {
	changed := false
	for range maxPasses {
		m.effort += len(*items)
		g := merging{minifier: m, items: make([]*item, 0, len(*items)), byNames: make(map[string]int, len(*items)),
			byText: make(map[string]int, len(*items))}
		for _, it := range *items {
			g.add(it)
		}
		if !g.changed {
			break
		}
		changed = true
		*items = slices.DeleteFunc(g.items, func(it *item) bool { return it == nil })
	}
	return changed
}

// items returns the items of nodes.
func (m *minifier) items(nodes []ast.Node) []*item {
	list := make([]item, len(nodes))
	out := make([]*item, len(nodes))
	for i, n := range nodes {
		m.fill(&list[i], n)
		out[i] = &list[i]
	}
	return out
}

// merging is the state of one pass over a block.
type merging struct {
	*minifier
	items   []*item        // nil for those that were merged into a later one
	byNames map[string]int // index of the last rule with a selector list
	byText  map[string]int // index of the last rule with a block
	changed bool
}

// maxDistance limits the number of rules between two that are merged, which
// keeps the time linear.
const maxDistance = 2000

// add adds an item, merged with an earlier one if possible.
func (g *merging) add(it *item) {
	if it.rule == nil || it.fixed {
		g.items = append(g.items, it)
		return
	}
	if it.names == "" {
		it.names, it.text = g.text(it.rule)
	}
	if i, ok := g.byNames[it.names]; ok && g.join(i, it, sameNames) {
		return
	}
	if i, ok := g.byText[it.text]; ok && g.join(i, it, sameBody) {
		return
	}
	g.append(it)
}

// append adds an item at the end.
func (g *merging) append(it *item) {
	g.byNames[it.names], g.byText[it.text] = len(g.items), len(g.items)
	g.items = append(g.items, it)
}

// text returns the selectors and the declarations of a rule as text.
func (m *minifier) text(r *ast.StyleRule) (names, body string) {
	m.buf = print.AppendSelectors(m.buf[:0], r.Selectors)
	names = string(m.buf)
	m.buf = print.Append(m.buf[:0], r.Nodes, print.Options{Compact: true})
	return names, string(m.buf)
}

// likeness is what two rules have in common.
type likeness uint8

// The kinds of likeness.
const (
	sameNames likeness = iota
	sameBody
)

// join merges an item with the earlier one at i, if either can move to the
// other.
func (g *merging) join(i int, it *item, like likeness) bool {
	earlier := g.items[i]
	switch {
	case earlier == nil || len(g.items)-i > maxDistance || g.effort > g.maxEffort:
		return false
	case len(earlier.rule.Nodes)+len(it.rule.Nodes) > maxCompared ||
		len(earlier.rule.Selectors)+len(it.rule.Selectors) > maxCompared:
		return false
	case like == sameNames && earlier.names != it.names: // it was merged with others since
		return false
	case like == sameBody && (earlier.text != it.text || !g.listable(earlier.rule, it.rule)):
		return false
	}
	free := func(moving *item) bool {
		return !slices.ContainsFunc(g.items[i+1:], func(o *item) bool { return o != nil && g.conflicts(moving, o) })
	}
	switch {
	case free(it):
		g.items[i] = g.joined(earlier, it, like)
		g.byNames[g.items[i].names], g.byText[g.items[i].text] = i, i
	case free(earlier):
		g.items[i] = nil
		g.append(g.joined(earlier, it, like))
	default:
		return false
	}
	g.changed = true
	return true
}

// joined returns two items as one.
func (g *merging) joined(a, b *item, like likeness) *item {
	g.effort += 10 * (len(a.rule.Nodes) + len(a.rule.Selectors)) // they are printed again
	r := *a.rule
	if like == sameNames {
		r.Nodes = g.declarations(slices.Concat(a.rule.Nodes, b.rule.Nodes))
	} else {
		r.Selectors = withoutDoubles(slices.Concat(a.rule.Selectors, b.rule.Selectors))
	}
	it := new(item)
	g.fill(it, &r)
	it.names, it.text = g.text(&r)
	return it
}

// listable reports whether the selectors of two rules can be in one list: a
// browser drops a list with a selector that it does not know.
func (m *minifier) listable(a, b *ast.StyleRule) bool {
	unknown := func(s ast.Selector) bool { return !m.accept.Selector(s) }
	return !slices.ContainsFunc(a.Selectors, unknown) && !slices.ContainsFunc(b.Selectors, unknown)
}

// joinBlocks joins conditional blocks with equal conditions. It reports whether
// there were any.
func (m *minifier) joinBlocks(items *[]*item) bool {
	count := make(map[string]int)
	repeated := false
	for _, it := range *items {
		if key := it.blockKey(); key != "" {
			count[key]++
			repeated = repeated || count[key] > 1
		}
	}
	if !repeated {
		return false
	}
	g := merging{minifier: m, items: make([]*item, 0, len(*items)), byNames: make(map[string]int)}
	for _, it := range *items {
		if key := it.blockKey(); key != "" && count[key] > 1 {
			if at, ok := g.byNames[key]; ok && g.joinBlock(at, it) {
				continue
			}
			g.byNames[key] = len(g.items)
		}
		g.items = append(g.items, it)
	}
	if !g.changed {
		return false
	}
	*items = slices.DeleteFunc(g.items, func(it *item) bool { return it == nil })
	for _, it := range *items {
		m.finishBlock(it)
	}
	return true
}

// finishBlock merges the rules of a block that was joined with others.
func (m *minifier) finishBlock(it *item) {
	if it.nodes != nil {
		n := ast.WithBody(it.node, m.mergeAll(it.nodes))
		*it = item{}
		m.fill(it, n)
	}
}

// joinBlock joins a block with the earlier one at i, if either can move to the
// other.
func (g *merging) joinBlock(i int, it *item) bool {
	earlier := g.items[i]
	if earlier == nil || len(g.items)-i > maxDistance {
		return false
	}
	free := func(moving *item) bool {
		return !slices.ContainsFunc(g.items[i+1:], func(o *item) bool { return o != nil && g.conflicts(moving, o) })
	}
	up := false
	if it.layer != "" {
		up = !slices.ContainsFunc(g.items[i+1:], func(o *item) bool { return o != nil && !it.passes(o) })
		if !up {
			return false // an earlier layer must keep its place in the order of layers
		}
	} else if up = free(it); !up && !free(earlier) {
		return false
	}
	joined := &item{node: earlier.node, names: it.names, layer: it.layer, fixed: it.fixed, parts: slices.Concat(earlier.parts, it.parts),
		kinds: earlier.kinds | it.kinds, nodes: append(earlier.body(), it.body()...)}
	if up {
		g.items[i] = joined
	} else {
		g.items[i] = nil
		g.byNames[it.blockKey()] = len(g.items)
		g.items = append(g.items, joined)
	}
	g.changed = true
	return true
}

// blockKey returns a text that is the same for blocks that can be joined; empty
// for what is no such block.
func (it *item) blockKey() string {
	switch r, ok := it.node.(*ast.AtRule); {
	case !ok || it.fixed && it.layer == "":
		return ""
	case it.names == "":
		it.names = token.Lower(r.Name) + " " + print.CompactValues(r.Prelude)
	}
	return it.names
}

// passes reports whether the rules of a layer can move past an item: past rules
// that are in no layer, or in another one, and what is no rule.
func (it *item) passes(o *item) bool {
	if !onlyRules(it.body()) {
		return false
	}
	switch n := o.node.(type) {
	case *ast.StyleRule:
		return isPlain(n)
	case *ast.AtRule:
		if o.layer != "" {
			return o.layer != it.layer && onlyRules(o.body())
		}
		return !known.HoldsStyleRules(token.Lower(n.Name))
	}
	return true
}

// onlyRules reports whether a block has rules without others inside only.
func onlyRules(nodes []ast.Node) bool {
	return !slices.ContainsFunc(nodes, func(n ast.Node) bool {
		r, ok := n.(*ast.StyleRule)
		return !ok || !isPlain(r)
	})
}

// frozenInside reports whether something in a node must stay as it is.
func (m *minifier) frozenInside(n ast.Node) bool {
	return len(m.frozen) > 0 && (m.isFrozen(n) || slices.ContainsFunc(ast.Body(n), m.frozenInside))
}
