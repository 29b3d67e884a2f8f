package compose

import (
	"fmt"
	"slices"
	"strings"

	"rinzel/internal/css/ast"
	"rinzel/internal/css/token"
	"rinzel/internal/diag"
	"rinzel/internal/source"
)

// This file is about what takes parameters (CSS Functions and Mixins):
//
//	@mixin --card(--pad <length>: 1px) { padding: var(--pad); @contents; }
//	@apply --card(2px) { color: red }
//	@function --double(--n <number>) returns <number> { result: calc(var(--n) * 2); }
//	width: --double(4)

// callWeight is how many values a call counts for, whatever it makes, so that
// mixins which each call the next one twice come to an end.
const callWeight = 20

// callable is a mixin or a function.
type callable struct {
	name   string
	params []param
	body   []ast.Node
	scope  *Scope // where it was defined, whose constants its body sees
	at     source.Span
	isFunc bool
}

// param is a parameter.
type param struct {
	name      string
	syntax    syntax // what an argument must be
	byDefault []ast.Value
	optional  bool
	at        source.Span
}

// call is a call under way: what its parameters stand for, and what it was
// given to put in place of @contents.
type call struct {
	of       *callable
	args     map[string][]ast.Value
	contents []ast.Node
	given    bool   // the call has a block
	caller   *Scope // whose constants the contents see
}

// kind returns what a callable is, as messages word it.
func (m *callable) kind() string {
	if m.isFunc {
		return "function"
	}
	return "mixin"
}

// define sets a mixin or a function.
func (c *Composer) define(r *ast.AtRule, s *Scope) {
	isFunc := token.EqualFold(r.Name, "function")
	form := "write @mixin --name(--parameter <type>: default) { … }"
	if isFunc {
		form = "write @function --name(--parameter <type>: default) { result: …; }"
	}
	if len(r.Prelude) == 0 || r.Block == nil || !dashed(&r.Prelude[0]) {
		c.fail("bad-mixin", r.Span(), fmt.Sprintf("@%s defines nothing: expected a name that starts with two hyphens, and a block", r.Name), form)
		return
	}
	head := &r.Prelude[0]
	m := &callable{name: calledName(head), body: r.Block.Nodes, scope: s, at: source.SpanOf(head.Pos, len(head.Text)), isFunc: isFunc}
	if len(r.Prelude) > 1 && !(isFunc && r.Prelude[1].IsIdent("returns")) {
		c.fail("bad-mixin", ast.SpanOf(r.Prelude[1:]), fmt.Sprintf("expected '{' behind the %s's parameters", m.kind()), form)
		return
	}
	for _, arg := range arguments(head.Values()) {
		p, ok := c.param(arg)
		if !ok {
			return
		}
		if slices.ContainsFunc(m.params, func(o param) bool { return o.name == p.name }) {
			c.fail("bad-mixin", p.at, fmt.Sprintf("the parameter %q stands here a second time", p.name), "")
			return
		}
		m.params = append(m.params, p)
	}
	if s.callables == nil {
		s.callables = make(map[string]*callable)
	}
	s.callables[m.key()] = m
	s.defines(m.key(), m.at)
}

// key tells mixins and functions of one name apart.
func (m *callable) key() string { return m.kind() + " " + m.name }

// dashed reports whether v is a name that starts with two hyphens, with
// parameters or without.
func dashed(v *ast.Value) bool {
	return (v.Kind == token.Ident || v.Kind == token.Function) && strings.HasPrefix(v.Text, "--")
}

func calledName(v *ast.Value) string { return token.Unescape(strings.TrimSuffix(v.Text, "(")) }

// arguments splits values at commas. A single empty one is none.
func arguments(values []ast.Value) [][]ast.Value {
	if values = trim(values); len(values) == 0 {
		return nil
	}
	out := ast.SplitAt(values, token.Comma)
	for i := range out {
		out[i] = trim(out[i])
	}
	return out
}

