package minify

import (
	"slices"
	"strings"

	"rinzel/internal/css/ast"
	"rinzel/internal/css/grammar"
	"rinzel/internal/css/print"
	"rinzel/internal/css/token"
	"rinzel/internal/css/value"
)

// This file shortens the values of properties whose meaning it knows.

// rewriter returns a value with the same meaning. It may modify the list.
type rewriter func(list []ast.Value) []ast.Value

// rewriters are the rewriters of properties. A property with a prefix that is
// another name of the standard one has the same.
var rewriters = map[string][]rewriter{
	"font-weight": {weight},
	"font-family": {families},
	"font":        {weight, families},

	"margin": {sides}, "padding": {sides}, "inset": {sides}, "border-width": {sides}, "border-style": {sides},
	"border-color": {sides}, "scroll-margin": {sides}, "scroll-padding": {sides}, "border-radius": {radius},
	"gap": {pair}, "grid-gap": {pair}, "overflow": {pair}, "border-spacing": {pair}, "overscroll-behavior": {pair},
	"margin-inline": {pair}, "margin-block": {pair}, "padding-inline": {pair}, "padding-block": {pair},
	"inset-inline": {pair}, "inset-block": {pair}, "scroll-margin-inline": {pair}, "scroll-margin-block": {pair},
	"scroll-padding-inline": {pair}, "scroll-padding-block": {pair}, "border-inline-color": {pair},
	"border-inline-style": {pair}, "border-inline-width": {pair}, "border-block-color": {pair},
	"border-block-style": {pair}, "border-block-width": {pair}, "border-top-left-radius": {pair},
	"border-top-right-radius": {pair}, "border-bottom-left-radius": {pair}, "border-bottom-right-radius": {pair},
	"place-content": {pair}, "place-items": {pair}, "place-self": {pair},

	"border": {line}, "border-top": {line}, "border-right": {line}, "border-bottom": {line}, "border-left": {line},
	"border-inline": {line}, "border-block": {line}, "border-inline-start": {line}, "border-inline-end": {line},
	"border-block-start": {line}, "border-block-end": {line}, "outline": {outline}, "column-rule": {line},

	"flex":                       {flex},
	"transition":                 {easings, transitions},
	"animation":                  {easings},
	"transition-timing-function": {easings},
	"animation-timing-function":  {easings},
	"transform":                  {transforms},
	"background-position":        {positions},
	"object-position":            {positions},
	"transform-origin":           {position},
	"perspective-origin":         {position},
	"background-repeat":          {repeats},
	"box-shadow":                 {func(list []ast.Value) []ast.Value { return shadows(list, 4) }},
	"text-shadow":                {func(list []ast.Value) []ast.Value { return shadows(list, 3) }},
	"grid-row":                   {gridLines},
	"grid-column":                {gridLines},
}

// rewritten returns a shorter value of a property. ok is false if there is none.
func (m *minifier) rewritten(name string, list []ast.Value) (short []ast.Value, ok bool) {
	list, folded := foldMath(name, list, m.contextOf(name))
	standard := name
	if current, ok := grammar.Standard(name); ok {
		standard = current
	}
	rewrite := rewriters[standard]
	if rewrite == nil || hasComment(list) || !grammar.IsValid(standard, list) {
		return list, folded
	}
	short = slices.Clone(list)
	for _, r := range rewrite {
		short = r(short)
	}
	if len(short) > 0 {
		short[0].Space = false
	}
	if ast.EqualValues(short, list) || len(print.CompactValues(short)) > len(print.CompactValues(list)) {
		return list, folded
	}
	return short, true
}

