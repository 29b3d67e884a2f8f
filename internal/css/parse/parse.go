// Package parse parses style sheets with the error recovery of CSS Syntax Level
// 3: any input yields a tree, and invalid parts become bad nodes that keep
// their text.
//
// [Sheet] parses a sheet and returns its tree with findings. [Values] and
// [Selectors] parse fragments.
package parse

import (
	"strings"

	"rinzel/internal/css/ast"
	"rinzel/internal/css/scan"
	"rinzel/internal/css/token"
	"rinzel/internal/diag"
	"rinzel/internal/diag/code"
	"rinzel/internal/source"
)

// Sheet parses a style sheet. It is an error if the file ends inside an open
// construct or if nesting exceeds [ast.MaxDepth]. What a browser skips is a
// warning.
func Sheet(f *source.File) (*ast.Stylesheet, []diag.Diagnostic) {
	p := newParser(f)
	nodes := p.sheet()
	return &ast.Stylesheet{Nodes: nodes}, p.diags
}

// Part parses a style sheet that is part of a file, such as a style element of
// a page. Positions are those of the file.
func Part(f *source.File, start, end int) (*ast.Stylesheet, []diag.Diagnostic) {
	p := &parser{file: f, src: f.Text[:end], sc: scan.New(f.Text[:end])}
	p.sc.Reset(start)
	p.next()
	nodes := p.sheet()
	return &ast.Stylesheet{Nodes: nodes}, p.diags
}

// Values parses a list of component values, such as those of a declaration.
func Values(f *source.File) ([]ast.Value, []diag.Diagnostic) {
	p := newParser(f)
	p.list(0, false)
	return p.popValues(0), p.diags
}

// Selectors parses a selector list. Selectors may be relative.
func Selectors(f *source.File) ([]ast.Selector, []diag.Diagnostic) {
	p := newParser(f)
	p.list(0, false)
	selectors := p.selectors(p.scratch, true)
	if d, ok := badSelector(selectors, nil); ok {
		p.diags = append(p.diags, d)
	}
	return selectors, p.diags
}

// SelectorReader parses selector lists from component values. The zero
// SelectorReader is ready for use, by one goroutine at a time.
type SelectorReader struct{ p parser }

// Read parses a selector list. Selectors may be relative; invalid ones become
// bad selectors.
func (r *SelectorReader) Read(values []ast.Value) []ast.Selector { return r.p.selectors(values, true) }

// parser is the state of parsing one file.
type parser struct {
	file             *source.File
	src              string
	sc               scan.Scanner
	tok              token.Token
	diags            []diag.Diagnostic
	errors, warnings int // number found, including those not in diags

	depth   int
	tooDeep bool // MaxDepth was exceeded since the last reset
	deep    bool // this was reported
	ended   bool // an unclosed construct was reported; outer ones are consequences of it
	bad     badToken

	// Lists are collected on these stacks and then copied to slabs with their
	// exact size.
	nodes   []ast.Node
	scratch []ast.Value
	parts   []ast.Simple

	nodeSlab    slab[ast.Node]
	valueSlab   slab[ast.Value]
	partSlab    slab[ast.Simple]
	declSlab    slab[ast.Declaration]
	innerSlab   slab[ast.Inner]
	ruleSlab    slab[ast.StyleRule]
	listSlab    slab[ast.Selector]
	commentSlab slab[ast.Comment]
	atRuleSlab  slab[ast.AtRule]
	blockSlab   slab[ast.Block]
	argsSlab    slab[ast.Args]
}

// badToken is the first token of a statement that is not allowed in it.
type badToken struct {
	kind token.Kind // EOF if there is none
	at   source.Span
}

// slab allocates slices from large arrays, because a sheet consists of very
// many small lists. The arrays are sized by the remaining source and by what
// the source so far needed: a few large arrays cost the garbage collector much
// less than many growing ones.
type slab[T any] struct {
	free []T
	used int // elements allocated so far, including unused ones of earlier arrays
}

// Sizes of the first and the last array of a slab.
const (
	firstSlab = 32
	lastSlab  = 1 << 20
)

// extra returns how many more elements than estimated an array has: fewer at
// the end of a short source, because sites have thousands of small sheets.
func extra(left int) int { return min(firstSlab, left/32+1) }

