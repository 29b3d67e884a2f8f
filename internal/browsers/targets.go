package browsers

import (
	"fmt"
	"maps"
	"slices"
	"strings"
	"sync"
)

// Targets are the browser versions that the output must work in. The zero
// Targets are none. They are not changed once they are made.
type Targets struct {
	chosen   map[string][]choice // by browser, oldest first
	asked    string              // what was asked for, in words
	facts    *chosenSet
	prefixes func() map[string][]string
	lacking  *sync.Map // of the features that were asked for: [Targets.Lacking]
	missing  *sync.Map // [Targets.Missing]
}

// chosenSet is the targets as bits.
type chosenSet struct {
	all   set
	words [maxVersions]string // of the targets, as people are shown them, by bit
}

// newChosenSet returns targets as bits.
func newChosenSet(chosen map[string][]choice) *chosenSet {
	out, p := &chosenSet{}, layout()
	for i, name := range Names {
		for _, c := range chosen[name] {
			bit := p.bit(i, c.version)
			out.all.add(bit)
			if out.words[bit] = name; c.version != coming {
				out.words[bit] = name + " " + c.version.String()
			}
		}
	}
	return out
}

// newest returns the newest of each browser in a set of targets, as "safari 15.4", in the order of [Names].
func (c *chosenSet) newest(s set) (out []string) {
	p := layout()
	for i := range Names {
		if bit := s.highest(p.first[i], p.coming[i]+1); bit >= 0 {
			out = append(out, c.words[bit])
		}
	}
	return out
}

// choice is a version that is a target.
type choice struct {
	version Version
	by      []string // what selected it, in words
}

// Query says which versions are targets: all that any of its parts selects,
// but for those that are left out.
type Query struct {
	Share   float64            // versions with at least this percentage of the world's use; 0 for none
	Recent  int                // the newest versions of each browser, that many; 0 for none
	Floor   map[string]Version // of each browser named, this version and every newer one
	Without []Without
}

// Without leaves a browser out, or one version of it.
type Without struct {
	Browser string
	Version Version // 0 for all
}

// Default returns the targets of a project that names none: browsers of the
// years since 2023, and the last versions for operating systems that are out of care.
func Default() Targets {
	t := AtLeast(map[string]Version{
		"chrome": 109000, "chrome-android": 109000, "edge": 109000, "firefox": 115000, "firefox-android": 115000, "opera": 95000,
		"safari": 15004, "safari-ios": 15004, "samsung": 21000,
	})
	t.asked = "the default"
	return t
}

// AtLeast returns the targets of a floor: of each browser named that version
// and every newer one, those to come included.
func AtLeast(floor map[string]Version) Targets { return Query{Floor: floor}.Targets() }

// Targets returns the versions that a query selects.
func (q Query) Targets() Targets {
	t := Targets{chosen: make(map[string][]choice), asked: q.words()}
	for _, name := range Names {
		byVersion := make(map[Version][]string)
		add := func(v Version, by string) { byVersion[v] = append(byVersion[v], by) }
		releases := Releases(name)
		for i, r := range releases {
			if q.Share > 0 && r.Share >= q.Share {
				add(r.Version, fmt.Sprintf("share %v", q.Share))
			}
			if len(releases)-i <= q.Recent {
				add(r.Version, fmt.Sprintf("recent %d", q.Recent))
			}
		}
		if floor, ok := q.Floor[name]; ok {
			by := "floor " + floor.String()
			add(floor, by)
			for _, r := range releases {
				if r.Version > floor {
					add(r.Version, by)
				}
			}
			add(coming, by)
		}
		for _, v := range slices.Sorted(maps.Keys(byVersion)) {
			if !q.leavesOut(name, v) {
				t.chosen[name] = append(t.chosen[name], choice{v, byVersion[v]})
			}
		}
	}
	t.facts = newChosenSet(t.chosen)
	t.prefixes = sync.OnceValue(func() map[string][]string {
		all := make(map[string][]string)
		for n, id := range tableFeatures {
			spans := spansOf(n)
			if slices.ContainsFunc(spans, func(s span) bool { return s.prefix != 0 }) {
				if list := t.prefixesFor(spans, nil); len(list) > 0 {
					all[id] = list
				}
			}
		}
		return all
	})
	t.lacking, t.missing = new(sync.Map), new(sync.Map)
	return t
}

// AllPrefixes returns the features that some target needs a prefix for, with
// the prefixes as [Targets.Prefixes] returns them. The map must not be changed.
func (t Targets) AllPrefixes() map[string][]string {
	if t.prefixes == nil {
		return nil
	}
	return t.prefixes()
}

