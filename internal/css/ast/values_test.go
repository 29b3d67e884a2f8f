package ast

import (
	"strings"
	"testing"

	"rinzel/internal/css/token"
)

// written formats values with their white space flags.
func written(values []Value) string {
	var b strings.Builder
	for i := range values {
		if values[i].Space {
			b.WriteByte('_')
		}
		b.WriteString("[" + values[i].Text)
		if values[i].Inner != nil {
			b.WriteString(written(values[i].Inner.Values) + ")")
		}
		b.WriteByte(']')
	}
	return b.String()
}

func TestSignificant(t *testing.T) {
	a, b := Value{Kind: token.Ident, Text: "a"}, Value{Kind: token.Ident, Text: "b", Space: true}
	white, comment := Value{Kind: token.Whitespace, Text: " "}, Value{Kind: token.Comment, Text: "/**/"}
	spacedComment := comment
	spacedComment.Space = true
	plain := b
	plain.Space = false
	for _, test := range []struct {
		values []Value
		want   string
	}{
		{nil, ""}, {[]Value{a, b}, "[a]_[b]"}, {[]Value{white, a, white, plain, white}, "[a]_[b]"}, {[]Value{a, comment, plain}, "[a][b]"},
		{[]Value{a, spacedComment, plain}, "[a]_[b]"}, {[]Value{comment, b}, "[b]"}, {[]Value{white, comment}, ""},
	} {
		if got := written(Significant(test.values)); got != test.want {
			t.Errorf("%s: got %s, want %s", written(test.values), got, test.want)
		}
	}
	list := []Value{a, b}
	if got := Significant(list); &got[0] != &list[0] {
		t.Error("a list with nothing to leave out was copied")
	}
}

func TestVerbatim(t *testing.T) {
	a, b := Value{Kind: token.Ident, Text: "a"}, Value{Kind: token.Ident, Text: "b", Space: true}
	comma := Value{Kind: token.Comma, Text: ","}
	f := Value{Kind: token.Function, Text: "f(", Inner: &Inner{Values: []Value{a, b}}}
	if got, want := written(Verbatim([]Value{a, b, comma, a, f})), "[a][ ][b][,][ ][a][f([a][ ][b])]"; got != want {
		t.Errorf("got %s, want %s", got, want)
	}
	if once := Verbatim([]Value{a, b}); written(Verbatim(once)) != written(once) {
		t.Error("a second time changes it")
	}
	if !f.Inner.Values[1].Space {
		t.Error("the shared arguments were changed")
	}
}

func TestSplitAt(t *testing.T) {
	a, comma := Value{Kind: token.Ident, Text: "a"}, Value{Kind: token.Comma, Text: ","}
	for _, test := range []struct {
		values []Value
		want   string
	}{
		{nil, ""}, {[]Value{a}, "[a]"}, {[]Value{a, comma, a, a}, "[a] | [a][a]"}, {[]Value{comma}, " | "}, {[]Value{a, comma, comma, a}, "[a] |  | [a]"},
	} {
		var parts []string
		for _, part := range SplitAt(test.values, token.Comma) {
			parts = append(parts, written(part))
		}
		if got := strings.Join(parts, " | "); got != test.want {
			t.Errorf("%s: got %q, want %q", written(test.values), got, test.want)
		}
	}
}
