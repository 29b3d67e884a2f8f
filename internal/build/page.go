package build

import (
	"fmt"
	"path"
	"path/filepath"
	"slices"
	"strings"

	"rinzel/internal/diag"
	"rinzel/internal/diag/code"
	"rinzel/internal/graph"
	"rinzel/internal/project"
	"rinzel/internal/source"
	"rinzel/internal/sourcemap"
	"rinzel/internal/step/purge"
)

// pageResult is what came of one page.
type pageResult struct {
	page     *graph.Page
	html     Output
	assets   []asset
	verdicts []purge.Verdict // about its style elements
}

// page makes the page that links the bundles of its units. copies are the scripts that
// are not copied as they are.
func (b *builder) page(p *graph.Page, units []*unit, runs *program, l *loading, copies map[source.Path][]byte) *pageResult {
	res := &pageResult{page: p}
	var edits []graph.Edit
	for _, u := range units {
		var targets []graph.Pointer
		for _, s := range u.loads {
			if s.made.empty {
				continue
			}
			if s.within {
				targets = append(targets, graph.Pointer{Style: styleText(s.made), Media: u.media})
				continue
			}
			to := graph.Pointer{Address: b.addressOf(p, s.made.info.Path), Media: u.media}
			if b.profile.Integrity {
				to.Integrity = s.made.info.Integrity
			}
			targets = append(targets, to)
		}
		if len(u.group.Links) == 0 {
			edits = append(edits, p.Append(targets)...)
		} else {
			edits = append(edits, u.group.Point(p, targets)...)
		}
		edits = append(edits, u.edits(func(s *styles) string { return b.addressOf(p, s.made.info.Path) })...)
	}
	edits = append(edits, b.moveAssets(res)...)
	edits = append(edits, b.styleElements(res)...)
	for _, mod := range runs.inline {
		edits = append(edits, b.scriptEdits(l, mod, func(to string) string { return b.addressOf(p, to) })...)
	}
	for _, s := range p.Scripts {
		if data, ok := copies[b.resolveAt(p, s.Ref).Path]; ok && s.Integrity.End > 0 && s.Text.End == 0 {
			edits = append(edits, graph.Edit{At: s.Integrity, With: integrity(data)}) // that of the script as it was would keep it from running
		}
	}
	b.reportInert(p)
	edits = append(edits, rehashed(p, edits)...)
	text := graph.Apply(p.File.Text, edits)
	res.html = Output{Path: p.File.Path.Name, Kind: PageKind, Data: p.File.Encoded(text), owner: source.SpanOf(p.File.Pos(0), 0)}
	res.assets = append(res.assets, runs.files...)
	return res
}

// reportInert warns of links that load no sheet, though they seem to be meant to.
func (b *builder) reportInert(p *graph.Page) {
	if at := p.Unclosed; at.End > 0 {
		text, _, _ := strings.Cut(p.File.Text[at.Start:at.End], "\n")
		d := diag.Diagnostic{Code: code.UnclosedTag, Severity: diag.Warning, Span: source.SpanOf(p.File.Pos(at.Start), len(text)),
			Message: "the tag is not closed before the page ends, and browsers read nothing of what follows: expected '>'"}
		if i := strings.Index(text, `="`); i >= 0 && strings.Count(text, `"`)%2 == 1 {
			d.Message, d.Mend = "a quote in the tag is not closed, and browsers read nothing of what follows", "close the quote after the address"
		}
		b.report(d)
	}
	for _, l := range p.Inert {
		d := diag.Diagnostic{Code: code.BadLink, Severity: diag.Warning, Span: p.File.Pos(l.At.Start).To(uint32(l.At.End))}
		switch {
		case l.Src != "":
			d.Message, d.Mend = "a link has its address in href: browsers load nothing from src", fmt.Sprintf("write href=%q", l.Src)
		case l.Rel == "":
			d.Message, d.Mend = "the link has no rel, and browsers do not load the sheet", `write <link rel="stylesheet" …>`
		default:
			d.Message, d.Mend = fmt.Sprintf("browsers know no relation %q, and do not load the sheet", l.Rel), `did you mean "stylesheet"?`
		}
		b.report(d)
	}
}

// unclosed words a finding about an address that goes on into the markup, since its quote is not closed. It returns
// false if the address does not.
func unclosed(d *diag.Diagnostic, address string) bool {
	end := strings.IndexAny(address, "<>\n\r")
	if end < 1 {
		return false
	}
	start := strings.TrimRight(strings.SplitN(address[:end], " ", 2)[0], "/\t ")
	if start == "" {
		return false
	}
	d.Message = fmt.Sprintf("the address that starts with %q goes on into the markup: expected a quote after it", start)
	d.Mend = fmt.Sprintf("close the quote: \"%s\"", start)
	d.Span.End = min(d.Span.End, d.Span.Start.Off+uint32(len(start)))
	d.Cause = ""
	return true
}

// isUnstyled reports whether nothing styles a page.
func (b *builder) isUnstyled(m *pageResult, info Page) bool {
	p := m.page
	return len(info.Bundles)+len(info.Late)+len(p.Styles)+len(p.Preloads) == 0 &&
		!slices.ContainsFunc(p.Groups, func(g graph.Group) bool { return len(g.Links) > 0 })
}

