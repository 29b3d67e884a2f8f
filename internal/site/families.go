package site

import (
	"fmt"
	"slices"
	"strings"

	"rinzel/internal/css/ast"
	"rinzel/internal/css/token"
	"rinzel/internal/diag"
	"rinzel/internal/diag/code"
	"rinzel/internal/source"
)

// families returns the families of all linked sheets, sorted by sheet.
func (b *builder) families() (all []SheetFamilies) {
	for e := range b.entries {
		if e.Families != nil {
			all = append(all, SheetFamilies{e.Families, e.Path, e})
		}
	}
	slices.SortFunc(all, func(a, b SheetFamilies) int { return strings.Compare(a.Sheet.String(), b.Sheet.String()) })
	return all
}

// reportNearMembers warns about classes of pages that look like members of families,
// but are none, and that no rule has either. It does nothing if external sheets may
// have rules for them.
func (b *builder) reportNearMembers(all []SheetFamilies) {
	if len(all) == 0 || b.inUse == nil || b.loadsExternalSheets() {
		return
	}
	classes := b.inUse.All.Classes()
	var others []string
	for class := range classes {
		if !slices.ContainsFunc(all, func(f SheetFamilies) bool { return f.Has(class) }) {
			others = append(others, class)
		}
	}
	if len(others) == 0 {
		return
	}
	ruled := b.ruledClasses()
	slices.Sort(others)
	for _, class := range others {
		if ruled[class] {
			continue
		}
		for _, f := range all {
			n, ok := f.Near(class)
			if !ok {
				continue
			}
			d := diag.Diagnostic{Code: code.NearMember, Severity: diag.Warning, Span: source.SpanOf(classes[class], len(class)),
				Message: fmt.Sprintf("class %q has no rule: %s", class, n.Why), Fix: n.Fix}
			if n.At.IsValid() {
				d.Related = []diag.Related{{Span: n.At, Message: "the family"}}
			}
			b.report(d)
			break
		}
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
