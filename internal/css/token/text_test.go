package token

import "testing"

func TestUnescape(t *testing.T) {
	for raw, want := range map[string]string{
		`plain`: "plain", `\61 b`: "ab", `\000061b`: "ab", `\61  b`: "a b", "\\61\r\nb": "ab", `\{`: "{", `\é`: "é",
		`\0`: "\uFFFD", `\d800`: "\uFFFD", `\110000`: "\uFFFD", "a\x00": "a\uFFFD", `a\`: "a\uFFFD", `\1F600`: "😀",
	} {
		if got := Unescape(raw); got != want {
			t.Errorf("Unescape(%q) = %q, want %q", raw, got, want)
		}
	}
}

func TestValues(t *testing.T) {
	for raw, want := range map[string]string{`"a"`: "a", `'a\'b'`: "a'b", "\"a\\\nb\"": "ab", "\"a\\\r\nb\"": "ab",
		`"`: "", `"a`: "a", `"\""`: `"`} {
		if got := StringValue(raw); got != want {
			t.Errorf("StringValue(%q) = %q, want %q", raw, got, want)
		}
	}
	for raw, want := range map[string]string{`url(a)`: "a", `URL(  a\)b  )`: "a)b", `url()`: "", `u\72l(x)`: "x"} {
		if got := URLValue(raw); got != want {
			t.Errorf("URLValue(%q) = %q, want %q", raw, got, want)
		}
	}
}

// TestWritten checks that serialized names and strings mean the same when
// scanned again.
func TestWritten(t *testing.T) {
	for _, s := range []string{"a", "-", "--", "-1", "1a", "a b", "é😀", "a:b/c", "\x01", "\x7f", `"'\`, "a\nb",
		"\t", "", "0", "-a", "_"} {
		if got := StringValue(Quote(s)); got != s {
			t.Errorf("Quote(%q) = %s, read as %q", s, Quote(s), got)
		}
		if s == "" {
			continue
		}
		if got := Unescape(EscapeName(s)); got != s {
			t.Errorf("EscapeName(%q) = %s, read as %q", s, EscapeName(s), got)
		}
	}
	if got := Quote(`say "x"`); got != `'say "x"'` {
		t.Errorf("got %s", got)
	}
}

func TestNumberLen(t *testing.T) {
	for s, want := range map[string]int{
		"1": 1, "1.5": 3, "1.": 1, ".5": 2, "+.5": 3, "-1e3": 4, "1e": 1, "1e+": 1, "1e+2x": 4, "1E-2": 4, "x": 0, "+": 0, ".": 0, "-.": 0, "": 0, "1.5.6": 3,
	} {
		if got := NumberLen(s); got != want {
			t.Errorf("NumberLen(%q) = %d, want %d", s, got, want)
		}
	}
}

func TestCase(t *testing.T) {
	for _, name := range []string{"", "URL", `\75rl`, "urls", "ur", "ürl", "ur\x00", "\x00d", `ur\fffd`, `\6c`, `ur\6c`, `url\73`, `\55\52\4c`} {
		for _, want := range []string{"", "url", "ur\ufffd", "\ufffdd", "urls"} {
			if got := EqualFold(name, want); got != (Lower(name) == want) {
				t.Errorf("EqualFold(%q, %q) = %t", name, want, got)
			}
		}
		if !Same(name, Unescape(name)) || !Same(Unescape(name), name) || Same(name, name+"x") {
			t.Errorf("Same and %q", name)
		}
	}
	if got := Lower(`A\42 É`); got != "abÉ" {
		t.Errorf("Lower gave %q", got)
	}
	if PlainURL("") || PlainURL("a b") || PlainURL("a'") || !PlainURL("a/é.svg#x") {
		t.Error("PlainURL")
	}
}
