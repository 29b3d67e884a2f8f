package lower

import (
	"testing"

	"rinzel/internal/browsers"
	"rinzel/internal/css/ast"
	"rinzel/internal/step/steptest"
)

// FuzzLower checks that lowered sheets can be parsed, and that lowering is
// idempotent.
func FuzzLower(f *testing.F) {
	older := browsers.AtLeast(map[string]browsers.Version{"chrome": 50000, "safari": 11000})
	step := func(nodes []ast.Node) []ast.Node {
		return Nodes(nodes, Options{Targets: older, Direction: RightToLeft})
	}
	steptest.FuzzIdempotent(f, step,
		"@media (width<1px) and (2em<=height<3em),not all and (color>2){a{b:oklch(.6 .1 2);--c:lab(1 2 3);c{d:var(--x) color(srgb 1 0 0)}}}@keyframes k{to{--c:lab(1 2 3)}}",
		":root{color-scheme:light dark}a{color:light-dark(red,oklch(.6 .1 2));--c:light-dark(lab(1 2 3),var(--x))}",
		"a{width:clamp(1px,2vw,3px);color:#1234;fill:rgb(1 2 3/var(--a));background:linear-gradient(red 0 1px,hwb(1 2% 3%));font:1em system-ui}",
		"a{inset:0 var(--x);margin-inline:1px 2px;border-block:1px solid;place-items:center;overflow:hidden auto;display:inline flex;border-start-end-radius:1px}",
		":is(.a,.b) c:is(d,e):any-link,.f:dir(rtl),:dir(ltr){& :is(.x .y,.z){color:rgb(from red r g b)}}")
}
