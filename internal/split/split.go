// Package split decides which sheets several pages share in one file, such that
// the cascade of no page changes. A page loads shared bundles and its own
// bundles in an order that preserves that of all competing sheets; see
// [Claims]. Sheets that the same pages load are put into one bundle if there is
// such an order. Otherwise the bundle is split, or a page gets its own copy of
// a sheet, whichever costs fewer bytes. A request costs [Options.MinBytes]
// bytes. Start reading at [Units].
package split

import (
	"encoding/binary"
	"math"
	"slices"
)

// Item is a sheet, or a part of one, as loaded by a page. Items with the same
// key have the same text under the same conditions.
type Item struct {
	Key    string
	Size   int // in bytes
	Claims *Claims
	// Alone is set if it must be the only item of its bundle, because it would
	// affect others.
	Alone bool
	// First is set if only other items that are First or Lead may come before
	// it in its bundle.
	First, Lead bool
	Value       any // for the caller; that of the first item with a key is used
}

// Options configure a plan.
type Options struct {
	Shared   int // minimum number of units that use a shared item; 0 shares nothing
	MinBytes int // minimum size of a shared bundle, and cost of a request, in bytes
}

// Bundle is a file.
type Bundle struct {
	Items []Item // in cascade order
	Units []int  // units that load it, in order
}

// Plan is the result of [Units].
type Plan struct {
	Bundles   []Bundle
	Loads     [][]int // by unit: the bundles that it loads, in order
	Unshared  []Unshared
	Conflicts []OrderConflict
}

// Unshared is an item that several units use, but that some load from their own
// bundles.
type Unshared struct {
	Item  Item
	Units []int // units that have it in their own bundle
	// Unit, the first of them, loads Before, which competes with the item about
	// What, before it. What is empty if the bundle would have been too small,
	// or if there is an [OrderConflict].
	Unit   int
	Before Item
	What   string
}

// OrderConflict is a pair of competing items that two units load in opposite
// order.
type OrderConflict struct {
	A, B   Item
	AB, BA int // units that load A first, and B first
	What   string
}

// Units plans the bundles of units: pages, or parts of pages that other styles
// separate. The items of each are in cascade order. It is deterministic.
func Units(units [][]Item, opts Options) Plan {
	p := newPlanner(units, opts)
	p.work()
	return p.plan()
}

// work resolves all conflicts.
func (p *planner) work() {
	for p.resolveConflicts() || p.entangled() || p.small() {
	}
}

// planner works with the numbers of items, because their keys are long.
type planner struct {
	opts    Options
	items   []Item
	claims  []*claimed
	units   [][]int // items of each unit
	reached [][]int // units by item
	shared  [][]int // units that load an item from a shared bundle, by item
	class   []int   // of items: those of one class go into one bundle; 0 until computed
	// of items: those with different parts are in different bundles even if they are used by the same units
	part      []int
	parts     int            // number of splits
	ids       map[string]int // numbers of classes, from 1, by their units
	unshared  []*Unshared    // by item
	order     []int          // of unshared
	conflicts []OrderConflict
	// tangled are the units to be examined again, because what they share has
	// changed.
	tangled []bool
	// How many bytes items may grow or shrink before a bundle crosses the
	// minimum size.
	growth, shrinkage int
}

// newPlanner returns the planner of units.
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
				twice[i] = true // a unit that uses it twice cannot load it once
			}
			list = append(list, i)
		}
		p.units = append(p.units, list)
	}
	p.tangled = slices.Repeat([]bool{true}, len(units))
	p.shared, p.class, p.part, p.unshared = make([][]int, len(p.items)), make([]int, len(p.items)),
		make([]int, len(p.items)), make([]*Unshared, len(p.items))
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

// unshare makes a unit load an item from its own bundle; all units, if too few
// still share it.
func (p *planner) unshare(item int, k Unshared) {
	left := slices.DeleteFunc(slices.Clone(p.shared[item]), func(u int) bool { return u == k.Unit })
	p.disturb(p.shared[item])
	if len(left) < p.opts.Shared {
		left = nil
	}
	p.shared[item], p.class[item] = left, 0
	if p.unshared[item] == nil {
		k.Item = p.items[item]
		p.order = append(p.order, item)
		p.unshared[item] = &k
	}
}

// classOf returns the class of an item.
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
// unit that shares them, and the classes in the order of first use.
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

// resolveConflicts unshares items of one class that compete and that two units
// load in opposite order. It reports whether there were any.
func (p *planner) resolveConflicts() bool {
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
					p.conflicts = append(p.conflicts,
						OrderConflict{p.items[a], p.items[b], p.shared[a][0], u, p.items[a].Claims.Overlap(p.items[b].Claims)})
					p.unshare(a, Unshared{Unit: u})
					p.unshare(b, Unshared{Unit: u})
					return true
				}
			}
		}
	}
	return false
}

// disturb marks units to be examined again.
func (p *planner) disturb(units []int) {
	for _, u := range units {
		p.tangled[u] = true
	}
}

// entangled splits a class, or unshares an item, that would have to come both
// before and after something else in some unit. It reports whether there was
// one.
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

