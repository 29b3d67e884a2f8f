package grammar

import (
	"fmt"
	"slices"
	"strings"

	"rinzel/internal/css/ast"
	"rinzel/internal/css/known"
	"rinzel/internal/css/token"
)

// This file matches values against definitions. Each part of a definition
// matches from a position in a list of values to any number of end positions.
// The matcher follows all of them to find out whether the whole definition
// consumes all values.

// Definition is the definition of the values of a property or descriptor.
type Definition struct {
	table  *table
	name   string // a reference, see [table.expr]
	syntax string
}

// Syntax returns the definition in the value definition syntax; empty if the
// data does not have it.
func (d Definition) Syntax() string { return d.syntax }

// Misfit explains why values are invalid.
type Misfit struct {
	// At is the first value that does not match; nil if values are missing at
	// the end.
	At *ast.Value
	// Keywords and Types would be valid there; types are named as in the
	// specifications, without angle brackets.
	Keywords, Types []string
	// OutOfRange is set if the value is a number of the right type outside of
	// the range from Low to High.
	OutOfRange bool
	Low, High  float64
}

// wide are the CSS-wide keywords (CSS Cascade 5, section 7.3).
var wide = []string{"initial", "inherit", "unset", "revert", "revert-layer", "revert-rule"}

// IsWide reports whether values are a CSS-wide keyword.
func IsWide(values []ast.Value) bool {
	return len(values) == 1 && values[0].Kind == token.Ident && slices.Contains(wide, token.Lower(values[0].Text))
}

// IsValid reports whether values are known to be valid for a property, given in
// lower case: false if it does not exist, or if they depend on substitution.
func IsValid(property string, values []ast.Value) bool {
	d, ok := Property(property)
	return ok && !Open(values) && d.Valid(values)
}

// Match reports whether values are valid for a property. The values must not
// contain white space, comments, !important, or substitution functions (see
// [Open]). Definitions that the data leaves open, and matches that would take
// too long, count as valid.
func (d Definition) Match(values []ast.Value) (m Misfit, ok bool) {
	if d.Valid(values) {
		return m, true
	}
	work := &work{left: maxWork, tracer: new(tracer)}
	if fits(d.table, d.table.expr(d.name, everything[0], everything[1]), values, nil, work) {
		return m, true
	}
	return work.tracer.found(), false
}

// Valid is [Definition.Match] without an explanation, and faster.
func (d Definition) Valid(values []ast.Value) bool {
	if d.syntax == "" {
		return true
	}
	if d.name[0] == '<' && IsWide(values) {
		return true
	}
	var room [128]byte
	shape := appendShape(append(room[:0], d.name...), values)
	if valid, known := d.table.verdicts.of(shape); known {
		return valid
	}
	e := d.table.expr(d.name, everything[0], everything[1])
	valid := e == nil || d.table.plainly(e, values, 0) || fits(d.table, e, values, nil, &work{left: maxWork})
	d.table.verdicts.add(shape, valid)
	return valid
}

// Open reports whether values contain a substitution function, so that their
// validity is only known at computed-value time (CSS Values 5, section 8).
func Open(values []ast.Value) bool {
	return slices.ContainsFunc(values, func(v ast.Value) bool {
		if v.Kind == token.Function {
			if name := token.Lower(v.Name()); known.Substitutes(name) || name == "const" {
				return true
			}
		}
		return v.Inner != nil && Open(v.Inner.Values)
	})
}

// maxWork limits how often parts of a definition are tried before values are
// assumed to match, and maxDepth how deep parts are nested.
const (
	maxWork  = 200_000
	maxDepth = 200
)

// work is the remaining budget of one match.
type work struct {
	left   int
	depth  int
	tracer *tracer
}

// fits reports whether all values match e. way is the path to them, see
// [tracer].
func fits(t *table, e *expr, values []ast.Value, way []int, w *work) bool {
	m := matcher{table: t, values: values, work: w, way: way}
	ends := m.ends(e, 0)
	if slices.Contains(ends, len(values)) || w.left <= 0 {
		return true
	}
	if len(ends) > 0 {
		m.miss(nil, ends[len(ends)-1])
	}
	return false
}

// matcher matches parts of definitions against one list of values.
type matcher struct {
	table  *table
	values []ast.Value
	work   *work
	memo   map[memoKey][]int
	way    []int
}

// memoKey is a part of a definition at a position.
type memoKey struct {
	e  *expr
	at int
}

