// Package report describes the styles of a site: bundles and pages by size, what
// pages use, what purging removes, constants, imports, times and history.
// [Make] builds the site and collects the figures; [Report.Write] writes them as
// one HTML page without outside parts.
package report

import (
	"cmp"
	"context"
	"fmt"
	"maps"
	"path/filepath"
	"slices"
	"strings"
	"sync"

	"rinzel/internal/diag"
	"rinzel/internal/emit"
	"rinzel/internal/project"
	"rinzel/internal/query"
	"rinzel/internal/site"
	"rinzel/internal/source"
	"rinzel/internal/step/purge"
)

// Report has the figures of a site. Sizes are in bytes.
type Report struct {
	Name    string  `json:"name"` // of the project's folder
	Profile string  `json:"profile"`
	Share   float64 `json:"targetShare"` // of world use that the targets have, in percent
	Release bool    `json:"release"`
	Purges  bool    `json:"purges"`

	Total   Total    `json:"total"`
	Bundles []Bundle `json:"bundles"` // the largest first
	Pages   []Page   `json:"pages"`   // those that load most first
	Sheets  []Sheet  `json:"sheets"`  // those with most bytes in the outputs first
	Map     Treemap  `json:"-"`

	NoRule     []ClassUse     `json:"classesWithoutRule"`
	Lists      []ClassList    `json:"classLists"`
	Imports    []Import       `json:"imports"`   // import trees of linked sheets
	Unreached  []string       `json:"unreached"` // sheets that no page uses
	Constants  []Constant     `json:"constants"`
	Rewrites   []Rewrite      `json:"rewrites"`
	Findings   []Finding      `json:"findings"`
	FindingsOf map[string]int `json:"findingsBySeverity"`
	Budgets    []Budget       `json:"budgets"`
	Times      []Timed        `json:"times"`      // of the parts of the build, the slowest first
	SheetTimes []Timed        `json:"sheetTimes"` // of all steps of a sheet, the slowest first
	History    []Entry        `json:"history"`    // the oldest first; the last is this build
}

// Total has the sums over all bundles.
type Total struct {
	Pages        int `json:"pages"`
	Bundles      int `json:"bundles"`
	Sheets       int `json:"sheets"`
	Source       int `json:"sourceBytes"` // of all source sheets, each once
	Written      int `json:"bytes"`       // of the files of bundles, with their references to maps
	Inline       int `json:"inlineBytes"` // of bundles that are inlined into pages, and of style elements
	Gzip         int `json:"gzip"`        // of the files of bundles
	Brotli       int `json:"brotli"`      // of the files of bundles
	Rules        int `json:"rules"`       // in all bundles, before purging
	RemovedRules int `json:"removedRules"`
	RemovedBytes int `json:"removedBytes"`
}

// Bundle is a bundle.
type Bundle struct {
	Name   string   `json:"name"`
	Path   string   `json:"path"`
	Kind   string   `json:"kind"` // "shared", "inlined", …; empty for one of a page
	Pages  []string `json:"pages"`
	Bytes  int      `json:"bytes"` // of its file, with the reference to a map
	Gzip   int      `json:"gzip"`
	Brotli int      `json:"brotli"`
	Source int      `json:"sourceBytes"` // of its sheets

	Rules         int `json:"rules"` // before purging
	Removed       int `json:"removedRules"`
	FinishedRules int `json:"finalRules"`

	Sheets []Part `json:"sheets"` // where its bytes come from, the most first
	Rest   int    `json:"rest"`   // bytes that come from no sheet
	// MostUnused is the largest share in percent that one of its pages does not
	// use.
	MostUnused     int    `json:"mostUnused"`
	MostUnusedPage string `json:"mostUnusedPage"`
	UseIsKnown     bool   `json:"useIsKnown"`
}

// Part is how much of something comes from a sheet.
type Part struct {
	Sheet string `json:"sheet"`
	Bytes int    `json:"bytes"`
}

// Page is a page with the styles that it loads.
type Page struct {
	Name     string `json:"name"`
	Loads    []Load `json:"bundles"`
	Bytes    int    `json:"bytes"` // of all bundles that it links, and of its style elements
	Gzip     int    `json:"gzip"`  // of the bundles that are files
	Brotli   int    `json:"brotli"`
	Elements int    `json:"styleElements"` // bytes
	Used     int    `json:"usedBytes"`     // of bundles whose use is known
	Known    int    `json:"knownBytes"`    // of bundles whose use is known
}

// UsedPercent returns the share of its bundles that the page uses.
func (p *Page) UsedPercent() int { return percent(p.Used, p.Known) }

