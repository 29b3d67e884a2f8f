package prefix

import (
	"slices"
	"strings"

	"rinzel/internal/browsers"
	"rinzel/internal/css/ast"
	"rinzel/internal/css/print"
	"rinzel/internal/css/token"
)

// This file writes prefixed property names in the lists of transition and
// will-change. Adding names would make the list longer for all browsers, and
// match durations and delays of other rules with the wrong names. So the list
// with prefixed names is written in a rule of its own, for browsers without the
// standard property:
//
//	.a { transition: backdrop-filter 1s, color 2s }
//	@supports not (backdrop-filter: inherit) {
//	    .a { transition: -webkit-backdrop-filter 1s, color 2s }
//	}

// nameLists are the properties whose values list property names, with the list
// that they belong to.
var nameLists = map[string]string{"transition": "transition", "transition-property": "transition",
	"will-change": "will-change"}

// listsNames reports whether a declaration lists property names for which there
// is a guarded form.
func (p *prefixer) listsNames(d *ast.Declaration, name string) bool {
	return p.guards && p.only == "" && nameLists[name] != "" && len(p.namesToPrefix(d)) > 0
}

// namesToPrefix returns the names in a list that some targets only know with a
// prefix, and that the author did not prefix.
func (p *prefixer) namesToPrefix(d *ast.Declaration) (out []string) {
	for _, v := range d.Value {
		if v.Kind != token.Ident {
			continue
		}
		name := token.Lower(v.Text)
		prefix := p.onePrefix(name)
		if prefix == "" || slices.Contains(out, name) || !browsers.Known(browsers.Property(name)) {
			continue
		}
		written := slices.ContainsFunc(d.Value, func(o ast.Value) bool { return o.IsIdent(renamed(prefix, name)) })
		if !written {
			out = append(out, name)
		}
	}
	return out
}

// onePrefix returns the prefix that targets need for a property; empty if they
// need none, or a legacy name.
func (p *prefixer) onePrefix(name string) string {
	for _, prefix := range p.properties[name] {
		if !strings.HasPrefix(prefix, "=") {
			return prefix
		}
	}
	return ""
}

// guarded returns the rules to add after one whose declarations list names that
// some targets only know with a prefix.
func (p *prefixer) guarded(r *ast.StyleRule) (out []ast.Node) {
	var names []string
	groups := make(map[string]bool)
	for _, n := range r.Nodes {
		d, ok := n.(*ast.Declaration)
		if !ok || p.exempt[n] {
			continue
		}
		if name := token.Lower(d.Name); p.listsNames(d, name) {
			groups[nameLists[name]] = true
			for _, name := range p.namesToPrefix(d) {
				if !slices.Contains(names, name) {
					names = append(names, name)
				}
			}
		}
	}
	add := func(names []string) {
		rule, changes := p.guard(r, groups, names)
		if p.hasGuard(rule) {
			return // an earlier run wrote it
		}
		out = append(out, rule)
		for _, c := range changes {
			p.note(c)
		}
	}
	for i := range names {
		add(names[i : i+1])
	}
	if len(names) > 1 {
		add(names)
	}
	return out
}

// guard returns a rule for browsers without some properties, with the
// declarations of the lists and prefixed names in them, and the changes.
func (p *prefixer) guard(r *ast.StyleRule, groups map[string]bool, names []string) (rule *ast.AtRule,
	changes []Change) {
	inner := *r
	inner.Nodes = nil
	for _, n := range r.Nodes {
		d, ok := n.(*ast.Declaration)
		if !ok {
			continue
		}
		name := token.Lower(d.Name)
		if !groups["transition"] || !strings.HasPrefix(name, "transition") {
			if !groups["will-change"] || name != "will-change" {
				continue
			}
		}
		copied := *d
		copied.Value = slices.Clone(d.Value)
		for i := range copied.Value {
			v := &copied.Value[i]
			if lower := token.Lower(v.Text); v.Kind == token.Ident && slices.Contains(names, lower) {
				prefix := p.onePrefix(lower)
				v.Text = renamed(prefix, lower)
				changes = append(changes,
					Change{Property: name + ": " + v.Text, Feature: featureOfName(lower, prefix), Prefix: prefix})
			}
		}
		inner.Nodes = append(inner.Nodes, &copied)
	}
	at := r.Span().Start
	value := func(kind token.Kind, text string, space bool) ast.Value {
		return ast.Value{Kind: kind, Text: text, Pos: at, Space: space}
	}
	brackets := func(space bool, values ...ast.Value) ast.Value {
		v := value(token.LParen, "(", space)
		v.Inner = &ast.Inner{Values: values}
		return v
	}
	lacks := func(name string) []ast.Value {
		return []ast.Value{value(token.Ident, "not", false),
			brackets(true, value(token.Ident, name, false), value(token.Colon, ":", false),
				value(token.Ident, "inherit", false))}
	}
	prelude := lacks(names[0])
	if len(names) > 1 {
		prelude = nil
		for i, name := range names {
			if i > 0 {
				prelude = append(prelude, value(token.Ident, "and", true))
			}
			prelude = append(prelude, brackets(i > 0, lacks(name)...))
		}
	}
	rule = &ast.AtRule{At: at, Name: "supports", Prelude: prelude, Block: &ast.Block{Nodes: []ast.Node{&inner}}}
	return rule, changes
}

// hasGuard reports whether a sibling is the same rule.
func (p *prefixer) hasGuard(r *ast.AtRule) bool {
	return slices.ContainsFunc(p.siblings, func(n ast.Node) bool {
		o, ok := n.(*ast.AtRule)
		return ok && token.EqualFold(o.Name, "supports") &&
			print.CompactValues(o.Prelude) == print.CompactValues(r.Prelude) && ast.Equal(o.Block.Nodes, r.Block.Nodes, true)
	})
}
