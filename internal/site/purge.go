package site

import (
	"context"
	"slices"

	"rinzel/internal/css/print"
	"rinzel/internal/diag/code"
	"rinzel/internal/evidence"
	"rinzel/internal/link"
	"rinzel/internal/pipeline"
	"rinzel/internal/step"
	"rinzel/internal/step/purge"
)

// This file purges pieces by the evidence before bundles are planned.

// gatherer returns the collector of the evidence.
func (b *builder) gatherer() *evidence.Gatherer {
	s := b.project.Settings
	return &evidence.Gatherer{Files: b.files, Settings: s.Purge, Source: s.Source, Globs: b.opts.Evidence,
		Release: b.profile.Release, Cache: b.cache.evidence}
}

// namesInUse returns the names in use that families of classes have members for,
// sorted, in every profile.
func (b *builder) namesInUse(ctx context.Context) []string {
	if b.evidence != nil {
		b.inUse = b.evidence
		return b.inUse.Names()
	}
	pages := b.pages
	if pages == nil {
		pages = b.findPages()
	}
	found, err := b.gatherer().Gather(ctx, pages)
	if err != nil {
		b.fail(err)
		return nil
	}
	for _, d := range found.Diagnostics {
		if d.Code == code.MissingEvidence {
			b.report(d)
		}
	}
	b.inUse = found
	return found.Names()
}

// reuseVerdicts keeps the purge results of the previous build that the changes
// in the evidence do not affect.
func (b *builder) reuseVerdicts(now *purge.Evidence) {
	before := b.cache.lastEvidence
	b.cache.lastEvidence = now
	if before == nil || before == now {
		return
	}
	change := now.Since(before)
	concerned := make(map[*link.Content]bool)
	concerns := func(c *link.Content) bool {
		is, known := concerned[c]
		if !known {
			t := traitsFor(c)
			is = t.names == nil || change.Concerns(t.names)
			concerned[c] = is
			if !is && t.evidence == before {
				t.evidence = now
			}
		}
		return is
	}
	b.cache.bundles.Each(func(_ string, m *madeBundle) {
		any := false
		for _, p := range m.pieces {
			any = p.content != nil && concerns(p.content) || any
		}
		if !any && m.evidence == before {
			m.evidence = now
		}
	})
}

// usesOf returns the names of animations, fonts and other definitions that the
// remaining rules of bundles and style elements use.
func (b *builder) usesOf(ctx context.Context, bundles []*styles) (*purge.Uses, error) {
	var lists [][]link.Piece
	for _, s := range bundles {
		lists = append(lists, s.pieces)
	}
	pieces, err := b.purgePieces(ctx, lists)
	if err != nil {
		return nil, err
	}
	all := new(purge.Uses)
	for _, p := range pieces {
		all.Add(traitsOf(&p).uses)
	}
	for _, page := range b.pages {
		for _, at := range page.Styles {
			all.AddText(page.File.Text[at.Start:at.End])
		}
	}
	all.Close()
	if last := b.cache.lastUses; last != nil && last.Equal(all) {
		return last, nil // bundles built with it are still valid
	}
	b.cache.lastUses = all
	return all, nil
}

// measure sets the purged size of the sheets in units, so that a large sheet of
// which little remains does not become a bundle of its own.
func (b *builder) measure(ctx context.Context, units []*unit) error {
	var lists [][]link.Piece
	for _, u := range units {
		lists = append(lists, u.pieces)
	}
	if _, err := b.purgePieces(ctx, lists); err != nil {
		return err
	}
	for _, u := range units {
		size := func(i int) int {
			if u.pieces[i].External != nil {
				return u.items[i].Size
			}
			return traitsOf(&u.pieces[i]).remaining
		}
		for i := range u.items {
			if u.items[i].Size != size(i) {
				u.items = slices.Clone(u.items) // the list is shared with other units
				for k := range u.items {
					u.items[k].Size = size(k)
				}
				break
			}
		}
	}
	return nil
}

// purgePieces purges pieces, each once, and returns those that are not external
// imports.
func (b *builder) purgePieces(ctx context.Context, lists [][]link.Piece) (pieces []link.Piece, err error) {
	seen := make(map[*link.Content]bool)
	for _, list := range lists {
		for _, p := range list {
			if p.External == nil && !seen[p.Content] {
				seen[p.Content] = true
				pieces = append(pieces, p)
			}
		}
	}
	chain, err := pipeline.New(pipeline.OnlySite(b.profile.Finish), b.stepSettings())
	if err != nil {
		return nil, err
	}
	err = b.inParallel(ctx, "purging sheets", len(pieces), func(i int) {
		if err := b.purgePiece(ctx, chain, &pieces[i]); err != nil {
			b.fail(err)
		}
	})
	return pieces, err
}

// purgePiece determines what remains of a piece.
func (b *builder) purgePiece(ctx context.Context, chain *pipeline.Chain, p *link.Piece) error {
	t := traitsOf(p)
	if t.uses != nil && t.evidence == b.evidence.All {
		return nil
	}
	u := &step.Unit{Kind: step.Bundle, Nodes: p.Nodes, Parts: []step.Part{{File: p.File, Nodes: p.Nodes}}, Composed: true}
	if b.clock != nil {
		u.Ran = b.clock.onBundle
	}
	if err := chain.Run(ctx, u); err != nil {
		return err
	}
	t.uses, t.evidence = purge.UsesOf(u.Nodes), b.evidence.All
	t.remaining = len(print.Append(nil, u.Nodes, print.Options{Compact: true}))
	if t.names == nil {
		t.names = purge.Names(p.Nodes)
	}
	return nil
}
