package prefix

import (
	"slices"
	"strings"

	"rinzel/internal/css/ast"
	"rinzel/internal/css/print"
	"rinzel/internal/css/token"
)

// selectors returns the replacement of a rule whose selectors contain a
// pseudo-class or pseudo-element that a target knows by another name: a rule
// for the selectors without one, and for each such pseudo a rule per name and a
// standard one. ok is false if no target needs another name.
func (p *prefixer) selectors(r *ast.StyleRule) (rules []ast.Node, ok bool) {
	if !slices.ContainsFunc(r.Selectors, p.concerns) {
		return nil, false
	}
	groups := make(map[string][]ast.Selector) // by the needed names
	var order []string
	for _, s := range r.Selectors {
		key := strings.Join(p.prefixesOf(s), " ")
		if groups[key] == nil {
			order = append(order, key)
		}
		groups[key] = append(groups[key], s)
	}
	if len(order) == 1 && order[0] == "" {
		return nil, false
	}
	with := func(list []ast.Selector) {
		copied := *r
		copied.Selectors = list
		rules = append(rules, &copied)
	}
	for _, key := range order {
		for _, name := range strings.Fields(key) {
			var list []ast.Selector
			for _, s := range groups[key] {
				if written, ok := p.rename(s, name); ok {
					list = append(list, written)
				}
			}
			if len(list) > 0 && !p.written(list) {
				with(list)
				feature, prefix := p.pseudoNamed(name)
				p.note(Change{Property: name, Feature: feature, Prefix: prefix})
			}
		}
		with(groups[key])
	}
	return rules, true
}

// written reports whether a sibling has these selectors, from the author or an
// earlier run.
func (p *prefixer) written(list []ast.Selector) bool {
	return slices.ContainsFunc(p.siblings, func(n ast.Node) bool {
		r, ok := n.(*ast.StyleRule)
		return ok && len(r.Selectors) == len(list) &&
			slices.EqualFunc(r.Selectors, list, func(a, b ast.Selector) bool { return print.Selector(a) == print.Selector(b) })
	})
}

// neededFor returns the prefixes that targets need for a simple selector.
func (p *prefixer) neededFor(s *ast.Simple) []string {
	if s.Kind != ast.PseudoClass && s.Kind != ast.PseudoElement {
		return nil
	}
	return p.fitting(p.pseudos[token.Lower(s.Name)])
}

// concerns reports whether a selector is needed with another name.
func (p *prefixer) concerns(s ast.Selector) bool {
	for i := range s {
		if p.neededFor(&s[i]) != nil {
			return true
		}
	}
	return false
}

// prefixesOf returns the other names that targets need for a selector, without
// colons.
func (p *prefixer) prefixesOf(s ast.Selector) []string {
	var out []string
	for i := range s {
		for _, prefix := range p.neededFor(&s[i]) {
			out = append(out, pseudoName(prefix, token.Lower(s[i].Name)))
		}
	}
	return out
}

// pseudoNamed returns the feature with a prefixed name, and the prefix.
func (p *prefixer) pseudoNamed(name string) (feature, prefix string) {
	for standard, list := range p.pseudos {
		for _, prefix := range list {
			if pseudoName(prefix, standard) == name {
				return "css.selectors." + standard, prefix
			}
		}
	}
	return "", ""
}

// otherMeaning are the pseudo-classes whose prefixed forms have other arguments
// or another specificity: step lower handles them.
var otherMeaning = map[string]bool{"is": true, "where": true, "not": true, "has": true}

// pseudoName returns the prefixed name of a pseudo-class or pseudo-element,
// without colons.
func pseudoName(prefix, name string) string { return strings.TrimLeft(renamed(prefix, name), ":") }

// rename returns a selector with its pseudo renamed.
func (p *prefixer) rename(s ast.Selector, to string) (ast.Selector, bool) {
	for i := range s {
		for _, prefix := range p.neededFor(&s[i]) {
			if pseudoName(prefix, token.Lower(s[i].Name)) == to {
				out := slices.Clone(s)
				out[i].Name = to
				return out, true
			}
		}
	}
	return nil, false
}
