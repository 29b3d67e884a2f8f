package minify

import (
	"rinzel/internal/css/accept"
	"rinzel/internal/css/ast"
	"rinzel/internal/css/cascade"
	"rinzel/internal/source"
)

// Undone is a change that was undone, because it could not be shown that the
// result means the same.
type Undone struct {
	At      source.Span // of the first declaration or rule that it is about
	Message string      // what differs
}

// maxAttempts limits how often a sheet is minified again with more changes
// undone, and maxDifferences how many are undone at once.
const (
	maxAttempts    = 12
	maxDifferences = 200
)

// Proved returns minified nodes that are shown to mean the same as the source.
// Changes for which that is not possible are undone. If there are too many, all
// rules keep their places, and if that does not help, the nodes are returned
// unchanged.
func Proved(nodes []ast.Node, opts Options) ([]ast.Node, []Undone) {
	browsers := accept.Of(opts.Targets)
	return proved(nodes, opts, func(small []ast.Node) []*cascade.Difference {
		return cascade.Differences(nodes, small, browsers, maxDifferences)
	})
}

// proved implements Proved; compare returns the differences between the nodes
// and their minified form.
func proved(nodes []ast.Node, opts Options, compare func([]ast.Node) []*cascade.Difference) ([]ast.Node, []Undone) {
	frozen := make(map[source.Pos]bool)
	opts.Frozen = frozen
	var undone []Undone
	for attempt := range maxAttempts {
		opts.Still = opts.Still || attempt == maxAttempts/2
		small := Nodes(nodes, opts)
		differences := compare(small)
		if len(differences) == 0 {
			return small, undone
		}
		before := len(frozen)
		for _, d := range differences {
			at := d.A
			if at == (source.Span{}) {
				at = d.B
			}
			undone = append(undone, Undone{at, d.Message})
			frozen[d.A.Start], frozen[d.B.Start] = true, true
			for _, of := range d.Involved {
				frozen[of.Pos()] = true
			}
		}
		delete(frozen, source.NoPos)
		if len(frozen) == before {
			if opts.Still {
				break
			}
			opts.Still = true
		}
	}
	return nodes, undone
}
