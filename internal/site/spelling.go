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

// otherCase warns of files whose names are spelled in another case than where they are asked for. Only some systems find
// them then.
func (b *builder) otherCase(outputs []emit.Output) {
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
			b.report(diag.Diagnostic{Code: code.OtherCase, Severity: diag.Warning,
				Message: fmt.Sprintf("%q is asked for, and the file is %q: systems that tell upper from lower case do not find it", tree.Show(p), tree.Show(spelled)),
				Mend:    fmt.Sprintf("write %q where it is asked for", spelled.Name)})
		}
	}
}
