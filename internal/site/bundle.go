package site

import (
	"context"
	"crypto/sha256"
	"fmt"
	"path"
	"slices"
	"strings"

	"rinzel/internal/bundle"
	"rinzel/internal/cache"
	"rinzel/internal/css/ast"
	"rinzel/internal/diag"
	"rinzel/internal/diag/code"
	"rinzel/internal/emit"
	"rinzel/internal/graph"
	"rinzel/internal/link"
	"rinzel/internal/project"
	"rinzel/internal/source"
	"rinzel/internal/sourcemap"
	"rinzel/internal/step"
	"rinzel/internal/step/purge"
)

// This file builds the planned bundles.

// madeBundle is a cached bundle with the inputs that it depends on, besides
// files.
type madeBundle struct {
	pieces   []pieceID
	evidence *purge.Evidence
	uses     *purge.Uses
	page     *graph.Page // whose folder its URLs are relative to, if it may be inlined
	at       source.Span // position of its findings

	built
	diags []diag.Diagnostic
}

// built is the result for a bundle.
type built struct {
	made         bundle.Result
	info         Bundle
	inline       bool          // it is inlined into its only page, not written as a file
	placeholders []string      // files whose URLs a module computes
	files        []emit.Output // the bundle and its map, as written
	refs         references    // files that its URLs refer to
	staged       []Staged      // its stages, if they are kept
}

// pieceID identifies the content and the conditions of a piece.
type pieceID struct {
	content    *link.Content
	external   *ast.AtRule
	conditions string
	input      *sourcemap.Input
}

// evidenceNow returns the evidence of the build; nil in a profile that does not
// purge.
func (b *builder) evidenceNow() *purge.Evidence {
	if b.evidence == nil {
		return nil
	}
	return b.evidence.All
}

// makeBundle builds a bundle, or takes it from the cache.
func (b *builder) makeBundle(ctx context.Context, s *styles) {
	now := &madeBundle{evidence: b.evidenceNow(), uses: b.uses, at: s.at}
	for _, p := range s.pieces {
		now.pieces = append(now.pieces, pieceID{p.Content, p.External, link.ConditionKey(p.Conditions), p.Input})
	}
	if b.mayInline(s) {
		now.page = s.pages[0]
	}
	same := func(m *madeBundle) bool {
		return m.page == now.page && m.evidence == now.evidence && m.uses == now.uses &&
			(m.at == now.at || len(m.diags) == 0) &&
			slices.Equal(m.pieces, now.pieces) && b.areCurrent(&m.refs)
	}
	key := fmt.Sprint(s.name, s.adopted, s.plain, s.named)
	m := b.cache.bundles.Get(b.files.Reader, key, same, func(r *cache.Reads) (*madeBundle, bool) {
		if err := b.buildBundle(ctx, s, r, now); err != nil {
			b.fail(err)
			return now, false
		}
		return now, true
	})
	b.report(m.diags...)
	b.matchedKeeps.Or(m.info.Rules.MatchedKeeps)
	s.built = m.built
	s.staged = slices.Clone(m.staged)
	for i := range s.staged {
		s.staged[i].trees = b.treesOf(s.pages)
	}
	s.files = slices.Clone(m.files)
	for i := range s.files {
		s.files[i].Owner = s.at
	}
	s.info.Lazy, s.info.Referenced, s.info.Adopted, s.info.Named = s.lazy, s.referenced, s.adopted, s.named
	for _, p := range s.pages {
		s.info.Pages = append(s.info.Pages, p.File.Name)
		s.info.pages = append(s.info.pages, p.File.Path.Name)
	}
}

