package check

import (
	"fmt"
	"slices"
	"strings"
	"sync"

	"rinzel/internal/browsers"
	"rinzel/internal/css/ast"
	"rinzel/internal/css/grammar"
	"rinzel/internal/css/token"
	"rinzel/internal/diag"
	"rinzel/internal/diag/code"
	"rinzel/internal/source"
	"rinzel/internal/step/asis"
)

// Support returns what targets lack of the features that a sheet uses, each
// where it is used first. The sheet is what its chain made of it, so that what
// was written in a feature's stead counts: a declaration that an earlier one of
// the same property precedes, and all in @supports, is for browsers that read it.
func (k *Checker) Support(nodes []ast.Node) []diag.Diagnostic {
	s := &support{
		checker: checker{Checker: k, left: asis.Left(nodes, Name)}, uses: make(map[string]int), first: make(map[string]int),
		known: make(map[string]*property), units: make(map[string]bool), others: make(map[lookup]bool),
	}
	s.list(nodes, false)
	for feature, i := range s.first {
		if more := s.uses[feature] - 1; more > 0 {
			s.found[i].Message += fmt.Sprintf(" (%d more like it)", more)
		}
	}
	return s.found
}

type support struct {
	checker
	uses  map[string]int // of each feature that is lacking
	first map[string]int // its finding

	known  map[string]*property // those that were asked for before
	units  map[string]bool      // whether a target lacks them
	stack  []string             // of sets of names
	others map[lookup]bool      // whether a target lacks what is no property, no unit and no function
}

// lookup names a feature by what it starts with and by its own name.
type lookup struct{ group, name string }

// The groups of features that are neither properties nor values.
const (
	atRules   = "css.at-rules."
	media     = "css.at-rules.media."
	selectors = "css.selectors."
)

// lacksOne reports whether a target lacks a feature of a group.
func (s *support) lacksOne(group, name string) bool {
	lacking, known := s.others[lookup{group, name}]
	if !known {
		lacking = len(s.targets.Missing(group+name)) > 0
		s.others[lookup{group, name}] = lacking
	}
	return lacking
}

// property is what targets lack of a property.
type property struct {
	lacking  bool
	keywords map[string]bool // those that are lacking
}

// property returns what targets lack of a property, by its name in lower case.
func (s *support) property(name string) *property {
	p := s.known[name]
	if p != nil {
		return p
	}
	if shared, ok := s.properties.Load(name); ok {
		p = shared.(*property)
	} else {
		feature := browsers.Property(name)
		p = &property{lacking: len(s.targets.Missing(feature)) > 0, keywords: make(map[string]bool)}
		for _, part := range browsers.Parts(feature) {
			if len(s.targets.Missing(feature+"."+part)) > 0 {
				p.keywords[part] = true
			}
		}
		if browsers.Known(feature) { // else there is no end of names
			s.properties.Store(name, p)
		}
	}
	s.known[name] = p
	return p
}

// lacks notes the use of a feature, if a target lacks it.
func (s *support) lacks(finding code.Code, feature string, at source.Span, what, fix string) {
	missing := s.targets.Missing(feature)
	if len(missing) == 0 {
		return
	}
	if s.uses[feature]++; s.uses[feature] > 1 {
		return
	}
	s.first[feature] = len(s.found)
	s.report(finding, at, fix, "%s is unsupported in %s", what, versions(missing))
}

// versions words the newest versions that lack something. A browser for phones
// is left out where it goes with the one for desks.
func versions(missing []string) string {
	var out []string
	for _, m := range missing {
		name, version, hasVersion := strings.Cut(m, " ")
		desk := strings.TrimSuffix(strings.TrimSuffix(name, "-android"), "-ios")
		if hasVersion {
			desk += " " + version
		}
		if desk == m || !slices.Contains(missing, desk) {
			out = append(out, strings.Replace(m, " ", " up to ", 1))
		}
	}
	return strings.Join(out, ", ")
}

// nameSet is a set of names, most of which have few: these lie on a stack, above those of the blocks around.
type nameSet struct {
	stack *[]string
	start int
	many  map[string]bool // once there are more
}

// newNameSet returns an empty set. Sets on a stack are left in the reverse order.
func newNameSet(stack *[]string) nameSet { return nameSet{stack: stack, start: len(*stack)} }

// leave gives the names of the set up.
func (s *nameSet) leave() { *s.stack = (*s.stack)[:s.start] }

func (s *nameSet) has(name string) bool {
	if s.many != nil {
		return s.many[name]
	}
	return slices.Contains((*s.stack)[s.start:], name)
}

