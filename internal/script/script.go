// Package script finds the literals of JavaScript. It knows just enough of
// the language to tell strings, templates, comments and regular expressions
// apart, and never fails: what it cannot read it takes for code.
package script

import (
	"strconv"
	"strings"
	"unicode"

	"rinzel/internal/css/token"
)

// Visitor is told what stands in a script. Either function may be nil.
type Visitor struct {
	// Literal is called for each string literal and each part of a template
	// literal, with its text, escapes undone, and the offset behind its quote.
	Literal func(text string, offset int)
	// Key is called for each word with a colon behind it: the key of an
	// object, or a label.
	Key func(name string)
}

// Visit reads a script from its start to its end.
func Visit(text string, v Visitor) {
	s := scanner{text: text, v: v}
	s.code(false)
}

type scanner struct {
	v    Visitor
	text string

	i     int
	depth int // of templates within templates
	// operand tells that the last token ended an operand, so that a slash
	// divides rather than starting a regular expression.
	operand bool
}

// maxTemplates bounds the nesting of templates; deeper ones are read as text.
const maxTemplates = 100

// code scans up to the end, or behind the brace that closes a template's hole.
func (s *scanner) code(hole bool) {
	braces := 0
	for s.i < len(s.text) {
		c := s.text[s.i]
		switch {
		case c == '"' || c == '\'':
			s.str(c)
		case c == '`':
			s.template()
		case c == '/':
			s.slash()
		case isWordByte(c):
			s.word()
		case c == '{':
			braces++
			s.operand = false
			s.i++
		case c == '}':
			if hole && braces == 0 {
				s.i++
				return
			}
			braces--
			s.operand = false
			s.i++
		default:
			if c > ' ' {
				s.operand = c == ')' || c == ']'
			}
			s.i++
		}
	}
}

func isWordByte(c byte) bool { return token.IsName(c) && c != '-' || c == '$' }

// beforeRegexp are the words behind which a slash starts a regular expression.
var beforeRegexp = map[string]bool{
	"return": true, "typeof": true, "case": true, "in": true, "of": true, "delete": true, "void": true,
	"throw": true, "new": true, "instanceof": true, "do": true, "else": true, "yield": true, "await": true,
}

// word scans an identifier, keyword or number. One with a colon behind it is
// the key of an object.
func (s *scanner) word() {
	start := s.i
	for s.i < len(s.text) && isWordByte(s.text[s.i]) {
		s.i++
	}
	word := s.text[start:s.i]
	s.operand = !beforeRegexp[word]
	rest := strings.TrimLeft(s.text[s.i:min(s.i+16, len(s.text))], " \t\r\n")
	if s.v.Key != nil && strings.HasPrefix(rest, ":") {
		s.v.Key(word)
	}
}

// str scans a string literal. One that its line does not close is given up at
// the line's end.
func (s *scanner) str(quote byte) {
	s.i++
	start := s.i
	for s.i < len(s.text) && s.text[s.i] != quote && s.text[s.i] != '\n' {
		if s.text[s.i] == '\\' {
			s.i++
		}
		s.i++
	}
	s.i = min(s.i, len(s.text))
	s.literal(start, s.i)
	if s.i < len(s.text) && s.text[s.i] == quote {
		s.i++
	}
	s.operand = true
}

// template scans a template literal; its holes are code.
func (s *scanner) template() {
	s.i++
	start := s.i
	for s.i < len(s.text) {
		switch c := s.text[s.i]; {
		case c == '\\':
			s.i += 2
		case c == '`':
			s.literal(start, s.i)
			s.i++
			s.operand = true
			return
		case c == '$' && s.i+1 < len(s.text) && s.text[s.i+1] == '{' && s.depth < maxTemplates:
			s.literal(start, s.i)
			s.i += 2
			s.operand = false
			s.depth++
			s.code(true)
			s.depth--
			start = s.i
		default:
			s.i++
		}
	}
	s.i = len(s.text)
	s.literal(min(start, s.i), s.i)
}

// slash scans a comment, a regular expression, or a division sign.
func (s *scanner) slash() {
	rest := s.text[s.i:]
	switch {
	case strings.HasPrefix(rest, "//"):
		if n := strings.IndexByte(rest, '\n'); n >= 0 {
			s.i += n
		} else {
			s.i = len(s.text)
		}
	case strings.HasPrefix(rest, "/*"):
		if n := strings.Index(rest[2:], "*/"); n >= 0 {
			s.i += n + 4
		} else {
			s.i = len(s.text)
		}
	case s.operand:
		s.operand = false
		s.i++
	default:
		s.regexp()
	}
}

// regexp scans a regular expression. What no slash closes on its line is
// taken for a division after all.
func (s *scanner) regexp() {
	class := false
	for i := s.i + 1; i < len(s.text) && s.text[i] != '\n'; i++ {
		switch c := s.text[i]; {
		case c == '\\':
			i++
		case c == '[':
			class = true
		case c == ']':
			class = false
		case c == '/' && !class:
			s.i = i + 1
			s.operand = true
			return
		}
	}
	s.i++
	s.operand = false
}

// literal reports the literal that stands from start up to end.
func (s *scanner) literal(start, end int) {
	if s.v.Literal == nil {
		return
	}
	text := s.text[start:end]
	if strings.IndexByte(text, '\\') >= 0 {
		text = unescape(text)
	}
	s.v.Literal(text, start)
}

// unescape undoes the escapes of a literal (ECMA-262, section 12.9.4).
func unescape(text string) string {
	var b strings.Builder
	for i := 0; i < len(text); i++ {
		if text[i] != '\\' || i+1 == len(text) {
			b.WriteByte(text[i])
			continue
		}
		i++
		switch c := text[i]; c {
		case 'n', 'r', 't', 'v', 'f', 'b':
			b.WriteByte(' ')
		case '\n', '\r':
		case 'x', 'u':
			n := escapeLen(text[i:])
			if r, ok := codePoint(text[i : i+n]); ok {
				b.WriteRune(r)
			}
			i += n - 1
		default:
			b.WriteByte(c)
		}
	}
	return b.String()
}

// escapeLen returns the length of x41, u0041 or u{41} at the start of s.
func escapeLen(s string) int {
	if strings.HasPrefix(s, "u{") {
		if n := strings.IndexByte(s, '}'); n > 0 {
			return n + 1
		}
	}
	want := map[byte]int{'x': 3, 'u': 5}[s[0]]
	return min(want, len(s))
}

func codePoint(s string) (rune, bool) {
	n, err := strconv.ParseUint(strings.Trim(s[1:], "{}"), 16, 32)
	return rune(n), err == nil && n <= unicode.MaxRune
}
