// Package accept decides which declarations and selectors browsers accept, by
// the features that they need. What is unknown counts as not accepted.
package accept

import (
	"math"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"sync"

	"rinzel/internal/browsers"
	"rinzel/internal/css/ast"
	"rinzel/internal/css/grammar"
	"rinzel/internal/css/token"
	"rinzel/internal/css/value"
)

// Browsers answers for a set of browsers. Use [Of] to get one. It is safe for
// concurrent use.
type Browsers struct {
	targets  browsers.Targets
	features sync.Map // whether all support a feature: bool
}

// Of returns the answers for targets. No targets, as in the zero Targets, are
// any browsers: they support only what is always accepted.
func Of(targets browsers.Targets) *Browsers { return &Browsers{targets: targets} }

// Feature reports whether all browsers support a feature, completely and without
// a prefix.
func (b *Browsers) Feature(name string) bool {
	if known, ok := b.features.Load(name); ok {
		return known.(bool)
	}
	if !browsers.Known(name) || b.targets.Empty() {
		return false
	}
	all := len(b.targets.Unsupported(name)) == 0
	b.features.Store(name, all)
	return all
}

// Declaration reports whether all browsers accept a declaration.
func (b *Browsers) Declaration(d *ast.Declaration) bool {
	return !slices.ContainsFunc(b.Needs(d), func(need string) bool { return !b.Feature(need) })
}

// Supersedes reports whether each browser that accepts earlier also accepts
// later: if later follows earlier in a rule, no browser uses earlier for what
// both set.
func (b *Browsers) Supersedes(later, earlier *ast.Declaration) bool {
	var of []string
	for _, need := range b.Needs(later) {
		if b.Feature(need) {
			continue
		}
		if of == nil {
			of = b.Needs(earlier)
		}
		if !slices.Contains(of, need) && !b.Implies(of, need) {
			return false
		}
	}
	return true
}

// Implies reports whether each browser that supports all of some features also
// supports another one.
func (b *Browsers) Implies(have []string, feature string) bool {
	return b.targets.Implies(have, feature)
}

// Needs returns the features that a browser must have to accept a declaration.
// A feature without data starts with a question mark; nobody is known to have
// it. The list must not be modified.
func (*Browsers) Needs(d *ast.Declaration) []string {
	if d.IsCustom() {
		return customNeeds
	}
	p := infoOf(d.Name)
	values := ast.Significant(d.Value)
	n := needed{info: p, list: p.base}
	n.values(values)
	if len(values) > 1 {
		n.list = append(slices.Clip(n.list), p.longer...)
	}
	if !grammar.Open(values) && (!p.defined || !p.definition.Valid(values)) {
		n.add("?" + p.name + " " + text(values))
	}
	return n.list
}

// customNeeds is what custom properties need.
var customNeeds = []string{"css.properties.custom-property"}

// info is what is known about a property.
type info struct {
	name       string   // in lower case
	feature    string   // even without data
	base       []string // the features that each of its declarations needs
	longer     []string // those of values with several parts
	definition grammar.Definition
	defined    bool
}

// infos are the properties with data, by name as written.
var infos sync.Map

// infoOf returns what is known about a property, given by its name as written.
func infoOf(written string) *info {
	if p, ok := infos.Load(written); ok {
		return p.(*info)
	}
	p := &info{name: token.Lower(token.Unescape(written))}
	_, standard := token.SplitVendor(p.name)
	p.feature = browsers.Property(p.name)
	p.base = []string{"?" + p.name}
	p.longer = syntaxParts(p.feature)
	p.definition, p.defined = grammar.Property(p.name)
	if !p.defined {
		p.definition, p.defined = grammar.Property(standard)
	}
	if browsers.Known(p.feature) {
		p.base = []string{p.feature}
		if p.name == written {
			infos.Store(written, p)
		}
	}
	return p
}

// text returns values as text that identifies them, however numbers, strings and
// URLs are written.
func text(values []ast.Value) string {
	var b strings.Builder
	for i := range values {
		v := &values[i]
		if color, ok := colorText(v); ok {
			b.WriteString(color + " ")
			continue
		}
		n, isNumber := value.Read(v)
		switch {
		case isNumber && n.Value == 0 && value.Measures(n.Unit) == "length":
			b.WriteString("0")
		case isNumber:
			b.WriteString(strconv.FormatFloat(n.Value, 'g', 9, 64) + n.Unit)
		case v.Kind == token.String:
			b.WriteString(token.Quote(token.StringValue(v.Text)))
		case v.Kind == token.URL:
			b.WriteString("url( " + token.Quote(token.URLValue(v.Text)))
		case v.Kind == token.Function:
			b.WriteString(token.Lower(v.Text))
		default:
			b.WriteString(v.Text)
		}
		b.WriteString(" " + text(v.Values()))
	}
	return b.String()
}

