package site

import (
	"context"
	"errors"
	"fmt"
	"io/fs"
	"slices"
	"strings"

	"rinzel/internal/cache"
	"rinzel/internal/css/ast"
	"rinzel/internal/css/print"
	"rinzel/internal/diag"
	"rinzel/internal/diag/code"
	"rinzel/internal/graph"
	"rinzel/internal/inventory"
	"rinzel/internal/link"
	"rinzel/internal/modules"
	"rinzel/internal/project"
	"rinzel/internal/source"
	"rinzel/internal/split"
)

// This file reads the links of pages, and groups those that can become one.

// pageUnits are the units of a page, with the entries that they are of.
type pageUnits struct {
	page    *graph.Page
	sheets  []modules.StyleUse // that its scripts import
	lookUp  *modules.LookUp    // what its scripts look for
	reached []*link.Entry
	units   []*unit
	// What reading them told: findings, those that are about this page alone, and a bit for each pattern of external that matched.
	diags, errors []diag.Diagnostic
	externals     uint64
	elsewhere     bool // some link leads to no sheet of the project
}

// units returns what a page links, in groups that can each become one. Those of a page
// all whose sheets are as they were are those of the last build.
func (b *builder) units(ctx context.Context, p *graph.Page, runs *modules.Program) []*unit {
	same := func(v *pageUnits) bool {
		return v.page == p && slices.Equal(v.sheets, runs.Sheets) && v.lookUp.Equal(runs.LookUp) &&
			!slices.ContainsFunc(v.reached, func(e *link.Entry) bool { return b.entryOf(ctx, e.Path) != e })
	}
	all := b.cache.units.Get(b.files.Reader, p.File.Path, same, func(r *cache.Reads) (*pageUnits, bool) {
		made := &pageUnits{page: p, sheets: runs.Sheets, lookUp: runs.LookUp}
		l := linkReader{builder: b, files: b.files.Through(r), page: p, runs: runs, out: made}
		made.reached = l.reached(ctx)
		made.units = l.units(ctx)
		return made, b.failure() == nil
	})
	for _, e := range all.reached {
		b.reach(e)
	}
	b.noteReached(p, all.reached)
	b.tell(p, all)
	out := make([]*unit, len(all.units))
	for i, u := range all.units {
		copied := *u
		out[i] = &copied
	}
	return out
}

// linkReader reads the links of one page. What it finds out is noted in out, so that it can be told again in the next build.
type linkReader struct {
	*builder
	files *inventory.Inventory // which records what the units depend on
	page  *graph.Page
	runs  *modules.Program
	out   *pageUnits
	links map[int]linkTarget // those that were read, by where their addresses start
}

// linkTarget is what a link leads to, as [linkReader.linkedSheet] returns it.
type linkTarget struct {
	entry    *link.Entry
	external bool
}

// tell tells what reading the links of a page told.
func (b *builder) tell(p *graph.Page, u *pageUnits) {
	b.report(u.diags...)
	b.reportOn(p, u.errors...)
	b.externals.Or(u.externals)
	if u.elsewhere {
		b.linksElsewhere.Store(true)
	}
}

// linksOf returns a reader of the links of a page whose results are not kept.
func (b *builder) linksOf(p *graph.Page, runs *modules.Program) *linkReader {
	return &linkReader{builder: b, files: b.files, page: p, runs: runs, out: new(pageUnits)}
}

// report notes findings.
func (r *linkReader) report(ds ...diag.Diagnostic) { r.out.diags = append(r.out.diags, ds...) }

// reportHere notes what is wrong with this page alone.
func (r *linkReader) reportHere(d diag.Diagnostic) { r.out.errors = append(r.out.errors, d) }

