package parse

import (
	"strings"

	"rinzel/internal/css/ast"
	"rinzel/internal/css/scan"
	"rinzel/internal/css/token"
)

// stops is a set of token kinds before which a list of values ends.
type stops uint32

func stopAt(k token.Kind) stops { return 1 << k }

func (s stops) has(k token.Kind) bool { return s&(1<<k) != 0 }

// list pushes component values (section 5.5.8) onto the stack, up to a token
// in stop or the end of the file. verbatim keeps white space as values of its
// own, as custom properties need it.
func (p *parser) list(stop stops, verbatim bool) {
	stop |= stopAt(token.EOF)
	space := false    // white space was met since the last value
	joinable := false // the last value wants to know of white space behind it
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
			// No statement may hold these here: a closing bracket closes nothing.
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

// bracketed pushes the function or block that t, the current token, opens,
// and moves behind it.
func (p *parser) bracketed(t token.Token, space, verbatim bool) {
	v := ast.Value{Kind: t.Kind, Text: p.text(t), Pos: p.pos(t.Start), Space: space}
	if t.Kind == token.Function && len(v.Text) == len("style(") && token.EqualFold(v.Text, "style(") {
		verbatim = true // the query of a container compares custom properties as they are written
	}
	v.Inner = p.inner(t.Kind.Closer(), verbatim)
	p.scratch = append(p.scratch, v)
}

func (p *parser) noteBad(t token.Token) {
	if p.bad.kind == token.EOF {
		p.bad = badToken{t.Kind, p.span(t)}
	}
}

// inner parses what a function or block holds, from its opening token on.
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
	in.Values = p.keep(from)
	if p.tok.Kind == closer {
		in.Close = p.pos(p.tok.Start)
		p.next()
	} else {
		p.reportUnclosed(open, constructOf(open.Kind), closer.String())
	}
	p.depth--
	return in
}

func constructOf(open token.Kind) string {
	switch open {
	case token.Function:
		return "function"
	case token.LBrace:
		return "block"
	}
	return "bracket"
}

// skipBlock moves behind the block that the current token opens, without
// recursion: brackets close what they match and are plain tokens elsewhere.
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

// text returns a token's text. The last token of a file is finished if the
// end of the file cut it short, so that it means the same anywhere.
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

// finish returns the text of a token at the end of a file such that it can
// stand elsewhere.
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
		if escape { // section 4.3.5: it stands for nothing
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

// endsInBackslash reports whether text ends in a backslash that no other one escapes.
func endsInBackslash(text string) bool {
	n := len(text) - len(strings.TrimRight(text, `\`))
	return n%2 == 1
}

// raw returns the source from begin up to the current token, for a bad node:
// without white space at the end, and such that what follows it in print is
// not drawn into it.
func (p *parser) raw(begin uint32) string {
	whole := p.src[begin:p.tok.Start]
	text := strings.TrimRight(whole, " \t\r\n\f")
	if len(text) < len(whole) && endsInBackslash(text) {
		if c := whole[len(text)]; c == ' ' || c == '\t' {
			text += string(c) // it is escaped
		} else {
			text += "\n" // it is escaped in a string, and elsewhere keeps the backslash from escaping
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

// complete closes all that is open at the end of text.
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

// needsLineEnd reports whether text ends in what only a line end keeps as it
// is: an unfinished string, or a backslash that escapes nothing.
func needsLineEnd(text string) bool {
	if strings.ContainsAny(text, `"'\`) {
		sc := scan.New(text)
		for {
			t := sc.Next()
			if t.Kind == token.EOF {
				return false
			}
			if int(t.End) == len(text) {
				// Cut off from its line end, it looks unfinished or escaped.
				return t.Kind == token.String && t.Flags&token.Unclosed != 0 || endsInBackslash(text)
			}
		}
	}
	return false
}
