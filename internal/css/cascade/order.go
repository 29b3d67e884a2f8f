package cascade

import (
	"cmp"
	"fmt"
	"slices"
	"sort"
	"strings"

	"rinzel/internal/css/ast"
	"rinzel/internal/css/grammar"
)

// This file compares the order of facts.

// maxPairs limits the number of pairs of facts whose order is compared.
const maxPairs = 20_000_000

// compareOrder checks that facts which can meet on one element, and differ, have
// the same order in both sheets. The sheets have the same facts.
func (n *names) compareOrder(x, y *sheet) *Difference {
	pairs := 0
	groups := make(map[string][]placed)
	var kinds []string
	known := make(map[nameID]string)
	for _, p := range x.places {
		kind, ok := known[p.property]
		if !ok {
			kind = kindOf(n.list[p.property])
			known[p.property] = kind
		}
		if _, ok := groups[kind]; !ok {
			kinds = append(kinds, kind)
		}
		theirs := y.facts[p]
		for i, f := range x.facts[p] {
			groups[kind] = append(groups[kind], placed{f, theirs[i]})
		}
	}
	for _, kind := range kinds {
		list := groups[kind]
		if kind != everything {
			list = append(slices.Clip(list), groups[everything]...)
		}
		slices.SortStableFunc(list, func(a, b placed) int { return a.mine.order - b.mine.order })
		for _, i := range moved(list) {
			for j := range list {
				if pairs++; pairs > maxPairs {
					return &Difference{Message: "the sheets differ in the order of too many declarations"}
				}
				if d := n.against(&list[i], &list[j]); d != nil {
					return d
				}
			}
		}
	}
	return nil
}

// placed is a fact in both sheets.
type placed struct{ mine, theirs *fact }

// against returns the difference if two facts have another order in the second
// sheet, and that can matter.
func (n *names) against(p, o *placed) *Difference {
	if cmp.Compare(p.mine.order, o.mine.order) == cmp.Compare(p.theirs.order, o.theirs.order) ||
		!n.competes(p.mine, o.mine) {
		return nil
	}
	message := fmt.Sprintf("%s and %s have another order", n.shown(p.mine), n.shown(o.mine))
	return &Difference{message, p.mine.at, p.theirs.at}
}

// competes reports whether the order of two facts can matter.
func (n *names) competes(a, b *fact) bool {
	switch {
	case a.important != b.important || !related(n.list[a.property], n.list[b.property]):
		return false
	case a.weight != b.weight && !strings.Contains(n.list[a.where]+n.list[b.where], "@scope"):
		return false // the more specific one wins
	case a.property == b.property && a.value == b.value && a.certain && b.certain:
		return false
	}
	return true
}

// related reports whether two properties of one kind may set the same.
func related(a, b string) bool {
	if a == b || a == everything || b == everything {
		return true
	}
	logical := func(name string) bool { return strings.Contains(name, "inline") || strings.Contains(name, "block") }
	legacy := func(name string) bool {
		_, alias := grammar.Standard(name)
		return alias || name[0] == '-'
	}
	return logical(a) != logical(b) || legacy(a) || legacy(b)
}

// moved returns the indexes of the facts of which at least one must have moved:
// all but a longest run of facts that have the same order in both sheets.
func moved(list []placed) []int {
	// The last fact of the best run of each length, and the one before each.
	var ends []int
	before := make([]int, len(list))
	for i := range list {
		// Facts of one declaration have the same order: they stay together.
		n := sort.Search(len(ends), func(k int) bool { return list[ends[k]].theirs.order > list[i].theirs.order })
		before[i] = -1
		if n > 0 {
			before[i] = ends[n-1]
		}
		if n == len(ends) {
			ends = append(ends, i)
		} else {
			ends[n] = i
		}
	}
	stays := make([]bool, len(list))
	if len(ends) > 0 {
		for i := ends[len(ends)-1]; i >= 0; i = before[i] {
			stays[i] = true
		}
	}
	var out []int
	for i := range list {
		if !stays[i] {
			out = append(out, i)
		}
	}
	return out
}

// everything is the kind of the property all, which competes with every other.
const everything = "all"

// boxProperties are the starts of the names of properties that exist for
// physical and for logical sides, which compete.
var boxProperties = []string{"margin", "padding", "scroll-margin", "scroll-padding", "overscroll-behavior", "overflow",
	"contain-intrinsic"}

// kindOf returns the kind of a property: properties of different kinds never
// compete.
func kindOf(property string) string {
	if ast.IsCustomName(property) {
		return property
	}
	if standard, ok := grammar.Standard(property); ok {
		property = standard
	}
	name := strings.TrimPrefix(property, "-")
	if i := strings.IndexByte(name, '-'); name != property && i >= 0 {
		name = name[i+1:] // without a vendor
	}
	switch {
	case name == "all":
		return everything
	case name == "top" || name == "right" || name == "bottom" || name == "left" || strings.HasPrefix(name, "inset"):
		return "inset"
	case strings.HasSuffix(name, "width") && !strings.HasPrefix(name, "border") || strings.HasSuffix(name, "height") ||
		strings.HasSuffix(name, "inline-size") || strings.HasSuffix(name, "block-size"):
		return "size"
	}
	for _, start := range append(boxProperties, "border", "mask", "font", "text", "box", "flex", "grid", "page", "break") {
		if strings.HasPrefix(name, start) {
			return start
		}
	}
	return name
}
