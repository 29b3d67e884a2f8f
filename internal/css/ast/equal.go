package ast

import (
	"fmt"
	"slices"

	"rinzel/internal/css/token"
)

// Equal reports whether two lists of nodes are the same style sheet, apart from
// positions, and apart from comments if comments is false.
func Equal(a, b []Node, comments bool) bool {
	if !comments {
		a, b = withoutComments(a), withoutComments(b)
	}
	return slices.EqualFunc(a, b, func(a, b Node) bool { return equalNode(a, b, comments) })
}

// withoutComments returns nodes without comments.
func withoutComments(nodes []Node) []Node {
	return slices.DeleteFunc(slices.Clone(nodes), func(n Node) bool { _, ok := n.(*Comment); return ok })
}

// equalNode is Equal for two nodes.
func equalNode(a, b Node, comments bool) bool {
	switch a := a.(type) {
	case *StyleRule:
		b, ok := b.(*StyleRule)
		return ok && EqualSelectors(a.Selectors, b.Selectors) && Equal(a.Nodes, b.Nodes, comments)
	case *QualifiedRule:
		b, ok := b.(*QualifiedRule)
		return ok && equalValues(a.Prelude, b.Prelude, comments) && Equal(a.Nodes, b.Nodes, comments)
	case *AtRule:
		b, ok := b.(*AtRule)
		return ok && token.Same(a.Name, b.Name) && equalValues(a.Prelude, b.Prelude, comments) &&
			(a.Block == nil) == (b.Block == nil) && Equal(Body(a), Body(b), comments)
	case *Declaration:
		b, ok := b.(*Declaration)
		return ok && token.Same(a.Name, b.Name) && a.Important == b.Important &&
			equalValues(a.Value, b.Value, comments || a.IsCustom())
	case *InterpolatedDeclaration:
		b, ok := b.(*InterpolatedDeclaration)
		return ok && equalValues(a.Name, b.Name, comments) && a.Important == b.Important &&
			equalValues(a.Value, b.Value, comments || a.IsCustom())
	case *Comment:
		b, ok := b.(*Comment)
		return ok && a.Text == b.Text
	case *BadRule:
		b, ok := b.(*BadRule)
		return ok && a.Text == b.Text
	case *BadDeclaration:
		b, ok := b.(*BadDeclaration)
		return ok && a.Text == b.Text
	}
	panic(fmt.Sprintf("ast: unknown node %T", a))
}

// EqualValues reports whether two lists of values are equal, apart from
// positions.
func EqualValues(a, b []Value) bool { return equalValues(a, b, true) }

// equalValues is EqualValues; without spaces, white space is ignored.
func equalValues(a, b []Value, comments bool) bool {
	if !comments {
		isComment := func(v Value) bool { return v.Kind == token.Comment }
		a, b = slices.DeleteFunc(slices.Clone(a), isComment), slices.DeleteFunc(slices.Clone(b), isComment)
	}
	return slices.EqualFunc(a, b, func(a, b Value) bool {
		return a.Kind == b.Kind && token.Same(a.Text, b.Text) && a.Space == b.Space &&
			(a.Inner == nil) == (b.Inner == nil) && equalValues(a.Values(), b.Values(), comments)
	})
}

// EqualSelectors reports whether two selector lists are equal, apart from
// positions.
func EqualSelectors(a, b []Selector) bool {
	return slices.EqualFunc(a, b, func(a, b Selector) bool { return slices.EqualFunc(a, b, equalSimple) })
}

// equalSimple is EqualSelectors for two simple selectors.
func equalSimple(a, b Simple) bool {
	if a.Kind != b.Kind || !token.Same(a.Name, b.Name) || (a.Args == nil) != (b.Args == nil) {
		return false
	}
	if a.Args == nil {
		return true
	}
	x, y := a.Args, b.Args
	return EqualSelectors(x.Selectors, y.Selectors) && equalValues(x.Values, y.Values, false) &&
		x.Matcher == y.Matcher && token.Same(x.Value.Text, y.Value.Text) && token.Same(x.Modifier, y.Modifier) &&
		x.SingleColon == y.SingleColon
}
