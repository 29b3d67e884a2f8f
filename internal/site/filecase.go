package site

import (
	"fmt"
	"slices"
	"strings"

	"rinzel/internal/diag"
	"rinzel/internal/diag/code"
	"rinzel/internal/emit"
	"rinzel/internal/source"
)

// reportWrongCase warns about references to files that differ in case from the
// file name: they fail on case-sensitive systems.
func (b *builder) reportWrongCase(outputs []emit.Output) {
	paths := make(map[source.Path]bool)
	for p := range b.reachedSheets() {
		paths[p] = true
	}
	for _, o := range outputs {
		if o.From != (source.Path{}) {
			paths[o.From] = true
		}
	}
	var list []source.Path
	for p := range paths {
		list = append(list, p)
	}
	slices.SortFunc(list, func(a, b source.Path) int { return strings.Compare(a.String(), b.String()) })
	tree := b.project.Tree
	for _, p := range list {
		if spelled, differs := tree.Spelling(p); differs {
			b.report(diag.Diagnostic{Code: code.WrongCase, Severity: diag.Warning,
				Message: fmt.Sprintf("%q differs in case from the file %q: it is not found on case-sensitive systems",
					tree.Show(p), tree.Show(spelled)),
				Fix: fmt.Sprintf("write %q", spelled.Name)})
		}
	}
}
