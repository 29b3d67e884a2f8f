package purge

import (
	"strings"

	"rinzel/internal/css/ast"
	"rinzel/internal/css/token"
	"rinzel/internal/source"
)

// Change is the difference between two sets of evidence.
type Change struct {
	names map[string]bool // names in only one of them
	all   bool            // any verdict may differ
}

// Since returns the difference between e and earlier evidence, ignoring
// positions. If a pattern was added or removed, or an attribute with its
// values, any verdict may differ.
func (e *Evidence) Since(before *Evidence) *Change {
	c := &Change{names: make(map[string]bool)}
	from := before.maps()
	for i, m := range e.maps() {
		differing(m, from[i], func(name string) { c.names[name] = true })
	}
	differing(&e.patterns, &before.patterns, func(string) { c.all = true })
	differing(&e.members, &before.members, func(string) { c.all = true })
	c.all = c.all || len(e.documents)+len(before.documents) > 0 || e.quirks != before.quirks ||
		len(e.unreadable)+len(before.unreadable) > 0 || len(e.attrs) != len(before.attrs)
	c.all = c.all || len(c.names) > 0 && e.hasWeakPattern()
	for name, values := range e.attrs {
		old := before.attrs[name]
		differing(&values, &old, func(string) { c.names["["+name] = true })
	}
	return c
}

// differing calls visit with the keys that only one of two maps has.
func differing(a, b *map[string]source.Pos, visit func(name string)) {
	for name := range *a {
		if _, ok := (*b)[name]; !ok {
			visit(name)
		}
	}
	for name := range *b {
		if _, ok := (*a)[name]; !ok {
			visit(name)
		}
	}
}

// Concerns reports whether a verdict that depends on names may differ.
func (c *Change) Concerns(names map[string]bool) bool {
	if c.all {
		return true
	}
	small, large := c.names, names
	if len(small) > len(large) {
		small, large = large, small
	}
	for name := range small {
		if large[name] {
			return true
		}
	}
	return false
}

// Names returns the names that the verdicts on the selectors of nodes depend
// on; attributes are prefixed with a bracket.
func Names(nodes []ast.Node) map[string]bool {
	out := make(map[string]bool)
	ast.Walk(nodes, func(n ast.Node) bool {
		switch n := n.(type) {
		case *ast.StyleRule:
			for _, s := range n.Selectors {
				namesOf(s, out)
			}
		case *ast.Declaration:
			if n.IsCustom() {
				out[token.Unescape(n.Name)], out["[style"] = true, true
			}
		case *ast.AtRule: // definitions are decided by name
			idents(n.Prelude, func(name string) { out[name] = true })
			if token.EqualFold(n.Name, "font-face") {
				for _, word := range strings.Fields(familyOf(n)) {
					out[word] = true
				}
				out["[style"], out["[font-family"] = true, true
			}
			if n.Block != nil {
				out["[style"] = true
			}
		}
		return true
	})
	return out
}

// namesOf adds the names in a selector.
func namesOf(s ast.Selector, out map[string]bool) {
	for i := range s {
		name := token.Unescape(s[i].Name)
		switch s[i].Kind {
		case ast.ClassSelector, ast.IDSelector:
			out[name] = true
			out[strings.ToLower(name)] = true
		case ast.TypeSelector:
			name = name[strings.LastIndexByte(name, '|')+1:]
			out[name] = true
			out[strings.ToLower(name)] = true
		case ast.AttributeSelector:
			name = strings.ToLower(name[strings.LastIndexByte(name, '|')+1:])
			out[name], out["["+name] = true, true
			if rest, ok := strings.CutPrefix(name, "data-"); ok {
				out[camelCase(rest)] = true
			}
		}
		if s[i].Args != nil {
			for _, arg := range s[i].Args.Selectors {
				namesOf(arg, out)
			}
			idents(s[i].Args.Values, func(name string) { out[name] = true }) // ::part()
		}
	}
}
