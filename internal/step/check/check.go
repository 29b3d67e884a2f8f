// Package check looks at sheets and changes nothing:
//
//   - properties, values, at-rules and selectors that no specification has, with
//     the nearest name;
//   - numbers without the unit they need, numbers out of range, and what is no colour;
//   - declarations that repeat an earlier one of the same rule, or override it;
//   - prefixed properties without the standard one, and what is out of date;
//   - what targets lack, and nothing stands in for.
package check

import (
	"fmt"
	"slices"
	"strings"
	"sync"

	"rinzel/internal/browsers"
	"rinzel/internal/css/ast"
	"rinzel/internal/css/grammar"
	"rinzel/internal/css/known"
	"rinzel/internal/css/token"
	"rinzel/internal/diag"
	"rinzel/internal/diag/code"
	"rinzel/internal/source"
	"rinzel/internal/step/asis"
)

// Name is what comments call the checks.
const Name = "check"

// Code is a kind of finding.
type Code struct {
	Name  code.Code
	Level diag.Severity // unless the settings say otherwise
	About string
}

// Codes are the kinds of findings, in the order in which they are documented.
var Codes = []Code{
	{code.UnknownProperty, diag.Error, "a property that no specification has"},
	{code.UnknownValue, diag.Error, "a value that its property does not accept"},
	{code.MissingUnit, diag.Error, "a number without the unit that its property needs"},
	{code.OutOfRange, diag.Error, "a number outside of the range of its property"},
	{code.BadColor, diag.Error, "an invalid colour"},
	{code.UnknownAtRule, diag.Error, "an at-rule that no specification has"},
	{code.UnknownDescriptor, diag.Error, "a descriptor that its at-rule does not have"},
	{code.UnknownMediaFeature, diag.Error, "a media feature that no specification has"},
	{code.BadQuery, diag.Error, "an invalid media or container query, or an unknown media type"},
	{code.BadLayer, diag.Error, "invalid layer names"},
	{code.BadKeyframe, diag.Error, "an invalid keyframe selector"},
	{code.BadVar, diag.Error, "var() without the name of a custom property, or env() without a name"},
	{code.UnknownPseudo, diag.Error, "a pseudo-class or pseudo-element that no specification has"},
	{code.DuplicateDeclaration, diag.Warning, "a declaration with the same property and value as an earlier one of its rule"},
	{code.OverriddenDeclaration, diag.Warning, "a declaration that a later one of its rule overrides"},
	{code.OnlyPrefixed, diag.Warning, "a prefixed property without its standard form"},
	{code.Unsupported, diag.Warning, "a rule, selector or value that a target does not support, without a fallback"},
	{code.UnsupportedProperty, diag.Note, "a property or media feature that a target does not support"},
	{code.Deprecated, diag.Note, "a deprecated property or value"},
	{code.LegacyHack, diag.Note, "a hack for legacy browsers"},
}

// Find returns the kind of finding of a name.
func Find(name code.Code) (Code, bool) {
	i := slices.IndexFunc(Codes, func(c Code) bool { return c.Name == name })
	if i < 0 {
		return Code{}, false
	}
	return Codes[i], true
}

// Checker checks sheets for targets. It is safe for concurrent use.
type Checker struct {
	targets   browsers.Targets
	functions map[string]string // features of the functions that a target lacks, by name

	properties sync.Map // what targets lack of properties, by name: [property]
	infos      sync.Map // what is known of properties, by name: [info]
}

// New returns what checks sheets for targets.
func New(targets browsers.Targets) *Checker {
	c := &Checker{targets: targets, functions: make(map[string]string)}
	for name, feature := range functionFeatures() {
		if len(targets.Missing(feature)) > 0 {
			c.functions[name] = feature
		}
	}
	return c
}

// Nodes returns what is found in a sheet, in the order of its text. It is to be
// composed, but neither lowered nor prefixed.
func (k *Checker) Nodes(nodes []ast.Node) []diag.Diagnostic {
	c := &checker{Checker: k, left: asis.Left(nodes, Name), names: make(map[string]*info)}
	c.list(nodes, place{})
	return c.found
}

// mostFindings is how many findings are listed of one sheet.
const mostFindings = 2000

// checker gathers findings.
type checker struct {
	*Checker
	found []diag.Diagnostic
	full  bool // there are more than are listed
	left  map[ast.Node]bool
	names map[string]*info
	// declared is a stack of declarations: those of the block at hand above those of the blocks around. room is for their names.
	declared []*ast.Declaration
	room     []string
}

