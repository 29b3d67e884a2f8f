package value

import (
	"math"
	"strings"

	"rinzel/internal/css/ast"
	"rinzel/internal/css/print"
	"rinzel/internal/css/token"
)

// Place says which numbers mean the same where a calculation stands with or
// without calc() around them. A calculation is rounded to a whole number, or
// brought into the range that is allowed, where the same number written plainly makes a
// declaration invalid (CSS Values 4, section 10.12).
type Place struct {
	Negative bool      // numbers below zero are allowed
	Number   bool      // any number is, whole or not
	Digits   Precision // of what is written
}

// Anywhere is the place of what is worked with further: all numbers are
// written plainly.
var Anywhere = Place{Negative: true, Number: true, Digits: Double}

// properties whose values may be below zero.
var negativeProperties = words("margin margin-top margin-right margin-bottom margin-left margin-block margin-block-start margin-block-end " +
	"margin-inline margin-inline-start margin-inline-end top right bottom left inset inset-block inset-block-start inset-block-end " +
	"inset-inline inset-inline-start inset-inline-end text-indent letter-spacing word-spacing background-position background-position-x " +
	"background-position-y object-position mask-position transform-origin perspective-origin vertical-align outline-offset " +
	"text-underline-offset translate rotate scale transform z-index order animation-delay transition-delay opacity stroke-dashoffset " +
	"scroll-margin scroll-margin-top scroll-margin-right scroll-margin-bottom scroll-margin-left scroll-margin-block " +
	"scroll-margin-block-start scroll-margin-block-end scroll-margin-inline scroll-margin-inline-start scroll-margin-inline-end " +
	"offset-distance offset-rotate hyphenate-limit-chars cx cy x y baseline-shift fill-opacity stroke-opacity stop-opacity flood-opacity")

// properties whose values may be numbers with a fraction.
var numberProperties = words("opacity line-height flex flex-grow flex-shrink zoom fill-opacity stroke-opacity stop-opacity flood-opacity " +
	"animation-iteration-count scale aspect-ratio font-size-adjust stroke-miterlimit tab-size shape-image-threshold")

// functions whose arguments may be any number.
var freeFunctions = words("matrix matrix3d rotate rotatex rotatey rotatez rotate3d scale scalex scaley scalez scale3d translate translatex " +
	"translatey translatez translate3d skew skewx skewy hue-rotate rgb rgba hsl hsla hwb lab lch oklab oklch color")

// functions whose arguments may be numbers with a fraction.
var numericFunctions = words("brightness contrast grayscale invert opacity saturate sepia cubic-bezier linear")

func words(s string) map[string]bool {
	set := make(map[string]bool)
	for _, w := range strings.Fields(s) {
		set[w] = true
	}
	return set
}

// PlaceIn returns the place of the value of a property, in lower case.
func PlaceIn(property string) Place {
	return Place{Negative: negativeProperties[property], Number: numberProperties[property]}
}

// Within returns the place of the arguments of a function that stands at p.
func (p Place) Within(function string) Place {
	function = token.Lower(function)
	free := freeFunctions[function]
	return Place{Negative: free, Number: free || numericFunctions[function], Digits: p.Digits}
}

// plain reports whether a number may be written without calc() around it.
func (p Place) plain(n Number) bool {
	switch {
	case n.Value < 0 && !p.Negative:
		return false
	case n.Unit == "" && !p.Number: // 0 would be a length
		return n.Value == math.Trunc(n.Value) && n.Value != 0
	}
	return true
}

// WorksOut reports whether v is a function that [Fold] or [FoldColor] may work
// out. It is asked of every function of a sheet, and most are none.
func WorksOut(v *ast.Value) bool { return v.Kind == token.Function && workedOut[token.Lower(v.Name())] }

var workedOut = func() map[string]bool {
	set := map[string]bool{"calc": true, "color": true, "color-mix": true, "contrast-color": true, "alpha": true}
	for name := range functions {
		set[name] = true
	}
	for name := range functionSpaces {
		set[name] = true
	}
	return set
}()

// Fold returns what the math function v comes to at a place: a number, or a
// calculation with all that is known worked out. ok is false if nothing can be
// worked out, or v is no math function. The error is a [*Problem]: browsers
// skip the declaration.
func Fold(v *ast.Value, at Place) (with ast.Value, ok bool, err error) {
	if !IsMath(v) {
		return with, false, nil
	}
	if num, ok := simple(v); ok && at.plain(num) {
		num.Value = at.Digits.round(num.Value)
		return writer{at: v, digits: at.Digits}.number(num, v.Space), true, nil
	}
	n, err := readMath(v, nil)
	if err != nil {
		return with, false, err
	}
	if !n.of.single() {
		return with, false, &Problem{At: v.Span(), Message: "the calculation comes to " + n.of.String()}
	}
	if n = simplify(n); n.op == leaf {
		n.num.Value = at.Digits.round(n.num.Value)
	}
	w := writer{at: v, digits: at.Digits}
	switch {
	case n.op == leaf && !n.num.finite():
		return with, false, nil
	case n.op == leaf && at.plain(n.num):
		with = w.number(n.num, false)
	case n.op == call && n.value.IsFunction(token.Lower(n.value.Name())):
		with = w.call(n)
	default:
		with = w.nested(token.Function, "calc(", w.terms(n), false)
	}
	with.Space = v.Space
	if with.Inner != nil && same(v, &with) {
		return with, false, nil
	}
	return with, true, nil
}

// simple returns what calc() of two numbers comes to, which is what most of
// them are; it is to be found without a tree. ok is false for all others.
func simple(v *ast.Value) (n Number, ok bool) {
	values := v.Values()
	if len(values) != 3 || !v.IsFunction("calc") {
		return n, false
	}
	a, okA := Read(&values[0])
	b, okB := Read(&values[2])
	if !okA || !okB {
		return n, false
	}
	operator := &values[1]
	parted := operator.Space && values[2].Space && a.Unit == b.Unit
	switch {
	case operator.IsDelim('*') && a.Unit == "":
		n = Number{a.Value * b.Value, b.Unit}
	case operator.IsDelim('*') && b.Unit == "":
		n = Number{a.Value * b.Value, a.Unit}
	case operator.IsDelim('/') && b.Unit == "":
		n = Number{a.Value / b.Value, a.Unit}
	case operator.IsDelim('+') && parted:
		n = Number{a.Value + b.Value, a.Unit}
	case operator.IsDelim('-') && parted:
		n = Number{a.Value - b.Value, a.Unit}
	default:
		return n, false
	}
	_, known := units[n.Unit]
	return n, (known || n.Unit == "") && n.finite()
}

// same reports whether two values are written alike.
func same(a, b *ast.Value) bool { return compact(a) == compact(b) }

func compact(v *ast.Value) string { return print.CompactValues([]ast.Value{*v}) }

// Measure returns what a number or a math function comes to, if it is known.
// Keywords stand for what named says.
func Measure(v *ast.Value, named map[string]float64) (Number, bool) {
	if n, ok := Read(v); ok {
		return n, true
	}
	if !IsMath(v) {
		return Number{}, false
	}
	n, err := readMath(v, named)
	if err != nil || !n.of.single() {
		return Number{}, false
	}
	if n = simplify(n); n.op != leaf {
		return Number{}, false
	}
	return n.num, n.num.finite()
}
