package script

import (
	"slices"
	"strings"
)

// This file removes what a script does not need. The tokens stay the same and in
// the same order, so it means the same.

// CompactOptions configure [Compact].
type CompactOptions struct {
	// Module is set if the script is a module: there, <!-- and --> are operators, not
	// comments (ECMA-262, section B.1.1).
	Module bool
	// Drop lists functions, as they are written in calls: "console.debug". Statements
	// that only call one of them are removed.
	Drop []string
}

// Piece is a part of a compact script.
type Piece struct {
	Text string
	At   int // offset in the source
}

// Problem is a syntax error.
type Problem struct {
	At      Span
	Message string
}

// Compact returns a script without comments, white space and line breaks that it
// does not need, and with strings in their shortest quotes. Comments that begin
// with ! or contain @license or @preserve stay. Nothing is renamed. There is no
// result if there are problems, or if it is unclear what a slash is.
func Compact(text string, opts CompactOptions) ([]Piece, []Problem) {
	lex := newLexer(text)
	lex.strict, lex.module, lex.blockAt = true, opts.Module, make(map[int]bool)
	c := compactor{lex: lex, blocks: []block{{kind: statements}}}
	for t := lex.next(); t.kind != end; t = lex.next() {
		c.tokens = append(c.tokens, lexeme{tok: t, text: text[t.start:t.end], newline: lex.newline, kept: lex.kept})
	}
	c.kept = lex.kept
	if lex.finish(); len(lex.problems) > 0 || lex.unsure {
		return nil, lex.problems
	}
	c.classify()
	for _, name := range opts.Drop {
		c.drop(strings.Split(name, "."))
	}
	c.write()
	return c.out, nil
}

// lexeme is a token with what comes before it.
type lexeme struct {
	tok
	text    string
	newline bool   // a line break comes before it
	kept    []Span // comments before it that stay
	in      blockKind
	// ends is set for a bracket that ends what a statement may follow directly: a
	// block, or the condition of a statement.
	ends bool
	// member is set for a name after a dot.
	member  bool
	dropped bool
}

// blockKind is what a pair of brackets is.
type blockKind uint8

// The kinds of brackets.
const (
	statements blockKind = iota // a block, or the whole script
	body                        // of a function in an expression
	members                     // of a class
	object
	condition // of a statement, in parentheses
	other
)

// block is an open bracket.
type block struct {
	kind blockKind
	ends bool // see lexeme
}

// compactor writes a compact script.
type compactor struct {
	lex    *lexer
	tokens []lexeme
	blocks []block
	kept   []Span // comments at the end
	out    []Piece
}

// is reports whether a token is a word or a punctuator with one of some texts.
func (t *lexeme) is(texts ...string) bool {
	return (t.kind == word || t.kind == punct) && slices.Contains(texts, t.text)
}

// isKeyword reports whether a token is one of some keywords, not a name of a
// member.
func (t *lexeme) isKeyword(words ...string) bool {
	return t.kind == word && !t.member && t.in != members && t.in != object && slices.Contains(words, t.text)
}

// classify determines what the brackets are.
func (c *compactor) classify() {
	for i := range c.tokens {
		t := &c.tokens[i]
		t.in = c.blocks[len(c.blocks)-1].kind
		t.member = i > 0 && c.tokens[i-1].is(".", "?.")
		switch {
		case t.is("("), t.is("["), t.is("{"):
			c.blocks = append(c.blocks, c.opened(i))
		case t.kind == template && strings.HasSuffix(t.text, "${") && t.closed:
			if !strings.HasPrefix(t.text, "}") {
				c.blocks = append(c.blocks, block{kind: other})
			}
		case t.kind == template && strings.HasPrefix(t.text, "}"):
			c.close(t)
		case t.is(")"), t.is("]"), t.is("}"):
			c.close(t)
		}
	}
}

// close closes a bracket.
func (c *compactor) close(t *lexeme) {
	last := len(c.blocks) - 1
	if last > 0 {
		t.ends = c.blocks[last].ends
		c.blocks = c.blocks[:last]
	}
	t.in = c.blocks[len(c.blocks)-1].kind
}

