package purge

import (
	"context"
	"maps"

	"rinzel/internal/css/ast"
	"rinzel/internal/step"
	"rinzel/internal/step/asis"
)

// Name is the name of the step.
const Name = "purge"

// Step is the step for the pipeline.
type Step struct{ opts Options }

// NewStep returns the step with options; Exempt and Record are replaced for
// each unit.
func NewStep(opts Options) Step { return Step{opts} }

// Run purges a bundle or a style element, and notes the [Result], and the
// [Verdict]s if requested. Sheets and nodes that the settings or comments keep
// are unchanged.
func (s Step) Run(ctx context.Context, u *step.Unit) error {
	opts := s.opts
	opts.Exempt = make(map[ast.Node]bool)
	keptBy := uint64(0)
	for _, part := range u.Parts {
		bits := uint64(0)
		if part.File != nil && opts.KeepSheet != nil {
			bits = opts.KeepSheet(part.File.Path)
		}
		if keptBy |= bits; bits == 0 {
			maps.Copy(opts.Exempt, asis.Exempt(part.Nodes, Name))
			continue
		}
		for _, n := range part.Nodes {
			opts.Exempt[n] = true
		}
	}
	if s.opts.Verdicts {
		var verdicts []Verdict
		opts.Record = func(v Verdict) { verdicts = append(verdicts, v) }
		defer func() { u.Note(verdicts) }()
	}
	nodes, result := Nodes(u.Nodes, opts)
	result.MatchedKeeps |= keptBy
	u.Nodes = nodes
	u.Note(result)
	return ctx.Err()
}