// take returns n zero elements with capacity n. p tells how much of the source
// is left.
func (s *slab[T]) take(p *parser, n int) []T {
	if len(s.free) < n {
		size := extra(len(p.src))
		if read := p.sc.Offset(); s.used > 0 && read > 0 {
			left := len(p.src) - read
			size = int(float64(s.used)/float64(read)*float64(left)*1.03) + extra(left)
			size = min(size, s.used*8, lastSlab) // the rest may differ from what came before
		}
		s.free = make([]T, max(size, n))
	}
	s.used += n
	out := s.free[:n:n]
	s.free = s.free[n:]
	return out
}

// copied returns a copy of list, and nil for an empty one.
func (s *slab[T]) copied(p *parser, list []T) []T {
	if len(list) == 0 {
		return nil
	}
	out := s.take(p, len(list))
	copy(out, list)
	return out
}

// newParser returns a parser of a file.
func newParser(f *source.File) *parser {
	p := &parser{file: f, src: f.Text, sc: scan.New(f.Text)}
	p.next()
	return p
}

// next reads the next token.
func (p *parser) next() { p.tok = p.sc.Next() }

// skipSpace skips white space and comments.
func (p *parser) skipSpace() {
	for p.tok.Kind == token.Whitespace || p.tok.Kind == token.Comment {
		p.next()
	}
}

// pos returns the position of an offset.
func (p *parser) pos(off uint32) source.Pos { return source.Pos{File: p.file.ID, Off: off} }

// span returns the span of a token.
func (p *parser) span(t token.Token) source.Span { return p.pos(t.Start).To(t.End) }

// mark is a state that the parser can return to.
type mark struct {
	tok      token.Token
	off      int
	scratch  int
	diags    int
	errors   int
	warnings int
	ended    bool
	deep     bool
}

// mark returns the current state.
func (p *parser) mark() mark {
	return mark{p.tok, p.sc.Offset(), len(p.scratch), len(p.diags), p.errors, p.warnings, p.ended, p.deep}
}

// rewind discards everything read and reported since m.
func (p *parser) rewind(m mark) {
	p.sc.Reset(m.off)
	p.tok, p.scratch, p.diags = m.tok, p.scratch[:m.scratch], p.diags[:m.diags]
	p.errors, p.warnings, p.ended, p.deep = m.errors, m.warnings, m.ended, m.deep
}

// sheet parses the contents of a style sheet (section 5.5.1).
func (p *parser) sheet() []ast.Node {
	for {
		switch p.tok.Kind {
		case token.EOF:
			return p.nodes[:len(p.nodes):len(p.nodes)] // the bottom of the stack is not needed any more
		case token.Whitespace, token.CDO, token.CDC:
			p.next()
		case token.Comment:
			p.comment()
		case token.AtKeyword:
			p.push(p.atRule(false))
		default:
			if n := p.rule(false); n != nil {
				p.push(n)
			}
		}
	}
}

// push adds a node to the current list.
func (p *parser) push(n ast.Node) { p.nodes = append(p.nodes, n) }

// popNodes removes the nodes since from from the stack and returns them.
func (p *parser) popNodes(from int) []ast.Node {
	out := p.nodeSlab.copied(p, p.nodes[from:])
	clear(p.nodes[from:])
	p.nodes = p.nodes[:from]
	return out
}

// popValues removes the values since from from the stack and returns them.
func (p *parser) popValues(from int) []ast.Value {
	out := p.valueSlab.copied(p, p.scratch[from:])
	p.scratch = p.scratch[:from]
	return out
}

// comment reads a comment as a node.
func (p *parser) comment() {
	c := &p.commentSlab.take(p, 1)[0]
	c.At, c.Text = p.pos(p.tok.Start), p.text(p.tok)
	p.push(c)
	p.next()
}

// blockKind is what the block of a rule may contain.
type blockKind uint8

// The kinds of blocks.
const (
	mixed     blockKind = iota // declarations and rules
	keyframes                  // rules whose preludes are not selectors
	entries                    // constants of a group, and nested groups
)

// block parses a block from its opening brace on. ok is false if it is nested
// too deep; the whole block is skipped then.
func (p *parser) block(kind blockKind) (b ast.Block, ok bool) {
	open := p.tok
	b.LBrace = p.pos(open.Start)
	if p.depth++; p.depth > ast.MaxDepth {
		p.depth--
		p.reportTooDeep()
		p.skipBlock()
		return b, false
	}
	p.next()
	from := len(p.nodes)
	p.contents(kind)
	b.Nodes = p.popNodes(from)
	if p.tok.Kind == token.RBrace {
		b.RBrace = p.pos(p.tok.Start)
		p.next()
	} else {
		p.reportUnclosed(open, "block", "'}'")
	}
	p.depth--
	return b, true
}

