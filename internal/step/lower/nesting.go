package lower

import (
	"fmt"
	"slices"

	"rinzel/internal/css/ast"
	"rinzel/internal/css/known"
	"rinzel/internal/css/selector"
	"rinzel/internal/css/token"
	"rinzel/internal/diag"
	"rinzel/internal/diag/code"
)

// This file expands nested style rules into separate rules (CSS Nesting 1).

// nesting expands the nested rules in nodes.
func (l *lowering) nesting(nodes []ast.Node) []ast.Node {
	nodes, _ = ast.Map(nodes, l.unnest)
	return nodes
}

// unnest returns the replacement of a node outside of style rules.
func (l *lowering) unnest(n ast.Node) ast.Edit {
	if l.exempt[n] {
		return ast.Keep
	}
	r, ok := n.(*ast.StyleRule)
	if !ok {
		if edited, changed := ast.MapBody(n, l.unnest); changed {
			return ast.Replace(edited)
		}
		return ast.Keep
	}
	if !slices.ContainsFunc(r.Nodes, l.nests) {
		return ast.Keep
	}
	var out []ast.Node
	l.flatten(r, r.Selectors, &out)
	return ast.Splice(out)
}

// inOrder expands nested rules with declarations after them: the first browsers
// with nesting applied such declarations before the nested rules.
func (l *lowering) inOrder(nodes []ast.Node) []ast.Node {
	var visit func(n ast.Node) ast.Edit
	visit = func(n ast.Node) ast.Edit {
		if l.exempt[n] {
			return ast.Keep
		}
		r, ok := n.(*ast.StyleRule)
		if !ok {
			if edited, changed := ast.MapBody(n, visit); changed {
				return ast.Replace(edited)
			}
			return ast.Keep
		}
		if !l.declaresAfter(r.Nodes) {
			return ast.Keep
		}
		var out []ast.Node
		l.flatten(r, r.Selectors, &out)
		return ast.Splice(out)
	}
	nodes, _ = ast.Map(nodes, visit)
	return nodes
}

// declaresAfter reports whether a declaration comes after a rule in a block, at
// any depth.
func (l *lowering) declaresAfter(nodes []ast.Node) bool {
	nested := false
	for _, n := range nodes {
		switch n := n.(type) {
		case *ast.Declaration:
			if nested {
				return true
			}
		case *ast.StyleRule:
			nested = true
			if l.declaresAfter(n.Nodes) {
				return true
			}
		case *ast.AtRule:
			if isGroup(token.Lower(n.Name)) && n.Block != nil {
				nested = true
				if l.declaresAfter(n.Block.Nodes) {
					return true
				}
			}
		}
	}
	return false
}

// nests reports whether a node in a style rule needs nesting support.
func (l *lowering) nests(n ast.Node) bool {
	if l.exempt[n] {
		return false
	}
	switch n.(type) {
	case *ast.StyleRule, *ast.AtRule:
		return true
	}
	return false
}

// isGroup reports whether an at-rule may be nested in a style rule and contain
// its declarations and rules. @scope changes the meaning of nested rules.
func isGroup(atRule string) bool { return known.HoldsStyleRules(atRule) && atRule != "scope" }

// flatten appends the contents of the block of rule as separate rules with the
// selectors parents.
func (l *lowering) flatten(rule *ast.StyleRule, parents []ast.Selector, out *[]ast.Node) {
	l.body(rule.Nodes, rule, parents, out)
}

// body appends nodes from the block of rule, or from an at-rule in it.
// Declarations after a nested rule stay after it.
func (l *lowering) body(nodes []ast.Node, rule *ast.StyleRule, parents []ast.Selector, out *[]ast.Node) {
	start := 0
	flush := func(end int) {
		if declares(nodes[start:end]) {
			r := *rule
			r.Selectors, r.Nodes = parents, nodes[start:end:end]
			*out = append(*out, &r)
		} else {
			*out = append(*out, nodes[start:end]...) // comments before a nested rule
		}
	}
	for i, n := range nodes {
		if l.exempt[n] {
			continue // it stays with the surrounding declarations
		}
		switch n := n.(type) {
		case *ast.StyleRule:
			flush(i)
			start = i + 1
			if l.mayWrite(n, parents) {
				l.flatten(n, nest(n.Selectors, parents), out)
			}
		case *ast.AtRule:
			if !isGroup(token.Lower(n.Name)) || n.Block == nil {
				continue // so does this
			}
			flush(i)
			start = i + 1
			var inner []ast.Node
			l.body(n.Block.Nodes, rule, parents, &inner)
			*out = append(*out, ast.WithBody(n, inner))
		}
	}
	flush(len(nodes))
}

