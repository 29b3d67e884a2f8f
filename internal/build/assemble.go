package build

import (
	"fmt"
	"maps"
	"path"
	"sync"

	"rinzel/internal/css/ast"
	"rinzel/internal/diag"
	"rinzel/internal/diag/code"
	"rinzel/internal/graph"
	"rinzel/internal/project"
	"rinzel/internal/source"
	"rinzel/internal/step/check"
	"rinzel/internal/step/compose"
	"rinzel/internal/step/prefix"
	"rinzel/internal/tokens"
)

// entry is a sheet that a page links, with all that it imports, worked out.
// What comes of it does not depend on the page.
type entry struct {
	path     source.Path
	once     sync.Once
	pieces   []piece
	tree     *ImportNode
	diags    []diag.Diagnostic
	checks   []diag.Diagnostic
	sheets   []*composedSheet // whose findings are its own as well
	external int              // pieces that are imports from elsewhere
	record   *compose.Record
	composed [][]ast.Node         // of each piece, before the steps after compose; if records are wanted
	deps     map[source.Path]bool // files that were read for it, or looked for
	// Sheets that were checked, and those of libraries that were not.
	checked, unchecked map[source.Path]bool
}

func newEntry(p source.Path) *entry {
	return &entry{path: p, deps: map[source.Path]bool{p: true}, checked: make(map[source.Path]bool), unchecked: make(map[source.Path]bool)}
}

// piece is a part of a bundle that comes from one source sheet.
type piece struct {
	file  *source.File
	nodes []ast.Node
	// conds are the conditions of the imports that led here, outermost first.
	// Pieces of one import share its condition: they are in one layer.
	conds []*condition
	// external is an import from elsewhere, which stays an import.
	external *ast.AtRule
	prologue bool        // rules that stand before the imports of the sheet
	node     *ImportNode // of the sheet
	prefix   []prefix.Change
	motion   check.Motion
	traits   *traits // nil for an import from elsewhere
}

// condition is what an import says of the sheet it brings in.
type condition struct {
	at       source.Pos
	hasLayer bool
	layer    []ast.Value
	supports []ast.Value
	media    []ast.Value
}

func (c *condition) empty() bool {
	return !c.hasLayer && len(c.supports) == 0 && len(c.media) == 0
}

// maxImports is how many imports may lead from a sheet to another, and
// maxPieces how many sheets an entry may reach, each counted as often as it is
// imported: sheets that each import the next one twice reach any number.
const (
	maxImports = 100
	maxPieces  = 20_000
)

// entryOf returns the worked-out entry of a linked sheet.
func (b *builder) entryOf(p source.Path) *entry {
	e := b.memory.entry(p)
	e.once.Do(func() {
		if sheet, err := b.memory.sheets.Load(p); err == nil { // else the link that names it reports it
			b.assemble(e, sheet)
		}
	})
	b.tell(e)
	return e
}

// tell adds what was found in an entry to what the build found, once.
func (b *builder) tell(e *entry) {
	b.mu.Lock()
	defer b.mu.Unlock()
	if b.told[e] {
		return
	}
	b.told[e] = true
	b.diags.Add(e.diags...)
	b.checks.Add(e.checks...)
	for _, c := range e.sheets {
		if !b.told[c] {
			b.told[c] = true
			b.diags.Add(c.diags...)
			b.checks.Add(c.checks...)
		}
	}
	maps.Copy(b.checked, e.checked)
	maps.Copy(b.unchecked, e.unchecked)
}

// assemble works out an entry: a sheet with all that it imports.
func (b *builder) assemble(e *entry, sheet *graph.Sheet) {
	compose.Settle(func(scope *compose.Scope) {
		e.reset()
		if b.records {
			e.record = new(compose.Record)
		}
		a := assembler{b: b, entry: e, scope: scope, block: isPage(sheet.File.Path.Name)}
		a.all(sheet)
	})
	for i := range e.pieces {
		if e.pieces[i].traits == nil {
			e.pieces[i].traits = new(traits)
		}
	}
}

