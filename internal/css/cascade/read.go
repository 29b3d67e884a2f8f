package cascade

import (
	"fmt"
	"slices"
	"strconv"
	"strings"

	"rinzel/internal/css/ast"
	"rinzel/internal/css/grammar"
	"rinzel/internal/css/print"
	"rinzel/internal/css/selector"
	"rinzel/internal/css/token"
	"rinzel/internal/source"
)

// place is where facts compete directly: the same elements under the same
// conditions, for the same property.
type place struct {
	where     nameID // conditions, layers and scopes, from the outside in
	selector  nameID
	property  nameID // a longhand, or a custom property
	weight    selector.Specificity
	important bool
}

// nameID is the number of a text in [names].
type nameID int32

// names numbers the texts of both sheets, so that places are compared quickly.
type names struct {
	ids  map[string]nameID
	list []string
}

// id returns the number of a text.
func (n *names) id(text string) nameID {
	id, ok := n.ids[text]
	if !ok {
		id = nameID(len(n.list))
		n.ids[text] = id
		n.list = append(n.list, text)
	}
	return id
}

// fact is what a declaration says about one longhand of the elements of one
// selector.
type fact struct {
	place
	value string
	// certain is set if every browser accepts the declaration.
	certain bool
	order   int // of its declaration in the sheet
	at      source.Span
}

// shown describes a fact for people.
func (n *names) shown(f *fact) string {
	text := fmt.Sprintf("%s { %s: %s }", n.list[f.selector], n.list[f.property], f.value)
	if f.important {
		text = strings.TrimSuffix(text, " }") + " !important }"
	}
	if where := n.list[f.where]; where != "" {
		text += " in " + where
	}
	return text
}

// other is something that is not a declaration of a style rule.
type other struct {
	where, text string
	repeatable  bool // an equal one that follows makes it superfluous
	at          source.Span
}

// shown describes it for people.
func (o *other) shown() string {
	text, _, _ := strings.Cut(o.text, "{")
	return strings.TrimSpace(text)
}

// sheet is a sheet as it is compared.
type sheet struct {
	places []place // in the order of their first fact
	facts  map[place][]*fact
	others []other
}

// read returns the facts of a sheet, without those that always lose.
func read(nodes []ast.Node, opts Options, n *names) *sheet {
	r := reader{opts: opts, names: n, sheet: &sheet{facts: make(map[place][]*fact)}}
	r.nodes(nodes, context{})
	for p, list := range r.sheet.facts {
		r.sheet.facts[p] = withoutHidden(list)
	}
	return r.sheet
}

// withoutHidden returns the facts of a place that can have an effect: the last
// that every browser accepts, and those after it, without those that say the
// same as the next one.
func withoutHidden(list []*fact) []*fact {
	for i, f := range slices.Backward(list) {
		if f.certain {
			list = list[i:]
			break
		}
	}
	var out []*fact
	for i, f := range list {
		if i+1 == len(list) || list[i+1].value != f.value || list[i+1].certain != f.certain {
			out = append(out, f)
		}
	}
	return out
}

// context is where a rule is.
type context struct {
	where     []string
	selectors []chosen // of the rule around it; nil outside of style rules
}

// chosen is a selector with the specificity that it has in its rule.
type chosen struct {
	text   string
	weight selector.Specificity
	whole  bool // it can be continued: it has no pseudo-element
}

// in returns the context inside an at-rule.
func (c context) in(at string) context {
	return context{append(slices.Clip(c.where), at), c.selectors}
}

// reader reads a sheet.
type reader struct {
	*names
	opts  Options
	sheet *sheet
	count int // of declarations

	anonymous int // number of layers without a name
}

// nodes reads the nodes of a block, or of the sheet.
func (r *reader) nodes(nodes []ast.Node, in context) {
	for _, n := range nodes {
		switch n := n.(type) {
		case *ast.Comment, *ast.BadRule, *ast.BadDeclaration: // browsers skip them
		case *ast.StyleRule:
			inside := context{in.where, chosenFrom(n.Selectors, in.selectors)}
			if list := n.Selectors; len(list) > 1 && slices.ContainsFunc(list, isRisky) {
				// A browser that does not know one of them drops the rule.
				inside = context{in.in("with " + listText(list)).where, inside.selectors}
			}
			r.nodes(n.Nodes, inside)
		case *ast.Declaration:
			r.declaration(n, in)
		case *ast.AtRule:
			r.atRule(n, in)
		default:
			r.other(n, in, false)
		}
	}
}

