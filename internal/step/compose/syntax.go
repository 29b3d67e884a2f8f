package compose

import (
	"cmp"
	"math"
	"slices"
	"strconv"
	"strings"

	"rinzel/internal/css/ast"
	"rinzel/internal/css/grammar"
	"rinzel/internal/css/known"
	"rinzel/internal/css/print"
	"rinzel/internal/css/token"
	"rinzel/internal/css/value"
)

// syntax is the type of a parameter: alternatives, each a data type or a
// keyword, optionally as a list (CSS Properties and Values 1, section 5). The
// zero syntax accepts anything.
type syntax struct {
	text  string
	terms []term
}

// term is one alternative of a syntax.
type term struct {
	name     string              // data type in angle brackets, or keyword
	word     bool                // it is a keyword
	bounds   *bounds             // of the numbers; nil without a range
	property *grammar.Definition // whose values it is, instead of a data type; nil for others
	comma    bool                // a list with commas: <length>#
	space    bool                // a list with white space: <length>+
}

// bounds is the range of a numeric type (CSS Values 4, section 2.2): both ends are
// included.
type bounds struct{ low, high float64 }

// String returns the syntax as written.
func (x syntax) String() string { return x.text }

// readSyntax reads <type>, a list of it, or type(…) with alternatives.
func readSyntax(values []ast.Value) (x syntax, ok bool) {
	values = trim(values)
	if len(values) == 0 {
		return syntax{}, true
	}
	x.text = print.Values(values)
	if len(values) == 1 && values[0].IsFunction("type") {
		values = trim(values[0].Values())
		if len(values) == 1 && values[0].IsDelim('*') {
			return x, true
		}
	}
	for len(values) > 0 {
		var t term
		switch {
		case values[0].Kind == token.Ident:
			t = term{name: token.Unescape(values[0].Text), word: true}
			values = values[1:]
		default:
			var ok bool
			if t, values, ok = readDataType(values); !ok {
				return x, false
			}
		}
		if len(values) > 0 && (values[0].IsDelim('#') || values[0].IsDelim('+')) {
			t.comma, t.space = values[0].IsDelim('#'), values[0].IsDelim('+')
			values = values[1:]
		}
		x.terms = append(x.terms, t)
		if len(values) > 0 {
			if !values[0].IsDelim('|') || len(values) == 1 {
				return x, false
			}
			values = values[1:]
		}
	}
	return x, true
}

// readDataType reads <type>, <type [low,high]> or <'property'> at the start of values.
func readDataType(values []ast.Value) (t term, rest []ast.Value, ok bool) {
	if len(values) < 3 || !values[0].IsDelim('<') {
		return t, nil, false
	}
	name := &values[1]
	rest = values[2:]
	switch {
	case name.Kind == token.String:
		d, known := grammar.Property(token.Lower(token.Unescape(strings.Trim(name.Text, `"'`))))
		if !known {
			return t, nil, false
		}
		t.property = &d
	case name.Kind == token.Ident && dataTypes[token.Lower(name.Text)] != nil:
		t.name = token.Lower(name.Text)
		if rest[0].Kind == token.LBracket {
			if t.bounds = readBounds(&rest[0], t.name); t.bounds == nil {
				return t, nil, false
			}
			rest = rest[1:]
		}
	default:
		return t, nil, false
	}
	if len(rest) == 0 || !rest[0].IsDelim('>') {
		return t, nil, false
	}
	return t, rest[1:], true
}

// readBounds reads the range of a numeric type: of a type with units, only zero and
// infinity are possible as bounds. It returns nil if it is invalid.
func readBounds(v *ast.Value, dataType string) *bounds {
	ends := arguments(v.Values())
	if len(ends) != 2 || !numericTypes[dataType] {
		return nil
	}
	read := func(values []ast.Value) (float64, bool) {
		text := strings.ReplaceAll(print.Values(trim(values)), " ", "")
		switch text {
		case "∞":
			return math.Inf(1), true
		case "-∞":
			return math.Inf(-1), true
		}
		n, err := strconv.ParseFloat(text, 64)
		return n, err == nil && (n == 0 || dataType == "number" || dataType == "integer")
	}
	low, ok := read(ends[0])
	high, ok2 := read(ends[1])
	if !ok || !ok2 || low > high {
		return nil
	}
	return &bounds{low, high}
}

// accepts reports whether a number, or a number with a unit, is in the range. The
// results of functions are unknown.
func (b *bounds) accepts(v *ast.Value) bool {
	if b == nil || v.Inner != nil {
		return true
	}
	n, err := strconv.ParseFloat(v.Text[:token.NumberLen(v.Text)], 64)
	return err == nil && b.low <= n && n <= b.high
}

// accepts reports whether values match the syntax. Values that only a browser
// knows, such as var(), are accepted.
func (x syntax) accepts(values []ast.Value) bool {
	if len(x.terms) == 0 {
		return true
	}
	for _, t := range x.terms {
		if t.accepts(values) {
			return true
		}
	}
	return false
}

// keywords returns the keywords of the syntax, and of the properties in it.
func (x syntax) keywords() (out []string) {
	for _, t := range x.terms {
		switch {
		case t.property != nil:
			out = append(out, t.property.Keywords()...)
		case t.word:
			out = append(out, t.name)
		}
	}
	return out
}

