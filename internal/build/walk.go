package build

import (
	"fmt"
	"slices"
	"strings"

	"rinzel/internal/css/ast"
	"rinzel/internal/css/parse"
	"rinzel/internal/css/token"
	"rinzel/internal/diag"
	"rinzel/internal/diag/code"
	"rinzel/internal/graph"
	"rinzel/internal/pipeline"
	"rinzel/internal/step"
	"rinzel/internal/step/asis"
	"rinzel/internal/step/check"
	"rinzel/internal/step/compose"
	"rinzel/internal/step/prefix"
)

// This file goes through one sheet: its imports, its own rules, and the steps of its chain.

// sheet appends the pieces of a sheet: those of its imports, then its own.
func (a *assembler) sheet(s *graph.Sheet, conds []*condition, here *visit) {
	if len(a.entry.pieces) >= maxPieces {
		if !a.full {
			a.full = true
			a.report(diag.Diagnostic{Code: code.TooManyImports, Severity: diag.Error, Span: here.at,
				Message: fmt.Sprintf("the imports reach more than %d sheets, each counted as often as it is imported", maxPieces)})
		}
		return
	}
	a.entry.diags = append(a.entry.diags, s.Diagnostics...)
	chain := a.b.chainOf(s.File.Path)
	w := sheetWork{assembler: a, sheet: s, conds: conds, here: here, composer: a.composer(here), composes: chain.Composes()}
	if a.keeps(s, here) {
		w.known = a.b.memory.composedSheet(s)
	}
	rest := piece{file: s.File, conds: conds, node: here.node}
	rest.nodes = w.walk()
	if w.known == nil {
		w.known = a.composed(rest.nodes, chain, here)
		if w.known.sheet = s; !w.touched && a.keeps(s, here) {
			w.known = a.b.memory.keepComposed(w.known)
		}
	} else {
		a.scope.Pass()
	}
	if w.known.kept {
		a.entry.sheets = append(a.entry.sheets, w.known)
	} else {
		a.entry.diags = append(a.entry.diags, w.known.diags...)
		a.entry.checks = append(a.entry.checks, w.known.checks...)
	}
	rest.nodes, rest.prefix, rest.motion = w.known.nodes, w.known.prefix, w.known.motion
	if len(rest.nodes) > 0 || !w.imported {
		inLayer := slices.ContainsFunc(conds, func(c *condition) bool { return c.hasLayer })
		rest.traits = w.known.traitsIn(inLayer)
		a.entry.pieces = append(a.entry.pieces, rest)
	}
}

// keeps reports whether what comes of a sheet may be kept for other places where
// it is imported: nothing on the way to it says anything about its parts.
func (a *assembler) keeps(s *graph.Sheet, here *visit) bool {
	return !a.b.records && !a.b.checkAll && !here.leftOut && len(here.rules) == 0 && len(here.overrides) == 0 && s.File.Path == here.path && !a.block
}

// traitsIn returns the traits of a sheet outside of layers or in one.
func (c *composedSheet) traitsIn(layer bool) *traits {
	if layer {
		return c.traits[1]
	}
	return c.traits[0]
}

// sheetWork is one sheet that is gone through.
type sheetWork struct {
	*assembler
	sheet    *graph.Sheet
	conds    []*condition
	here     *visit
	composer *compose.Composer
	composes bool
	known    *composedSheet // nil if it is to be composed
	imported bool           // an import was met
	ruled    bool           // a rule was met that no namespace may follow
	touched  bool           // it reads or sets what others see
}

// walk follows the imports of the sheet, and returns its own nodes, composed. If what
// comes of them is known it returns none.
func (w *sheetWork) walk() []ast.Node {
	a, here := w.assembler, w.here
	prologue := piece{file: w.sheet.File, conds: w.conds, prologue: true, node: here.node}
	var own []ast.Node
	set := a.entry.record.Count()
	open := true // imports may still follow
	for _, n := range withoutMapComments(w.sheet) {
		switch {
		case isCharset(n):
		case w.composes && compose.IsStatement(n):
			w.touched = true
			w.composer.Nodes([]ast.Node{n}, a.scope)
			here.node.Constants += a.entry.record.Count() - set
			set = a.entry.record.Count()
		case isImport(n):
			if !open {
				a.lateImport(n.(*ast.AtRule))
				continue
			}
			w.imported = true
			if len(prologue.nodes) > 0 {
				a.entry.pieces = append(a.entry.pieces, prologue)
				prologue.nodes = nil
			}
			a.follow(n.(*ast.AtRule), w.composer, w.composes, w.conds, here)
			set = a.entry.record.Count()
		case isNamespace(n) && w.ruled:
			a.lateNamespace(n)
		case mayPrecedeImport(n, w.imported) && open && !here.leftOut:
			prologue.nodes = append(prologue.nodes, n)
		default:
			open = false
			w.ruled = w.ruled || !mayPrecedeNamespace(n)
			if !here.leftOut && w.known == nil { // if it is left out it only sets
				own = append(own, w.compose(n)...)
			}
		}
	}
	return append(prologue.nodes, own...)
}

