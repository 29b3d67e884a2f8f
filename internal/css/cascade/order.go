package cascade

import (
	"fmt"
	"sort"

	"rinzel/internal/css/ast"
	"rinzel/internal/css/property"
	"rinzel/internal/css/selector"
)

// This file compares the order of declarations of different boxes.

// maxPairs limits the number of pairs whose order is compared.
const maxPairs = 20_000_000

// compareOrder checks that declarations which can meet on one element, and
// differ, have the same order in both sheets.
func (c *comparison) compareOrder() {
	c.sortPairs()
	moved := c.moved()
	if len(moved) == 0 {
		return
	}
	o := ordering{comparison: c, moved: moved}
	for i := range c.pairs {
		p := c.pairs[i].property
		list := &o.staying
		if moved[i] {
			list = &o.moving
		}
		for kinds, bit := p.Kinds(), 0; kinds != 0; kinds, bit = kinds>>1, bit+1 {
			if kinds&1 != 0 && (bit < 63 || p.Name == "all") {
				list[bit] = append(list[bit], int32(i))
			}
		}
	}
	for i, isMoved := range moved {
		if isMoved {
			o.check(i)
		}
		if len(c.found) >= c.most || o.count > maxPairs {
			return
		}
	}
}

// sortPairs sorts the pairs by their order in the first sheet.
func (c *comparison) sortPairs() {
	starts := make([]int, c.sizes[0]+1)
	for i := range c.pairs {
		starts[c.pairs[i].order[0]+1]++
	}
	for i := 1; i < len(starts); i++ {
		starts[i] += starts[i-1]
	}
	sorted := make([]pair, len(c.pairs))
	for i := range c.pairs {
		at := &starts[c.pairs[i].order[0]]
		sorted[*at] = c.pairs[i]
		*at++
	}
	c.pairs = sorted
}

// moved returns the pairs of which at least one must have moved: all but a
// longest run of pairs that have the same order in both sheets. It is nil if
// nothing moved.
func (c *comparison) moved() []bool {
	// The last pair of the best run of each length, and the one before each.
	var ends []int32
	before := make([]int32, len(c.pairs))
	for i := range c.pairs {
		order := c.pairs[i].order[1]
		n := len(ends)
		// Claims of one declaration have the same order: they stay together.
		if n > 0 && c.pairs[ends[n-1]].order[1] > order {
			n = sort.Search(n, func(k int) bool { return c.pairs[ends[k]].order[1] > order })
		}
		before[i] = -1
		if n > 0 {
			before[i] = ends[n-1]
		}
		if n == len(ends) {
			ends = append(ends, int32(i))
		} else {
			ends[n] = int32(i)
		}
	}
	if len(ends) == len(c.pairs) {
		return nil
	}
	out := make([]bool, len(c.pairs))
	for i := range out {
		out[i] = true
	}
	for i := ends[len(ends)-1]; i >= 0; i = before[i] {
		out[i] = false
	}
	return out
}

// ordering is the state of comparing the order.
type ordering struct {
	*comparison
	moved []bool
	byBox map[*box][]int32
	count int // of comparisons

	// The pairs that moved, and those that did not, by the bits of their kinds,
	// in the order of the first sheet.
	moving, staying [64][]int32
}

// check compares the order of a pair that moved with that of all others.
func (o *ordering) check(i int) {
	p := &o.pairs[i]
	kinds := p.property.Kinds()
	for bit := range o.staying {
		if kinds&(1<<bit) != 0 && (o.checkWith(p, o.passed(p, o.staying[bit])) || o.checkWith(p, o.moving[bit])) {
			return
		}
	}
}

// passed returns those of the pairs that did not move which p has passed, and
// those that are at its places. The others are in one order in both sheets.
func (o *ordering) passed(p *pair, staying []int32) []int32 {
	find := func(side, order int) int {
		return sort.Search(len(staying), func(k int) bool { return o.pairs[staying[k]].order[side] >= order })
	}
	from := min(find(0, p.order[0]), find(1, p.order[1]))
	to := max(find(0, p.order[0]+1), find(1, p.order[1]+1))
	return staying[from:to]
}