// contents parses the contents of a block (section 5.5.4), up to its closing
// brace or the end of the file.
func (p *parser) contents(kind blockKind) {
	for {
		switch p.tok.Kind {
		case token.EOF, token.RBrace:
			return
		case token.Whitespace, token.Semicolon:
			p.next()
		case token.Comment:
			p.comment()
		case token.AtKeyword:
			p.push(p.atRule(true))
		case token.Ident, token.Function, token.LParen, token.Number, token.Dimension:
			if d := p.declaration(kind); d != nil {
				p.push(d)
			} else {
				p.push(p.ruleOf(kind))
			}
		default:
			p.push(p.ruleOf(kind))
		}
	}
}

// ruleOf parses a rule in a block of a kind.
func (p *parser) ruleOf(kind blockKind) ast.Node {
	if kind == mixed {
		return p.rule(true)
	}
	return p.plainRule(kind)
}

// rule parses a style rule (section 5.5.3). Inside a block, a semicolon ends
// something that is not a rule. Outside, it returns nil at the end of the file.
func (p *parser) rule(nested bool) ast.Node {
	begin, from := p.tok.Start, len(p.scratch)
	p.bad = badToken{}
	p.prelude(nested)
	if p.tok.Kind != token.LBrace {
		if !nested {
			p.fileEnded(begin, from)
			return nil
		}
		p.scratch = p.scratch[:from]
		return p.notARule(begin)
	}
	if !nested && looksCustom(p.scratch[from:]) {
		p.scratch = p.scratch[:from]
		p.warn(code.BadDeclaration, p.pos(begin).To(p.tok.Start), "custom property outside of a rule: browsers skip it",
			"move it into a rule, such as :root { … }")
		p.skipBlock()
		return p.badRule(begin)
	}
	if n := p.badPrelude(begin, from); n != nil {
		return n
	}
	prelude := p.scratch[from:]
	if len(withoutComments(prelude)) == 0 {
		p.scratch = p.scratch[:from]
		p.warn(code.BadSelector, p.span(p.tok), "rule has no selector: expected one before '{'", "")
		p.skipBlock()
		return p.badRule(begin)
	}
	selectors := p.selectors(prelude, nested)
	p.scratch = p.scratch[:from]
	block, ok := p.block(mixed)
	if !ok {
		return p.badRule(begin)
	}
	rule := &p.ruleSlab.take(p, 1)[0]
	rule.Selectors, rule.Block = selectors, block
	return rule
}

// looksCustom reports whether a prelude starts like a custom property, which is
// never a rule.
func looksCustom(prelude []ast.Value) bool {
	return len(prelude) > 1 && prelude[1].Kind == token.Colon &&
		prelude[0].Kind == token.Ident && ast.IsCustomName(prelude[0].Text)
}

// prelude parses the values before a block.
func (p *parser) prelude(nested bool) {
	stop := stopAt(token.LBrace)
	if nested {
		stop |= stopAt(token.Semicolon) | stopAt(token.RBrace)
	}
	p.list(stop, false)
}

// badPrelude returns a bad rule if the prelude contains unbalanced tokens, and
// nil otherwise.
func (p *parser) badPrelude(begin uint32, from int) ast.Node {
	bad := p.bad
	if bad.kind == token.EOF && !p.tooDeep {
		for i := from; i < len(p.scratch); i++ { // only outside of blocks
			if v := &p.scratch[i]; v.Kind == token.Semicolon {
				bad = badToken{v.Kind, v.Span()}
				break
			}
		}
	}
	if bad.kind == token.EOF && !p.tooDeep {
		return nil
	}
	dollar := dollarName(p.scratch[from:])
	p.scratch = p.scratch[:from]
	switch {
	case p.tooDeep:
	case bad.kind == token.Semicolon && dollar != nil:
		p.reportDollarName(dollar)
	default:
		p.reportBadPrelude(bad)
	}
	p.tooDeep = false
	p.skipBlock()
	return p.badRule(begin)
}

// plainRule parses a rule whose prelude is not a selector list.
func (p *parser) plainRule(kind blockKind) ast.Node {
	begin, from := p.tok.Start, len(p.scratch)
	p.bad = badToken{}
	p.prelude(true)
	if p.tok.Kind != token.LBrace {
		p.scratch = p.scratch[:from]
		return p.notARule(begin)
	}
	if n := p.badPrelude(begin, from); n != nil {
		return n
	}
	prelude := p.popValues(from)
	inner := mixed
	if kind == entries {
		inner = entries
	}
	block, ok := p.block(inner)
	if !ok {
		return p.badRule(begin)
	}
	return &ast.QualifiedRule{Prelude: prelude, Block: block}
}

