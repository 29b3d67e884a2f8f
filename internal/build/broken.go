package build

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"rinzel/internal/diag"
	"rinzel/internal/diag/code"
	"rinzel/internal/graph"
	"rinzel/internal/project"
	"rinzel/internal/source"
)

// This file keeps the errors of one page from failing the others while a site is being worked on.

// noteReached notes that a page reaches entries.
func (b *builder) noteReached(p *graph.Page, entries []*entry) {
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
func (b *builder) reportOn(p *graph.Page, d diag.Diagnostic) {
	b.mu.Lock()
	defer b.mu.Unlock()
	b.diags.Add(d)
	b.pageErrors = append(b.pageErrors, pageError{p, d})
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
		note(e.diags, reaching)
		for _, c := range e.sheets {
			note(c.diags, reaching)
		}
	}
	for _, e := range b.pageErrors {
		note([]diag.Diagnostic{e.what}, []*graph.Page{e.page})
	}
	return out
}

// showErrors makes pages show their errors, if each error belongs to pages, some page has none,
// and the profile is for no release.
func (b *builder) showErrors(out *outputs, res *Result, pages []*graph.Page) {
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
	if len(found) == len(pages) {
		return
	}
	for _, p := range pages {
		if len(found[p]) > 0 {
			res.Broken = append(res.Broken, p.File.Name)
			out.show(p, b.errorText(found[p]))
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
func (o *outputs) show(p *graph.Page, text string) {
	i, ok := o.owners[strings.ToLower(p.File.Path.Name)]
	if !ok || o.files[i].Kind != PageKind {
		return
	}
	f := o.b.project.Tree.Set.Add(p.File.Path, p.File.Name, strings.TrimPrefix(string(o.files[i].Data), "\uFEFF"))
	o.files[i].Data = []byte(graph.Apply(f.Text, []graph.Edit{graph.ReadPage(f).Show(text)}))
}

// idleGlobs warns of patterns of the settings that match nothing.
func (b *builder) idleGlobs() {
	const most = 63 // those after it share a bit
	s := b.project.Settings
	for i, g := range s.External {
		if i < most && b.externals.Load()&(1<<i) == 0 {
			b.report(diag.Diagnostic{Code: code.IdlePattern, Severity: diag.Warning, Span: g.At,
				Message: fmt.Sprintf("%q in external matches no sheet that a page links", g.Pattern), Mend: "write the path of the sheet below the source folder, or the address as the page has it"})
		}
	}
	for _, g := range s.Copy {
		if len(b.matching(g)) == 0 {
			b.report(diag.Diagnostic{Code: code.IdlePattern, Severity: diag.Warning, Span: g.At,
				Message: fmt.Sprintf("%q in copy matches no file", g.Pattern), Mend: cmp.Or(b.nearGlob(g.Pattern), "paths are relative to the source folder")})
		}
	}
	for _, g := range s.Exclude {
		found := false
		b.project.Tree.Walk("", func(string) bool { return !found }, func(p source.Path) { found = found || g.Matches(p) }, func(source.Path, error) {})
		if !found {
			b.report(diag.Diagnostic{Code: code.IdlePattern, Severity: diag.Warning, Span: g.At,
				Message: fmt.Sprintf("%q in exclude matches no file", g.Pattern), Mend: cmp.Or(b.nearGlob(g.Pattern), "paths are relative to the source folder")})
		}
	}
}

// matching returns the files of the source folder, or of a root, that a pattern matches, hidden
// folders included if it names one.
func (b *builder) matching(g project.Glob) (out []source.Path) {
	visit := func(p source.Path) {
		if g.Matches(p) {
			out = append(out, p)
		}
	}
	root, pattern := project.SplitRoot(g.Pattern)
	if root == "" && !strings.HasPrefix(pattern, ".") {
		b.walk(visit)
		return out
	}
	b.project.Tree.Walk(root, func(string) bool { return true }, visit, func(source.Path, error) {})
	return out
}
