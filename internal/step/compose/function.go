package compose

import (
	"fmt"
	"slices"
	"strings"

	"rinzel/internal/css/ast"
	"rinzel/internal/css/print"
	"rinzel/internal/css/token"
	"rinzel/internal/diag"
	"rinzel/internal/diag/code"
	"rinzel/internal/source"
)

// This file evaluates custom functions (CSS Functions and Mixins 1, section 2):
//
//	@function --double(--n <number>) returns <number> { result: calc(var(--n) * 2); }
//	width: --double(4)
//
// The body of a function behaves like the style of a hypothetical element: the
// last of several declarations of a name wins, wherever it is read; var() reads
// parameters, then declarations of the body, then what the calling function
// sees.

// call is an open call of a mixin or function.
type call struct {
	of       *callable
	head     *ast.Value // the call in the source
	locals   map[string]*local
	contents []ast.Node // of a mixin: the nodes that replace @contents
	given    bool       // the call has a block
	caller   *Scope     // scope in which the contents are evaluated
}

// local is a parameter, or a declaration in the body of a function.
type local struct {
	name    string
	values  []ast.Value
	scope   *Scope // scope in which the value is evaluated, on first use
	state   resolution
	missing *param // the parameter has neither an argument nor a default
	at      source.Span
}

// resultName is the descriptor with the result of a function. Locals cannot
// have this name.
const resultName = "result"

// inCall returns the innermost call whose body contains s, or nil.
func (s *Scope) inCall() *call {
	for ; s != nil; s = s.outer {
		if s.call != nil {
			return s.call
		}
	}
	return nil
}

// inFunction returns the innermost function call whose body contains s, or nil.
func (s *Scope) inFunction() *call {
	if call := s.inCall(); call != nil && call.of.isFunc {
		return call
	}
	return nil
}

// enter binds the arguments of a call and returns the scope of its body. ok is
// false after a finding. Each successful enter needs a leave.
func (c *Composer) enter(d *definition, head *ast.Value, s *Scope) (body *Scope, ok bool) {
	m := d.callable
	if !c.count(callWeight, head.Span()) {
		return nil, false
	}
	if most := c.limits().Calls; c.calls >= most {
		c.fail(code.TooManyCalls, head.Span(),
			fmt.Sprintf("calls are nested deeper than %d: does %q call itself?", most, m.name),
			"if that is intended, raise calls in [limits] of the settings")
		return nil, false
	}
	args := arguments(head.Values())
	if len(args) > len(m.params) {
		c.wrongCall(head, m, fmt.Sprintf("%q expects %s, got %d", m.name, counted(len(m.params)), len(args)), m.at)
		return nil, false
	}
	body = d.scopeOf(s).inner()
	body.call = &call{of: m, head: head, locals: make(map[string]*local, len(m.params)), caller: s}
	for i := range m.params {
		p := &m.params[i]
		var arg []ast.Value
		if i < len(args) {
			arg = args[i]
		}
		l, ok := c.bind(p, arg, head, m, s, body)
		if !ok {
			return nil, false
		}
		body.call.locals[p.name] = l
	}
	c.calls++
	c.trail = append(c.trail, frame{at: head.Span(), of: m})
	return body, true
}

// leave ends a call.
func (c *Composer) leave() {
	c.calls--
	c.trail = c.trail[:len(c.trail)-1]
}

// bind returns the local of a parameter: its argument, or its default if the
// argument is missing or evaluates to nothing.
func (c *Composer) bind(p *param, arg []ast.Value, head *ast.Value, m *callable, s, body *Scope) (l *local, ok bool) {
	if len(arg) > 0 {
		value, valid := c.maybe(arg, s, atBuild)
		switch {
		case !valid:
		case !p.syntax.accepts(value):
			c.wrongCall(head, m,
				fmt.Sprintf("parameter %q of %q expects %s, got %q", p.name, m.name, p.syntax, textOfValues(value)), p.at)
			return nil, false
		default:
			if p.optional {
				value = c.orDefault(value, p, body)
			}
			return &local{name: p.name, values: value, state: resolved, at: p.at}, true
		}
	}
	switch {
	case p.optional:
		return &local{name: p.name, values: p.byDefault, scope: body, at: p.at}, true
	case !m.isFunc && len(arg) == 0:
		c.wrongCall(head, m, fmt.Sprintf("missing argument of %q: its parameter %q has no default", m.name, p.name), p.at)
		return nil, false
	}
	return &local{name: p.name, state: unusable, missing: p, at: p.at}, true
}

