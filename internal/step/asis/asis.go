// Package asis reads the comments that exclude parts of a sheet from steps:
//
//	/* rinzel as-is */                   the next declaration or rule
//	/* rinzel as-is: prefix, check */    only from these steps
//	/* rinzel as-is from here */         everything that follows in the same block
//	/* rinzel as-is to here */           up to this
package asis

import (
	"cmp"
	"fmt"
	"maps"
	"slices"
	"strings"

	"rinzel/internal/css/ast"
	"rinzel/internal/diag"
	"rinzel/internal/diag/code"
)

// mark is the meaning of a comment.
type mark struct {
	steps   []string // empty for all steps
	extends extent
}

// extent is what a mark applies to.
type extent uint8

// The extents.
const (
	next extent = iota
	fromHere
	toHere
)

// opening is the start of all such comments.
const opening = "rinzel as-is"

// read parses a comment. ok is false if it is an ordinary comment; the error
// describes a syntax error.
func read(comment string) (m mark, ok bool, err error) {
	if !strings.Contains(comment, opening) {
		return m, false, nil
	}
	text := strings.TrimSpace(strings.Trim(comment, "/*!"))
	rest, found := strings.CutPrefix(text, opening)
	if !found {
		return m, false, nil
	}
	where, list, named := strings.Cut(rest, ":")
	switch strings.Join(strings.Fields(where), " ") {
	case "":
	case "from here":
		m.extends = fromHere
	case "to here":
		m.extends = toHere
	default:
		return m, true, fmt.Errorf("expected \"from here\", \"to here\" or ':' after \"as-is\", got %q",
			strings.TrimSpace(where))
	}
	if !named {
		return m, true, nil
	}
	for _, name := range strings.Split(list, ",") {
		m.steps = append(m.steps, strings.TrimSpace(name))
	}
	return m, true, nil
}

// names reports whether the mark applies to a step.
func (m mark) names(step string) bool { return len(m.steps) == 0 || slices.Contains(m.steps, step) }

// Exempt returns the nodes that comments exclude from a step, at any depth; nil
// if there are none, as in most sheets. The nodes inside an excluded rule are
// not listed.
func Exempt(nodes []ast.Node, step string) map[ast.Node]bool {
	var left map[ast.Node]bool
	once, always := false, false
	for _, n := range nodes {
		if c, ok := n.(*ast.Comment); ok {
			m, ok, err := read(c.Text)
			switch {
			case !ok || err != nil || !m.names(step):
			case m.extends == next:
				once = true
			default:
				always = m.extends == fromHere
			}
			continue
		}
		if once || always {
			once = false
			if left == nil {
				left = make(map[ast.Node]bool)
			}
			left[n] = true
			continue
		}
		if _, isDeclaration := n.(*ast.Declaration); isDeclaration {
			continue
		}
		if inner := Exempt(ast.Body(n), step); left == nil {
			left = inner
		} else {
			maps.Copy(left, inner)
		}
	}
	return left
}

// unknown returns an error if a comment names an unknown step.
func (m mark) unknown(steps []string) error {
	for _, name := range m.steps {
		if !slices.Contains(steps, name) {
			return fmt.Errorf("as-is cannot be used with %q: expected one of %s", name, strings.Join(steps, ", "))
		}
	}
	return nil
}

// Misread returns a warning for each comment in nodes, at any depth, that has a
// syntax error or names none of steps.
func Misread(nodes []ast.Node, steps []string) []diag.Diagnostic {
	var out []diag.Diagnostic
	ast.Walk(nodes, func(n ast.Node) bool {
		if c, ok := n.(*ast.Comment); ok {
			m, _, err := read(c.Text)
			if err = cmp.Or(err, m.unknown(steps)); err != nil {
				out = append(out, diag.Diagnostic{Code: code.BadAsIs, Severity: diag.Warning, Span: c.Span(), Message: err.Error()})
			}
		}
		return true
	})
	return out
}
