package lsp

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"

	"rinzel/internal/css/ast"
	"rinzel/internal/css/parse"
	"rinzel/internal/css/print"
	"rinzel/internal/css/selector"
	"rinzel/internal/css/token"
	"rinzel/internal/query"
	"rinzel/internal/site"
	"rinzel/internal/source"
	"rinzel/internal/step/compose"
)

// facts are what the site has, for proposals and explanations. They are collected after
// findings, and when the first request needs them. They may be older than the last edits:
// a text that is being typed has mistakes.
type facts struct {
	known     bool
	constants []constant
	mixins    []named // and functions, custom media and custom selectors
	variables []named // custom properties
	classes   []named
	families  *query.Families
}

// constant is a constant with its value.
type constant struct {
	path, value string
	at          source.Span
	color       *[3]uint8 // in sRGB; nil if it is not a colour
	from        []string  // constants that its value is derived from
	derived     []string  // constants derived from it
	rules       int       // that read it
	uses        []compose.Use
}

// named is a name with its place and what it is: for a class, kind is the specificity of
// a selector with it, and text is that selector.
type named struct {
	name, kind, text string
	at               source.Span
}

// known returns the facts; those of some edits ago if there are any.
func (s *server) known(ctx context.Context) *facts {
	if !s.facts.known && s.session.Cache() != nil {
		var next facts
		for _, part := range parts {
			if err := part(s, ctx, &next); err != nil {
				return &s.facts
			}
		}
		s.put(next)
	}
	return &s.facts
}

// refresh collects the facts again, part by part, so that requests come in between. Those
// of the last time stay if the context ends.
func (s *server) refresh(ctx context.Context) {
	var next facts
	for _, part := range parts {
		done := s.whileIdle(ctx, func(ctx context.Context) error {
			if s.session.Cache() == nil {
				return errSettings
			}
			return part(s, ctx, &next)
		})
		if !done {
			return
		}
	}
	s.mu.Lock()
	defer s.mu.Unlock()
	s.put(next)
}

// errSettings means that the settings are invalid.
var errSettings = errors.New("the settings are invalid")

// put replaces the facts.
func (s *server) put(next facts) {
	byName := func(a, b named) int { return strings.Compare(a.name, b.name) }
	same := func(a, b named) bool { return a.name == b.name }
	slices.SortStableFunc(next.classes, byName) // with all rules
	next.classes = slices.Compact(next.classes)
	for _, list := range []*[]named{&next.mixins, &next.variables} {
		slices.SortStableFunc(*list, byName)
		*list = slices.CompactFunc(*list, same)
	}
	next.known = true
	s.facts = next
}

// parts collect the facts.
var parts = []func(*server, context.Context, *facts) error{
	func(s *server, ctx context.Context, f *facts) error {
		found, err := query.ListConstants(ctx, s.session.Project())
		if err != nil {
			return err
		}
		for _, c := range query.Merge(found.Sheets) {
			f.constants = append(f.constants, constant{c.Path, c.Value, c.Set.At, c.Color, c.From, c.Derived, c.Rules, c.Uses})
		}
		return nil
	},
	func(s *server, ctx context.Context, f *facts) error {
		p := s.session.Project()
		sheets, err := query.StyleSheets(ctx, p)
		for _, path := range sheets {
			if text, err := p.Tree.Text(path); err == nil && ctx.Err() == nil {
				sheet, _ := parse.Sheet(text)
				f.names(sheet.Nodes, selector.Specificity{})
			}
		}
		return cmp.Or(err, ctx.Err())
	},
	func(s *server, ctx context.Context, f *facts) (err error) {
		f.families, err = query.ListFamilies(ctx, s.session.Project(), "", site.Options{Profile: s.opts.Profile})
		return err
	},
}

// names adds the names that the nodes of a sheet define. parent is the specificity of the
// rules around them.
func (f *facts) names(nodes []ast.Node, parent selector.Specificity) {
	for _, n := range nodes {
		inside := parent
		switch n := n.(type) {
		case *ast.AtRule:
			f.definition(n)
		case *ast.Declaration:
			if n.IsCustom() {
				f.variables = append(f.variables, named{token.Unescape(n.Name), "property", textOf(n.Value),
					source.SpanOf(n.NamePos, len(n.Name))})
			}
		case *ast.StyleRule:
			for _, sel := range n.Selectors {
				weight := selector.Nested(sel, parent)
				if inside.Less(weight) {
					inside = weight
				}
				for i := range sel {
					if sel[i].Kind == ast.ClassSelector {
						f.classes = append(f.classes, named{token.Unescape(sel[i].Name),
							fmt.Sprintf("%d,%d,%d", weight.IDs, weight.Classes, weight.Types), print.Selector(sel), n.Span()})
					}
				}
			}
		}
		f.names(ast.Body(n), inside)
	}
}

// definition adds the name that an at-rule defines.
func (f *facts) definition(r *ast.AtRule) {
	kind := token.Lower(r.Name)
	switch kind {
	case "mixin", "function", "custom-media", "custom-selector":
	default:
		return
	}
	for i := range r.Prelude {
		v := &r.Prelude[i]
		name := token.Unescape(v.Text)
		if v.Kind == token.Function {
			name = token.Unescape(v.Name())
		}
		if v.Kind == token.Ident || v.Kind == token.Function {
			f.mixins = append(f.mixins, named{name, kind, textOf(r.Prelude), v.Span()})
			return
		}
	}
}

// textOf returns values as text.
func textOf(values []ast.Value) string { return print.Values(values) }
