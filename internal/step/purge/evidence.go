package purge

import (
	"slices"
	"strings"

	"rinzel/internal/css/ast"
	"rinzel/internal/css/selector"
	"rinzel/internal/css/token"
	"rinzel/internal/source"
)

// Evidence is what is in use: the elements, classes, IDs and attributes of
// pages, and the words of scripts and other files, which may become any of
// them. Each name has the position of its first occurrence.
type Evidence struct {
	elements map[string]source.Pos            // of pages, in lower case
	classes  map[string]source.Pos            // of pages
	ids      map[string]source.Pos            // of pages
	attrs    map[string]map[string]source.Pos // of pages, in lower case, with their values
	words    map[string]source.Pos
	parts    map[string]bool       // words that only occur as parts of longer ones: the "a" of "a/b"
	members  map[string]source.Pos // names after a dot in scripts
	patterns map[string]source.Pos // of names that scripts and templates build from parts, see [script.Hole]
	// folded has the classes and IDs of pages in quirks mode, in lower case:
	// they are case-insensitive there (Selectors 4, sections 6.6 and 6.7).
	folded     map[string]source.Pos
	quirks     bool               // some page is in quirks mode
	keep       []selector.Pattern // keep patterns of selectors
	unreadable []source.Pos       // unreadable scripts

	index     patternIndex
	relations relations

	documents []*document // page trees; empty if structure is not used

	base   int  // offset in the file of the text that is being read
	braces bool // single braces are template marks
	fixed  bool // all positions are base: the text was decoded and has no offsets of its own
	file   *source.File
}

// NewEvidence returns empty evidence. keep lists patterns of selectors that are
// always kept: a class, ID or element selector in which * matches any
// characters.
func NewEvidence(keep []string) *Evidence {
	e := &Evidence{attrs: make(map[string]map[string]source.Pos), parts: make(map[string]bool)}
	for _, pattern := range keep {
		e.keep = append(e.keep, selector.NewPattern(pattern))
	}
	for _, m := range e.maps() {
		*m = make(map[string]source.Pos)
	}
	return e
}

// maps returns all maps of names.
func (e *Evidence) maps() []*map[string]source.Pos {
	return []*map[string]source.Pos{&e.elements, &e.classes, &e.ids, &e.words, &e.members, &e.patterns, &e.folded}
}

// Add adds the evidence of other, except its keep patterns and unreadable
// scripts. Existing positions are preserved.
func (e *Evidence) Add(other *Evidence) {
	for name := range e.parts {
		if _, ok := other.words[name]; ok && !other.parts[name] {
			delete(e.parts, name)
		}
	}
	for name := range other.parts {
		if _, ok := e.words[name]; !ok {
			e.parts[name] = true
		}
	}
	from := other.maps()
	for i, to := range e.maps() {
		merge(*to, *from[i])
	}
	for name, values := range other.attrs {
		if e.attrs[name] == nil {
			e.attrs[name] = make(map[string]source.Pos, len(values))
		}
		merge(e.attrs[name], values)
	}
	e.quirks = e.quirks || other.quirks
	e.documents = append(e.documents, other.documents...)
}

// merge adds the names of from.
func merge(to, from map[string]source.Pos) {
	for name, at := range from {
		if _, ok := to[name]; !ok {
			to[name] = at
		}
	}
}

// note records a name at an offset of the current text. Positions in text with
// escapes or character references are approximate.
func (e *Evidence) note(in map[string]source.Pos, name string, offset int) {
	if _, ok := in[name]; !ok {
		if e.fixed {
			offset = 0
		}
		in[name] = e.file.Pos(min(e.base+offset, len(e.file.Text)))
	}
}

// Use is the reason why a name counts as in use.
type Use struct {
	Kind UseKind
	At   source.Pos // position; none for what every page has
	// Text is the part of the name that was found, if the name is built from
	// parts.
	Text string
}

// UseKind is the kind of evidence.
type UseKind string

// The kinds of evidence.
const (
	InPage       UseKind = "page"    // on a page
	InText       UseKind = "text"    // a word of a script or another file
	Joined       UseKind = "joined"  // a script joins it from parts: partial evidence
	Implied      UseKind = "implied" // on every page, or set by browsers
	ByKeep       UseKind = "keep"    // kept by the settings
	ByComment    UseKind = "comment" // kept by a comment in the sheet
	ByUnreadable UseKind = "unread"  // an unreadable script may use it

	// For removed selectors whose parts are all in use:
	ByParent    UseKind = "around"    // the parent rule is removed
	ByStructure UseKind = "elsewhere" // no page has the parts in this structure
)

