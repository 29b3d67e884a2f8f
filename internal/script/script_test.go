package script

import (
	"strings"
	"testing"
)

func found(src string) (literals, keys string) {
	var l, k []string
	Visit(src, Visitor{
		Literal: func(text string, _ int) { l = append(l, text) },
		Key:     func(name string, _ int) { k = append(k, name) },
	})
	return strings.Join(l, "|"), strings.Join(k, "|")
}

func TestLiterals(t *testing.T) {
	tests := []struct{ name, src, want string }{
		{"quotes", `f("a", 'b "c"')`, `a|b "c"`},
		{"escapes", `"a\"b\x41\u0042\u{43}\n"`, `a"bABC `},
		{"template", "`a`", "a"},
		{"holes", "`a-${b ? 'x' : `y-${z}`}-c`", "a-|x|y-||-c"},
		{"braces in holes", "`a${ {b: '}'}['b'] }c`", "a|}|b|c"},
		{"comments", "// 'a'\n/* 'b' */ 'c' // d's", "c"},
		{"regular expressions", `a = /'/; b = x / 'c' / 2; return /["/]/.test("d")`, "c|d"},
		{"division", `(a) / 'b'; c[0] / 'd'; e++ / f; 'g'`, "b|d|g"},
		{"broken string", "'a\n'b'", "a|b"},
		{"unfinished", "`a${'b'", "a|b"},
		{"backslash at the end", `'a\`, `a\`},
	}
	for _, test := range tests {
		t.Run(test.name, func(t *testing.T) {
			if got, _ := found(test.src); got != test.want {
				t.Errorf("%s: got %q, want %q", test.src, got, test.want)
			}
		})
	}
}

func TestKeys(t *testing.T) {
	if _, got := found(`x = { active: 1, "b": 2, c  : d ? e : f }`); got != "active|c|e" {
		t.Errorf("got %q", got)
	}
}

func TestOffsets(t *testing.T) {
	src := "a('é', `b${c}d`)"
	Visit(src, Visitor{Literal: func(text string, offset int) {
		if !strings.HasPrefix(src[offset:], text) {
			t.Errorf("literal %q at %q", text, src[offset:])
		}
	}})
}

func FuzzVisit(f *testing.F) {
	f.Add("`a${'b'}` /x/ 'c' // d")
	f.Add(strings.Repeat("`${", 200))
	f.Fuzz(func(t *testing.T, src string) {
		end := 0
		Visit(src, Visitor{
			Literal: func(text string, offset int) {
				if offset > len(src) || offset < 0 {
					t.Fatalf("literal at %d of %d", offset, len(src))
				}
				end = max(end, offset)
			},
			Key: func(name string, _ int) {
				if !strings.Contains(src, name) {
					t.Fatalf("key %q", name)
				}
			},
		})
	})
}
