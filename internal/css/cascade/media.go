package cascade

import (
	"slices"
	"strings"

	"rinzel/internal/css/ast"
	"rinzel/internal/css/token"
)

// This file writes media queries in a form in which equal ones have the same
// text.

// rangeSyntax is the feature of media queries such as (width >= 600px).
const rangeSyntax = "css.at-rules.media.range_syntax"

// mediaText returns a list of media queries as text, without those that never
// match and those that are repeated.
func (r *reader) mediaText(prelude []ast.Value) string {
	ranges := r.browsers.Feature(rangeSyntax)
	var out []string
	for _, query := range ast.SplitAt(ast.Significant(prelude), token.Comma) {
		var parts []string
		for i := range query {
			if text, ok := rangeText(&query[i]); ok && ranges {
				parts = append(parts, text)
			} else {
				parts = append(parts, preludeText(query[i:i+1]))
			}
		}
		text := strings.TrimPrefix(strings.Join(parts, " "), "all and ")
		if text != "not all" && !slices.Contains(out, text) {
			out = append(out, text)
		}
	}
	if len(out) == 0 && len(prelude) > 0 {
		return "not all"
	}
	return strings.Join(out, ", ")
}

// rangeText returns a feature test as one or two comparisons of the feature with
// a value. ok is false for other tests.
func rangeText(v *ast.Value) (text string, ok bool) {
	if v.Kind != token.LParen {
		return "", false
	}
	whole := preludeText(v.Inner.Values)
	for prefix, sign := range map[string]string{"min-": ">=", "max-": "<="} {
		name, value, found := strings.Cut(strings.ToLower(whole), ":")
		if feature, ok := strings.CutPrefix(name, prefix); found && ok {
			return "(" + feature + sign + value + ")", true
		}
	}
	// A feature between two values: 1px<=width<=2px.
	first, rest, found := strings.Cut(whole, "<=")
	feature, last, two := strings.Cut(rest, "<=")
	if found && two && !strings.ContainsAny(first+feature+last, "<>=:") {
		return "(" + feature + ">=" + first + ") and (" + feature + "<=" + last + ")", true
	}
	return "", false
}
