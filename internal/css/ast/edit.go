package ast

import "fmt"

// Body returns the nodes in the block of n, or nil if it has none.
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
	case *Declaration, *SplicedDeclaration, *Comment, *BadRule, *BadDeclaration:
		return nil
	}
	panic(fmt.Sprintf("ast: unknown node %T", n))
}

// WithBody returns a copy of n, which has a block, with other nodes in it.
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

// Walk calls visit for each node in order, a rule before the nodes in its
// block, which are left out if visit returns false.
func Walk(nodes []Node, visit func(Node) bool) {
	for _, n := range nodes {
		if visit(n) {
			Walk(Body(n), visit)
		}
	}
}

// Edit is what becomes of a node: the zero Edit, [Keep], leaves it as it is.
type Edit struct {
	changed bool
	one     Node   // stands for the node, if not nil
	many    []Node // stand for it behind one
}

// Changed reports whether the node does not stay as it is.
func (e Edit) Changed() bool { return e.changed }

// Keep leaves a node as it is.
var Keep Edit

// Remove takes a node away.
var Remove = Edit{changed: true}

// Replace puts n in a node's place.
func Replace(n Node) Edit { return Edit{changed: true, one: n} }

// Splice puts any number of nodes in a node's place.
func Splice(nodes []Node) Edit { return Edit{changed: true, many: nodes} }

// Append appends what stands in place of n.
func (e Edit) Append(list []Node, n Node) []Node {
	switch {
	case !e.changed:
		return append(list, n)
	case e.one != nil:
		list = append(list, e.one)
	}
	return append(list, e.many...)
}

// Map returns nodes with each one edited, and whether any was. A list in which
// nothing changed is returned as it is.
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

// MapBody applies [Map] to the block of n. It returns n itself, and false, if
// nothing changed in it or it has none.
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

// MapList returns list with each element that edit changes replaced by what
// it returns, and whether any was. A list in which nothing changed is returned
// as it is.
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

// MapValues returns values with each one that edit changes replaced by what
// it returns, and whether any was. edit sees a function or block before its
// arguments, and its arguments only if it left the function unchanged. A list
// in which nothing changed is returned as it is.
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
