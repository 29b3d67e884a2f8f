package script

import (
	"strings"

	"rinzel/internal/css/token"
)

// This file tokenizes JavaScript (ECMA-262, section 12). Whether a slash
// divides or starts a regular expression, and whether a brace opens a block or
// an object, is decided by the tokens before it.

// kind is the kind of a token.
type kind uint8

// The kinds of tokens.
const (
	end      kind = iota
	word          // an identifier, keyword, private name or number
	str           // a string
	template      // a part of a template: from a quote or the end of a substitution to the next
	regular       // a regular expression
	punct         // one character, or "=>", "++", "--", "?.", "??", "..."
)

// tok is a token. The parts of a template are separate tokens, with the code of
// the substitutions between them.
type tok struct {
	kind       kind
	start, end int // in the text, including quotes
	// closed is set if a string or part of a template is closed by its quote.
	closed bool
	depth  int // number of surrounding brackets; equal for an opening bracket and its closing one
}

// around is an open bracket.
type around struct {
	open byte // ( [ { or $ for a template substitution
	// regexp is set if a slash after the closing bracket starts a regular
	// expression: the bracket ends the condition of a statement, or a block.
	regexp bool
	object bool // a brace that opens an object
	at     int  // its offset
	choice int  // number of question marks whose colons have not been seen
}

// lexer tokenizes a script.
type lexer struct {
	text string
	i    int
	open []around // the first is the whole script
	// operand is set if the last token ended an operand, so that a slash
	// divides.
	operand bool
	last    tok
	before  tok  // the token before last
	choice  bool // the last colon belongs to a question mark
	newline bool // a line break comes before the last token

	// Only with strict:
	strict   bool         // record what follows
	module   bool         // <!-- and --> start no comments
	kept     []Span       // comments before the last token that must stay
	blockAt  map[int]bool // offsets of braces that open blocks
	problems []Problem
	// unsure is set if a slash after a bracket divides, although the bracket seemed
	// to end a block.
	unsure bool
}

// maxNesting limits the brackets that are remembered; inside more, braces count
// as blocks.
const maxNesting = 10_000

// newLexer returns a lexer of text.
func newLexer(text string) *lexer {
	l := &lexer{text: text, open: []around{{}}}
	if strings.HasPrefix(text, "#!") {
		l.line()
	}
	return l
}

// is reports whether a token is a word or punctuator with a text.
func (l *lexer) is(t tok, text string) bool {
	return (t.kind == word || t.kind == punct) && l.text[t.start:t.end] == text
}

// next returns the next token; one of kind end at the end of the text.
func (l *lexer) next() tok {
	l.newline, l.kept = l.i == 0, nil
	l.space()
	t := tok{start: l.i, depth: len(l.open) - 1}
	if l.i >= len(l.text) {
		t.end = l.i
		return t
	}
	switch c := l.text[l.i]; {
	case c == '"' || c == '\'':
		if t.kind, t.closed = str, l.str(c); !t.closed {
			l.problem(t.start, l.i, "the string is not closed on its line")
		}
		l.operand = true
	case c == '`':
		t.kind = template
		l.i++
		t.closed = l.part()
	case c == '}' && l.top().open == '$':
		t.kind = template
		l.open = l.open[:len(l.open)-1]
		t.depth--
		l.i++
		t.closed = l.part()
	case isWordByte(c) || c == '#':
		t.kind = word
		l.word()
	case c == '/' && !l.operand && l.regexp():
		t.kind = regular
		l.operand = true
	default:
		if c == '/' && !l.operand {
			if l.unsure = l.unsure || l.is(l.last, "}") || l.is(l.last, ")"); !l.unsure {
				l.problem(l.i, l.i+1, "the regular expression is not closed on its line")
			}
		}
		t.kind = punct
		l.punct(c)
		t.depth = min(t.depth, len(l.open)-1)
	}
	t.end = l.i
	l.before, l.last = l.last, t
	return t
}

// space skips white space and comments.
func (l *lexer) space() {
	for l.i < len(l.text) {
		rest, start := l.text[l.i:], l.i
		switch {
		case rest[0] <= ' ':
			l.newline = l.newline || rest[0] == '\n' || rest[0] == '\r'
			l.i++
		case strings.HasPrefix(rest, "//"), l.isMarkupComment(rest):
			l.line()
			l.comment(start)
		case strings.HasPrefix(rest, "/*"):
			if n := strings.Index(rest[2:], "*/"); n >= 0 {
				l.i += n + 4
			} else {
				l.i = len(l.text)
				l.problem(start, start+2, "the comment is not closed")
			}
			l.newline = l.newline || strings.ContainsAny(l.text[start:l.i], lineEnds)
			l.comment(start)
		case wideSpace(rest) > 0:
			l.newline = l.newline || strings.ContainsAny(rest[:wideSpace(rest)], lineEnds)
			l.i += wideSpace(rest)
		default:
			return
		}
	}
}