// rehashed returns the edits that make the policies of a page name the hashes of its style elements and
// scripts as other edits leave them.
func rehashed(p *graph.Page, edits []graph.Edit) []graph.Edit {
	if len(p.Policies) == 0 {
		return nil
	}
	parts := slices.Clone(p.Styles)
	for _, s := range p.Scripts {
		if s.Text.End > 0 {
			parts = append(parts, s.Text)
		}
	}
	changed := make(map[string]string)
	for _, part := range parts {
		var inside []graph.Edit
		for _, e := range edits {
			if e.At.Start >= part.Start && e.At.End <= part.End {
				inside = append(inside, e)
			}
		}
		if len(inside) > 0 {
			changed[p.File.Text[part.Start:part.End]] = graph.ApplyWithin(p.File.Text, part, inside)
		}
	}
	return p.Rehash(changed)
}

// entryGroup is a group of a page's links with the sheets they lead to.
type entryGroup struct {
	group   graph.Group
	entries []*entry
	scripts []*entry    // sheets that scripts of the page import, behind those
	at      source.Span // what names the first of its sheets
	apart   bool        // it is one bundle, which no other page shares
}

// groups returns the groups of a page's links to sheets of the project, such
// that each can be one sheet. A link to a sheet from elsewhere stays, and what
// stands on its two sides stays apart; a sheet that itself imports one from
// elsewhere comes first in its group. The sheets that scripts import come last.
func (b *builder) groups(p *graph.Page, runs *program) []entryGroup {
	out, last := b.linkGroups(p, runs)
	if b.profile.Scripts == project.AdoptStyles || len(runs.sheets) == 0 {
		return out
	}
	own := entryGroup{at: runs.sheets[0].at}
	for _, s := range runs.sheets {
		own.scripts = append(own.scripts, b.styleEntry(s))
	}
	external := slices.ContainsFunc(own.scripts, func(e *entry) bool { return e.external > 0 })
	if n := len(out) - 1; n >= 0 && last && !external && p.Joins(out[n].group.Links[0], out[n].group) {
		if media, same := out[n].group.SharedMedia(); !same || media == "" {
			out[n].scripts = own.scripts
			return out
		}
	}
	return append(out, own)
}

// linkGroups returns the groups of a page's links. last tells that nothing that
// styles the page stands behind the last one.
func (b *builder) linkGroups(p *graph.Page, runs *program) (out []entryGroup, last bool) {
	last = p.Open
	for _, g := range p.Groups {
		var current entryGroup
		flush := func() {
			if len(current.entries) > 0 {
				out = append(out, current)
			}
			current = entryGroup{}
		}
		for _, l := range g.Links {
			e, external := b.linkedSheet(p, l)
			switch {
			case external || runs.found.byAddress(l):
				flush()
				last = false
				continue
			case e == nil:
				continue
			case e.external > 0 || !p.Joins(l, current.group):
				flush()
			}
			if len(current.entries) == 0 {
				current.at = refSpan(p, l.Href)
			}
			last = p.Open
			current.group.Links = append(current.group.Links, l)
			current.entries = append(current.entries, e)
		}
		flush()
	}
	return out, last
}

// linkedSheet returns the sheet that a link leads to, worked out, or nil with
// external set if it lies elsewhere, or nil after a report.
func (b *builder) linkedSheet(p *graph.Page, l graph.Link) (e *entry, external bool) {
	at := refSpan(p, l.Href)
	if isTemplate(l.Href.Address) {
		return nil, true // a program puts the address in
	}
	target := b.resolveAt(p, l.Href)
	if target.Kind == graph.External || b.leftToOthers(target, l.Href.Address) {
		return nil, true
	}
	if d, ok := b.badTarget(target, l.Href.Address, at); ok {
		b.reportOn(p, d)
		return nil, false
	}
	if _, err := b.memory.sheets.Load(target.Path); err != nil {
		d := b.unreadable(target.Path, err, at)
		if d.Code == code.Missing {
			d.Message = fmt.Sprintf("the page links a sheet %q that does not exist", b.project.Tree.Show(target.Path))
			d.Cause = target.Path.String()
			if !strings.HasPrefix(d.Mend, "did you mean") { // no file has a name like it
				d.Mend = "if something else provides it, name it in external; if the page is no part of the site, in exclude"
			}
			if !b.profile.Release {
				d.Severity = diag.Warning
				d.Message += "; a release needs it, or has it in external"
			}
			unclosed(&d, l.Href.Address)
		}
		b.reportOn(p, d)
		return nil, false
	}
	return b.entryOf(target.Path), false
}

// leftToOthers reports whether the settings say that others provide what an address leads to, so
// that links to it stay as they are.
func (b *builder) leftToOthers(t graph.Target, address string) bool {
	if t.Kind == graph.Local && b.excluded(t.Path) {
		return true
	}
	found := false
	for i, g := range b.project.Settings.External {
		if t.Kind == graph.Local && g.Matches(t.Path) || g.Pattern == address {
			found = true
			b.externals.Or(1 << min(i, 63))
		}
	}
	return found
}

