package check

import (
	"fmt"
	"math"
	"slices"
	"strconv"
	"strings"

	"rinzel/internal/browsers"
	"rinzel/internal/css/ast"
	"rinzel/internal/css/grammar"
	"rinzel/internal/css/known"
	"rinzel/internal/css/print"
	"rinzel/internal/css/token"
	"rinzel/internal/css/value"
	"rinzel/internal/diag"
	"rinzel/internal/diag/code"
	"rinzel/internal/source"
)

// declaration checks the name and the value of a declaration. siblings are the
// nodes of its block.
func (c *checker) declaration(d *ast.Declaration, at nodeContext, siblings []ast.Node) {
	values := ast.Significant(d.Value)
	if c.runsOn(d, values) || d.IsCustom() {
		return
	}
	name := token.Lower(d.Name)
	if len(values) == 0 {
		c.report(code.UnknownValue, nameSpan(d), "add a value, or remove it", "%q has no value: browsers skip it", d.Name)
		return
	}
	c.reads(values)
	c.origins(values)
	if at.atRule != "" {
		if def, ok := grammar.Descriptor(at.atRule, name); ok {
			c.value(d, def, values, "css.at-rules."+at.atRule+"."+name)
			return
		}
		if !at.both {
			c.descriptor(d, at.atRule, name)
			return
		}
	}
	info := c.info(name)
	switch {
	case info.prefix != "":
		// Inside of a rule for one vendor, only its browsers read the property.
		if !at.vendor {
			c.prefixed(d, info.prefix, info.standard, siblings)
		}
		return
	case isHack(d, name, values):
		c.report(code.LegacyHack, nameSpan(d), "", "%q is a hack for legacy browsers", d.Name+": "+print.Values(values))
		return
	case !info.known:
		c.report(code.UnknownProperty, nameSpan(d), info.near, "unknown property %q", d.Name)
		return
	case info.isOld && !declares(siblings, info.standard): // otherwise it is a fallback for legacy browsers
		c.report(code.Deprecated, nameSpan(d), fmt.Sprintf("write %q", info.standard),
			"%q is deprecated: its name is %q now", d.Name, info.standard)
	case info.deprecated:
		c.report(code.Deprecated, nameSpan(d), "", "property %q is deprecated", d.Name)
	}
	if info.defined {
		c.value(d, info.definition, values, info.feature)
	}
}

// isHack reports whether only legacy browsers support a declaration: by a sign
// before its name, or by a property or value that no other browser has.
func isHack(d *ast.Declaration, name string, values []ast.Value) bool {
	if strings.HasPrefix(name, "_") {
		return true
	}
	switch name {
	case "behavior", "layout-grid", "scrollbar-face-color", "scrollbar-arrow-color", "scrollbar-track-color",
		"scrollbar-shadow-color", "scrollbar-highlight-color", "scrollbar-3dlight-color", "scrollbar-darkshadow-color",
		"scrollbar-base-color":
		return true
	case "speak": // from the aural sheets of CSS 2
		return len(values) == 1 && (values[0].IsIdent("none") || values[0].IsIdent("spell-out"))
	}
	return false
}

// info has facts about a property name.
type info struct {
	prefix     string // vendor prefix, or empty
	standard   string // the name without its prefix, or the current name for a legacy name
	feature    string
	known      bool
	defined    bool // its values are defined
	isOld      bool
	deprecated bool
	near       string // fix for an unknown name
	definition grammar.Definition
}

// info returns the facts about a lower-case name.
func (c *checker) info(name string) *info {
	if i, ok := c.names[name]; ok {
		return i
	}
	// Facts do not depend on the sheet, so all checkers share them.
	if shared, ok := c.infos.Load(name); ok {
		i := shared.(*info)
		c.names[name] = i
		return i
	}
	i := &info{feature: browsers.Property(name)}
	// A prefixed property is checked by its standard form.
	if i.prefix, i.standard = split(name); i.prefix == "" {
		i.definition, i.defined = grammar.Property(name)
		i.known = i.defined || browsers.Known(i.feature)
		i.standard, i.isOld = grammar.Standard(name)
		i.deprecated = !i.isOld && browsers.Deprecated(i.feature)
		if !i.known {
			i.near = didYouMean("", name, grammar.Properties())
		}
	}
	if i.known { // do not cache arbitrary names
		c.infos.Store(name, i)
	}
	c.names[name] = i
	return i
}

