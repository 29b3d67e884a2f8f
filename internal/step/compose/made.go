package compose

import (
	"slices"

	"rinzel/internal/css/ast"
	"rinzel/internal/css/print"
	"rinzel/internal/diag"
	"rinzel/internal/source"
)

// Made is a declaration or style rule that calls or loops made.
type Made struct {
	At source.Pos // of what was made, as it is written
	// Rule are the selectors of the rule that it is in after evaluation, or its
	// own if it is a rule; empty outside of style rules.
	Rule string
	By   []diag.Related // calls and iterations, innermost first
}

// noteMade records that open calls and loops make a node.
func (c *Composer) noteMade(n ast.Node) {
	if c.Made == nil || len(c.trail) == 0 || c.silent {
		return
	}
	m := Made{At: n.Pos()}
	rule := c.open
	if r, ok := n.(*ast.StyleRule); ok {
		rule = r
	}
	if rule != nil {
		m.Rule = string(print.AppendSelectors(nil, rule.Selectors))
	}
	for _, s := range slices.Backward(c.trail) {
		m.By = append(m.By, diag.Related{Span: s.at, Message: s.description()})
	}
	c.Made(m)
}

// openRule records that the nodes evaluated next are in a rule, and returns a
// function that undoes it.
func (c *Composer) openRule(n ast.Node) (leave func()) {
	if c.Made == nil {
		return func() {}
	}
	outer := c.open
	if r, ok := n.(*ast.StyleRule); ok {
		c.noteMade(r)
		c.open = r
	}
	return func() { c.open = outer }
}
