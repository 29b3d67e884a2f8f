package lower

import (
	"context"
	"sync"

	"rinzel/internal/step"
)

// Name is the name of the step.
const Name = "lower"

// Step is the step for the pipeline. It is safe for concurrent use.
type Step struct {
	opts  Options
	ready sync.Pool // of *lowering, with cached answers about the targets
}

// NewStep returns the step with options; Report is replaced by that of the
// unit.
func NewStep(opts Options) *Step { return &Step{opts: opts} }

// Run lowers the rules or the media queries of a unit, and notes the [Change]s.
func (s *Step) Run(ctx context.Context, u *step.Unit) error {
	if u.Kind == step.Media {
		u.Queries, _ = Media(u.Queries, s.opts)
		return ctx.Err()
	}
	l, ok := s.ready.Get().(*lowering)
	if !ok {
		l = newLowering(s.opts)
	}
	l.Report = u.Find
	u.Nodes = l.run(u.Nodes)
	if len(l.changes) > 0 {
		u.Note(l.changes)
	}
	l.reset()
	s.ready.Put(l)
	return ctx.Err()
}
