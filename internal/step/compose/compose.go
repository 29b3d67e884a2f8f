// Package compose finishes what a sheet says to the build:
//
//	@const gap: 8px;              sets a constant
//	@const tone { calm: teal; }   sets a group of constants, which may nest
//	@const tone.calm: teal;       sets one key of a group
//	@default gap: 8px;            sets it only where nothing set it before
//	@drop tone.calm;              takes a key out of a group
//	@tokens "x.tokens.json";      sets what a file of design tokens says
//	padding: const(gap);          reads a constant, in any value or prelude
//	padding: const(gap, 8px);     reads it, or else takes the fallback
//	@loop key, item over SOURCE   repeats its block
//	.note-(key), margin-(side)    builds a name from a constant
//	concat(…), ident(…)           join strings and names
//	@mixin, @apply, @contents     blocks with parameters
//	@function --f(…), --f(…)      values with parameters
//	@when const(…) { } @else { }  decides what can be decided now
//	if(const(…): 1px; else: 2px)  likewise, within a value
//	@custom-selector :--x a, b;   names a selector list
//	@custom-media --x (…);        names a media query
//	calc(…), color-mix(…)         are worked out where all in them is known
//
// A constant that is set within a block ends with the block. All others flow
// along imports: an imported sheet sees what its importer set before, and the
// importer sees afterwards what the sheet set.
package compose

import (
	"fmt"
	"slices"

	"rinzel/internal/css/ast"
	"rinzel/internal/css/known"
	"rinzel/internal/css/parse"
	"rinzel/internal/css/token"
	"rinzel/internal/diag"
	"rinzel/internal/diag/code"
	"rinzel/internal/source"
	"rinzel/internal/tokens"
)

// Limits bound what a sheet may grow to.
type Limits struct {
	Values int // that constants, loops and mixins together may put into one sheet
	Turns  int // of one loop
	Calls  int // of mixins and functions within each other
}

// DefaultLimits are wide enough for every sheet that means well. A few
// constants that each use the one before twice reach any number.
var DefaultLimits = Limits{Values: 5_000_000, Turns: 100_000, Calls: 64}

// Composer works through one sheet.
type Composer struct {
	Report  func(diag.Diagnostic)
	Limits  Limits        // the zero Limits are [DefaultLimits]
	Record  *Record       // notes where constants are set and read; nil if nobody asks
	Imports []source.Span // that led to the sheet, for findings
	// Tokens reads the file of design tokens that an address names, or returns
	// false after a report. It is nil where there are no files.
	Tokens func(address string, at source.Span) ([]tokens.Token, bool)

	made    int // values that were put into the sheet
	tooMany bool
	setting string // the path of the constant that is worked out
	rule    int    // the number of the rule that is finished, for the record
	silent  bool   // nothing is reported
	depth   int    // of blocks within each other
	tooDeep bool
	reader  parse.SelectorReader
	inStyle bool // within a style rule, whose declarations conditional rules may hold
	branch  branching
	mayFail bool    // nothing may come of what is worked out
	failed  bool    // nothing did
	trail   []frame // the calls and loops that are open, outermost first
	calls   int     // that are open
}

// statements are the at-rules that speak to the build alone.
var statements = words("const default drop tokens mixin function custom-selector custom-media")

// IsStatement reports whether n speaks to the build alone, so that it may
// stand before an import.
func IsStatement(n ast.Node) bool {
	r, ok := n.(*ast.AtRule)
	return ok && statements[token.Lower(r.Name)]
}

// Nodes returns nodes with all that they say to the build finished. Nodes
// that say nothing to it are shared, not copied.
func (c *Composer) Nodes(nodes []ast.Node, s *Scope) []ast.Node {
	out, _ := ast.Map(nodes, func(n ast.Node) ast.Edit { return c.node(n, s) })
	return out
}

// Append appends what becomes of one node to a list.
func (c *Composer) Append(list []ast.Node, n ast.Node, s *Scope) []ast.Node {
	return c.node(n, s).Append(list, n)
}

