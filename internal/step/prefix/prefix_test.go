package prefix

import (
	"fmt"
	"testing"

	"rinzel/internal/browsers"
	"rinzel/internal/css/csstest"
	"rinzel/internal/css/parse"
	"rinzel/internal/css/print"
	"rinzel/internal/source"
)

func prefixed(src string, targets browsers.Targets) (string, []Change) {
	sheet, _ := parse.Sheet(new(source.Set).Add(source.Path{Name: "x.css"}, "x.css", src))
	nodes, changes := Nodes(sheet.Nodes, targets)
	return print.Sheet(nodes, print.Options{Compact: true}), changes
}

func TestPrefix(t *testing.T) {
	safari := browsers.AtLeast(map[string]browsers.Version{"safari": 15004})
	modern := browsers.AtLeast(map[string]browsers.Version{"chrome": 130000, "firefox": 130000})
	tests := []struct {
		name    string
		targets browsers.Targets
		src     string
		want    string
		changes string
	}{
		{"added", safari, `a { user-select: none }`, `a{-webkit-user-select:none;user-select:none}`, `[{-webkit-user-select false 1}]`},
		{"in any case", safari, `a { USER-SELECT: none }`, `a{-webkit-user-select:none;USER-SELECT:none}`, `[{-webkit-user-select false 1}]`},
		{"not needed", modern, `a { user-select: none }`, `a{user-select:none}`, `[]`},
		{"several", browsers.AtLeast(map[string]browsers.Version{"safari": 15004, "firefox": 40000}), `a { user-select: none }`,
			`a{-moz-user-select:none;-webkit-user-select:none;user-select:none}`, `[{-moz-user-select false 1} {-webkit-user-select false 1}]`},
		{"written already", safari, `a { -webkit-user-select: text; user-select: none }`, `a{-webkit-user-select:text;user-select:none}`, `[]`},
		{"important", safari, `a { user-select: none !important }`, `a{-webkit-user-select:none!important;user-select:none!important}`, `[{-webkit-user-select false 1}]`},
		{"counted", safari, `a { user-select: none } b { user-select: auto }`,
			`a{-webkit-user-select:none;user-select:none}b{-webkit-user-select:auto;user-select:auto}`, `[{-webkit-user-select false 2}]`},
		{"dropped", modern, `a { -webkit-border-radius: 1px; -moz-border-radius: 1px; border-radius: 1px }`, `a{border-radius:1px}`,
			`[{-webkit-border-radius true 1} {-moz-border-radius true 1}]`},
		{"another value stays", modern, `a { -webkit-border-radius: 2px; border-radius: 1px }`, `a{-webkit-border-radius:2px;border-radius:1px}`, `[]`},
		{"behind the standard stays", modern, `a { border-radius: 1px; -webkit-border-radius: 1px }`, `a{border-radius:1px;-webkit-border-radius:1px}`, `[]`},
		{"alone stays", modern, `a { -webkit-border-radius: 1px }`, `a{-webkit-border-radius:1px}`, `[]`},
		{"needed stays", safari, `a { -webkit-user-select: none; user-select: none }`, `a{-webkit-user-select:none;user-select:none}`, `[]`},
		{"without a standard stays", modern, `a { -webkit-box-orient: vertical; -webkit-tap-highlight-color: red }`,
			`a{-webkit-box-orient:vertical;-webkit-tap-highlight-color:red}`, `[]`},
		{"custom property", safari, `a { --user-select: none }`, `a{--user-select:none}`, `[]`},
		{"in media and keyframes", safari, `@media print { a { user-select: none } } @keyframes x { to { backdrop-filter: none } }`,
			`@media print{a{-webkit-user-select:none;user-select:none}}@keyframes x{to{-webkit-backdrop-filter:none;backdrop-filter:none}}`,
			`[{-webkit-user-select false 1} {-webkit-backdrop-filter false 1}]`},
	}
	for _, test := range tests {
		t.Run(test.name, func(t *testing.T) {
			got, changes := prefixed(test.src, test.targets)
			if got != test.want+"\n" || fmt.Sprint(changes) != test.changes {
				t.Errorf("%s\n got %s%v\nwant %s\n%s", test.src, got, changes, test.want, test.changes)
			}
			if twice, changes := prefixed(got, test.targets); twice != got || len(changes) > 0 {
				t.Errorf("%s\nonce  %stwice %s", test.src, got, twice)
			}
		})
	}
}

func BenchmarkPrefix(b *testing.B) {
	f := new(source.Set).Add(source.Path{Name: "x.css"}, "x.css", csstest.Generate(1<<20))
	sheet, _ := parse.Sheet(f)
	b.SetBytes(int64(len(f.Text)))
	b.ReportAllocs()
	for b.Loop() {
		Nodes(sheet.Nodes, browsers.Default())
	}
}
