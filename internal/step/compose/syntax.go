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
// keyword, perhaps a list of them (CSS Properties and Values 1, section 5).
// The zero syntax accepts anything.
type syntax struct {
	text  string
	terms []term
}

type term struct {
	name  string // of a data type in angle brackets, or a keyword
	word  bool   // it is a keyword
	comma bool   // a list with commas: <length>#
	space bool   // a list with white space: <length>+
}

// String returns the syntax as it was written.
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

// accepts reports whether values are of the syntax. What is known only to a
// browser, such as var(), may be.
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

// open reports whether only a browser knows what v is, or nobody: then a
// finding says so already.
func open(v *ast.Value) bool {
	return v.IsFunction("const") || v.Kind == token.Function && known.Substitutes(token.Lower(v.Name()))
}

// dataTypes tells for each data type whether a value can be of it. Math
// functions can be of any that holds numbers.
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

func dimension(v *ast.Value) bool { return v.Kind == token.Dimension }

func zero(v *ast.Value) bool { return v.Kind == token.Number && strings.Trim(v.Text, "+-0.") == "" }

// unitKind returns what a dimension measures. A unit that is not known is a length.
func unitKind(v *ast.Value) string {
	unit := token.Lower(v.Text[token.NumberLen(v.Text):])
	if unit == "fr" {
		return "flex"
	}
	return cmp.Or(value.Measures(unit), "length")
}

func functionName(v *ast.Value) string {
	if v.Kind != token.Function {
		return ""
	}
	return token.Lower(v.Name())
}

var colorFunctions = words("rgb rgba hsl hsla hwb lab lch oklab oklch color color-mix light-dark contrast-color device-cmyk")

func isMath(v *ast.Value) bool { return value.IsMath(v) || v.IsFunction("calc-size") }

func words(s string) map[string]bool {
	set := make(map[string]bool)
	for _, w := range strings.Fields(s) {
		set[w] = true
	}
	return set
}

// textOfValues returns values as a message shows them.
func textOfValues(values []ast.Value) string {
	const limit = 40
	text := []rune(print.Values(values))
	if len(text) > limit {
		return string(text[:limit]) + "…"
	}
	return string(text)
}
