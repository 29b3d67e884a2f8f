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

// This file keeps the errors of one page from failing the others while a site is being worked on.

// noteReached notes that a page reaches entries.
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

// reportOn reports what is wrong with one page.
func (b *builder) reportOn(p *graph.Page, ds ...diag.Diagnostic) {
	b.mu.Lock()
	defer b.mu.Unlock()
	b.diags.Add(ds...)
	for _, d := range ds {
		b.pageErrors = append(b.pageErrors, pageError{p, d})
	}
}

// errorKey tells errors apart.
type errorKey struct {
	code    code.Code
	message string
	at      source.Span
}

func errorKeyOf(d diag.Diagnostic) errorKey { return errorKey{d.Code, d.Message, d.Span} }

// errorPages returns the pages that each error is about: those that reach the sheet with it, or
// the one in which it stands.
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

// showErrors makes pages show their errors, if each error belongs to pages, some page has none,
// and the profile is for no release.
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
			return // it is about more than pages
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
		if len(found[p]) > 0 {
			res.Broken = append(res.Broken, p.File.Name)
			b.show(out, p, b.errorText(found[p]))
		}
	}
}

// errorText words the errors of a page as the page shows them.
func (b *builder) errorText(ds []diag.Diagnostic) string {
	var text strings.Builder
	r := diag.Renderer{Files: b.project.Tree.Set}
	_ = r.Render(&text, ds) // which writing to a string does not fail
	return strings.TrimSpace(text.String())
}

// show puts a text before all else on a page that was made.
func (b *builder) show(out *emit.Set, p *graph.Page, text string) {
	o := out.Find(p.File.Path.Name)
	if o == nil || o.Kind != emit.PageKind {
		return
	}
	f := b.project.Tree.Set.Add(p.File.Path, p.File.Name, strings.TrimPrefix(string(o.Data), "\uFEFF"))
	o.Data = []byte(graph.Apply(f.Text, []graph.Edit{graph.ReadPage(f).Show(text)}))
}
