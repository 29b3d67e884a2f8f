// Package link works out what a sheet brings into a page: the sheet and all that it imports become a list of pieces in cascade
// order, each with the conditions under which it was imported, and each taken through the chain of steps of its own sheet.
//
// [Linker.Entry] is the place to start reading. It calls the assembler, which follows the imports (follow.go) and goes through
// the rules of one sheet (walk.go).
package link

import (
	"context"
	"fmt"
	"path"
	"slices"
	"sync"

	"rinzel/internal/cache"
	"rinzel/internal/css/ast"
	"rinzel/internal/diag"
	"rinzel/internal/diag/code"
	"rinzel/internal/graph"
	"rinzel/internal/inventory"
	"rinzel/internal/pipeline"
	"rinzel/internal/project"
	"rinzel/internal/source"
	"rinzel/internal/step/check"
	"rinzel/internal/step/compose"
	"rinzel/internal/step/prefix"
	"rinzel/internal/tokens"
)

// Linker works out sheets with all that they import. It is safe for concurrent use.
type Linker struct {
	Files    *inventory.Inventory
	Settings *project.Settings
	Limits   compose.Limits
	Checker  *check.Checker
	// Chain returns the steps that a sheet goes through.
	Chain func(source.Path) (*pipeline.Chain, error)
	Cache *Cache
	// Record has each entry tell where constants are set and read, and what its sheets are before the steps after compose.
	Record bool
	// CheckAll has all sheets be checked, whatever the settings say of builds.
	CheckAll bool
}

// Cache is what a [Linker] keeps for the next build of the same project with the same options.
type Cache struct {
	Sheets   graph.Sheets
	tokens   graph.TokenFiles
	entries  *cache.Table[source.Path, *Entry]
	composed *cache.PerFile[*Composed]
}

// NewCache returns an empty cache that is part of a store.
func NewCache(s *cache.Store) *Cache {
	return &Cache{graph.NewSheets(s), graph.NewTokenFiles(s), cache.NewTable[source.Path, *Entry](s), cache.NewPerFile[*Composed](s)}
}

// Entry is a sheet that a page links, with all that it imports. It does not depend on the page, and is not changed once it is
// made.
type Entry struct {
	Path   source.Path
	Pieces []Piece // in cascade order
	Tree   *ImportNode
	// Diagnostics and Checks are what was found, the latter by the checks. What was found in sheets that stand alone is in Sheets.
	Diagnostics []diag.Diagnostic
	Checks      []diag.Diagnostic
	Sheets      []*Composed
	External    int                  // pieces that are imports from elsewhere
	Reads       map[source.Path]bool // files that were read for it, or are missing
	// Checked are the sheets that were checked, Unchecked those of libraries that were not.
	Checked, Unchecked map[source.Path]bool

	// Only if the linker records:
	Constants *compose.Record
	Nodes     [][]ast.Node // of each sheet, before the steps after compose
}

// Piece is a part of a bundle that comes from one source sheet.
type Piece struct {
	File  *source.File
	Nodes []ast.Node
	// Conditions are those of the imports that led here, outermost first. Pieces of one import share its condition: they are in
	// one layer.
	Conditions []*Condition
	External   *ast.AtRule // an import from elsewhere, which stays an import; then all else is empty
	Prologue   bool        // rules that stand before the imports of the sheet
	Node       *ImportNode // of the sheet
	Prefixes   []prefix.Change
	Motion     check.Motion
	// Content tells pieces apart: two with the same content hold the same nodes, both in a layer or both in none. It is nil for an
	// import from elsewhere.
	Content *Content
}

// Content is the identity of what a piece holds, and keeps what others find out about it as long as the content is in use.
type Content struct {
	Layered bool

	once  sync.Once
	facts any
}

// Facts returns what is known of the content: what make returned when it was called first. All callers use one type.
func (c *Content) Facts(make func() any) any {
	c.once.Do(func() { c.facts = make() })
	return c.facts
}

// IsLayered reports whether one of the imports that led to a piece puts it into a layer.
func (p *Piece) IsLayered() bool {
	return slices.ContainsFunc(p.Conditions, func(c *Condition) bool { return c.HasLayer })
}

// maxImports is how many imports may lead from a sheet to another, and
// maxPieces how many sheets an entry may reach, each counted as often as it is
// imported: sheets that each import the next one twice reach any number.
const (
	maxImports = 100
	maxPieces  = 20_000
)

// Entry returns the entry of a linked sheet. That the sheet itself cannot be read is for the caller to report: its entry has no
// pieces then. The error is that of a step, or of a context that ended.
func (l *Linker) Entry(ctx context.Context, p source.Path) (*Entry, error) {
	var failed error
	e := l.Cache.entries.Get(l.Files.Reader, p, nil, func(r *cache.Reads) (*Entry, bool) {
		e := newEntry(p)
		if sheet, err := l.Cache.Sheets.Load(r, p); err == nil {
			failed = l.Through(r).assemble(ctx, e, sheet)
		}
		return e, failed == nil
	})
	return e, failed
}

