// Package grammar knows the properties, values, at-rules and selectors that the
// W3C's specifications define, and tells whether a value is one that a property
// takes. Definitions are written in the value definition syntax (CSS Values 4,
// section 2) and taken from open data; see the command gen beside it.
package grammar

import (
	_ "embed" // for the table of definitions
	"maps"
	"slices"
	"strings"
	"sync"
)

//go:generate sh -c "go run ./gen -definitions \"$DEFINITION_DATA\" > definitions.txt"

//go:embed definitions.txt
var definitions string

// table is the embedded table, by kind of definition and name.
type table struct {
	source      string
	properties  map[string]string // syntax by name
	aliases     map[string]string // standard name by old name
	longhands   map[string][]string
	types       map[string]string
	functions   map[string]string
	atRules     map[string]bool
	descriptors map[string]string // syntax by "at-rule/name"
	selectors   map[string]bool   // with their colons, and () if they take arguments

	mu       sync.Mutex
	compiled map[string]*expr // by reference, see [table.reference]

	verdicts verdicts
}

var load = sync.OnceValue(func() *table { return readTable(definitions) })

func readTable(text string) *table {
	t := &table{
		properties: make(map[string]string), aliases: make(map[string]string), longhands: make(map[string][]string),
		types: make(map[string]string), functions: make(map[string]string), atRules: make(map[string]bool),
		descriptors: make(map[string]string), selectors: make(map[string]bool), compiled: make(map[string]*expr),
	}
	for line := range strings.Lines(text) {
		kind, rest, _ := strings.Cut(strings.TrimSuffix(line, "\n"), " ")
		name, syntax, _ := strings.Cut(rest, " ")
		switch kind {
		case "source":
			t.source = rest
		case "property":
			t.properties[name] = syntax
		case "alias":
			t.aliases[name] = syntax
		case "longhands":
			t.longhands[name] = strings.Fields(syntax)
		case "type":
			t.types[name] = syntax
		case "function":
			t.functions[name] = syntax
		case "at-rule":
			t.atRules[name] = true
		case "descriptor":
			t.descriptors[name] = syntax
		case "selector":
			t.selectors[name] = true
		}
	}
	t.longhands = deepen(t.longhands)
	return t
}

// Source returns the name and version of the data that the definitions were taken from.
func Source() string { return load().source }

// Property returns the definition of the values of a property, in lower case:
// for an old name that of the standard one. ok is false if there is no such property.
func Property(name string) (d Definition, ok bool) {
	t := load()
	if standard, isAlias := t.aliases[name]; isAlias {
		name = standard
	}
	syntax, ok := t.properties[name]
	return Definition{t, "<'" + name + "'>", syntax}, ok
}

// Descriptor returns the definition of the values of a descriptor of an at-rule,
// or of a feature in @media; both names in lower case.
func Descriptor(atRule, name string) (d Definition, ok bool) {
	t := load()
	key := atRule + "/" + name
	syntax, ok := t.descriptors[key]
	return Definition{t, "@" + key, syntax}, ok
}

// Properties returns the names of all properties, sorted; old names aside.
func Properties() []string { return slices.Sorted(maps.Keys(load().properties)) }

// Descriptors returns the names of the descriptors of an at-rule, sorted; none
// if it takes other things.
func Descriptors(atRule string) []string {
	var out []string
	for key := range load().descriptors {
		if rule, name, _ := strings.Cut(key, "/"); rule == atRule {
			out = append(out, name)
		}
	}
	slices.Sort(out)
	return out
}

// Standard returns the name that a property in lower case has today, if the
// one that it has is an old one.
func Standard(name string) (standard string, ok bool) {
	standard, ok = load().aliases[name]
	return standard, ok
}

// Longhands returns the properties that a shorthand sets, at every depth; none
// if it is none. The list must not be changed.
func Longhands(name string) []string { return load().longhands[name] }

// deepen puts the longhands of longhands in their place.
func deepen(longhands map[string][]string) map[string][]string {
	var all func(name string) []string
	all = func(name string) []string {
		var out []string
		for _, l := range longhands[name] {
			if deeper := all(l); deeper != nil {
				out = append(out, deeper...)
			} else {
				out = append(out, l)
			}
		}
		return out
	}
	out := make(map[string][]string)
	for name := range longhands {
		out[name] = all(name)
	}
	return out
}

// IsAtRule reports whether there is an at-rule of a name, in lower case.
func IsAtRule(name string) bool { return load().atRules[name] }

// AtRules returns the names of all at-rules, sorted.
func AtRules() []string { return slices.Sorted(maps.Keys(load().atRules)) }

// IsPseudo reports whether there is a pseudo-class or pseudo-element of a name
// in lower case, with its colons.
func IsPseudo(name string) bool {
	t := load()
	return t.selectors[name] || t.selectors[name+"()"]
}

// Pseudos returns the names of all pseudo-classes and pseudo-elements with
// their colons, sorted.
func Pseudos() []string {
	var out []string
	for name := range load().selectors {
		out = append(out, strings.TrimSuffix(name, "()"))
	}
	slices.Sort(out)
	return slices.Compact(out)
}

// ColorNames returns the keywords that are colours, in lower case and sorted: named colours, those of the system, and
// currentcolor and transparent (CSS Color 4, section 6). The list must not be changed.
func ColorNames() []string { return colorNames() }

var colorNames = sync.OnceValue(func() []string {
	out := []string{"currentcolor", "transparent"}
	for _, t := range []string{"named-color", "system-color", "deprecated-color"} {
		for _, name := range strings.Split(load().types[t], "|") {
			out = append(out, strings.ToLower(strings.TrimSpace(name)))
		}
	}
	slices.Sort(out)
	return slices.Compact(out)
})
