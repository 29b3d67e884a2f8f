package token

import (
	"strconv"
	"strings"
	"unicode/utf8"
)

// IsNameStart reports whether c can start an identifier. Every byte of a
// non-ASCII character can, and so can NUL, which stands for U+FFFD.
func IsNameStart(c byte) bool {
	return c >= utf8.RuneSelf || 'a' <= c|0x20 && c|0x20 <= 'z' || c == '_' || c == 0
}

// IsName reports whether c can continue an identifier.
func IsName(c byte) bool { return IsNameStart(c) || IsDigit(c) || c == '-' }

// IsDigit reports whether c is an ASCII digit.
func IsDigit(c byte) bool { return '0' <= c && c <= '9' }

// IsSpace reports whether c is CSS white space. Carriage return and form feed
// count as line feeds (CSS Syntax Level 3, section 3.3).
func IsSpace(c byte) bool { return c == ' ' || '\t' <= c && c <= '\r' && c != '\v' }

// IsHex reports whether c is a hexadecimal digit.
func IsHex(c byte) bool { return IsDigit(c) || 'a' <= c|0x20 && c|0x20 <= 'f' }

// EscapeLen returns the length of the escape at the start of s, which must
// start with a backslash that no line end follows.
func EscapeLen(s string) int {
	n := 1
	for n < len(s) && n <= 6 && IsHex(s[n]) {
		n++
	}
	switch {
	case n == 1 && len(s) > 1:
		_, size := utf8.DecodeRuneInString(s[1:])
		return 1 + size
	case n > 1 && n+1 < len(s) && s[n] == '\r' && s[n+1] == '\n':
		return n + 2
	case n > 1 && n < len(s) && IsSpace(s[n]):
		return n + 1
	}
	return n
}

// Unescape returns the name that raw represents: escapes are decoded and NUL
// becomes U+FFFD. Most names have neither and are returned unchanged.
func Unescape(raw string) string {
	if !escaped(raw) {
		return raw
	}
	var b strings.Builder
	for i := 0; i < len(raw); {
		switch c := raw[i]; {
		case c == 0:
			b.WriteRune(utf8.RuneError)
			i++
		case c != '\\':
			b.WriteByte(c)
			i++
		case i+1 < len(raw) && isLineEnd(raw[i+1]): // in a string: a line continuation
			i += 2
			if raw[i-1] == '\r' && i < len(raw) && raw[i] == '\n' {
				i++
			}
		default:
			n := EscapeLen(raw[i:])
			b.WriteString(decodeEscape(raw[i : i+n]))
			i += n
		}
	}
	return b.String()
}

// isLineEnd reports whether c ends a line.
func isLineEnd(c byte) bool { return c == '\n' || c == '\r' || c == '\f' }

// decodeEscape returns the character of one escape.
func decodeEscape(esc string) string {
	if len(esc) == 1 { // the file ended
		return string(utf8.RuneError)
	}
	if !IsHex(esc[1]) {
		if esc[1] == 0 {
			return string(utf8.RuneError)
		}
		return esc[1:]
	}
	n, _ := strconv.ParseUint(strings.TrimRight(esc[1:], " \t\r\n\f"), 16, 32)
	if n == 0 || n > utf8.MaxRune || 0xD800 <= n && n <= 0xDFFF {
		return string(utf8.RuneError)
	}
	return string(rune(n))
}

// StringValue returns the text that a string token represents.
func StringValue(raw string) string {
	quote := raw[0]
	raw = raw[1:]
	if n := len(raw); n > 0 && raw[n-1] == quote {
		raw = raw[:n-1] // an escaped quote cannot end a closed string
	}
	return Unescape(raw)
}

// URLValue returns the URL that a URL token represents.
func URLValue(raw string) string {
	raw = raw[strings.IndexByte(raw, '(')+1:]
	return Unescape(strings.Trim(strings.TrimSuffix(raw, ")"), " \t\r\n\f"))
}

