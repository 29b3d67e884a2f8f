package cascade

import (
	"fmt"
	"slices"

	"rinzel/internal/css/ast"
	"rinzel/internal/css/property"
)

// This file compares what two sheets declare for the same elements.

// compareBox compares a box in both sheets, whatever the order of boxes.
func (c *comparison) compareBox(b *box) {
	if c.pairUp(b) {
		return
	}
	x, y := c.facts(b, 0), c.facts(b, 1)
	for _, name := range x.names {
		mine, theirs := x.claims[name], y.claims[name]
		for i := range max(len(mine), len(theirs)) {
			switch {
			case i >= len(theirs):
				c.only(b, mine[i], 0)
				return
			case i >= len(mine):
				c.only(b, theirs[i], 1)
				return
			case !c.same(mine[i], theirs[i]):
				c.found = append(c.found, &Difference{
					Message: fmt.Sprintf("%s in one sheet, %s in the other", c.shownClaim(b, mine[i]), c.shownClaim(b, theirs[i])),
					A:       mine[i].of.Span(), B: theirs[i].of.Span(),
					Involved: []*ast.Declaration{mine[i].of, theirs[i].of}})
				return
			}
			c.pairs = append(c.pairs, pair{box: b, facts: []fact{mine[i].fact}, property: mine[i].property,
				of: [2]*ast.Declaration{mine[i].of, theirs[i].of}, order: [2]int{mine[i].order, theirs[i].order}})
		}
	}
	for _, name := range y.names {
		if len(x.claims[name]) == 0 {
			c.only(b, y.claims[name][0], 1)
			return
		}
	}
}

// same reports whether two claims say the same to the same browsers.
func (c *comparison) same(a, b *claim) bool {
	if a.value != b.value || a.of.Important != b.of.Important {
		return false
	}
	return c.acceptedAlike(a.of, b.of)
}

// meaning is what is known about a declaration. Equal declarations share it.
type meaning struct {
	number   int
	property *property.Property
	facts    []fact // nil if they were not needed so far
	needs    needs
	hasNeeds bool // they were needed
}

// meaningOf returns what is known about a declaration.
func (c *comparison) meaningOf(d *ast.Declaration) *meaning {
	n := c.numbers.Number(d)
	if n == len(c.meanings) {
		c.meanings = append(c.meanings, &meaning{number: n, property: property.Of(d.Name)})
	}
	return c.meanings[n]
}

// expand returns what a declaration says about each longhand.
func (c *comparison) expand(d *ast.Declaration) []fact {
	m := c.meaningOf(d)
	if m.facts == nil {
		m.facts = expand(d)
	}
	return m.facts
}

// needs are features that some browser may not have.
type needs []string

// needsOf returns the features that a declaration needs, and some browser may
// not have.
func (c *comparison) needsOf(d *ast.Declaration) needs {
	m := c.meaningOf(d)
	if !m.hasNeeds {
		m.hasNeeds = true
		for _, need := range c.browsers.Needs(d) {
			if !c.browsers.Feature(need) {
				m.needs = append(m.needs, need)
			}
		}
	}
	return m.needs
}

// superseded reports whether each browser that accepts a declaration also
// accepts a later one.
func (c *comparison) superseded(d, later *ast.Declaration) bool {
	list := c.needsOf(later)
	return len(list) == 0 || !slices.ContainsFunc(list, func(need string) bool {
		return !slices.Contains(c.needsOf(d), need) && !c.browsers.Implies(c.needsOf(d), need)
	})
}

// sameMeaning reports whether two declarations set the same, in the same
// browsers.
func (c *comparison) sameMeaning(a, b *ast.Declaration) bool {
	if a == b {
		return true
	}
	if a.Important != b.Important || a.Name != b.Name {
		return false
	}
	key := [2]int{c.meaningOf(a).number, c.meaningOf(b).number}
	if key[0] == key[1] {
		return true
	}
	is, ok := c.equal[key]
	if !ok {
		is = slices.Equal(c.expand(a), c.expand(b)) && c.superseded(a, b) && c.superseded(b, a)
		c.equal[key] = is
	}
	return is
}

