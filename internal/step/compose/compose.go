// Package compose finishes what a sheet says to the build: it sets constants,
// and puts their values where they are used.
//
//	@const gap: 8px;            sets a constant
//	@default gap: 8px;          sets it only where nothing set it before
//	padding: const(gap);        reads it, in any value or prelude
//	padding: const(gap, 8px);   reads it, or else takes the fallback
//
// A constant that is set within a block ends with the block. All others flow
// along imports: an imported sheet sees what its importer set before, and the
// importer sees afterwards what the sheet set.
package compose

import (
	"fmt"
	"maps"
	"slices"

	"rinzel/internal/css/ast"
	"rinzel/internal/css/token"
	"rinzel/internal/diag"
	"rinzel/internal/source"
)

// Limit is how many values all constants together may put into one sheet. A
// few constants that each use the one before twice reach any number.
const Limit = 10_000_000

// Scope holds the constants that a place in a sheet sees.
type Scope struct {
	outer  *Scope // of the block around; nil outside of all blocks
	values map[string]Constant
}

// Constant is a value that has a name.
type Constant struct {
	Value []ast.Value
	At    source.Span // of its name where it was set
}

// NewScope returns an empty scope outside of all blocks.
func NewScope() *Scope { return &Scope{values: make(map[string]Constant)} }

// inner returns the scope of a block within s. It costs nothing until a
// constant is set in it.
func (s *Scope) inner() *Scope { return &Scope{outer: s} }

// Find returns the constant of a name that a place in the scope sees.
func (s *Scope) Find(name string) (Constant, bool) {
	for ; s != nil; s = s.outer {
		if c, ok := s.values[name]; ok {
			return c, true
		}
	}
	return Constant{}, false
}

// Set sets a constant in the scope itself.
func (s *Scope) Set(name string, c Constant) {
	if s.values == nil {
		s.values = make(map[string]Constant)
	}
	s.values[name] = c
}

// names returns the names of all constants that the scope sees, sorted.
func (s *Scope) names() []string {
	all := make(map[string]bool)
	for ; s != nil; s = s.outer {
		for name := range s.values {
			all[name] = true
		}
	}
	return slices.Sorted(maps.Keys(all))
}

// Composer works through one sheet.
type Composer struct {
	Report func(diag.Diagnostic)

	made    int // values that constants have put into the sheet
	tooMany bool
}

// IsStatement reports whether n speaks to the build alone, so that it may
// stand before an import.
func IsStatement(n ast.Node) bool {
	r, ok := n.(*ast.AtRule)
	return ok && (token.EqualFold(r.Name, "const") || token.EqualFold(r.Name, "default"))
}

// Nodes returns nodes with all that they say to the build finished. Nodes
// that say nothing to it are shared, not copied.
func (c *Composer) Nodes(nodes []ast.Node, s *Scope) []ast.Node {
	out, _ := ast.Map(nodes, func(n ast.Node) ast.Edit { return c.node(n, s) })
	return out
}

func (c *Composer) node(n ast.Node, s *Scope) ast.Edit {
	if IsStatement(n) {
		c.set(n.(*ast.AtRule), s)
		return ast.Remove
	}
	changed := false
	switch r := n.(type) {
	case *ast.Declaration:
		value, ok := c.values(r.Value, s, r.IsCustom())
		if ok {
			d := *r
			d.Value = value
			return ast.Replace(&d)
		}
		return ast.Keep
	case *ast.AtRule:
		prelude, ok := c.values(r.Prelude, s, false)
		if ok {
			copied := *r
			copied.Prelude = prelude
			n, changed = &copied, true
		}
	case *ast.KeyframeRule:
		prelude, ok := c.values(r.Prelude, s, false)
		if ok {
			copied := *r
			copied.Prelude = prelude
			n, changed = &copied, true
		}
	}
	if body := ast.Body(n); len(body) > 0 {
		inner := s.inner()
		edited, ok := ast.Map(body, func(n ast.Node) ast.Edit { return c.node(n, inner) })
		if ok {
			return ast.Replace(ast.WithBody(n, edited))
		}
	}
	if changed {
		return ast.Replace(n)
	}
	return ast.Keep
}