// foldMath computes the calculations in values.
func foldMath(name string, list []ast.Value, in valueContext) ([]ast.Value, bool) {
	if !slices.ContainsFunc(list, func(v ast.Value) bool { return value.IsComputable(&v) }) {
		return list, false
	}
	if _, ok := grammar.Property(name); !ok || !grammar.Open(list) && !grammar.IsValid(name, ast.Significant(list)) {
		return list, false
	}
	return ast.MapList(list, func(_ int, v *ast.Value) (with ast.Value, changed bool) {
		if v.Kind != token.Function || !value.IsComputable(v) {
			return with, false
		}
		with, ok, err := value.Fold(v, value.ContextOf(name))
		if !ok || err != nil {
			return with, false
		}
		one := []ast.Value{with}
		one, _ = values(one, in)
		with = one[0]
		return with, len(print.CompactValues(one)) < len(print.CompactValues([]ast.Value{*v}))
	})
}

// hasComment reports whether values contain a comment, at the top.
func hasComment(list []ast.Value) bool {
	return slices.ContainsFunc(list, func(v ast.Value) bool { return v.Kind == token.Comment })
}

// is reports whether a list is one keyword, given in lower case.
func is(list []ast.Value, word string) bool { return len(list) == 1 && list[0].IsIdent(word) }

// each applies a rewriter to the parts of a list with commas.
func each(list []ast.Value, rewrite rewriter) []ast.Value {
	if grammar.IsWide(list) {
		return list
	}
	parts := ast.SplitAt(list, token.Comma)
	for i, part := range parts {
		parts[i] = rewrite(part)
	}
	return ast.JoinCommas(parts)
}

// same reports whether two values are the same text.
func same(a, b ast.Value) bool {
	a.Space, b.Space = false, false
	return ast.EqualValues([]ast.Value{a}, []ast.Value{b})
}

// weight replaces the names of font weights by shorter numbers.
func weight(list []ast.Value) []ast.Value {
	for i := range list {
		v := &list[i]
		switch {
		case v.Kind == token.Comma || v.IsDelim('/'):
			return list // what follows in font is the line height and the families
		case v.IsIdent("bold"):
			v.Kind, v.Text = token.Number, "700"
		case v.IsIdent("normal") && len(list) == 1:
			v.Kind, v.Text = token.Number, "400"
		}
	}
	return list
}

// families removes the quotes of the names of fonts.
func families(list []ast.Value) []ast.Value {
	var out []ast.Value
	for _, v := range list {
		name, ok := unquotedFamily(&v)
		if !ok {
			out = append(out, v)
			continue
		}
		for i, word := range strings.Split(name, " ") {
			out = append(out, ast.Value{Kind: token.Ident, Text: word, Pos: v.Pos, Space: i > 0 || v.Space})
		}
	}
	return out
}

// reservedFamilies are names that mean something else without quotes (CSS Fonts
// 4, section 2.1.1).
var reservedFamilies = words("serif sans-serif cursive fantasy monospace system-ui emoji math fangsong ui-serif " +
	"ui-sans-serif ui-monospace ui-rounded inherit initial unset revert revert-layer revert-rule default none auto " +
	"generic")

// unquotedFamily returns the words of a quoted font family that needs no quotes.
func unquotedFamily(v *ast.Value) (name string, ok bool) {
	if v.Kind != token.String || strings.ContainsRune(v.Text, '\\') || len(v.Text) < 3 {
		return "", false
	}
	name = v.Text[1 : len(v.Text)-1]
	for word := range strings.SplitSeq(name, " ") {
		if word == "" || reservedFamilies[token.Lower(word)] || !isPlainIdent(word) {
			return "", false
		}
	}
	return name, true
}

// isPlainIdent reports whether a word is an identifier without escapes, in
// ASCII.
func isPlainIdent(word string) bool {
	c := word[0]
	if c == '-' {
		return false
	}
	for i := 0; i < len(word); i++ {
		if !token.IsName(word[i]) || word[i] >= 0x80 {
			return false
		}
	}
	return token.IsNameStart(c)
}

// sides removes repeated sides: 1px 2px 1px 2px is 1px 2px.
func sides(list []ast.Value) []ast.Value {
	n := len(list)
	if n > 4 {
		return list
	}
	if n == 4 && same(list[3], list[1]) {
		n = 3
	}
	if n == 3 && same(list[2], list[0]) {
		n = 2
	}
	return pair(list[:n])
}

