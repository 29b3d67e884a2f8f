package cascade

import (
	"slices"
	"strconv"
	"strings"

	"rinzel/internal/css/ast"
	"rinzel/internal/css/selector"
	"rinzel/internal/css/token"
	"rinzel/internal/source"
)

// This file reads sheets into boxes.

// other is something that is not a declaration of a style rule.
type other struct {
	where      nameID
	text       string
	repeatable bool // an equal one that follows makes it superfluous
	at         source.Span
}

// shown describes it for people.
func (o *other) shown() string {
	text, _, _ := strings.Cut(o.text, "{")
	return strings.TrimSpace(text)
}

// sheet is what a sheet has outside of style rules.
type sheet struct{ others []other }

// declaresNamespace reports whether a sheet declares namespaces.
func declaresNamespace(nodes []ast.Node) bool {
	return slices.ContainsFunc(nodes, func(n ast.Node) bool {
		r, ok := n.(*ast.AtRule)
		return ok && token.EqualFold(r.Name, "namespace")
	})
}

// read reads a sheet; side is 0 for the first one and 1 for the second.
func (c *comparison) read(nodes []ast.Node, side int) *sheet {
	r := reader{comparison: c, side: side, sheet: &sheet{}, mentioned: make(map[nameID]bool)}
	r.nodes(nodes, context{where: c.id("")})
	c.sizes[side] = r.count
	return r.sheet
}

// context is where a rule is.
type context struct {
	where     nameID    // conditions, layers and scopes, from the outside in
	selectors []*chosen // of the rule around it; nil outside of style rules
}

// chosen is a selector with the specificity that it has in its rule.
type chosen struct {
	text   string
	id     nameID
	weight selector.Specificity
	whole  bool         // it can be continued: it has no pseudo-element
	of     ast.Selector // nil if it is nested and cannot be written without nesting
}

// in returns the context inside an at-rule.
func (r *reader) in(c context, at string) context {
	if where := r.texts[c.where]; where != "" {
		at = where + " " + at
	}
	return context{r.id(at), c.selectors}
}

// reader reads a sheet.
type reader struct {
	*comparison
	side  int
	sheet *sheet
	count int // of declarations
	apart int // number of selectors that those with :is() stand for

	anonymous int             // number of layers without a name
	mentioned map[nameID]bool // layers
}

// nodes reads the nodes of a block, or of the sheet.
func (r *reader) nodes(nodes []ast.Node, in context) {
	for i := 0; i < len(nodes); i++ {
		switch n := nodes[i].(type) {
		case *ast.Comment, *ast.BadRule, *ast.BadDeclaration: // browsers skip them
		case *ast.StyleRule:
			r.styleRule(n, in)
		case *ast.Declaration:
			list := append(make([]*ast.Declaration, 0, len(nodes)-i), n)
			for i+1 < len(nodes) {
				d, ok := nodes[i+1].(*ast.Declaration)
				if !ok {
					break
				}
				list = append(list, d)
				i++
			}
			r.declarations(list, in)
		case *ast.AtRule:
			r.atRule(n, in)
		default:
			r.other(n, in, false)
		}
	}
}

// styleRule reads a style rule.
func (r *reader) styleRule(n *ast.StyleRule, in context) {
	inside := context{in.where, r.chosenFrom(n.Selectors, in.selectors)}
	if list := n.Selectors; len(list) > 1 && slices.ContainsFunc(list, r.isRisky) {
		// A browser that does not know one of them drops the rule.
		var texts []string
		for _, s := range list {
			texts = append(texts, selectorText(s, r.namespaces))
		}
		slices.Sort(texts) // their order does not matter
		inside = context{r.in(in, "with "+strings.Join(texts, ", ")).where, inside.selectors}
	}
	r.nodes(n.Nodes, inside)
}

// isRisky reports whether some browser may not know a selector.
func (r *reader) isRisky(s ast.Selector) bool {
	return selector.Contains(s, ast.BadSelector) || !r.browsers.Selector(s)
}

// conditions are the at-rules whose blocks are read as part of the sheet.
var conditions = map[string]bool{"media": true, "supports": true, "container": true, "layer": true,
	"starting-style": true, "scope": true}

// definitions are the at-rules of which the last of equal ones has an effect.
var definitions = map[string]bool{"keyframes": true, "-webkit-keyframes": true, "font-face": true, "property": true,
	"counter-style": true}

