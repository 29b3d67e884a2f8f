package build

import (
	"fmt"
	"slices"

	"rinzel/internal/css/ast"
	"rinzel/internal/css/token"
	"rinzel/internal/source"
)

// This file leaves out what a later import of the same sheet repeats.

// repeated returns pieces without those that a later one repeats: of two
// that are the same under the same conditions the later decides alone. A piece
// that has to do with layers stays, since layers are ordered by where they
// come first.
func repeated(pieces []piece) []piece {
	last := make(map[string]int)
	count := make(map[*source.File]int)
	for _, p := range pieces {
		if p.file != nil {
			count[p.file]++
		}
	}
	key := func(p piece) string {
		if p.external != nil || p.prologue || count[p.file] < 2 || layered(p) {
			return ""
		}
		return fmt.Sprint(p.file.ID, conditionKey(p.conds))
	}
	for i, p := range pieces {
		if k := key(p); k != "" {
			last[k] = i
		}
	}
	var out []piece
	for i, p := range pieces {
		if k := key(p); k != "" && last[k] > i && ast.Equal(p.nodes, pieces[last[k]].nodes, true) {
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
	for _, p := range repeated(a.entry.pieces) {
		left[p.node] = true
	}
	for _, p := range a.entry.pieces {
		all[p.node] = true
	}
	for n := range all {
		if n != nil {
			n.Repeated = !left[n]
		}
	}
}

func layered(p piece) bool {
	if slices.ContainsFunc(p.conds, func(c *condition) bool { return c.hasLayer }) {
		return true
	}
	found := false
	ast.Walk(p.nodes, func(n ast.Node) bool {
		r, ok := n.(*ast.AtRule)
		found = found || ok && token.EqualFold(r.Name, "layer")
		return !found
	})
	return found
}