// pair removes a second value that repeats the first.
func pair(list []ast.Value) []ast.Value {
	if len(list) == 2 && same(list[1], list[0]) {
		return list[:1]
	}
	return list
}

// radius removes repeated corners.
func radius(list []ast.Value) []ast.Value {
	slash := slices.IndexFunc(list, func(v ast.Value) bool { return v.IsDelim('/') })
	if slash < 0 {
		return sides(list)
	}
	across, down := sides(list[:slash:slash]), sides(list[slash+1:])
	if slices.EqualFunc(across, down, same) {
		return across
	}
	return slices.Concat(across, list[slash:slash+1], down)
}

// lineStyles are the keywords of line styles.
var lineStyles = words("none hidden dotted dashed solid double groove ridge inset outset")

// line orders the parts of a border, and removes those that are the default.
func line(list []ast.Value) []ast.Value { return lineParts(list, "currentcolor") }

// outline is line for outlines, whose default colour differs by browser.
func outline(list []ast.Value) []ast.Value { return lineParts(list, "") }

// lineParts implements line and outline: the width comes first, the colour last.
func lineParts(list []ast.Value, defaultColor string) []ast.Value {
	if grammar.IsWide(list) || len(list) > 3 {
		return list
	}
	var width, style, color []ast.Value
	for _, v := range list {
		word := ""
		if v.Kind == token.Ident {
			word = token.Lower(v.Text)
		}
		v.Space = true
		switch {
		case lineStyles[word] || word == "auto":
			style = append(style, v)
		case word == "thin" || word == "medium" || word == "thick" || v.Kind == token.Dimension ||
			v.Kind == token.Number || value.IsMath(&v):
			width = append(width, v)
		default:
			color = append(color, v)
		}
	}
	if len(list) > 1 {
		width = without(width, "medium")
	}
	if len(width)+len(style)+len(color) > 1 {
		style = without(style, "none")
	}
	if len(width)+len(style)+len(color) > 1 && defaultColor != "" {
		color = without(color, defaultColor)
	}
	return slices.Concat(width, style, color)
}

// without returns a list without the keyword, if it is the only one.
func without(list []ast.Value, word string) []ast.Value {
	if is(list, word) {
		return nil
	}
	return list
}

// flex shortens the parts of a flexible length (CSS Flexbox 1, section 7.1).
func flex(list []ast.Value) []ast.Value {
	grow, shrink, basis := "1", "1", ast.Value{Kind: token.Percentage, Text: "0%"}
	numbers := 0
	hasBasis := false
	for _, v := range list {
		switch {
		case v.Kind == token.Number && numbers == 0:
			grow = v.Text
			numbers++
		case v.Kind == token.Number && numbers == 1:
			shrink = v.Text
			numbers++
		case hasBasis || grammar.IsWide(list) || v.IsIdent("none") || v.Kind == token.Number:
			return list
		default:
			basis, hasBasis = v, true
		}
	}
	if len(list) == 1 && hasBasis && !basis.IsIdent("auto") {
		return list // flex: 10em is 1 1 10em
	}
	number := func(text string) ast.Value {
		return ast.Value{Kind: token.Number, Text: text, Pos: list[0].Pos, Space: true}
	}
	word := func(text string) []ast.Value {
		return []ast.Value{{Kind: token.Ident, Text: text, Pos: list[0].Pos}}
	}
	basis.Space = true
	zero := basis.Kind == token.Percentage && basis.Text == "0%"
	switch {
	case basis.IsIdent("auto") && grow == "0" && shrink == "0":
		return word("none")
	case basis.IsIdent("auto") && grow == "1" && shrink == "1":
		return word("auto")
	case zero && shrink == "1":
		return []ast.Value{number(grow)}
	case zero:
		return []ast.Value{number(grow), number(shrink)}
	case grow == "1" && shrink == "1":
		return []ast.Value{basis}
	case shrink == "1":
		return []ast.Value{number(grow), basis}
	}
	return []ast.Value{number(grow), number(shrink), basis}
}

