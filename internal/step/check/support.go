package check

import (
	"fmt"
	"slices"
	"strings"

	"rinzel/internal/browsers"
	"rinzel/internal/css/accept"
	"rinzel/internal/css/ast"
	"rinzel/internal/css/grammar"
	"rinzel/internal/css/token"
	"rinzel/internal/diag"
	"rinzel/internal/diag/code"
	"rinzel/internal/source"
	"rinzel/internal/step/asis"
)

// Support returns the features of a sheet that targets do not support, each at
// its first use. The sheet must be the output of its chain, so that fallbacks
// count: a declaration with an earlier one of the same property, and everything
// in @supports, is only for browsers with support.
func (k *Checker) Support(nodes []ast.Node) []diag.Diagnostic {
	s := &support{
		checker: checker{Checker: k, exempt: asis.Exempt(nodes, Name)}, uses: make(map[string]int),
		first: make(map[string]int),
		known: make(map[string]*property), units: make(map[string]bool), others: make(map[lookup]bool),
	}
	s.list(nodes, false)
	for feature, i := range s.first {
		if more := s.uses[feature] - 1; more > 0 {
			s.found[i].Message += fmt.Sprintf(" (used %d times)", more+1)
		}
	}
	return s.found
}

// support collects the findings of one sheet.
type support struct {
	checker
	uses  map[string]int // uses of each unsupported feature
	first map[string]int // index of its finding

	known  map[string]*property // properties asked for before
	units  map[string]bool      // whether a target does not support them
	stack  []string             // stack of name sets
	others map[lookup]bool      // whether a target does not support other features
}

// lookup identifies a feature by its group and name.
type lookup struct{ group, name string }

// The groups of features that are neither properties nor values.
const (
	atRules   = "css.at-rules."
	media     = "css.at-rules.media."
	selectors = "css.selectors."
)

// isUnsupported reports whether a target does not support a feature of a group.
func (s *support) isUnsupported(group, name string) bool {
	lacking, known := s.others[lookup{group, name}]
	if !known {
		lacking = len(s.targets.Missing(group+name)) > 0
		s.others[lookup{group, name}] = lacking
	}
	return lacking
}

// property is the support of a property.
type property struct {
	unsupported bool
	keywords    map[string]bool // unsupported keywords
}

// property returns the support of a property, given in lower case.
func (s *support) property(name string) *property {
	p := s.known[name]
	if p != nil {
		return p
	}
	if shared, ok := s.properties.Load(name); ok {
		p = shared.(*property)
	} else {
		feature := browsers.Property(name)
		p = &property{unsupported: len(s.targets.Missing(feature)) > 0, keywords: make(map[string]bool)}
		for _, part := range browsers.Parts(feature) {
			if len(s.targets.Missing(feature+"."+part)) > 0 {
				p.keywords[part] = true
			}
		}
		if browsers.Known(feature) { // do not cache arbitrary names
			s.properties.Store(name, p)
		}
	}
	s.known[name] = p
	return p
}

