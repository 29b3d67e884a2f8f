package grammar

import (
	"math"
	"slices"
	"strings"

	"rinzel/internal/css/ast"
	"rinzel/internal/css/token"
	"rinzel/internal/css/value"
)

// This file defines the basic types (CSS Values 4, sections 4 to 9), and
// corrects definitions in which the data differs from browsers.

// corrections replace definitions that the data only has in prose, or that
// contradict another part of the specification.
var corrections = map[string]string{
	"minmax()": "minmax( <length-percentage> | <flex> | min-content | max-content | auto , <length-percentage> | <flex> | min-content | max-content | auto )",
	// CSS 2, section 11.1.2: commas may be missing; see the property clip.
	"shape":  "rect( [ <length> | auto ]#{4} ) | rect( [ <length> | auto ]{4} )",
	"'clip'": "<shape> | auto",
	// The types of CSS 2.
	"border-style": "<line-style>", "border-width": "<line-width>", "margin-width": "<length> | <percentage> | auto",
	"top": "<length> | auto", "right": "<length> | auto", "bottom": "<length> | auto", "left": "<length> | auto",
	"uri": "<url>", "family-name": "<string> | <custom-ident>+",
	// The cursor that the specification describes in prose: any number of
	// images and a keyword. Legacy names are still supported (CSS UI 4, section
	// 5.1.1).
	"'cursor'":         "[ [ <url> | <image> ] [ <number> <number> ]? , ]* [ <cursor-predefined> | hand ]",
	"contrast-color()": "contrast-color( <color> [ max | [ tbd-fg | tbd-bg ] && <target-contrast>? [ , <color># ]? ]? )",
	// CSS Shapes 1, section 3.1: a radius may be a percentage.
	"circle()":  "circle( [ <radial-extent> | <length-percentage [0,∞]> ]? [ at <position> ]? )",
	"ellipse()": "ellipse( [ [ <radial-extent> | <length-percentage [0,∞]> ]{2} ]? [ at <position> ]? )",
	// SVG 2, section 13.2.
	"paint": "none | <color> | <url> [ none | <color> ]? | context-fill | context-stroke | <image> | <svg-paint>",
	// SVG 2, section 4.3 and CSS 2 of SVG 1.1: lengths without units are user
	// units.
	"'cx'": "<length-percentage> | <number>", "'cy'": "<length-percentage> | <number>",
	"'x'": "<length-percentage> | <number>", "'y'": "<length-percentage> | <number>",
	"'r'":                  "<length-percentage [0,∞]> | <number [0,∞]>",
	"'rx'":                 "<length-percentage [0,∞]> | <number [0,∞]> | auto",
	"'ry'":                 "<length-percentage [0,∞]> | <number [0,∞]> | auto",
	"'baseline-shift'":     "<length-percentage> | <number> | sub | super | top | center | bottom | baseline",
	"'alignment-baseline'": "auto | baseline | <baseline-metric>", "'d'": "none | <string> | <path()>",
	// CSS Overflow 3, section 3.1: overlay is a legacy name of auto.
	"'overflow-block'":  "visible | hidden | clip | scroll | auto | overlay",
	"'overflow-inline'": "visible | hidden | clip | scroll | auto | overlay",
	"'overflow-x'":      "visible | hidden | clip | scroll | auto | overlay",
	"'overflow-y'":      "visible | hidden | clip | scroll | auto | overlay",
	// Ranges that the specifications only have in prose: Filter Effects 1,
	// section 5; CSS Grid 1, section 7.2; SVG 2, section 13.5; HTML.
	"blur()":        "blur( <length [0,∞]>? )",
	"brightness()":  "brightness( [ <number [0,∞]> | <percentage [0,∞]> ]? )",
	"contrast()":    "contrast( [ <number [0,∞]> | <percentage [0,∞]> ]? )",
	"grayscale()":   "grayscale( [ <number [0,∞]> | <percentage [0,∞]> ]? )",
	"invert()":      "invert( [ <number [0,∞]> | <percentage [0,∞]> ]? )",
	"opacity()":     "opacity( [ <number [0,∞]> | <percentage [0,∞]> ]? )",
	"saturate()":    "saturate( [ <number [0,∞]> | <percentage [0,∞]> ]? )",
	"sepia()":       "sepia( [ <number [0,∞]> | <percentage [0,∞]> ]? )",
	"fit-content()": "fit-content( <length-percentage [0,∞]> )", "'interest-delay-start'": "normal | <time [0,∞]>",
	"'interest-delay-end'": "normal | <time [0,∞]>",
	"'stroke-dasharray'":   "none | [ <length-percentage [0,∞]> | <number [0,∞]> ]+#",
	"'stroke-miterlimit'":  "<number [0,∞]>",
	"'stroke-width'":       "[ <length-percentage [0,∞]> | <line-width> | <number [0,∞]> ]#",
	// CSS Animations 1, section 4.8: browsers do not support the two parts of
	// the later draft.
	"'animation-delay'": "<time>#",
	// CSS Page 3, section 7.1.
	"'size'": "<length [0,∞]>{1,2} | auto | [ <page-size> || [ portrait | landscape ] ]",
	// CSS Box Sizing 4, section 4: the second part may be auto alone, as in the
	// first draft.
	"'contain-intrinsic-size'": "[ auto? [ none | <length [0,∞]> ] | auto ]{1,2}",
	// CSS Viewport 1, section 3: a zoom may be a keyword.
	"'zoom'": "normal | reset | <number [0,∞]> | <percentage [0,∞]>",
}