func (c *checker) report(finding code.Code, at source.Span, fix, format string, args ...any) *diag.Diagnostic {
	known, ok := Find(finding)
	if !ok {
		panic("check: no code " + string(finding))
	}
	if len(c.found) == mostFindings {
		if last := &c.found[mostFindings-1]; !c.full {
			c.full = true
			last.Related = append(last.Related, diag.Related{Span: at, Message: "further findings from here on are not listed"})
		}
		return new(diag.Diagnostic)
	}
	c.found = append(c.found, diag.Diagnostic{Code: finding, Severity: known.Level, Span: at, Message: fmt.Sprintf(format, args...), Fix: fix})
	return &c.found[len(c.found)-1]
}

// place says where nodes stand.
type place struct {
	atRule string // whose descriptors stand here, in lower case; empty for properties
	both   bool   // beside descriptors properties may stand here
	free   bool   // any name may
	vendor bool   // all that stands here is for the browsers of one engine
}

// list checks the nodes of a block, or of the top of a sheet.
func (c *checker) list(nodes []ast.Node, at place) {
	start := len(c.declared)
	defer func() { c.declared = c.declared[:start] }()
	for _, n := range nodes {
		if c.full {
			return
		}
		if c.left[n] {
			continue
		}
		switch n := n.(type) {
		case *ast.Declaration:
			if at.free {
				continue
			}
			if at.atRule == "" || at.both {
				c.declared = append(c.declared, n)
			}
			c.declaration(n, at, nodes)
		case *ast.StyleRule:
			for _, s := range n.Selectors {
				c.selector(s)
			}
			c.list(n.Nodes, place{vendor: at.vendor || !slices.ContainsFunc(n.Selectors, func(s ast.Selector) bool { return !ofVendor(s) })})
		case *ast.QualifiedRule:
			c.keyframe(n)
			c.list(n.Nodes, place{vendor: at.vendor})
		case *ast.AtRule:
			c.atRule(n, at)
		}
	}
	c.overridden(c.declared[start:])
}

// ownNames are the at-rules within which any name may be declared.
var ownNames = []string{"annotation", "character-variant", "historical-forms", "ornaments", "styleset", "stylistic", "swash"}

// holdsProperties reports whether an at-rule holds declarations of properties, although
// there are descriptors that belong to it: features, for one.
func holdsProperties(atRule string) bool {
	return known.HoldsStyleRules(atRule) || atRule == "keyframes" || atRule == "position-try"
}

func (c *checker) atRule(r *ast.AtRule, around place) {
	name := token.Lower(r.Name)
	at := place{free: slices.Contains(ownNames, name), vendor: around.vendor}
	if prefix, standard := split(name); prefix != "" {
		name, at.vendor = standard, true
		at.free = at.free || !holdsProperties(name) && name != "document" // as @-ms-viewport, whose descriptors were its own
	} else if !grammar.IsAtRule(name) && !browsers.Known("css.at-rules."+name) {
		c.report(code.UnknownAtRule, nameOf(r.At, len(r.Name)+1, r.Span()), didYouMean("@", r.Name, grammar.AtRules()), "unknown at-rule \"@%s\"", r.Name)
		return
	}
	switch name {
	case "media":
		c.media(r.Prelude)
		c.queries(r, name)
	case "container":
		c.queries(r, name)
	case "layer":
		c.layers(r)
	case "supports":
		c.supports(ast.Significant(r.Prelude))
	}
	if !holdsProperties(name) && grammar.Descriptors(name) != nil {
		at.atRule, at.both = name, name == "page"
	}
	c.list(ast.Body(r), at)
}

// media checks the names of the features in media queries.
func (c *checker) media(values []ast.Value) {
	inBrackets(values, func(inner []ast.Value) {
		for k := range inner {
			f := &inner[k]
			first := k == 0 && (len(inner) == 1 || inner[1].Kind == token.Colon || isComparison(&inner[1]))
			behind := k > 0 && isComparison(&inner[k-1])
			if f.Kind == token.Ident && (first || behind) && !isMediaFeature(token.Lower(f.Text)) && !(behind && len(inner) > 1 && inner[0].Kind == token.Ident) {
				c.report(code.UnknownMediaFeature, f.Span(), didYouMean("", f.Text, mediaFeatures()), "unknown media feature %q", f.Text)
			}
		}
	})
}

// mediaFeatures returns the names of the media features, with the bounds of those that are ranges.
var mediaFeatures = sync.OnceValue(func() []string {
	names := grammar.Descriptors("media")
	for _, name := range []string{"width", "height", "aspect-ratio", "color", "resolution", "device-width", "device-height"} {
		names = append(names, "min-"+name, "max-"+name)
	}
	return names
})

