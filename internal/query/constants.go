// Package query answers questions about a project: which constants it has
// ([ListConstants]), what it imports ([ListImports]), which values its sheets
// repeat ([ListRepeats]), and why a selector is in the output or not
// ([Purging]). Answers are values; nothing is written.
package query

import (
	"context"
	"fmt"
	"slices"

	"rinzel/internal/css/ast"
	"rinzel/internal/css/print"
	"rinzel/internal/css/token"
	"rinzel/internal/css/value"
	"rinzel/internal/diag"
	"rinzel/internal/diag/code"
	"rinzel/internal/project"
	"rinzel/internal/site"
	"rinzel/internal/source"
	"rinzel/internal/step/compose"
)

// Constants are the constants of a project.
type Constants struct {
	Sheets      []SheetConstants // one for each linked sheet
	Diagnostics []diag.Diagnostic
}

// SheetConstants are the constants of a linked sheet and its imports.
type SheetConstants struct {
	Sheet     string // displayed path
	Constants []Constant
	// Readers are the declarations that read each custom property with var(), by
	// its name.
	Readers map[string][]compose.Use
}

// Constant has the facts about one constant.
type Constant struct {
	Path    string
	Value   string // empty if it was dropped
	Dropped bool
	Color   *[3]uint8     // red, green and blue of a colour, for a swatch
	Set     Setting       // the definition that is effective, or its drop
	Others  []Setting     // overridden definitions, and defaults without effect
	From    []string      // constants that its value is derived from
	Derived []string      // constants derived from it
	Rules   int           // number of rules that read it
	Uses    []compose.Use // where rules read it
}

// Setting is a definition or default of a constant.
type Setting struct {
	Kind  compose.SetKind
	Value string
	At    source.Span
	Reads int // number of rules and constants that read it before the next definition
}

// ListConstants composes the sheets that pages link, and returns their
// constants. The findings are those of the sheets, and in addition definitions
// that repeat a default, keys that are set again after a drop, and unused
// constants. The error is one of the run itself.
func ListConstants(ctx context.Context, p *project.Project) (*Constants, error) {
	survey, err := site.NewSurvey(ctx, p)
	if err != nil {
		return nil, err
	}
	return constantsIn(ctx, p, survey)
}

// ListBoth is [ListConstants] and [ListImports] of all pages, which share most of
// the work.
func ListBoth(ctx context.Context, p *project.Project) (*Constants, *Imports, error) {
	survey, err := site.NewSurvey(ctx, p)
	if err != nil {
		return nil, nil, err
	}
	constants, err := constantsIn(ctx, p, survey)
	if err != nil {
		return nil, nil, err
	}
	imports, err := importsIn(ctx, p, survey, source.Path{}, true)
	return constants, imports, err
}

// constantsIn returns the constants of a survey.
func constantsIn(ctx context.Context, p *project.Project, survey *site.Survey) (*Constants, error) {
	out := &Constants{}
	checks := constantChecks{read: make(map[source.Span]bool)}
	for _, from := range survey.EntryPaths(ctx) {
		e, ok := survey.Entry(ctx, from, false)
		if err := survey.Err(ctx); err != nil {
			return nil, err
		}
		if ok {
			out.Sheets = append(out.Sheets,
				SheetConstants{p.Tree.Show(from), constantsOf(e.Constants), readersOf(e.Nodes)})
			checks.add(e.Constants)
		}
	}
	var list diag.List
	list.Add(survey.Diagnostics()...)
	list.Add(checks.findings(func(at source.Span) bool { return isOwn(p, at) })...)
	out.Diagnostics = list.Sorted(p.Tree.Set)
	return out, nil
}

// isOwn reports whether a position is in the source folder or the settings.
func isOwn(p *project.Project, at source.Span) bool {
	f := p.Tree.Set.File(at.Start.File)
	return f.Path.Root == "" || f.Name == p.Settings.File
}

