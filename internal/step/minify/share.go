package minify

import (
	"slices"

	"rinzel/internal/css/property"
)

// This file moves the declarations that two rules have in common into one rule
// with the selectors of both. That makes the uncompressed sheet smaller: of 52
// libraries by 1.2% in the mean. After compression they are 0.3% larger, because
// a text that is repeated costs less than another selector.

// maxSharing limits the number of earlier rules with a declaration that are
// compared with one that is added, and maxTries that of rules that are tried to
// share with it.
const (
	maxSharing = 24
	maxTries   = 3
)

// shareDeclarations moves declarations that rules have in common into one rule.
// It reports whether there were any.
func (m *minifier) shareDeclarations(items *[]*item) bool {
	s := sharing{merging: m.newMerging(len(*items)), last: make(map[declarationID][]int32)}
	for _, it := range *items {
		s.add(it)
	}
	if s.changed {
		*items = s.remaining()
	}
	return s.changed
}

// sharing is the state of one pass over a block.
type sharing struct {
	*merging
	last map[declarationID][]int32 // indexes of the last rules with a declaration
}

// add adds an item. If an earlier rule has some of its declarations, they become
// a rule with the selectors of both.
func (s *sharing) add(it *item) {
	if !it.isMergeable() {
		s.append(it)
		return
	}
	for _, i := range s.candidates(it) {
		if rest, ok := s.share(i, it); ok {
			s.changed = true
			if rest == nil {
				return
			}
			it = rest
			break
		}
	}
	s.append(it)
	s.remember(len(s.items) - 1)
}

// remember makes the rule at i one that others can share with.
func (s *sharing) remember(i int) {
	for _, c := range s.items[i].parts[0].claims {
		list := s.last[c.id]
		if len(list) == maxSharing {
			copy(list, list[1:])
			list = list[:maxSharing-1]
		}
		s.last[c.id] = append(list, int32(i))
	}
}

// candidates returns the earlier rules with which an item can share
// declarations, those that save most first.
func (s *sharing) candidates(it *item) []int {
	p := &it.parts[0]
	if len(p.claims) > maxCompared || s.effort > s.maxEffort {
		return nil
	}
	type candidate struct{ at, size, saved int }
	var list []candidate
	for _, c := range p.claims {
		size := s.pool.declarations[c.id].size + len(";")
		for _, i := range s.last[c.id] {
			k := slices.IndexFunc(list, func(o candidate) bool { return o.at == int(i) })
			if k < 0 {
				k = len(list)
				list = append(list, candidate{at: int(i)})
			}
			list[k].size += size
		}
	}
	s.effort += len(list)
	mine := s.namesSize(p)
	list = slices.DeleteFunc(list, func(c candidate) bool { return !s.isNear(c.at) })
	for i := range list {
		q := &s.items[list[i].at].parts[0]
		list[i].saved = s.saved(p, q, list[i].size, mine)
	}
	list = slices.DeleteFunc(list, func(c candidate) bool { return c.saved <= 0 })
	slices.SortStableFunc(list, func(a, b candidate) int { return b.saved - a.saved })
	var out []int
	for _, c := range list[:min(len(list), maxTries)] {
		out = append(out, c.at)
	}
	return out
}

// saved returns the number of bytes that a rule for the common declarations of
// two rules saves, given their size and that of the selectors of p.
func (s *sharing) saved(p, q *part, size, selectors int) int {
	saved := size - len(",")
	if size < s.sizeOf(p.claims) { // a rule with the other ones remains
		saved -= selectors
	}
	if size < s.sizeOf(q.claims) {
		saved -= s.namesSize(q)
	}
	if size < s.sizeOf(p.claims) && size < s.sizeOf(q.claims) {
		saved -= len("{}") - 1
	}
	return saved
}

// namesSize returns the size of the selectors of a rule in bytes.
func (m *minifier) namesSize(p *part) int {
	size := len(p.selectors) - 1
	for _, id := range p.selectors {
		size += len(m.pool.selectors[id].text)
	}
	return size
}

// sizeOf returns the size of declarations in bytes, with their semicolons.
func (m *minifier) sizeOf(claims []claim) int {
	size := 0
	for i := range claims {
		size += m.pool.declarations[claims[i].id].size + len(";")
	}
	return size
}

// share moves what an item has in common with the earlier rule at i into a rule
// with the selectors of both. It returns what remains of the item.
func (s *sharing) share(i int, it *item) (rest *item, ok bool) {
	earlier := s.items[i]
	p, q := &earlier.parts[0], &it.parts[0]
	if len(p.claims) > maxCompared || len(p.selectors)+len(q.selectors) > maxCompared || !s.listable(p, q) {
		return nil, false
	}
	theirs, before := split(p.claims, q.claims)
	mine, after := split(q.claims, p.claims)
	s.effort += len(p.claims) * len(q.claims)
	if s.saved(p, q, s.sizeOf(theirs), s.namesSize(q)) <= 0 { // the earlier one shares with others since
		return nil, false
	}
	// In the earlier rule they come last, in the later one first.
	if !slices.EqualFunc(theirs, mine, equalClaims) && (len(theirs) != len(mine) || anyCompete(theirs)) ||
		anyAfter(p.claims, theirs, before) || anyAfter(q.claims, after, mine) {
		return nil, false
	}
	remaining := s.newRule(it.rule, it.rule.Selectors, q.selectors, s.fewest(after))
	switch {
	case len(before) == 0 && s.isFree(moving(q, mine), i+1):
		s.replace(i, s.listed(earlier, it, theirs))
	case s.isFree(moving(p, theirs), i+1):
		s.replace(i, s.newRule(earlier.rule, earlier.rule.Selectors, p.selectors, s.fewest(before)))
		s.append(s.listed(earlier, it, theirs))
		s.remember(len(s.items) - 1)
	default:
		return nil, false
	}
	return remaining, true
}

// moving returns an item with some of the declarations of a rule.
func moving(p *part, claims []claim) *item {
	it := &item{parts: []part{{selectors: p.selectors, claims: claims}}}
	for i := range claims {
		it.kinds |= claims[i].kinds
	}
	it.parts[0].kinds = it.kinds
	return it
}

// split returns the declarations of a rule that another one has as well, and the
// others.
func split(list, other []claim) (common, rest []claim) {
	for _, c := range list {
		if slices.ContainsFunc(other, func(o claim) bool { return c.id == o.id }) {
			common = append(common, c)
		} else {
			rest = append(rest, c)
		}
	}
	return common, rest
}

// anyAfter reports whether some of the declarations of a rule competes with one
// that comes before it. first are those which must not be followed by second.
func anyAfter(list, first, second []claim) bool {
	for i := range list {
		if !slices.ContainsFunc(first, func(c claim) bool { return c.of == list[i].of }) {
			continue
		}
		for k := i + 1; k < len(list); k++ {
			c, o := &list[i], &list[k]
			if c.kinds&o.kinds != onlyAll && property.Compete(c.property, o.property) &&
				slices.ContainsFunc(second, func(c claim) bool { return c.of == o.of }) {
				return true
			}
		}
	}
	return false
}
