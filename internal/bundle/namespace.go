package bundle

import (
	"fmt"
	"slices"
	"strings"

	"rinzel/internal/css/ast"
	"rinzel/internal/css/token"
	"rinzel/internal/diag"
	"rinzel/internal/diag/code"
	"rinzel/internal/link"
)

// namespaceJoiner collects the @namespace rules of pieces, which apply to the
// whole bundle after joining.
type namespaceJoiner struct {
	report func(...diag.Diagnostic)
	alone  bool // there is a single piece
	rules  []ast.Node
	byName map[string]*ast.AtRule
}

// take returns nodes without their @namespace rules. A prefix that means
// another namespace in an earlier piece is renamed.
func (j *namespaceJoiner) take(nodes []ast.Node) []ast.Node {
	if !slices.ContainsFunc(nodes, link.IsNamespace) {
		return nodes
	}
	var out []ast.Node
	renamed := make(prefixes)
	own := make(map[string]*ast.AtRule)
	for _, n := range nodes {
		if !link.IsNamespace(n) {
			out = append(out, n)
			continue
		}
		if r, ok := n.(*ast.AtRule); ok {
			own[prefixOf(r)] = r // of two in one sheet the last wins (CSS Namespaces 3, section 2.1)
		}
	}
	for _, n := range nodes {
		if r, ok := n.(*ast.AtRule); ok && link.IsNamespace(n) && own[prefixOf(r)] == r {
			j.add(r, renamed)
		}
	}
	if len(renamed) > 0 {
		out, _ = ast.Map(out, renamed.node)
	}
	return out
}

// prefixOf returns the prefix of an @namespace rule; empty for the default
// namespace.
func prefixOf(r *ast.AtRule) string {
	if len(r.Prelude) > 1 {
		return r.Prelude[0].Text
	}
	return ""
}

// namespaceOf returns the namespace of an @namespace rule.
func namespaceOf(r *ast.AtRule) string {
	last := &r.Prelude[len(r.Prelude)-1]
	if last.Inner != nil && len(last.Inner.Values) > 0 {
		last = &last.Inner.Values[0]
	}
	if last.Kind == token.URL {
		return token.URLValue(last.Text)
	}
	return token.StringValue(last.Text)
}

// add adds an @namespace rule.
func (j *namespaceJoiner) add(r *ast.AtRule, renamed prefixes) {
	if len(r.Prelude) == 0 {
		return
	}
	name := prefixOf(r)
	if name == "" && !j.alone {
		j.report(diag.Diagnostic{Code: code.Namespace, Severity: diag.Error, Span: r.Span(),
			Message: "a default namespace would apply to all sheets of the bundle",
			Fix:     "give it a prefix, and use the prefix in the type selectors"})
		return
	}
	if j.byName == nil {
		j.byName = make(map[string]*ast.AtRule)
	}
	to := name
	for n := 2; j.byName[to] != nil; n++ {
		if namespaceOf(j.byName[to]) == namespaceOf(r) {
			break
		}
		to = fmt.Sprintf("%s-%d", name, n)
	}
	if to != name {
		renamed[name] = to
		copied := *r
		copied.Prelude = slices.Clone(r.Prelude)
		copied.Prelude[0].Text = to
		r = &copied
	}
	if j.byName[to] == nil {
		j.byName[to] = r
		j.rules = append(j.rules, r)
	}
}

// prefixes maps namespace prefixes to new ones.
type prefixes map[string]string

// node renames the prefixes in a node.
func (p prefixes) node(n ast.Node) ast.Edit {
	edited := n
	switch n := n.(type) {
	case *ast.StyleRule:
		if list, ok := ast.MapList(n.Selectors,
			func(_ int, s *ast.Selector) (ast.Selector, bool) { return p.selector(*s) }); ok {
			copied := *n
			copied.Selectors = list
			edited = &copied
		}
	case *ast.AtRule:
		if token.EqualFold(n.Name, "scope") {
			copied := *n
			copied.Prelude = p.values(n.Prelude)
			edited = &copied
		}
	case *ast.Declaration:
		value, ok := ast.MapValues(n.Value, func(v *ast.Value) (ast.Value, bool) {
			with := *v
			if v.IsFunction("attr") {
				with.Inner = &ast.Inner{Values: p.values(v.Inner.Values), Close: v.Inner.Close}
			}
			return with, v.IsFunction("attr")
		})
		if ok {
			copied := *n
			copied.Value = value
			edited = &copied
		}
	}
	if with, ok := ast.MapBody(edited, p.node); ok {
		edited = with
	}
	if edited == n {
		return ast.Keep
	}
	return ast.Replace(edited)
}

// selector renames the prefixes in a selector.
func (p prefixes) selector(s ast.Selector) (ast.Selector, bool) {
	return ast.MapList(s, func(_ int, part *ast.Simple) (ast.Simple, bool) {
		with, changed := *part, false
		if prefix, rest, ok := strings.Cut(part.Name, "|"); ok && part.Kind != ast.Combinator {
			if to, ok := p[prefix]; ok {
				with.Name, changed = to+"|"+rest, true
			}
		}
		if part.Args == nil {
			return with, changed
		}
		list, ok := ast.MapList(part.Args.Selectors,
			func(_ int, s *ast.Selector) (ast.Selector, bool) { return p.selector(*s) })
		if ok {
			args := *part.Args
			args.Selectors = list
			with.Args, changed = &args, true
		}
		return with, changed
	})
}

// values renames the prefixes in values, as in attr(svg|href).
func (p prefixes) values(values []ast.Value) []ast.Value {
	out, _ := ast.MapList(values, func(i int, v *ast.Value) (ast.Value, bool) {
		with, changed := *v, false
		if to, ok := p[v.Text]; ok && v.Kind == token.Ident && i+1 < len(values) && values[i+1].IsDelim('|') &&
			!values[i+1].Space {
			with.Text, changed = to, true
		}
		if v.Inner != nil {
			with.Inner, changed = &ast.Inner{Values: p.values(v.Inner.Values), Close: v.Inner.Close}, true
		}
		return with, changed
	})
	return out
}
