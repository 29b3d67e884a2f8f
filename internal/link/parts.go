package link

import (
	"fmt"
	"path"
	"slices"

	"github.com/bmatcuk/doublestar/v4"

	"rinzel/internal/css/ast"
	"rinzel/internal/css/print"
	"rinzel/internal/css/selector"
	"rinzel/internal/css/token"
	"rinzel/internal/diag"
	"rinzel/internal/diag/code"
	"rinzel/internal/graph"
	"rinzel/internal/source"
)

// parts are the without(…) or only(…) of an import. They apply to the imported
// sheet and its imports. An excluded sheet still sets its constants, because
// other sheets may read them.
type parts struct {
	graph.Parts
	dir  string // of the imported sheet
	root string
	hits []bool   // for each pattern, whether it matched something
	seen []string // sheets that were tested

	selectors []selector.Pattern // by the index of each pattern; empty for patterns of sheets
	texts     map[string]bool    // selectors that were tested
	starts    map[string][]int   // patterns for selectors by their first bytes
}

// newParts returns the parts of an import.
func newParts(p graph.Parts, imported source.Path) *parts {
	return &parts{Parts: p, dir: path.Dir(imported.Name), root: imported.Root, hits: make([]bool, len(p.Patterns))}
}

// next returns the visit of an imported sheet, and the parts of the import.
func (v *visit) next(p source.Path, imp graph.Import) (next *visit, own []*parts) {
	next = &visit{path: p, at: imp.At, from: v, rules: slices.Clip(v.rules), excluded: v.cut, cut: v.cut}
	for _, q := range v.sheets {
		next.applyParts(q)
	}
	for _, written := range imp.Parts {
		q := newParts(written, p)
		own = append(own, q)
		if q.Only {
			next.applyParts(q)
		} else { // it applies to the imports of the sheet, not to the sheet
			next.sheets = append(next.sheets, q)
		}
	}
	next.rules = append(next.rules, own...)
	return next, own
}

// applyParts decides whether the parts of one import exclude the sheet of v.
func (v *visit) applyParts(p *parts) {
	wanted := p.wantsSheet(v.path)
	switch {
	case wanted && p.Only && p.namesSheets():
		return // so are its imports
	case !wanted:
		v.excluded = true
		v.cut = v.cut || !p.Only
	}
	v.sheets = append(v.sheets, p)
}

// wantsSheet reports whether a sheet is included. Patterns match its path, its
// path relative to the imported sheet, or its name.
func (p *parts) wantsSheet(s source.Path) bool {
	name := s.Name
	if rel := graph.Relative(path.Join(p.dir, "x"), name); s.Root == p.root {
		name = rel
	}
	p.seen = append(p.seen, name)
	matched := false
	for i, pattern := range p.Patterns {
		if pattern.Selector {
			continue
		}
		for _, candidate := range []string{name, s.Name, path.Base(name)} {
			if ok, _ := doublestar.Match(pattern.Text, candidate); ok {
				p.hits[i], matched = true, true
			}
		}
	}
	return !p.namesSheets() || matched == p.Only
}

// namesSheets reports whether a pattern is for sheets.
func (p *parts) namesSheets() bool {
	return slices.ContainsFunc(p.Patterns, func(p graph.Pattern) bool { return !p.Selector })
}

// rules returns nodes without excluded rules.
func (p *parts) rules(nodes []ast.Node) []ast.Node {
	if !slices.ContainsFunc(p.Patterns, func(p graph.Pattern) bool { return p.Selector }) {
		return nodes
	}
	out, _ := ast.Map(nodes, p.rule)
	return out
}

// rule tests one rule.
func (p *parts) rule(n ast.Node) ast.Edit {
	r, ok := n.(*ast.StyleRule)
	if !ok {
		if edited, changed := ast.MapBody(n, p.rule); changed {
			if len(ast.Body(edited)) == 0 {
				return ast.Remove
			}
			return ast.Replace(edited)
		}
		return ast.Keep
	}
	kept := slices.DeleteFunc(slices.Clone(r.Selectors), func(s ast.Selector) bool { return p.matches(s) != p.Only })
	switch len(kept) {
	case len(r.Selectors):
		return ast.Keep
	case 0:
		return ast.Remove
	}
	copied := *r
	copied.Selectors = kept
	return ast.Replace(&copied)
}

// matches reports whether a pattern matches a selector, or a simple selector in
// it.
func (p *parts) matches(s ast.Selector) bool {
	matched := p.matchesText(print.Selector(s))
	if len(s) > 1 {
		for k := range s {
			matched = p.matchesText(print.Selector(s[k:k+1])) || matched
		}
	}
	return matched
}

// matchesText reports whether a pattern matches the text of a selector. Only
// patterns with the same start are tried.
func (p *parts) matchesText(text string) bool {
	text = token.Unescape(text)
	if matched, known := p.texts[text]; known {
		return matched
	}
	if p.texts == nil {
		p.texts, p.starts = make(map[string]bool), make(map[string][]int)
		for i, pattern := range p.Patterns {
			p.selectors = append(p.selectors, selector.NewPattern(pattern.Text))
			if pattern.Selector {
				start := startOf(p.selectors[i].Start())
				p.starts[start] = append(p.starts[start], i)
			}
		}
	}
	matched := false
	for n := range len(startOf(text)) + 1 {
		for _, i := range p.starts[text[:n]] {
			if p.selectors[i].Match(text) {
				p.hits[i], matched = true, true
			}
		}
	}
	p.texts[text] = matched
	return matched
}

// startOf returns the first bytes of a text, the index of patterns.
func startOf(text string) string {
	const most = 6
	return text[:min(len(text), most)]
}

// unmatched returns a warning for each pattern without a match.
func (p *parts) unmatched() []diag.Diagnostic {
	var out []diag.Diagnostic
	for i, pattern := range p.Patterns {
		if p.hits[i] {
			continue
		}
		d := diag.Diagnostic{Code: code.UnmatchedPart, Severity: diag.Warning, Span: pattern.At,
			Message: fmt.Sprintf("no imported sheet matches %q", pattern.Text)}
		if pattern.Selector {
			d.Message = fmt.Sprintf("no imported selector matches %q", pattern.Text)
		} else {
			d.Fix = diag.DidYouMean(pattern.Text, p.seen, "")
		}
		out = append(out, d)
	}
	return out
}
