package own

import (
	"context"
	"slices"

	"rinzel/internal/custom"
	"rinzel/internal/diag"
	"rinzel/internal/graph"
	"rinzel/internal/origin"
	"rinzel/internal/pipeline"
	"rinzel/internal/source"
)

// Edited returns a file with edits, which must not overlap, as [graph.Apply] does.
func Edited(f *source.File, set *source.Set, edits []graph.Edit) *origin.Text {
	edits = slices.Clone(edits)
	slices.SortStableFunc(edits, func(a, b graph.Edit) int { return a.At.Start - b.At.Start })
	var parts []origin.Part
	end := 0
	for _, e := range edits {
		parts = append(parts, origin.Part{Text: f.Text[end:e.At.Start], From: f.Pos(end)},
			origin.Part{Text: e.With, From: f.Pos(e.At.Start)})
		end = e.At.End
	}
	return origin.Assembled(append(parts, origin.Part{Text: f.Text[end:], From: f.Pos(end)}), set)
}

// Has reports whether a step works on a file that is written.
func (s *Steps) Has(on pipeline.Stage, p source.Path) bool {
	return len(s.project.Settings.OutputSteps(on, p, s.profile)) > 0
}

// Text runs the steps for a text that is written: a page or a script. After a
// failure, the rest of them do not run. The error is that the context was
// cancelled.
func (s *Steps) Text(ctx context.Context, files source.Reader, on pipeline.Stage, p source.Path, in *origin.Text,
	report func(diag.Diagnostic)) (*origin.Text, error) {
	for _, o := range s.project.Settings.OutputSteps(on, p, s.profile) {
		out, err := s.text(ctx, files, o, p, in, report)
		if out == nil || err != nil {
			return in, err
		}
		in = out
	}
	return in, nil
}

// Data runs the steps for another file that is written, and returns its new
// contents; nil if they are unchanged. The error is that the context was
// cancelled, or that the file cannot be read.
func (s *Steps) Data(ctx context.Context, files source.Reader, p source.Path,
	report func(diag.Diagnostic)) ([]byte, error) {
	var data []byte
	for i, o := range s.project.Settings.OutputSteps(pipeline.OnAsset, p, s.profile) {
		if i == 0 {
			file, err := files.Copy(p)
			if err != nil {
				return nil, err
			}
			if data, err = file.Read(); err != nil {
				return nil, err
			}
		}
		req := custom.Request{On: string(o.On), Path: p.String(), Data: data}
		res, failed, err := s.call(ctx, files, o, req, source.Span{})
		if err != nil {
			return nil, err
		}
		for _, d := range failed {
			report(d)
		}
		if failed != nil {
			return nil, nil
		}
		r := result{Steps: s, files: files, step: o, path: p, report: report}
		r.findings(res.Findings)
		switch {
		case res.Data != nil:
			data = res.Data
		case res.Text != nil:
			data = []byte(*res.Text)
		}
	}
	return data, nil
}
