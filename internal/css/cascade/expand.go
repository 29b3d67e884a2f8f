package cascade

import (
	"slices"
	"strings"

	"rinzel/internal/css/ast"
	"rinzel/internal/css/grammar"
	"rinzel/internal/css/property"
	"rinzel/internal/css/token"
	"rinzel/internal/css/value"
)

// This file expands declarations to longhands.

// fact is a longhand with the value that a declaration gives it.
type fact struct {
	property *property.Property
	value    string
}

// expander returns the values of the longhands of a shorthand, by name without
// the prefix that it was registered with. ok is false if it does not know the
// value. The value is valid, and has no substitution functions.
type expander func(name string, values []ast.Value) (parts []part, ok bool)

// part is a longhand by name, with its value.
type part struct{ name, value string }

// expanders are the expanders of shorthands. Others give each longhand the whole
// value, with the name of the shorthand.
var expanders = map[string]expander{
	"margin": boxSides, "padding": boxSides, "inset": boxSides, "border-color": boxSides, "border-style": boxSides,
	"border-width": boxSides, "scroll-margin": boxSides, "scroll-padding": boxSides,
	"gap": twice, "grid-gap": twice, "overflow": twice, "overscroll-behavior": twice, "margin-inline": twice,
	"margin-block": twice, "padding-inline": twice, "padding-block": twice, "inset-inline": twice,
	"inset-block": twice, "scroll-margin-inline": twice, "scroll-margin-block": twice,
	"scroll-padding-inline": twice, "scroll-padding-block": twice, "border-inline-color": twice,
	"border-inline-style": twice, "border-inline-width": twice, "border-block-color": twice,
	"border-block-style": twice, "border-block-width": twice, "place-content": twice, "place-items": twice,
	"place-self": twice, "border-radius": corners,
	"border": lines, "border-top": lines, "border-right": lines, "border-bottom": lines, "border-left": lines,
	"border-inline-start": lines, "border-inline-end": lines, "border-block-start": lines, "border-block-end": lines,
	"outline": lines, "column-rule": lines, "flex": flexParts, "flex-flow": flowParts,
	"grid-row": gridLines, "grid-column": gridLines,
}

// expand returns what a declaration says about each longhand.
func expand(d *ast.Declaration) []fact {
	p := property.Of(d.Name)
	if d.IsCustom() {
		return []fact{{p, customText(d)}}
	}
	values := ast.Significant(d.Value)
	valid := grammar.IsValid(p.Name, values)
	if expander := expanders[p.Name]; expander != nil && valid {
		if parts, ok := expandWith(expander, p.Name, values); ok {
			facts := make([]fact, len(parts))
			for i, part := range parts {
				facts[i] = fact{property.Of(part.name), part.value}
			}
			return facts
		}
	}
	text := longhandText(p.Name, values, valid)
	if len(p.Longhands) == 1 && p.Longhands[0] == p {
		return []fact{{p, text}}
	}
	facts := make([]fact, len(p.Longhands))
	for i, l := range p.Longhands {
		facts[i] = fact{l, p.Name + ": " + text}
	}
	return facts
}

// expandWith expands a value, or gives all longhands the same CSS-wide keyword.
func expandWith(e expander, name string, values []ast.Value) ([]part, bool) {
	if grammar.IsWide(values) {
		return nil, false
	}
	return e(name, values)
}

// one returns the text of one value of a longhand.
func one(longhand string, v ast.Value) string {
	v.Space = false
	return longhandText(longhand, []ast.Value{v}, true)
}

// boxSides expands the shorthands of four sides: missing ones are those on the
// other side.
func boxSides(name string, values []ast.Value) ([]part, bool) {
	sides := grammar.Longhands(name)
	if len(values) > 4 || len(sides) != 4 {
		return nil, false
	}
	var out []part
	for i, side := range sides {
		k := i
		for k >= len(values) {
			k = max(0, k-2)
		}
		out = append(out, part{side, one(side, values[k])})
	}
	return out, true
}

// twice expands shorthands of two longhands that repeat a single value.
func twice(name string, values []ast.Value) ([]part, bool) {
	longhands := grammar.Longhands(name)
	if len(values) > 2 || len(longhands) != 2 ||
		strings.HasPrefix(name, "place-") && slices.ContainsFunc(values, isAlignmentWord) {
		return nil, false
	}
	first, last := values[0], values[len(values)-1]
	return []part{{longhands[0], one(longhands[0], first)}, {longhands[1], one(longhands[1], last)}}, true
}

