package lsp

import (
	"path/filepath"
	"regexp"
	"strings"

	"rinzel/internal/css/scan"
	"rinzel/internal/css/token"
)

// This file finds out what a place in a text is about, also in a text that is being typed.

// subject is what a place is about.
type subject uint8

// The subjects.
const (
	nothing   subject = iota
	aConstant         // the path in const()
	aVariable         // a custom property in var()
	aProperty         // the name of a property
	aValue            // a value of a property
	anAtRule          // the name of an at-rule
	aMixin            // what @apply names, or a function
	aClass            // a class in a selector, in @take, or in a class attribute
	anImport          // the address in @import
)

// place is a place in a text, with the word around it.
type place struct {
	subject  subject
	property string // of a value
	from, to int    // the word
	word     string // up to the place
	whole    string // the whole word
	markup   bool   // it is in a page, template or script
}

// placeIn returns what an offset of a document is about.
func placeIn(d *document, offset int) place {
	if strings.EqualFold(filepath.Ext(d.name), ".css") {
		return placeInSheet(d.text, offset)
	}
	return placeInMarkup(d.text, offset)
}

// classAttribute matches the start of a class attribute, and of a string, up to the end of
// a text.
var (
	classAttribute = regexp.MustCompile(`(?i)\bclass(?:name)?\s*=\s*\{?\s*(?:"([^"<>]*)|'([^'<>]*)|([^"'\s<>]*))$`)
	openString     = regexp.MustCompile("(?:\"[^\"\n]*|'[^'\n]*|`[^`]*)$")
)

// maxBefore is how far a class attribute is looked for, in bytes.
const maxBefore = 4000

// placeInMarkup finds classes in class attributes and in strings.
func placeInMarkup(text string, offset int) place {
	before := text[max(0, offset-maxBefore):offset]
	if !classAttribute.MatchString(before) && !openString.MatchString(before[strings.LastIndexByte(before, '\n')+1:]) {
		return place{}
	}
	isEnd := func(c byte) bool { return strings.IndexByte(" \t\r\n\"'`<>={}", c) >= 0 }
	p := place{subject: aClass, markup: true}
	p.around(text, offset, isEnd)
	return p
}

// around sets the word around an offset.
func (p *place) around(text string, offset int, isEnd func(byte) bool) {
	p.from, p.to = offset, offset
	for p.from > 0 && !isEnd(text[p.from-1]) {
		p.from--
	}
	for p.to < len(text) && !isEnd(text[p.to]) {
		p.to++
	}
	p.word, p.whole = text[p.from:offset], text[p.from:p.to]
}

// sheetState is what is open in a sheet at an offset.
type sheetState struct {
	brackets  []string // open ones; functions with their names
	blocks    int      // open braces among them
	statement int      // where the current statement begins
	colon     int      // the first colon of the statement outside of brackets, or -1
	string    int      // where an open string begins, or -1
	comment   bool     // the offset is in a comment
}

// stateAt scans a sheet up to an offset.
func stateAt(text string, offset int) sheetState {
	st := sheetState{colon: -1, string: -1}
	s := scan.New(text)
	for t := s.Next(); t.Kind != token.EOF && int(t.Start) < offset; t = s.Next() {
		inside := int(t.End) > offset || int(t.End) == offset && t.Flags&token.Unclosed != 0
		switch {
		case t.Kind == token.Comment:
			st.comment = inside
		case t.Kind == token.String && inside, t.Kind == token.BadString && int(t.End) >= offset:
			st.string = int(t.Start)
		case t.Kind.Closer() == token.RBrace:
			st.brackets = append(st.brackets, "{")
			st.blocks++
			st.begin(t.End)
		case t.Kind.Closer() != token.EOF && !inside:
			st.brackets = append(st.brackets, token.Lower(t.Text(text)))
		case t.Kind == token.RBrace:
			st.closeBlock()
			st.begin(t.End)
		case t.Kind == token.RParen || t.Kind == token.RBracket:
			if n := len(st.brackets); n > 0 && st.brackets[n-1] != "{" {
				st.brackets = st.brackets[:n-1]
			}
		case t.Kind == token.Semicolon && st.isBetween():
			st.begin(t.End)
		case t.Kind == token.Colon && st.isBetween() && st.colon < 0:
			st.colon = int(t.Start)
		}
	}
	return st
}

// begin begins a statement.
func (st *sheetState) begin(at uint32) { st.statement, st.colon = int(at), -1 }

// isBetween reports whether no bracket of the current statement is open.
func (st *sheetState) isBetween() bool { return st.inside() == "" || st.inside() == "{" }

// closeBlock closes the innermost block, with all brackets in it.
func (st *sheetState) closeBlock() {
	for n := len(st.brackets); n > 0; n-- {
		open := st.brackets[n-1]
		if st.brackets = st.brackets[:n-1]; open == "{" {
			st.blocks--
			return
		}
	}
}

// inside returns the innermost open bracket.
func (st *sheetState) inside() string {
	if n := len(st.brackets); n > 0 {
		return st.brackets[n-1]
	}
	return ""
}

// placeInSheet returns what an offset of a sheet is about.
func placeInSheet(text string, offset int) (p place) {
	st := stateAt(text, offset)
	if st.comment {
		return p
	}
	statement := strings.TrimLeft(text[st.statement:offset], " \t\r\n\f")
	name, _, _ := strings.Cut(statement, " ")
	if st.string >= 0 {
		if strings.HasPrefix(statement, "@import") {
			p.subject = anImport
			p.around(text, offset, func(c byte) bool { return c == '"' || c == '\'' || c == '\n' })
		}
		return p
	}
	isEnd := func(c byte) bool { return strings.IndexByte(" \t\r\n\f(){}[];:,!/\"'>+~*", c) >= 0 }
	switch {
	case st.inside() == "const(":
		p.subject = aConstant
	case st.inside() == "var(":
		p.subject = aVariable
	case name == "@apply":
		p.subject = aMixin
	case name == "@take":
		p.subject = aClass
		p.classAround(text, offset)
		return p
	case strings.HasPrefix(statement, "@") && !strings.ContainsAny(statement, " \t\r\n("):
		p.subject = anAtRule
	case strings.HasPrefix(statement, "@"):
		return p
	case st.blocks > 0 && st.colon >= 0 && isName(text[st.statement:st.colon]):
		p.subject = aValue
		p.property = token.Lower(strings.TrimSpace(text[st.statement:st.colon]))
	case st.blocks > 0 && (statement == "" || isName(statement)):
		p.subject = aProperty
	default:
		p.classAround(text, offset)
		if p.whole != "" || offset > 0 && text[offset-1] == '.' {
			p.subject = aClass
		}
		return p
	}
	p.around(text, offset, isEnd)
	if p.subject == anAtRule {
		p.from = min(p.from+1, p.to) // without '@'
		p.word, p.whole = strings.TrimPrefix(p.word, "@"), strings.TrimPrefix(p.whole, "@")
	}
	return p
}

// classAround sets the word to the class around an offset of a selector.
func (p *place) classAround(text string, offset int) {
	p.around(text, offset, func(c byte) bool { return strings.IndexByte(" \t\r\n\f(){}[];:,!\"'>+~*.#", c) >= 0 })
	if p.from == 0 || text[p.from-1] != '.' {
		*p = place{from: offset, to: offset}
	}
}

// isName reports whether text is a name of a property, perhaps a part of one.
func isName(text string) bool {
	text = strings.TrimSpace(text)
	return text != "" && strings.Trim(text, "abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ0123456789-_") == ""
}
