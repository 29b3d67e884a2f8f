package graph

import (
	"path"
	"strings"

	"rinzel/internal/markup"
	"rinzel/internal/script"
)

// This file finds possible file names in texts of all kinds: attributes, script
// literals, JSON, SVG. It does not check whether the files exist.

// Mention is a text of a page that may contain file names and is not rewritten.
type Mention struct {
	Text string
	At   Span
	// Whole is set if the whole text may be one name; it may contain others as
	// well.
	Whole bool
}

// maxName limits the length of a path.
const maxName = 1024

// FileNames calls visit with each part of a text that may be a file name, and
// its offset: the whole text, and each part between white space, quotes and
// brackets that looks like a name.
func FileNames(text string, whole bool, visit func(name string, offset int)) {
	trimmed := strings.TrimSpace(text)
	if whole && mayNameFile(trimmed) {
		visit(trimmed, strings.Index(text, trimmed))
	}
	start := -1
	for i := 0; i <= len(text); i++ {
		if i < len(text) && !endsName(text[i]) {
			if start < 0 {
				start = i
			}
			continue
		}
		if start >= 0 {
			word := strings.TrimRight(text[start:i], ".:!")
			if (word != trimmed || !whole) && mayNameFile(word) {
				visit(word, start)
			}
			start = -1
		}
	}
}

// endsName reports whether a byte separates file names in a text.
func endsName(c byte) bool {
	return c <= ' ' || strings.IndexByte("\"'`()<>{}[],;=|\\*", c) >= 0
}

// mayNameFile reports whether a text looks like a path: it has a dot or a
// slash, and no character that URLs cannot contain.
func mayNameFile(text string) bool {
	if len(text) < 3 || len(text) > maxName || !strings.ContainsAny(text, "./") || strings.ContainsAny(text, "\n<>") {
		return false
	}
	name := text
	if i := strings.IndexAny(name, "?#"); i >= 0 {
		name = name[:i]
	}
	if strings.Contains(name, "/") {
		return strings.Trim(name, "./") != ""
	}
	const longest = 12
	ext := path.Ext(name)
	return len(ext) > 1 && len(ext) <= longest && len(ext) < len(name)
}

// mention records a text of the page that may contain file names.
func (r *pageReader) mention(text string, at Span, whole bool) {
	if strings.ContainsAny(text, "./") && !strings.HasPrefix(text, "data:") {
		r.page.Mentions = append(r.page.Mentions, Mention{text, at, whole})
	}
}

// literals returns the literals of a script that may be file names.
func literals(text string, offset int, whole bool, out []Literal) []Literal {
	FileNames(text, whole, func(name string, at int) {
		start := offset + at
		out = append(out, Literal{name, script.Span{Start: start, End: start + len(name)}})
	})
	return out
}

// srcsetURLs calls visit with the URLs of a list of image candidates, and their
// offsets (HTML, section 4.8.4.2.2: parsing a srcset attribute).
func srcsetURLs(text string, visit func(address string, offset int)) {
	space := func(c byte) bool { return markup.IsSpace(c) }
	for i := 0; i < len(text); {
		for i < len(text) && (space(text[i]) || text[i] == ',') {
			i++
		}
		start := i
		for i < len(text) && !space(text[i]) {
			i++
		}
		if start == i {
			return
		}
		address := text[start:i]
		if trimmed := strings.TrimRight(address, ","); trimmed != address {
			visit(trimmed, start)
			continue // it has no descriptors
		}
		visit(address, start)
		for depth := 0; i < len(text); i++ { // its descriptors
			switch text[i] {
			case '(':
				depth++
			case ')':
				depth = max(0, depth-1)
			}
			if text[i] == ',' && depth == 0 {
				break
			}
		}
	}
}