// colorText returns a legacy colour as its channels: browsers accept #f00 where
// they accept red. What else they need for one of its forms has features of its
// own, but rebeccapurple is younger than such numbers. ok is false for others.
func colorText(v *ast.Value) (text string, ok bool) {
	c, ok := value.ColorOf(v)
	if !ok || !c.Legacy || c.Missing != [4]bool{} || v.IsIdent("rebeccapurple") {
		return "", false
	}
	out := []byte{'#'}
	for _, x := range c.Channels {
		out = append(strconv.AppendFloat(out, math.Round(x*255), 'f', -1, 64), ' ')
	}
	return string(strconv.AppendFloat(out, c.Alpha, 'g', 6, 64)), true
}

// needed collects features.
type needed struct {
	*info
	list      []string
	gradients bool // in the arguments of a gradient: keywords are not those of the property
}

// add adds a feature.
func (n *needed) add(feature string) {
	if !slices.Contains(n.list, feature) {
		n.list = append(slices.Clip(n.list), feature)
	}
}

// values adds the features of values.
func (n *needed) values(values []ast.Value) {
	for i := range values {
		v := &values[i]
		switch v.Kind {
		case token.Ident:
			n.keyword(token.Lower(v.Text))
		case token.Function:
			n.function(v)
		case token.Dimension:
			if unit := token.Lower(v.Text[token.NumberLen(v.Text):]); !oldUnits[unit] {
				n.add(knownOr(UnitFeature(unit), unit))
			}
		case token.Hash:
			if len(v.Text) == 5 || len(v.Text) == 9 {
				n.add(AlphaHex)
			}
		}
		if v.Inner != nil {
			outside := n.gradients
			n.gradients = outside || v.Kind == token.Function && strings.HasSuffix(token.Lower(v.Name()), "gradient")
			n.values(v.Inner.Values)
			n.gradients = outside
		}
	}
}

// AlphaHex is the feature of colours with four or eight hexadecimal digits.
const AlphaHex = "css.types.color.rgb_hexadecimal_notation.alpha_hexadecimal_notation"

// GradientTo is the feature of directions like "to bottom" in linear gradients.
const GradientTo = "css.types.gradient.linear-gradient.to"

// knownOr returns a feature, or one without data for a name.
func knownOr(feature, name string) string {
	if browsers.Known(feature) {
		return feature
	}
	return "?" + name
}

// keyword adds the features of a keyword in lower case.
func (n *needed) keyword(word string) {
	property := n.feature
	if n.gradients {
		property = ""
	}
	for _, feature := range keywordFeatures(keyword{property, word}) {
		n.add(feature)
	}
}

// keyword is a keyword in the values of a property.
type keyword struct{ property, word string }

// keywords are the features of the keywords that have some.
var keywords = sync.OnceValue(func() map[keyword][]string {
	out := make(map[keyword][]string)
	for _, feature := range browsers.Features() {
		i := strings.LastIndexByte(feature, '.')
		switch group, word := feature[:max(i, 0)], feature[i+1:]; {
		case group == "css.types.global_keywords" || group == "css.types.color.system-color" ||
			feature == "css.types.color.named-color.rebeccapurple":
			out[keyword{"", word}] = append(out[keyword{"", word}], feature)
		case strings.HasPrefix(group, "css.properties."):
			out[keyword{group, word}] = append(out[keyword{group, word}], feature)
		}
	}
	return out
})

// keywordFeatures returns the features of a keyword.
func keywordFeatures(k keyword) []string {
	if k.word[0] == '-' {
		if ast.IsCustomName(k.word) {
			return nil // in var(), or a name
		}
		return []string{"?" + k.word}
	}
	all := keywords()
	if general := all[keyword{"", k.word}]; general != nil {
		return append(slices.Clip(general), all[k]...)
	}
	return all[k]
}

