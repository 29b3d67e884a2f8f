package site

import (
	"fmt"
	"maps"
	"slices"
	"strings"

	"rinzel/internal/css/ast"
	"rinzel/internal/css/token"
	"rinzel/internal/diag"
	"rinzel/internal/diag/code"
	"rinzel/internal/link"
	"rinzel/internal/source"
	"rinzel/internal/step/compose"
)

// reportNearMembers warns about classes of pages that look like members of families,
// but are none, and that no rule has either. It does nothing if external sheets may
// have rules for them.
func (b *builder) reportNearMembers() {
	var all []*compose.Families
	entries := slices.SortedFunc(maps.Keys(b.entries), func(a, b *link.Entry) int {
		return strings.Compare(a.Path.String(), b.Path.String())
	})
	for _, e := range entries {
		if e.Families != nil {
			all = append(all, e.Families)
		}
	}
	if len(all) == 0 || b.inUse == nil || b.loadsExternalSheets() {
		return
	}
	classes := b.inUse.All.Classes()
	near := make(map[string]compose.Near)
	for _, class := range slices.Sorted(maps.Keys(classes)) {
		for _, f := range all {
			if n, ok := f.Near(class); ok && near[class].Why == "" {
				near[class] = n
			}
		}
		if slices.ContainsFunc(all, func(f *compose.Families) bool { return f.Has(class) }) {
			delete(near, class)
		}
	}
	if len(near) == 0 {
		return
	}
	ruled := b.ruledClasses()
	for class, n := range near {
		if ruled[class] {
			continue
		}
		d := diag.Diagnostic{Code: code.NearMember, Severity: diag.Warning, Span: source.SpanOf(classes[class], len(class)),
			Message: fmt.Sprintf("class %q has no rule: %s", class, n.Why), Fix: n.Fix}
		if n.At.IsValid() {
			d.Related = []diag.Related{{Span: n.At, Message: "the family"}}
		}
		b.report(d)
	}
}

// ruledClasses returns the classes in the selectors of all sheets.
func (b *builder) ruledClasses() map[string]bool {
	out := make(map[string]bool)
	var visit func(list []ast.Selector)
	visit = func(list []ast.Selector) {
		for _, sel := range list {
			for i := range sel {
				if sel[i].Kind == ast.ClassSelector {
					out[token.Unescape(sel[i].Name)] = true
				}
				if sel[i].Args != nil {
					visit(sel[i].Args.Selectors)
				}
			}
		}
	}
	for e := range b.entries {
		for _, p := range e.Pieces {
			ast.Walk(p.Nodes, func(n ast.Node) bool {
				if r, ok := n.(*ast.StyleRule); ok {
					visit(r.Selectors)
				}
				return true
			})
		}
	}
	return out
}
