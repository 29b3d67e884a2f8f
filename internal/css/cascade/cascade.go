// Package cascade compares what style sheets mean. [Compare] shows that two
// sheets give every element of every document the same declarations, or names
// the first difference that it cannot rule out.
//
// It knows nothing about how one sheet was made from the other. Both are read
// into facts: one for each selector, longhand and condition. Facts that always
// lose are left out. The others must be the same in both sheets, and two facts
// that can meet on one element and differ must have the same order.
//
// The answer is sound, not complete: sheets that mean the same may be reported
// as different.
package cascade

import (
	"fmt"
	"slices"

	"rinzel/internal/css/ast"
	"rinzel/internal/source"
)

// Options say what may be assumed about browsers. The zero value assumes
// nothing.
type Options struct {
	// Understood reports whether all browsers accept a declaration. A
	// declaration that some skip does not hide those before it; nil accepts
	// none.
	Understood func(d *ast.Declaration) bool
}

// Difference is why two sheets were not shown to mean the same.
type Difference struct {
	// Message describes it in one sentence.
	Message string
	// A and B are the positions in the two sheets; the zero Span for a part that
	// one of them lacks.
	A, B source.Span
}

// Compare returns nil if it can be shown that b means the same as a, and
// otherwise the first difference.
func Compare(a, b []ast.Node, opts Options) *Difference {
	n := &names{ids: make(map[string]nameID)}
	x, y := read(a, opts, n), read(b, opts, n)
	if d := compareOthers(x, y); d != nil {
		return d
	}
	if d := n.compareFacts(x, y); d != nil {
		return d
	}
	return n.compareOrder(x, y)
}

// compareOthers compares what is not a declaration of a style rule.
func compareOthers(x, y *sheet) *Difference {
	a, b := withoutRepeats(x.others), withoutRepeats(y.others)
	for i := range max(len(a), len(b)) {
		switch {
		case i >= len(a):
			return &Difference{Message: "only the second sheet has " + b[i].shown(), B: b[i].at}
		case i >= len(b):
			return &Difference{Message: "only the first sheet has " + a[i].shown(), A: a[i].at}
		case a[i].text != b[i].text || a[i].where != b[i].where:
			return &Difference{fmt.Sprintf("%s in one sheet, %s in the other", a[i].shown(), b[i].shown()), a[i].at, b[i].at}
		}
	}
	return nil
}

// withoutRepeats returns a list without those that are repeated later: of equal
// definitions, only the last has an effect.
func withoutRepeats(list []other) []other {
	seen := make(map[string]bool)
	out := make([]other, 0, len(list))
	for _, o := range slices.Backward(list) {
		key := o.where + "\x00" + o.text
		if o.repeatable && seen[key] {
			continue
		}
		seen[key] = true
		out = append(out, o)
	}
	slices.Reverse(out)
	return out
}

// compareFacts compares the facts of each place, whatever their order.
func (n *names) compareFacts(x, y *sheet) *Difference {
	for _, p := range x.places {
		mine, theirs := x.facts[p], y.facts[p]
		for i := range max(len(mine), len(theirs)) {
			switch {
			case i >= len(theirs):
				return &Difference{Message: "only the first sheet has " + n.shown(mine[i]), A: mine[i].at}
			case i >= len(mine):
				return &Difference{Message: "only the second sheet has " + n.shown(theirs[i]), B: theirs[i].at}
			case mine[i].value != theirs[i].value:
				return &Difference{fmt.Sprintf("%s in one sheet, %s in the other", n.shown(mine[i]), n.shown(theirs[i])),
					mine[i].at, theirs[i].at}
			}
		}
	}
	for _, p := range y.places {
		if len(x.facts[p]) == 0 {
			f := y.facts[p][0]
			return &Difference{Message: "only the second sheet has " + n.shown(f), B: f.at}
		}
	}
	return nil
}
