package serve

import (
	"bytes"
	"slices"
	"unicode/utf8"

	"rinzel/internal/markup"
)

// inject returns a page with the client script. sum identifies the snapshot, so
// that the client can ask for later ones. The script is the first one of the
// page, and does not delay it.
func inject(page []byte, sum string) []byte {
	tag := []byte(`<script src="` + ownPrefix + clientName + `" data-sum="` + sum + `" async></script>`)
	at := 0
	switch {
	case bytes.HasPrefix(page, []byte("\xff\xfe")):
		at, tag = 2*injectionPoint(narrow(page, 0)), wide(tag, 0)
	case bytes.HasPrefix(page, []byte("\xfe\xff")):
		at, tag = 2*injectionPoint(narrow(page, 1)), wide(tag, 1)
	default:
		at = injectionPoint(string(page))
	}
	return slices.Insert(slices.Clone(page), at, tag...)
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
// before the doctype would change the mode of the page.
func injectionPoint(text string) int {
	at := 0
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
				return t.At.End
			}
		case markup.Text:
			if isBlank(text[t.At.Start:t.At.End]) {
				continue
			}
		}
		return at
	}
	return at
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
