package purge

import (
	"strings"

	"golang.org/x/net/html"

	"rinzel/internal/script"
	"rinzel/internal/source"
)

// This file reads evidence: pages by their structure, scripts by their literals, and
// all else by its words.

// AddHTML adds the elements, classes, IDs and attributes of a page or of a part of
// one, and what its scripts may use as names.
func (e *Evidence) AddHTML(f *source.File) {
	e.file = f
	r := htmlReader{e: e, text: f.Text, seen: make(map[string]bool)}
	r.read(0, len(f.Text), true)
	e.base = 0
}

type htmlReader struct {
	e        *Evidence
	text     string
	standard bool            // it says what it is, and so is not in quirks mode
	seen     map[string]bool // start tags, as they are written
}

// read reads a part of the page. whole is false within a noscript element, where the
// tokenizer reads no markup of its own accord.
func (r *htmlReader) read(from, to int, whole bool) {
	z := html.NewTokenizer(strings.NewReader(r.text[from:to]))
	var raw string // the open element whose text is more than text
	for at := from; ; {
		kind := z.Next()
		start := at
		at += len(z.Raw())
		switch kind {
		case html.ErrorToken:
			return
		case html.DoctypeToken:
			r.standard = true
		case html.TextToken:
			switch {
			case raw == "script":
				r.e.script(r.text[start:at], start)
			case raw == "noscript" && whole:
				r.read(start, at, false)
			}
		case html.EndTagToken:
			raw = ""
		case html.StartTagToken, html.SelfClosingTagToken:
			if raw = ""; !r.seen[r.text[start:at]] {
				raw = r.tag(z, start, at)
				if raw == "" {
					r.seen[r.text[start:at]] = true
				}
			}
		}
	}
}

// tag notes a start tag, and returns its name if its text is more than text.
func (r *htmlReader) tag(z *html.Tokenizer, start, end int) (raw string) {
	e, text := r.e, r.text[start:end]
	e.quirks = e.quirks || !r.standard
	e.base = start
	name, more := z.TagName()
	e.note(e.elements, string(name), 0)
	if s := string(name); s == "script" || s == "noscript" {
		raw = s
	}
	cursor := 1 + len(name)
	for more {
		var key, value []byte
		key, value, more = z.TagAttr()
		at := cursor + valueAt(text[min(cursor, len(text)):], key, value)
		if len(value) > 0 {
			cursor = min(at+len(value), len(text))
		}
		e.attribute(string(key), string(value), at)
	}
	return raw
}

// valueAt returns where the value of an attribute stands in what is left of its tag: behind
// its name. It is 0 if it is written in another way than it reads.
func valueAt(rest string, key, value []byte) int {
	i := strings.Index(rest, string(key))
	if i < 0 { // in capitals
		i = strings.Index(strings.ToLower(rest), string(key))
	}
	if i < 0 || len(value) == 0 {
		return 0
	}
	i += len(key)
	if k := strings.Index(rest[i:], string(value)); k >= 0 {
		return i + k
	}
	return 0
}

func (e *Evidence) attribute(key, value string, at int) {
	if e.attrs[key] == nil {
		e.attrs[key] = make(map[string]source.Pos)
	}
	e.note(e.attrs[key], value, at)
	base := e.base
	switch {
	case key == "class":
		e.fields(value, at, func(name string, at int) {
			e.note(e.classes, name, at)
			if e.quirks {
				e.note(e.folded, strings.ToLower(name), at)
			}
		})
	case key == "id":
		e.note(e.ids, value, at)
		if e.quirks {
			e.note(e.folded, strings.ToLower(value), at)
		}
	case strings.HasPrefix(key, "on"):
		e.script(value, base+at)
	case key == "href":
		if _, fragment, ok := strings.Cut(value, "#"); ok {
			e.note(e.ids, fragment, at)
		}
	case !plainAttributes[key]:
		// Scripts read names from attributes of many kinds: data-state,
		// aria-controls, value, and those of frameworks.
		e.text(value, base+at)
	}
	e.base = base
}