// reached returns all entries that the links and scripts of the page lead to.
func (r *linkReader) reached(ctx context.Context) (out []*link.Entry) {
	add := func(l graph.Link) {
		if e, _ := r.linkedSheet(ctx, l); e != nil {
			out = append(out, e)
		}
	}
	for _, g := range r.page.Groups {
		for _, l := range g.Links {
			add(l)
		}
	}
	for _, l := range r.page.Preloads {
		add(l)
	}
	for _, s := range r.runs.Sheets {
		out = append(out, r.styleEntry(ctx, s))
	}
	return out
}

// units works out the units of the page. The media of a group's links are said by
// the sheets where not all have the same.
func (r *linkReader) units(ctx context.Context) []*unit {
	var out []*unit
	for i, g := range r.keepApart(r.groups(ctx)) {
		u := &unit{page: r.page, group: g.group, index: i, at: g.at, apart: g.apart}
		media, same := g.group.SharedMedia()
		for k, l := range g.group.Links {
			var cond *link.Condition
			if !same && l.Media != "" {
				cond = r.mediaOf(ctx, l.Media, r.page.File.Pos(l.Tag.Start), g.entries[k])
			}
			u.pieces = r.appendUnder(u.pieces, cond, g.entries[k].Pieces)
		}
		for _, e := range g.scripts {
			u.pieces = append(u.pieces, e.Pieces...)
		}
		u.pieces = link.WithoutRepeats(u.pieces)
		if media != "" && len(g.entries) > 0 {
			u.media = r.rewrittenMedia(ctx, media, g.entries[0])
		}
		out = append(out, u)
	}
	out = append(out, r.preloaded(ctx, out)...)
	for _, u := range out {
		r.itemize(u)
	}
	return out
}

// mediaOf returns the media of a link, which stands at a place, as the chain of its sheet has them; nil for none.
func (r *linkReader) mediaOf(ctx context.Context, media string, at source.Pos, e *link.Entry) *link.Condition {
	cond := link.MediaCondition(media, at)
	if cond == nil {
		return nil
	}
	chain, err := r.chainOf(e.Path)
	if err == nil {
		cond.Media, err = link.Media(ctx, chain, cond.Media)
	}
	if err != nil {
		r.fail(err)
	}
	return cond
}

// rewrittenMedia returns media as the chain of a sheet has them; "" if they stay as they are.
func (r *linkReader) rewrittenMedia(ctx context.Context, media string, e *link.Entry) string {
	before, after := link.MediaCondition(media, source.NoPos), r.mediaOf(ctx, media, source.NoPos, e)
	if before == nil || ast.EqualValues(before.Media, after.Media) {
		return ""
	}
	return print.CompactValues(after.Media)
}

// appendUnder appends pieces under a condition; nil is none.
func (r *linkReader) appendUnder(list []link.Piece, cond *link.Condition, pieces []link.Piece) []link.Piece {
	if cond == nil {
		return append(list, pieces...)
	}
	for _, p := range pieces {
		if p.External == nil {
			p.Conditions = append([]*link.Condition{cond}, p.Conditions...)
		} else if with, ok := cond.OnImport(p.External); ok {
			p.External = with
		} else {
			r.report(link.ExternalUnderConditions(p.External))
		}
		list = append(list, p)
	}
	return list
}

// itemize makes the pieces of a unit ready for planning.
func (r *linkReader) itemize(u *unit) {
	media, _ := u.group.SharedMedia()
	for i := range u.pieces {
		own := fmt.Sprintf("%s#%d.%d", r.page.File.Path, u.index, i)
		item := itemOf(&u.pieces[i], own, media)
		if u.apart {
			item.Key = own
		}
		u.items = append(u.items, item)
	}
}