// noteUse records the use of a feature, if a target does not support it.
func (s *support) noteUse(finding code.Code, feature string, at source.Span, what, fix string) {
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

// versions words the newest versions without support. A mobile browser is
// omitted if the desktop one has the same version.
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

// nameSet is a set of names. Small sets, which most are, are on a stack above
// those of the parent blocks.
type nameSet struct {
	stack *[]string
	start int
	many  map[string]bool // used for large sets
}

// newNameSet returns an empty set. Sets on a stack must be released in reverse
// order.
func newNameSet(stack *[]string) nameSet { return nameSet{stack: stack, start: len(*stack)} }

// leave releases the names of the set.
func (s *nameSet) leave() { *s.stack = (*s.stack)[:s.start] }

// has reports whether the set contains a name.
func (s *nameSet) has(name string) bool {
	if s.many != nil {
		return s.many[name]
	}
	return slices.Contains((*s.stack)[s.start:], name)
}

// add adds a name.
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

// list checks the nodes of a block or of the sheet.
func (s *support) list(nodes []ast.Node, nested bool) {
	declared := newNameSet(&s.stack)
	defer declared.leave()
	for _, n := range nodes {
		if s.exempt[n] {
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
				s.noteUse(code.Unsupported, browsers.Nesting, n.Span(), "a nested rule", "add \"lower\" to the chain of this sheet")
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

// atRule checks an at-rule.
func (s *support) atRule(r *ast.AtRule, nested bool) {
	name := token.Lower(r.Name)
	if s.isUnsupported(atRules, name) {
		s.noteUse(code.Unsupported, atRules+name, nameOf(r.At, len(r.Name)+1, r.Span()), fmt.Sprintf("\"@%s\"", r.Name), "")
	}
	if name == "supports" || name == "font-face" || name == "page" {
		return
	}
	if name == "media" || name == "custom-media" {
		s.media(r.Prelude)
	}
	s.list(ast.Body(r), nested)
}

// media checks media queries.
func (s *support) media(values []ast.Value) {
	inBrackets(values, func(inner []ast.Value) {
		if inner[0].Kind == token.Ident {
			name := strings.TrimPrefix(strings.TrimPrefix(token.Lower(inner[0].Text), "min-"), "max-")
			if s.isUnsupported(media, name) {
				s.noteUse(code.UnsupportedProperty, media+name, inner[0].Span(), fmt.Sprintf("the media feature %q", name), "")
			}
		}
	})
}

// Unsupported returns the targets that do not support a selector, including its
// arguments; nil if all do.
func (k *Checker) Unsupported(s ast.Selector) []string {
	for i := range s {
		p := &s[i]
		var missing []string
		switch {
		case p.Kind == ast.PseudoClass, p.Kind == ast.PseudoElement:
			missing = k.unsupportedPseudo(p)
		case p.Kind == ast.AttributeSelector && p.Args != nil && p.Args.Modifier != "":
			missing = k.targets.Missing("css.selectors.attribute.case_insensitive_modifier")
		}
		if len(missing) > 0 {
			return missing
		}
	}
	return nil
}

// unsupportedPseudo returns the targets that do not support a pseudo-class or
// pseudo-element, including its arguments.
func (k *Checker) unsupportedPseudo(p *ast.Simple) []string {
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
	if p.Args == nil || name == "is" || name == "where" { // these ignore unsupported arguments
		return nil
	}
	for _, arg := range p.Args.Selectors {
		if missing := k.Unsupported(arg); len(missing) > 0 {
			return missing
		}
	}
	return nil
}

// legacyPseudos are selectors of CSS 2, which the data does not list.
var legacyPseudos = map[string]bool{"first-line": true, "first-letter": true, "before": true, "after": true,
	"link": true, "visited": true, "hover": true, "active": true, "focus": true}

// pseudo checks a pseudo-class or pseudo-element.
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
	if name == "not" && p.Args != nil &&
		(len(p.Args.Selectors) > 1 || len(p.Args.Selectors) == 1 && len(p.Args.Selectors[0]) > 1) {
		feature = "not.selector_list"
	}
	if !s.isUnsupported(selectors, feature) {
		return
	}
	s.noteUse(code.Unsupported, selectors+feature, source.SpanOf(p.Pos, len(colons)+len(p.Name)),
		fmt.Sprintf("\"%s%s\"", colons, name),
		"browsers without support drop the whole rule: keep it in a rule of its own, and write another one without it")
}

// declaration records the features of a declaration. covered is set if an
// earlier declaration of the same property is a fallback.
func (s *support) declaration(d *ast.Declaration, name string, covered bool) {
	if prefix, _ := split(name); prefix != "" {
		return // custom, or for the browsers of one vendor
	}
	p := s.property(name)
	if p.unsupported {
		s.noteUse(code.UnsupportedProperty, browsers.Property(name), nameSpan(d), fmt.Sprintf("the property %q", name), "")
		return
	}
	if covered || legacyValue(d.Value) != nil {
		return
	}
	const fix = "add a fallback before it that all targets support"
	for i := range d.Value {
		if name == "font-family" || name == "font" {
			break // a font list is its own fallback
		}
		if v := &d.Value[i]; v.Kind == token.Ident && len(p.keywords) > 0 && p.keywords[token.Lower(v.Text)] {
			s.noteUse(code.Unsupported, browsers.Property(name)+"."+token.Lower(v.Text), v.Span(),
				fmt.Sprintf("%q as a value of %q", v.Text, name), fix)
		}
	}
	if name != "clip" && name != "font-family" && name != "font" { // its rect() is as old as the property
		s.values(d.Value, fix)
	}
}

// values records the functions and units in values.
func (s *support) values(values []ast.Value, fix string) {
	for i := range values {
		v := &values[i]
		switch v.Kind {
		case token.Function:
			name := token.Lower(v.Name())
			if name == "var" || name == "type" { // type is part of image-set(), and something else in attr()
				continue
			}
			feature, lacking := s.functions[name]
			if lacking {
				s.noteUse(code.Unsupported, feature, source.SpanOf(v.Pos, len(v.Text)), fmt.Sprintf("\"%s()\"", name), fix)
			}
			if args := v.Values(); len(args) > 0 && args[0].IsIdent("from") && !lacking {
				s.noteUse(code.Unsupported, browsers.Color(name)+".relative_syntax", v.Span(),
					fmt.Sprintf("a relative colour in \"%s()\"", name), fix)
			}
		case token.Dimension:
			if unit := token.Lower(v.Text[token.NumberLen(v.Text):]); s.isUnsupportedUnit(unit) {
				s.noteUse(code.Unsupported, accept.UnitFeature(unit), v.Span(), fmt.Sprintf("the unit %q", unit), fix)
			}
		case token.Hash:
			if len(v.Text) == 5 || len(v.Text) == 9 {
				s.noteUse(code.Unsupported, accept.AlphaHex, v.Span(),
					"a colour with four or eight digits", fix)
			}
		}
		if v.Inner != nil {
			s.values(v.Inner.Values, fix)
		}
	}
}

// isUnsupportedUnit reports whether a target does not support a unit, given in
// lower case.
func (s *support) isUnsupportedUnit(unit string) bool {
	lacking, known := s.units[unit]
	if !known {
		lacking = len(s.targets.Missing(accept.UnitFeature(unit))) > 0
		s.units[unit] = lacking
	}
	return lacking
}
