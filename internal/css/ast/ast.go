// Package ast defines the syntax tree of style sheets. Names are those of CSS
// Syntax Level 3 and Selectors Level 4.
//
// Trees are immutable and shared: a node may be part of several bundles and of
// several builds at once. A step that changes something copies the nodes on the
// path to the change (see [Map]) and shares all others.
//
// A sheet is a list of [Node] values; a value of a declaration is a list of
// [Value]; a selector is a [Selector]. Package parse creates trees, package
// print writes them.
package ast

import (
	"slices"
	"strings"

	"rinzel/internal/css/token"
	"rinzel/internal/source"
)

// MaxDepth limits how deep blocks, functions and brackets may be nested. It
// bounds every function that recurses over input.
const MaxDepth = 256

// Stylesheet is a style sheet: its rules and comments in order.
type Stylesheet struct {
	Nodes []Node
}

// Node is a rule, a declaration or a comment: anything that a style sheet or a
// block can contain.
type Node interface {
	Pos() source.Pos   // position of the first byte
	Span() source.Span // the whole node, or the part before its block
	node()             // closes the family: a switch over Node can be complete
}

// Block is the part of a rule in braces.
type Block struct {
	LBrace source.Pos
	Nodes  []Node
	RBrace source.Pos // NoPos if the file ended first
}

// StyleRule is a selector list and its block: a, b { color: red }.
type StyleRule struct {
	Selectors []Selector // empty only in a rule without a prelude
	Block
}

// QualifiedRule is a rule whose prelude is not a selector list: a keyframe, 50%
// { opacity: 0 }, or a group in a group of constants.
type QualifiedRule struct {
	Prelude []Value
	Block
}

// AtRule is an at-rule: a statement, or a rule with a block.
type AtRule struct {
	At      source.Pos // of '@'
	Name    string     // as written, without '@'
	Prelude []Value
	Block   *Block // nil for a statement
	EndOff  uint32 // offset after a statement, including its semicolon
}

// Declaration is a property or descriptor with its value: color: red.
type Declaration struct {
	Name      string // as written
	NamePos   source.Pos
	Value     []Value
	Important bool
	EndOff    uint32 // offset after the value, before the semicolon
}

// InterpolatedDeclaration is a declaration whose name is built from constants:
// margin-(side): 0. The step compose turns it into a Declaration.
type InterpolatedDeclaration struct {
	Name      []Value // never empty, no white space between
	Value     []Value
	Important bool
	EndOff    uint32 // offset after the value, before the semicolon
}

// Comment is a comment between rules or declarations. Comments inside values
// are values of kind [token.Comment].
type Comment struct {
	At   source.Pos
	Text string // with /* and */
}

// BadRule is source that could not be parsed as a rule. It is printed
// unchanged.
type BadRule struct {
	At   source.Pos
	Text string
}

// BadDeclaration is source that could not be parsed as a declaration; every
// browser skips it. It is printed unchanged.
type BadDeclaration struct {
	At   source.Pos
	Text string // without a semicolon
}

func (*StyleRule) node()               {}
func (*QualifiedRule) node()           {}
func (*AtRule) node()                  {}
func (*Declaration) node()             {}
func (*InterpolatedDeclaration) node() {}
func (*Comment) node()                 {}
func (*BadRule) node()                 {}
func (*BadDeclaration) node()          {}

// Pos returns the position of the first selector that is not empty, or of the
// brace.
func (r *StyleRule) Pos() source.Pos {
	for _, s := range r.Selectors {
		if at := s.Pos(); at.IsValid() {
			return at
		}
	}
	return r.LBrace
}

// Pos returns the position of the prelude.
func (r *QualifiedRule) Pos() source.Pos {
	if len(r.Prelude) > 0 {
		return r.Prelude[0].Pos
	}
	return r.LBrace
}

// Pos returns the position of the at sign.
func (r *AtRule) Pos() source.Pos { return r.At }

// Pos returns the position of the name.
func (d *Declaration) Pos() source.Pos { return d.NamePos }

// Pos returns the position of the first part of the name.
func (d *InterpolatedDeclaration) Pos() source.Pos { return d.Name[0].Pos }

// Pos returns the position of the comment.
func (c *Comment) Pos() source.Pos { return c.At }

// Pos returns the position of the first byte.
func (b *BadRule) Pos() source.Pos { return b.At }

// Pos returns the position of the first byte.
func (b *BadDeclaration) Pos() source.Pos { return b.At }

// Span returns the selectors of the rule, up to the brace.
func (r *StyleRule) Span() source.Span { return r.Pos().To(r.LBrace.Off) }

// Span returns the prelude of the rule, up to the brace.
func (r *QualifiedRule) Span() source.Span { return r.Pos().To(r.LBrace.Off) }

// Span returns a statement as a whole, or the part of a rule before its block.
func (r *AtRule) Span() source.Span {
	if r.Block != nil {
		return r.At.To(r.Block.LBrace.Off)
	}
	return r.At.To(r.EndOff)
}

// Span returns the declaration without its semicolon.
func (d *Declaration) Span() source.Span { return d.NamePos.To(d.EndOff) }

// Span returns the declaration without its semicolon.
func (d *InterpolatedDeclaration) Span() source.Span { return d.Pos().To(d.EndOff) }