// maxSelectors limits the simple selectors that nested rules of a sheet expand
// to.
const maxSelectors = 1_000_000

// mayWrite reports whether a nested rule can be expanded. Nested selector lists
// multiply, so that a short sheet may expand to an enormous one.
func (l *lowering) mayWrite(r *ast.StyleRule, parents []ast.Selector) bool {
	around := sizeOf(parents, maxSelectors)
	for _, s := range r.Selectors {
		uses := max(1, usesOf(s))
		if len(parents) > 0 && l.written <= maxSelectors {
			l.written += len(s) + uses*around
		}
	}
	if l.written <= maxSelectors {
		return true
	}
	if !l.tooMany && l.Report != nil {
		l.Report(diag.Diagnostic{Code: code.TooManySelectors, Severity: diag.Error, Span: r.Span(),
			Message: fmt.Sprintf("the nested rules of this sheet expand to more than %d simple selectors, for targets without nesting", maxSelectors),
			Fix:     "shorten the selector lists around this rule, or target browsers with nesting"})
	}
	l.tooMany = true
	return false
}

// sizeOf counts the simple selectors of a list, including those in arguments;
// it stops counting above limit.
func sizeOf(list []ast.Selector, limit int) int {
	n := 0
	for _, s := range list {
		for i := range s {
			if n++; s[i].Args != nil && n <= limit {
				n += sizeOf(s[i].Args.Selectors, limit-n)
			}
			if n > limit {
				return n
			}
		}
	}
	return n
}

// usesOf counts the nesting selectors in a selector.
func usesOf(s ast.Selector) int {
	n := 0
	for i := range s {
		if s[i].Kind == ast.NestingSelector {
			n++
		}
		if s[i].Args != nil {
			for _, arg := range s[i].Args.Selectors {
				n += usesOf(arg)
			}
		}
	}
	return n
}

// declares reports whether nodes contain anything but comments.
func declares(nodes []ast.Node) bool {
	return slices.ContainsFunc(nodes, func(n ast.Node) bool { _, ok := n.(*ast.Comment); return !ok })
}

// maxProduct limits the selectors that a list of parents expands to; :is() is
// used above it.
const maxProduct = 64

// nest returns the selectors of a rule nested in one with the selectors
// parents. They match the same elements with the same specificity: the nesting
// selector means :is(parents) (CSS Nesting 1, section 3).
func nest(list, parents []ast.Selector) []ast.Selector {
	alike := len(list)*len(parents) <= maxProduct && sameSpecificity(parents) &&
		!slices.ContainsFunc(parents, endsInElement)
	var out []ast.Selector
	for _, s := range list {
		if s.IsBad() {
			out = append(out, s)
			continue
		}
		s = anchored(s)
		if alike && leads(s) {
			for _, p := range parents {
				if joined, ok := join(p, s[1:]); ok {
					out = append(out, joined)
				} else {
					out = append(out, replace(s, []ast.Selector{p}))
				}
			}
			continue
		}
		out = append(out, replace(s, parents))
	}
	return out
}

// anchored returns s with the implied nesting selector.
func anchored(s ast.Selector) ast.Selector {
	relative := s[0].Kind == ast.Combinator
	if !relative && selector.Contains(s, ast.NestingSelector) {
		return s
	}
	lead := []ast.Simple{{Kind: ast.NestingSelector, Name: "&", Pos: s[0].Pos}}
	if !relative {
		lead = append(lead, ast.Simple{Kind: ast.Combinator, Name: " ", Pos: s[0].Pos})
	}
	return append(lead, s...)
}