// declares reports whether a block declares a property.
func declares(block []ast.Node, name string) bool {
	return slices.ContainsFunc(block, func(n ast.Node) bool {
		d, ok := n.(*ast.Declaration)
		return ok && token.EqualFold(d.Name, name)
	})
}

// nameSpan returns the span of the name of a declaration.
func nameSpan(d *ast.Declaration) source.Span { return nameOf(d.NamePos, len(d.Name), d.Span()) }

// descriptor reports an unknown descriptor.
func (c *checker) descriptor(d *ast.Declaration, rule, name string) {
	// Descriptors of vendors are unknown to the data.
	if prefix, _ := split(name); prefix != "" || browsers.Known("css.at-rules."+rule+"."+name) {
		return
	}
	c.report(code.UnknownDescriptor, nameSpan(d), didYouMean("", name, grammar.Descriptors(rule)),
		"unknown descriptor %q of \"@%s\"", d.Name, rule)
}

// prefixed checks a property with a vendor prefix: if a browser supports the
// standard property, it must be in the same block.
func (c *checker) prefixed(d *ast.Declaration, prefix, standard string, siblings []ast.Node) {
	def, ok := grammar.Property(standard)
	// The standard form must be of use: in some newest browser, and in a
	// target where the prefixed form has no effect.
	if !ok || def.Syntax() == "" || !c.targets.Newest(browsers.Property(standard)) ||
		!c.targets.Without(browsers.Property(standard), prefix) {
		return
	}
	if hasStandard(siblings, d, standard) {
		return
	}
	if values := ast.Significant(d.Value); !grammar.Open(values) {
		if _, fits := def.Match(values); !fits {
			return // the prefixed property has other values and therefore another meaning
		}
	}
	c.report(code.OnlyPrefixed, nameSpan(d),
		fmt.Sprintf("write %q: the step prefix adds the prefixed forms that targets need", standard),
		"%q without its standard form %q", d.Name, standard)
}

// hasStandard reports whether a block declares the standard property, or has
// another prefixed form before d that is reported.
func hasStandard(block []ast.Node, d *ast.Declaration, standard string) bool {
	longhands := grammar.Longhands(standard)
	for _, n := range block {
		o, ok := n.(*ast.Declaration)
		if !ok {
			continue
		}
		name := token.Lower(o.Name)
		// A shorthand sets the property as well, and so do its longhands
		// together.
		if name == standard || slices.Contains(grammar.Longhands(name), standard) || slices.Contains(longhands, name) {
			return true
		}
		// Of several prefixed forms, only the first is reported.
		if other, rest := split(name); other != "" && rest == standard && o != d && o.NamePos.Off < d.NamePos.Off {
			return true
		}
	}
	return false
}

// value checks the value of a declaration. feature is the name of the property
// or descriptor in the browser data.
func (c *checker) value(d *ast.Declaration, def grammar.Definition, values []ast.Value, feature string) {
	// The value of a variable is unknown.
	if grammar.Open(values) || len(values) == 0 {
		return
	}
	if hack := legacyValue(values); hack != nil {
		c.report(code.LegacyHack, hack.Span(), "", "%q is a hack for legacy browsers", hack.Text)
		return
	}
	if len(values) == 1 && values[0].Kind == token.Ident && browsers.Deprecated(feature+"."+token.Lower(values[0].Text)) {
		c.report(code.Deprecated, values[0].Span(), "", "value %q of %q is deprecated", values[0].Text, d.Name)
		return
	}
	// Values of vendors have no definitions.
	if vendors(values) {
		return
	}
	m, fits := def.Match(values)
	if fits {
		return
	}
	// Browsers may support a keyword that the specification does not have yet.
	if m.At != nil && m.At.Kind == token.Ident && browsers.Known(feature+"."+token.Lower(m.At.Text)) {
		return
	}
	c.reportMisfit(d, m, values)
}

// reportMisfit reports an invalid value.
func (c *checker) reportMisfit(d *ast.Declaration, m grammar.Misfit, values []ast.Value) {
	count := len(c.found)
	if c.misfit(d, m, values); len(c.found) == count {
		return // the maximum number of findings is reached
	}
	if f, own := &c.found[count], d.Span(); f.Span.Start.File != own.Start.File || f.Span.Start.Off < own.Start.Off ||
		f.Span.Start.Off >= own.End {
		// The value is that of a constant, and either may be wrong.
		f.Related = append(f.Related, diag.Related{Span: f.Span, Message: "the value comes from here"})
		f.Span = own
	}
}