// accepts reports whether values match the term.
func (t term) accepts(values []ast.Value) bool {
	if t.property != nil {
		return t.property.Valid(values) || slices.ContainsFunc(values, func(v ast.Value) bool { return open(&v) })
	}
	list := [][]ast.Value{values}
	switch {
	case t.comma:
		list = arguments(values)
	case t.space:
		list = list[:0]
		for i := range values {
			list = append(list, values[i:i+1])
		}
	}
	for _, item := range list {
		if len(item) != 1 {
			return false
		}
		v := &item[0]
		if t.word {
			if v.Kind != token.Ident || token.Unescape(v.Text) != t.name {
				return false
			}
		} else if !open(v) && (!dataTypes[t.name](v) || !t.bounds.accepts(v)) {
			return false
		}
	}
	return len(list) > 0
}

// open reports whether the value of v is only known to the browser, or unknown
// because of an error that was reported.
func open(v *ast.Value) bool {
	return v.IsFunction("const") || v.Kind == token.Function && known.Substitutes(token.Lower(v.Name()))
}

// dataTypes reports for each data type whether a value can be of it. Math
// functions match all numeric types.
var dataTypes = map[string]func(*ast.Value) bool{
	"number": func(v *ast.Value) bool { return v.Kind == token.Number || isMath(v) },
	"integer": func(v *ast.Value) bool {
		return v.Kind == token.Number && !strings.ContainsAny(v.Text, ".eE") || isMath(v)
	},
	"percentage": func(v *ast.Value) bool { return v.Kind == token.Percentage || isMath(v) },
	"length":     func(v *ast.Value) bool { return zero(v) || dimension(v) && unitKind(v) == "length" || isMath(v) },
	"length-percentage": func(v *ast.Value) bool {
		return zero(v) || v.Kind == token.Percentage || dimension(v) && unitKind(v) == "length" || isMath(v)
	},
	"angle":        func(v *ast.Value) bool { return dimension(v) && unitKind(v) == "angle" || isMath(v) },
	"time":         func(v *ast.Value) bool { return dimension(v) && unitKind(v) == "time" || isMath(v) },
	"resolution":   func(v *ast.Value) bool { return dimension(v) && unitKind(v) == "resolution" || isMath(v) },
	"string":       func(v *ast.Value) bool { return v.Kind == token.String },
	"custom-ident": func(v *ast.Value) bool { return v.Kind == token.Ident },
	"url":          func(v *ast.Value) bool { return v.Kind == token.URL || v.IsFunction("url") || v.IsFunction("src") },
	"color": func(v *ast.Value) bool {
		return v.Kind == token.Hash && isHexColor(v.Text[1:]) || v.Kind == token.Ident && isColorName(v.Text) ||
			colorFunctions[functionName(v)]
	},
	"image":              func(v *ast.Value) bool { return v.Kind == token.URL || v.Kind == token.Function },
	"transform-function": func(v *ast.Value) bool { return v.Kind == token.Function },
}

// isHexColor reports whether digits are a colour after '#' (CSS Color 4, section 5.2).
func isHexColor(digits string) bool {
	n := len(digits)
	return (n == 3 || n == 4 || n == 6 || n == 8) && strings.Trim(digits, "0123456789abcdefABCDEF") == ""
}

// isColorName reports whether an identifier names a colour.
func isColorName(text string) bool {
	_, found := slices.BinarySearch(grammar.ColorNames(), token.Lower(text))
	return found
}

// numericTypes are the data types that can have a range.
var numericTypes = words("number integer percentage length length-percentage angle time resolution")

// dimension reports whether v is a number with a unit.
func dimension(v *ast.Value) bool { return v.Kind == token.Dimension }

// zero reports whether v is the number 0.
func zero(v *ast.Value) bool { return v.Kind == token.Number && strings.Trim(v.Text, "+-0.") == "" }

// unitKind returns what a dimension measures. An unknown unit counts as a
// length.
func unitKind(v *ast.Value) string {
	unit := token.Lower(v.Text[token.NumberLen(v.Text):])
	if unit == "fr" {
		return "flex"
	}
	return cmp.Or(value.Measures(unit), "length")
}

// functionName returns the lower-case name of a function.
func functionName(v *ast.Value) string {
	if v.Kind != token.Function {
		return ""
	}
	return token.Lower(v.Name())
}

// colorFunctions are the functions that return a colour.
var colorFunctions = words("rgb rgba hsl hsla hwb lab lch oklab oklch color color-mix light-dark contrast-color device-cmyk")

// isMath reports whether v is a math function.
func isMath(v *ast.Value) bool { return value.IsMath(v) || v.IsFunction("calc-size") }

// words returns the set of words in s.
func words(s string) map[string]bool {
	set := make(map[string]bool)
	for _, w := range strings.Fields(s) {
		set[w] = true
	}
	return set
}

// textOfValues returns values as text for messages.
func textOfValues(values []ast.Value) string {
	const limit = 40
	text := []rune(print.Values(values))
	if len(text) > limit {
		return string(text[:limit]) + "…"
	}
	return string(text)
}
