package lsp

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"rinzel/internal/css/grammar"
	"rinzel/internal/css/token"
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
			if k.path == p.whole {
				return fmt.Sprintf("```css\n%s: %s\n```\nset at %s", k.path, k.value, s.shown(k.at))
			}
		}
	case aVariable:
		for _, v := range s.known(ctx).variables {
			if v.name == p.whole {
				return fmt.Sprintf("```css\n%s: %s\n```\nset at %s", v.name, v.text, s.shown(v.at))
			}
		}
	case aMixin:
		for _, m := range s.known(ctx).mixins {
			if m.name == p.whole {
				return fmt.Sprintf("```css\n@%s %s\n```\ndefined at %s", m.kind, m.text, s.shown(m.at))
			}
		}
	case aProperty, aValue:
		name := p.whole
		if p.subject == aValue {
			name = p.property
		}
		if property, ok := grammar.Property(token.Lower(name)); ok && property.Syntax() != "" {
			return fmt.Sprintf("```\n%s: %s\n```", name, property.Syntax())
		}
	case aClass:
		return s.explainedClass(ctx, p)
	}
	return ""
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
	if i := slices.IndexFunc(f.classes, func(c named) bool { return c.name == class }); i >= 0 {
		return fmt.Sprintf("`.%s` has a rule at %s", class, s.shown(f.classes[i].at))
	}
	return ""
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
	return fmt.Sprintf("%s:%d", f.Name, line)
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
			if k.path == p.whole {
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
