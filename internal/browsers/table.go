package browsers

import (
	"slices"
	"strings"
	"sync"
)

// The data is facts.txt, written by the command in gen, and facts.go, generated
// from it. Features are sorted.

// Release is a released browser version.
type Release struct {
	Version Version
	Date    string  // as 2026-01-31
	Share   float64 // percentage of world use
}

// span is a range of versions that support a feature, with a prefix if that is
// not empty. A prefix that starts with '=' is a different name.
type span struct {
	since, until Version // until is exclusive
	browser      int8    // index in Names
	prefix       uint8   // index in tablePrefixes
	partial      bool
}

// plain reports whether the feature is fully supported without a prefix.
func (s *span) plain() bool { return s.prefix == 0 && !s.partial }

// isAny accepts all spans.
func (s *span) isAny() bool { return true }

// Sources returns the names and versions of the data.
func Sources() []string { return tableSources }

// releases are the releases by browser, oldest first.
var releases = sync.OnceValue(func() (out [9][]Release) {
	for _, r := range tableReleases {
		out[r.browser] = append(out[r.browser], r.release)
	}
	return out
})

// Releases returns the releases of a browser, oldest first. The slice must not
// be modified.
func Releases(browser string) []Release {
	if i := slices.Index(Names, browser); i >= 0 {
		return releases()[i]
	}
	return nil
}

// numberOf returns the number of a feature.
func numberOf(feature string) (n int, ok bool) { return slices.BinarySearch(tableFeatures[:], feature) }

// spansOf returns the support of a feature by number, by browser.
func spansOf(n int) []span { return tableSpans[tableStarts[n]:tableStarts[n+1]] }

// supportOf returns the support of a feature. ok is false if it is unknown.
func supportOf(feature string) (spans []span, ok bool) {
	n, ok := numberOf(feature)
	if !ok {
		return nil, false
	}
	return spansOf(n), true
}

// Known reports whether a feature is known.
func Known(feature string) bool {
	_, ok := numberOf(feature)
	return ok
}

// Find returns the features that match a name: the feature with that name, or
// those that end with it: "nesting", "color.oklch".
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

// Parts returns the names of the features directly below one, without its own
// name: for a property, keywords that not all versions support, among others.
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

// Features returns the names of all features, sorted.
func Features() []string { return slices.Clone(tableFeatures[:]) }

// Deprecated reports whether a feature is deprecated.
func Deprecated(feature string) bool {
	n, ok := numberOf(feature)
	if !ok {
		return false
	}
	_, found := slices.BinarySearch(tableDeprecated[:], uint16(n))
	return found
}