// orDefault returns an argument with the default added as the last branch of an
// if() that browsers evaluate: if none of its conditions is true, the argument
// evaluates to nothing (CSS Functions and Mixins 1, section 5).
func (c *Composer) orDefault(value []ast.Value, p *param, body *Scope) []ast.Value {
	if len(value) != 1 || !value[0].IsFunction("if") {
		return value
	}
	inner := value[0].Values()
	for _, branch := range ast.SplitAt(inner, token.Semicolon) {
		if branch = trim(branch); len(branch) > 1 && branch[0].IsIdent("else") && branch[1].Kind == token.Colon {
			return value
		}
	}
	byDefault, valid := c.maybe(p.byDefault, body, atBuild)
	if byDefault = trim(byDefault); !valid || len(byDefault) == 0 {
		return value
	}
	at := value[0].Pos
	out := slices.Clone(inner)
	if n := len(out); n > 0 && out[n-1].Kind != token.Semicolon {
		out = append(out, ast.Value{Kind: token.Semicolon, Text: ";", Pos: at})
	}
	out = append(out, ast.Value{Kind: token.Ident, Text: "else", Pos: at, Space: true},
		ast.Value{Kind: token.Colon, Text: ":", Pos: at})
	first := len(out)
	out = append(out, byDefault...)
	out[first].Space = true
	with := value[0]
	with.Inner = &ast.Inner{Values: out, Close: with.Inner.Close}
	return []ast.Value{with}
}

// wrongCall reports a call with invalid arguments.
func (c *Composer) wrongCall(head *ast.Value, m *callable, message string, at source.Span) {
	c.report(diag.Diagnostic{Code: code.BadCall, Severity: diag.Error, Span: head.Span(), Message: message,
		Related: []diag.Related{{Span: at, Message: "the " + m.kind() + " is defined here"}}})
}

// maybe evaluates values that may evaluate to nothing, such as an if() without
// a true condition: valid is false then (CSS Values 5, "guaranteed-invalid").
func (c *Composer) maybe(values []ast.Value, s *Scope, at valueContext) (out []ast.Value, valid bool) {
	mayFail, failed := c.mayFail, c.failed
	c.mayFail, c.failed = true, false
	out, _ = c.values(values, s, at)
	valid = !c.failed
	c.mayFail, c.failed = mayFail, failed
	return out, valid
}

// nothing records that the current value evaluates to nothing. It returns
// whether that is allowed here.
func (c *Composer) nothing() bool {
	c.failed = true
	return c.mayFail
}

// lookUp returns the local that var() reads in s, and the call that it belongs
// to.
func (s *Scope) lookUp(name string) (*local, *call) {
	for call := s.inCall(); call != nil; call = call.caller.inCall() {
		if l := call.locals[name]; l != nil {
			return l, call
		}
		if !call.of.isFunc {
			break
		}
	}
	return nil, nil
}

