package compose

import (
	"fmt"
	"slices"
	"strings"

	"rinzel/internal/diag/code"

	"rinzel/internal/css/ast"
	"rinzel/internal/css/token"
	"rinzel/internal/source"
)

// This file builds names from constants: a constant in brackets that is
// attached to a name ending in a hyphen, .note-(key), or that takes the place
// of a name, .(key).

// isInterpolated reports whether v is a name that ends in a hyphen, with
// brackets attached. No CSS function has such a name.
func isInterpolated(v *ast.Value) bool {
	return v.Kind == token.Function && len(v.Text) > 1 && v.Text[len(v.Text)-2] == '-'
}

// interpolateName returns the name built from the start of values, up to white
// space or anything that is not part of a name, and how many values it consists
// of; 0 after a finding.
func (c *Composer) interpolateName(values []ast.Value, s *Scope) (name string, took int) {
	for took < len(values) {
		v := &values[took]
		if took > 0 && v.Space {
			break
		}
		part := ""
		switch {
		case isInterpolated(v), v.Kind == token.LParen:
			text, ok := c.interpolated(v, s)
			if !ok {
				return "", 0
			}
			if v.Kind == token.Function {
				part = token.Unescape(v.Name())
			}
			part += text
		case took > 0 && v.IsDelim('-') && took+1 < len(values) && values[took+1].Kind == token.LParen:
			part = "-" // between two brackets
		case took > 0 && (v.Kind == token.Ident || v.Kind == token.Number || v.Kind == token.Dimension):
			part = token.Unescape(v.Text)
		default:
			return name, took
		}
		if !c.count(len(part)/textWeight, v.Span()) {
			return "", 0
		}
		name += part
		took++
	}
	return name, took
}

// namesConstant reports whether the brackets of v contain the name of a
// constant. In a custom property, which may contain anything, only then do they
// build a name.
func (c *Composer) namesConstant(v *ast.Value, s *Scope) bool {
	args := trim(v.Inner.Values)
	p, n := readPath(args)
	if p == nil || n != len(args) {
		return false
	}
	_, ok := s.Find(p)
	return ok
}

// interpolated returns the text of the constant in the brackets of v.
func (c *Composer) interpolated(v *ast.Value, s *Scope) (string, bool) {
	args := trim(v.Inner.Values)
	if constant := c.plain(args, s); constant != nil && len(constant.Value) == 1 {
		if text, ok := textOf(&constant.Value[0]); ok && text != "" {
			constant.isRead(v.Span())
			return text, true
		}
	}
	args, ok := c.chosen(args, s)
	if !ok {
		return "", false
	}
	p, n := readPath(args)
	if p == nil || n != len(args) {
		c.fail(code.BadInterpolation, v.Span(), "expected the name of a constant in brackets", "")
		return "", false
	}
	constant, ok := s.Find(p)
	if !ok {
		c.unknown(p, ast.SpanOf(args), s)
		return "", false
	}
	constant.isRead(v.Span())
	c.noteUse(p, v.Span(), s)
	if constant.Group == nil && len(constant.Value) == 1 {
		if text, ok := textOf(&constant.Value[0]); ok && text != "" {
			return text, true
		}
	}
	if constant.Group == nil && isEcho(constant.Value) {
		return "", false
	}
	c.fail(code.BadInterpolation, ast.SpanOf(args),
		fmt.Sprintf("constant %q cannot be part of a name: it is not a single word or number", joinPath(p)), "")
	return "", false
}

// namedRules are the at-rules whose prelude is a name, so that brackets in it
// contain a constant.
var namedRules = map[string]bool{
	"keyframes": true, "-webkit-keyframes": true, "layer": true, "property": true, "counter-style": true,
	"font-palette-values": true,
	"view-transition":     true, "position-try": true, "page": true,
}

// prelude evaluates the prelude of an at-rule.
func (c *Composer) prelude(r *ast.AtRule, s *Scope) ([]ast.Value, bool) {
	values := r.Prelude
	changed := false
	if namedRules[token.Lower(r.Name)] {
		values, changed = c.bracketNames(values, s)
	}
	at := valueContext{}
	if token.EqualFold(r.Name, "supports") || token.EqualFold(r.Name, "import") {
		at.asWritten = true
	}
	if token.EqualFold(r.Name, "scope") {
		return ast.MapList(values, func(_ int, v *ast.Value) (ast.Value, bool) {
			inner, built := c.selectorValues(v.Values(), s)
			if !built {
				return *v, false
			}
			with := *v
			with.Inner = &ast.Inner{Values: inner, Close: v.Inner.Close}
			return with, true
		})
	}
	values, more := c.values(values, s, at)
	if token.EqualFold(r.Name, "media") {
		var named bool
		values, named = c.media(values, s)
		more = more || named
	}
	return values, changed || more
}

