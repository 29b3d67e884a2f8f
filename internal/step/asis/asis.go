// Package asis reads the comments by which an author has steps leave a part of
// a sheet as it is:
//
//	/* rinzel as-is */                   the next declaration or rule
//	/* rinzel as-is: prefix, check */    for these steps alone
//	/* rinzel as-is from here */         all that follows in the same block
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

// mark is what a comment says.
type mark struct {
	steps   []string // all if there are none
	extends extent
}

type extent uint8

const (
	next extent = iota
	fromHere
	toHere
)

// opening starts every comment that says something.
const opening = "rinzel as-is"

// read reads a comment. ok is false if it says nothing to Rinzel; the error is
// what is wrong with one that does.
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
		return m, true, fmt.Errorf("expected \"from here\", \"to here\" or ':' after \"as-is\", got %q", strings.TrimSpace(where))
	}
	if !named {
		return m, true, nil
	}
	for _, name := range strings.Split(list, ",") {
		m.steps = append(m.steps, strings.TrimSpace(name))
	}
	return m, true, nil
}

func (m mark) names(step string) bool { return len(m.steps) == 0 || slices.Contains(m.steps, step) }

// Left returns the nodes that a step leaves as they are, at any depth: nil if
// there are none, which is so in most sheets. What is in a rule that is left is
// not listed.
func Left(nodes []ast.Node, step string) map[ast.Node]bool {
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
		if inner := Left(ast.Body(n), step); left == nil {
			left = inner
		} else {
			maps.Copy(left, inner)
		}
	}
	return left
}

// unknown returns an error if a comment names a step that is not among those that heed comments.
func (m mark) unknown(steps []string) error {
	for _, name := range m.steps {
		if !slices.Contains(steps, name) {
			return fmt.Errorf("as-is cannot be used with %q: expected one of %s", name, strings.Join(steps, ", "))
		}
	}
	return nil
}

// Misread returns a warning for each comment in nodes, at any depth, that cannot
// be read as one for one of the steps that heed comments.
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
