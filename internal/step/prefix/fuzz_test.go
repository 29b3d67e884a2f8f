package prefix

import (
	"testing"

	"rinzel/internal/browsers"
	"rinzel/internal/css/ast"
	"rinzel/internal/step/steptest"
)

// FuzzPrefix checks that prefixed sheets can be parsed, and that prefixing is
// idempotent.
func FuzzPrefix(f *testing.F) {
	older := browsers.AtLeast(map[string]browsers.Version{"chrome": 20000, "safari": 8000, "firefox": 12000})
	step := func(nodes []ast.Node) []ast.Node {
		with, _ := Nodes(nodes, Options{Targets: older})
		return with
	}
	steptest.FuzzIdempotent(f, step,
		"a,b::placeholder,:fullscreen{user-select:none;width:fit-content;background:image-set(url(x) 1x);transition:transform 1s,backdrop-filter 2s}@keyframes k{to{transform:none}}@-webkit-keyframes k{}a{display:flex;flex:1 0;flex-flow:column wrap;order:2;background:linear-gradient(to right,red,radial-gradient(circle at 1px,red));gap:1px;overflow-wrap:anywhere}",
		"a{wid\x00d:calc(1px + 2em)}")
}