// EscapeName returns name as an identifier (CSSOM, section 2.1, "serialize an
// identifier").
func EscapeName(name string) string {
	clean := name != "" && name != "-"
	for i := 0; clean && i < len(name); i++ {
		c := name[i]
		clean = IsName(c) && c != 0 && !(IsDigit(c) && (i == 0 || i == 1 && name[0] == '-'))
	}
	if clean {
		return name
	}
	var b strings.Builder
	for i := 0; i < len(name); i++ {
		switch c := name[i]; {
		case c == 0:
			b.WriteRune(utf8.RuneError)
		case c < ' ' || c == 0x7f || IsDigit(c) && (i == 0 || i == 1 && name[0] == '-'):
			b.WriteString(`\` + strconv.FormatUint(uint64(c), 16) + " ")
		case !IsName(c) || name == "-":
			b.WriteByte('\\')
			b.WriteByte(c)
		default:
			b.WriteByte(c)
		}
	}
	return b.String()
}

// Quote returns s as a string token in double quotes, or in single quotes if
// that needs fewer escapes.
func Quote(s string) string {
	quote := byte('"')
	if strings.Count(s, `"`) > strings.Count(s, `'`) {
		quote = '\''
	}
	var b strings.Builder
	b.Grow(len(s) + 2)
	b.WriteByte(quote)
	for i := 0; i < len(s); i++ {
		switch c := s[i]; {
		case c == 0:
			b.WriteRune(utf8.RuneError)
		case c == quote || c == '\\':
			b.WriteByte('\\')
			b.WriteByte(c)
		case c < ' ' && c != '\t' || c == 0x7f:
			b.WriteString(`\` + strconv.FormatUint(uint64(c), 16) + " ")
		default:
			b.WriteByte(c)
		}
	}
	b.WriteByte(quote)
	return b.String()
}

// PlainURL reports whether address can be written in url() without quotes.
func PlainURL(address string) bool {
	for i := 0; i < len(address); i++ {
		switch c := address[i]; {
		case c <= ' ', c == 0x7f, c == '"', c == '\'', c == '(', c == ')', c == '\\':
			return false
		}
	}
	return address != ""
}

// EqualFold reports whether name, as written in the source, is the lower-case
// name want. Properties, at-rules, functions and units are compared this way
// (CSS Values 4, section 2.4): ASCII letters in either case, escapes decoded.
func EqualFold(name, want string) bool {
	for i := 0; i < len(name); i++ {
		c := name[i]
		if c == '\\' || c == 0 {
			return Lower(name[i:]) == want[i:]
		}
		if 'A' <= c && c <= 'Z' {
			c |= 0x20
		}
		if i == len(want) || c != want[i] {
			return false
		}
	}
	return len(name) == len(want)
}

// Same reports whether two names, strings or other tokens, as written, mean the
// same: their escapes may be written differently.
func Same(a, b string) bool {
	return a == b || (escaped(a) || escaped(b)) && Unescape(a) == Unescape(b)
}

// escaped reports whether [Unescape] changes raw.
func escaped(raw string) bool {
	return strings.IndexByte(raw, '\\') >= 0 || strings.IndexByte(raw, 0) >= 0
}

// Lower returns the name that raw represents, with ASCII letters in lower case.
func Lower(raw string) string {
	name := Unescape(raw)
	for i := 0; i < len(name); i++ {
		if c := name[i]; 'A' <= c && c <= 'Z' {
			b := []byte(name)
			for ; i < len(b); i++ {
				if c := b[i]; 'A' <= c && c <= 'Z' {
					b[i] = c | 0x20
				}
			}
			return string(b)
		}
	}
	return name
}

// SplitVendor splits a name into its vendor prefix, with hyphens, and the rest.
// A name that starts with two hyphens has no prefix.
func SplitVendor(name string) (prefix, rest string) {
	if len(name) < 2 || name[0] != '-' || name[1] == '-' {
		return "", name
	}
	if i := strings.IndexByte(name[1:], '-'); i > 0 {
		return name[:i+2], name[i+2:]
	}
	return "", name
}

// NumberLen returns the length of the number at the start of text, according to
// CSS Syntax Level 3, section 4.3.12; 0 if there is none.
func NumberLen(text string) int {
	sign := signLen(text)
	i := sign + digitsLen(text[sign:])
	if i < len(text) && text[i] == '.' {
		if n := digitsLen(text[i+1:]); n > 0 {
			i += 1 + n
		}
	}
	if i == sign {
		return 0
	}
	if i < len(text) && text[i]|0x20 == 'e' {
		exponent := i + 1
		exponent += signLen(text[exponent:])
		if n := digitsLen(text[exponent:]); n > 0 {
			i = exponent + n
		}
	}
	return i
}

// signLen returns 1 if text starts with a sign, otherwise 0.
func signLen(text string) int {
	if text != "" && (text[0] == '+' || text[0] == '-') {
		return 1
	}
	return 0
}

// digitsLen returns the number of digits at the start of text.
func digitsLen(text string) int {
	i := 0
	for i < len(text) && IsDigit(text[i]) {
		i++
	}
	return i
}
