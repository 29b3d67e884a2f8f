// Package split works out which sheets several pages load from one file, such
// that on no page the cascade changes.
//
// A page loads shared bundles and bundles of its own in an order that keeps that of all sheets which
// may compete; see [Claims]. Sheets that the same pages load go into one bundle, as far as such
// an order exists; where it does not, the bundle is split, or a page has a sheet of its own that
// others share, whichever costs fewer bytes. A request counts as [Options.Least] bytes.
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
	// Alone says that it must be the only item of its bundle: what it says would mean
	// something for others.
	Alone bool
	// First says that nothing may precede it in its bundle but other items that are First, and those that are Lead.
	First, Lead bool
	Value       any // by which those know it who plan; that of the first with a key counts
}

// Options say what is shared.
type Options struct {
	Shared int // by how many units an item is reached at the least; 0 shares nothing
	Least  int // bytes that a shared bundle has at the least, and that a request costs
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
	for p.turned() || p.entangled() || p.small() {
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
	class   []int          // of items, by number: those of one class go into one bundle; 0 until it is asked for
	part    []int          // of items: those with another part go into another bundle than others of the same units
	parts   int            // how often a bundle was split
	ids     map[string]int // numbers of classes, from 1, by their units
	kept    []*Kept        // by item
	order   []int          // of kept
	turns   []Turned
	// tangled are the units that are to be looked at again, since what they share has changed.
	tangled []bool
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
	p.tangled = slices.Repeat([]bool{true}, len(units))
	p.shared, p.class, p.part, p.kept = make([][]int, len(p.items)), make([]int, len(p.items)), make([]int, len(p.items)), make([]*Kept, len(p.items))
	p.ids = make(map[string]int)
	for i := range p.items {
		if p.items[i].Alone {
			p.parts++
			p.part[i] = p.parts
		}
	}
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
	p.disturb(p.shared[item])
	if len(left) < p.opts.Shared {
		left = nil
	}
	p.shared[item], p.class[item] = left, 0
	if p.kept[item] == nil {
		k.Item = p.items[item]
		p.order = append(p.order, item)
		p.kept[item] = &k
	}
}

// classOf returns the number of the class of an item.
func (p *planner) classOf(item int) int {
	if p.class[item] == 0 {
		key := make([]byte, 0, 4*len(p.shared[item])+4)
		key = binary.AppendUvarint(key, uint64(p.part[item]))
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

// disturb has units be looked at again.
func (p *planner) disturb(units []int) {
	for _, u := range units {
		p.tangled[u] = true
	}
}

// entangled splits a class, or keeps an item, that in some unit must stand both before and behind
// something else. It reports whether there was one.
func (p *planner) entangled() bool {
	for u := range p.units {
		if !p.tangled[u] {
			continue
		}
		order, stuck := p.inOrder(u)
		if stuck != nil {
			p.untangle(u, stuck)
			return true
		}
		p.tangled[u] = false
		if p.tooManyRuns(u, order) {
			return true
		}
	}
	return false
}

// tooManyRuns keeps the shared items before which a unit must load some of its own, if their bytes are
// fewer than what the requests cost that this saves. It reports whether it did.
func (p *planner) tooManyRuns(u int, order *sequence) bool {
	if order.runs < 2 {
		return false
	}
	own := new(claimed)
	var late []int // shared items that compete with an own one before them
	size := 0
	left := make(map[int]bool) // classes of which some item is not late
	for _, it := range p.units[u] {
		switch {
		case !p.shares(it, u):
			own.add(p.claims[it])
		case p.claims[it].competes(own):
			late = append(late, it)
			size += p.items[it].Size
			own.add(p.claims[it])
		default:
			left[p.classOf(it)] = true
		}
	}
	saved := order.runs - 1
	for _, step := range order.steps {
		if step.own == nil && !left[step.class] {
			saved++
		}
	}
	if size >= saved*p.opts.Least {
		p.shrinkage = min(p.shrinkage, size-saved*p.opts.Least)
		return false
	}
	p.growth = min(p.growth, saved*p.opts.Least-1-size)
	for _, it := range late {
		p.keep(it, p.behind(u, it))
	}
	return len(late) > 0
}

// behind tells which of the unit's own items before one competes with it.
func (p *planner) behind(u, it int) Kept {
	k := Kept{Unit: u}
	for _, b := range p.units[u] {
		if b == it {
			break
		}
		if !p.shares(b, u) && p.claims[it].competes(p.claims[b]) {
			k.Before, k.What = p.items[b], p.items[it].Claims.With(p.items[b].Claims)
			break
		}
	}
	return k
}

// conflict is a class of which a unit must load some items before another item, and some behind it.
type conflict struct {
	item, before int   // of the class, and what must stand before it
	rest         []int // the items of the class from item on, in the order of the unit
}

// untangle resolves a conflict by what costs less: another request for all units of the class, or
// bytes that one unit has of its own.
func (p *planner) untangle(u int, c *conflict) {
	size := 0
	for _, it := range c.rest {
		size += p.items[it].Size
	}
	units := p.shared[c.item]
	if cost := len(units) * p.opts.Least; size >= cost {
		p.shrinkage = min(p.shrinkage, size-cost)
		p.parts++
		for _, it := range c.rest {
			p.part[it], p.class[it] = p.parts, 0
		}
		p.disturb(units)
		return
	} else {
		p.growth = min(p.growth, cost-1-size)
	}
	p.keep(c.item, Kept{Unit: u, Before: p.items[c.before], What: p.items[c.item].Claims.With(p.items[c.before].Claims)})
}

// sequence is the order in which a unit loads its bundles: classes, and runs of items of its own.
type sequence struct {
	steps []seqStep
	runs  int // of items of its own
}

// seqStep is a class, or a run of items of the unit's own.
type seqStep struct {
	class int
	own   []int
}

// inOrder returns an order of the bundles of a unit that keeps the cascade, with as few runs of
// its own items as may be, or else a conflict.
func (p *planner) inOrder(u int) (*sequence, *conflict) {
	if order := p.sharedFirst(u); order != nil {
		return order, nil
	}
	first, stuck := p.sorted(u, false)
	if stuck != nil {
		return nil, stuck
	}
	if second, _ := p.sorted(u, true); second != nil && second.runs < first.runs {
		return second, nil
	}
	return first, nil
}

// sharedFirst returns the order of classes and one run behind them, if each class stands together
// as it is and competes with nothing of the unit's own before it.
func (p *planner) sharedFirst(u int) *sequence {
	out := new(sequence)
	own := new(claimed)
	var run []int
	last := 0
	seen := make(map[int]bool)
	for _, it := range p.units[u] {
		if !p.shares(it, u) {
			own.add(p.claims[it])
			run = append(run, it)
			continue
		}
		if len(run) > 0 && p.claims[it].competes(own) {
			return nil
		}
		if c := p.classOf(it); c != last {
			if seen[c] {
				return nil
			}
			seen[c], last = true, c
			out.steps = append(out.steps, seqStep{class: c})
		}
	}
	if len(run) > 0 {
		out.steps, out.runs = append(out.steps, seqStep{own: run}), 1
	}
	return out
}

// sorted sorts the classes and items of a unit by what must stand before what. As long as there are
// some of one kind that nothing must stand before, they are taken before those of the other.
func (p *planner) sorted(u int, ownFirst bool) (*sequence, *conflict) {
	s := sorter{items: p.units[u], done: make(map[int]bool), out: new(sequence)}
	s.node, s.members, s.order = p.nodesOf(u)
	s.before = make([][]int, len(s.items))
	for i, it := range s.items {
		for k := range i {
			if s.node[k] != s.node[i] && p.claims[it].competes(p.claims[s.items[k]]) {
				s.before[i] = append(s.before[i], k)
			}
		}
	}
	for own := ownFirst; len(s.done) < len(s.order); own = !own {
		if !s.take(own) && !s.take(!own) {
			return nil, p.conflictIn(s.items, s.node, s.before, s.done)
		}
	}
	return s.out, nil
}

// nodesOf returns the nodes that the items of a unit are in, by place: the class, or minus one minus the place of an item of its
// own; the places by node; and the nodes, by where they are first.
func (p *planner) nodesOf(u int) (node []int, members map[int][]int, order []int) {
	items := p.units[u]
	node = make([]int, len(items))
	members = make(map[int][]int)
	for i, it := range items {
		if node[i] = -1 - i; p.shares(it, u) {
			node[i] = p.classOf(it)
		}
		if members[node[i]] == nil {
			order = append(order, node[i])
		}
		members[node[i]] = append(members[node[i]], i)
	}
	return node, members, order
}

// sorter sorts the nodes of one unit.
type sorter struct {
	items   []int
	node    []int // see [planner.nodesOf], as the next two
	members map[int][]int
	order   []int
	before  [][]int      // by place: places that must come before it
	done    map[int]bool // nodes
	out     *sequence
}

// isReady reports whether nothing has to come before a node any more.
func (s *sorter) isReady(n int) bool {
	return !slices.ContainsFunc(s.members[n], func(i int) bool {
		return slices.ContainsFunc(s.before[i], func(k int) bool { return !s.done[s.node[k]] })
	})
}

// take takes all nodes of one kind that are ready, and those that are ready then, and reports whether there were any.
func (s *sorter) take(own bool) bool {
	var run []int
	any := false
	for progress := true; progress; {
		progress = false
		for _, n := range s.order {
			if s.done[n] || (n < 0) != own || !s.isReady(n) {
				continue
			}
			s.done[n], progress, any = true, true, true
			if own {
				run = append(run, -1-n)
			} else {
				s.out.steps = append(s.out.steps, seqStep{class: n})
			}
		}
	}
	if len(run) > 0 {
		slices.Sort(run)
		step := seqStep{}
		for _, i := range run {
			step.own = append(step.own, s.items[i])
		}
		s.out.steps = append(s.out.steps, step)
		s.out.runs++
	}
	return any
}

// conflictIn finds the class that stands in the way of an order: that of the first item that is left.
// Nothing has to stand before that item, and so it is a later one of its class that must wait.
func (p *planner) conflictIn(items, node []int, before [][]int, done map[int]bool) *conflict {
	first := slices.IndexFunc(node, func(n int) bool { return !done[n] })
	c := new(conflict)
	for i := first; i < len(items); i++ {
		if node[i] != node[first] {
			continue
		}
		if c.rest == nil {
			k := slices.IndexFunc(before[i], func(k int) bool { return !done[node[k]] })
			if k < 0 {
				continue
			}
			c.item, c.before = items[i], items[before[i][k]]
		}
		c.rest = append(c.rest, items[i])
	}
	return c
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
			if other == c || p.part[byClass[other][0]] != p.part[byClass[c][0]] {
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

// apart splits items of a unit's own where one must be alone in its bundle, or first.
func (p *planner) apart(items []int) (runs [][]int) {
	start, ruled := 0, false // an item of this run may not precede one that is First
	for i, it := range items {
		item := &p.items[it]
		if item.First && ruled {
			runs = append(runs, items[start:i])
			start, ruled = i, false
		}
		ruled = ruled || !item.First && !item.Lead
		if !item.Alone {
			continue
		}
		ruled = false
		if i > start {
			runs = append(runs, items[start:i])
		}
		runs = append(runs, items[i:i+1])
		start = i + 1
	}
	if start < len(items) {
		runs = append(runs, items[start:])
	}
	return runs
}

// plan makes bundles of what is shared, and of what each unit has of its own.
func (p *planner) plan() Plan {
	out := Plan{Loads: make([][]int, len(p.units)), Turned: append(slices.Clip(p.turns), p.opposites()...)}
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
	for u := range p.units {
		sequence, stuck := p.inOrder(u)
		if stuck != nil {
			panic("split: a unit has no order")
		}
		for _, step := range sequence.steps {
			if step.own == nil {
				out.Loads[u] = append(out.Loads[u], index[step.class])
				continue
			}
			for _, run := range p.apart(step.own) {
				out.Loads[u] = append(out.Loads[u], len(out.Bundles))
				bundle(run, []int{u})
			}
		}
	}
	for _, it := range p.order {
		k := *p.kept[it]
		k.Units = slices.DeleteFunc(slices.Clone(p.reached[it]), func(u int) bool { return p.shares(it, u) })
		out.Kept = append(out.Kept, k)
	}
	return out
}
