// Package split works out which sheets several pages load from one file, such
// that on no page the cascade changes.
//
// A shared bundle is linked before a page's own. So a page can load a sheet from
// one if nothing that stays behind on it stands before the sheet and may compete with
// it; see [Claims]. Sheets that the same pages can load so go into one bundle.
package split

import (
	"encoding/binary"
	"math"
	"slices"
)

// Item is a sheet, or a part of one, as a page reaches it. Two with the same key
// are the same text under the same conditions.
type Item struct {
	Key    string
	Size   int // in bytes
	Claims *Claims
	Value  any // by which those know it who plan; that of the first with a key counts
}

// Options say what is shared.
type Options struct {
	Shared int // by how many units an item is reached at the least; 0 shares nothing
	Least  int // bytes that a shared bundle has at the least
}

// Bundle is what is written as one file.
type Bundle struct {
	Items []Item // in cascade order
	Units []int  // that load it, in order
}

// Plan is what [Units] works out.
type Plan struct {
	Bundles []Bundle
	Loads   [][]int // by unit: the bundles that it loads, in order
	Kept    []Kept
	Turned  []Turned
}

// Kept is an item that several units reach, and that some have of their own.
type Kept struct {
	Item  Item
	Units []int // that have it of their own
	// Unit, the first of them, reaches Before, which competes with the item about
	// What, before it. What is empty if the bundle would have been too small, or
	// the order of items is Turned.
	Unit   int
	Before Item
	What   string
}

// Turned are two items that compete, and that two units reach in opposite order.
type Turned struct {
	A, B   Item
	AB, BA int // units that reach A first, and B first
	What   string
}

// Units plans the bundles of units: pages, or parts of them between which
// something else styles the page. The items of each are in cascade order. The same
// units give the same plan.
func Units(units [][]Item, opts Options) Plan {
	p := newPlanner(units, opts)
	p.work()
	return p.plan()
}

func (p *planner) work() {
	for p.competing() || p.turned() || p.entangled() || p.small() {
	}
}

// planner works with items by number: the keys of items are long.
type planner struct {
	opts    Options
	items   []Item
	claims  []*claimed
	units   [][]int        // items of each unit
	reached [][]int        // units by item
	shared  [][]int        // units that load an item from a shared bundle, by item
	class   []int          // of items, by number: those of one class are shared by the same units; 0 until it is asked for
	ids     map[string]int // numbers of classes, from 1, by their units
	kept    []*Kept        // by item
	order   []int          // of kept
	turns   []Turned
	// Units that are to be looked at again, since what they share has changed: for items that
	// compete, and for items that are entangled.
	dirty, tangled []bool
	// By how many bytes items may grow or shrink until a bundle counts as large enough
	// that did not, or the other way around.
	growth, shrinkage int
}

func newPlanner(units [][]Item, opts Options) *planner {
	p := &planner{opts: opts, growth: math.MaxInt, shrinkage: math.MaxInt}
	numbers := &numbering{make(map[any]int)}
	index := make(map[string]int)
	twice := make(map[int]bool)
	for u, items := range units {
		var list []int
		for _, it := range items {
			i, met := index[it.Key]
			if !met {
				i = len(p.items)
				index[it.Key] = i
				p.items = append(p.items, it)
				p.claims = append(p.claims, numbers.claimed(it.Claims))
				p.reached = append(p.reached, nil)
			}
			if n := len(p.reached[i]); n == 0 || p.reached[i][n-1] != u {
				p.reached[i] = append(p.reached[i], u)
			} else {
				twice[i] = true // a unit that reaches it twice cannot load it once
			}
			list = append(list, i)
		}
		p.units = append(p.units, list)
	}
	p.dirty, p.tangled = slices.Repeat([]bool{true}, len(units)), slices.Repeat([]bool{true}, len(units))
	p.shared, p.class, p.kept = make([][]int, len(p.items)), make([]int, len(p.items)), make([]*Kept, len(p.items))
	p.ids = make(map[string]int)
	for i, reached := range p.reached {
		if opts.Shared > 0 && len(reached) >= opts.Shared && !twice[i] {
			p.shared[i] = reached
		}
	}
	return p
}