// Load is a bundle that a page loads.
type Load struct {
	Bundle    string `json:"bundle"`
	Bytes     int    `json:"bytes"`
	Used      int    `json:"usedBytes"`
	UsedRules int    `json:"usedRules"`
	Lazy      bool   `json:"lazy"` // scripts load it
}

// UsedPercent returns the share of the bundle that the page uses.
func (l *Load) UsedPercent() int { return percent(l.Used, l.Bytes) }

// percent returns a share in percent; 100 of nothing.
func percent(part, whole int) int {
	if whole == 0 {
		return 100
	}
	return part * 100 / whole
}

// Sheet is a source sheet.
type Sheet struct {
	Name      string    `json:"name"`
	Source    int       `json:"sourceBytes"` // as it is written
	Bytes     int       `json:"bytes"`       // in all outputs
	Bundles   int       `json:"bundles"`     // number of bundles that have it
	Selectors int       `json:"selectors"`   // that purging examined, each once
	Purged    int       `json:"purged"`
	Reasons   []Removed `json:"reasons"` // some of the purged selectors
}

// PurgedPercent returns the share of purged selectors.
func (s *Sheet) PurgedPercent() int {
	if s.Selectors == 0 {
		return 0
	}
	return s.Purged * 100 / s.Selectors
}

// Removed is a purged selector with the reason.
type Removed struct {
	Selector string `json:"selector"`
	Place    string `json:"place"`
	Why      string `json:"why"`
}

// Finding is a finding about the sources.
type Finding struct {
	Severity string `json:"severity"`
	Code     string `json:"code"`
	Place    string `json:"place"`
	Message  string `json:"message"`
	Fix      string `json:"fix"`
}

// Rewrite is syntax that the targets need in another form.
type Rewrite struct {
	What  string `json:"what"`
	Kind  string `json:"kind"` // "rewritten", "prefix added", "prefix removed"
	Why   string `json:"why"`
	Count int    `json:"count"`
}

// ClassUse is a class of pages without a rule.
type ClassUse struct {
	Class string `json:"class"`
	Place string `json:"place"` // first occurrence
	Near  string `json:"near"`  // a similar class that has rules, or empty
}

// ClassList is a list of classes that pages repeat.
type ClassList struct {
	Classes []string `json:"classes"`
	Places  int      `json:"places"`
	Pages   int      `json:"pages"`
	First   string   `json:"first"` // the first page with it
	Rule    string   `json:"rule"`  // that could stand for its members of families; empty for fewer than two
}

// Budget is a page or bundle with a limit.
type Budget struct {
	Name  string `json:"name"`
	Key   string `json:"key"`   // of the settings
	Value int    `json:"value"` // bytes, or percent
	Most  int    `json:"most"`
	Level string `json:"level"` // of the finding if it is exceeded
}

// Over reports whether the limit is exceeded.
func (b *Budget) Over() bool { return b.Value > b.Most }

// Timed is how long something took, in milliseconds.
type Timed struct {
	Name         string  `json:"name"`
	Milliseconds float64 `json:"milliseconds"`
	Times        int     `json:"times"` // how often it was done
}

// Make builds a site and collects the figures. history has the entries of
// earlier builds; progress receives what it does, and may be nil. If the sources
// have errors, they are returned, and there is no report. The error is one of the
// run itself.
func Make(ctx context.Context, p *project.Project, profile string, history []Entry,
	progress func(site.Progress)) (*Report, []diag.Diagnostic, error) {
	res, err := site.Build(ctx, p, site.Options{Profile: profile, KeepStages: true, RecordVerdicts: true, Measure: true,
		Progress: progress})
	if err != nil {
		return nil, nil, err
	}
	if errs := res.Blocking(); len(errs) > 0 {
		return nil, errs, nil
	}
	constants, imports, err := query.ListBoth(ctx, p)
	if err != nil {
		return nil, nil, err
	}
	return Of(p, res, constants, imports, history), nil, nil
}

