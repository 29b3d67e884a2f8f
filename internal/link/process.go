package link

import (
	"context"
	"fmt"
	"slices"
	"sync"
	"time"

	"rinzel/internal/cache"
	"rinzel/internal/css/ast"
	"rinzel/internal/css/parse"
	"rinzel/internal/css/token"
	"rinzel/internal/diag"
	"rinzel/internal/diag/code"
	"rinzel/internal/graph"
	"rinzel/internal/pipeline"
	"rinzel/internal/project"
	"rinzel/internal/source"
	"rinzel/internal/std"
	"rinzel/internal/step"
	"rinzel/internal/step/asis"
	"rinzel/internal/step/check"
	"rinzel/internal/step/compose"
	"rinzel/internal/step/lower"
	"rinzel/internal/step/prefix"
)

// This file processes one sheet: its imports, its own rules, and the steps of
// its chain.

// sheet appends the pieces of a sheet: those of its imports, then its own.
func (a *assembler) sheet(s *graph.Sheet, conds []*Condition, here *visit) {
	if len(a.entry.Pieces) >= maxPieces {
		if !a.full {
			a.full = true
			a.report(diag.Diagnostic{Code: code.TooManyImports, Severity: diag.Error, Span: here.at,
				Message: fmt.Sprintf("imports load more than %d sheets, each counted as often as it is imported", maxPieces)})
		}
		return
	}
	a.report(s.Diagnostics...)
	chain := a.chainOf(s.File.Path)
	w := sheetWork{assembler: a, sheet: s, conds: conds, here: here, composer: a.composer(here),
		composes: chain.Composes()}
	if a.Stages {
		w.composer.Made = func(m compose.Made) { w.made = append(w.made, m) }
	}
	var slot *Composed // cache of the sheet, if its result does not depend on the importer
	if a.isIndependent(s, here) {
		if slot = a.slotOf(s, chain); slot.isDone() {
			w.known = slot
		}
	}
	rest := Piece{File: s.File, Conditions: conds, Node: here.node, Input: a.inputMap(s), Sheet: s}
	rest.Nodes = w.walk()
	switch {
	case w.known != nil:
		a.scope.Pass()
	case slot != nil && !w.touched:
		slot.mu.Lock()
		if !slot.done {
			a.compose(slot, &w, rest.Nodes, chain)
		}
		slot.mu.Unlock()
		w.known = slot
	}
	index := -1 // a sheet that only imports others has no piece
	if len(rest.Nodes) > 0 || !w.imported || w.known != nil {
		index = len(a.entry.Pieces)
		a.entry.Pieces = append(a.entry.Pieces, rest)
	}
	if w.known != nil {
		a.entry.Sheets = append(a.entry.Sheets, w.known)
		w.put(index)
		return
	}
	a.later = append(a.later, func() {
		w.known = new(Composed)
		a.compose(w.known, &w, rest.Nodes, chain)
		a.report(w.known.Diagnostics...)
		a.entry.Checks = append(a.entry.Checks, w.known.Checks...)
		w.put(index)
	})
}

// put completes the piece with an index, or empties it if its sheet only imports
// others. An index of -1 is ignored.
func (w *sheetWork) put(index int) {
	if asker, ok := w.Files.Reader.(*cache.Reads); ok && w.known.reads != nil {
		asker.Include(w.known.reads)
	}
	if index < 0 {
		return
	}
	p := &w.entry.Pieces[index]
	if len(w.known.nodes) == 0 && w.imported {
		*p = Piece{}
		return
	}
	p.Nodes, p.Prefixes, p.Motion = w.known.nodes, w.known.prefixes, w.known.motion
	p.Written, p.Lowered = w.known.written, w.known.lowered
	if w.Stages {
		p.Stages, p.Made = w.known.stages, w.known.made
	}
	p.Content = &w.known.plain
	if p.IsLayered() {
		p.Content = &w.known.layered
	}
}

