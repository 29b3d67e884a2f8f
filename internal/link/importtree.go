package link

import (
	"strings"

	"rinzel/internal/css/ast"
	"rinzel/internal/css/print"
	"rinzel/internal/source"
)

// ImportNode is a sheet in a tree of imports.
type ImportNode struct {
	Sheet     string      // as people are shown it, or the address of one from elsewhere
	Path      source.Path // not of one from elsewhere
	At        source.Span // of the import; the zero Span for the root of a tree
	Condition string      // layer, support and media under which it is imported
	Rules     int         // that it writes itself
	Constants int         // that it sets itself, with defaults that gave way
	LeftOut   bool        // by without() or only()
	External  bool        // from elsewhere
	Repeated  bool        // a later import of the same sheet decides alone
	Replaced  int         // values that the import puts in place of others, in all that it brings in
	Imports   []*ImportNode
}

// Count returns how many imports are in the tree below a sheet.
func (n *ImportNode) Count() int {
	count := 0
	for _, c := range n.Imports {
		count += 1 + c.Count()
	}
	return count
}

// countRules returns how many style rules nodes hold.
func countRules(nodes []ast.Node) int {
	n := 0
	ast.Walk(nodes, func(node ast.Node) bool {
		if _, ok := node.(*ast.StyleRule); ok {
			n++
		}
		return true
	})
	return n
}

// text returns the condition as an import has it.
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
