package graph

import (
	"path"
	"strings"

	"rinzel/internal/cache"
	"rinzel/internal/script"
	"rinzel/internal/source"
)

// ScriptFile is a parsed script.
type ScriptFile struct {
	File    *source.File
	Imports []script.Import
	// Paths are literals, and words in literals, that may be paths of files or
	// folders, except specifiers of imports.
	Paths []Literal
	// Words are single-word literals, such as a file name without its
	// extension.
	Words []Literal
	// Built are names that the script builds from parts, with [script.Hole] for
	// unknown parts.
	Built []Literal
	// Map is the URL of its source map in its last comment; empty for none.
	Map Literal
	// Compiled is set if a compiler gets the script: it may be in another language,
	// and imports may have specifiers that only the compiler resolves.
	Compiled bool
}

// Literal is a string in a script.
type Literal struct {
	Text string
	At   script.Span // without its quotes
}

// Scripts are parsed scripts by path.
type Scripts = Parsed[*ScriptFile]

// NewScripts returns scripts cached in s.
func NewScripts(s *cache.Store) Scripts {
	return newParsed(s, func(f *source.File) *ScriptFile { return ReadScript(f, Span{Start: 0, End: len(f.Text)}) })
}

// ReadScript parses a part of a file, such as an inline script of a page.
// Positions are those of the file.
func ReadScript(f *source.File, part Span) *ScriptFile {
	text := f.Text[part.Start:part.End]
	out := &ScriptFile{File: f, Imports: script.Imports(text)}
	specifiers := make(map[int]bool)
	for i := range out.Imports {
		imp := &out.Imports[i]
		specifiers[imp.At.Start] = true
		imp.At = script.Span{Start: imp.At.Start + part.Start, End: imp.At.End + part.Start}
		imp.Whole = script.Span{Start: imp.Whole.Start + part.Start, End: imp.Whole.End + part.Start}
	}
	parts := make(map[int]bool) // literals that are parts of longer names
	script.Visit(text, script.Visitor{
		Part: func(offset int) { parts[offset] = true },
		Literal: func(text string, offset int) {
			if isWord(text) {
				start := offset + part.Start
				out.Words = append(out.Words, Literal{text, script.Span{Start: start, End: start + len(text)}})
			}
			if !specifiers[offset] && !parts[offset] {
				out.Paths = literals(text, offset+part.Start, true, out.Paths)
			}
		},
		Joined: func(text string, offset int) {
			out.Built = literals(text, offset+part.Start, true, out.Built)
		},
	})
	out.Map = mapComment(text)
	out.Map.At = script.Span{Start: out.Map.At.Start + part.Start, End: out.Map.At.End + part.Start}
	return out
}

// isWord reports whether a literal is a single word that may be a file name
// without its extension.
func isWord(text string) bool {
	const shortest, longest = 3, 80
	if len(text) < shortest || len(text) > longest {
		return false
	}
	return !strings.ContainsFunc(text, func(r rune) bool {
		return r <= ' ' || r < 0x80 && endsName(byte(r)) || strings.ContainsRune("./:#?&%", r)
	})
}

// mapComment returns the URL in the last comment that names a source map
// (ECMA-426, section 11.1.2.1).
func mapComment(text string) Literal {
	const mark = "//# sourceMappingURL="
	i := strings.LastIndex(text, mark)
	if i < 0 {
		return Literal{}
	}
	startsLine := i == 0 || strings.HasSuffix(strings.TrimRight(text[:i], " \t"), "\n")
	if !startsLine && strings.ContainsAny(text[i:], "\"'`") {
		return Literal{}
	}
	address, rest, _ := strings.Cut(text[i+len(mark):], "\n")
	if strings.TrimSpace(rest) != "" {
		return Literal{}
	}
	address = strings.TrimSpace(address)
	at := i + strings.Index(text[i:], address)
	return Literal{address, script.Span{Start: at, End: at + len(address)}}
}

// IsStyle reports whether an import is that of a style sheet: by its name, or
// by its type attribute (HTML, section 8.1.6.6).
func IsStyle(imp script.Import) bool {
	if imp.Type != "" {
		return imp.Type == "css"
	}
	name, _, _ := strings.Cut(imp.Specifier, "?")
	name, _, _ = strings.Cut(name, "#")
	return strings.EqualFold(path.Ext(name), ".css")
}
