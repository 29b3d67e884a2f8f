package site

import (
	"cmp"
	"context"
	"fmt"
	"slices"

	"rinzel/internal/diag"
	"rinzel/internal/graph"
	"rinzel/internal/inventory"
	"rinzel/internal/link"
	"rinzel/internal/modules"
	"rinzel/internal/project"
	"rinzel/internal/source"
)

// Survey resolves what a project uses without building outputs. Its entries
// have records of constants.
type Survey struct{ b *builder }

// NewSurvey returns a survey of a project.
func NewSurvey(ctx context.Context, p *project.Project) (*Survey, error) {
	b, err := newBuilder(ctx, p, Options{})
	if err != nil {
		return nil, err
	}
	b.linker.Record = true
	return &Survey{b}, nil
}

// Files returns the files of the project.
func (s *Survey) Files() *inventory.Inventory { return s.b.files }

// EntryPoint is a page, or a bundle of the settings, with the sheets that it
// uses.
type EntryPoint struct {
	Page   *graph.Page // nil for a bundle
	Name   string      // displayed path
	Sheets []ReachedSheet
	// Elements are the import trees of style elements that import sheets.
	Elements []*link.ImportNode
}

// ReachedSheet is a sheet that a page or a bundle uses.
type ReachedSheet struct {
	Path   source.Path
	Script string // displayed path of the script that imports it; empty for a link
}

// EntryPoints returns the pages, then the bundles of the settings.
func (s *Survey) EntryPoints(ctx context.Context) []EntryPoint {
	var out []EntryPoint
	pages := s.b.findPages()
	for i, sheets := range s.b.sheetsOfAll(ctx, pages) {
		p := pages[i]
		out = append(out, EntryPoint{Page: p, Name: p.File.Name, Sheets: sheets, Elements: s.b.elementTrees(ctx, p)})
	}
	for _, n := range s.b.namedBundles() {
		out = append(out, EntryPoint{Name: fmt.Sprintf("the bundle %s", n.file), Sheets: s.b.scriptSheets(n.runs)})
	}
	return out
}

// Entry resolves a sheet with its imports. ok is false if it cannot be read,
// which is reported if asked is set.
func (s *Survey) Entry(ctx context.Context, p source.Path, asked bool) (e *link.Entry, ok bool) {
	if _, err := s.b.cache.linked.Sheets.Load(s.b.files, p); err != nil {
		if asked {
			s.b.report(s.b.files.Unreadable(p, err, source.Span{}))
		}
		return nil, false
	}
	return s.b.entryOf(ctx, p), true
}

// EntryPaths returns the sheets that pages and bundles of the settings use, in
// their order. Without pages and bundles, it returns the sheets of the source
// folder that no other sheet imports.
func (s *Survey) EntryPaths(ctx context.Context) []source.Path { return s.b.entryPaths(ctx) }

// SheetNamed returns the path of a sheet given as a path in the source folder,
// or "root:path". It returns an error for an unknown root.
func (s *Survey) SheetNamed(name string) (source.Path, error) { return s.b.sheetNamed(name) }

// Diagnostics returns the findings so far, in the order in which they are
// shown.
func (s *Survey) Diagnostics() []diag.Diagnostic { return s.b.diags.Sorted(s.b.project.Tree.Set) }

// Err returns the error that the survey failed with, or that it was cancelled.
func (s *Survey) Err(ctx context.Context) error { return cmp.Or(s.b.failure(), ctx.Err()) }

// entryPaths implements [Survey.EntryPaths].
func (b *builder) entryPaths(ctx context.Context) []source.Path {
	var out []source.Path
	add := func(list []ReachedSheet) {
		for _, s := range list {
			if !slices.Contains(out, s.Path) {
				out = append(out, s.Path)
			}
		}
	}
	pages := b.findPages()
	for _, sheets := range b.sheetsOfAll(ctx, pages) {
		add(sheets)
	}
	list := b.namedBundles()
	for _, n := range list {
		add(b.scriptSheets(n.runs))
	}
	if len(pages)+len(list) > 0 {
		return out
	}
	sheets := b.files.Sheets()
	imported := make(map[source.Path]bool)
	for _, from := range sheets {
		b.noteImports(from, imported)
	}
	return slices.DeleteFunc(sheets, func(p source.Path) bool { return imported[p] })
}

