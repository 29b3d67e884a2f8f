package cascade

import (
	"slices"
	"strings"

	"rinzel/internal/css/ast"
	"rinzel/internal/css/grammar"
	"rinzel/internal/css/token"
	"rinzel/internal/css/value"
)

// This file writes the values of single properties in a form in which equal ones
// have the same text.

// longhandText returns the value of a property as text. valid is set if a
// specification allows it.
func longhandText(name string, values []ast.Value, valid bool) string {
	_, standard := token.SplitVendor(name)
	c := contextOf(name)
	if !valid && !grammar.IsValid(standard, values) || grammar.IsWide(values) {
		return textOf(values, c)
	}
	switch standard {
	case "font-weight":
		return weightText(values, c)
	case "font-family":
		return familiesText(values)
	case "font":
		return fontText(values, c)
	case "border-top-left-radius", "border-top-right-radius", "border-bottom-left-radius",
		"border-bottom-right-radius", "border-spacing":
		return textOf(values[:1], c) + " " + textOf(values[len(values)-1:], c)
	case "transition", "animation", "transition-timing-function", "animation-timing-function":
		return eachText(values, func(part []ast.Value) string { return timingText(standard, part, c) })
	case "transform":
		return transformText(values, c)
	case "background-position", "object-position":
		return eachText(values, func(part []ast.Value) string { return positionText(part, c) })
	case "transform-origin", "perspective-origin":
		return positionText(values, c)
	case "box-shadow":
		return eachText(values, func(part []ast.Value) string { return shadowText(part, 4, c) })
	case "text-shadow": // some browsers know a fourth length
		return eachText(values, func(part []ast.Value) string { return shadowText(part, 3, c) })
	case "background-repeat":
		return eachText(values, func(part []ast.Value) string { return repeatText(part, c) })
	}
	return textOf(values, c)
}

// eachText writes the parts of a list with commas.
func eachText(values []ast.Value, text func([]ast.Value) string) string {
	var out []string
	for _, part := range ast.SplitAt(values, token.Comma) {
		out = append(out, text(part))
	}
	return strings.Join(out, ",")
}

// weightText writes font weights as numbers (CSS Fonts 4, section 2.2.1).
func weightText(values []ast.Value, c valueContext) string {
	switch {
	case len(values) == 1 && values[0].IsIdent("normal"):
		return "400"
	case len(values) == 1 && values[0].IsIdent("bold"):
		return "700"
	}
	return textOf(values, c)
}

// genericFamilies are names of families that mean something else in quotes.
var genericFamilies = []string{"serif", "sans-serif", "cursive", "fantasy", "monospace", "system-ui", "emoji", "math",
	"fangsong", "ui-serif", "ui-sans-serif", "ui-monospace", "ui-rounded", "default", "none", "auto"}

// familiesText writes a list of fonts, with quotes around all names that are not
// generic.
func familiesText(values []ast.Value) string {
	return eachText(values, func(part []ast.Value) string {
		var words []string
		for i := range part {
			switch v := &part[i]; v.Kind {
			case token.Ident:
				words = append(words, token.Unescape(v.Text))
			case token.String:
				return token.Quote(token.StringValue(v.Text))
			default:
				return textOf(part, valueContext{})
			}
		}
		if len(words) == 1 && (slices.Contains(genericFamilies, token.Lower(words[0])) || words[0][0] == '-') {
			return token.Lower(words[0])
		}
		return token.Quote(strings.Join(words, " "))
	})
}

// fontText writes the shorthand font: the part before the families, and the
// families.
func fontText(values []ast.Value, c valueContext) string {
	size := slices.IndexFunc(values, func(v ast.Value) bool {
		return v.Kind == token.Dimension || v.Kind == token.Percentage
	})
	if size < 0 { // a keyword, or a calculation
		return textOf(values, c)
	}
	var b strings.Builder
	for _, v := range values[:size] {
		if v.IsIdent("bold") {
			v.Kind, v.Text = token.Number, "700"
		}
		b.WriteString(textOf([]ast.Value{v}, c) + " ")
	}
	rest := values[size+1:]
	b.WriteString(textOf(values[size:size+1], c))
	if len(rest) > 1 && rest[0].IsDelim('/') {
		b.WriteString("/" + textOf(rest[1:2], c))
		rest = rest[2:]
	}
	return b.String() + " " + familiesText(rest)
}

// easingPoints are the control points of the named easing functions (CSS Easing
// 1, section 2.2).
var easingPoints = map[string]string{"ease": ".25,.1,.25,1", "ease-in": ".42,0,1,1", "ease-out": "0,0,.58,1",
	"ease-in-out": ".42,0,.58,1"}

