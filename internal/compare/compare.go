package compare

import (
	"maps"
	"slices"

	"rinzel/internal/css/cascade"
	"rinzel/internal/css/parse"
)

// Report is what differs between two builds.
type Report struct {
	Sheets []Pair // all sheets of both builds, ordered by name
	Pages  []Page // ordered by name; nil if one of the builds does not list pages
}

// Pair is a sheet in both builds.
type Pair struct {
	Name     string
	Old, New *Sheet // nil if the build has no such sheet
	State    State
	Changes  []cascade.Change
	// Others are differences that are not in declarations of rules: their order,
	// @keyframes, fonts.
	Others []*cascade.Difference
}

// State is how a sheet differs between the builds.
type State string

// The states.
const (
	Equal     State = "equal"     // the same text
	Same      State = "same"      // another text with the same meaning
	Different State = "different" // it was not shown that it means the same
	Unknown   State = "unknown"   // the text of one of them is not known
	Gone      State = "gone"      // only the old build has it
	Added     State = "added"     // only the new build has it
)

// Page is the sum of the sheets that a page loads. It is empty in a build
// without the page.
type Page struct {
	Name     string
	Old, New Size
}

// maxOthers limits the number of differences of a sheet apart from changes.
const maxOthers = 100

// Builds compares two builds for browsers.
func Builds(old, now *Build, browsers cascade.Browsers) *Report {
	r := &Report{}
	if old.single && now.single {
		r.Sheets = []Pair{pairOf(now.Sheets[0].Name, old.Sheets[0], now.Sheets[0], browsers)}
		return r
	}
	before, after := byName(old), byName(now)
	names := make(map[string]bool)
	for _, s := range slices.Concat(old.Sheets, now.Sheets) {
		names[s.Name] = true
	}
	for _, name := range slices.Sorted(maps.Keys(names)) {
		r.Sheets = append(r.Sheets, pairOf(name, before[name], after[name], browsers))
	}
	if old.Pages == nil || now.Pages == nil {
		return r
	}
	pages := make(map[string]bool)
	for name := range old.Pages {
		pages[name] = true
	}
	for name := range now.Pages {
		pages[name] = true
	}
	for _, name := range slices.Sorted(maps.Keys(pages)) {
		r.Pages = append(r.Pages, Page{name, sum(old.Pages[name]), sum(now.Pages[name])})
	}
	return r
}

// byName returns the sheets of a build by name.
func byName(b *Build) map[string]*Sheet {
	out := make(map[string]*Sheet)
	for _, s := range b.Sheets {
		out[s.Name] = s
	}
	return out
}

// sum returns the sum of the sizes of sheets; compressed sizes are 0 if one is
// not known.
func sum(list []*Sheet) (out Size) {
	for _, s := range list {
		out = out.plus(s.Size)
	}
	if slices.ContainsFunc(list, func(s *Sheet) bool { return s.File == nil }) {
		out.Gzip, out.Brotli = 0, 0
	}
	return out
}

// Totals returns the sizes of all sheets of both builds.
func (r *Report) Totals() (old, now Size) {
	var before, after []*Sheet
	for i := range r.Sheets {
		if p := &r.Sheets[i]; p.Old != nil {
			before = append(before, p.Old)
		}
		if p := &r.Sheets[i]; p.New != nil {
			after = append(after, p.New)
		}
	}
	return sum(before), sum(after)
}

// pairOf compares a sheet of both builds.
func pairOf(name string, old, now *Sheet, browsers cascade.Browsers) Pair {
	p := Pair{Name: name, Old: old, New: now}
	switch {
	case now == nil:
		p.State = Gone
	case old == nil:
		p.State = Added
	case old.hash != "" && old.hash == now.hash || old.File != nil && now.File != nil && old.File.Text == now.File.Text:
		p.State = Equal
	case old.File == nil || now.File == nil:
		p.State = Unknown
	default:
		p.compare(browsers)
	}
	return p
}

// compare compares the texts of both sheets.
func (p *Pair) compare(browsers cascade.Browsers) {
	a, _ := parse.Sheet(p.Old.File)
	b, _ := parse.Sheet(p.New.File)
	differences := cascade.Differences(a.Nodes, b.Nodes, browsers, maxOthers)
	if len(differences) == 0 {
		p.State = Same
		return
	}
	p.State = Different
	p.Changes = cascade.Changes(a.Nodes, b.Nodes, browsers)
	for _, d := range differences {
		if len(d.Involved) == 0 || len(p.Changes) == 0 {
			p.Others = append(p.Others, d)
		}
	}
}

// Counts returns how many rules are gone, new, and changed.
func (p *Pair) Counts() (gone, added, changed int) {
	for i := range p.Changes {
		switch c := &p.Changes[i]; {
		case !c.Whole:
			changed++
		case len(c.New) == 0:
			gone++
		default:
			added++
		}
	}
	return gone, added, changed
}

// Growth returns by how much a size after compression grew, as a fraction of the
// old one; that of the bytes if the compressed ones are not known. It is 0 for
// what is new.
func Growth(old, now Size) float64 {
	before, after := old.Brotli, now.Brotli
	if before == 0 || after == 0 {
		before, after = old.Bytes, now.Bytes
	}
	if before == 0 {
		return 0
	}
	return float64(after-before) / float64(before)
}

// MostGrown returns the largest growth of a page, or of a sheet, if there are no
// pages, and its name.
func (r *Report) MostGrown() (name string, growth float64) {
	for _, p := range r.Pages {
		if g := Growth(p.Old, p.New); g > growth {
			name, growth = p.Name, g
		}
	}
	if r.Pages != nil {
		return name, growth
	}
	for _, p := range r.Sheets {
		if p.Old == nil || p.New == nil {
			continue
		}
		if g := Growth(p.Old.Size, p.New.Size); g > growth {
			name, growth = p.Name, g
		}
	}
	return name, growth
}

// Differs reports whether some sheet is gone, new, or was not shown to mean the
// same.
func (r *Report) Differs() bool {
	return slices.ContainsFunc(r.Sheets, func(p Pair) bool { return p.State != Equal && p.State != Same })
}
