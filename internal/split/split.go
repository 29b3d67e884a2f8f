// Package split works out which sheets several pages load from one file, such
// that on no page the cascade changes.
//
// A shared bundle is linked before a page's own. So a page can load a sheet from
// one if nothing that stays behind on it stands before the sheet and may compete with
// it; see [Claims]. Sheets that the same pages can load so go into one bundle.
package split

import (
	"slices"
	"strconv"
	"strings"
)

// Item is a sheet, or a part of one, as a page reaches it. Two with the same key
// are the same text under the same conditions.
type Item struct {
	Key    string
	Size   int // in bytes
	Claims *Claims
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
	p := &planner{units: units, opts: opts, reached: make(map[string][]int), shared: make(map[string][]int), kept: make(map[string]*Kept), claims: make(map[string]*claimed)}
	numbers := &numbering{make(map[any]int)}
	for u, items := range units {
		for _, it := range items {
			if p.claims[it.Key] == nil {
				p.claims[it.Key] = numbers.claimed(it.Claims)
			}
			if n := len(p.reached[it.Key]); n == 0 || p.reached[it.Key][n-1] != u {
				p.reached[it.Key] = append(p.reached[it.Key], u)
			} else {
				p.repeated(it)
			}
		}
	}
	p.candidates()
	for p.competing() || p.turned() || p.entangled() || p.small() {
	}
	return p.plan()
}

type planner struct {
	units   [][]Item
	opts    Options
	reached map[string][]int // units by key
	twice   map[string]bool  // keys that a unit reaches more than once
	shared  map[string][]int // units that load an item from a shared bundle, by key
	kept    map[string]*Kept
	order   []string // of kept
	turns   []Turned
	claims  map[string]*claimed // of the items, by key
}

func (p *planner) repeated(it Item) {
	if p.twice == nil {
		p.twice = make(map[string]bool)
	}
	p.twice[it.Key] = true
}

// candidates shares all items that enough units reach.
func (p *planner) candidates() {
	if p.opts.Shared == 0 {
		return
	}
	for key, units := range p.reached {
		if len(units) >= p.opts.Shared && !p.twice[key] {
			p.shared[key] = slices.Clone(units)
		}
	}
}

// shares reports whether a unit loads an item from a shared bundle.
func (p *planner) shares(key string, u int) bool {
	_, found := slices.BinarySearch(p.shared[key], u)
	return found
}

// keep has a unit load an item from its own bundle, and all do if too few are
// left that share it.
func (p *planner) keep(k Kept) {
	key := k.Item.Key
	left := slices.DeleteFunc(slices.Clone(p.shared[key]), func(u int) bool { return u == k.Unit })
	if len(left) < p.opts.Shared {
		left = nil
	}
	p.shared[key] = left
	if p.kept[key] == nil {
		p.order = append(p.order, key)
		p.kept[key] = &k
	}
}

// competing keeps items before which one that is not shared competes with them.
// It reports whether there was any.
func (p *planner) competing() bool {
	found := false
	for u, items := range p.units {
		own := new(claimed)
		for i, it := range items {
			if p.shares(it.Key, u) && p.claims[it.Key].competes(own) {
				k := Kept{Item: it, Unit: u}
				for _, before := range items[:i] {
					if what := it.Claims.With(before.Claims); !p.shares(before.Key, u) && what != "" {
						k.Before, k.What = before, what
						break
					}
				}
				p.keep(k)
				found = true
			}
			if !p.shares(it.Key, u) {
				own.add(p.claims[it.Key])
			}
		}
	}
	return found
}

// class returns what tells items apart that different units share.
func (p *planner) class(key string) string {
	var b strings.Builder
	for _, u := range p.shared[key] {
		b.WriteString(strconv.Itoa(u) + " ")
	}
	return b.String()
}

