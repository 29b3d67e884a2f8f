package browsers

import (
	"fmt"
	"maps"
	"slices"
	"strings"
	"sync"
)

// Targets are the browser versions that the output must work in. The zero
// Targets are empty. They are immutable.
type Targets struct {
	chosen      map[string][]choice // by browser, oldest first
	query       string              // the query in words
	facts       *chosenSet
	prefixes    func() map[string][]string
	unsupported *sync.Map // cache of [Targets.Unsupported]
	missing     *sync.Map // cache of [Targets.Missing]
}

// chosenSet is the targets as bits.
type chosenSet struct {
	all   set
	words [maxVersions]string // displayed names of the targets, by bit
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

// newest returns the newest version of each browser in a set of targets, as
// "safari 15.4", in the order of [Names].
func (c *chosenSet) newest(s set) (out []string) {
	p := layout()
	for i := range Names {
		if bit := s.highest(p.first[i], p.coming[i]+1); bit >= 0 {
			out = append(out, c.words[bit])
		}
	}
	return out
}

// choice is a targeted version.
type choice struct {
	version Version
	by      []string // what selected it, in words
}

// Query selects targets: the union of its parts, except excluded versions.
type Query struct {
	Share   float64            // versions with at least this percentage of world use; 0 for none
	Recent  int                // number of newest versions of each browser; 0 for none
	Floor   map[string]Version // minimum version of each named browser
	Without []Without
}

// Without excludes a browser, or one version of it.
type Without struct {
	Browser string
	Version Version // 0 for all
}

// Default returns the targets of a project without settings: browsers since
// 2023, and the last versions for unsupported operating systems.
func Default() Targets {
	t := AtLeast(map[string]Version{
		"chrome": 109000, "chrome-android": 109000, "edge": 109000, "firefox": 115000, "firefox-android": 115000,
		"opera":  95000,
		"safari": 15004, "safari-ios": 15004, "samsung": 21000,
	})
	t.query = "the default"
	return t
}

// AtLeast returns the targets with minimum versions, including future versions.
func AtLeast(floor map[string]Version) Targets { return Query{Floor: floor}.Targets() }

// Targets returns the versions that a query selects.
func (q Query) Targets() Targets {
	t := Targets{chosen: make(map[string][]choice), query: q.words()}
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
			if !q.excludes(name, v) {
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
	t.unsupported, t.missing = new(sync.Map), new(sync.Map)
	return t
}

// AllPrefixes returns the features that some target needs a prefix for, with
// the prefixes as in [Targets.Prefixes]. The map must not be modified.
func (t Targets) AllPrefixes() map[string][]string {
	if t.prefixes == nil {
		return nil
	}
	return t.prefixes()
}

// excludes reports whether the query excludes a version.
func (q Query) excludes(browser string, v Version) bool {
	return slices.ContainsFunc(q.Without,
		func(w Without) bool { return w.Browser == browser && (w.Version == 0 || w.Version == v) })
}

// words describes the query.
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

// String describes the query: "share 0.5, chrome 109".
func (t Targets) String() string { return t.query }

// Empty reports whether there are no targets.
func (t Targets) Empty() bool { return len(t.chosen) == 0 }

// Range is a range of consecutive versions of one browser, selected for the
// same reason.
type Range struct {
	Browser  string
	From, To Version
	Open     bool // includes all newer versions
	By       []string
	Share    float64 // percentage of world use
}

// Ranges returns the targets as ranges, by browser in the order of [Names],
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

// Share returns the percentage of world use of the targets.
func (t Targets) Share() float64 {
	total := 0.0
	for _, r := range t.Ranges() {
		total += r.Share
	}
	return total
}

// Unsupported returns the targets that do not support a feature, the newest
// version of each browser, as "safari 15.4", in the order of [Names]. It
// returns nil for an unknown feature. The result is cached and must not be
// modified.
func (t Targets) Unsupported(feature string) []string {
	if t.unsupported == nil {
		return nil
	}
	if known, ok := t.unsupported.Load(feature); ok {
		return known.([]string)
	}
	spans, ok := supportOf(feature)
	if !ok {
		return nil
	}
	plain := versionsOf(spans, (*span).plain)
	list := t.facts.newest(t.facts.all.minus(&plain))
	t.unsupported.Store(feature, list)
	return list
}

// Missing returns the targets that do not support a feature in any form,
// neither partially nor with a prefix, like [Targets.Unsupported]. Browsers
// that never support it are omitted if another one with the same engine does:
// mobile browsers have no cursor. The result is cached.
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
		return slices.Contains(Names, s) &&
			slices.ContainsFunc(kin(s), func(other string) bool { return any.has(layout().coming[slices.Index(Names, other)]) })
	})
	t.missing.Store(feature, list)
	return list
}

