package build

import (
	"context"
	"fmt"
	"slices"

	"rinzel/internal/css/ast"
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
	b, err := newBuilder(ctx, p, opts)
	if err != nil {
		return nil, err
	}
	b.checkAll = true
	entries := make([]source.Path, 0, len(names))
	for _, name := range names {
		at, err := b.sheetNamed(name)
		if err != nil {
			return nil, err
		}
		if _, err := b.memory.sheets.Load(at); err != nil {
			b.report(b.unreadable(at, err, source.Span{}))
			continue
		}
		entries = append(entries, at)
	}
	if len(names) == 0 {
		entries = b.entryPaths()
		for _, page := range b.findPages() {
			b.reportInert(page)
		}
		if list := b.sorted(); len(entries) == 0 && len(list) == 0 { // else it is said why nothing is linked
			b.report(b.noSheets())
		}
	}
	for _, at := range entries {
		b.entryOf(at)
		if err := b.ended(); err != nil {
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
		Message: fmt.Sprintf("there is nothing to check: no page in the source folder %q links a sheet, and it holds none", b.project.Settings.Source),
		Mend:    "run it where the pages are, name their folder as source in rinzel.toml, or name sheets: rinzel check SHEET"}
	if sheets := b.sourceSheets(); len(sheets) > 0 {
		d.Message = fmt.Sprintf("there is nothing to check: no page in the source folder %q links a sheet", b.project.Settings.Source)
		d.Mend = "link the sheets, or name them: rinzel check " + b.project.Tree.Show(sheets[0])
	}
	return d
}

// findings returns the findings of a build. Of those of its checks it tells
// what is certainly wrong, as warnings unless the settings have it stop the
// build, and how many others there are.
func (b *builder) findings() (all []diag.Diagnostic, others int) {
	stops := b.project.Settings.Check.InBuild == project.CheckStops
	for _, d := range b.checks.Sorted(b.project.Tree.Set) {
		if d.Severity < diag.Error {
			others++
			continue
		}
		if !stops {
			d.Severity = diag.Warning
		}
		b.report(d)
	}
	return b.sorted(), others
}

// sorted returns the findings in the order in which they are shown, with what the whole project says of them.
func (b *builder) sorted() []diag.Diagnostic {
	list := b.diags.Sorted(b.project.Tree.Set)
	b.definedElsewhere(list)
	return list
}

// checksRoot reports whether the sheets of a root are checked.
func (b *builder) checksRoot(root string) bool {
	settings := b.project.Settings.Check
	return (b.checkAll || settings.InBuild != project.CheckOff) && (root == "" || settings.Libraries)
}

// check has look at the nodes of a sheet, beside what else is done, and returns what waits for what it finds, at the levels that
// the settings give.
func (a *assembler) check(here *visit, nodes []ast.Node, look func([]ast.Node) []diag.Diagnostic) (found func() []diag.Diagnostic) {
	b := a.b
	if !b.checksRoot(here.path.Root) || here.leftOut {
		if b.checkAll && !here.leftOut {
			a.entry.unchecked[here.path] = true
		}
		return func() []diag.Diagnostic { return nil }
	}
	a.entry.checked[here.path] = true
	levels := b.project.Settings.Check.Levels
	done := make(chan []diag.Diagnostic, 1)
	go func() {
		found := slices.DeleteFunc(look(nodes), func(d diag.Diagnostic) bool { return levels[d.Code] == project.LevelOff })
		for i := range found {
			if level, ok := levels[found[i].Code]; ok {
				found[i].Severity = level.Severity()
			}
		}
		done <- found
	}()
	return func() []diag.Diagnostic { return <-done }
}