// Of returns the report of a build, which must have kept stages and recorded
// verdicts and times.
func Of(p *project.Project, res *site.Result, constants *query.Constants, imports *query.Imports,
	history []Entry) *Report {
	c := &collector{project: p, res: res, outputs: make(map[string]*emit.Output), staged: make(map[string]*site.Staged)}
	for i := range res.Outputs {
		c.outputs[res.Outputs[i].Path] = &res.Outputs[i]
	}
	r := &Report{Name: c.name(), Profile: res.Profile.Name, Share: p.Settings.TargetsOf(res.Profile).Share(),
		Release: res.Profile.Release, Purges: res.Evidence != nil}
	c.report = r
	c.bundles()
	c.uses()
	c.pages()
	c.sheets()
	c.total()
	r.Map = treemapOf(r.Sheets)
	for _, n := range query.NoRule(res) {
		r.NoRule = append(r.NoRule, ClassUse{n.Class, c.place(source.SpanOf(n.At, 1)), n.Near})
	}
	r.Lists = classLists(res.Outputs, res.Families)
	r.Imports, r.Unreached = importsOf(imports), imports.Unreached
	r.Constants = c.constants(constants)
	c.rewrites()
	c.findings(constants.Diagnostics)
	for _, b := range site.Budgets(p.Settings, res) {
		r.Budgets = append(r.Budgets, Budget{b.Name, string(b.Budget.Key), b.Value, b.Budget.Most, b.Budget.Level.String()})
	}
	if res.Times != nil {
		r.Times, r.SheetTimes = timesOf(res.Times.Parts), timesOf(res.Times.Sheets)
	}
	r.History = append(slices.Clip(history), entryOf(res, func(name string, _ []byte) int { return c.index[name].Brotli }))
	return r
}

// timesOf returns times in milliseconds.
func timesOf(list []site.Timed) (out []Timed) {
	for _, t := range list {
		out = append(out, Timed{t.Name, float64(t.Took.Microseconds()) / 1e3, t.Times})
	}
	return out
}

// collector collects the figures of a build.
type collector struct {
	project *project.Project
	res     *site.Result
	report  *Report
	outputs map[string]*emit.Output // by path
	staged  map[string]*site.Staged // bundles by logical name
	use     []site.Use
	index   map[string]*Bundle // by logical name
}

// name returns the name of the site: that of the folder of the project.
func (c *collector) name() string {
	dir, err := filepath.Abs(c.project.Dir)
	if err != nil {
		return "site"
	}
	return filepath.Base(dir)
}

// bundles collects the bundles.
func (c *collector) bundles() {
	for i := range c.res.Staged {
		if s := &c.res.Staged[i]; !s.Element {
			c.staged[s.Name] = s
		}
	}
	out := make([]Bundle, len(c.res.Bundles))
	var wait sync.WaitGroup
	for i := range c.res.Bundles {
		wait.Go(func() { out[i] = c.bundle(&c.res.Bundles[i]) })
	}
	wait.Wait()
	slices.SortStableFunc(out, func(a, b Bundle) int { return b.Bytes - a.Bytes })
	c.report.Bundles, c.index = out, make(map[string]*Bundle)
	for i := range out {
		c.index[out[i].Name] = &out[i]
	}
}

// bundle collects one bundle.
func (c *collector) bundle(b *site.Bundle) Bundle {
	out := Bundle{Name: b.Name, Path: b.Path, Kind: kindOf(b), Pages: b.Pages, Bytes: b.Size, Source: b.Sources,
		Rules: b.Rules.Rules, Removed: b.Rules.RemovedRules, FinishedRules: b.Finished.Rules}
	if o := c.outputs[b.Path]; o != nil && o.Kind == emit.StyleKind {
		out.Bytes = len(o.Data)
		out.Gzip, out.Brotli = emit.PackedSize(o.Data, project.Gzip), emit.PackedSize(o.Data, project.Brotli)
	}
	out.Rest = out.Bytes
	if s := c.staged[b.Name]; s != nil {
		for name, n := range partsOf(s, c.project.Tree.Set) {
			out.Sheets = append(out.Sheets, Part{name, n})
			out.Rest -= n
		}
	}
	slices.SortFunc(out.Sheets, func(a, b Part) int { return cmp.Or(b.Bytes-a.Bytes, strings.Compare(a.Sheet, b.Sheet)) })
	return out
}

// kindOf describes a bundle that is not one of a single page.
func kindOf(b *site.Bundle) string {
	switch {
	case b.Inline:
		return "inlined"
	case b.Adopted:
		return "in a script"
	case b.Named:
		return "named"
	case b.Lazy:
		return "loaded by scripts"
	case b.Referenced:
		return "referenced"
	case len(b.Pages) > 1:
		return "shared"
	}
	return ""
}

// uses collects what pages use of bundles.
func (c *collector) uses() {
	c.use = c.res.Uses()
	for _, u := range c.use {
		b := c.index[u.Bundle]
		if n := u.UnusedPercent(); b != nil && (!b.UseIsKnown || n > b.MostUnused) {
			b.MostUnused, b.MostUnusedPage, b.UseIsKnown = n, u.Page, true
		}
	}
}