// reset forgets what was made of an entry, but not what was read for it.
func (e *entry) reset() {
	e.pieces, e.tree, e.diags, e.checks, e.sheets, e.external, e.record, e.composed = nil, nil, nil, nil, nil, 0, nil, nil
}

// all appends the pieces of a sheet and of all that it imports, and reports what turned out at the end.
func (a *assembler) all(sheet *graph.Sheet) {
	e := a.entry
	a.presets()
	e.tree = &ImportNode{Sheet: a.b.project.Tree.Show(e.path), path: e.path}
	a.sheet(sheet, nil, &visit{path: e.path, node: e.tree})
	if a.b.records {
		a.markRepeated()
	}
	for _, d := range a.scope.Unknown() {
		a.report(d)
	}
	a.idleDrops()
}

// presets sets the constants that every sheet sees.
func (a *assembler) presets() {
	settings := a.b.project.Settings
	c := a.composer(nil)
	for _, t := range settings.Tokens {
		root, name := project.SplitRoot(t.Name)
		if list, ok := a.tokens(source.Path{Root: root, Name: path.Clean(name)}, t.At, nil); ok {
			c.SetTokens(list, nil, a.scope)
		}
	}
	for _, k := range settings.Constants {
		c.Preset(k.Path, k.Text, k.At, compose.BySetting, a.scope)
	}
}

// composer returns what composes a sheet.
func (a *assembler) composer(here *visit) *compose.Composer {
	return &compose.Composer{
		Report: func(d diag.Diagnostic) { a.report(d) }, Limits: a.b.limits(), Record: a.entry.record, Imports: trailOf(here),
		Tokens: func(address string, at source.Span) ([]tokens.Token, bool) {
			t := graph.Resolve(a.b.project.Tree, here.path, a.b.project.Settings.Base, address)
			if d, ok := a.b.badTarget(t, address, at); ok {
				d.Imports = trailOf(here)
				a.report(d)
				return nil, false
			}
			if t.Kind == graph.External {
				a.report(diag.Diagnostic{Code: code.BadTokens, Severity: diag.Error, Span: at, Message: "tokens are read from files of the project, not from elsewhere"})
				return nil, false
			}
			return a.tokens(t.Path, at, here)
		},
	}
}

// tokens returns the design tokens of a file that the source at span names.
func (a *assembler) tokens(p source.Path, at source.Span, here *visit) ([]tokens.Token, bool) {
	a.entry.deps[p] = true
	f, err := a.b.memory.tokens.Load(p)
	if err != nil {
		d := a.b.unreadable(p, err, at)
		d.Imports = trailOf(here)
		a.report(d)
		return nil, false
	}
	a.entry.diags = append(a.entry.diags, f.Diagnostics...)
	return f.Tokens, true
}

// idleDrops warns of each @drop that dropped nothing.
func (a *assembler) idleDrops() {
	for _, d := range a.scope.IdleDrops() {
		mend := ""
		if d.Near != "" {
			mend = fmt.Sprintf("did you mean %q?", d.Near)
		}
		a.report(diag.Diagnostic{Code: code.IdleDrop, Severity: diag.Warning, Span: d.At,
			Message: fmt.Sprintf("this drops nothing: no %q was set, nor was there a default for it", d.Path), Mend: mend})
	}
}

// assembler follows the imports of one entry.
type assembler struct {
	b     *builder
	entry *entry
	scope *compose.Scope
	full  bool
	block bool // the sheet is a style element of a page
}

// visit is a sheet that is open while its imports are followed.
type visit struct {
	path source.Path
	at   source.Span // of the import that led to it; the zero Span for the entry
	from *visit
	node *ImportNode // in the tree of imports
	// rules and sheets are what the imports that led here say of the parts
	// they want; an import that takes only some sheets says nothing of those
	// that one of them imports. leftOut tells that the sheet itself is not
	// wanted, cut that neither is what it imports.
	rules, sheets []*parts
	overrides     []*override // what they put in place of values, the nearest import first
	leftOut, cut  bool
}

func (a *assembler) report(ds ...diag.Diagnostic) { a.entry.diags = append(a.entry.diags, ds...) }
