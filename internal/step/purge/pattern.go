package purge

import (
	"strings"
	"sync"

	"rinzel/internal/script"
	"rinzel/internal/source"
)

// This file judges names by patterns: what is known of names that scripts and templates make of
// several parts.

// hole stands in a pattern for a part that is not known.
const hole = string(script.Hole)

// patternIndex finds the patterns that may match a name.
type patternIndex struct {
	once   sync.Once
	starts map[string][]string // patterns by what stands before their first hole
	ends   map[string][]string // those that start with a hole, by what stands after their last
	others []string            // those with holes on both sides
	words  map[string]bool     // of the evidence, in lower case: what may fill a hole
}

// strong reports whether the known parts of a pattern say enough to keep all names that it
// matches, whatever fills its holes: three letters or digits in all, or a part that ends in a
// hyphen or underscore at a hole, as "p-" in "p-" + n.
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

// hasWeakPattern reports whether there are patterns whose holes only words of the evidence fill.
func (e *Evidence) hasWeakPattern() bool {
	for p := range e.patterns {
		if !strong(p) {
			return true
		}
	}
	return false
}

func isAlnum(c byte) bool {
	return 'a' <= c|0x20 && c|0x20 <= 'z' || '0' <= c && c <= '9' || c >= 0x80
}

func isSeparator(c byte) bool { return c == '-' || c == '_' }

// useful reports whether a pattern says anything at all of names.
func useful(pattern string) bool {
	return strings.Trim(pattern, hole) != "" && strings.Contains(pattern, hole)
}

// byPattern returns why a name may be made of parts.
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

// indexPatterns makes the index.
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

// fits reports whether a name is made of parts with something between them, or nothing. If the
// parts do not say enough, what is between must be words of the evidence or numbers.
func (e *Evidence) fits(name string, parts []string, anything bool) bool {
	if !strings.HasPrefix(name, parts[0]) {
		return false
	}
	rest := name[len(parts[0]):]
	if len(parts) == 2 {
		filler, ok := strings.CutSuffix(rest, parts[1])
		return ok && (anything || e.fillsHole(filler))
	}
	if anything { // the first place of each part is as good as any
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

// fillsHole reports whether a text may be what a script puts into a name of which little is
// known: nothing, a number, or words of the evidence with hyphens or underscores between them.
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

func isNumber(s string) bool { return strings.Trim(s, "0123456789") == "" }
