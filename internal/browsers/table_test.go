package browsers

import (
	"maps"
	"math/rand/v2"
	"os"
	"slices"
	"strings"
	"testing"
)

// factsText returns the text of the facts table.
func factsText(t *testing.T) string {
	t.Helper()
	text, err := os.ReadFile("facts.txt")
	if err != nil {
		t.Fatal(err)
	}
	return string(text)
}

// fact is an entry of the table for a range of versions.
type fact struct {
	since, until Version
	prefix       string
	partial      bool
}

func (f fact) supports(v Version) bool { return f.since <= v && v < f.until }

// readFacts reads a line of the table into facts by browser.
func readFacts(line string) map[string][]fact {
	out := make(map[string][]fact)
	for _, part := range strings.Fields(line) {
		browser, list, ok := strings.Cut(part, "=")
		if !ok {
			continue
		}
		for _, item := range strings.Split(list, ",") {
			versions, prefix, _ := strings.Cut(item, ":")
			versions, partial := strings.CutSuffix(versions, "~")
			since, until, ends := strings.Cut(versions, "-")
			f := fact{until: never, prefix: prefix, partial: partial}
			f.since, _ = ParseVersion(since)
			if ends {
				f.until, _ = ParseVersion(until)
			}
			out[browser] = append(out[browser], f)
		}
	}
	return out
}

// lacking returns the newest version of each browser that fails a test,
// checking each version.
func lacking(t Targets, facts map[string][]fact, is func(fact) bool) (out []string) {
	for _, name := range Names {
		for _, c := range slices.Backward(t.chosen[name]) {
			if slices.ContainsFunc(facts[name], func(f fact) bool { return is(f) && f.supports(c.version) }) {
				continue
			}
			if c.version == coming {
				out = append(out, name)
			} else {
				out = append(out, name+" "+c.version.String())
			}
			break
		}
	}
	return out
}

// prefixesOf returns the prefixes that targets need for a feature, checking
// each version.
func prefixesOf(t Targets, facts map[string][]fact) []string {
	need := make(map[string]bool)
	for name, list := range facts {
		serves, versions := make(map[string]int), 0
		var order []string
		for _, c := range t.chosen[name] {
			if slices.ContainsFunc(list, func(f fact) bool { return f.prefix == "" && !f.partial && f.supports(c.version) }) {
				continue
			}
			met := make(map[string]bool)
			for _, f := range list {
				if f.prefix != "" && !f.partial && f.supports(c.version) && !met[f.prefix] {
					met[f.prefix] = true
					if serves[f.prefix]++; serves[f.prefix] == 1 {
						order = append(order, f.prefix)
					}
				}
			}
			if len(met) > 0 {
				versions++
			}
		}
		one := slices.IndexFunc(order, func(p string) bool { return serves[p] == versions })
		if one >= 0 {
			order = order[one : one+1]
		}
		for _, p := range order {
			need[p] = true
		}
	}
	return slices.Sorted(maps.Keys(need))
}

// TestTableMatchesText compares answers of the compiled table with its
// text, for targets of many kinds and for version numbers that were never
// released.
func TestTableMatchesText(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 4))
	targets := []Targets{Default(), Query{Share: 0.2}.Targets(), Query{Recent: 2}.Targets()}
	for range 12 {
		floor := make(map[string]Version)
		for _, name := range Names {
			if releases := Releases(name); r.IntN(3) > 0 {
				floor[name] = releases[r.IntN(len(releases))].Version
				if r.IntN(3) == 0 {
					floor[name]++ // never released
				}
			}
		}
		targets = append(targets, AtLeast(floor))
	}
	features, prefixed := 0, 0
	for _, line := range strings.Split(factsText(t), "\n") {
		name, rest, _ := strings.Cut(line, " ")
		if !strings.Contains(name, ".") {
			continue
		}
		features++
		facts := readFacts(rest)
		for i, ts := range targets {
			want := lacking(ts, facts, func(f fact) bool { return f.prefix == "" && !f.partial })
			if got := ts.Unsupported(name); !slices.Equal(got, want) {
				t.Fatalf("%s, targets %d (%s): lacking in %q, want %q", name, i, ts, got, want)
			}
			if got, want := ts.Prefixes(name), prefixesOf(ts, facts); !slices.Equal(got, want) {
				t.Fatalf("%s, targets %d (%s): prefixes %q, want %q", name, i, ts, got, want)
			} else if len(want) > 0 {
				prefixed++
			}
		}
		if Deprecated(name) != strings.HasPrefix(rest, "!deprecated") {
			t.Errorf("%s is deprecated: %v", name, Deprecated(name))
		}
	}
	if features != len(Features()) || prefixed < 500 {
		t.Errorf("%d features, %d times a prefix", features, prefixed)
	}
}
