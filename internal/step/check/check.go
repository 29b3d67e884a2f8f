// Package check finds mistakes in sheets, without changing them:
//
//   - unknown properties, values, at-rules and selectors, with the most similar
//     name;
//   - missing units, numbers out of range, and invalid colours;
//   - declarations that repeat an earlier one of the same rule, or override it;
//   - prefixed properties without their standard form, and deprecated features;
//   - features that targets do not support, without a fallback.
//
// [Checker.Nodes] checks a composed sheet against the specifications;
// [Checker.Support] checks the output of its chain against the targets.
package check

import (
	"fmt"
	"slices"
	"strings"
	"sync"

	"rinzel/internal/browsers"
	"rinzel/internal/css/accept"
	"rinzel/internal/css/ast"
	"rinzel/internal/css/grammar"
	"rinzel/internal/css/known"
	"rinzel/internal/css/token"
	"rinzel/internal/diag"
	"rinzel/internal/diag/code"
	"rinzel/internal/source"
	"rinzel/internal/step/asis"
)

// Name is the name of the checks in comments.
const Name = "check"

// Code is a kind of finding.
type Code struct {
	Name  code.Code
	Level diag.Severity // default severity
	About string
}

// Codes are the kinds of findings, in the order of the documentation.
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
	{code.DuplicateDeclaration, diag.Warning,
		"a declaration with the same property and value as an earlier one of its rule"},
	{code.OverriddenDeclaration, diag.Warning, "a declaration that a later one of its rule overrides"},
	{code.OnlyPrefixed, diag.Warning, "a prefixed property without its standard form"},
	{code.Unsupported, diag.Warning, "a rule, selector or value that a target does not support, without a fallback"},
	{code.UnsupportedProperty, diag.Note, "a property or media feature that a target does not support"},
	{code.Deprecated, diag.Note, "a deprecated property or value"},
	{code.LegacyHack, diag.Note, "a hack for legacy browsers"},
	{code.MissingSize, diag.Note, "an image of a page without width and height"},
}

// Find returns the kind with a code.
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
	functions map[string]string // features of functions that a target does not support, by name

	properties sync.Map // support of properties by name: [property]
	infos      sync.Map // facts about properties by name: [info]
}

// New returns a checker for targets.
func New(targets browsers.Targets) *Checker {
	c := &Checker{targets: targets, functions: make(map[string]string)}
	for name, feature := range accept.FunctionFeatures() {
		if len(targets.Missing(feature)) > 0 {
			c.functions[name] = feature
		}
	}
	return c
}

// Nodes returns the findings in a sheet, in source order. The sheet must be
// composed, but not lowered or prefixed.
func (k *Checker) Nodes(nodes []ast.Node) []diag.Diagnostic {
	c := &checker{Checker: k, exempt: asis.Exempt(nodes, Name), names: make(map[string]*info)}
	c.list(nodes, nodeContext{})
	return c.found
}

// mostFindings limits the findings in one sheet.
const mostFindings = 2000

// checker collects the findings of one sheet.
type checker struct {
	*Checker
	found  []diag.Diagnostic
	full   bool // further findings are not listed
	exempt map[ast.Node]bool
	names  map[string]*info
	// declared is a stack of declarations: those of the current block on top of
	// those of its parents. room is memory for their names.
	declared []*ast.Declaration
	room     []string
}

// report adds a finding.
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
	c.found = append(c.found,
		diag.Diagnostic{Code: finding, Severity: known.Level, Span: at, Message: fmt.Sprintf(format, args...), Fix: fix})
	return &c.found[len(c.found)-1]
}

// nodeContext is the context of nodes.
type nodeContext struct {
	atRule string // at-rule whose descriptors are expected, in lower case; empty for properties
	both   bool   // properties are allowed in addition to descriptors
	free   bool   // any name is allowed
	vendor bool   // everything in it is for the browsers of one vendor
}

// list checks the nodes of a block or of the sheet.
func (c *checker) list(nodes []ast.Node, at nodeContext) {
	start := len(c.declared)
	defer func() { c.declared = c.declared[:start] }()
	for _, n := range nodes {
		if c.full {
			return
		}
		if c.exempt[n] {
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
			c.list(n.Nodes, nodeContext{vendor: at.vendor ||
				!slices.ContainsFunc(n.Selectors, func(s ast.Selector) bool { return !ofVendor(s) })})
		case *ast.QualifiedRule:
			c.keyframe(n)
			c.list(n.Nodes, nodeContext{vendor: at.vendor})
		case *ast.AtRule:
			c.atRule(n, at)
		}
	}
	c.overridden(c.declared[start:])
}

// ownNames are the at-rules that contain declarations with arbitrary names.
var ownNames = []string{"annotation", "character-variant", "historical-forms", "ornaments", "styleset", "stylistic",
	"swash"}

// holdsProperties reports whether an at-rule contains declarations of
// properties, although it has descriptors, such as media features.
func holdsProperties(atRule string) bool {
	return known.HoldsStyleRules(atRule) || atRule == "keyframes" || atRule == "position-try"
}