// set sets the constant of an @const or @default rule.
func (c *Composer) set(r *ast.AtRule, s *Scope) {
	name, value, at, problem := definition(r)
	if problem != "" {
		c.fail("bad-constant", at, problem, fmt.Sprintf("write @%s name: value;", r.Name))
		return
	}
	if token.EqualFold(r.Name, "default") {
		if _, ok := s.Find(name); ok {
			return
		}
	}
	value, _ = c.values(value, s, false)
	s.Set(name, Constant{Value: value, At: at})
}

// definition splits "name: value". Where that is not what stands there,
// problem says so and at is the place.
func definition(r *ast.AtRule) (name string, value []ast.Value, at source.Span, problem string) {
	p := r.Prelude
	whole := r.Span()
	switch {
	case r.Block != nil:
		return "", nil, whole, fmt.Sprintf("@%s has a block: expected a name and a value", r.Name)
	case len(p) == 0 || p[0].Kind != token.Ident:
		return "", nil, whole, fmt.Sprintf("@%s has no name: expected one before the value", r.Name)
	case len(p) == 1 || p[1].Kind != token.Colon:
		return "", nil, p[0].Span(), fmt.Sprintf("expected ':' after the name %q", p[0].Text)
	case len(p) == 2:
		return "", nil, p[0].Span(), fmt.Sprintf("the constant %q has no value", p[0].Text)
	}
	value = slices.Clone(p[2:])
	value[0].Space = false
	return token.Unescape(p[0].Text), value, p[0].Span(), ""
}

// Values returns values with those of constants put in place of their uses.
func (c *Composer) Values(values []ast.Value, s *Scope) []ast.Value {
	out, _ := c.values(values, s, false)
	return out
}

// values does the work of Values. verbatim is for custom properties, where
// white space is a value of its own. A list without a use is returned as it is.
func (c *Composer) values(values []ast.Value, s *Scope, verbatim bool) (out []ast.Value, changed bool) {
	for i := range values {
		v := &values[i]
		with, ok := []ast.Value(nil), false
		switch {
		case v.Inner == nil:
		case v.IsFunction("const"):
			with, ok = c.use(v, s, verbatim)
		default:
			inner, edited := c.values(v.Inner.Values, s, verbatim)
			if edited {
				copied := *v
				copied.Inner = &ast.Inner{Values: inner, Close: v.Inner.Close}
				with, ok = []ast.Value{copied}, true
			}
		}
		if ok && !changed {
			changed = true
			out = append(make([]ast.Value, 0, len(values)+len(with)), values[:i]...)
		}
		switch {
		case ok:
			out = append(out, with...)
		case changed:
			out = append(out, *v)
		}
	}
	if !changed {
		return values, false
	}
	return out, true
}

// use returns what stands for const(name) or const(name, fallback).
func (c *Composer) use(v *ast.Value, s *Scope, verbatim bool) ([]ast.Value, bool) {
	args := trim(v.Inner.Values)
	if len(args) == 0 || args[0].Kind != token.Ident || len(args) > 1 && !isComma(args[1:]) {
		c.fail("bad-constant", v.Span(), "const() takes the name of a constant, and after a comma what to take if it is not set", "")
		return nil, false
	}
	name := token.Unescape(args[0].Text)
	constant, ok := s.Find(name)
	switch {
	case ok:
		return c.place(constant.Value, v.Space, verbatim)
	case len(args) > 1:
		fallback := trim(trim(args[1:])[1:])
		fallback, _ = c.values(fallback, s, verbatim)
		return c.place(fallback, v.Space, false)
	}
	mend := ""
	if near := diag.Nearest(name, s.names()); near != "" {
		mend = fmt.Sprintf("did you mean %q?", near)
	}
	c.fail("unknown-constant", args[0].Span(), fmt.Sprintf("there is no constant %q here", name), mend)
	return nil, false
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
// stand before.
func (c *Composer) place(values []ast.Value, space, spell bool) ([]ast.Value, bool) {
	if c.made += len(values) + 1; c.made > Limit {
		if !c.tooMany {
			c.tooMany = true
			c.fail("too-many-values", ast.SpanOf(values), fmt.Sprintf("constants put more than %d values into one sheet", Limit),
				"look for constants that each use another several times")
		}
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

func (c *Composer) fail(code string, at source.Span, message, mend string) {
	c.Report(diag.Diagnostic{Code: code, Severity: diag.Error, Span: at, Message: message, Mend: mend})
}
