package compose

import (
	"errors"
	"fmt"
	"slices"
	"strings"

	"rinzel/internal/css/ast"
	"rinzel/internal/css/token"
	"rinzel/internal/css/value"
	"rinzel/internal/diag"
	"rinzel/internal/diag/code"
	"rinzel/internal/source"
)

// valueContext describes the context of values, which determines how they are
// evaluated.
type valueContext struct {
	value.Context
	verbatim  bool // in a custom property, where white space is a value of its own
	asWritten bool // a condition tests whether browsers support it: nothing is computed
	math      bool // in a math function, which is computed as a whole
	compared  bool // compared with a custom property in style(): must be computed like the custom property
}

// atBuild is the context of values that are used at build time.
var atBuild = valueContext{Context: value.Anywhere}

// contextOf returns the context of the value of a declaration.
func contextOf(d *ast.Declaration) valueContext {
	return valueContext{Context: value.ContextOf(token.Lower(d.Name)), verbatim: d.IsCustom()}
}

// inside returns the context of the arguments of a function or block.
func (p valueContext) inside(v *ast.Value) valueContext {
	if p.asWritten && v.IsFunction("set") {
		return valueContext{} // values for custom properties of an imported sheet
	}
	if v.IsFunction("replace") {
		return p // relative colours are computed when the old value is known
	}
	if v.IsFunction("style") {
		p.asWritten, p.compared = false, true
	}
	p.math = p.math || value.IsMath(v)
	p.Context = p.Inside(v.Name())
	return p
}

// ownImportFunctions are the functions of @import that only have a meaning at
// build time.
var ownImportFunctions = words("without only set replace")

// ImportPrelude returns the prelude of an @import rule with the build-time
// language evaluated.
func (c *Composer) ImportPrelude(values []ast.Value, s *Scope) []ast.Value {
	out, _ := c.values(values, s, valueContext{asWritten: true})
	if !namesMedia(out) {
		return out
	}
	start := slices.IndexFunc(out,
		func(v ast.Value) bool { return v.Kind == token.LParen || v.Kind == token.Ident && !v.IsIdent("layer") })
	end := start
	for end < len(out) && !ownImportFunctions[token.Lower(out[end].Name())] {
		end++
	}
	media, _ := c.media(out[start:end], s)
	return slices.Concat(out[:start], spaced(media, true), out[end:])
}

// values returns values with the build-time language evaluated, and whether
// anything changed. Unchanged lists are returned as they are.
func (c *Composer) values(values []ast.Value, s *Scope, at valueContext) (out []ast.Value, changed bool) {
	for i := 0; i < len(values); i++ {
		v := &values[i]
		with, took := []ast.Value(nil), 0
		if v.Inner != nil {
			with, took = c.function(values[i:], s, at)
		}
		if took == len(values) && len(with) > 0 && with[0].Space == v.Space {
			return slices.Clip(with), true
		}
		if took > 0 && !changed {
			changed = true
			out = append(make([]ast.Value, 0, len(values)+len(with)), values[:i]...)
		}
		switch {
		case took > 0:
			first := len(out)
			if out = append(out, with...); len(with) > 0 && !at.verbatim {
				out[first].Space = v.Space
			}
			i += took - 1
		case changed:
			out = append(out, *v)
		}
	}
	if !changed {
		return values, false
	}
	return out, true
}

// function returns the replacement of the function or block at the start of
// values, and how many values it replaces; 0 if it has no meaning at build
// time. The result may be shared, and its first value may have the wrong white
// space flag.
func (c *Composer) function(values []ast.Value, s *Scope, at valueContext) (with []ast.Value, took int) {
	v := &values[0]
	switch {
	case v.IsFunction("const"):
		if with, ok := c.use(v, s, at); ok {
			c.checkUnit(values, with)
			return with, 1
		}
		return nil, 0
	case v.IsFunction("-const"):
		c.fail(code.BadConstant, v.Span(), "a sign directly before const() makes it a different function",
			"write calc(-1 * const(name))")
		return nil, 0
	case v.IsFunction("var"):
		if with, ok := c.argument(v, s, at); ok {
			return with, 1
		}
	case v.IsFunction("if") && usesBuildTime(v.Inner.Values):
		if with, ok := c.inlineIf(v, s, at); ok {
			return with, 1
		}
		return nil, 0
	case isInterpolated(v) && (!at.verbatim || c.namesConstant(v, s)):
		name, took := c.interpolateName(values, s)
		if took == 0 {
			return nil, 0
		}
		return []ast.Value{{Kind: token.Ident, Text: token.EscapeName(name), Pos: v.Pos, Space: v.Space}}, took
	case dashed(v):
		if with, ok := c.result(v, s, at); ok {
			return with, 1
		}
	}
	inner, edited := c.values(v.Inner.Values, s, at.inside(v))
	copied := *v
	if edited {
		copied.Inner = &ast.Inner{Values: inner, Close: v.Inner.Close}
	}
	if with, ok := c.finished(&copied, edited, at); ok {
		return []ast.Value{with}, 1
	}
	if !edited {
		return nil, 0
	}
	return []ast.Value{copied}, 1
}

