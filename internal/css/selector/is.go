package selector

import (
	"slices"
	"strings"

	"rinzel/internal/css/ast"
	"rinzel/internal/css/token"
)

// WithoutIs returns selectors that match the same elements with the same
// specificity as s and do not have :is(), up to most of them. It returns s alone
// if that is not possible, if there are more, or if s is very long. Only arguments that are single
// compounds, and have the same specificity, can be written without it (Selectors
// 4, sections 4.2 and 17). All browsers must know s.
func WithoutIs(s ast.Selector, most int) []ast.Selector {
	list := []ast.Selector{s}
	if len(s) > maxParts {
		return list
	}
	for i := 0; i < len(list); {
		at := slices.IndexFunc(list[i], isList)
		if at < 0 || !Alternatives(list[i], at, list[i][at].Args.Selectors) {
			i++
			continue
		}
		if len(list)+len(list[i][at].Args.Selectors)-1 > most {
			return []ast.Selector{s}
		}
		var parts []ast.Selector
		for _, a := range list[i][at].Args.Selectors {
			parts = append(parts, slices.Concat(list[i][:at], a, list[i][at+1:]))
		}
		list = slices.Replace(list, i, i+1, parts...)
	}
	return list
}

// maxParts limits the number of simple selectors of one that is written without
// :is().
const maxParts = 50

// isList reports whether a simple selector is :is().
func isList(p ast.Simple) bool {
	return p.Kind == ast.PseudoClass && p.Args != nil && token.EqualFold(p.Name, "is")
}

// Alternatives reports whether s, with :is() and some arguments in place of what
// it has at an index, means the same as one selector for each argument.
func Alternatives(s ast.Selector, at int, arguments []ast.Selector) bool {
	for i := range s[:at] {
		if s[i].Kind == ast.PseudoElement || s[i].Kind == ast.BadSelector {
			return false
		}
	}
	starts := at == 0 || s[at-1].Kind == ast.Combinator
	only := !restricts(compoundOf(s, at))
	for _, a := range arguments {
		if len(a) == 0 || Of(a) != Of(arguments[0]) || only && !restricts(a) {
			return false
		}
		for k := range a {
			if !IsAlternative(&a[k], starts && k == 0) {
				return false
			}
		}
	}
	return len(arguments) > 0
}

// compoundOf returns the compound around an index, without what is at it.
func compoundOf(s ast.Selector, at int) ast.Selector {
	from, to := at, at+1
	for from > 0 && s[from-1].Kind != ast.Combinator {
		from--
	}
	for to < len(s) && s[to].Kind != ast.Combinator {
		to++
	}
	return slices.Concat(s[from:at], s[at+1:to])
}

// restricts reports whether a part of a compound is more than :hover and :active.
// A compound without such a part matches only links in quirks mode (Selectors 4,
// section 3.7), and :is() would be such a part.
func restricts(compound ast.Selector) bool {
	return slices.ContainsFunc(compound, func(p ast.Simple) bool {
		switch p.Kind {
		case ast.TypeSelector, ast.ClassSelector, ast.IDSelector, ast.AttributeSelector:
			return true
		case ast.PseudoClass:
			return !token.EqualFold(p.Name, "hover") && !token.EqualFold(p.Name, "active")
		}
		return false
	})
}

// IsAlternative reports whether a simple selector can be in an argument of :is()
// without another meaning. first is set if it is the first one of its compound:
// types can only be there.
func IsAlternative(p *ast.Simple, first bool) bool {
	switch p.Kind {
	case ast.ClassSelector, ast.IDSelector, ast.AttributeSelector:
		return true
	case ast.PseudoClass:
		name := token.Lower(p.Name)
		return !strings.HasPrefix(name, "host") && name != "scope" && !strings.HasPrefix(name, "-")
	case ast.TypeSelector:
		return first
	}
	return false
}