// pages collects the pages.
func (c *collector) pages() {
	type key struct{ page, bundle string }
	used := make(map[key]site.Use)
	for _, u := range c.use {
		used[key{u.Page, u.Bundle}] = u
	}
	elements := make(map[string]int)
	for i := range c.res.Staged {
		if s := &c.res.Staged[i]; s.Element {
			elements[s.Name] += len(s.Last().Text())
		}
	}
	for _, p := range c.res.Pages {
		page := Page{Name: p.Name, Elements: elements[p.Name], Bytes: elements[p.Name]}
		for i, name := range slices.Concat(p.Bundles, p.Lazy) {
			b := c.index[name]
			if b == nil {
				continue
			}
			load := Load{Bundle: name, Bytes: b.Bytes, Lazy: i >= len(p.Bundles)}
			if u, ok := used[key{p.Name, name}]; ok {
				load.Used, load.UsedRules = u.UsedBytes, u.UsedRules
				page.Used, page.Known = page.Used+u.UsedBytes, page.Known+u.Bytes
			}
			if !load.Lazy {
				page.Bytes, page.Gzip, page.Brotli = page.Bytes+b.Bytes, page.Gzip+b.Gzip, page.Brotli+b.Brotli
			}
			page.Loads = append(page.Loads, load)
		}
		c.report.Pages = append(c.report.Pages, page)
	}
	slices.SortStableFunc(c.report.Pages, func(a, b Page) int { return b.Bytes - a.Bytes })
}

// sheets collects the source sheets.
func (c *collector) sheets() {
	sheets := make(map[string]*Sheet)
	sheet := func(name string) *Sheet {
		if sheets[name] == nil {
			sheets[name] = &Sheet{Name: name}
		}
		return sheets[name]
	}
	for _, s := range c.staged {
		for _, f := range s.Files() {
			sheet(f.Name).Source = len(f.Text)
		}
	}
	for _, b := range c.report.Bundles {
		for _, part := range b.Sheets {
			s := sheet(part.Sheet)
			s.Bytes += part.Bytes
			s.Bundles++
		}
	}
	for _, share := range query.Shares(c.project.Tree.Set, c.res.Verdicts) {
		if s := sheets[share.Sheet]; s != nil {
			s.Selectors, s.Purged = share.Rules, share.Removed
		}
	}
	c.reasons(sheets)
	c.report.Sheets = make([]Sheet, 0, len(sheets))
	for _, s := range sheets {
		c.report.Sheets = append(c.report.Sheets, *s)
	}
	slices.SortFunc(c.report.Sheets, func(a, b Sheet) int {
		return cmp.Or(cmp.Compare(b.Bytes, a.Bytes), strings.Compare(a.Name, b.Name))
	})
}

// mostReasons limits the purged selectors of a sheet that are listed.
const mostReasons = 20

// reasons adds the first purged selectors of each sheet, which no bundle keeps.
func (c *collector) reasons(sheets map[string]*Sheet) {
	type written struct {
		at   source.Span
		text string
	}
	kept := make(map[written]bool)
	for i := range c.res.Verdicts {
		if v := &c.res.Verdicts[i]; v.Kept {
			kept[written{v.At, v.Text()}] = true
		}
	}
	for i := range c.res.Verdicts {
		v := &c.res.Verdicts[i]
		f := c.project.Tree.Set.File(v.At.Start.File)
		if v.Kept || f == nil || sheets[f.Name] == nil {
			continue
		}
		w := written{v.At, v.Text()}
		s := sheets[f.Name]
		if !kept[w] && len(s.Reasons) < mostReasons {
			s.Reasons = append(s.Reasons, Removed{w.text, c.place(v.At), whyRemoved(&v.Verdict)})
		}
		kept[w] = true // listed once
	}
}

// whyRemoved words why purging removed something.
func whyRemoved(v *purge.Verdict) string {
	var parts []string
	for _, r := range v.Why {
		switch r.Use.Kind {
		case purge.ByParent:
			return "its parent rule is removed"
		case purge.ByStructure:
			return "no page has its parts in this structure"
		default:
			parts = append(parts, r.Part)
		}
	}
	if len(parts) == 0 {
		return "no remaining rule uses it"
	}
	return "not in use: " + strings.Join(parts, ", ")
}

// place returns a position as file:line.
func (c *collector) place(at source.Span) string {
	f := c.project.Tree.Set.File(at.Start.File)
	if f == nil {
		return ""
	}
	line, _ := f.Position(at.Start.Off)
	return fmt.Sprintf("%s:%d", f.Name, line)
}

