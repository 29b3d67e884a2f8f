package build

import (
	"fmt"
	"path"
	"path/filepath"
	"strings"

	"rinzel/internal/diag"
	"rinzel/internal/graph"
	"rinzel/internal/project"
	"rinzel/internal/script"
	"rinzel/internal/source"
	"rinzel/internal/sourcemap"
)

// pageResult is what came of one page.
type pageResult struct {
	page   *graph.Page
	html   Output
	assets []asset
}

// page makes the page that links the bundles of its units.
func (b *builder) page(p *graph.Page, units []*unit) *pageResult {
	res := &pageResult{page: p}
	var edits []graph.Edit
	for _, u := range units {
		var targets []graph.Pointer
		for _, s := range u.loads {
			if s.made.empty {
				continue
			}
			if s.within {
				targets = append(targets, graph.Pointer{Style: b.styleText(s.made.css)})
				continue
			}
			to := graph.Pointer{Address: b.addressOf(p, s.made.info.Path)}
			if b.profile.Integrity {
				to.Integrity = s.made.info.Integrity
			}
			targets = append(targets, to)
		}
		edits = append(edits, u.group.Point(p, targets)...)
		edits = append(edits, u.edits(func(s *styles) string { return b.addressOf(p, s.made.info.Path) })...)
	}
	edits = append(edits, b.moveAssets(res)...)
	edits = append(edits, b.styleElements(res)...)
	text := graph.Apply(p.File.Text, edits)
	if p.File.BOM {
		text = "\uFEFF" + text
	}
	res.html = Output{Path: p.File.Path.Name, Kind: PageKind, Data: []byte(text), owner: source.SpanOf(p.File.Pos(0), 0)}
	b.pageAssets(res)
	return res
}

// entryGroup is a group of a page's links with the sheets they lead to.
type entryGroup struct {
	group   graph.Group
	entries []*entry
}

// groups returns the groups of a page's links to sheets of the project, such
// that each can be one sheet. A link to a sheet from elsewhere stays, and what
// stands on its two sides stays apart; a sheet that itself imports one from
// elsewhere comes first in its group.
func (b *builder) groups(p *graph.Page) []entryGroup {
	var out []entryGroup
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
			case external:
				flush()
				continue
			case e == nil:
				continue
			case e.external > 0 || !p.Joins(l, current.group):
				flush()
			}
			current.group.Links = append(current.group.Links, l)
			current.entries = append(current.entries, e)
		}
		flush()
	}
	return out
}

// linkedSheet returns the sheet that a link leads to, worked out, or nil with
// external set if it lies elsewhere, or nil after a report.
func (b *builder) linkedSheet(p *graph.Page, l graph.Link) (e *entry, external bool) {
	at := refSpan(p, l.Href)
	target := b.resolve(p, l.Href.Address)
	if target.Kind == graph.External {
		return nil, true
	}
	if d, ok := b.badTarget(target, l.Href.Address, at); ok {
		b.report(d)
		return nil, false
	}
	if _, err := b.sheets.Load(target.Path); err != nil {
		d := b.unreadable(target.Path, err, at)
		if d.Code == "missing" {
			d.Message = fmt.Sprintf("the page links a sheet %q that does not exist", b.project.Tree.Show(target.Path))
		}
		b.report(d)
		return nil, false
	}
	return b.entryOf(target.Path), false
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
	return relativeOnDisk(dir, file)
}

// relativeOnDisk returns the address of a file as seen from a folder.
func relativeOnDisk(dir, file string) string {
	from, err1 := filepath.Abs(dir)
	to, err2 := filepath.Abs(filepath.FromSlash(file))
	if err1 == nil && err2 == nil {
		if rel, err := filepath.Rel(from, to); err == nil {
			return graph.Relative("x", filepath.ToSlash(rel))
		}
	}
	return file
}

// assetOf returns the file that an address in a sheet leads to, if it is one
// of the project; a missing one is reported. The address counts from the
// sheet in which it is written.
func (b *builder) assetOf(u urlUse) (graph.Target, bool) {
	f := b.project.Tree.Set.File(u.at.Start.File)
	if f == nil {
		return graph.Target{}, false
	}
	t := graph.Resolve(b.project.Tree, f.Path, b.project.Settings.Base, u.address)
	if t.Kind != graph.Local {
		return t, false
	}
	if !b.project.Tree.Exists(t.Path) {
		b.report(diag.Diagnostic{Code: "missing-asset", Severity: diag.Warning, Span: u.at,
			Message: fmt.Sprintf("there is no file %q; the address stays as it is", b.project.Tree.Show(t.Path)),
			Mend:    b.nearFile(t.Path)})
		return t, false
	}
	return t, true
}

// styleFiles returns a bundle and its map as the profile wants it.
func (b *builder) styleFiles(r *bundleResult, owner source.Span) []Output {
	css := Output{Path: r.info.Path, Kind: StyleKind, Data: r.css, owner: owner}
	switch {
	case r.mapped == nil:
		return []Output{css}
	case b.profile.Maps == project.InlineMaps:
		css.Data = append(css.Data, sourcemap.Comment(sourcemap.DataURL(r.mapped))...)
		return []Output{css}
	}
	name := path.Base(r.info.Path) + ".map"
	css.Data = append(css.Data, sourcemap.Comment(graph.Relative("x", name))...)
	return []Output{css, {Path: r.info.Path + ".map", Kind: MapKind, Data: r.mapped, owner: owner}}
}

// pageAssets notes the scripts of a page, and the files of the project that they name.
func (b *builder) pageAssets(res *pageResult) {
	p := res.page
	add := func(r graph.Ref) {
		t := b.resolve(p, r.Address)
		if t.Kind == graph.Local && b.copyable(t.Path) {
			res.assets = append(res.assets, asset{t.Path, plainAssetName(t.Path), refSpan(p, r)})
		}
	}
	seen := make(map[source.Path]bool)
	for _, s := range p.Scripts {
		add(s)
		if t := b.resolve(p, s.Address); t.Kind == graph.Local {
			b.scriptAssets(res, t.Path, seen)
		}
	}
}

// copyable reports whether a file is copied as it is when something names it:
// it exists and is no page, which is built.
func (b *builder) copyable(p source.Path) bool {
	return !isPage(p.Name) && b.project.Tree.Exists(p)
}

// scriptAssets notes the files that the literals of a script name by a path,
// other scripts among them.
func (b *builder) scriptAssets(res *pageResult, p source.Path, seen map[source.Path]bool) {
	if seen[p] || !isScript(p.Name) {
		return
	}
	seen[p] = true
	f, err := b.project.Tree.Text(p)
	if err != nil {
		return // it is copied, or missing, as any asset
	}
	script.Visit(f.Text, script.Visitor{Literal: func(text string, offset int) {
		if !strings.HasPrefix(text, "./") && !strings.HasPrefix(text, "../") && !strings.HasPrefix(text, "/") {
			return
		}
		t := graph.Resolve(b.project.Tree, p, b.project.Settings.Base, text)
		if t.Kind == graph.Local && b.copyable(t.Path) {
			res.assets = append(res.assets, asset{t.Path, plainAssetName(t.Path), source.SpanOf(f.Pos(offset), 0)})
			b.scriptAssets(res, t.Path, seen)
		}
	}})
}
