package build

import (
	"crypto/sha256"
	"fmt"
	"path"
	"slices"
	"strings"
	"sync"

	"rinzel/internal/css/ast"
	"rinzel/internal/css/print"
	"rinzel/internal/diag"
	"rinzel/internal/diag/code"
	"rinzel/internal/graph"
	"rinzel/internal/project"
	"rinzel/internal/source"
	"rinzel/internal/split"
	"rinzel/internal/step"
	"rinzel/internal/step/purge"
)

// This file works out which bundles each page loads: what several pages share,
// and what each has of its own.

// unit is a group of a page's links that can become one: nothing else that
// styles the page stands between them.
type unit struct {
	page   *graph.Page
	group  graph.Group
	index  int // among the units of its page
	pieces []piece
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
	pieces []piece
	name   string        // logical path in the output folder
	at     source.Span   // what names the first of its sheets
	units  []*unit       // that load it
	pages  []*graph.Page // that load it
	shared int           // its number among those that several units share, from 1; else 0
	made   bundleResult
	within bool     // it is written into its one page, and not as a file
	files  []Output // the bundle and its map, as they are written
	names  namedFiles

	// Of bundles that scripts load:
	late    bool   // it is linked before the code runs that needs it,
	linked  []int  // but on these pages, which link its sheets
	adopted bool   // a module holds it, and puts it into the page
	taken   bool   // a script takes it as an object, or by its address
	plain   bool   // by its plain name
	named   bool   // the settings name it
	sought  bool   // scripts look whether a page links it
	module  Output // the script that puts it into the page
}

// traits are what is known of a piece for sharing it. They are worked out when
// they are first asked for.
type traits struct {
	once   sync.Once
	text   [sha256.Size]byte // of what it says
	size   int
	claims *split.Claims
	// namespaces says that it declares namespaces, which would hold for what stands beside it.
	namespaces bool

	uses     *purge.Uses     // of what stays of it; nil until it is asked for
	left     int             // bytes of what stays of it
	vars     *varUse         // what it does with custom properties; nil until it is asked for
	evidence *purge.Evidence // by which that was found
	names    map[string]bool // by which its selectors are judged; nil until they are
}

// of works the traits of a piece out.
func (t *traits) of(p *piece) *traits {
	t.once.Do(func() {
		text := print.Append(nil, p.nodes, print.Options{Compact: true})
		t.text, t.size = sha256.Sum256(text), len(text)
		inLayer := slices.ContainsFunc(p.conds, func(c *condition) bool { return c.hasLayer })
		t.claims = split.Of(p.nodes, inLayer)
		t.namespaces = slices.ContainsFunc(p.nodes, isNamespace)
	})
	return t
}

// units returns what a page links, in groups that can each become one. Those of a page
// all whose sheets are as they were are those of the last build.
func (b *builder) units(p *graph.Page, runs *program) []*unit {
	kept := b.memory.unitsOf(p, runs)
	if kept == nil {
		reached, whole := b.reached(p, runs)
		kept = &keptUnits{reached: reached, sheets: runs.sheets, units: b.unitsAnew(p, runs)}
		if whole {
			b.memory.keepUnits(p, kept)
		}
	}
	for _, e := range kept.reached {
		b.tell(e)
	}
	b.noteReached(p, kept.reached)
	out := make([]*unit, len(kept.units))
	for i, u := range kept.units {
		copied := *u
		out[i] = &copied
	}
	return out
}

// reached returns all entries that the links and scripts of a page lead to. whole is
// false if some link leads nowhere, which is reported.
func (b *builder) reached(p *graph.Page, runs *program) (out []*entry, whole bool) {
	whole = true
	add := func(l graph.Link) {
		e, external := b.linkedSheet(p, l)
		whole = whole && (e != nil || external)
		if e != nil {
			out = append(out, e)
		}
	}
	for _, g := range p.Groups {
		for _, l := range g.Links {
			add(l)
		}
	}
	for _, l := range p.Preloads {
		add(l)
	}
	for _, s := range runs.sheets {
		out = append(out, b.styleEntry(s))
	}
	return out, whole
}

