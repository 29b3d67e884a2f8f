package modules

import (
	"fmt"
	"slices"
	"strings"

	"rinzel/internal/diag"
	"rinzel/internal/diag/code"
	"rinzel/internal/source"
)

// Run returns the scripts that pages run, each merged over all pages: with the
// imports of all import maps. If an import of a sheet resolves to different
// sheets on different pages, this is reported, because the script is written
// once.
func (s *Scripts) Run() map[source.Path]*Module {
	out := make(map[source.Path]*Module, len(s.run))
	for p, mods := range s.run {
		out[p] = s.merged(mods)
	}
	return out
}

// merged merges the forms of a script.
func (s *Scripts) merged(mods []*Module) *Module {
	mods = slices.Clone(mods)
	slices.SortFunc(mods, func(m, o *Module) int { return strings.Compare(m.of.key, o.of.key) })
	all := &Module{of: mods[0].of, File: mods[0].File, Component: mods[0].Component, Requests: mods[0].Requests}
	for _, mod := range mods[1:] {
		for _, r := range mod.Requests {
			i := slices.IndexFunc(all.Requests, func(o Request) bool { return o.Span == r.Span })
			switch {
			case i < 0:
				all.Requests = append(slices.Clip(all.Requests), r)
			case all.Requests[i].Path != r.Path && r.IsSheet():
				s.Report(diag.Diagnostic{Code: code.ImportMapConflict, Severity: diag.Error, Span: r.Span,
					Message: fmt.Sprintf("conflicting import maps: %q resolves to %q on one page and to %q on another",
						r.Specifier, s.Files.Show(all.Requests[i].Path), s.Files.Show(r.Path)),
					Fix: "use the same URL in both import maps"})
			}
		}
	}
	return all
}