// ends returns the positions up to which e matches from at, in increasing
// order.
func (m *matcher) ends(e *expr, at int) []int {
	switch e.op {
	case keyword, literal, basic, anything:
		m.work.left--
		return m.single(e, at)
	}
	key := memoKey{e, at}
	if out, ok := m.memo[key]; ok && e.op != reference {
		return out
	}
	m.work.left--
	if m.work.left <= 0 || m.work.depth > maxDepth {
		m.work.left = 0
		return nil
	}
	m.work.depth++
	out := m.combined(e, at)
	m.work.depth--
	if e.filled {
		out = slices.DeleteFunc(slices.Clone(out), func(end int) bool { return end == at })
	}
	if e.op == reference { // the result of its target is memoized
		return out
	}
	if m.memo == nil {
		m.memo = make(map[memoKey][]int)
	}
	m.memo[key] = out
	return out
}

// combined is ends for expressions with several parts.
func (m *matcher) combined(e *expr, at int) []int {
	switch e.op {
	case reference:
		target := m.table.follow(e)
		if target == nil {
			return m.open(at)
		}
		return m.ends(target, at)
	case function, block:
		return m.bracketed(e, at)
	case sequence:
		return m.sequence(e.args, at)
	case oneOf:
		return m.oneOf(e, at)
	case allOf, someOf:
		return m.inAnyOrder(e, at)
	case repeat:
		return m.repeated(e, at)
	}
	panic(fmt.Sprintf("grammar: unknown operator %d", e.op))
}

// positions are positions in a list of values, in increasing order.
type positions []int

// add inserts positions.
func (p *positions) add(list ...int) {
	for _, at := range list {
		if i, found := slices.BinarySearch(*p, at); !found {
			*p = slices.Insert(*p, i, at)
		}
	}
}

// open matches one or more arbitrary values.
func (m *matcher) open(at int) []int {
	if m.work.left -= len(m.values) - at; m.work.left <= 0 {
		return nil // a repetition of it would try each pair of positions
	}
	var out []int
	for end := at + 1; end <= len(m.values); end++ {
		out = append(out, end)
	}
	return out
}

// single matches one value.
func (m *matcher) single(e *expr, at int) []int {
	if e.op == anything {
		return m.open(at)
	}
	if at < len(m.values) {
		v := &m.values[at]
		switch e.op {
		case keyword:
			if v.IsIdent(e.text) {
				return []int{at + 1}
			}
		case literal:
			if v.Text == e.text {
				return []int{at + 1}
			}
		case basic:
			if end, ok := basics[e.text](m.values[at:], e); ok {
				return []int{at + end}
			}
		}
	}
	if e.op == literal && e.text == "," && m.mayOmitComma(at) {
		return []int{at}
	}
	m.miss(e, at)
	return nil
}

// mayOmitComma reports whether a comma of a definition may be omitted at a
// position, because what comes before or after it is omitted (CSS Values 4,
// section 2.1).
func (m *matcher) mayOmitComma(at int) bool {
	return at == 0 || at == len(m.values) || m.values[at-1].Kind == token.Comma
}

// bracketed matches a function or a block.
func (m *matcher) bracketed(e *expr, at int) []int {
	if at == len(m.values) {
		m.miss(e, at)
		return nil
	}
	v := &m.values[at]
	if e.op == function && !v.IsFunction(e.text) || e.op == block && (v.Text != e.text || v.Inner == nil) {
		m.miss(e, at)
		return nil
	}
	if args := v.Values(); len(args) > 0 && args[0].IsIdent("from") && e.op == function {
		return []int{at + 1} // a relative colour: its channels are keywords for numbers
	}
	var way []int
	if m.work.tracer != nil {
		way = append(slices.Clip(m.way), at)
	}
	if !fits(m.table, e.args[0], ast.Significant(v.Values()), way, m.work) {
		return nil
	}
	return []int{at + 1}
}

// oneOf matches one of several alternatives.
func (m *matcher) oneOf(e *expr, at int) []int {
	var out positions
	args := e.args
	if m.work.tracer == nil && len(e.words) > 0 { // a tracer needs to see each keyword
		args = e.others
		if at < len(m.values) && m.values[at].Kind == token.Ident && e.words[token.Lower(m.values[at].Text)] {
			out.add(at + 1)
		}
	}
	for _, arg := range args {
		out.add(m.ends(arg, at)...)
	}
	return out
}

// sequence matches args in order.
func (m *matcher) sequence(args []*expr, at int) []int {
	from := []int{at}
	for _, arg := range args {
		var next positions
		for _, start := range from {
			next.add(m.ends(arg, start)...)
		}
		if from = next; len(from) == 0 {
			return nil
		}
	}
	return from
}

