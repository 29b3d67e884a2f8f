package project

import (
	"cmp"
	"fmt"
	"maps"
	"math"
	"regexp"
	"slices"
	"strconv"
	"strings"

	"github.com/bmatcuk/doublestar/v4"

	"rinzel/internal/diag"
	"rinzel/internal/source"
)

// This file reads [budget], the limits of what pages load.

// Budget is a limit of a page or a bundle. Limits are checked in profiles for
// releases.
type Budget struct {
	Key BudgetKey
	// Match matches the path of a page in the source folder, or the logical name
	// of a bundle; empty for all. Of several limits with the same key that match,
	// the last one holds.
	Match string
	Most  int // bytes; of [BudgetUnused] percent
	Level diag.Severity
	At    source.Span // the limit
}

// BudgetKey is what a budget limits.
type BudgetKey string

// What budgets limit.
const (
	BudgetPage         BudgetKey = "page"          // all styles that a page loads
	BudgetPageGzip     BudgetKey = "page-gzip"     // compressed, each file on its own
	BudgetPageBrotli   BudgetKey = "page-brotli"   // compressed, each file on its own
	BudgetBundle       BudgetKey = "bundle"        // one bundle
	BudgetBundleGzip   BudgetKey = "bundle-gzip"   // compressed
	BudgetBundleBrotli BudgetKey = "bundle-brotli" // compressed
	BudgetUnused       BudgetKey = "unused"        // the share of a bundle that one of its pages does not use
)

// budgetKeys are the keys of [budget].
var budgetKeys = []string{"page", "page-gzip", "page-brotli", "bundle", "bundle-gzip", "bundle-brotli", "unused",
	"level"}

// Applies reports whether a budget is for the page or bundle with a name.
func (b *Budget) Applies(name string) bool {
	if b.Match == "" {
		return true
	}
	ok, _ := doublestar.Match(b.Match, name)
	return ok
}

// BudgetOf returns the limit with a key for the page or bundle with a name. ok
// is false if there is none.
func (s *Settings) BudgetOf(key BudgetKey, name string) (b Budget, ok bool) {
	for _, candidate := range slices.Backward(s.Budgets) {
		if candidate.Key == key && candidate.Applies(name) {
			return candidate, true
		}
	}
	return b, false
}

// budgets reads [budget] and its tables for patterns.
func (r *reader) budgets(s *Settings, table map[string]any) {
	level := r.budgetTable(s, table, diag.Warning)
	var patterns []string
	for _, name := range slices.Sorted(maps.Keys(table)) {
		if _, isTable := table[name].(map[string]any); isTable {
			patterns = append(patterns, name)
		}
	}
	for _, name := range patterns {
		if !r.validGlob(r.positions.key([]string{"budget", name}), name, "") {
			continue
		}
		r.budgetTable(s, table[name].(map[string]any), level, name)
	}
	slices.SortStableFunc(s.Budgets, func(a, b Budget) int {
		return cmp.Or(cmp.Compare(min(len(a.Match), 1), min(len(b.Match), 1)), cmp.Compare(a.At.Start.Off, b.At.Start.Off))
	})
}

// budgetTable reads the limits of one table, and returns its level.
func (r *reader) budgetTable(s *Settings, table map[string]any, level diag.Severity, match ...string) diag.Severity {
	path := append([]string{"budget"}, match...)
	key := func(name string) []string { return append(slices.Clip(path), name) }
	if v, ok := table["level"]; ok {
		text, _ := v.(string)
		if r.word(text, key("level")) == string(LevelError) {
			level = diag.Error
		} else {
			level = diag.Warning
		}
	}
	for _, name := range slices.Sorted(maps.Keys(table)) {
		if _, isTable := table[name].(map[string]any); isTable && len(match) == 0 || name == "level" {
			continue
		}
		if !slices.Contains(budgetKeys, name) {
			r.unknownBudget(key(name))
			continue
		}
		most, ok := budgetValue(table[name], name == string(BudgetUnused))
		if !ok {
			form := `write a size like "50 kB"`
			if name == string(BudgetUnused) {
				form = `write a percentage like "60%"`
			}
			r.fail(r.positions.value(key(name)...), fmt.Sprintf("invalid %s in [budget]", name), form)
			continue
		}
		s.Budgets = append(s.Budgets, Budget{Key: BudgetKey(name), Match: strings.Join(match, ""), Most: most, Level: level,
			At: r.positions.value(key(name)...)})
	}
	return level
}

// unknownBudget reports an unknown key of a budget.
func (r *reader) unknownBudget(key []string) {
	name := key[len(key)-1]
	r.fail(r.positions.key(key), fmt.Sprintf("unknown key %q in [budget]", abridged(name)),
		diag.DidYouMean(name, budgetKeys, "the keys of [budget] are "+strings.Join(budgetKeys, ", ")))
}

// sized matches a size with its unit, and a percentage.
var sized = regexp.MustCompile(`^([0-9]+(?:\.[0-9]+)?) ?(B|kB|MB|%)$`)

// budgetValue reads a limit: a number of bytes, a size with a unit, or a
// percentage.
func budgetValue(v any, percent bool) (most int, ok bool) {
	const largest = 1 << 40
	switch v := v.(type) {
	case int64:
		return int(v), v > 0 && v < largest && (!percent || v <= 100)
	case string:
		parts := sized.FindStringSubmatch(v)
		if parts == nil || (parts[2] == "%") != percent {
			return 0, false
		}
		n, err := strconv.ParseFloat(parts[1], 64)
		n *= map[string]float64{"B": 1, "kB": 1e3, "MB": 1e6, "%": 1}[parts[2]]
		return int(math.Round(n)), err == nil && n >= 1 && n < largest && (!percent || n <= 100)
	}
	return 0, false
}