// itemOf returns a piece for planning. own is a key that no other has: for what
// is not to be shared.
func itemOf(p *link.Piece, own, media string) split.Item {
	if p.External != nil {
		return split.Item{Key: own, Claims: split.Everything(), First: true, Value: p}
	}
	t := traitsOf(p).of(p)
	key := own
	unnamed := slices.ContainsFunc(p.Conditions, func(c *link.Condition) bool { return c.HasLayer && len(c.Layer) == 0 })
	if !unnamed { // what is in one layer without a name stays together
		key = fmt.Sprint(p.File.Path.Root, ":", p.File.Path.Name, p.Prologue, string(t.text[:]), media, link.ConditionKey(p.Conditions))
	}
	return split.Item{Key: key, Size: t.size, Claims: t.claims, Alone: t.namespaces, Lead: p.MayPrecedeExternal(), Value: p}
}

// preloaded returns units for the sheets that the page has loaded early and does not
// link: a script does so later. Those that it links are noted with the unit that they are in.
func (r *linkReader) preloaded(ctx context.Context, linked []*unit) []*unit {
	var out []*unit
	for _, l := range r.page.Preloads {
		target := r.files.ResolveIn(r.page, l.Href)
		if i := slices.IndexFunc(linked, func(u *unit) bool { return holds(u.pieces, target.Path) }); i >= 0 {
			linked[i].early = append(linked[i].early, early{l, target.Path})
			continue
		}
		e, _ := r.linkedSheet(ctx, l)
		if e == nil {
			continue // it is reported, or lies elsewhere
		}
		out = append(out, &unit{page: r.page, group: graph.Group{Links: []graph.Link{l}}, index: len(linked) + len(out), pieces: link.WithoutRepeats(e.Pieces), late: true, at: r.page.Place(l.Href)})
	}
	return out
}

// holds reports whether one of the pieces is of the sheet at a path.
func holds(pieces []link.Piece, sheet source.Path) bool {
	return slices.ContainsFunc(pieces, func(p link.Piece) bool { return p.File != nil && p.File.Path == sheet })
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
		if i < 0 || u.loads[i].within || u.loads[i].made.Empty {
			out = append(out, graph.Edit{At: e.link.Tag})
			continue
		}
		out = append(out, e.link.Href.Move(address(u.loads[i])))
	}
	return out
}

// entryGroup is a group of a page's links with the sheets they lead to.
type entryGroup struct {
	group   graph.Group
	entries []*link.Entry
	scripts []*link.Entry // sheets that scripts of the page import, behind those
	at      source.Span   // what names the first of its sheets
	apart   bool          // it is one bundle, which no other page shares
}

// groups returns the groups of a page's links to sheets of the project, such
// that each can be one sheet. A link to a sheet from elsewhere stays, and what
// stands on its two sides stays apart; a sheet that itself imports one from
// elsewhere comes first in its group. The sheets that scripts import come last.
func (r *linkReader) groups(ctx context.Context) []entryGroup {
	out, last := r.linkGroups(ctx)
	if r.profile.Scripts == project.AdoptStyles || len(r.runs.Sheets) == 0 {
		return out
	}
	own := entryGroup{at: r.runs.Sheets[0].At}
	for _, s := range r.runs.Sheets {
		own.scripts = append(own.scripts, r.styleEntry(ctx, s))
	}
	external := slices.ContainsFunc(own.scripts, func(e *link.Entry) bool { return e.External > 0 })
	if n := len(out) - 1; n >= 0 && last && !external && r.page.Joins(out[n].group.Links[0], out[n].group) {
		if media, same := out[n].group.SharedMedia(); !same || media == "" {
			out[n].scripts = own.scripts
			return out
		}
	}
	return append(out, own)
}

// linkGroups returns the groups of a page's links. last tells that nothing that
// styles the page stands behind the last one.
func (r *linkReader) linkGroups(ctx context.Context) (out []entryGroup, last bool) {
	last = r.page.Open
	for _, g := range r.page.Groups {
		var current entryGroup
		flush := func() {
			if len(current.entries) > 0 {
				out = append(out, current)
			}
			current = entryGroup{}
		}
		for _, l := range g.Links {
			e, external := r.linkedSheet(ctx, l)
			switch {
			case external || r.runs.LookUp.ByAddress(l):
				flush()
				last = false
				continue
			case e == nil:
				continue
			case e.External > 0 || !r.page.Joins(l, current.group):
				flush()
			}
			if len(current.entries) == 0 {
				current.at = r.page.Place(l.Href)
			}
			last = r.page.Open
			current.group.Links = append(current.group.Links, l)
			current.entries = append(current.entries, e)
		}
		flush()
	}
	return out, last
}

