package site

import (
	"bytes"
	"cmp"
	"fmt"
	"maps"
	"path"
	"slices"
	"strings"

	"rinzel/internal/diag"
	"rinzel/internal/diag/code"
	"rinzel/internal/emit"
	"rinzel/internal/project"
	"rinzel/internal/sourcemap"
)

// This file compares a build with the budgets of the settings.

// Spent is a page or bundle with a budget.
type Spent struct {
	Budget project.Budget
	Name   string // displayed path of a page, or logical name of a bundle
	Page   string // of [project.BudgetUnused]: the page that uses least of the bundle
	Value  int    // bytes, or percent
}

// Over reports whether the budget is exceeded.
func (s *Spent) Over() bool { return s.Value > s.Budget.Most }

// Budgets returns all pages and bundles that have a budget, with what they
// spend: pages first. It returns none in a profile that is not a release.
func Budgets(s *project.Settings, r *Result) []Spent {
	if len(s.Budgets) == 0 || !r.Profile.Release {
		return nil
	}
	m := &meter{result: r, bundles: make(map[string]*Bundle), sizes: make(map[string]int)}
	for i := range r.Bundles {
		m.bundles[r.Bundles[i].Name] = &r.Bundles[i]
	}
	var out []Spent
	for _, p := range r.Pages {
		for _, key := range []project.BudgetKey{project.BudgetPage, project.BudgetPageGzip, project.BudgetPageBrotli} {
			if b, ok := s.BudgetOf(key, p.path); ok {
				sum := 0
				for _, name := range p.Bundles {
					sum += m.size(name, key)
				}
				out = append(out, Spent{Budget: b, Name: p.Name, Value: sum})
			}
		}
	}
	for _, info := range r.Bundles {
		for _, key := range []project.BudgetKey{project.BudgetBundle, project.BudgetBundleGzip, project.BudgetBundleBrotli} {
			if b, ok := s.BudgetOf(key, info.Name); ok {
				out = append(out, Spent{Budget: b, Name: info.Name, Value: m.size(info.Name, key)})
			}
		}
	}
	return append(out, unusedShares(s, r)...)
}

// unusedShares returns the bundles with a limit of what a page does not use,
// with the page that uses least.
func unusedShares(s *project.Settings, r *Result) []Spent {
	if !slices.ContainsFunc(s.Budgets, func(b project.Budget) bool { return b.Key == project.BudgetUnused }) {
		return nil
	}
	most := make(map[string]Spent)
	var order []string
	for _, u := range r.Uses() {
		b, ok := s.BudgetOf(project.BudgetUnused, u.Bundle)
		if !ok {
			continue
		}
		before, known := most[u.Bundle]
		if !known {
			order = append(order, u.Bundle)
		}
		if !known || u.UnusedPercent() > before.Value {
			most[u.Bundle] = Spent{Budget: b, Name: u.Bundle, Page: u.Page, Value: u.UnusedPercent()}
		}
	}
	var out []Spent
	for _, name := range order {
		out = append(out, most[name])
	}
	return out
}

// meter measures sizes of bundles.
type meter struct {
	result  *Result
	bundles map[string]*Bundle // by logical name
	sizes   map[string]int     // by form and logical name
}

// size returns the size of a bundle in the form of a key of budgets.
func (m *meter) size(name string, key project.BudgetKey) int {
	b := m.bundles[name]
	if b == nil {
		return 0
	}
	form := project.Compression("")
	switch {
	case strings.HasSuffix(string(key), "-gzip"):
		form = project.Gzip
	case strings.HasSuffix(string(key), "-brotli"):
		form = project.Brotli
	default:
		return b.Size
	}
	id := string(form) + name
	n, ok := m.sizes[id]
	if css, is := m.result.textOf(b); !ok && is {
		n = emit.PackedSize([]byte(css), form)
		m.sizes[id] = n
	}
	return n
}

// OverBudget returns a finding for each budget that is exceeded. before returns
// the files of the previous build by name; it is called if there is one.
func OverBudget(s *project.Settings, r *Result, before func() map[string][]byte) []diag.Diagnostic {
	var out []diag.Diagnostic
	var grown *growth
	for _, spent := range Budgets(s, r) {
		if !spent.Over() {
			continue
		}
		if grown == nil {
			grown = growthSince(before(), r)
		}
		d := diag.Diagnostic{Code: code.OverBudget, Severity: spent.Budget.Level, Span: spent.Budget.At,
			Message: spent.message()}
		if spent.Budget.Key != project.BudgetUnused {
			if text := grown.of(r, spent.Name); text != "" {
				d.Message += "; since the last build: " + text
			}
			d.Fix = "see what it consists of with rinzel report, or raise the budget"
		} else {
			d.Fix = "import less, or give the pages that need the rest a sheet of their own"
		}
		out = append(out, d)
	}
	return out
}