// curves are the cubic-bezier() functions with names (CSS Easing 1, section 2.2).
var curves = map[string]string{".25,.1,.25,1": "ease", ".42,0,1,1": "ease-in", "0,0,.58,1": "ease-out",
	".42,0,.58,1": "ease-in-out", "0,0,1,1": "linear"}

// easings writes easing functions by name.
func easings(list []ast.Value) []ast.Value {
	for i := range list {
		v := &list[i]
		if v.Kind != token.Function {
			continue
		}
		args := print.CompactValues(v.Values())
		name := ""
		switch {
		case v.IsFunction("cubic-bezier"):
			name = curves[args]
		case v.IsFunction("steps") && (args == "1,start" || args == "1,jump-start"):
			name = "step-start"
		case v.IsFunction("steps") && (args == "1" || args == "1,end" || args == "1,jump-end"):
			name = "step-end"
		}
		if name != "" {
			*v = ast.Value{Kind: token.Ident, Text: name, Pos: v.Pos, Space: v.Space}
		}
	}
	return list
}

// isTime reports whether v is a time.
func isTime(v ast.Value) bool {
	n, ok := value.Read(&v)
	return ok && (n.Unit == "s" || n.Unit == "ms")
}

// isZeroTime reports whether v is a time of zero.
func isZeroTime(v ast.Value) bool {
	n, ok := value.Read(&v)
	return ok && n.Value == 0 && isTime(v)
}

// transitions orders the parts of transitions, and removes those that are the
// default: all 0s ease 0s.
func transitions(list []ast.Value) []ast.Value {
	return each(list, transition)
}

// easingNames are the names of easing functions.
var easingNames = words("ease ease-in ease-out ease-in-out linear step-start step-end")

// transition shortens one transition.
func transition(list []ast.Value) []ast.Value {
	var name, times, easing []ast.Value
	for _, v := range list {
		v.Space = true
		switch {
		case isTime(v):
			times = append(times, v)
		case v.Kind == token.Function, v.Kind == token.Ident && easingNames[token.Lower(v.Text)]:
			easing = append(easing, v)
		case v.Kind == token.Ident && !token.EqualFold(v.Text, "allow-discrete") && !token.EqualFold(v.Text, "normal"):
			name = append(name, v)
		default:
			return list
		}
	}
	if len(name) > 1 || len(easing) > 1 || len(times) == 0 {
		return list
	}
	if len(times) == 2 && isZeroTime(times[1]) {
		times = times[:1]
	}
	name, easing = without(name, "all"), without(easing, "ease")
	out := slices.Concat(name, times[:1], easing, times[1:])
	out[0].Space = false
	return out
}

// zeros reports whether all values are the number zero.
func zeros(list []ast.Value) bool {
	return !slices.ContainsFunc(list, func(v ast.Value) bool { return v.Text != "0" })
}

// transforms shortens transform functions (CSS Transforms 1, section 12.1).
func transforms(list []ast.Value) []ast.Value {
	for i := range list {
		v := &list[i]
		if v.Kind != token.Function {
			continue
		}
		parts := ast.SplitAt(v.Values(), token.Comma)
		var args []ast.Value
		for _, p := range parts {
			if len(p) != 1 {
				return list
			}
			args = append(args, p[0])
		}
		call := func(name string, args ...ast.Value) {
			var lists [][]ast.Value
			for _, a := range args {
				a.Space = false
				lists = append(lists, []ast.Value{a})
			}
			with := *v
			with.Text = name + "("
			with.Inner = &ast.Inner{Values: ast.JoinCommas(lists), Close: v.Inner.Close}
			*v = with
		}
		switch name := token.Lower(v.Name()); {
		case name == "translate3d" && len(args) == 3 && zeros(args[:2]):
			call("translateZ", args[2])
		case name == "translate" && len(args) == 2 && args[1].Text == "0":
			call("translate", args[0])
		case name == "translate" && len(args) == 2 && args[0].Text == "0":
			call("translateY", args[1])
		case name == "translatex" && len(args) == 1:
			call("translate", args[0])
		case name == "scale" && len(args) == 2 && same(args[0], args[1]):
			call("scale", args[0])
		case name == "scale" && len(args) == 2 && args[1].Text == "1":
			call("scaleX", args[0])
		case name == "scale" && len(args) == 2 && args[0].Text == "1":
			call("scaleY", args[1])
		case name == "skew" && len(args) == 2 && args[1].Text == "0":
			call("skew", args[0])
		}
	}
	return list
}

