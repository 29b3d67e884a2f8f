package site

import (
	"context"

	"rinzel/internal/graph"
	"rinzel/internal/objects"
	"rinzel/internal/own"
	"rinzel/internal/source"
)

// This file adds the steps that the settings define to a build.

// closer is a function that closes something.
type closer func() error

// Close calls the function.
func (c closer) Close() error { return c() }

// addOwnSteps makes the steps of the settings, and those on files that are copied,
// part of the build. They are closed with the project.
func (b *builder) addOwnSteps(ctx context.Context) {
	c, p := b.cache, b.project
	if len(p.Settings.OwnSteps)+len(p.Settings.Components.Match) == 0 && !b.shrinks() {
		return
	}
	if c.results == nil {
		c.results = objects.Open(objects.Options{Folder: p.CacheFolder(), URL: p.Settings.Cache.URL})
		p.AddCloser(closer(func() error { c.results.Close(); return nil }))
	}
	b.addFinishing(ctx)
	if len(p.Settings.OwnSteps)+len(p.Settings.Components.Match) == 0 {
		return
	}
	if c.own == nil {
		c.own = own.New(p, c.files, b.profile, c.results)
		p.AddCloser(c.own)
	}
	c.own.Begin()
	c.linked.Sheets.Make = func(files source.Reader, p source.Path) (*graph.Sheet, bool, error) {
		if b.files.IsComponent(p) {
			sheet, err := b.componentSheet(ctx, files, p)
			return sheet, true, err
		}
		return c.own.Sheet(ctx, files, p)
	}
}