func (s *nameSet) add(name string) {
	const few = 32
	own := (*s.stack)[s.start:]
	switch {
	case s.many != nil:
		s.many[name] = true
	case len(own) < few:
		*s.stack = append(*s.stack, name)
	default:
		s.many = map[string]bool{name: true}
		for _, n := range own {
			s.many[n] = true
		}
	}
}

func (s *support) list(nodes []ast.Node, nested bool) {
	declared := newNameSet(&s.stack)
	defer declared.leave()
	for _, n := range nodes {
		if s.left[n] {
			continue
		}
		switch n := n.(type) {
		case *ast.Declaration:
			name := token.Lower(n.Name)
			s.declaration(n, name, declared.has(name))
			declared.add(name)
			if prefix, standard := split(name); prefix != "" {
				declared.add(standard)
			}
		case *ast.StyleRule:
			if nested {
				s.lacks(code.Unsupported, browsers.Nesting, n.Span(), "a nested rule", "add \"lower\" to the chain of this sheet")
			}
			for _, sel := range n.Selectors {
				pseudos(sel, s.pseudo)
			}
			s.list(n.Nodes, true)
		case *ast.QualifiedRule:
			s.list(n.Nodes, false)
		case *ast.AtRule:
			s.atRule(n, nested)
		}
	}
}

func (s *support) atRule(r *ast.AtRule, nested bool) {
	name := token.Lower(r.Name)
	if s.lacksOne(atRules, name) {
		s.lacks(code.Unsupported, atRules+name, nameOf(r.At, len(r.Name)+1, r.Span()), fmt.Sprintf("\"@%s\"", r.Name), "")
	}
	if name == "supports" || name == "font-face" || name == "page" {
		return
	}
	if name == "media" || name == "custom-media" {
		s.media(r.Prelude)
	}
	s.list(ast.Body(r), nested)
}

func (s *support) media(values []ast.Value) {
	inBrackets(values, func(inner []ast.Value) {
		if inner[0].Kind == token.Ident {
			name := strings.TrimPrefix(strings.TrimPrefix(token.Lower(inner[0].Text), "min-"), "max-")
			if s.lacksOne(media, name) {
				s.lacks(code.UnsupportedProperty, media+name, inner[0].Span(), fmt.Sprintf("the media feature %q", name), "")
			}
		}
	})
}

// Lacking returns the targets that do not support a selector, or one in it; nil if all do.
func (k *Checker) Lacking(s ast.Selector) []string {
	for i := range s {
		p := &s[i]
		var missing []string
		switch {
		case p.Kind == ast.PseudoClass, p.Kind == ast.PseudoElement:
			missing = k.lackingPseudo(p)
		case p.Kind == ast.AttributeSelector && p.Args != nil && p.Args.Modifier != "":
			missing = k.targets.Missing("css.selectors.attribute.case_insensitive_modifier")
		}
		if len(missing) > 0 {
			return missing
		}
	}
	return nil
}

// lackingPseudo returns the targets that do not support a pseudo-class or pseudo-element, or a selector in it.
func (k *Checker) lackingPseudo(p *ast.Simple) []string {
	name := token.Lower(p.Name)
	if strings.HasPrefix(name, "-") {
		return []string{"the browsers of other engines"}
	}
	if missing := k.targets.Missing("css.selectors." + name); len(missing) > 0 {
		return missing
	}
	if !browsers.Known("css.selectors."+name) && !legacyPseudos[name] {
		return []string{"all"}
	}
	if p.Args == nil || name == "is" || name == "where" { // which pass over what they cannot read
		return nil
	}
	for _, arg := range p.Args.Selectors {
		if missing := k.Lacking(arg); len(missing) > 0 {
			return missing
		}
	}
	return nil
}

// legacyPseudos are selectors of CSS 2, about which there are no facts of their own.
var legacyPseudos = map[string]bool{"first-line": true, "first-letter": true, "before": true, "after": true, "link": true, "visited": true, "hover": true, "active": true, "focus": true}

func (s *support) pseudo(p *ast.Simple) {
	name := token.Lower(p.Name)
	colons := ":"
	if p.Kind == ast.PseudoElement {
		colons = "::"
	}
	if p.Kind == ast.PseudoElement && !grammar.IsPseudo("::"+name) || strings.HasPrefix(name, "-") {
		return
	}
	feature := name
	if name == "not" && p.Args != nil && (len(p.Args.Selectors) > 1 || len(p.Args.Selectors) == 1 && len(p.Args.Selectors[0]) > 1) {
		feature = "not.selector_list"
	}
	if !s.lacksOne(selectors, feature) {
		return
	}
	s.lacks(code.Unsupported, selectors+feature, source.SpanOf(p.Pos, len(colons)+len(p.Name)), fmt.Sprintf("\"%s%s\"", colons, name),
		"browsers without support drop the whole rule: move the other selectors to a rule of their own")
}

