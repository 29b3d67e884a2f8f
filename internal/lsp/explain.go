package lsp

import (
	"context"
	"fmt"
	"path/filepath"
	"slices"
	"strings"

	"rinzel/internal/browsers"
	"rinzel/internal/css/grammar"
	"rinzel/internal/css/token"
	"rinzel/internal/diag"
	"rinzel/internal/source"
	"rinzel/internal/step/compose"
)

// hover explains the word at a place.
func (s *server) hover(ctx context.Context, q at) (any, error) {
	d, p, ok := s.asked(q)
	if !ok || p.whole == "" {
		return null, nil
	}
	text := s.explained(ctx, &p)
	if text == "" {
		return null, nil
	}
	return hover{markdown{"markdown", text}, rangeIn(d.text, p.from, p.to)}, nil
}

// asked returns the document and the place of a request.
func (s *server) asked(q at) (d *document, p place, ok bool) {
	if d = s.documents[q.TextDocument.URI]; d == nil {
		return nil, p, false
	}
	offset, ok := offsetIn(d.text, q.Position)
	if !ok {
		return nil, p, false
	}
	return d, placeIn(d, offset), true
}

// explained returns what there is to say about a word, in Markdown.
func (s *server) explained(ctx context.Context, p *place) string {
	switch p.subject {
	case aConstant:
		for _, k := range s.known(ctx).constants {
			if k.path == p.constant() {
				return s.explainedConstant(&k)
			}
		}
	case aVariable:
		for _, v := range s.known(ctx).variables {
			if v.name == p.whole {
				return fmt.Sprintf("```css\n%s: %s\n```\nset at %s", v.name, v.text, s.shown(v.at)) + s.usedElsewhere(ctx, p, v)
			}
		}
	case aMixin:
		for _, m := range s.known(ctx).mixins {
			if m.name == p.whole {
				return fmt.Sprintf("```css\n@%s %s\n```\ndefined at %s", m.kind, m.text, s.shown(m.at)) + s.usedElsewhere(ctx, p, m)
			}
		}
	case aProperty, aValue:
		return s.explainedProperty(p)
	case anAtRule:
		if text := s.support(atRuleFeature + token.Lower(p.whole)); text != "" {
			return fmt.Sprintf("`@%s`: %s", p.whole, text)
		}
	case aClass:
		return s.explainedClass(ctx, p)
	}
	return ""
}

// usedElsewhere returns where a name is used, apart from its definition.
func (s *server) usedElsewhere(ctx context.Context, p *place, n named) string {
	isUse := func(o occurrence) bool {
		f := s.session.Project().Tree.Set.File(n.at.Start.File)
		return f == nil || f.Path != o.path || o.from != int(n.at.Start.Off)
	}
	return s.usedAt(ctx, p.subject, n.name, isUse, "not used")
}

// explainedConstant returns what there is to say about a constant: its value, with the
// colour, where it is set, what it is derived from, and what reads it.
func (s *server) explainedConstant(k *constant) string {
	text := fmt.Sprintf("```css\n%s: %s\n```\n", k.path, k.value)
	if c := k.color; c != nil {
		text += swatch(*c) + " "
	}
	text += "set at " + s.shown(k.at)
	list := func(head string, names []string) {
		const most = 6
		if len(names) == 0 {
			return
		}
		text += "\n\n" + head + " `" + strings.Join(names[:min(len(names), most)], "`, `") + "`"
		if n := len(names) - most; n > 0 {
			text += fmt.Sprintf(" and %d more", n)
		}
	}
	list("derived from", k.from)
	list("read by", k.derived)
	if k.rules > 0 {
		const most = 3
		var places []string
		for _, use := range k.uses[:min(len(k.uses), most)] {
			places = append(places, s.shown(use.At))
		}
		text += "\n\nin " + diag.Count(k.rules, "rule") + ": " + strings.Join(places, ", ")
	}
	return text
}

// swatch returns a picture of a colour, in Markdown.
func swatch(c [3]uint8) string {
	return fmt.Sprintf("![#%02x%02x%02x](data:image/svg+xml,%%3Csvg xmlns='http://www.w3.org/2000/svg' width='16' height='16'%%3E"+
		"%%3Crect width='16' height='16' fill='%%23%02x%02x%02x'/%%3E%%3C/svg%%3E)", c[0], c[1], c[2], c[0], c[1], c[2])
}

// explainedProperty returns the syntax of a property, and which targets lack it, or the
// keyword at the place.
func (s *server) explainedProperty(p *place) string {
	name := token.Lower(p.whole)
	if p.subject == aValue {
		name = p.property
	}
	property, ok := grammar.Property(name)
	if !ok || property.Syntax() == "" {
		return ""
	}
	text := fmt.Sprintf("```\n%s: %s\n```", name, property.Syntax())
	if support := s.support(browsers.Property(name)); support != "" {
		text += fmt.Sprintf("\n`%s`: %s", name, support)
	}
	if p.subject == aValue {
		if support := s.support(valueFeature(name, p.whole)); support != "" {
			text += fmt.Sprintf("\n\n`%s`: %s", p.whole, support)
		}
	}
	return text
}

