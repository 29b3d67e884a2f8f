package markup_test

import (
	"fmt"
	"strings"
	"testing"

	"golang.org/x/net/html"

	"rinzel/internal/markup"
)

func TestTokens(t *testing.T) {
	text := "<!DOCTYPE html><P CLASS='Quay &amp; co' id=b id=c hidden><!-- x --><script>a < b</script></p>y<b c=\"d"
	var got strings.Builder
	for tok := range markup.Tokens(text, markup.Span{End: len(text)}) {
		fmt.Fprintf(&got, "%d%q", tok.Kind, text[tok.At.Start:tok.At.End])
		if tok.Kind == markup.StartTag {
			for a := range markup.AllAttributes(text, tok.At) {
				fmt.Fprintf(&got, " %s=%q at %q in %q", a.Name, a.Value, text[a.At.Start:a.At.End], text[a.Whole.Start:a.Whole.End])
			}
			fmt.Fprintf(&got, " (%d)", len(markup.Attributes(text, tok.At)))
		}
		if tok.Kind == markup.StartTag || tok.Kind == markup.EndTag {
			fmt.Fprint(&got, " "+markup.Name(text, tok.At))
		}
		got.WriteString(tok.Data + "\n")
	}
	want := `4"<!DOCTYPE html>"html
1"<P CLASS='Quay &amp; co' id=b id=c hidden>" class="Quay & co" at "Quay &amp; co" in "CLASS='Quay &amp; co'" id="b" at "b" in "id=b" id="c" at "c" in "id=c" hidden="" at "" in "hidden" (3) p
3"<!-- x -->"
1"<script>" (0) script
0"a < b"
2"</script>" script
2"</p>" p
0"y"
5"<b c=\"d"
`
	if got.String() != want {
		t.Errorf("got\n%s\nwant\n%s", got.String(), want)
	}
}

func TestReferences(t *testing.T) {
	for _, c := range [][2]string{
		{"a.css?v=1&copy=2", "a.css?v=1&copy=2"}, {"?a&copy;=1", "?a©=1"}, {"a&amp;b", "a&b"}, {"&lt", "<"}, {"&ltb", "&ltb"}, {"&notin;", "∉"}, {"&notit;", "&notit;"},
		{"&#65;&#x42;&#67", "ABC"}, {"&", "&"}, {"&;", "&;"}, {"&semi;", ";"}, {"&lt&gt", "<>"}, {"&amp=1", "&amp=1"}, {"&amp 1", "& 1"},
	} {
		tag := "<a b=\"" + c[0] + "\">"
		if got := markup.Attributes(tag, markup.Span{End: len(tag)})[0].Value; got != c[1] {
			t.Errorf("%s reads %q, want %q", c[0], got, c[1])
		}
	}
}

// FuzzTokens checks that tokens cover the text without gaps, and that
// attributes equal those of the tokenizer.
func FuzzTokens(f *testing.F) {
	for _, seed := range []string{"<a b=c>", "<p class='x y' id=\"z\">t</p>", "<a/b/c = 'd'e>", "<a =b>",
		"<script>//<b c></script>", "<A B=C b=d>", "<a b=&lt;>", "<!x><?y><a", "<a b='\r\n'>", "<a b='&lt;&ltb=&copy&#65&#x;&notin;&notit;&semi;&am'>"} {
		f.Add(seed)
	}
	f.Fuzz(func(t *testing.T, text string) {
		end := 0
		z := html.NewTokenizer(strings.NewReader(text))
		for tok := range markup.Tokens(text, markup.Span{End: len(text)}) {
			if tok.At.Start != end {
				t.Fatalf("a gap at %d", end)
			}
			end = tok.At.End
			z.Next()
			if tok.Kind != markup.StartTag {
				continue
			}
			name, more := z.TagName()
			if got := markup.Name(text, tok.At); got != string(name) && !strings.ContainsAny(text, "\x00\r") {
				t.Errorf("%q: the tag is %q, want %q", text, got, name)
			}
			var want, got []string
			for more {
				var key, value []byte
				key, value, more = z.TagAttr()
				want = append(want, string(key)+"="+string(value))
			}
			for _, a := range markup.Attributes(text, tok.At) {
				got = append(got, a.Name+"="+a.Value)
			}
			// The tokenizer converts line ends and NUL, and keeps non-ASCII
			// capitals.
			if fmt.Sprintf("%q", got) != fmt.Sprintf("%q", want) && !strings.ContainsAny(text, "\x00\r") && isASCII(text) {
				t.Errorf("%q: got %q, want %q", text, got, want)
			}
		}
		if end != len(text) {
			t.Errorf("the tokens end at %d of %d", end, len(text))
		}
	})
}

func isASCII(text string) bool {
	return !strings.ContainsFunc(text, func(r rune) bool { return r >= 0x80 })
}