// ImportParts is the name of what happens to a sheet after the steps of its
// chain, if an import has without() or only(): rules are left out.
const ImportParts = "import"

// Composed is the result for the rules of a sheet, without its imports.
type Composed struct {
	mu             sync.Mutex // held while setting or testing whether it is done; immutable afterwards
	done           bool
	sheet          *graph.Sheet // see slotOf
	reads          *cache.Reads // of steps of the settings; nil without such steps
	nodes          []ast.Node
	prefixes       []prefix.Change
	lowered        []lower.Change
	motion         check.Animations
	written        ast.Counts
	stages         []step.Stage   // if the linker keeps them
	made           []compose.Made // if the linker keeps the stages
	plain, layered Content
	// Diagnostics and Checks are the findings, the latter those of the checks.
	Diagnostics, Checks []diag.Diagnostic
}

// slotOf returns where the result for a sheet is cached.
func (a *assembler) slotOf(s *graph.Sheet, chain *pipeline.Chain) *Composed {
	if s.Made == nil && !chain.HasOwn() {
		return a.Cache.composed.Get(s.File, func() *Composed { return new(Composed) })
	}
	same := func(c *Composed) bool { return c.sheet == s }
	return a.Cache.own.Get(a.Files.Reader, s.File.Path, same, func(r *cache.Reads) (*Composed, bool) {
		return &Composed{sheet: s, reads: r}, true
	})
}

// isDone reports whether the work is done. It waits for work in progress.
func (c *Composed) isDone() bool {
	c.mu.Lock()
	defer c.mu.Unlock()
	return c.done
}

// isIndependent reports whether the result for a sheet may be reused for other
// imports of it, provided that it neither reads nor sets constants: no import
// on the path to it excludes or replaces anything.
func (a *assembler) isIndependent(s *graph.Sheet, here *visit) bool {
	return !a.Record && !a.CheckAll && !here.excluded && len(here.rules) == 0 && len(here.overrides) == 0 &&
		s.File.Path == here.path && !a.isElement
}

// chainOf returns the chain of a sheet.
func (a *assembler) chainOf(p source.Path) *pipeline.Chain {
	chain, err := a.Chain(p)
	if err != nil {
		a.fail(err)
		return new(pipeline.Chain)
	}
	return chain
}

// run runs a chain on a unit.
func (a *assembler) run(chain *pipeline.Chain, u *step.Unit) {
	if err := chain.Run(a.ctx, u); err != nil {
		a.fail(err)
	}
}

// media returns media queries in the sheet of here after its chain.
func (a *assembler) media(here *visit, queries []ast.Value) []ast.Value {
	out, err := Media(a.ctx, a.chainOf(here.path), queries)
	if err != nil {
		a.fail(err)
	}
	return out
}

// Media returns media queries after a chain.
func Media(ctx context.Context, chain *pipeline.Chain, queries []ast.Value) ([]ast.Value, error) {
	if len(queries) == 0 {
		return queries, nil
	}
	u := &step.Unit{Kind: step.Media, Queries: queries, Composed: true}
	err := chain.Run(ctx, u)
	return u.Queries, err
}

// sheetWork is the processing of one sheet.
type sheetWork struct {
	*assembler
	sheet    *graph.Sheet
	conds    []*Condition
	here     *visit
	composer *compose.Composer
	composes bool
	known    *Composed     // nil if it must be composed
	imported bool          // an import was seen
	ruled    bool          // a rule was seen that namespaces must not follow
	touched  bool          // it reads or sets shared constants or definitions
	took     time.Duration // of composition, if it is measured
	made     []compose.Made
}