// unitsAnew works out the units of a page. The media of a group's links are said by
// the sheets where not all have the same.
func (b *builder) unitsAnew(p *graph.Page, runs *program) []*unit {
	var out []*unit
	for i, g := range b.keepApart(p, runs, b.groups(p, runs)) {
		u := &unit{page: p, group: g.group, index: i, at: g.at, apart: g.apart}
		_, same := g.group.SharedMedia()
		for k, l := range g.group.Links {
			var media *condition
			if !same && l.Media != "" {
				if media = mediaCondition(l.Media, p.File.Pos(l.Tag.Start)); media != nil {
					media.media = b.media(b.chainOf(g.entries[k].path), media.media)
				}
			}
			for _, piece := range g.entries[k].pieces {
				switch {
				case media != nil && piece.external != nil:
					if with, ok := media.onImport(piece.external); ok {
						piece.external = with
					} else {
						b.report(externalUnderConditions(piece.external))
					}
				case media != nil:
					piece.conds = append([]*condition{media}, piece.conds...)
				}
				u.pieces = append(u.pieces, piece)
			}
		}
		for _, e := range g.scripts {
			u.pieces = append(u.pieces, e.pieces...)
		}
		u.pieces = repeated(u.pieces)
		if media, _ := g.group.SharedMedia(); media != "" && len(g.entries) > 0 {
			if cond := mediaCondition(media, source.NoPos); cond != nil {
				if with := b.media(b.chainOf(g.entries[0].path), cond.media); !ast.EqualValues(with, cond.media) {
					u.media = print.CompactValues(with)
				}
			}
		}
		out = append(out, u)
	}
	out = append(out, b.preloaded(p, out)...)
	for _, u := range out {
		media, _ := u.group.SharedMedia()
		for i := range u.pieces {
			own := fmt.Sprintf("%s#%d.%d", p.File.Path, u.index, i)
			item := b.itemOf(&u.pieces[i], own, media)
			if u.apart {
				item.Key = own
			}
			u.items = append(u.items, item)
		}
	}
	return out
}

// preloaded returns units for the sheets that a page has loaded early and does not
// link: a script does so later. Those that it links are noted with the unit that they are in.
func (b *builder) preloaded(p *graph.Page, linked []*unit) []*unit {
	var out []*unit
	for _, l := range p.Preloads {
		target := b.resolveAt(p, l.Href)
		if i := slices.IndexFunc(linked, func(u *unit) bool { return holds(u.pieces, target.Path) }); i >= 0 {
			linked[i].early = append(linked[i].early, early{l, target.Path})
			continue
		}
		e, _ := b.linkedSheet(p, l)
		if e == nil {
			continue // it is reported, or lies elsewhere
		}
		out = append(out, &unit{page: p, group: graph.Group{Links: []graph.Link{l}}, index: len(linked) + len(out), pieces: repeated(e.pieces), late: true, at: refSpan(p, l.Href)})
	}
	return out
}

// holds reports whether one of the pieces is of the sheet at a path.
func holds(pieces []piece, sheet source.Path) bool {
	return slices.ContainsFunc(pieces, func(p piece) bool { return p.file != nil && p.file.Path == sheet })
}

// early is a link that has a sheet loaded early.
type early struct {
	link  graph.Link
	sheet source.Path
}

// edits returns what makes the links of a unit that have sheets loaded early lead to
// the bundles that these are in.
func (u *unit) edits(address func(*styles) string) []graph.Edit {
	var out []graph.Edit
	for _, e := range u.early {
		i := slices.IndexFunc(u.loads, func(s *styles) bool { return holds(s.pieces, e.sheet) })
		if i < 0 || u.loads[i].within || u.loads[i].made.empty {
			out = append(out, graph.Edit{At: e.link.Tag})
			continue
		}
		out = append(out, e.link.Href.Move(address(u.loads[i])))
	}
	return out
}

// sitePlan is the bundles of all units.
type sitePlan struct {
	bundles []*styles
	kept    []Kept
}

