package value

import (
	"math"

	"rinzel/internal/css/ast"
	"rinzel/internal/css/known"
	"rinzel/internal/css/print"
	"rinzel/internal/css/token"
)

// Context describes where a calculation occurs: which results may be written as
// a literal instead of in calc(). Browsers round and clamp the result of a
// calculation, whereas the same number as a literal makes the declaration
// invalid (CSS Values 4, section 10.12).
type Context struct {
	known.Numbers
	Digits Precision // of the output
}

// Anywhere is the place of intermediate results: all numbers may be literals.
var Anywhere = Context{known.Numbers{Low: math.Inf(-1), Fractions: true, Negative: true}, Double}

// ContextOf returns the place of the value of a property, given in lower case.
func ContextOf(property string) Context { return Context{Numbers: known.Property(property).Numbers} }

// Inside returns the place of the arguments of a function at p.
func (p Context) Inside(function string) Context {
	return Context{known.Function(token.Lower(function)).Numbers, p.Digits}
}

// plain reports whether a number may be written as a literal.
func (p Context) plain(n Number) bool {
	switch {
	case n.Unit != "":
		return !p.Bounded && (n.Value >= 0 || p.Negative)
	case n.Value < p.Low || p.High != 0 && n.Value > p.High:
		return false
	case !p.Fractions: // 0 would be a length
		return n.Value == math.Trunc(n.Value) && n.Value != 0
	}
	return true
}

// IsComputable reports whether v is a function that [Fold] or [FoldColor] may
// compute. It is a quick test for all functions of a sheet.
func IsComputable(v *ast.Value) bool {
	return v.Kind == token.Function && computable[token.Lower(v.Name())]
}

// computable are the names of these functions.
var computable = func() map[string]bool {
	set := map[string]bool{"calc": true, "color": true, "color-mix": true, "contrast-color": true, "alpha": true}
	for name := range functions {
		set[name] = true
	}
	for name := range functionSpaces {
		set[name] = true
	}
	return set
}()

// Fold computes the math function v: the result is a number, or a simplified
// calculation. ok is false if nothing can be simplified, or if v is not a math
// function. The error is a [*Problem]: browsers skip the declaration.
func Fold(v *ast.Value, at Context) (with ast.Value, ok bool, err error) {
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
		return with, false, &Problem{At: v.Span(), Message: "the result of the calculation is " + n.of.String()}
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

// simple computes calc() of two numbers, the most common form, without building
// a tree. ok is false for all others.
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
	spaced := operator.Space && values[2].Space && a.Unit == b.Unit
	switch {
	case operator.IsDelim('*') && a.Unit == "":
		n = Number{a.Value * b.Value, b.Unit}
	case operator.IsDelim('*') && b.Unit == "":
		n = Number{a.Value * b.Value, a.Unit}
	case operator.IsDelim('/') && b.Unit == "":
		n = Number{a.Value / b.Value, a.Unit}
	case operator.IsDelim('+') && spaced:
		n = Number{a.Value + b.Value, a.Unit}
	case operator.IsDelim('-') && spaced:
		n = Number{a.Value - b.Value, a.Unit}
	default:
		return n, false
	}
	_, known := units[n.Unit]
	return n, (known || n.Unit == "") && n.finite()
}

// same reports whether two values have the same text.
func same(a, b *ast.Value) bool { return compact(a) == compact(b) }

// compact returns a value as compact text.
func compact(v *ast.Value) string { return print.CompactValues([]ast.Value{*v}) }

// Measure returns the result of a number or a math function, if it is known.
// named defines additional keywords.
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
