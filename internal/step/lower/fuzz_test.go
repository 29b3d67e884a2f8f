package lower

import (
	"testing"

	"rinzel/internal/browsers"
	"rinzel/internal/css/ast"
	"rinzel/internal/step/steptest"
)

// FuzzLower holds what is lowered to being readable, and to needing nothing more.
func FuzzLower(f *testing.F) {
	older := browsers.AtLeast(map[string]browsers.Version{"chrome": 60000, "safari": 12000})
	step := func(nodes []ast.Node) []ast.Node {
		return Nodes(nodes, Options{Targets: older})
	}
	steptest.FuzzSettles(f, step,
		"@media (width<1px) and (2em<=height<3em),not all and (color>2){a{b:oklch(.6 .1 2);--c:lab(1 2 3);c{d:var(--x) color(srgb 1 0 0)}}}@keyframes k{to{--c:lab(1 2 3)}}")
}