// kin returns the browsers with the same engine, including the browser itself.
func kin(browser string) []string {
	for _, family := range [][]string{{"firefox", "firefox-android"}, {"safari", "safari-ios"}} {
		if slices.Contains(family, browser) {
			return family
		}
	}
	return []string{"chrome", "chrome-android", "edge", "opera", "samsung"}
}

// Implies reports whether each target that supports all of some features, if only
// partially or with a prefix, supports another one fully and without a prefix.
// An unknown feature restricts nothing, and is implied by nothing.
func (t Targets) Implies(have []string, feature string) bool {
	spans, ok := supportOf(feature)
	if !ok || t.facts == nil {
		return false
	}
	plain := versionsOf(spans, (*span).plain)
	rest := t.facts.all.minus(&plain)
	for _, name := range have {
		if spans, ok := supportOf(name); ok {
			any := versionsOf(spans, (*span).isAny)
			rest = rest.and(&any)
		}
	}
	return rest == set{}
}

// Newest reports whether the newest target of some browser fully supports a
// feature without a prefix.
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
// those with which a version supports it that does not support it without. A
// prefix that starts with '=' is a different name of the feature.
func (t Targets) Prefixes(feature string) []string {
	spans, _ := supportOf(feature)
	return t.prefixesFor(spans, nil)
}

// InStead returns the prefixes with which a feature can replace another one,
// for the targets that do not support the other one in any form; see
// [Targets.Prefixes].
func (t Targets) InStead(feature, other string) []string {
	spans, _ := supportOf(feature)
	others, _ := supportOf(other)
	return t.prefixesFor(spans, others)
}

// prefixesFor returns the needed prefixes of a feature, sorted; only for
// targets without any form of another feature, if that is given. If one prefix
// serves all versions of a browser it is sufficient: Firefox supports many
// prefixes of WebKit in addition to its own.
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

// Needing returns the targets that only support a feature with a prefix, the
// newest of each browser; see [Targets.Unsupported].
func (t Targets) Needing(feature, prefix string) []string {
	spans, ok := supportOf(feature)
	if !ok || t.facts == nil {
		return nil
	}
	plain, under := versionsOf(spans, (*span).plain), withPrefix(spans, prefix)
	need := t.facts.all.and(&under)
	return t.facts.newest(need.minus(&plain))
}

// withPrefix returns the versions that support a feature with a prefix.
func withPrefix(spans []span, prefix string) set {
	n := slices.Index(tablePrefixes[:], prefix)
	return versionsOf(spans, func(s *span) bool { return int(s.prefix) == n })
}

// Without reports whether some target supports a feature without a prefix, but
// not with it: the prefixed form has no effect there.
func (t Targets) Without(feature, prefix string) bool {
	spans, ok := supportOf(feature)
	if !ok || t.facts == nil {
		return false
	}
	plain, under := versionsOf(spans, (*span).plain), withPrefix(spans, prefix)
	there := t.facts.all.and(&plain)
	there = there.minus(&under)
	return !there.empty()
}

// needed returns the indexes of the prefixes that the versions of one browser
// need. Versions with some form of another feature need none.
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
		first  int // oldest version that it serves, as a bit
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
