package minify

import (
	"context"

	"rinzel/internal/step"
)

// Name is the name of the step.
const Name = "minify"

// Step is the step for the pipeline.
type Step struct{}

// Run minifies the rules of a unit, and makes its output compact.
func (Step) Run(ctx context.Context, u *step.Unit) error {
	u.Nodes, u.Compact = Nodes(u.Nodes), true
	return ctx.Err()
}
