package purge

import "strings"

// This file knows the marks with which template languages insert values.

// marks are pairs of template marks; of those with the same start, the longer
// first.
var marks = []struct{ open, close string }{
	{"{{", "}}"}, {"{%", "%}"}, {"<%", "%>"}, {"<?", "?>"}, {"${", "}"}, {"#{", "}"}, {"[[", "]]"},
}

// markStarts are the first characters of marks.
const markStarts = "{<$#["

// markAt returns the end of the template mark at the start of a text, and its
// contents. end is 0 if there is none.
func markAt(text string) (inside string, end int) {
	if text == "" || strings.IndexByte(markStarts, text[0]) < 0 {
		return "", 0
	}
	for _, m := range marks {
		rest, ok := strings.CutPrefix(text, m.open)
		if !ok {
			continue
		}
		const most = 2000 // maximum length of a mark in bytes
		i := strings.Index(rest[:min(len(rest), most)], m.close)
		if i < 0 {
			return "", 0
		}
		return rest[:i], len(m.open) + i + len(m.close)
	}
	return "", 0
}

// braceAt is markAt for a name or expression in single braces, as in
// components.
func braceAt(text string) (inside string, end int) {
	if text == "" || text[0] != '{' {
		return "", 0
	}
	i := strings.IndexAny(text[1:], "{};\n")
	if i < 1 || text[1+i] != '}' {
		return "", 0
	}
	return text[1 : 1+i], i + 2
}
