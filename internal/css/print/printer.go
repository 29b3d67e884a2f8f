// Package print writes trees as style sheets: readable or compact, from one
// machine. This file is the mechanism; nodes.go decides the layout.
package print

import (
	"strings"
	"unicode/utf8"

	"rinzel/internal/css/ast"
	"rinzel/internal/css/scan"
	"rinzel/internal/css/token"
	"rinzel/internal/source"
)

// Options say how a sheet is written. The zero Options write it readably and
// without a map.
type Options struct {
	// Compact leaves out all that means nothing: white space, the last
	// semicolon of a block, and comments but those that start with /*!.
	Compact bool
	// Maps, if not nil, learns where each selector, at-rule, declaration and
	// value from elsewhere was written.
	Maps Mapper
}

// Mapper records that the text at a line and column of the output, both from
// 0 and the column in UTF-16 code units, comes from a place in a source.
// written is the identifier that stands there, or "" for what is none.
type Mapper interface {
	Add(line, column int, from source.Pos, written string)
}

// Append writes nodes behind what dst holds and returns the result.
// The output is UTF-8 and ends with a line end, unless it is empty.
// Columns and lines are counted from the start of dst, which must be empty or
// end with a line end.
func Append(dst []byte, nodes []ast.Node, opts Options) []byte {
	p := printer{buf: dst, start: len(dst), compact: opts.Compact, maps: opts.Maps}
	for _, c := range dst {
		if c == '\n' {
			p.line++
		}
	}
	p.lineStart = len(dst)
	p.sheet(nodes)
	return p.buf
}

// Sheet returns nodes as the text of a style sheet.
func Sheet(nodes []ast.Node, opts Options) string { return string(Append(nil, nodes, opts)) }

// Values returns component values as text, written readably.
func Values(values []ast.Value) string {
	p := printer{}
	p.values(values, false)
	return string(p.buf)
}

// CompactValues returns component values as the shortest text that is read as them.
func CompactValues(values []ast.Value) string {
	p := printer{compact: true}
	p.values(values, false)
	return string(p.buf)
}

// Selector returns a selector as text, written readably on one line.
func Selector(s ast.Selector) string {
	p := printer{}
	p.selector(s)
	return string(p.buf)
}

type printer struct {
	// configuration
	compact bool
	maps    Mapper

	// state
	buf       []byte
	start     int // where this printer's output starts in buf
	line      int
	lineStart int // offset in buf
	extra     int // bytes on the line beyond its UTF-16 code units
	depth     int
	semicolon bool // one is due before the next node
	last      token.Kind
	lastText  string
	afterLess bool // the token before the last one is '<', with nothing between
	ranges    bool // within the value of unicode-range
}

// token writes one token. Nothing else reaches the output but white space, so
// this is the one place that keeps tokens apart.
func (p *printer) token(k token.Kind, text string) {
	less := p.last == token.Delim && p.lastText == "<"
	if mayFuse[p.last] && p.fuses(k, text) {
		p.separate()
		less = false
	}
	p.write(text)
	p.last, p.lastText, p.afterLess = k, text, less
}

// fuses reports whether a token would be read as another one, or change the
// last one, if it stood right behind that. The table of the specification says
// which pairs may; whether these two do the scanner tells.
func (p *printer) fuses(k token.Kind, text string) bool {
	if p.afterLess && p.lastText == "!" && strings.HasPrefix(text, "--") {
		return true // three tokens that would make one: <!--
	}
	if !token.Fuses(p.last, p.lastText, k, text) {
		return false
	}
	if p.lastText == `\` {
		return !strings.ContainsAny(text[:1], "\n\r\f")
	}
	s := scan.New(p.lastText + text)
	s.UnicodeRanges = p.ranges
	first := s.Next()
	return int(first.End) != len(p.lastText) || first.Kind != p.last || s.Next().Kind != k
}

// mayFuse are the kinds of tokens that some other can fuse with.
var mayFuse = [token.RBrace + 1]bool{
	token.Ident: true, token.AtKeyword: true, token.Hash: true, token.Dimension: true,
	token.Number: true, token.UnicodeRange: true, token.Delim: true,
}

// separate writes what keeps two tokens apart without being one.
func (p *printer) separate() {
	if p.last == token.Delim && p.lastText == `\` {
		p.newline() // it is a lone backslash only before a line end
		return
	}
	p.write("/**/")
}

// mapped writes a token that was written at a place in a source.
func (p *printer) mapped(at source.Pos, k token.Kind, text string) {
	name := ""
	if k == token.Ident || k == token.AtKeyword {
		name = text
	}
	p.mapTo(at, name)
	p.token(k, text)
}

// mapTo records that what is written next, an identifier or "", comes from a
// place in a source.
func (p *printer) mapTo(at source.Pos, written string) {
	if p.maps != nil && at.IsValid() {
		p.maps.Add(p.line, len(p.buf)-p.lineStart-p.extra, at, written)
	}
}

// space writes a space that parts two tokens.
func (p *printer) space() {
	switch {
	case p.last == token.Delim && p.lastText == `\`:
		p.newline()
	case endsInOpenEscape(p.lastText):
		p.write("  ") // the first one ends the escape
	default:
		p.write(" ")
	}
	p.last = token.Whitespace
}

// softSpace writes a space that only readers need.
func (p *printer) softSpace() {
	if !p.compact {
		p.space()
	}
}

// newline starts a line, indented if the output is readable.
func (p *printer) newline() {
	p.buf = append(p.buf, '\n')
	p.line++
	p.lineStart, p.extra = len(p.buf), 0
	if !p.compact {
		for range p.depth {
			p.buf = append(p.buf, "  "...)
		}
	}
	p.last = token.Whitespace
}

const byteOrderMark = "\uFEFF"

// write appends text and keeps count of lines and columns.
func (p *printer) write(text string) {
	if len(p.buf) == 0 && strings.HasPrefix(text, byteOrderMark) {
		p.buf = append(p.buf, byteOrderMark...) // or the name's own would be taken for one
		p.lineStart = len(p.buf)
	}
	p.buf = append(p.buf, text...)
	if p.maps == nil {
		return
	}
	for i := 0; i < len(text); i++ {
		if c := text[i]; c == '\n' || c == '\r' || c >= utf8.RuneSelf {
			p.count(text, i)
			return
		}
	}
}

// count updates line and column for text, which was just written and whose
// first unusual byte is at i. A source map counts LF, CR and CRLF as line
// ends, as source files do.
func (p *printer) count(text string, i int) {
	base := len(p.buf) - len(text)
	for i < len(text) {
		r, n := rune(text[i]), 1
		if r >= utf8.RuneSelf {
			r, n = utf8.DecodeRuneInString(text[i:])
		}
		i += n
		switch {
		case r == '\n', r == '\r' && !strings.HasPrefix(text[i:], "\n"):
			p.line++
			p.lineStart, p.extra = base+i, 0
		case r > 0xFFFF:
			p.extra += n - 2
		default:
			p.extra += n - 1
		}
	}
}

// endsInOpenEscape reports whether text ends in a hexadecimal escape that a
// following white space would belong to.
func endsInOpenEscape(text string) bool {
	for n := 1; n <= 7 && n <= len(text); n++ {
		c := text[len(text)-n]
		if c == '\\' {
			before := strings.TrimRight(text[:len(text)-n], `\`)
			odd := (len(text)-n-len(before))%2 == 1
			return n > 1 && !odd
		}
		if !token.IsHex(c) {
			return false
		}
	}
	return false
}
