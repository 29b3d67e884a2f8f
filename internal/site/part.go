package site

import (
	"context"
	"slices"

	"rinzel/internal/emit"
	"rinzel/internal/graph"
	"rinzel/internal/project"
)

// This file builds a part of a site, for questions about it.

// Part says what of a site is built. All pages are read and planned, so that the
// part is the same as in a build of the site.
type Part struct {
	Bundle func(logicalName string, sheets []string) bool // sheets are displayed paths
	Page   func(p *graph.Page) bool                       // with its bundles
}

// BuildPart builds a part of a project. The result has only bundles, pages,
// outputs, stages and verdicts of the part, and errors of the sources. Scripts
// are not rewritten. The error is one of the run itself.
func BuildPart(ctx context.Context, p *project.Project, part Part, opts Options) (*Result, error) {
	b, err := newBuilder(ctx, p, opts)
	if err != nil {
		return nil, err
	}
	return b.buildPart(ctx, part)
}

// buildPart implements [BuildPart].
func (b *builder) buildPart(ctx context.Context, part Part) (*Result, error) {
	b.pages = b.findPages()
	res := &Result{Profile: b.profile}
	if err := b.gatherEvidence(ctx); err != nil {
		return nil, err
	}
	w, err := b.planSite(ctx)
	if err != nil {
		return nil, err
	}
	all := w.bundles
	w.bundles = nil
	pages := make(map[*graph.Page]bool)
	for _, p := range b.pages {
		pages[p] = part.Page(p)
	}
	made := make(map[*styles]bool)
	for {
		var next []*styles
		for _, s := range all {
			of := func(p *graph.Page) bool { return pages[p] }
			if !made[s] && (part.Bundle(s.name, s.sheets()) || slices.ContainsFunc(s.pages, of)) {
				next, made[s] = append(next, s), true
			}
		}
		if len(next) == 0 {
			break
		}
		w.bundles = append(w.bundles, next...)
		err := b.inParallel(ctx, "making bundles", len(next), func(i int) { b.makeBundle(ctx, next[i]) })
		if err != nil {
			return nil, err
		}
		for _, s := range next {
			if s.inline { // the page has it
				pages[s.pages[0]] = true
			}
		}
	}
	results := make([]*pageResult, len(b.pages))
	err = b.inParallel(ctx, "writing pages", len(b.pages), func(i int) {
		if pages[b.pages[i]] {
			results[i] = b.page(ctx, b.pages[i], w.perPage[i], w.programs[i], w.loading, new(scriptOutputs))
		}
	})
	if err != nil {
		return nil, err
	}
	b.gatherPart(w, results, res)
	res.Diagnostics, res.Checks = b.findings()
	return res, b.failure()
}

// sheets returns the displayed paths of the sheets of a bundle.
func (s *styles) sheets() (out []string) {
	for _, p := range s.pieces {
		if p.File != nil && !slices.Contains(out, p.File.Name) {
			out = append(out, p.File.Name)
		}
	}
	return out
}

// gatherPart collects everything that was built of a part.
func (b *builder) gatherPart(w *siteWork, pages []*pageResult, res *Result) {
	out := &emit.Set{Files: b.files, Report: b.report}
	for _, s := range w.bundles {
		res.Staged = append(res.Staged, s.staged...)
		if s.made.Empty && !s.referenced && !s.named {
			continue
		}
		s.addTo(out)
		res.Bundles = append(res.Bundles, s.info)
	}
	made := slices.DeleteFunc(slices.Clone(pages), func(m *pageResult) bool { return m == nil })
	res.Verdicts = verdictsOf(w.bundles, made)
	for i, m := range pages {
		if m == nil {
			continue
		}
		out.Add(m.html)
		res.Staged = append(res.Staged, m.staged...)
		res.Pages = append(res.Pages, pageInfo(m.page, w.perPage[i], w.loading.bundles))
	}
	res.Outputs = out.Sorted()
	res.Evidence = b.evidence
}