// opened returns what the bracket at i is.
func (c *compactor) opened(i int) block {
	t := &c.tokens[i]
	switch t.text {
	case "[":
		return block{kind: other}
	case "(":
		for k := i - 1; k >= 0 && k >= i-2; k-- { // for await (
			before := &c.tokens[k]
			if before.isKeyword("if", "for", "while", "with", "switch", "catch") {
				return block{kind: condition, ends: true}
			}
			if !before.isKeyword("await") {
				break
			}
		}
		return block{kind: other}
	}
	if i == 0 {
		return block{kind: statements, ends: true}
	}
	before := &c.tokens[i-1]
	switch {
	case before.is(")") && before.ends, before.isKeyword("else", "do", "try", "finally", "catch"):
		return block{kind: statements, ends: true}
	case t.in == members && (before.is(")") || before.text == "static"):
		return block{kind: body, ends: true} // of a method
	case c.startsStatement(i):
		return block{kind: statements, ends: true}
	case before.is(")"):
		return block{kind: body, ends: c.declares(i, "function")}
	case before.is("=>"):
		return block{kind: body}
	}
	if ends, ok := c.opensClass(i); ok {
		return block{kind: members, ends: ends}
	}
	if before.is(":") && (t.in == statements || t.in == body) && c.lex.blockAt[t.start] {
		return block{kind: statements, ends: true} // of a label or a case
	}
	return block{kind: object}
}

// startsStatement reports whether a token is certainly the first of a statement.
func (c *compactor) startsStatement(i int) bool {
	t := &c.tokens[i]
	if t.in != statements && t.in != body {
		return false
	}
	if i == 0 {
		return true
	}
	before := &c.tokens[i-1]
	switch {
	case before.is(";"), before.is("{"), before.is("}", ")") && before.ends, before.isKeyword("else", "do"):
		return true
	case !t.newline || t.kind != word || t.is("in", "instanceof"):
		return false
	case before.kind == word:
		return !before.isKeyword(unfinished...) && !before.isKeyword("export", "default", "await", "yield", "async")
	}
	return before.kind != punct || before.is(")", "]", "}", "++", "--")
}

// declares reports whether the brace at i, after a closing parenthesis, is the body
// of a function that a statement declares.
func (c *compactor) declares(i int, keyword string) bool {
	depth := 0
	for k := i - 1; k >= 0; k-- {
		switch t := &c.tokens[k]; {
		case t.is(")"):
			depth++
		case t.is("("):
			if depth--; depth > 0 {
				continue
			}
			for k--; k >= 0 && (c.tokens[k].text != keyword || c.tokens[k].member); k-- {
				if c.tokens[k].kind != word && !c.tokens[k].is("*") {
					return false
				}
			}
			if k > 0 && c.tokens[k-1].isKeyword("async") && !c.tokens[k].newline {
				k--
			}
			return k >= 0 && (c.startsStatement(k) || c.exported(k))
		}
	}
	return false
}

// exported reports whether the token at i comes after export or export default.
func (c *compactor) exported(i int) bool {
	if i > 1 && c.tokens[i-1].isKeyword("default") {
		i--
	}
	return i > 0 && c.tokens[i-1].isKeyword("export") && c.startsStatement(i-1)
}

// opensClass reports whether the brace at i opens a class, and whether a statement
// declares it.
func (c *compactor) opensClass(i int) (declared, ok bool) {
	depth := 0
	for k := i - 1; k >= 0; k-- {
		t := &c.tokens[k]
		switch {
		case t.is(")"), t.is("]"), t.is("}"):
			depth++
		case t.is("("), t.is("["), t.is("{"):
			if depth--; depth < 0 {
				return false, false
			}
		case depth > 0:
		case t.kind == word && t.text == "class" && !t.member:
			return c.startsStatement(k) || c.exported(k), true
		case t.kind == punct && !t.is(".", "?."):
			return false, false
		}
	}
	return false, false
}