// shares reports whether a unit loads an item from a shared bundle.
func (p *planner) shares(item, u int) bool {
	_, found := slices.BinarySearch(p.shared[item], u)
	return found
}

// keep has a unit load an item from its own bundle, and all do if too few are
// left that share it.
func (p *planner) keep(item int, k Kept) {
	left := slices.DeleteFunc(slices.Clone(p.shared[item]), func(u int) bool { return u == k.Unit })
	for _, u := range p.shared[item] {
		p.tangled[u] = true
	}
	p.dirty[k.Unit] = true
	if len(left) < p.opts.Shared {
		for _, u := range left {
			p.dirty[u] = true
		}
		left = nil
	}
	p.shared[item], p.class[item] = left, 0
	if p.kept[item] == nil {
		k.Item = p.items[item]
		p.order = append(p.order, item)
		p.kept[item] = &k
	}
}

// competing keeps items before which one that is not shared competes with them.
// It reports whether there was any.
func (p *planner) competing() bool {
	found := false
	for u, items := range p.units {
		if !p.dirty[u] {
			continue
		}
		p.dirty[u] = false
		own := new(claimed)
		for i, it := range items {
			if p.shares(it, u) && p.claims[it].competes(own) {
				p.keep(it, p.behind(u, items[:i], it))
				found = true
			}
			if !p.shares(it, u) {
				own.add(p.claims[it])
			}
		}
	}
	return found
}

// behind tells which of the items before one competes with it.
func (p *planner) behind(u int, before []int, it int) Kept {
	k := Kept{Unit: u}
	for _, b := range before {
		if !p.shares(b, u) && p.claims[it].competes(p.claims[b]) {
			k.Before, k.What = p.items[b], p.items[it].Claims.With(p.items[b].Claims)
			break
		}
	}
	return k
}

// classOf returns the number of the class of an item.
func (p *planner) classOf(item int) int {
	if p.class[item] == 0 {
		key := make([]byte, 0, 4*len(p.shared[item]))
		for _, u := range p.shared[item] {
			key = binary.AppendUvarint(key, uint64(u))
		}
		id, ok := p.ids[string(key)]
		if !ok {
			id = len(p.ids) + 1
			p.ids[string(key)] = id
		}
		p.class[item] = id
	}
	return p.class[item]
}

// classes returns the shared items by class, each in the order of the first
// unit that shares them, and the classes in the order in which they are met.
func (p *planner) classes() (byClass map[int][]int, order []int) {
	byClass = make(map[int][]int)
	for u, items := range p.units {
		for _, it := range items {
			if len(p.shared[it]) == 0 || p.shared[it][0] != u {
				continue
			}
			c := p.classOf(it)
			if byClass[c] == nil {
				order = append(order, c)
			}
			byClass[c] = append(byClass[c], it)
		}
	}
	return byClass, order
}

// turned keeps items of one class that compete and that two units reach in
// opposite order. It reports whether there were any.
func (p *planner) turned() bool {
	byClass, order := p.classes()
	place := make([]int, len(p.items))
	for _, c := range order {
		class := byClass[c]
		if len(class) < 2 {
			continue
		}
		for _, u := range p.shared[class[0]][1:] {
			for i, it := range p.units[u] {
				place[it] = i
			}
			for i, a := range class {
				for _, b := range class[i+1:] {
					if place[a] < place[b] || !p.claims[a].competes(p.claims[b]) {
						continue
					}
					p.turns = append(p.turns, Turned{p.items[a], p.items[b], p.shared[a][0], u, p.items[a].Claims.With(p.items[b].Claims)})
					p.keep(a, Kept{Unit: u})
					p.keep(b, Kept{Unit: u})
					return true
				}
			}
		}
	}
	return false
}

// entangled keeps an item that, in some unit, must stand between two others
// whose class is not its own. It reports whether there was one.
func (p *planner) entangled() bool {
	for u := range p.units {
		if !p.tangled[u] {
			continue
		}
		if _, item, before, ok := p.inOrder(u); !ok {
			p.keep(item, Kept{Unit: u, Before: p.items[before], What: p.items[item].Claims.With(p.items[before].Claims)})
			return true
		}
		p.tangled[u] = false
	}
	return false
}