// leads reports whether the nesting selector is the first part of s and occurs
// only once.
func leads(s ast.Selector) bool {
	return s[0].Kind == ast.NestingSelector && !selector.Contains(s[1:], ast.NestingSelector)
}

// sameSpecificity reports whether all selectors have the same specificity.
func sameSpecificity(list []ast.Selector) bool {
	first := selector.Of(list[0])
	for _, s := range list[1:] {
		if selector.Of(s) != first {
			return false
		}
	}
	return true
}

// endsInElement reports whether s contains a pseudo-element, which the nesting
// selector cannot represent.
func endsInElement(s ast.Selector) bool { return selector.Contains(s, ast.PseudoElement) || s.IsBad() }

// join returns parent followed by rest, the simple selectors after '&'. ok is
// false if both contain a type selector for the same element.
func join(parent ast.Selector, rest []ast.Simple) (s ast.Selector, ok bool) {
	if len(rest) == 0 || !isType(rest[0].Kind) {
		return slices.Concat(parent, rest), true
	}
	last := len(parent)
	for last > 0 && parent[last-1].Kind != ast.Combinator {
		last--
	}
	if isType(parent[last].Kind) {
		return nil, false
	}
	return slices.Concat(parent[:last], rest[:1], parent[last:], rest[1:]), true
}

// isType reports whether k is a type or universal selector.
func isType(k ast.SimpleKind) bool { return k == ast.TypeSelector || k == ast.UniversalSelector }

// replace returns s with each nesting selector replaced: by the only parent if
// that is a compound that fits, otherwise by :is(parents).
func replace(s ast.Selector, parents []ast.Selector) ast.Selector {
	var out ast.Selector
	for start := 0; start < len(s); {
		end := start
		for end < len(s) && s[end].Kind != ast.Combinator {
			end++
		}
		out = append(out, replaceCompound(s[start:end], parents)...)
		if end < len(s) {
			out = append(out, s[end])
		}
		start = end + 1
	}
	return out
}

// replaceCompound is replace for one compound.
func replaceCompound(compound []ast.Simple, parents []ast.Selector) []ast.Simple {
	var types, rest []ast.Simple
	itself := canInsert(compound, parents)
	for _, p := range compound {
		switch {
		case p.Kind == ast.NestingSelector && !itself:
			rest = append(rest, ast.Simple{Kind: ast.PseudoClass, Name: "is", Pos: p.Pos, Args: &ast.Args{Selectors: parents}})
		case p.Kind == ast.NestingSelector:
			for _, q := range parents[0] {
				if isType(q.Kind) {
					types = append(types, q)
				} else {
					rest = append(rest, q)
				}
			}
		case isType(p.Kind):
			types = append(types, p)
		default:
			rest = append(rest, replaceArgs(p, parents))
		}
	}
	return append(types, rest...)
}

// canInsert reports whether the parent itself can replace each '&' in a
// compound: it is a single compound, and the result has at most one type
// selector.
func canInsert(compound []ast.Simple, parents []ast.Selector) bool {
	if len(parents) != 1 || endsInElement(parents[0]) {
		return false
	}
	typed := false
	for _, p := range parents[0] {
		if p.Kind == ast.Combinator {
			return false
		}
		typed = typed || isType(p.Kind)
	}
	nesting, others := 0, false
	for _, p := range compound {
		if p.Kind == ast.NestingSelector {
			nesting++
		}
		others = others || isType(p.Kind)
	}
	return !typed || !others && nesting < 2
}

// replaceArgs replaces nesting selectors in the arguments of a simple selector.
func replaceArgs(p ast.Simple, parents []ast.Selector) ast.Simple {
	if p.Args == nil || !slices.ContainsFunc(p.Args.Selectors, func(s ast.Selector) bool {
		return selector.Contains(s, ast.NestingSelector)
	}) {
		return p
	}
	args := *p.Args
	args.Selectors = make([]ast.Selector, len(p.Args.Selectors))
	for i, s := range p.Args.Selectors {
		args.Selectors[i] = replace(s, parents)
	}
	p.Args = &args
	return p
}