// linkedSheet returns the sheet that a link leads to, worked out, or nil with
// external set if it lies elsewhere, or nil after a report.
func (r *linkReader) linkedSheet(ctx context.Context, l graph.Link) (e *link.Entry, external bool) {
	if known, ok := r.links[l.Href.At.Start]; ok {
		return known.entry, known.external
	}
	e, external = r.resolved(ctx, l)
	r.out.elsewhere = r.out.elsewhere || e == nil
	if r.links == nil {
		r.links = make(map[int]linkTarget)
	}
	r.links[l.Href.At.Start] = linkTarget{e, external}
	return e, external
}

func (r *linkReader) resolved(ctx context.Context, l graph.Link) (e *link.Entry, external bool) {
	at := r.page.Place(l.Href)
	if graph.IsTemplate(l.Href.Address) {
		return nil, true // a program puts the address in
	}
	target := r.files.ResolveIn(r.page, l.Href)
	if target.Kind == graph.External || r.leftToOthers(target, l.Href.Address) {
		return nil, true
	}
	if d, ok := r.files.BadTarget(target, l.Href.Address, at); ok {
		r.reportHere(d)
		return nil, false
	}
	if _, err := r.cache.linked.Sheets.Load(r.files, target.Path); err != nil {
		d := r.files.Unreadable(target.Path, err, at)
		if errors.Is(err, fs.ErrNotExist) {
			d.Message = fmt.Sprintf("no such sheet: %q, linked by the page", r.files.Show(target.Path))
			d.Cause = target.Path.String()
			if !strings.HasPrefix(d.Fix, "did you mean") { // no file has a name like it
				d.Fix = "if something else provides it, add it to external; if the page is not part of the site, add the page to exclude"
			}
			if !r.profile.Release {
				d.Severity = diag.Warning
				d.Message += "; it is required for a release"
			}
			inventory.RewordUnclosed(&d, l.Href.Address)
		}
		r.reportHere(d)
		return nil, false
	}
	return r.entryOf(ctx, target.Path), false
}

// leftToOthers reports whether the settings say that others provide what an address leads to, so
// that links to it stay as they are.
func (r *linkReader) leftToOthers(t graph.Target, address string) bool {
	if t.Kind == graph.Local && r.files.Excluded(t.Path) {
		return true
	}
	found := false
	for i, g := range r.project.Settings.External {
		if t.Kind == graph.Local && g.Matches(t.Path) || g.Pattern == address {
			found = true
			r.out.externals |= 1 << min(i, 63)
		}
	}
	return found
}

// keepApart has each link of a page be one, with its own media and in its place, if scripts look for it.
func (r *linkReader) keepApart(groups []entryGroup) []entryGroup {
	links := 0
	for _, g := range groups {
		links += len(g.group.Links)
	}
	if r.runs.LookUp == nil || links == 0 {
		return groups
	}
	r.report(diag.Diagnostic{Code: code.UnmergedLinks, Severity: diag.Note, Span: r.runs.LookUp.At, Cause: r.page.File.Path.String(),
		Message: "the script reads the style links of its page, so they are not merged"})
	var out []entryGroup
	for _, g := range groups {
		for i, l := range g.group.Links {
			out = append(out, entryGroup{group: graph.Group{Links: []graph.Link{l}}, entries: g.entries[i : i+1], at: r.page.Place(l.Href), apart: true})
		}
		if len(g.scripts) > 0 {
			out = append(out, entryGroup{scripts: g.scripts, at: g.at, apart: true})
		}
	}
	return out
}
