// Package compose evaluates the build-time language of a sheet:
//
//	@const gap: 8px;              sets a constant
//	@const tone { calm: teal; }   sets a group of constants, which may nest
//	@const tone.calm: teal;       sets one key of a group
//	@default gap: 8px;            sets it only if it is not set yet
//	@drop tone.calm;              removes a key from a group
//	@tokens "x.tokens.json";      sets constants from a design token file
//	padding: const(gap);          reads a constant, in any value or prelude
//	padding: const(gap, 8px);     reads it, with a fallback
//	@loop key, item over SOURCE   repeats its block
//	.note-(key), margin-(side)    builds a name from a constant
//	concat(…), ident(…)           join strings and names
//	@mixin, @apply, @contents     blocks with parameters
//	@function --f(…), --f(…)      values with parameters
//	@when const(…) { } @else { }  conditional rules
//	if(const(…): 1px; else: 2px)  conditional values
//	@custom-selector :--x a, b;   names a selector list
//	@custom-media --x (…);        names a media query
//	@family .padding-(step) { }   defines classes that exist if they are in use
//	@mode hover- { … }            prefixes that wrap their declarations
//	@take .padding-2;             the declarations of such classes
//	calc(…), color-mix(…)         are computed if all their arguments are known
//
// A constant that is set in a block is local to the block. All others flow
// along imports: an imported sheet sees what its importer set before the
// import, and the importer sees afterwards what the sheet set.
//
// A [Composer] evaluates the nodes of one sheet in a [Scope], which holds the
// constants and definitions that are visible. Package link follows the imports
// and passes the scope from sheet to sheet. Start reading at [Composer.Append].
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

// Limits bound how much a sheet may generate.
type Limits struct {
	Values     int // total number of values inserted by constants, loops and mixins
	Iterations int // of one loop
	Calls      int // nesting depth of mixin and function calls
}

// DefaultLimits are far above what real sheets need. They stop runaway growth:
// a few constants that each use the previous one twice reach any size.
var DefaultLimits = Limits{Values: 5_000_000, Iterations: 100_000, Calls: 64}

// A Composer evaluates one sheet. Its exported fields are configuration.
type Composer struct {
	Report  func(diag.Diagnostic)
	Limits  Limits        // the zero value means [DefaultLimits]
	Record  *Record       // records where constants are set and read; nil to record nothing
	Imports []source.Span // imports that lead to the sheet, for findings
	Made    func(Made)    // receives what calls and loops make; may be nil
	// Tokens reads the design token file at an address. It returns false after
	// reporting an error. It is nil where no files are available.
	Tokens func(address string, at source.Span) ([]tokens.Token, bool)

	inserted int // number of values inserted so far
	tooMany  bool
	setting  string // path of the constant that is being evaluated
	rule     int    // number of the rule that is being evaluated, for the record
	silent   bool   // findings are suppressed
	depth    int    // nesting depth of blocks
	tooDeep  bool
	reader   parse.SelectorReader
	inStyle  bool // inside a style rule, whose declarations may be wrapped in conditional rules
	branch   branching
	mayFail  bool    // the current value may evaluate to nothing
	failed   bool    // it did evaluate to nothing
	trail    []frame // open calls and loops, outermost first
	open     string  // selectors of the open rules, after evaluation, for Made and Record
	property string  // of the declaration that is being evaluated
	calls    int     // number of open calls
}

// statements are the at-rules that only have a meaning at build time.
var statements = words("const default drop tokens mixin function custom-selector custom-media")

// IsStatement reports whether n is a build-time statement, which may come
// before imports.
func IsStatement(n ast.Node) bool {
	r, ok := n.(*ast.AtRule)
	return ok && statements[token.Lower(r.Name)]
}

// Nodes returns nodes with the build-time language evaluated. Nodes without it
// are shared, not copied.
func (c *Composer) Nodes(nodes []ast.Node, s *Scope) []ast.Node {
	out, _ := ast.Map(nodes, func(n ast.Node) ast.Edit { return c.node(n, s) })
	return out
}

// Append appends the evaluation of one node to list. It is what
// [Composer.Nodes] does for each node.
func (c *Composer) Append(list []ast.Node, n ast.Node, s *Scope) []ast.Node {
	return c.node(n, s).Append(list, n)
}

// node evaluates one node.
func (c *Composer) node(n ast.Node, s *Scope) ast.Edit {
	if c.tooMany {
		return ast.Remove
	}
	if _, ok := n.(*ast.Comment); ok {
		return ast.Keep
	}
	prior := s.prior
	s.prior = nil // only an @else may follow
	switch n := n.(type) {
	case *ast.Declaration:
		c.noteMade(n)
		return c.declaration(n, s)
	case *ast.InterpolatedDeclaration:
		c.noteMade(n)
		d, ok := c.interpolateDeclaration(n, s)
		if !ok {
			return ast.Remove // after a finding
		}
		if edit := c.declaration(d, s); edit.Changed() {
			return edit
		}
		return ast.Replace(d)
	case *ast.AtRule:
		if with, ok := c.buildRule(n, prior, s); ok {
			return ast.Splice(with)
		}
	}
	if of := s.inFunction(); of != nil {
		c.inBody(n, of, s)
		return ast.Remove
	}
	return c.ruleOf(n, s)
}

