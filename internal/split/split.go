// Package split works out which sheets several pages load from one file, such
// that on no page the cascade changes.
//
// A shared bundle is linked before a page's own. So a sheet can move into one if on
// each page that reaches it nothing that stays behind stands before it and may
// compete with it; see [Claims]. Sheets that the same pages reach go into one bundle.
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

// Kept is an item that several units reach and that is shared by none.
type Kept struct {
	Item  Item
	Units []int
	// Unit reaches Before, which competes with the item about What, before it. What is
	// empty if the bundle would have been too small, or the order of items is Turned.
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
	p := &planner{units: units, opts: opts, reached: make(map[string][]int), shared: make(map[string]bool), kept: make(map[string]*Kept)}
	for u, items := range units {
		for _, it := range items {
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
	shared  map[string]bool  // keys of items that are to be shared
	kept    map[string]*Kept
	order   []string // of kept
	turns   []Turned
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
			p.shared[key] = true
		}
	}
}

// keep takes an item out of those that are shared.
func (p *planner) keep(k Kept) {
	delete(p.shared, k.Item.Key)
	k.Units = p.reached[k.Item.Key]
	if p.kept[k.Item.Key] == nil {
		p.order = append(p.order, k.Item.Key)
	}
	p.kept[k.Item.Key] = &k
}

// competing keeps items before which one that is not shared competes with them.
// It reports whether there was any.
func (p *planner) competing() bool {
	found := false
	for u, items := range p.units {
		own := new(Claims)
		for i, it := range items {
			if p.shared[it.Key] && it.Claims.competes(own) {
				k := Kept{Item: it, Unit: u}
				for _, before := range items[:i] {
					if what := it.Claims.With(before.Claims); !p.shared[before.Key] && what != "" {
						k.Before, k.What = before, what
						break
					}
				}
				p.keep(k)
				found = true
			}
			if !p.shared[it.Key] {
				own.add(it.Claims)
			}
		}
	}
	return found
}

// class returns what tells items apart that different units reach.
func (p *planner) class(key string) string {
	var b strings.Builder
	for _, u := range p.reached[key] {
		b.WriteString(strconv.Itoa(u) + " ")
	}
	return b.String()
}

// classes returns the shared items by class, each in the order of the first
// unit that reaches them, and the classes in the order in which they are met.
func (p *planner) classes() (byClass map[string][]Item, order []string) {
	byClass = make(map[string][]Item)
	for u, items := range p.units {
		for _, it := range items {
			if !p.shared[it.Key] || p.reached[it.Key][0] != u {
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
		for _, u := range p.reached[class[0].Key][1:] {
			place := make(map[string]int)
			for i, it := range p.units[u] {
				place[it.Key] = i
			}
			for i, a := range class {
				for _, b := range class[i+1:] {
					if place[a.Key] < place[b.Key] {
						continue
					}
					if what := a.Claims.With(b.Claims); what != "" {
						p.turns = append(p.turns, Turned{a, b, p.reached[a.Key][0], u, what})
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
	items := slices.DeleteFunc(slices.Clone(p.units[u]), func(it Item) bool { return !p.shared[it.Key] })
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
					if classes[k] != c && slices.Contains(open, classes[k]) && items[i].Claims.With(items[k].Claims) != "" {
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

// small keeps the items of classes that would make a bundle smaller than it may
// be. It reports whether there were any.
func (p *planner) small() bool {
	byClass, order := p.classes()
	found := false
	for _, c := range order {
		size := 0
		for _, it := range byClass[c] {
			size += it.Size
		}
		if size < p.opts.Least {
			for _, it := range byClass[c] {
				p.keep(Kept{Item: it})
			}
			found = true
		}
	}
	return found
}

// plan makes bundles of what is shared, and of what each unit has of its own.
func (p *planner) plan() Plan {
	out := Plan{Loads: make([][]int, len(p.units)), Turned: p.turns}
	byClass, order := p.classes()
	index := make(map[string]int)
	for _, c := range order {
		index[c] = len(out.Bundles)
		out.Bundles = append(out.Bundles, Bundle{byClass[c], p.reached[byClass[c][0].Key]})
	}
	for u, items := range p.units {
		classes, _, _, _ := p.inOrder(u)
		for _, c := range classes {
			out.Loads[u] = append(out.Loads[u], index[c])
		}
		var own []Item
		for _, it := range items {
			if !p.shared[it.Key] {
				own = append(own, it)
			}
		}
		if len(own) > 0 {
			out.Loads[u] = append(out.Loads[u], len(out.Bundles))
			out.Bundles = append(out.Bundles, Bundle{own, []int{u}})
		}
	}
	for _, key := range p.order {
		if !p.shared[key] {
			out.Kept = append(out.Kept, *p.kept[key])
		}
	}
	return out
}
