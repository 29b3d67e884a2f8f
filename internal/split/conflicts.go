package split

import "slices"

// maxPairs limits the pairs of items that are compared for conflicting orders.
const maxPairs = 4_000_000

// pair is two items, in the order of their first occurrence.
type pair struct{ a, b int }

// opposites returns the competing items that two units load in opposite order,
// except those found while planning.
func (p *planner) opposites() []OrderConflict {
	known := make(map[[2]string]bool)
	for _, t := range p.conflicts {
		known[[2]string{t.A.Key, t.B.Key}], known[[2]string{t.B.Key, t.A.Key}] = true, true
	}
	var out []OrderConflict
	straight := make(map[pair]int) // units that load a pair in the order of its first occurrence; -1 for none
	left := maxPairs
	for u, items := range p.units {
		common := slices.DeleteFunc(slices.Clone(items), func(it int) bool { return len(p.reached[it]) < 2 })
		if slices.IsSorted(common) {
			continue
		}
		if left -= len(common) * len(common); left < 0 {
			break
		}
		for i, b := range common {
			for _, a := range common[i+1:] {
				if a >= b || !p.claims[a].competes(p.claims[b]) || known[[2]string{p.items[a].Key, p.items[b].Key}] {
					continue
				}
				v, found := straight[pair{a, b}]
				if !found {
					v = p.reaching(a, b, u)
					straight[pair{a, b}] = v
				}
				if v >= 0 {
					out = append(out, OrderConflict{p.items[a], p.items[b], v, u, p.items[a].Claims.Overlap(p.items[b].Claims)})
				}
			}
		}
	}
	return out
}

// reaching returns the first unit that loads a before b, except the unit but;
// -1 if there is none.
func (p *planner) reaching(a, b, but int) int {
	for _, u := range p.reached[a] {
		if u == but {
			continue
		}
		if i, k := slices.Index(p.units[u], a), slices.Index(p.units[u], b); k > i {
			return u
		}
	}
	return -1
}
