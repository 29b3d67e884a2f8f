package link

import (
	"fmt"
	"slices"
	"strings"

	"rinzel/internal/css/ast"
	"rinzel/internal/css/parse"
	"rinzel/internal/css/print"
	"rinzel/internal/css/token"
	"rinzel/internal/source"
)

// Condition is the condition of an import, or the media attribute of a link.
type Condition struct {
	At       source.Pos
	HasLayer bool
	Layer    []ast.Value // name of the layer; empty for an anonymous one
	Supports []ast.Value
	Media    []ast.Value
}

// empty reports whether c is no condition.
func (c *Condition) empty() bool {
	return !c.HasLayer && len(c.Supports) == 0 && len(c.Media) == 0
}

// ConditionKey returns conditions as text, for comparison.
func ConditionKey(conds []*Condition) string {
	if len(conds) == 0 {
		return ""
	}
	var text strings.Builder
	for _, c := range conds {
		fmt.Fprintf(&text, "|%v %s|%s|%s", c.HasLayer, print.CompactValues(c.Layer), print.CompactValues(c.Supports),
			print.CompactValues(c.Media))
	}
	return text.String()
}

// Wrap returns nodes wrapped in blocks for the condition. The layer of an
// import is inside its support and media conditions (CSS Cascade 5, section
// 6.4.3).
func (c *Condition) Wrap(nodes []ast.Node) ast.Node {
	// In a block, browsers would parse some of what they skip at the top level.
	nodes = slices.DeleteFunc(slices.Clone(nodes), func(n ast.Node) bool { _, ok := n.(*ast.BadRule); return ok })
	at := func(name string, prelude []ast.Value) {
		nodes = []ast.Node{&ast.AtRule{At: c.At, Name: name, Prelude: prelude, Block: &ast.Block{Nodes: nodes}}}
	}
	if c.HasLayer {
		at("layer", c.Layer)
	}
	if len(c.Supports) > 0 {
		at("supports", supportsCondition(c.Supports))
	}
	if len(c.Media) > 0 {
		at("media", c.Media)
	}
	if len(nodes) != 1 {
		panic("link: a condition without conditions")
	}
	return nodes[0]
}

// supportsCondition returns the arguments of supports() as the condition of an
// @supports rule: a declaration needs brackets.
func supportsCondition(values []ast.Value) []ast.Value {
	isDeclaration := len(values) > 1 && values[0].Kind == token.Ident && values[1].Kind == token.Colon
	if !isDeclaration {
		return values
	}
	return []ast.Value{{Kind: token.LParen, Text: "(", Pos: values[0].Pos, Inner: &ast.Inner{Values: values}}}
}

// MediaCondition parses the media attribute of a link, at a position in the
// page, as browsers do (Media Queries 4, section 3.2): open constructs are
// closed at the end, and an invalid query never matches. It returns nil for an
// empty attribute.
func MediaCondition(media string, at source.Pos) *Condition {
	queries := ast.JoinCommas(mediaQueries(media))
	if len(queries) == 0 {
		return nil
	}
	return &Condition{At: at, Media: unplaced(queries)}
}

// mediaQueries returns the queries of a media attribute, each valid in a rule.
func mediaQueries(media string) [][]ast.Value {
	list, _ := parse.Values(new(source.Set).Add(source.Path{}, "media", media))
	if len(list) == 0 {
		return nil
	}
	never, _ := parse.Values(new(source.Set).Add(source.Path{}, "media", "not all"))
	queries := ast.SplitAt(list, token.Comma)
	for i, query := range queries {
		if len(query) == 0 || slices.ContainsFunc(query, func(v ast.Value) bool { return !mayStandInMedia(v) }) {
			queries[i] = never
		}
	}
	return queries
}

// mayStandInMedia reports whether a value can be part of a media query.
func mayStandInMedia(v ast.Value) bool {
	switch v.Kind {
	case token.Ident, token.LParen, token.Function, token.Number, token.Dimension, token.Percentage, token.Delim,
		token.Comment, token.Whitespace, token.Colon:
		return true
	}
	return false
}

// unplaced returns values without positions, because theirs are not in a file
// of the project.
func unplaced(values []ast.Value) []ast.Value {
	out := slices.Clone(values)
	for i := range out {
		out[i].Pos = source.NoPos
		if in := out[i].Inner; in != nil {
			out[i].Inner = &ast.Inner{Values: unplaced(in.Values)}
		}
	}
	return out
}
