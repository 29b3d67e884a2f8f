// Package purge removes the style rules that no evidence uses.
//
// A selector stays if every class, ID and element that it names may occur:
// the evidence names it, or an attribute or pseudo-class leaves it open.
// States (:hover), attributes and everything whose matching cannot be judged
// by name count as possible. Of a list, the selectors that cannot match go;
// a rule goes when all of its selectors do, and an at-rule that loses all of
// its rules goes with them.
package purge

import (
	"slices"
	"strings"

	"rinzel/internal/css/ast"
	"rinzel/internal/css/token"
)

// Result counts what a purge did.
type Result struct {
	Rules        int // style rules that were judged
	RemovedRules int
	RemovedBytes int // of the removed rules' source text, white space around declarations aside
}

// Nodes returns nodes without what the evidence does not use. Nodes that stay
// whole are shared, not copied.
func Nodes(nodes []ast.Node, e *Evidence) ([]ast.Node, Result) {
	p := &purger{evidence: e}
	out, _ := ast.Map(nodes, p.node)
	return out, p.result
}

type purger struct {
	evidence *Evidence
	result   Result
}

func (p *purger) node(n ast.Node) ast.Edit {
	switch n := n.(type) {
	case *ast.StyleRule:
		return p.rule(n)
	case *ast.AtRule:
		if n.Block == nil || !holdsRules[token.Lower(n.Name)] {
			return ast.Keep
		}
		edited, changed := ast.MapBody(n, p.node)
		if !changed {
			return ast.Keep
		}
		if len(ast.Body(edited)) > 0 || token.EqualFold(n.Name, "layer") { // an empty layer still has its place
			return ast.Replace(edited)
		}
		return ast.Remove
	}
	return ast.Keep
}

// holdsRules are the at-rules whose blocks hold style rules for the page. What
// stands in any other is used by name, and left alone.
var holdsRules = map[string]bool{
	"media": true, "supports": true, "layer": true, "container": true, "starting-style": true, "scope": true,
}

func (p *purger) rule(r *ast.StyleRule) ast.Edit {
	p.result.Rules++
	kept := r.Selectors
	if !all(kept, p.possible) {
		kept = slices.DeleteFunc(slices.Clone(kept), func(s ast.Selector) bool { return !p.possible(s) })
	}
	if len(kept) == 0 {
		p.result.RemovedRules++
		p.result.RemovedBytes += length(r)
		return ast.Remove
	}
	if slices.ContainsFunc(r.Selectors, ast.Selector.IsBad) {
		return ast.Keep // browsers drop the whole rule; without the other selectors some might not
	}
	if len(kept) == len(r.Selectors) {
		return ast.Keep
	}
	copied := *r
	copied.Selectors = kept
	return ast.Replace(&copied)
}

// length returns how long a rule is in its source.
func length(r *ast.StyleRule) int {
	n := len("{}")
	if at := r.Span(); at.IsValid() {
		n += int(at.End - at.Start.Off)
	}
	for _, child := range r.Nodes {
		if at := child.Span(); at.IsValid() {
			n += int(at.End-at.Start.Off) + len(";")
		}
	}
	return n
}

func all(list []ast.Selector, f func(ast.Selector) bool) bool {
	return !slices.ContainsFunc(list, func(s ast.Selector) bool { return !f(s) })
}

// possible reports whether a selector may match something.
func (p *purger) possible(s ast.Selector) bool {
	if p.evidence.keeps(s) {
		return true
	}
	for i := range s {
		if !p.possiblePart(&s[i]) {
			return false
		}
	}
	return true
}

func (p *purger) possiblePart(s *ast.Simple) bool {
	switch s.Kind {
	case ast.ClassSelector, ast.IDSelector:
		return p.evidence.Has(token.Unescape(s.Name))
	case ast.TypeSelector:
		name := s.Name[strings.LastIndexByte(s.Name, '|')+1:]
		return p.evidence.HasElement(token.Unescape(name))
	case ast.PseudoClass:
		return p.possibleArgs(s)
	case ast.BadSelector:
		return true // newer browsers may read it
	}
	return true
}

// possibleArgs judges a pseudo-class by the selectors it takes: one of them
// must be possible where it selects by them. :not() and unknown ones select
// by what they do not match.
func (p *purger) possibleArgs(s *ast.Simple) bool {
	if s.Args == nil || len(s.Args.Selectors) == 0 {
		return true
	}
	switch token.Lower(s.Name) {
	case "is", "where", "has", "matches", "-webkit-any", "-moz-any", "nth-child", "nth-last-child":
		return slices.ContainsFunc(s.Args.Selectors, p.possible)
	}
	return true
}
