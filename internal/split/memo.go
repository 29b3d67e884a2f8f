package split

import (
	"maps"
	"slices"
)

// Memo caches a plan for the next one, which usually differs only in the
// contents of a few items, not in their claims. Unchanged units are recognized
// as the same slices. The zero Memo is empty. It is not safe for concurrent
// use.
type Memo struct {
	opts    Options
	units   [][]Item
	numbers [][]int        // of the items of each unit
	index   map[string]int // numbers by key
	items   []Item
	planner *planner // the planner of the plan, with the items at that time
	plan    Plan
}

// Units is like the function Units. The items of units must not be modified
// afterwards.
func (m *Memo) Units(units [][]Item, opts Options) Plan {
	if m.planner != nil && m.reuse(units, opts) {
		return m.plan
	}
	p := newPlanner(units, opts)
	p.work()
	*m = Memo{opts: opts, units: units, numbers: p.units, index: make(map[string]int), items: slices.Clone(p.items),
		planner: p, plan: p.plan()}
	for i, it := range m.items {
		m.index[it.Key] = i
	}
	return m.plan
}

// reuse replaces the items of the cached plan by those of units, if the plan is
// valid for them.
func (m *Memo) reuse(units [][]Item, opts Options) bool {
	if opts != m.opts || len(units) != len(m.units) {
		return false
	}
	next, ok := m.changes(units)
	if !ok {
		return false
	}
	grown, shrunk := 0, 0
	var other []int // items with other claims than those of the plan
	now := slices.Clone(m.items)
	for n, was := range m.planner.items {
		if it, changed := next[n]; changed {
			now[n] = it
		}
		if it := now[n]; it.Alone != was.Alone || it.First != was.First || it.Lead != was.Lead {
			return false
		}
		if now[n].Claims != was.Claims && !now[n].Claims.equal(was.Claims) {
			other = append(other, n)
		}
		grown += max(0, now[n].Size-was.Size)
		shrunk += max(0, was.Size-now[n].Size)
	}
	if grown > m.planner.growth || shrunk > m.planner.shrinkage || !sameOverlaps(m.planner.items, now, other) {
		return false
	}
	for n := range now {
		m.planner.items[n].Claims = now[n].Claims // makes the next comparison faster
	}
	m.units = units
	m.put(next)
	return true
}

// sameOverlaps reports whether the items with some numbers compete with the same items
// in two versions of a list, about the same: nothing else of their claims matters.
func sameOverlaps(was, now []Item, numbers []int) bool {
	const most = 50 // more are slower to compare than to plan
	if len(numbers) > most {
		return false
	}
	for _, n := range numbers {
		for k := range was {
			if k != n && was[n].Claims.Overlap(was[k].Claims) != now[n].Claims.Overlap(now[k].Claims) {
				return false
			}
		}
	}
	return true
}

// changes returns the items of units that differ from those of the plan, by
// number. ok is false if they do not correspond one to one.
func (m *Memo) changes(units [][]Item) (next map[int]Item, ok bool) {
	next = make(map[int]Item)
	looked := make(map[int]bool) // the relevant item is the first with its key
	same := make([]bool, len(units))
	for u, items := range units {
		was := m.units[u]
		if len(items) != len(was) {
			return nil, false
		}
		if same[u] = len(items) == 0 || &items[0] == &was[0]; same[u] {
			continue
		}
		for i, n := range m.numbers[u] {
			it, met := next[n]
			first := !looked[n] && m.planner.reached[n][0] == u
			looked[n] = looked[n] || first
			switch {
			case met && it.Key != items[i].Key:
				return nil, false
			case !met && (items[i].Key != m.items[n].Key || first && items[i] != m.items[n]):
				next[n] = items[i]
			}
		}
	}
	return next, m.areEverywhere(next, units, same) && m.areDistinct(next)
}

// areEverywhere reports whether each changed item is the same in all units that
// have it. same tells which units are unchanged.
func (m *Memo) areEverywhere(next map[int]Item, units [][]Item, same []bool) bool {
	for u, items := range units {
		for i, n := range m.numbers[u] {
			if it, met := next[n]; met && (same[u] && it.Key != m.items[n].Key || !same[u] && it.Key != items[i].Key) {
				return false
			}
		}
	}
	return true
}

// areDistinct reports whether no changed item has become equal to another one.
func (m *Memo) areDistinct(next map[int]Item) bool {
	keys := make(map[string]bool)
	for n, it := range next {
		if have, met := m.index[it.Key]; met && have != n || keys[it.Key] {
			return false
		}
		keys[it.Key] = true
	}
	return true
}

// equal reports whether two claims are equal.
func (c *Claims) equal(o *Claims) bool {
	return maps.EqualFunc(c.weights, o.weights, func(a, b weightSet) bool { return slices.Equal(a, b) })
}

// put replaces items in the plan.
func (m *Memo) put(next map[int]Item) {
	if len(next) == 0 {
		return
	}
	byKey := make(map[string]Item)
	bundles := make(map[int]bool)
	for n, it := range next {
		byKey[m.items[n].Key] = it
		delete(m.index, m.items[n].Key)
		for _, u := range m.planner.reached[n] {
			for _, b := range m.plan.Loads[u] {
				bundles[b] = true
			}
		}
	}
	for n, it := range next {
		m.index[it.Key] = n
		m.items[n] = it
	}
	put := func(it *Item) {
		if to, ok := byKey[it.Key]; ok {
			*it = to
		}
	}
	plan := m.plan // earlier results are not modified
	plan.Bundles = slices.Clone(plan.Bundles)
	for b := range bundles {
		bundle := &plan.Bundles[b]
		bundle.Items = slices.Clone(bundle.Items)
		for k := range bundle.Items {
			put(&bundle.Items[k])
		}
	}
	plan.Unshared, plan.Conflicts = slices.Clone(plan.Unshared), slices.Clone(plan.Conflicts)
	for i := range plan.Unshared {
		put(&plan.Unshared[i].Item)
		put(&plan.Unshared[i].Before)
	}
	for i := range plan.Conflicts {
		put(&plan.Conflicts[i].A)
		put(&plan.Conflicts[i].B)
	}
	m.plan = plan
}
