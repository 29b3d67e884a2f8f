package link

import (
	"errors"
	"fmt"
	"maps"
	"slices"

	"rinzel/internal/css/ast"
	"rinzel/internal/css/replace"
	"rinzel/internal/css/token"
	"rinzel/internal/diag"
	"rinzel/internal/diag/code"
	"rinzel/internal/graph"
	"rinzel/internal/source"
)

// override has the replacements of one import: replace(…) is applied first,
// then set(…).
type override struct {
	values      []*replace.Set
	assignments map[string][]*assignment // by the name of the custom property
	order       []*assignment
	met         map[string]bool // custom properties that were declared
}

// assignment is the new value of a custom property.
type assignment struct {
	graph.Assignment
	hit bool
}

// readOverride returns the replacements of an import; nil if it has none. ok is
// false after a finding.
func (a *assembler) readOverride(imp graph.Import) (o *override, ok bool) {
	if len(imp.Assignments)+len(imp.Replace) == 0 {
		return nil, true
	}
	o = &override{assignments: make(map[string][]*assignment), met: make(map[string]bool)}
	for _, g := range imp.Assignments {
		own := &assignment{Assignment: g}
		o.assignments[g.Name] = append(o.assignments[g.Name], own)
		o.order = append(o.order, own)
	}
	for _, v := range imp.Replace {
		set, err := replace.Read(v.Values())
		if err != nil {
			a.report(badReplace(err, v.Span()))
			return nil, false
		}
		const weight = 10 // several imports may each process what the others inserted
		set.Limit = a.composer(nil).Limits.Values / weight
		o.values = append(o.values, set)
	}
	return o, true
}

// badReplace returns the finding about an invalid replace().
func badReplace(err error, at source.Span) diag.Diagnostic {
	var problem *replace.Error
	if errors.As(err, &problem) {
		at = problem.At
	}
	return diag.Diagnostic{Code: code.BadImport, Severity: diag.Error, Span: at, Message: "invalid replace(): " +
		err.Error(),
		Fix: "write replace(#2b6cb0: teal; 4px, 6px: 2px)"}
}

// override applies the replacements of all imports that led to v. The outermost
// import wins.
func (v *visit) override(nodes []ast.Node) []ast.Node {
	for _, o := range v.overrides {
		for _, r := range o.values {
			if nodes = r.Nodes(nodes); r.Exceeded() {
				return nil // after an error
			}
		}
		if len(o.assignments) > 0 {
			nodes, _ = ast.Map(nodes, o.assign)
		}
	}
	return nodes
}

// overrideMedia applies them to the media conditions of an import in the sheet
// of v.
func (v *visit) overrideMedia(media []ast.Value) []ast.Value {
	for _, o := range v.overrides {
		for _, r := range o.values {
			media = r.Media(media)
		}
	}
	return media
}

// assign sets custom properties.
func (o *override) assign(n ast.Node) ast.Edit {
	d, ok := n.(*ast.Declaration)
	if !ok {
		if edited, changed := ast.MapBody(n, o.assign); changed {
			return ast.Replace(edited)
		}
		return ast.Keep
	}
	if !d.IsCustom() {
		return ast.Keep
	}
	name := token.Unescape(d.Name)
	o.met[name] = true
	edit := ast.Keep
	for _, g := range o.assignments[name] {
		g.hit = true
		copied := *d
		copied.Value = ast.Verbatim(g.Value)
		edit = ast.Replace(&copied)
	}
	return edit
}

// replaced returns the number of values that replace() has replaced so far.
func (o *override) replaced() int {
	n := 0
	for _, r := range o.values {
		n += r.Replaced()
	}
	return n
}

// unmatched returns a warning for each replacement without a match.
func (o *override) unmatched() []diag.Diagnostic {
	var out []diag.Diagnostic
	for _, g := range o.order {
		if !g.hit {
			out = append(out, diag.Diagnostic{Code: code.UnmatchedPart, Severity: diag.Warning, Span: g.At,
				Message: fmt.Sprintf("set(): no imported sheet declares the custom property %q", g.Name),
				Fix:     diag.DidYouMean(g.Name, slices.Sorted(maps.Keys(o.met)), "")})
		}
	}
	for _, r := range o.values {
		if r.Exceeded() {
			out = append(out, diag.Diagnostic{Code: code.TooManyValues, Severity: diag.Error, Span: r.At(),
				Message: fmt.Sprintf("replace() adds more than %d values to the imported sheets", r.Limit)})
			continue
		}
		r.Unmatched(func(p *replace.Pattern, near string) {
			d := diag.Diagnostic{Code: code.UnmatchedPart, Severity: diag.Warning, Span: p.At,
				Message: fmt.Sprintf("replace(): no imported sheet has the value %q", p.Text())}
			if p.IsLimited() {
				d.Message += " there"
			}
			if near != "" {
				d.Fix = fmt.Sprintf("the nearest one is %q; see all with `rinzel repeats`", near)
			}
			out = append(out, d)
		})
	}
	return out
}
