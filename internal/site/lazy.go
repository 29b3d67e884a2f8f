package site

import (
	"context"
	"fmt"
	"path"
	"slices"
	"strings"

	"rinzel/internal/diag"
	"rinzel/internal/diag/code"
	"rinzel/internal/emit"
	"rinzel/internal/graph"
	"rinzel/internal/link"
	"rinzel/internal/modules"
	"rinzel/internal/project"
	"rinzel/internal/source"
)

// This file plans the bundles that scripts load. Sheets imported by an
// import() get bundles of their own, which are loaded before the code of the
// module runs. Sheets that a script imports as objects, or refers to by URL,
// get a bundle of one sheet each.

// loading is what scripts load, on all pages.
type loading struct {
	b          *builder
	programs   []*modules.Program      // by page
	static     []map[source.Path]bool  // by page: the sheets that it links for its scripts
	entries    []*modules.LazyEntry    // all, in the order in which pages use them
	bundles    []*styles               // of sheets that are loaded lazily, or added by a script
	of         map[source.Path]*styles // bundle of each sheet that is loaded lazily, or added by a script
	referenced map[source.Path]*styles // bundle of each sheet that a script refers to
	order      []*styles               // values of referenced, in order of first use
	names      map[string]bool
	number     map[*modules.LazyEntry]int // of each entry
}

// lazySheet is a sheet that a script loads lazily.
type lazySheet struct {
	use     modules.StyleUse
	entries []int // numbers of the entries that use it
	missing bool  // some page that may load it does not link it
	linked  []int // pages that link it
}

// class groups sheets: those of one class are always loaded together.
func (s *lazySheet) class() string { return fmt.Sprint(s.entries, s.linked) }

// load determines what scripts load on pages that run programs.
func (b *builder) load(ctx context.Context, programs []*modules.Program) *loading {
	l := &loading{b: b, programs: programs, of: make(map[source.Path]*styles),
		referenced: make(map[source.Path]*styles), names: make(map[string]bool), number: make(map[*modules.LazyEntry]int)}
	met := make(map[*modules.LazyEntry]bool)
	late := slices.ContainsFunc(programs, func(p *modules.Program) bool { return len(p.Lazy) > 0 })
	for i, p := range programs {
		static := make(map[source.Path]bool)
		for _, s := range p.Sheets {
			static[s.Path] = true
		}
		if late && i < len(b.pages) {
			for _, sheet := range b.plainlyLinked(b.pages[i]) {
				static[sheet] = true
			}
		}
		l.static = append(l.static, static)
		for _, e := range p.Lazy {
			if !met[e] {
				met[e] = true
				l.number[e] = len(l.entries)
				l.entries = append(l.entries, e)
			}
		}
	}
	if b.profile.Scripts == project.AdoptStyles {
		l.adopted(ctx)
	} else {
		l.planLazy(ctx)
	}
	for i, p := range programs {
		for _, t := range p.SheetRefs {
			l.referencedBundle(ctx, t).on(b.pages, i)
		}
	}
	return l
}

// plainlyLinked returns the sheets that a page links unconditionally.
func (b *builder) plainlyLinked(p *graph.Page) []source.Path {
	var out []source.Path
	for _, g := range p.Groups {
		for _, l := range g.Links {
			if t := b.files.ResolveIn(p, l.Href); t.Kind == graph.Local && l.IsPlain() && l.Media == "" {
				out = append(out, t.Path)
			}
		}
	}
	return out
}

// sheets returns the lazily loaded sheets by path.
func (l *loading) sheets() map[source.Path]*lazySheet {
	sheets := make(map[source.Path]*lazySheet)
	for _, e := range l.entries {
		for _, s := range e.Sheets() {
			if sheets[s.Path] == nil {
				sheets[s.Path] = &lazySheet{use: s}
			}
			sheets[s.Path].entries = append(sheets[s.Path].entries, l.number[e])
		}
	}
	for i, p := range l.programs {
		for path := range l.static[i] {
			if s := sheets[path]; s != nil {
				s.linked = append(s.linked, i)
			}
		}
		for _, e := range p.Lazy {
			for _, s := range e.Sheets() {
				if !l.static[i][s.Path] {
					sheets[s.Path].missing = true
				}
			}
		}
	}
	return sheets
}

// planLazy creates the bundles of sheets that some page loads lazily and does
// not link. Sheets share a bundle if the same scripts use them, one directly
// after the other, and the same pages link them: then a page that has one of
// them has all.
func (l *loading) planLazy(ctx context.Context) {
	sheets := l.sheets()
	lists := make([][]*lazySheet, len(l.entries))
	next := make(map[[2]*lazySheet]int) // how often one follows another
	for i, e := range l.entries {
		for _, u := range e.Sheets() {
			s := sheets[u.Path]
			if !s.missing {
				continue
			}
			if n := len(lists[i]); n > 0 {
				next[[2]*lazySheet{lists[i][n-1], s}]++
			}
			lists[i] = append(lists[i], s)
		}
	}
	for _, list := range lists {
		var made *styles
		for k, s := range list {
			if l.of[s.use.Path] != nil {
				made = nil
				continue
			}
			if made == nil || s.class() != list[k-1].class() || next[[2]*lazySheet{list[k-1], s}] < len(s.entries) {
				made = l.newLazyBundle(s)
			}
			made.pieces = append(made.pieces, l.b.styleEntry(ctx, s.use).Pieces...)
			l.of[s.use.Path] = made
		}
	}
	for _, s := range l.bundles {
		s.pieces = link.WithoutRepeats(s.pieces)
	}
	l.verify()
}

