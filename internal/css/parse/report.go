package parse

import (
	"fmt"
	"slices"
	"strings"

	"rinzel/internal/css/ast"
	"rinzel/internal/css/known"
	"rinzel/internal/css/token"
	"rinzel/internal/diag"
	"rinzel/internal/diag/code"
	"rinzel/internal/source"
)

// This file words the findings of the parser. Their codes are documented in
// docs/messages.md.

// maxFindings limits the number of warnings, and of errors, of one file. A file
// with more is probably not a style sheet.
const maxFindings = 100

// warn reports a warning.
func (p *parser) warn(c code.Code, at source.Span, message, fix string) {
	if !p.ended { // after an unclosed construct, other problems are consequences of it
		p.add(diag.Diagnostic{Code: c, Severity: diag.Warning, Span: at, Message: message, Fix: fix})
	}
}

// fail reports an error.
func (p *parser) fail(c code.Code, at source.Span, message, fix string) {
	p.add(diag.Diagnostic{Code: c, Severity: diag.Error, Span: at, Message: message, Fix: fix})
}

// add adds a finding, unless there are too many.
func (p *parser) add(d diag.Diagnostic) {
	n := &p.warnings
	if d.Severity == diag.Error {
		n = &p.errors
	}
	switch *n++; {
	case *n == maxFindings:
		d.Code, d.Fix = code.TooManyFindings, ""
		d.Message = fmt.Sprintf("this is %s number %d in this file: the others are not listed", d.Severity, maxFindings)
		fallthrough
	case *n < maxFindings:
		p.diags = append(p.diags, d)
	}
}

// reportUnclosed reports the innermost construct that is open at the end of the
// file.
func (p *parser) reportUnclosed(open token.Token, construct, want string) {
	if p.ended || p.deep {
		return
	}
	p.ended = true
	p.fail(code.Code("unclosed-"+construct), p.span(open),
		fmt.Sprintf("unclosed %s: expected %s, got end of file", construct, want),
		fmt.Sprintf("add %s where the %s should end", want, construct))
}

// unclosedTokens has the words for tokens that the end of the file cut off.
var unclosedTokens = map[token.Kind]struct{ construct, want string }{
	token.Comment: {"comment", "'*/'"},
	token.String:  {"string", "a closing quote"},
	token.URL:     {"url", "')'"},
	token.BadURL:  {"url", "')'"},
}

// reportUnclosedToken reports a token that the end of the file cut off.
func (p *parser) reportUnclosedToken(t token.Token) {
	c := unclosedTokens[t.Kind]
	t.End = t.Start + uint32(firstLine(t.Text(p.src)))
	p.reportUnclosed(t, c.construct, c.want)
}

// reportTooDeep reports that nesting exceeds MaxDepth.
func (p *parser) reportTooDeep() {
	if !p.deep { // once is enough, and it hides unclosed constructs
		p.fail(code.TooDeep, p.span(p.tok),
			fmt.Sprintf("blocks and brackets are nested deeper than %d levels", ast.MaxDepth),
			"look for an unclosed bracket further up")
		p.deep = true
	}
	p.tooDeep = true
}

// dollarName returns the name at the start of values written as $name: value,
// or nil.
func dollarName(values []ast.Value) *ast.Value {
	if len(values) > 2 && values[0].IsDelim('$') && values[1].Kind == token.Ident && !values[1].Space &&
		values[2].Kind == token.Colon {
		return &values[1]
	}
	return nil
}

// reportDollarName reports a name with a dollar sign.
func (p *parser) reportDollarName(name *ast.Value) {
	at := name.Span()
	at.Start.Off--
	p.warn(code.StraySemicolon, at,
		fmt.Sprintf("'$' is not allowed in names: browsers drop \"$%s\" and the rule after it", name.Text),
		fmt.Sprintf("set it with @const %s: …; and read it with const(%s)", name.Text, name.Text))
}

// statements are the at-rules that end with a semicolon and have no block.
var statements = map[string]bool{"charset": true, "import": true, "namespace": true, "custom-media": true,
	"custom-selector": true, "tokens": true, "drop": true}

// reportContinues reports a statement without a semicolon, which continues up
// to the block of what follows.
func (p *parser) reportContinues(rule *ast.AtRule) {
	text := p.src[rule.At.Off:rule.EndOff]
	line := strings.TrimRight(text[:firstLine(text)], " \t")
	if len(line) == len(strings.TrimRight(text, " \t\r\n\f")) {
		p.fail(code.MissingSemicolon, source.SpanOf(rule.At, len(line)),
			fmt.Sprintf("@%s must not have a block", rule.Name), "end it with ';'")
		return
	}
	at := source.Pos{File: rule.At.File, Off: rule.At.Off + uint32(len(line)) - 1}
	p.fail(code.MissingSemicolon, source.SpanOf(at, 1),
		fmt.Sprintf("missing ';' after @%s: the next rule is read as part of it", rule.Name), "write "+shorten(line)+";")
}

