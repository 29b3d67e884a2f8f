// Package link resolves a sheet with its imports into a list of [Piece] values
// in cascade order. Each piece is the part of the result that comes from one
// source sheet, after the chain of that sheet, with the conditions of the
// imports that led to it.
//
// Start reading at [Linker.Entry]. It runs an assembler, which follows imports
// (follow.go) and processes the rules of one sheet (process.go). The result
// does not depend on the page, so it is cached and shared by all pages.
package link

import (
	"context"
	"fmt"
	"path"
	"slices"
	"sync"
	"weak"

	"rinzel/internal/cache"
	"rinzel/internal/css/ast"
	"rinzel/internal/diag"
	"rinzel/internal/diag/code"
	"rinzel/internal/graph"
	"rinzel/internal/inventory"
	"rinzel/internal/pipeline"
	"rinzel/internal/project"
	"rinzel/internal/source"
	"rinzel/internal/sourcemap"
	"rinzel/internal/step"
	"rinzel/internal/step/check"
	"rinzel/internal/step/compose"
	"rinzel/internal/step/lower"
	"rinzel/internal/step/prefix"
	"rinzel/internal/tokens"
)

// Linker resolves sheets. It is safe for concurrent use.
type Linker struct {
	Files    *inventory.Inventory
	Settings *project.Settings
	Limits   compose.Limits
	Checker  *check.Checker
	// Chain returns the chain of a sheet.
	Chain func(source.Path) (*pipeline.Chain, error)
	Cache *Cache
	// Names returns the names in use, sorted; it is called if a sheet has families of
	// classes. It may be nil.
	Names func() []string
	// Record makes entries record where constants are set and read, and the
	// rules of their sheets after composition.
	Record bool
	// CheckAll enables the checks of all sheets, regardless of the settings, and
	// WithoutChecks disables them.
	CheckAll, WithoutChecks bool
	// Maps makes pieces have the source maps that their sheets come with.
	Maps bool
	// Stages makes pieces keep what their sheet was after each step.
	Stages bool
	// Ran receives each step that ran on a sheet, also composition; may be nil.
	// It must be safe for concurrent use.
	Ran func(*source.File, step.Stage)
}

// Cache holds results of a [Linker] for the next build of the same project with
// the same options.
type Cache struct {
	Sheets   graph.Sheets
	tokens   graph.TokenFiles
	entries  *cache.Table[source.Path, *Entry]
	composed *cache.PerFile[*Composed]
	own      *cache.Table[source.Path, *Composed] // of sheets with steps of the settings
	inputs   *cache.PerFile[*readInput]           // by the file of the map, or by the sheet with it
}

// NewCache returns an empty cache in a store.
func NewCache(s *cache.Store) *Cache {
	return &Cache{graph.NewSheets(s), graph.NewTokenFiles(s), cache.NewTable[source.Path, *Entry](s),
		cache.NewPerFile[*Composed](s), cache.NewTable[source.Path, *Composed](s), cache.NewPerFile[*readInput](s)}
}

// Entry is a resolved sheet with its imports. It is immutable and does not
// depend on the page.
type Entry struct {
	Path   source.Path
	Pieces []Piece // in cascade order
	// Distinct are the pieces without those that later ones repeat, see
	// [WithoutRepeats]. It must not be modified.
	Distinct []Piece
	Tree     *ImportNode
	// Diagnostics and Checks are the findings, the latter those of the checks.
	// Findings of sheets that are cached on their own are in Sheets.
	Diagnostics []diag.Diagnostic
	Checks      []diag.Diagnostic
	Sheets      []*Composed
	External    int                  // number of external imports
	Reads       map[source.Path]bool // files that were read for it, including missing ones
	// Checked are the sheets that were checked, Unchecked those of libraries
	// that were not.
	Checked, Unchecked map[source.Path]bool
	Families           *compose.Families // nil if there are none

	// Only if the linker records:
	Constants *compose.Record
	Nodes     [][]ast.Node // of each sheet, after composition
}