// notARule returns a bad node for the source since begin in a block, which no
// block follows.
func (p *parser) notARule(begin uint32) ast.Node {
	text := p.raw(begin)
	at := p.pos(begin)
	p.tooDeep = false
	p.reportBadDeclaration(at, text[:min(len(text), int(p.tok.Start-begin))])
	return &ast.BadDeclaration{At: at, Text: text}
}

// fileEnded reports the source since begin, which is outside of all rules and
// which no block follows up to the end of the file. Browsers ignore it. It is
// not part of the tree, except for its comments: it would spoil the first rule
// of a sheet that is appended in a bundle.
func (p *parser) fileEnded(begin uint32, from int) {
	p.tooDeep = false
	text := p.raw(begin)
	p.reportFileEnded(p.pos(begin), text[:min(len(text), int(p.tok.Start-begin))], p.scratch[from:])
	for i := range p.scratch[from:] {
		if v := &p.scratch[from+i]; v.Kind == token.Comment {
			p.push(&ast.Comment{At: v.Pos, Text: v.Text})
		}
	}
	p.scratch = p.scratch[:from]
}

// badRule returns a bad node for a rule whose block was skipped.
func (p *parser) badRule(begin uint32) ast.Node {
	p.tooDeep = false
	return &ast.BadRule{At: p.pos(begin), Text: p.raw(begin)}
}

// atRule parses an at-rule (section 5.5.2).
func (p *parser) atRule(nested bool) ast.Node {
	begin, from := p.tok.Start, len(p.scratch)
	name := p.src[begin+1 : p.tok.End]
	if int(p.tok.End) == len(p.src) {
		name = p.text(p.tok)[1:]
	}
	p.next()
	p.bad = badToken{}
	stop := stopAt(token.LBrace) | stopAt(token.Semicolon)
	if nested {
		stop |= stopAt(token.RBrace)
	}
	p.list(stop, false)
	if p.bad.kind != token.EOF || p.tooDeep {
		return p.badAtRule(begin, from)
	}
	rule := &p.atRuleSlab.take(p, 1)[0]
	rule.At, rule.Name, rule.Prelude, rule.EndOff = p.pos(begin), name, p.popValues(from), p.tok.Start
	switch p.tok.Kind {
	case token.Semicolon:
		rule.EndOff = p.tok.End
		p.next()
		return rule
	case token.LBrace:
	default:
		return rule
	}
	lower := token.Lower(name)
	if statements[lower] {
		p.reportContinues(rule)
	}
	kind := mixed
	switch {
	case strings.HasSuffix(lower, "keyframes"):
		kind = keyframes
	case lower == "const" || lower == "default":
		kind = entries
	}
	block, ok := p.block(kind)
	if !ok {
		return p.badRule(begin)
	}
	rule.Block = &p.blockSlab.take(p, 1)[0]
	*rule.Block = block
	return rule
}

// badAtRule returns a bad node if the prelude of an at-rule contains unbalanced
// tokens, and nil otherwise.
func (p *parser) badAtRule(begin uint32, from int) ast.Node {
	p.scratch = p.scratch[:from]
	if !p.tooDeep {
		p.reportBadPrelude(p.bad)
	}
	switch p.tok.Kind {
	case token.LBrace:
		p.skipBlock()
	case token.Semicolon:
		p.next()
	}
	return p.badRule(begin)
}

