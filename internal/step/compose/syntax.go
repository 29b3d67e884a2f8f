package compose

import (
	"cmp"
	"strings"

	"rinzel/internal/css/ast"
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
	name  string // data type in angle brackets, or keyword
	word  bool   // it is a keyword
	comma bool   // a list with commas: <length>#
	space bool   // a list with white space: <length>+
}

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
		case len(values) >= 3 && values[0].IsDelim('<') && values[1].Kind == token.Ident && values[2].IsDelim('>'):
			t = term{name: token.Lower(values[1].Text)}
			if dataTypes[t.name] == nil {
				return x, false
			}
			values = values[3:]
		default:
			return x, false
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

// accepts reports whether values match the term.
func (t term) accepts(values []ast.Value) bool {
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
		} else if !open(v) && !dataTypes[t.name](v) {
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
		return v.Kind == token.Hash || v.Kind == token.Ident || colorFunctions[functionName(v)]
	},
	"image":              func(v *ast.Value) bool { return v.Kind == token.URL || v.Kind == token.Function },
	"transform-function": func(v *ast.Value) bool { return v.Kind == token.Function },
}

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
