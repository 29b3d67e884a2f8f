package site

import (
	"context"
	"slices"
	"strings"

	"rinzel/internal/bundle"
	"rinzel/internal/cache"
	"rinzel/internal/css/ast"
	"rinzel/internal/css/parse"
	"rinzel/internal/diag"
	"rinzel/internal/diag/code"
	"rinzel/internal/graph"
	"rinzel/internal/link"
	"rinzel/internal/pipeline"
	"rinzel/internal/source"
	"rinzel/internal/step"
	"rinzel/internal/step/purge"
)

// This file runs the style elements of pages through their chain and the
// finish, in place.

// styleElements returns the edits that replace the style elements of a page
// with the built ones.
func (b *builder) styleElements(ctx context.Context, res *pageResult) []graph.Edit {
	var edits []graph.Edit
	for _, at := range res.page.Styles {
		if css, ok := b.styleElement(ctx, res, at); ok {
			edits = append(edits, graph.Edit{At: at, With: css})
		}
	}
	return edits
}

// elementKey identifies a style element of a page.
type elementKey struct {
	page  source.Path
	start int
}

// madeElement is a cached style element with its inputs, besides files.
type madeElement struct {
	page      *graph.Page
	component *graph.Component // instead of a page
	evidence  *purge.Evidence
	uses      *purge.Uses

	css      string
	replaces bool        // its text is replaced by css
	entry    *link.Entry // nil if it is left unchanged
	rules    purge.Result
	verdicts []purge.Verdict
	refs     references
	staged   []Staged
	diags    []diag.Diagnostic
}

// styleElement returns the built text of a style element. ok is false if it is
// left unchanged: invalid CSS may be input for a program that completes the
// page.
func (b *builder) styleElement(ctx context.Context, res *pageResult, at graph.Span) (css string, ok bool) {
	p := res.page
	same := func(m *madeElement) bool {
		return m.page == p && m.evidence == b.evidenceNow() && m.uses == b.uses && b.areCurrent(&m.refs) &&
			(m.entry == nil || b.linker.IsCurrent(m.entry))
	}
	m := b.cache.elements.Get(b.files.Reader, elementKey{p.File.Path, at.Start}, same,
		func(r *cache.Reads) (*madeElement, bool) {
			m, err := b.makeElement(ctx, p, at, r)
			if err != nil {
				b.fail(err)
			}
			return m, err == nil
		})
	if m.entry != nil {
		b.reach(m.entry)
		b.noteReached(p, []*link.Entry{m.entry})
	}
	b.report(m.diags...)
	b.matchedKeeps.Or(m.rules.MatchedKeeps)
	res.verdicts = append(res.verdicts, m.verdicts...)
	res.assets = append(res.assets, m.refs.assets...)
	res.staged = append(res.staged, m.staged...)
	return m.css, m.replaces
}

// makeElement builds a style element.
func (b *builder) makeElement(ctx context.Context, p *graph.Page, at graph.Span, r *cache.Reads) (*madeElement, error) {
	m := &madeElement{page: p, evidence: b.evidenceNow(), uses: b.uses}
	m.refs.noData = b.dataURLsForbidden()
	f, sheet, ok := b.parseElement(p, at)
	if !ok {
		return m, nil
	}
	if len(sheet.Diagnostics) > 0 {
		for _, d := range sheet.Diagnostics {
			d.Severity = min(d.Severity, diag.Warning)
			d.Message += "; the style element is left unchanged"
			m.diags = append(m.diags, d)
		}
		return m, nil
	}
	return m, b.buildElement(ctx, m, element{file: f, sheet: sheet, part: at, finish: b.finish, output: p.File.Path.Name,
		address: func(to string) string { return b.addressOf(p, to) }}, r)
}

// element is a style element that is built in place.
type element struct {
	file     *source.File // its URLs are relative to the path of this
	sheet    *graph.Sheet
	part     graph.Span // its text in the file
	finish   *pipeline.Chain
	compiled bool                       // a program compiles it later, which may know more than CSS
	output   string                     // path of the page in the output folder
	address  func(output string) string // the URL of an output file
}

