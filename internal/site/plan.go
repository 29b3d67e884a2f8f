package site

import (
	"fmt"
	"path"
	"slices"
	"strings"

	"rinzel/internal/diag"
	"rinzel/internal/diag/code"
	"rinzel/internal/emit"
	"rinzel/internal/graph"
	"rinzel/internal/link"
	"rinzel/internal/project"
	"rinzel/internal/source"
	"rinzel/internal/split"
)

// This file works out which bundles each page loads: what several pages share,
// and what each has of its own.

// unit is a group of a page's links that can become one: nothing else that
// styles the page stands between them.
type unit struct {
	page   *graph.Page
	group  graph.Group
	index  int // among the units of its page
	pieces []link.Piece
	loads  []*styles
	early  []early      // links that have its sheets loaded early
	apart  bool         // it is one bundle, which no other page shares
	late   bool         // a script decides whether and when it styles the page
	items  []split.Item // of the pieces
	media  string       // what the attribute of its links is to say; empty for what it says
	at     source.Span  // what names the first of its sheets
}

// styles is a bundle that is to be made.
type styles struct {
	pieces []link.Piece
	name   string        // logical path in the output folder
	at     source.Span   // what names the first of its sheets
	units  []*unit       // that load it
	pages  []*graph.Page // that load it
	shared int           // its number among those that several units share, from 1; else 0

	// Of bundles that scripts load:
	late    bool  // it is linked before the code runs that needs it,
	linked  []int // but on these pages, which link its sheets
	adopted bool  // a module holds it, and puts it into the page
	taken   bool  // a script takes it as an object, or by its address
	plain   bool  // by its plain name
	named   bool  // the settings name it
	probed  bool  // scripts look whether a page links it

	built
	module emit.Output // the script that puts it into the page
}

// sitePlan is the bundles of all units.
type sitePlan struct {
	bundles []*styles
	kept    []Kept
}

// plan works out the bundles of all units.
func (b *builder) plan(units []*unit) *sitePlan {
	lists := make([][]split.Item, len(units))
	for u, unit := range units {
		lists[u] = unit.items
	}
	settings := b.project.Settings.Split
	worked := b.cache.plan.Units(lists, split.Options{Shared: settings.Shared, Least: settings.Least})
	out := &sitePlan{}
	shared := 0
	for _, bundle := range worked.Bundles {
		s := &styles{}
		for _, it := range bundle.Items {
			s.pieces = append(s.pieces, *pieceOf(it))
		}
		for _, u := range bundle.Units {
			s.units = append(s.units, units[u])
		}
		if len(s.units) > 1 {
			shared++
			s.shared = shared
		}
		s.at = s.units[0].at
		out.bundles = append(out.bundles, s)
	}
	for u, loads := range worked.Loads {
		for _, i := range loads {
			units[u].loads = append(units[u].loads, out.bundles[i])
		}
		if len(units[u].pieces) > 0 {
			b.account(units[u])
		}
	}
	for _, k := range worked.Kept {
		out.kept = append(out.kept, keptOf(k, units))
	}
	out.nameBundles(units, settings)
	for _, s := range out.bundles {
		for _, u := range s.units {
			if !slices.Contains(s.pages, u.page) {
				s.pages = append(s.pages, u.page)
			}
		}
	}
	b.turned(worked.Turned, units)
	return out
}

// keptOf tells of a sheet that some pages have in a bundle of their own.
func keptOf(k split.Kept, units []*unit) Kept {
	kept := Kept{Sheet: pieceOf(k.Item).File.Name, What: k.What}
	for _, u := range k.Units {
		kept.Pages = append(kept.Pages, units[u].page.File.Name)
	}
	if k.What != "" {
		kept.On = units[k.Unit].page.File.Name
		if before := pieceOf(k.Before); before.File != nil {
			kept.Behind = before.File.Name
		}
	}
	return kept
}

// pieceOf returns the piece that an item stands for.
func pieceOf(it split.Item) *link.Piece { return it.Value.(*link.Piece) }

// account holds that a unit loads each of its pieces, and no more. A mistake
// would leave a page without some of its styles.
func (b *builder) account(u *unit) {
	loaded := 0
	for _, s := range u.loads {
		loaded += len(s.pieces)
	}
	if loaded != len(u.pieces) {
		panic(fmt.Sprintf("build: %s loads %d parts of sheets and reaches %d", u.page.File.Name, loaded, len(u.pieces)))
	}
}

// turned warns of sheets that compete, and that pages reach in opposite order: once of
// two sheets, however many pages there are.
func (b *builder) turned(list []split.Turned, units []*unit) {
	type pair struct{ first, second *source.File }
	pages := make(map[pair][]split.Turned)
	var order []pair
	for _, t := range list {
		p := pair{pieceOf(t.A).File, pieceOf(t.B).File}
		if p.first == nil || p.second == nil {
			continue
		}
		if pages[p] == nil {
			order = append(order, p)
		}
		pages[p] = append(pages[p], t)
	}
	for _, p := range order {
		t := pages[p][0]
		first, second := units[t.AB], units[t.BA]
		others := ""
		if n := len(pages[p]) - 1; n > 0 {
			do := "do"
			if n == 1 {
				do = "does"
			}
			others = fmt.Sprintf(", as %s %s", do, diag.Count(n, "other page"))
		}
		b.report(diag.Diagnostic{Code: code.ConflictingOrder, Severity: diag.Warning, Span: second.at,
			Message: fmt.Sprintf("conflicting order: this page loads %q before %q%s, %q loads them in reverse; both set %q", p.second.Name, p.first.Name, others, first.page.File.Name, t.What),
			Related: []diag.Related{{Span: first.at, Message: "the other page"}},
			Fix:     "use the same order on all pages, so that they look the same and can share the sheets"})
	}
}

// nameBundles gives all bundles of pages their logical names: those of a page its own, numbered in
// the order in which it loads them, and shared ones that of shared bundles with a number.
func (p *sitePlan) nameBundles(units []*unit, settings project.Split) {
	count := make(map[*graph.Page]int)
	for _, u := range units {
		for _, s := range u.loads {
			if s.shared > 0 {
				continue
			}
			s.name = settings.FileOf(u.page.File.Path.Name)
			if count[u.page]++; count[u.page] > 1 {
				s.name = numbered(s.name, count[u.page])
			}
		}
	}
	stem := p.sharedStem(settings)
	for _, s := range p.bundles {
		if s.shared == 1 {
			s.name = stem + ".css"
		} else if s.shared > 1 {
			s.name = numbered(stem+".css", s.shared)
		}
	}
}

// numbered returns the name of a file with a number before its extension.
func numbered(name string, n int) string {
	ext := path.Ext(name)
	return fmt.Sprintf("%s-%d%s", strings.TrimSuffix(name, ext), n, ext)
}

// sharedStem returns the start of the names of shared bundles, with which that of no page starts.
func (p *sitePlan) sharedStem(settings project.Split) string {
	stem := strings.TrimSuffix(settings.FileOfShared(), path.Ext(settings.FileOfShared()))
	for slices.ContainsFunc(p.bundles, func(s *styles) bool {
		return s.shared == 0 && strings.HasPrefix(strings.ToLower(s.name), strings.ToLower(stem))
	}) {
		stem += "-bundle"
	}
	return stem
}