// finished returns the result of a function with evaluated arguments, if it is
// known at build time. edited is set if the build changed its arguments.
func (c *Composer) finished(v *ast.Value, edited bool, at valueContext) (with ast.Value, ok bool) {
	switch {
	case v.Kind != token.Function:
	case v.IsFunction("concat"):
		if text, ok := c.joined(v, true); ok {
			return ast.Value{Kind: token.String, Text: token.Quote(text), Pos: v.Pos, Space: v.Space}, true
		}
	case v.IsFunction("ident"):
		if text, ok := c.joined(v, false); ok {
			return ast.Value{Kind: token.Ident, Text: token.EscapeName(text), Pos: v.Pos, Space: v.Space}, true
		}
	case edited && v.IsFunction("src") && len(v.Inner.Values) == 1 && v.Inner.Values[0].Kind == token.String:
		v.Text = "url(" // all parts are known: write the form that every browser supports
	case at.math || at.asWritten || (at.verbatim || at.compared) && !edited:
		// Scripts read custom properties as they are written.
	case value.IsComputable(v):
		return c.computed(v, at)
	}
	return with, false
}

// computed returns the result of a math function or colour function.
func (c *Composer) computed(v *ast.Value, at valueContext) (with ast.Value, ok bool) {
	with, ok, err := value.Fold(v, at.Context)
	var problem *value.Problem
	if errors.As(err, &problem) {
		c.report(diag.Diagnostic{Code: code.BadMath, Severity: diag.Warning, Span: problem.At,
			Message: problem.Message + ": browsers skip the declaration", Fix: problem.Fix})
		return with, false
	}
	if !ok {
		with, ok = value.FoldColor(v)
	}
	if ok && at.verbatim && with.Inner != nil {
		with.Inner = &ast.Inner{Values: ast.Verbatim(with.Inner.Values), Close: with.Inner.Close}
	}
	return with, ok
}

// use returns the value of const(path) or const(path, fallback).
func (c *Composer) use(v *ast.Value, s *Scope, at valueContext) ([]ast.Value, bool) {
	args := trim(v.Inner.Values)
	if constant := c.plain(args, s); constant != nil {
		constant.isRead(v.Span())
		return c.substitute(constant.Value, v, at)
	}
	args, ok := c.chosen(args, s)
	if !ok {
		return nil, false
	}
	p, n := readPath(args)
	if p == nil || n < len(args) && !isComma(args[n:]) {
		c.fail(code.BadConstant, v.Span(),
			"const() expects the name of a constant, optionally followed by a comma and a fallback", "")
		return nil, false
	}
	constant, ok := s.Find(p)
	if ok {
		constant.isRead(v.Span())
		c.noteUse(p, v.Span(), s)
	}
	switch {
	case ok && constant.Group != nil:
		c.fail(code.BadConstant, ast.SpanOf(args[:n]), fmt.Sprintf("expected a value, got the group %q", joinPath(p)),
			fmt.Sprintf("use one of its keys: %s", strings.Join(first(constant.Group.Keys(), 5), ", ")))
		return nil, false
	case ok:
		return c.substitute(constant.Value, v, at)
	case n < len(args):
		fallback := trim(trim(args[n:])[1:])
		fallback, _ = c.values(fallback, s, at)
		at.verbatim = false // the white space is that of the source
		return c.substitute(fallback, v, at)
	}
	c.unknown(p, ast.SpanOf(args[:n]), s)
	return nil, false
}

// checkUnit reports a unit directly after a numeric constant: the two remain
// separate tokens.
func (c *Composer) checkUnit(values, with []ast.Value) {
	if len(values) < 2 || values[1].Space || len(with) != 1 || with[0].Kind != token.Number {
		return
	}
	next := &values[1]
	if next.Kind == token.Ident && (value.Measures(token.Lower(next.Text)) != "" || next.IsIdent("fr")) ||
		next.IsDelim('%') {
		c.fail(code.BadConstant, values[0].Pos.To(next.Span().End),
			fmt.Sprintf("%q after a constant does not become the unit of its number", next.Text),
			fmt.Sprintf("write calc(const(name) * 1%s), or put the unit into the constant", next.Text))
	}
}

