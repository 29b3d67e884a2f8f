package link

import (
	"strings"

	"rinzel/internal/css/print"
	"rinzel/internal/source"
)

// ImportNode is a sheet in an import tree.
type ImportNode struct {
	Sheet     string      // displayed path, or the URL of an external sheet
	Path      source.Path // zero for an external sheet
	At        source.Span // the import; the zero Span for the root of the tree
	Condition string      // layer, support and media conditions of the import
	Rules     int         // number of its own rules
	Constants int         // number of constants that it sets, including defaults without effect
	Excluded  bool        // by without() or only()
	External  bool        // it is an external sheet
	Repeated  bool        // a later import of the same sheet replaces it
	Replaced  int         // number of values replaced by the import, in all its sheets
	Imports   []*ImportNode
}

// Count returns the number of imports in the tree below a sheet.
func (n *ImportNode) Count() int {
	count := 0
	for _, c := range n.Imports {
		count += 1 + c.Count()
	}
	return count
}

// Trails returns the imports that lead from the root of a tree to a sheet, for
// each path: the nearest first. Paths that exclude the sheet are left out. A
// sheet that is linked has one empty trail.
func (n *ImportNode) Trails(p source.Path) (out [][]source.Span) {
	var visit func(n *ImportNode, trail []source.Span)
	visit = func(n *ImportNode, trail []source.Span) {
		if n.Path == p && !n.Excluded && !n.Repeated {
			out = append(out, trail)
		}
		for _, c := range n.Imports {
			visit(c, append([]source.Span{c.At}, trail...))
		}
	}
	visit(n, nil)
	return out
}

// text returns the condition in the syntax of an import.
func (c *Condition) text() string {
	var parts []string
	if c.HasLayer {
		layer := "layer"
		if len(c.Layer) > 0 {
			layer += "(" + print.Values(c.Layer) + ")"
		}
		parts = append(parts, layer)
	}
	if len(c.Supports) > 0 {
		parts = append(parts, "supports("+print.Values(c.Supports)+")")
	}
	if len(c.Media) > 0 {
		parts = append(parts, print.Values(c.Media))
	}
	return strings.Join(parts, " ")
}
