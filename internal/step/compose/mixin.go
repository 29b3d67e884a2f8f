package compose

import (
	"fmt"
	"slices"
	"strings"

	"rinzel/internal/css/ast"
	"rinzel/internal/css/token"
	"rinzel/internal/diag"
	"rinzel/internal/diag/code"
	"rinzel/internal/source"
)

// This file evaluates mixins, and reads parameters (CSS Functions and Mixins):
//
//	@mixin --card(--pad <length>: 1px) { padding: var(--pad); @contents; }
//	@apply --card(2px) { color: red }

// callWeight is the number of values that a call counts as, whatever it
// generates, so that mixins which each call the next one twice reach a limit.
const callWeight = 20

// callable is a mixin or a function.
type callable struct {
	name    string
	params  []param
	body    []ast.Node
	at      source.Span
	isFunc  bool
	returns syntax   // of a function
	wrong   ast.Node // an invalid node in the body of a function, once reported
}

// param is a parameter.
type param struct {
	name      string
	syntax    syntax // type of the argument
	byDefault []ast.Value
	optional  bool
	at        source.Span
}

// kind returns what a callable is, for messages.
func (m *callable) kind() string {
	if m.isFunc {
		return functionKind
	}
	return mixinKind
}

// defineCallable evaluates the definition of a mixin or a function.
func (c *Composer) defineCallable(r *ast.AtRule, s *Scope) {
	isFunc := token.EqualFold(r.Name, "function")
	form := "write @mixin --name(--parameter <type>: default) { … }"
	if isFunc {
		form = "write @function --name(--parameter <type>: default) returns <type> { result: …; }"
	}
	if len(r.Prelude) == 0 || r.Block == nil || !dashed(&r.Prelude[0]) {
		c.fail(code.BadMixin, r.Span(),
			fmt.Sprintf("invalid @%s: expected a name that starts with two hyphens, and a block", r.Name), form)
		return
	}
	head := &r.Prelude[0]
	m := &callable{name: calledName(head), body: r.Block.Nodes, at: source.SpanOf(head.Pos, len(head.Text)),
		isFunc: isFunc}
	if rest := trim(r.Prelude[1:]); len(rest) > 0 {
		ok := isFunc && rest[0].IsIdent("returns") && len(rest) > 1
		if ok {
			m.returns, ok = readSyntax(rest[1:])
		}
		if !ok {
			c.fail(code.BadMixin, ast.SpanOf(rest), fmt.Sprintf("expected '{' after the parameters of the %s", m.kind()), form)
			return
		}
	}
	if !c.readParams(m, arguments(head.Values())) {
		return
	}
	if isFunc {
		c.checkBody(m, m.body)
	}
	s.define(&definition{key: keyOf(m.kind(), m.name), at: m.at, callable: m})
}

// readParams reads the parameters of a mixin or function. It returns false
// after a finding.
func (c *Composer) readParams(m *callable, args [][]ast.Value) bool {
	for i, arg := range args {
		if !m.isFunc && i == len(args)-1 && len(arg) == 1 && arg[0].Kind == token.AtKeyword &&
			token.EqualFold(arg[0].Text, "@contents") {
			continue // it declares that calls may have a block
		}
		p, ok := c.param(arg)
		if !ok {
			return false
		}
		if slices.ContainsFunc(m.params, func(o param) bool { return o.name == p.name }) {
			c.fail(code.BadMixin, p.at, fmt.Sprintf("duplicate parameter %q", p.name), "")
			return false
		}
		m.params = append(m.params, p)
	}
	return true
}

// dashed reports whether v is a name that starts with two hyphens, with or
// without parameters.
func dashed(v *ast.Value) bool {
	return (v.Kind == token.Ident || v.Kind == token.Function) && strings.HasPrefix(v.Text, "--")
}

// calledName returns the name of a called mixin or function.
func calledName(v *ast.Value) string { return token.Unescape(strings.TrimSuffix(v.Text, "(")) }

// arguments splits values at commas, and removes braces around arguments. A
// single empty argument counts as none.
func arguments(values []ast.Value) [][]ast.Value {
	if values = trim(values); len(values) == 0 {
		return nil
	}
	out := ast.SplitAt(values, token.Comma)
	for i := range out {
		out[i] = unbraced(out[i])
	}
	return out
}

// unbraced returns values without braces around all of them.
func unbraced(values []ast.Value) []ast.Value {
	values = trim(values)
	if len(values) == 1 && values[0].Kind == token.LBrace {
		values = trim(values[0].Values())
	}
	return values
}

