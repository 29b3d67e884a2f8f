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
func Of(s ast.Selector) Specificity {
	var sum Specificity
	for i := range s {
		sum = sum.Plus(ofSimple(&s[i]))
	}
	return sum
}

// ofSimple returns the specificity of a simple selector.
func ofSimple(s *ast.Simple) Specificity {
	switch s.Kind {
	case ast.IDSelector:
		return Specificity{IDs: 1}
	case ast.ClassSelector, ast.AttributeSelector:
		return Specificity{Classes: 1}
	case ast.TypeSelector:
		return Specificity{Types: 1}
	case ast.PseudoElement:
		sum := Specificity{Types: 1}
		if s.Args != nil {
			sum = sum.Plus(Max(s.Args.Selectors))
		}
		return sum
	case ast.PseudoClass:
		return ofPseudoClass(s)
	}
	return Specificity{}
}

// ofPseudoClass returns the specificity of a pseudo-class.
func ofPseudoClass(s *ast.Simple) Specificity {
	if s.Args == nil {
		return Specificity{Classes: 1}
	}
	switch name := token.Lower(s.Name); {
	case name == "where":
		return Specificity{}
	case name == "not", name == "has", known.MatchesAny(name):
		return Max(s.Args.Selectors)
	}
	// :nth-child(… of S), :host(S) and similar count themselves as well.
	return Specificity{Classes: 1}.Plus(Max(s.Args.Selectors))
}

// Max returns the highest specificity in a list, which is the specificity of
// the list as an argument.
func Max(list []ast.Selector) Specificity {
	var heaviest Specificity
	for _, s := range list {
		if w := Of(s); heaviest.Less(w) {
			heaviest = w
		}
	}
	return heaviest
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