// declaration notes what a declaration uses. covered tells that an earlier one
// of the same property stands in for it.
func (s *support) declaration(d *ast.Declaration, name string, covered bool) {
	if prefix, _ := split(name); prefix != "" {
		return // custom, or for one browser
	}
	p := s.property(name)
	if p.lacking {
		s.lacks(code.UnsupportedProperty, browsers.Property(name), nameSpan(d), fmt.Sprintf("the property %q", name), "")
		return
	}
	if covered || oldHack(d.Value) != nil {
		return
	}
	const fix = "add a fallback before it that all targets support"
	for i := range d.Value {
		if name == "font-family" || name == "font" {
			break // a list of fonts is a fallback for itself
		}
		if v := &d.Value[i]; v.Kind == token.Ident && len(p.keywords) > 0 && p.keywords[token.Lower(v.Text)] {
			s.lacks(code.Unsupported, browsers.Property(name)+"."+token.Lower(v.Text), v.Span(), fmt.Sprintf("%q as a value of %q", v.Text, name), fix)
		}
	}
	if name != "clip" && name != "font-family" && name != "font" { // whose rect() is as old as it is
		s.values(d.Value, fix)
	}
}

// values notes the functions and units in values.
func (s *support) values(values []ast.Value, fix string) {
	for i := range values {
		v := &values[i]
		switch v.Kind {
		case token.Function:
			name := token.Lower(v.Name())
			if name == "var" || name == "type" { // within image-set(), and another thing within attr()
				continue
			}
			feature, lacking := s.functions[name]
			if lacking {
				s.lacks(code.Unsupported, feature, source.SpanOf(v.Pos, len(v.Text)), fmt.Sprintf("\"%s()\"", name), fix)
			}
			if args := v.Values(); len(args) > 0 && args[0].IsIdent("from") && !lacking {
				s.lacks(code.Unsupported, browsers.Color(name)+".relative_syntax", v.Span(), fmt.Sprintf("a relative colour in \"%s()\"", name), fix)
			}
		case token.Dimension:
			if unit := token.Lower(v.Text[token.NumberLen(v.Text):]); s.lacksUnit(unit) {
				s.lacks(code.Unsupported, unitFeature(unit), v.Span(), fmt.Sprintf("the unit %q", unit), fix)
			}
		case token.Hash:
			if len(v.Text) == 5 || len(v.Text) == 9 {
				s.lacks(code.Unsupported, "css.types.color.rgb_hexadecimal_notation.alpha_hexadecimal_notation", v.Span(), "a colour with four or eight digits", fix)
			}
		}
		if v.Inner != nil {
			s.values(v.Inner.Values, fix)
		}
	}
}

// lacksUnit reports whether a target lacks a unit in lower case.
func (s *support) lacksUnit(unit string) bool {
	lacking, known := s.units[unit]
	if !known {
		lacking = len(s.targets.Missing(unitFeature(unit))) > 0
		s.units[unit] = lacking
	}
	return lacking
}

// functionFeatures are the features of functions, by name in lower case.
var functionFeatures = sync.OnceValue(func() map[string]string {
	out := make(map[string]string)
	for _, feature := range browsers.Features() {
		rest, ok := strings.CutPrefix(feature, "css.types.")
		part := strings.Split(rest, ".")
		if !ok || len(part) > 2 || part[0] == "length" || part[0] == "global_keywords" {
			continue
		}
		out[token.Lower(part[len(part)-1])] = feature
	}
	return out
})

// unitGroups are the features that stand for several units.
var unitGroups = map[string]string{"s": "viewport_percentage_units_small", "l": "viewport_percentage_units_large", "d": "viewport_percentage_units_dynamic"}

// unitFeature returns the feature of a unit.
func unitFeature(unit string) string {
	const lengths = "css.types.length."
	switch {
	case strings.HasPrefix(unit, "cq"):
		return lengths + "container_query_length_units"
	case len(unit) > 2 && slices.Contains([]string{"vw", "vh", "vi", "vb", "vmin", "vmax"}, unit[1:]):
		return lengths + unitGroups[unit[:1]]
	}
	return lengths + unit
}