// acceptedAlike reports whether the same browsers accept two declarations.
func (c *comparison) acceptedAlike(a, b *ast.Declaration) bool {
	return a == b || sameDeclaration(a, b) || c.superseded(b, a) && c.superseded(a, b)
}

// only records the difference that only one sheet has a claim.
func (c *comparison) only(b *box, f *claim, side int) {
	d := &Difference{Involved: []*ast.Declaration{f.of}}
	if side == 0 {
		d.Message, d.A = "only the first sheet has "+c.shownClaim(b, f), f.of.Span()
	} else {
		d.Message, d.B = "only the second sheet has "+c.shownClaim(b, f), f.of.Span()
	}
	c.found = append(c.found, d)
}

// pairUp pairs the declarations of a box one by one, if both sheets have the
// same ones in the same order. It reports false if they have not.
func (c *comparison) pairUp(b *box) bool {
	mine, theirs := b.runs[0], b.runs[1]
	start := len(c.pairs)
	i, k := 0, 0 // in the current runs
	for {
		for len(mine) > 0 && i == len(mine[0].nodes) {
			mine, i = mine[1:], 0
		}
		for len(theirs) > 0 && k == len(theirs[0].nodes) {
			theirs, k = theirs[1:], 0
		}
		if len(mine) == 0 || len(theirs) == 0 {
			break
		}
		d, o := mine[0].nodes[i], theirs[0].nodes[k]
		if !c.sameMeaning(d, o) {
			break
		}
		c.pairs = append(c.pairs, pair{box: b, property: c.meaningOf(d).property, of: [2]*ast.Declaration{d, o},
			order: [2]int{mine[0].first + i, theirs[0].first + k}})
		i++
		k++
	}
	if len(mine) > 0 || len(theirs) > 0 {
		c.pairs = c.pairs[:start]
		return false
	}
	return true
}

// sameDeclaration reports whether two declarations obviously say the same.
func sameDeclaration(d, o *ast.Declaration) bool {
	return d.Important == o.Important && d.Name == o.Name && ast.EqualValues(d.Value, o.Value)
}

// facts are the claims of a sheet for a box.
type facts struct {
	names  []string // of properties, in the order of their first claim
	claims map[string][]*claim
}

// facts returns the claims of a box in a sheet, without those that always lose.
func (c *comparison) facts(b *box, side int) facts {
	out := facts{claims: make(map[string][]*claim)}
	for _, r := range b.runs[side] {
		for i, d := range r.nodes {
			for _, f := range c.expand(d) {
				name := f.property.Name
				if len(out.claims[name]) == 0 {
					out.names = append(out.names, name)
				}
				out.claims[name] = append(out.claims[name], &claim{f, d, r.first + i})
			}
		}
	}
	for name, list := range out.claims {
		out.claims[name] = c.withoutHidden(list)
	}
	return out
}

// withoutHidden returns the claims for one property that can have an effect:
// those that no later or more important one supersedes. Normal ones come first.
func (c *comparison) withoutHidden(list []*claim) []*claim {
	if len(list) == 1 {
		return list
	}
	var normal, important, out []*claim
	for _, f := range list {
		if f.of.Important {
			important = append(important, f)
		} else {
			normal = append(normal, f)
		}
	}
	for i, f := range normal {
		if !c.hides(normal[i+1:], f) && !c.hides(important, f) {
			out = append(out, f)
		}
	}
	for i, f := range important {
		if !c.hides(important[i+1:], f) {
			out = append(out, f)
		}
	}
	return out
}

// maxWinning limits the number of claims that one is compared with.
const maxWinning = 50

// hides reports whether one of the winning claims makes f superfluous.
func (c *comparison) hides(winning []*claim, f *claim) bool {
	if n := len(winning); n > 2*maxWinning { // in an unusually long list
		winning = slices.Concat(winning[:maxWinning], winning[n-maxWinning:])
	}
	for i, w := range winning {
		// Of equal ones that follow each other, the last one is enough.
		if i == 0 && w.of.Important == f.of.Important && c.same(w, f) || c.superseded(f.of, w.of) {
			return true
		}
	}
	return false
}