func (q Query) leavesOut(browser string, v Version) bool {
	return slices.ContainsFunc(q.Without, func(w Without) bool { return w.Browser == browser && (w.Version == 0 || w.Version == v) })
}

// words says what a query asks for.
func (q Query) words() string {
	var parts []string
	if q.Share > 0 {
		parts = append(parts, fmt.Sprintf("share %v", q.Share))
	}
	if q.Recent > 0 {
		parts = append(parts, fmt.Sprintf("recent %d", q.Recent))
	}
	for _, name := range Names {
		if v, ok := q.Floor[name]; ok {
			parts = append(parts, name+" "+v.String())
		}
	}
	for _, w := range q.Without {
		part := "without " + w.Browser
		if w.Version != 0 {
			part += " " + w.Version.String()
		}
		parts = append(parts, part)
	}
	return strings.Join(parts, ", ")
}

// String says what was asked for: "share 0.5, chrome 109".
func (t Targets) String() string { return t.asked }

// Empty reports whether no version is a target.
func (t Targets) Empty() bool { return len(t.chosen) == 0 }

// Range are versions of one browser that follow each other and were selected
// by the same.
type Range struct {
	Browser  string
	From, To Version
	Open     bool // all newer versions as well
	By       []string
	Share    float64 // of the world's use, in percent
}

// Ranges returns the targets in ranges, by browser in the order of [Names],
// newest first.
func (t Targets) Ranges() []Range {
	var out []Range
	for _, name := range Names {
		releases := Releases(name)
		var list []Range
		for _, c := range t.chosen[name] {
			at := slices.IndexFunc(releases, func(r Release) bool { return r.Version == c.version })
			share := 0.0
			if at >= 0 {
				share = releases[at].Share
			}
			last := len(list) - 1
			switch {
			case c.version == coming:
				if last >= 0 {
					list[last].Open = true
				}
				continue
			case last >= 0 && slices.Equal(list[last].By, c.by) && (at <= 0 || list[last].To == releases[at-1].Version):
				list[last].To = c.version
				list[last].Share += share
				continue
			}
			list = append(list, Range{Browser: name, From: c.version, To: c.version, By: c.by, Share: share})
		}
		slices.Reverse(list)
		out = append(out, list...)
	}
	return out
}

// Share returns how much of the world's use the targets have, in percent.
func (t Targets) Share() float64 {
	total := 0.0
	for _, r := range t.Ranges() {
		total += r.Share
	}
	return total
}

// Lacking returns the targets that do not support a feature, the newest of
// each browser, as "safari 15.4", in the order of [Names]. Of a feature that is
// not known it returns none. It is quick to ask again; the list must not be changed.
func (t Targets) Lacking(feature string) []string {
	if t.lacking == nil {
		return nil
	}
	if known, ok := t.lacking.Load(feature); ok {
		return known.([]string)
	}
	spans, ok := supportOf(feature)
	if !ok {
		return nil
	}
	plain := versionsOf(spans, (*span).plain)
	list := t.facts.newest(t.facts.all.minus(&plain))
	t.lacking.Store(feature, list)
	return list
}

// Missing returns the targets that support a feature in no form, neither in part
// nor under a prefix, as [Targets.Lacking] does. What all browsers of one kind lack for
// ever is left out where another of the same engine has it: phones have no
// cursor. It is quick to ask again.
func (t Targets) Missing(feature string) []string {
	if t.missing == nil {
		return nil
	}
	if known, ok := t.missing.Load(feature); ok {
		return known.([]string)
	}
	spans, ok := supportOf(feature)
	if !ok {
		return nil
	}
	any := versionsOf(spans, (*span).isAny)
	list := slices.DeleteFunc(t.facts.newest(t.facts.all.minus(&any)), func(s string) bool {
		return slices.Contains(Names, s) && slices.ContainsFunc(kin(s), func(other string) bool { return any.has(layout().coming[slices.Index(Names, other)]) })
	})
	t.missing.Store(feature, list)
	return list
}

// kin returns the browsers that have the same engine as one, itself included.
func kin(browser string) []string {
	for _, family := range [][]string{{"firefox", "firefox-android"}, {"safari", "safari-ios"}} {
		if slices.Contains(family, browser) {
			return family
		}
	}
	return []string{"chrome", "chrome-android", "edge", "opera", "samsung"}
}

