package compose

import (
	"fmt"
	"math"
	"strconv"

	"rinzel/internal/css/ast"
	"rinzel/internal/css/token"
	"rinzel/internal/diag"
	"rinzel/internal/diag/code"
	"rinzel/internal/source"
)

// iterationWeight is the number of values that an iteration counts as, whatever
// it generates, so that nested loops reach a limit.
const iterationWeight = 8

// iteration holds the variables of one iteration: the key, if the source has
// keys, and the item.
type iteration struct{ key, item *Constant }

// loop evaluates an @loop rule:
//
//	@loop item over SOURCE { … }
//	@loop key, item over SOURCE { … }
func (c *Composer) loop(r *ast.AtRule, s *Scope) []ast.Node {
	names, from, ok := c.loopHead(r)
	if !ok {
		return nil
	}
	var out []ast.Node
	for _, t := range c.iterations(from, len(names) == 2, s) {
		// Variables are visible in the block only.
		inner := s.inner()
		inner.vars = &loopVars{names, t}
		// Findings and records in the block name the iteration.
		c.trail = append(c.trail, frame{at: r.Span(), names: names, turn: t})
		made := c.block(r.Block.Nodes, inner)
		c.trail = c.trail[:len(c.trail)-1]
		// Counting each iteration ends nested loops early, before the memory is
		// used.
		if !c.count(iterationWeight+weight(made), r.Span()) {
			return nil
		}
		out = append(out, made...)
	}
	return out
}

// weight estimates how many values nodes count as, so that nested loops reach a
// limit.
func weight(nodes []ast.Node) int {
	n := 0
	// Nodes without values cost memory as well.
	ast.Walk(nodes, func(ast.Node) bool { n += 4; return true })
	return n + 1
}

// loopHead reads the variables and the source of a loop.
func (c *Composer) loopHead(r *ast.AtRule) (names []string, from []ast.Value, ok bool) {
	const form = "write @loop item over SOURCE { … } or @loop key, item over SOURCE { … }"
	p := r.Prelude
	for len(p) > 0 && p[0].Kind == token.Ident && len(names) < 2 {
		names = append(names, token.Unescape(p[0].Text))
		p = p[1:]
		// A comma means that a second name follows.
		if len(p) == 0 || p[0].Kind != token.Comma {
			break
		}
		p = p[1:]
	}
	switch {
	case r.Block == nil:
		c.fail(code.BadLoop, r.Span(), "@loop has no block", form)
	case len(names) == 0:
		c.fail(code.BadLoop, r.Span(), "@loop has no variable: expected a name", form)
	case len(p) == 0 || !p[0].IsIdent("over"):
		c.fail(code.BadLoop, r.Span(), fmt.Sprintf("expected %q after the names of the loop", "over"), form)
	case len(p) == 1:
		c.fail(code.BadLoop, r.Span(),
			"@loop has no source: expected const(group), const(list), range(from, to) or a list", form)
	default:
		return names, p[1:], true
	}
	return nil, nil, false
}

// iterations returns the iterations over a source. keyed is set if the loop has
// a key variable.
func (c *Composer) iterations(from []ast.Value, keyed bool, s *Scope) []iteration {
	if group := c.groupOf(from, s); group != nil {
		out := make([]iteration, len(group.keys))
		for i, key := range group.keyWords() {
			out[i] = iteration{key, group.at(group.keys[i])}
		}
		return out
	}
	at := ast.SpanOf(from)
	// "over tones" is a list of one word, but probably means a constant.
	if len(from) == 1 && from[0].Kind == token.Ident {
		if name := token.Unescape(from[0].Text); s.knows(name) {
			c.fail(code.BadLoop, at, fmt.Sprintf("%q is a plain word, not a constant: the loop would run once", name),
				fmt.Sprintf("write const(%s) to loop over the constant", from[0].Text))
			return nil
		}
	}
	// A missing constant is reported as such, not as an empty list.
	if p, whole := c.constantPath(from, s); whole {
		if _, ok := s.Find(p); !ok {
			c.unknown(p, at, s)
			return nil
		}
	}
	values, _ := c.values(from, s, atBuild)
	if len(values) == 1 && values[0].IsFunction("range") {
		return c.rangeIterations(&values[0])
	}
	list := items(values)
	// With a key variable, the author expects a group.
	if p, whole := c.constantPath(from, s); whole && keyed && len(list) == 1 {
		found, _ := s.Find(p)
		c.report(diag.Diagnostic{Code: code.NotAGroup, Severity: diag.Warning, Span: at,
			Message: fmt.Sprintf("%q is a single value, not a group: the loop runs once", joinPath(p)),
			Related: []diag.Related{{Span: found.At, Message: "set here"}}})
	}
	var out []iteration
	// The keys of a list are its positions, from 1.
	for i, item := range list {
		out = append(out, iteration{number(float64(i+1), at), &Constant{Value: item, At: at}})
	}
	return out
}

