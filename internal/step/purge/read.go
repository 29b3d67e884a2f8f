package purge

import (
	"regexp"
	"strings"
	"unicode/utf8"

	"rinzel/internal/markup"
	"rinzel/internal/script"
	"rinzel/internal/source"
)

// This file reads evidence: pages by their structure, scripts by their
// literals, and everything else by its words.

// AddHTML adds the elements, classes, IDs and attributes of a page or page
// fragment, and the names that its scripts may use.
func (e *Evidence) AddHTML(f *source.File) {
	e.file = f
	r := htmlReader{e: e, text: f.Text, seen: make(map[string]bool),
		quirks: !strings.HasSuffix(strings.ToLower(f.Path.Name), ".xhtml")}
	r.frontMatter()
	r.read(0, len(f.Text), true)
	e.base = 0
}

// frontMatter reads the values that a template starts with, between two lines of three
// hyphens: a layout may use them as classes.
func (r *htmlReader) frontMatter() {
	const line = "---"
	first, rest, _ := strings.Cut(strings.TrimPrefix(r.text, "\uFEFF"), "\n")
	if strings.TrimSpace(first) != line {
		return
	}
	if end := strings.Index(rest, "\n"+line); end >= 0 {
		r.e.text(rest[:end], strings.Index(r.text, rest))
	}
}

// marks reads the template marks of a text between tags: a template that it includes, or
// a layout, may use their values as classes.
func (r *htmlReader) marks(from, to int) {
	for i := from; i < to; {
		next := strings.IndexAny(r.text[i:to], markStarts)
		if next < 0 {
			return
		}
		i += next
		inside, end := markAt(r.text[i:to])
		if end == 0 {
			i++
			continue
		}
		r.e.text(inside, i+strings.Index(r.text[i:i+end], inside))
		tag := i > from && r.text[i-1] == '<' // the mark is the name of the element
		if i += end; tag {
			attributes, _, _ := strings.Cut(r.text[i:to], ">")
			r.e.template(attributes, i)
			i += len(attributes)
		}
	}
}

// htmlReader reads one page.
type htmlReader struct {
	e      *Evidence
	text   string
	quirks bool            // it is in quirks mode, as far as it was read
	seen   map[string]bool // start tags already read, as text
	depth  int             // nesting of markup in attributes and in non-script elements
	part   bool            // it is a fragment
}

// maxMarkupDepth limits the nesting of markup in scripts and attributes.
const maxMarkupDepth = 8

// read reads a part of the page. whole is false in a noscript element, whose
// markup the tokenizer does not read on its own.
func (r *htmlReader) read(from, to int, whole bool) {
	var raw rawText // kind of the text of the open element
	for t := range markup.Tokens(r.text, markup.Span{Start: from, End: to}) {
		start, end := t.At.Start, t.At.End
		switch t.Kind {
		case markup.Doctype:
			r.quirks = quirksMode(t.Data)
		case markup.Text:
			switch {
			case raw == scriptText:
				r.e.script(r.text[start:end], start)
			case raw == dataText:
				r.e.text(r.text[start:end], start)
			case raw == markupText || raw == noscriptText && whole:
				r.markup(start, end, raw == markupText)
			case raw == plainText:
				r.marks(start, end)
			}
		case markup.Comment: // HTML reads an instruction as a comment up to the next ">"
			if inside, n := markAt(r.text[start:to]); n > 0 {
				r.e.text(inside, start+strings.Index(r.text[start:], inside))
			}
		case markup.EndTag:
			raw = plainText
		case markup.StartTag:
			if raw = plainText; !r.seen[r.text[start:end]] {
				raw = r.tag(t.At)
				if raw == plainText {
					r.seen[r.text[start:end]] = true
				}
			}
		}
	}
}