// buildElement runs a style element through its chain and the finish.
func (b *builder) buildElement(ctx context.Context, m *madeElement, el element, r *cache.Reads) (err error) {
	linker := b.linker.Through(r)
	linker.WithoutChecks = linker.WithoutChecks || el.compiled
	if m.entry, err = linker.Element(ctx, el.file.Path, el.sheet); err != nil {
		return err
	}
	if el.compiled && m.leftToCompiler() {
		return nil
	}
	job := bundle.Job{
		Pieces: slices.Clone(m.entry.Distinct), Kind: step.Element, Path: el.file.Path, Files: r, Finish: el.finish,
		At:      el.file.Pos(el.part.Start).To(uint32(el.part.End)),
		Report:  func(ds ...diag.Diagnostic) { m.diags = append(m.diags, ds...) },
		Address: b.urlRewriter(r, &m.refs, el.address),
	}
	finished := b.keepStages(&job, el.part)
	made, err := job.Make(ctx)
	if err != nil {
		return err
	}
	m.staged = finished(el.file.Name)
	for i := range m.staged {
		m.staged[i].trees = []*link.ImportNode{m.entry.Tree}
	}
	info := infoOf(el.output, &made)
	b.checkPurged(&info, &made, false, job.At, job.Report)
	m.css, m.replaces, m.rules, m.verdicts = styleText(&made), true, info.Rules, made.Verdicts
	m.diags = append(m.diags, m.refs.diags...)
	return nil
}

// leftToCompiler reports whether a style block stays as it is because its imports
// lead nowhere: its compiler may resolve them in another way.
func (m *madeElement) leftToCompiler() bool {
	missing := func(d diag.Diagnostic) bool { return d.Code == code.MissingFile }
	if !slices.ContainsFunc(m.entry.Diagnostics, missing) {
		return false
	}
	for _, d := range m.entry.Diagnostics {
		if missing(d) {
			d.Severity = diag.Note
			d.Message += "; the style block is left unchanged"
			m.diags = append(m.diags, d)
		}
	}
	m.entry = nil
	return true
}

// parseElement parses a style element as a sheet. ok is false if it is not one:
// its URLs have another base, or it is a template.
func (b *builder) parseElement(p *graph.Page, at graph.Span) (f *source.File, sheet *graph.Sheet, ok bool) {
	from, external := b.files.PageBase(p)
	if p.Base != "" && at.Start < p.BaseAt {
		from, external = p.File.Path, false
	}
	text := p.File.Text[at.Start:at.End]
	if p.IsXML() && strings.ContainsAny(text, "&<") {
		return nil, nil, false // character references or similar change its text
	}
	if external || graph.IsTemplate(text) {
		return nil, nil, false
	}
	f, parsed, diags := b.parseBlock(p, from, at)
	return f, &graph.Sheet{File: f, Nodes: parsed.Nodes, Diagnostics: diags}, true
}

// styleText returns a sheet as the text of a style element.
func styleText(made *bundle.Result) string {
	text := string(made.CSS)
	if made.Compact {
		return escapeStyleText(strings.TrimSuffix(text, "\n"))
	}
	return escapeStyleText("\n" + text)
}

// parseBlock parses a style element. Positions are those of the page, whose
// text the file shares; URLs are relative to from.
func (b *builder) parseBlock(p *graph.Page, from source.Path, part graph.Span) (*source.File, *ast.Stylesheet,
	[]diag.Diagnostic) {
	f := b.project.Tree.Set.Add(from, p.File.Name, p.File.Text)
	sheet, diags := parse.Part(f, part.Start, part.End)
	return f, sheet, diags
}

// escapeStyleText returns a sheet with end tags escaped, which would end the
// style element.
func escapeStyleText(css string) string {
	const end = "</style"
	for i := 0; i+len(end) <= len(css); i++ {
		if strings.EqualFold(css[i:i+len(end)], end) {
			css = css[:i+1] + `\` + css[i+1:]
		}
	}
	return css
}
