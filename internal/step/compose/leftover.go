package compose

import (
	"fmt"
	"strings"

	"rinzel/internal/css/ast"
	"rinzel/internal/css/token"
	"rinzel/internal/diag"
	"rinzel/internal/diag/code"
	"rinzel/internal/source"
)

// buildRules are the at-rules that no browser supports: our own, and those of
// drafts that this step evaluates.
var buildRules = words("const default drop tokens loop mixin apply contents custom-selector custom-media when else family slot mode take")

// Leftover returns the first part of nodes that needs this step and that no
// browser supports. ok is false if there is none. Browsers may support
// @function and if() themselves.
func Leftover(nodes []ast.Node) (at source.Span, what string, ok bool) {
	ast.Walk(nodes, func(n ast.Node) bool {
		if ok {
			return false
		}
		switch n := n.(type) {
		case *ast.InterpolatedDeclaration:
			at, what, ok = n.Span(), "a property name built from constants", true
		case *ast.Declaration:
			at, what, ok = leftIn(n.Value, n.IsCustom())
		case *ast.StyleRule:
			at, what, ok = leftInSelectors(n.Selectors)
		case *ast.AtRule:
			if buildRules[token.Lower(n.Name)] {
				at, what, ok = n.Span(), "@"+n.Name, true
				return false
			}
			if at, what, ok = leftIn(n.Prelude, false); !ok && token.EqualFold(n.Name, "media") && namesMedia(n.Prelude) {
				at, what, ok = ast.SpanOf(n.Prelude), "custom media", true
			}
		}
		return !ok
	})
	return at, what, ok
}

// leftIn returns the first build-time function in values. A custom property may
// contain any name with brackets.
func leftIn(values []ast.Value, custom bool) (at source.Span, what string, ok bool) {
	for i := range values {
		v := &values[i]
		switch {
		case v.IsFunction("const"), v.IsFunction("concat"):
			return v.Span(), strings.ToLower(v.Name()) + "()", true
		case isInterpolated(v) && !custom:
			return v.Span(), "a name built from constants", true
		case v.Inner != nil:
			if at, what, ok = leftIn(v.Inner.Values, custom); ok {
				return at, what, ok
			}
		}
	}
	return at, "", false
}

// leftInSelectors returns the first part of a selector list that needs this
// step.
func leftInSelectors(list []ast.Selector) (at source.Span, what string, ok bool) {
	for _, sel := range list {
		for i := range sel {
			part := &sel[i]
			if part.Kind == ast.PseudoClass && strings.HasPrefix(part.Name, "--") {
				return source.SpanOf(part.Pos, len(part.Name)+1), "a custom selector", true
			}
			if part.Args != nil {
				if at, what, ok = leftInSelectors(part.Args.Selectors); ok {
					return at, what, ok
				}
			}
		}
	}
	return at, "", false
}

// Needed returns the finding about nodes that need this step, in a sheet whose
// chain does not have it. ok is false if they do not need it.
func Needed(nodes []ast.Node) (d diag.Diagnostic, ok bool) {
	at, what, ok := Leftover(nodes)
	if !ok {
		return d, false
	}
	return diag.Diagnostic{Code: code.NeedsCompose, Severity: diag.Error, Span: at,
		Message: fmt.Sprintf("%s needs the step compose, which is not in the chain of this sheet: browsers do not support it", what),
		Fix:     "add \"compose\" as the first step of its [[chain]]"}, true
}