// compose returns what a node becomes.
func (w *sheetWork) compose(n ast.Node) []ast.Node {
	if !w.composes {
		return []ast.Node{n}
	}
	found := len(w.entry.diags)
	w.scope.Touched()
	out := w.composer.Nodes([]ast.Node{n}, w.scope)
	w.touched = w.touched || w.scope.Touched() || len(w.entry.diags) > found // which tell how it was reached
	return out
}

// composed takes the nodes of a sheet, composed, through what its imports say
// and the steps of its chain.
func (a *assembler) composed(nodes []ast.Node, chain *pipeline.Chain, here *visit) *composedSheet {
	out := &composedSheet{diags: parse.BadSelectors(nodes), traits: [2]*traits{new(traits), new(traits)}}
	if !chain.Composes() {
		if d, ok := compose.Needed(nodes); ok {
			out.diags = append(out.diags, d)
		}
	}
	nodes = here.override(nodes)
	if a.b.records {
		a.entry.composed = append(a.entry.composed, nodes)
	}
	checks := a.check(here, nodes, func(nodes []ast.Node) []diag.Diagnostic {
		return append(a.b.checker.Nodes(nodes), asis.Misread(nodes, pipeline.HeedComments())...)
	})
	out.motion = check.MotionOf(nodes)
	u := &step.Unit{Kind: step.Sheet, Nodes: nodes, Composed: true, Report: func(d diag.Diagnostic) { out.diags = append(out.diags, d) }}
	a.b.through(chain, u)
	nodes = u.Nodes
	for _, changes := range step.Notes[[]prefix.Change](u) {
		out.prefix = prefix.Merge(out.prefix, changes)
	}
	support := a.check(here, nodes, a.b.checker.Support)
	for _, p := range here.rules {
		nodes = p.rules(nodes)
	}
	if a.b.records {
		here.node.Rules = countRules(nodes)
	}
	out.nodes = nodes
	out.checks = append(checks(), support()...)
	return out
}

func isImport(n ast.Node) bool {
	_, ok := graph.IsImport(n)
	return ok
}

func isNamespace(n ast.Node) bool {
	r, ok := n.(*ast.AtRule)
	return ok && r.Block == nil && token.EqualFold(r.Name, "namespace")
}

// mayPrecedeNamespace reports whether namespaces may follow a node (CSS Namespaces 3, section 2).
func mayPrecedeNamespace(n ast.Node) bool {
	if _, ok := n.(*ast.Comment); ok || isNamespace(n) {
		return true
	}
	r, ok := n.(*ast.AtRule)
	return ok && r.Block == nil && token.EqualFold(r.Name, "layer")
}

// withoutMapComments returns the nodes of a sheet without the comments that name its own source map,
// which is not that of the bundle.
func withoutMapComments(s *graph.Sheet) []ast.Node {
	if !strings.Contains(s.File.Text, "sourceMappingURL") {
		return s.Nodes
	}
	var drop func(n ast.Node) ast.Edit
	drop = func(n ast.Node) ast.Edit {
		if c, ok := n.(*ast.Comment); ok {
			text := strings.TrimLeft(strings.TrimPrefix(c.Text, "/*"), " \t\r\n")
			if strings.HasPrefix(text, "# sourceMappingURL=") || strings.HasPrefix(text, "@ sourceMappingURL=") {
				return ast.Remove
			}
			return ast.Keep
		}
		if edited, changed := ast.MapBody(n, drop); changed {
			return ast.Replace(edited)
		}
		return ast.Keep
	}
	nodes, _ := ast.Map(s.Nodes, drop)
	return nodes
}

func isCharset(n ast.Node) bool {
	r, ok := n.(*ast.AtRule)
	return ok && r.Name == "charset"
}

// mayPrecedeImport reports whether imports may follow n: it is a comment, or
// the statement form of @layer before the first import (CSS Cascade 5,
// section 2: between two imports it makes the second one invalid).
func mayPrecedeImport(n ast.Node, imported bool) bool {
	switch n := n.(type) {
	case *ast.Comment:
		return true
	case *ast.AtRule:
		return !imported && n.Block == nil && token.EqualFold(n.Name, "layer")
	}
	return false
}