// Kept is a sheet that several pages reach and some have in a bundle of their own.
type Kept struct {
	Sheet string // as people are shown it
	Pages []string
	// On the page On the sheet Behind stands before it and may set the same: What.
	// What is empty if too little would be shared.
	On, Behind, What string
}

// plan works out the bundles of all units.
func (b *builder) plan(units []*unit) *sitePlan {
	lists := make([][]split.Item, len(units))
	for u, unit := range units {
		lists[u] = unit.items
	}
	settings := b.project.Settings.Split
	worked := b.memory.plan.Units(lists, split.Options{Shared: settings.Shared, Least: settings.Least})
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
		kept := Kept{Sheet: pieceOf(k.Item).file.Name, What: k.What}
		for _, u := range k.Units {
			kept.Pages = append(kept.Pages, units[u].page.File.Name)
		}
		if k.What != "" {
			kept.On = units[k.Unit].page.File.Name
			if before := pieceOf(k.Before); before.file != nil {
				kept.Behind = before.file.Name
			}
		}
		out.kept = append(out.kept, kept)
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

// itemOf returns a piece for planning. own is a key that no other has: for what
// is not to be shared.
func (b *builder) itemOf(p *piece, own, media string) split.Item {
	if p.external != nil {
		return split.Item{Key: own, Claims: split.Everything(), First: true, Value: p}
	}
	t := p.traits.of(p)
	key := own
	unnamed := slices.ContainsFunc(p.conds, func(c *condition) bool { return c.hasLayer && len(c.layer) == 0 })
	if !unnamed { // what is in one layer without a name stays together
		key = fmt.Sprint(p.file.Path.Root, ":", p.file.Path.Name, p.prologue, string(t.text[:]), media, conditionKey(p.conds))
	}
	return split.Item{Key: key, Size: t.size, Claims: t.claims, Alone: t.namespaces, Lead: p.mayPrecedeExternal(), Value: p}
}

// pieceOf returns the piece that an item stands for.
func pieceOf(it split.Item) *piece { return it.Value.(*piece) }

// conditionKey writes the conditions of imports, so that they can be compared.
func conditionKey(conds []*condition) string {
	if len(conds) == 0 {
		return ""
	}
	var text strings.Builder
	for _, c := range conds {
		fmt.Fprintf(&text, "|%v %s|%s|%s", c.hasLayer, print.CompactValues(c.layer), print.CompactValues(c.supports), print.CompactValues(c.media))
	}
	return text.String()
}

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
		p := pair{pieceOf(t.A).file, pieceOf(t.B).file}
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
		b.report(diag.Diagnostic{Code: code.OppositeOrder, Severity: diag.Warning, Span: second.at,
			Message: fmt.Sprintf("this page loads %q before %q%s, and %q the other way around; both set %q", p.second.Name, p.first.Name, others, first.page.File.Name, t.What),
			Related: []diag.Related{{Span: first.at, Message: "the other page"}},
			Mend:    "link or import them in one order everywhere, so that all pages look alike and can share them"})
	}
}

// make joins and finishes a bundle, unless it was made from the same before.
func (b *builder) make(s *styles) {
	like := &keptBundle{evidence: b.evidence, uses: b.uses}
	for _, p := range s.pieces {
		like.pieces = append(like.pieces, pieceID{p.traits, p.external, conditionKey(p.conds)})
	}
	if b.mayFitWithin(s) {
		like.page = s.pages[0]
	}
	name := fmt.Sprint(s.name, s.adopted, s.plain, s.named)
	if kept := b.memory.bundle(name, like); kept != nil {
		s.made, s.within, s.files, s.names = kept.made, kept.within, slices.Clone(kept.files), kept.names
		for i := range s.files {
			s.files[i].owner = s.at
		}
		b.report(kept.diags...)
	} else {
		b.makeAnew(s, &like.diags)
		like.made, like.within, like.files, like.names = s.made, s.within, s.files, s.names
		b.report(like.diags...)
		b.memory.keepBundle(name, like)
	}
	b.keptBy.Or(s.made.info.Rules.KeptBy)
	info := &s.made.info
	info.Late, info.Taken, info.Adopted, info.Named = s.late, s.taken, s.adopted, s.named
	info.Pages, info.pages = nil, nil
	for _, p := range s.pages {
		info.Pages = append(info.Pages, p.File.Name)
		info.pages = append(info.pages, p.File.Path.Name)
	}
}