// argument returns the value of var(--name) if the name is a parameter or local
// of an open call. If the local has no value, the fallback of var() is used.
func (c *Composer) argument(v *ast.Value, s *Scope, at valueContext) ([]ast.Value, bool) {
	args := trim(v.Inner.Values)
	if len(args) == 0 || args[0].Kind != token.Ident {
		return nil, false
	}
	l, call := s.lookUp(token.Unescape(args[0].Text))
	if l == nil {
		return nil, false
	}
	if value, ok := c.valueOf(l, call); ok {
		return c.substitute(value, v, at)
	}
	if isComma(args[1:]) {
		fallback, _ := c.values(trim(trim(args[1:])[1:]), s, at)
		at.verbatim = false // the white space is that of the source
		return c.substitute(fallback, v, at)
	}
	switch {
	case l.missing != nil:
		c.wrongCall(call.head, call.of,
			fmt.Sprintf("missing argument of %q: its parameter %q is read by var() without a fallback", call.of.name,
				l.missing.name), v.Span())
		return nil, false
	case !c.nothing():
		c.fail(code.BadCall, v.Span(), fmt.Sprintf("%q has no value here", token.Unescape(args[0].Text)),
			"add a fallback to var(), after a comma")
		return nil, false
	}
	return nil, true
}

// valueOf returns the value of a local. ok is false if it has none.
func (c *Composer) valueOf(l *local, of *call) (values []ast.Value, ok bool) {
	switch l.state {
	case unresolved:
		l.state = resolving
		name, isKeyword := keyword(l.values)
		switch {
		case isKeyword && name == "initial":
			l.state = unusable
		case isKeyword && name == "inherit":
			values, ok = c.inherited(l, of)
		default:
			values, ok = c.maybe(l.values, l.scope, atBuild)
		}
		if l.state == resolving {
			l.values, l.state = values, resolved
			if !ok {
				l.state = unusable
			}
		}
	case resolving:
		l.state = unusable
		c.fail(code.BadCall, l.at, fmt.Sprintf("a value in function %q depends on itself", of.of.name), "")
	}
	return l.values, l.state == resolved
}

// keyword returns the word if values are a single identifier.
func keyword(values []ast.Value) (string, bool) {
	if values = trim(values); len(values) != 1 || values[0].Kind != token.Ident {
		return "", false
	}
	return token.Lower(values[0].Text), true
}

// inherited returns the value of a local declared as "inherit": the value of
// its name where the function was called.
func (c *Composer) inherited(l *local, of *call) ([]ast.Value, bool) {
	if outer, call := of.caller.lookUp(l.name); outer != nil {
		return c.valueOf(outer, call)
	}
	name := ast.Value{Kind: token.Ident, Text: token.EscapeName(l.name), Pos: l.at.Start}
	return []ast.Value{{Kind: token.Function, Text: "var(", Pos: l.at.Start,
		Inner: &ast.Inner{Values: []ast.Value{name}}}}, true
}

// declare records a declaration in the body of a function.
func (f *call) declare(d *ast.Declaration, s *Scope) {
	name := token.Unescape(d.Name)
	if token.EqualFold(d.Name, resultName) {
		name = resultName
	}
	if name == resultName || strings.HasPrefix(name, "--") {
		f.locals[name] = &local{name: name, values: d.Value, scope: s.frozen(), at: d.Span()}
	}
}

// frozen returns a scope with the constants as they are now, unaffected by
// later changes in the blocks of the function.
func (s *Scope) frozen() *Scope {
	if s.outer == nil || s.values == nil && s.call != nil {
		return s
	}
	copied := *s
	copied.values = make(map[string]*Constant, len(s.values))
	for name, constant := range s.values {
		copied.values[name] = constant
	}
	if s.call == nil {
		copied.outer = s.outer.frozen()
	}
	return &copied
}

// inBody evaluates a rule in the body of a function: conditions are decided one
// way or the other, and the chosen block is evaluated.
func (c *Composer) inBody(n ast.Node, of *call, s *Scope) {
	r, ok := n.(*ast.AtRule)
	if ok && r.Block != nil &&
		(token.EqualFold(r.Name, "media") || token.EqualFold(r.Name, "supports") || token.EqualFold(r.Name, "container")) {
		if with, changed := c.head(r, s); changed {
			r, _ = with.(*ast.AtRule)
		}
		if c.decide(r, func() { c.undecidable(of, r) }) {
			c.block(r.Block.Nodes, s.inner())
		}
		return
	}
	if of.of.wrong == nil {
		of.of.wrong = n
		c.fail(code.BadMixin, n.Span(),
			fmt.Sprintf("the body of function %q may contain only declarations and conditions", of.of.name),
			"allowed are result, custom properties, @media, @supports, @container, and build-time rules")
	}
}

