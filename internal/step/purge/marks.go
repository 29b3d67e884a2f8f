package purge

import "strings"

// This file knows the marks between which template languages put what they work out.

// marks are pairs of template marks; the longer ones of those that start alike first.
var marks = []struct{ open, close string }{
	{"{{", "}}"}, {"{%", "%}"}, {"<%", "%>"}, {"<?", "?>"}, {"${", "}"}, {"#{", "}"}, {"[[", "]]"},
}

// markAt returns the end of the template mark at the start of a text, and what stands in it. end is 0
// if there is none.
func markAt(text string) (inside string, end int) {
	if text == "" || !strings.ContainsRune("{<$#[", rune(text[0])) {
		return "", 0
	}
	for _, m := range marks {
		rest, ok := strings.CutPrefix(text, m.open)
		if !ok {
			continue
		}
		const most = 2000 // bytes that a mark may hold
		i := strings.Index(rest[:min(len(rest), most)], m.close)
		if i < 0 {
			return "", 0
		}
		return rest[:i], len(m.open) + i + len(m.close)
	}
	return "", 0
}

// braceAt returns the same of a name, or an expression, in single braces, as components have it.
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