// basics match a basic type at the start of values, and return how many values
// it consists of.
var basics = basicTypes()

// basicTypes returns the matchers of all basic types.
func basicTypes() map[string]func(values []ast.Value, e *expr) (n int, ok bool) {
	one := func(test func(v *ast.Value) bool) func([]ast.Value, *expr) (int, bool) {
		return func(values []ast.Value, _ *expr) (int, bool) { return 1, test(&values[0]) }
	}
	kind := func(k token.Kind) func([]ast.Value, *expr) (int, bool) {
		return one(func(v *ast.Value) bool { return v.Kind == k })
	}
	dashed := one(func(v *ast.Value) bool { return v.Kind == token.Ident && strings.HasPrefix(v.Text, "--") })
	all := func(values []ast.Value, _ *expr) (int, bool) { return len(values), true }
	return map[string]func([]ast.Value, *expr) (int, bool){
		"ident": kind(token.Ident), "ident-token": kind(token.Ident), "identifier": kind(token.Ident),
		"custom-ident": one(isCustomIdent),
		"dashed-ident": dashed, "custom-property-name": dashed, "extension-name": dashed,
		"string": kind(token.String), "string-token": kind(token.String), "url-token": kind(token.URL),
		"hash-token": kind(token.Hash), "id": kind(token.Hash), "hex-color": one(isHexColor),
		"number": numeric("number"), "number-token": numeric("number"), "integer": integer,
		"percentage": numeric("percentage"),
		"length":     numeric("length"), "angle": numeric("angle"), "time": numeric("time"),
		"frequency":  numeric("frequency"),
		"resolution": numeric("resolution"), "flex": numeric("flex"), "decibel": numeric("decibel"),
		"semitones": numeric("semitones"),
		"dimension": numeric("dimension"), "dimension-token": numeric("dimension"),
		"zero": one(func(v *ast.Value) bool {
			n, ok := value.Read(v)
			return ok && n.Value == 0 &&
				n.Unit == ""
		}),
		"declaration-value": all, "any-value": all, "whole-value": all, "declaration": all, "urange": all,
		"function-token": one(func(v *ast.Value) bool { return v.Kind == token.Function }),
	}
}

// isCustomIdent reports whether v is an author-defined identifier (CSS Values
// 4, section 4.2).
func isCustomIdent(v *ast.Value) bool {
	return v.Kind == token.Ident && !v.IsIdent("default") && !slices.Contains(wide, token.Lower(v.Text))
}

// isHexColor reports whether v is a colour in hexadecimal notation.
func isHexColor(v *ast.Value) bool {
	digits := v.Text[1:]
	return v.Kind == token.Hash && (len(digits) == 3 || len(digits) == 4 || len(digits) == 6 || len(digits) == 8) &&
		strings.Trim(digits, "0123456789abcdefABCDEF") == ""
}

// measures are units that package value does not compute with.
var measures = map[string]string{"fr": "flex", "db": "decibel", "st": "semitones"}

// numeric matches a number of a type. A literal number must be in range;
// browsers clamp calculations.
func numeric(name string) func([]ast.Value, *expr) (int, bool) {
	return func(values []ast.Value, e *expr) (int, bool) {
		v := &values[0]
		if v.Kind == token.Function {
			return 1, isMathOf(v, name)
		}
		n, ok := value.Read(v)
		if !ok || typeOf(n) != name && !(name == "dimension" && n.Unit != "" && n.Unit != "%") &&
			!(name == "length" && n.Value == 0 && n.Unit == "") {
			return 1, false
		}
		return 1, n.Value >= e.low && n.Value <= e.high
	}
}

// typeOf returns the type of a number.
func typeOf(n value.Number) string {
	switch n.Unit {
	case "":
		return "number"
	case "%":
		return "percentage"
	}
	if of := measures[n.Unit]; of != "" {
		return of
	}
	return value.Measures(n.Unit)
}

// isMathOf reports whether v is a math function that may have a type.
func isMathOf(v *ast.Value, name string) bool {
	if !value.IsMath(v) {
		switch token.Lower(v.Name()) { // functions that depend on more than numbers
		case "calc-size", "sibling-index", "sibling-count", "random", "calc-mix", "calc-interpolate", "media-progress",
			"container-progress",
			"-webkit-calc", "-moz-calc", "-webkit-min", "-webkit-max", "toggle":
			return true
		case "anchor", "anchor-size":
			return name == "length"
		}
		return false
	}
	of, ok := value.TypeOf(v)
	return !ok || of == name || name == "integer" && of == "number" || name == "dimension" && of != "number" &&
		of != "percentage" ||
		of == "length" && name == "percentage" // it may be a sum of both
}

// integer matches an integer.
func integer(values []ast.Value, e *expr) (int, bool) {
	v := &values[0]
	if v.Kind == token.Function {
		return 1, isMathOf(v, "integer")
	}
	n, ok := value.Read(v)
	return 1, ok && n.Unit == "" && n.Value == math.Trunc(n.Value) && !strings.ContainsAny(v.Text, ".eE") &&
		n.Value >= e.low && n.Value <= e.high
}
