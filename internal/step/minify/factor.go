package minify

import (
	"slices"
	"strconv"

	"rinzel/internal/css/ast"
	"rinzel/internal/css/print"
	"rinzel/internal/css/selector"
	"rinzel/internal/css/token"
)

// This file writes selectors that differ in one place only as one selector with
// :is().

// isOverhead is the size of the text around the alternatives of :is().
const isOverhead = len(":is()")

// maxFactored limits the number of selectors of a list that are compared with
// each other, maxFactoredSize and maxFactoredParts their size in bytes and in
// simple selectors, and maxAlternative that of an alternative.
const (
	maxFactored      = 400
	maxFactoredSize  = 300
	maxFactoredParts = 40
	maxAlternative   = 6
)

// maxApart limits the number of selectors that :is() is expanded to in a sheet.
const maxApart = 100_000

// factored returns a selector list with :is(). ok is false if that is not shorter,
// or if some browser does not know it.
func (m *minifier) factored(list []ast.Selector) (short []ast.Selector, ok bool) {
	if len(list) > maxFactored || !m.accept.Feature(featureIs) ||
		slices.ContainsFunc(list, func(s ast.Selector) bool { return !m.accept.Selector(s) }) {
		return list, false
	}
	author := m.authors[m.listHash(list)]
	for range maxPasses {
		short := factorOnce(list)
		if len(short) == len(list) {
			break
		}
		list, ok = short, true
	}
	if author != nil && len(print.AppendSelectors(nil, author)) <= len(print.AppendSelectors(nil, list)) {
		return author, true
	}
	return list, ok
}

// listHash returns a hash of the selectors of a list in their order. Two lists
// with the same are too unlikely to matter: the proof would undo it.
func (m *minifier) listHash(list []ast.Selector) uint64 {
	hash := uint64(0)
	for _, s := range list {
		hash = hash*31 + hashOf(m.pool.selector(s))
	}
	return hash
}

// featureIs is the feature of :is().
const featureIs = "css.selectors.is"

// withoutIs returns a list without :is() where that means the same, so that equal
// selectors are equal lists. It is undone by factored. ok is false if nothing
// changed.
func (m *minifier) withoutIs(list []ast.Selector) (apart []ast.Selector, ok bool) {
	hasIs := func(s ast.Selector) bool {
		return slices.ContainsFunc(s, func(p ast.Simple) bool { return p.Args != nil && token.EqualFold(p.Name, "is") })
	}
	if len(list) > maxFactored || m.apart > maxApart || !slices.ContainsFunc(list, hasIs) ||
		slices.ContainsFunc(list, func(s ast.Selector) bool { return !m.accept.Selector(s) }) {
		return list, false
	}
	for _, s := range list {
		without := selector.WithoutIs(s, maxFactored)
		ok = ok || len(without) != 1 || len(s) > 0 && &without[0][0] != &s[0]
		apart = append(apart, without...)
	}
	m.apart += len(apart)
	if len(apart) > maxFactored {
		return list, false
	}
	return apart, ok
}

// place is where selectors of a list differ: between the simple selectors at two
// indexes. The parts before and after are the same in all.
type place struct {
	members  []member
	overhead int // size of the same parts
}

// member is a selector of a place.
type member struct {
	at       int // in the list
	from, to int
}

// saved returns the number of bytes that :is() saves.
func (p *place) saved() int { return (len(p.members)-1)*p.overhead - isOverhead }

// factorOnce returns a list in which the selectors of places that save most are
// written with :is().
func factorOnce(list []ast.Selector) []ast.Selector {
	out := slices.Clone(list)
	used := make([]bool, len(list))
	for _, p := range placesOf(list) {
		p.members = slices.DeleteFunc(p.members, func(m member) bool { return used[m.at] })
		if p.saved() <= 0 {
			continue
		}
		args := &ast.Args{}
		for _, m := range p.members {
			used[m.at] = true
			args.Selectors = append(args.Selectors, list[m.at][m.from:m.to])
			out[m.at] = nil
		}
		first := p.members[0]
		s := list[first.at]
		is := ast.Simple{Kind: ast.PseudoClass, Name: "is", Args: args, Pos: s[first.from].Pos}
		out[first.at] = slices.Concat(s[:first.from], ast.Selector{is}, s[first.to:])
	}
	return slices.DeleteFunc(out, func(s ast.Selector) bool { return s == nil })
}

// placesOf returns the places in which some selectors of a list differ, and for
// which :is() is shorter; those that save most come first.
func placesOf(list []ast.Selector) []*place {
	byKey := make(map[string]*place)
	var out []*place
	var key []byte
	for at, s := range list {
		if len(s) > maxFactoredParts {
			continue
		}
		texts := make([]string, len(s))
		size := 0
		for i := range s {
			texts[i] = print.Selector(s[i : i+1])
			size += len(texts[i])
		}
		if size > maxFactoredSize {
			continue
		}
		for from := range s {
			inside := 0
			for to := from + 1; to <= min(len(s), from+maxAlternative) && selector.Alternatives(s, from, []ast.Selector{s[from:to]}); to++ {
				inside += len(texts[to-1])
				key = appendKey(key[:0], texts, s, from, to)
				p := byKey[string(key)]
				if p == nil {
					p = &place{overhead: size - inside}
					byKey[string(key)] = p
					out = append(out, p)
				}
				p.members = append(p.members, member{at, from, to})
			}
		}
	}
	out = slices.DeleteFunc(out, func(p *place) bool { return p.saved() <= 0 })
	slices.SortStableFunc(out, func(a, b *place) int { return b.saved() - a.saved() })
	return out
}

// appendKey appends a text that is the same for selectors that differ between
// two indexes only, and have the same specificity there.
func appendKey(key []byte, texts []string, s ast.Selector, from, to int) []byte {
	for i, text := range texts {
		if i == from {
			key = append(key, 0)
		}
		if i < from || i >= to {
			key = append(key, text...)
		}
	}
	weight := selector.Of(s[from:to])
	for _, n := range []int{weight.IDs, weight.Classes, weight.Types} {
		key = strconv.AppendInt(append(key, 0), int64(n), 10)
	}
	return key
}
