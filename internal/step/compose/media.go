package compose

import (
	"fmt"
	"slices"

	"rinzel/internal/diag/code"

	"rinzel/internal/css/ast"
	"rinzel/internal/css/token"
	"rinzel/internal/source"
)

// This file evaluates @custom-media (Media Queries 5, section 4):
//
//	@custom-media --narrow (width < 40rem);
//	@media (--narrow) and (hover) { … }
//
// A query that uses custom media is evaluated as a boolean expression of media
// types and features, and written as a list of queries that every browser
// supports.

// mediaQuery is a media query list as a condition: its leaves are features in
// brackets, or media types.
type mediaQuery = condition

// customMedia defines custom media. An empty list is true (Media Queries 4,
// section 2.1).
func (c *Composer) customMedia(r *ast.AtRule, s *Scope) {
	p := ast.Significant(r.Prelude)
	if r.Block != nil && len(p) > 0 && dashed(&p[0]) { // the parser has reported it
		s.define(&definition{key: keyOf(mediaKind, token.Unescape(p[0].Text)), at: p[0].Span(), state: unusable})
		return
	}
	if r.Block != nil || len(p) == 0 || p[0].Kind != token.Ident || !dashed(&p[0]) {
		c.fail(code.BadCustomName, r.Span(), "invalid @custom-media: expected a name such as --name, and a media query",
			"write @custom-media --name (width < 40rem);")
		return
	}
	values, _ := c.values(p[1:], s, valueContext{})
	d := &definition{key: keyOf(mediaKind, token.Unescape(p[0].Text)), at: p[0].Span(), values: values}
	s.define(d)
	c.customQuery(d, s)
}

// customQuery returns the media query of custom media. ok is false after a
// finding.
func (c *Composer) customQuery(d *definition, s *Scope) (query mediaQuery, ok bool) {
	ok = c.resolve(d, fmt.Sprintf("custom media %q depends on itself", d.name()), func() (ok bool) {
		d.query, ok = c.readCustomQuery(d, s)
		return ok
	})
	return d.query, ok
}

// readCustomQuery parses the query of custom media.
func (c *Composer) readCustomQuery(d *definition, s *Scope) (mediaQuery, bool) {
	if len(d.values) == 0 {
		return decided(true), true
	}
	query, ok := c.mediaList(d.values, d.scopeOf(s))
	if !ok {
		return query, false
	}
	list, ok := query.expanded()
	if !ok || !c.count(query.work(), d.at) {
		c.fail(code.BadCustomName, d.at, "the media query is too complex", "")
		return mediaQuery{}, false
	}
	return fromQueries(list), true
}

// expanded returns the condition as a list of media queries. ok is false if
// there are too many.
func (x condition) expanded() (list []conjunction, ok bool) {
	if _, _, asked := x.cost(); asked > maxFeatures {
		return nil, false
	}
	return x.queries(maxCopies)
}

// work is the cost of expanding the condition in addition to its output: the
// square of its length for long ones.
func (x condition) work() int {
	if _, _, asked := x.cost(); asked > maxTests {
		return asked * asked
	}
	return 0
}

// fromQueries returns the condition that one of a list of media queries
// matches.
func fromQueries(list []conjunction) mediaQuery {
	var parts []condition
	for _, q := range list {
		all := q.parts
		for _, name := range q.types {
			all = append([]condition{mediaType(name, source.NoPos)}, all...)
		}
		parts = append(parts, join(allOf, all))
	}
	return join(anyOf, parts)
}

// media returns a media query list without custom media. It returns the list
// itself and false if it uses none, or after a finding.
func (c *Composer) media(values []ast.Value, s *Scope) ([]ast.Value, bool) {
	if !namesMedia(values) {
		return values, false
	}
	query, ok := c.mediaList(ast.Significant(values), s)
	if !ok {
		return values, false
	}
	list, ok := query.expanded()
	if !ok || !c.count(sizeOf(list)+query.work(), ast.SpanOf(values)) {
		c.fail(code.BadCustomName, ast.SpanOf(values), "too many queries after the custom media are expanded", "")
		return values, false
	}
	return queryList(list, values[0].Pos), true
}

// maxFeatures limits the features in a query, counting those of custom media at
// each use.
const maxFeatures = 16 * maxTests

// sizeOf estimates the number of values of a list of media queries.
func sizeOf(list []conjunction) int {
	n := 0
	for _, q := range list {
		n += 2 * (len(q.types) + len(q.parts) + 1)
	}
	return n
}

// namesMedia reports whether a media query uses custom media: a name with two
// hyphens alone in brackets.
func namesMedia(values []ast.Value) bool {
	return slices.ContainsFunc(values, func(v ast.Value) bool {
		inner := ast.Significant(v.Values())
		return v.Kind == token.LParen &&
			(len(inner) == 1 && inner[0].Kind == token.Ident && dashed(&inner[0]) || namesMedia(inner))
	})
}