// atRule checks an at-rule.
func (c *checker) atRule(r *ast.AtRule, around nodeContext) {
	name := token.Lower(r.Name)
	at := nodeContext{free: slices.Contains(ownNames, name), vendor: around.vendor}
	if prefix, standard := split(name); prefix != "" {
		name, at.vendor = standard, true
		// like @-ms-viewport, which has descriptors of its own
		at.free = at.free || !holdsProperties(name) && name != "document"
	} else if !grammar.IsAtRule(name) && !browsers.Known("css.at-rules."+name) {
		c.report(code.UnknownAtRule, nameOf(r.At, len(r.Name)+1, r.Span()), didYouMean("@", r.Name, grammar.AtRules()),
			"unknown at-rule \"@%s\"", r.Name)
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

// media checks the names of features in media queries.
func (c *checker) media(values []ast.Value) {
	inBrackets(values, func(inner []ast.Value) {
		for k := range inner {
			f := &inner[k]
			first := k == 0 && (len(inner) == 1 || inner[1].Kind == token.Colon || isComparison(&inner[1]))
			afterComparison := k > 0 && isComparison(&inner[k-1])
			if f.Kind == token.Ident && (first || afterComparison) && !isMediaFeature(token.Lower(f.Text)) &&
				!(afterComparison && len(inner) > 1 && inner[0].Kind == token.Ident) {
				c.report(code.UnknownMediaFeature, f.Span(), didYouMean("", f.Text, mediaFeatures()),
					"unknown media feature %q", f.Text)
			}
		}
	})
}

// mediaFeatures returns the names of the media features, including the min- and
// max- forms of ranges.
var mediaFeatures = sync.OnceValue(func() []string {
	names := grammar.Descriptors("media")
	for _, name := range []string{"width", "height", "aspect-ratio", "color", "resolution", "device-width",
		"device-height"} {
		names = append(names, "min-"+name, "max-"+name)
	}
	return names
})

// inBrackets calls visit with the contents of each pair of brackets, at every
// depth.
func inBrackets(values []ast.Value, visit func(inner []ast.Value)) {
	for i := range values {
		if inner := values[i].Values(); values[i].Kind == token.LParen && len(inner) > 0 {
			inBrackets(inner, visit)
			visit(inner)
		}
	}
}

// ofVendor reports whether a selector is only supported by the browsers of one
// vendor.
func ofVendor(s ast.Selector) bool {
	found := false
	pseudos(s, func(p *ast.Simple) {
		prefix, _ := split(token.Lower(p.Name))
		found = found || prefix != ""
	})
	return found
}

// isComparison reports whether v is a comparison sign.
func isComparison(v *ast.Value) bool { return v.IsDelim('<') || v.IsDelim('>') || v.IsDelim('=') }

// isMediaFeature reports whether a media feature exists.
func isMediaFeature(name string) bool {
	if prefix, _ := split(name); prefix != "" {
		return true // a vendor's, or custom media defined elsewhere
	}
	for _, bound := range []string{"min-", "max-", "min--moz-", "max--moz-"} {
		name = strings.TrimPrefix(name, bound)
	}
	if _, ok := grammar.Descriptor("media", name); ok {
		return true
	}
	return name == "device-pixel-ratio" || name == "high-contrast" || name == "transform-2d" ||
		name == "transform-3d" || browsers.Known("css.at-rules.media."+name)
}

// selector checks the names of pseudo-classes and pseudo-elements.
func (c *checker) selector(s ast.Selector) {
	pseudos(s, func(p *ast.Simple) {
		name := token.Lower(p.Name)
		if prefix, _ := split(name); prefix != "" || isPseudo(name, p.Kind) || slices.Contains(scrollbarStates, name) &&
			hasStyledPart(s) {
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
		c.report(code.UnknownPseudo, source.SpanOf(p.Pos, len(colons)+len(p.Name)), fix,
			"unknown pseudo-class or pseudo-element \"%s%s\": browsers drop the rule", colons, p.Name)
	})
}

// pseudos calls visit with each pseudo-class and pseudo-element of a selector,
// arguments first.
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
// which no specification defines. The data only has the pseudo-elements.
var scrollbarStates = []string{"horizontal", "vertical", "decrement", "increment", "start", "end", "double-button",
	"single-button", "no-button", "corner-present", "window-inactive"}

// hasStyledPart reports whether a selector contains ::selection or a vendor's
// pseudo-element, which includes those of scrollbars: the pseudo-classes in
// scrollbarStates are for them.
func hasStyledPart(s ast.Selector) bool {
	return slices.ContainsFunc(s, func(p ast.Simple) bool {
		return p.Kind == ast.PseudoElement && strings.HasPrefix(token.Lower(p.Name), "-webkit-") ||
			token.EqualFold(p.Name, "selection")
	})
}

// isPseudo reports whether a pseudo-class or pseudo-element exists.
func isPseudo(name string, kind ast.SimpleKind) bool {
	if kind == ast.PseudoElement {
		return grammar.IsPseudo("::" + name)
	}
	return grammar.IsPseudo(":"+name) || !grammar.IsPseudo("::"+name) && browsers.Known("css.selectors."+name)
}

// nameOf returns the span of a name of n bytes at the start of a construct,
// limited to the construct: the text of a name with an unfinished escape at the
// end of the file is longer than its source.
func nameOf(at source.Pos, n int, construct source.Span) source.Span {
	return at.To(min(at.Off+uint32(n), max(construct.End, at.Off)))
}

// didYouMean returns a fix with the most similar of names.
func didYouMean(before, name string, names []string) string {
	if near := diag.Nearest(token.Lower(name), names); near != "" {
		return fmt.Sprintf("did you mean \"%s%s\"?", before, near)
	}
	return ""
}

// split splits a lower-case name into its vendor prefix and the rest. The
// prefix of a custom name is "--".
func split(name string) (prefix, standard string) {
	if rest, ok := strings.CutPrefix(name, "--"); ok {
		return "--", rest
	}
	return token.SplitVendor(name)
}
