package parse

import (
	"strings"

	"rinzel/internal/css/ast"
	"rinzel/internal/css/scan"
	"rinzel/internal/css/token"
)

// stops is a set of token kinds that end a list of values.
type stops uint32

// stopAt returns the set of a single kind.
func stopAt(k token.Kind) stops { return 1 << k }

// has reports whether k is in the set.
func (s stops) has(k token.Kind) bool { return s&(1<<k) != 0 }

// list pushes component values (section 5.5.8) onto the stack, up to a token in
// stop or the end of the file. verbatim preserves white space as values of its
// own, for custom properties.
func (p *parser) list(stop stops, verbatim bool) {
	stop |= stopAt(token.EOF)
	space := false    // white space was seen since the last value
	joinable := false // white space after the last value matters
	for !stop.has(p.tok.Kind) {
		t := p.tok
		switch t.Kind {
		case token.Whitespace:
			if !verbatim {
				space = true
				p.next()
				continue
			}
			p.token(t, false)
			p.next()
		case token.Comment:
			p.token(t, space && joinable)
			p.next()
			continue
		case token.Comma:
			p.token(t, false)
			p.next()
			space, joinable = false, false
			continue
		case token.Function, token.LParen, token.LBracket, token.LBrace:
			p.bracketed(t, space && joinable, verbatim)
		case token.BadString, token.BadURL, token.RParen, token.RBracket, token.RBrace:
			// Statements must not contain these: a closing bracket without an
			// opening one.
			p.noteBad(t)
			fallthrough
		default:
			p.token(t, space && joinable)
			p.next()
		}
		space, joinable = false, !verbatim
	}
}

// token pushes a token as a value.
func (p *parser) token(t token.Token, space bool) {
	p.scratch = append(p.scratch, ast.Value{Kind: t.Kind, Text: p.text(t), Pos: p.pos(t.Start), Space: space})
}

// bracketed pushes the function or block opened by the current token t, and
// moves past it.
func (p *parser) bracketed(t token.Token, space, verbatim bool) {
	v := ast.Value{Kind: t.Kind, Text: p.text(t), Pos: p.pos(t.Start), Space: space}
	if t.Kind == token.Function && len(v.Text) == len("style(") && token.EqualFold(v.Text, "style(") {
		verbatim = true // style queries compare custom properties as they are written
	}
	v.Inner = p.inner(t.Kind.Closer(), verbatim)
	p.scratch = append(p.scratch, v)
}

// noteBad records the first invalid token.
func (p *parser) noteBad(t token.Token) {
	if p.bad.kind == token.EOF {
		p.bad = badToken{t.Kind, p.span(t)}
	}
}

// inner parses the contents of a function or block, from its opening token on.
func (p *parser) inner(closer token.Kind, verbatim bool) *ast.Inner {
	open := p.tok
	in := &p.innerSlab.take(p, 1)[0]
	if p.depth++; p.depth > ast.MaxDepth {
		p.depth--
		p.reportTooDeep()
		p.skipBlock()
		return in
	}
	p.next()
	from := len(p.scratch)
	p.list(stopAt(closer), verbatim)
	in.Values = p.popValues(from)
	if p.tok.Kind == closer {
		in.Close = p.pos(p.tok.Start)
		p.next()
	} else {
		p.reportUnclosed(open, constructOf(open.Kind), closer.String())
	}
	p.depth--
	return in
}

// constructOf names the construct of an opening token.
func constructOf(open token.Kind) string {
	switch open {
	case token.Function:
		return "function"
	case token.LBrace:
		return "block"
	}
	return "bracket"
}

// skipBlock moves past the block opened by the current token, without
// recursion: brackets close their counterparts and are ordinary tokens
// otherwise.
func (p *parser) skipBlock() {
	open := p.tok
	closers := []token.Kind{open.Kind.Closer()}
	for len(closers) > 0 {
		p.next()
		switch k := p.tok.Kind; {
		case k == token.EOF:
			p.reportUnclosed(open, constructOf(open.Kind), open.Kind.Closer().String())
			return
		case k == closers[len(closers)-1]:
			closers = closers[:len(closers)-1]
		case k.Closer() != token.EOF:
			closers = append(closers, k.Closer())
		}
	}
	p.next()
}