// buildBundle joins and finishes a bundle, and records its findings.
func (b *builder) buildBundle(ctx context.Context, s *styles, r *cache.Reads, m *madeBundle) error {
	report := func(ds ...diag.Diagnostic) { m.diags = append(m.diags, ds...) }
	seenFrom := func(to string) string { return graph.Relative(s.name, to) }
	if s.adopted {
		seenFrom = func(to string) string {
			m.placeholders = append(m.placeholders, to)
			return placeholder(len(m.placeholders) - 1)
		}
	}
	job := bundle.Job{
		Pieces: s.pieces, Kind: step.Bundle, Path: source.Path{Name: s.name}, Files: r, Finish: b.finish, At: s.at, Charset: !s.adopted, Report: report,
		Address: b.urlRewriter(r, &m.refs, seenFrom),
	}
	if b.profile.Maps != project.NoMaps {
		job.Map = b.project.Tree.Set
	}
	finished := b.keepStages(&job, graph.Span{})
	var err error
	if m.made, err = job.Make(ctx); err != nil {
		return err
	}
	if m.inline = b.isInlined(s, &m.made); m.inline {
		// Its URLs are relative to the page.
		m.refs, job.Charset = references{}, false
		job.Report = func(ds ...diag.Diagnostic) {
			report(slices.DeleteFunc(ds, func(d diag.Diagnostic) bool { return d.Code != code.StepFailed })...)
		}
		job.Address = b.urlRewriter(r, &m.refs, func(to string) string { return b.addressOf(s.pages[0], to) })
		finished = b.keepStages(&job, graph.Span{})
		if m.made, err = job.Make(ctx); err != nil {
			return err
		}
	}
	m.staged = finished(s.name)
	m.info = infoOf(s.name, &m.made)
	if m.info.Inline = m.inline; m.inline || s.adopted {
		m.info.css = string(m.made.CSS)
	}
	b.checkPurged(&m.info, &m.made, s.named, s.at, report)
	report(m.refs.diags...)
	b.write(s, m)
	return nil
}

// infoOf returns the statistics of a bundle.
func infoOf(name string, made *bundle.Result) Bundle {
	info := Bundle{Name: name, Path: name, Files: made.Files, Sources: made.Sources, Size: len(made.CSS),
		Prefix: made.Prefixes, Lowered: made.Lowered, Written: made.Written, Joined: made.Joined, Finished: made.Finished, SourceLines: made.SourceLines, Lines: made.Lines}
	if made.Purged != nil {
		info.Rules = *made.Purged
	}
	return info
}

// write gives a bundle its published name, and creates its files.
func (b *builder) write(s *styles, m *madeBundle) {
	address := func(f *source.File) string { return b.relativeToOutput(s.name, f.Name) }
	inlineMap := b.profile.Maps == project.InlineMaps
	var mapped []byte
	if m.made.Map != nil && (inlineMap || b.profile.Names != project.HashedNames) {
		mapped = m.made.Map.JSON(path.Base(s.name), address)
	}
	if b.profile.Names == project.HashedNames && !s.plain {
		written := m.made.CSS
		if inlineMap {
			written = b.styleFiles(&m.info, &m.made, mapped, s.at)[0].Data // with the map, which has the name without the hash
		}
		m.info.Path = emit.HashedName(s.name, sha256.Sum256(written))
	}
	if m.made.Map != nil && !inlineMap {
		mapped = m.made.Map.JSON(path.Base(m.info.Path), address)
	}
	m.files = b.styleFiles(&m.info, &m.made, mapped, s.at)
	m.info.Integrity = emit.Integrity(m.files[0].Data)
}

// inlineMap returns the source map of a bundle that is embedded in the bundle.
func (b *builder) inlineMap(s *styles) []byte {
	return s.made.Map.JSON(path.Base(s.name), func(f *source.File) string { return b.relativeToOutput(s.name, f.Name) })
}

// styleFiles returns a bundle and its map as the profile wants them. mapped is
// nil without a map.
func (b *builder) styleFiles(info *Bundle, made *bundle.Result, mapped []byte, owner source.Span) []emit.Output {
	css := emit.Output{Path: info.Path, Kind: emit.StyleKind, Data: made.CSS, Owner: owner}
	switch {
	case mapped == nil:
		return []emit.Output{css}
	case b.profile.Maps == project.InlineMaps:
		css.Data = slices.Concat(css.Data, []byte(sourcemap.Comment(sourcemap.DataURL(mapped))))
		return []emit.Output{css}
	}
	name := path.Base(info.Path) + ".map"
	css.Data = append(css.Data, sourcemap.Comment(graph.Relative("x", name))...)
	return []emit.Output{css, {Path: info.Path + ".map", Kind: emit.MapKind, Data: mapped, Owner: owner}}
}

// addTo adds the bundle, its map, and the assets that it refers to.
func (s *styles) addTo(out *emit.Set) {
	for _, f := range s.files {
		if !s.inline && (!s.adopted || f.Kind == emit.MapKind) {
			out.Add(f)
		}
	}
	if s.module.Path != "" {
		out.Add(s.module)
	}
	addAssets(out, s.refs.assets)
}

// mayInline reports whether a bundle may be inlined into its only page, if it
// is small enough.
func (b *builder) mayInline(s *styles) bool {
	return b.project.Settings.Split.Inline > 0 && len(s.units) == 1 && !s.units[0].scripted && !s.probed &&
		s.units[0].page.AllowsInlineStyle()
}

