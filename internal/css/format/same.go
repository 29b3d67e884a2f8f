package format

import (
	"slices"
	"strings"

	"rinzel/internal/css/ast"
	"rinzel/internal/css/scan"
	"rinzel/internal/css/token"
)

// This file checks that a formatted sheet means the same.

// isBroken reports whether a part of a sheet could not be parsed, or has a backslash that
// escapes nothing: it would escape what is written after it.
func isBroken(nodes []ast.Node, src string) bool {
	broken := false
	ast.Walk(nodes, func(n ast.Node) bool {
		switch n := n.(type) {
		case *ast.BadRule, *ast.BadDeclaration:
			broken = true
		case *ast.StyleRule:
			isEmpty := func(s ast.Selector) bool { return !s.Pos().IsValid() }
			broken = broken || len(n.Selectors) == 0 || slices.ContainsFunc(n.Selectors, isEmpty)
		}
		return !broken
	})
	if strings.IndexByte(src, '\\') < 0 {
		return broken
	}
	s := scan.New(src)
	for t := s.Next(); t.Kind != token.EOF && !broken; t = s.Next() {
		broken = t.Kind == token.Delim && t.Text(src) == `\`
	}
	return broken
}

// sameTokens reports whether two texts have the same tokens, apart from white space,
// semicolons, and marks that hide sheets from old browsers.
func sameTokens(a, b string) bool {
	x, y := scan.New(a), scan.New(b)
	next := func(s *scan.Scanner, src string) (token.Kind, string) {
		for {
			t := s.Next()
			switch t.Kind {
			case token.Whitespace, token.Semicolon, token.CDO, token.CDC:
			case token.Comment:
				return t.Kind, strings.Join(strings.Fields(t.Text(src)), " ")
			default:
				return t.Kind, t.Text(src)
			}
		}
	}
	for {
		kind, text := next(&x, a)
		if other, same := next(&y, b); kind != other || !token.Same(text, same) {
			return false
		}
		if kind == token.EOF {
			return true
		}
	}
}

// sameNodes reports whether two lists of nodes are the same, apart from white space that
// means nothing.
func sameNodes(a, b []ast.Node) bool { return slices.EqualFunc(a, b, sameNode) }

// sameNode is sameNodes for one node.
func sameNode(a, b ast.Node) bool {
	if !sameNodes(ast.Body(a), ast.Body(b)) {
		return false
	}
	switch a := a.(type) {
	case *ast.StyleRule:
		b, ok := b.(*ast.StyleRule)
		return ok && ast.EqualSelectors(a.Selectors, b.Selectors)
	case *ast.QualifiedRule:
		b, ok := b.(*ast.QualifiedRule)
		return ok && sameValues(a.Prelude, b.Prelude, prelude)
	case *ast.AtRule:
		b, ok := b.(*ast.AtRule)
		return ok && token.Same(a.Name, b.Name) && (a.Block == nil) == (b.Block == nil) &&
			sameValues(a.Prelude, b.Prelude, kindOf(a))
	case *ast.Declaration:
		b, ok := b.(*ast.Declaration)
		return ok && token.Same(a.Name, b.Name) && a.Important == b.Important && sameValues(a.Value, b.Value, plain)
	case *ast.InterpolatedDeclaration:
		b, ok := b.(*ast.InterpolatedDeclaration)
		return ok && a.Important == b.Important && sameValues(a.Name, b.Name, prelude) && sameValues(a.Value, b.Value, plain)
	case *ast.Comment:
		_, ok := b.(*ast.Comment)
		return ok // sameTokens has compared the texts
	}
	return false
}

// sameValues reports whether two lists of values are the same, apart from white space that
// the kind of text allows.
func sameValues(a, b []ast.Value, k kind) bool {
	if len(a) != len(b) {
		return false
	}
	free := true // white space before the next value means nothing
	for i := range a {
		x, y := &a[i], &b[i]
		free = free || isFree(x, k)
		if x.Kind != y.Kind || x.Kind != token.Comment && !token.Same(x.Text, y.Text) || x.Space != y.Space && !free ||
			(x.Inner == nil) != (y.Inner == nil) || !sameValues(x.Values(), y.Values(), k) {
			return false
		}
		free = isFree(x, k) || k != prelude && (x.Inner != nil || x.Kind == token.String || x.Kind == token.URL)
	}
	return true
}

// isFree reports whether white space around a value means nothing.
func isFree(v *ast.Value, k kind) bool {
	switch {
	case v.Kind == token.Comma || v.Kind == token.Comment:
		return true
	case v.Kind == token.Colon:
		return k == condition || k == parameters || k == assignment
	}
	return k == condition && isComparison(v.Kind, v.Text)
}
