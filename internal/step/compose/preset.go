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

// This file sets constants that are not set by a sheet: those of the settings
// and of design token files.

// Preset sets a constant to a value given as text, which comes from at, outside
// of any sheet.
func (c *Composer) Preset(name []string, text string, at source.Span, kind SetKind, s *Scope) {
	if values, ok := c.foreign(text, at); ok {
		c.setValue(name, values, at, kind, s)
	}
}

// foreign parses the text of a value that is not in a sheet. All its values get
// the position at.
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

// endsValue are the tokens that end a value, or that no value contains.
var endsValue = map[token.Kind]bool{
	token.Semicolon: true, token.RBrace: true, token.RParen: true, token.RBracket: true, token.BadString: true,
	token.BadURL: true,
}

// placedAt returns values that all have one position.
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

// tokens evaluates an @tokens rule:
//
//	@tokens "harbour.tokens.json";
//	@tokens "harbour.tokens.json" as brand;
func (c *Composer) tokens(r *ast.AtRule, s *Scope) {
	prelude, _ := c.values(r.Prelude, s, valueContext{asWritten: true})
	var prefix path
	ok := r.Block == nil && len(prelude) > 0 && prelude[0].Kind == token.String
	if ok && len(prelude) > 1 {
		n := 0
		prefix, n = readPath(prelude[min(2, len(prelude)):])
		ok = prelude[1].IsIdent("as") && n > 0 && n == len(prelude)-2
	}
	if !ok || c.Tokens == nil {
		c.fail(code.BadTokens, r.Span(), "@tokens without a file: expected a quoted path, optionally followed by a group",
			`write @tokens "file.tokens.json"; or @tokens "file.tokens.json" as group;`)
		return
	}
	if list, ok := c.Tokens(token.StringValue(prelude[0].Text), prelude[0].Span()); ok {
		c.SetTokens(list, prefix, s)
	}
}

// SetTokens sets design tokens as constants, under a group if prefix is not
// empty. A reference to a token of another file is looked up in the group
// first, then among all constants.
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