// state is the progress of matching in any order, or of a repetition: the
// arguments used so far, as bits, or the number of repetitions.
type state struct{ done, at int }

// inAnyOrder matches the arguments in any order: all of them, or one or more.
// Each position is visited at most once with the same used arguments.
func (m *matcher) inAnyOrder(e *expr, at int) []int {
	var out positions
	all := 1<<len(e.args) - 1
	seen := map[state]bool{{0, at}: true}
	for queue := []state{{0, at}}; len(queue) > 0; {
		s := queue[0]
		queue = queue[1:]
		if s.done == all || e.op == someOf && s.done != 0 {
			out.add(s.at)
		}
		for i, arg := range e.args {
			if s.done&(1<<i) != 0 {
				continue
			}
			for _, end := range m.ends(arg, s.at) {
				if next := (state{s.done | 1<<i, end}); !seen[next] {
					seen[next] = true
					queue = append(queue, next)
				}
			}
		}
		if m.work.left <= 0 {
			return nil
		}
	}
	return out
}

// repeated matches a repetition. Once the minimum is reached, only the position
// matters.
func (m *matcher) repeated(e *expr, at int) []int {
	var out positions
	bounded := e.most < unbounded
	seen := map[state]bool{{0, at}: true}
	for queue := []state{{0, at}}; len(queue) > 0; {
		s := queue[0]
		queue = queue[1:]
		if s.done >= e.least {
			out.add(s.at)
		}
		if bounded && s.done >= e.most {
			continue
		}
		start := s.at
		if e.commas && s.done > 0 {
			if start == len(m.values) || m.values[start].Kind != token.Comma {
				continue
			}
			start++
		}
		for _, end := range m.ends(e.args[0], start) {
			if end == s.at && s.done >= e.least {
				continue // it matched nothing
			}
			next := state{s.done + 1, end}
			if !bounded {
				next.done = min(next.done, max(e.least, 1))
			}
			if !seen[next] {
				seen[next] = true
				queue = append(queue, next)
			}
		}
	}
	return out
}

// expr returns the definition of a reference: "<type>", "<'property'>",
// "<function()>" or "@at-rule/descriptor". Numbers in it without a range of
// their own get the given range. It returns nil if the data does not define the
// name.
func (t *table) expr(name string, low, high float64) *expr {
	key := name
	if low != everything[0] || high != everything[1] {
		key = fmt.Sprintf("%s[%v,%v]", name, low, high)
	}
	t.mu.Lock()
	defer t.mu.Unlock()
	if e, ok := t.compiled[key]; ok {
		return e
	}
	e := t.compile(name, low, high)
	t.compiled[key] = e
	return e
}

// compile parses the definition of a reference.
func (t *table) compile(name string, low, high float64) *expr {
	inner := strings.Trim(name, "<>")
	syntax := ""
	switch {
	case basics[inner] != nil:
		return &expr{op: basic, text: inner, low: low, high: high}
	case corrections[inner] != "":
		syntax = corrections[inner]
	case name[0] == '@':
		syntax = t.descriptors[name[1:]]
	case inner[0] == '\'':
		syntax = t.properties[strings.Trim(inner, "'")]
	case strings.HasSuffix(inner, "()"):
		syntax = t.functions[inner]
	default:
		syntax = t.types[inner]
	}
	if syntax == "" {
		return nil
	}
	e, err := parseSyntax(syntax)
	if err != nil {
		return nil
	}
	if low != everything[0] || high != everything[1] {
		limit(e, low, high)
	}
	return e
}

// limit sets the range of types in e that have none.
func limit(e *expr, low, high float64) {
	if e.op == reference && e.low == everything[0] && e.high == everything[1] {
		e.low, e.high = low, high
	}
	for _, arg := range e.args {
		limit(arg, low, high)
	}
}

// Keywords returns the keywords that are a valid value by themselves, sorted, without
// the CSS-wide ones and names of colours.
func (d Definition) Keywords() []string {
	m, ok := d.Match(nil)
	if ok {
		return nil
	}
	colors := ColorNames()
	var out []string
	for _, word := range m.Keywords {
		valid := d.Valid([]ast.Value{{Kind: token.Ident, Text: word}})
		_, isColor := slices.BinarySearch(colors, word)
		if valid && !isColor && !slices.Contains(wide, word) {
			out = append(out, word)
		}
	}
	slices.Sort(out)
	return slices.Compact(out)
}