// bracketNames returns values with each constant in brackets replaced by its
// name, and whether there was one.
func (c *Composer) bracketNames(values []ast.Value, s *Scope) (out []ast.Value, changed bool) {
	for i := 0; i < len(values); i++ {
		v := values[i]
		if v.Kind == token.LParen {
			if name, took := c.interpolateName(values[i:], s); took > 0 {
				v = ast.Value{Kind: token.Ident, Text: token.EscapeName(name), Pos: v.Pos, Space: v.Space}
				i += took - 1
				changed = true
			}
		}
		out = append(out, v)
	}
	return out, changed
}

// selectors returns a selector list with its names built. Such a list could not
// be parsed before; it is parsed now.
func (c *Composer) selectors(list []ast.Selector, s *Scope) ([]ast.Selector, bool) {
	return ast.MapList(list, func(_ int, sel *ast.Selector) (ast.Selector, bool) { return c.selector(*sel, s) })
}

// selector is selectors for one selector.
func (c *Composer) selector(sel ast.Selector, s *Scope) (ast.Selector, bool) {
	var out ast.Selector
	for i := range sel {
		part := &sel[i]
		if part.Kind == ast.PseudoClass && strings.HasPrefix(part.Name, "--") {
			if out == nil {
				out = slices.Clone(sel)
			}
			out[i] = c.customUse(part, s)
			continue
		}
		if part.Args == nil {
			continue
		}
		if part.Kind == ast.BadSelector {
			values, changed := c.selectorValues(part.Args.Values, s)
			if !changed {
				return sel, false
			}
			read := c.reader.Read(values)[0]
			if with, ok := c.selector(read, s); ok && !read.IsBad() {
				return with, true
			}
			return read, true
		}
		args, changed := c.selectors(part.Args.Selectors, s)
		values, more := c.selectorValues(part.Args.Values, s)
		if !changed && !more {
			continue
		}
		if out == nil {
			out = slices.Clone(sel)
		}
		copied := *part.Args
		copied.Selectors, copied.Values = args, values
		out[i].Args = &copied
	}
	return out, out != nil
}

// selectorValues returns the values of a selector with names built and
// constants evaluated, and whether anything changed. Brackets have no other
// meaning in selectors.
func (c *Composer) selectorValues(values []ast.Value, s *Scope) (out []ast.Value, changed bool) {
	if !slices.ContainsFunc(values, func(v ast.Value) bool { return v.Inner != nil }) {
		return values, false
	}
	out = make([]ast.Value, 0, len(values))
	for i := 0; i < len(values); i++ {
		v := values[i]
		rest := values[i+1:]
		switch {
		case v.IsFunction("const"):
			with, ok := c.use(&v, s, atBuild)
			if !ok {
				break
			}
			changed = true
			with = slices.Clone(spaced(with, v.Space))
			if last := len(with) - 1; last >= 0 && with[last].Kind == token.Number && len(rest) > 0 &&
				rest[0].Kind == token.Ident && !rest[0].Space {
				with[last].Kind, with[last].Text = token.Dimension, with[last].Text+rest[0].Text // const(n)n, in :nth-child()
				i++
			}
			out = append(out, with...)
			continue
		case isInterpolated(&v) || v.Kind == token.LParen:
			if name, took := c.interpolateName(values[i:], s); took > 0 {
				v = ast.Value{Kind: token.Ident, Text: token.EscapeName(name), Pos: v.Pos, Space: v.Space}
				i += took - 1
				changed = true
			}
		case v.Kind == token.Hash && v.Text[len(v.Text)-1] == '-' && len(rest) > 0 && rest[0].Kind == token.LParen &&
			!rest[0].Space,
			v.IsDelim('#') && len(rest) > 0 && rest[0].Kind == token.LParen && !rest[0].Space:
			if name, took := c.interpolateName(rest, s); took > 0 {
				v = ast.Value{Kind: token.Hash, Text: "#" + token.EscapeName(token.Unescape(v.Text[1:])+name), Pos: v.Pos,
					Space: v.Space}
				i += took
				changed = true
			}
		case v.Inner != nil:
			inner, edited := c.selectorValues(v.Inner.Values, s)
			if edited {
				v.Inner = &ast.Inner{Values: inner, Close: v.Inner.Close}
				changed = true
			}
		}
		out = append(out, v)
	}
	if !changed {
		return values, false
	}
	return out, true
}