// constantsOf returns the constants of a record.
func constantsOf(r *compose.Record) []Constant {
	var out []Constant
	derived := make(map[string][]string)
	for _, e := range r.Entries() {
		for _, from := range e.From {
			derived[from] = append(derived[from], e.Path)
		}
	}
	for _, e := range r.Entries() {
		set, holds := e.Current()
		if !set.At.IsValid() && len(e.Sets) == 0 {
			continue // it is only read, with a fallback
		}
		set.Reads = 0 // the final definition has no next one
		c := Constant{Path: e.Path, Dropped: !holds, Set: settingOf(set), From: e.From, Derived: derived[e.Path],
			Rules: e.Rules, Uses: e.Uses}
		if holds {
			c.Value, c.Color = print.Values(set.Value), swatch(set.Value)
		}
		for _, o := range e.Overridden() {
			c.Others = append(c.Others, settingOf(o))
		}
		out = append(out, c)
	}
	return out
}

// readersOf returns the declarations that read custom properties, by the names of
// the properties.
func readersOf(sheets [][]ast.Node) map[string][]compose.Use {
	out := make(map[string][]compose.Use)
	var visit func(nodes []ast.Node, rule string)
	visit = func(nodes []ast.Node, rule string) {
		for _, n := range nodes {
			switch n := n.(type) {
			case *ast.Declaration:
				for _, name := range varsIn(n.Value, nil) {
					out[name] = append(out[name], compose.Use{At: n.Span(), Property: n.Name, Rule: rule})
				}
			case *ast.StyleRule:
				visit(n.Nodes, compose.NestedIn(rule, string(print.AppendSelectors(nil, n.Selectors))))
			default:
				visit(ast.Body(n), rule)
			}
		}
	}
	for _, nodes := range sheets {
		visit(nodes, "")
	}
	return out
}

// varsIn adds the custom properties that values read with var(), without
// repeats.
func varsIn(values []ast.Value, to []string) []string {
	for i := range values {
		v := &values[i]
		inner := v.Values()
		if v.IsFunction("var") {
			if args := ast.Significant(inner); len(args) > 0 && args[0].Kind == token.Ident {
				if name := token.Unescape(args[0].Text); !slices.Contains(to, name) {
					to = append(to, name)
				}
			}
		}
		to = varsIn(inner, to)
	}
	return to
}

// settingOf returns a definition.
func settingOf(s compose.Set) Setting { return Setting{s.Kind, print.Values(s.Value), s.At, s.Reads} }

// swatch returns the colour of a value.
func swatch(values []ast.Value) *[3]uint8 {
	if len(values) != 1 {
		return nil
	}
	c, ok := value.ColorOf(&values[0])
	if !ok {
		return nil
	}
	var out [3]uint8
	for i, x := range c.Mapped().Channels {
		out[i] = uint8(x*255 + 0.5)
	}
	return &out
}

// constantChecks collects problems of constants. A rule may set a constant for
// several linked sheets; it is used if any of them reads it.
type constantChecks struct {
	read  map[source.Span]bool
	order []compose.Set
	names map[source.Span]string
	found []diag.Diagnostic
}

// add adds the constants of a record.
func (c *constantChecks) add(r *compose.Record) {
	if c.names == nil {
		c.names = make(map[source.Span]string)
	}
	derives := make(map[string]bool)
	for _, e := range r.Entries() {
		for _, from := range e.From {
			derives[from] = true
		}
	}
	for _, e := range r.Entries() {
		c.drops(e)
		set, holds := e.Current()
		if !holds {
			continue
		}
		c.repeats(e, set)
		if _, met := c.read[set.At]; !met {
			c.order = append(c.order, set)
			c.names[set.At] = e.Path
		}
		c.read[set.At] = c.read[set.At] || e.Rules > 0 || derives[e.Path]
	}
}

// repeats detects a definition that equals the default.
func (c *constantChecks) repeats(e *compose.Entry, set compose.Set) {
	if set.Kind == compose.ByDefault {
		return
	}
	for _, o := range e.Overridden() {
		if o.Kind == compose.ByDefault && ast.EqualValues(o.Value, set.Value) {
			c.found = append(c.found, diag.Diagnostic{Code: code.RedundantConstant, Severity: diag.Warning, Span: set.At,
				Message: fmt.Sprintf("%q is set to %q, which is its default", e.Path, print.Values(set.Value)),
				Related: []diag.Related{{Span: o.At, Message: "default set here"}}, Fix: "remove it, or set a different value"})
			return
		}
	}
}