// noteImports records the sheets that a sheet imports, by its text alone.
func (b *builder) noteImports(from source.Path, imported map[source.Path]bool) {
	sheet, err := b.cache.linked.Sheets.Load(b.files, from)
	if err != nil {
		return
	}
	for _, n := range sheet.Nodes {
		r, ok := graph.IsImport(n)
		if !ok {
			continue
		}
		if imp, ok := graph.ReadImport(r.Prelude); ok {
			imported[b.files.Resolve(from, imp.Address).Path] = true
		}
	}
}

// sheetsOfAll returns the sheets of each page.
func (b *builder) sheetsOfAll(ctx context.Context, pages []*graph.Page) [][]ReachedSheet {
	out := make([][]ReachedSheet, len(pages))
	err := b.inParallel(ctx, "reading pages and sheets", len(pages), func(i int) { out[i] = b.sheetsOf(ctx, pages[i]) })
	if err != nil {
		b.fail(err)
	}
	return out
}

// sheetsOf returns the sheets of the project that a page links or its scripts
// import.
func (b *builder) sheetsOf(ctx context.Context, p *graph.Page) []ReachedSheet {
	var out []ReachedSheet
	links := b.linksOf(p, nil)
	for _, g := range p.Groups {
		for _, l := range g.Links {
			if e, _ := links.linkedSheet(ctx, l); e != nil {
				out = append(out, ReachedSheet{Path: e.Path})
			}
		}
	}
	b.replay(p, links.out)
	return append(out, b.scriptSheets(b.scripts.Program(p))...)
}

// scriptSheets returns the sheets that scripts import, directly or lazily,
// without duplicates.
func (b *builder) scriptSheets(runs *modules.Program) []ReachedSheet {
	var out []ReachedSheet
	add := func(s modules.StyleUse) {
		by := ""
		if f := b.project.Tree.Set.File(s.At.Start.File); f != nil && !s.Direct {
			by = f.Name
		}
		if b.files.Exists(s.Path) && !slices.ContainsFunc(out, func(r ReachedSheet) bool { return r.Path == s.Path }) {
			out = append(out, ReachedSheet{s.Path, by})
		}
	}
	for _, s := range runs.Sheets {
		add(s)
	}
	for _, l := range runs.Lazy {
		for _, s := range l.Sheets() {
			add(s)
		}
	}
	for _, t := range runs.SheetRefs {
		add(t.StyleUse)
	}
	return out
}

// elementTrees returns the import trees of the style elements of a page.
func (b *builder) elementTrees(ctx context.Context, p *graph.Page) []*link.ImportNode {
	var out []*link.ImportNode
	for _, at := range p.Styles {
		f, sheet, ok := b.parseElement(p, at)
		if !ok || len(sheet.Diagnostics) > 0 {
			continue
		}
		e, err := b.linker.Element(ctx, f.Path, sheet)
		if err != nil {
			b.fail(err)
		}
		if len(e.Tree.Imports) > 0 {
			line, _ := p.File.Position(uint32(at.Start))
			e.Tree.Sheet = fmt.Sprintf("the style element in line %d", line)
			out = append(out, e.Tree)
		}
	}
	return out
}

// ProposeEvidence returns globs for file types in the source folder that may
// contain names in use and are not covered by the evidence.
func ProposeEvidence(ctx context.Context, p *project.Project) ([]string, error) {
	b, err := newBuilder(ctx, p, Options{})
	if err != nil {
		return nil, err
	}
	return b.gatherer().Propose(), nil
}
