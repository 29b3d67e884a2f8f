package check

import (
	"fmt"
	"slices"
	"strings"

	"rinzel/internal/diag/code"

	"rinzel/internal/css/ast"
	"rinzel/internal/css/grammar"
	"rinzel/internal/css/print"
	"rinzel/internal/css/token"
)

// This file checks preludes of at-rules and keyframe selectors. Browsers do not
// report an invalid media query: it just never matches.

// mediaTypes are the media types, including the obsolete ones that never match
// (Media Queries 4, section 2.3).
var mediaTypes = strings.Fields("all print screen speech aural braille embossed handheld projection tty tv")

// queries checks the queries of @media, and of @container after the container
// name.
func (c *checker) queries(r *ast.AtRule, name string) {
	values := ast.Significant(r.Prelude)
	// escapes are for legacy browsers
	if len(values) == 0 || hasFunction(values) || strings.Contains(print.Values(values), `\`) {
		return
	}
	for _, query := range ast.SplitAt(values, token.Comma) {
		if name == "media" {
			c.mediaQuery(query)
		} else if len(query) > 0 {
			if query[0].Kind == token.Ident && !query[0].IsIdent("not") {
				query = query[1:] // the name of the container, which is optional
			}
			if len(query) > 0 {
				c.condition(query, "container query")
			}
		}
	}
}

// hasFunction reports whether values contain a function, which only the browser
// can evaluate.
func hasFunction(values []ast.Value) bool {
	return slices.ContainsFunc(values,
		func(v ast.Value) bool { return v.Kind == token.Function || hasFunction(v.Values()) })
}

// mediaQuery checks one media query.
func (c *checker) mediaQuery(query []ast.Value) {
	if len(query) == 0 {
		return
	}
	v := query
	// The modifiers "not" and "only" need a media type. "not (…)" is a
	// condition.
	if (v[0].IsIdent("not") || v[0].IsIdent("only")) && len(v) > 1 && v[1].Kind == token.Ident {
		v = v[1:]
	}
	// A query without a type is a condition.
	if v[0].Kind != token.Ident || v[0].IsIdent("not") {
		c.condition(v, "media query")
		return
	}
	if kind := token.Lower(v[0].Text); !slices.Contains(mediaTypes, kind) {
		// Only the four current types are suggested.
		c.report(code.BadQuery, v[0].Span(), didYouMean("", kind, mediaTypes[:4]),
			"unknown media type %q: the query never matches", v[0].Text)
		return
	}
	if len(v) == 1 {
		return
	}
	if !v[1].IsIdent("and") || len(v) == 2 {
		c.report(code.BadQuery, ast.SpanOf(query), "write \"and\" between the media type and a feature in brackets",
			"invalid media query: it never matches")
		return
	}
	c.condition(v[2:], "media query")
}

// condition checks features in brackets joined by "and" or "or".
func (c *checker) condition(values []ast.Value, what string) {
	word := ""
	for i := 0; i < len(values); i++ {
		if values[i].IsIdent("not") && i+1 < len(values) { // each feature may be negated
			i++
		}
		if v := &values[i]; v.Kind != token.LParen {
			c.report(code.BadQuery, v.Span(), "", "invalid %s: expected a feature in brackets, got %q; it never matches",
				what, print.Values(values[i:i+1]))
			return
		}
		c.feature(&values[i], what)
		if i++; i == len(values) {
			// The last feature has nothing after it.
			return
		}
		this := token.Lower(values[i].Text)
		switch {
		case values[i].Kind != token.Ident || this != "and" && this != "or":
			c.report(code.BadQuery, values[i].Span(), "write \"and\" or \"or\" between two features",
				"invalid %s: it never matches", what)
			return
		case word != "" && word != this:
			c.report(code.BadQuery, values[i].Span(), "put one of them in brackets",
				"invalid %s: \"and\" and \"or\" need brackets; it never matches", what)
			return
		case i+1 == len(values):
			c.report(code.BadQuery, values[i].Span(), "", "incomplete %s after %q: it never matches", what, this)
			return
		}
		word = this
	}
}

// feature checks the contents of brackets: a feature alone, with a value after
// a colon, or in a comparison; or a condition.
func (c *checker) feature(v *ast.Value, what string) {
	inner := ast.Significant(v.Values())
	switch {
	case len(inner) == 0:
		c.report(code.BadQuery, v.Span(), "", "empty brackets in the %s: it never matches", what)
	// Brackets in brackets contain a condition.
	case inner[0].Kind == token.LParen || inner[0].IsIdent("not") && len(inner) > 1:
		c.condition(inner, what)
	case len(inner) == 1 || inner[1].Kind == token.Colon && len(inner) > 2: // a feature alone, or with a value
	case slices.ContainsFunc(inner, func(v ast.Value) bool { return isComparison(&v) }):
	default:
		// (min-width 30em) lacks a colon.
		fix := ""
		if inner[0].Kind == token.Ident && inner[1].Kind != token.Colon {
			fix = fmt.Sprintf("write (%s: %s)", inner[0].Text, strings.TrimSpace(print.Values(inner[1:])))
		}
		c.report(code.BadQuery, v.Span(), fix,
			"invalid %s: expected a feature, optionally with ':' and a value; it never matches", what)
	}
}

// supports checks the declarations in the condition of @supports. Testing an
// unknown feature is often intended, so only probable misspellings are
// reported.
func (c *checker) supports(values []ast.Value) {
	for i := range values {
		inner := values[i].Values()
		if values[i].Kind != token.LParen || len(inner) == 0 {
			continue
		}
		// Other brackets contain a condition, of which only the declarations
		// are checked.
		if inner[0].Kind != token.Ident || len(inner) < 3 || inner[1].Kind != token.Colon {
			c.supports(inner)
			continue
		}
		name := token.Lower(inner[0].Text)
		if ast.IsCustomName(name) {
			continue
		}
		info := c.info(name)
		switch fix := didYouMean("", name, grammar.Properties()); {
		// Support of a prefixed property is always a valid question.
		case info.prefix != "":
		case !info.known && fix != "":
			c.report(code.BadQuery, inner[0].Span(), fix, "unknown property %q: the condition never matches", inner[0].Text)
		case info.defined && !grammar.Open(inner[2:]):
			m, fits := info.definition.Match(inner[2:])
			if fits || m.At == nil || vendors(inner[2:]) {
				continue
			}
			// Only misspellings: asking for new values is what @supports is
			// for.
			if near := nearValue(m); strings.HasPrefix(near, "did you mean") {
				c.report(code.BadQuery, m.At.Span(), near, "invalid value %q for %q: the condition never matches", m.At.Text,
					inner[0].Text)
			}
		}
	}
}

// layers checks the names of @layer (CSS Cascade 5, section 6.4.4.2).
func (c *checker) layers(r *ast.AtRule) {
	for _, name := range ast.SplitAt(ast.Significant(r.Prelude), token.Comma) {
		// Names are separated by dots without spaces: "a b" is not a list.
		for i := 1; i < len(name); i++ {
			if name[i].Space {
				c.report(code.BadLayer, ast.SpanOf(name), "separate layers with commas, and nested layers with dots",
					"invalid layer names: browsers skip the rule")
				return
			}
		}
	}
}

// keyframe checks the selectors of a keyframe.
func (c *checker) keyframe(r *ast.QualifiedRule) {
	if len(ast.Significant(r.Prelude)) == 0 {
		c.report(code.BadKeyframe, r.Span(), "write from, to, or a percentage",
			"keyframe without a selector: browsers skip its block")
		return
	}
	for _, s := range ast.SplitAt(ast.Significant(r.Prelude), token.Comma) {
		if len(s) == 1 && (s[0].IsIdent("from") || s[0].IsIdent("to") || s[0].Kind == token.Percentage) || hasFunction(s) {
			continue
		}
		if len(s) == 2 && s[0].Kind == token.Ident && s[1].Kind == token.Percentage {
			continue // of a named timeline range
		}
		fix := "write from, to, or a percentage"
		switch {
		case len(s) == 1 && s[0].Kind == token.Number:
			fix = fmt.Sprintf("write %s%%", s[0].Text)
		case len(s) == 1 && s[0].Kind == token.Ident:
			if near := didYouMean("", s[0].Text, []string{"from", "to"}); near != "" {
				fix = near
			}
		}
		c.report(code.BadKeyframe, ast.SpanOf(r.Prelude), fix, "invalid keyframe selector %q: browsers skip its block",
			strings.TrimSpace(print.Values(s)))
		return
	}
}

// reads checks that var() has a custom property, and env() a name.
func (c *checker) reads(values []ast.Value) {
	for i := range values {
		v := &values[i]
		if v.Inner == nil {
			continue
		}
		args := ast.Significant(v.Values())
		switch {
		// Custom properties start with two hyphens. var(tone) makes the
		// declaration invalid.
		case v.IsFunction("var") && (len(args) == 0 || args[0].Kind != token.Ident || !strings.HasPrefix(args[0].Text, "--")):
			fix := "write var(--name) or var(--name, fallback)"
			if len(args) > 0 && args[0].Kind == token.Ident {
				fix = fmt.Sprintf("write var(--%s)", args[0].Text)
			}
			c.report(code.BadVar, v.Span(), fix, "var() without a custom property: browsers skip the declaration")
		case v.IsFunction("env") && (len(args) == 0 || args[0].Kind != token.Ident):
			c.report(code.BadVar, v.Span(), "", "env() without a name: browsers skip the declaration")
		}
		c.reads(v.Values())
	}
}
