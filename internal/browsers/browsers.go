// Package browsers knows which versions of browsers lack a feature, or need a
// prefix for it. Its facts are taken from open compatibility data; see the
// command gen beside it.
package browsers

import (
	_ "embed" // for the table of facts
	"encoding/json"
	"fmt"
	"maps"
	"slices"
	"strconv"
	"strings"
	"sync"
)

//go:generate sh -c "go run ./gen -data \"$COMPAT_DATA\" > facts.json"

//go:embed facts.json
var factsJSON []byte

// Names are the browsers that can be targets, in the order in which they are listed.
var Names = []string{"chrome", "edge", "firefox", "safari", "safari-ios", "samsung"}

// Nesting is the feature of nested style rules.
const Nesting = "css.selectors.nesting"

// Color returns the feature of a colour function: of oklch, color or color-mix.
func Color(function string) string { return "css.types.color." + function }

// Property returns the feature of a property.
func Property(name string) string { return "css.properties." + name }

// Version is a browser version that compares as the browser counts: its major
// number times 1000 plus its minor one.
type Version int

// never is later than every version.
const never Version = 1 << 30

// ParseVersion reads a version such as "17" or "15.4". Parts behind the
// second mean nothing for features and are left out.
func ParseVersion(s string) (Version, error) {
	part := strings.Split(s, ".")
	major, err := strconv.Atoi(part[0])
	minor := 0
	if err == nil && len(part) > 1 {
		minor, err = strconv.Atoi(part[1])
	}
	if err != nil || major < 0 || minor < 0 || major > 9999 || minor > 999 {
		return 0, fmt.Errorf("expected a version such as 109 or 15.4, found %q", s)
	}
	return Version(major*1000 + minor), nil
}

// String returns the version as people write it: "17" or "15.4".
func (v Version) String() string {
	if v%1000 == 0 {
		return strconv.Itoa(int(v / 1000))
	}
	return fmt.Sprintf("%d.%d", v/1000, v%1000)
}

// Targets are the versions the output must work in: of each browser named,
// this version and every newer one.
type Targets map[string]Version

// Default returns the targets of a project that names none.
func Default() Targets {
	return Targets{
		"chrome": 109000, "edge": 109000, "firefox": 115000,
		"safari": 15004, "safari-ios": 15004, "samsung": 21000,
	}
}

// String lists the targets: "chrome 109, safari 15.4".
func (t Targets) String() string {
	var list []string
	for _, name := range Names {
		if v, ok := t[name]; ok {
			list = append(list, name+" "+v.String())
		}
	}
	return strings.Join(list, ", ")
}

// support is a range of versions that support a feature, under a prefix if
// that is not empty.
type support struct {
	since, until Version // until is exclusive
	prefix       string
}

var facts = sync.OnceValue(func() map[string]map[string][]support {
	var table struct {
		Features map[string]map[string][]struct{ Since, Until, Prefix string }
	}
	if err := json.Unmarshal(factsJSON, &table); err != nil {
		panic("browsers: the embedded table is damaged: " + err.Error())
	}
	out := make(map[string]map[string][]support, len(table.Features))
	for feature, byBrowser := range table.Features {
		out[feature] = make(map[string][]support, len(byBrowser))
		for name, list := range byBrowser {
			for _, f := range list {
				s := support{until: never, prefix: f.Prefix}
				s.since, _ = ParseVersion(f.Since)
				if f.Until != "" {
					s.until, _ = ParseVersion(f.Until)
				}
				out[feature][name] = append(out[feature][name], s)
			}
		}
	}
	return out
})

// Source returns the name and version of the data that the facts were taken from.
func Source() string {
	var table struct{ Source string }
	_ = json.Unmarshal(factsJSON, &table)
	return table.Source
}

// Known reports whether there are facts about a feature.
func Known(feature string) bool { return facts()[feature] != nil }

// Lacking returns the targets that have a version without the feature, as
// "safari 15.4", in the order of [Names]. Of a feature that is not known it
// returns none.
func (t Targets) Lacking(feature string) []string {
	byBrowser := facts()[feature]
	if byBrowser == nil {
		return nil
	}
	var out []string
	for _, name := range Names {
		if floor, ok := t[name]; ok && plainSince(byBrowser[name]) > floor {
			out = append(out, name+" "+floor.String())
		}
	}
	return out
}

// plainSince returns the version from which on a feature needs no prefix.
func plainSince(list []support) Version {
	since := never
	for _, s := range list {
		if s.prefix == "" && s.until == never {
			since = min(since, s.since)
		}
	}
	return since
}

// Prefixes returns the prefixes that some target needs for a feature, sorted:
// those under which a version supports it that does not without.
func (t Targets) Prefixes(feature string) []string {
	need := make(map[string]bool)
	for name, list := range facts()[feature] {
		if floor, ok := t[name]; ok {
			for _, prefix := range needed(list, floor) {
				need[prefix] = true
			}
		}
	}
	return slices.Sorted(maps.Keys(need))
}

// needed returns the prefixes that the versions of one browser from floor on
// need. Where one serves them all it is enough: Firefox, for one, came to know
// many of WebKit's prefixes beside its own.
func needed(list []support, floor Version) []string {
	plain := plainSince(list)
	from, to := never, Version(0) // the versions that need any
	var prefixed []support
	for _, s := range list {
		s.since, s.until = max(s.since, floor), min(s.until, plain)
		if s.prefix != "" && s.since < s.until {
			from, to = min(from, s.since), max(to, s.until)
			prefixed = append(prefixed, s)
		}
	}
	var out []string
	for _, s := range prefixed {
		if s.since == from && s.until == to {
			return []string{s.prefix}
		}
		out = append(out, s.prefix)
	}
	return out
}
