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

// This file reads the style links of pages, and groups those that can become a
// single link.

// pageUnits are the units of a page, with their entries.
type pageUnits struct {
	page    *graph.Page
	sheets  []modules.StyleUse // imported by its scripts
	lookUp  *modules.LookUp    // lookups of its scripts for style links
	reached []*link.Entry
	units   []*unit
	// Results of reading the links: findings, those about this page alone, and
	// a bit for each external pattern that matched.
	diags, errors []diag.Diagnostic
	externals     uint64
	linksExternal bool // some link refers to a sheet outside of the project
}

// units returns the links of a page in groups that can each become a single
// link. They are cached as long as all their sheets are unchanged.
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
	b.replay(p, all)
	out := make([]*unit, len(all.units))
	for i, u := range all.units {
		copied := *u
		out[i] = &copied
	}
	return out
}

// linkReader reads the links of one page. Findings are recorded in out, so that
// they can be reported again in the next build.
type linkReader struct {
	*builder
	files *inventory.Inventory // records the dependencies of the units
	page  *graph.Page
	runs  *modules.Program
	out   *pageUnits
	links map[int]linkTarget // links already resolved, by the offset of their URL
}

// linkTarget is the result of [linkReader.linkedSheet].
type linkTarget struct {
	entry    *link.Entry
	external bool
}

// replay reports the cached findings of the links of a page.
func (b *builder) replay(p *graph.Page, u *pageUnits) {
	b.report(u.diags...)
	b.reportOn(p, u.errors...)
	b.externals.Or(u.externals)
	if u.linksExternal {
		b.linksExternal.Store(true)
	}
}

// linksOf returns a reader of the links of a page whose results are not cached.
func (b *builder) linksOf(p *graph.Page, runs *modules.Program) *linkReader {
	return &linkReader{builder: b, files: b.files, page: p, runs: runs, out: new(pageUnits)}
}

// report records findings.
func (r *linkReader) report(ds ...diag.Diagnostic) { r.out.diags = append(r.out.diags, ds...) }

// reportHere records a finding about this page alone.
func (r *linkReader) reportHere(d diag.Diagnostic) { r.out.errors = append(r.out.errors, d) }

// reached returns all entries that links and scripts of the page refer to.
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

// units computes the units of the page. If the links of a group have different
// media, the sheets get the media as conditions.
func (r *linkReader) units(ctx context.Context) []*unit {
	var out []*unit
	for i, g := range r.keepUnmerged(r.groups(ctx)) {
		u := &unit{page: r.page, group: g.group, index: i, at: g.at, unmerged: g.unmerged}
		media, same := g.group.SharedMedia()
		for k, l := range g.group.Links {
			var cond *link.Condition
			if !same && l.Media != "" {
				cond = r.mediaOf(ctx, l.Media, r.page.File.Pos(l.Tag.Start), g.entries[k])
			}
			u.pieces = r.appendUnder(u.pieces, cond, g.entries[k].Distinct)
		}
		for _, e := range g.scripts {
			u.pieces = append(u.pieces, e.Distinct...)
		}
		if len(g.group.Links)+len(g.scripts) > 1 {
			u.pieces = link.WithoutRepeats(u.pieces)
		}
		if media != "" && len(g.entries) > 0 {
			u.media = r.rewrittenMedia(ctx, media, g.entries[0])
		}
		out = append(out, u)
	}
	out = append(out, r.preloaded(ctx, out)...)
	for _, u := range out {
		r.prepareItems(u)
	}
	return out
}

// mediaOf returns the media of a link as a condition, after the chain of its
// sheet; nil for none.
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

// rewrittenMedia returns media after the chain of a sheet; "" if unchanged.
func (r *linkReader) rewrittenMedia(ctx context.Context, media string, e *link.Entry) string {
	before, after := link.MediaCondition(media, source.NoPos), r.mediaOf(ctx, media, source.NoPos, e)
	if before == nil || ast.EqualValues(before.Media, after.Media) {
		return ""
	}
	return print.CompactValues(after.Media)
}

// appendUnder appends pieces under a condition; nil for none.
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

// prepareItems prepares the pieces of a unit for planning.
func (r *linkReader) prepareItems(u *unit) {
	media, _ := u.group.SharedMedia()
	for i := range u.pieces {
		own := func() string { return fmt.Sprintf("%s#%d.%d", r.page.File.Path, u.index, i) }
		item := itemOf(&u.pieces[i], own, media)
		if u.unmerged {
			item.Key = own()
		}
		u.items = append(u.items, item)
	}
}

// itemOf returns a piece as an item for planning. own makes a unique key for
// pieces that must not be shared.
func itemOf(p *link.Piece, own func() string, media string) split.Item {
	if p.External != nil {
		return split.Item{Key: own(), Claims: split.Everything(), First: true, Value: p}
	}
	t := traitsOf(p).compute(p)
	var key string
	if slices.ContainsFunc(p.Conditions, func(c *link.Condition) bool { return c.HasLayer && len(c.Layer) == 0 }) {
		key = own() // pieces in one anonymous layer must stay together
	} else {
		prologue := ""
		if p.Prologue {
			prologue = "prologue"
		}
		at := p.File.Path
		key = at.Root + ":" + at.Name + prologue + string(t.text[:]) + media + link.ConditionKey(p.Conditions)
	}
	return split.Item{Key: key, Size: t.size, Claims: t.claims, Alone: t.namespaces, Lead: p.MayPrecedeExternal(),
		Value: p}
}

