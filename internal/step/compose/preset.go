package compose

import (
	"fmt"
	"slices"
	"strings"

	"rinzel/internal/diag/code"

	"rinzel/internal/css/ast"
	"rinzel/internal/css/parse"
	"rinzel/internal/css/token"
	"rinzel/internal/source"
	"rinzel/internal/tokens"
)

// This file sets constants that no sheet sets: those of the settings and of
// files of design tokens.

// Preset sets a constant whose value is text from the place at, which is no sheet.
func (c *Composer) Preset(name []string, text string, at source.Span, kind SetKind, s *Scope) {
	if values, ok := c.foreign(text, at); ok {
		c.setValue(name, values, at, kind, s)
	}
}

// foreign reads the text of a value that stands in no sheet. All of it is at
// the one place.
func (c *Composer) foreign(text string, at source.Span) ([]ast.Value, bool) {
	values, diags := parse.Values(new(source.Set).Add(source.Path{}, "", text))
	switch {
	case len(diags) > 0:
		c.fail(code.BadConstant, at, fmt.Sprintf("invalid value %q: %s", text, diags[0].Message), "")
	case strings.TrimSpace(text) == "":
		c.fail(code.BadConstant, at, "the value is empty", "")
	case slices.ContainsFunc(values, func(v ast.Value) bool { return endsValue[v.Kind] }):
		c.fail(code.BadConstant, at, fmt.Sprintf("%q is more than one value", text), "")
	default:
		return placedAt(values, at.Start), true
	}
	return nil, false
}

// endsValue are the tokens that end a value, or that no value holds.
var endsValue = map[token.Kind]bool{
	token.Semicolon: true, token.RBrace: true, token.RParen: true, token.RBracket: true, token.BadString: true, token.BadURL: true,
}

// placedAt returns values that are all at one place.
func placedAt(values []ast.Value, at source.Pos) []ast.Value {
	out := slices.Clone(values)
	for i := range out {
		out[i].Pos = at
		if inner := out[i].Inner; inner != nil {
			out[i].Inner = &ast.Inner{Values: placedAt(inner.Values, at)}
		}
	}
	return out
}

// tokens sets the constants of a file of design tokens:
//
//	@tokens "harbour.tokens.json";
//	@tokens "harbour.tokens.json" as brand;
func (c *Composer) tokens(r *ast.AtRule, s *Scope) {
	prelude, _ := c.values(r.Prelude, s, place{asWritten: true})
	var prefix path
	ok := r.Block == nil && len(prelude) > 0 && prelude[0].Kind == token.String
	if ok && len(prelude) > 1 {
		n := 0
		prefix, n = readPath(prelude[min(2, len(prelude)):])
		ok = prelude[1].IsIdent("as") && n > 0 && n == len(prelude)-2
	}
	if !ok || c.Tokens == nil {
		c.fail(code.BadTokens, r.Span(), "@tokens without a file: expected a quoted path, optionally followed by a group", `write @tokens "file.tokens.json"; or @tokens "file.tokens.json" as group;`)
		return
	}
	if list, ok := c.Tokens(token.StringValue(prelude[0].Text), prelude[0].Span()); ok {
		c.SetTokens(list, prefix, s)
	}
}

// SetTokens sets design tokens as constants, under a group if prefix names
// one. A token that refers to one of another file finds it among those of its
// group, and then among all.
func (c *Composer) SetTokens(list []tokens.Token, prefix []string, s *Scope) {
	seen := s
	for _, t := range list {
		values, ok := c.foreign(t.Value, t.At)
		p := path(slices.Concat(prefix, t.Path))
		if !ok || !c.mayHold(p, t.At, s) {
			continue
		}
		if len(prefix) > 0 {
			seen = s.inner()
			if group, ok := s.Find(prefix); ok && group.Group != nil {
				seen.members = group.Group
			}
		}
		before := c.startSetting(p, s)
		constant := c.constant(values, t.At, seen)
		c.setting = before
		s.set(p, constant)
		c.noteSet(p, constant, ByTokens, s)
		c.noteFrom(p, t.From, prefix, s)
	}
}