// tooManyRuns unshares items that force a unit to load some of its own before
// them, if that costs fewer bytes than the saved requests. It reports whether
// it did.
func (p *planner) tooManyRuns(u int, order *sequence) bool {
	if order.runs < 2 {
		return false
	}
	own := new(claimed)
	var late []int // shared items that compete with an own item before them
	size := 0
	left := make(map[int]bool) // classes with an item that is not late
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
	if size >= saved*p.opts.MinBytes {
		p.shrinkage = min(p.shrinkage, size-saved*p.opts.MinBytes)
		return false
	}
	p.growth = min(p.growth, saved*p.opts.MinBytes-1-size)
	for _, it := range late {
		p.unshare(it, p.conflictBefore(u, it))
	}
	return len(late) > 0
}

// conflictBefore returns the own item of a unit that comes before an item and
// competes with it.
func (p *planner) conflictBefore(u, it int) Unshared {
	k := Unshared{Unit: u}
	for _, b := range p.units[u] {
		if b == it {
			break
		}
		if !p.shares(b, u) && p.claims[it].competes(p.claims[b]) {
			k.Before, k.What = p.items[b], p.items[it].Claims.Overlap(p.items[b].Claims)
			break
		}
	}
	return k
}

// conflict is a class of which a unit must load some items before another item,
// and some after it.
type conflict struct {
	item, before int   // item of the class, and what must come before it
	rest         []int // items of the class from item on, in the order of the unit
}

// untangle resolves a conflict in the cheaper way: another request for all
// units of the class, or an own copy for one unit.
func (p *planner) untangle(u int, c *conflict) {
	size := 0
	for _, it := range c.rest {
		size += p.items[it].Size
	}
	units := p.shared[c.item]
	if cost := len(units) * p.opts.MinBytes; size >= cost {
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
	p.unshare(c.item, Unshared{Unit: u, Before: p.items[c.before],
		What: p.items[c.item].Claims.Overlap(p.items[c.before].Claims)})
}

// sequence is the order in which a unit loads its bundles: classes, and runs of
// its own items.
type sequence struct {
	steps []seqStep
	runs  int // number of runs of own items
}

// seqStep is a class, or a run of own items of the unit.
type seqStep struct {
	class int
	own   []int
}

// inOrder returns an order of the bundles of a unit that preserves the cascade,
// with the fewest runs of own items, or a conflict.
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

// sharedFirst returns the order of all classes followed by one run, if each
// class is contiguous and competes with no own item before it.
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

// sorted sorts the classes and items of a unit topologically. While several are
// ready, those of one kind are taken before those of the other.
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

// nodesOf returns the nodes of the items of a unit, by position: the class, or
// -1 minus the position of an own item; the positions by node; and the nodes in
// order of first use.
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
	node    []int // see [planner.nodesOf], also for the next two
	members map[int][]int
	order   []int
	before  [][]int      // by position: positions that must come before it
	done    map[int]bool // nodes
	out     *sequence
}

// isReady reports whether nothing must come before a node any more.
func (s *sorter) isReady(n int) bool {
	return !slices.ContainsFunc(s.members[n], func(i int) bool {
		return slices.ContainsFunc(s.before[i], func(k int) bool { return !s.done[s.node[k]] })
	})
}

// take takes all ready nodes of one kind, repeatedly, and reports whether there
// were any.
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

// conflictIn finds the class that prevents an order: that of the first
// remaining item. Nothing must come before that item, so it is a later item of
// its class that must wait.
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

// small removes a class that would make a bundle smaller than the minimum: its
// items join those of another class, for units that share both, or are not
// shared any more. It reports whether there was one.
func (p *planner) small() bool {
	byClass, order := p.classes()
	isSmall := func(c int) bool {
		size := 0
		for _, it := range byClass[c] {
			size += p.items[it].Size
		}
		if size < p.opts.MinBytes {
			p.growth = min(p.growth, p.opts.MinBytes-1-size)
			return true
		}
		p.shrinkage = min(p.shrinkage, size-p.opts.MinBytes)
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
			// Nothing is taken from a class that is large enough, nor too much
			// from one that is not.
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

// restrict makes only some units share items.
func (p *planner) restrict(items, to []int) {
	for _, it := range items {
		for _, u := range slices.Clone(p.shared[it]) {
			if !slices.Contains(to, u) {
				p.unshare(it, Unshared{Unit: u})
			}
		}
	}
}

// common returns the intersection of two sorted lists.
func common(a, b []int) []int {
	return slices.DeleteFunc(slices.Clone(a), func(u int) bool { _, found := slices.BinarySearch(b, u); return !found })
}

// separate splits own items of a unit where one must be alone in its bundle, or
// first.
func (p *planner) separate(items []int) (runs [][]int) {
	start, ruled := 0, false // an item of this run must not precede one that is First
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

// plan creates bundles of shared items, and of the own items of each unit.
func (p *planner) plan() Plan {
	out := Plan{Loads: make([][]int, len(p.units)), Conflicts: append(slices.Clip(p.conflicts), p.opposites()...)}
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
			for _, run := range p.separate(step.own) {
				out.Loads[u] = append(out.Loads[u], len(out.Bundles))
				bundle(run, []int{u})
			}
		}
	}
	for _, it := range p.order {
		k := *p.unshared[it]
		k.Units = slices.DeleteFunc(slices.Clone(p.reached[it]), func(u int) bool { return p.shares(it, u) })
		out.Unshared = append(out.Unshared, k)
	}
	return out
}
