package purge

import (
	"strings"
	"sync"

	"rinzel/internal/script"
	"rinzel/internal/source"
)

// This file matches names against patterns: partial knowledge about names that
// scripts and templates build from parts.

// hole is the unknown part of a pattern.
const hole = string(script.Hole)

// patternIndex finds the patterns that may match a name.
type patternIndex struct {
	once   sync.Once
	starts map[string][]string // patterns by their text before the first hole
	ends   map[string][]string // those that start with a hole, by their text after the last hole
	others []string            // those with holes at both ends
	words  map[string]bool     // words of the evidence in lower case, which may fill a hole
}

// strong reports whether a pattern is specific enough to keep all names that it
// matches, whatever fills its holes: it has three letters or digits in total,
// or a part that ends in a hyphen or underscore at a hole, such as "p-" in "p-"
// + n.
func strong(pattern string) bool {
	const enough = 3
	count := 0
	parts := strings.Split(pattern, hole)
	for i, part := range parts {
		letters := 0
		for k := 0; k < len(part); k++ {
			if isAlnum(part[k]) {
				letters++
			}
		}
		count += letters
		if letters == 0 {
			continue
		}
		if i < len(parts)-1 && isSeparator(part[len(part)-1]) || i > 0 && isSeparator(part[0]) {
			return true
		}
	}
	return count >= enough
}

// hasWeakPattern reports whether there are patterns whose holes can only be
// filled by words of the evidence.
func (e *Evidence) hasWeakPattern() bool {
	for p := range e.patterns {
		if !strong(p) {
			return true
		}
	}
	return false
}

// isAlnum reports whether c is an ASCII letter or digit.
func isAlnum(c byte) bool {
	return 'a' <= c|0x20 && c|0x20 <= 'z' || '0' <= c && c <= '9' || c >= 0x80
}

// isSeparator reports whether c separates the words of a name.
func isSeparator(c byte) bool { return c == '-' || c == '_' }

// useful reports whether a pattern says anything about names.
func useful(pattern string) bool {
	return strings.Trim(pattern, hole) != "" && strings.Contains(pattern, hole)
}

// byPattern returns why a name may be built from parts.
func (e *Evidence) byPattern(name string) (Use, bool) {
	if len(e.patterns) == 0 {
		return Use{}, false
	}
	x := &e.index
	x.once.Do(e.indexPatterns)
	try := func(list []string) (Use, bool) {
		for _, p := range list {
			if parts := strings.Split(p, hole); e.fits(name, parts, strong(p)) {
				return Use{Joined, e.patterns[p], strings.ReplaceAll(p, hole, "*")}, true
			}
		}
		return Use{}, false
	}
	for i := 1; i <= len(name); i++ {
		if use, ok := try(x.starts[name[:i]]); ok {
			return use, true
		}
	}
	for i := len(name) - 1; i >= 0; i-- {
		if use, ok := try(x.ends[name[i:]]); ok {
			return use, true
		}
	}
	return try(x.others)
}

// indexPatterns builds the index.
func (e *Evidence) indexPatterns() {
	x := &e.index
	x.starts, x.ends = make(map[string][]string), make(map[string][]string)
	weak := false
	for _, p := range sortedKeys(e.patterns) {
		first, last := strings.Index(p, hole), strings.LastIndex(p, hole)+len(hole)
		switch {
		case first > 0:
			x.starts[p[:first]] = append(x.starts[p[:first]], p)
		case last < len(p):
			x.ends[p[last:]] = append(x.ends[p[last:]], p)
		default:
			x.others = append(x.others, p)
		}
		weak = weak || !strong(p)
	}
	if !weak {
		return
	}
	x.words = make(map[string]bool, len(e.words))
	for _, m := range []map[string]source.Pos{e.words, e.classes, e.ids, e.elements} {
		for name := range m {
			x.words[strings.ToLower(name)] = true
		}
	}
	for name := range e.attrs {
		x.words[name] = true
	}
}

// fits reports whether a name consists of parts with something, or nothing,
// between them. Unless anything is set, only words of the evidence and numbers
// may be between them.
func (e *Evidence) fits(name string, parts []string, anything bool) bool {
	if !strings.HasPrefix(name, parts[0]) {
		return false
	}
	rest := name[len(parts[0]):]
	if len(parts) == 2 {
		filler, ok := strings.CutSuffix(rest, parts[1])
		return ok && (anything || e.fillsHole(filler))
	}
	if anything { // it is sufficient to try the first position of each part
		for _, part := range parts[1 : len(parts)-1] {
			i := strings.Index(rest, part)
			if i < 0 {
				return false
			}
			rest = rest[i+len(part):]
		}
		return strings.HasSuffix(rest, parts[len(parts)-1])
	}
	for from := 0; ; {
		i := strings.Index(rest[from:], parts[1])
		if i < 0 {
			return false
		}
		i += from
		if e.fillsHole(rest[:i]) && e.fits(rest[i:], parts[1:], false) {
			return true
		}
		if from = i + 1; from > len(rest) {
			return false
		}
	}
}

// fillsHole reports whether a text may fill a hole of a weak pattern: nothing,
// a number, or words of the evidence joined by hyphens or underscores.
func (e *Evidence) fillsHole(text string) bool {
	if text == "" || e.index.words[strings.ToLower(text)] {
		return true
	}
	for _, word := range strings.FieldsFunc(text, func(r rune) bool { return r == '-' || r == '_' }) {
		if !isNumber(word) && !e.index.words[strings.ToLower(word)] {
			return false
		}
	}
	return strings.Trim(text, "-_") != ""
}

// isNumber reports whether s consists of digits.
func isNumber(s string) bool { return strings.Trim(s, "0123456789") == "" }