// markup reads the text of an element as markup: a program inserts it, or a
// browser without scripting renders it.
func (r *htmlReader) markup(from, to int, whole bool) {
	if r.depth >= maxMarkupDepth || !strings.Contains(r.text[from:to], "<") {
		return
	}
	if whole {
		r.e.text(r.text[from:to], from) // it may be used in any way
	}
	inner := htmlReader{e: r.e, text: r.text, quirks: r.quirks, seen: r.seen, depth: r.depth + 1, part: true}
	inner.read(from, to, whole)
}

// rawText is the kind of the text of an element.
type rawText uint8

// The kinds of text.
const (
	plainText    rawText = iota
	scriptText           // a script
	dataText             // data for a script, such as JSON
	markupText           // markup that becomes elements
	noscriptText         // markup for browsers without scripting
)

// textOf returns the kind of the text of an element.
func textOf(name string, kind string) rawText {
	switch name {
	case "noscript":
		return noscriptText
	case "textarea", "xmp", "noembed", "noframes", "iframe":
		return markupText
	case "script":
		kind, _, _ = strings.Cut(strings.ToLower(strings.TrimSpace(kind)), ";")
		switch {
		case kind == "" || kind == "module" || strings.Contains(kind, "javascript") ||
			strings.Contains(kind, "ecmascript") || strings.HasSuffix(kind, "jsx"):
			return scriptText
		case strings.HasSuffix(kind, "json") || kind == "importmap" || kind == "speculationrules":
			return dataText
		}
		return markupText // a template of some kind
	}
	return plainText
}

// quirksMode reports whether a document type puts a page into quirks mode
// (HTML, section 13.2.6.4.1).
func quirksMode(doctype string) bool {
	lower := strings.ToLower(strings.Join(strings.Fields(doctype), " "))
	name, rest, _ := strings.Cut(lower, " ")
	if name != "html" {
		return true
	}
	if rest == "" || rest == "system \"about:legacy-compat\"" || rest == "system 'about:legacy-compat'" {
		return false
	}
	id, hasSystem := doctypeIDs(rest)
	if strings.Contains(rest, "http://www.ibm.com/data/dtd/v11/ibmxhtml1-transitional.dtd") {
		return true
	}
	for _, exact := range []string{"-//w3o//dtd w3 html strict 3.0//en//", "-/w3c/dtd html 4.0 transitional/en", "html"} {
		if id == exact {
			return true
		}
	}
	for _, start := range quirksIDs {
		if strings.HasPrefix(id, start) {
			return true
		}
	}
	return !hasSystem &&
		(strings.HasPrefix(id, "-//w3c//dtd html 4.01 frameset//") ||
			strings.HasPrefix(id, "-//w3c//dtd html 4.01 transitional//"))
}

// doctypeIDs returns the public identifier of a document type, and whether it
// has a system identifier.
func doctypeIDs(rest string) (public string, hasSystem bool) {
	kind, rest, _ := strings.Cut(rest, " ")
	if kind == "system" {
		return "", true
	}
	if rest == "" {
		return "", false
	}
	end := strings.IndexByte(rest[1:], rest[0])
	if end < 0 {
		return rest[1:], false
	}
	return rest[1 : 1+end], strings.TrimSpace(rest[end+2:]) != ""
}

// quirksIDs are the prefixes of public identifiers that mean quirks mode.
var quirksIDs = strings.Split(strings.TrimSpace(`
+//silmaril//dtd html pro v0r11 19970101//
-//as//dtd html 3.0 aswedit + extensions//
-//advasoft ltd//dtd html 3.0 aswedit + extensions//
-//ietf//dtd html
-//metrius//dtd metrius presentational//
-//microsoft//dtd internet explorer
-//netscape comm. corp.//dtd html//
-//netscape comm. corp.//dtd strict html//
-//o'reilly and associates//dtd html
-//sq//dtd html 2.0 hotmetal + extensions//
-//softquad software//dtd hotmetal pro
-//softquad//dtd hotmetal pro
-//spyglass//dtd html 2.0 extended//
-//sun microsystems corp.//dtd hotjava
-//w3c//dtd html 3
-//w3c//dtd html 4.0 frameset//
-//w3c//dtd html 4.0 transitional//
-//w3c//dtd html experimental
-//w3c//dtd w3 html 3.0//
-//w3o//dtd w3 html 3.0//
-//webtechs//dtd mozilla html`), "\n")