// drop marks the statements that only call a function.
func (c *compactor) drop(names []string) {
	for i := range c.tokens {
		if !c.startsStatement(i) || !c.calls(i, names) {
			continue
		}
		last := c.closing(i + 2*len(names) - 1)
		if last < 0 {
			continue
		}
		next := last + 1
		if next < len(c.tokens) && !c.tokens[next].is(";", "}") && !c.endsBefore(next) {
			continue
		}
		for k := i; k <= last; k++ {
			c.tokens[k].dropped = true
		}
		ended := next < len(c.tokens) && c.tokens[next].is(";")
		switch {
		case i == 0 || c.tokens[i-1].is(";", "{") || c.tokens[i-1].is("}") && c.tokens[i-1].ends:
			if ended {
				c.tokens[next].dropped = true
			}
		case !ended: // an empty statement may be needed
			c.tokens[last].dropped, c.tokens[last].text, c.tokens[last].kind = false, ";", punct
		}
	}
}

// calls reports whether the tokens from i on are a name, with its parts separated
// by dots, and a parenthesis.
func (c *compactor) calls(i int, names []string) bool {
	if i+2*len(names) > len(c.tokens) {
		return false
	}
	for k, name := range names {
		after := "."
		if k == len(names)-1 {
			after = "("
		}
		if t := &c.tokens[i+2*k]; t.kind != word || t.text != name || !c.tokens[i+2*k+1].is(after) {
			return false
		}
	}
	return true
}

// closing returns the index of the bracket that closes the one at i; -1 if there is
// none.
func (c *compactor) closing(i int) int {
	depth := 0
	for k := i; k < len(c.tokens); k++ {
		switch t := &c.tokens[k]; {
		case t.is("("), t.is("["), t.is("{"):
			depth++
		case t.kind == template:
			depth += templateDepth(t)
		case t.is(")"), t.is("]"), t.is("}"):
			if depth--; depth == 0 {
				return k
			}
		}
	}
	return -1
}

// templateDepth returns how a part of a template changes the number of open
// brackets.
func templateDepth(t *lexeme) int {
	opens, closes := strings.HasSuffix(t.text, "${") && t.closed, strings.HasPrefix(t.text, "}")
	switch {
	case opens && !closes:
		return 1
	case closes && !opens:
		return -1
	}
	return 0
}

// endsBefore reports whether a statement that could end before the token at i does:
// by a line break before a token that cannot continue it.
func (c *compactor) endsBefore(i int) bool {
	t := &c.tokens[i]
	return t.newline && (t.kind == str || t.kind == word && !t.is("in", "instanceof"))
}

// write writes all tokens.
func (c *compactor) write() {
	var last *lexeme
	if strings.HasPrefix(c.lex.text, "#!") {
		line := c.lex.text
		if n := strings.IndexAny(line, lineEnds); n >= 0 {
			line = line[:n]
		}
		c.add(line+"\n", 0)
	}
	newline := false // a line break comes before the next token that is written
	for i := range c.tokens {
		t := &c.tokens[i]
		newline = newline || t.newline
		commented, broken := c.comments(t.kept, last)
		if t.dropped {
			continue
		}
		switch {
		case broken:
		case newline && (commented || last != nil && !mayJoin(last, t)):
			c.add("\n", t.start)
		case last != nil && !commented && needSpace(last, t, c.after(i)):
			c.add(" ", t.start)
		}
		text := t.text
		if t.kind == str {
			text = requoted(text)
		}
		c.add(text, t.start)
		last, newline = t, false
	}
	c.comments(c.kept, last)
}

// after returns the token after the one at i, or nil.
func (c *compactor) after(i int) *lexeme {
	if i+1 < len(c.tokens) {
		return &c.tokens[i+1]
	}
	return nil
}

// comments writes comments that stay, after the last token. It reports whether
// there were any, and whether a line break follows.
func (c *compactor) comments(list []Span, last *lexeme) (any, broken bool) {
	if len(list) > 0 && last != nil && (last.is("/") || last.kind == regular) {
		c.add(" ", list[0].Start) // together they would be another comment
	}
	for _, s := range list {
		text := strings.TrimRight(c.lex.text[s.Start:s.End], " \t\r")
		c.add(text, s.Start)
		if broken = !strings.HasPrefix(text, "/*"); broken {
			c.add("\n", s.End)
		}
	}
	return len(list) > 0, broken
}