// isAlignmentWord reports whether a value does not mean the same on both axes,
// or is part of one with several words (CSS Align 3, section 4).
func isAlignmentWord(v ast.Value) bool {
	switch token.Lower(v.Text) {
	case "baseline", "first", "last", "safe", "unsafe", "legacy", "left", "right":
		return true
	}
	return v.Kind != token.Ident
}

// corners expands border-radius.
func corners(name string, values []ast.Value) ([]part, bool) {
	across, down := values, values
	if i := slices.IndexFunc(values, func(v ast.Value) bool { return v.IsDelim('/') }); i >= 0 {
		across, down = values[:i], values[i+1:]
	}
	at := func(list []ast.Value, i int) ast.Value {
		for i >= len(list) {
			i = max(0, i-2)
		}
		return list[i]
	}
	var out []part
	for i, corner := range []string{"top-left", "top-right", "bottom-right", "bottom-left"} {
		name := "border-" + corner + "-radius"
		out = append(out, part{name, longhandText(name, []ast.Value{at(across, i), at(down, i)}, true)})
	}
	return out, true
}

// lines expands borders and outlines: a width, a style and a colour.
func lines(name string, values []ast.Value) ([]part, bool) {
	width, style, color := "medium", "none", "currentcolor"
	if name == "outline" {
		color = "the default of outline-color"
	}
	for _, v := range values {
		switch {
		case grammar.IsValid("border-top-width", []ast.Value{v}):
			width = one("border-top-width", v)
		case grammar.IsValid("outline-style", []ast.Value{v}) || grammar.IsValid("border-top-style", []ast.Value{v}):
			style = one("border-top-style", v)
		default:
			color = one("border-top-color", v)
		}
	}
	if name != "border" {
		return []part{{name + "-width", width}, {name + "-style", style}, {name + "-color", color}}, true
	}
	var out []part
	for _, side := range []string{"top", "right", "bottom", "left"} {
		start := "border-" + side
		out = append(out, part{start + "-width", width}, part{start + "-style", style}, part{start + "-color", color})
	}
	for _, l := range grammar.Longhands("border-image") {
		out = append(out, part{l, "initial"})
	}
	return out, true
}

// flexParts expands flex (CSS Flexbox 1, section 7.1.1).
func flexParts(_ string, values []ast.Value) ([]part, bool) {
	parts := func(grow, shrink, basis string) ([]part, bool) {
		return []part{{"flex-grow", grow}, {"flex-shrink", shrink}, {"flex-basis", basis}}, true
	}
	if len(values) == 1 && values[0].IsIdent("none") {
		return parts("0", "0", "auto")
	}
	var numbers []string
	basis := ""
	for i := range values {
		v := &values[i]
		if v.Kind == token.Number && len(numbers) < 2 {
			numbers = append(numbers, one("flex-grow", *v))
			continue
		}
		if basis != "" || v.Kind != token.Ident && v.Kind != token.Dimension && v.Kind != token.Percentage &&
			v.Kind != token.Number && !value.IsMath(v) {
			return nil, false
		}
		basis = one("flex-basis", *v)
	}
	switch {
	case basis == "":
		basis = "0%"
	case len(numbers) == 0:
		return parts("1", "1", basis)
	}
	if len(numbers) == 1 {
		numbers = append(numbers, "1")
	}
	return parts(numbers[0], numbers[1], basis)
}

// flowParts expands flex-flow.
func flowParts(_ string, values []ast.Value) ([]part, bool) {
	direction, wrap := "row", "nowrap"
	for _, v := range values {
		if grammar.IsValid("flex-wrap", []ast.Value{v}) {
			wrap = one("flex-wrap", v)
		} else {
			direction = one("flex-direction", v)
		}
	}
	return []part{{"flex-direction", direction}, {"flex-wrap", wrap}}, true
}

// gridLines expands grid-row and grid-column: without an end it is the name of
// the start, or auto (CSS Grid 2, section 8.4).
func gridLines(name string, values []ast.Value) ([]part, bool) {
	start, end := values, []ast.Value(nil)
	if i := slices.IndexFunc(values, func(v ast.Value) bool { return v.IsDelim('/') }); i >= 0 {
		start, end = values[:i], values[i+1:]
	}
	if end == nil {
		end = []ast.Value{{Kind: token.Ident, Text: "auto"}}
		if len(start) == 1 && start[0].Kind == token.Ident {
			end = start
		}
	}
	return []part{{name + "-start", lineText(name+"-start", start)}, {name + "-end", lineText(name+"-end", end)}}, true
}

// lineText writes a line of a grid without white space at its start.
func lineText(longhand string, values []ast.Value) string {
	values = slices.Clone(values)
	values[0].Space = false
	return longhandText(longhand, values, true)
}
