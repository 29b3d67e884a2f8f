package prefix

import (
	"context"

	"rinzel/internal/step"
)

// Name is the name of the step.
const Name = "prefix"

// Run prefixes the rules of a unit, and notes the [Change]s.
func (f *Prefixer) Run(ctx context.Context, u *step.Unit) error {
	nodes, changes := f.Nodes(u.Nodes)
	u.Nodes = nodes
	if len(changes) > 0 {
		u.Note(changes)
	}
	return ctx.Err()
}
