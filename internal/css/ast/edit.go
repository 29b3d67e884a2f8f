package ast

import (
	"fmt"

	"rinzel/internal/source"
)

// Body returns the nodes in the block of n, or nil if it has no block.
func Body(n Node) []Node {
	switch n := n.(type) {
	case *StyleRule:
		return n.Nodes
	case *QualifiedRule:
		return n.Nodes
	case *AtRule:
		if n.Block != nil {
			return n.Block.Nodes
		}
		return nil
	case *Declaration, *InterpolatedDeclaration, *Comment, *BadRule, *BadDeclaration:
		return nil
	}
	panic(fmt.Sprintf("ast: unknown node %T", n))
}

// WithBody returns a copy of n, which must have a block, with other nodes in
// the block.
func WithBody(n Node, body []Node) Node {
	switch n := n.(type) {
	case *StyleRule:
		c := *n
		c.Nodes = body
		return &c
	case *QualifiedRule:
		c := *n
		c.Nodes = body
		return &c
	case *AtRule:
		c, block := *n, *n.Block
		block.Nodes = body
		c.Block = &block
		return &c
	}
	panic(fmt.Sprintf("ast: %T has no block", n))
}

// WholeSpan returns the span of a node with its block.
func WholeSpan(n Node) source.Span {
	span := n.Span()
	var b *Block
	switch n := n.(type) {
	case *StyleRule:
		b = &n.Block
	case *QualifiedRule:
		b = &n.Block
	case *AtRule:
		b = n.Block
	}
	if b != nil && b.RBrace.IsValid() {
		span.End = b.RBrace.Off + 1
	}
	return span
}

// Walk calls visit for each node in order, parents before children. If visit
// returns false, the children are skipped.
func Walk(nodes []Node, visit func(Node) bool) {
	for _, n := range nodes {
		if visit(n) {
			Walk(Body(n), visit)
		}
	}
}

// Edit describes the replacement of a node. The zero Edit, [Keep], leaves it
// unchanged.
type Edit struct {
	changed bool
	one     Node   // replaces the node, if not nil
	many    []Node // come after one
}

// Changed reports whether the node is replaced or removed.
func (e Edit) Changed() bool { return e.changed }

// Keep leaves a node unchanged.
var Keep Edit

// Remove removes a node.
var Remove = Edit{changed: true}

// Replace replaces a node by n.
func Replace(n Node) Edit { return Edit{changed: true, one: n} }

// Splice replaces a node by any number of nodes.
func Splice(nodes []Node) Edit { return Edit{changed: true, many: nodes} }

// Append appends the replacement of n to list.
func (e Edit) Append(list []Node, n Node) []Node {
	switch {
	case !e.changed:
		return append(list, n)
	case e.one != nil:
		list = append(list, e.one)
	}
	return append(list, e.many...)
}

// Map returns nodes with edit applied to each, and whether anything changed. An
// unchanged list is returned as it is, without allocating.
func Map(nodes []Node, edit func(Node) Edit) ([]Node, bool) {
	var out []Node
	changed := false
	for i, n := range nodes {
		e := edit(n)
		if e.changed && !changed {
			changed = true
			out = append(make([]Node, 0, len(nodes)+len(e.many)), nodes[:i]...)
		}
		switch {
		case !e.changed && changed:
			out = append(out, n)
		case e.changed:
			if e.one != nil {
				out = append(out, e.one)
			}
			out = append(out, e.many...)
		}
	}
	if !changed {
		return nodes, false
	}
	return out, true
}

// MapBody applies [Map] to the block of n. It returns n itself and false if
// nothing changed or n has no block.
func MapBody(n Node, edit func(Node) Edit) (Node, bool) {
	body := Body(n)
	if len(body) == 0 {
		return n, false
	}
	edited, changed := Map(body, edit)
	if !changed {
		return n, false
	}
	return WithBody(n, edited), true
}

// MapList returns list with edit applied to each element, and whether anything
// changed. An unchanged list is returned as it is.
func MapList[S ~[]T, T any](list S, edit func(i int, v *T) (with T, changed bool)) (S, bool) {
	var out S
	for i := range list {
		with, changed := edit(i, &list[i])
		if !changed {
			continue
		}
		if out == nil {
			out = append(out, list...)
		}
		out[i] = with
	}
	if out == nil {
		return list, false
	}
	return out, true
}

// MapValues returns values with edit applied to each, and whether anything
// changed. edit sees a function or block before its arguments, and its
// arguments only if it left the function unchanged. An unchanged list is
// returned as it is.
func MapValues(values []Value, edit func(*Value) (with Value, changed bool)) ([]Value, bool) {
	return MapList(values, func(_ int, v *Value) (with Value, changed bool) {
		with, changed = edit(v)
		if !changed && v.Inner != nil {
			if inner, ok := MapValues(v.Inner.Values, edit); ok {
				with, changed = *v, true
				with.Inner = &Inner{Values: inner, Close: v.Inner.Close}
			}
		}
		return with, changed
	})
}