// named returns why a name from exact, the classes or IDs of pages, counts as
// in use.
func (e *Evidence) named(name string, exact map[string]source.Pos) (Use, bool) {
	if at, ok := exact[name]; ok {
		return Use{Kind: InPage, At: at}, true
	}
	if e.quirks {
		if at, ok := e.folded[strings.ToLower(name)]; ok {
			return Use{Kind: InPage, At: at}, true
		}
	}
	return e.word(name)
}

// word returns why a word of scripts and other files may be a name.
func (e *Evidence) word(name string) (Use, bool) {
	if at, ok := e.words[name]; ok {
		return Use{Kind: InText, At: at}, true
	}
	return e.byPattern(name)
}

// Class returns why a class counts as in use.
func (e *Evidence) Class(name string) (Use, bool) { return e.named(name, e.classes) }

// ID returns why an ID counts as in use.
func (e *Evidence) ID(name string) (Use, bool) { return e.named(name, e.ids) }

// implied are the elements that browsers create when they are omitted (HTML,
// section 13.1.2.4), or as parts of others.
var implied = map[string]bool{"html": true, "head": true, "body": true, "tbody": true, "colgroup": true, "tr": true}

// Element returns why an element counts as in use. HTML element names are
// case-insensitive.
func (e *Evidence) Element(name string) (Use, bool) {
	lower := strings.ToLower(name)
	if implied[lower] {
		return Use{Kind: Implied}, true
	}
	if at, ok := e.elements[lower]; ok {
		return Use{Kind: InPage, At: at}, true
	}
	for _, member := range elementMembers[lower] {
		if at, ok := e.members[member]; ok {
			return Use{Kind: InText, At: at}, true
		}
	}
	for _, attr := range elementAttrs[lower] {
		for _, at := range e.attrs[attr] {
			return Use{Kind: InPage, At: at}, true
		}
	}
	if use, ok := e.word(name); ok {
		return use, true
	}
	return e.word(lower)
}

// elementMembers are the methods and properties, in lower case, with which
// scripts create elements without naming them (HTML, section 4.9;
// HTMLElement.innerText; execCommand).
var elementMembers = func() map[string][]string {
	out := map[string][]string{"td": {"insertcell"}, "thead": {"createthead"}, "tbody": {"createtbody"},
		"tfoot": {"createtfoot"}, "caption": {"createcaption"}}
	for _, name := range strings.Fields("b i u s strike strong em font span ol ul li div br a blockquote h1 h2 h3 h4 h5 h6 p hr sub sup img pre") {
		out[name] = append(out[name], "execcommand", "designmode")
	}
	out["br"] = append(out["br"], "innertext", "outertext")
	return out
}()

// elementAttrs are attributes with which users create elements by typing and
// formatting.
var elementAttrs = func() map[string][]string {
	out := make(map[string][]string)
	for _, name := range strings.Fields("b i u div br span font p") {
		out[name] = []string{"contenteditable"}
	}
	return out
}()

// constructors create elements without naming them.
var constructors = map[string]string{"new Image": "img", "new Audio": "audio", "new Option": "option"}

// browserSet are attributes that browsers set, or that change by user actions.
var browserSet = map[string]bool{"open": true}

// Attribute returns why an attribute selector may match: an element of a page
// has the attribute with a matching value, or a script may set it.
func (e *Evidence) Attribute(s *ast.Simple) (Use, bool) {
	name := strings.ToLower(token.Unescape(s.Name[strings.LastIndexByte(s.Name, '|')+1:]))
	if browserSet[name] {
		return Use{Kind: Implied}, true
	}
	if use, ok := e.setByScript(name); ok {
		return use, true
	}
	values, ok := e.attrs[name]
	if !ok {
		return Use{}, false
	}
	want, readable := attributeValue(s)
	for value, at := range values {
		if !readable || matches(s.Args, value, want) {
			return Use{Kind: InPage, At: at}, true
		}
	}
	return Use{}, false
}