// isInlined reports whether a bundle is inlined into its only page.
func (b *builder) isInlined(s *styles, made *bundle.Result) bool {
	return b.mayInline(s) && len(made.CSS) > 0 && len(made.CSS) <= b.project.Settings.Split.Inline && !made.Empty
}

// keepSheet returns a bit for each keep pattern that keeps all rules of a
// sheet; see [purge.Result].
func (b *builder) keepSheet(p source.Path) (bits uint64) {
	for i, pattern := range b.project.Settings.Purge.Keep {
		if root, _ := project.SplitRoot(pattern); root == "" && !strings.Contains(pattern, "/") &&
			!strings.HasSuffix(strings.ToLower(pattern), ".css") {
			continue // it is a selector pattern
		}
		if (project.Glob{Pattern: pattern}).Matches(p) {
			bits |= 1 << min(i, 63)
		}
	}
	return bits
}

// checkPurged checks how much of a bundle purging removed. alone makes it an
// error that nothing remains: no page loads the bundle next to others.
func (b *builder) checkPurged(info *Bundle, made *bundle.Result, alone bool, at source.Span,
	report func(...diag.Diagnostic)) {
	if made.Purged == nil {
		return
	}
	b.checkShare(info, at, report)
	b.checkMostly(info, at, report)
	if made.Empty && alone {
		report(purgedEmpty(info.Name, info.Rules.Rules, at))
	}
}

// checkShare reports a bundle of which purging removes more than the settings
// allow.
func (b *builder) checkShare(info *Bundle, at source.Span, report func(...diag.Diagnostic)) {
	most, r := b.project.Settings.Purge.MaxRemoved, info.Rules
	if most == 0 || r.RemovedRules*100 <= most*r.Rules || r.RemovedRules == r.Rules {
		return
	}
	report(diag.Diagnostic{Code: code.PurgeLimit, Severity: diag.Error, Span: at,
		Message: fmt.Sprintf("purging removes %d of the %s of %q, more than the limit of %d%%", r.RemovedRules,
			diag.Count(r.Rules, "rule"), info.Name, most),
		Fix: "check the evidence in [purge], or raise max-removed"})
}

// checkMostly warns about a bundle of which purging removes more than 90%, if
// the settings have no limit.
func (b *builder) checkMostly(info *Bundle, at source.Span, report func(...diag.Diagnostic)) {
	const few = 20 // rules; with fewer the share is meaningless
	r := info.Rules
	if b.project.Settings.Purge.MaxRemoved > 0 || r.Rules < few || r.RemovedRules*10 <= 9*r.Rules ||
		r.RemovedRules == r.Rules {
		return
	}
	report(diag.Diagnostic{Code: code.PurgedMostly, Severity: diag.Warning, Span: at,
		Message: fmt.Sprintf("purging removes %d of the %s of %q; names in use were read from %s", r.RemovedRules,
			diag.Count(r.Rules, "rule"), info.Name, b.evidence.KindsRead()),
		Fix: "see what is kept with rinzel why; if it is right, set max-removed = 100 in [purge]"})
}

// purgedEmpty returns the finding that purging removes everything that a page
// links.
func purgedEmpty(name string, rules int, at source.Span) diag.Diagnostic {
	return diag.Diagnostic{Code: code.PurgedEmpty, Severity: diag.Error, Span: at,
		Message: fmt.Sprintf("purging removes all rules of %q: no name in its %s is in use", name, diag.Count(rules, "rule")),
		Fix:     "check the evidence in [purge], or list in keep what must stay"}
}

// checkEmpty reports a unit of which purging removes all bundles, and returns
// whether it is one.
func (b *builder) checkEmpty(u *unit) bool {
	rules := 0
	for _, s := range u.loads {
		if !s.made.Empty {
			return false
		}
		rules += s.info.Rules.Rules
	}
	if len(u.loads) == 0 {
		return false
	}
	b.report(purgedEmpty(u.loads[len(u.loads)-1].info.Name, rules, u.at))
	return true
}

// reportEmpty reports a bundle that is purged to nothing and that no page
// links.
func (b *builder) reportEmpty(s *styles) {
	var sheets []string
	for _, p := range s.pieces {
		if p.File != nil && !slices.Contains(sheets, p.File.Name) {
			sheets = append(sheets, p.File.Name)
		}
	}
	b.report(diag.Diagnostic{Code: code.EmptyBundle, Severity: diag.Warning, Span: s.at,
		Message: fmt.Sprintf("purging removes all rules of %q, so it is not written: no name in %s is in use",
			s.info.Name, strings.Join(sheets, ", ")),
		Fix: "remove the links, or check the evidence in [purge]"})
}
