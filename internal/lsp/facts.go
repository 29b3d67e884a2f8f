package lsp

import (
	"context"
	"slices"
	"strings"

	"rinzel/internal/css/ast"
	"rinzel/internal/css/parse"
	"rinzel/internal/css/print"
	"rinzel/internal/css/token"
	"rinzel/internal/query"
	"rinzel/internal/site"
	"rinzel/internal/source"
)

// facts are what the site has, for proposals and explanations. They are collected after
// findings, and when the first request needs them. They may be older than the last edits:
// a text that is being typed has mistakes.
type facts struct {
	outdated  bool
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
}

// named is a name with its place and what it is.
type named struct {
	name, kind, text string
	at               source.Span
}

// known returns the facts; those of some edits ago if there are any.
func (s *server) known(ctx context.Context) *facts {
	if !s.facts.known {
		s.collect(ctx)
	}
	return &s.facts
}

// collect collects the facts again. Those of the last time stay if that fails.
func (s *server) collect(ctx context.Context) {
	if s.session.Cache() == nil {
		return
	}
	p := s.session.Project()
	next := facts{known: true}
	found, err := query.ListConstants(ctx, p)
	if err != nil {
		return
	}
	for _, c := range query.Merge(found.Sheets) {
		next.constants = append(next.constants, constant{c.Path, c.Value, c.Set.At})
	}
	sheets, err := query.StyleSheets(ctx, p)
	if err != nil {
		return
	}
	for _, path := range sheets {
		if f, err := p.Tree.Text(path); err == nil {
			sheet, _ := parse.Sheet(f)
			next.names(sheet.Nodes)
		}
	}
	if next.families, err = query.ListFamilies(ctx, p, "", site.Options{Profile: s.opts.Profile}); err != nil {
		return
	}
	byName := func(a, b named) int { return strings.Compare(a.name, b.name) }
	same := func(a, b named) bool { return a.name == b.name }
	for _, list := range []*[]named{&next.mixins, &next.variables, &next.classes} {
		slices.SortStableFunc(*list, byName)
		*list = slices.CompactFunc(*list, same)
	}
	s.facts = next
}

// names adds the names that the nodes of a sheet define.
func (f *facts) names(nodes []ast.Node) {
	ast.Walk(nodes, func(n ast.Node) bool {
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
				for i := range sel {
					if sel[i].Kind == ast.ClassSelector {
						f.classes = append(f.classes, named{token.Unescape(sel[i].Name), "class", "", n.Span()})
					}
				}
			}
		}
		return true
	})
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
