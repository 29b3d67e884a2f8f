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
	hit bool
	met *met // one for all that an import sets
}

// met is the custom properties that were met behind an import.
type met struct{ names map[string]bool }

// givens are what the imports that lead to a sheet set, for going through it.
type givens struct {
	byName map[string][]*given // the nearest import first
	met    []*met              // of each import
}

func newGivens(list []*given) givens {
	out := givens{byName: make(map[string][]*given)}
	for _, g := range list {
		out.byName[g.Name] = append(out.byName[g.Name], g)
		if !slices.Contains(out.met, g.met) {
			out.met = append(out.met, g.met)
		}
	}
	return out
}

// give returns nodes with the values of custom properties that imports set.
// The nearest import stands first in list, and the outermost one has the last
// word.
func give(nodes []ast.Node, list []*given) []ast.Node {
	if len(list) == 0 {
		return nodes
	}
	all := newGivens(list)
	out, _ := ast.Map(nodes, all.node)
	return out
}

func (l givens) node(n ast.Node) ast.Edit {
	d, ok := n.(*ast.Declaration)
	if !ok {
		if edited, changed := ast.MapBody(n, l.node); changed {
			return ast.Replace(edited)
		}
		return ast.Keep
	}
	if !d.IsCustom() {
		return ast.Keep
	}
	name := token.Unescape(d.Name)
	for _, m := range l.met {
		m.names[name] = true
	}
	edit := ast.Keep
	for _, g := range l.byName[name] {
		g.hit = true
		copied := *d
		copied.Value = ast.Verbatim(g.Value)
		edit = ast.Replace(&copied)
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
	d.Mend = diag.DidYouMean(g.Name, slices.Sorted(maps.Keys(g.met.names)), "")
	return []diag.Diagnostic{d}
}
