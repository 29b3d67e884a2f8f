// Package scan splits the text of a style sheet into tokens (CSS Syntax Level
// 3, section 4). Tokens are ranges of the text; scanning does not allocate. The
// preprocessing of section 3.3 is done on the fly: CR, CRLF and FF count as
// line ends, and NUL as U+FFFD.
package scan

import (
	"strings"
	"unicode/utf8"

	"rinzel/internal/css/token"
)

// Scanner reads tokens from a text. The tokens it returns cover the text
// without gaps or overlaps.
type Scanner struct {
	// UnicodeRanges makes u+… a unicode range token, as in the descriptor
	// unicode-range. It may be changed between tokens.
	UnicodeRanges bool

	src string
	off int
}

// New returns a Scanner at the start of src, whose length must fit into 32
// bits.
func New(src string) Scanner { return Scanner{src: src} }

// Offset returns the start of the next token.
func (s *Scanner) Offset() int { return s.off }

// Reset continues scanning at off, which must be the start of a token.
func (s *Scanner) Reset(off int) { s.off = off }

// Byte classes: what a byte can be part of.
const (
	name  = 1 << iota // continues an identifier
	start             // starts an identifier
	digit
	space
	text // is an ordinary character in a string or unquoted URL
)

// class has the classes of each byte.
var class = func() (t [256]uint8) {
	for i := range t {
		c := byte(i)
		set := func(is bool, bit uint8) {
			if is {
				t[i] |= bit
			}
		}
		set(token.IsName(c), name)
		set(token.IsNameStart(c), start)
		set(token.IsDigit(c), digit)
		set(token.IsSpace(c), space)
		set(c > ' ' && c != 0x7f && !strings.ContainsRune(`"'()\`, rune(c)) || c >= utf8.RuneSelf, text)
	}
	return t
}()

// Next returns the next token. At the end of the text, and from then on, it is
// an empty token of kind EOF.
func (s *Scanner) Next() token.Token {
	begin := s.off
	kind, flags := s.scan()
	return token.Token{Kind: kind, Flags: flags, Start: uint32(begin), End: uint32(s.off)}
}

// scan moves past the next token.
func (s *Scanner) scan() (token.Kind, token.Flags) {
	if s.off >= len(s.src) {
		// Every return below moves s.off forward, so that scanning ends.
		return token.EOF, 0
	}
	c := s.src[s.off]
	switch c {
	case ' ', '\t', '\n', '\r', '\f':
		s.run(space)
		return token.Whitespace, 0
	case '"', '\'':
		return s.str(c)
	case '#':
		return s.hash()
	case '(':
		return s.one(token.LParen)
	case ')':
		return s.one(token.RParen)
	case '[':
		return s.one(token.LBracket)
	case ']':
		return s.one(token.RBracket)
	case '{':
		return s.one(token.LBrace)
	case '}':
		return s.one(token.RBrace)
	case ',':
		return s.one(token.Comma)
	case ':':
		return s.one(token.Colon)
	case ';':
		return s.one(token.Semicolon)
	case '0', '1', '2', '3', '4', '5', '6', '7', '8', '9':
		return s.numeric(), 0
	case '+', '.':
		// A plus sign or dot that starts no number is a delimiter.
		if startsNumber(s.src[s.off:]) {
			return s.numeric(), 0
		}
	case '-':
		return s.minus()
	case '/':
		if strings.HasPrefix(s.src[s.off:], "/*") {
			return s.comment()
		}
	case '<':
		if strings.HasPrefix(s.src[s.off:], "<!--") {
			s.off += 4
			return token.CDO, 0
		}
	case '@':
		s.off++
		if StartsIdent(s.src[s.off:]) {
			s.name()
			return token.AtKeyword, 0
		}
		return token.Delim, 0
	case '\\':
		// An escape can start an identifier. Another backslash is a delimiter
		// and a parse error.
		if validEscape(s.src[s.off:]) {
			return s.identLike()
		}
	case 'u', 'U':
		// Only the descriptor has this token: elsewhere, u+a is a selector of
		// two type selectors.
		if s.UnicodeRanges && startsRange(s.src[s.off:]) {
			s.unicodeRange()
			return token.UnicodeRange, 0
		}
		return s.identLike()
	default:
		if class[c]&start != 0 {
			return s.identLike()
		}
	}
	return s.one(token.Delim)
}

// one returns a token of a single byte. Every byte of a non-ASCII character
// starts an identifier, so delimiters are single bytes.
func (s *Scanner) one(k token.Kind) (token.Kind, token.Flags) {
	s.off++
	return k, 0
}

// run skips all bytes of a class.
func (s *Scanner) run(bits uint8) {
	i := s.off
	for i < len(s.src) && class[s.src[i]]&bits != 0 {
		i++
	}
	s.off = i
}

// name skips the rest of an identifier (section 4.3.11).
func (s *Scanner) name() {
	for {
		s.run(name)
		// An escape is part of the name, any other backslash ends it.
		if s.off >= len(s.src) || s.src[s.off] != '\\' || !validEscape(s.src[s.off:]) {
			return
		}
		s.off += token.EscapeLen(s.src[s.off:])
	}
}

// minus reads a token that starts with a hyphen.
func (s *Scanner) minus() (token.Kind, token.Flags) {
	rest := s.src[s.off:]
	switch {
	// The order is that of section 4.3.1: -1 is a number, --> ends a comment,
	// --a is an identifier.
	case startsNumber(rest):
		return s.numeric(), 0
	case strings.HasPrefix(rest, "-->"):
		s.off += 3
		return token.CDC, 0
	case StartsIdent(rest):
		return s.identLike()
	}
	return s.one(token.Delim)
}

// hash reads a token that starts with a number sign.
func (s *Scanner) hash() (token.Kind, token.Flags) {
	s.off++
	rest := s.src[s.off:]
	// A number sign without a name is a delimiter.
	if rest == "" || class[rest[0]]&name == 0 && !validEscape(rest) {
		return token.Delim, 0
	}
	var flags token.Flags
	if StartsIdent(rest) {
		flags = token.ID
	}
	s.name()
	return token.Hash, flags
}

// comment reads a comment (section 4.3.2).
func (s *Scanner) comment() (token.Kind, token.Flags) {
	// Comments do not nest.
	n := strings.Index(s.src[s.off+2:], "*/")
	if n < 0 {
		s.off = len(s.src)
		return token.Comment, token.Unclosed
	}
	s.off += n + 4
	return token.Comment, 0
}

// str reads a string (section 4.3.5).
func (s *Scanner) str(quote byte) (token.Kind, token.Flags) {
	i := s.off + 1
	for i < len(s.src) {
		switch c := s.src[i]; {
		case class[c]&text != 0:
			i++
		case c == quote:
			s.off = i + 1
			return token.String, 0
		// A string ends at the line end, which stays outside of it.
		case c == '\n', c == '\r', c == '\f':
			s.off = i
			return token.BadString, 0
		case c != '\\':
			i++
		// A backslash at the end of the text is ignored.
		case i+1 == len(s.src):
			i++
		// An escaped line end is removed, and CRLF is one.
		case s.src[i+1] == '\r' && i+2 < len(s.src) && s.src[i+2] == '\n':
			i += 3
		default:
			i += 2 // the rest of a longer escape is plain text
		}
	}
	s.off = i
	return token.String, token.Unclosed
}

// numeric reads a number, percentage or dimension (section 4.3.3).
func (s *Scanner) numeric() token.Kind {
	s.off += token.NumberLen(s.src[s.off:])
	if s.off >= len(s.src) {
		return token.Number
	}
	switch c := s.src[s.off]; {
	case c == '%':
		s.off++
		return token.Percentage
	// A minus or backslash may start a unit: 1-a, 1\61. Digits alone cannot:
	// 1-2 is two numbers.
	case class[c]&start != 0, c == '-' || c == '\\':
		if StartsIdent(s.src[s.off:]) {
			s.name()
			return token.Dimension
		}
	}
	return token.Number
}

// identLike reads an identifier, a function or a URL (section 4.3.4).
func (s *Scanner) identLike() (token.Kind, token.Flags) {
	begin := s.off
	s.name()
	if s.off >= len(s.src) || s.src[s.off] != '(' {
		return token.Ident, 0
	}
	word := s.src[begin:s.off]
	s.off++
	// Only url is special, also with escapes as in u\72l, and only if its
	// argument is not quoted.
	if len(word) < 3 || !token.EqualFold(word, "url") {
		return token.Function, 0
	}
	i := s.off
	for i < len(s.src) && class[s.src[i]]&space != 0 {
		i++
	}
	if i < len(s.src) && (s.src[i] == '"' || s.src[i] == '\'') {
		return token.Function, 0
	}
	s.off = i
	return s.url()
}

// url reads the rest of an unquoted URL (section 4.3.6).
func (s *Scanner) url() (token.Kind, token.Flags) {
	for {
		s.run(text)
		if s.off >= len(s.src) {
			return token.URL, token.Unclosed
		}
		switch c := s.src[s.off]; {
		case c == ')':
			s.off++
			return token.URL, 0
		// NUL is replaced by U+FFFD, which is valid in a URL.
		case c == 0:
			s.off++
		// White space is only allowed at the end.
		case class[c]&space != 0:
			s.run(space)
			if s.off >= len(s.src) {
				return token.URL, token.Unclosed
			}
			if s.src[s.off] == ')' {
				s.off++
				return token.URL, 0
			}
			return s.badURL()
		case c == '\\' && validEscape(s.src[s.off:]):
			s.off += token.EscapeLen(s.src[s.off:])
		// Quotes, opening brackets and control characters are parse errors.
		default:
			return s.badURL()
		}
	}
}

// badURL skips to the end of a malformed URL (section 4.3.14).
func (s *Scanner) badURL() (token.Kind, token.Flags) {
	for s.off < len(s.src) {
		switch c := s.src[s.off]; {
		case c == ')':
			s.off++
			return token.BadURL, 0
		// An escaped bracket does not end it.
		case c == '\\' && validEscape(s.src[s.off:]):
			s.off += token.EscapeLen(s.src[s.off:])
		default:
			s.off++
		}
	}
	return token.BadURL, token.Unclosed
}

// unicodeRange reads u+ and the range after it (section 4.3.13).
func (s *Scanner) unicodeRange() {
	s.off += 2
	n := s.hexRun(6)
	questions := 0
	// Each question mark is a wildcard for one digit: U+4?? is U+400-4FF.
	for n+questions < 6 && s.off < len(s.src) && s.src[s.off] == '?' {
		s.off++
		questions++
	}
	// A range with wildcards has no explicit end.
	rest := s.src[s.off:]
	if questions == 0 && len(rest) > 1 && rest[0] == '-' && token.IsHex(rest[1]) {
		s.off++
		s.hexRun(6)
	}
}

// hexRun skips at most limit hexadecimal digits and returns their number.
func (s *Scanner) hexRun(limit int) int {
	n := 0
	for n < limit && s.off < len(s.src) && token.IsHex(s.src[s.off]) {
		s.off++
		n++
	}
	return n
}

// startsRange reports whether s starts with a unicode range.
func startsRange(s string) bool {
	return len(s) > 2 && s[1] == '+' && (s[2] == '?' || token.IsHex(s[2]))
}

// validEscape reports whether s, which may be empty, starts with an escape
// (section 4.3.8). A backslash at the end of the text does.
func validEscape(s string) bool {
	return s != "" && s[0] == '\\' &&
		(len(s) == 1 || s[1] != '\n' && s[1] != '\r' && s[1] != '\f')
}

// StartsIdent reports whether s starts with an identifier (section 4.3.9).
func StartsIdent(s string) bool {
	if s == "" {
		return false
	}
	if s[0] != '-' {
		return class[s[0]]&start != 0 || validEscape(s)
	}
	// A hyphen starts an identifier if a name follows: -a, --, -\61, but not -
	// or -1.
	return len(s) > 1 && (s[1] == '-' || class[s[1]]&start != 0 || validEscape(s[1:]))
}

// startsNumber reports whether s starts with a number (section 4.3.10).
func startsNumber(s string) bool {
	if s[0] == '+' || s[0] == '-' {
		s = s[1:]
	}
	if s != "" && s[0] == '.' {
		s = s[1:]
	}
	return s != "" && token.IsDigit(s[0])
}
