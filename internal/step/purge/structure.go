package purge

import (
	"slices"
	"strings"

	"golang.org/x/net/html"

	"rinzel/internal/css/ast"
	"rinzel/internal/css/known"
	"rinzel/internal/css/token"
	"rinzel/internal/source"
)

// This file matches selectors against the structure of pages, for sites that
// declare that elements do not move.

// document is the tree of a page.
type document struct {
	byName map[string][]*html.Node // elements by ".class", "#id" and type; all by "*"
	quirks bool
}

// AddStructure adds the tree of a page. It is used for selectors whose parts
// only occur in pages. Pages are parsed as browsers with scripting do, and as
// browsers without.
func (e *Evidence) AddStructure(f *source.File) {
	for _, scripting := range []bool{true, false} {
		root, err := html.ParseWithOptions(strings.NewReader(f.Text), html.ParseOptionEnableScripting(scripting))
		if err != nil { // cannot happen for text
			continue
		}
		d := &document{byName: make(map[string][]*html.Node), quirks: true}
		for n := range root.Descendants() {
			switch n.Type {
			case html.DoctypeNode:
				d.quirks = quirksMode(doctypeText(n))
			case html.ElementNode:
				d.index(n)
			}
		}
		e.documents = append(e.documents, d)
	}
}

// doctypeText returns a document type as text.
func doctypeText(n *html.Node) string {
	text := n.Data
	public, system := attrOf(n, "public"), attrOf(n, "system")
	switch {
	case public != "" && system != "":
		text += " public \"" + public + "\" \"" + system + "\""
	case public != "":
		text += " public \"" + public + "\""
	case system != "":
		text += " system \"" + system + "\""
	}
	return text
}

// index indexes a node and its descendants.
func (d *document) index(n *html.Node) {
	add := func(key string) { d.byName[key] = append(d.byName[key], n) }
	add("*")
	add(strings.ToLower(n.Data))
	for _, a := range n.Attr {
		switch {
		case a.Key == "class":
			for _, name := range strings.Fields(a.Val) {
				add("." + d.fold(name))
			}
		case a.Key == "id":
			add("#" + d.fold(a.Val))
		}
	}
}

// fold returns a class or ID in the form in which it is compared.
func (d *document) fold(name string) string {
	if d.quirks {
		return strings.ToLower(name)
	}
	return name
}

// existsOnPage reports whether some page has elements in the structure of a
// selector. It returns true if that is unknown: no page was added, or a script
// or another file has the name of a part, and so may insert it anywhere.
func (e *Evidence) existsOnPage(s ast.Selector) bool {
	if len(e.documents) == 0 || !hasCombinator(s) || e.mayBeMoved(s) {
		return true
	}
	return slices.ContainsFunc(e.documents, func(d *document) bool { return d.has(s) })
}

// hasCombinator reports whether a selector has a combinator.
func hasCombinator(s ast.Selector) bool {
	return slices.ContainsFunc(s, func(p ast.Simple) bool { return p.Kind == ast.Combinator })
}

// mayBeMoved reports whether a script or another file has the name of a part of
// a selector.
func (e *Evidence) mayBeMoved(s ast.Selector) bool {
	for i := range s {
		name := token.Unescape(s[i].Name)
		known := false
		switch s[i].Kind {
		case ast.ClassSelector, ast.IDSelector:
			_, known = e.word(name)
		case ast.TypeSelector:
			if _, known = e.word(name); !known {
				_, known = e.word(strings.ToLower(name))
			}
		case ast.AttributeSelector:
			_, known = e.setByScript(strings.ToLower(name))
		}
		if known || s[i].Args != nil && slices.ContainsFunc(s[i].Args.Selectors, e.mayBeMoved) {
			return true
		}
	}
	return false
}

// has reports whether some element may match a selector.
func (d *document) has(s ast.Selector) bool {
	last := s[lastCombinator(s)+1:]
	return slices.ContainsFunc(d.candidates(last), func(n *html.Node) bool { return d.matches(n, s) })
}

// candidates returns the elements that may match a compound selector.
func (d *document) candidates(compound ast.Selector) []*html.Node {
	for i := range compound {
		name := token.Unescape(compound[i].Name)
		switch compound[i].Kind {
		case ast.ClassSelector:
			return d.byName["."+d.fold(name)]
		case ast.IDSelector:
			return d.byName["#"+d.fold(name)]
		}
	}
	return d.byName["*"]
}

// lastCombinator returns the index of the last combinator of a selector, or -1.
func lastCombinator(s ast.Selector) int {
	for i := len(s) - 1; i >= 0; i-- {
		if s[i].Kind == ast.Combinator {
			return i
		}
	}
	return -1
}

// matches reports whether an element may match a selector as its subject.
func (d *document) matches(n *html.Node, s ast.Selector) bool {
	i := lastCombinator(s)
	for k := range s[i+1:] {
		if !d.matchesPart(n, &s[i+1+k]) {
			return false
		}
	}
	if i < 0 {
		return true
	}
	before := s[:i]
	if len(before) == 0 {
		return true // it is relative to something else
	}
	switch s[i].Name {
	case ">":
		parent := n.Parent
		return outside(parent) || isElement(parent) && d.matches(parent, before)
	case "+":
		prev := sibling(n)
		return prev != nil && d.matches(prev, before)
	case "~":
		for prev := sibling(n); prev != nil; prev = sibling(prev) {
			if d.matches(prev, before) {
				return true
			}
		}
		return false
	case "||":
		return true
	}
	for parent := n.Parent; parent != nil; parent = parent.Parent {
		if outside(parent) || isElement(parent) && d.matches(parent, before) {
			return true
		}
	}
	return false
}

// isElement reports whether n is an element.
func isElement(n *html.Node) bool { return n != nil && n.Type == html.ElementNode }

// outside reports whether the ancestors of a node are unknown: scripts insert
// the contents of a template anywhere.
func outside(n *html.Node) bool { return isElement(n) && n.Data == "template" }

// sibling returns the previous sibling element.
func sibling(n *html.Node) *html.Node {
	for n = n.PrevSibling; n != nil && n.Type != html.ElementNode; n = n.PrevSibling {
	}
	return n
}

// matchesPart reports whether an element may match a simple selector. States
// and structural pseudo-classes count as matching.
func (d *document) matchesPart(n *html.Node, s *ast.Simple) bool {
	name := token.Unescape(s.Name)
	switch s.Kind {
	case ast.TypeSelector:
		return strings.EqualFold(n.Data, name[strings.LastIndexByte(name, '|')+1:])
	case ast.ClassSelector:
		return slices.ContainsFunc(strings.Fields(attrOf(n, "class")),
			func(c string) bool { return d.fold(c) == d.fold(name) })
	case ast.IDSelector:
		return d.fold(attrOf(n, "id")) == d.fold(name)
	case ast.PseudoClass:
		if s.Args == nil || len(s.Args.Selectors) == 0 {
			return true
		}
		if known.MatchesAny(token.Lower(s.Name)) {
			return slices.ContainsFunc(s.Args.Selectors, func(arg ast.Selector) bool { return d.matches(n, arg) })
		}
	}
	return true
}

// attrOf returns the value of an attribute.
func attrOf(n *html.Node, key string) string {
	for _, a := range n.Attr {
		if a.Key == key {
			return a.Val
		}
	}
	return ""
}
