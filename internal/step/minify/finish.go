package minify

import (
	"slices"
	"strings"

	"rinzel/internal/css/ast"
	"rinzel/internal/css/property"
)

// This file does what comes last: it orders declarations so that the text
// compresses better, and writes selectors with :is().

// finish orders the declarations of all rules, see [minifier.align], and shortens
// their selector lists.
func (m *minifier) finish(nodes []ast.Node) []ast.Node {
	nodes, _ = ast.Map(nodes, func(n ast.Node) ast.Edit {
		body := ast.Body(n)
		if len(body) == 0 {
			return ast.Keep
		}
		with := m.finish(body)
		r, isRule := n.(*ast.StyleRule)
		if !isRule || m.isFrozen(n) || m.hasFrozen(body) {
			if &with[0] == &body[0] {
				return ast.Keep
			}
			return ast.Replace(ast.WithBody(n, with))
		}
		with = m.align(r, with)
		list, factored := m.factored(r.Selectors)
		if &with[0] == &body[0] && !factored {
			return ast.Keep
		}
		copied := *r
		copied.Selectors, copied.Nodes = list, with
		return ast.Replace(&copied)
	})
	return nodes
}

// align returns the nodes of a rule. The declarations at the start have the order
// of the first rule of the sheet that declares the same properties, if their
// order does not matter in either.
func (m *minifier) align(r *ast.StyleRule, nodes []ast.Node) []ast.Node {
	list, ok := m.claimed[r]
	if !ok {
		for _, n := range nodes {
			d, ok := n.(*ast.Declaration)
			if !ok {
				break
			}
			list = append(list, m.claimOf(d))
		}
	}
	if len(list) < 2 || len(list) > maxCompared {
		return nodes
	}
	names := make([]string, len(list))
	for i := range list {
		names[i] = list[i].property.Name
	}
	sorted := slices.Clone(names)
	slices.Sort(sorted)
	key := strings.Join(sorted, ";")
	order, known := m.orders[key]
	switch {
	case !known:
		if anyCompete(list) {
			names = nil
		}
		m.orders[key] = names
	case order != nil && !slices.Equal(order, names):
		out := slices.Clone(nodes)
		slices.SortStableFunc(out[:len(list)], func(a, b ast.Node) int {
			return slices.Index(order, m.nameOf(a)) - slices.Index(order, m.nameOf(b))
		})
		return out
	}
	return nodes
}

// nameOf returns the name of the property of a declaration.
func (m *minifier) nameOf(n ast.Node) string { return m.pool.property(n.(*ast.Declaration).Name).Name }

// anyCompete reports whether two of the declarations compete.
func anyCompete(list []claim) bool {
	for i := range list {
		for k := range i {
			if list[i].kinds&list[k].kinds != onlyAll && property.Compete(list[i].property, list[k].property) {
				return true
			}
		}
	}
	return false
}
