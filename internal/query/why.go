package query

import (
	"cmp"
	"context"
	"fmt"
	"maps"
	"slices"
	"strings"

	"rinzel/internal/css/ast"
	"rinzel/internal/css/parse"
	"rinzel/internal/css/print"
	"rinzel/internal/css/selector"
	"rinzel/internal/css/token"
	"rinzel/internal/diag"
	"rinzel/internal/evidence"
	"rinzel/internal/project"
	"rinzel/internal/site"
	"rinzel/internal/source"
	"rinzel/internal/step/purge"
)

// This file answers why a selector is in the output or not.

// Purged is the result of purging a site.
type Purged struct {
	Profile    project.Profile
	Verdicts   []site.SelectorVerdict // every selector and definition, bundle by bundle
	Sheets     []SheetShare           // removed share of each sheet, the largest first
	Bundles    []site.Bundle
	NoRule     []ClassUse              // classes of pages without a rule in any sheet
	Errors     []diag.Diagnostic       // in the sources; without those about how much purging removes
	uses       map[string][]source.Pos // positions where names are in use, one per file
	res        *site.Result
	needs      map[string]*purge.Evidence // names in use by page, as far as they were needed
	onlyOthers map[*ast.Simple]bool       // selectors that only other pages need, by their first part
}

// SheetShare is how much purging removes from a sheet.
type SheetShare struct {
	Sheet   string `json:"sheet"`     // displayed path
	Rules   int    `json:"selectors"` // each counted once, regardless of the number of bundles
	Removed int    `json:"purged"`
}

// ClassUse is a class of pages.
type ClassUse struct {
	Class string
	At    source.Pos // first occurrence
	Near  string     // a similar class that has rules, or empty
}

// Purging computes the result of purging a site, without writing anything. The
// profile must have the step purge. The error is one of the run itself.
func Purging(ctx context.Context, p *project.Project, opts site.Options) (*Purged, error) {
	opts.RecordVerdicts, opts.KeepStages, opts.PurgeOnly, opts.WithoutChecks = true, true, true, true
	res, err := site.Build(ctx, p, opts)
	if err != nil {
		return nil, err
	}
	out := &Purged{Profile: res.Profile, Verdicts: res.Verdicts, Bundles: res.Bundles, Errors: res.Blocking(),
		uses: make(map[string][]source.Pos), res: res, needs: make(map[string]*purge.Evidence), onlyOthers: make(map[*ast.Simple]bool)}
	out.Sheets = Shares(p.Tree.Set, res.Verdicts)
	if res.Evidence == nil {
		return out, nil
	}
	out.NoRule = NoRule(res)
	files := slices.SortedFunc(slices.Values(res.Evidence.Files),
		func(a, b evidence.FileEvidence) int { return cmp.Compare(a.File.Name, b.File.Name) })
	for _, f := range files {
		f.Names.Each(func(name string, at source.Pos) { out.uses[name] = append(out.uses[name], at) })
	}
	return out, nil
}

// Shares counts the removed selectors of each sheet, the largest share first.
func Shares(files *source.Set, verdicts []site.SelectorVerdict) []SheetShare {
	type written struct { // a loop writes many at one position
		at   source.Span
		text string
	}
	kept := make(map[written]bool)
	for i := range verdicts {
		j := &verdicts[i]
		w := written{j.At, j.Text()}
		kept[w] = kept[w] || j.Kept
	}
	bySheet := make(map[string]SheetShare)
	for w, stays := range kept {
		if f := files.File(w.at.Start.File); f != nil {
			s := bySheet[f.Name]
			s.Sheet = f.Name
			if s.Rules++; !stays {
				s.Removed++
			}
			bySheet[f.Name] = s
		}
	}
	return slices.SortedFunc(maps.Values(bySheet), func(a, b SheetShare) int {
		return cmp.Or(cmp.Compare(b.Removed*a.Rules, a.Removed*b.Rules), strings.Compare(a.Sheet, b.Sheet))
	})
}

// NoRule returns the classes of pages without a rule in a build that recorded
// verdicts; none if it did not purge.
func NoRule(res *site.Result) []ClassUse {
	if res.Evidence == nil {
		return nil
	}
	verdicts, evidence := res.Verdicts, res.Evidence.All
	named := make(map[string]bool)
	for _, j := range verdicts {
		selector.AddClasses(j.Selector, named)
	}
	all := slices.Sorted(maps.Keys(named))
	var out []ClassUse
	for name, at := range evidence.Classes() {
		if !named[name] {
			out = append(out, ClassUse{name, at, diag.Nearest(name, all)})
		}
	}
	slices.SortFunc(out, func(a, b ClassUse) int { return strings.Compare(a.Class, b.Class) })
	return out
}

