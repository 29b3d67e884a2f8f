package compose

import (
	"cmp"
	"maps"
	"slices"
	"strings"
	"sync/atomic"

	"rinzel/internal/css/ast"
	"rinzel/internal/source"
)

// This file finds the members of families that are in use.
//
// A linked sheet with its imports is composed in passes. The first one collects the
// families and modes. Then the names in use are compared with their patterns. The
// next pass makes the members: those without modes where their family is, the
// others where the last of their modes is. If a mode comes before a family, one more
// pass is needed.

// families are the families and modes of one pass, in order.
type families struct {
	list  []*family
	modes []*mode
	takes map[string]bool // names of classes in @take
	plan  *plan           // of this pass; nil in the first one
}

// want records a name in @take.
func (f *families) want(name string) {
	if f.takes == nil {
		f.takes = make(map[string]bool)
	}
	f.takes[name] = true
	if f.plan != nil {
		f.plan.incomplete = true
	}
}

// family is a family of classes.
type family struct {
	pattern *pattern
	slots   []*slot
	body    []ast.Node
	block   *ast.Block
	at      source.Span // the pattern
}

// mode is a prefix of class names, with what it does to their rules.
type mode struct {
	prefix string
	body   []ast.Node
	scope  *Scope
	at     source.Span // the prefix
}

// plan is what the members of families are, by the names in use.
type plan struct {
	plain      [][]*member // of each family, in order: those in use without modes
	needed     [][]*member // of each family: all whose rules are needed
	moded      [][]*moded  // of each mode, in order: those whose last mode it is
	byName     map[string]*moded
	rivals     map[string][]*moded // others with the name of one in byName
	conflicts  []conflict
	unknown    map[string]bool // names in @take that are no members
	before     []*mode         // the modes of the pass before
	incomplete bool            // a rule was needed before its family came
	last       bool            // there is no other pass
}

// member is a class of a family, without modes.
type member struct {
	family  int
	name    string
	fills   []fill
	made    bool
	invalid bool       // a free value that its declarations do not take
	nodes   []ast.Node // of its rule
}

// moded is a class of a family with modes; without modes it is the member itself.
type moded struct {
	*member
	modes []int // numbers of the modes, the outermost first
	name  string
}

// conflict is a name that two families or modes claim.
type conflict struct {
	name          string
	first, second *moded
}

// compare compares members of one family: in the order of the sources of their slots,
// free values by their texts.
func (m *member) compare(o *member) int {
	for i := range m.fills {
		a, b := &m.fills[i], &o.fills[i]
		if n := cmp.Or(cmp.Compare(a.rank, b.rank), compareNumbers(a.key, b.key)); n != 0 {
			return n
		}
	}
	return strings.Compare(m.name, o.name)
}

// compareNumbers compares texts, with the digits at their start as a number.
func compareNumbers(a, b string) int {
	digits := func(s string) string { return s[:len(s)-len(strings.TrimLeft(s, "0123456789"))] }
	x, y := strings.TrimLeft(digits(a), "0"), strings.TrimLeft(digits(b), "0")
	return cmp.Or(cmp.Compare(len(x), len(y)), strings.Compare(x, y), strings.Compare(a, b))
}

// compare compares members with modes at one mode: fewer modes come first.
func (m *moded) compare(o *moded) int {
	n := cmp.Or(cmp.Compare(len(m.modes), len(o.modes)), slices.Compare(m.modes, o.modes), cmp.Compare(m.family, o.family))
	if n != 0 {
		return n
	}
	return m.member.compare(o.member) // of one family, so they have the same slots
}

// newPlan finds the members among names, which are sorted.
func (f *families) newPlan(names []string) *planning {
	p := &planning{families: f, byFirst: make(map[string][]int), members: make(map[memberKey]*member),
		plan: &plan{plain: make([][]*member, len(f.list)),
			needed: make([][]*member, len(f.list)), moded: make([][]*moded, len(f.modes)), byName: make(map[string]*moded),
			rivals: make(map[string][]*moded), unknown: make(map[string]bool)}}
	for i, fam := range f.list {
		first := fam.pattern.literals[0]
		p.byFirst[first] = append(p.byFirst[first], i)
		for _, name := range startingWith(names, first) {
			p.add(name, nil, i, name)
		}
	}
	for k, m := range f.modes {
		for _, name := range startingWith(names, m.prefix) {
			p.left = maxWays
			p.rest(name, []int{k}, name[len(m.prefix):])
		}
	}
	p.inUse()
	return p
}

// take adds the names in @take, and the modes, of a pass.
func (p *planning) take(f *families) {
	p.before = f.modes
	for _, name := range slices.Sorted(maps.Keys(f.takes)) {
		if p.byName[name] == nil {
			p.left = maxWays
			p.rest(name, nil, name)
		}
		p.unknown[name] = p.byName[name] == nil
	}
}