// walk follows the imports of the sheet, and returns its own nodes after
// composition; none if the result is known.
func (w *sheetWork) walk() []ast.Node {
	a, here := w.assembler, w.here
	prologue := Piece{File: w.sheet.File, Conditions: w.conds, Prologue: true, Node: here.node}
	own := make([]ast.Node, 0, len(w.sheet.Nodes))
	set := a.entry.Constants.Count()
	open := true // imports may still follow
	for _, n := range graph.WithoutMapComments(w.sheet.Nodes, w.sheet.File) {
		switch {
		case isCharset(n), isStdComment(n, w.sheet):
		case w.composes && compose.IsStatement(n):
			w.touched = true
			w.composer.Nodes([]ast.Node{n}, a.scope)
			here.node.Constants += a.entry.Constants.Count() - set
			set = a.entry.Constants.Count()
		case isImport(n):
			if !open {
				a.lateImport(n.(*ast.AtRule))
				continue
			}
			w.imported = true
			if len(prologue.Nodes) > 0 {
				a.entry.Pieces = append(a.entry.Pieces, prologue)
				prologue.Nodes = nil
			}
			a.follow(n.(*ast.AtRule), w.composer, w.composes, w.conds, here)
			set = a.entry.Constants.Count()
		case IsNamespace(n) && w.ruled:
			a.lateNamespace(n)
		case mayPrecedeImport(n, w.imported) && open && !here.excluded:
			prologue.Nodes = append(prologue.Nodes, n)
		default:
			open = false
			w.ruled = w.ruled || !mayPrecedeNamespace(n)
			if !here.excluded && w.known == nil { // an excluded sheet only sets constants
				own = w.appendComposed(own, n)
			}
		}
	}
	return append(prologue.Nodes, own...)
}

// appendComposed appends the composed form of a node.
func (w *sheetWork) appendComposed(list []ast.Node, n ast.Node) []ast.Node {
	if !w.composes {
		return append(list, n)
	}
	if w.measures() {
		start := time.Now()
		defer func() { w.took += time.Since(start) }()
	}
	found := len(w.entry.Diagnostics)
	w.scope.Touched()
	list = w.composer.Append(list, n, w.scope)
	// findings depend on how the sheet was reached
	w.touched = w.touched || w.scope.Touched() || len(w.entry.Diagnostics) > found
	return list
}

// measures reports whether someone wants to know what the steps do.
func (l *Linker) measures() bool { return l.Stages || l.Ran != nil }

// ran records what a step made of the sheet.
func (w *sheetWork) ran(out *Composed, s step.Stage) {
	if w.Stages {
		out.stages = append(out.stages, s)
	}
	if w.Ran != nil {
		w.Ran(w.sheet.File, s)
	}
}

// compose applies the replacements of imports and the steps of the chain to the
// composed nodes of a sheet.
func (a *assembler) compose(out *Composed, w *sheetWork, nodes []ast.Node, chain *pipeline.Chain) {
	here := w.here
	out.made, out.written = w.made, ast.Count(w.sheet.Nodes)
	out.Diagnostics, out.layered.Layered = parse.BadSelectors(nodes), true
	if !chain.Composes() {
		if d, ok := compose.Needed(nodes); ok {
			out.Diagnostics = append(out.Diagnostics, d)
		}
	}
	nodes = here.override(nodes)
	if a.Record {
		a.entry.Nodes = append(a.entry.Nodes, nodes)
	}
	checks := a.check(here, nodes, func(nodes []ast.Node) []diag.Diagnostic {
		return append(a.Checker.Nodes(nodes), asis.Misread(nodes, pipeline.HeedComments())...)
	})
	out.motion = check.AnimationsOf(nodes)
	u := &step.Unit{Kind: step.Sheet, Nodes: nodes, Composed: true, Path: w.sheet.File.Path, Files: a.Files.Reader,
		Report: func(d diag.Diagnostic) { out.Diagnostics = append(out.Diagnostics, d) }}
	if out.reads != nil {
		u.Files = out.reads
	}
	if w.measures() {
		if w.Ran != nil {
			for _, m := range w.sheet.Made {
				w.Ran(w.sheet.File, step.Stage{Step: m.Step, Took: m.Took})
			}
		}
		if w.composes {
			w.ran(out, step.Stage{Step: compose.Name, Nodes: nodes, Took: w.took})
		}
		u.Ran = func(s step.Stage) { w.ran(out, s) }
	}
	a.run(chain, u)
	nodes = u.Nodes
	for _, changes := range step.Notes[[]prefix.Change](u) {
		out.prefixes = prefix.Merge(out.prefixes, changes)
	}
	for _, changes := range step.Notes[[]lower.Change](u) {
		out.lowered = lower.Merge(out.lowered, changes)
	}
	support := a.check(here, nodes, a.Checker.Support)
	start := time.Now()
	for _, p := range here.rules {
		nodes = p.rules(nodes)
	}
	if len(here.rules) > 0 && w.measures() {
		w.ran(out, step.Stage{Step: ImportParts, Nodes: nodes, Took: time.Since(start)})
	}
	if a.Record {
		here.node.Rules = ast.Count(nodes).Rules
	}
	out.nodes = nodes
	out.Checks = append(checks(), support()...)
	out.done = a.err == nil
}

