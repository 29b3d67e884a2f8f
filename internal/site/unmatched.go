package site

import (
	"cmp"
	"fmt"
	"slices"

	"rinzel/internal/diag"
	"rinzel/internal/diag/code"
	"rinzel/internal/graph"
)

// This file warns about settings without effect.

// reportUnusedChains warns about chains of the settings that no sheet uses.
func (b *builder) reportUnusedChains() {
	chains := b.project.Settings.Chains
	if len(chains) == 1 {
		return // the default
	}
	used, matched := make([]bool, len(chains)), make([]bool, len(chains))
	for p := range b.reachedSheets() {
		last := 0
		for i, c := range chains {
			if c.Matches(p) {
				last, matched[i] = i, true
			}
		}
		used[last] = true
	}
	for i, c := range chains {
		if used[i] || !c.At.IsValid() {
			continue
		}
		d := diag.Diagnostic{Code: code.UnusedChain, Severity: diag.Warning, Span: c.At,
			Message: fmt.Sprintf("unused chain: %q matches no sheet of the site", c.Match),
			Fix:     "paths are relative to the source folder, or to a root like \"root:**/*.css\""}
		if matched[i] {
			d.Message, d.Fix = "unused chain: a later chain matches the same sheets",
				"the last matching chain is used: move the most general chain to the top"
		}
		b.report(d)
	}
}

// reportUnmatchedKeeps warns about keep patterns that match no selector.
func (b *builder) reportUnmatchedKeeps() {
	if !b.purges() {
		return
	}
	const most = 63 // further ones share a bit
	hits := b.matchedKeeps.Load()
	for i, pattern := range b.project.Settings.Purge.Keep {
		if i >= most || hits&(1<<i) != 0 || i >= len(b.project.Settings.Purge.KeepAt) {
			continue
		}
		b.report(diag.Diagnostic{Code: code.UnmatchedKeep, Severity: diag.Warning, Span: b.project.Settings.Purge.KeepAt[i],
			Message: fmt.Sprintf("keep pattern %q matches no selector and no sheet", pattern),
			Fix:     "write a class, ID or element selector, or sheets of a root: \".is-*\", \"#app\", \"kit:**\""})
	}
}

// reportUnmatchedGlobs warns about patterns of the settings that match nothing.
func (b *builder) reportUnmatchedGlobs() {
	const most = 63 // further ones share a bit
	s := b.project.Settings
	for i, g := range s.External {
		if i < most && b.externals.Load()&(1<<i) == 0 {
			b.report(diag.Diagnostic{Code: code.UnmatchedPattern, Severity: diag.Warning, Span: g.At,
				Message: fmt.Sprintf("external pattern %q matches no linked sheet", g.Pattern),
				Fix:     "write the path of the sheet in the source folder, or the URL as the page has it"})
		}
	}
	for _, g := range s.Copy {
		if len(b.files.Matching(g)) == 0 {
			b.report(diag.Diagnostic{Code: code.UnmatchedPattern, Severity: diag.Warning, Span: g.At,
				Message: fmt.Sprintf("copy pattern %q matches no file", g.Pattern),
				Fix:     cmp.Or(b.files.NearGlob(g.Pattern), "paths are relative to the source folder")})
		}
	}
	for _, g := range s.Components.Match {
		if !slices.ContainsFunc(b.files.Matching(g), b.files.IsComponent) {
			b.report(diag.Diagnostic{Code: code.UnmatchedPattern, Severity: diag.Warning, Span: g.At,
				Message: fmt.Sprintf("pattern %q in [components] matches no file", g.Pattern),
				Fix:     cmp.Or(b.files.NearGlob(g.Pattern), "paths are relative to the source folder")})
		}
	}
	for _, g := range s.Exclude {
		if !b.files.AnyOnDisk(g) {
			b.report(diag.Diagnostic{Code: code.UnmatchedPattern, Severity: diag.Warning, Span: g.At,
				Message: fmt.Sprintf("exclude pattern %q matches no file", g.Pattern),
				Fix:     cmp.Or(b.files.NearGlob(g.Pattern), "paths are relative to the source folder")})
		}
	}
}

// reportUnreachedComponents reports components that no script imports: nothing has
// their styles.
func (b *builder) reportUnreachedComponents() {
	if len(b.project.Settings.Components.Match) == 0 {
		return
	}
	reached := b.reachedSheets()
	for _, p := range b.files.List("").Files {
		if reached[p] || !b.files.IsComponent(p) {
			continue
		}
		f, err := b.files.Text(p)
		if err != nil {
			continue
		}
		styles := b.files.Component(f).Styles
		i := slices.IndexFunc(styles, func(s graph.StyleBlock) bool { return b.files.JoinsBundles(&s) })
		if i < 0 {
			continue
		}
		b.report(diag.Diagnostic{Code: code.UnreachedComponent, Severity: diag.Note,
			Span:    f.Pos(styles[i].Whole.Start).To(uint32(styles[i].Text.Start)),
			Message: "no script of a page imports this component, so its styles are in no bundle",
			Fix:     "import it, or list it in [bundles]"})
	}
}