// declaration parses a declaration (section 5.5.6), if one can start here in a
// block of the kind: with an identifier, with an interpolated name, or, in a
// group of constants, with a number. It returns nil without reading anything if
// there is none: no colon follows, or a block does, as in a:hover { }. Only a
// custom property may contain a block in braces besides other values; a
// property whose value is only a block is invalid in every grammar, and parsed
// as a rule.
func (p *parser) declaration(kind blockKind) ast.Node {
	m := p.mark()
	nameTok := p.tok
	name := nameTok.Text(p.src)
	spliced := false
	switch nameTok.Kind {
	case token.Ident:
		if kind == keyframes {
			return nil
		}
		p.next()
	case token.Number, token.Dimension:
		if kind != entries {
			return nil
		}
		p.next()
	default:
		if kind != mixed || !p.interpolatedName() {
			p.rewind(m)
			return nil
		}
		spliced = true
	}
	valueFrom := len(p.scratch)
	p.skipSpace()
	if p.tok.Kind != token.Colon {
		p.rewind(m)
		return nil
	}
	custom := ast.IsCustomName(name)
	// Scripts read the initial value of a registered property as it is written.
	verbatim := custom || len(name) == len("initial-value") && token.EqualFold(name, "initial-value")
	stop := stopAt(token.Semicolon) | stopAt(token.RBrace)
	if !custom {
		stop |= stopAt(token.LBrace)
	}
	p.sc.UnicodeRanges = len(name) >= len("unicode-range") && token.EqualFold(name, "unicode-range")
	p.bad = badToken{}
	p.next()
	p.list(stop, verbatim)
	p.sc.UnicodeRanges = false
	if p.tok.Kind == token.LBrace {
		p.rewind(m)
		p.tooDeep = false
		return nil
	}
	if p.bad.kind != token.EOF || p.tooDeep {
		return p.badDeclaration(nameTok.Start, m.scratch)
	}
	if spliced {
		d := &ast.InterpolatedDeclaration{EndOff: p.endOfValue(nameTok)}
		d.Important = p.important(valueFrom)
		d.Value = p.popValues(valueFrom)
		d.Name = p.popValues(m.scratch)
		return d
	}
	d := &p.declSlab.take(p, 1)[0]
	d.Name, d.NamePos, d.EndOff = name, p.pos(nameTok.Start), p.endOfValue(nameTok)
	d.Important = p.important(m.scratch)
	d.Value = p.popValues(m.scratch)
	return d
}

// interpolatedName pushes the parts of an interpolated name, and reports
// whether there is one: constants in brackets, attached to names that end in a
// hyphen or standing alone.
func (p *parser) interpolatedName() bool {
	for first := true; ; first = false {
		t := p.tok
		switch {
		case t.Kind == token.LParen, t.Kind == token.Function && p.src[t.End-2] == '-':
			p.bracketed(t, false, false)
		case !first && (t.Kind == token.Ident || t.Kind == token.Number || t.Kind == token.Dimension):
			p.token(t, false)
			p.next()
		case !first && t.Kind == token.Delim && p.src[t.Start] == '-': // between two brackets
			p.token(t, false)
			p.next()
		default:
			return !first
		}
	}
}

// badDeclaration returns a bad node for the source since begin.
func (p *parser) badDeclaration(begin uint32, from int) ast.Node {
	p.scratch = p.scratch[:from]
	text := p.raw(begin)
	if !p.tooDeep {
		p.reportBadValue(text)
	}
	p.tooDeep = false
	return &ast.BadDeclaration{At: p.pos(begin), Text: text}
}

// endOfValue returns the end of the declaration that was just parsed, without
// white space before the semicolon.
func (p *parser) endOfValue(name token.Token) uint32 {
	end := p.tok.Start
	for end > name.End && token.IsSpace(p.src[end-1]) {
		end--
	}
	return end
}

// important removes !important and the white space around it from the values
// since from, and reports whether it was there.
func (p *parser) important(from int) bool {
	values := trimTrailing(p.scratch[from:])
	rest := trimComments(values)
	found := false
	if n := len(rest); n > 0 && rest[n-1].IsIdent("important") {
		if before := trimComments(rest[:n-1]); len(before) > 0 && before[len(before)-1].IsDelim('!') {
			found = true
			values = trimTrailing(before[:len(before)-1])
		}
	}
	// In a custom property, leading white space is a value, too.
	lead := 0
	for lead < len(values) && values[lead].Kind == token.Whitespace {
		lead++
	}
	kept := copy(p.scratch[from:], values[lead:])
	p.scratch = p.scratch[:from+kept]
	return found
}

// trimTrailing returns values without white space at the end.
func trimTrailing(values []ast.Value) []ast.Value {
	for len(values) > 0 && values[len(values)-1].Kind == token.Whitespace {
		values = values[:len(values)-1]
	}
	return values
}

// trimComments returns values without white space and comments at the end.
func trimComments(values []ast.Value) []ast.Value {
	for len(values) > 0 {
		if k := values[len(values)-1].Kind; k != token.Whitespace && k != token.Comment {
			break
		}
		values = values[:len(values)-1]
	}
	return values
}

// withoutComments returns values without comments.
func withoutComments(values []ast.Value) []ast.Value {
	values = trimComments(values)
	for len(values) > 0 && values[0].Kind == token.Comment {
		values = values[1:]
	}
	return values
}