// fields calls visit with the words of a text and their places.
func (e *Evidence) fields(text string, at int, visit func(word string, at int)) {
	from := 0
	for _, word := range strings.Fields(text) {
		i := from + strings.Index(text[from:], word)
		visit(word, at+i)
		from = i + len(word)
	}
}

// plainAttributes hold addresses, prose, numbers or words of HTML itself, and
// so no names.
var plainAttributes = func() map[string]bool {
	set := make(map[string]bool)
	for _, name := range strings.Fields("src srcset sizes action formaction poster cite data ping manifest alt title placeholder " +
		"content style d points viewbox transform integrity media lang charset type rel method enctype width height " +
		"http-equiv crossorigin loading decoding fetchpriority referrerpolicy xmlns") {
		set[name] = true
	}
	return set
}()

// AddScript adds what a script may use as a name: every word in its string
// and template literals, the keys of its objects, which libraries turn
// into classes, and the members that it names, which may be attributes. A literal that
// ends in a hyphen or underscore, such as "notice-" + kind, stands for all names that start
// so, and one that begins with either for all that end so.
func (e *Evidence) AddScript(f *source.File) {
	e.file = f
	e.script(f.Text, 0)
	e.base = 0
}

// script adds a script that stands at an offset of the file.
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
		},
		Member: func(name string, offset int) {
			e.base = at
			e.note(e.members, strings.ToLower(name), offset)
		},
	})
}

// AddText adds every word of a text that could be a name, as of a template in
// any language.
func (e *Evidence) AddText(f *source.File) {
	const large, perName = 1 << 18, 12
	if e.file = f; len(f.Text) > large && len(e.words) == 0 {
		e.words = make(map[string]source.Pos, len(f.Text)/perName) // it need not grow by and by
	}
	e.text(f.Text, 0)
	e.base = 0
}

// text adds the words of a text that stands at an offset of the file.
func (e *Evidence) text(text string, at int) {
	e.base = at
	start := -1
	for i, r := range text {
		switch {
		case !notInName(r):
			if start < 0 {
				start = i
			}
		case start >= 0:
			e.wordAt(text[start:i], start)
			start = -1
		}
	}
	if start >= 0 {
		e.wordAt(text[start:], start)
	}
}

// notInName reports whether r separates the words of a text. Characters that
// class names hold only with an escape (":", "/", "[") do not, if a word holds
// them inside.
func notInName(r rune) bool {
	switch {
	case r <= ' ':
		return true
	case r >= 0x80, 'a' <= r|0x20 && r|0x20 <= 'z', '0' <= r && r <= '9':
		return false
	}
	return strings.ContainsRune("\"'`<>=;{}(),&|$", r)
}

// wordAt adds a word, without the punctuation around it, and the parts of it
// that punctuation separates.
func (e *Evidence) wordAt(word string, at int) {
	e.note(e.words, word, at)
	trimmed := strings.Trim(word, ".,:;#!?/*+@\\")
	if trimmed == "" {
		return
	}
	if len(trimmed) < len(word) {
		at += strings.Index(word, trimmed)
		e.note(e.words, trimmed, at)
	}
	if strings.ContainsAny(trimmed, partMarks) {
		from := 0
		for _, part := range strings.FieldsFunc(trimmed, func(r rune) bool { return strings.ContainsRune(partMarks, r) }) {
			i := from + strings.Index(trimmed[from:], part)
			e.note(e.words, part, at+i)
			from = i + len(part)
		}
	}
	if last := trimmed[len(trimmed)-1]; len(trimmed) > 1 && (last == '-' || last == '_') {
		e.note(e.prefixes, trimmed, at)
	}
	if first := trimmed[0]; len(trimmed) > 1 && (first == '-' || first == '_') {
		e.note(e.suffixes, trimmed, at)
	}
}

// partMarks separate the parts of a word that may each be a name.
const partMarks = ".#:[]/+~%!?@*\\"
