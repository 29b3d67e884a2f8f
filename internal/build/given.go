package build

import (
	"fmt"
	"maps"
	"slices"

	"rinzel/internal/css/ast"
	"rinzel/internal/css/token"
	"rinzel/internal/diag"
	"rinzel/internal/graph"
)

// given is a value that an import sets a custom property to, wherever the
// imported sheet and all that this one imports declares it.
type given struct {
	graph.Given
	hit  bool
	seen map[string]bool // the custom properties that were met
}

// give returns nodes with the values of custom properties that imports set.
// The nearest import stands first in list, and the outermost one has the last
// word.
func give(nodes []ast.Node, list []*given) []ast.Node {
	if len(list) == 0 {
		return nodes
	}
	out, _ := ast.Map(nodes, func(n ast.Node) ast.Edit { return giveNode(n, list) })
	return out
}

func giveNode(n ast.Node, list []*given) ast.Edit {
	d, ok := n.(*ast.Declaration)
	if !ok {
		if edited, changed := ast.MapBody(n, func(n ast.Node) ast.Edit { return giveNode(n, list) }); changed {
			return ast.Replace(edited)
		}
		return ast.Keep
	}
	if !d.IsCustom() {
		return ast.Keep
	}
	name := token.Unescape(d.Name)
	edit := ast.Keep
	for _, g := range list {
		g.seen[name] = true
		if g.Name == name {
			g.hit = true
			copied := *d
			copied.Value = ast.Verbatim(g.Value)
			edit = ast.Replace(&copied)
		}
	}
	return edit
}

// idle returns a warning if no declaration was met that it could set.
func (g *given) idle() []diag.Diagnostic {
	if g.hit {
		return nil
	}
	d := diag.Diagnostic{Code: "idle-part", Severity: diag.Warning, Span: g.At,
		Message: fmt.Sprintf("no sheet that is imported here declares the custom property %q", g.Name)}
	d.Mend = diag.DidYouMean(g.Name, slices.Sorted(maps.Keys(g.seen)), "")
	return []diag.Diagnostic{d}
}
