package lsp

import (
	"math/rand/v2"
	"strings"
	"testing"
	"unicode/utf16"
	"unicode/utf8"
)

// TestChanges applies 10,000 random edits, and compares the text with that of a client
// which counts in UTF-16 code units of lines.
func TestChanges(t *testing.T) {
	g := rand.New(rand.NewPCG(1, 2))
	d := document{text: "a { color: teal }\n"}
	client := utf16.Encode([]rune(d.text))
	pieces := []string{"", "x", "é", "𝒳", "\n", "\r\n", "{ top: 0 }", "/*", "日本"}
	// place returns a random position of the client, and its index in the units
	place := func() (position, int) {
		lines := [][2]int{}
		start := 0
		for i := 0; i <= len(client); i++ {
			switch {
			case i == len(client):
				lines = append(lines, [2]int{start, i})
			case client[i] == '\r' && i+1 < len(client) && client[i+1] == '\n':
				lines = append(lines, [2]int{start, i})
				i++
				start = i + 1
			case client[i] == '\n' || client[i] == '\r':
				lines = append(lines, [2]int{start, i})
				start = i + 1
			}
		}
		n := g.IntN(len(lines))
		column := g.IntN(lines[n][1] - lines[n][0] + 1)
		index := lines[n][0] + column
		if index < len(client) && utf16.IsSurrogate(rune(client[index])) && client[index] >= 0xDC00 { // inside of a pair
			index--
			column--
		}
		return position{n, column}, index
	}
	for i := range 10_000 {
		from, a := place()
		to, b := place()
		if a > b {
			from, to, a, b = to, from, b, a
		}
		text := pieces[g.IntN(len(pieces))]
		if b-a > 30 && g.IntN(4) > 0 {
			to, b = from, a
		}
		if err := d.change([]contentChange{{&textRange{from, to}, text}}); err != nil {
			t.Fatal(i, err)
		}
		client = append(append(append([]uint16{}, client[:a]...), utf16.Encode([]rune(text))...), client[b:]...)
		if want := string(utf16.Decode(client)); d.text != want {
			t.Fatalf("edit %d: %q, want %q", i, d.text, want)
		}
		offset, ok := offsetIn(d.text, from)
		if !ok || positionIn(d.text, offset) != from && text == "" && !strings.Contains(d.text, "\r") {
			t.Fatalf("edit %d: %v becomes %v", i, from, positionIn(d.text, offset))
		}
	}
	for _, bad := range []textRange{{position{99999, 0}, position{99999, 0}}, {position{-1, 0}, position{0, 0}}, {position{0, 2}, position{0, 1}}} {
		if d.change([]contentChange{{&bad, "x"}}) == nil && bad.Start.Line != 0 {
			t.Errorf("%v is in the text", bad)
		}
	}
}

// TestPlaces checks what places in sheets and pages are about. The place is at "|".
func TestPlaces(t *testing.T) {
	for _, test := range []struct {
		name, text string
		subject    subject
		word       string
	}{
		{"a.css", "a { color: const(to|) }", aConstant, "to"},
		{"a.css", "a { color: const(tone.ca|lm) }", aConstant, "tone.ca"},
		{"a.css", "a { color: var(--s|", aVariable, "--s"},
		{"a.css", "a { co|", aProperty, "co"},
		{"a.css", "a { |", aProperty, ""},
		{"a.css", "a { top: 0; le| }", aProperty, "le"},
		{"a.css", "a { color: te|al }", aValue, "te"},
		{"a.css", "a { border: 1px | }", aValue, ""},
		{"a.css", "@me|", anAtRule, "me"},
		{"a.css", "a { @ap|", anAtRule, "ap"},
		{"a.css", "a { @apply --ca|", aMixin, "--ca"},
		{"a.css", "a { @take .pad|", aClass, "pad"},
		{"a.css", ".quay .bo|at { }", aClass, "bo"},
		{"a.css", "a { & .bo|", aClass, "bo"},
		{"a.css", "@import \"css/a|", anImport, "css/a"},
		{"a.css", "/* a { co| */", nothing, ""},
		{"a.css", "a { content: \"co|\" }", nothing, ""},
		{"a.css", "@media print { a { co|", aProperty, "co"},
		{"a.css", "a { b: c } | d { }", nothing, ""},
		{"a.css", "|", nothing, ""},
		{"a.html", "<p class=\"a pad|", aClass, "pad"},
		{"a.html", "<p class=pad|ding", aClass, "pad"},
		{"a.html", "<p title=x>pad|", nothing, ""},
		{"a.js", "x.classList.add(\"wide-p|\")", aClass, "wide-p"},
		{"a.js", "const x = y|", nothing, ""},
	} {
		offset := strings.Index(test.text, "|")
		d := &document{name: test.name, text: test.text[:offset] + test.text[offset+1:]}
		if p := placeIn(d, offset); p.subject != test.subject || p.word != test.word && test.subject != nothing {
			t.Errorf("%s: %d %q, want %d %q", test.text, p.subject, p.word, test.subject, test.word)
		}
	}
}

// FuzzPlaces asks about any place in any text.
func FuzzPlaces(f *testing.F) {
	f.Add("a { color: const(tone) } .b { @take .c }", 12)
	f.Add("@import \"x", 10)
	f.Add("<p class=\"a b\">", 12)
	f.Fuzz(func(t *testing.T, text string, offset int) {
		offset = min(max(offset, 0), len(text))
		for _, name := range []string{"a.css", "a.html"} {
			p := placeIn(&document{name: name, text: text}, offset)
			if p.subject != nothing && (p.from > p.to || p.to > len(text) || p.from < 0) {
				t.Fatalf("%q at %d: %+v", text, offset, p)
			}
		}
		if !utf8.ValidString(text) || offset < len(text) && !utf8.RuneStart(text[offset]) {
			return
		}
		at := positionIn(text, offset)
		if back, ok := offsetIn(text, at); !ok || positionIn(text, back) != at {
			t.Fatalf("%q: offset %d is %v, and that is %d", text, offset, at, back)
		}
	})
}
