package serve

import (
	"bytes"
	"fmt"
	"html"
	"slices"
	"strings"
	"unicode/utf8"

	"rinzel/internal/markup"
)

// inject returns a page with the client script. The script is the first one of
// the page, and does not delay it. sum and urlPath are those of [clientTag].
func inject(page []byte, sum, urlPath string) []byte {
	tag := clientTag(sum, urlPath, "")
	at := 0
	switch {
	case bytes.HasPrefix(page, []byte("\xff\xfe")):
		at, _ = injectionPoint(narrow(page, 0))
		at, tag = 2*at, wide(tag, 0)
	case bytes.HasPrefix(page, []byte("\xfe\xff")):
		at, _ = injectionPoint(narrow(page, 1))
		at, tag = 2*at, wide(tag, 1)
	default:
		at, _ = injectionPoint(string(page))
	}
	return slices.Insert(slices.Clone(page), at, tag...)
}

// clientTag returns the element of the client script. sum identifies the
// snapshot, so that the client can ask for later ones. urlPath is the path of
// the page, which updates mention when it changes; empty for a page of another
// server. nonce, if not empty, is that of the content security policy.
func clientTag(sum, urlPath, nonce string) []byte {
	tag := `<script src="` + ownPrefix + clientName + `" data-sum="` + sum + `"`
	if urlPath != "" {
		tag += ` data-page="` + escapeASCII(urlPath) + `"`
	}
	if nonce != "" {
		tag += ` nonce="` + nonce + `"`
	}
	return []byte(tag + ` async></script>`)
}

// escapeASCII escapes a text for an attribute of a page in any encoding.
func escapeASCII(text string) string {
	var b strings.Builder
	for _, r := range html.EscapeString(text) {
		if r < utf8.RuneSelf {
			b.WriteByte(byte(r))
		} else {
			fmt.Fprintf(&b, "&#%d;", r)
		}
	}
	return b.String()
}

// narrow returns a text in UTF-16 with one byte for each code unit: ASCII
// characters as they are, others as a letter, and the byte order mark as a
// space. low is the index of the low byte in a code unit.
func narrow(page []byte, low int) string {
	out := make([]byte, len(page)/2)
	for i := range out {
		switch c := page[2*i+low]; {
		case i == 0:
			out[i] = ' '
		case page[2*i+1-low] == 0 && c < utf8.RuneSelf:
			out[i] = c
		default:
			out[i] = 'x'
		}
	}
	return string(out)
}

// wide returns an ASCII text in UTF-16. low is the index of the low byte in a
// code unit.
func wide(text []byte, low int) []byte {
	out := make([]byte, 2*len(text))
	for i, c := range text {
		out[2*i+low] = c
	}
	return out
}

// injectionPoint returns the offset for a script: after the start tags of html
// and head. A script before them would be moved there by browsers, but one
// before the doctype would change the mode of the page. ok is false if more
// text may change the offset.
func injectionPoint(text string) (at int, ok bool) {
	for t := range markup.Tokens(text, markup.Span{End: len(text)}) {
		switch t.Kind {
		case markup.Doctype, markup.Comment:
			at = t.At.End
			continue
		case markup.StartTag:
			switch markup.Name(text, t.At) {
			case "html":
				at = t.At.End
				continue
			case "head":
				return t.At.End, true
			}
		case markup.Text:
			// Text at the end may be the start of a tag.
			if t.At.End == len(text) || isBlank(text[t.At.Start:t.At.End]) {
				continue
			}
		case markup.Rest:
			return at, false
		}
		return at, true
	}
	return at, false
}

// isBlank reports whether a text is white space, or a byte order mark.
func isBlank(text string) bool {
	for _, r := range text {
		switch r {
		case ' ', '\t', '\n', '\r', '\f', '\ufeff':
		default:
			return false
		}
	}
	return true
}