// conditions are the at-rules whose blocks are read as part of the sheet.
var conditions = map[string]bool{"media": true, "supports": true, "container": true, "layer": true,
	"starting-style": true}

// definitions are the at-rules of which the last of equal ones has an effect.
var definitions = map[string]bool{"keyframes": true, "-webkit-keyframes": true, "font-face": true, "property": true,
	"counter-style": true}

// atRule reads an at-rule.
func (r *reader) atRule(n *ast.AtRule, in context) {
	name := token.Lower(n.Name)
	if !conditions[name] || n.Block == nil {
		r.other(n, in, definitions[name])
		return
	}
	prelude := valuesText(n.Prelude)
	if name == "layer" && prelude == "" { // each is a layer of its own
		r.anonymous++
		prelude = "#" + strconv.Itoa(r.anonymous)
	}
	inside := in.in(strings.TrimSpace("@" + name + " " + prelude))
	if name == "layer" {
		// Where a layer is first mentioned is its place in the order of layers.
		r.note(strings.Join(inside.where, " "), "", n.Span(), true)
	}
	r.nodes(n.Block.Nodes, inside)
}

// other records a node that is compared as a whole.
func (r *reader) other(n ast.Node, in context, repeatable bool) {
	text := print.Sheet([]ast.Node{n}, print.Options{Compact: true})
	r.note(strings.Join(in.where, " "), strings.TrimSpace(text), n.Span(), repeatable)
}

// note records something that is compared in order.
func (r *reader) note(where, text string, at source.Span, repeatable bool) {
	if text == "" { // a layer: only the first mention counts
		if slices.ContainsFunc(r.sheet.others, func(o other) bool { return o.where == where && o.text == "" }) {
			return
		}
		repeatable = false
	}
	r.sheet.others = append(r.sheet.others, other{where, text, repeatable, at})
}

// declaration records the facts of a declaration.
func (r *reader) declaration(d *ast.Declaration, in context) {
	r.count++
	if len(in.selectors) == 0 {
		return // browsers skip it
	}
	certain := r.opts.Understood != nil && r.opts.Understood(d)
	where := r.id(strings.Join(in.where, " "))
	selectors := make([]nameID, len(in.selectors))
	for i, s := range in.selectors {
		selectors[i] = r.id(s.text)
	}
	for _, part := range expand(d) {
		property := r.id(part.property)
		for i, s := range in.selectors {
			p := place{where, selectors[i], property, s.weight, d.Important}
			if len(r.sheet.facts[p]) == 0 {
				r.sheet.places = append(r.sheet.places, p)
			}
			r.sheet.facts[p] = append(r.sheet.facts[p], &fact{p, part.value, certain, r.count, d.Span()})
		}
	}
}

// safePseudos are pseudo-classes and pseudo-elements that every browser knows.
var safePseudos = map[string]bool{"link": true, "visited": true, "hover": true, "active": true, "focus": true,
	"first-child": true, "last-child": true, "only-child": true, "first-of-type": true, "last-of-type": true,
	"only-of-type": true, "empty": true, "root": true, "target": true, "checked": true, "enabled": true,
	"disabled": true, "before": true, "after": true, "first-line": true, "first-letter": true}

// isRisky reports whether some browser may not know a selector.
func isRisky(s ast.Selector) bool {
	for i := range s {
		switch p := &s[i]; p.Kind {
		case ast.PseudoClass, ast.PseudoElement:
			if !safePseudos[token.Lower(p.Name)] {
				return true
			}
		case ast.BadSelector:
			return true
		case ast.AttributeSelector:
			if p.Args != nil && p.Args.Modifier != "" {
				return true
			}
		}
	}
	return false
}

// listText returns a selector list as text.
func listText(list []ast.Selector) string {
	var parts []string
	for _, s := range list {
		parts = append(parts, selectorText(s))
	}
	return strings.Join(parts, ", ")
}