// param reads a parameter: --name <type>: default.
func (c *Composer) param(values []ast.Value) (param, bool) {
	const form = "write --name, --name <type> or --name <type>: default"
	if len(values) == 0 || values[0].Kind != token.Ident || !strings.HasPrefix(values[0].Text, "--") {
		c.fail("bad-mixin", ast.SpanOf(values), "expected a parameter: a name that starts with two hyphens", form)
		return param{}, false
	}
	p := param{name: token.Unescape(values[0].Text), at: ast.SpanOf(values)}
	rest := values[1:]
	colon := slices.IndexFunc(rest, func(v ast.Value) bool { return v.Kind == token.Colon })
	kind := rest
	if colon >= 0 {
		kind = rest[:colon]
		p.byDefault, p.optional = trim(rest[colon+1:]), true
	}
	var ok bool
	if p.syntax, ok = readSyntax(kind); !ok {
		c.fail("bad-mixin", ast.SpanOf(kind), "expected a type such as <length>, <color># or type(<length> | auto)", form)
		return param{}, false
	}
	return p, true
}

// findCallable returns the mixin or function of a name that a place sees.
func (s *Scope) findCallable(key string) *callable {
	for ; s != nil; s = s.outer {
		s.touch()
		if m := s.callables[key]; m != nil {
			return m
		}
	}
	return nil
}

// nearCallables returns the names of all callables of a kind that a place sees.
func (s *Scope) nearCallables(kind string) []string {
	var out []string
	for _, key := range namesIn(s, func(s *Scope) map[string]*callable { return s.callables }) {
		if name, ok := strings.CutPrefix(key, kind+" "); ok {
			out = append(out, name)
		}
	}
	return out
}

// apply returns what an @apply rule puts in its place.
func (c *Composer) apply(r *ast.AtRule, s *Scope) []ast.Node {
	if len(r.Prelude) != 1 || !dashed(&r.Prelude[0]) {
		c.fail("bad-mixin", r.Span(), "@apply names no mixin: expected a name that starts with two hyphens", "write @apply --name; or @apply --name(…) { … }")
		return nil
	}
	head := &r.Prelude[0]
	name := calledName(head)
	m := s.findCallable("mixin " + name)
	if m == nil {
		c.unknownCallable("mixin", name, source.SpanOf(head.Pos, len(name)), s)
		return nil
	}
	made, ok := c.enter(m, head, s)
	if !ok {
		return nil
	}
	defer c.leave()
	if r.Block != nil {
		made.contents, made.given = r.Block.Nodes, true
	}
	inner := m.scope.inner()
	inner.call = made
	out, _ := ast.Map(m.body, func(n ast.Node) ast.Edit { return c.node(n, inner) })
	if !c.count(weight(out), head.Span()) {
		return nil
	}
	return out
}

func (c *Composer) unknownCallable(kind, name string, at source.Span, s *Scope) {
	mend := diag.DidYouMean(name, s.nearCallables(kind), "")
	c.wait("unknown-mixin", at, kind+" "+name, fmt.Sprintf("there is no %s %q here", kind, name), mend, s)
}

// contents returns what stands for @contents: the block of the call, or else
// the block of the rule itself.
func (c *Composer) contents(r *ast.AtRule, s *Scope) []ast.Node {
	inCall := s.inCall()
	if inCall == nil || inCall.of.isFunc {
		c.fail("bad-mixin", r.Span(), "@contents stands outside of all mixins", "")
		return nil
	}
	nodes, scope := inCall.contents, inCall.caller
	if !inCall.given {
		if r.Block == nil {
			return nil
		}
		nodes, scope = r.Block.Nodes, s
	}
	inner := scope.inner()
	out, _ := ast.Map(nodes, func(n ast.Node) ast.Edit { return c.node(n, inner) })
	return out
}

// inCall returns the call whose body a place is in, or nil.
func (s *Scope) inCall() *call {
	for ; s != nil; s = s.outer {
		if s.call != nil {
			return s.call
		}
	}
	return nil
}