// text returns the text of a token. If the end of the file cut off the last
// token, its text is completed, so that it keeps its meaning elsewhere.
func (p *parser) text(t token.Token) string {
	if int(t.End) < len(p.src) {
		return p.src[t.Start:t.End]
	}
	return p.lastText(t)
}

// lastText returns the text of the last token of the file.
func (p *parser) lastText(t token.Token) string {
	text := t.Text(p.src)
	if t.Flags&token.Unclosed != 0 {
		p.reportUnclosedToken(t)
	}
	return finish(t.Kind, t.Flags, text)
}

// finish returns the text of a token at the end of a file, completed.
func finish(k token.Kind, flags token.Flags, text string) string {
	escape := endsInBackslash(text)
	switch {
	case flags&token.Unclosed == 0:
		if escape && k != token.Delim && k != token.Comment {
			return text[:len(text)-1] + "\uFFFD"
		}
		return text
	case k == token.Comment:
		// "/*…*" and "/*…" become "/*…*/"; "/*" alone cannot lose its star.
		if len(text) > 2 && text[len(text)-1] == '*' {
			return text + "/"
		}
		return text + "*/"
	case k == token.String:
		if escape { // section 4.3.5: it has no meaning
			text = text[:len(text)-1]
		}
		return text + text[:1]
	default: // a URL
		if escape {
			text = text[:len(text)-1] + "\uFFFD"
		}
		return text + ")"
	}
}

// endsInBackslash reports whether text ends in an unescaped backslash.
func endsInBackslash(text string) bool {
	n := len(text) - len(strings.TrimRight(text, `\`))
	return n%2 == 1
}

// raw returns the source from begin to the current token for a bad node:
// without trailing white space, and completed so that it does not affect what
// is printed after it.
func (p *parser) raw(begin uint32) string {
	whole := p.src[begin:p.tok.Start]
	text := strings.TrimRight(whole, " \t\r\n\f")
	if len(text) < len(whole) && endsInBackslash(text) {
		if c := whole[len(text)]; c == ' ' || c == '\t' {
			text += string(c) // it is escaped
		} else {
			text += "\n" // escaped in a string; elsewhere it keeps the backslash from escaping
		}
	}
	atEnd := p.tok.Kind == token.EOF
	if (!atEnd || len(text) < len(whole)) && needsLineEnd(text) {
		text += "\n"
	}
	if atEnd {
		return complete(text)
	}
	return text
}

// complete closes everything that is open at the end of text.
func complete(text string) string {
	sc := scan.New(text)
	var closers []byte
	end, last := 0, ""
	for {
		t := sc.Next()
		if t.Kind == token.EOF {
			break
		}
		if int(t.End) == len(text) {
			end, last = int(t.Start), finish(t.Kind, t.Flags, t.Text(text))
			if t.Kind == token.BadString || t.Kind == token.Delim && last == `\` {
				last += "\n"
			}
		}
		c := text[t.End-1]
		switch k := t.Kind; {
		case k.Closer() == token.RParen:
			closers = append(closers, ')')
		case k.Closer() == token.RBracket:
			closers = append(closers, ']')
		case k.Closer() == token.RBrace:
			closers = append(closers, '}')
		case (k == token.RParen || k == token.RBracket || k == token.RBrace) &&
			len(closers) > 0 && closers[len(closers)-1] == c:
			closers = closers[:len(closers)-1]
		}
	}
	var b strings.Builder
	b.WriteString(text[:end])
	b.WriteString(last)
	for i := len(closers) - 1; i >= 0; i-- {
		b.WriteByte(closers[i])
	}
	return b.String()
}

// needsLineEnd reports whether text ends in something that only a line end
// preserves: an unclosed string, or a backslash that escapes nothing.
func needsLineEnd(text string) bool {
	if strings.ContainsAny(text, `"'\`) {
		sc := scan.New(text)
		for {
			t := sc.Next()
			if t.Kind == token.EOF {
				return false
			}
			if int(t.End) == len(text) {
				// Without its line end, it looks unclosed or escaped.
				return t.Kind == token.String && t.Flags&token.Unclosed != 0 || endsInBackslash(text)
			}
		}
	}
	return false
}
