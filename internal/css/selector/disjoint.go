package selector

import (
	"rinzel/internal/css/ast"
	"rinzel/internal/css/token"
)

// Disjoint reports whether no element can match both selectors: they select
// different pseudo-elements, types, IDs, or values of an attribute, or one
// excludes what the other requires. false means unknown.
func Disjoint(a, b ast.Selector) bool {
	x, y := subject(a), subject(b)
	p, q := pseudoElement(x), pseudoElement(y)
	if p != q && (p == "" || q == "" || p != unsure && q != unsure) {
		return true
	}
	for i := range x {
		for k := range y {
			if excludes(&x[i], &y[k]) || negates(&x[i], &y[k]) || negates(&y[k], &x[i]) {
				return true
			}
		}
	}
	return false
}

// subject returns the last compound of a selector.
func subject(s ast.Selector) ast.Selector {
	for i := len(s) - 1; i >= 0; i-- {
		if s[i].Kind == ast.Combinator {
			return s[i+1:]
		}
	}
	return s
}

// unsure is returned by pseudoElement for names with a prefix, which may be other
// names of standard ones.
const unsure = "?"

// pseudoElement returns a text that is the same for selectors that may select
// the same pseudo-element; empty without one.
func pseudoElement(compound ast.Selector) string {
	name := ""
	for i := range compound {
		if p := &compound[i]; p.Kind == ast.PseudoElement {
			name += ":" + token.Lower(p.Name)
			if name[1] == '-' {
				return unsure
			}
		}
	}
	return name
}

// excludes reports whether no element matches both simple selectors.
func excludes(a, b *ast.Simple) bool {
	if a.Kind != b.Kind {
		return false
	}
	switch a.Kind {
	case ast.TypeSelector:
		return plainName(a.Name) && plainName(b.Name) && !token.EqualFold(a.Name, token.Lower(b.Name))
	case ast.IDSelector: // in quirks mode case does not matter
		return plainName(a.Name) && plainName(b.Name) && !token.EqualFold(a.Name, token.Lower(b.Name))
	case ast.AttributeSelector:
		return a.Name == b.Name && a.Args.Matcher == "=" && b.Args.Matcher == "=" &&
			plainName(attributeValue(a)) && plainName(attributeValue(b)) &&
			!token.EqualFold(attributeValue(a), token.Lower(attributeValue(b)))
	}
	return false
}

// negates reports whether a is :not() with b as its only argument.
func negates(a, b *ast.Simple) bool {
	return a.Kind == ast.PseudoClass && a.Args != nil && token.EqualFold(a.Name, "not") &&
		len(a.Args.Selectors) == 1 && len(a.Args.Selectors[0]) == 1 &&
		ast.EqualSelectors([]ast.Selector{a.Args.Selectors[0]}, []ast.Selector{{*b}})
}

// attributeValue returns the value of an attribute selector as written, without
// quotes.
func attributeValue(p *ast.Simple) string {
	v := &p.Args.Value
	if v.Kind == token.String && len(v.Text) > 1 {
		return v.Text[1 : len(v.Text)-1]
	}
	return v.Text
}

// plainName reports whether a name has no escapes and no namespace.
func plainName(name string) bool {
	for i := 0; i < len(name); i++ {
		if !token.IsName(name[i]) || name[i] >= 0x80 {
			return false
		}
	}
	return true
}
