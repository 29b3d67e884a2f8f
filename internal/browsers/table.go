package browsers

import (
	_ "embed" // for the table of facts
	"slices"
	"sort"
	"strconv"
	"strings"
	"sync"
)

// facts is the table that the command gen writes. Its lines about features are
// sorted, and read one by one when they are asked for.
//
//go:embed facts.txt
var facts string

// Release is a version of a browser that was released.
type Release struct {
	Version Version
	Date    string  // as 2026-01-31
	Share   float64 // of the world's use, in percent
}

// table is the embedded table, cut into its parts.
type table struct {
	sources  []string
	releases map[string][]Release // oldest first
	features []string             // lines, sorted
}

var load = sync.OnceValue(func() table { return readTable(facts) })

// readTable cuts the text of the table into its parts.
func readTable(text string) table {
	t := table{releases: make(map[string][]Release)}
	rest := text
	for {
		line, behind, _ := strings.Cut(rest, "\n")
		word := strings.Fields(line)
		switch word[0] {
		case "source":
			t.sources = append(t.sources, strings.Join(word[1:], " "))
		case "release":
			v, _ := ParseVersion(word[2])
			share, _ := strconv.ParseFloat(word[4], 64)
			t.releases[word[1]] = append(t.releases[word[1]], Release{v, word[3], share})
		default:
			t.features = strings.Split(strings.TrimSuffix(rest, "\n"), "\n")
			t.features = t.features[:len(t.features)-1] // without the check sum
			return t
		}
		rest = behind
	}
}

// Sources returns the names and versions of the data that the facts were taken from.
func Sources() []string { return load().sources }

// Releases returns the released versions of a browser, oldest first. The list
// must not be changed.
func Releases(browser string) []Release { return load().releases[browser] }

// support is a range of versions that support a feature, under a prefix if
// that is not empty. A prefix that starts with '=' is another name altogether.
type support struct {
	since, until Version // until is exclusive
	prefix       string
	partial      bool
}

// supports reports whether a version is in the range.
func (s support) supports(v Version) bool { return s.since <= v && v < s.until }

// supportOf returns the facts of a feature by browser, or nil if there are none.
func supportOf(feature string) map[string][]support {
	features := load().features
	i := sort.Search(len(features), func(i int) bool { return features[i] >= feature })
	for ; i < len(features) && strings.HasPrefix(features[i], feature); i++ {
		name, rest, _ := strings.Cut(features[i], " ")
		if name == feature {
			return readSupport(rest)
		}
	}
	return nil
}

// readSupport reads what the table says of a feature.
func readSupport(text string) map[string][]support {
	out := make(map[string][]support)
	for _, part := range strings.Fields(text) {
		browser, list, ok := strings.Cut(part, "=")
		if !ok {
			continue // a mark on the feature itself
		}
		for _, item := range strings.Split(list, ",") {
			versions, prefix, _ := strings.Cut(item, ":") // the prefix may hold more of them
			versions, partial := strings.CutSuffix(versions, "~")
			since, until, ends := strings.Cut(versions, "-")
			s := support{until: never, prefix: prefix, partial: partial}
			s.since, _ = ParseVersion(since)
			if ends {
				s.until, _ = ParseVersion(until)
			}
			out[browser] = append(out[browser], s)
		}
	}
	return out
}

// Known reports whether there are facts about a feature.
func Known(feature string) bool { return supportOf(feature) != nil }

// Find returns the features that a name is about: the one of that very name,
// or else those whose last parts it is: "nesting", "color.oklch".
func Find(name string) []string {
	if Known(name) {
		return []string{name}
	}
	var out []string
	for _, line := range load().features {
		if id, _, _ := strings.Cut(line, " "); strings.HasSuffix(id, "."+name) {
			out = append(out, id)
		}
	}
	return out
}

// Parts returns the names of the features right below one, without its own
// name: of a property the keywords that not all its versions have, beside others.
func Parts(feature string) []string {
	features := load().features
	prefix := feature + "."
	i := sort.Search(len(features), func(i int) bool { return features[i] >= prefix })
	var out []string
	for ; i < len(features) && strings.HasPrefix(features[i], prefix); i++ {
		name, _, _ := strings.Cut(features[i][len(prefix):], " ")
		if !strings.Contains(name, ".") {
			out = append(out, name)
		}
	}
	return out
}

// Features returns the names of all features that there are facts about, sorted.
func Features() []string {
	var out []string
	for _, line := range load().features {
		id, _, _ := strings.Cut(line, " ")
		out = append(out, id)
	}
	return out
}

// plain reports whether a version supports a feature, whole and without a prefix.
func plain(list []support, v Version) bool {
	return slices.ContainsFunc(list, func(s support) bool { return s.prefix == "" && !s.partial && s.supports(v) })
}

// inAnyForm reports whether a version supports a feature in part or under a
// prefix at the least.
func inAnyForm(list []support, v Version) bool {
	return slices.ContainsFunc(list, func(s support) bool { return s.supports(v) })
}

// Deprecated reports whether a feature is one that the data advises against.
func Deprecated(feature string) bool { return deprecated()[feature] }

var deprecated = sync.OnceValue(func() map[string]bool {
	out := make(map[string]bool)
	for _, line := range load().features {
		if id, facts, _ := strings.Cut(line, " "); strings.HasPrefix(facts, "!deprecated") {
			out[id] = true
		}
	}
	return out
})
