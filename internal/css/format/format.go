// Package format writes style sheets in one readable form, the build-time language
// included. It changes white space and semicolons only: comments stay where they are, and
// blank lines between declarations and rules stay as a blank line.
package format

import (
	"errors"
	"slices"
	"strings"

	"rinzel/internal/css/ast"
	"rinzel/internal/css/parse"
	"rinzel/internal/css/scan"
	"rinzel/internal/css/token"
	"rinzel/internal/diag"
	"rinzel/internal/source"
)

// ErrBroken means that a part of the sheet could not be parsed, although browsers read the
// rest.
var ErrBroken = errors.New("a part of the sheet cannot be parsed")

// errChanged means that the formatted sheet would not mean the same: a mistake of this
// package.
var errChanged = errors.New("the sheet would change: please report it")

// Sheet returns a sheet in the readable form, with the line ends that it has. A sheet with
// errors is not formatted: found has them, and text is empty.
func Sheet(f *source.File) (text string, found []diag.Diagnostic, err error) {
	sheet, found := parse.Sheet(f)
	if diag.HasErrors(found) {
		return "", found, nil
	}
	src := strings.NewReplacer("\r\n", "\n", "\r", "\n").Replace(f.Text)
	if src != f.Text {
		sheet, _ = parse.Sheet(source.Detached(f.Path, f.Name, src))
	}
	if strings.HasSuffix(src, `\`) || strings.Contains(src, byteOrderMark) || isBroken(sheet.Nodes, src) {
		return "", nil, ErrBroken
	}
	w := &writer{src: src}
	w.nodes(sheet.Nodes, 0, 0)
	if len(w.out) > 0 {
		w.out = append(w.out, '\n')
	}
	text = string(w.out)
	again, _ := parse.Sheet(source.Detached(f.Path, f.Name, text))
	switch {
	case !sameTokens(src, text) && len(found) > 0: // the parser has left something out
		return "", nil, ErrBroken
	case !sameTokens(src, text), !sameNodes(sheet.Nodes, again.Nodes):
		return "", nil, errChanged
	}
	if strings.Contains(f.Text, "\r\n") {
		text = strings.ReplaceAll(text, "\n", "\r\n")
	}
	return text, nil, nil
}

// byteOrderMark is not part of the text of a file; a second one would become its mark.
const byteOrderMark = "\ufeff"

// spaces are the characters of white space.
const spaces = " \t\r\n\f"

// step is the indentation of a block.
const step = "  "

// writer writes a sheet. Offsets are those of the source.
type writer struct {
	src string
	out []byte
}

// write appends text.
func (w *writer) write(text string) { w.out = append(w.out, text...) }

// line begins a line.
func (w *writer) line(depth int) {
	w.write("\n")
	for range depth {
		w.write(step)
	}
}

// nodes writes the nodes of a block that begins at an offset, each on a line of its own.
func (w *writer) nodes(nodes []ast.Node, from uint32, depth int) {
	for i, n := range nodes {
		start := startOf(n)
		breaks := strings.Count(w.src[from:start], "\n")
		comment, isComment := n.(*ast.Comment)
		switch {
		case i == 0 && depth == 0:
		case i > 0 && isComment && breaks == 0 && ast.Body(nodes[i-1]) == nil && !isBlock(nodes[i-1]):
			w.write(" ") // it is about what is before it in the line
			w.comment(comment, depth)
			from = endOf(n, w.src)
			continue
		default:
			if i > 0 && !isElse(n) && (breaks > 1 || isBlock(nodes[i-1]) || isBlock(n) && !isCommentNode(nodes[i-1])) {
				w.write("\n")
			}
			w.line(depth)
		}
		w.node(n, depth)
		from = endOf(n, w.src)
	}
}

// isCommentNode reports whether a node is a comment.
func isCommentNode(n ast.Node) bool {
	_, ok := n.(*ast.Comment)
	return ok
}

// isElse reports whether a node is the other branch of the condition before it.
func isElse(n ast.Node) bool {
	r, ok := n.(*ast.AtRule)
	return ok && token.EqualFold(r.Name, "else")
}

// isBlock reports whether a node is a rule with a block.
func isBlock(n ast.Node) bool {
	switch n := n.(type) {
	case *ast.StyleRule, *ast.QualifiedRule:
		return true
	case *ast.AtRule:
		return n.Block != nil
	}
	return false
}

// startOf returns the offset of a node.
func startOf(n ast.Node) uint32 { return n.Span().Start.Off }

// endOf returns the offset after a node, with its block or semicolon.
func endOf(n ast.Node, src string) uint32 {
	end := ast.WholeSpan(n).End
	for int(end) < len(src) && (src[end] == ';' || src[end] == ' ' || src[end] == '\t') {
		end++
	}
	return end
}

// node writes a node.
func (w *writer) node(n ast.Node, depth int) {
	span := n.Span()
	text := w.src[span.Start.Off:span.End]
	if escapesNext(text) { // it escapes the white space after it
		text = w.src[span.Start.Off : span.End+1]
	}
	switch n := n.(type) {
	case *ast.StyleRule:
		w.selectors(n.Selectors, text, depth)
		w.block(&n.Block, depth)
	case *ast.QualifiedRule:
		w.write(spaced(text, depth, prelude))
		w.block(&n.Block, depth)
	case *ast.AtRule:
		w.atRule(n, withoutSemicolon(text), depth)
	case *ast.Declaration, *ast.InterpolatedDeclaration:
		w.declaration(text, depth)
	case *ast.Comment:
		w.comment(n, depth)
	default: // as it is written: it could not be parsed
		w.write(strings.TrimSpace(text))
		if _, ok := n.(*ast.BadDeclaration); ok {
			w.write(";")
		}
	}
}

// block writes the block of a rule.
func (w *writer) block(b *ast.Block, depth int) {
	if len(w.out) > 0 && !strings.ContainsRune("\n \t", rune(w.out[len(w.out)-1])) {
		w.write(" ")
	}
	w.write("{")
	if len(b.Nodes) > 0 {
		w.nodes(b.Nodes, b.LBrace.Off+1, depth+1)
		w.line(depth)
	}
	w.write("}")
}

// selectors writes a selector list, one selector a line. Those that could not be parsed
// stay as they are.
func (w *writer) selectors(list []ast.Selector, text string, depth int) {
	parts := splitCommas(text)
	for i, part := range parts {
		if i > 0 {
			w.write(",")
			w.line(depth)
		}
		if len(parts) != len(list) || list[i].IsBad() {
			w.write(trim(part))
		} else {
			w.write(spaced(part, depth, selector))
		}
	}
}

// atRule writes an at-rule. text is the rule up to its block, or its semicolon.
func (w *writer) atRule(r *ast.AtRule, text string, depth int) {
	head := text[:1+len(r.Name)]
	rest := text[len(head):]
	w.write(head)
	if rest = spaced(rest, depth, kindOf(r)); rest != "" {
		if endsInHex(head) {
			w.write(" ") // it belongs to the escape
		}
		w.write(" " + rest)
	}
	if r.Block == nil {
		w.write(";")
		return
	}
	w.block(r.Block, depth)
}

// kindOf returns how the prelude of an at-rule is written.
func kindOf(r *ast.AtRule) kind {
	switch token.Lower(r.Name) {
	case "const", "default", "slot":
		return assignment
	case "media", "container", "custom-media", "supports", "import", "when", "else":
		return condition
	case "mixin", "function":
		return parameters
	}
	return prelude
}

// declaration writes a declaration.
func (w *writer) declaration(text string, depth int) {
	colon := colonIn(text)
	name, value := text[:colon], text[colon+1:]
	w.write(spaced(name, depth, prelude) + ":")
	trimmed := trim(value)
	lead := value[:len(value)-len(strings.TrimLeft(value, spaces))]
	// Scripts can read a custom property as it is written, and its initial value.
	plainName := token.Lower(token.Unescape(strings.Trim(name, spaces)))
	if !strings.HasPrefix(plainName, "--") && plainName != "initial-value" {
		trimmed = spaced(value, depth, plain)
	}
	switch {
	case trimmed == "":
	case strings.Contains(lead, "\n") && strings.Contains(trimmed, "\n"): // lines below the name
		w.line(depth + 1)
	default:
		w.write(" ")
	}
	w.write(trimmed + ";")
}

// colonIn returns the offset of the colon after the name of a declaration.
func colonIn(text string) int {
	s := scan.New(text)
	var closers []token.Kind
	for {
		switch t := s.Next(); {
		case t.Kind == token.EOF:
			return len(text) - 1
		case t.Kind == token.Colon && len(closers) == 0:
			return int(t.Start)
		case t.Kind.Closer() != token.EOF:
			closers = append(closers, t.Kind.Closer())
		case len(closers) > 0 && t.Kind == closers[len(closers)-1]:
			closers = closers[:len(closers)-1]
		}
	}
}

// trim removes white space around text, but not what a backslash escapes.
func trim(text string) string {
	text = strings.TrimLeft(text, spaces)
	out := strings.TrimRight(text, spaces)
	if len(out) < len(text) && escapesNext(out) {
		out = text[:len(out)+1]
	}
	return out
}

// escapesNext reports whether text ends in a backslash that is not escaped.
func escapesNext(text string) bool {
	return (len(text)-len(strings.TrimRight(text, `\`)))%2 == 1
}

// withoutSemicolon removes the semicolon at the end of a statement.
func withoutSemicolon(text string) string {
	s := scan.New(text)
	end := len(text)
	for t := s.Next(); t.Kind != token.EOF; t = s.Next() {
		if end = len(text); t.Kind == token.Semicolon {
			end = int(t.Start)
		}
	}
	return text[:end]
}

// comment writes a comment. Its later lines move with the first one.
func (w *writer) comment(c *ast.Comment, depth int) {
	lines := strings.Split(c.Text, "\n")
	column := len(w.src[:c.At.Off]) - strings.LastIndexByte(w.src[:c.At.Off], '\n') - 1
	now := len(w.out) - strings.LastIndexByte(string(w.out), '\n') - 1
	for i, line := range lines {
		line = strings.TrimRight(line, " \t\f")
		if i == 0 {
			w.write(line)
			continue
		}
		w.write("\n")
		rest := strings.TrimLeft(line, " ")
		if rest != "" {
			w.write(strings.Repeat(" ", max(0, len(line)-len(rest)+now-column)) + rest)
		}
	}
}

// splitCommas splits a selector list at its commas.
func splitCommas(text string) (parts []string) {
	s := scan.New(text)
	depth, from := 0, 0
	for {
		t := s.Next()
		switch t.Kind {
		case token.Function, token.LParen, token.LBracket, token.LBrace:
			depth++
		case token.RParen, token.RBracket, token.RBrace:
			depth--
		case token.Comma:
			if depth == 0 {
				parts = append(parts, text[from:t.Start])
				from = int(t.End)
			}
		case token.EOF:
			return append(parts, text[from:])
		}
	}
}

// kind is how white space is written between tokens.
type kind uint8

// The kinds of text.
const (
	plain      kind = iota // a value
	prelude                // names and selectors of an at-rule
	condition              // of an at-rule: with media features and comparisons
	parameters             // of a mixin or function
	assignment             // of an at-rule: a name and a value
	selector
)

// spaced returns text with one space, or one line end, where it has white space; with a
// space after commas, and where the kind says so. It is trimmed.
func spaced(text string, depth int, k kind) string {
	w := spacer{kind: k, indent: depth}
	mark := strings.LastIndexByte(text, '!')
	if k != plain || mark >= 0 && !strings.EqualFold(strings.Trim(text[mark+1:], spaces), "important") {
		mark = -1
	}
	s := scan.New(text)
	for {
		t := s.Next()
		if t.Kind == token.EOF {
			return string(w.out)
		}
		w.important = int(t.Start) == mark
		w.token(t.Kind, t.Text(text))
	}
}

// spacer writes tokens with their white space.
type spacer struct {
	kind    kind
	indent  int
	out     []byte
	open    []string // the brackets around, with the names of functions
	space   bool     // white space came before the next token
	breaks  bool     // with a line end
	last    token.Kind
	lastKey string // text of the last token
	set     bool   // the colon of an assignment was written
	// important is set at the exclamation mark of !important.
	important bool
}

// token writes a token.
func (w *spacer) token(k token.Kind, text string) {
	if k == token.Whitespace {
		w.space = true
		w.breaks = w.breaks || strings.ContainsAny(text, "\n\r\f")
		return
	}
	closes := w.closes(k)
	if closes {
		w.open = w.open[:len(w.open)-1]
	}
	w.gap(k, text, closes)
	w.out = append(w.out, text...)
	switch k {
	case token.Function:
		w.open = append(w.open, token.Lower(text))
	case token.LParen, token.LBracket, token.LBrace:
		w.open = append(w.open, text)
	}
	w.last, w.lastKey, w.space, w.breaks = k, text, false, false
}

// closes reports whether a token closes the innermost bracket. Any other one is a value.
func (w *spacer) closes(k token.Kind) bool {
	switch open := w.inside(); k {
	case token.RParen:
		return strings.HasSuffix(open, "(")
	case token.RBracket:
		return open == "["
	case token.RBrace:
		return open == "{"
	}
	return false
}

// gap writes the white space before a token.
func (w *spacer) gap(k token.Kind, text string, closes bool) {
	if len(w.out) == 0 {
		return
	}
	opened := w.last == token.Function || w.last == token.LParen || w.last == token.LBracket
	switch {
	case k == token.Comma, k == token.Colon && w.assigns():
		w.set = w.set || k == token.Colon
		if w.last != token.Comment {
			return
		}
	case w.breaks && w.kind != selector:
		w.out = append(w.out, '\n')
		w.out = append(w.out, strings.Repeat(step, w.indent+1+len(w.open))...)
		return
	case opened, closes && k != token.RBrace, w.joins(k, text):
		if w.last != token.Comment && k != token.Comment {
			return
		}
	case w.separates(k, text):
		w.space = true
	}
	if w.space {
		if endsInHex(w.lastKey) {
			w.out = append(w.out, ' ') // the first one belongs to the escape
		}
		w.out = append(w.out, ' ')
	}
}

// endsInHex reports whether a token ends in an escape of digits that white space would
// become part of.
func endsInHex(text string) bool {
	const most = 6
	i := strings.LastIndexByte(text, '\\')
	digits := text[i+1:]
	return i >= 0 && digits != "" && len(digits) <= most && strings.Trim(digits, "0123456789abcdefABCDEF") == ""
}

// inside returns the innermost bracket, or the function with its parenthesis.
func (w *spacer) inside() string {
	if len(w.open) == 0 {
		return ""
	}
	return w.open[len(w.open)-1]
}

// assigns reports whether a colon belongs to an assignment.
func (w *spacer) assigns() bool { return w.kind == assignment && len(w.open) == 0 && !w.set }

// joins reports whether there is no space before a token, although it may be there.
func (w *spacer) joins(k token.Kind, _ string) bool {
	return k == token.Colon && w.last == token.Ident && w.isFeature() || k == token.Colon && w.isParameter()
}

// isFeature reports whether a colon would be that of a media feature, a declaration in a
// condition, or the value of a constant.
func (w *spacer) isFeature() bool {
	return w.kind == condition && (w.inside() == "(" || w.inside() == "const(")
}

// isParameter reports whether a colon would be that of the default of a parameter.
func (w *spacer) isParameter() bool { return w.kind == parameters && len(w.open) == 1 }

// separates reports whether there is a space before a token in any case.
func (w *spacer) separates(k token.Kind, text string) bool {
	switch {
	case w.last == token.Comma:
		return true
	case w.last == token.Colon:
		return w.isFeature() || w.isParameter() || w.kind == assignment && len(w.open) == 0
	case w.important:
		return true
	case w.kind == condition && len(w.open) > 0 && (isComparison(k, text) || isComparison(w.last, w.lastKey)):
		return !(text == "=" && isComparison(w.last, w.lastKey)) // >= and <= are two tokens
	case w.kind == selector && len(w.open) == 0:
		return k == token.Delim && slices.Contains(combinators, text) ||
			w.last == token.Delim && slices.Contains(combinators, w.lastKey)
	case w.last == token.RParen || w.last == token.String || w.last == token.URL:
		return w.begins(k, text)
	}
	return false
}

// begins reports whether a token begins a word after another one that has ended, without
// white space between them: names of at-rules may go on after a bracket.
func (w *spacer) begins(k token.Kind, text string) bool {
	switch {
	case w.kind == plain, w.kind == assignment && w.set, w.kind == condition && w.last != token.RParen:
		return k == token.Ident || k == token.Function || k == token.String || k == token.Hash || k == token.URL
	case w.kind == condition:
		return k == token.Function || k == token.Ident && slices.Contains(connectives, token.Lower(text))
	}
	return false
}

// connectives are the words between the parts of a condition.
var connectives = []string{"and", "or", "not", "screen", "print", "all"}

// isComparison reports whether a token is, or is a part of, a comparison.
func isComparison(k token.Kind, text string) bool {
	return k == token.Delim && (text == "<" || text == ">" || text == "=")
}

// combinators are those of selectors that are a single character.
var combinators = []string{">", "+", "~"}
