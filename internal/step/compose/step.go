package compose

import (
	"context"

	"rinzel/internal/step"
)

// Name is the name of the step.
const Name = "compose"

// Step composes units on their own, such as style elements. Sheets share
// constants with their imports: package link composes them with a [Composer]
// while it follows the imports, and marks the unit as composed.
type Step struct{ limits Limits }

// NewStep returns the step with limits.
func NewStep(limits Limits) Step { return Step{limits} }

// Run composes a unit that is not composed yet.
func (s Step) Run(ctx context.Context, u *step.Unit) error {
	nodes := u.Nodes
	ResolveHoisted(nil, func(scope *Scope) {
		c := &Composer{Report: u.Find, Limits: s.limits}
		u.Nodes = c.Nodes(nodes, scope)
	})
	return ctx.Err()
}
