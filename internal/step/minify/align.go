package minify

import (
	"slices"
	"strings"

	"rinzel/internal/css/property"
)

// This file orders declarations so that the text compresses better.

// align gives the declarations of a rule the order of an earlier rule that
// declares the same properties, if their order does not matter in either.
func (m *minifier) align(list []claim) {
	if len(list) < 2 || len(list) > maxCompared {
		return
	}
	names := make([]string, len(list))
	for i := range list {
		names[i] = list[i].property.Name
	}
	sorted := slices.Clone(names)
	slices.Sort(sorted)
	key := strings.Join(sorted, ";")
	order, known := m.orders[key]
	switch {
	case !known:
		if anyCompete(list) {
			names = nil
		}
		m.orders[key] = names
	case order != nil && !slices.Equal(order, names):
		slices.SortFunc(list, func(a, b claim) int {
			return slices.Index(order, a.property.Name) - slices.Index(order, b.property.Name)
		})
	}
}

// anyCompete reports whether two of the declarations compete.
func anyCompete(list []claim) bool {
	for i := range list {
		for k := range i {
			if list[i].kinds&list[k].kinds != onlyAll && property.Compete(list[i].property, list[k].property) {
				return true
			}
		}
	}
	return false
}