// refSpan returns where an address stands in a page.
func refSpan(p *graph.Page, r graph.Ref) source.Span {
	return p.File.Pos(r.At.Start).To(uint32(r.At.End))
}

// resolve returns what an address in a page leads to, its base element heeded.
func (b *builder) resolve(p *graph.Page, address string) graph.Target {
	from, external := b.baseOf(p)
	if external && !strings.HasPrefix(address, "#") {
		return graph.Target{Kind: graph.External}
	}
	return graph.Resolve(b.project.Tree, from, b.project.Settings.Base, address)
}

// resolveAt returns what an address at a place of a page leads to. What stands before the base
// element is loaded before browsers know of it.
func (b *builder) resolveAt(p *graph.Page, r graph.Ref) graph.Target {
	if p.Base != "" && r.At.Start < p.BaseAt {
		return graph.Resolve(b.project.Tree, p.File.Path, b.project.Settings.Base, r.Address)
	}
	return b.resolve(p, r.Address)
}

// baseOf returns the path from which the relative addresses of a page count:
// its own, unless its base element says otherwise. external tells that it says a
// place elsewhere.
func (b *builder) baseOf(p *graph.Page) (from source.Path, external bool) {
	from = p.File.Path
	if p.Base == "" {
		return from, false
	}
	t := graph.Resolve(b.project.Tree, from, b.project.Settings.Base, p.Base)
	switch {
	case t.Kind == graph.External:
		return from, true
	case t.Kind == graph.Local && strings.HasSuffix(strings.TrimSuffix(p.Base, t.Tail), "/"):
		from.Name = path.Join(t.Path.Name, "page")
	case t.Kind == graph.Local:
		from = t.Path
	}
	return from, false
}

// addressOf returns the address of an output file as the page writes it.
func (b *builder) addressOf(p *graph.Page, name string) string {
	if p.Base != "" { // relative addresses do not start at the page
		return b.project.Settings.Base + graph.Relative("index.html", name)
	}
	return graph.Relative(p.File.Path.Name, name)
}

// relativeToOutput returns the address of a source file as seen from an output.
func (b *builder) relativeToOutput(name, file string) string {
	dir := filepath.Join(b.project.Output, filepath.FromSlash(path.Dir(name)))
	return b.relativeOnDisk(dir, file)
}

// relativeOnDisk returns the address of a file as seen from a folder.
func (b *builder) relativeOnDisk(dir, file string) string {
	if rel, err := filepath.Rel(b.onDisk(dir), b.onDisk(file)); err == nil {
		return graph.Relative("x", filepath.ToSlash(rel))
	}
	return file
}

// onDisk returns a path as it is from the top of the disk, or as it is if the working
// folder is not known.
func (b *builder) onDisk(name string) string {
	name = filepath.FromSlash(name)
	if b.here == "" || filepath.IsAbs(name) {
		return filepath.Clean(name)
	}
	return filepath.Join(b.here, name)
}

// assetOf returns the file that an address in a sheet leads to, if it is one
// of the project, or else a finding if it is missing. The address counts from the
// sheet in which it is written.
func (b *builder) assetOf(u urlUse) (t graph.Target, missing []diag.Diagnostic, ok bool) {
	f := b.project.Tree.Set.File(u.at.Start.File)
	if f == nil {
		return graph.Target{}, nil, false
	}
	from, missing := b.baseOfAddress(u, f.Path)
	t = graph.Resolve(b.project.Tree, from, b.project.Settings.Base, u.address)
	if t.Kind != graph.Local {
		return t, missing, false
	}
	if !b.project.Tree.Exists(t.Path) {
		missing = append(missing, diag.Diagnostic{Code: code.MissingAsset, Severity: diag.Warning, Span: u.at,
			Message: fmt.Sprintf("there is no file %q; the address stays as it is", b.project.Tree.Show(t.Path)),
			Mend:    b.nearFile(t.Path), Cause: t.Path.String()})
		return t, missing, false
	}
	return t, missing, true
}

// styleFiles returns a bundle and its map as the profile wants it.
func (b *builder) styleFiles(r *bundleResult, owner source.Span) []Output {
	css := Output{Path: r.info.Path, Kind: StyleKind, Data: r.css, owner: owner}
	switch {
	case r.mapped == nil:
		return []Output{css}
	case b.profile.Maps == project.InlineMaps:
		css.Data = slices.Concat(css.Data, []byte(sourcemap.Comment(sourcemap.DataURL(r.mapped))))
		return []Output{css}
	}
	name := path.Base(r.info.Path) + ".map"
	css.Data = append(css.Data, sourcemap.Comment(graph.Relative("x", name))...)
	return []Output{css, {Path: r.info.Path + ".map", Kind: MapKind, Data: r.mapped, owner: owner}}
}

// copyable reports whether a file is copied as it is when something names it:
// it exists and is no page, which is built.
func (b *builder) copyable(p source.Path) bool {
	return !isPage(p.Name) && b.project.Tree.Exists(p)
}