// Piece is a part of a bundle that comes from one source sheet.
type Piece struct {
	File  *source.File
	Sheet *graph.Sheet // nil for an external import
	Nodes []ast.Node
	// Conditions are those of the imports that led to the sheet, outermost
	// first. Pieces of one import share its condition: they are in the same
	// layer.
	Conditions []*Condition
	External   *ast.AtRule // an external import; the other fields are empty then
	Prologue   bool        // rules before the imports of the sheet
	Node       *ImportNode // of the sheet
	Prefixes   []prefix.Change
	Lowered    []lower.Change
	Written    ast.Counts // of the sheet as it is written; zero for a prologue
	Motion     check.Animations
	// Stages are the results of composition and of the steps of the chain, in
	// order, if the linker keeps them; nil for a prologue and for an external
	// import.
	Stages []step.Stage
	// Made lists what calls and loops made, if the linker keeps stages.
	Made []compose.Made
	// Input is the source map that the sheet comes with; nil for none.
	Input *sourcemap.Input
	// Content identifies the nodes of a piece: pieces with the same content
	// have the same nodes, and are all in a layer or all in none. It is nil for
	// an external import.
	Content *Content
}

// Content identifies the nodes of a piece, and caches facts about them.
type Content struct {
	Layered bool

	once  sync.Once
	facts any

	layers   sync.Once
	hasLayer bool // it has an @layer rule

	mu    sync.Mutex
	equal map[weak.Pointer[Content]]bool // others that it was compared with
}

// Facts returns cached facts about the content, which make computes on the
// first call. All callers must use the same type.
func (c *Content) Facts(make func() any) any {
	c.once.Do(func() { c.facts = make() })
	return c.facts
}

// IsLayered reports whether an import that led to a piece puts it into a layer.
func (p *Piece) IsLayered() bool {
	return slices.ContainsFunc(p.Conditions, func(c *Condition) bool { return c.HasLayer })
}

// maxImports limits the nesting of imports, and maxPieces the sheets of an
// entry, counted at each import: sheets that import the next one twice reach
// any number.
const (
	maxImports = 100
	maxPieces  = 20_000
)

// Entry resolves a linked sheet. If the sheet itself cannot be read, the entry
// has no pieces, and the caller must report it. The error is that of a step, or
// of a cancelled context.
func (l *Linker) Entry(ctx context.Context, p source.Path) (*Entry, error) {
	var failed error
	e := l.Cache.entries.Renew(l.Files.Reader, p, l.IsCurrent, func(r *cache.Reads, before **Entry) (*Entry, bool) {
		e := newEntry(p)
		var families *compose.Families // with other names in use
		if before != nil {
			families = (*before).Families
		}
		if sheet, err := l.Cache.Sheets.Load(r, p); err == nil {
			failed = l.Through(r).assemble(ctx, e, sheet, families, false)
		}
		return e, failed == nil
	})
	return e, failed
}

// IsCurrent reports whether the members of families in an entry are those that are
// in use now.
func (l *Linker) IsCurrent(e *Entry) bool {
	return e.Families == nil || l.Names == nil || e.Families.Same(l.Names())
}

// Element resolves a style element, parsed as a sheet. Its URLs are relative to
// from.
func (l *Linker) Element(ctx context.Context, from source.Path, sheet *graph.Sheet) (*Entry, error) {
	e := newEntry(from)
	return e, l.assemble(ctx, e, sheet, nil, true)
}

// Through returns a linker that reads through another reader.
func (l *Linker) Through(r source.Reader) *Linker {
	copied := *l
	copied.Files = l.Files.Through(r)
	return &copied
}

// newEntry returns an empty entry.
func newEntry(p source.Path) *Entry {
	return &Entry{Path: p, Reads: map[source.Path]bool{p: true}, Checked: make(map[source.Path]bool),
		Unchecked: make(map[source.Path]bool)}
}

