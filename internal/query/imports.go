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

// Imports is what the pages of a project, or one page or sheet, import.
type Imports struct {
	Entries     []ImportEntry
	Unreached   []string // sheets of the source folder that no page reaches, as people are shown them
	Diagnostics []diag.Diagnostic
}

// ImportEntry is a page, a bundle of the settings, or a sheet that was asked about, with
// the sheets that it reaches.
type ImportEntry struct {
	Name    string // as people are shown it
	Trees   []*link.ImportNode
	Scripts []string // that import the sheet of each tree; empty for those that are linked
}

// ListImports returns the import trees of a page or a sheet, by its path in the
// source folder or "root:path"; if name is empty, of all pages. The error is
// one of our run.
func ListImports(ctx context.Context, p *project.Project, name string) (*Imports, error) {
	survey, asked, err := surveyFor(p, name)
	if err != nil {
		return nil, err
	}
	out := &Imports{}
	reached := make(map[source.Path]bool)
	for _, start := range survey.Starts(ctx) {
		entry := ImportEntry{Name: start.Name}
		for _, s := range start.Sheets {
			if e, ok := survey.Entry(ctx, s.Path, false); ok {
				entry.add(e.Tree, s.Script, reached)
			}
		}
		for _, tree := range start.Elements {
			entry.add(tree, "", reached)
		}
		if name == "" || start.Page != nil && start.Page.File.Path == asked {
			out.Entries = append(out.Entries, entry)
		}
	}
	if len(out.Entries) == 0 && name != "" {
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

// surveyFor returns a survey of a project, and the path of the sheet that is asked about by name.
func surveyFor(p *project.Project, name string) (*site.Survey, source.Path, error) {
	survey, err := site.NewSurvey(p)
	if err != nil {
		return nil, source.Path{}, err
	}
	asked, err := survey.SheetNamed(name)
	return survey, asked, err
}

// add adds a tree, and notes the sheets in it.
func (e *ImportEntry) add(tree *link.ImportNode, script string, reached map[source.Path]bool) {
	e.Trees, e.Scripts = append(e.Trees, tree), append(e.Scripts, script)
	markReached(tree, reached)
}

func markReached(n *link.ImportNode, reached map[source.Path]bool) {
	if !n.External {
		reached[n.Path] = true
	}
	for _, c := range n.Imports {
		markReached(c, reached)
	}
}

// aboutImports are the codes of findings about imports. Others mean nothing in
// an answer about them: a part of a library alone lacks the constants of the rest.
var aboutImports = []code.Code{
	code.EmptyURL, code.BadImport, code.ExternalImport, code.UnmatchedPart, code.ImportCycle, code.LateImport, code.MissingFile, code.MissingScript, code.MissingEntry, code.NotUTF8, code.OutsideRoot,
	code.TooManyImports, code.UnknownRoot, code.UnreadableFile,
}

func onlyImports(list []diag.Diagnostic) []diag.Diagnostic {
	return slices.DeleteFunc(list, func(d diag.Diagnostic) bool { return !slices.Contains(aboutImports, d.Code) })
}

// Unreached returns the files of the source folder that no page and no bundle of the
// settings reaches, as people are shown them: sheets, scripts, images and all others. The
// error is one of our run.
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
