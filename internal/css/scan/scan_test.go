package scan

import (
	"fmt"
	"strings"
	"testing"

	"rinzel/internal/css/csstest"
	"rinzel/internal/css/token"
)

// kinds scans src and returns its tokens as words of kind and text.
func kinds(src string, ranges bool) []string {
	s := New(src)
	s.UnicodeRanges = ranges
	var out []string
	for {
		t := s.Next()
		if t.Kind == token.EOF {
			return out
		}
		word := fmt.Sprintf("%v %s", t.Kind, t.Text(src))
		if t.Flags&token.Unclosed != 0 {
			word += " unclosed"
		}
		if t.Flags&token.ID != 0 {
			word += " id"
		}
		out = append(out, word)
	}
}

func TestTokens(t *testing.T) {
	tests := []struct {
		src  string
		want string // joined by |
	}{
		{"a-b", "identifier a-b"},
		{"--x -- -a -1 -.5 - -->", "identifier --x|identifier --|identifier -a|number -1|number -.5|delimiter -|'-->' -->"},
		{`\61 b \`, `identifier \61 b|identifier \`},
		{"é😀", "identifier é😀"},
		{"f( url( x ) url('x') u\\72l(y)", `function f(|URL url( x )|function url(|string 'x'|delimiter )|URL u\72l(y)`},
		{"url(a b) url(a\"b) url(", "malformed URL url(a b)|malformed URL url(a\"b)|URL url( unclosed"},
		{"#a #1 #-1 # #\\41", `hash #a id|hash #1|hash #-1|delimiter #|hash #\41 id`},
		{"@a @- @1 @--", "at-keyword @a|delimiter @|delimiter -|delimiter @|number 1|at-keyword @--"},
		{"1 1.5 1. .5 1e3 1e 1e- 1e+2 1% 1px 1--", "number 1|number 1.5|number 1|delimiter .|number .5|number 1e3|dimension 1e|dimension 1e-|number 1e+2|percentage 1%|dimension 1px|dimension 1--"},
		{"+1 + +.5 +a", "number +1|delimiter +|number +.5|delimiter +|identifier a"},
		{"'a\\'b' \"c\\\nd\" 'e\n", "string 'a\\'b'|string \"c\\\nd\"|unclosed string 'e"},
		{"'x", "string 'x unclosed"},
		{"/**/ /***/ /* x", "comment /**/|comment /***/|comment /* x unclosed"},
		{"<!-- <! <", "'<!--' <!--|delimiter <|delimiter !|delimiter <"},
		{"u+1", "identifier u|number +1"},
		{"\\\n", "delimiter \\"},
		{"a\x00b", "identifier a\x00b"},
	}
	for _, test := range tests {
		var got []string
		for _, word := range kinds(test.src, false) {
			if !strings.HasPrefix(word, "white space") {
				got = append(got, strings.Replace(word, "')' )", "delimiter )", 1))
			}
		}
		if got := strings.Join(got, "|"); got != test.want {
			t.Errorf("scan %q\n got %s\nwant %s", test.src, got, test.want)
		}
	}
}

func TestUnicodeRanges(t *testing.T) {
	got := strings.Join(kinds("U+26,u+0-7F,U+4??,u+1234567,u+1-g,u", true), "|")
	want := "unicode range U+26|',' ,|unicode range u+0-7F|',' ,|unicode range U+4??|',' ,|" +
		"unicode range u+123456|number 7|',' ,|unicode range u+1|identifier -g|',' ,|identifier u"
	if got != want {
		t.Errorf("got  %s\nwant %s", got, want)
	}
}

// tile checks that the tokens of src cover it without gaps.
func tile(t *testing.T, src string) {
	t.Helper()
	s := New(src)
	end := uint32(0)
	for {
		tok := s.Next()
		if tok.Start != end || tok.End < tok.Start {
			t.Fatalf("token %v at %d-%d, but the one before ended at %d in %q", tok.Kind, tok.Start, tok.End, end, src)
		}
		if tok.Kind == token.EOF {
			break
		}
		if tok.End == tok.Start {
			t.Fatalf("empty token %v at %d in %q", tok.Kind, tok.Start, src)
		}
		end = tok.End
	}
	if int(end) != len(src) {
		t.Fatalf("tokens end at %d of %d in %q", end, len(src), src)
	}
}

func TestTokensTile(t *testing.T) {
	for _, src := range csstest.All() {
		tile(t, src)
	}
}

// TestFuses checks the table of pairs against the scanner: two tokens without
// white space between them must be scanned as the same two tokens, unless Fuses
// returns true.
func TestFuses(t *testing.T) {
	var tokens []token.Token
	var texts []string
	for _, text := range strings.Split("a -a --a u f( @a @-a #a #1 'x' url(x) url(a(b) # @ + - . < / * % ! ? = | ~ ^ $ \\ 1 +1 -1 .5 -.5 1% 1px +1px -1px 1e 1e- 1E 1--x --> <!-- : ; , [ ] ( ) { } /**/", " ") {
		s := New(text)
		tok := s.Next()
		if int(tok.End) != len(text) && text != `\` {
			t.Fatalf("%q is no single token", text)
		}
		if text == `\` {
			tok.Kind = token.Delim // as at the end of a line
		}
		tokens, texts = append(tokens, tok), append(texts, text)
	}
	for i, a := range tokens {
		for j, b := range tokens {
			s := New(texts[i] + texts[j])
			first := s.Next()
			second := s.Next()
			asWritten := first.Kind == a.Kind && int(first.End) == len(texts[i]) &&
				second.Kind == b.Kind && int(second.End) == len(texts[i])+len(texts[j])
			if texts[j] == `\` {
				asWritten = true // depends on the next token
			}
			if !asWritten && !token.Fuses(a.Kind, texts[i], b.Kind, texts[j]) {
				t.Errorf("%q and %q fuse", texts[i], texts[j])
			}
		}
	}
}

func FuzzScan(f *testing.F) {
	for _, src := range csstest.All() {
		f.Add(src)
	}
	f.Fuzz(func(t *testing.T, src string) { tile(t, src) })
}

func TestScanDoesNotAllocate(t *testing.T) {
	src := csstest.Generate(1 << 16)
	allocs := testing.AllocsPerRun(5, func() {
		s := New(src)
		for s.Next().Kind != token.EOF {
		}
	})
	if allocs != 0 {
		t.Errorf("scanning allocates %v times", allocs)
	}
}

func BenchmarkScan(b *testing.B) {
	for _, size := range []int{1 << 20, 16 << 20} {
		src := csstest.Generate(size)
		b.Run(fmt.Sprintf("%dMB", size>>20), func(b *testing.B) {
			b.SetBytes(int64(len(src)))
			b.ReportAllocs()
			for b.Loop() {
				s := New(src)
				for s.Next().Kind != token.EOF {
				}
			}
		})
	}
}