// startingWith returns the names in a sorted list that start with a prefix.
func startingWith(names []string, prefix string) []string {
	from, _ := slices.BinarySearch(names, prefix)
	to := from
	for to < len(names) && strings.HasPrefix(names[to], prefix) {
		to++
	}
	return names[from:to]
}

// longestName limits the names of members in bytes: matching a longer one would take
// long.
const longestName = 256

// memberKey identifies a member.
type memberKey struct {
	family int
	name   string
}

// planning is the making of a plan.
type planning struct {
	*families
	*plan
	byFirst map[string][]int // families by their first literal
	members map[memberKey]*member
	used    []string // the names of the members in use, sorted
	left    int      // ways in which the current name may still be split into modes
}

// add adds a name as a member of a family, if its end without the prefixes of modes
// fits the pattern.
func (p *planning) add(name string, modes []int, family int, end string) {
	if len(name) > longestName {
		return
	}
	pattern := p.list[family].pattern
	fills, ok := pattern.match(end)
	if !ok {
		return
	}
	key := memberKey{family, end}
	m := p.members[key]
	known := m != nil
	if !known {
		m = &member{family: family, name: end, fills: fills}
		p.members[key] = m
	}
	made := &moded{member: m, modes: slices.Clone(modes), name: name}
	if have := p.byName[name]; have != nil {
		const most = 1000 // conflicts that are worth a finding
		if have.family == family && slices.Equal(have.modes, modes) || len(p.conflicts) == most {
			return
		}
		p.conflicts = append(p.conflicts, conflict{name, have, made})
		p.rivals[name] = append(p.rivals[name], made)
	} else {
		p.byName[name] = made
	}
	if !known {
		p.needed[family] = append(p.needed[family], m)
	}
}

// rest adds a name as a member of the families that fit its end, which may begin with
// more modes.
func (p *planning) rest(name string, modes []int, end string) {
	if p.left--; p.left < 0 || len(name) > longestName {
		return
	}
	for n := len(end); n >= 0; n-- {
		for _, family := range p.byFirst[end[:n]] {
			p.add(name, modes, family, end)
		}
	}
	for k, m := range p.families.modes {
		if strings.HasPrefix(end, m.prefix) && !slices.Contains(modes, k) {
			p.rest(name, append(modes[:len(modes):len(modes)], k), end[len(m.prefix):])
		}
	}
}

// inUse arranges the members that are in use.
func (p *planning) inUse() {
	place := func(m *moded) {
		if len(m.modes) == 0 {
			p.plain[m.family] = append(p.plain[m.family], m.member)
			return
		}
		last := slices.Max(m.modes)
		p.moded[last] = append(p.moded[last], m)
	}
	for name, m := range p.byName {
		place(m)
		for _, rival := range p.rivals[name] {
			place(rival)
		}
	}
	for _, list := range p.plain {
		slices.SortFunc(list, (*member).compare)
	}
	for _, list := range p.moded {
		slices.SortFunc(list, (*moded).compare)
	}
	p.used = slices.Sorted(maps.Keys(p.byName))
	slices.SortFunc(p.conflicts, func(a, b conflict) int { return strings.Compare(a.name, b.name) })
}

// member returns the member with a name: the first one that is valid, as far as that is
// known; nil if there is none.
func (p *plan) member(name string) *moded {
	m := p.byName[name]
	if m == nil || !m.invalid {
		return m
	}
	for _, rival := range p.rivals[name] {
		if !rival.invalid {
			return rival
		}
	}
	return m
}

// Families are the families of a linked sheet with its imports. They are safe for
// concurrent use.
type Families struct {
	first     *families                // of a pass without a plan
	collected *families                // of the last pass
	hoisted   bool                     // names were used before their last definition
	used      []string                 // the members in use, sorted
	names     atomic.Pointer[[]string] // the last names in use that these are the members of
}

// Has reports whether a class in use is a member.
func (f *Families) Has(class string) bool {
	m := f.collected.plan.member(class)
	return m != nil && !m.invalid
}

// Same reports whether the members are the same for other names in use, which are
// sorted and must not be modified afterwards. The receiver may be nil.
func (f *Families) Same(names []string) bool {
	if f == nil {
		return true
	}
	before := *f.names.Load()
	if len(before) == len(names) && (len(names) == 0 || &before[0] == &names[0]) {
		return true // another page of the same build asks
	}
	if len(f.collected.newPlan(differing(before, names)).byName) > 0 {
		return false
	}
	f.names.Store(&names)
	return true
}

// differing returns the strings that only one of two sorted lists has.
func differing(a, b []string) (out []string) {
	for len(a) > 0 && len(b) > 0 {
		switch n := strings.Compare(a[0], b[0]); {
		case n == 0:
			a, b = a[1:], b[1:]
		case n < 0:
			out, a = append(out, a[0]), a[1:]
		default:
			out, b = append(out, b[0]), b[1:]
		}
	}
	return append(append(out, a...), b...)
}