// lineEnds are the characters that end lines (ECMA-262, section 12.3).
const lineEnds = "\n\r\u2028\u2029"

// isMarkupComment reports whether a text starts with <!--, or in a new line with
// -->. Both start comments in scripts that are not modules (ECMA-262, section
// B.1.1). Only a strict lexer cares.
func (l *lexer) isMarkupComment(rest string) bool {
	return l.strict && !l.module && (strings.HasPrefix(rest, "<!--") || l.newline && strings.HasPrefix(rest, "-->"))
}

// comment records a comment that ends here, if it must stay.
func (l *lexer) comment(start int) {
	text := l.text[start:l.i]
	if l.strict && len(text) > 2 && (text[2] == '!' && text[0] == '/' || strings.Contains(text, "@license") ||
		strings.Contains(text, "@preserve")) {
		l.kept = append(l.kept, Span{start, l.i})
	}
}

// problem records a syntax error.
func (l *lexer) problem(start, end int, message string) {
	if l.strict {
		l.problems = append(l.problems, Problem{Span{start, end}, message})
	}
}

// finish records what is open at the end of the script.
func (l *lexer) finish() {
	for _, open := range l.open[1:] {
		if open.open == '$' {
			l.problem(open.at, open.at+2, "the substitution in the template is not closed")
		} else {
			l.problem(open.at, open.at+1, "the bracket is not closed")
		}
		return // it explains the others
	}
}

// wideSpace returns the length of the non-ASCII white space at the start of a
// text (ECMA-262, sections 12.2 and 12.3), or 0.
func wideSpace(text string) int {
	for _, space := range []string{"\u00a0", "\ufeff", "\u2028", "\u2029"} {
		if strings.HasPrefix(text, space) {
			return len(space)
		}
	}
	return 0
}

// line skips the rest of a line.
func (l *lexer) line() {
	if n := strings.IndexAny(l.text[l.i:], lineEnds); n >= 0 {
		l.i += n
	} else {
		l.i = len(l.text)
	}
}

// isWordByte reports whether c can be part of an identifier.
func isWordByte(c byte) bool { return token.IsName(c) && c != '-' || c == '$' }

// beforeRegexp are the keywords after which a slash starts a regular
// expression, and a brace opens an object.
var beforeRegexp = map[string]bool{
	"return": true, "typeof": true, "case": true, "in": true, "of": true, "delete": true, "void": true,
	"throw": true, "new": true, "instanceof": true, "yield": true, "await": true, "default": true, "extends": true,
}

// beforeBlock are the keywords after which a brace opens a block.
var beforeBlock = map[string]bool{"do": true, "else": true, "try": true, "finally": true}

// word scans an identifier, keyword or number. A number may contain a dot.
func (l *lexer) word() {
	start := l.i
	for l.i++; l.i < len(l.text) && isWordByte(l.text[l.i]); l.i++ {
	}
	if c := l.text[start]; c >= '0' && c <= '9' {
		for l.i < len(l.text) && (isWordByte(l.text[l.i]) || l.text[l.i] == '.') {
			l.i++
		}
		l.operand = true
		return
	}
	name := l.text[start:l.i]
	if name == "#" {
		l.problem(start, l.i, "a name must follow the number sign")
	}
	member := l.is(l.last, ".") || l.is(l.last, "?.")
	l.operand = member || !beforeRegexp[name] && !beforeBlock[name]
}

// str scans a string literal. An unclosed one ends at the end of its line.
func (l *lexer) str(quote byte) (closed bool) {
	l.i++
	for l.i < len(l.text) && l.text[l.i] != quote && l.text[l.i] != '\n' {
		if l.text[l.i] == '\\' {
			l.i++
			if strings.HasPrefix(l.text[min(l.i, len(l.text)):], "\r\n") {
				l.i++
			}
		}
		l.i++
	}
	l.i = min(l.i, len(l.text))
	if l.i < len(l.text) && l.text[l.i] == quote {
		l.i++
		return true
	}
	return false
}

