package browsers

import (
	"math/bits"
	"slices"
	"sync"
)

// set is a set of versions of all browsers: a bit for each release, and for
// each browser one for all older versions and one for all future ones. Other
// versions count as the release before them.
type set [maxVersions / 64]uint64

// maxVersions is the number of bits.
const maxVersions = 1280

// versionBits is the assignment of bits to versions.
type versionBits struct {
	first, coming [9]int // by browser, the bits for older and for future versions
	versions      [9][]Version
}

// layout returns the assignment.
var layout = sync.OnceValue(func() *versionBits {
	p := &versionBits{}
	next := 0
	for i, list := range releases() {
		p.first[i] = next
		for _, r := range list {
			p.versions[i] = append(p.versions[i], r.Version)
		}
		next += len(list) + 2
		p.coming[i] = next - 1
	}
	if next > maxVersions {
		panic("browsers: more releases than bits")
	}
	return p
})

// bit returns the bit of a version.
func (p *versionBits) bit(browser int, v Version) int {
	if v >= coming {
		return p.coming[browser]
	}
	i, found := slices.BinarySearch(p.versions[browser], v)
	if found {
		i++
	}
	return p.first[browser] + i
}

// from returns the first bit of versions from v on.
func (p *versionBits) from(browser int, v Version) int {
	if v >= never {
		return p.coming[browser] + 1
	}
	i, _ := slices.BinarySearch(p.versions[browser], v)
	return p.first[browser] + 1 + i
}

// add adds a bit.
func (s *set) add(bit int) { s[bit/64] |= 1 << (bit % 64) }

// has reports whether a bit is set.
func (s *set) has(bit int) bool { return s[bit/64]&(1<<(bit%64)) != 0 }

// addRange adds the bits from from to to, exclusive.
func (s *set) addRange(from, to int) {
	for w := from / 64; w*64 < to; w++ {
		mask := ^uint64(0)
		if w == from/64 {
			mask <<= from % 64
		}
		if to < (w+1)*64 {
			mask &= 1<<(to%64) - 1
		}
		s[w] |= mask
	}
}

// minus returns the versions that are not in another set.
func (s *set) minus(o *set) (out set) {
	for i := range s {
		out[i] = s[i] &^ o[i]
	}
	return out
}

// and returns the versions in both sets.
func (s *set) and(o *set) (out set) {
	for i := range s {
		out[i] = s[i] & o[i]
	}
	return out
}

// empty reports whether the set is empty.
func (s *set) empty() bool { return *s == set{} }

// highest returns the highest bit from from to to, exclusive, or -1.
func (s *set) highest(from, to int) int {
	for w := (to - 1) / 64; w >= from/64; w-- {
		word := s[w]
		if to < (w+1)*64 {
			word &= 1<<(to%64) - 1
		}
		if w == from/64 {
			word &= ^uint64(0) << (from % 64)
		}
		if word != 0 {
			return w*64 + 63 - bits.LeadingZeros64(word)
		}
	}
	return -1
}

// lowest returns the lowest bit, or -1.
func (s *set) lowest() int {
	for w, word := range s {
		if word != 0 {
			return w*64 + bits.TrailingZeros64(word)
		}
	}
	return -1
}

// versionsOf returns the versions in spans that pass a test.
func versionsOf(spans []span, is func(*span) bool) (out set) {
	p := layout()
	for i := range spans {
		if s := &spans[i]; is(s) {
			b := int(s.browser)
			out.addRange(p.from(b, s.since), p.from(b, s.until))
		}
	}
	return out
}

// ofBrowser returns the versions of one browser.
func (s *set) ofBrowser(browser int) (out set) {
	p := layout()
	out.addRange(p.first[browser], p.coming[browser]+1)
	return s.and(&out)
}
