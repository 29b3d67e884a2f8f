package site

import (
	"cmp"
	"context"
	"fmt"

	"rinzel/internal/diag"
	"rinzel/internal/diag/code"
	"rinzel/internal/project"
	"rinzel/internal/source"
)

// Checked is what a check found, and in how many sheets of the project it looked.
type Checked struct {
	Sheets      int
	LeftOut     int // sheets of libraries, which the settings do not have checked
	Diagnostics []diag.Diagnostic
}

// Check looks at sheets and builds nothing: at those that are named, each by its
// path in the source folder or "root:path"; if none is, at those that the
// pages reach. The findings are those of a build as well. The error is one of our run.
func Check(ctx context.Context, p *project.Project, names []string, opts Options) (*Checked, error) {
	b, err := newBuilder(p, opts)
	if err != nil {
		return nil, err
	}
	b.linker.CheckAll = true
	entries := make([]source.Path, 0, len(names))
	for _, name := range names {
		at, err := b.sheetNamed(name)
		if err != nil {
			return nil, err
		}
		if _, err := b.cache.linked.Sheets.Load(b.files, at); err != nil {
			b.report(b.files.Unreadable(at, err, source.Span{}))
			continue
		}
		entries = append(entries, at)
	}
	if len(names) == 0 {
		entries = b.entryPaths(ctx)
		for _, page := range b.findPages() {
			b.reportInert(page)
		}
		if list := b.sorted(); len(entries) == 0 && len(list) == 0 { // else it is said why nothing is linked
			b.report(b.noSheets())
		}
	}
	for _, at := range entries {
		b.entryOf(ctx, at)
		if err := cmp.Or(b.failure(), ctx.Err()); err != nil {
			return nil, err
		}
	}
	if len(names) == 0 {
		b.pages = b.findPages()
		b.missingKeyframes()
	}
	b.report(b.checks.Sorted(b.project.Tree.Set)...)
	return &Checked{len(b.checked), len(b.unchecked), b.sorted()}, nil
}

// noSheets words that there is nothing to check.
func (b *builder) noSheets() diag.Diagnostic {
	d := diag.Diagnostic{Code: code.NoSheets, Severity: diag.Error,
		Message: fmt.Sprintf("nothing to check: the source folder %q has no sheets, and no page links one", b.project.Settings.Source),
		Fix:     "run it in the folder of the pages, set source in rinzel.toml, or name sheets: rinzel check SHEET"}
	if sheets := b.files.Sheets(); len(sheets) > 0 {
		d.Message = fmt.Sprintf("nothing to check: no page in the source folder %q links a sheet", b.project.Settings.Source)
		d.Fix = "link the sheets, or name them: rinzel check " + b.files.Show(sheets[0])
	}
	return d
}