// checkBody reports declarations without effect in the body of a function: it
// has no element whose properties they could set (CSS Functions and Mixins 1,
// section 2.3).
func (c *Composer) checkBody(m *callable, nodes []ast.Node) {
	for _, n := range nodes {
		switch n := n.(type) {
		case *ast.Declaration:
			if n.IsCustom() || token.EqualFold(n.Name, resultName) {
				continue
			}
			m.wrong = n
			c.fail(code.BadMixin, source.SpanOf(n.NamePos, len(n.Name)),
				fmt.Sprintf("property %q has no effect in function %q", n.Name, m.name),
				"use result for the returned value, or a name that starts with two hyphens for a local value")
		case *ast.AtRule:
			c.checkBody(m, ast.Body(n))
		}
	}
}

// question is a condition that only a browser can decide, and that the value of
// a declaration depends on.
type question struct {
	key  string
	rule *ast.AtRule // with an empty block
}

// branching is the evaluation of a declaration that depends on conditions of
// the browser: it is evaluated once for each set of conditions that may be true
// together.
type branching struct {
	allowed bool            // the declaration may be put into conditional rules
	truth   map[string]bool // conditions that are assumed to be true
	asked   []question      // conditions that were assumed to be false
}

// decide returns whether a condition of the browser is assumed to be true. It
// calls refuse where a value must not depend on one.
func (c *Composer) decide(r *ast.AtRule, refuse func()) bool {
	key := token.Lower(r.Name) + " " + print.Values(r.Prelude)
	switch {
	case c.branch.truth[key]:
		return true
	case !c.branch.allowed:
		refuse()
	case !slices.ContainsFunc(c.branch.asked, func(q question) bool { return q.key == key }):
		asked := *r
		asked.Block = nil
		c.branch.asked = append(c.branch.asked, question{key, &asked})
	}
	return false
}

// undecidable reports a call whose result depends on the browser, where a
// build-time value is needed.
func (c *Composer) undecidable(of *call, r *ast.AtRule) {
	c.wrongCall(of.head, of.of,
		fmt.Sprintf("the result of %q depends on @%s, which only browsers can evaluate, but a build-time value is needed here", of.of.name, r.Name), r.Span())
}

// holds returns whether a condition of @when is assumed to be true in the body
// of a function.
func (c *Composer) holds(x condition, of *call) bool {
	switch x.kind {
	case never, always:
		return x.kind == always
	case allOf, anyOf:
		all, some := true, false
		for _, p := range x.parts {
			holds := c.holds(p, of) // evaluate all of them, so that each is recorded
			all, some = all && holds, some || holds
		}
		return x.kind == allOf && all || x.kind == anyOf && some
	}
	negated := x.negated
	x.negated = false
	rule, _ := x.wrap(nil)[0].(*ast.AtRule)
	return c.decide(rule, func() { c.undecidable(of, rule) }) != negated
}

// world is a set of conditions that may be true together, and the resulting
// text.
type world struct {
	questions []question
	text      string
}

// subsetOf reports whether all conditions of w are true in o.
func (w *world) subsetOf(o *world) bool {
	return !slices.ContainsFunc(w.questions, func(q question) bool {
		return !slices.ContainsFunc(o.questions, func(p question) bool { return p.key == q.key })
	})
}

// maxWorlds limits the number of values of one declaration.
const maxWorlds = 64

// evaluation evaluates nodes under the assumption that the conditions in truth,
// given by their keys, are true. asked has the conditions that were assumed to
// be false; ok is false after a finding.
type evaluation func(truth map[string]bool) (nodes []ast.Node, asked []question, ok bool)