// inBrackets calls visit with what stands in each pair of brackets, at every depth.
func inBrackets(values []ast.Value, visit func(inner []ast.Value)) {
	for i := range values {
		if inner := values[i].Values(); values[i].Kind == token.LParen && len(inner) > 0 {
			inBrackets(inner, visit)
			visit(inner)
		}
	}
}

// ofVendor reports whether only browsers of one engine read a selector.
func ofVendor(s ast.Selector) bool {
	found := false
	pseudos(s, func(p *ast.Simple) {
		prefix, _ := split(token.Lower(p.Name))
		found = found || prefix != ""
	})
	return found
}

func isComparison(v *ast.Value) bool { return v.IsDelim('<') || v.IsDelim('>') || v.IsDelim('=') }

func isMediaFeature(name string) bool {
	if prefix, _ := split(name); prefix != "" {
		return true // a vendor's, or a custom media query that is defined elsewhere
	}
	for _, bound := range []string{"min-", "max-", "min--moz-", "max--moz-"} {
		name = strings.TrimPrefix(name, bound)
	}
	if _, ok := grammar.Descriptor("media", name); ok {
		return true
	}
	return name == "device-pixel-ratio" || name == "high-contrast" || name == "transform-2d" || name == "transform-3d" || browsers.Known("css.at-rules.media."+name)
}

// selector checks the names of pseudo-classes and pseudo-elements.
func (c *checker) selector(s ast.Selector) {
	pseudos(s, func(p *ast.Simple) {
		name := token.Lower(p.Name)
		if prefix, _ := split(name); prefix != "" || isPseudo(name, p.Kind) || slices.Contains(scrollbarStates, name) && ofScrollbar(s) {
			return
		}
		colons := ":"
		if p.Kind == ast.PseudoElement {
			colons = "::"
		}
		fix := didYouMean("", colons+name, grammar.Pseudos())
		if p.Kind == ast.PseudoClass && isPseudo(name, ast.PseudoElement) {
			fix = fmt.Sprintf("it is a pseudo-element: write \"::%s\"", name)
		} else if p.Kind == ast.PseudoElement && isPseudo(name, ast.PseudoClass) {
			fix = fmt.Sprintf("it is a pseudo-class: write \":%s\"", name)
		}
		c.report(code.UnknownPseudo, source.SpanOf(p.Pos, len(colons)+len(p.Name)), fix, "unknown pseudo-class or pseudo-element \"%s%s\": browsers drop the rule", colons, p.Name)
	})
}

// pseudos calls visit with each pseudo-class and pseudo-element of a selector, those
// in arguments before the one that has them.
func pseudos(s ast.Selector, visit func(p *ast.Simple)) {
	for i := range s {
		if s[i].Args != nil {
			for _, arg := range s[i].Args.Selectors {
				pseudos(arg, visit)
			}
		}
		if s[i].Kind == ast.PseudoClass || s[i].Kind == ast.PseudoElement {
			visit(&s[i])
		}
	}
}

// scrollbarStates are the pseudo-classes of ::-webkit-scrollbar and its parts,
// which are in no specification (the data has the pseudo-elements alone).
var scrollbarStates = []string{"horizontal", "vertical", "decrement", "increment", "start", "end", "double-button", "single-button", "no-button", "corner-present", "window-inactive"}

func ofScrollbar(s ast.Selector) bool {
	return slices.ContainsFunc(s, func(p ast.Simple) bool {
		return p.Kind == ast.PseudoElement && strings.HasPrefix(token.Lower(p.Name), "-webkit-") || token.EqualFold(p.Name, "selection")
	})
}

// isPseudo reports whether there is a pseudo-class or pseudo-element of a name.
func isPseudo(name string, kind ast.SimpleKind) bool {
	if kind == ast.PseudoElement {
		return grammar.IsPseudo("::" + name)
	}
	return grammar.IsPseudo(":"+name) || !grammar.IsPseudo("::"+name) && browsers.Known("css.selectors."+name)
}

// nameOf returns the span of a name of n bytes that starts a construct. It ends
// with that at the latest: a name that an escape at the end of a file ends is
// longer than its text.
func nameOf(at source.Pos, n int, construct source.Span) source.Span {
	return at.To(min(at.Off+uint32(n), max(construct.End, at.Off)))
}

// didYouMean words the nearest of some names.
func didYouMean(before, name string, names []string) string {
	if near := diag.Nearest(token.Lower(name), names); near != "" {
		return fmt.Sprintf("did you mean \"%s%s\"?", before, near)
	}
	return ""
}

// split returns the vendor prefix of a name in lower case, if it has one, and the rest. That of a custom name is "--".
func split(name string) (prefix, standard string) {
	if rest, ok := strings.CutPrefix(name, "--"); ok {
		return "--", rest
	}
	return token.SplitVendor(name)
}