// Element returns the entry of a style element, which was parsed as a sheet. Its addresses count from a path.
func (l *Linker) Element(ctx context.Context, from source.Path, sheet *graph.Sheet) (*Entry, error) {
	e := newEntry(from)
	return e, l.assemble(ctx, e, sheet)
}

// Through returns the same linker, which reads by way of another reader.
func (l *Linker) Through(r source.Reader) *Linker {
	copied := *l
	copied.Files = l.Files.Through(r)
	return &copied
}

func newEntry(p source.Path) *Entry {
	return &Entry{Path: p, Reads: map[source.Path]bool{p: true}, Checked: make(map[source.Path]bool), Unchecked: make(map[source.Path]bool)}
}

// assemble works out an entry. That is done again until the names that a sheet uses before they are defined are known.
func (l *Linker) assemble(ctx context.Context, e *Entry, sheet *graph.Sheet) error {
	a := assembler{Linker: l, ctx: ctx, entry: e, isElement: inventory.IsPage(sheet.File.Path.Name)}
	compose.Settle(func(scope *compose.Scope) {
		*e = Entry{Path: e.Path, Reads: e.Reads, Checked: e.Checked, Unchecked: e.Unchecked}
		if l.Record {
			e.Constants = new(compose.Record)
		}
		a.scope, a.full = scope, false
		a.all(sheet)
	})
	for i := range e.Pieces {
		if p := &e.Pieces[i]; p.Content == nil && p.External == nil {
			p.Content = &Content{Layered: p.IsLayered()}
		}
	}
	return a.err
}

// assembler follows the imports of one entry.
type assembler struct {
	*Linker
	ctx       context.Context
	err       error // of a step; the first counts
	entry     *Entry
	scope     *compose.Scope
	full      bool // maxPieces are reached
	isElement bool // the sheet is a style element of a page
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

func (a *assembler) report(ds ...diag.Diagnostic) {
	a.entry.Diagnostics = append(a.entry.Diagnostics, ds...)
}

func (a *assembler) fail(err error) {
	if a.err == nil {
		a.err = err
	}
}

// all appends the pieces of a sheet and of all that it imports, and reports what turned out at the end.
func (a *assembler) all(sheet *graph.Sheet) {
	e := a.entry
	a.presets()
	e.Tree = &ImportNode{Sheet: a.Files.Show(e.Path), Path: e.Path}
	a.sheet(sheet, nil, &visit{path: e.Path, node: e.Tree})
	if a.Record {
		a.markRepeated()
	}
	for _, d := range a.scope.Unknown() {
		a.report(d)
	}
	a.idleDrops()
}

// presets sets the constants that every sheet sees.
func (a *assembler) presets() {
	c := a.composer(nil)
	for _, t := range a.Settings.Tokens {
		root, name := project.SplitRoot(t.Name)
		if list, ok := a.readTokens(source.Path{Root: root, Name: path.Clean(name)}, t.At, nil); ok {
			c.SetTokens(list, nil, a.scope)
		}
	}
	for _, k := range a.Settings.Constants {
		c.Preset(k.Path, k.Text, k.At, compose.BySetting, a.scope)
	}
}

// composer returns what composes a sheet.
func (a *assembler) composer(here *visit) *compose.Composer {
	return &compose.Composer{
		Report: func(d diag.Diagnostic) { a.report(d) }, Limits: a.Limits, Record: a.entry.Constants, Imports: trailOf(here),
		Tokens: func(address string, at source.Span) ([]tokens.Token, bool) {
			t := a.Files.Resolve(here.path, address)
			if d, ok := a.Files.BadTarget(t, address, at); ok {
				d.Imports = trailOf(here)
				a.report(d)
				return nil, false
			}
			if t.Kind == graph.External {
				a.report(diag.Diagnostic{Code: code.BadTokens, Severity: diag.Error, Span: at, Message: "@tokens cannot read an external file: only files of the project"})
				return nil, false
			}
			return a.readTokens(t.Path, at, here)
		},
	}
}

// readTokens returns the design tokens of a file that the source at a span names.
func (a *assembler) readTokens(p source.Path, at source.Span, here *visit) ([]tokens.Token, bool) {
	a.entry.Reads[p] = true
	f, err := a.Cache.tokens.Load(a.Files, p)
	if err != nil {
		d := a.Files.Unreadable(p, err, at)
		d.Imports = trailOf(here)
		a.report(d)
		return nil, false
	}
	a.report(f.Diagnostics...)
	return f.Tokens, true
}

// idleDrops warns of each @drop that dropped nothing.
func (a *assembler) idleDrops() {
	for _, d := range a.scope.IdleDrops() {
		fix := ""
		if d.Near != "" {
			fix = fmt.Sprintf("did you mean %q?", d.Near)
		}
		a.report(diag.Diagnostic{Code: code.UnmatchedDrop, Severity: diag.Warning, Span: d.At,
			Message: fmt.Sprintf("@drop has no effect: %q was never set and has no default", d.Path), Fix: fix})
	}
}
