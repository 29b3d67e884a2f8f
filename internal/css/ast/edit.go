package ast

import "fmt"

// Body returns the nodes in the block of n, or nil if it has none.
func Body(n Node) []Node {
	switch n := n.(type) {
	case *StyleRule:
		return n.Nodes
	case *KeyframeRule:
		return n.Nodes
	case *AtRule:
		if n.Block != nil {
			return n.Block.Nodes
		}
		return nil
	case *Declaration, *Comment, *BadRule, *BadDeclaration:
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
	case *KeyframeRule:
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

// Map returns nodes with each one replaced by what edit puts in its place.
// edit returns changed false to keep the node; otherwise the nodes in with
// stand for it, which may be none. A list in which nothing changed is
// returned as it is.
func Map(nodes []Node, edit func(Node) (with []Node, changed bool)) ([]Node, bool) {
	var out []Node
	changed := false
	for i, n := range nodes {
		with, ok := edit(n)
		switch {
		case ok && !changed:
			changed = true
			out = append(make([]Node, 0, len(nodes)), nodes[:i]...)
			fallthrough
		case ok:
			out = append(out, with...)
		case changed:
			out = append(out, n)
		}
	}
	if !changed {
		return nodes, false
	}
	return out, true
}

// MapBody applies [Map] to the block of n and returns n itself if nothing
// changed in it or it has none.
func MapBody(n Node, edit func(Node) (with []Node, changed bool)) (Node, bool) {
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

// MapValues returns values with each one that edit changes replaced by what
// it returns. edit sees a function or block before its arguments, and its
// arguments only if it left the function unchanged. A list in which nothing
// changed is returned as it is.
func MapValues(values []Value, edit func(Value) (with Value, changed bool)) ([]Value, bool) {
	var out []Value
	for i, v := range values {
		with, changed := edit(v)
		if !changed && v.Inner != nil {
			if inner, ok := MapValues(v.Inner.Values, edit); ok {
				with, changed = v, true
				with.Inner = &Inner{Values: inner, Close: v.Inner.Close}
			}
		}
		if !changed {
			continue
		}
		if out == nil {
			out = append([]Value(nil), values...)
		}
		out[i] = with
	}
	if out == nil {
		return values, false
	}
	return out, true
}