// Span returns the comment.
func (c *Comment) Span() source.Span { return source.SpanOf(c.At, len(c.Text)) }

// Span returns the source text.
func (b *BadRule) Span() source.Span { return source.SpanOf(b.At, len(b.Text)) }

// Span returns the source text.
func (b *BadDeclaration) Span() source.Span { return source.SpanOf(b.At, len(b.Text)) }

// IsCustom reports whether d declares a custom property. Values of custom
// properties contain white space and comments as values of their own, because
// scripts read them as they are written (CSS Custom Properties 1, section 2).
func (d *Declaration) IsCustom() bool { return IsCustomName(d.Name) }

// IsCustom reports whether d declares a custom property, judging by the start
// of its name.
func (d *InterpolatedDeclaration) IsCustom() bool { return strings.HasPrefix(d.Name[0].Text, "--") }

// IsCustomName reports whether a property name, as written, is a custom
// property.
func IsCustomName(name string) bool {
	if len(name) > 1 && name[0] == '-' && name[1] == '-' {
		return true
	}
	if strings.IndexByte(name, '\\') < 0 {
		return false
	}
	name = token.Unescape(name)
	return len(name) > 1 && name[0] == '-' && name[1] == '-'
}

// Value is a component value: a token, a function or a block in brackets.
// Values are far more numerous than any other construct, so a Value is a flat
// struct instead of an interface.
type Value struct {
	// Text is the token as written in the source; for a function or block it is
	// the opening token: "rgb(", "[".
	Text  string
	Inner *Inner // contents of a function or block; nil for other tokens
	Pos   source.Pos
	Kind  token.Kind
	// Space is set if white space precedes the value. It is never set on the
	// first value of a list or next to a comma, where white space is
	// insignificant.
	Space bool
}

// Inner is the contents of a function or block in brackets.
type Inner struct {
	Values []Value
	Close  source.Pos // of the closing bracket; NoPos if the file ended first
}

// Values returns the contents of a function or block, and nil for any other
// value.
func (v *Value) Values() []Value {
	if v.Inner == nil {
		return nil
	}
	return v.Inner.Values
}

// Name returns the name of a function as written, without the parenthesis.
func (v *Value) Name() string {
	if v.Kind != token.Function {
		return ""
	}
	return v.Text[:len(v.Text)-1]
}

// IsFunction reports whether v is a function with the given lower-case name.
func (v *Value) IsFunction(name string) bool {
	return v.Kind == token.Function && token.EqualFold(v.Name(), name)
}

// IsIdent reports whether v is an identifier with the given lower-case name.
func (v *Value) IsIdent(name string) bool {
	return v.Kind == token.Ident && token.EqualFold(v.Text, name)
}

// IsDelim reports whether v is the delimiter c.
func (v *Value) IsDelim(c byte) bool { return v.Kind == token.Delim && v.Text[0] == c }

// Span returns the value, including the closing bracket of a function or block.
func (v *Value) Span() source.Span {
	if v.Inner != nil && v.Inner.Close.IsValid() {
		return v.Pos.To(v.Inner.Close.Off + 1)
	}
	return source.SpanOf(v.Pos, len(v.Text))
}

// SpanOf returns the span of a list of values of one file.
func SpanOf(values []Value) source.Span {
	if len(values) == 0 {
		return source.Span{}
	}
	last := values[len(values)-1].Span()
	if last.Start.File != values[0].Pos.File {
		return values[0].Span()
	}
	return values[0].Pos.To(last.End)
}

// Verbatim returns values with white space as values of its own, as in custom
// properties; see [Declaration.IsCustom].
func Verbatim(values []Value) []Value {
	out := make([]Value, 0, len(values)*2)
	for i, v := range values {
		if i > 0 && (v.Space || values[i-1].Kind == token.Comma) {
			out = append(out, Value{Kind: token.Whitespace, Text: " "})
		}
		v.Space = false
		if v.Inner != nil {
			v.Inner = &Inner{Values: Verbatim(v.Inner.Values), Close: v.Inner.Close}
		}
		out = append(out, v)
	}
	return out
}

// SplitAt splits values at each token of a kind, such as a comma. The parts
// share the memory of the list.
func SplitAt(values []Value, kind token.Kind) [][]Value {
	var out [][]Value
	start := 0
	for i := range values {
		if values[i].Kind == kind {
			out = append(out, values[start:i])
			start = i + 1
		}
	}
	return append(out, values[start:])
}

// JoinCommas joins lists with commas, each at the position of what follows it.
func JoinCommas(lists [][]Value) (out []Value) {
	for i, list := range lists {
		if i > 0 {
			out = append(out, Value{Kind: token.Comma, Text: ",", Pos: list[0].Pos})
		}
		out = append(out, list...)
	}
	return out
}

// Significant returns values without white space and comments.
func Significant(values []Value) []Value {
	skipped := func(v Value) bool { return v.Kind == token.Whitespace || v.Kind == token.Comment }
	if !slices.ContainsFunc(values, skipped) {
		return values
	}
	var out []Value
	space := false
	for _, v := range values {
		if skipped(v) {
			space = space || v.Kind == token.Whitespace || v.Space
			continue
		}
		v.Space = (v.Space || space) && len(out) > 0
		space = false
		out = append(out, v)
	}
	return out
}
