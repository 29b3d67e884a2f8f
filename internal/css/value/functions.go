package value

import (
	"fmt"
	"math"
	"slices"

	"rinzel/internal/css/ast"
	"rinzel/internal/css/token"
)

// takes is the type of the arguments of a math function.
type takes uint8

// The types of arguments.
const (
	alike     takes = iota // all of one type
	numbers                // all numbers
	angleLike              // a number in radians, or an angle
)

// gives is the type of the result of a math function.
type gives uint8

// The types of results.
const (
	theSame  gives = iota // the type of its arguments
	aNumber               // a number
	anAngle               // an angle
	inverted              // a number, for any arguments
)

// function is a math function (CSS Values 4, sections 10.2 to 10.6; progress()
// from CSS Values 5).
type function struct {
	least, most int // number of arguments
	takes       takes
	gives       gives
	// scales is set if the function can be computed on lengths in one unit
	// without knowing the size of the unit: units are never negative.
	scales bool
	eval   func(word string, x []float64) float64
}

// anyNumber is no upper limit.
const anyNumber = 1 << 20

// functions are the math functions by name.
var functions = map[string]function{
	"min": {1, anyNumber, alike, theSame, true, func(_ string, x []float64) float64 { return reduce(x, math.Min) }},
	"max": {1, anyNumber, alike, theSame, true, func(_ string, x []float64) float64 { return reduce(x, math.Max) }},
	"clamp": {3, 3, alike, theSame, true,
		func(_ string, x []float64) float64 { return math.Max(x[0], math.Min(x[1], x[2])) }},
	"round": {1, 2, alike, theSame, false, round},
	"mod":   {2, 2, alike, theSame, false, func(_ string, x []float64) float64 { return modulus(x[0], x[1]) }},
	"rem":   {2, 2, alike, theSame, false, func(_ string, x []float64) float64 { return math.Mod(x[0], x[1]) }},
	"abs":   {1, 1, alike, theSame, true, func(_ string, x []float64) float64 { return math.Abs(x[0]) }},
	"sign":  {1, 1, alike, inverted, false, func(_ string, x []float64) float64 { return sign(x[0]) }},
	"hypot": {1, anyNumber, alike, theSame, true,
		func(_ string, x []float64) float64 { return reduce(append([]float64{0}, x...), math.Hypot) }},
	"progress": {3, 3, alike, inverted, false, progress},
	"sin":      {1, 1, angleLike, aNumber, false, func(_ string, x []float64) float64 { return sine(x[0]) }},
	"cos":      {1, 1, angleLike, aNumber, false, func(_ string, x []float64) float64 { return sine(x[0] + math.Pi/2) }},
	"tan":      {1, 1, angleLike, aNumber, false, func(_ string, x []float64) float64 { return tangent(x[0]) }},
	"asin":     {1, 1, numbers, anAngle, false, func(_ string, x []float64) float64 { return degrees(math.Asin(x[0])) }},
	"acos":     {1, 1, numbers, anAngle, false, func(_ string, x []float64) float64 { return degrees(math.Acos(x[0])) }},
	"atan":     {1, 1, numbers, anAngle, false, func(_ string, x []float64) float64 { return degrees(math.Atan(x[0])) }},
	"atan2": {2, 2, alike, anAngle, false,
		func(_ string, x []float64) float64 { return degrees(math.Atan2(x[0], x[1])) }},
	"pow":  {2, 2, numbers, aNumber, false, func(_ string, x []float64) float64 { return math.Pow(x[0], x[1]) }},
	"sqrt": {1, 1, numbers, aNumber, false, func(_ string, x []float64) float64 { return math.Sqrt(x[0]) }},
	"exp":  {1, 1, numbers, aNumber, false, func(_ string, x []float64) float64 { return math.Exp(x[0]) }},
	"log":  {1, 2, numbers, aNumber, false, logarithm},
}

// check sets the type of a call, and reports invalid arguments.
func (n *node) check(name string, v *ast.Value) error {
	f := functions[name]
	wrong := func(format string, args ...any) error {
		return &Problem{At: v.Span(), Message: fmt.Sprintf(format, args...)}
	}
	fluid := false
	for _, arg := range n.args {
		fluid = fluid || arg.fluid
	}
	if len(n.args) < f.least && !fluid || len(n.args) > f.most {
		return wrong("%s() expects %s, got %d", name, f.count(), len(n.args))
	}
	n.of = n.args[0].of
	for i, arg := range n.args {
		if name == "clamp" && arg.op == opaque && arg.value.IsIdent("none") {
			continue // no bound on this side
		}
		switch {
		case f.takes == numbers && !arg.of.isNumber():
			return wrong("%s() expects numbers, got %s", name, arg.of)
		case f.takes == angleLike && !arg.of.isNumber() && arg.of.powers[angle] != 1:
			return wrong("%s() expects a number or an angle, got %s", name, arg.of)
		}
		var ok bool
		if n.of, ok = n.of.plus(arg.of); !ok && i > 0 {
			return wrong("%s() expects values of one type, got %s and %s", name, n.args[0].of, arg.of)
		}
	}
	switch f.gives {
	case aNumber, inverted:
		n.of = dimensions{}
	case anAngle:
		n.of = dimensions{}
		n.of.powers[angle] = 1
	}
	return nil
}

