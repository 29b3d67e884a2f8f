package query

import (
	"slices"
	"strings"

	"rinzel/internal/css/ast"
	"rinzel/internal/css/print"
	"rinzel/internal/css/token"
	"rinzel/internal/diag"
	"rinzel/internal/source"
	"rinzel/internal/step/compose"
)

// This file answers who sets and reads a custom property.

// PropertyUses are the uses of a custom property on a site.
type PropertyUses struct {
	Name        string
	Sets, Reads []PropertyUse
	Registered  []PropertyUse // @property rules
	Words       []source.Pos  // where pages, scripts and other files have the name, one per file
	Near        []string      // similar custom properties, if nothing uses it
}

// PropertyUse is a declaration or rule that uses a custom property.
type PropertyUse struct {
	At      source.Span
	Text    string   // "selectors { property: value }"
	Bundles []string // logical names; of style elements the pages
	Purged  bool     // no bundle has it after purging
}

// Property returns the uses of a custom property.
func (o *Purged) Property(name string) PropertyUses {
	out := PropertyUses{Name: name, Words: o.uses[name]}
	all := make(map[string]bool)
	for i := range o.res.Staged {
		s := &o.res.Staged[i]
		remains := make(map[source.Pos]bool)
		ast.Walk(s.Last().Nodes(), func(n ast.Node) bool {
			remains[n.Pos()] = true
			return true
		})
		out.collect(s.Joined(), "", all, func(to *[]PropertyUse, n ast.Node, text string) {
			addUse(to, PropertyUse{At: n.Span(), Text: text, Bundles: []string{s.Name}, Purged: !remains[n.Pos()]})
		})
	}
	if len(out.Sets)+len(out.Reads)+len(out.Registered) == 0 {
		var names []string
		for other := range all {
			names = append(names, other)
		}
		slices.Sort(names)
		if near := diag.Nearest(name, names); near != "" {
			out.Near = []string{near}
		}
	}
	return out
}

// addUse adds a use, or the bundle of one that is known.
func addUse(list *[]PropertyUse, use PropertyUse) {
	for i := range *list {
		known := &(*list)[i]
		if known.At == use.At && known.Text == use.Text {
			known.Purged = known.Purged && use.Purged
			if !slices.Contains(known.Bundles, use.Bundles[0]) {
				known.Bundles = append(known.Bundles, use.Bundles[0])
			}
			return
		}
	}
	*list = append(*list, use)
}

// collect visits the uses of the property in nodes, and notes the names of all
// custom properties. rule has the selectors around.
func (u *PropertyUses) collect(nodes []ast.Node, rule string, all map[string]bool,
	add func(to *[]PropertyUse, n ast.Node, text string)) {
	for _, n := range nodes {
		switch n := n.(type) {
		case *ast.Declaration:
			own := token.Unescape(n.Name)
			text := n.Name + ": " + print.Values(n.Value)
			if rule != "" {
				text = rule + " { " + text + " }"
			}
			if n.IsCustom() {
				all[own] = true
				if own == u.Name {
					add(&u.Sets, n, text)
				}
			}
			read := varsIn(n.Value, nil)
			for _, name := range read {
				all[name] = true
			}
			if slices.Contains(read, u.Name) {
				add(&u.Reads, n, text)
			}
		case *ast.StyleRule:
			u.collect(n.Nodes, compose.NestedIn(rule, string(print.AppendSelectors(nil, n.Selectors))), all, add)
		case *ast.AtRule:
			name := strings.TrimSpace(print.Values(n.Prelude))
			if token.EqualFold(n.Name, "property") && token.Unescape(name) == u.Name {
				add(&u.Registered, n, "@property "+name)
			}
			u.collect(ast.Body(n), rule, all, add)
		default:
			u.collect(ast.Body(n), rule, all, add)
		}
	}
}
