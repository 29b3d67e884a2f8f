package lsp

import (
	"context"
	"fmt"
	"strings"

	"rinzel/internal/browsers"
	"rinzel/internal/css/grammar"
	"rinzel/internal/css/token"
	"rinzel/internal/query"
	"rinzel/internal/step/compose"
)

// rulesOfLanguage are the at-rules of the build-time language.
var rulesOfLanguage = []string{"apply", "const", "contents", "default", "drop", "else", "family", "loop", "mixin", "mode", "slot",
	"take", "tokens", "when"}

// completion proposes what is possible at a place.
func (s *server) completion(ctx context.Context, q at) (any, error) {
	d := s.documents[q.TextDocument.URI]
	if d == nil {
		return null, nil
	}
	offset, ok := offsetIn(d.text, q.Position)
	if !ok {
		return null, nil
	}
	p := placeIn(d, offset)
	c := &proposals{place: p, edit: rangeIn(d.text, p.from, offset), snippets: s.snippets}
	s.propose(ctx, c, d)
	return completionList{Items: c.list()}, nil
}

// proposals are proposals for a place.
type proposals struct {
	place place
	edit  textRange
	// snippets is set if the editor knows texts with a place for the cursor.
	snippets bool
	items    []completionItem
}

// add adds a proposal if the word may become it.
func (c *proposals) add(label string, kind int, detail string) {
	if strings.HasPrefix(label, c.place.word) || strings.Contains(strings.ToLower(label), strings.ToLower(c.place.word)) {
		c.items = append(c.items, completionItem{Label: label, Kind: kind, Detail: detail,
			TextEdit: &textEdit{c.edit, label}})
	}
}

// call adds a proposal for a mixin or function: with brackets, if it has parameters.
func (c *proposals) call(m named) {
	n := len(c.items)
	c.add(m.name, kindFunction, m.text)
	if len(c.items) == n || !strings.Contains(m.text, "(") {
		return
	}
	item := &c.items[n]
	item.TextEdit.NewText += "()"
	if c.snippets {
		item.TextEdit.NewText = m.name + "($1)"
		item.Format = formatSnippet
	}
}

// list returns the proposals: those that begin with the word first, without repeats.
func (c *proposals) list() []completionItem {
	const most = 500
	out := []completionItem{}
	seen := make(map[string]bool)
	for _, begins := range []bool{true, false} {
		for _, item := range c.items {
			if strings.HasPrefix(item.Label, c.place.word) == begins && !seen[item.Label] && len(out) < most {
				seen[item.Label] = true
				item.SortText = fmt.Sprintf("%04d", len(out))
				out = append(out, item)
			}
		}
	}
	return out
}

// propose adds the proposals for a subject.
func (s *server) propose(ctx context.Context, c *proposals, d *document) {
	switch c.place.subject {
	case aConstant:
		for _, k := range s.known(ctx).constants {
			c.add(k.path, kindConstant, k.value)
		}
	case aVariable:
		for _, v := range s.known(ctx).variables {
			c.add(v.name, kindConstant, v.text)
		}
	case aMixin:
		for _, m := range s.known(ctx).mixins {
			if m.kind == "mixin" {
				c.call(m)
			}
		}
	case anAtRule:
		for _, name := range rulesOfLanguage {
			c.add(name, kindKeyword, "build-time")
		}
		for _, name := range grammar.AtRules() {
			c.add(name, kindKeyword, s.lacking(atRuleFeature+name))
		}
	case aProperty:
		for _, name := range grammar.Properties() {
			if !strings.HasPrefix(name, "-") || strings.HasPrefix(c.place.word, "-") {
				c.add(name, kindProperty, s.lacking(browsers.Property(name)))
			}
		}
	case aValue:
		s.values(c, s.known(ctx))
	case aClass:
		f := s.known(ctx)
		for _, class := range f.classes {
			c.add(c.written(class.name), kindClass, "")
		}
		c.members(f.families)
	case anImport:
		s.imports(ctx, c, d)
	}
}

// values adds the values of a property: keywords, colours, functions and constants.
func (s *server) values(c *proposals, f *facts) {
	property, ok := grammar.Property(c.place.property)
	if !ok {
		return
	}
	for _, word := range property.Keywords() {
		c.add(word, kindValue, s.lacking(valueFeature(c.place.property, word)))
	}
	if property.Facts().Color {
		for _, name := range grammar.ColorNames() {
			c.add(name, kindColor, "")
		}
	}
	for _, k := range f.constants {
		c.add("const("+k.path+")", kindConstant, k.value)
	}
	for _, m := range f.mixins {
		if m.kind == "function" {
			c.call(m)
		}
	}
	for _, word := range []string{"inherit", "initial", "unset", "revert"} {
		c.add(word, kindKeyword, "")
	}
}

// written returns a class as it is written at the place: escaped in sheets.
func (c *proposals) written(class string) string {
	if c.place.markup {
		return class
	}
	return token.EscapeName(class)
}

// members adds classes of families: those with the keys and keywords of their slots, also
// with the modes that the word begins with; and the modes.
func (c *proposals) members(list *query.Families) {
	if list == nil {
		return
	}
	modes, rest := "", c.place.word
	for found := true; found; {
		found = false
		for _, m := range list.Modes {
			if r, ok := strings.CutPrefix(rest, m.Prefix); ok && m.Prefix != "" && !strings.Contains(modes, m.Prefix) {
				modes, rest, found = modes+m.Prefix, r, true
			}
		}
	}
	for _, fam := range list.Families {
		detail := fam.Pattern
		for _, class := range membersOf(fam.Family, rest) {
			c.add(c.written(modes+class), kindClass, detail)
		}
	}
	for _, m := range list.Modes {
		if !strings.Contains(modes, m.Prefix) {
			c.add(c.written(modes+m.Prefix), kindKeyword, "mode")
		}
	}
}

// membersOf returns the classes of a family that the keys of its slots make, if a word may
// become one of them.
func membersOf(f compose.Family, word string) []string {
	pattern := strings.TrimPrefix(f.Pattern, ".")
	start, _, _ := strings.Cut(pattern, "(")
	if !strings.HasPrefix(start, word) && !strings.HasPrefix(word, start) {
		return nil
	}
	const most = 400
	out := []string{pattern}
	for _, slot := range f.Slots {
		var keys []string
		for _, from := range slot.Sources {
			keys = append(keys, from.Keys...)
		}
		if len(keys) == 0 { // any number or length: nothing to propose
			return nil
		}
		var next []string
		for _, name := range out {
			for _, key := range keys {
				if len(next) < most {
					next = append(next, strings.ReplaceAll(name, "("+slot.Name+")", key))
				}
			}
		}
		out = next
	}
	return out
}
