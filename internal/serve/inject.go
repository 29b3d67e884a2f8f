package serve

import (
	"slices"

	"rinzel/internal/markup"
)

// inject returns a page with the client script. sum identifies the snapshot, so
// that the client can ask for later ones. The script is the first one of the
// page, and does not delay it.
func inject(page []byte, sum string) []byte {
	tag := `<script src="` + ownPrefix + clientName + `" data-sum="` + sum + `" async></script>`
	return slices.Insert(slices.Clone(page), injectionPoint(string(page)), []byte(tag)...)
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