// positions shortens the keywords of positions, in each of a list.
func positions(list []ast.Value) []ast.Value {
	return each(list, position)
}

// percents are the positions that keywords stand for.
var percents = map[string]string{"left": "0%", "top": "0%", "right": "100%", "bottom": "100%", "center": "50%"}

// position shortens a position of one or two values: center top is 50% 0%.
func position(list []ast.Value) []ast.Value {
	if len(list) > 2 || grammar.IsWide(list) || len(list) == 1 && isVertical(list[0]) {
		return list
	}
	out := slices.Clone(list)
	if len(out) == 2 && (isVertical(out[0]) || isHorizontal(out[1])) {
		if out[1].Kind != token.Ident || out[0].Kind != token.Ident {
			return list
		}
		out[0], out[1] = out[1], out[0]
	}
	inPercent(out)
	if len(out) == 2 && out[1].Text == "50%" {
		out = out[:1]
	}
	if len(print.CompactValues(out)) >= len(print.CompactValues(list)) {
		return list
	}
	return out
}

// inPercent replaces the keywords of a position.
func inPercent(list []ast.Value) {
	for i := range list {
		v := &list[i]
		if p, ok := percents[token.Lower(v.Text)]; ok && v.Kind == token.Ident {
			v.Kind, v.Text = token.Percentage, p
		}
		v.Space = i > 0
	}
}

// isVertical reports whether v is a keyword for a vertical position.
func isVertical(v ast.Value) bool { return v.IsIdent("top") || v.IsIdent("bottom") }

// isHorizontal reports whether v is a keyword for a horizontal position.
func isHorizontal(v ast.Value) bool { return v.IsIdent("left") || v.IsIdent("right") }

// repeats shortens background-repeat (CSS Backgrounds 3, section 3.4).
func repeats(list []ast.Value) []ast.Value {
	switch {
	case len(list) != 2:
	case same(list[0], list[1]):
		return list[:1]
	case list[0].IsIdent("repeat") && list[1].IsIdent("no-repeat"):
		list[0].Text = "repeat-x"
		return list[:1]
	case list[0].IsIdent("no-repeat") && list[1].IsIdent("repeat"):
		list[0].Text = "repeat-y"
		return list[:1]
	}
	return list
}

// shadows drops the last lengths of shadows if they are zero. A shadow with more
// than most lengths is unchanged: no browser knows a text-shadow with a spread.
func shadows(list []ast.Value, most int) []ast.Value {
	return each(list, func(shadow []ast.Value) []ast.Value {
		isLength := func(v ast.Value) bool { return v.Kind == token.Number || v.Kind == token.Dimension || value.IsMath(&v) }
		first := slices.IndexFunc(shadow, isLength)
		if first < 0 {
			return shadow
		}
		end := first
		for end < len(shadow) && isLength(shadow[end]) {
			end++
		}
		kept := end
		if end-first > most {
			return shadow
		}
		for kept > first+2 && shadow[kept-1].Text == "0" {
			kept--
		}
		return slices.Delete(shadow, kept, end)
	})
}

// gridLines drops the end of grid-row or grid-column if it is the default: the
// name of the start, or auto (CSS Grid 2, section 8.4).
func gridLines(list []ast.Value) []ast.Value {
	if len(list) != 3 || !list[1].IsDelim('/') {
		return list
	}
	start, end := list[0], list[2]
	isName := start.Kind == token.Ident && !start.IsIdent("auto") && !start.IsIdent("span")
	if isName && same(start, end) || !isName && end.IsIdent("auto") {
		return list[:1]
	}
	return list
}
