package link

import (
	"fmt"

	"rinzel/internal/css/ast"
	"rinzel/internal/css/token"
	"rinzel/internal/source"
)

// This file leaves out what a later import of the same sheet repeats.

// WithoutRepeats returns pieces without those that a later one repeats: of two
// that are the same under the same conditions the later decides alone. A piece
// that has to do with layers stays, since layers are ordered by where they
// come first.
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
		if k := key(p); k != "" && last[k] > i && ast.Equal(p.Nodes, pieces[last[k]].Nodes, true) {
			continue
		}
		out = append(out, p)
	}
	return out
}

// markRepeated marks the sheets of which no piece is left, since a later import
// of the same one decides alone.
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

func layered(p Piece) bool {
	if p.IsLayered() {
		return true
	}
	found := false
	ast.Walk(p.Nodes, func(n ast.Node) bool {
		r, ok := n.(*ast.AtRule)
		found = found || ok && token.EqualFold(r.Name, "layer")
		return !found
	})
	return found
}