// enter binds the arguments of a call. ok is false after a finding. Each
// successful enter is followed by a leave.
func (c *Composer) enter(m *callable, head *ast.Value, s *Scope) (*call, bool) {
	if !c.count(callWeight, head.Span()) {
		return nil, false
	}
	if most := c.limits().Calls; c.calls >= most {
		c.fail("too-many-calls", head.Span(), fmt.Sprintf("calls nest deeper than %d: does %q call itself?", most, m.name), "if it is meant to, raise calls in [limits] of the settings")
		return nil, false
	}
	args := arguments(head.Values())
	made := &call{of: m, args: make(map[string][]ast.Value), caller: s}
	if len(args) > len(m.params) {
		c.wrongCall(head, m, fmt.Sprintf("%q takes %s, and gets %d", m.name, counted(len(m.params)), len(args)), m.at)
		return nil, false
	}
	body := m.scope.inner()
	body.call = made
	for i, p := range m.params {
		switch {
		case i < len(args) && len(args[i]) > 0:
			value, _ := c.values(args[i], s, atBuild)
			if !p.syntax.accepts(value) {
				c.wrongCall(head, m, fmt.Sprintf("the parameter %q of %q is to be %s; found %q", p.name, m.name, p.syntax, textOfValues(value)), p.at)
				return nil, false
			}
			made.args[p.name] = value
		case p.optional:
			made.args[p.name], _ = c.values(p.byDefault, body, atBuild)
		default:
			c.wrongCall(head, m, fmt.Sprintf("%q needs a value for its parameter %q", m.name, p.name), p.at)
			return nil, false
		}
	}
	c.calls++
	c.trail = append(c.trail, step{at: head.Span(), of: m})
	return made, true
}

func (c *Composer) leave() {
	c.calls--
	c.trail = c.trail[:len(c.trail)-1]
}

func counted(n int) string {
	switch n {
	case 0:
		return "no parameters"
	case 1:
		return "one parameter"
	}
	return fmt.Sprintf("%d parameters", n)
}

// wrongCall reports a call whose arguments do not fit.
func (c *Composer) wrongCall(head *ast.Value, m *callable, message string, at source.Span) {
	c.report(diag.Diagnostic{Code: "bad-call", Severity: diag.Error, Span: head.Span(), Message: message,
		Related: []diag.Related{{Span: at, Message: "the " + m.kind() + " says so here"}}})
}

// argument returns what stands for var(--name) if that is a parameter of the
// call whose body the place is in.
func (c *Composer) argument(v *ast.Value, s *Scope, at place) ([]ast.Value, bool) {
	inCall := s.inCall()
	if inCall == nil {
		return nil, false
	}
	args := trim(v.Inner.Values)
	if len(args) == 0 || args[0].Kind != token.Ident {
		return nil, false
	}
	value, ok := inCall.args[token.Unescape(args[0].Text)]
	if !ok {
		return nil, false
	}
	return c.place(value, v, at)
}

// result returns what stands for the call of a function, or false if there is
// none of that name: then a browser may know it.
func (c *Composer) result(v *ast.Value, s *Scope, at place) ([]ast.Value, bool) {
	m := s.findCallable("function " + calledName(v))
	if m == nil {
		return nil, false
	}
	made, ok := c.enter(m, v, s)
	if !ok {
		return nil, false
	}
	defer c.leave()
	inner := m.scope.inner()
	inner.call = made
	body, _ := ast.Map(m.body, func(n ast.Node) ast.Edit { return c.node(n, inner) })
	for _, n := range body {
		if ast.Body(n) != nil {
			c.wrongCall(v, m, fmt.Sprintf("the function %q leaves something to the browser, and has no result that is known now", m.name), n.Span())
			return nil, false
		}
	}
	for _, n := range slices.Backward(body) {
		if d, ok := n.(*ast.Declaration); ok && token.EqualFold(d.Name, "result") {
			return c.place(d.Value, v, at)
		}
	}
	c.wrongCall(v, m, fmt.Sprintf("the function %q has no result", m.name), m.at)
	return nil, false
}
