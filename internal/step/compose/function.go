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

// This file is about custom functions (CSS Functions and Mixins 1, section 2):
//
//	@function --double(--n <number>) returns <number> { result: calc(var(--n) * 2); }
//	width: --double(4)
//
// The body of a function is the style of an element that nobody sees: of two declarations of one
// name the last one counts, wherever it is read, and var() reads the parameters, what the body
// declares, and then what the calling function sees.

// call is a call under way.
type call struct {
	of       *callable
	head     *ast.Value // the call as it is written
	locals   map[string]*local
	contents []ast.Node // of a mixin: what @contents stands for
	given    bool       // the call has a block
	caller   *Scope     // whose constants the contents see
}

// local is a parameter, or what the body of a function declares.
type local struct {
	name    string
	values  []ast.Value
	scope   *Scope // in which the values are worked out when they are read first
	state   resolution
	missing *param // the parameter has no argument and no default
	at      source.Span
}

// resultName is the descriptor that holds what a function returns. No local has its name.
const resultName = "result"

// inCall returns the call whose body a place is in, or nil.
func (s *Scope) inCall() *call {
	for ; s != nil; s = s.outer {
		if s.call != nil {
			return s.call
		}
	}
	return nil
}

// inFunction returns the call of a function whose body a place is in, or nil.
func (s *Scope) inFunction() *call {
	if call := s.inCall(); call != nil && call.of.isFunc {
		return call
	}
	return nil
}