// Answer is the answer to a question about a selector.
type Answer struct {
	Parts    []string               // of the question: ".notice", "#quay", "p"
	Verdicts []site.SelectorVerdict // selectors with all parts
	// Uses are the positions where scripts, pages and other files use the name
	// of each part, at most one per file.
	Uses map[string][]source.Pos
	Near []string // similar names in sheets, if no selector has the parts
}

// Ask answers a question about a selector, an at-rule or a definition. A class may be
// written as in a page, without escapes. A plain word means the class, ID, element or
// definition with that name. ok is false if the question is neither.
func (o *Purged) Ask(question string) (a Answer, ok bool) {
	a.Uses = make(map[string][]source.Pos)
	question = strings.TrimSpace(question)
	var match func(j *site.SelectorVerdict) bool
	switch {
	case strings.HasPrefix(question, "@"):
		a.Parts = []string{question}
		inside, ok := o.inAtRule(question)
		if !ok {
			return a, false
		}
		match = func(j *site.SelectorVerdict) bool {
			return j.Name == question || len(j.Selector) > 0 && inside[&j.Selector[0]]
		}
		if _, name, _ := strings.Cut(question, " "); len(inside) == 0 {
			a.Uses[question] = o.uses[name]
		}
	case isWord(question):
		a.Parts = []string{question}
		match = func(j *site.SelectorVerdict) bool {
			_, name, _ := strings.Cut(j.Name, " ")
			return name == question || o.has(j.Selector, "."+question) || o.has(j.Selector, "#"+question) ||
				o.has(j.Selector, question)
		}
		a.Uses[question] = o.uses[question]
	default:
		parts := o.partsIn(question)
		if len(parts) == 0 {
			return a, false
		}
		a.Parts = parts
		match = func(j *site.SelectorVerdict) bool {
			return j.Selector != nil && !slices.ContainsFunc(parts, func(p string) bool { return !o.has(j.Selector, p) })
		}
		o.addUses(a.Uses, parts)
	}
	for i := range o.Verdicts {
		if match(&o.Verdicts[i]) {
			a.Verdicts = append(a.Verdicts, o.Verdicts[i])
		}
	}
	if len(a.Verdicts) == 0 {
		a.Near = o.near(a.Parts)
	}
	return a, true
}

// partsIn returns the parts of a selector, or a class as pages have it: without the
// escapes of a selector.
func (o *Purged) partsIn(question string) []string {
	if class, ok := strings.CutPrefix(question, "."); ok && o.uses[class] != nil {
		return []string{question}
	}
	return partsOf(question)
}

// addUses adds where the names of parts are in use. States have none.
func (o *Purged) addUses(to map[string][]source.Pos, parts []string) {
	for _, part := range parts {
		if !strings.HasPrefix(part, ":") {
			to[part] = o.uses[strings.TrimLeft(part, ".#")]
		}
	}
}

// inAtRule returns the selectors in the at-rules that a question names: with the
// same prelude, or all with the name if it has none. ok is false if the question
// is not an at-rule.
func (o *Purged) inAtRule(question string) (inside map[*ast.Simple]bool, ok bool) {
	sheet, _ := parse.Sheet(new(source.Set).Add(source.Path{}, "", question+"{}"))
	if len(sheet.Nodes) != 1 {
		return nil, false
	}
	asked, ok := sheet.Nodes[0].(*ast.AtRule)
	if !ok {
		return nil, false
	}
	prelude := print.CompactValues(asked.Prelude)
	inside = make(map[*ast.Simple]bool)
	var visit func(nodes []ast.Node, in bool)
	visit = func(nodes []ast.Node, in bool) {
		for _, n := range nodes {
			here := in
			switch n := n.(type) {
			case *ast.AtRule:
				here = in || token.EqualFold(n.Name, asked.Name) && (prelude == "" || print.CompactValues(n.Prelude) == prelude)
			case *ast.StyleRule:
				for _, s := range n.Selectors {
					if in && len(s) > 0 {
						inside[&s[0]] = true
					}
				}
			}
			visit(ast.Body(n), here)
		}
	}
	for i := range o.res.Staged {
		visit(o.res.Staged[i].Joined(), false)
	}
	return inside, true
}

// Needing returns the pages that load a bundle, and those of them that need a
// selector of it: all its parts may be on the page, or in a script that it runs.
func (o *Purged) Needing(bundle string, s ast.Selector) (pages, needing []string) {
	for _, p := range o.res.Pages {
		if !slices.Contains(p.Bundles, bundle) && !slices.Contains(p.Lazy, bundle) {
			continue
		}
		pages = append(pages, p.Name)
		if o.neededOn(p.Name, s) {
			needing = append(needing, p.Name)
		}
	}
	return pages, needing
}

// neededOn reports whether a page needs a selector.
func (o *Purged) neededOn(page string, s ast.Selector) bool {
	e := o.evidenceOf(page)
	return e != nil && purge.Decide(s, e).Kept
}

