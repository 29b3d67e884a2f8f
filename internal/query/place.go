package query

import (
	"context"
	"fmt"
	"path"
	"slices"
	"strings"

	"rinzel/internal/css/ast"
	"rinzel/internal/css/parse"
	"rinzel/internal/css/print"
	"rinzel/internal/css/token"
	"rinzel/internal/diag"
	"rinzel/internal/inventory"
	"rinzel/internal/project"
	"rinzel/internal/site"
	"rinzel/internal/source"
)

// Spot is a declaration, or a rule with its block, in a source sheet.
type Spot struct {
	Span source.Span
	Text string // the declaration, or the selectors or prelude of the rule
	// Applied are the selectors of a rule that applies mixins, whose contents
	// depend on other places.
	Applied []string
}

// SpotAt returns the innermost declaration or rule at a place of a sheet. Line
// and column count from 1, columns in UTF-16 code units; column 0 means the first
// declaration or rule that starts in the line, or else the one around it.
func SpotAt(f *source.File, line, column int) (Spot, error) {
	if line < 1 || line > f.Lines() {
		return Spot{}, fmt.Errorf("%s has %s, not %d", f.Name, diag.Count(f.Lines(), "line"), line)
	}
	off := f.UTF16Offset(line-1, max(0, column-1))
	sheet, _ := parse.Sheet(f)
	var best, first ast.Node
	var span source.Span
	ast.Walk(sheet.Nodes, func(n ast.Node) bool {
		if _, isComment := n.(*ast.Comment); isComment {
			return false
		}
		at := ast.WholeSpan(n)
		if column == 0 && first == nil && at.IsValid() && f.Line(at.Start.Off) == line-1 {
			first, span = n, at
		}
		if first == nil && at.Start.Off <= off && off < at.End {
			best, span = n, at
		}
		return true
	})
	if first != nil {
		best = first
	}
	if best == nil {
		return Spot{}, fmt.Errorf("%s:%d has no declaration or rule", f.Name, line)
	}
	return spotOf(best, span), nil
}

// spotOf returns the spot of a node.
func spotOf(n ast.Node, span source.Span) Spot {
	out := Spot{Span: span}
	switch n := n.(type) {
	case *ast.StyleRule:
		out.Text = string(print.AppendSelectors(nil, n.Selectors))
		for _, inside := range n.Nodes {
			if r, ok := inside.(*ast.AtRule); ok && token.EqualFold(r.Name, "apply") {
				out.Applied = []string{out.Text}
			}
		}
	case *ast.AtRule:
		out.Text = "@" + n.Name + " " + print.Values(n.Prelude)
	case *ast.Declaration:
		out.Text = n.Name + ": " + print.Values(n.Value)
	case *ast.InterpolatedDeclaration:
		out.Text = print.Values(n.Name) + ": " + print.Values(n.Value)
	}
	return out
}

// ReadSheet returns the text of a sheet, given as a path in the source folder or
// as "root:path".
func ReadSheet(p *project.Project, name string) (*source.File, error) {
	root, rest := project.SplitRoot(name)
	return p.Tree.Text(source.Path{Root: root, Name: path.Clean(rest)})
}

// StyleSheets returns the CSS sheets of the source folder, in lexical order. Sheets that are
// minified already, by their name, are left out.
func StyleSheets(ctx context.Context, p *project.Project) ([]source.Path, error) {
	survey, err := site.NewSurvey(ctx, p)
	if err != nil {
		return nil, err
	}
	return slices.DeleteFunc(survey.Files().Sheets(), func(s source.Path) bool {
		name := strings.ToLower(s.Name)
		return !strings.HasSuffix(name, ".css") || strings.HasSuffix(name, ".min.css")
	}), nil
}

// Files returns the pages, scripts, templates and sheets of the source folder, in lexical
// order.
func Files(ctx context.Context, p *project.Project) ([]source.Path, error) {
	survey, err := site.NewSurvey(ctx, p)
	if err != nil {
		return nil, err
	}
	return slices.DeleteFunc(slices.Clone(survey.Files().List("").Files), func(f source.Path) bool {
		return !inventory.IsPage(f.Name) && !inventory.IsScript(f.Name) && !inventory.IsTemplate(f.Name) &&
			!strings.EqualFold(path.Ext(f.Name), ".css")
	}), nil
}

// Importable returns what the address of an import in a sheet can be, if it begins with a
// root and a part of a path: see [inventory.Inventory.Importable].
func Importable(ctx context.Context, p *project.Project, root, rest string) ([]inventory.Importable, error) {
	survey, err := site.NewSurvey(ctx, p)
	if err != nil {
		return nil, err
	}
	return survey.Files().Importable(root, rest), nil
}
