package minify

import (
	"slices"
	"strings"

	"rinzel/internal/css/ast"
	"rinzel/internal/css/print"
	"rinzel/internal/css/scan"
	"rinzel/internal/css/token"
)

// This file shortens selectors.

// selectors minifies the selector list of a rule.
func (m *minifier) selectors(list []ast.Selector) ([]ast.Selector, bool) {
	short, changed := ast.MapList(list, func(_ int, s *ast.Selector) (ast.Selector, bool) { return m.selector(*s) })
	apart, isApart := m.withoutIs(short)
	single := apart
	if len(apart) > 1 {
		single = m.withoutDoubles(apart)
	}
	if isApart {
		m.authors[m.listHash(single)] = short
	}
	return single, changed || isApart || len(single) < len(apart)
}

// withoutDoubles returns a list without selectors that occur earlier in it. A
// list without doubles is returned as it is.
func (m *minifier) withoutDoubles(list []ast.Selector) []ast.Selector {
	seen := make(map[selectorID]bool, len(list))
	var out []ast.Selector
	for _, s := range list {
		if id := m.pool.selector(s); !seen[id] {
			seen[id] = true
			out = append(out, s)
		}
	}
	if len(out) == len(list) {
		return list
	}
	return out
}

// keyframe minifies the selector of a keyframe.
func keyframe(prelude []ast.Value) ([]ast.Value, bool) {
	return ast.MapList(prelude, func(_ int, v *ast.Value) (with ast.Value, changed bool) {
		with = *v
		switch {
		case v.IsIdent("from"):
			with.Kind, with.Text = token.Percentage, "0%"
		case v.Kind == token.Percentage && v.Text == "100%":
			with.Kind, with.Text = token.Ident, "to"
		default:
			return with, false
		}
		return with, true
	})
}

// selector minifies a selector.
func (m *minifier) selector(s ast.Selector) (ast.Selector, bool) {
	out, changed := ast.MapList(s, func(i int, p *ast.Simple) (with ast.Simple, changed bool) {
		with = *p
		switch {
		case p.Kind == ast.PseudoElement && p.Args == nil && ast.IsLegacyElement(p.Name):
			with.Args = &ast.Args{SingleColon: true}
			return with, true
		case p.Kind == ast.PseudoClass && p.Args != nil:
			return m.pseudoClass(with)
		case p.Args == nil:
			return with, false
		}
		args, changed := m.arguments(*p)
		with.Args = args
		return with, changed
	})
	if m.namespaces {
		return out, changed
	}
	for i := range out {
		if out[i].Kind == ast.UniversalSelector && out[i].Name == "*" && i+1 < len(out) && qualifies(out[i+1].Kind) {
			return slices.Delete(slices.Clone(out), i, i+1), true
		}
	}
	return out, changed
}

// qualifies reports whether a simple selector of a kind makes * before it
// superfluous.
func qualifies(kind ast.SimpleKind) bool {
	switch kind {
	case ast.ClassSelector, ast.IDSelector, ast.AttributeSelector, ast.PseudoClass, ast.PseudoElement:
		return true
	}
	return false
}

// pseudoClass minifies a pseudo-class with arguments.
func (m *minifier) pseudoClass(p ast.Simple) (with ast.Simple, changed bool) {
	name := token.Lower(p.Name)
	if strings.HasPrefix(name, "nth-") && len(p.Args.Selectors) == 0 {
		formula := nth(print.CompactValues(p.Args.Values))
		if first, ok := ordinals[name]; ok && formula == "1" {
			p.Name, p.Args = first, nil
			return p, true
		}
		if formula != print.CompactValues(p.Args.Values) {
			args := *p.Args
			args.Values = []ast.Value{{Kind: token.Ident, Text: formula, Pos: p.Pos}}
			p.Args = &args
			return p, true
		}
		return p, false
	}
	args, changed := m.arguments(p)
	p.Args = args
	return p, changed
}

// ordinals are the names of pseudo-classes with 1 as argument.
var ordinals = map[string]string{"nth-child": "first-child", "nth-last-child": "last-child",
	"nth-of-type": "first-of-type", "nth-last-of-type": "last-of-type"}

// nth returns the shortest form of An+B (CSS Syntax Level 3, section 6), given
// without insignificant white space.
func nth(formula string) string {
	formula = token.Lower(formula)
	if strings.IndexByte(formula, '/') >= 0 {
		return formula
	}
	tight := strings.ReplaceAll(formula, " ", "")
	tight = strings.TrimPrefix(tight, "+")
	switch {
	case tight == "even" || tight == "2n+0":
		return "2n"
	case tight == "2n+1" || tight == "2n-1":
		return "odd"
	}
	tight = strings.TrimSuffix(tight, "+0")
	tight = strings.TrimPrefix(tight, "0n+")
	if strings.HasPrefix(tight, "1n") {
		tight = tight[1:]
	}
	if strings.HasPrefix(tight, "-1n") {
		tight = "-" + tight[2:]
	}
	return tight
}

// arguments removes the quotes of an attribute value, and minifies the
// selectors in a pseudo-class.
func (m *minifier) arguments(p ast.Simple) (*ast.Args, bool) {
	args := *p.Args
	list, changed := ast.MapList(args.Selectors,
		func(_ int, s *ast.Selector) (ast.Selector, bool) { return m.selector(*s) })
	args.Selectors = list
	if p.Kind == ast.AttributeSelector && args.Value.Kind == token.String {
		raw := args.Value.Text
		value := raw[1 : len(raw)-1]
		if !strings.ContainsRune(value, '\\') && scan.StartsIdent(value) && token.EscapeName(value) == value {
			args.Value.Kind, args.Value.Text = token.Ident, value
			changed = true
		} else if with := quoted(raw); with != raw {
			args.Value.Text = with
			changed = true
		}
	}
	return &args, changed
}
