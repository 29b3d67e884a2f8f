package site

import (
	"fmt"
	"maps"
	"slices"
	"strings"

	"rinzel/internal/diag"
	"rinzel/internal/diag/code"
	"rinzel/internal/link"
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

// MostInOrder returns those of some classes that are members of the families of a sheet,
// in the order of their rules: of the sheet that has most of them.
func MostInOrder(families []SheetFamilies, classes []string) (most []string) {
	for _, f := range families {
		if members := f.InOrder(classes); len(members) > len(most) {
			most = members
		}
	}
	return most
}

// reportNearMembers warns about classes of pages that look like members of families,
// but are none, and that no rule has either. It does nothing if external sheets may
// have rules for them.
func (b *builder) reportNearMembers(all []SheetFamilies) {
	if len(all) == 0 || b.inUse == nil || b.loadsExternalSheets() {
		return
	}
	classes := b.inUse.All.Classes()
	others := make(map[string]bool)
	for class := range classes {
		if !slices.ContainsFunc(all, func(f SheetFamilies) bool { return f.Has(class) }) {
			others[class] = true
		}
	}
	b.withoutRule(others)
	for _, class := range slices.Sorted(maps.Keys(others)) {
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

// withoutRule removes the classes that are in selectors of a sheet.
func (b *builder) withoutRule(classes map[string]bool) {
	seen := make(map[*link.Content]bool)
	for e := range b.entries {
		for i := range e.Pieces {
			p := &e.Pieces[i]
			if p.External != nil || seen[p.Content] {
				continue
			}
			seen[p.Content] = true
			ruled := classesOf(p)
			maps.DeleteFunc(classes, func(class string, _ bool) bool { return ruled[class] })
			if len(classes) == 0 {
				return
			}
		}
	}
}
