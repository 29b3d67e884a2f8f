package ast

import (
	"rinzel/internal/css/token"
	"rinzel/internal/source"
)

// Selector is a complex selector: simple selectors in order, with combinators
// between the compounds. A relative selector starts with a combinator. An
// invalid selector is a single simple selector of kind [BadSelector].
type Selector []Simple

// Simple is a simple selector or a combinator.
type Simple struct {
	// Name is the name as written: of a class without the dot, of an ID without
	// '#', of a pseudo-class or pseudo-element without colons, of a type
	// selector with its namespace prefix. For a combinator it is the symbol.
	Name string
	Args *Args // of an attribute selector or functional pseudo; otherwise nil
	Pos  source.Pos
	Kind SimpleKind
}

// SimpleKind is the kind of a simple selector.
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
	BadSelector // Args.Values has the invalid source
)

// Args is the contents of the brackets of a simple selector.
type Args struct {
	// Selectors are the arguments of :is(), :not(), :has() and similar, and the
	// selectors after "of" in :nth-child().
	Selectors []Selector
	// Values are the arguments of other pseudos, such as An+B.
	Values []Value
	// Matcher, Value and Modifier are the parts of an attribute selector: [name
	// ~= value i]. Matcher is empty if only the presence is tested.
	Matcher  string
	Value    Value
	Modifier string
	// SingleColon marks a pseudo-element in the legacy form: :before.
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

// Pos returns the start of the selector, or NoPos for an empty one.
func (s Selector) Pos() source.Pos {
	if len(s) == 0 {
		return source.NoPos
	}
	return s[0].Pos
}

// IsBad reports whether the selector, or a non-forgiving argument of it, is
// invalid. Browsers drop a rule with an invalid selector in its list; only
// :is() and :where() forgive one.
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

// Forgiving reports whether a pseudo-class ignores invalid arguments (Selectors
// Level 4, section 18.1).
func Forgiving(name string) bool {
	return token.EqualFold(name, "is") || token.EqualFold(name, "where")
}
