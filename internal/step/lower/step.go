package lower

import (
	"context"

	"rinzel/internal/step"
)

// Name is the name of the step.
const Name = "lower"

// Step lowers units.
type Step struct{ opts Options }

// NewStep returns the step with options, of which Report is that of the unit.
func NewStep(opts Options) Step { return Step{opts} }

// Run lowers the rules or the media queries of a unit.
func (s Step) Run(ctx context.Context, u *step.Unit) error {
	if u.Kind == step.Media {
		u.Queries, _ = Media(u.Queries, s.opts)
		return ctx.Err()
	}
	opts := s.opts
	opts.Report = u.Find
	u.Nodes = Nodes(u.Nodes, opts)
	return ctx.Err()
}