// part scans a part of a template up to its end or the next substitution.
func (l *lexer) part() (closed bool) {
	start := l.i - 1
	for l.i < len(l.text) {
		switch c := l.text[l.i]; {
		case c == '\\':
			l.i += 2
		case c == '`':
			l.i++
			l.operand = true
			return true
		case c == '$' && l.i+1 < len(l.text) && l.text[l.i+1] == '{':
			l.i += 2
			l.operand = false
			l.push(around{open: '$', at: l.i - 2})
			return true
		default:
			l.i++
		}
	}
	l.i = len(l.text)
	l.operand = true
	l.problem(start, start+1, "the template is not closed")
	return false
}

// top returns the innermost open bracket.
func (l *lexer) top() *around { return &l.open[len(l.open)-1] }

// push opens a bracket.
func (l *lexer) push(a around) {
	if len(l.open) < maxNesting {
		l.open = append(l.open, a)
	}
}

// regexp scans a regular expression. If no slash closes it on its line, it is a
// division.
func (l *lexer) regexp() bool {
	class := false
	for i := l.i + 1; i < len(l.text) && l.text[i] != '\n'; i++ {
		switch c := l.text[i]; {
		case c == '\\':
			i++
		case c == '[':
			class = true
		case c == ']':
			class = false
		case c == '/' && !class:
			for i++; i < len(l.text) && isWordByte(l.text[i]); i++ { // its flags
			}
			l.i = i
			return true
		}
	}
	return false
}

// punct scans a punctuator.
func (l *lexer) punct(c byte) {
	was := l.operand
	l.operand = false
	n := 1
	switch c {
	case '(':
		statement := (l.is(l.last, "if") || l.is(l.last, "while") || l.is(l.last, "for") || l.is(l.last, "with")) &&
			!l.is(l.before, ".") && !l.is(l.before, "?.")
		if l.is(l.last, "await") { // for await (
			statement = l.is(l.before, "for")
		}
		l.push(around{open: c, regexp: statement, at: l.i})
	case '[':
		l.push(around{open: c, at: l.i})
	case '{':
		object := l.opensObject()
		if l.strict && !object {
			l.blockAt[l.i] = true
		}
		l.push(around{open: c, regexp: !object, object: object, at: l.i})
	case ')', ']', '}':
		l.close(c)
	case '=', '+', '-', '?':
		n = l.operator(c, was)
	case '.':
		if strings.HasPrefix(l.text[l.i:], "...") {
			n = len("...")
		}
	case ':':
		if l.choice = l.top().choice > 0; l.choice {
			l.top().choice--
		}
	}
	l.i += n
}

// operator returns the length of an operator that starts with =, +, - or ?. was is
// set if an operand comes before it.
func (l *lexer) operator(c byte, was bool) int {
	n := 1
	if l.i+1 < len(l.text) {
		second := l.text[l.i+1]
		switch {
		case c == '=' && second == '>', c == '?' && second == '?':
			n = 2
		case (c == '+' || c == '-') && second == c:
			n, l.operand = 2, was // after an operand it is a postfix operator
		case c == '?' && second == '.' && (l.i+2 == len(l.text) || l.text[l.i+2] < '0' || l.text[l.i+2] > '9'):
			n = 2
		}
	}
	if c == '?' && n == 1 {
		l.top().choice++
	}
	return n
}

// close closes the matching bracket, and unclosed ones inside it.
func (l *lexer) close(c byte) {
	open := map[byte]byte{')': '(', ']': '[', '}': '{'}[c]
	if last := l.top(); len(l.open) == 1 {
		l.problem(l.i, l.i+1, "the bracket closes nothing")
	} else if last.open != open {
		l.problem(l.i, l.i+1, "the bracket does not match the one that is open")
	}
	// A bracket in a template substitution does not close one outside of it.
	for k := len(l.open) - 1; k > 0 && l.open[k].open != '$'; k-- {
		if l.open[k].open == open {
			l.operand = !l.open[k].regexp
			l.open = l.open[:k]
			return
		}
	}
	l.operand = c != '}'
}

// opensObject reports whether a brace opens an object instead of a block.
func (l *lexer) opensObject() bool {
	if l.operand || l.last.kind == end {
		return false
	}
	switch t := l.last; t.kind {
	case word:
		return !beforeBlock[l.text[t.start:t.end]]
	case punct:
		switch l.text[t.start:t.end] {
		case ";", "{", "}", ")", "=>":
			return false
		case ":":
			return l.colonBeforeValue()
		}
	}
	return true
}

// colonBeforeValue reports whether the last colon precedes a value: that of a
// property or a conditional expression, as opposed to a label or a case.
func (l *lexer) colonBeforeValue() bool {
	in := l.top()
	return l.choice || in.object || in.open == '(' || in.open == '['
}
