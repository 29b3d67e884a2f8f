package lsp

import (
	"path/filepath"
	"regexp"
	"strings"

	"rinzel/internal/css/scan"
	"rinzel/internal/css/token"
	"rinzel/internal/inventory"
	"rinzel/internal/markup"
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
	group    string // path of the group of constants that the word is a key of; "" for none
}

// part returns the path of the constant up to the part at the place, and where it ends.
func (p *place) part() (name string, end int) {
	rest := p.whole[len(p.word):]
	if i := strings.IndexByte(rest, '.'); i >= 0 {
		rest = rest[:i]
	}
	name, end = p.word+rest, p.from+len(p.word)+len(rest)
	if p.group != "" && name != "" {
		name = p.group + "." + name
	}
	return name, end
}

// constant returns the path of the constant at the place.
func (p *place) constant() string {
	if p.group != "" && p.whole != "" {
		return p.group + "." + p.whole
	}
	return p.whole
}

// placeIn returns what an offset of a document is about.
func placeIn(d *document, offset int) place {
	if strings.EqualFold(filepath.Ext(d.name), ".css") {
		return placeInSheet(d.text, offset)
	}
	part, at, kind := partAt(d, offset)
	if kind == styles {
		p := placeInSheet(part, offset-at)
		p.from, p.to = p.from+at, p.to+at
		return p
	}
	return placeInMarkup(d.text, offset, kind)
}

// partKind is what a part of a page, script or template has.
type partKind uint8

// The kinds of parts.
const (
	anything partKind = iota // a template in any language
	prose                    // text between tags, a comment
	aTag
	code
	styles
)

// styleAttribute matches the start of a style attribute, up to the end of a text.
var styleAttribute = regexp.MustCompile(`(?i)\sstyle\s*=\s*(?:"([^"<>]*)|'([^'<>]*))$`)

// partAt returns the kind of the part of a document around an offset: for styles also its
// text as a sheet, and where that begins.
func partAt(d *document, offset int) (part string, at int, kind partKind) {
	text := d.text
	from := max(0, offset-maxBefore)
	if m := styleAttribute.FindStringSubmatchIndex(text[from:offset]); m != nil {
		start, quote := from+m[2], `"`
		if m[2] < 0 {
			start, quote = from+m[4], "'"
		}
		value, _, _ := strings.Cut(text[start:], quote)
		return "{" + value, start - 1, styles // the declarations of a rule
	}
	if inventory.IsScript(d.name) {
		return "", 0, code
	}
	element := ""
	for t := range markup.Tokens(text, markup.Span{End: len(text)}) {
		inside := element
		element = ""
		if t.Kind == markup.StartTag {
			element = markup.Name(text, t.At)
		}
		if offset > t.At.End || offset == t.At.End && t.Kind != markup.Text && t.Kind != markup.Rest {
			continue
		}
		switch {
		case t.Kind == markup.Text && inside == "style":
			return text[t.At.Start:t.At.End], t.At.Start, styles
		case t.Kind == markup.Text && inside == "script":
			return "", 0, code
		case t.Kind == markup.StartTag || t.Kind == markup.Rest:
			return "", 0, aTag
		}
		break
	}
	if inventory.IsPage(d.name) {
		return "", 0, prose
	}
	return "", 0, anything
}

// classAttribute matches the start of a class attribute, up to the end of a text.
var classAttribute = regexp.MustCompile(`(?i)\bclass(?:name)?\s*=\s*\{?\s*(?:"([^"<>]*)|'([^'<>]*)|([^"'\s<>]*))$`)

// maxBefore is how far a class attribute is looked for, in bytes.
const maxBefore = 4000

// placeInMarkup finds classes in class attributes, and in strings of scripts and templates.
func placeInMarkup(text string, offset int, kind partKind) place {
	before := text[max(0, offset-maxBefore):offset]
	line := before[strings.LastIndexByte(before, '\n')+1:]
	isClass := kind != prose && classAttribute.MatchString(before) ||
		(kind == code || kind == anything) && inString(line)
	if !isClass {
		return place{}
	}
	isEnd := func(c byte) bool { return strings.IndexByte(" \t\r\n\"'`<>={}", c) >= 0 }
	p := place{subject: aClass, markup: true}
	p.around(text, offset, isEnd)
	return p
}

// inString reports whether a string is open at the end of a line.
func inString(line string) bool {
	open := byte(0)
	for i := 0; i < len(line); i++ {
		switch c := line[i]; {
		case c == '\\':
			i++
		case open == 0 && strings.IndexByte("\"'`", c) >= 0:
			open = c
		case c == open:
			open = 0
		}
	}
	return open != 0
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
	open      []int    // where the statements of the open blocks begin
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
			if st.comment = inside; strings.TrimSpace(text[st.statement:t.Start]) == "" {
				st.begin(t.End)
			}
		case t.Kind == token.String && inside, t.Kind == token.BadString && int(t.End) >= offset:
			st.string = int(t.Start)
		case t.Kind.Closer() == token.RBrace:
			st.brackets = append(st.brackets, "{")
			st.open = append(st.open, st.statement)
			st.blocks++
			st.begin(t.End)
		case t.Kind.Closer() != token.EOF && !inside:
			open := token.Lower(t.Text(text))
			if t.Kind == token.LParen && t.Start > 0 && strings.IndexByte(".#", text[t.Start-1]) >= 0 {
				open = text[t.Start-1:t.Start] + open // .(name)
			}
			st.brackets = append(st.brackets, open)
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
			st.open = st.open[:st.blocks]
			return
		}
	}
}

// isPart reports whether the innermost bracket has a constant that is a part of a name, as
// in .note-(tone).
func (st *sheetState) isPart() bool {
	open := st.inside()
	return strings.HasSuffix(open, "-(") || open == ".(" || open == "#("
}

// group returns the path of the group of constants that the innermost block defines. ok is
// false if it is another block.
func (st *sheetState) group(text string) (path string, ok bool) {
	for i, at := range st.open {
		statement := strings.TrimSpace(text[at:])
		rule, rest := statement, ""
		if end := strings.IndexAny(statement, " \t\r\n\f"); end >= 0 {
			rule, rest = statement[:end], strings.TrimSpace(statement[end:])
		}
		switch {
		case rule == "@const" || rule == "@default":
			path, ok = constantPath(rest), true
		case ok:
			path += "." + constantPath(statement)
		}
		if i == len(st.open)-1 && ok {
			return path, true
		}
	}
	return "", false
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
	group, inGroup := st.group(text)
	switch {
	case st.inside() == "const(", st.isPart(), name == "@tokens" && strings.Contains(statement, " as "):
		p.subject = aConstant
	case st.inside() == "var(":
		p.subject = aVariable
	case (name == "@const" || name == "@default" || name == "@drop") && st.colon < 0,
		inGroup && st.colon < 0 && st.isBetween() && (statement == "" || isName(statement)):
		p.subject = aConstant
		p.around(text, offset, isEnd)
		if inGroup {
			p.group = group
		}
		return p
	case name == "@apply":
		p.subject = aMixin
	case name == "@take":
		p.subject = aClass
		p.classAround(text, offset)
		return p
	case strings.HasPrefix(statement, "@") && !strings.ContainsAny(statement, " \t\r\n("):
		p.subject = anAtRule
	case strings.HasPrefix(statement, "@"):
		if p.around(text, offset, isEnd); !strings.HasPrefix(p.whole, "--") || name == "@container" {
			return place{}
		}
		p.subject = aMixin // or custom media
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