// newLazyBundle returns the bundle of a lazily loaded sheet and those that
// follow it.
func (l *loading) newLazyBundle(s *lazySheet) *styles {
	name := emit.PlainName(s.use.Path)
	first := l.entries[s.entries[0]].Path
	if !slices.ContainsFunc(s.entries, func(e int) bool { return l.entries[e].Path != first }) {
		name = emit.PlainName(first)
	}
	made := &styles{name: l.unused(name), at: s.use.At, lazy: true, linked: s.linked}
	for i, p := range l.programs {
		if slices.ContainsFunc(p.Lazy,
			func(e *modules.LazyEntry) bool { return slices.Contains(s.entries, l.number[e]) }) && !l.static[i][s.use.Path] {
			made.on(l.b.pages, i)
		}
	}
	l.bundles = append(l.bundles, made)
	return made
}

// unused returns an unused name for a bundle, based on the name of a script or
// sheet.
func (l *loading) unused(name string) string {
	stem := strings.TrimSuffix(name, path.Ext(name))
	name = stem + ".css"
	for n := 2; l.names[strings.ToLower(name)]; n++ {
		name = fmt.Sprintf("%s-%d.css", stem, n)
	}
	l.names[strings.ToLower(name)] = true
	return name
}

// verify checks that each sheet that scripts import is either linked by the
// page or loaded by a script, on every page, and not both. A violation is a bug
// of the planner.
func (l *loading) verify() {
	for i, p := range l.programs {
		for _, e := range p.Lazy {
			for _, s := range e.Sheets() {
				late := l.of[s.Path]
				if !l.static[i][s.Path] && late == nil || l.static[i][s.Path] && late != nil && !slices.Contains(late.linked, i) {
					panic(fmt.Sprintf("build: %s is lost or doubled on page %d", s.Path, i))
				}
			}
		}
	}
}

// adopted creates a bundle for each imported sheet, which a module adds to the
// page.
func (l *loading) adopted(ctx context.Context) {
	for i, p := range l.programs {
		list := slices.Clone(p.Sheets)
		for _, e := range p.Lazy {
			list = append(list, e.Sheets()...)
		}
		for _, s := range list {
			if s.Direct {
				continue
			}
			made := l.of[s.Path]
			if made == nil {
				made = &styles{name: l.unused(emit.PlainName(s.Path)), at: s.At, adopted: true,
					pieces: slices.Clone(l.b.objectEntry(ctx, s).Distinct)}
				l.of[s.Path] = made
				l.bundles = append(l.bundles, made)
			}
			made.on(l.b.pages, i)
		}
	}
}

// referencedBundle creates the bundle of a sheet that a script refers to.
func (l *loading) referencedBundle(ctx context.Context, t modules.SheetRef) *styles {
	made := l.referenced[t.Path]
	if made == nil {
		made = &styles{at: t.At, referenced: true, pieces: slices.Clone(l.b.referencedEntry(ctx, t).Distinct)}
		made.name = l.unused(emit.PlainName(t.Path))
		l.referenced[t.Path] = made
		l.order = append(l.order, made)
	}
	made.plain = made.plain || t.Named
	if t.Named { // a script relies on the plain name
		made.name = emit.PlainName(t.Path)
	}
	return made
}

// on records that the i-th page may load a bundle; s may be nil.
func (s *styles) on(pages []*graph.Page, i int) {
	if i < len(pages) && !slices.Contains(s.pages, pages[i]) {
		s.pages = append(s.pages, pages[i])
	}
}

// referencedEntry resolves a sheet that a script refers to. A sheet used by URL
// may be linked and may therefore import others.
func (b *builder) referencedEntry(ctx context.Context, t modules.SheetRef) *link.Entry {
	if t.Named {
		return b.styleEntry(ctx, t.StyleUse)
	}
	return b.objectEntry(ctx, t.StyleUse)
}

// objectEntry resolves a sheet that a script imports as an object. Browsers
// ignore imports in such a sheet (CSSOM, section 6.3).
func (b *builder) objectEntry(ctx context.Context, s modules.StyleUse) *link.Entry {
	e := b.styleEntry(ctx, s)
	if e.External > 0 {
		b.report(diag.Diagnostic{Code: code.ExternalImport, Severity: diag.Error, Span: s.At,
			Message: fmt.Sprintf("%q imports an external sheet: browsers ignore such imports in sheets that scripts use",
				b.files.Show(s.Path)),
			Fix: "link the external sheet from the page"})
	}
	return e
}

// styleEntry resolves a sheet that a script imports.
func (b *builder) styleEntry(ctx context.Context, s modules.StyleUse) *link.Entry {
	if _, err := b.cache.linked.Sheets.Load(b.files, s.Path); err != nil {
		b.report(b.files.Unreadable(s.Path, err, s.At))
	}
	return b.entryOf(ctx, s.Path)
}