// mediaList reads a media query list.
func (c *Composer) mediaList(values []ast.Value, s *Scope) (mediaQuery, bool) {
	var parts []condition
	for _, part := range ast.SplitAt(values, token.Comma) {
		r := mediaReader{c: c, s: s, values: part}
		query, ok := r.query()
		if !ok {
			return condition{}, false
		}
		parts = append(parts, query)
	}
	return join(anyOf, parts), true
}

// mediaReader reads a media query.
type mediaReader struct {
	c      *Composer
	s      *Scope
	values []ast.Value
}

// fail reports the query as invalid.
func (r *mediaReader) fail(at source.Span) (mediaQuery, bool) {
	r.c.fail(code.BadCondition, at, "invalid media query with custom media",
		"use media types and features in brackets, joined by and, or, not")
	return condition{}, false
}

// query reads a media type with features, or a condition.
func (r *mediaReader) query() (mediaQuery, bool) {
	v := r.values
	negates := len(v) > 1 && (v[0].IsIdent("not") || v[0].IsIdent("only")) && v[1].Kind == token.Ident
	isNot := negates && v[0].IsIdent("not")
	if negates {
		r.values = v[1:]
	}
	if len(r.values) == 0 || r.values[0].Kind != token.Ident || r.values[0].IsIdent("not") {
		return r.condition()
	}
	kind := token.Lower(r.values[0].Text)
	query := mediaType(kind, r.values[0].Pos)
	if len(r.values) == 1 && (kind == "true" || kind == "false") {
		query = decided(kind == "true")
	}
	r.values = r.values[1:]
	query, ok := r.features(query)
	if ok && isNot {
		query = not(query)
	}
	return query, ok
}

// features reads the features after a media type, if there are any.
func (r *mediaReader) features(of mediaQuery) (mediaQuery, bool) {
	if len(r.values) == 0 {
		return of, true
	}
	if !r.values[0].IsIdent("and") {
		return r.fail(r.values[0].Span())
	}
	r.values = r.values[1:]
	rest, ok := r.condition()
	if !ok {
		return rest, false
	}
	return join(allOf, []condition{of, rest}), true
}

// mediaType returns the condition of a media type.
func mediaType(name string, at source.Pos) mediaQuery {
	if name == "all" {
		return decided(true)
	}
	return condition{kind: asksMedia, leaf: []ast.Value{{Kind: token.Ident, Text: name, Pos: at}}, at: at}
}

// condition reads features joined by "and" or "or", up to the end.
func (r *mediaReader) condition() (mediaQuery, bool) {
	at := ast.SpanOf(r.values)
	first, ok := r.term()
	parts := []condition{first}
	word := ""
	for ok && len(r.values) > 0 {
		v := &r.values[0]
		this := token.Lower(v.Text)
		if v.Kind != token.Ident || this != "and" && this != "or" || word != "" && this != word {
			return r.fail(at)
		}
		word = this
		r.values = r.values[1:]
		var part condition
		part, ok = r.term()
		parts = append(parts, part)
	}
	if !ok {
		return condition{}, false
	}
	if word == "or" {
		return join(anyOf, parts), true
	}
	return join(allOf, parts), true
}

// term reads a feature or a condition in brackets, optionally negated.
func (r *mediaReader) term() (mediaQuery, bool) {
	if len(r.values) == 0 {
		return r.fail(source.Span{})
	}
	v := r.values[0]
	r.values = r.values[1:]
	if v.IsIdent("not") {
		x, ok := r.term()
		return not(x), ok
	}
	inner := ast.Significant(v.Values())
	switch {
	case v.Kind == token.LParen && len(inner) == 1 && inner[0].Kind == token.Ident && dashed(&inner[0]):
		return r.named(&inner[0])
	case v.Kind == token.LParen && len(inner) > 0 && (inner[0].Kind == token.LParen || inner[0].IsIdent("not")):
		nested := mediaReader{c: r.c, s: r.s, values: inner}
		return nested.condition()
	case v.Kind == token.LParen, v.Kind == token.Function:
		v.Space = false
		return condition{kind: asksMedia, leaf: []ast.Value{v}, at: v.Pos}, true
	}
	return r.fail(v.Span())
}

// named returns the condition of custom media.
func (r *mediaReader) named(v *ast.Value) (mediaQuery, bool) {
	name := token.Unescape(v.Text)
	d := r.s.definition(keyOf(mediaKind, name))
	if d == nil {
		r.c.unknownName(code.UnknownMedia, mediaKind, "custom media", name, name, v.Span(), r.s)
		return condition{}, false
	}
	return r.c.customQuery(d, r.s)
}

