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

// This file is about @custom-media (Media Queries 5, section 4):
//
//	@custom-media --narrow (width < 40rem);
//	@media (--narrow) and (hover) { … }
//
// A query that names one is worked out as a condition of media types and
// features, and written as a list of queries that every browser reads.

// mediaQuery is a media query list as a condition: its leaves are features in
// brackets, or media types.
type mediaQuery = condition

// customMedia sets custom media.
func (c *Composer) customMedia(r *ast.AtRule, s *Scope) {
	p := significant(r.Prelude)
	if r.Block != nil || len(p) < 2 || p[0].Kind != token.Ident || !dashed(&p[0]) {
		c.fail("bad-custom", r.Span(), "@custom-media defines nothing: expected a name such as --name, and a media query", "write @custom-media --name (width < 40rem);")
		return
	}
	values, _ := c.values(p[1:], s, place{})
	query, ok := c.mediaList(values, s)
	if !ok {
		return
	}
	if copies, opposite, asked := query.cost(); copies > maxCopies || opposite > maxCopies || asked > maxAsked {
		c.fail("bad-custom", r.Span(), "the media query asks too much at once", "")
		return
	}
	if s.media == nil {
		s.media = make(map[string]mediaQuery)
	}
	s.media[token.Unescape(p[0].Text)] = query
}

// media returns a media query list without custom media. It returns the list
// itself, and false, if it names none, or after a finding.
func (c *Composer) media(values []ast.Value, s *Scope) ([]ast.Value, bool) {
	if !namesMedia(values) {
		return values, false
	}
	query, ok := c.mediaList(significant(values), s)
	if !ok {
		return values, false
	}
	var list []conjunction
	_, _, asked := query.cost()
	if ok = asked <= maxAsked; ok {
		list, ok = query.queries(maxCopies)
	}
	if !ok || !c.count(len(list)*asked, ast.SpanOf(values)) {
		c.fail("bad-custom", ast.SpanOf(values), "written out, the custom media of this query make too many queries", "")
		return values, false
	}
	return queryList(list, values[0].Pos), true
}

// namesMedia reports whether a media query names custom media: a name with two
// hyphens alone in brackets.
func namesMedia(values []ast.Value) bool {
	return slices.ContainsFunc(values, func(v ast.Value) bool {
		inner := significant(v.Values())
		return v.Kind == token.LParen && (len(inner) == 1 && inner[0].Kind == token.Ident && dashed(&inner[0]) || namesMedia(inner))
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
	return join(any, parts), true
}

// mediaReader reads a media query.
type mediaReader struct {
	c      *Composer
	s      *Scope
	values []ast.Value
}

func (r *mediaReader) fail(at source.Span) (mediaQuery, bool) {
	r.c.fail("bad-condition", at, "the media query cannot be read, and it names custom media", "a query is made of media types and features in brackets, joined by and, or, not")
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
		query = known(kind == "true")
	}
	r.values = r.values[1:]
	if len(r.values) > 0 {
		if !r.values[0].IsIdent("and") {
			return r.fail(r.values[0].Span())
		}
		r.values = r.values[1:]
		rest, ok := r.condition()
		if !ok {
			return rest, false
		}
		query = join(all, []condition{query, rest})
	}
	if isNot {
		query = not(query)
	}
	return query, true
}

// mediaType returns the condition of a media type.
func mediaType(name string, at source.Pos) mediaQuery {
	if name == "all" {
		return known(true)
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
		return join(any, parts), true
	}
	return join(all, parts), true
}

// term reads a feature or a condition in brackets, perhaps negated.
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
	inner := significant(v.Values())
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
	all := make(map[string]bool)
	for s := r.s; s != nil; s = s.outer {
		if query, ok := s.media[name]; ok {
			return query, true
		}
		for known := range s.media {
			all[known] = true
		}
	}
	mend := ""
	if near := diag.Nearest(name, slices.Sorted(maps.Keys(all))); near != "" {
		mend = fmt.Sprintf("did you mean %q?", near)
	}
	r.c.fail("unknown-media", v.Span(), fmt.Sprintf("there is no custom media %q here", name), mend)
	return condition{}, false
}

// conjunction is a media query: a media type, if any, and features.
type conjunction struct {
	types []string
	parts []condition // leaves
}

// queries returns the condition as a list of media queries: as an "or" of
// "and". ok is false if there are more than limit of them.
func (x condition) queries(limit int) (list []conjunction, ok bool) {
	switch x.kind {
	case never:
		return nil, true
	case always:
		return []conjunction{{}}, true
	case any:
		for _, p := range x.parts {
			more, ok := p.queries(limit)
			if list = append(list, more...); !ok || len(list) > limit {
				return nil, false
			}
		}
		return list, true
	case all:
		list = []conjunction{{}}
		for _, p := range x.parts {
			more, ok := p.queries(limit)
			if !ok || len(list)*len(more) > limit {
				return nil, false
			}
			var next []conjunction
			for _, a := range list {
				for _, b := range more {
					if both, ok := a.and(b); ok {
						next = append(next, both)
					}
				}
			}
			list = next
		}
		return list, true
	}
	first := &x.leaf[0]
	if first.Kind != token.Ident {
		return []conjunction{{parts: []condition{x}}}, true
	}
	if !x.negated {
		return []conjunction{{types: []string{first.Text}}}, true
	}
	for _, other := range []string{"print", "screen", "speech"} { // a negated type is one of the others
		if other != first.Text {
			list = append(list, conjunction{types: []string{other}})
		}
	}
	return list, true
}

// and returns the query that both hold. ok is false if they never do: no
// output is of two media types.
func (q conjunction) and(o conjunction) (both conjunction, ok bool) {
	both.types = slices.Compact(slices.Sorted(slices.Values(slices.Concat(q.types, o.types))))
	both.parts = slices.Concat(q.parts, o.parts)
	return both, len(both.types) <= 1
}

// queryList returns the values of a list of media queries.
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

// values returns a media query. One that is a single negated feature is
// written in the form that older browsers read.
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
