package browsers

import (
	"slices"
	"strings"
	"sync"
)

// The table of facts is facts.txt, which the command gen writes, and facts.go, which it makes of that. Features are sorted.

// Release is a version of a browser that was released.
type Release struct {
	Version Version
	Date    string  // as 2026-01-31
	Share   float64 // of the world's use, in percent
}

// span is a range of versions that support a feature, under a prefix if
// that is not empty. A prefix that starts with '=' is another name altogether.
type span struct {
	since, until Version // until is exclusive
	browser      int8    // its index in Names
	prefix       uint8   // its index in tablePrefixes
	partial      bool
}

// plain reports whether the feature is supported whole and without a prefix.
func (s *span) plain() bool { return s.prefix == 0 && !s.partial }

// isAny is of all spans.
func (s *span) isAny() bool { return true }

// Sources returns the names and versions of the data that the facts were taken from.
func Sources() []string { return tableSources }

// releases are the released versions by browser, oldest first.
var releases = sync.OnceValue(func() (out [9][]Release) {
	for _, r := range tableReleases {
		out[r.browser] = append(out[r.browser], r.release)
	}
	return out
})

// Releases returns the released versions of a browser, oldest first. The list
// must not be changed.
func Releases(browser string) []Release {
	if i := slices.Index(Names, browser); i >= 0 {
		return releases()[i]
	}
	return nil
}

// numberOf returns the number of a feature.
func numberOf(feature string) (n int, ok bool) { return slices.BinarySearch(tableFeatures[:], feature) }

// spansOf returns the facts of a feature by number, by browser.
func spansOf(n int) []span { return tableSpans[tableStarts[n]:tableStarts[n+1]] }

// supportOf returns the facts of a feature. ok is false if there are none.
func supportOf(feature string) (spans []span, ok bool) {
	n, ok := numberOf(feature)
	if !ok {
		return nil, false
	}
	return spansOf(n), true
}

// Known reports whether there are facts about a feature.
func Known(feature string) bool {
	_, ok := numberOf(feature)
	return ok
}

// Find returns the features that a name is about: the one of that very name,
// or else those whose last parts it is: "nesting", "color.oklch".
func Find(name string) []string {
	if Known(name) {
		return []string{name}
	}
	var out []string
	for _, id := range tableFeatures {
		if strings.HasSuffix(id, "."+name) {
			out = append(out, id)
		}
	}
	return out
}

// Parts returns the names of the features right below one, without its own
// name: of a property the keywords that not all its versions have, beside others.
func Parts(feature string) []string {
	prefix := feature + "."
	i, _ := slices.BinarySearch(tableFeatures[:], prefix)
	var out []string
	for ; i < len(tableFeatures) && strings.HasPrefix(tableFeatures[i], prefix); i++ {
		if name := tableFeatures[i][len(prefix):]; !strings.Contains(name, ".") {
			out = append(out, name)
		}
	}
	return out
}

// Features returns the names of all features that there are facts about, sorted.
func Features() []string { return slices.Clone(tableFeatures[:]) }

// Deprecated reports whether a feature is one that the data advises against.
func Deprecated(feature string) bool {
	n, ok := numberOf(feature)
	if !ok {
		return false
	}
	_, found := slices.BinarySearch(tableDeprecated[:], uint16(n))
	return found
}