// plain returns the constant named by args if it is a value outside of all
// groups, the most common case, without collecting anything.
func (c *Composer) plain(args []ast.Value, s *Scope) *Constant {
	if len(args) != 1 || args[0].Kind != token.Ident || c.Record != nil {
		return nil
	}
	name := token.Unescape(args[0].Text)
	for ; s != nil; s = s.outer {
		s.touch()
		if constant, ok := s.local(name); ok {
			if constant.Group != nil {
				return nil
			}
			return constant
		}
	}
	return nil
}

// first returns at most n elements of a list, followed by an ellipsis if there
// are more.
func first(list []string, n int) []string {
	if len(list) <= n {
		return list
	}
	return append(slices.Clone(list[:n]), "…")
}

// trim returns values without leading and trailing white space.
func trim(values []ast.Value) []ast.Value {
	for len(values) > 0 && values[0].Kind == token.Whitespace {
		values = values[1:]
	}
	for len(values) > 0 && values[len(values)-1].Kind == token.Whitespace {
		values = values[:len(values)-1]
	}
	return values
}

// isComma reports whether values start with a comma.
func isComma(values []ast.Value) bool {
	values = trim(values)
	return len(values) > 0 && values[0].Kind == token.Comma
}

// substitute returns values as the replacement of use. The result may be
// shared, and its first value has the white space flag of its source.
func (c *Composer) substitute(values []ast.Value, use *ast.Value, at valueContext) ([]ast.Value, bool) {
	if !c.count(deepSize(values, c.limits().Values)+1, use.Span()) {
		return nil, false
	}
	if at.verbatim {
		return ast.Verbatim(rounded(values, at)), true
	}
	return rounded(values, at), true
}

// deepSize counts values, including those in functions and brackets; it stops
// counting above limit. A long text counts as several values.
func deepSize(values []ast.Value, limit int) int {
	n := 0
	for i := range values {
		v := &values[i]
		if n += 1 + len(v.Text)/textWeight; v.Inner != nil && n <= limit {
			n += deepSize(v.Inner.Values, limit-n)
		}
		if n > limit {
			return n
		}
	}
	return n
}

// textWeight is the number of bytes of text that count as a value.
const textWeight = 32

// rounded returns values with numbers in their output precision, unless they
// are used at build time.
func rounded(values []ast.Value, at valueContext) []ast.Value {
	if at.math || at.Digits == value.Double || len(values) == 0 {
		return values
	}
	values, _ = ast.MapValues(values, func(v *ast.Value) (ast.Value, bool) { return value.Rounded(v) })
	return values
}

// count counts values inserted into the sheet. It returns false after reporting
// that there are too many.
func (c *Composer) count(n int, at source.Span) bool {
	limit := c.limits().Values
	if c.inserted += n; c.inserted <= limit {
		return true
	}
	if !c.tooMany {
		c.tooMany = true
		c.fail(code.TooManyValues, at, fmt.Sprintf("constants and loops generate more than %d values in one sheet", limit),
			"look for constants that use each other several times and for nested loops; if that is intended, raise values in [limits] of the settings")
	}
	return false
}

// joined returns the concatenated texts of the arguments of concat() or
// ident(). ok is false if the text of one of them is not known.
func (c *Composer) joined(v *ast.Value, commas bool) (text string, ok bool) {
	var b strings.Builder
	for i := range v.Inner.Values {
		arg := &v.Inner.Values[i]
		switch arg.Kind {
		case token.Whitespace, token.Comment:
			continue
		case token.Comma:
			if commas {
				continue
			}
		}
		part, ok := textOf(arg)
		if !ok || !c.count(len(part)/textWeight, v.Span()) {
			return "", false
		}
		b.WriteString(part)
	}
	return b.String(), b.Len() > 0 || commas
}

// textOf returns the text of a value in a name or a string.
func textOf(v *ast.Value) (string, bool) {
	switch v.Kind {
	case token.String:
		return token.StringValue(v.Text), true
	case token.Ident, token.Number, token.Dimension:
		return token.Unescape(v.Text), true
	case token.Percentage:
		return v.Text, true
	}
	return "", false
}
