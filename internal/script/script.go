// Package script finds the literals and imports of JavaScript, and evaluates
// which strings a script builds. It only parses as much of the language as it
// needs, and never fails: unsupported syntax is treated as code of unknown
// effect. [Visit] reports literals and names, [Imports] the references to other
// files.
package script

import (
	"strconv"
	"strings"
	"unicode"
)

// Visitor receives the parts of a script. Each function may be nil.
type Visitor struct {
	// Literal is called for each string literal and each part of a template
	// literal, with its decoded text and the offset after its quote.
	Literal func(text string, offset int)
	// Key is called for each word before a colon: the key of an object, or a
	// label; with its offset.
	Key func(name string, offset int)
	// Member is called for each name after a dot, with its offset.
	Member func(name string, offset int)
	// Joined is called for each string that the script builds from parts, as
	// far as it can be evaluated, with [Hole] for unknown parts; with the
	// offset of its start. With Joined, property names without a colon are
	// reported as keys as well: those of shorthands, methods, assigned
	// properties, and patterns.
	Joined func(text string, offset int)
	// Part is called for each literal that is part of such a string, before
	// Literal, with the same offset.
	Part func(offset int)
}

// Visit reads a script from start to end.
func Visit(text string, v Visitor) {
	if v.Joined != nil {
		r := read(text, v.Key)
		if v.Part != nil {
			for _, e := range r.roots {
				eachPart(e, v.Part)
			}
		}
		r.joinedStrings(v.Joined)
	}
	visiting := visitor{v, newLexer(text)}
	for t := visiting.lex.next(); t.kind != end; t = visiting.lex.next() {
		visiting.token(t)
	}
}

// visitor passes on what the lexer reads.
type visitor struct {
	Visitor
	lex *lexer
}

// token passes on a token. A word before a colon is the key of an object.
func (v *visitor) token(t tok) {
	switch t.kind {
	case str, template:
		v.literal(t)
	case word:
		rest := strings.TrimLeft(v.lex.text[t.end:min(t.end+16, len(v.lex.text))], " \t\r\n")
		if v.Key != nil && strings.HasPrefix(rest, ":") {
			v.Key(v.lex.text[t.start:t.end], t.start)
		}
		if v.Member != nil && (v.lex.is(v.lex.before, ".") || v.lex.is(v.lex.before, "?.")) {
			v.Member(v.lex.text[t.start:t.end], t.start)
		}
	}
}

// literal passes on a string, or a part of a template.
func (v *visitor) literal(t tok) {
	if v.Literal != nil {
		text, at := v.lex.inner(t)
		v.Literal(text, at)
	}
}

// inner returns the decoded text of a string or of a part of a template, and
// its offset.
func (l *lexer) inner(t tok) (text string, at int) {
	at = t.start + 1
	stop := t.end
	if t.closed {
		stop--
		if t.kind == template && l.text[stop] == '{' {
			stop-- // the dollar sign
		}
	}
	text = l.text[at:max(at, stop)]
	if strings.IndexByte(text, '\\') >= 0 {
		text = unescape(text)
	}
	return text, at
}

// unescape decodes the escapes of a literal (ECMA-262, section 12.9.4).
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

// codePoint returns the character of hexadecimal digits.
func codePoint(s string) (rune, bool) {
	n, err := strconv.ParseUint(strings.Trim(s[1:], "{}"), 16, 32)
	return rune(n), err == nil && n <= unicode.MaxRune
}