// conjunction is a media query: an optional media type, and features.
type conjunction struct {
	types []string
	parts []condition // leaves
}

// queries returns the condition as a list of media queries, in disjunctive
// normal form. ok is false if there are more than limit.
func (x condition) queries(limit int) (list []conjunction, ok bool) {
	switch x.kind {
	case never:
		return nil, true
	case always:
		return []conjunction{{}}, true
	case anyOf:
		for _, p := range x.parts {
			more, ok := p.queries(limit)
			for _, q := range more {
				list = added(list, q)
			}
			if !ok || len(list) > limit {
				return nil, false
			}
		}
		return list, true
	case allOf:
		return x.product(limit)
	}
	first := &x.leaf[0]
	if first.Kind != token.Ident {
		return []conjunction{{parts: []condition{x}}}, true
	}
	if !x.negated {
		return []conjunction{{types: []string{first.Text}}}, true
	}
	for _, other := range []string{"print", "screen", "speech"} { // a negated type is one of the other types
		if other != first.Text {
			list = append(list, conjunction{types: []string{other}})
		}
	}
	return list, true
}

// product returns the queries that match where all parts of x do.
func (x condition) product(limit int) (list []conjunction, ok bool) {
	list = []conjunction{{}}
	for _, p := range x.parts {
		more, ok := p.queries(limit)
		if !ok || len(list)*len(more) > 4*limit {
			return nil, false
		}
		var next []conjunction
		for _, a := range list {
			for _, b := range more {
				if both, ok := a.and(b); ok {
					next = added(next, both)
				}
			}
		}
		if list = next; len(list) > limit {
			return nil, false
		}
	}
	return list, true
}

// and returns the query that matches where both do. ok is false if it never
// matches: a device has one media type, and a feature is not both true and
// false.
func (q conjunction) and(o conjunction) (both conjunction, ok bool) {
	both.types = slices.Compact(slices.Sorted(slices.Values(slices.Concat(q.types, o.types))))
	both.parts = slices.Clone(q.parts)
	for _, p := range o.parts {
		i := slices.IndexFunc(both.parts, func(have condition) bool { return ast.EqualValues(have.leaf, p.leaf) })
		switch {
		case i < 0:
			both.parts = append(both.parts, p)
		case both.parts[i].negated != p.negated:
			return both, false
		}
	}
	return both, len(both.types) <= 1
}

// added returns a list of queries with another one, without those that another
// query implies.
func added(list []conjunction, q conjunction) []conjunction {
	if slices.ContainsFunc(list, q.implies) {
		return list
	}
	list = slices.DeleteFunc(list, func(o conjunction) bool { return o.implies(q) })
	return append(list, q)
}

// implies reports whether q tests everything that o tests, so that it only
// matches where o does.
func (q conjunction) implies(o conjunction) bool {
	asks := func(part condition) bool {
		return slices.ContainsFunc(q.parts,
			func(own condition) bool { return own.negated == part.negated && ast.EqualValues(own.leaf, part.leaf) })
	}
	return (len(o.types) == 0 || slices.Equal(q.types, o.types)) &&
		!slices.ContainsFunc(o.parts, func(part condition) bool { return !asks(part) })
}

// queryList returns a list of media queries as values.
func queryList(list []conjunction, at source.Pos) []ast.Value {
	word := func(text string, space bool) ast.Value {
		return ast.Value{Kind: token.Ident, Text: text, Pos: at, Space: space}
	}
	if len(list) == 0 {
		return []ast.Value{word("not", false), word("all", true)}
	}
	var out []ast.Value
	for i, q := range list {
		if i > 0 {
			out = append(out, ast.Value{Kind: token.Comma, Text: ",", Pos: at})
		}
		out = append(out, q.values(word)...)
	}
	return out
}

// values returns a media query as values. A single negated feature is written
// in the form that older browsers support.
func (q conjunction) values(word func(text string, space bool) ast.Value) []ast.Value {
	var out []ast.Value
	for _, t := range q.types {
		out = append(out, word(t, false))
	}
	if len(q.types)+len(q.parts) == 0 {
		return []ast.Value{word("all", false)}
	}
	for _, p := range q.parts {
		leaf := p.leaf[0]
		switch {
		case p.negated && len(q.parts)+len(q.types) == 1:
			leaf.Space = true
			return []ast.Value{word("not", false), word("all", true), word("and", true), leaf}
		case p.negated:
			leaf.Space = true
			leaf = bracketed([]ast.Value{word("not", false), leaf})
		}
		if len(out) > 0 {
			out = append(out, word("and", true))
			leaf.Space = true
		}
		out = append(out, leaf)
	}
	return out
}
