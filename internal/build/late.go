package build

import (
	"fmt"
	"path"
	"slices"
	"strings"

	"rinzel/internal/diag"
	"rinzel/internal/diag/code"
	"rinzel/internal/graph"
	"rinzel/internal/project"
	"rinzel/internal/source"
)

// This file works out the bundles of sheets that scripts load: those behind an
// import() are bundles of their own, loaded before the module's code runs; those
// that a script takes as objects are bundles of one sheet.

// loading is what scripts load on all pages.
type loading struct {
	b        *builder
	programs []*program              // by page
	static   []map[source.Path]bool  // by page: the sheets that it links for its scripts
	entries  []*later                // all, in the order in which pages meet them
	bundles  []*styles               // of sheets that are loaded later, or put in by a script
	of       map[source.Path]*styles // the bundle of a sheet that is loaded later, or put in by a script
	taken    map[source.Path]*styles // the bundle of a sheet that a script takes
	order    []*styles               // those of taken, in the order in which they are met
	names    map[string]bool
}

// lateSheet is what is known of a sheet that some script loads later.
type lateSheet struct {
	use     styleUse
	entries []int // numbers of those that reach it
	missing bool  // some page that may load it does not link it
	linked  []int // pages that link it
}

// class tells sheets apart that are not loaded together.
func (s *lateSheet) class() string { return fmt.Sprint(s.entries, s.linked) }

// load works out what scripts load on pages that run programs.
func (b *builder) load(programs []*program, pages []*graph.Page) *loading {
	l := &loading{b: b, programs: programs, of: make(map[source.Path]*styles), taken: make(map[source.Path]*styles), names: make(map[string]bool)}
	met := make(map[*later]bool)
	late := slices.ContainsFunc(programs, func(p *program) bool { return len(p.later) > 0 })
	for i, p := range programs {
		static := make(map[source.Path]bool)
		for _, s := range p.sheets {
			static[s.path] = true
		}
		if late && i < len(pages) {
			for _, sheet := range b.plainlyLinked(pages[i]) {
				static[sheet] = true
			}
		}
		l.static = append(l.static, static)
		for _, e := range p.later {
			if !met[e] {
				met[e] = true
				e.number = len(l.entries)
				l.entries = append(l.entries, e)
			}
		}
	}
	if b.profile.Scripts == project.AdoptStyles {
		l.adopted(pages)
	} else {
		l.late(pages)
	}
	for i, p := range programs {
		for _, t := range p.taken {
			l.take(t).on(pages, i)
		}
	}
	return l
}

// plainlyLinked returns the sheets that links of a page have it load in any case.
func (b *builder) plainlyLinked(p *graph.Page) []source.Path {
	var out []source.Path
	for _, g := range p.Groups {
		for _, l := range g.Links {
			if t := b.resolveAt(p, l.Href); t.Kind == graph.Local && l.IsPlain() && l.Media == "" {
				out = append(out, t.Path)
			}
		}
	}
	return out
}

// sheets returns what is known of the sheets that are loaded later, by path.
func (l *loading) sheets() map[source.Path]*lateSheet {
	sheets := make(map[source.Path]*lateSheet)
	for _, e := range l.entries {
		for _, s := range e.runs.sheets {
			if sheets[s.path] == nil {
				sheets[s.path] = &lateSheet{use: s}
			}
			sheets[s.path].entries = append(sheets[s.path].entries, e.number)
		}
	}
	for i, p := range l.programs {
		for path := range l.static[i] {
			if s := sheets[path]; s != nil {
				s.linked = append(s.linked, i)
			}
		}
		for _, e := range p.later {
			for _, s := range e.runs.sheets {
				if !l.static[i][s.path] {
					sheets[s.path].missing = true
				}
			}
		}
	}
	return sheets
}

// late makes bundles of the sheets that some page loads later and does not link.
// Sheets go together if the same scripts reach them, one behind the other, and the same
// pages link them: so a page that has one of them has all.
func (l *loading) late(pages []*graph.Page) {
	sheets := l.sheets()
	lists := make([][]*lateSheet, len(l.entries))
	next := make(map[[2]*lateSheet]int) // how often one follows another
	for i, e := range l.entries {
		for _, u := range e.runs.sheets {
			s := sheets[u.path]
			if !s.missing {
				continue
			}
			if n := len(lists[i]); n > 0 {
				next[[2]*lateSheet{lists[i][n-1], s}]++
			}
			lists[i] = append(lists[i], s)
		}
	}
	for _, list := range lists {
		var made *styles
		for k, s := range list {
			if l.of[s.use.path] != nil {
				made = nil
				continue
			}
			if made == nil || s.class() != list[k-1].class() || next[[2]*lateSheet{list[k-1], s}] < len(s.entries) {
				made = l.newLate(s, pages)
			}
			made.pieces = append(made.pieces, l.b.styleEntry(s.use).pieces...)
			l.of[s.use.path] = made
		}
	}
	for _, s := range l.bundles {
		s.pieces = repeated(s.pieces)
	}
	l.account()
}