// evidenceOf returns the names in use on a page; nil if that is not known.
func (o *Purged) evidenceOf(page string) *purge.Evidence {
	e, known := o.needs[page]
	if !known {
		e = o.res.EvidenceOf(page)
		o.needs[page] = e
	}
	return e
}

// Only keeps the verdicts of the bundles that a page loads and of its style
// elements, with the decisions for that page alone. It returns an error if there
// is no such page. name is a displayed path, or one in the output folder.
func (o *Purged) Only(name string) error {
	i := slices.IndexFunc(o.res.Pages, func(p site.Page) bool { return p.Name == name || p.Path() == name })
	if i < 0 {
		var names []string
		for _, p := range o.res.Pages {
			names = append(names, p.Name)
		}
		return fmt.Errorf("no such page: %q%s", name, diag.OrNear(name, names))
	}
	p := &o.res.Pages[i]
	var kept []site.SelectorVerdict
	for _, v := range o.Verdicts {
		if v.Bundle != p.Name && !slices.Contains(p.Bundles, v.Bundle) && !slices.Contains(p.Lazy, v.Bundle) {
			continue
		}
		if v.Kept && v.Selector != nil {
			if now := purge.Decide(v.Selector, o.evidenceOf(p.Name)); !now.Kept {
				v.Verdict = now
				o.onlyOthers[&v.Selector[0]] = true
			}
		}
		kept = append(kept, v)
	}
	o.Verdicts = kept
	o.Sheets = nil
	return nil
}

// IsPurged reports whether purging removes a selector or definition from its
// bundle, and not only [Purged.Only] from what a page needs.
func (o *Purged) IsPurged(v *site.SelectorVerdict) bool {
	return !v.Kept && !(len(v.Selector) > 0 && o.onlyOthers[&v.Selector[0]])
}

// isWord reports whether s is a plain name.
func isWord(s string) bool {
	return s != "" && !strings.ContainsAny(s, ".#[]:>+~*, ()")
}

// partsOf returns the parts of a selector, as written.
func partsOf(text string) []string {
	f := new(source.Set).Add(source.Path{}, "", text+"{}")
	sheet, _ := parse.Sheet(f)
	var out []string
	ast.Walk(sheet.Nodes, func(n ast.Node) bool {
		if r, ok := n.(*ast.StyleRule); ok {
			for _, s := range r.Selectors {
				for i := range s {
					if part := partText(&s[i]); part != "" && !slices.Contains(out, part) {
						out = append(out, part)
					}
				}
			}
		}
		return true
	})
	return out
}

// partText returns a class, ID, element, attribute, pseudo-class or
// pseudo-element as text, without arguments and values; "" for other parts.
func partText(s *ast.Simple) string {
	switch s.Kind {
	case ast.ClassSelector:
		return "." + token.Unescape(s.Name)
	case ast.IDSelector:
		return "#" + token.Unescape(s.Name)
	case ast.TypeSelector:
		return strings.ToLower(token.Unescape(s.Name))
	case ast.AttributeSelector:
		return "[" + strings.ToLower(token.Unescape(s.Name)) + "]"
	case ast.PseudoClass:
		return ":" + token.Lower(s.Name)
	case ast.PseudoElement:
		return "::" + token.Lower(s.Name)
	}
	return ""
}

// has reports whether a selector contains a part, including its arguments.
func (o *Purged) has(s ast.Selector, part string) bool {
	for i := range s {
		if partText(&s[i]) == part {
			return true
		}
		if s[i].Args != nil &&
			slices.ContainsFunc(s[i].Args.Selectors, func(arg ast.Selector) bool { return o.has(arg, part) }) {
			return true
		}
	}
	return false
}

// near returns similar names: of sheets, or of names in use.
func (o *Purged) near(parts []string) []string {
	all := make(map[string]bool)
	for i := range o.Verdicts {
		for k := range o.Verdicts[i].Selector {
			if text := partText(&o.Verdicts[i].Selector[k]); text != "" {
				all[text] = true
			}
		}
	}
	names := slices.Sorted(maps.Keys(all))
	var out []string
	for _, part := range parts {
		if all[part] {
			continue
		}
		candidates := []string{part}
		if isWord(part) {
			candidates = []string{"." + part, "#" + part, part}
		}
		n := len(out)
		for _, c := range candidates {
			if near := diag.Nearest(c, names); near != "" && !slices.Contains(out, near) {
				out = append(out, near)
			}
		}
		if len(out) == n {
			out = append(out, withWord(strings.TrimLeft(part, ".#"), names)...)
		}
	}
	return out
}

// withWord returns classes and IDs with a word between hyphens and underscores, such as
// ".is-late" for "late".
func withWord(word string, names []string) (out []string) {
	const most = 3
	isSeparator := func(c rune) bool { return strings.ContainsRune(".#-_", c) }
	for _, name := range names {
		if len(out) < most && slices.Contains(strings.FieldsFunc(name, isSeparator), word) {
			out = append(out, name)
		}
	}
	return out
}
