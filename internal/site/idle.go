package site

import (
	"cmp"
	"fmt"

	"rinzel/internal/diag"
	"rinzel/internal/diag/code"
)

// This file warns of what the settings say to no effect.

// idleChains warns of chains of the settings that no sheet goes through.
func (b *builder) idleChains() {
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
		d := diag.Diagnostic{Code: code.IdleChain, Severity: diag.Warning, Span: c.At,
			Message: fmt.Sprintf("no sheet goes through this chain: none that is reached matches %q", c.Match), Mend: "paths are relative to the source folder, or to a root as in \"root:**/*.css\""}
		if matched[i] {
			d.Message, d.Mend = "no sheet goes through this chain: a later one matches all that it matches", "the last chain that matches a sheet counts: write the chain for all sheets first"
		}
		b.report(d)
	}
}

// idleKeeps warns of patterns of the settings that match no selector.
func (b *builder) idleKeeps() {
	if !b.purges() {
		return
	}
	const most = 63 // those after it share a bit
	hits := b.keptBy.Load()
	for i, pattern := range b.project.Settings.Purge.Keep {
		if i >= most || hits&(1<<i) != 0 || i >= len(b.project.Settings.Purge.KeepAt) {
			continue
		}
		b.report(diag.Diagnostic{Code: code.IdleKeep, Severity: diag.Warning, Span: b.project.Settings.Purge.KeepAt[i],
			Message: fmt.Sprintf("this keeps nothing: no selector has a part that %q matches, and no sheet is so called", pattern),
			Mend:    "write a class, ID or element as selectors have it, or a root with the sheets to keep: \".is-*\", \"#app\", \"kit:**\""})
	}
}

// idleGlobs warns of patterns of the settings that match nothing.
func (b *builder) idleGlobs() {
	const most = 63 // those after it share a bit
	s := b.project.Settings
	for i, g := range s.External {
		if i < most && b.externals.Load()&(1<<i) == 0 {
			b.report(diag.Diagnostic{Code: code.IdlePattern, Severity: diag.Warning, Span: g.At,
				Message: fmt.Sprintf("%q in external matches no sheet that a page links", g.Pattern), Mend: "write the path of the sheet below the source folder, or the address as the page has it"})
		}
	}
	for _, g := range s.Copy {
		if len(b.files.Matching(g)) == 0 {
			b.report(diag.Diagnostic{Code: code.IdlePattern, Severity: diag.Warning, Span: g.At,
				Message: fmt.Sprintf("%q in copy matches no file", g.Pattern), Mend: cmp.Or(b.files.NearGlob(g.Pattern), "paths are relative to the source folder")})
		}
	}
	for _, g := range s.Exclude {
		if !b.files.AnyOnDisk(g) {
			b.report(diag.Diagnostic{Code: code.IdlePattern, Severity: diag.Warning, Span: g.At,
				Message: fmt.Sprintf("%q in exclude matches no file", g.Pattern), Mend: cmp.Or(b.files.NearGlob(g.Pattern), "paths are relative to the source folder")})
		}
	}
}
