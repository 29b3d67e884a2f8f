package query

import (
	"context"
	"slices"

	"rinzel/internal/diag"
	"rinzel/internal/diag/code"
	"rinzel/internal/link"
	"rinzel/internal/project"
	"rinzel/internal/site"
	"rinzel/internal/source"
)

// Imports are the imports of all pages, or of one page or sheet.
type Imports struct {
	Entries     []ImportEntry
	Unreached   []string // displayed paths of sheets in the source folder that no page uses
	Diagnostics []diag.Diagnostic
}

// ImportEntry is a page, a bundle of the settings, or a requested sheet, with
// the sheets that it uses.
type ImportEntry struct {
	Name    string // displayed name
	Trees   []*link.ImportNode
	Scripts []string // scripts that import the sheet of each tree; empty for linked sheets
}

// ListImports returns the import trees of a page or a sheet, given as a path in
// the source folder or "root:path"; of all pages if name is empty. The error is
// one of the run itself.
func ListImports(ctx context.Context, p *project.Project, name string) (*Imports, error) {
	survey, asked, err := surveyFor(ctx, p, name)
	if err != nil {
		return nil, err
	}
	return importsIn(ctx, p, survey, asked, name == "")
}

// importsIn returns the import trees of a page or a sheet, or all of a survey.
func importsIn(ctx context.Context, p *project.Project, survey *site.Survey, asked source.Path,
	all bool) (*Imports, error) {
	out := &Imports{}
	reached := make(map[source.Path]bool)
	for _, start := range survey.EntryPoints(ctx) {
		entry := ImportEntry{Name: start.Name}
		for _, s := range start.Sheets {
			if e, ok := survey.Entry(ctx, s.Path, false); ok {
				entry.add(e.Tree, s.Script, reached)
			}
		}
		for _, tree := range start.Elements {
			entry.add(tree, "", reached)
		}
		if all || start.Page != nil && start.Page.File.Path == asked {
			out.Entries = append(out.Entries, entry)
		}
	}
	if len(out.Entries) == 0 && !all {
		if e, ok := survey.Entry(ctx, asked, true); ok {
			out.Entries = []ImportEntry{{Trees: []*link.ImportNode{e.Tree}}}
		}
	}
	for _, s := range survey.Files().Sheets() {
		if !reached[s] {
			out.Unreached = append(out.Unreached, p.Tree.Show(s))
		}
	}
	out.Diagnostics = onlyImports(survey.Diagnostics())
	return out, survey.Err(ctx)
}

// surveyFor returns a survey of a project, and the path of the requested sheet.
func surveyFor(ctx context.Context, p *project.Project, name string) (*site.Survey, source.Path, error) {
	survey, err := site.NewSurvey(ctx, p)
	if err != nil {
		return nil, source.Path{}, err
	}
	asked, err := survey.SheetNamed(name)
	return survey, asked, err
}

// add adds a tree, and records its sheets.
func (e *ImportEntry) add(tree *link.ImportNode, script string, reached map[source.Path]bool) {
	e.Trees, e.Scripts = append(e.Trees, tree), append(e.Scripts, script)
	markReached(tree, reached)
}

// markReached records the sheets in a tree.
func markReached(n *link.ImportNode, reached map[source.Path]bool) {
	if !n.External {
		reached[n.Path] = true
	}
	for _, c := range n.Imports {
		markReached(c, reached)
	}
}

// aboutImports are the codes of findings about imports. Others are meaningless
// here: a part of a library on its own lacks the constants of the rest.
var aboutImports = []code.Code{
	code.EmptyURL, code.BadImport, code.ExternalImport, code.UnmatchedPart, code.ImportCycle, code.LateImport,
	code.MissingFile, code.MissingScript, code.MissingEntry, code.NotUTF8, code.OutsideRoot,
	code.TooManyImports, code.UnknownRoot, code.UnreadableFile,
}

// onlyImports returns the findings about imports.
func onlyImports(list []diag.Diagnostic) []diag.Diagnostic {
	return slices.DeleteFunc(list, func(d diag.Diagnostic) bool { return !slices.Contains(aboutImports, d.Code) })
}

// Unreached returns the displayed paths of files in the source folder that no
// page and no bundle of the settings uses: sheets, scripts, images and others.
// The error is one of the run itself.
func Unreached(ctx context.Context, p *project.Project) ([]string, error) {
	res, err := site.Build(ctx, p, site.Options{})
	if err != nil {
		return nil, err
	}
	var out []string
	for _, f := range res.Unreached {
		out = append(out, p.Tree.Show(f))
	}
	return out, nil
}
