package print

import (
	"fmt"
	"strings"

	"rinzel/internal/css/ast"
	"rinzel/internal/css/token"
	"rinzel/internal/source"
)

// sheet writes the nodes of a sheet.
func (p *printer) sheet(nodes []ast.Node) {
	p.nodes(nodes, true)
	if len(p.buf) > p.start && p.buf[len(p.buf)-1] != '\n' {
		p.newline()
	}
}

// nodes writes the nodes of a sheet or of a block.
func (p *printer) nodes(nodes []ast.Node, top bool) {
	var before ast.Node
	for _, n := range nodes {
		// Comments are omitted here, so that they do not count as the node
		// before another one.
		if c, ok := n.(*ast.Comment); ok && p.compact && !isPreserved(c.Text) {
			continue
		}
		p.endStatement()
		p.separateNodes(before, n, top)
		p.node(n)
		// Top-level statements end with a semicolon in any case: what is
		// appended to the output must not become part of them.
		if top {
			p.endStatement()
		}
		before = n
	}
}

// isPreserved reports whether a comment must stay in compact output, such as a
// licence notice.
func isPreserved(text string) bool { return strings.HasPrefix(text, "/*!") }

// separateNodes writes the line ends between two nodes. Rules with blocks are
// surrounded by blank lines, and a comment belongs to what follows it.
func (p *printer) separateNodes(before, n ast.Node, top bool) {
	if p.compact {
		return
	}
	// A block starts on a new line, the sheet does not.
	if before == nil {
		if !top {
			p.newline()
		}
		return
	}
	_, afterComment := before.(*ast.Comment)
	_, isComment := n.(*ast.Comment)
	// Bodies of rules are separated by a blank line, declarations by a line
	// end.
	if !afterComment && (ast.Body(before) != nil || ast.Body(n) != nil || isComment && ast.Body(before) != nil) {
		p.buf = append(p.buf, '\n') // no indentation on a blank line
		p.line++
	}
	p.newline()
}

// endStatement writes the semicolon after a declaration or statement, if
// needed.
func (p *printer) endStatement() {
	if p.semicolon {
		p.token(token.Semicolon, ";")
		p.semicolon = false
	}
}

// node writes a node.
func (p *printer) node(n ast.Node) {
	switch n := n.(type) {
	case *ast.StyleRule:
		p.selectors(n.Selectors)
		p.block(&n.Block)
	case *ast.QualifiedRule:
		// A QualifiedRule has no selectors, so its prelude is mapped as a
		// whole.
		p.mapTo(n.Pos(), "")
		p.values(n.Prelude, false)
		p.block(&n.Block)
	case *ast.AtRule:
		p.atRule(n)
	case *ast.Declaration:
		p.declaration(n)
	case *ast.InterpolatedDeclaration:
		p.interpolated(n)
	case *ast.Comment:
		p.mapped(n.At, token.Comment, strings.ReplaceAll(n.Text, "\r\n", "\n"))
	// The text is complete in itself: after an RBrace, the printer inserts no
	// white space.
	case *ast.BadRule:
		p.mapped(n.At, token.RBrace, n.Text)
	case *ast.BadDeclaration:
		// Whitespace as the last token prevents an inserted space: the text is
		// printed as it was.
		p.mapped(n.At, token.Whitespace, n.Text)
		p.semicolon = true
	default:
		panic(fmt.Sprintf("print: unknown node %T", n))
	}
}

// block writes a block.
func (p *printer) block(b *ast.Block) {
	p.softSpace()
	p.token(token.LBrace, "{")
	p.depth++
	p.nodes(b.Nodes, false)
	// The last semicolon of a block is optional, and only printed in pretty
	// output.
	if !p.compact {
		p.endStatement()
	}
	// The semicolon of an inner rule must not be printed after the block.
	p.semicolon = false
	p.depth--
	if !p.compact && len(b.Nodes) > 0 {
		p.newline()
	}
	p.token(token.RBrace, "}")
}