// chosenFrom returns the selectors of a rule, resolved against those of the rule
// around it.
func chosenFrom(list []ast.Selector, outer []chosen) []chosen {
	var out []chosen
	for _, s := range list {
		if outer == nil {
			out = append(out, plainSelector(s))
			continue
		}
		out = append(out, nestedSelectors(s, outer)...)
	}
	return out
}

// plainSelector returns a selector outside of other rules.
func plainSelector(s ast.Selector) chosen {
	whole := !slices.ContainsFunc(s, func(p ast.Simple) bool {
		return p.Kind == ast.PseudoElement || p.Kind == ast.NestingSelector || p.Kind == ast.BadSelector
	})
	return chosen{selectorText(s), selector.Of(s), whole}
}

// nestedSelectors returns a nested selector for each selector around it. They
// have the specificity of the most specific one (CSS Nesting, section 3.3).
func nestedSelectors(s ast.Selector, outer []chosen) []chosen {
	most := outer[0].weight
	for _, o := range outer {
		if most.Less(o.weight) {
			most = o.weight
		}
	}
	rest, joins := continuation(s)
	own := plainSelector(rest)
	if len(rest) > 0 && rest[0].Kind == ast.Combinator && rest[0].Name != " " {
		own.text = " " + own.text
	}
	weight := selector.Of(s).Plus(most)
	var out []chosen
	for _, o := range outer {
		if joins && o.whole {
			out = append(out, chosen{o.text + own.text, weight, own.whole})
		} else {
			out = append(out, chosen{"nested(" + o.text + "){" + selectorText(s) + "}", weight, false})
		}
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

// part is a longhand with the value that a declaration gives it.
type part struct{ property, value string }

// fourSided are the shorthands of the four sides of a box, with the longhands
// from the top clockwise.
var fourSided = map[string][4]string{
	"margin":       {"margin-top", "margin-right", "margin-bottom", "margin-left"},
	"padding":      {"padding-top", "padding-right", "padding-bottom", "padding-left"},
	"inset":        {"top", "right", "bottom", "left"},
	"border-color": {"border-top-color", "border-right-color", "border-bottom-color", "border-left-color"},
	"border-style": {"border-top-style", "border-right-style", "border-bottom-style", "border-left-style"},
	"border-width": {"border-top-width", "border-right-width", "border-bottom-width", "border-left-width"},
}

// expand returns what a declaration says about each longhand. A shorthand whose
// parts are not known gives each longhand the whole value, by name.
func expand(d *ast.Declaration) []part {
	if ast.IsCustomName(d.Name) {
		return []part{{token.Unescape(d.Name), print.Values(d.Value)}}
	}
	name := token.Lower(d.Name)
	value := valuesText(d.Value)
	if sides, ok := fourSided[name]; ok && isValid(name, d.Value) {
		if list := sideValues(d.Value); list != nil {
			var out []part
			for i, side := range sides {
				out = append(out, part{side, list[i]})
			}
			return out
		}
	}
	longhands := grammar.Longhands(name)
	if len(longhands) == 0 {
		return []part{{name, value}}
	}
	var out []part
	for _, l := range longhands {
		out = append(out, part{l, name + "(" + value + ")"})
	}
	return out
}

// isValid reports whether the data allows the value of a property: browsers drop
// an invalid shorthand as a whole.
func isValid(name string, values []ast.Value) bool {
	definition, ok := grammar.Property(name)
	if !ok {
		return false
	}
	_, ok = definition.Match(ast.Significant(values))
	return ok
}

// sideValues returns the values of four sides, or nil if the value is not a list
// of one to four plain ones.
func sideValues(values []ast.Value) []string {
	values = ast.Significant(values)
	if len(values) < 1 || len(values) > 4 {
		return nil
	}
	var list []string
	for i := range values {
		switch v := &values[i]; v.Kind {
		case token.Ident, token.Number, token.Percentage, token.Dimension, token.Hash:
			list = append(list, valuesText(values[i:i+1]))
		default:
			return nil // a function may stand for several sides
		}
	}
	// A missing right side is the top, a missing bottom the top, a missing left
	// the right.
	for i := len(list); i < 4; i++ {
		list = append(list, list[max(0, i-2)])
	}
	return list
}