// assemble resolves an entry. It is repeated until all names that are used
// before their definition are known. before has the families of the same sheets for other
// names in use; nil if they are not known.
func (l *Linker) assemble(ctx context.Context, e *Entry, sheet *graph.Sheet, before *compose.Families,
	element bool) error {
	a := assembler{Linker: l, ctx: ctx, entry: e, isElement: element}
	families := compose.ResolveAgain(before, l.Names, func(scope *compose.Scope) {
		*e = Entry{Path: e.Path, Reads: e.Reads, Checked: e.Checked, Unchecked: e.Unchecked}
		if l.Record {
			e.Constants = new(compose.Record)
		}
		a.scope, a.full, a.later = scope, false, nil
		a.all(sheet)
	})
	e.Families = families
	for _, finish := range a.later {
		finish()
	}
	e.Pieces = slices.DeleteFunc(e.Pieces, func(p Piece) bool { return p.File == nil && p.External == nil })
	if l.Record {
		a.markRepeated()
	}
	for i := range e.Pieces {
		if p := &e.Pieces[i]; p.Content == nil && p.External == nil {
			p.Content = &Content{Layered: p.IsLayered()}
		}
	}
	e.Distinct = WithoutRepeats(e.Pieces)
	return a.err
}

// assembler follows the imports of one entry.
type assembler struct {
	*Linker
	ctx       context.Context
	err       error // of a step; the first one is kept
	entry     *Entry
	scope     *compose.Scope
	full      bool // maxPieces was reached
	isElement bool // the sheet is a style element
	// later runs the steps on sheets that depend on others, and reports parts of
	// imports without effect: only the last pass over the imports needs it.
	later []func()
}

// visit is a sheet whose imports are being followed.
type visit struct {
	path source.Path
	at   source.Span // the import that led to it; the zero Span for the entry
	from *visit
	node *ImportNode // in the import tree
	// rules and sheets are the without() and only() of the imports that led to
	// the sheet; an import that selects sheets does not apply to the imports of
	// a selected sheet. excluded is set if the sheet itself is excluded, cut if
	// its imports are as well.
	rules, sheets []*parts
	overrides     []*override // replacements of the imports, the nearest first
	excluded, cut bool
}

// report adds findings to the entry.
func (a *assembler) report(ds ...diag.Diagnostic) {
	a.entry.Diagnostics = append(a.entry.Diagnostics, ds...)
}

// fail records an error.
func (a *assembler) fail(err error) {
	if a.err == nil {
		a.err = err
	}
}

// all appends the pieces of a sheet and its imports, and reports findings that
// are only known at the end.
func (a *assembler) all(sheet *graph.Sheet) {
	e := a.entry
	a.presets()
	e.Tree = &ImportNode{Sheet: a.Files.Show(e.Path), Path: e.Path}
	a.sheet(sheet, nil, &visit{path: e.Path, node: e.Tree})
	for _, d := range a.scope.Unknown() {
		a.report(d)
	}
	a.unmatchedDrops()
}

// presets sets the constants of the settings.
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

// composer returns the composer of a sheet.
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
				a.report(diag.Diagnostic{Code: code.BadTokens, Severity: diag.Error, Span: at,
					Message: "@tokens cannot read an external file: only files of the project"})
				return nil, false
			}
			return a.readTokens(t.Path, at, here)
		},
	}
}

// readTokens returns the design tokens of a file that is named at a span.
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

// unmatchedDrops warns about each @drop without effect.
func (a *assembler) unmatchedDrops() {
	for _, d := range a.scope.UnmatchedDrops() {
		fix := ""
		if d.Near != "" {
			fix = fmt.Sprintf("did you mean %q?", d.Near)
		}
		a.report(diag.Diagnostic{Code: code.UnmatchedDrop, Severity: diag.Warning, Span: d.At,
			Message: fmt.Sprintf("@drop has no effect: %q was never set and has no default", d.Path), Fix: fix})
	}
}