// preloaded returns units for sheets that the page preloads without linking
// them: a script links them later. Preloads of linked sheets are recorded in
// the unit of the link.
func (r *linkReader) preloaded(ctx context.Context, linked []*unit) []*unit {
	var out []*unit
	for _, l := range r.page.Preloads {
		target := r.files.ResolveIn(r.page, l.Href)
		if i := slices.IndexFunc(linked, func(u *unit) bool { return holds(u.pieces, target.Path) }); i >= 0 {
			linked[i].preloads = append(linked[i].preloads, preload{l, target.Path})
			continue
		}
		e, _ := r.linkedSheet(ctx, l)
		if e == nil {
			continue // reported already, or external
		}
		out = append(out, &unit{page: r.page, group: graph.Group{Links: []graph.Link{l}}, index: len(linked) + len(out),
			pieces: slices.Clone(e.Distinct), scripted: true, at: r.page.Position(l.Href)})
	}
	return out
}

// holds reports whether one of the pieces belongs to a sheet.
func holds(pieces []link.Piece, sheet source.Path) bool {
	return slices.ContainsFunc(pieces, func(p link.Piece) bool { return p.File != nil && p.File.Path == sheet })
}

// preload is a link that preloads a sheet.
type preload struct {
	link  graph.Link
	sheet source.Path
}

// edits returns the edits that make the preloads of a unit refer to the bundles
// with their sheets.
func (u *unit) edits(address func(*styles) string) []graph.Edit {
	var out []graph.Edit
	for _, e := range u.preloads {
		i := slices.IndexFunc(u.loads, func(s *styles) bool { return holds(s.pieces, e.sheet) })
		if i < 0 || u.loads[i].inline || u.loads[i].made.Empty {
			out = append(out, graph.Edit{At: e.link.Tag})
			continue
		}
		out = append(out, e.link.Href.Move(address(u.loads[i])))
	}
	return out
}

// entryGroup is a group of links of a page with their sheets.
type entryGroup struct {
	group    graph.Group
	entries  []*link.Entry
	scripts  []*link.Entry // sheets that scripts of the page import, after those
	at       source.Span   // link of the first sheet
	unmerged bool          // it must stay one bundle, not shared with other pages
}

// groups returns the links of a page to sheets of the project in groups that
// can each become one sheet. A link to an external sheet stays and separates
// groups; a sheet that imports an external sheet comes first in its group.
// Sheets that scripts import come last.
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

// linkGroups returns the groups of the links of a page. lastGroupEndsCascade
// reports that nothing that styles the page comes after the last group.
func (r *linkReader) linkGroups(ctx context.Context) (out []entryGroup, lastGroupEndsCascade bool) {
	lastGroupEndsCascade = r.page.LastGroupEndsCascade
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
				lastGroupEndsCascade = false
				continue
			case e == nil:
				continue
			case e.External > 0 || !r.page.Joins(l, current.group):
				flush()
			}
			if len(current.entries) == 0 {
				current.at = r.page.Position(l.Href)
			}
			lastGroupEndsCascade = r.page.LastGroupEndsCascade
			current.group.Links = append(current.group.Links, l)
			current.entries = append(current.entries, e)
		}
		flush()
	}
	return out, lastGroupEndsCascade
}

// linkedSheet resolves the sheet of a link. It returns nil with external set
// for an external sheet, and nil after reporting an error.
func (r *linkReader) linkedSheet(ctx context.Context, l graph.Link) (e *link.Entry, external bool) {
	if known, ok := r.links[l.Href.At.Start]; ok {
		return known.entry, known.external
	}
	e, external = r.resolved(ctx, l)
	r.out.linksExternal = r.out.linksExternal || e == nil
	if r.links == nil {
		r.links = make(map[int]linkTarget)
	}
	r.links[l.Href.At.Start] = linkTarget{e, external}
	return e, external
}

// resolved is linkedSheet without its memo.
func (r *linkReader) resolved(ctx context.Context, l graph.Link) (e *link.Entry, external bool) {
	at := r.page.Position(l.Href)
	if graph.IsTemplate(l.Href.Address) {
		return nil, true // a template fills in the URL
	}
	target := r.files.ResolveIn(r.page, l.Href)
	if target.Kind == graph.External || r.isExternal(target, l.Href.Address) {
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
			if !strings.HasPrefix(d.Fix, "did you mean") { // no file has a similar name
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

// isExternal reports whether the settings declare a target as provided
// elsewhere, so that links to it stay unchanged.
func (r *linkReader) isExternal(t graph.Target, address string) bool {
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

// keepUnmerged makes each link of a page a unit of its own, with its own media
// and position, if scripts look for it.
func (r *linkReader) keepUnmerged(groups []entryGroup) []entryGroup {
	links := 0
	for _, g := range groups {
		links += len(g.group.Links)
	}
	if r.runs.LookUp == nil || links == 0 {
		return groups
	}
	r.report(diag.Diagnostic{Code: code.UnmergedLinks, Severity: diag.Note, Span: r.runs.LookUp.At,
		Cause:   r.page.File.Path.String(),
		Message: "the script reads the style links of its page, so they are not merged"})
	var out []entryGroup
	for _, g := range groups {
		for i, l := range g.group.Links {
			out = append(out, entryGroup{group: graph.Group{Links: []graph.Link{l}}, entries: g.entries[i : i+1],
				at: r.page.Position(l.Href), unmerged: true})
		}
		if len(g.scripts) > 0 {
			out = append(out, entryGroup{scripts: g.scripts, at: g.at, unmerged: true})
		}
	}
	return out
}
