package compose

import (
	"testing"

	"rinzel/internal/css/ast"
	"rinzel/internal/css/parse"
	"rinzel/internal/source"
)

func valuesOf(t *testing.T, text string) []ast.Value {
	t.Helper()
	values, diags := parse.Values(new(source.Set).Add(source.Path{}, "", text))
	if len(diags) > 0 {
		t.Fatalf("%q: %v", text, diags)
	}
	return values
}

func TestSyntax(t *testing.T) {
	tests := []struct {
		syntax   string
		yes, not []string
	}{
		{"<length>", []string{"1px", "0", "-0.0", "calc(1px + 2em)", "var(--x)", "1.5rem", "--f(1)"}, []string{"1", "1deg", "1%", "red", "1px 2px", "", "1s"}},
		{"<number>", []string{"1", "-1.5", "1e3", "sin(1)"}, []string{"1px", "50%", "a"}},
		{"<integer>", []string{"1", "-10"}, []string{"1.0", "1e3", "1px"}},
		{"<percentage>", []string{"50%", "calc(1% * 2)"}, []string{"50", "1px"}},
		{"<length-percentage>", []string{"50%", "1px", "0"}, []string{"50", "1deg"}},
		{"<color>", []string{"red", "#fff", "rgb(1 2 3)", "color-mix(in oklab, red, blue)"}, []string{"1", "\"red\"", "url(x)", "blur(1px)", "redd", "#12", "#ggg"}},
		{"<angle>", []string{"1deg", "1turn", "atan(1)"}, []string{"1px", "0"}},
		{"<time>", []string{"1s", "10ms"}, []string{"1px", "1"}},
		{"<resolution>", []string{"2x", "96dpi"}, []string{"2px"}},
		{"<string>", []string{"\"a\"", "'b'"}, []string{"a", "1"}},
		{"<custom-ident>", []string{"a", "--b"}, []string{"1", "\"a\"", "f()"}},
		{"<url>", []string{"url(a)", "url(\"a\")"}, []string{"\"a\"", "a"}},
		{"<image>", []string{"url(a)", "linear-gradient(red, blue)"}, []string{"a", "red"}},
		{"<length>#", []string{"1px", "1px, 2px", "0, calc(1px)"}, []string{"1px 2px", "1px, 2", "1px,"}},
		{"<length>+", []string{"1px", "1px 2px"}, []string{"1px, 2px", "1px a"}},
		{"type(<length> | auto | none)", []string{"1px", "auto", "none"}, []string{"inherit", "1", "auto auto"}},
		{"<integer [1, 12]>", []string{"1", "12", "calc(20)"}, []string{"0", "13", "1.5", "1px"}},
		{"<number [-0.5, ∞]>", []string{"-0.5", "1e9"}, []string{"-1"}},
		{"<length [0, ∞]>#", []string{"0", "3px", "1px, 2em"}, []string{"-1px", "1px, -2em"}},
		{"<percentage [-∞, 0]>", []string{"-5%", "0%"}, []string{"1%"}},
		{"<'display'>", []string{"grid", "inline flex", "inherit", "var(--x)"}, []string{"grd", "1px", ""}},
		{"type(<'width'> | wide)", []string{"auto", "1px", "wide"}, []string{"red"}},
		{"type(*)", []string{"anything at, all", "{}", "1"}, nil},
		{"", []string{"anything at, all", "1"}, nil},
	}
	for _, test := range tests {
		x, ok := readSyntax(valuesOf(t, test.syntax))
		if !ok || x.String() != test.syntax {
			t.Errorf("the syntax %q was read as %q, %v", test.syntax, x, ok)
			continue
		}
		for _, text := range test.yes {
			if !x.accepts(valuesOf(t, text)) {
				t.Errorf("%q does not accept %q", test.syntax, text)
			}
		}
		for _, text := range test.not {
			if x.accepts(valuesOf(t, text)) {
				t.Errorf("%q accepts %q", test.syntax, text)
			}
		}
	}
	for _, bad := range []string{"<lenght>", "length>", "<length", "<length> |", "| <length>", "<length> <color>",
		"1px", "type(<x>)", "<integer [1]>", "<integer [2,1]>", "<length [1,2]>",
		"<color [0,1]>", "<'colour'>", "<integer [a,b]>", "<integer [1,2]", "<'display'", "<[1,2]>"} {
		if x, ok := readSyntax(valuesOf(t, bad)); ok {
			t.Errorf("%q was read as %v", bad, x)
		}
	}
}

func TestPaths(t *testing.T) {
	tests := []struct {
		text, want string
		n          int
	}{
		{"a", "a", 1}, {"a.b", "a.b", 3}, {"a.50", "a.50", 2}, {"a.50.b", "a.50.b", 4}, {"a.1px", "a.1px", 2}, {"a.b-c.d", "a.b-c.d", 5},
		{"a .b", "a", 1}, {"a, b", "a", 1}, {"a.", "a", 1}, {`\61.b`, "a.b", 3}, {"1.a", "", 0}, {"", "", 0}, {".a", "", 0},
	}
	for _, test := range tests {
		p, n := readPath(valuesOf(t, test.text))
		if joinPath(p) != test.want || n != test.n {
			t.Errorf("%q: got %q of %d values, want %q of %d", test.text, joinPath(p), n, test.want, test.n)
		}
	}
}

// TestConditionCosts compares the estimated number of copies with the actual
// one.
func TestConditionCosts(t *testing.T) {
	leaf := func(name string) condition { return condition{kind: asksMedia, leaf: valuesOf(t, "("+name+")")} }
	a, b, c := leaf("a"), leaf("b"), leaf("c")
	for _, x := range []condition{
		a, not(a), join(allOf, []condition{a, b}), join(anyOf, []condition{a, b, c}), not(join(allOf, []condition{a, b})),
		join(allOf, []condition{join(anyOf, []condition{a, b}), join(anyOf, []condition{b, c})}),
		not(join(anyOf, []condition{join(allOf, []condition{a, b}), not(c)})),
		join(anyOf, []condition{join(allOf, []condition{a, join(anyOf, []condition{b, c})}), join(allOf, []condition{b, c})}),
	} {
		for _, y := range []condition{x, not(x)} {
			made := 0
			mark := &ast.Comment{}
			ast.Walk(y.wrap([]ast.Node{mark}), func(n ast.Node) bool {
				if n == ast.Node(mark) {
					made++
				}
				return true
			})
			if copies, _, _ := y.cost(); int(copies) != made {
				t.Errorf("%v: %v copies were counted, and %d made", y.kind, copies, made)
			}
		}
		copies, opposite, _ := x.cost()
		back, forth, _ := not(x).cost()
		if copies != forth || opposite != back {
			t.Errorf("costs %v and %v, and of the opposite %v and %v", copies, opposite, back, forth)
		}
	}
	if got := join(allOf, []condition{a, decided(false)}); got.kind != never {
		t.Errorf("a and never is %v", got.kind)
	}
	if got := join(anyOf, []condition{decided(false), a, decided(false)}); got.kind != asksMedia {
		t.Errorf("never or a is %v", got.kind)
	}
}