// makeAnew joins and finishes a bundle, and notes what is found.
func (b *builder) makeAnew(s *styles, found *[]diag.Diagnostic) {
	job := bundleJob{
		report: func(ds ...diag.Diagnostic) { *found = append(*found, ds...) },
		name:   s.name, pieces: s.pieces, kind: step.Bundle, at: s.at, adopted: s.adopted, alone: s.named,
		source:  func(f *source.File) string { return b.relativeToOutput(s.name, f.Name) },
		address: b.moved(&s.names, func(to string) string { return graph.Relative(s.name, to) }),
	}
	var holes []string
	if s.adopted {
		job.address = b.moved(&s.names, func(to string) string {
			holes = append(holes, to)
			return hole(len(holes) - 1)
		})
	}
	s.made = b.bundle(job)
	s.made.holes = holes
	if s.within = b.fitsWithin(s); s.within {
		// Its addresses count from the page.
		s.names, job.report = namedFiles{}, func(...diag.Diagnostic) {}
		job.address = b.moved(&s.names, func(to string) string { return b.addressOf(s.pages[0], to) })
		s.made = b.bundle(job)
	}
	*found = append(*found, s.names.diags...)
	s.made.info.Within = s.within
	if b.profile.Names == project.HashedNames && !s.plain {
		written := s.made.css
		if b.profile.Maps == project.InlineMaps {
			written = b.styleFiles(&s.made, s.at)[0].Data // with the map, which has the name without the hash
		}
		s.made.info.Path = hashedName(s.name, sha256.Sum256(written))
	}
	if s.made.builder != nil && b.profile.Maps != project.InlineMaps {
		s.made.mapped = s.made.builder.JSON(path.Base(s.made.info.Path), job.source)
	}
	s.files = b.styleFiles(&s.made, s.at)
	s.made.info.Integrity = integrity(s.files[0].Data)
}

// mayFitWithin reports whether a bundle may be written into its one page, if it is small.
func (b *builder) mayFitWithin(s *styles) bool {
	return b.project.Settings.Split.Within > 0 && len(s.units) == 1 && !s.units[0].late && !s.sought && s.units[0].page.AllowsInlineStyle()
}

// fitsWithin reports whether a bundle is written into its one page.
func (b *builder) fitsWithin(s *styles) bool {
	return b.mayFitWithin(s) && len(s.made.css) > 0 && len(s.made.css) <= b.project.Settings.Split.Within && !s.made.empty
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

// checkEmpty reports a unit all whose bundles purging left nothing of, and whether it is one.
func (b *builder) checkEmpty(u *unit) bool {
	rules := 0
	for _, s := range u.loads {
		if !s.made.empty {
			return false
		}
		rules += s.made.info.Rules.Rules
	}
	if len(u.loads) == 0 {
		return false
	}
	b.report(purgedEmpty(u.loads[len(u.loads)-1].made.info.Name, rules, u.at))
	return true
}

// reportEmpty tells of a bundle that purging left nothing of, and that no page links.
func (b *builder) reportEmpty(s *styles) {
	var sheets []string
	for _, p := range s.pieces {
		if p.file != nil && !slices.Contains(sheets, p.file.Name) {
			sheets = append(sheets, p.file.Name)
		}
	}
	b.report(diag.Diagnostic{Code: code.EmptyBundle, Severity: diag.Warning, Span: s.at,
		Message: fmt.Sprintf("purging leaves nothing of %q, so it is not written: no name in the rules of %s was found in use", s.made.info.Name, strings.Join(sheets, ", ")),
		Mend:    "unlink the sheets, or check what [purge] evidence names"})
}