// function adds the features of a function.
func (n *needed) function(v *ast.Value) {
	name := token.Lower(v.Name())
	feature, ok := functionFeatures()[name]
	switch {
	case ok:
		n.add(feature)
	case !oldFunctions[name]:
		n.add("?" + name + "()")
	}
	args := ast.Significant(v.Values())
	commas := 0
	for i := range args {
		switch {
		case args[i].Kind == token.Comma:
			commas++
		case args[i].IsIdent("from") && i == 0:
			n.add(knownOr(browsers.Color(name)+".relative_syntax", "from"))
		}
	}
	if commas == 0 && (name == "rgb" || name == "hsl" || name == "rgba" || name == "hsla") {
		n.add(browsers.Color(name[:3]) + ".space_separated_parameters")
	}
	if strings.HasSuffix(name, "gradient") {
		n.gradient(feature, args)
	}
}

// gradient adds the features of the arguments of a gradient.
func (n *needed) gradient(feature string, args []ast.Value) {
	has := func(word string) bool {
		return slices.ContainsFunc(args, func(v ast.Value) bool { return v.IsIdent(word) })
	}
	parts := ast.SplitAt(args, token.Comma)
	// The first part may be a direction instead of a stop.
	special := slices.ContainsFunc(parts[1:], func(part []ast.Value) bool { return !isSimpleStop(part) })
	for _, part := range browsers.Parts(feature) {
		uses := true
		switch {
		case strings.HasPrefix(part, "interpolation_color") || strings.HasPrefix(part, "hue_"):
			uses = has("in")
		case part == "to" || part == "at":
			uses = has(part)
		case part == "premultiplied_gradients": // it changes how they are painted
			uses = false
		case part == "single_color_stop":
			uses = len(parts) < 2 || len(parts) == 2 && !isSimpleStop(parts[0])
		case part == "doubleposition" || part == "interpolation_hints":
			uses = special
		case part == "unitless_0_angle":
			uses = len(args) > 0 && args[0].Kind == token.Number
		}
		if uses {
			n.add(feature + "." + part)
		}
	}
}

// isSimpleStop reports whether a part of a gradient is a colour with at most one
// position.
func isSimpleStop(part []ast.Value) bool {
	if len(part) == 0 || len(part) > 2 {
		return false
	}
	switch first := &part[0]; first.Kind {
	case token.Ident:
		return !first.IsIdent("to") && !first.IsIdent("at") && !first.IsIdent("from") && !first.IsIdent("in")
	case token.Hash:
		return true
	case token.Function:
		return !value.IsMath(first)
	}
	return false
}

// syntaxParts returns the features of a property that stand for longer forms of
// its values.
func syntaxParts(property string) []string {
	var out []string
	for _, part := range browsers.Parts(property) {
		if strings.HasSuffix(part, "_syntax") || strings.HasPrefix(part, "multi") && !strings.HasSuffix(part, "_context") ||
			strings.HasSuffix(part, "relative_values") {
			out = append(out, property+"."+part)
		}
	}
	return out
}

// oldUnits and oldFunctions are as old as the properties that take them.
var (
	oldUnits = map[string]bool{"px": true, "em": true, "ex": true, "cm": true, "mm": true, "in": true, "pt": true,
		"pc": true, "s": true, "ms": true, "deg": true, "rad": true, "grad": true, "fr": true}
	oldFunctions = map[string]bool{"rgb": true, "rgba": true, "hsl": true, "hsla": true, "url": true, "rect": true,
		"matrix": true, "translate": true, "translatex": true, "translatey": true, "scale": true, "scalex": true,
		"scaley": true, "rotate": true, "skew": true, "skewx": true, "skewy": true, "cubic-bezier": true,
		"blur": true, "brightness": true, "contrast": true, "drop-shadow": true, "grayscale": true,
		"hue-rotate": true, "invert": true, "opacity": true, "saturate": true, "sepia": true, "repeat": true,
		"minmax": true, "fit-content": true}
)

// FunctionFeatures returns the features of all functions by lower-case name. The
// map must not be modified.
func FunctionFeatures() map[string]string { return functionFeatures() }

// functionFeatures implements FunctionFeatures.
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

// unitGroups are features that stand for several units.
var unitGroups = map[string]string{"s": "viewport_percentage_units_small", "l": "viewport_percentage_units_large",
	"d": "viewport_percentage_units_dynamic"}