// node returns what becomes of one node.
func (c *Composer) node(n ast.Node, s *Scope) ast.Edit {
	if c.tooMany {
		return ast.Remove
	}
	if _, ok := n.(*ast.Comment); ok {
		return ast.Keep
	}
	prior := s.prior
	s.prior = nil // but for a rule that goes on with it
	switch n := n.(type) {
	case *ast.Declaration:
		return c.declaration(n, s)
	case *ast.SplicedDeclaration:
		d, ok := c.spliceDeclaration(n, s)
		if !ok {
			return ast.Remove // after a finding
		}
		if edit := c.declaration(d, s); edit.Changed() {
			return edit
		}
		return ast.Replace(d)
	case *ast.AtRule:
		if with, ok := c.own(n, prior, s); ok {
			return ast.Splice(with)
		}
	}
	if of := s.inFunction(); of != nil {
		c.inBody(n, of, s)
		return ast.Remove
	}
	return c.ruleOf(n, s)
}

func (c *Composer) declaration(d *ast.Declaration, s *Scope) ast.Edit {
	if of := s.inFunction(); of != nil {
		of.declare(d, s)
		return ast.Remove
	}
	c.branch = branching{allowed: c.inStyle}
	value := c.worked(d, s)
	asked := c.branch.asked
	if len(asked) > 0 {
		nodes := c.branches(d.Span(), []ast.Node{withValue(d, value)}, asked, func(truth map[string]bool) ([]ast.Node, []question, bool) {
			c.branch.truth = truth
			value := c.worked(d, s)
			return []ast.Node{withValue(d, value)}, c.branch.asked, true
		})
		c.branch = branching{}
		return ast.Splice(nodes)
	}
	c.branch.allowed = false
	if len(value) == len(d.Value) && (len(value) == 0 || &value[0] == &d.Value[0]) {
		return ast.Keep
	}
	return ast.Replace(withValue(d, value))
}

// worked returns the value of a declaration, worked out. One of which nothing comes is what a browser
// makes of it (CSS Variables 1, section 3.1): unset, and initial in a custom property.
func (c *Composer) worked(d *ast.Declaration, s *Scope) []ast.Value {
	c.branch.asked = nil
	value, ok := c.maybe(d.Value, s, placeOf(d))
	if ok {
		return value
	}
	word := "unset"
	if d.IsCustom() {
		word = "initial"
	}
	return []ast.Value{{Kind: token.Ident, Text: word, Pos: d.NamePos}}
}

// own returns what stands for an at-rule that speaks to the build; ok is false
// for any other.
func (c *Composer) own(r *ast.AtRule, prior *condition, s *Scope) (with []ast.Node, ok bool) {
	switch token.Lower(r.Name) {
	case "const", "default":
		c.set(r, s)
	case "drop":
		if r.Block == nil { // else after a finding of the parser
			c.drop(r, s)
		}
	case "tokens":
		if r.Block == nil {
			c.tokens(r, s)
		}
	case "mixin", "function", "custom-selector", "custom-media":
		if s.outer == nil || !hoisted(r) {
			c.define(r, s)
		}
	case "when", "else":
		with = c.when(r, prior, s)
	case "loop":
		with = c.loop(r, s)
	case "apply":
		with = c.apply(r, s)
	case "contents":
		with = c.contents(r, s)
	default:
		return nil, false
	}
	return with, true
}

// ruleOf returns what becomes of a rule, or of what else has no part in the build.
func (c *Composer) ruleOf(n ast.Node, s *Scope) ast.Edit {
	if c.Record != nil {
		outer := c.rule
		c.Record.rules++
		c.rule = c.Record.rules
		defer func() { c.rule = outer }()
	}
	n, changed := c.head(n, s)
	if len(ast.Body(n)) > 0 {
		inStyle := c.inStyle
		c.inStyle = holdsStyle(n, inStyle)
		defer func() { c.inStyle = inStyle }()
		if !c.descend(n.Span()) {
			return ast.Remove
		}
		defer func() { c.depth-- }()
		inner := s
		if slices.ContainsFunc(ast.Body(n), isAtRule) { // which alone define something
			inner = s.inner()
			c.hoist(ast.Body(n), inner)
		}
		if edited, ok := ast.MapBody(n, func(n ast.Node) ast.Edit { return c.node(n, inner) }); ok {
			return ast.Replace(edited)
		}
	}
	if changed {
		return ast.Replace(n)
	}
	return ast.Keep
}

