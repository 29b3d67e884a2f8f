package own

import (
	"context"
	"fmt"
	"time"

	"rinzel/internal/css/ast"
	"rinzel/internal/css/parse"
	"rinzel/internal/css/print"
	"rinzel/internal/diag"
	"rinzel/internal/diag/code"
	"rinzel/internal/graph"
	"rinzel/internal/origin"
	"rinzel/internal/pipeline"
	"rinzel/internal/project"
	"rinzel/internal/source"
	"rinzel/internal/step"
)

// Sheet returns a sheet that steps read: those that take its language, or sheets
// as they are written. ok is false if there are none for it. The error is like
// that of [source.Tree.Text], or that the context was cancelled.
func (s *Steps) Sheet(ctx context.Context, files source.Reader,
	p source.Path) (sheet *graph.Sheet, ok bool, err error) {
	readers, _ := s.project.Settings.StepsOf(p, s.profile)
	if len(readers) == 0 {
		return nil, false, nil
	}
	f, err := files.Text(p)
	if err != nil {
		return nil, true, err
	}
	sheet = &graph.Sheet{File: f, Made: []graph.Made{}}
	return sheet, true, s.read(ctx, files, readers, origin.Of(f, s.project.Tree.Set), sheet)
}

// Block returns the rules of a part of a file that is a sheet in some language, such
// as a style block of a component, with the findings. The error is that the context
// was cancelled.
func (s *Steps) Block(ctx context.Context, files source.Reader, f *source.File, at graph.Span,
	language string) (nodes []ast.Node, made []graph.Made, found []diag.Diagnostic, err error) {
	readers, _ := s.project.Settings.StepsFor(f.Path, language, s.profile)
	if len(readers) == 0 {
		tree, found := parse.Part(f, at.Start, at.End)
		return tree.Nodes, nil, found, nil
	}
	text := origin.Assembled([]origin.Part{{Text: f.Text[at.Start:at.End], From: f.Pos(at.Start)}}, s.project.Tree.Set)
	sheet := &graph.Sheet{File: f}
	err = s.read(ctx, files, readers, text, sheet)
	return sheet.Nodes, sheet.Made, sheet.Diagnostics, err
}

// read makes readers read a text, and adds the rules to a sheet, with the findings.
func (s *Steps) read(ctx context.Context, files source.Reader, readers []*project.OwnStep, text *origin.Text,
	sheet *graph.Sheet) (err error) {
	report := func(d diag.Diagnostic) { sheet.Diagnostics = append(sheet.Diagnostics, d) }
	for _, o := range readers {
		start := time.Now()
		if text, err = s.text(ctx, files, o, sheet.File.Path, text, report); text == nil || err != nil {
			return err
		}
		sheet.Made = append(sheet.Made, graph.Made{Step: o.Name, Text: text.File.Text, Took: time.Since(start)})
	}
	nodes, found := parsed(text)
	sheet.Nodes, sheet.Diagnostics = nodes, append(sheet.Diagnostics, found...)
	return nil
}

// parsed parses a text that a step made. All positions are those of the sources.
func parsed(text *origin.Text) ([]ast.Node, []diag.Diagnostic) {
	tree, found := parse.Sheet(text.File)
	ast.Move(tree.Nodes, text.Move)
	for i := range found {
		d := &found[i]
		d.Span = ast.MoveSpan(d.Span, text.Move)
		for k := range d.Related {
			d.Related[k].Span = ast.MoveSpan(d.Related[k].Span, text.Move)
		}
	}
	return graph.WithoutMapComments(tree.Nodes, text.File), found
}

// Row returns a step on the rules of sheets or bundles as a row of the table of
// steps.
func (s *Steps) Row(o *project.OwnStep) pipeline.Step {
	row := o.Step
	row.New = func(*pipeline.Settings) (step.Runner, error) {
		return step.RunnerFunc(func(ctx context.Context, u *step.Unit) error { return s.run(ctx, o, u) }), nil
	}
	return row
}

// run runs a step on a unit: its rules are printed, and the result is parsed
// again.
func (s *Steps) run(ctx context.Context, o *project.OwnStep, u *step.Unit) error {
	if !o.Concerns(u.Path, "", s.profile) {
		return nil
	}
	var recorder origin.Recorder
	in := recorder.Text(print.Sheet(u.Nodes, print.Options{Compact: u.Compact, Maps: &recorder}), s.project.Tree.Set)
	out, err := s.text(ctx, u.Files, o, u.Path, in, u.Find)
	if err != nil || out == nil || out == in {
		return err
	}
	nodes, found := parsed(out)
	for _, d := range append(found, parse.BadSelectors(nodes)...) {
		u.Find(d)
	}
	for _, n := range nodes {
		if r, ok := graph.IsImport(n); ok && o.On == pipeline.OnSheet {
			u.Find(diag.Diagnostic{Code: code.StepFinding, Severity: diag.Warning, Span: r.Span(),
				Message: fmt.Sprintf("the step %q gave an @import, which is not followed here", o.Name),
				Fix:     `set takes = "sheet" for it, so that it runs before imports are followed`})
		}
	}
	u.Nodes = nodes
	u.Parts = parts(nodes, u.Parts)
	return nil
}

// parts splits new nodes into those of each source, as the parts of a unit were.
func parts(nodes []ast.Node, before []step.Part) (out []step.Part) {
	files := make(map[source.FileID]*source.File)
	for _, p := range before {
		if p.File != nil {
			files[p.File.ID] = p.File
		}
	}
	for _, n := range nodes {
		f := files[n.Pos().File]
		if last := len(out) - 1; last >= 0 && out[last].File == f {
			out[last].Nodes = append(out[last].Nodes, n)
			continue
		}
		out = append(out, step.Part{File: f, Nodes: []ast.Node{n}})
	}
	return out
}