// newLate returns a bundle for a sheet that is loaded later and those behind it.
func (l *loading) newLate(s *lateSheet, pages []*graph.Page) *styles {
	name := plainAssetName(s.use.path)
	first := l.entries[s.entries[0]].path
	if !slices.ContainsFunc(s.entries, func(e int) bool { return l.entries[e].path != first }) {
		name = plainAssetName(first)
	}
	made := &styles{name: l.unused(name), at: s.use.at, late: true, linked: s.linked}
	for i, p := range l.programs {
		if slices.ContainsFunc(p.later, func(e *later) bool { return slices.Contains(s.entries, e.number) }) && !l.static[i][s.use.path] {
			made.on(pages, i)
		}
	}
	l.bundles = append(l.bundles, made)
	return made
}

// unused returns the name of a bundle, of a script or sheet with a name, that no
// other one has.
func (l *loading) unused(name string) string {
	stem := strings.TrimSuffix(name, path.Ext(name))
	name = stem + ".css"
	for n := 2; l.names[strings.ToLower(name)]; n++ {
		name = fmt.Sprintf("%s-%d.css", stem, n)
	}
	l.names[strings.ToLower(name)] = true
	return name
}

// account holds that, on each page, each sheet that scripts import is linked by the
// page, or loaded by a script, and not both.
func (l *loading) account() {
	for i, p := range l.programs {
		for _, e := range p.later {
			for _, s := range e.runs.sheets {
				late := l.of[s.path]
				if !l.static[i][s.path] && late == nil || l.static[i][s.path] && late != nil && !slices.Contains(late.linked, i) {
					panic(fmt.Sprintf("build: %s is lost or doubled on page %d", s.path, i))
				}
			}
		}
	}
}

// adopted makes a bundle of each sheet that a script imports, which a module puts into
// the page.
func (l *loading) adopted(pages []*graph.Page) {
	for i, p := range l.programs {
		list := slices.Clone(p.sheets)
		for _, e := range p.later {
			list = append(list, e.runs.sheets...)
		}
		for _, s := range list {
			if s.direct {
				continue
			}
			made := l.of[s.path]
			if made == nil {
				made = &styles{name: l.unused(plainAssetName(s.path)), at: s.at, adopted: true, pieces: repeated(l.b.objectEntry(s).pieces)}
				l.of[s.path] = made
				l.bundles = append(l.bundles, made)
			}
			made.on(pages, i)
		}
	}
}

// take makes a bundle of a sheet that a script takes as an object.
func (l *loading) take(t taken) *styles {
	made := l.taken[t.path]
	if made == nil {
		made = &styles{at: t.at, taken: true, pieces: repeated(l.b.takenEntry(t).pieces)}
		made.name = l.unused(plainAssetName(t.path))
		l.taken[t.path] = made
		l.order = append(l.order, made)
	}
	made.plain = made.plain || t.named
	if t.named { // what counts on the name gets it
		made.name = plainAssetName(t.path)
	}
	return made
}

// on notes that the i-th page may load a bundle, if there is one.
func (s *styles) on(pages []*graph.Page, i int) {
	if i < len(pages) && !slices.Contains(s.pages, pages[i]) {
		s.pages = append(s.pages, pages[i])
	}
}

// takenEntry returns a sheet that a script takes, worked out: one that is named by its address may be
// linked, and so import others.
func (b *builder) takenEntry(t taken) *entry {
	if t.named {
		return b.styleEntry(t.styleUse)
	}
	return b.objectEntry(t.styleUse)
}

// objectEntry returns a sheet that a script takes as an object, worked out. Such a
// sheet imports no other in a browser (CSSOM, section 6.3).
func (b *builder) objectEntry(s styleUse) *entry {
	e := b.styleEntry(s)
	if e.external > 0 {
		b.report(diag.Diagnostic{Code: code.ExternalImport, Severity: diag.Error, Span: s.at,
			Message: fmt.Sprintf("%q imports a sheet from elsewhere, which browsers ignore in a sheet that a script takes or puts into the page", b.project.Tree.Show(s.path)),
			Mend:    "link the one from elsewhere from the page"})
	}
	return e
}

// styleEntry returns a sheet that a script imports, worked out.
func (b *builder) styleEntry(s styleUse) *entry {
	if _, err := b.memory.sheets.Load(s.path); err != nil {
		b.report(b.unreadable(s.path, err, s.at))
	}
	return b.entryOf(s.path)
}