func isAtRule(n ast.Node) bool {
	_, ok := n.(*ast.AtRule)
	return ok
}

// holdsStyle reports whether the block of a rule holds declarations that conditional rules may hold as
// well. inStyle tells that the rule stands in such a block.
func holdsStyle(n ast.Node, inStyle bool) bool {
	switch n := n.(type) {
	case *ast.StyleRule:
		return true
	case *ast.AtRule:
		return inStyle && known.HoldsStyleRules(token.Lower(n.Name))
	}
	return false
}

// head finishes what stands before the block of a rule.
func (c *Composer) head(n ast.Node, s *Scope) (with ast.Node, changed bool) {
	switch r := n.(type) {
	case *ast.StyleRule:
		if list, ok := c.selectors(r.Selectors, s); ok {
			copied := *r
			copied.Selectors = list
			return &copied, true
		}
	case *ast.QualifiedRule:
		if prelude, ok := c.values(r.Prelude, s, place{}); ok {
			copied := *r
			copied.Prelude = prelude
			return &copied, true
		}
	case *ast.AtRule:
		if prelude, ok := c.prelude(r, s); ok {
			copied := *r
			copied.Prelude = prelude
			return &copied, true
		}
	}
	return n, false
}

// descend goes one block deeper. It reports, and returns false, where blocks
// that mixins put into each other nest deeper than a sheet may.
func (c *Composer) descend(at source.Span) bool {
	if c.depth++; c.depth <= ast.MaxDepth {
		return true
	}
	c.depth--
	if !c.tooDeep {
		c.tooDeep = true
		c.fail(code.TooDeep, at, fmt.Sprintf("mixins are nested deeper than %d levels", ast.MaxDepth), "")
	}
	return false
}

// frame is a call or the turn of a loop that is open.
type frame struct {
	at    source.Span
	of    *callable // nil for a loop
	names []string  // of a loop
	turn  turn
}

// words tells what led to what stands in the body.
func (s *frame) words() string {
	switch {
	case s.of != nil:
		return fmt.Sprintf("in the %s %q, called here", s.of.kind(), s.of.name)
	case len(s.names) == 2:
		return fmt.Sprintf("in the loop, where %s is %s", s.names[0], textOfValues(s.turn.key.Value))
	case s.turn.item.Group != nil:
		return fmt.Sprintf("in the loop, where %s is the group %s", s.names[0], textOfValues(s.turn.key.Value))
	}
	return fmt.Sprintf("in the loop, where %s is %s", s.names[0], textOfValues(s.turn.item.Value))
}

// report passes a finding on, with the calls that led to it.
func (c *Composer) report(d diag.Diagnostic) {
	c.trailed(&d)
	c.Report(d)
}

// trailed adds what led to a finding: calls and loops, and imports.
func (c *Composer) trailed(d *diag.Diagnostic) {
	d.Imports = c.Imports
	const most = 4
	var last source.Span
	shown := 0
	for _, s := range slices.Backward(c.trail) {
		if s.at == last || s.at == d.Span { // what calls itself is named once, and the finding shows its own place
			continue
		}
		if shown++; shown > most {
			break
		}
		d.Related = append(d.Related, diag.Related{Span: s.at, Message: s.words()})
		last = s.at
	}
}

func (c *Composer) limits() Limits {
	if c.Limits == (Limits{}) {
		return DefaultLimits
	}
	return c.Limits
}

func (c *Composer) fail(what code.Code, at source.Span, message, fix string) {
	c.report(diag.Diagnostic{Code: what, Severity: diag.Error, Span: at, Message: message, Fix: fix})
}