// add adds a part.
func (c *compactor) add(text string, at int) { c.out = append(c.out, Piece{text, at}) }

// unfinished are keywords that something must follow.
var unfinished = []string{"else", "do", "try", "finally", "case", "new", "typeof", "void", "delete", "in", "instanceof",
	"extends", "const", "var", "function", "class", "if", "for", "while", "switch", "with", "catch"}

// mayJoin reports whether the line break between two tokens can go: no statement
// ends there (ECMA-262, section 12.10).
func mayJoin(last, t *lexeme) bool {
	if last.is(";") || last.is("}", ")") && last.ends {
		return true
	}
	if t.in == members || last.in == members && !last.is("}", ")", "]") {
		return last.is("{", "=", ",", "(", "[") || t.is("}", ";", "=")
	}
	switch {
	case last.kind == punct && !last.is(")", "]", "}", "++", "--"), last.isKeyword(unfinished...):
		return true
	case t.kind != punct:
		return false
	}
	return !t.is("+", "-", "/", "(", "[", "{", "++", "--", "!", "~", "@") || t.is("!") && strings.HasPrefix(t.text, "!=")
}

// needSpace reports whether two tokens need a space between them. next comes after
// them; it may be nil.
func needSpace(last, t, next *lexeme) bool {
	switch {
	case last.kind == word && t.kind == word, last.kind == regular && t.kind == word:
		return true
	case last.kind == word && t.is(".", "..."): // 1 .toFixed()
		return last.startsWithDigit()
	case last.is("+", "++") && t.is("+", "++"), last.is("-", "--") && t.is("-", "--"):
		return true
	case last.is("--") && t.is(">"), last.is("<") && t.is("!") && next != nil && next.is("--", "-"):
		return true // otherwise they could be a comment
	case last.is(".") && t.kind == punct && t.text[0] == '.', last.is("?") && t.kind == punct && t.text[0] == '?',
		last.is("=") && t.is(">"), last.is("?") && t.kind == punct && t.text[0] == '.' && !isNumber(t, next):
		return true // otherwise they are another token
	case last.is(".", "?.") && t.kind == word: // invalid, unless it is a number with its dot
		return t.startsWithDigit() && last.end < t.start
	case last.is("/") && (t.kind == regular || t.is("/", "*")):
		return true // otherwise they are a comment
	}
	return false
}

// isNumber reports whether a dot starts a number.
func isNumber(dot, next *lexeme) bool {
	return dot.text == "." && next != nil && next.kind == word && next.start == dot.end && next.startsWithDigit()
}

// startsWithDigit reports whether a token is a number without a dot before it.
func (t *lexeme) startsWithDigit() bool {
	return t.kind == word && t.text[0] >= '0' && t.text[0] <= '9'
}

// requoted returns a string literal with the quotes that need fewer escapes.
func requoted(text string) string {
	quote, inner := text[0], text[1:len(text)-1]
	otherQuote := byte('"' + '\'' - quote)
	single, double := escapedCount(inner, '\''), escapedCount(inner, '"')
	// Double quotes compress better if all strings have them.
	want := byte('"')
	if double > single {
		want = '\''
	}
	if want == quote {
		return text
	}
	var b strings.Builder
	b.WriteByte(want)
	for i := 0; i < len(inner); i++ {
		switch c := inner[i]; {
		case c == '\\' && i+1 < len(inner):
			if inner[i+1] != quote {
				b.WriteByte(c)
			}
			i++
			b.WriteByte(inner[i])
		case c == otherQuote:
			b.WriteByte('\\')
			b.WriteByte(c)
		default:
			b.WriteByte(c)
		}
	}
	b.WriteByte(want)
	return b.String()
}

// escapedCount returns how often a quote is in the contents of a string.
func escapedCount(inner string, quote byte) int { return strings.Count(inner, string(quote)) }
