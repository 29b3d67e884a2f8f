package split

import (
	"maps"
	"slices"

	"rinzel/internal/css/selector"
)

// Memo keeps a plan for the next, which often differs in what few items say, and not in
// what they claim. The zero Memo keeps none. It is not safe for concurrent use.
type Memo struct {
	opts    Options
	items   []Item
	units   [][]int
	planner *planner
	plan    Plan
}

// Units returns what the function Units does.
func (m *Memo) Units(units [][]Item, opts Options) Plan {
	items, numbers := numberItems(units)
	if m.planner != nil && m.holds(items, numbers, opts) {
		m.rename(items)
		return m.plan
	}
	p := newPlanner(units, opts)
	p.work()
	*m = Memo{opts: opts, items: items, units: numbers, planner: p, plan: p.plan()}
	return m.plan
}

// numberItems returns items in the order in which units meet them, and the
// numbers of those of each unit.
func numberItems(units [][]Item) (items []Item, numbers [][]int) {
	index := make(map[string]int)
	for _, unit := range units {
		list := make([]int, 0, len(unit))
		for _, it := range unit {
			i, met := index[it.Key]
			if !met {
				i = len(items)
				index[it.Key] = i
				items = append(items, it)
			}
			list = append(list, i)
		}
		numbers = append(numbers, list)
	}
	return items, numbers
}

// holds reports whether the plan is that of other items in the place of those that
// it was made for: they claim the same, and are not so much larger or smaller that a
// bundle would be large enough that was not, or the other way around.
func (m *Memo) holds(items []Item, numbers [][]int, opts Options) bool {
	if opts != m.opts || len(items) != len(m.items) || !slices.EqualFunc(numbers, m.units, slices.Equal) {
		return false
	}
	grown, shrunk := 0, 0
	for i, it := range items {
		was := &m.planner.items[i]
		if it.Claims != was.Claims && !it.Claims.equal(was.Claims) {
			return false
		}
		grown += max(0, it.Size-was.Size)
		shrunk += max(0, was.Size-it.Size)
	}
	return grown <= m.planner.growth && shrunk <= m.planner.shrinkage
}

func (c *Claims) equal(o *Claims) bool {
	return maps.EqualFunc(c.weights, o.weights, func(a, b map[selector.Specificity]bool) bool { return maps.Equal(a, b) })
}

// rename puts items in the place of those that the plan is of.
func (m *Memo) rename(items []Item) {
	next := make(map[string]Item)
	for i, it := range items {
		if it.Key != m.items[i].Key {
			next[m.items[i].Key] = it
		}
	}
	m.items = items
	if len(next) == 0 {
		return
	}
	put := func(it *Item) {
		if to, ok := next[it.Key]; ok {
			*it = to
		}
	}
	plan := m.plan // those who were given it keep theirs
	plan.Bundles = slices.Clone(plan.Bundles)
	for i, b := range plan.Bundles {
		if !slices.ContainsFunc(b.Items, func(it Item) bool { _, ok := next[it.Key]; return ok }) {
			continue
		}
		b.Items = slices.Clone(b.Items)
		for k := range b.Items {
			put(&b.Items[k])
		}
		plan.Bundles[i] = b
	}
	plan.Kept, plan.Turned = slices.Clone(plan.Kept), slices.Clone(plan.Turned)
	for i := range plan.Kept {
		put(&plan.Kept[i].Item)
		put(&plan.Kept[i].Before)
	}
	for i := range plan.Turned {
		put(&plan.Turned[i].A)
		put(&plan.Turned[i].B)
	}
	m.plan = plan
}
