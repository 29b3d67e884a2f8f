package ast

import (
	"rinzel/internal/css/token"
	"rinzel/internal/source"
)

// Selector is a complex selector: simple selectors in order, with the
// combinators between its compounds among them. A relative selector starts
// with a combinator. One that could not be read is a single simple selector
// of the kind [BadSelector].
type Selector []Simple

// Simple is a simple selector or a combinator.
type Simple struct {
	// Name is the name as written: of a class without its dot, of an ID
	// without '#', of a pseudo-class or -element without its colons, of a type
	// selector with its namespace prefix. Of a combinator it is the symbol.
	Name string
	Args *Args // of an attribute selector or functional pseudo; else nil
	Pos  source.Pos
	Kind SimpleKind
}

// SimpleKind tells the simple selectors apart.
type SimpleKind uint8

// The kinds of simple selectors (Selectors Level 4, section 3.1).
const (
	TypeSelector SimpleKind = iota + 1
	UniversalSelector
	ClassSelector
	IDSelector
	AttributeSelector
	PseudoClass
	PseudoElement // written with one colon or two; Name is without them
	NestingSelector
	Combinator  // " ", ">", "+", "~" or "||"
	BadSelector // Args.Values holds what stood there
)

// Args is what stands in the brackets of a simple selector.
type Args struct {
	// Selectors are the arguments of :is(), :not(), :has() and their like,
	// and what follows "of" in :nth-child().
	Selectors []Selector
	// Values are the arguments of any other pseudo, such as An+B.
	Values []Value
	// Matcher, Value and Modifier belong to an attribute selector:
	// [name ~= value i]. Matcher is empty if only the presence is asked for.
	Matcher  string
	Value    Value
	Modifier string
	// SingleColon marks a pseudo-element in the old form: :before.
	SingleColon bool
}

// legacyElements are the pseudo-elements that may be written with one colon
// (Selectors Level 4, section 3.6.4).
var legacyElements = []string{"before", "after", "first-line", "first-letter"}

// IsLegacyElement reports whether :name, with one colon, is a pseudo-element.
func IsLegacyElement(name string) bool {
	for _, legacy := range legacyElements {
		if token.EqualFold(name, legacy) {
			return true
		}
	}
	return false
}

// Pos returns where the selector starts, or NoPos for an empty one.
func (s Selector) Pos() source.Pos {
	if len(s) == 0 {
		return source.NoPos
	}
	return s[0].Pos
}

// IsBad reports whether the selector, or one it must hold as an argument,
// could not be read. A browser drops every rule whose list has a bad selector;
// only :is() and :where() forgive one.
func (s Selector) IsBad() bool {
	for i := range s {
		part := &s[i]
		if part.Kind == BadSelector {
			return true
		}
		if part.Args == nil || part.Kind == PseudoClass && Forgiving(part.Name) {
			continue
		}
		for _, arg := range part.Args.Selectors {
			if arg.IsBad() {
				return true
			}
		}
	}
	return false
}

// Forgiving reports whether a pseudo-class ignores those of its arguments
// that cannot be read (Selectors Level 4, section 18.1).
func Forgiving(name string) bool {
	return token.EqualFold(name, "is") || token.EqualFold(name, "where")
}
