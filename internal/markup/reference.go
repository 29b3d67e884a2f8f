package markup

import (
	"strings"

	"golang.org/x/net/html"
)

// unescape returns the value of an attribute with its character references
// decoded. A named reference without a semicolon before a letter, a digit or an
// equals sign is not one: ?a=1&copy=2 is a URL (HTML, section 13.2.5.73).
func unescape(text string) string {
	amp := strings.IndexByte(text, '&')
	if amp < 0 {
		return text
	}
	var b strings.Builder
	for amp >= 0 {
		b.WriteString(text[:amp])
		text = text[amp:]
		n := referenceLen(text)
		if n == 0 {
			n = 1
			b.WriteByte('&')
		} else {
			b.WriteString(html.UnescapeString(text[:n]))
		}
		text = text[n:]
		amp = strings.IndexByte(text, '&')
	}
	b.WriteString(text)
	return b.String()
}

// referenceLen returns the length of the character reference at the start of
// text; 0 if there is none.
func referenceLen(text string) int {
	n := 1
	if strings.HasPrefix(text, "&#") {
		for n = 2; n < len(text) && isAlnum(text[n]); n++ {
		}
		return len(text[:n]) + len(semicolon(text[n:]))
	}
	for n < len(text) && isAlnum(text[n]) {
		n++
	}
	switch {
	case n == 1:
		return 0
	case semicolon(text[n:]) != "":
		whole := html.UnescapeString(text[:n+1])
		if whole != ";" && strings.HasSuffix(whole, ";") {
			return 0 // the name does not exist, though a prefix of it may
		}
		return n + 1
	case n < len(text) && text[n] == '=':
		return 0
	case html.UnescapeString(text[:n]) == html.UnescapeString(text[:n-1])+text[n-1:n]:
		return 0 // likewise
	}
	return n
}

// semicolon returns the semicolon at the start of a text, or "".
func semicolon(text string) string {
	if strings.HasPrefix(text, ";") {
		return ";"
	}
	return ""
}

// isAlnum reports whether c is an ASCII letter or digit.
func isAlnum(c byte) bool {
	return 'a' <= c|0x20 && c|0x20 <= 'z' || '0' <= c && c <= '9'
}
