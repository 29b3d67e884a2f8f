package compose

import (
	"strings"
	"testing"

	"rinzel/internal/css/ast"
	"rinzel/internal/css/csstest"
	"rinzel/internal/css/parse"
	"rinzel/internal/css/print"
	"rinzel/internal/diag"
	"rinzel/internal/source"
)

func composed(src string) (string, []diag.Diagnostic) {
	sheet, _ := parse.Sheet(new(source.Set).Add(source.Path{Name: "x.css"}, "x.css", src))
	var diags []diag.Diagnostic
	c := &Composer{Report: func(d diag.Diagnostic) { diags = append(diags, d) }}
	return print.Sheet(c.Nodes(sheet.Nodes, NewScope()), print.Options{Compact: true}), diags
}

func TestCompose(t *testing.T) {
	tests := []struct{ name, src, want string }{
		{"value", `@const gap: 8px; a { margin: const(gap) }`, `a{margin:8px}`},
		{"several values", `@const f: 1px solid red; a { border: const(f); x: a const(f) b }`, `a{border:1px solid red;x:a 1px solid red b}`},
		{"in a function", `@const gap: 8px; a { width: calc(2 * const(gap) + 1px) }`, `a{width:calc(2 * 8px + 1px)}`},
		{"beside other tokens", `@const n: 5px; a { b: f(const(n),const(n)const(n)) }`, `a{b:f(5px,5px/**/5px)}`},
		{"in a media query", `@const wide: 600px; @media (min-width: const(wide)) { a { b: c } }`, `@media(min-width: 600px){a{b:c}}`},
		{"in keyframes", `@const half: 50%; @keyframes x { const(half) { b: c } }`, `@keyframes x{50%{b:c}}`},
		{"default fills in", `@default gap: 4px; a { b: const(gap) }`, `a{b:4px}`},
		{"default gives way", `@const gap: 8px; @default gap: 4px; a { b: const(gap) }`, `a{b:8px}`},
		{"set again", `@const x: 1; a { b: const(x) } @const x: 2; a { b: const(x) }`, `a{b:1}a{b:2}`},
		{"worked out when set", `@const x: 1; @const y: const(x); @const x: 2; a { b: const(y) }`, `a{b:1}`},
		{"from itself", `@const x: 1; @const x: const(x) const(x); a { b: const(x) }`, `a{b:1 1}`},
		{"block scope", `@const x: 1; a { @const x: 2; b: const(x); c { d: const(x) } } e { f: const(x) }`, `a{b:2;c{d:2}}e{f:1}`},
		{"fallback", `a { b: const(x, 4px); c: const(x,1px 2px); d: const(x, const(y, z)); e: const(x,) }`, `a{b:4px;c:1px 2px;d:z;e:}`},
		{"fallback not needed", `@const x: 1; a { b: const(x, const(nowhere)) }`, `a{b:1}`},
		{"custom property", `@const x: 1px 2px, 3px; :root { --a:  const(x)  z; --b: [const(x)] }`, `:root{--a:1px 2px, 3px  z;--b:[1px 2px, 3px]}`},
		{"fallback in a custom property", `:root { --a: const(x, 1px  2px) }`, `:root{--a:1px  2px}`},
		{"case of the name counts", `@const X: 1; a { b: const(X) }`, `a{b:1}`},
		{"function in any case", `@CONST x: 1; a { b: CONST(x) }`, `a{b:1}`},
		{"important stays", `@const x: 1; a { b: const(x) !important }`, `a{b:1!important}`},
		{"nothing to do", `a { b: constant(x) } @constant x: 1;`, `a{b:constant(x)}@constant x: 1;`},
	}
	for _, test := range tests {
		t.Run(test.name, func(t *testing.T) {
			got, diags := composed(test.src)
			if got != test.want+"\n" || len(diags) > 0 {
				t.Errorf("%s\n got %swant %s\n%v", test.src, got, test.want, diags)
			}
		})
	}
}

