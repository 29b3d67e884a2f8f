package site

import (
	"context"

	"rinzel/internal/graph"
	"rinzel/internal/own"
	"rinzel/internal/source"
)

// This file adds the steps that the settings define to a build.

// addOwnSteps makes the steps of the settings part of the build. They are closed
// with the project.
func (b *builder) addOwnSteps(ctx context.Context) {
	c := b.cache
	if len(b.project.Settings.OwnSteps) == 0 {
		return
	}
	if c.own == nil {
		c.own = own.New(b.project, c.files, b.profile)
		b.project.AddCloser(c.own)
	}
	b.addFinishing(ctx)
	c.linked.Sheets.Make = func(files source.Reader, p source.Path) (*graph.Sheet, bool, error) {
		return c.own.Sheet(ctx, files, p)
	}
}