// easingText returns an easing function with its control points, or steps.
func easingText(v *ast.Value, c valueContext) (text string, ok bool) {
	switch {
	case v.Kind == token.Ident && easingPoints[token.Lower(v.Text)] != "":
		return "curve " + easingPoints[token.Lower(v.Text)], true
	case v.IsIdent("linear"):
		return "curve 0,0,1,1", true
	case v.IsIdent("step-start"):
		return "steps 1,start", true
	case v.IsIdent("step-end"):
		return "steps 1,end", true
	case v.IsFunction("cubic-bezier"):
		args := textOf(v.Values(), c)
		args = strings.ReplaceAll(","+strings.ReplaceAll(args, " ", ""), ",0.", ",.")[1:]
		return "curve " + args, true
	case v.IsFunction("steps"):
		args := strings.ReplaceAll(textOf(v.Values(), c), "jump-start", "start")
		args = strings.ReplaceAll(args, "jump-end", "end")
		if !strings.Contains(args, ",") {
			args += ",end"
		}
		return "steps " + args, true
	}
	return "", false
}

// timingText writes one transition, animation or easing function. The parts of a
// transition have one order, and those that are missing are written.
func timingText(name string, values []ast.Value, c valueContext) string {
	var easing, others, times []string
	for i := range values {
		v := &values[i]
		n, isNumber := value.Read(v)
		text, isEasing := easingText(v, valueContext{})
		switch {
		case isEasing && len(easing) == 0:
			easing = append(easing, text)
		case isNumber && (n.Unit == "s" || n.Unit == "ms"):
			times = append(times, textOf(values[i:i+1], c))
		default:
			others = append(others, textOf(values[i:i+1], c))
		}
	}
	if name != "transition" && name != "animation" {
		return strings.Join(slices.Concat(easing, times, others), " ")
	}
	if len(easing) == 0 {
		easing = []string{"curve " + easingPoints["ease"]}
	}
	for len(times) < 2 {
		times = append(times, "0s")
	}
	if name == "transition" && len(others) == 0 {
		others = []string{"all"}
	}
	return strings.Join(slices.Concat(others, times, easing), " ")
}

// transformText writes transform functions with all arguments.
func transformText(values []ast.Value, c valueContext) string {
	var out []string
	for i := range values {
		v := &values[i]
		whole := textOf(values[i:i+1], c)
		name, args, ok := strings.Cut(strings.TrimSuffix(whole, ")"), "(")
		list := strings.Split(args, ",")
		if !ok || v.Kind != token.Function || strings.Contains(args, "(") {
			out = append(out, whole)
			continue
		}
		switch {
		case name == "translatex":
			name, list = "translate", append(list, "0")
		case name == "translatey":
			name, list = "translate", append([]string{"0"}, list...)
		case name == "translatez":
			name, list = "translate3d", append([]string{"0", "0"}, list...)
		case name == "translate" && len(list) == 1:
			list = append(list, "0")
		case name == "scalex":
			name, list = "scale", append(list, "1")
		case name == "scaley":
			name, list = "scale", append([]string{"1"}, list...)
		case name == "scale" && len(list) == 1:
			list = append(list, list[0])
		case name == "skew" && len(list) == 1:
			list = append(list, "0")
		}
		out = append(out, name+"("+strings.Join(list, ",")+")")
	}
	return strings.Join(out, " ")
}

// positionKeywords are the percentages that keywords of positions stand for.
var positionKeywords = map[string]string{"left": "0%", "top": "0%", "right": "100%", "bottom": "100%", "center": "50%"}

// positionText writes a position of one or two values as two lengths or
// percentages (CSS Values 4, section 9).
func positionText(values []ast.Value, c valueContext) string {
	if len(values) > 2 || grammar.IsWide(values) {
		return textOf(values, c)
	}
	list := slices.Clone(values)
	isVertical := func(v ast.Value) bool { return v.IsIdent("top") || v.IsIdent("bottom") }
	isHorizontal := func(v ast.Value) bool { return v.IsIdent("left") || v.IsIdent("right") }
	center := ast.Value{Kind: token.Ident, Text: "center"}
	switch {
	case len(list) == 1 && isVertical(list[0]):
		list = []ast.Value{center, list[0]}
	case len(list) == 1:
		list = append(list, center)
	case isVertical(list[0]) || isHorizontal(list[1]):
		list[0], list[1] = list[1], list[0]
	}
	var out []string
	for i := range list {
		text := textOf(list[i:i+1], c)
		if p, ok := positionKeywords[text]; ok {
			text = p
		}
		out = append(out, text)
	}
	return strings.Join(out, " ")
}

// shadowText writes a shadow with all of a number of lengths, after its other
// parts.
func shadowText(values []ast.Value, count int, c valueContext) string {
	var lengths, others []string
	for i := range values {
		v := &values[i]
		text := textOf(values[i:i+1], c)
		if v.Kind == token.Number || v.Kind == token.Dimension || value.IsMath(v) {
			lengths = append(lengths, text)
		} else {
			others = append(others, text)
		}
	}
	for len(lengths) > 0 && len(lengths) < count {
		lengths = append(lengths, "0")
	}
	return strings.Join(append(others, lengths...), " ")
}

// repeatText writes background-repeat with both axes.
func repeatText(values []ast.Value, c valueContext) string {
	text := textOf(values, c)
	switch {
	case text == "repeat-x":
		return "repeat no-repeat"
	case text == "repeat-y":
		return "no-repeat repeat"
	case len(values) == 1:
		return text + " " + text
	}
	return text
}