// tag records a start tag, and returns the kind of the text of its element.
func (r *htmlReader) tag(tag markup.Span) rawText {
	e := r.e
	e.quirks = e.quirks || r.quirks
	e.base = tag.Start
	element, kind := markup.Name(r.text, tag), ""
	e.note(e.elements, element, 0)
	for a := range markup.AllAttributes(r.text, tag) {
		if element == "script" && a.Name == "type" {
			kind = a.Value
		}
		if strings.Contains(a.Name, "class") && len(a.Name) > len("class") {
			e.text(r.text[a.Whole.Start:a.Whole.Start+len(a.Name)], a.Whole.Start) // [class.is-open], class:active
			e.base = tag.Start
		}
		e.attribute(a.Name, a.Value, a.At.Start-tag.Start, r.quirks)
		if a.Name == "srcdoc" || r.isMarkup(a.Name, a.Value) {
			r.document(a.Value, a.At.Start)
			e.base = tag.Start
		}
	}
	return textOf(element, kind)
}

// isMarkup reports whether the value of an attribute, such as data-content,
// contains elements.
func (r *htmlReader) isMarkup(name, value string) bool {
	return r.depth < maxMarkupDepth && !strings.HasPrefix(name, "on") && strings.Contains(value, "</")
}

// document reads markup in an attribute at an offset of the file.
func (r *htmlReader) document(text string, at int) {
	e := r.e
	if r.depth >= maxMarkupDepth {
		return
	}
	base, fixed := e.base, e.fixed
	e.base, e.fixed = at, true
	inner := htmlReader{e: e, text: text, quirks: r.quirks, seen: make(map[string]bool), depth: r.depth + 1, part: true}
	inner.read(0, len(text), true)
	e.base, e.fixed = base, fixed
}

// attribute records the names in an attribute.
func (e *Evidence) attribute(key, value string, at int, quirks bool) {
	if e.attrs[key] == nil {
		e.attrs[key] = make(map[string]source.Pos)
	}
	e.note(e.attrs[key], value, at)
	base := e.base
	switch {
	case key == "class" || key == "id":
		if hasMarks(value) { // a template of a name
			e.template(value, base+at)
			break
		}
		if key == "id" {
			e.noteNamed(e.ids, value, at, quirks)
			break
		}
		e.fields(value, at, func(name string, at int) { e.noteNamed(e.classes, name, at, quirks) })
	case strings.HasPrefix(key, "on"):
		e.script(value, base+at)
	case key == "href":
		if _, fragment, ok := strings.Cut(value, "#"); ok {
			e.note(e.ids, fragment, at)
		}
	case !plainAttributes[key]:
		// Scripts read names from many attributes: data-state, aria-controls,
		// value, and those of frameworks.
		e.text(value, base+at)
	}
	e.base = base
}

// noteNamed records a class or ID of a page.
func (e *Evidence) noteNamed(in map[string]source.Pos, name string, at int, quirks bool) {
	e.note(in, name, at)
	if quirks {
		e.note(e.folded, strings.ToLower(name), at)
	}
}

// hasMarks reports whether a value contains template marks.
func hasMarks(value string) bool {
	for i := range len(value) {
		if _, end := markAt(value[i:]); end > 0 {
			return true
		}
		if _, end := braceAt(value[i:]); end > 0 {
			return true
		}
	}
	return false
}

// fields calls visit with the words of a text and their offsets.
func (e *Evidence) fields(text string, at int, visit func(word string, at int)) {
	from := 0
	for _, word := range strings.Fields(text) {
		i := from + strings.Index(text[from:], word)
		visit(word, at+i)
		from = i + len(word)
	}
}

