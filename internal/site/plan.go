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

// This file plans which bundles each page loads: shared bundles, and those of a
// single page.

// unit is a group of links of a page that can become a single link: nothing
// else that styles the page comes between them.
type unit struct {
	page     *graph.Page
	group    graph.Group
	index    int // position among the units of its page
	pieces   []link.Piece
	loads    []*styles
	preloads []preload    // links that preload its sheets
	unmerged bool         // it must stay one bundle, not shared with other pages
	scripted bool         // a script decides whether and when it applies
	items    []split.Item // of the pieces
	media    string       // new media attribute of its links; empty if unchanged
	at       source.Span  // link of the first sheet
}

// styles is a bundle to be built.
type styles struct {
	pieces []link.Piece
	name   string        // logical path in the output folder
	at     source.Span   // what names the first of its sheets
	units  []*unit       // units that load it
	pages  []*graph.Page // pages that load it
	shared int           // number among the shared bundles, from 1; otherwise 0

	// For bundles that scripts load:
	lazy       bool  // it is loaded before the code that needs it,
	linked     []int // except on these pages, which link its sheets
	adopted    bool  // a module contains it and adds it to the page
	referenced bool  // a script imports it as an object, or refers to it by URL
	plain      bool  // it must keep its plain name
	named      bool  // defined in the settings
	probed     bool  // scripts look for a link to it

	built
	module emit.Output // the script that adds it to the page
}

// sitePlan is the plan of the bundles of all units.
type sitePlan struct {
	bundles  []*styles
	unshared []Unshared
}

// plan decides on the bundles of all units.
func (b *builder) plan(units []*unit) *sitePlan {
	lists := make([][]split.Item, len(units))
	for u, unit := range units {
		lists[u] = unit.items
	}
	settings := b.project.Settings.Split
	worked := b.cache.plan.Units(lists, split.Options{Shared: settings.Shared, MinBytes: settings.MinBytes})
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
			b.verifyUnit(units[u])
		}
	}
	for _, k := range worked.Unshared {
		out.unshared = append(out.unshared, unsharedOf(k, units))
	}
	out.nameBundles(units, settings)
	for _, s := range out.bundles {
		for _, u := range s.units {
			if !slices.Contains(s.pages, u.page) {
				s.pages = append(s.pages, u.page)
			}
		}
	}
	b.reportOrderConflicts(worked.Conflicts, units)
	return out
}

// unsharedOf describes a sheet that is not shared by all pages that use it.
func unsharedOf(k split.Unshared, units []*unit) Unshared {
	kept := Unshared{Sheet: pieceOf(k.Item).File.Name, Property: k.What}
	for _, u := range k.Units {
		kept.Pages = append(kept.Pages, units[u].page.File.Name)
	}
	if k.What != "" {
		kept.Page = units[k.Unit].page.File.Name
		if before := pieceOf(k.Before); before.File != nil {
			kept.After = before.File.Name
		}
	}
	return kept
}

// pieceOf returns the piece of an item.
func pieceOf(it split.Item) *link.Piece { return it.Value.(*link.Piece) }

// verifyUnit checks that a unit loads exactly its pieces. A mistake would leave
// a page without some of its styles.
func (b *builder) verifyUnit(u *unit) {
	loaded := 0
	for _, s := range u.loads {
		loaded += len(s.pieces)
	}
	if loaded != len(u.pieces) {
		panic(fmt.Sprintf("build: %s loads %d parts of sheets and reaches %d", u.page.File.Name, loaded, len(u.pieces)))
	}
}

// reportOrderConflicts warns about competing sheets that pages load in opposite
// order: once for each pair of sheets.
func (b *builder) reportOrderConflicts(list []split.OrderConflict, units []*unit) {
	type pair struct{ first, second *source.File }
	pages := make(map[pair][]split.OrderConflict)
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
			Message: fmt.Sprintf("conflicting order: this page loads %q before %q%s, %q loads them in reverse; both set %q",
				p.second.Name, p.first.Name, others, first.page.File.Name, t.What),
			Related: []diag.Related{{Span: first.at, Message: "the other page"}},
			Fix:     "use the same order on all pages, so that they look the same and can share the sheets"})
	}
}

// nameBundles sets the logical names of all bundles: those of a page after the
// page, numbered in load order; shared ones after the setting, with a number.
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

// numbered returns a file name with a number before its extension.
func numbered(name string, n int) string {
	ext := path.Ext(name)
	return fmt.Sprintf("%s-%d%s", strings.TrimSuffix(name, ext), n, ext)
}

// sharedStem returns a prefix for the names of shared bundles that no name of a
// page starts with.
func (p *sitePlan) sharedStem(settings project.Split) string {
	stem := strings.TrimSuffix(settings.FileOfShared(), path.Ext(settings.FileOfShared()))
	for slices.ContainsFunc(p.bundles, func(s *styles) bool {
		return s.shared == 0 && strings.HasPrefix(strings.ToLower(s.name), strings.ToLower(stem))
	}) {
		stem += "-bundle"
	}
	return stem
}
