// Package selector computes properties of selectors according to Selectors
// Level 4, such as their specificity, and matches patterns against them.
package selector

import (
	"rinzel/internal/css/ast"
	"rinzel/internal/css/known"
	"rinzel/internal/css/token"
)

// Specificity is the weight of a selector in the cascade (section 17): the
// number of ID selectors; of classes, attributes and pseudo-classes; of types
// and pseudo-elements.
type Specificity struct{ IDs, Classes, Types int }

// Less reports whether s is less specific than o.
func (s Specificity) Less(o Specificity) bool {
	switch {
	case s.IDs != o.IDs:
		return s.IDs < o.IDs
	case s.Classes != o.Classes:
		return s.Classes < o.Classes
	}
	return s.Types < o.Types
}

// Plus returns the sum of s and o.
func (s Specificity) Plus(o Specificity) Specificity {
	return Specificity{s.IDs + o.IDs, s.Classes + o.Classes, s.Types + o.Types}
}

// Of returns the specificity of a complex selector. The nesting selector counts
// as zero; replace it first if it matters. A bad selector has no weight.
func Of(s ast.Selector) Specificity { return withParent(s, Specificity{}) }

// Nested returns the specificity of a selector of a nested rule. parent is that of the
// selectors around it: it counts for each nesting selector, or once if there is none, which
// means one at the start (CSS Nesting, sections 3.1 and 3.3).
func Nested(s ast.Selector, parent Specificity) Specificity {
	w := withParent(s, parent)
	if !Contains(s, ast.NestingSelector) {
		w = w.Plus(parent)
	}
	return w
}

// withParent is Of with a specificity for nesting selectors.
func withParent(s ast.Selector, parent Specificity) Specificity {
	var sum Specificity
	for i := range s {
		sum = sum.Plus(ofSimple(&s[i], parent))
	}
	return sum
}

// ofSimple returns the specificity of a simple selector.
func ofSimple(s *ast.Simple, parent Specificity) Specificity {
	switch s.Kind {
	case ast.NestingSelector:
		return parent
	case ast.IDSelector:
		return Specificity{IDs: 1}
	case ast.ClassSelector, ast.AttributeSelector:
		return Specificity{Classes: 1}
	case ast.TypeSelector:
		return Specificity{Types: 1}
	case ast.PseudoElement:
		sum := Specificity{Types: 1}
		if s.Args != nil {
			sum = sum.Plus(heaviest(s.Args.Selectors, parent))
		}
		return sum
	case ast.PseudoClass:
		return ofPseudoClass(s, parent)
	}
	return Specificity{}
}

// ofPseudoClass returns the specificity of a pseudo-class.
func ofPseudoClass(s *ast.Simple, parent Specificity) Specificity {
	if s.Args == nil {
		return Specificity{Classes: 1}
	}
	switch name := token.Lower(s.Name); {
	case name == "where":
		return Specificity{}
	case name == "not", name == "has", known.MatchesAny(name):
		return heaviest(s.Args.Selectors, parent)
	}
	// :nth-child(… of S), :host(S) and similar count themselves as well.
	return Specificity{Classes: 1}.Plus(heaviest(s.Args.Selectors, parent))
}

// Max returns the highest specificity in a list, which is the specificity of
// the list as an argument.
func Max(list []ast.Selector) Specificity { return heaviest(list, Specificity{}) }

// heaviest is Max with a specificity for nesting selectors.
func heaviest(list []ast.Selector, parent Specificity) Specificity {
	var most Specificity
	for _, s := range list {
		if w := withParent(s, parent); most.Less(w) {
			most = w
		}
	}
	return most
}

// Contains reports whether s, including its arguments, contains a simple
// selector of a kind.
func Contains(s ast.Selector, kind ast.SimpleKind) bool {
	for i := range s {
		if s[i].Kind == kind {
			return true
		}
		if s[i].Args == nil {
			continue
		}
		for _, arg := range s[i].Args.Selectors {
			if Contains(arg, kind) {
				return true
			}
		}
	}
	return false
}