// plainAttributes contain URLs, prose, numbers or keywords of HTML, and
// therefore no names.
var plainAttributes = func() map[string]bool {
	set := make(map[string]bool)
	for _, name := range strings.Fields("src srcset sizes action formaction poster cite data ping manifest alt title placeholder " +
		"content style d points viewbox transform integrity media lang charset type rel method enctype width height " +
		"http-equiv crossorigin loading decoding fetchpriority referrerpolicy xmlns") {
		set[name] = true
	}
	return set
}()

// AddScript adds the names that a script may use: every word in its string and
// template literals, the keys of its objects, which libraries turn into
// classes, the properties that it accesses, which may be attributes, and the
// strings that it builds from parts, as far as they can be evaluated.
func (e *Evidence) AddScript(f *source.File) {
	e.file = f
	e.script(f.Text, 0)
	e.base = 0
}

// script adds a script at an offset of the file.
func (e *Evidence) script(text string, at int) {
	e.base = at
	for made, element := range constructors {
		if i := strings.Index(text, made); i >= 0 {
			e.note(e.elements, element, i)
		}
	}
	script.Visit(text, script.Visitor{
		Literal: func(text string, offset int) { e.text(text, at+offset) },
		Key: func(name string, offset int) {
			e.base = at
			e.note(e.words, name, offset)
			delete(e.parts, name)
		},
		Member: func(name string, offset int) {
			e.base = at
			e.note(e.members, strings.ToLower(name), offset)
		},
		Joined: func(text string, offset int) { e.text(text, at+offset) },
	})
	if at, ok := generatesCode(text); ok {
		e.base = 0
		e.unreadable = append(e.unreadable, e.file.Pos(min(at, len(e.file.Text))))
	}
}

// packed matches the start of a script that unpacks itself, so that its text
// does not contain its words.
var packed = regexp.MustCompile(`\beval\(\s*\(?\s*function\s*\(\s*\w+\s*,\s*\w+\s*,\s*\w+\s*,\s*\w+`)

// generatesCode reports whether a script runs generated code in a way that
// hides its names, and where.
func generatesCode(text string) (at int, ok bool) {
	if !strings.Contains(text, "eval(") {
		return 0, false
	}
	if m := packed.FindStringIndex(text); m != nil {
		return m[0], true
	}
	for _, decode := range []string{"eval(atob(", "eval(unescape(", "eval(decodeURIComponent(",
		"eval(String.fromCharCode("} {
		if i := strings.Index(text, decode); i >= 0 {
			return i, true
		}
	}
	return 0, false
}

// AddText adds every word of a text that could be a name, such as a template in
// any language.
func (e *Evidence) AddText(f *source.File) {
	const large, perName = 1 << 18, 12
	if e.file = f; len(f.Text) > large && len(e.words) == 0 {
		e.words = make(map[string]source.Pos, len(f.Text)/perName) // sized so that it need not grow
	}
	e.template(f.Text, 0)
	e.base = 0
}

// AddTextWithout adds every word of a text, except those in some parts of it, such
// as the style blocks of a component.
func (e *Evidence) AddTextWithout(f *source.File, parts []markup.Span) {
	e.file = f
	text := []byte(f.Text)
	for _, part := range parts {
		for i := part.Start; i < part.End; i++ {
			text[i] = ' '
		}
	}
	e.template(string(text), 0)
	e.base = 0
}

// template adds the words of a text in which names and expressions in single
// braces are template marks as well.
func (e *Evidence) template(text string, at int) {
	e.braces = true
	e.text(text, at)
	e.braces = false
}

