package compose

import (
	"fmt"
	"slices"
	"strings"

	"rinzel/internal/css/ast"
	"rinzel/internal/css/token"
	"rinzel/internal/source"
)

// Values returns values with all that they say to the build finished.
func (c *Composer) Values(values []ast.Value, s *Scope) []ast.Value {
	out, _ := c.values(values, s, false)
	return out
}

// values does the work of Values. verbatim is for custom properties, where
// white space is a value of its own. A list without a use is returned as it is.
func (c *Composer) values(values []ast.Value, s *Scope, verbatim bool) (out []ast.Value, changed bool) {
	for i := 0; i < len(values); i++ {
		v := &values[i]
		with, took := []ast.Value(nil), 0
		if v.Inner != nil {
			with, took = c.function(values[i:], s, verbatim)
		}
		if took > 0 && !changed {
			changed = true
			out = append(make([]ast.Value, 0, len(values)+len(with)), values[:i]...)
		}
		switch {
		case took > 0:
			out = append(out, with...)
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

// function returns what stands for the function or block at the start of
// values, and for how many of them; none if it says nothing to the build.
func (c *Composer) function(values []ast.Value, s *Scope, verbatim bool) (with []ast.Value, took int) {
	v := &values[0]
	switch {
	case v.IsFunction("const"):
		if with, ok := c.use(v, s, verbatim); ok {
			return with, 1
		}
		return nil, 0
	case v.IsFunction("var"):
		if with, ok := c.argument(v, s, verbatim); ok {
			return with, 1
		}
	case dashed(v):
		if with, ok := c.result(v, s, verbatim); ok {
			return with, 1
		}
	case isSplice(v):
		name, took := c.spliceName(values, s)
		if took == 0 {
			return nil, 0
		}
		return []ast.Value{{Kind: token.Ident, Text: token.EscapeName(name), Pos: v.Pos, Space: v.Space}}, took
	}
	inner, edited := c.values(v.Inner.Values, s, verbatim)
	copied := *v
	if edited {
		copied.Inner = &ast.Inner{Values: inner, Close: v.Inner.Close}
	}
	switch {
	case v.IsFunction("concat"):
		if text, ok := c.joined(&copied, true); ok {
			return []ast.Value{{Kind: token.String, Text: token.Quote(text), Pos: v.Pos, Space: v.Space}}, 1
		}
	case v.IsFunction("ident"):
		if text, ok := c.joined(&copied, false); ok {
			return []ast.Value{{Kind: token.Ident, Text: token.EscapeName(text), Pos: v.Pos, Space: v.Space}}, 1
		}
	case edited && v.IsFunction("src") && len(inner) == 1 && inner[0].Kind == token.String:
		copied.Text = "url(" // now that it is known, what every browser reads
	}
	if !edited {
		return nil, 0
	}
	return []ast.Value{copied}, 1
}

// use returns what stands for const(path) or const(path, fallback).
func (c *Composer) use(v *ast.Value, s *Scope, verbatim bool) ([]ast.Value, bool) {
	args := trim(v.Inner.Values)
	p, n := readPath(args)
	if p == nil || n < len(args) && !isComma(args[n:]) {
		c.fail("bad-constant", v.Span(), "const() takes the name of a constant, and after a comma what to take if it is not set", "")
		return nil, false
	}
	constant, ok := s.Find(p)
	switch {
	case ok && constant.Group != nil:
		c.fail("bad-constant", ast.SpanOf(args[:n]), fmt.Sprintf("%q is a group, where a value is expected", joinPath(p)),
			fmt.Sprintf("name one of its keys: %s", strings.Join(first(constant.Group.Keys(), 5), ", ")))
		return nil, false
	case ok:
		return c.place(constant.Value, v.Space, verbatim)
	case n < len(args):
		fallback := trim(trim(args[n:])[1:])
		fallback, _ = c.values(fallback, s, verbatim)
		return c.place(fallback, v.Space, false)
	}
	c.unknown(p, ast.SpanOf(args[:n]), s)
	return nil, false
}

// first returns at most n elements of a list, and dots for the others.
func first(list []string, n int) []string {
	if len(list) <= n {
		return list
	}
	return append(slices.Clone(list[:n]), "…")
}

// trim returns values without white space around them.
func trim(values []ast.Value) []ast.Value {
	for len(values) > 0 && values[0].Kind == token.Whitespace {
		values = values[1:]
	}
	for len(values) > 0 && values[len(values)-1].Kind == token.Whitespace {
		values = values[:len(values)-1]
	}
	return values
}

func isComma(values []ast.Value) bool {
	values = trim(values)
	return len(values) > 0 && values[0].Kind == token.Comma
}

// place returns values such that they stand where white space did or did not
// stand before. spell is for custom properties.
func (c *Composer) place(values []ast.Value, space, spell bool) ([]ast.Value, bool) {
	if !c.count(len(values)+1, ast.SpanOf(values)) {
		return nil, false
	}
	if spell {
		return spelled(values), true
	}
	out := slices.Clone(values)
	if len(out) > 0 {
		out[0].Space = space
	}
	return out, true
}

// count counts values that are put into the sheet, and reports when there are
// too many; then it returns false.
func (c *Composer) count(n int, at source.Span) bool {
	if c.made += n; c.made <= Limit {
		return true
	}
	if !c.tooMany {
		c.tooMany = true
		c.fail("too-many-values", at, fmt.Sprintf("constants and loops put more than %d values into one sheet", Limit),
			"look for constants that each use another several times, and for loops within loops")
	}
	return false
}

// spelled returns values with their white space as values of its own, as
// custom properties hold it.
func spelled(values []ast.Value) []ast.Value {
	out := make([]ast.Value, 0, len(values)*2)
	for i, v := range values {
		if i > 0 && (v.Space || values[i-1].Kind == token.Comma) {
			out = append(out, ast.Value{Kind: token.Whitespace, Text: " "})
		}
		v.Space = false
		if v.Inner != nil {
			v.Inner = &ast.Inner{Values: spelled(v.Inner.Values), Close: v.Inner.Close}
		}
		out = append(out, v)
	}
	return out
}

// joined returns the texts of the arguments of concat() or ident(), joined. ok
// is false if one of them has no text that is known now.
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
		if !ok {
			return "", false
		}
		b.WriteString(part)
	}
	return b.String(), b.Len() > 0 || commas
}

// textOf returns the text that a value stands for in a name or a string.
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
