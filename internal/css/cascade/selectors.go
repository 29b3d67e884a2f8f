package cascade

import (
	"strings"

	"rinzel/internal/css/ast"
	"rinzel/internal/css/print"
	"rinzel/internal/css/token"
)

// This file writes selectors in a form in which equal ones have the same text.

// selectorText returns a selector as text. namespaces is set if the sheet
// declares some: then * is not always superfluous.
func selectorText(s ast.Selector, namespaces bool) string {
	var b strings.Builder
	for i := range s {
		p := &s[i]
		switch {
		case p.Kind == ast.Combinator && p.Name != " ":
			b.WriteString(" " + p.Name + " ")
		case p.Kind == ast.UniversalSelector && p.Name == "*" && !namespaces && i+1 < len(s) &&
			isSubclass(s[i+1].Kind):
			continue
		case p.Kind == ast.PseudoElement && (p.Args == nil || p.Args.SingleColon):
			b.WriteString("::" + token.Lower(p.Name))
		case p.Kind == ast.PseudoClass && p.Args == nil:
			b.WriteString(":" + token.Lower(p.Name))
		case p.Kind == ast.PseudoClass:
			b.WriteString(pseudoClassText(p, namespaces))
		case p.Kind == ast.AttributeSelector && p.Args.Matcher != "":
			value := p.Args.Value.Text
			if p.Args.Value.Kind == token.String {
				value = token.StringValue(value)
			} else {
				value = token.Unescape(value)
			}
			b.WriteString("[" + p.Name + p.Args.Matcher + token.Quote(value) + token.Lower(p.Args.Modifier) + "]")
		default:
			b.WriteString(print.Selector(s[i : i+1]))
		}
	}
	return b.String()
}

// isSubclass reports whether a simple selector of a kind may follow a type
// selector in a compound.
func isSubclass(kind ast.SimpleKind) bool {
	return kind != ast.Combinator && kind != ast.TypeSelector && kind != ast.UniversalSelector &&
		kind != ast.NestingSelector && kind != ast.BadSelector
}

// pseudoClassText returns a pseudo-class with arguments as text.
func pseudoClassText(p *ast.Simple, namespaces bool) string {
	name := token.Lower(p.Name)
	values := print.CompactValues(p.Args.Values)
	if strings.HasPrefix(name, "nth-") {
		if formula, ok := formulaOf(values); ok {
			values = formula
			if first, ok := strings.CutPrefix(name, "nth-"); ok && formula == "0n+1" && len(p.Args.Selectors) == 0 {
				switch first {
				case "child", "of-type":
					return ":first-" + first
				case "last-child", "last-of-type":
					return ":" + first
				}
			}
		}
	}
	var list []string
	for _, s := range p.Args.Selectors {
		list = append(list, selectorText(s, namespaces))
	}
	return ":" + name + "(" + values + " of " + strings.Join(list, ",") + ")"
}

// formulaOf returns An+B (CSS Syntax Level 3, section 6) with both parts. ok is
// false if it is written in an unusual way.
func formulaOf(text string) (formula string, ok bool) {
	text = strings.ToLower(strings.ReplaceAll(text, " ", ""))
	switch text {
	case "even":
		return "2n+0", true
	case "odd":
		return "2n+1", true
	}
	a, b, hasN := strings.Cut(text, "n")
	if !hasN {
		a, b = "0", text
	}
	switch strings.TrimPrefix(a, "+") {
	case "":
		a = "1"
	case "-":
		a = "-1"
	}
	a, b = strings.TrimPrefix(a, "+"), strings.TrimPrefix(b, "+")
	if b == "" || b == "-0" {
		b = "0"
	}
	if a == "-0" {
		a = "0"
	}
	if strings.Trim(strings.TrimPrefix(a, "-"), "0123456789") != "" ||
		strings.Trim(strings.TrimPrefix(b, "-"), "0123456789") != "" {
		return "", false
	}
	if a == "2" && b == "-1" {
		b = "1" // the same elements
	}
	return a + "n+" + b, true
}
