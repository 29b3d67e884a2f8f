// Package print writes syntax trees as style sheets, readable or compact, and
// records source map positions while it does. Readable and compact output come
// from the same code. This file has the mechanism: tokens, separators and
// positions. nodes.go decides the layout.
package print

import (
	"strings"
	"unicode/utf8"

	"rinzel/internal/css/ast"
	"rinzel/internal/css/scan"
	"rinzel/internal/css/token"
	"rinzel/internal/source"
)

// Options configure the output. The zero Options write a readable sheet without
// a map.
type Options struct {
	// Compact omits everything insignificant: white space, the last semicolon
	// of a block, and comments except those that start with /*!.
	Compact bool
	// Maps, if not nil, receives the output position of each selector, at-rule,
	// declaration, and value from elsewhere.
	Maps Mapper
}

// Mapper collects the mappings of a source map.
type Mapper interface {
	// Add records that the text at a line and column of the output comes from a
	// position in a source. Line and column are counted from 0, columns in
	// UTF-16 code units. written is the identifier at that position, or "" if
	// there is none.
	Add(line, column int, from source.Pos, written string)
}

// Append appends nodes to dst and returns the result. The output is UTF-8 and
// ends with a line end, unless it is empty. Lines and columns are counted from
// the start of dst, which must be empty or end with a line end.
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

// Values returns component values as readable text.
func Values(values []ast.Value) string {
	p := printer{}
	p.values(values, false)
	return string(p.buf)
}

// CompactValues returns component values as the shortest text that is parsed as
// the same values.
func CompactValues(values []ast.Value) string {
	p := printer{compact: true}
	p.values(values, false)
	return string(p.buf)
}

// Selector returns a selector as readable text on one line.
func Selector(s ast.Selector) string {
	p := printer{}
	p.selector(s)
	return string(p.buf)
}

// AppendSelectors appends a selector list in compact form to dst, and returns the
// result.
func AppendSelectors(dst []byte, list []ast.Selector) []byte {
	p := printer{buf: dst, start: len(dst), compact: true}
	p.selectors(list)
	return p.buf
}

// printer is the state of writing one sheet.
type printer struct {
	// configuration
	compact bool
	maps    Mapper

	// state
	buf       []byte
	start     int // start of the output of this printer in buf
	line      int
	lineStart int // offset in buf
	extra     int // bytes on the line in excess of its UTF-16 code units
	depth     int
	semicolon bool // needed before the next node
	last      token.Kind
	lastText  string
	afterLess bool // the second-to-last token is '<', directly before the last one
	ranges    bool // inside the value of unicode-range
}

// token writes one token. All output except white space goes through it, so
// this is the only place that separates tokens.
func (p *printer) token(k token.Kind, text string) {
	less := p.last == token.Delim && p.lastText == "<"
	if mayFuse[p.last] && p.fuses(k, text) {
		p.separate()
		less = false
	}
	p.write(text)
	p.last, p.lastText, p.afterLess = k, text, less
}

// fuses reports whether a token directly after the last one would change the
// meaning of either. The table of the specification says which pairs may fuse;
// the scanner decides whether these two do.
func (p *printer) fuses(k token.Kind, text string) bool {
	if p.afterLess && p.lastText == "!" && strings.HasPrefix(text, "--") {
		return true // three tokens that would become one: <!--
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

// mayFuse are the kinds of tokens that can fuse with another one.
var mayFuse = [token.RBrace + 1]bool{
	token.Ident: true, token.AtKeyword: true, token.Hash: true, token.Dimension: true,
	token.Number: true, token.UnicodeRange: true, token.Delim: true,
}

// separate writes a separator between two tokens.
func (p *printer) separate() {
	if p.last == token.Delim && p.lastText == `\` {
		p.newline() // a lone backslash is only one before a line end
		return
	}
	p.write("/**/")
}

// mapped writes a token that comes from a position in a source.
func (p *printer) mapped(at source.Pos, k token.Kind, text string) {
	name := ""
	if k == token.Ident || k == token.AtKeyword {
		name = text
	}
	p.mapTo(at, name)
	p.token(k, text)
}

// mapTo records that the next output, an identifier or "", comes from a
// position in a source.
func (p *printer) mapTo(at source.Pos, written string) {
	if p.maps != nil && at.IsValid() {
		p.maps.Add(p.line, len(p.buf)-p.lineStart-p.extra, at, written)
	}
}

// space writes a significant space between two tokens.
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

// softSpace writes a space for readability.
func (p *printer) softSpace() {
	if !p.compact {
		p.space()
	}
}

// newline starts a line, indented in readable output.
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

// byteOrderMark is U+FEFF in UTF-8.
const byteOrderMark = "\uFEFF"

// write appends text and counts lines and columns.
func (p *printer) write(text string) {
	if len(p.buf) == 0 && strings.HasPrefix(text, byteOrderMark) {
		p.buf = append(p.buf, byteOrderMark...) // otherwise U+FEFF in the first name would be taken for a byte order mark
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
// first special byte is at i. Source maps count LF, CR and CRLF as line ends,
// like source files.
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
// white space after it would belong to.
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
