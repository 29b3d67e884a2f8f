package compose

import (
	"fmt"
	"slices"

	"rinzel/internal/diag/code"

	"rinzel/internal/css/ast"
	"rinzel/internal/css/token"
)

// This file evaluates if() (CSS Values 5, section 7.2): conditions on constants
// are decided, all others are left to the browser.

// clause is a branch of if(): a condition and a value.
type clause struct {
	when  condition
	value []ast.Value
}

// inlineIf returns the replacement of an if(). ok is false if nothing in it is
// known, or after a finding.
func (c *Composer) inlineIf(v *ast.Value, s *Scope, at valueContext) (with []ast.Value, ok bool) {
	var left []clause
	decided := false
	for _, part := range ast.SplitAt(v.Inner.Values, token.Semicolon) {
		if len(trim(part)) == 0 {
			continue
		}
		next, ok := c.clause(part, s)
		if !ok {
			return nil, false
		}
		switch next.when.kind {
		case never:
			continue
		case always:
			decided = true
		}
		next.value, _ = c.values(next.value, s, at)
		left = append(left, next)
		if decided {
			break
		}
	}
	switch {
	case len(left) == 0 && c.nothing():
		return nil, true
	case len(left) == 0:
		c.fail(code.BadCondition, v.Span(), "no condition of if() is true, and it has no else",
			"add else: and a value at the end")
		return nil, false
	case left[0].when.kind == always:
		at.verbatim = false // the white space is that of the source
		return c.substitute(left[0].value, v, at)
	}
	var inner []ast.Value
	for i, l := range left {
		if i > 0 {
			inner = append(inner, ast.Value{Kind: token.Semicolon, Text: ";", Pos: v.Pos})
		}
		inner = append(inner, spaced(l.when.values(), i > 0)...)
		inner = append(inner, ast.Value{Kind: token.Colon, Text: ":", Pos: v.Pos})
		inner = append(inner, spaced(l.value, true)...)
	}
	if at.verbatim {
		inner = ast.Verbatim(inner)
	}
	out := *v
	out.Inner = &ast.Inner{Values: inner, Close: v.Inner.Close}
	return []ast.Value{out}, true
}

// usesBuildTime reports whether values contain a use of a constant, or a name
// that may be custom media.
func usesBuildTime(values []ast.Value) bool {
	return slices.ContainsFunc(values, func(v ast.Value) bool {
		return v.IsFunction("const") || v.Kind == token.Ident && (dashed(&v) || mediaTypes[token.Lower(v.Text)]) ||
			usesBuildTime(v.Values())
	})
}

// spaced returns values with or without white space before the first of them.
func spaced(values []ast.Value, space bool) []ast.Value {
	if values = trim(values); len(values) > 0 && values[0].Space != space {
		values = slices.Clone(values)
		values[0].Space = space
	}
	return values
}

// clause reads condition: value, or else: value.
func (c *Composer) clause(values []ast.Value, s *Scope) (clause, bool) {
	colon := slices.IndexFunc(values, func(v ast.Value) bool { return v.Kind == token.Colon })
	if colon < 0 {
		c.fail(code.BadCondition, ast.SpanOf(trim(values)), "expected ':' and a value after the condition of if()",
			"write if(const(name): value; else: value)")
		return clause{}, false
	}
	out := clause{value: trim(values[colon+1:])}
	reader := conditionReader{c: c, s: s, values: ast.Significant(values[:colon]), inline: true}
	if len(reader.values) == 1 && reader.values[0].IsIdent("else") {
		out.when = condition{kind: always}
		return out, true
	}
	var ok bool
	if out.when, ok = reader.read(); ok {
		out.when = c.withoutTypes(out.when)
	}
	if _, _, asked := out.when.cost(); ok && (asked > maxTests || !c.count(asked, ast.SpanOf(trim(values)))) {
		c.fail(code.BadCondition, ast.SpanOf(trim(values)), "the condition is too complex", "")
		return clause{}, false
	}
	return out, ok
}

// withoutTypes returns the condition with media types decided one way or the
// other: media() in if() only takes features in browsers (CSS Values 5, section
// 7.2), so that the declaration is put into rules that test the type.
func (c *Composer) withoutTypes(x condition) condition {
	switch {
	case x.kind == asksMedia && x.leaf[0].Kind == token.Ident && !x.leaf[0].IsIdent("not"):
		negated := x.negated
		x.negated = false
		rule, _ := x.wrap(nil)[0].(*ast.AtRule)
		return decided(c.decide(rule, func() {
			c.fail(code.BadCondition, x.asked.Span(),
				fmt.Sprintf("media types such as %q are not allowed in if(), and this value cannot be moved into an @media rule", x.leaf[0].Text),
				"use @when or @media around the rule")
		}) != negated)
	case len(x.parts) > 0:
		parts := make([]condition, len(x.parts))
		for i, p := range x.parts {
			parts[i] = c.withoutTypes(p)
		}
		return join(x.kind, parts)
	}
	return x
}

// values returns the condition in the syntax of if().
func (x condition) values() []ast.Value {
	switch x.kind {
	case always, never:
		return []ast.Value{{Kind: token.Ident, Text: "else"}}
	case allOf, anyOf:
		word := "and"
		if x.kind == anyOf {
			word = "or"
		}
		var out []ast.Value
		for i, p := range x.parts {
			values := p.values()
			if len(values) > 1 {
				values = []ast.Value{bracketed(values)}
			}
			if i > 0 {
				out = append(out, ast.Value{Kind: token.Ident, Text: word, Space: true})
			}
			out = append(out, spaced(values, i > 0)...)
		}
		return out
	}
	asked := x.asked
	asked.Space = x.negated
	if x.negated {
		return []ast.Value{{Kind: token.Ident, Text: "not", Pos: asked.Pos}, asked}
	}
	return []ast.Value{asked}
}