// enter binds the arguments of a call, and returns the scope of its body. ok is false after a
// finding. Each successful enter is followed by a leave.
func (c *Composer) enter(d *definition, head *ast.Value, s *Scope) (body *Scope, ok bool) {
	m := d.callable
	if !c.count(callWeight, head.Span()) {
		return nil, false
	}
	if most := c.limits().Calls; c.calls >= most {
		c.fail(code.TooManyCalls, head.Span(), fmt.Sprintf("calls are nested deeper than %d: does %q call itself?", most, m.name), "if that is intended, raise calls in [limits] of the settings")
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

func (c *Composer) leave() {
	c.calls--
	c.trail = c.trail[:len(c.trail)-1]
}

// bind returns what a parameter stands for: its argument, or its default if there is none or
// nothing comes of it.
func (c *Composer) bind(p *param, arg []ast.Value, head *ast.Value, m *callable, s, body *Scope) (l *local, ok bool) {
	if len(arg) > 0 {
		value, valid := c.maybe(arg, s, atBuild)
		switch {
		case !valid:
		case !p.syntax.accepts(value):
			c.wrongCall(head, m, fmt.Sprintf("parameter %q of %q expects %s, got %q", p.name, m.name, p.syntax, textOfValues(value)), p.at)
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

// orDefault returns the argument of a parameter with the default as the last branch of an if() that is left to the
// browser: where none of its conditions is true, nothing comes of the argument (CSS Functions and Mixins 1, section 5).
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
	out = append(out, ast.Value{Kind: token.Ident, Text: "else", Pos: at, Space: true}, ast.Value{Kind: token.Colon, Text: ":", Pos: at})
	first := len(out)
	out = append(out, byDefault...)
	out[first].Space = true
	with := value[0]
	with.Inner = &ast.Inner{Values: out, Close: with.Inner.Close}
	return []ast.Value{with}
}

// wrongCall reports a call whose arguments do not fit.
func (c *Composer) wrongCall(head *ast.Value, m *callable, message string, at source.Span) {
	c.report(diag.Diagnostic{Code: code.BadCall, Severity: diag.Error, Span: head.Span(), Message: message,
		Related: []diag.Related{{Span: at, Message: "the " + m.kind() + " is defined here"}}})
}

// maybe works values out of which nothing may come, as of an if() none of whose conditions is
// true: then valid is false (CSS Values 5: they are guaranteed to be invalid).
func (c *Composer) maybe(values []ast.Value, s *Scope, at place) (out []ast.Value, valid bool) {
	mayFail, failed := c.mayFail, c.failed
	c.mayFail, c.failed = true, false
	out, _ = c.values(values, s, at)
	valid = !c.failed
	c.mayFail, c.failed = mayFail, failed
	return out, valid
}

// nothing notes that nothing comes of what is worked out. It reports whether that is allowed here.
func (c *Composer) nothing() bool {
	c.failed = true
	return c.mayFail
}

// lookUp returns what var() reads by a name at a place, and the call that it belongs to.
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

// argument returns what stands for var(--name) if that is a parameter or a local of the call whose
// body the place is in. Without a value it is the fallback of var() that counts.
func (c *Composer) argument(v *ast.Value, s *Scope, at place) ([]ast.Value, bool) {
	args := trim(v.Inner.Values)
	if len(args) == 0 || args[0].Kind != token.Ident {
		return nil, false
	}
	l, call := s.lookUp(token.Unescape(args[0].Text))
	if l == nil {
		return nil, false
	}
	if value, ok := c.valueOf(l, call); ok {
		return c.place(value, v, at)
	}
	if isComma(args[1:]) {
		fallback, _ := c.values(trim(trim(args[1:])[1:]), s, at)
		at.verbatim = false // it is spelled as it stands
		return c.place(fallback, v, at)
	}
	switch {
	case l.missing != nil:
		c.wrongCall(call.head, call.of, fmt.Sprintf("missing argument of %q: its parameter %q is read by var() without a fallback", call.of.name, l.missing.name), v.Span())
		return nil, false
	case !c.nothing():
		c.fail(code.BadCall, v.Span(), fmt.Sprintf("%q has no value here", token.Unescape(args[0].Text)), "add a fallback to var(), after a comma")
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

// keyword returns the single word that values are.
func keyword(values []ast.Value) (string, bool) {
	if values = trim(values); len(values) != 1 || values[0].Kind != token.Ident {
		return "", false
	}
	return token.Lower(values[0].Text), true
}

// inherited returns what a local with the value "inherit" stands for: what its name stands for where
// the function is called.
func (c *Composer) inherited(l *local, of *call) ([]ast.Value, bool) {
	if outer, call := of.caller.lookUp(l.name); outer != nil {
		return c.valueOf(outer, call)
	}
	name := ast.Value{Kind: token.Ident, Text: token.EscapeName(l.name), Pos: l.at.Start}
	return []ast.Value{{Kind: token.Function, Text: "var(", Pos: l.at.Start, Inner: &ast.Inner{Values: []ast.Value{name}}}}, true
}

// declare notes what the body of a function declares.
func (f *call) declare(d *ast.Declaration, s *Scope) {
	name := token.Unescape(d.Name)
	if token.EqualFold(d.Name, resultName) {
		name = resultName
	}
	if name == resultName || strings.HasPrefix(name, "--") {
		f.locals[name] = &local{name: name, values: d.Value, scope: s.frozen(), at: d.Span()}
	}
}

// frozen returns a scope that sees the constants of now, whatever is set in the blocks of the
// function later.
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

// inBody returns what becomes of a rule in the body of a function: a condition is decided, one way
// or the other, and the body goes on.
func (c *Composer) inBody(n ast.Node, of *call, s *Scope) {
	r, ok := n.(*ast.AtRule)
	if ok && r.Block != nil && (token.EqualFold(r.Name, "media") || token.EqualFold(r.Name, "supports") || token.EqualFold(r.Name, "container")) {
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
		c.fail(code.BadMixin, n.Span(), fmt.Sprintf("the body of function %q may contain only declarations and conditions", of.of.name),
			"allowed are result, custom properties, @media, @supports, @container, and build-time rules")
	}
}

// checkBody reports declarations in the body of a function that say nothing there: it has no element whose properties they could
// set (CSS Functions and Mixins 1, section 2.3).
func (c *Composer) checkBody(m *callable, nodes []ast.Node) {
	for _, n := range nodes {
		switch n := n.(type) {
		case *ast.Declaration:
			if n.IsCustom() || token.EqualFold(n.Name, resultName) {
				continue
			}
			m.wrong = n
			c.fail(code.BadMixin, source.SpanOf(n.NamePos, len(n.Name)), fmt.Sprintf("property %q has no effect in function %q", n.Name, m.name),
				"use result for the returned value, or a name that starts with two hyphens for a local value")
		case *ast.AtRule:
			c.checkBody(m, ast.Body(n))
		}
	}
}

// question is a condition that only a browser can decide, on which the value of a declaration depends.
type question struct {
	key  string
	rule *ast.AtRule // without what stands in it
}

// branching is how a declaration depends on conditions of the browser: it is worked out once for
// each set of conditions that may be true together.
type branching struct {
	allowed bool            // the declaration may be put into conditional rules
	truth   map[string]bool // the conditions that are taken to be true
	asked   []question      // those that were taken to be false
}

// decide returns whether a condition of the browser is taken to be true. Where the value cannot
// depend on one it calls refuse.
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

// undecidable reports a call whose result depends on the browser, where a value is needed.
func (c *Composer) undecidable(of *call, r *ast.AtRule) {
	c.wrongCall(of.head, of.of, fmt.Sprintf("the result of %q depends on @%s, which only browsers can evaluate, but a build-time value is needed here", of.of.name, r.Name), r.Span())
}

// holds returns whether a condition of @when is taken to be true in the body of a function.
func (c *Composer) holds(x condition, of *call) bool {
	switch x.kind {
	case never, always:
		return x.kind == always
	case allOf, anyOf:
		all, some := true, false
		for _, p := range x.parts {
			holds := c.holds(p, of) // of each, so that all are asked
			all, some = all && holds, some || holds
		}
		return x.kind == allOf && all || x.kind == anyOf && some
	}
	negated := x.negated
	x.negated = false
	rule, _ := x.wrap(nil)[0].(*ast.AtRule)
	return c.decide(rule, func() { c.undecidable(of, rule) }) != negated
}

// world is a set of conditions that may be true together, and what is made then, as text.
type world struct {
	questions []question
	text      string
}

// within reports whether all conditions of one world are true in another one.
func (w *world) within(o *world) bool {
	return !slices.ContainsFunc(w.questions, func(q question) bool {
		return !slices.ContainsFunc(o.questions, func(p question) bool { return p.key == q.key })
	})
}

// maxWorlds bounds how many values a declaration may have.
const maxWorlds = 64

// turning makes nodes under the assumption that some conditions are true, by their keys. asked are the conditions that
// were taken to be false on the way; ok is false after a finding.
type turning func(truth map[string]bool) (nodes []ast.Node, asked []question, ok bool)

// branches returns nodes that depend on conditions of the browser: as they are where none of them is true, which base is,
// and behind it, in conditional rules, as they are where some are.
func (c *Composer) branches(at source.Span, base []ast.Node, asked []question, turn turning) []ast.Node {
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
		var before *world // which decides if this one adds nothing
		for _, e := range emitted {
			if e.within(w) {
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

func textOfNodes(nodes []ast.Node) string { return print.Sheet(nodes, print.Options{Compact: true}) }

// extensions returns the worlds in which one more condition is true, but for those that are known.
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

func withValue(d *ast.Declaration, value []ast.Value) *ast.Declaration {
	copied := *d
	copied.Value = value
	return &copied
}

// result returns what stands for the call of a function, or false after a finding.
func (c *Composer) result(v *ast.Value, s *Scope, at place) ([]ast.Value, bool) {
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
		return nil, c.nothing() // where its conditions are not true
	}
	value, ok := c.valueOf(l, body.call)
	if !ok {
		return nil, c.nothing()
	}
	if !m.returns.accepts(value) {
		c.wrongCall(v, m, fmt.Sprintf("the result of %q must be %s, got %q", m.name, m.returns, textOfValues(value)), l.at)
		return nil, false
	}
	return c.place(value, v, at)
}

// unknownFunction reports the call of a function that nothing defines. In a custom property it may be
// text for a script, unless a function has nearly that name.
func (c *Composer) unknownFunction(v *ast.Value, name string, s *Scope, at place) {
	if at.asWritten || at.verbatim && diag.Nearest(name, s.namesOf(functionKind)) == "" {
		return
	}
	c.unknownName(code.UnknownFunction, functionKind, "function", name, name, source.SpanOf(v.Pos, len(v.Text)-1), s)
}