// UnitFeature returns the feature of a unit in lower case.
func UnitFeature(unit string) string {
	const lengths = "css.types.length."
	switch {
	case strings.HasPrefix(unit, "cq"):
		return lengths + "container_query_length_units"
	case unit == "q":
		return lengths + "Q"
	case len(unit) > 2 && slices.Contains([]string{"vw", "vh", "vi", "vb", "vmin", "vmax"}, unit[1:]):
		return lengths + unitGroups[unit[:1]]
	}
	return lengths + unit
}

// Selector reports whether all browsers accept a selector. If something follows
// a pseudo-element, it is not known: few combinations are valid (Selectors 4,
// section 3.6).
func (b *Browsers) Selector(s ast.Selector) bool {
	for i := range s {
		switch p := &s[i]; {
		case p.Kind == ast.PseudoElement && i < len(s)-1, p.Kind == ast.Combinator && (i == len(s)-1 || p.Name == "||"),
			!b.simple(p):
			return false
		}
	}
	return len(s) > 0
}

// argument reports whether all browsers accept a selector as an argument of a
// pseudo-class, where no pseudo-element is allowed.
func (b *Browsers) argument(s ast.Selector) bool {
	return b.Selector(s) && !slices.ContainsFunc(s, func(p ast.Simple) bool { return p.Kind == ast.PseudoElement })
}

// functional are the pseudo-classes and pseudo-elements with arguments. Only host
// also exists without.
var functional = map[string]bool{"not": true, "is": true, "where": true, "has": true, "lang": true, "dir": true,
	"nth-child": true, "nth-last-child": true, "nth-of-type": true, "nth-last-of-type": true, "host": true,
	"host-context": true, "slotted": true, "part": true, "state": true, "highlight": true}

// formula matches An+B (CSS Syntax 3, section 6) without white space.
var formula = regexp.MustCompile(`(?i)^(even|odd|[+-]?\d+|[+-]?\d*n([+-]\d+)?)$`)

// joined returns the texts of values without white space and comments.
func joined(values []ast.Value) string {
	var b strings.Builder
	for _, v := range ast.Significant(values) {
		b.WriteString(v.Text)
	}
	return b.String()
}

// simple reports whether all browsers accept a simple selector.
func (b *Browsers) simple(p *ast.Simple) bool {
	switch p.Kind {
	case ast.BadSelector:
		return false
	case ast.NestingSelector:
		return b.Feature(browsers.Nesting)
	case ast.AttributeSelector:
		return p.Args == nil || p.Args.Modifier == "" || b.Feature("css.selectors.attribute.case_insensitive_modifier")
	case ast.PseudoClass, ast.PseudoElement:
		return b.pseudo(p)
	}
	return true
}

// pseudo reports whether all browsers accept a pseudo-class or pseudo-element.
func (b *Browsers) pseudo(p *ast.Simple) bool {
	name := token.Lower(p.Name)
	if hasArgs := p.Args != nil && !p.Args.SingleColon; hasArgs != functional[name] && name != "host" {
		return false
	}
	if p.Args == nil || p.Args.SingleColon {
		return oldPseudos[name] || b.Feature("css.selectors."+name)
	}
	if name == "not" && len(p.Args.Selectors) == 1 && len(p.Args.Selectors[0]) == 1 {
		return b.argument(p.Args.Selectors[0]) // as old as attribute selectors
	}
	feature := name
	switch {
	case name == "not":
		feature = "not.selector_list"
	case strings.HasPrefix(name, "nth-") && !formula.MatchString(joined(p.Args.Values)):
		return false
	case strings.HasPrefix(name, "nth-") && len(p.Args.Selectors) == 0:
		return true
	case strings.HasPrefix(name, "nth-"):
		feature = name + ".of_syntax"
	}
	if !b.Feature("css.selectors." + feature) {
		return false
	}
	return !slices.ContainsFunc(p.Args.Selectors, func(s ast.Selector) bool { return !b.argument(s) })
}

// oldPseudos are the pseudo-classes and pseudo-elements that every browser
// accepts (CSS 2, and Selectors 3 without user interface states).
var oldPseudos = map[string]bool{"link": true, "visited": true, "hover": true, "active": true, "focus": true,
	"first-child": true, "last-child": true, "only-child": true, "first-of-type": true, "last-of-type": true,
	"only-of-type": true, "empty": true, "root": true, "target": true, "checked": true, "enabled": true,
	"disabled": true, "before": true, "after": true, "first-line": true, "first-letter": true}
