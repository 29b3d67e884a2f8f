package check

import (
	"strings"

	"rinzel/internal/css/ast"
	"rinzel/internal/css/token"
	"rinzel/internal/source"
)

// Animations has the animations of a sheet. Whether their keyframes exist is
// only known when all sheets of a page are.
type Animations struct {
	Uses      []NameUse // keyframes used in animation and animation-name
	Keyframes []string  // names of the keyframes that the sheet defines
}

// NameUse is a use of a name.
type NameUse struct {
	Name string
	At   source.Span
}

// AnimationsOf returns the animations in nodes.
func AnimationsOf(nodes []ast.Node) Animations {
	var m Animations
	ast.Walk(nodes, func(n ast.Node) bool {
		switch n := n.(type) {
		case *ast.AtRule:
			if _, name := split(token.Lower(n.Name)); name == "keyframes" && len(n.Prelude) > 0 {
				m.Keyframes = append(m.Keyframes, nameIn(&n.Prelude[0]))
			}
		case *ast.Declaration:
			if _, name := split(token.Lower(n.Name)); name == "animation" || name == "animation-name" {
				m.animation(n.Value)
			}
		}
		return true
	})
	return m
}

// animation adds the names in the value of animation: of each part the first
// identifier that is not a keyword.
func (m *Animations) animation(values []ast.Value) {
	for _, part := range ast.SplitAt(ast.Significant(values), token.Comma) {
		for i := range part {
			v := &part[i]
			if v.Kind == token.String || v.Kind == token.Ident && !animationWords[token.Lower(v.Text)] && !slashed(v.Text) {
				m.Uses = append(m.Uses, NameUse{nameIn(v), v.Span()})
				break
			}
		}
	}
}

// nameIn returns the name of an identifier or a string.
func nameIn(v *ast.Value) string {
	if v.Kind == token.String {
		return token.StringValue(v.Text)
	}
	return token.Unescape(v.Text)
}

// animationWords are the keywords in the value of animation (CSS Animations 1
// and 2).
var animationWords = func() map[string]bool {
	set := make(map[string]bool)
	for _, w := range strings.Fields("none infinite normal reverse alternate alternate-reverse forwards backwards both running paused linear ease " +
		"ease-in ease-out ease-in-out step-start step-end auto replace add accumulate initial inherit unset revert revert-layer") {
		set[w] = true
	}
	return set
}()