// checkWith compares the order of p with that of others. It reports whether it
// recorded a difference.
func (o *ordering) checkWith(p *pair, others []int32) bool {
	for _, k := range others {
		if o.count++; o.count > maxPairs {
			o.found = append(o.found, &Difference{Message: "the order of too many declarations differs",
				A: p.of[0].Span(), B: p.of[1].Span(), Involved: p.of[:]})
			return true
		}
		q := &o.pairs[k]
		if isSwapped(p, q) && o.compete(p, q) && !o.repeated(p, q) {
			o.swapped(p, q)
			return true
		}
	}
	return false
}

// isSwapped reports whether two pairs may have another order in the second sheet.
func isSwapped(p, q *pair) bool {
	return (p.order[0] < q.order[0]) != (p.order[1] < q.order[1]) ||
		p.order[0] == q.order[0] != (p.order[1] == q.order[1])
}

// repeated reports whether the order of two pairs does not matter because the
// elements of the one that is later in the first sheet are given the value of
// the earlier one again, after it, and in the second sheet not before that.
func (o *ordering) repeated(p, q *pair) bool {
	if p.order[0] > q.order[0] {
		p, q = q, p
	}
	if o.byBox == nil {
		o.byBox = make(map[*box][]int32)
		for i := range o.pairs {
			o.byBox[o.pairs[i].box] = append(o.byBox[o.pairs[i].box], int32(i))
		}
	}
	o.count += len(o.byBox[q.box])
	for _, i := range o.byBox[q.box] {
		r := &o.pairs[i]
		if r.property.Name == p.property.Name && r.order[0] > q.order[0] && r.order[1] >= p.order[1] &&
			o.sameMeaning(r.of[0], p.of[0]) {
			return true
		}
	}
	return false
}

// swapped records the difference that two pairs have another order.
func (o *ordering) swapped(p, q *pair) {
	o.found = append(o.found, &Difference{
		Message: fmt.Sprintf("%s and %s have another order", o.shownPair(p), o.shownPair(q)),
		A:       p.of[0].Span(), B: p.of[1].Span(),
		Involved: []*ast.Declaration{p.of[0], p.of[1], q.of[0], q.of[1]}})
}

// shownPair describes a pair for people.
func (o *ordering) shownPair(p *pair) string {
	d := p.of[0]
	return o.shown(p.box, d.Name, textOf(d.Value, contextOf(p.property.Name)), d.Important)
}

// compete reports whether the order of two pairs can matter.
func (o *ordering) compete(p, q *pair) bool {
	a, b := p.of[0], q.of[0]
	switch {
	case a.Important != b.Important || !property.Compete(p.property, q.property):
		return false
	case p.box == q.box: // the order for one property was compared before
		return p.property != q.property
	case o.layers[p.box.where] != o.layers[q.box.where]:
		return false // the order of layers decides
	case p.box.weight != q.box.weight:
		return false // the more specific one wins, before the distance to the root of a scope counts
	case a == b || property.Of(a.Name).Standard == property.Of(b.Name).Standard && a.Name != b.Name &&
		ast.EqualValues(a.Value, b.Value):
		return false // two names of one property, with one value
	case p.box.of != nil && q.box.of != nil && selector.Disjoint(p.box.of, q.box.of):
		return false
	}
	alike := false
	for _, f := range o.factsOf(p) {
		for _, g := range o.factsOf(q) {
			if f.property.Name == g.property.Name && f.value == g.value {
				alike = true
			} else if property.Compete(f.property, g.property) {
				return true
			}
		}
	}
	return alike && !o.acceptedAlike(a, b)
}

// factsOf returns the facts of a pair.
func (o *ordering) factsOf(p *pair) []fact {
	if p.facts == nil {
		p.facts = o.expand(p.of[0])
	}
	return p.facts
}