// classes returns the shared items by class, each in the order of the first
// unit that shares them, and the classes in the order in which they are met.
func (p *planner) classes() (byClass map[string][]Item, order []string) {
	byClass = make(map[string][]Item)
	for u, items := range p.units {
		for _, it := range items {
			if !p.shares(it.Key, u) || p.shared[it.Key][0] != u {
				continue
			}
			c := p.class(it.Key)
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
	for _, c := range order {
		class := byClass[c]
		if len(class) < 2 {
			continue
		}
		for _, u := range p.shared[class[0].Key][1:] {
			place := make(map[string]int)
			for i, it := range p.units[u] {
				place[it.Key] = i
			}
			for i, a := range class {
				for _, b := range class[i+1:] {
					if place[a.Key] < place[b.Key] {
						continue
					}
					if p.claims[a.Key].competes(p.claims[b.Key]) {
						what := a.Claims.With(b.Claims)
						p.turns = append(p.turns, Turned{a, b, p.shared[a.Key][0], u, what})
						p.keep(Kept{Item: a, Unit: u})
						p.keep(Kept{Item: b, Unit: u})
						return true
					}
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
		if _, item, before, ok := p.inOrder(u); !ok {
			p.keep(Kept{Item: item, Unit: u, Before: before, What: item.Claims.With(before.Claims)})
			return true
		}
	}
	return false
}

// inOrder returns the classes that a unit loads, in an order that keeps the
// cascade. If there is none, ok is false, and item is one of those that stand in
// the way, behind before.
func (p *planner) inOrder(u int) (order []string, item, before Item, ok bool) {
	items := slices.DeleteFunc(slices.Clone(p.units[u]), func(it Item) bool { return !p.shares(it.Key, u) })
	classes := make([]string, len(items))
	var open []string
	for i, it := range items {
		classes[i] = p.class(it.Key)
		if !slices.Contains(open, classes[i]) {
			open = append(open, classes[i])
		}
	}
	if runs := slices.Compact(slices.Clone(classes)); len(runs) == len(open) {
		return open, item, before, true // each stands together as it is
	}
	for len(open) > 0 {
		at := slices.IndexFunc(open, func(c string) bool {
			// Nothing of another class that is still open may compete before an item of this one.
			for i := range items {
				if classes[i] != c {
					continue
				}
				for k := range i {
					if classes[k] != c && slices.Contains(open, classes[k]) && p.claims[items[i].Key].competes(p.claims[items[k].Key]) {
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
	size := func(c string) (n int) {
		for _, it := range byClass[c] {
			n += it.Size
		}
		return n
	}
	for _, c := range order {
		if size(c) >= p.opts.Least {
			continue
		}
		units := p.shared[byClass[c][0].Key]
		partner, together := "", []int(nil)
		for _, other := range order {
			if other == c {
				continue
			}
			theirs := p.shared[byClass[other][0].Key]
			both := common(units, theirs)
			// Nothing is taken from a class that is large enough, nor too much from one that is not.
			fits := len(both) == len(theirs) || size(other) < p.opts.Least && 2*len(both) >= max(len(units), len(theirs))
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
func (p *planner) restrict(items []Item, to []int) {
	for _, it := range items {
		for _, u := range slices.Clone(p.shared[it.Key]) {
			if !slices.Contains(to, u) {
				p.keep(Kept{Item: it, Unit: u})
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
	byClass, order := p.classes()
	index := make(map[string]int)
	for _, c := range order {
		index[c] = len(out.Bundles)
		out.Bundles = append(out.Bundles, Bundle{byClass[c], p.shared[byClass[c][0].Key]})
	}
	for u, items := range p.units {
		classes, _, _, _ := p.inOrder(u)
		for _, c := range classes {
			out.Loads[u] = append(out.Loads[u], index[c])
		}
		var own []Item
		for _, it := range items {
			if !p.shares(it.Key, u) {
				own = append(own, it)
			}
		}
		if len(own) > 0 {
			out.Loads[u] = append(out.Loads[u], len(out.Bundles))
			out.Bundles = append(out.Bundles, Bundle{own, []int{u}})
		}
	}
	for _, key := range p.order {
		k := *p.kept[key]
		k.Units = slices.DeleteFunc(slices.Clone(p.reached[key]), func(u int) bool { return p.shares(key, u) })
		out.Kept = append(out.Kept, k)
	}
	return out
}