// atRule writes an at-rule.
func (p *printer) atRule(r *ast.AtRule) {
	p.mapped(r.At, token.AtKeyword, "@"+r.Name)
	if len(r.Prelude) > 0 {
		// Compact output has no space before brackets and strings, as in
		// @import"a.css".
		if first := r.Prelude[0]; !p.compact || token.Fuses(token.AtKeyword, "@"+r.Name, first.Kind, first.Text) {
			p.space()
		}
		p.values(r.Prelude, false)
	}
	if r.Block == nil {
		p.semicolon = true
		return
	}
	p.block(r.Block)
}

// interpolated writes a declaration with an interpolated name.
func (p *printer) interpolated(d *ast.InterpolatedDeclaration) {
	p.mapTo(d.Pos(), "")
	p.values(d.Name, true)
	p.token(token.Colon, ":")
	p.declared(&ast.Declaration{Value: d.Value, NamePos: d.Pos(), EndOff: d.EndOff, Important: d.Important}, d.IsCustom())
}

// declaration writes a declaration.
func (p *printer) declaration(d *ast.Declaration) {
	p.mapped(d.NamePos, token.Ident, d.Name)
	p.token(token.Colon, ":")
	// In this descriptor, tokens such as U+26 have a syntax of their own.
	p.ranges = token.EqualFold(d.Name, "unicode-range")
	p.declared(d, d.IsCustom() || token.EqualFold(d.Name, "initial-value")) // of @property
	p.ranges = false
}

// declared writes the part of a declaration after the colon. custom is set if its
// white space is part of the value.
func (p *printer) declared(d *ast.Declaration, custom bool) {
	switch {
	case len(d.Value) == 0:
		if custom {
			p.space() // older browsers need it before an empty value
		}
	// The white space of a custom property is part of its value, which scripts
	// can read.
	case custom:
		p.softSpace()
		p.values(d.Value, true)
	default:
		p.softSpace()
		p.mappedValues(d)
	}
	if d.Important {
		p.softSpace()
		p.token(token.Delim, "!")
		p.token(token.Ident, "important")
	}
	p.semicolon = true
}

// mappedValues writes the value of a declaration. A value from elsewhere, such
// as that of a constant, is mapped to its own source.
func (p *printer) mappedValues(d *ast.Declaration) {
	if p.maps == nil {
		p.values(d.Value, false)
		return
	}
	// Inside the span of the declaration, the mapping of its name is precise
	// enough.
	span := d.Span()
	away := false
	for i := range d.Value {
		v := &d.Value[i]
		if p.drops(v) {
			continue
		}
		p.gap(v, i == 0)
		was := away
		away = v.Pos.IsValid() && !contains(v.Pos, span)
		// The value after an inserted one is mapped back to the declaration.
		if away || was {
			p.mapTo(v.Pos, "")
		}
		p.value(v, false)
	}
}

// contains reports whether a position is in a span.
func contains(at source.Pos, span source.Span) bool {
	return at.File == span.Start.File && span.Start.Off <= at.Off && at.Off < span.End
}

// values writes component values. verbatim is for custom properties, which
// contain their white space as values.
func (p *printer) values(values []ast.Value, verbatim bool) {
	for i := range values {
		v := &values[i]
		if !verbatim {
			if p.drops(v) {
				continue
			}
			p.gap(v, i == 0)
		}
		p.value(v, verbatim)
	}
}

// drops reports whether v is a comment that is omitted.
func (p *printer) drops(v *ast.Value) bool {
	return p.compact && v.Kind == token.Comment && !isPreserved(v.Text)
}

// gap writes the white space before a value.
func (p *printer) gap(v *ast.Value, first bool) {
	switch {
	// A custom property may already have printed its white space.
	case v.Space && !first:
		if p.last != token.Whitespace {
			p.space()
		}
	// Pretty output has a space after each comma, whether the source has one or
	// not.
	case p.last == token.Comma && !first:
		p.softSpace()
	}
}