// customSelector evaluates a definition (CSS Extensions, custom selectors):
// @custom-selector :--title h1, .title;
func (c *Composer) customSelector(r *ast.AtRule, s *Scope) {
	p := r.Prelude
	if r.Block != nil && len(p) > 1 { // the parser has reported it
		s.define(&definition{key: keyOf(selectorKind, token.Unescape(p[1].Text)), at: p[0].Span(), state: unusable})
		return
	}
	if len(p) < 3 || p[0].Kind != token.Colon || p[1].Kind != token.Ident || p[1].Space ||
		!strings.HasPrefix(p[1].Text, "--") {
		c.fail(code.BadCustomName, r.Span(), "invalid @custom-selector: expected a name such as :--name, and selectors",
			"write @custom-selector :--name selector, selector;")
		return
	}
	values, _ := c.selectorValues(p[2:], s)
	d := &definition{key: keyOf(selectorKind, token.Unescape(p[1].Text)),
		at: source.SpanOf(p[0].Pos, len(p[1].Text)+1), values: values}
	s.define(d)
	c.customList(d, s)
}

// customList returns the selectors of a custom selector. ok is false after a
// finding.
func (c *Composer) customList(d *definition, s *Scope) (list []ast.Selector, ok bool) {
	ok = c.resolve(d, fmt.Sprintf("custom selector %q depends on itself", ":"+d.name()), func() (ok bool) {
		d.list, ok = c.readCustomList(d, s)
		return ok
	})
	return d.list, ok
}

// readCustomList parses the selectors of a custom selector.
func (c *Composer) readCustomList(d *definition, s *Scope) (list []ast.Selector, ok bool) {
	list = c.reader.Read(d.values)
	list, _ = c.selectors(list, d.scopeOf(s))
	if slices.ContainsFunc(list, ast.Selector.IsBad) {
		c.fail(code.BadCustomName, ast.SpanOf(d.values), fmt.Sprintf("invalid selector of :%s", d.name()), "")
		return nil, false
	}
	if selectorSize(list, maxSelectorSize) > maxSelectorSize {
		c.fail(code.BadCustomName, ast.SpanOf(d.values),
			fmt.Sprintf(":%s expands to more than %d simple selectors", d.name(), maxSelectorSize),
			"look for custom selectors that use each other several times")
		return nil, false
	}
	return list, true
}

// maxSelectorSize limits the simple selectors of a custom selector.
const maxSelectorSize = 2000

// selectorSize counts the simple selectors of a list, including those in
// arguments; it stops counting above limit.
func selectorSize(list []ast.Selector, limit int) int {
	n := 0
	for _, s := range list {
		for i := range s {
			if n++; n > limit {
				return n
			}
			if s[i].Args != nil {
				n += selectorSize(s[i].Args.Selectors, limit-n)
			}
		}
	}
	return n
}

// customUse returns the replacement of a custom selector: :is() with its list.
func (c *Composer) customUse(part *ast.Simple, s *Scope) ast.Simple {
	name := token.Unescape(part.Name)
	at := source.SpanOf(part.Pos, len(part.Name)+1)
	d := s.definition(keyOf(selectorKind, name))
	if d == nil {
		c.unknownName(code.UnknownSelector, selectorKind, "custom selector", name, ":"+name, at, s)
		return *part
	}
	if list, ok := c.customList(d, s); ok && c.count(selectorSize(list, maxSelectorSize), at) {
		return ast.Simple{Kind: ast.PseudoClass, Name: "is", Pos: part.Pos, Args: &ast.Args{Selectors: list}}
	}
	return *part // after a finding
}

// interpolateDeclaration returns a declaration whose name was built from
// constants.
func (c *Composer) interpolateDeclaration(d *ast.InterpolatedDeclaration, s *Scope) (*ast.Declaration, bool) {
	name, took := c.interpolateName(d.Name, s)
	if took != len(d.Name) {
		return nil, false
	}
	out := &ast.Declaration{Name: token.EscapeName(name), NamePos: d.Pos(), Important: d.Important, EndOff: d.EndOff}
	value := d.Value
	if out.IsCustom() && !d.IsCustom() {
		value = ast.Verbatim(value)
	}
	out.Value = value
	return out, true
}