// atRule reads an at-rule.
func (r *reader) atRule(n *ast.AtRule, in context) {
	name := token.Lower(n.Name)
	if !conditions[name] || n.Block == nil || name == "scope" && in.selectors != nil {
		r.other(n, in, definitions[name])
		return
	}
	prelude := preludeText(n.Prelude)
	if name == "media" {
		if prelude = r.mediaText(n.Prelude); prelude == "not all" {
			return // it never matches
		}
	}
	if name == "layer" && prelude == "" { // each is a layer of its own
		r.anonymous++
		prelude = "#" + strconv.Itoa(r.anonymous)
	}
	inside := r.in(in, strings.TrimSpace("@"+name+" "+prelude))
	layer := r.comparison.layers[in.where]
	if name == "layer" {
		layer += "." + prelude
	}
	if layer != "" {
		r.comparison.layers[inside.where] = layer
	}
	if name == "layer" && !r.mentioned[inside.where] {
		// Where a layer is first mentioned is its place in the order of layers.
		r.mentioned[inside.where] = true
		r.sheet.others = append(r.sheet.others, other{where: inside.where, at: n.Span()})
	}
	if name == "scope" {
		r.scope(n.Block.Nodes, inside)
		return
	}
	r.nodes(n.Block.Nodes, inside)
}

// scope reads the block of @scope. Declarations outside of rules are for the
// root of the scope, with a specificity of zero (CSS Cascade 6, section 2.5.5).
func (r *reader) scope(nodes []ast.Node, in context) {
	root := []*chosen{{text: ":where(:scope)", id: r.id(":where(:scope)")}}
	for _, n := range nodes {
		if isDeclaration(n) || isNestedCondition(n) {
			r.nodes([]ast.Node{n}, context{in.where, root})
		} else {
			r.nodes([]ast.Node{n}, in)
		}
	}
}

// isDeclaration reports whether n is a declaration.
func isDeclaration(n ast.Node) bool { _, ok := n.(*ast.Declaration); return ok }

// isNestedCondition reports whether n is a condition with declarations in it.
func isNestedCondition(n ast.Node) bool {
	r, ok := n.(*ast.AtRule)
	return ok && slices.ContainsFunc(ast.Body(r), func(inner ast.Node) bool {
		return isDeclaration(inner) || isNestedCondition(inner)
	})
}

// other records a node that is compared as a whole.
func (r *reader) other(n ast.Node, in context, repeatable bool) {
	var b strings.Builder
	r.writeNode(&b, n, "")
	for _, s := range in.selectors { // of the rule that it is in
		b.WriteString(" in " + s.text)
	}
	r.sheet.others = append(r.sheet.others, other{in.where, b.String(), repeatable, n.Span()})
}

// writeNode writes a node in a form in which equal ones have the same text. at
// is the at-rule that it is in.
func (r *reader) writeNode(b *strings.Builder, n ast.Node, at string) {
	switch n := n.(type) {
	case *ast.Declaration:
		name := token.Lower(n.Name)
		switch {
		case at == "property" || at == "font-feature-values" || n.IsCustom():
			b.WriteString(n.Name + ":" + customText(n) + ";")
		case at == "font-face" || at == "counter-style" || at == "font-palette-values":
			b.WriteString(name + ":" + descriptorText(name, n.Value) + ";")
		default:
			for _, f := range expand(n) {
				b.WriteString(f.property.Name + ":" + f.value + ";")
			}
		}
		if n.Important {
			b.WriteString("!important;")
		}
		return
	case *ast.StyleRule:
		for _, s := range n.Selectors {
			b.WriteString(selectorText(s, r.namespaces) + ",")
		}
	case *ast.QualifiedRule:
		b.WriteString(keyframeText(n.Prelude))
	case *ast.AtRule:
		at = token.Lower(n.Name)
		b.WriteString("@" + at + " " + preludeText(n.Prelude))
	default: // browsers skip them
		return
	}
	b.WriteByte('{')
	for _, inner := range ast.Body(n) {
		r.writeNode(b, inner, at)
	}
	b.WriteByte('}')
}

// descriptorText returns the value of a descriptor as text.
func descriptorText(name string, values []ast.Value) string {
	values = ast.Significant(values)
	switch name {
	case "font-family":
		return familiesText(values)
	case "font-weight":
		return weightText(values, valueContext{})
	}
	return textOf(values, valueContext{})
}

// keyframeText returns the selectors of a keyframe as percentages.
func keyframeText(prelude []ast.Value) string {
	return eachText(ast.Significant(prelude), func(part []ast.Value) string {
		switch {
		case len(part) == 1 && part[0].IsIdent("from"):
			return "0%"
		case len(part) == 1 && part[0].IsIdent("to"):
			return "100%"
		}
		return textOf(part, valueContext{})
	})
}

