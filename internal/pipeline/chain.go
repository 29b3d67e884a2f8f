package pipeline

import (
	"context"
	"fmt"
	"slices"
	"time"

	"rinzel/internal/step"
)

// Chain is a list of steps, ready to run. It is safe for concurrent use.
type Chain struct {
	steps   []Step
	runners []step.Runner
}

// New constructs the steps of a list that passes [Check]. The error is that a
// step cannot be constructed.
func New(list []string, s *Settings) (*Chain, error) {
	c := &Chain{}
	for _, name := range list {
		row, ok := find(name, s.Own)
		if !ok {
			return nil, fmt.Errorf("unknown step %q", name)
		}
		runner, err := row.New(s)
		if err != nil {
			return nil, fmt.Errorf("the step %q: %w", name, err)
		}
		c.steps, c.runners = append(c.steps, row), append(c.runners, runner)
	}
	return c, nil
}

// Run runs the steps that apply to a unit on it, in order. The error is that of
// a step, or that the context was cancelled.
func (c *Chain) Run(ctx context.Context, u *step.Unit) error {
	for i, s := range c.steps {
		if err := ctx.Err(); err != nil {
			return err
		}
		if !s.concerns(u) {
			continue
		}
		start := time.Now()
		if err := c.runners[i].Run(ctx, u); err != nil {
			return fmt.Errorf("the step %q: %w", s.Name, err)
		}
		u.Composed = u.Composed || s.Gives == CSS && !s.Own
		if u.Ran != nil {
			u.Ran(step.Stage{Step: s.Name, Nodes: u.Nodes, Compact: u.Compact, Took: time.Since(start)})
		}
	}
	return ctx.Err()
}

// concerns reports whether a step applies to a unit.
func (s *Step) concerns(u *step.Unit) bool {
	if u.Kind == step.Media {
		return s.Changes&Queries != 0
	}
	return !(s.Takes == SheetLanguage && u.Composed)
}

// HasOwn reports whether a step of the user's is among the steps.
func (c *Chain) HasOwn() bool {
	return slices.ContainsFunc(c.steps, func(s Step) bool { return s.Own })
}

// Composes reports whether sheets of this chain may contain build-time syntax.
func (c *Chain) Composes() bool {
	for _, s := range c.steps {
		if s.Takes == SheetLanguage {
			return true
		}
	}
	return false
}