// drops detects a dropped key that is set again.
func (c *constantChecks) drops(e *compose.Entry) {
	var dropped *compose.Set
	for i := range e.Sets {
		s := &e.Sets[i]
		switch {
		case s.Kind == compose.ByDrop:
			dropped = s
		case dropped != nil && !s.WithoutEffect:
			c.found = append(c.found, diag.Diagnostic{Code: code.RestoredKey, Severity: diag.Warning, Span: dropped.At,
				Message: fmt.Sprintf("%q is dropped, but set again later", e.Path),
				Related: []diag.Related{{Span: s.At, Message: "set again here"}},
				Fix:     "drop it after that, or remove one of the two"})
			dropped = nil
		}
	}
}

// findings returns the findings; unused constants are only reported in the
// project itself, because libraries have constants that a site does not need.
func (c *constantChecks) findings(own func(source.Span) bool) []diag.Diagnostic {
	out := c.found
	for _, s := range c.order {
		if !c.read[s.At] && s.Kind != compose.ByTokens && own(s.At) {
			out = append(out, diag.Diagnostic{Code: code.UnusedConstant, Severity: diag.Warning, Span: s.At,
				Message: fmt.Sprintf("unused constant %q", c.names[s.At])})
		}
	}
	return out
}

// Governing keeps only the constants that a rule or declaration depends on: those
// that it reads, also through custom properties, and those that they are derived
// from.
func (l *Constants) Governing(spot Spot) {
	in := func(u compose.Use) bool {
		at := u.At.Start
		return at.File == spot.Span.Start.File && at.Off >= spot.Span.Start.Off && at.Off < spot.Span.End ||
			slices.Contains(spot.Applied, u.Rule)
	}
	custom := make(map[string]bool) // properties that are read, of any sheet, since pages have several
	reads := func(u compose.Use) bool { return in(u) || custom[u.Property] }
	for changed := true; changed; {
		changed = false
		for _, s := range l.Sheets {
			for name, readers := range s.Readers {
				if !custom[name] && slices.ContainsFunc(readers, reads) {
					custom[name], changed = true, true
				}
			}
		}
	}
	for i := range l.Sheets {
		l.Sheets[i].keep(func(c *Constant) bool { return slices.ContainsFunc(c.Uses, reads) })
	}
}

// keep keeps only some constants, and those that they are derived from.
func (s *SheetConstants) keep(is func(*Constant) bool) {
	byPath := make(map[string]*Constant)
	for i := range s.Constants {
		byPath[s.Constants[i].Path] = &s.Constants[i]
	}
	wanted := make(map[string]bool)
	var want func(c *Constant)
	want = func(c *Constant) {
		if c == nil || wanted[c.Path] {
			return
		}
		wanted[c.Path] = true
		for _, from := range c.From {
			want(byPath[from])
		}
	}
	for i := range s.Constants {
		if is(&s.Constants[i]) {
			want(&s.Constants[i])
		}
	}
	s.Constants = slices.DeleteFunc(slices.Clone(s.Constants), func(c Constant) bool { return !wanted[c.Path] })
}

// Shared is a constant that is the same in several linked sheets.
type Shared struct {
	Constant
	Sheets []string // displayed paths
}

// Merge returns the constants of all sheets without duplicates.
func Merge(list []SheetConstants) []*Shared {
	var out []*Shared
	index := make(map[string]*Shared)
	for _, s := range list {
		for _, c := range s.Constants {
			key := fmt.Sprint(c.Path, c.Value, c.Set, c.Others)
			have := index[key]
			if have == nil {
				have = &Shared{Constant: c}
				index[key] = have
				out = append(out, have)
			}
			have.Sheets = append(have.Sheets, s.Sheet)
			have.Rules = max(have.Rules, c.Rules)
			for _, u := range c.Uses {
				if !slices.Contains(have.Uses, u) {
					have.Uses = append(slices.Clip(have.Uses), u)
				}
			}
			for _, name := range c.Derived {
				if !slices.Contains(have.Derived, name) {
					have.Derived = append(slices.Clip(have.Derived), name)
				}
			}
		}
	}
	return out
}