// declarations adds declarations to the boxes of their selectors.
func (r *reader) declarations(list []*ast.Declaration, in context) {
	first := r.count
	r.count += len(list)
	for i := range in.selectors { // without selectors, browsers skip them
		s := in.selectors[i]
		key := boxKey{in.where, s.id, s.weight}
		b := r.byKey[key]
		if b == nil {
			b = &box{boxKey: key, of: s.of}
			b.runs[0], b.runs[1] = b.single[0][:0:1], b.single[1][:0:1]
			r.byKey[key] = b
			r.boxes = append(r.boxes, b)
		}
		b.runs[r.side] = append(b.runs[r.side], run{first, list})
		r.claims += len(list)
	}
}

// chosenFrom returns the selectors of a rule, resolved against those of the rule
// around it.
func (r *reader) chosenFrom(list []ast.Selector, outer []*chosen) []*chosen {
	out := make([]*chosen, 0, len(list))
	for _, s := range list {
		for _, s := range r.withoutIs(s) {
			if outer == nil {
				out = append(out, r.plainSelector(s))
			} else {
				out = append(out, r.nestedSelectors(s, outer)...)
			}
		}
	}
	return out
}

// maxAlternatives limits the number of selectors that one with :is() is read as,
// and maxApart that of all of a sheet.
const (
	maxAlternatives = 400
	maxApart        = 200_000
)

// withoutIs returns the selectors that one with :is() stands for, if all browsers
// know it.
func (r *reader) withoutIs(s ast.Selector) []ast.Selector {
	if !slices.ContainsFunc(s, func(p ast.Simple) bool { return p.Args != nil && token.EqualFold(p.Name, "is") }) ||
		!r.browsers.Selector(s) || r.apart > maxApart {
		return []ast.Selector{s}
	}
	list := selector.WithoutIs(s, maxAlternatives)
	r.apart += len(list)
	return list
}

// plainSelector returns a selector outside of other rules.
func (r *reader) plainSelector(s ast.Selector) *chosen {
	if len(s) == 0 {
		return &chosen{id: r.id(""), whole: true}
	}
	n := r.selectors.Number(s)
	if n < len(r.chosen) {
		return r.chosen[n]
	}
	whole := !slices.ContainsFunc(s, func(p ast.Simple) bool {
		return p.Kind == ast.PseudoElement || p.Kind == ast.NestingSelector || p.Kind == ast.BadSelector
	})
	text := selectorText(s, r.namespaces)
	out := &chosen{text, r.id(text), selector.Of(s), whole, s}
	r.chosen = append(r.chosen, out)
	return out
}

// nestedSelectors returns a nested selector for each selector around it. They
// have the specificity of the most specific one (CSS Nesting, section 3.3).
func (r *reader) nestedSelectors(s ast.Selector, outer []*chosen) []*chosen {
	most := outer[0].weight
	for _, o := range outer {
		if most.Less(o.weight) {
			most = o.weight
		}
	}
	rest, joins := continuation(s)
	own := r.plainSelector(rest)
	weight := selector.Nested(s, most)
	var out []*chosen
	for _, o := range outer {
		text, whole, of := "nested("+o.text+"){"+selectorText(s, r.namespaces)+"}", false, ast.Selector(nil)
		if joins && o.whole {
			text, whole = o.text+own.text, own.whole
			if o.of != nil {
				of = slices.Concat(o.of, rest)
			}
		}
		out = append(out, &chosen{text, r.id(text), weight, whole, of})
	}
	return out
}

// continuation returns what comes after the selector of the rule around a nested
// one. ok is false if the two cannot be written one after the other without
// :is().
func continuation(s ast.Selector) (rest ast.Selector, ok bool) {
	uses := 0
	for i := range s {
		if s[i].Kind == ast.NestingSelector || s[i].Args != nil && slices.ContainsFunc(s[i].Args.Selectors,
			func(inner ast.Selector) bool { return selector.Contains(inner, ast.NestingSelector) }) {
			uses++
		}
	}
	switch {
	case len(s) == 0:
		return s, false
	case uses == 0 && s[0].Kind != ast.Combinator:
		rest = append(ast.Selector{{Kind: ast.Combinator, Name: " "}}, s...)
	case uses == 0:
		rest = s
	case uses == 1 && s[0].Kind == ast.NestingSelector:
		rest = s[1:]
	default:
		return s, false
	}
	if len(rest) == 0 {
		return rest, true
	}
	first := rest[0].Kind
	return rest, first != ast.TypeSelector && first != ast.UniversalSelector && first != ast.NestingSelector
}