func TestComposeFindings(t *testing.T) {
	tests := []struct{ src, at, message, mend string }{
		{`@const gap-wide: 1px; a { b: const(gap-wdie) }`, "gap-wdie", `there is no constant "gap-wdie" here`, `did you mean "gap-wide"?`},
		{`a { b: const(x) } @const x: 1;`, "x", `there is no constant "x" here`, ""},
		{`a { @const x: 1; } b { c: const(x) }`, "x", `there is no constant "x" here`, ""},
		{`@const gap 8px;`, "gap", `expected ':' after the name "gap"`, "write @const name: value;"},
		{`@const gap:;`, "gap", `the constant "gap" has no value`, "write @const name: value;"},
		{`@default: 8px;`, "@default: 8px;", "@default has no name: expected one before the value", "write @default name: value;"},
		{`@const { a: b }`, "@const ", "@const has a block: expected a name and a value", "write @const name: value;"},
		{`a { b: const() }`, "const()", "const() takes the name of a constant", ""},
		{`a { b: const(x y) }`, "const(x y)", "const() takes the name of a constant", ""},
	}
	for _, test := range tests {
		_, diags := composed(test.src)
		if len(diags) != 1 {
			t.Errorf("%s: %d findings, want 1: %v", test.src, len(diags), diags)
			continue
		}
		d := diags[0]
		at := test.src[d.Span.Start.Off:d.Span.End]
		if at != test.at || !strings.HasPrefix(d.Message, test.message) || d.Mend != test.mend || d.Severity != diag.Error {
			t.Errorf("%s\n got %q %q mend %q\nwant %q %q mend %q", test.src, at, d.Message, d.Mend, test.at, test.message, test.mend)
		}
	}
}

// TestGrowthIsBounded checks that constants which double each other end with
// one finding.
func TestGrowthIsBounded(t *testing.T) {
	var b strings.Builder
	b.WriteString("@const x: 1 1;")
	for range 64 {
		b.WriteString("@const x: const(x) const(x);")
	}
	b.WriteString("a { b: const(x) }")
	_, diags := composed(b.String())
	if len(diags) != 1 || diags[0].Code != "too-many-values" {
		t.Errorf("got %v, want one finding", diags)
	}
}

// TestPlacesLead checks that a value leads to where its constant was set.
func TestPlacesLead(t *testing.T) {
	src := "@const gap: 8px; a { margin: 1px const(gap) }"
	sheet, _ := parse.Sheet(new(source.Set).Add(source.Path{Name: "x.css"}, "x.css", src))
	c := &Composer{Report: func(d diag.Diagnostic) { t.Error(d) }}
	nodes := c.Nodes(sheet.Nodes, NewScope())
	value := ast.Body(nodes[0])[0].(*ast.Declaration).Value[1]
	if got := src[value.Pos.Off:]; !strings.HasPrefix(got, "8px;") || !value.Space {
		t.Errorf("the value leads to %q", got)
	}
}

func TestUntouchedNodesAreShared(t *testing.T) {
	sheet, _ := parse.Sheet(new(source.Set).Add(source.Path{Name: "x.css"}, "x.css", csstest.Generate(1<<14)))
	c := &Composer{Report: func(d diag.Diagnostic) { t.Error(d) }}
	nodes := c.Nodes(sheet.Nodes, NewScope())
	if len(nodes) == 0 || &nodes[0] != &sheet.Nodes[0] {
		t.Error("a sheet that says nothing to the build was copied")
	}
}

func FuzzCompose(f *testing.F) {
	for _, src := range csstest.All() {
		f.Add(src)
	}
	f.Add("@const x: 1 2;@default y: const(x, 3);a{b:const(y);--c: const(x)}")
	f.Fuzz(func(t *testing.T, src string) {
		got, diags := composed(src)
		if diag.HasErrors(diags) {
			return
		}
		// Composed again, nothing is left to do.
		if _, before := parse.Sheet(new(source.Set).Add(source.Path{}, "", src)); diag.HasErrors(before) {
			return
		}
		if twice, diags := composed(got); len(diags) == 0 && strings.Contains(twice, "const(") && !strings.Contains(src, `\`) {
			again, _ := composed(twice)
			if again != twice {
				t.Fatalf("composing is not settled\nsource %q\nonce   %q\ntwice  %q", src, got, twice)
			}
		}
	})
}
