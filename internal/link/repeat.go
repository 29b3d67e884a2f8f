package link

import (
	"fmt"
	"weak"

	"rinzel/internal/css/ast"
	"rinzel/internal/css/token"
	"rinzel/internal/source"
)

// This file removes pieces that a later import of the same sheet repeats.

// WithoutRepeats returns pieces without repeated ones: of two equal pieces
// under equal conditions only the later has an effect. Pieces in layers stay,
// because layers are ordered by their first occurrence.
func WithoutRepeats(pieces []Piece) []Piece {
	last := make(map[string]int)
	count := make(map[*source.File]int)
	for _, p := range pieces {
		if p.File != nil {
			count[p.File]++
		}
	}
	key := func(p Piece) string {
		if p.External != nil || p.Prologue || count[p.File] < 2 || layered(p) {
			return ""
		}
		return fmt.Sprint(p.File.ID, ConditionKey(p.Conditions))
	}
	for i, p := range pieces {
		if k := key(p); k != "" {
			last[k] = i
		}
	}
	var out []Piece
	for i, p := range pieces {
		if k := key(p); k != "" && last[k] > i && sameNodes(&p, &pieces[last[k]]) {
			continue
		}
		out = append(out, p)
	}
	return out
}

// markRepeated marks the sheets without remaining pieces, because a later
// import repeats them.
func (a *assembler) markRepeated() {
	left, all := make(map[*ImportNode]bool), make(map[*ImportNode]bool)
	for _, p := range WithoutRepeats(a.entry.Pieces) {
		left[p.Node] = true
	}
	for _, p := range a.entry.Pieces {
		all[p.Node] = true
	}
	for n := range all {
		if n != nil {
			n.Repeated = !left[n]
		}
	}
}

// sameNodes reports whether two pieces have equal nodes. Pieces of unchanged sheets are
// compared in each build, so contents remember some results.
func sameNodes(a, b *Piece) bool {
	if a.Content == nil || b.Content == nil {
		return ast.Equal(a.Nodes, b.Nodes, true)
	}
	if a.Content == b.Content {
		return true
	}
	const most = 8
	c, other := b.Content, weak.Make(a.Content)
	c.mu.Lock()
	defer c.mu.Unlock()
	equal, known := c.equal[other]
	if !known {
		if equal = ast.Equal(a.Nodes, b.Nodes, true); c.equal == nil || len(c.equal) == most {
			c.equal = make(map[weak.Pointer[Content]]bool)
		}
		c.equal[other] = equal
	}
	return equal
}

// layered reports whether a piece affects the order of layers.
func layered(p Piece) bool {
	if p.IsLayered() {
		return true
	}
	if p.Content == nil {
		return hasLayer(p.Nodes)
	}
	p.Content.layers.Do(func() { p.Content.hasLayer = hasLayer(p.Nodes) })
	return p.Content.hasLayer
}

// hasLayer reports whether there is an @layer rule in nodes.
func hasLayer(nodes []ast.Node) bool {
	found := false
	ast.Walk(nodes, func(n ast.Node) bool {
		r, ok := n.(*ast.AtRule)
		found = found || ok && token.EqualFold(r.Name, "layer")
		return !found
	})
	return found
}