// items splits values at commas, or at white space if there are none.
func items(values []ast.Value) [][]ast.Value {
	var out [][]ast.Value
	commas := false
	start := 0
	flush := func(end int) {
		if end > start {
			out = append(out, values[start:end:end])
		}
	}
	for i := range values {
		// With commas, items may consist of several values, as in "1px solid,
		// 2px dotted".
		if values[i].Kind == token.Comma {
			commas = true
			flush(i)
			start = i + 1
		}
	}
	if commas {
		flush(len(values))
		return out
	}
	for i := range values {
		if i > 0 && values[i].Space {
			flush(i)
			start = i
		}
	}
	flush(len(values))
	return out
}

// rangeIterations returns the iterations over range(from, to) or range(from,
// to, step). The end is included; the default step is 1, or -1 if the end is
// less than the start.
func (c *Composer) rangeIterations(v *ast.Value) []iteration {
	args := items(v.Inner.Values)
	bounds := make([]float64, len(args))
	for i, arg := range args {
		// The argument is invalid and was reported.
		if isEcho(arg) {
			return nil
		}
		n, err := strconv.ParseFloat(arg[0].Text, 64)
		if len(arg) != 1 || arg[0].Kind != token.Number || err != nil || math.IsInf(n, 0) {
			c.fail(code.BadLoop, ast.SpanOf(arg), fmt.Sprintf("range() expects numbers, got %q", textOfValues(arg)),
				"write range(from, to) or range(from, to, step)")
			return nil
		}
		bounds[i] = n
	}
	if len(bounds) != 2 && len(bounds) != 3 {
		c.fail(code.BadLoop, v.Span(), fmt.Sprintf("range() expects two or three numbers, got %d", len(bounds)),
			"write range(from, to) or range(from, to, step)")
		return nil
	}
	from, to := bounds[0], bounds[1]
	step := 1.0
	if to < from {
		step = -1
	}
	if len(bounds) == 3 {
		step = bounds[2]
	}
	// Both infinite and empty ranges are mistakes.
	if step == 0 || (to-from)/step < 0 {
		c.fail(code.BadLoop, v.Span(),
			fmt.Sprintf("endless range: steps of %v do not lead from %v to %v", step, from, to), "")
		return nil
	}
	// Binary fractions add errors: range(0, 1, 0.1) must include 1.
	count := math.Floor((to-from)/step+1e-9) + 1
	if most := c.limits().Iterations; count > float64(most) {
		c.fail(code.BadLoop, v.Span(),
			fmt.Sprintf("the range has %.0f numbers, but loops are limited to %d iterations", count, most),
			"raise iterations in [limits] of the settings")
		return nil
	}
	var out []iteration
	for i := range int(count) {
		out = append(out, iteration{number(float64(i+1), v.Span()), number(from+float64(i)*step, v.Span())})
	}
	return out
}

// keyWords returns the keys of the group as values.
func (g *Group) keyWords() []*Constant {
	// Loops over the same group share the words.
	if g.words == nil {
		g.words = make([]*Constant, len(g.keys))
		for i, key := range g.keys {
			g.words[i] = word(key, g.at(key).At)
		}
	}
	return g.words
}

// word returns a constant with a single word.
func word(text string, at source.Span) *Constant {
	return &Constant{Value: []ast.Value{{Kind: token.Ident, Text: token.EscapeName(text), Pos: at.Start}}, At: at}
}

// number returns a constant with a number, rounded to nine decimals to hide the
// noise of binary fractions.
func number(n float64, at source.Span) *Constant {
	text := strconv.FormatFloat(math.Round(n*1e9)/1e9, 'f', -1, 64)
	return &Constant{Value: []ast.Value{{Kind: token.Number, Text: text, Pos: at.Start}}, At: at}
}
