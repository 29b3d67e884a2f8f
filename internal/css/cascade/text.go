package cascade

import (
	"math"
	"strconv"
	"strings"

	"rinzel/internal/css/ast"
	"rinzel/internal/css/print"
	"rinzel/internal/css/token"
	"rinzel/internal/css/value"
)

// This file writes values and selectors in a form in which equal ones have the
// same text.

// valuesText returns values as text: numbers, hexadecimal colours and keywords
// have one form, and white space is that which matters.
func valuesText(values []ast.Value) string {
	var b strings.Builder
	writeValues(&b, ast.Significant(values))
	return b.String()
}

// writeValues writes values without comments.
func writeValues(b *strings.Builder, values []ast.Value) {
	for i := range values {
		v := &values[i]
		if i > 0 && v.Space {
			b.WriteByte(' ')
		}
		switch {
		case v.Inner != nil && !ast.IsCustomName(v.Text):
			b.WriteString(token.Lower(v.Text))
			writeValues(b, ast.Significant(v.Inner.Values))
			b.WriteString(closing(v.Text))
		case v.Inner != nil:
			b.WriteString(v.Text)
			writeValues(b, ast.Significant(v.Inner.Values))
			b.WriteString(closing(v.Text))
		case v.Kind == token.Number || v.Kind == token.Percentage || v.Kind == token.Dimension:
			b.WriteString(numberText(v))
		case v.Kind == token.String:
			b.WriteString(token.Quote(token.StringValue(v.Text)))
		case v.Kind == token.URL:
			b.WriteString("url(" + token.Quote(token.URLValue(v.Text)) + ")")
		case v.Kind == token.Hash:
			b.WriteString(longHex(token.Lower(v.Text)))
		default: // the case of a keyword may matter, as in the name of an animation
			b.WriteString(v.Text)
		}
	}
}

// numberText returns a number in one form. A whole number with a fraction or
// exponent keeps its own: it is no integer (CSS Values 4, section 5.2).
func numberText(v *ast.Value) string {
	n, ok := value.Read(v)
	if !ok || n.Value == math.Trunc(n.Value) && strings.ContainsAny(v.Text[:token.NumberLen(v.Text)], ".eE") {
		return token.Lower(v.Text)
	}
	return strconv.FormatFloat(n.Value, 'g', -1, 64) + n.Unit
}

// closing returns the bracket that closes a function or block.
func closing(open string) string {
	switch open[len(open)-1] {
	case '[':
		return "]"
	case '{':
		return "}"
	}
	return ")"
}

// longHex returns a hexadecimal colour with two digits a channel.
func longHex(hash string) string {
	if len(hash) != 4 && len(hash) != 5 {
		return hash
	}
	out := []byte{'#'}
	for i := 1; i < len(hash); i++ {
		if !token.IsHex(hash[i]) {
			return hash
		}
		out = append(out, hash[i], hash[i])
	}
	return string(out)
}

// selectorText returns a selector as text.
func selectorText(s ast.Selector) string { return print.Selector(s) }