// legacyValue returns a value that only legacy browsers support, if there is
// one.
func legacyValue(values []ast.Value) *ast.Value {
	for i := range values {
		v := &values[i]
		switch {
		case v.Kind == token.Ident && slashed(v.Text) || v.IsIdent("progid"), v.Kind == token.Dimension && slashed(v.Text),
			v.IsFunction("alpha") && len(v.Values()) > 0 && v.Values()[0].IsIdent("opacity"), v.IsFunction("expression"):
			return v
		}
	}
	return nil
}

// slashed reports whether a text ends in an escape that no valid value has.
func slashed(text string) bool {
	text = strings.TrimRight(text, " ")
	return strings.HasSuffix(text, `\9`) || strings.HasSuffix(text, `\0`)
}

// vendors reports whether a value belongs to a vendor.
func vendors(values []ast.Value) bool {
	return slices.ContainsFunc(values, func(v ast.Value) bool {
		if v.Kind == token.Ident || v.Kind == token.Function {
			if prefix, _ := split(token.Lower(v.Text)); len(prefix) > 2 {
				return true
			}
		}
		return v.Inner != nil && vendors(v.Inner.Values)
	})
}

// misfit explains why a value is invalid for its property.
func (c *checker) misfit(d *ast.Declaration, m grammar.Misfit, values []ast.Value) {
	// The value is valid so far, but ends too early.
	if m.At == nil {
		last := &values[len(values)-1]
		c.report(code.UnknownValue, last.Span(), expected(m), "incomplete value of %q", d.Name)
		return
	}
	text := print.Values([]ast.Value{*m.At})
	// A long function is shown by its name.
	if len(text) > 60 {
		text = m.At.Text
	}
	number, isNumber := value.Read(m.At)
	switch {
	case isNumber && m.OutOfRange:
		c.report(code.OutOfRange, m.At.Span(), "", "%q is out of range: %q accepts %s", text, d.Name, rangeOf(m))
	// A missing unit is the most frequent cause, and the browser ignores the
	// declaration silently.
	case isNumber && number.Unit == "" && unitFor(m.Types) != "":
		unit := unitFor(m.Types)
		c.report(code.MissingUnit, m.At.Span(), fmt.Sprintf("write %q, or use another unit", m.At.Text+unit),
			"%q has no unit: browsers do not accept it as %s", text, typeWords[unitTypes[unit]])
	case m.At.Kind == token.Hash:
		c.report(code.BadColor, m.At.Span(), "use 3, 4, 6 or 8 hexadecimal digits", "invalid colour %q", text)
	case isColorFunction(m.At):
		c.report(code.BadColor, m.At.Span(), "", "invalid colour %q", text)
	default:
		c.report(code.UnknownValue, m.At.Span(), nearValue(m), "invalid value %q for %q", text, d.Name)
	}
}

// runsOn reports a value that contains the next declaration, because a
// semicolon is missing: it contains the name of a property and a colon.
func (c *checker) runsOn(d *ast.Declaration, values []ast.Value) bool {
	// The property name must be directly before the colon, and after a value.
	colon := slices.IndexFunc(values, func(v ast.Value) bool { return v.Kind == token.Colon })
	if colon < 2 || values[colon-1].Kind != token.Ident {
		return false
	}
	next := &values[colon-1]
	// Other colons are valid or reported as such.
	if info := c.info(token.Lower(next.Text)); !info.known && info.prefix == "" && !ast.IsCustomName(next.Text) {
		return false
	}
	last := values[colon-2].Span()
	// A constant of another file cannot contain the next declaration.
	if next.Pos.File != d.NamePos.File {
		return false
	}
	// a constant comes before it
	if own := d.Span(); last.Start.File != own.Start.File || last.Start.Off < own.Start.Off || last.End > next.Pos.Off {
		c.report(code.UnknownValue, next.Span(), "write \";\" before it",
			"missing ';' after the value of %q: the next declaration %q is read as part of it", d.Name, next.Text+":")
		return true
	}
	// The semicolon is missing after the last character of the value.
	end := source.Span{Start: source.Pos{File: last.Start.File, Off: max(last.End, 1) - 1}, End: last.End}
	f := c.report(code.UnknownValue, end, fmt.Sprintf("write %s;", print.Values(values[colon-2:colon-1])),
		"missing ';' after the value of %q: the next declaration %q is read as part of it", d.Name, next.Text+":")
	f.Related = append(f.Related,
		diag.Related{Span: next.Span(), Message: "read as part of the value: browsers skip both declarations"})
	// A custom property accepts any value: browsers keep it, including the
	// other declaration.
	if d.IsCustom() {
		f.Related[0].Message = "read as part of the value"
	}
	return true
}

