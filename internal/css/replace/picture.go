package replace

import (
	"strings"

	"rinzel/internal/css/ast"
	"rinzel/internal/css/token"
	"rinzel/internal/css/value"
)

// This file finds colours in SVG pictures that are embedded in a sheet, such as
// icons in the colour of a library.

// picture replaces the colours of an SVG picture in a data: URL. Only colours
// in hexadecimal notation are found, and only replaced if the new colour can be
// written that way.
func (s *Set) picture(v *ast.Value, at usage) (with ast.Value, changed bool) {
	if v.Kind != token.URL && v.Kind != token.String {
		return *v, false
	}
	text := EachPictureColor(v, func(c *ast.Value) string {
		new, took := s.replacement([]ast.Value{*c}, at)
		if took == 0 || len(new) != 1 {
			return ""
		}
		known, ok := value.ColorOf(&new[0])
		if !ok {
			return ""
		}
		hex, ok := known.Hex()
		if was, _ := value.ColorOf(c); !ok || colorKey(was) == colorKey(known) {
			return ""
		}
		return hex[1:]
	})
	if text == v.Text {
		return *v, false
	}
	with = *v
	with.Text = text
	return with, true
}

// EachPictureColor calls with for each colour in hexadecimal notation in an SVG
// picture in a data: URL. It returns the text of v with the digits that with
// returns in place of the existing ones; "" leaves them unchanged.
func EachPictureColor(v *ast.Value, with func(*ast.Value) string) string {
	text := v.Text
	if v.Kind != token.URL && v.Kind != token.String ||
		!strings.Contains(token.Lower(text[:min(len(text), 32)]), "data:image/svg+xml") {
		return text
	}
	var out strings.Builder
	for {
		at, size := hash(text)
		if at < 0 {
			break
		}
		end := at + size
		for end < len(text) && token.IsHex(text[end]) {
			end++
		}
		digits := text[at+size : end]
		out.WriteString(text[:at+size])
		if n := len(digits); n != 3 && n != 6 || end < len(text) && isWordByte(text[end]) {
			out.WriteString(digits)
		} else if put := with(&ast.Value{Kind: token.Hash, Text: "#" + digits, Pos: v.Pos}); put != "" {
			out.WriteString(put)
		} else {
			out.WriteString(digits)
		}
		text = text[end:]
	}
	if out.Len() == 0 {
		return text
	}
	return out.String() + text
}

// hash returns the index of the next number sign and its encoded size in bytes;
// -1 if there is none.
func hash(text string) (at, size int) {
	plain, escaped := strings.IndexByte(text, '#'), strings.Index(text, "%23")
	if escaped >= 0 && (plain < 0 || escaped < plain) {
		return escaped, len("%23")
	}
	return plain, 1
}

// isWordByte reports whether c can continue a word.
func isWordByte(c byte) bool {
	return c == '-' || c == '_' || c >= '0' && c <= '9' || c|0x20 >= 'a' && c|0x20 <= 'z'
}
