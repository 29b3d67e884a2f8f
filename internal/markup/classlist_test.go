package markup

import (
	"slices"
	"strings"
	"testing"
)

// FuzzPermute sorts class lists: the white space stays where it is, and so do the classes,
// whatever their order.
func FuzzPermute(f *testing.F) {
	for _, seed := range []string{"", " ", "b a", "\n b\t a  a ", "b {{ x }} a", "b &amp; a", "@if(x) b", "a\u00a0b a"} {
		f.Add(seed)
	}
	sorted := func(classes []string) []string {
		slices.Sort(classes)
		return classes
	}
	space := func(text string) string {
		var b strings.Builder
		for i := range len(text) {
			if IsSpace(text[i]) {
				b.WriteByte(text[i])
			}
		}
		return b.String()
	}
	isSpace := func(r rune) bool { return r < 0x80 && IsSpace(byte(r)) }
	f.Fuzz(func(t *testing.T, list string) {
		out := Permute(list, sorted)
		if space(out) != space(list) || len(out) != len(list) {
			t.Fatalf("%q became %q", list, out)
		}
		classes := strings.FieldsFunc(list, isSpace)
		if out != list {
			slices.Sort(classes)
		}
		if got := strings.FieldsFunc(out, isSpace); !slices.Equal(got, classes) {
			t.Errorf("%q became %q", list, out)
		}
		if again := Permute(out, sorted); again != out {
			t.Errorf("%q, then %q", out, again)
		}
	})
}