// explainedClass returns what there is to say about a class.
func (s *server) explainedClass(ctx context.Context, p *place) string {
	class := p.class()
	f := s.known(ctx)
	if f.families != nil {
		for _, fam := range f.families.Families {
			for _, m := range fam.Members {
				if m.Class != class {
					continue
				}
				text := fmt.Sprintf("```css\n.%s { %s }\n```\nof the family `%s` at %s", token.EscapeName(class), m.Declarations,
					fam.Pattern, s.shown(fam.At))
				if len(m.Modes) > 0 {
					text += ", in the modes `" + strings.Join(m.Modes, "`, `") + "`"
				}
				return text
			}
		}
	}
	return s.explainedRules(ctx, f, class)
}

// explainedRules returns which rules select a class, with their specificity, and where
// pages and scripts use it.
func (s *server) explainedRules(ctx context.Context, f *facts, class string) string {
	const most = 5
	rules := slices.DeleteFunc(slices.Clone(f.classes), func(c named) bool { return c.name != class })
	if len(rules) == 0 {
		return ""
	}
	var b strings.Builder
	for i, rule := range rules {
		if i == most {
			fmt.Fprintf(&b, "\n\nand %s", diag.Count(len(rules)-most, "other rule"))
			break
		}
		fmt.Fprintf(&b, "\n\n`%s` at %s, specificity %s", rule.text, s.shown(rule.at), rule.kind)
	}
	inMarkup := func(o occurrence) bool { return !o.sheet }
	return strings.TrimSpace(b.String() + s.usedAt(ctx, aClass, class, inMarkup, "in no page and no script"))
}

// usedAt returns where a name occurs, in Markdown; none is the text if it does not.
func (s *server) usedAt(ctx context.Context, what subject, name string, include func(occurrence) bool,
	none string) string {
	const most = 5
	found, err := s.occurrences(ctx, what, name)
	if err != nil {
		return ""
	}
	var places []string
	for _, o := range found {
		f, err := s.session.Project().Tree.Text(o.path)
		if err != nil || !include(o) {
			continue
		}
		line, _ := f.Position(uint32(o.from))
		if at := s.shownLine(f, line); !slices.Contains(places, at) {
			places = append(places, at)
		}
	}
	if len(places) == 0 {
		return "\n\n" + none
	}
	text := "\n\nused at " + strings.Join(places[:min(len(places), most)], ", ")
	if n := len(places) - most; n > 0 {
		text += " and " + diag.Count(n, "other place")
	}
	return text
}

// class returns the class that the word means.
func (p *place) class() string {
	if p.markup {
		return p.whole
	}
	return token.Unescape(p.whole)
}

// shown returns a place as file:line.
func (s *server) shown(at source.Span) string {
	f := s.session.Project().Tree.Set.File(at.Start.File)
	if f == nil {
		return "an earlier version"
	}
	line, _ := f.Position(at.Start.Off)
	return s.shownLine(f, line)
}

// shownLine returns a line of a file, relative to the folder of the editor.
func (s *server) shownLine(f *source.File, line int) string {
	name := f.Name
	if rel, err := filepath.Rel(s.folder, filepath.FromSlash(name)); err == nil && filepath.IsLocal(rel) {
		name = filepath.ToSlash(rel)
	}
	return fmt.Sprintf("%s:%d", name, line)
}

// definition leads to where the word at a place is defined.
func (s *server) definition(ctx context.Context, q at) (any, error) {
	_, p, ok := s.asked(q)
	if !ok || p.whole == "" {
		return null, nil
	}
	out := []location{}
	for _, at := range s.known(ctx).definitions(&p) {
		if uri, where, ok := s.place(at); ok {
			out = append(out, location{uri, where})
		}
	}
	return out, nil
}

// definitions returns where the word at a place is defined.
func (f *facts) definitions(p *place) (out []source.Span) {
	if p.subject == aConstant {
		for _, k := range f.constants {
			if k.path == p.constant() {
				out = append(out, k.at)
			}
		}
		return out
	}
	name := p.whole
	if p.subject == aClass {
		name = p.class()
	}
	lists := map[subject][]named{aVariable: f.variables, aMixin: f.mixins, aClass: f.classes}
	for _, n := range lists[p.subject] {
		if n.name == name {
			out = append(out, n.at)
		}
	}
	if p.subject != aClass || f.families == nil {
		return out
	}
	for _, fam := range f.families.Families {
		if slices.ContainsFunc(fam.Members, func(m compose.Member) bool { return m.Class == name }) {
			out = append(out, fam.At)
		}
	}
	return out
}
