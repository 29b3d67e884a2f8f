package site

import (
	"fmt"
	"slices"
	"strings"

	"rinzel/internal/diag"
	"rinzel/internal/diag/code"
	"rinzel/internal/step/check"
)

// missingKeyframes warns about animations whose keyframes no sheet of the
// project defines. It does nothing if an external sheet may define them.
func (b *builder) missingKeyframes() {
	if b.loadsExternalSheets() {
		return
	}
	names := b.blockKeyframes()
	var uses []check.NameUse
	for e := range b.entries {
		for _, p := range e.Pieces {
			for _, name := range p.Motion.Keyframes {
				names[name] = true
			}
			if p.File != nil && b.linker.ChecksRoot(p.File.Path.Root) {
				uses = append(uses, p.Motion.Uses...)
			}
		}
	}
	var near []string
	for name := range names {
		near = append(near, name)
	}
	slices.Sort(near)
	for _, use := range uses {
		if names[use.Name] {
			continue
		}
		b.report(diag.Diagnostic{Code: code.MissingKeyframes, Severity: diag.Warning, Span: use.At, Cause: use.Name,
			Message: fmt.Sprintf("no sheet defines @keyframes %s: the animation has no effect", use.Name),
			Fix:     diag.DidYouMean(use.Name, near, "")})
	}
}

// blockKeyframes returns the names of keyframes that style elements define.
func (b *builder) blockKeyframes() map[string]bool {
	names := make(map[string]bool)
	for _, p := range b.pages {
		for _, at := range p.Styles {
			if text := p.File.Text[at.Start:at.End]; !strings.Contains(text, "keyframes") {
				continue
			}
			_, sheet, _ := b.parseBlock(p, p.File.Path, at)
			for _, name := range check.AnimationsOf(sheet.Nodes).Keyframes {
				names[name] = true
			}
		}
	}
	return names
}

// loadsExternalSheets reports whether a page loads sheets that are not part of
// the project.
func (b *builder) loadsExternalSheets() bool {
	if b.linksExternal.Load() {
		return true
	}
	for e := range b.entries {
		if e.External > 0 {
			return true
		}
	}
	return false
}