// value writes a value.
func (p *printer) value(v *ast.Value, verbatim bool) {
	p.token(v.Kind, v.Text)
	if v.Inner == nil {
		return
	}
	p.values(v.Inner.Values, verbatim)
	// The closer is printed even if the source had none, as at the end of a
	// file.
	switch v.Kind.Closer() {
	case token.RBracket:
		p.token(token.RBracket, "]")
	case token.RBrace:
		p.token(token.RBrace, "}")
	default:
		p.token(token.RParen, ")")
	}
}

// selectors writes the selector list of a rule.
func (p *printer) selectors(list []ast.Selector) {
	for i, s := range list {
		if i > 0 {
			p.token(token.Comma, ",")
			if !p.compact {
				p.newline()
			}
		}
		p.mapTo(s.Pos(), "")
		p.selector(s)
	}
}

// arguments writes the selector list in the brackets of a pseudo-class.
func (p *printer) arguments(list []ast.Selector) {
	for i, s := range list {
		if i > 0 {
			p.token(token.Comma, ",")
			p.softSpace()
		}
		p.selector(s)
	}
}

// selector writes a selector.
func (p *printer) selector(s ast.Selector) {
	for i := range s {
		p.simple(&s[i], i == 0)
	}
}

// simple writes a simple selector or combinator.
func (p *printer) simple(s *ast.Simple, first bool) {
	switch s.Kind {
	case ast.TypeSelector, ast.UniversalSelector:
		p.token(token.Ident, s.Name)
	case ast.NestingSelector:
		p.token(token.Delim, "&")
	case ast.ClassSelector:
		p.token(token.Delim, ".")
		p.token(token.Ident, s.Name)
	case ast.IDSelector:
		p.token(token.Hash, "#"+s.Name)
	case ast.PseudoClass, ast.PseudoElement:
		p.pseudo(s)
	case ast.AttributeSelector:
		p.attribute(s)
	case ast.Combinator:
		p.combinator(s.Name, first)
	case ast.BadSelector:
		p.values(s.Args.Values, false)
	default:
		panic(fmt.Sprintf("print: unknown simple selector %d", s.Kind))
	}
}

// combinator writes a combinator.
func (p *printer) combinator(symbol string, first bool) {
	// The descendant combinator: this white space has a meaning.
	if symbol == " " {
		p.space()
		return
	}
	if !first {
		p.softSpace()
	}
	p.token(token.Delim, symbol)
	p.softSpace()
}

// pseudo writes a pseudo-class or pseudo-element.
func (p *printer) pseudo(s *ast.Simple) {
	p.token(token.Colon, ":")
	// :before and :after are pseudo-elements with one colon.
	if s.Kind == ast.PseudoElement && (s.Args == nil || !s.Args.SingleColon) {
		p.token(token.Colon, ":")
	}
	if s.Args == nil || s.Args.SingleColon {
		p.token(token.Ident, s.Name)
		return
	}
	p.token(token.Function, s.Name+"(")
	p.values(s.Args.Values, false)
	// An+B of S: both parts exist, as in :nth-child(2n + 1 of .a).
	if len(s.Args.Values) > 0 && len(s.Args.Selectors) > 0 {
		p.space()
		p.token(token.Ident, "of")
		p.space()
	}
	p.arguments(s.Args.Selectors)
	p.token(token.RParen, ")")
}

// attribute writes an attribute selector.
func (p *printer) attribute(s *ast.Simple) {
	p.token(token.LBracket, "[")
	p.token(token.Ident, s.Name)
	if s.Args.Matcher != "" {
		p.token(token.Delim, s.Args.Matcher)
		p.token(s.Args.Value.Kind, s.Args.Value.Text)
	}
	if s.Args.Modifier != "" {
		// The space before i and s is only needed after an identifier: [a=b i],
		// [a="b"i].
		if !p.compact || token.Fuses(s.Args.Value.Kind, s.Args.Value.Text, token.Ident, s.Args.Modifier) {
			p.space()
		}
		p.token(token.Ident, s.Args.Modifier)
	}
	p.token(token.RBracket, "]")
}