// setByScript returns why a script may set an attribute: it contains its name,
// or the name of a corresponding property.
func (e *Evidence) setByScript(name string) (Use, bool) {
	if use, ok := e.word(name); ok {
		return use, true
	}
	if rest, ok := strings.CutPrefix(name, "data-"); ok {
		if _, ok := e.members["dataset"]; ok { // dataset["berthTone"]
			if use, ok := e.word(camelCase(rest)); ok {
				return use, true
			}
		}
	}
	for _, member := range memberNames(name) {
		if at, ok := e.members[member]; ok {
			return Use{Kind: InText, At: at}, true
		}
	}
	return Use{}, false
}

// camelCase returns the name of a data attribute in scripts (HTML, section
// 3.2.6.6).
func camelCase(name string) string {
	parts := strings.Split(name, "-")
	for i, part := range parts[1:] {
		if part != "" {
			parts[i+1] = strings.ToUpper(part[:1]) + part[1:]
		}
	}
	return strings.Join(parts, "")
}

// memberNames returns the properties with which scripts may set an attribute,
// in lower case: el.hidden, el.ariaExpanded, el.dataset.tone, el.htmlFor,
// el.className.
func memberNames(attr string) []string {
	out := []string{strings.ReplaceAll(attr, "-", "")}
	if rest, ok := strings.CutPrefix(attr, "data-"); ok {
		out = append(out, strings.ReplaceAll(rest, "-", ""))
	}
	switch attr {
	case "class":
		out = append(out, "classname", "classlist")
	case "for":
		out = append(out, "htmlfor")
	case "http-equiv":
		out = append(out, "httpequiv")
	case "style":
		out = append(out, "csstext")
	case "value", "checked", "selected", "muted":
		out = append(out, "default"+attr)
	case "rel", "part":
		out = append(out, attr+"list")
	case "char", "charoff":
		out = append(out, strings.Replace(attr, "char", "ch", 1))
	}
	return out
}

// attributeValue returns the value in an attribute selector. ok is false if it
// is invalid.
func attributeValue(s *ast.Simple) (value string, ok bool) {
	if s.Args == nil || s.Args.Matcher == "" {
		return "", true
	}
	switch v := s.Args.Value; v.Kind {
	case token.String:
		return token.StringValue(v.Text), true
	case token.Ident:
		return token.Unescape(v.Text), true
	}
	return "", false
}

// matches reports whether an attribute with a value matches (Selectors 4,
// section 6). Some attributes of HTML are compared case-insensitively; here all
// are.
func matches(args *ast.Args, value, want string) bool {
	if args == nil {
		return true
	}
	value, want = strings.ToLower(value), strings.ToLower(want)
	switch args.Matcher {
	case "":
		return true
	case "=":
		return value == want
	case "~=":
		for _, word := range strings.Fields(value) {
			if word == want {
				return true
			}
		}
		return false
	case "|=":
		return value == want || strings.HasPrefix(value, want+"-")
	case "^=":
		return want != "" && strings.HasPrefix(value, want)
	case "$=":
		return want != "" && strings.HasSuffix(value, want)
	case "*=":
		return want != "" && strings.Contains(value, want)
	}
	return true
}

// keeps returns the keep pattern that matches one of the parts of a selector.
func (e *Evidence) keeps(s ast.Selector) (pattern int, ok bool) {
	if len(e.keep) == 0 {
		return 0, false
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
		for k := range e.keep {
			if e.keep[k].Match(name) {
				return k, true
			}
		}
	}
	return 0, false
}

// Names returns the classes of pages and the whole words of other texts, sorted.
func (e *Evidence) Names() []string {
	out := make([]string, 0, len(e.classes)+len(e.words))
	for name := range e.classes {
		out = append(out, name)
	}
	for name := range e.words {
		if _, known := e.classes[name]; !known && !e.parts[name] {
			out = append(out, name)
		}
	}
	slices.Sort(out)
	return out
}

// Classes returns the classes of pages with their first positions.
func (e *Evidence) Classes() map[string]source.Pos { return e.classes }

// Each calls visit with each name that may be a class, ID, element or
// attribute, with its first position, in no particular order.
func (e *Evidence) Each(visit func(name string, at source.Pos)) {
	seen := make(map[string]bool)
	for _, m := range []map[string]source.Pos{e.classes, e.ids, e.elements, e.words} {
		for name, at := range m {
			if !seen[name] {
				seen[name] = true
				visit(name, at)
			}
		}
	}
}
