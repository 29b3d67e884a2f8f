package site

import (
	"context"
	"fmt"
	"path"
	"path/filepath"
	"slices"
	"strings"

	"rinzel/internal/diag"
	"rinzel/internal/diag/code"
	"rinzel/internal/emit"
	"rinzel/internal/graph"
	"rinzel/internal/modules"
	"rinzel/internal/source"
	"rinzel/internal/sourcemap"
	"rinzel/internal/step/purge"
)

// pageResult is the result for one page.
type pageResult struct {
	page     *graph.Page
	html     emit.Output
	assets   []emit.Asset
	verdicts []purge.Verdict // of its style elements
	staged   []Staged        // of its style elements
}

// page rewrites a page so that it links the bundles of its units. rewritten has
// the scripts that are not copied unchanged.
func (b *builder) page(ctx context.Context, p *graph.Page, units []*unit, runs *modules.Program, l *loading,
	rewritten *scriptOutputs) *pageResult {
	res := &pageResult{page: p}
	var edits []graph.Edit
	for _, u := range units {
		var targets []graph.LinkTarget
		for _, s := range u.loads {
			if s.made.Empty {
				continue
			}
			if s.inline {
				targets = append(targets, graph.LinkTarget{Style: styleText(&s.made), Media: u.media})
				continue
			}
			to := graph.LinkTarget{Address: b.addressOf(p, s.info.Path), Media: u.media}
			if b.profile.Integrity {
				to.Integrity = s.info.Integrity
			}
			targets = append(targets, to)
		}
		if len(u.group.Links) == 0 {
			edits = append(edits, p.Append(targets)...)
		} else {
			edits = append(edits, u.group.Point(p, targets)...)
		}
		edits = append(edits, u.edits(func(s *styles) string { return b.addressOf(p, s.info.Path) })...)
	}
	edits = append(edits, b.rewriteAssetRefs(res)...)
	edits = append(edits, b.styleElements(ctx, res)...)
	for _, mod := range runs.Inline {
		edits = append(edits, b.scriptEdits(l, mod, func(to string) string { return b.addressOf(p, to) })...)
	}
	for _, s := range p.Scripts {
		if data, ok := rewritten.data[b.files.ResolveIn(p, s.Ref).Path]; ok && s.Integrity.End > 0 && s.Text.End == 0 {
			// the hash of the original script would prevent it from running
			edits = append(edits, graph.Edit{At: s.Integrity, With: emit.Integrity(data)})
		}
	}
	edits = append(edits, p.PreloadModules(b.preloaded(p, rewritten.run))...)
	b.reportInert(p)
	edits = append(edits, rehashed(p, edits)...)
	data, was := b.finishPage(ctx, p, edits)
	res.html = emit.Output{Path: p.File.Path.Name, Kind: emit.PageKind, Data: data, Was: was,
		Owner: source.SpanOf(p.File.Pos(0), 0)}
	res.assets = append(res.assets, b.filesOf(runs)...)
	return res
}

// reportInert warns about links that look like style links but load nothing.
func (b *builder) reportInert(p *graph.Page) {
	if at := p.Unclosed; at.End > 0 {
		text, _, _ := strings.Cut(p.File.Text[at.Start:at.End], "\n")
		d := diag.Diagnostic{Code: code.UnclosedTag, Severity: diag.Warning,
			Span:    source.SpanOf(p.File.Pos(at.Start), len(text)),
			Message: "unclosed tag: expected '>', got end of file; browsers ignore the rest of the page"}
		if i := strings.Index(text, `="`); i >= 0 && strings.Count(text, `"`)%2 == 1 {
			d.Message, d.Fix = "unclosed quote in the tag: browsers ignore the rest of the page",
				"add the closing quote after the URL"
		}
		b.report(d)
	}
	for _, l := range p.Inert {
		d := diag.Diagnostic{Code: code.BadLink, Severity: diag.Warning, Span: p.File.Pos(l.At.Start).To(uint32(l.At.End))}
		switch {
		case l.Src != "":
			d.Message, d.Fix = "link with src: browsers load only href", fmt.Sprintf("write href=%q", l.Src)
		case l.Rel == "":
			d.Message, d.Fix = "link without rel: browsers do not load the sheet", `write <link rel="stylesheet" …>`
		default:
			d.Message, d.Fix = fmt.Sprintf("unknown link relation %q: browsers do not load the sheet", l.Rel),
				`did you mean "stylesheet"?`
		}
		b.report(d)
	}
}

// isUnstyled reports whether a page has no styles.
func (b *builder) isUnstyled(m *pageResult, info Page) bool {
	p := m.page
	return len(info.Bundles)+len(info.Lazy)+len(p.Styles)+len(p.Preloads) == 0 &&
		!slices.ContainsFunc(p.Groups, func(g graph.Group) bool { return len(g.Links) > 0 })
}

// rehashed returns the edits that update the hashes of style elements and
// scripts in the content security policies of a page, after other edits.
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
			changed[p.File.Text[part.Start:part.End]] = graph.ApplyToPart(p.File.Text, part, inside)
		}
	}
	return p.Rehash(changed)
}

// addressOf returns the URL of an output file for a page: relative to the page, unless its
// URLs are relative to something else, or the page may be served at any path.
func (b *builder) addressOf(p *graph.Page, name string) string {
	if p.Base != "" || p.Rooted {
		return b.addressFromRoot(name)
	}
	return graph.Relative(p.File.Path.Name, name)
}

// addressFromRoot returns the URL of an output file that is the same for all pages.
func (b *builder) addressFromRoot(name string) string {
	return b.project.Settings.Base + graph.Relative("index.html", name)
}

// relativeToOutput returns the URL of a source file relative to an output.
func (b *builder) relativeToOutput(name, file string) string {
	dir := filepath.Join(b.project.Output, filepath.FromSlash(path.Dir(name)))
	return b.relativeOnDisk(dir, file)
}

// relativeOnDisk returns the URL of a file relative to a folder.
func (b *builder) relativeOnDisk(dir, file string) string {
	if sourcemap.IsAbsolute(file) { // a source of a map that a sheet came with
		return file
	}
	if rel, err := filepath.Rel(b.onDisk(dir), b.onDisk(file)); err == nil {
		return graph.Relative("x", filepath.ToSlash(rel))
	}
	return file
}

// onDisk returns the absolute form of a path; unchanged if the working folder
// is unknown.
func (b *builder) onDisk(name string) string {
	name = filepath.FromSlash(name)
	if b.workDir == "" || filepath.IsAbs(name) {
		return filepath.Clean(name)
	}
	return filepath.Join(b.workDir, name)
}