// origins checks the names of the colours that relative colours are derived
// from, which the value definitions leave open.
func (c *checker) origins(values []ast.Value) {
	for i := range values {
		args := ast.Significant(values[i].Values())
		if isColorFunction(&values[i]) && len(args) > 1 && args[0].IsIdent("from") && args[1].Kind == token.Ident {
			if _, known := slices.BinarySearch(grammar.ColorNames(), token.Lower(args[1].Text)); !known {
				c.report(code.BadColor, args[1].Span(), didYouMean("", args[1].Text, grammar.ColorNames()), "unknown colour %q",
					args[1].Text)
			}
		}
		c.origins(values[i].Values())
	}
}

// isColorFunction reports whether v is a colour function.
func isColorFunction(v *ast.Value) bool {
	return v.Kind == token.Function && known.ColorFunction(token.Lower(v.Name()))
}

// unitTypes are the suggested units, with the type that accepts them.
var unitTypes = map[string]string{"px": "length", "deg": "angle", "s": "time", "fr": "flex"}

// unitFor returns a unit that would make a number valid; "" if a number is
// valid or no unit is.
func unitFor(types []string) string {
	// A number is valid, so the unit is not the problem.
	if slices.Contains(types, "number") || slices.Contains(types, "integer") {
		return ""
	}
	for _, unit := range []string{"px", "deg", "s", "fr"} {
		if slices.Contains(types, unitTypes[unit]) {
			return unit
		}
	}
	return ""
}

// rangeOf words the allowed range.
func rangeOf(m grammar.Misfit) string {
	low, high := strconv.FormatFloat(m.Low, 'f', -1, 64), strconv.FormatFloat(m.High, 'f', -1, 64)
	switch {
	case math.IsInf(m.High, 1):
		return low + " or more"
	case math.IsInf(m.Low, -1):
		return high + " or less"
	}
	return low + " to " + high
}

// wideKeywords are the CSS-wide keywords (CSS Cascade 5, section 7.3).
var wideKeywords = []string{"inherit", "initial", "unset", "revert", "revert-layer"}

// nearValue suggests a valid value.
func nearValue(m grammar.Misfit) string {
	if m.At.Kind == token.Ident || m.At.Kind == token.Function {
		name := m.At.Text
		if m.At.Kind == token.Function {
			// Keywords of a definition include functions, written with both
			// brackets.
			name += ")"
		}
		if near := diag.Nearest(token.Lower(name), append(slices.Clip(m.Keywords), wideKeywords...)); near != "" {
			return fmt.Sprintf("did you mean %q?", near)
		}
	}
	return expected(m)
}

// typeWords are the names of types in messages.
var typeWords = map[string]string{
	"length": "a length", "percentage": "a percentage", "number": "a number", "integer": "an integer",
	"angle": "an angle", "time": "a time", "resolution": "a resolution", "flex": "a share of the space (1fr)",
	"string": "a string", "string-token": "a string", "url-token": "url()", "custom-ident": "a name",
	"dashed-ident": "a name with two hyphens", "hex-color": "a colour",
}

// expected lists what is valid in a position, if the list is short enough.
func expected(m grammar.Misfit) string {
	const most = 8
	var list []string
	for _, t := range m.Types {
		if w := typeWords[t]; w != "" && !slices.Contains(list, w) {
			list = append(list, w)
		}
	}
	// The names of all colours would be too long a list.
	if isColor := slices.Contains(m.Types, "hex-color"); !isColor {
		for _, k := range m.Keywords {
			list = append(list, strconv.Quote(k))
		}
	}
	if len(list) == 0 || len(list) > most {
		return ""
	}
	// The last two are joined by "or".
	if len(list) > 1 {
		list[len(list)-2] += " or " + list[len(list)-1]
		list = list[:len(list)-1]
	}
	return "it accepts " + strings.Join(list, ", ")
}