// inOrder returns the classes that a unit loads, in an order that keeps the
// cascade. If there is none, ok is false, and item is one of those that stand in
// the way, behind before.
func (p *planner) inOrder(u int) (order []int, item, before int, ok bool) {
	var items, classes, open []int
	for _, it := range p.units[u] {
		if !p.shares(it, u) {
			continue
		}
		c := p.classOf(it)
		items, classes = append(items, it), append(classes, c)
		if !slices.Contains(open, c) {
			open = append(open, c)
		}
	}
	if runs := slices.Compact(slices.Clone(classes)); len(runs) == len(open) {
		return open, item, before, true // each stands together as it is
	}
	for len(open) > 0 {
		at := slices.IndexFunc(open, func(c int) bool {
			// Nothing of another class that is still open may compete before an item of this one.
			for i := range items {
				if classes[i] != c {
					continue
				}
				for k := range i {
					if classes[k] != c && slices.Contains(open, classes[k]) && p.claims[items[i]].competes(p.claims[items[k]]) {
						item, before = items[i], items[k]
						return false
					}
				}
			}
			return true
		})
		if at < 0 {
			return nil, item, before, false
		}
		order = append(order, open[at])
		open = slices.Delete(open, at, at+1)
	}
	return order, item, before, true
}

// small puts an end to a class that would make a bundle smaller than it may be: its
// items go with those of another class, for the units that share both, or are
// shared no more. It reports whether there was one.
func (p *planner) small() bool {
	byClass, order := p.classes()
	isSmall := func(c int) bool {
		size := 0
		for _, it := range byClass[c] {
			size += p.items[it].Size
		}
		if size < p.opts.Least {
			p.growth = min(p.growth, p.opts.Least-1-size)
			return true
		}
		p.shrinkage = min(p.shrinkage, size-p.opts.Least)
		return false
	}
	for _, c := range order {
		if !isSmall(c) {
			continue
		}
		units := p.shared[byClass[c][0]]
		partner, together := 0, []int(nil)
		for _, other := range order {
			if other == c {
				continue
			}
			theirs := p.shared[byClass[other][0]]
			both := common(units, theirs)
			// Nothing is taken from a class that is large enough, nor too much from one that is not.
			fits := len(both) == len(theirs) || isSmall(other) && 2*len(both) >= max(len(units), len(theirs))
			if fits && len(both) >= p.opts.Shared && len(both) > len(together) {
				partner, together = other, both
			}
		}
		p.restrict(byClass[c], together)
		p.restrict(byClass[partner], together)
		return true
	}
	return false
}

// restrict has no unit but some share items.
func (p *planner) restrict(items, to []int) {
	for _, it := range items {
		for _, u := range slices.Clone(p.shared[it]) {
			if !slices.Contains(to, u) {
				p.keep(it, Kept{Unit: u})
			}
		}
	}
}

// common returns the numbers that are in both of two sorted lists.
func common(a, b []int) []int {
	return slices.DeleteFunc(slices.Clone(a), func(u int) bool { _, found := slices.BinarySearch(b, u); return !found })
}

// plan makes bundles of what is shared, and of what each unit has of its own.
func (p *planner) plan() Plan {
	out := Plan{Loads: make([][]int, len(p.units)), Turned: p.turns}
	bundle := func(items, units []int) {
		b := Bundle{Units: units}
		for _, it := range items {
			b.Items = append(b.Items, p.items[it])
		}
		out.Bundles = append(out.Bundles, b)
	}
	byClass, order := p.classes()
	index := make(map[int]int)
	for _, c := range order {
		index[c] = len(out.Bundles)
		bundle(byClass[c], p.shared[byClass[c][0]])
	}
	for u, items := range p.units {
		classes, _, _, _ := p.inOrder(u)
		for _, c := range classes {
			out.Loads[u] = append(out.Loads[u], index[c])
		}
		own := slices.DeleteFunc(slices.Clone(items), func(it int) bool { return p.shares(it, u) })
		if len(own) > 0 {
			out.Loads[u] = append(out.Loads[u], len(out.Bundles))
			bundle(own, []int{u})
		}
	}
	for _, it := range p.order {
		k := *p.kept[it]
		k.Units = slices.DeleteFunc(slices.Clone(p.reached[it]), func(u int) bool { return p.shares(it, u) })
		out.Kept = append(out.Kept, k)
	}
	return out
}
