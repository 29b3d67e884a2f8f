// Package grammar knows the properties, values, at-rules and selectors that the
// W3C specifications define, and decides whether a value is valid for a
// property. Definitions are written in the value definition syntax (CSS Values
// 4, section 2). They come from open data, which the command in gen converts to
// the embedded file definitions.txt.
//
// Use [Property] or [Descriptor] to get a [Definition], and [Definition.Match]
// to match values against it.
package grammar

import (
	_ "embed" // embeds the table of definitions
	"maps"
	"slices"
	"strings"
	"sync"
)

//go:generate sh -c "go run ./gen -definitions \"$DEFINITION_DATA\" > definitions.txt"

//go:embed definitions.txt
var definitions string

// table is the embedded table of definitions.
type table struct {
	source      string
	properties  map[string]string // syntax by name
	aliases     map[string]string // standard name by legacy name
	longhands   map[string][]string
	types       map[string]string
	functions   map[string]string
	atRules     map[string]bool
	descriptors map[string]string // syntax by "at-rule/name"
	selectors   map[string]bool   // with colons, and () if they take arguments

	mu       sync.Mutex
	compiled map[string]*expr // by reference, see [table.reference]

	verdicts verdicts
}

// load returns the table, which is parsed on first use.
var load = sync.OnceValue(func() *table { return readTable(definitions) })

// readTable parses the table.
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

// Source returns the name and version of the data.
func Source() string { return load().source }

// Property returns the definition of a property, given in lower case. A legacy
// name has the definition of the standard one. ok is false if the property does
// not exist.
func Property(name string) (d Definition, ok bool) {
	t := load()
	if standard, isAlias := t.aliases[name]; isAlias {
		name = standard
	}
	syntax, ok := t.properties[name]
	return Definition{t, "<'" + name + "'>", syntax}, ok
}

// Descriptor returns the definition of a descriptor of an at-rule, or of a
// feature in @media; both names in lower case.
func Descriptor(atRule, name string) (d Definition, ok bool) {
	t := load()
	key := atRule + "/" + name
	syntax, ok := t.descriptors[key]
	return Definition{t, "@" + key, syntax}, ok
}

// Properties returns the names of all properties without legacy names, sorted.
func Properties() []string { return slices.Sorted(maps.Keys(load().properties)) }

// Descriptors returns the names of the descriptors of an at-rule, sorted; empty
// if it has none.
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

// Standard returns the current name of a property that is given by its legacy
// name in lower case.
func Standard(name string) (standard string, ok bool) {
	standard, ok = load().aliases[name]
	return standard, ok
}

// Longhands returns the properties that a shorthand sets, recursively; nil if
// it is not a shorthand. The slice must not be modified.
func Longhands(name string) []string { return load().longhands[name] }

// deepen replaces shorthands among longhands by their longhands.
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

// IsAtRule reports whether an at-rule with a lower-case name exists.
func IsAtRule(name string) bool { return load().atRules[name] }

// AtRules returns the names of all at-rules, sorted.
func AtRules() []string { return slices.Sorted(maps.Keys(load().atRules)) }

// IsPseudo reports whether a pseudo-class or pseudo-element exists, given in
// lower case with colons.
func IsPseudo(name string) bool {
	t := load()
	return t.selectors[name] || t.selectors[name+"()"]
}

// Pseudos returns the names of all pseudo-classes and pseudo-elements with
// colons, sorted.
func Pseudos() []string {
	var out []string
	for name := range load().selectors {
		out = append(out, strings.TrimSuffix(name, "()"))
	}
	slices.Sort(out)
	return slices.Compact(out)
}

// ColorNames returns the keywords that are colours, in lower case and sorted:
// named colours, system colours, currentcolor and transparent (CSS Color 4,
// section 6). The slice must not be modified.
func ColorNames() []string { return colorNames() }

// colorNames implements ColorNames.
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
