// Package value computes CSS values: numbers with units, math functions (CSS
// Values 4, section 10) and colours (CSS Color 4 and 5). What only browsers
// know, such as var(), is preserved; the expressions around it are simplified
// as far as that does not change the result.
//
// [Fold] computes a math function, [FoldColor] a colour function, [ColorOf] and
// [Read] parse literals. [Context] says how a result may be written in a given
// context.
package value

import (
	"math"
	"strconv"
	"strings"

	"rinzel/internal/css/ast"
	"rinzel/internal/css/token"
)

// Number is a number, percentage or dimension.
type Number struct {
	Value float64
	Unit  string // in lower case; "" for a number, "%" for a percentage
}

// Read returns the number of a literal. ok is false for all other values,
// including math functions.
func Read(v *ast.Value) (n Number, ok bool) {
	if v.Kind != token.Number && v.Kind != token.Percentage && v.Kind != token.Dimension {
		return Number{}, false
	}
	digits := token.NumberLen(v.Text)
	f, err := strconv.ParseFloat(v.Text[:digits], 64)
	if err != nil && !math.IsInf(f, 0) {
		return Number{}, false
	}
	if math.IsInf(f, 0) { // too large numbers are clamped
		f = math.Copysign(math.MaxFloat32, f)
	}
	return Number{f, token.Lower(v.Text[digits:])}, true
}

// Precision determines the number of digits of a number in the output.
type Precision uint8

// The precisions.
const (
	// Single writes as many digits as browsers distinguish: they store numbers
	// in single precision.
	Single Precision = iota
	// Double keeps fifteen digits, for intermediate results.
	Double
)

// round rounds n to the precision.
func (p Precision) round(n float64) float64 {
	switch {
	case n == 0:
		return 0 // without a sign
	case n == math.Trunc(n) && math.Abs(n) < 1e15 || math.IsInf(n, 0) || math.IsNaN(n):
		return n
	case p == Double:
		n, _ = strconv.ParseFloat(strconv.FormatFloat(n, 'e', 14, 64), 64)
		return n
	}
	return single(n)
}

// text formats a number in CSS syntax.
func (p Precision) text(n float64) string {
	n = p.round(n)
	form := byte('f')
	if size := math.Abs(n); size != 0 && (size < 1e-6 || size >= 1e15) {
		form = 'e'
	}
	return strconv.FormatFloat(n, form, -1, 64)
}

// single returns the number with the shortest text that is n in single
// precision.
func single(n float64) float64 {
	n, _ = strconv.ParseFloat(strconv.FormatFloat(n, 'e', -1, 32), 64)
	return n
}

// Rounded returns a number rounded to the digits that browsers distinguish. ok
// is false if it has no more digits than that, or if it is not a number.
func Rounded(v *ast.Value) (with ast.Value, ok bool) {
	const many = 15
	if len(v.Text) < many {
		return with, false
	}
	digits := token.NumberLen(v.Text)
	n, ok := Read(v)
	if !ok || digits < many || !strings.Contains(v.Text[:digits], ".") {
		return with, false
	}
	with = *v
	with.Text = Single.text(n.Value) + v.Text[digits:]
	return with, true
}

// kind returns the token kind of a number.
func (n Number) kind() token.Kind {
	switch n.Unit {
	case "":
		return token.Number
	case "%":
		return token.Percentage
	}
	return token.Dimension
}

// finite reports whether a number is neither infinite nor NaN.
func (n Number) finite() bool { return !math.IsInf(n.Value, 0) && !math.IsNaN(n.Value) }

// quantity is what a unit measures.
type quantity uint8

// The quantities.
const (
	length quantity = iota
	angle
	time
	frequency
	resolution
	percent
	quantities
)

// quantityNames are their names in messages.
var quantityNames = [...]string{"a length", "an angle", "a time", "a frequency", "a resolution", "a percentage"}

// unit is a unit: the quantity that it measures, and its size in canonical
// units (CSS Values 4, sections 6 and 7). The size of font- and
// viewport-relative lengths is 0.
type unit struct {
	of   quantity
	size float64
}

// canonical are the canonical units of each quantity.
var canonical = [...]string{length: "px", angle: "deg", time: "s", frequency: "hz", resolution: "dppx", percent: "%"}

// units are all units by name.
var units = func() map[string]unit {
	set := map[string]unit{
		"px": {length, 1}, "cm": {length, 96 / 2.54}, "mm": {length, 96 / 25.4}, "q": {length, 96 / 101.6},
		"in": {length, 96}, "pc": {length, 16}, "pt": {length, 96.0 / 72},
		"deg": {angle, 1}, "grad": {angle, 0.9}, "rad": {angle, 180 / math.Pi}, "turn": {angle, 360},
		"s": {time, 1}, "ms": {time, 0.001},
		"hz": {frequency, 1}, "khz": {frequency, 1000},
		"dppx": {resolution, 1}, "x": {resolution, 1}, "dpi": {resolution, 1.0 / 96}, "dpcm": {resolution, 2.54 / 96},
		"%": {percent, 0},
	}
	for _, name := range strings.Fields("em rem ex rex cap rcap ch rch ic ric lh rlh " +
		"vw svw lvw dvw vh svh lvh dvh vi svi lvi dvi vb svb lvb dvb vmin svmin lvmin dvmin vmax svmax lvmax dvmax " +
		"cqw cqh cqi cqb cqmin cqmax") {
		set[name] = unit{length, 0}
	}
	return set
}()

// Measures returns what a lower-case unit measures: "length", "angle", "time",
// "frequency" or "resolution"; "" for an unknown unit.
func Measures(unit string) string {
	u, ok := units[unit]
	if !ok || u.of == percent {
		return ""
	}
	_, name, _ := strings.Cut(quantityNames[u.of], " ")
	return name
}

// resolved converts a number to the canonical unit of its quantity. ok is false
// if only browsers know its size.
func (n Number) resolved() (Number, bool) {
	if n.Unit == "" {
		return n, true
	}
	u, ok := units[n.Unit]
	if !ok || u.size == 0 {
		return n, false
	}
	return Number{n.Value * u.size, canonical[u.of]}, true
}

// Compare compares two numbers. ok is false unless both have the same unit, or
// known sizes in the same quantity.
func (n Number) Compare(o Number) (order int, ok bool) {
	if n.Unit != o.Unit {
		a, okA := n.resolved()
		b, okB := o.resolved()
		switch {
		case okA && okB && a.Unit == b.Unit:
			n, o = a, b
		case n.Value != 0 && o.Value != 0:
			return 0, false
		}
	}
	switch x, y := single(n.Value), single(o.Value); {
	case x < y:
		return -1, true
	case x > y:
		return 1, true
	}
	return 0, true
}