// message describes an exceeded budget.
func (s *Spent) message() string {
	form := ""
	switch s.Budget.Key {
	case project.BudgetUnused:
		return fmt.Sprintf("%q does not use %d%% of the bundle %q, the budget is %d%%", s.Page, s.Value, s.Name,
			s.Budget.Most)
	case project.BudgetPageGzip, project.BudgetBundleGzip:
		form = " (gzip)"
	case project.BudgetPageBrotli, project.BudgetBundleBrotli:
		form = " (brotli)"
	}
	what := fmt.Sprintf("the bundle %q has", s.Name)
	if strings.HasPrefix(string(s.Budget.Key), string(project.BudgetPage)) {
		what = fmt.Sprintf("the styles of %q have", s.Name)
	}
	return fmt.Sprintf("%s %s%s, %s over the budget of %s", what, diag.Size(s.Value), form,
		diag.Size(s.Value-s.Budget.Most), diag.Size(s.Budget.Most))
}

// growth is how bundles grew since the previous build.
type growth struct {
	known   bool                      // there is a previous build
	bundles map[string]int            // bytes by logical name
	sheets  map[string]map[string]int // bytes by logical name and source sheet, as far as maps say
}

// growthSince compares the sizes of bundles with the files of a previous build.
func growthSince(before map[string][]byte, r *Result) *growth {
	g := &growth{bundles: make(map[string]int), sheets: make(map[string]map[string]int)}
	for name, data := range before {
		if !strings.HasSuffix(name, ".css") {
			continue
		}
		g.known = true
		plain := emit.UnhashedName(name)
		g.add(plain, name, data, before[name+".map"], -1)
	}
	outputs := make(map[string][]byte)
	for _, o := range r.Outputs {
		outputs[o.Path] = o.Data
	}
	for _, b := range r.Bundles {
		if data, ok := outputs[b.Path]; ok && !b.Inline {
			g.add(b.Name, b.Path, data, outputs[b.Path+".map"], 1)
		}
	}
	return g
}

// add adds the sizes of a bundle and of the sheets in it, or subtracts them. The
// map of the bundle is mapped, or inside of it.
func (g *growth) add(bundle, written string, css, mapped []byte, sign int) {
	m, err := sourcemap.Read(mapped)
	if address := sourcemap.Address(string(css)); strings.HasPrefix(address, "data:") {
		m, err = sourcemap.ReadDataURL(address)
	}
	css, _, _ = bytes.Cut(css, []byte("/*# sourceMappingURL="))
	g.bundles[bundle] += sign * len(css)
	if err != nil {
		return
	}
	if g.sheets[bundle] == nil {
		g.sheets[bundle] = make(map[string]int)
	}
	for i, n := range m.Shares(css) {
		if i >= 0 {
			name := strings.TrimLeft(path.Join(path.Dir(written), m.Sources[i].URL), "./")
			g.sheets[bundle][name] += sign * n
		}
	}
}

// of describes how a page or bundle grew; empty if it did not, or if that is
// not known.
func (g *growth) of(r *Result, name string) string {
	if !g.known {
		return ""
	}
	names := []string{name}
	for _, p := range r.Pages {
		if p.Name == name {
			names = p.Bundles
		}
	}
	total := 0
	sheets := make(map[string]int)
	for _, n := range names {
		total += g.bundles[n]
		for sheet, by := range g.sheets[n] {
			sheets[sheet] += by
		}
	}
	if total <= 0 {
		return "no growth"
	}
	maps.DeleteFunc(sheets, func(_ string, by int) bool { return by <= 0 })
	const most = 3
	largest := slices.SortedFunc(maps.Keys(sheets), func(a, b string) int {
		return cmp.Or(cmp.Compare(sheets[b], sheets[a]), cmp.Compare(a, b))
	})
	var parts []string
	for _, sheet := range largest[:min(len(largest), most)] {
		parts = append(parts, fmt.Sprintf("%s +%s", sheet, diag.Size(sheets[sheet])))
	}
	text := "+" + diag.Size(total)
	if len(parts) > 0 {
		text += " (" + strings.Join(parts, ", ") + ")"
	}
	return text
}
