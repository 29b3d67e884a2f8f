package purge

import (
	"path"
	"strings"

	"golang.org/x/net/html"

	"rinzel/internal/css/ast"
	"rinzel/internal/css/token"
	"rinzel/internal/script"
)

// Evidence is the names in use: those that occur in pages, scripts and other
// files, whether as class, ID or element.
type Evidence struct {
	names    map[string]bool
	elements map[string]bool // lower case
	prefixes map[string]bool // of names that scripts join
	suffixes map[string]bool
	keep     []string // patterns of selectors that stay
}

// implied are the elements that a browser makes where a page leaves them out
// (HTML, section 13.1.2.4).
var implied = []string{"html", "head", "body", "tbody", "colgroup", "tr"}

// NewEvidence returns evidence of nothing but what every page has. keep lists
// patterns of selectors that stay whatever is found: a class, ID or element as
// it is written in a selector, in which * stands for any characters.
func NewEvidence(keep []string) *Evidence {
	e := &Evidence{
		names: make(map[string]bool), elements: make(map[string]bool),
		prefixes: make(map[string]bool), suffixes: make(map[string]bool), keep: keep,
	}
	for _, name := range implied {
		e.elements[name] = true
	}
	return e
}

// Add adds all that other holds, its patterns aside.
func (e *Evidence) Add(other *Evidence) {
	for to, from := range map[*map[string]bool]map[string]bool{
		&e.names: other.names, &e.elements: other.elements,
		&e.prefixes: other.prefixes, &e.suffixes: other.suffixes,
	} {
		for name := range from {
			(*to)[name] = true
		}
	}
}

// Has reports whether a class or ID may occur.
func (e *Evidence) Has(name string) bool {
	if e.names[name] {
		return true
	}
	for i := 1; i < len(name); i++ {
		if c := name[i-1]; (c == '-' || c == '_') && e.prefixes[name[:i]] {
			return true
		}
		if c := name[i]; (c == '-' || c == '_') && e.suffixes[name[i:]] {
			return true
		}
	}
	return false
}

// HasElement reports whether an element may occur. Names of HTML elements are
// compared without regard to case.
func (e *Evidence) HasElement(name string) bool {
	lower := strings.ToLower(name)
	return e.elements[lower] || e.Has(name) || lower != name && e.Has(lower)
}

// keeps reports whether a pattern keeps a selector: one of its parts matches.
func (e *Evidence) keeps(s ast.Selector) bool {
	if len(e.keep) == 0 {
		return false
	}
	for i := range s {
		name := token.Unescape(s[i].Name)
		switch s[i].Kind {
		case ast.ClassSelector:
			name = "." + name
		case ast.IDSelector:
			name = "#" + name
		case ast.TypeSelector:
		default:
			continue
		}
		for _, pattern := range e.keep {
			if ok, _ := path.Match(pattern, name); ok {
				return true
			}
		}
	}
	return false
}

// AddHTML adds the elements, classes and IDs of a page or of a part of one,
// and what its scripts and data attributes hold.
func (e *Evidence) AddHTML(text string) { e.addHTML(text, true) }

// addHTML does the work of AddHTML. whole is false within a noscript element,
// where the tokenizer reads no markup of its own accord.
func (e *Evidence) addHTML(text string, whole bool) {
	z := html.NewTokenizer(strings.NewReader(text))
	var raw string // the open element whose text is more than text
	for {
		switch z.Next() {
		case html.ErrorToken:
			return
		case html.TextToken:
			switch raw {
			case "script":
				e.AddScript(string(z.Text()))
			case "noscript":
				if whole {
					e.addHTML(string(z.Raw()), false)
				}
			}
		case html.EndTagToken:
			raw = ""
		case html.StartTagToken, html.SelfClosingTagToken:
			name, more := z.TagName()
			e.elements[string(name)] = true
			raw = ""
			if s := string(name); s == "script" || s == "noscript" {
				raw = s
			}
			for more {
				var key, value []byte
				key, value, more = z.TagAttr()
				e.attribute(string(key), string(value))
			}
		}
	}
}

func (e *Evidence) attribute(key, value string) {
	switch {
	case key == "class":
		for _, name := range strings.Fields(value) {
			e.names[name] = true
		}
	case key == "id":
		e.names[value] = true
	case strings.HasPrefix(key, "on"):
		e.AddScript(value)
	case key == "href":
		_, fragment, _ := strings.Cut(value, "#")
		e.names[fragment] = true
	case !plainAttributes[key]:
		// Scripts read names from attributes of many kinds: data-state,
		// aria-controls, value, and those of frameworks.
		e.AddText(value)
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
// and template literals, and the keys of its objects, which libraries turn
// into classes. A literal that ends in a hyphen or underscore, such as
// "notice-" + kind, stands for all names that start so, and one that begins
// with either for all that end so.
func (e *Evidence) AddScript(text string) {
	script.Visit(text, script.Visitor{
		Literal: func(text string, _ int) { e.AddText(text) },
		Key:     func(name string) { e.names[name] = true },
	})
}

// AddText adds every word of a text that could be a name, as of a template in
// any language.
func (e *Evidence) AddText(text string) {
	for _, word := range strings.FieldsFunc(text, notInName) {
		e.word(word)
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

// word adds a word, without the punctuation around it, and the parts of it
// that punctuation separates.
func (e *Evidence) word(word string) {
	e.names[word] = true
	trimmed := strings.Trim(word, ".,:;#!?/*+@\\")
	if trimmed == "" {
		return
	}
	e.names[trimmed] = true
	for _, part := range strings.FieldsFunc(trimmed, func(r rune) bool { return strings.ContainsRune(".#:[]/+~%!?@*\\", r) }) {
		e.names[part] = true
	}
	if last := trimmed[len(trimmed)-1]; len(trimmed) > 1 && (last == '-' || last == '_') {
		e.prefixes[trimmed] = true
	}
	if first := trimmed[0]; len(trimmed) > 1 && (first == '-' || first == '_') {
		e.suffixes[trimmed] = true
	}
}
