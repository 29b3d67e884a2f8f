// Gen makes the table of browser facts that the package browsers embeds from
// the open compatibility data (npm: @mdn/browser-compat-data, CC0).
//
// Usage: go run ./internal/browsers/gen -data data.json > internal/browsers/facts.json
package main

import (
	"cmp"
	"encoding/json"
	"flag"
	"fmt"
	"io"
	"os"
	"slices"
	"strings"
)

// browserIDs maps the browsers that can be targets to their names in the data.
var browserIDs = map[string]string{
	"chrome": "chrome", "edge": "edge", "firefox": "firefox",
	"safari": "safari", "safari-ios": "safari_ios", "samsung": "samsunginternet_android",
}

// features are taken whether or not a prefix was ever needed for them.
var features = []string{
	"css.selectors.nesting",
	"css.types.color.color", "css.types.color.color-mix", "css.types.color.hwb", "css.types.color.lab", "css.types.color.lch",
	"css.types.color.oklab", "css.types.color.oklch",
}

// statement is what the data says of one feature in one browser.
type statement struct {
	Added       any    `json:"version_added"` // a version, or a word or truth value
	Removed     any    `json:"version_removed"`
	Prefix      string `json:"prefix"`
	Alternative string `json:"alternative_name"`
	Partial     bool   `json:"partial_implementation"`
	Flags       []any  `json:"flags"`
}

// fact is one range of versions that support a feature, as it is embedded.
type fact struct {
	Since  string `json:"since"`
	Until  string `json:"until,omitempty"`
	Prefix string `json:"prefix,omitempty"`
}

func main() {
	path := flag.String("data", "", "the data.json of the compatibility data")
	flag.Parse()
	if err := run(*path, os.Stdout); err != nil {
		fmt.Fprintln(os.Stderr, "gen:", err)
		os.Exit(1)
	}
}

func run(path string, w io.Writer) error {
	raw, err := os.ReadFile(path)
	if err != nil {
		return err
	}
	var data struct {
		Meta struct{ Version string } `json:"__meta"`
		CSS  map[string]map[string]json.RawMessage
	}
	if err := json.Unmarshal(raw, &data); err != nil {
		return err
	}
	out := struct {
		Source   string                       `json:"source"`
		Features map[string]map[string][]fact `json:"features"`
	}{"@mdn/browser-compat-data " + data.Meta.Version, map[string]map[string][]fact{}}
	for _, id := range features {
		feature, err := featureAt(data.CSS, strings.Split(id, ".")[1:])
		if err != nil {
			return err
		}
		out.Features[id], _ = factsOf(feature)
	}
	for name, feature := range data.CSS["properties"] {
		if facts, prefixed := factsOf(feature); prefixed {
			out.Features["css.properties."+name] = facts
		}
	}
	text, err := json.MarshalIndent(out, "", " ")
	if err != nil {
		return err
	}
	_, err = w.Write(append(text, '\n'))
	return err
}

// featureAt returns the feature at a path below "css".
func featureAt(css map[string]map[string]json.RawMessage, path []string) (json.RawMessage, error) {
	feature := css[path[0]][path[1]]
	for _, name := range path[2:] {
		var inner map[string]json.RawMessage
		if err := json.Unmarshal(feature, &inner); err != nil {
			return nil, err
		}
		feature = inner[name]
	}
	if feature == nil {
		return nil, fmt.Errorf("the data has no feature %s", strings.Join(path, "."))
	}
	return feature, nil
}

// factsOf returns the facts of a feature, and whether a prefix occurs in them.
func factsOf(feature json.RawMessage) (facts map[string][]fact, prefixed bool) {
	var f struct {
		Compat struct {
			Support map[string]json.RawMessage `json:"support"`
		} `json:"__compat"`
	}
	if json.Unmarshal(feature, &f) != nil {
		return nil, false
	}
	facts = make(map[string][]fact)
	for name, id := range browserIDs {
		for _, s := range statements(f.Compat.Support[id]) {
			since, ok := s.Added.(string)
			if !ok || since == "preview" || s.Partial || s.Alternative != "" || len(s.Flags) > 0 {
				continue
			}
			until, _ := s.Removed.(string)
			if until == "preview" {
				until = ""
			}
			since, until = strings.TrimPrefix(since, "≤"), strings.TrimPrefix(until, "≤")
			facts[name] = append(facts[name], fact{since, until, s.Prefix})
			prefixed = prefixed || s.Prefix != ""
		}
		slices.SortFunc(facts[name], func(a, b fact) int { return cmp.Compare(a.Prefix, b.Prefix) })
	}
	return facts, prefixed
}

// statements reads one statement or a list of them.
func statements(raw json.RawMessage) []statement {
	var many []statement
	if json.Unmarshal(raw, &many) == nil {
		return many
	}
	var one statement
	if json.Unmarshal(raw, &one) == nil {
		return []statement{one}
	}
	return nil
}
