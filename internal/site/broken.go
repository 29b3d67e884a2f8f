package site

import (
	"slices"
	"strings"

	"rinzel/internal/diag"
	"rinzel/internal/diag/code"
	"rinzel/internal/emit"
	"rinzel/internal/graph"
	"rinzel/internal/link"
	"rinzel/internal/source"
)

// This file isolates the errors of one page in development: the other pages are
// built, and this page shows its errors.

// noteReached records that a page uses entries.
func (b *builder) noteReached(p *graph.Page, entries []*link.Entry) {
	b.mu.Lock()
	defer b.mu.Unlock()
	for _, e := range entries {
		if !slices.Contains(b.reachedBy[e], p) {
			b.reachedBy[e] = append(b.reachedBy[e], p)
		}
	}
}

// pageError is a finding about one page.
type pageError struct {
	page *graph.Page
	what diag.Diagnostic
}

// reportOn reports findings about one page.
func (b *builder) reportOn(p *graph.Page, ds ...diag.Diagnostic) {
	b.mu.Lock()
	defer b.mu.Unlock()
	b.diags.Add(ds...)
	for _, d := range ds {
		b.pageErrors = append(b.pageErrors, pageError{p, d})
	}
}

// errorKey identifies an error.
type errorKey struct {
	code    code.Code
	message string
	at      source.Span
}

// errorKeyOf returns the key of d.
func errorKeyOf(d diag.Diagnostic) errorKey { return errorKey{d.Code, d.Message, d.Span} }

// errorPages returns the pages affected by each error: those that use the sheet
// with the error, or the page that contains it.
func (b *builder) errorPages() map[errorKey][]*graph.Page {
	out := make(map[errorKey][]*graph.Page)
	note := func(ds []diag.Diagnostic, pages []*graph.Page) {
		for _, d := range ds {
			if d.Severity == diag.Error {
				out[errorKeyOf(d)] = append(out[errorKeyOf(d)], pages...)
			}
		}
	}
	for e, reaching := range b.reachedBy {
		note(e.Diagnostics, reaching)
		for _, c := range e.Sheets {
			note(c.Diagnostics, reaching)
		}
	}
	for _, e := range b.pageErrors {
		note([]diag.Diagnostic{e.what}, []*graph.Page{e.page})
	}
	return out
}

// showErrors makes pages show their errors. It does nothing in a release, if an
// error affects no page in particular, or if every page has errors.
func (b *builder) showErrors(out *emit.Set, res *Result) {
	if b.profile.Release {
		return
	}
	owners := b.errorPages()
	found := make(map[*graph.Page][]diag.Diagnostic)
	for _, d := range b.diags.Sorted(b.project.Tree.Set) {
		if d.Severity != diag.Error {
			continue
		}
		theirs := owners[errorKeyOf(d)]
		if len(theirs) == 0 {
			return // it affects more than pages
		}
		for _, p := range theirs {
			if n := len(found[p]); n == 0 || errorKeyOf(found[p][n-1]) != errorKeyOf(d) {
				found[p] = append(found[p], d)
			}
		}
	}
	if len(found) == len(b.pages) {
		return
	}
	for _, p := range b.pages {
		if len(found[p]) == 0 {
			continue
		}
		res.Broken = append(res.Broken, p.File.Name)
		res.BrokenPaths = append(res.BrokenPaths, p.File.Path.Name)
		if !b.opts.WithoutAlerts {
			b.show(out, p, b.errorText(found[p]))
		}
	}
}

// errorText returns the errors of a page as the page shows them.
func (b *builder) errorText(ds []diag.Diagnostic) string {
	var text strings.Builder
	r := diag.Renderer{Files: b.project.Tree.Set}
	_ = r.Render(&text, ds) // writing to a strings.Builder cannot fail
	return strings.TrimSpace(text.String())
}

// show inserts a text at the top of a page that was built.
func (b *builder) show(out *emit.Set, p *graph.Page, text string) {
	o := out.Find(p.File.Path.Name)
	if o == nil || o.Kind != emit.PageKind {
		return
	}
	f := b.project.Tree.Set.Add(p.File.Path, p.File.Name, strings.TrimPrefix(string(o.Data), "\uFEFF"))
	o.Data = []byte(graph.Apply(f.Text, []graph.Edit{graph.ReadPage(f).Show(text)}))
}