// reportBadPrelude reports an unbalanced token in a prelude.
func (p *parser) reportBadPrelude(bad badToken) {
	switch bad.kind {
	case token.RBrace:
		p.fail(code.StrayBracket, bad.at, "unmatched '}': browsers drop the rule after it",
			"remove it, or look for an extra '}' further up")
	case token.Semicolon:
		p.warn(code.StraySemicolon, bad.at, "stray ';' between rules: browsers drop the rule after it", "remove it")
	case token.RParen, token.RBracket:
		p.warn(code.StrayBracket, bad.at, bad.kind.String()+" has no opening bracket: browsers drop the rule", "remove it")
	case token.BadString:
		p.warn(code.BadString, firstLineOf(p, bad.at), "string is not closed on its line: browsers drop the rule",
			"add the closing quote on the same line")
	default:
		p.warn(code.BadURL, firstLineOf(p, bad.at),
			"unquoted url() contains a quote, bracket or space: browsers drop the rule",
			"put the URL in quotes")
	}
}

// reportFileEnded reports text at the end of the file that is not a rule.
func (p *parser) reportFileEnded(at source.Pos, text string, values []ast.Value) {
	if values = withoutComments(values); len(values) > 0 {
		switch first := &values[0]; first.Kind {
		case token.RBrace:
			p.warn(code.StrayBracket, first.Span(), "unmatched '}' at the end of the sheet: browsers ignore it",
				"remove it, or look for an extra '}' further up")
			return
		case token.Semicolon:
			p.warn(code.StraySemicolon, first.Span(), "stray ';' at the end of the sheet: browsers ignore it", "remove it")
			return
		}
	}
	p.warn(code.MissingBlock, source.SpanOf(at, firstLine(text)),
		"rule has no block: expected '{', got end of file: browsers ignore it", "")
}

// reportBadValue reports why a declaration, given as text, is invalid.
func (p *parser) reportBadValue(text string) {
	at := firstLineOf(p, p.bad.at)
	switch p.bad.kind {
	case token.BadString:
		p.warn(code.BadString, at, "string is not closed on its line: browsers skip the declaration",
			"add the closing quote on the same line")
	case token.BadURL:
		p.warn(code.BadURL, at, "unquoted url() contains a quote, bracket or space: browsers skip the declaration",
			"put the URL in quotes")
	default:
		name, _, _ := strings.Cut(text, ":")
		p.warn(code.StrayBracket, at, fmt.Sprintf("%s has no opening bracket: browsers skip the declaration of %q",
			p.bad.kind, strings.TrimSpace(name)), "remove it, or add the opening bracket")
	}
}

// reportBadDeclaration reports text in a block that is neither a declaration
// nor a rule.
func (p *parser) reportBadDeclaration(at source.Pos, text string) {
	span := source.SpanOf(at, firstLine(text))
	if strings.HasPrefix(text, "//") {
		p.warn(code.LineComment, span,
			"'//' does not start a comment in CSS: browsers skip everything up to the next ';' or '}'",
			"write /* … */")
		return
	}
	name, value, ok := strings.Cut(text, ":")
	if ok && len(name) > 1 && !token.IsName(name[0]) {
		p.warn(code.BadDeclaration, span, fmt.Sprintf("expected a property name, got %q: browsers skip the declaration",
			name+":"+firstWord(value)), "")
		return
	}
	p.warn(code.BadDeclaration, span, fmt.Sprintf("expected a declaration or a rule, got %q: browsers skip it",
		shorten(text)), "write name: value;")
}

// BadSelectors returns a warning for each rule with an invalid selector. It
// must be called after composition, because names in selectors may be built by
// it. Rules in at-rules that are not known to contain style rules are skipped.
func BadSelectors(nodes []ast.Node) []diag.Diagnostic {
	return badSelectors(nodes, nil, nil)
}

// badSelectors appends the findings in nodes whose parent rule has the
// selectors parents.
func badSelectors(nodes []ast.Node, parents []ast.Selector, found []diag.Diagnostic) []diag.Diagnostic {
	for _, n := range nodes {
		if len(found) >= maxFindings {
			return found
		}
		switch n := n.(type) {
		case *ast.AtRule:
			if known.HoldsStyleRules(token.Lower(n.Name)) {
				found = badSelectors(ast.Body(n), parents, found)
			}
		case *ast.StyleRule:
			if d, ok := badSelector(n.Selectors, parents); ok {
				found = append(found, d)
			}
			found = badSelectors(n.Nodes, n.Selectors, found)
		default:
			found = badSelectors(ast.Body(n), parents, found)
		}
	}
	return found
}

