package minify

import (
	"context"

	"rinzel/internal/step"
)

// Name is the name of the step.
const Name = "minify"

// Step minifies units.
type Step struct{}

// Run minifies the rules of a unit, which is to be written without spaces.
func (Step) Run(ctx context.Context, u *step.Unit) error {
	u.Nodes, u.Compact = Nodes(u.Nodes), true
	return ctx.Err()
}