// count words the number of arguments of a function.
func (f function) count() string {
	switch {
	case f.most == anyNumber:
		return fmt.Sprintf("%d or more values", f.least)
	case f.least != f.most:
		return fmt.Sprintf("%d or %d values", f.least, f.most)
	case f.least == 1:
		return "one value"
	}
	return fmt.Sprintf("%d values", f.least)
}

// evaluate returns the result of a call. ok is false if some arguments are
// unknown, or if the result cannot be written.
func (n *node) evaluate() (Number, bool) {
	name := token.Lower(n.value.Name())
	f := functions[name]
	x, unit, ok := n.operands(f)
	if !ok || len(x) < f.least {
		return Number{}, false
	}
	out := Number{Value: f.eval(n.word, x)}
	switch f.gives {
	case theSame:
		out.Unit = unit
	case anAngle:
		out.Unit = "deg"
	}
	return out, out.finite()
}

// operands returns the arguments as numbers in one unit.
func (n *node) operands(f function) (x []float64, unit string, ok bool) {
	if slices.ContainsFunc(n.args, func(arg *node) bool { return arg.op != leaf }) {
		return nil, "", false
	}
	first := n.args[0].num
	if first.Unit != "%" && f.scales && !n.mixed() {
		for _, arg := range n.args {
			x = append(x, arg.num.Value)
		}
		return x, first.Unit, true
	}
	if x, unit, ok = n.resolvedArgs(f); !ok {
		return nil, "", false
	}
	if unit == "" && len(x) == 1 && token.EqualFold(n.value.Name(), "round") {
		x = append(x, 1)
	}
	if first.Unit != unit && !n.mixed() && f.gives == theSame { // convert back to their common unit
		size := units[first.Unit].size
		for i := range x {
			x[i] /= size
		}
		unit = first.Unit
	}
	return x, unit, true
}

// resolvedArgs returns the arguments as numbers in their canonical unit.
func (n *node) resolvedArgs(f function) (x []float64, unit string, ok bool) {
	for i, arg := range n.args {
		num, ok := arg.num.resolved()
		if !ok || i > 0 && num.Unit != unit {
			return nil, "", false
		}
		unit = num.Unit
		if f.takes == angleLike && unit == "deg" {
			num.Value *= math.Pi / 180
		}
		x = append(x, num.Value)
	}
	return x, unit, true
}

// mixed reports whether the arguments have different units.
func (n *node) mixed() bool {
	for _, arg := range n.args[1:] {
		if arg.num.Unit != n.args[0].num.Unit {
			return true
		}
	}
	return false
}

// reduce folds x with f.
func reduce(x []float64, f func(a, b float64) float64) float64 {
	out := x[0]
	for _, y := range x[1:] {
		out = f(out, y)
	}
	return out
}

// round rounds to a multiple of a step (CSS Values 4, section 10.3.1).
func round(word string, x []float64) float64 {
	if len(x) < 2 || x[1] == 0 {
		return math.NaN()
	}
	step := math.Abs(x[1])
	n := x[0] / step
	switch word {
	case "up":
		n = math.Ceil(n)
	case "down":
		n = math.Floor(n)
	case "to-zero":
		n = math.Trunc(n)
	default:
		n = math.Copysign(math.Floor(n+0.5), n) // just below zero rounds to negative zero
	}
	return n * step
}

// modulus returns the remainder of a division, with the sign of the divisor.
func modulus(a, b float64) float64 {
	rest := math.Mod(a, b)
	if rest != 0 && (rest < 0) != (b < 0) {
		rest += b
	}
	return rest
}

// sign returns -1, 0 or 1.
func sign(x float64) float64 {
	switch {
	case x > 0:
		return 1
	case x < 0:
		return -1
	}
	return x
}

// progress computes progress().
func progress(_ string, x []float64) float64 {
	if x[1] == x[2] {
		return math.NaN()
	}
	return math.Max(0, math.Min(1, (x[0]-x[1])/(x[2]-x[1])))
}

// logarithm computes log().
func logarithm(_ string, x []float64) float64 {
	if len(x) == 2 {
		return math.Log(x[0]) / math.Log(x[1])
	}
	return math.Log(x[0])
}

// degrees converts radians to degrees.
func degrees(rad float64) float64 { return rad * 180 / math.Pi }

// sine returns the sine of an angle in radians, exactly zero at multiples of π.
func sine(rad float64) float64 {
	if out := math.Sin(rad); math.Abs(out) > 1e-15*math.Max(1, math.Abs(rad)) {
		return out
	}
	return 0
}

// tangent returns the tangent of an angle in radians, infinite where the cosine
// is zero.
func tangent(rad float64) float64 {
	cosine := sine(rad + math.Pi/2)
	if cosine == 0 {
		return math.Inf(1)
	}
	return sine(rad) / cosine
}