// total adds up the bundles.
func (c *collector) total() {
	t := &c.report.Total
	t.Pages, t.Bundles, t.Sheets = len(c.report.Pages), len(c.report.Bundles), len(c.report.Sheets)
	for _, s := range c.report.Sheets {
		t.Source += s.Source
	}
	for _, b := range c.report.Bundles {
		if o := c.outputs[b.Path]; o != nil && o.Kind == emit.StyleKind {
			t.Written += b.Bytes
		} else {
			t.Inline += b.Bytes
		}
		t.Gzip, t.Brotli = t.Gzip+b.Gzip, t.Brotli+b.Brotli
		t.Rules, t.RemovedRules = t.Rules+b.Rules, t.RemovedRules+b.Removed
	}
	for i := range c.res.Bundles {
		t.RemovedBytes += c.res.Bundles[i].Rules.RemovedBytes
	}
	for _, p := range c.report.Pages {
		t.Inline += p.Elements
	}
}

// rewrites collects what was lowered and prefixed in all bundles.
func (c *collector) rewrites() {
	type key struct{ what, kind, why string }
	counts := make(map[key]int)
	targets := c.project.Settings.TargetsOf(c.res.Profile)
	for _, b := range c.res.Bundles {
		for _, l := range b.Lowered {
			counts[key{l.What, "rewritten", l.Reason(targets)}] += l.Count
		}
		for _, p := range b.Prefix {
			kind := "prefix added"
			if p.Dropped {
				kind = "prefix removed"
			}
			counts[key{p.Property, kind, p.Reason(targets)}] += p.Count
		}
	}
	for _, k := range slices.SortedFunc(maps.Keys(counts), func(a, b key) int {
		return cmp.Or(-strings.Compare(a.kind, b.kind), counts[b]-counts[a], strings.Compare(a.what, b.what))
	}) {
		c.report.Rewrites = append(c.report.Rewrites, Rewrite{k.what, k.kind, k.why, counts[k]})
	}
}

// findings collects the findings of the build, and others.
func (c *collector) findings(others []diag.Diagnostic) {
	var list diag.List
	list.Add(c.res.Diagnostics...)
	list.Add(others...)
	list.Add(site.OverBudget(c.project.Settings, c.res, func() map[string][]byte { return nil })...)
	c.report.FindingsOf = make(map[string]int)
	for _, d := range list.Sorted(c.project.Tree.Set) {
		c.report.FindingsOf[d.Severity.String()]++
		place := ""
		if d.Span.IsValid() {
			place = c.place(d.Span)
		}
		c.report.Findings = append(c.report.Findings,
			Finding{d.Severity.String(), string(d.Code), place, d.Message, d.Fix})
	}
	slices.SortStableFunc(c.report.Findings, func(a, b Finding) int {
		order := []string{diag.Error.String(), diag.Warning.String(), diag.Note.String()}
		return slices.Index(order, a.Severity) - slices.Index(order, b.Severity)
	})
}

// Constant is a constant with what it is derived from and what reads it.
type Constant struct {
	Name    string   `json:"name"`
	Value   string   `json:"value"`
	Place   string   `json:"place"`
	Color   string   `json:"color"` // for a swatch; empty for others
	Kind    string   `json:"setBy"` // "const", "default", "tokens", …
	From    []string `json:"from"`
	Derived []string `json:"derived"`
	Rules   int      `json:"rules"` // number of rules that read it
	Sheets  []string `json:"sheets"`
	Readers []string `json:"readers"` // places of rules that read it, the first few
}

// constants collects the constants of all linked sheets.
func (c *collector) constants(found *query.Constants) (out []Constant) {
	const mostReaders = 12
	for _, k := range query.Merge(found.Sheets) {
		one := Constant{Name: k.Path, Value: k.Value, Place: c.place(k.Set.At), From: k.From, Derived: k.Derived,
			Rules: k.Rules, Sheets: k.Sheets, Kind: string(k.Set.Kind)}
		if k.Dropped {
			one.Value = "dropped"
		}
		if k.Color != nil {
			one.Color = fmt.Sprintf("#%02x%02x%02x", k.Color[0], k.Color[1], k.Color[2])
		}
		for i, u := range k.Uses {
			if i == mostReaders {
				one.Readers = append(one.Readers, fmt.Sprintf("and %d more", len(k.Uses)-i))
				break
			}
			text := c.place(u.At)
			if u.Rule != "" {
				text += "  " + u.Rule
			}
			if u.Property != "" {
				text += " { " + u.Property + " }"
			}
			one.Readers = append(one.Readers, text)
		}
		out = append(out, one)
	}
	return out
}