// ChecksRoot reports whether the sheets of a root are checked.
func (l *Linker) ChecksRoot(root string) bool {
	settings := l.Settings.Check
	return !l.WithoutChecks && (l.CheckAll || settings.InBuild != project.CheckOff) && (root == "" || settings.Libraries)
}

// check runs look on the nodes of a sheet concurrently, and returns a function
// that waits for the findings, with the severities of the settings.
func (a *assembler) check(here *visit, nodes []ast.Node,
	look func([]ast.Node) []diag.Diagnostic) (found func() []diag.Diagnostic) {
	if !a.ChecksRoot(here.path.Root) || here.excluded {
		if a.CheckAll && !here.excluded {
			a.entry.Unchecked[here.path] = true
		}
		return func() []diag.Diagnostic { return nil }
	}
	a.entry.Checked[here.path] = true
	levels := a.Settings.Check.Levels
	done := make(chan []diag.Diagnostic, 1)
	go func() {
		found := slices.DeleteFunc(look(nodes), func(d diag.Diagnostic) bool { return levels[d.Code] == project.LevelOff })
		for i := range found {
			if level, ok := levels[found[i].Code]; ok {
				found[i].Severity = level.Severity()
			}
		}
		done <- found
	}()
	return func() []diag.Diagnostic { return <-done }
}

// isImport reports whether n is an @import rule.
func isImport(n ast.Node) bool {
	_, ok := graph.IsImport(n)
	return ok
}

// IsNamespace reports whether n is an @namespace rule.
func IsNamespace(n ast.Node) bool {
	r, ok := n.(*ast.AtRule)
	return ok && r.Block == nil && token.EqualFold(r.Name, "namespace")
}

// mayPrecedeNamespace reports whether namespaces may follow a node (CSS
// Namespaces 3, section 2).
func mayPrecedeNamespace(n ast.Node) bool {
	if _, ok := n.(*ast.Comment); ok || IsNamespace(n) {
		return true
	}
	r, ok := n.(*ast.AtRule)
	return ok && r.Block == nil && token.EqualFold(r.Name, "layer")
}

// isStdComment reports whether n is a comment in a sheet of the program: bundles do not
// have them, because most of them are about classes that no page uses.
func isStdComment(n ast.Node, s *graph.Sheet) bool {
	_, ok := n.(*ast.Comment)
	return ok && s.File.Path.Root == std.Root
}

// isCharset reports whether n is an @charset rule.
func isCharset(n ast.Node) bool {
	r, ok := n.(*ast.AtRule)
	return ok && r.Name == "charset"
}

// mayPrecedeImport reports whether imports may follow n: it is a comment, or an
// @layer statement before the first import (CSS Cascade 5, section 2: between
// two imports it invalidates the second).
func mayPrecedeImport(n ast.Node, imported bool) bool {
	switch n := n.(type) {
	case *ast.Comment:
		return true
	case *ast.AtRule:
		return !imported && n.Block == nil && token.EqualFold(n.Name, "layer")
	}
	return false
}