// declaration evaluates the value of a declaration, and wraps it in conditional
// rules if it depends on conditions of the browser.
func (c *Composer) declaration(d *ast.Declaration, s *Scope) ast.Edit {
	if of := s.inFunction(); of != nil {
		of.declare(d, s)
		return ast.Remove
	}
	c.branch, c.property = branching{allowed: c.inStyle}, d.Name
	defer func() { c.property = "" }()
	value := c.evaluated(d, s)
	asked := c.branch.asked
	if len(asked) > 0 {
		nodes := c.branches(d.Span(), []ast.Node{withValue(d, value)}, asked,
			func(truth map[string]bool) ([]ast.Node, []question, bool) {
				c.branch.truth = truth
				value := c.evaluated(d, s)
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

// evaluated returns the value of a declaration after evaluation. If it
// evaluates to nothing, the result is what a browser would compute (CSS
// Variables 1, section 3.1): unset, or initial in a custom property.
func (c *Composer) evaluated(d *ast.Declaration, s *Scope) []ast.Value {
	c.branch.asked = nil
	value, ok := c.maybe(d.Value, s, contextOf(d))
	if ok {
		return value
	}
	word := "unset"
	if d.IsCustom() {
		word = "initial"
	}
	return []ast.Value{{Kind: token.Ident, Text: word, Pos: d.NamePos}}
}

// buildRule evaluates an at-rule of the build-time language; ok is false for
// other rules.
func (c *Composer) buildRule(r *ast.AtRule, prior *condition, s *Scope) (with []ast.Node, ok bool) {
	switch token.Lower(r.Name) {
	case "const", "default":
		c.set(r, s)
	case "drop":
		if r.Block == nil { // without a block, the parser has reported it
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
	case "family":
		with = c.family(r, s)
	case "mode":
		with = c.mode(r, s)
	case "take":
		with = c.take(r, s)
	case "slot":
		c.fail(code.BadFamily, r.Span(), "@slot outside of a family", "")
	default:
		return nil, false
	}
	return with, true
}

// ruleOf evaluates a rule without a meaning of its own at build time: its
// prelude and its block.
func (c *Composer) ruleOf(n ast.Node, s *Scope) ast.Edit {
	if c.Record != nil {
		outer := c.rule
		c.Record.rules++
		c.rule = c.Record.rules
		defer func() { c.rule = outer }()
	}
	n, changed := c.head(n, s)
	defer c.openRule(n)()
	if len(ast.Body(n)) > 0 {
		inStyle := c.inStyle
		c.inStyle = holdsStyle(n, inStyle)
		defer func() { c.inStyle = inStyle }()
		if !c.descend(n.Span()) {
			return ast.Remove
		}
		defer func() { c.depth-- }()
		inner := s
		if slices.ContainsFunc(ast.Body(n), isAtRule) { // only at-rules define names
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

// isAtRule reports whether n is an at-rule.
func isAtRule(n ast.Node) bool {
	_, ok := n.(*ast.AtRule)
	return ok
}

// holdsStyle reports whether the declarations in the block of a rule may be
// wrapped in conditional rules. inStyle is the answer for the parent block.
func holdsStyle(n ast.Node, inStyle bool) bool {
	switch n := n.(type) {
	case *ast.StyleRule:
		return true
	case *ast.AtRule:
		return inStyle && known.HoldsStyleRules(token.Lower(n.Name))
	}
	return false
}

// head evaluates the selectors or prelude of a rule.
func (c *Composer) head(n ast.Node, s *Scope) (with ast.Node, changed bool) {
	switch r := n.(type) {
	case *ast.StyleRule:
		if list, ok := c.selectors(r.Selectors, s); ok {
			copied := *r
			copied.Selectors = list
			return &copied, true
		}
	case *ast.QualifiedRule:
		if prelude, ok := c.values(r.Prelude, s, valueContext{}); ok {
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

// descend enters a block. It returns false after reporting that mixins nest
// blocks too deep.
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

// frame is an open call or an iteration of a loop.
type frame struct {
	at    source.Span
	of    *callable // nil for a loop
	names []string  // variables of a loop
	turn  iteration
	// member is the class of a family that is evaluated; empty outside of families.
	member string
}

// description describes the frame in a finding.
func (s *frame) description() string {
	switch {
	case s.member != "":
		return fmt.Sprintf("in the class %q of this family", s.member)
	case s.of != nil:
		return fmt.Sprintf("in the %s %q, called here", s.of.kind(), s.of.name)
	case len(s.names) == 2:
		return fmt.Sprintf("in the loop, where %s is %s", s.names[0], textOfValues(s.turn.key.Value))
	case s.turn.item.Group != nil:
		return fmt.Sprintf("in the loop, where %s is the group %s", s.names[0], textOfValues(s.turn.key.Value))
	}
	return fmt.Sprintf("in the loop, where %s is %s", s.names[0], textOfValues(s.turn.item.Value))
}

// report reports a finding together with the calls that led to it.
func (c *Composer) report(d diag.Diagnostic) {
	c.trailed(&d)
	c.Report(d)
}

// trailed adds the calls, loops and imports that led to a finding.
func (c *Composer) trailed(d *diag.Diagnostic) {
	d.Imports = c.Imports
	const most = 4
	var last source.Span
	shown := 0
	for _, s := range slices.Backward(c.trail) {
		if s.at == last || s.at == d.Span { // recursion is listed once, and not if it is the position of the finding
			continue
		}
		if shown++; shown > most {
			break
		}
		d.Related = append(d.Related, diag.Related{Span: s.at, Message: s.description()})
		last = s.at
	}
}

// limits returns the limits with defaults filled in.
func (c *Composer) limits() Limits {
	if c.Limits == (Limits{}) {
		return DefaultLimits
	}
	return c.Limits
}

// fail reports an error.
func (c *Composer) fail(what code.Code, at source.Span, message, fix string) {
	c.report(diag.Diagnostic{Code: what, Severity: diag.Error, Span: at, Message: message, Fix: fix})
}