// param reads a parameter: --name <type>: default.
func (c *Composer) param(values []ast.Value) (param, bool) {
	const form = "write --name, --name <type> or --name <type>: default"
	if len(values) == 0 || values[0].Kind != token.Ident || !strings.HasPrefix(values[0].Text, "--") {
		c.fail(code.BadMixin, ast.SpanOf(values), "expected a parameter: a name that starts with two hyphens", form)
		return param{}, false
	}
	p := param{name: token.Unescape(values[0].Text), at: ast.SpanOf(values)}
	rest := values[1:]
	colon := slices.IndexFunc(rest, func(v ast.Value) bool { return v.Kind == token.Colon })
	kind := rest
	if colon >= 0 {
		kind = rest[:colon]
		p.byDefault, p.optional = unbraced(rest[colon+1:]), true
	}
	var ok bool
	if p.syntax, ok = readSyntax(kind); !ok {
		c.fail(code.BadMixin, ast.SpanOf(kind), "expected a type such as <length>, <color># or type(<length> | auto)", form)
		return param{}, false
	}
	return p, true
}

// reportContinues reports an at-rule with a single value that continues after
// the value, usually because a semicolon is missing.
func (c *Composer) reportContinues(r *ast.AtRule) {
	first := &r.Prelude[0]
	at := first.Span()
	end := source.Span{Start: source.Pos{File: at.Start.File, Off: max(at.End, 1) - 1}, End: at.End}
	c.report(diag.Diagnostic{Code: code.BadMixin, Severity: diag.Error, Span: end,
		Message: fmt.Sprintf("missing ';' or block of @%s after %q", r.Name, textOfValues(r.Prelude[:1])),
		Related: []diag.Related{{Span: r.Prelude[1].Span(), Message: "read as part of the rule"}},
		Fix:     fmt.Sprintf("write @%s %s;", r.Name, textOfValues(r.Prelude[:1]))})
}

// apply returns the replacement of an @apply rule.
func (c *Composer) apply(r *ast.AtRule, s *Scope) []ast.Node {
	if len(r.Prelude) > 1 && dashed(&r.Prelude[0]) {
		c.reportContinues(r)
		return nil
	}
	if len(r.Prelude) != 1 || !dashed(&r.Prelude[0]) {
		c.fail(code.BadMixin, r.Span(), "@apply without a mixin: expected a name that starts with two hyphens",
			"write @apply --name; or @apply --name(…) { … }")
		return nil
	}
	head := &r.Prelude[0]
	name := calledName(head)
	d := s.definition(keyOf(mixinKind, name))
	if d == nil {
		c.unknownName(code.UnknownMixin, mixinKind, "mixin", name, name, source.SpanOf(head.Pos, len(name)), s)
		return nil
	}
	outer := c.branch
	defer func() { c.branch = outer }()
	turn := func(truth map[string]bool) ([]ast.Node, []question, bool) { return c.applied(r, d, truth, s) }
	out, asked, ok := turn(nil)
	if !ok || len(asked) == 0 {
		return out
	}
	return c.branches(head.Span(), out, asked, turn)
}

// applied returns the replacement of an @apply rule if the conditions in truth
// are true, which its arguments may depend on.
func (c *Composer) applied(r *ast.AtRule, d *definition, truth map[string]bool, s *Scope) (out []ast.Node,
	asked []question, ok bool) {
	c.branch = branching{allowed: c.inStyle || c.depth == 0, truth: truth}
	head := &r.Prelude[0]
	inner, ok := c.enter(d, head, s)
	asked = c.branch.asked
	c.branch = branching{}
	if !ok {
		return nil, nil, false
	}
	defer c.leave()
	if r.Block != nil {
		inner.call.contents, inner.call.given = r.Block.Nodes, true
	}
	out = c.block(d.callable.body, inner)
	if !c.count(weight(out), head.Span()) {
		return nil, nil, false
	}
	return out, asked, true
}

// contents returns the replacement of @contents: the block of the call, or by
// default the block of the rule itself.
func (c *Composer) contents(r *ast.AtRule, s *Scope) []ast.Node {
	inCall := s.inCall()
	if inCall == nil || inCall.of.isFunc {
		c.fail(code.BadMixin, r.Span(), "@contents outside of a mixin", "")
		return nil
	}
	if len(r.Prelude) > 0 {
		c.fail(code.BadMixin, r.Prelude[0].Span(), "@contents takes no value: expected ';' before this", "write @contents;")
		return nil
	}
	if !c.count(callWeight, r.Span()) {
		return nil
	}
	nodes, scope := inCall.contents, inCall.caller
	if !inCall.given {
		if r.Block == nil {
			return nil
		}
		nodes, scope = r.Block.Nodes, s
	}
	return c.block(nodes, scope.inner())
}

// counted words a number of parameters.
func counted(n int) string {
	switch n {
	case 0:
		return "no parameters"
	case 1:
		return "one parameter"
	}
	return fmt.Sprintf("%d parameters", n)
}