// badSelector explains the first invalid selector of a list, in a rule whose
// parent has the selectors parents.
func badSelector(selectors, parents []ast.Selector) (diag.Diagnostic, bool) {
	i := slices.IndexFunc(selectors, ast.Selector.IsBad)
	if i < 0 {
		return diag.Diagnostic{}, false
	}
	d := diag.Diagnostic{Code: code.BadSelector, Severity: diag.Warning, Span: source.SpanOf(selectors[i].Pos(), 1),
		Message: "invalid selector: browsers drop the rule"}
	if len(selectors) > 1 {
		d.Message = "invalid selector: browsers drop the rule with all its selectors"
	}
	bad := findBad(selectors[i])
	if hasInterpolation(bad) {
		return diag.Diagnostic{}, false // compose reported why the name could not be built
	}
	if len(bad) > 0 {
		d.Span = ast.SpanOf(bad)
	}
	if len(bad) > 1 && bad[0].IsDelim('/') && bad[1].IsDelim('/') {
		d.Code, d.Message, d.Fix = code.LineComment,
			"'//' does not start a comment in CSS: browsers drop the rule after it", "write /* … */"
	}
	if len(bad) > 2 && bad[0].Kind == token.Ident && bad[1].Kind == token.Colon {
		d.Fix = fmt.Sprintf("if %q starts a declaration, end it with ';'", bad[0].Text+":")
	}
	if name, ok := joinedName(bad); ok {
		d.Message = fmt.Sprintf("invalid selector \"&%s\": CSS does not join names, browsers drop the rule", name)
		d.Fix = wholeName(name, parents)
	}
	if at, ok := doubledCombinator(bad); ok {
		d.Span = at
		d.Fix = "remove one of the two combinators, or write a selector between them"
	}
	return d, true
}

// wholeName suggests the full name for a name that was meant to be joined to
// the class of the parent rule.
func wholeName(name string, parents []ast.Selector) string {
	if len(parents) == 1 && len(parents[0]) > 0 {
		if last := parents[0][len(parents[0])-1]; last.Kind == ast.ClassSelector {
			return fmt.Sprintf("write \".%s%s\" in a rule of its own, outside of this one", last.Name, name)
		}
	}
	return "write the full name in a rule of its own, outside of this one"
}

// hasInterpolation reports whether values contain an interpolated name:
// .a-(key), .(key).
func hasInterpolation(values []ast.Value) bool {
	for i := range values {
		v := &values[i]
		if v.Kind == token.Function && strings.HasSuffix(v.Text, "-(") || v.Kind == token.LParen && i > 0 && !v.Space &&
			(values[i-1].IsDelim('.') || values[i-1].IsDelim('#')) {
			return true
		}
	}
	return false
}

// joinedName returns the name after '&' if it was meant to be joined to the
// name of the parent rule.
func joinedName(bad []ast.Value) (name string, ok bool) {
	if len(bad) < 2 || !bad[0].IsDelim('&') || bad[1].Space {
		return "", false
	}
	v := &bad[1]
	if v.Kind == token.Ident && (v.Text[0] == '-' || v.Text[0] == '_') {
		return token.Unescape(v.Text), true
	}
	return "", false
}

// doubledCombinator returns the position of two adjacent combinators.
func doubledCombinator(bad []ast.Value) (at source.Span, ok bool) {
	isCombinator := func(v *ast.Value) bool { return v.IsDelim('>') || v.IsDelim('+') || v.IsDelim('~') }
	for i := 1; i < len(bad); i++ {
		if isCombinator(&bad[i-1]) && isCombinator(&bad[i]) {
			return bad[i-1].Pos.To(bad[i].Span().End), true
		}
	}
	return at, false
}

// findBad returns the values of the first invalid selector in s.
func findBad(s ast.Selector) []ast.Value {
	for i := range s {
		if s[i].Args == nil {
			continue
		}
		if s[i].Kind == ast.BadSelector {
			return s[i].Args.Values
		}
		for _, arg := range s[i].Args.Selectors {
			if bad := findBad(arg); bad != nil {
				return bad
			}
		}
	}
	return nil
}

// firstLine returns the length of the first line of text.
func firstLine(text string) int {
	if i := strings.IndexAny(text, "\r\n"); i >= 0 {
		return i
	}
	return len(text)
}

// firstLineOf returns the part of a span on its first line.
func firstLineOf(p *parser, at source.Span) source.Span {
	text := p.src[at.Start.Off:at.End]
	return source.SpanOf(at.Start, firstLine(text))
}

// firstWord returns the first word of s.
func firstWord(s string) string {
	if f := strings.Fields(s); len(f) > 0 {
		return " " + f[0]
	}
	return ""
}

// shorten returns the start of a text, short enough for a message.
func shorten(text string) string {
	const limit = 40
	text = text[:firstLine(text)]
	runes := []rune(text)
	if len(runes) <= limit {
		return text
	}
	return string(runes[:limit]) + "…"
}