// branches returns nodes that depend on conditions of the browser: base for
// when none of them is true, followed by conditional rules for the other cases.
func (c *Composer) branches(at source.Span, base []ast.Node, asked []question, turn evaluation) []ast.Node {
	out := slices.Clip(base)
	worlds := []*world{{text: textOfNodes(base)}}
	emitted := worlds[:1:1]
	known := make(map[string]bool)
	pending := extensions(worlds[0], asked, known)
	for len(pending) > 0 {
		w := pending[0]
		pending = pending[1:]
		if len(worlds) == maxWorlds {
			c.fail(code.BadCall, at, fmt.Sprintf("the value depends on more than %d combinations of conditions", maxWorlds), "")
			return nil
		}
		truth := make(map[string]bool)
		for _, q := range w.questions {
			truth[q.key] = true
		}
		nodes, asked, ok := turn(truth)
		if !ok {
			return nil
		}
		w.text = textOfNodes(nodes)
		pending = append(pending, extensions(w, asked, known)...)
		worlds = append(worlds, w)
		var before *world // the world that applies if this one changes nothing
		for _, e := range emitted {
			if e.subsetOf(w) {
				before = e
			}
		}
		if before.text == w.text {
			continue
		}
		emitted = append(emitted, w)
		for _, q := range slices.Backward(w.questions) {
			rule := *q.rule
			rule.Block = &ast.Block{Nodes: nodes}
			nodes = []ast.Node{&rule}
		}
		out = append(out, nodes...)
	}
	return out
}

// textOfNodes returns nodes as compact text.
func textOfNodes(nodes []ast.Node) string { return print.Sheet(nodes, print.Options{Compact: true}) }

// extensions returns the worlds with one more true condition, except known
// ones.
func extensions(w *world, asked []question, known map[string]bool) []*world {
	var out []*world
	for _, q := range asked {
		next := &world{questions: append(slices.Clip(w.questions), q)}
		var keys []string
		for _, q := range next.questions {
			keys = append(keys, q.key)
		}
		slices.Sort(keys)
		key := strings.Join(keys, "\n")
		if !known[key] {
			known[key] = true
			out = append(out, next)
		}
	}
	return out
}

// withValue returns a copy of d with another value.
func withValue(d *ast.Declaration, value []ast.Value) *ast.Declaration {
	copied := *d
	copied.Value = value
	return &copied
}

// result returns the result of a function call, or false after a finding.
func (c *Composer) result(v *ast.Value, s *Scope, at valueContext) ([]ast.Value, bool) {
	name := calledName(v)
	d := s.definition(keyOf(functionKind, name))
	if d == nil {
		c.unknownFunction(v, name, s, at)
		return nil, false
	}
	m := d.callable
	body, ok := c.enter(d, v, s)
	if !ok {
		return nil, false
	}
	defer c.leave()
	asked := len(c.branch.asked)
	c.block(m.body, body)
	l := body.call.locals[resultName]
	switch {
	case m.wrong != nil:
		return nil, false
	case l != nil:
	case len(c.branch.asked) == asked && len(c.branch.truth) == 0:
		c.wrongCall(v, m, fmt.Sprintf("function %q has no result", m.name), m.at)
		return nil, false
	default:
		return nil, c.nothing() // none of its conditions is true
	}
	value, ok := c.valueOf(l, body.call)
	if !ok {
		return nil, c.nothing()
	}
	if !m.returns.accepts(value) {
		c.wrongCall(v, m, fmt.Sprintf("the result of %q must be %s, got %q", m.name, m.returns, textOfValues(value)), l.at)
		return nil, false
	}
	return c.substitute(value, v, at)
}

// unknownFunction reports a call of an undefined function. In a custom property
// it may be text for scripts, so only a name similar to a defined function is
// reported.
func (c *Composer) unknownFunction(v *ast.Value, name string, s *Scope, at valueContext) {
	if at.asWritten || at.verbatim && diag.Nearest(name, s.namesOf(functionKind)) == "" {
		return
	}
	c.unknownName(code.UnknownFunction, functionKind, "function", name, name, source.SpanOf(v.Pos, len(v.Text)-1), s)
}
