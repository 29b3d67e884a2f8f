package compose

import (
	"slices"
	"strings"

	"rinzel/internal/css/ast"
	"rinzel/internal/css/print"
	"rinzel/internal/diag"
	"rinzel/internal/source"
)

// Made is a declaration or style rule that calls or loops made.
type Made struct {
	At source.Pos // of what was made, as it is written
	// Rule are the selectors of the rule that it is in after evaluation, or its
	// own if it is a rule, with those of the rules around; empty outside of style
	// rules.
	Rule string
	By   []diag.Related // calls and iterations, innermost first
}

// noteMade records that open calls and loops make a node.
func (c *Composer) noteMade(n ast.Node) {
	if c.Made == nil || len(c.trail) == 0 || c.silent {
		return
	}
	m := Made{At: n.Pos(), Rule: c.open}
	for _, s := range slices.Backward(c.trail) {
		m.By = append(m.By, diag.Related{Span: s.at, Message: s.description()})
	}
	c.Made(m)
}

// openRule records that the nodes evaluated next are in a rule, and returns a
// function that undoes it.
func (c *Composer) openRule(n ast.Node) (leave func()) {
	if c.Made == nil && c.Record == nil {
		return func() {}
	}
	outer := c.open
	if r, ok := n.(*ast.StyleRule); ok {
		c.open = NestedIn(outer, string(print.AppendSelectors(nil, r.Selectors)))
		c.noteMade(r)
	}
	return func() { c.open = outer }
}

// NestedIn returns the selectors of a nested rule together with those of the
// rules around it, as one selector if that is simple.
func NestedIn(outer, inner string) string {
	inner = strings.ReplaceAll(inner, ",\n", ", ")
	switch {
	case outer == "":
		return inner
	case strings.ContainsAny(outer, ",/") || strings.Contains(inner, ","):
		return outer + " / " + inner
	case strings.Contains(inner, "&"):
		return strings.ReplaceAll(inner, "&", outer)
	}
	return outer + " " + inner
}
