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

// Checked is the result of a check: findings, and the number of sheets that
// were checked.
type Checked struct {
	Sheets      int
	LeftOut     int // sheets of libraries, which the settings exclude from checks
	Diagnostics []diag.Diagnostic
}

// Check checks sheets without building anything: those in names, each a path in
// the source folder or "root:path"; without names, those that pages use. The
// result includes the findings of a build. The error is one of the run itself.
func Check(ctx context.Context, p *project.Project, names []string, opts Options) (*Checked, error) {
	b, err := newBuilder(ctx, p, opts)
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
		if list := b.sorted(); len(entries) == 0 && len(list) == 0 { // otherwise a finding explains why nothing is linked
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
		b.missingSizes()
		b.reportNearMembers(b.families())
	}
	b.report(b.checks.Sorted(b.project.Tree.Set)...)
	return &Checked{len(b.checked), len(b.unchecked), b.sorted()}, nil
}

// noSheets returns the finding that there is nothing to check.
func (b *builder) noSheets() diag.Diagnostic {
	d := diag.Diagnostic{Code: code.NoSheets, Severity: diag.Error,
		Message: fmt.Sprintf("nothing to check: the source folder %q has no sheets, and no page links one",
			b.project.Settings.Source),
		Fix: "run it in the folder of the pages, set source in rinzel.toml, or name sheets: rinzel check SHEET"}
	if sheets := b.files.Sheets(); len(sheets) > 0 {
		d.Message = fmt.Sprintf("nothing to check: no page in the source folder %q links a sheet", b.project.Settings.Source)
		d.Fix = "link the sheets, or name them: rinzel check " + b.files.Show(sheets[0])
	}
	return d
}