// text adds the words of a text at an offset of the file. A word with template
// marks in it or next to it is partially known.
func (e *Evidence) text(text string, at int) {
	e.base = at
	start := -1
	var made []byte // known parts of the word up to copied, if it contains marks
	copied := 0
	flush := func(end int) {
		if start < 0 {
			return
		}
		word := text[start:end]
		if made != nil {
			word = string(append(made, text[copied:end]...))
		}
		e.wordAt(word, start)
		if parts := strings.Split(word, hole); len(parts) > 2 {
			e.branches(parts, start)
		}
		start, made = -1, nil
	}
	for i := 0; i < len(text); {
		r, size := utf8.DecodeRuneInString(text[i:])
		if inside, end := e.mark(text[i:]); end > 0 {
			if start < 0 {
				start, copied = i, i
				made = make([]byte, 0, 16)
			} else if made == nil {
				made, copied = append(make([]byte, 0, 32), text[start:i]...), i
			} else {
				made = append(made, text[copied:i]...)
			}
			made, copied = append(made, hole...), i+end
			base := e.base
			e.text(inside, at+i+strings.Index(text[i:i+end], inside))
			e.base = base
			i += end
			continue
		}
		if notInName(r) {
			flush(i)
		} else if start < 0 {
			start = i
		}
		i += size
	}
	flush(len(text))
}

// branches adds the possible values of a word with several template marks, some
// of which may be conditions: "{% if a %}on{% else %}off{% endif %}" is "on" or
// "off", and "is-{% if a %}on{% else %}off{% endif %}" starts with "is-".
func (e *Evidence) branches(parts []string, at int) {
	last := len(parts) - 1
	for _, part := range parts {
		if part != "" {
			e.wordAt(part, at)
		}
	}
	e.nameAt(parts[0]+hole, at)
	e.nameAt(hole+parts[last], at)
}

// mark returns the end of a template mark at the start of a text, and its
// contents.
func (e *Evidence) mark(text string) (inside string, end int) {
	if inside, end = markAt(text); end == 0 && e.braces {
		return braceAt(text)
	}
	return inside, end
}

// notInName reports whether r separates the words of a text. Characters that
// class names only contain with an escape (":", "/", "[") do not, inside a
// word.
func notInName(r rune) bool {
	switch {
	case r <= ' ':
		return true
	case r >= 0x80, 'a' <= r|0x20 && r|0x20 <= 'z', '0' <= r && r <= '9':
		return false
	}
	return strings.ContainsRune("\"'`<>=;{}(),&|$", r)
}

// wordAt adds a word without surrounding punctuation, and its parts between
// punctuation.
func (e *Evidence) wordAt(word string, at int) {
	e.nameAt(word, at)
	delete(e.parts, word)
	trimmed := strings.Trim(word, ".,:;#!?/*+@\\")
	if trimmed == "" {
		return
	}
	if len(trimmed) < len(word) {
		at += strings.Index(word, trimmed)
		e.nameAt(trimmed, at)
		delete(e.parts, trimmed)
	}
	if strings.ContainsAny(trimmed, partMarks) {
		from := 0
		for _, part := range strings.FieldsFunc(trimmed, func(r rune) bool { return strings.ContainsRune(partMarks, r) }) {
			i := from + strings.Index(trimmed[from:], part)
			if _, known := e.words[part]; !known {
				e.parts[part] = true
			}
			e.nameAt(part, at+i)
			from = i + len(part)
		}
	}
}

// nameAt adds a word that may be a name or a pattern. A word that starts or
// ends with a hyphen or underscore is a part of a name as well.
func (e *Evidence) nameAt(word string, at int) {
	if strings.Contains(word, hole) {
		if useful(word) {
			e.note(e.patterns, word, at)
		}
		return
	}
	e.note(e.words, word, at)
	if len(word) < 2 || strings.Trim(word, "-_") == "" {
		return
	}
	if isSeparator(word[len(word)-1]) {
		e.note(e.patterns, word+hole, at)
	}
	if isSeparator(word[0]) {
		e.note(e.patterns, hole+word, at)
	}
}

// partMarks separate the parts of a word that may each be a name.
const partMarks = ".#:[]/+~%!?@*\\"