// Newest reports whether the newest target of some browser supports a feature,
// whole and without a prefix.
func (t Targets) Newest(feature string) bool {
	spans, ok := supportOf(feature)
	if !ok || t.facts == nil {
		return false
	}
	plain, p := versionsOf(spans, (*span).plain), layout()
	for i := range Names {
		if bit := t.facts.all.highest(p.first[i], p.coming[i]+1); bit >= 0 && plain.has(bit) {
			return true
		}
	}
	return false
}

// Prefixes returns the prefixes that some target needs for a feature, sorted:
// those under which a version supports it that does not without. One that
// starts with '=' is another name for the whole feature.
func (t Targets) Prefixes(feature string) []string {
	spans, _ := supportOf(feature)
	return t.prefixesFor(spans, nil)
}

// InStead returns the prefixes under which a feature stands in for another: as
// [Targets.Prefixes] does, for the targets that support the other one in no form.
func (t Targets) InStead(feature, other string) []string {
	spans, _ := supportOf(feature)
	others, _ := supportOf(other)
	return t.prefixesFor(spans, others)
}

// prefixesFor returns the prefixes that are needed for a feature, sorted, by the targets
// that have no form of another one if that is given. Where one prefix serves all versions of a browser it is enough: Firefox,
// for one, came to know many of WebKit's prefixes beside its own.
func (t Targets) prefixesFor(spans, other []span) []string {
	if t.facts == nil {
		return nil
	}
	var out []string
	for len(spans) > 0 {
		browser := spans[0].browser
		end := slices.IndexFunc(spans, func(s span) bool { return s.browser != browser })
		if end < 0 {
			end = len(spans)
		}
		for _, prefix := range t.needed(spans[:end], other, int(browser)) {
			if !slices.Contains(out, tablePrefixes[prefix]) {
				out = append(out, tablePrefixes[prefix])
			}
		}
		spans = spans[end:]
	}
	slices.Sort(out)
	return out
}

// Needing returns the targets that support a feature under a prefix alone, the
// newest of each browser, as [Targets.Lacking] does.
func (t Targets) Needing(feature, prefix string) []string {
	spans, ok := supportOf(feature)
	if !ok || t.facts == nil {
		return nil
	}
	plain, under := versionsOf(spans, (*span).plain), underPrefix(spans, prefix)
	need := t.facts.all.and(&under)
	return t.facts.newest(need.minus(&plain))
}

// underPrefix returns the versions that support a feature under a prefix.
func underPrefix(spans []span, prefix string) set {
	n := slices.Index(tablePrefixes[:], prefix)
	return versionsOf(spans, func(s *span) bool { return int(s.prefix) == n })
}

// Without reports whether some target supports a feature as it is, and not under a prefix: what has the
// prefix alone says nothing to it.
func (t Targets) Without(feature, prefix string) bool {
	spans, ok := supportOf(feature)
	if !ok || t.facts == nil {
		return false
	}
	plain, under := versionsOf(spans, (*span).plain), underPrefix(spans, prefix)
	there := t.facts.all.and(&plain)
	there = there.minus(&under)
	return !there.empty()
}

// needed returns the numbers of the prefixes that the versions of one browser need. Versions that have some form of another
// feature need none.
func (t Targets) needed(spans, other []span, browser int) []uint8 {
	if !slices.ContainsFunc(spans, func(s span) bool { return s.prefix != 0 }) {
		return nil
	}
	plain, any := versionsOf(spans, (*span).plain), versionsOf(other, (*span).isAny)
	open := t.facts.all.ofBrowser(browser)
	open = open.minus(&plain)
	open = open.minus(&any)
	type serving struct {
		prefix uint8
		first  int // the oldest version that it serves, as a bit
		serves set
	}
	var list []serving
	var served set
	for i := range spans {
		prefix := spans[i].prefix
		if prefix == 0 || slices.ContainsFunc(list, func(s serving) bool { return s.prefix == prefix }) {
			continue
		}
		serves := versionsOf(spans, func(s *span) bool { return s.prefix == prefix && !s.partial })
		serves = serves.and(&open)
		if serves.empty() {
			continue
		}
		for w := range served {
			served[w] |= serves[w]
		}
		list = append(list, serving{prefix, serves.lowest(), serves})
	}
	slices.SortStableFunc(list, func(a, b serving) int { return a.first - b.first })
	var out []uint8
	for _, s := range list {
		if s.serves == served {
			return []uint8{s.prefix}
		}
		out = append(out, s.prefix)
	}
	return out
}
