// Package sourcemap writes and reads source maps according to ECMA-426.
// [Builder] writes a map while the output is printed; [Read] parses one; [Move]
// updates one after edits of its output.
package sourcemap

import (
	"encoding/base64"
	"path"
	"slices"
	"strings"
	"unicode/utf8"

	"rinzel/internal/css/token"
	"rinzel/internal/source"
)

// Builder collects mappings in output order. Use [NewBuilder] to create one. It
// is not safe for concurrent use.
type Builder struct {
	files *source.Set

	buf     []byte // the encoded mappings
	sources []*source.File
	index   map[*source.File]int
	inputs  map[source.FileID]*Input
	names   []string
	nameIDs map[string]int
	current cursor // of the last mapped file
	// Fields of the last mapping, which the next one is relative to.
	line, column                  int
	source, sourceLine, sourceCol int
	name                          int
	fresh                         bool // no mapping on the line so far
	mapped                        int
}

// cursor finds the line of a position quickly if positions are nearly in order.
type cursor struct {
	file       *source.File
	input      *Input // its own map; may be nil
	line       int
	start, end uint32 // of the line; end is exclusive
	wide       bool   // columns differ from byte offsets
}

// Input is the source map of a source, which was written by another program.
type Input struct {
	Map   *Map
	Files []*source.File // the sources of the map, by index
}

// NewInput returns a map as that of a source. The addresses of its sources are
// relative to the file of, which contains the map.
func NewInput(m *Map, of *source.File) *Input {
	in := &Input{Map: m}
	files := new(source.Set)
	for _, s := range m.Sources {
		name := s.URL
		if !IsAbsolute(name) {
			name = path.Join(path.Dir(of.Name), name)
		}
		in.Files = append(in.Files, files.Add(source.Path{Root: of.Path.Root, Name: name}, name, s.Content))
	}
	return in
}

// NewBuilder returns a Builder for positions in the files of a set.
func NewBuilder(files *source.Set) *Builder {
	return &Builder{files: files, index: make(map[*source.File]int), inputs: make(map[source.FileID]*Input),
		nameIDs: make(map[string]int), fresh: true}
}

// Follow makes mappings to a source lead to the sources of its own map, as far as
// that has them.
func (b *Builder) Follow(file source.FileID, in *Input) { b.inputs[file] = in }

// Add records that an output position, line and column from 0, columns in
// UTF-16 code units, comes from a source position. Calls must be in output
// order. Further mappings of the same output position are ignored. written is
// the identifier in the output, or "" if there is none. If the source has a
// different one, such as "mask" for "-webkit-mask", it becomes the name of the
// mapping.
func (b *Builder) Add(line, column int, from source.Pos, written string) {
	if b.mapped > 0 && line == b.line && column == b.column && !b.fresh {
		return
	}
	for b.line < line {
		b.buf = append(b.buf, ';')
		b.line++
		b.column = 0
		b.fresh = true
	}
	if !b.fresh {
		b.buf = append(b.buf, ',')
	}
	file, srcLine, srcCol, name := b.locate(from)
	src := b.sourceOf(file)
	if name == "" {
		name = b.original(from, written)
	}
	b.buf = appendVLQ(b.buf, column-b.column)
	b.buf = appendVLQ(b.buf, src-b.source)
	b.buf = appendVLQ(b.buf, srcLine-b.sourceLine)
	b.buf = appendVLQ(b.buf, srcCol-b.sourceCol)
	if name != "" {
		id, ok := b.nameIDs[name]
		if !ok {
			id = len(b.names)
			b.nameIDs[name] = id
			b.names = append(b.names, name)
		}
		b.buf = appendVLQ(b.buf, id-b.name)
		b.name = id
	}
	b.column, b.source, b.sourceLine, b.sourceCol = column, src, srcLine, srcCol
	b.fresh = false
	b.mapped++
}

// locate returns the source of a position, with its line and column: that of the
// source's own map, if it has one with the position. name is the name in that
// map, or "".
func (b *Builder) locate(at source.Pos) (file *source.File, line, column int, name string) {
	c := &b.current
	if c.file == nil || c.file.ID != at.File {
		c.file = b.files.File(at.File)
		c.start, c.end, c.wide, c.input = 0, 0, c.file.Wide(), b.inputs[at.File]
	}
	if at.Off < c.start || at.Off >= c.end {
		c.seek(at.Off)
	}
	column = int(at.Off - c.start)
	if c.wide {
		column = c.file.UTF16Column(c.line, at.Off)
	}
	if c.input == nil {
		return c.file, c.line, column, ""
	}
	from, ok := c.input.Map.Find(c.line, column)
	if !ok {
		return c.file, c.line, column, ""
	}
	if from.Name >= 0 && from.Line == c.line && from.Column == column {
		name = c.input.Map.Names[from.Name]
	}
	return c.input.Files[from.Source], from.SourceLine, from.SourceColumn, name
}

// sourceOf returns the index of a source.
func (b *Builder) sourceOf(file *source.File) int {
	if len(b.sources) > 0 && b.sources[b.source] == file { // that of the last mapping
		return b.source
	}
	i, ok := b.index[file]
	if !ok {
		i = len(b.sources)
		b.index[file] = i
		b.sources = append(b.sources, file)
	}
	return i
}

// original returns the identifier at a position of a source if it differs from
// written, and "" otherwise. It must be called after locate for the same
// position.
func (b *Builder) original(at source.Pos, written string) string {
	text := b.current.file.Text[at.Off:]
	if written == "" || strings.HasPrefix(text, written) {
		return ""
	}
	n := 0
	if n < len(text) && text[n] == '@' {
		n++
	}
	for n < len(text) && token.IsName(text[n]) {
		n++
	}
	return text[:n]
}

// seek moves the cursor to the line of off, trying the next few lines first.
func (c *cursor) seek(off uint32) {
	const near = 8
	line := c.line + 1
	if c.end == 0 || off < c.start || line+near >= c.file.Lines() || off >= c.file.LineStart(line+near) {
		line = c.file.Line(off)
	} else {
		for off >= c.file.LineStart(line+1) {
			line++
		}
	}
	c.line, c.start = line, c.file.LineStart(line)
	c.end = uint32(len(c.file.Text)) + 1
	if line+1 < c.file.Lines() {
		c.end = c.file.LineStart(line + 1)
	}
}

// Mappings returns the number of mappings.
func (b *Builder) Mappings() int { return b.mapped }

// SkipLine moves all mappings down by one line, for a line inserted before the
// output. No mapping may be added afterwards.
func (b *Builder) SkipLine() { b.buf = slices.Insert(b.buf, 0, ';') }

// JSON returns the map, including the texts of all sources. file is the name of
// the output relative to the map; name returns the URL of a source relative to
// the map.
func (b *Builder) JSON(file string, name func(*source.File) string) []byte {
	size := len(b.buf) + 256
	for _, f := range b.sources {
		size += len(f.Text) + len(f.Text)/16 + 256
	}
	out := append(make([]byte, 0, size), `{"version":3,"file":`...)
	out = appendString(out, file)
	out = append(out, `,"sources":[`...)
	for i, f := range b.sources {
		if i > 0 {
			out = append(out, ',')
		}
		out = appendString(out, name(f))
	}
	out = append(out, `],"sourcesContent":[`...)
	for i, f := range b.sources {
		if i > 0 {
			out = append(out, ',')
		}
		out = appendString(out, f.Text)
	}
	out = append(out, `],"names":[`...)
	for i, name := range b.names {
		if i > 0 {
			out = append(out, ',')
		}
		out = appendString(out, name)
	}
	out = append(out, `],"mappings":"`...)
	out = append(out, b.buf...)
	return append(out, "\"}\n"...)
}

// Comment returns the comment at the end of a style sheet that refers to its
// map.
func Comment(address string) string { return "/*# sourceMappingURL=" + address + " */\n" }

// DataURL returns a map as a data URL.
func DataURL(json []byte) string {
	return "data:application/json;charset=utf-8;base64," + base64.StdEncoding.EncodeToString(json)
}

// digits are the base64 digits.
const digits = "ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789+/"

// appendVLQ appends n as a base64 VLQ (ECMA-426, section on base64 VLQ).
func appendVLQ(dst []byte, n int) []byte {
	u := uint(n) << 1
	if n < 0 {
		u = uint(-n)<<1 | 1
	}
	for u >= 32 {
		dst = append(dst, digits[u&31|32])
		u >>= 5
	}
	return append(dst, digits[u])
}

// appendString appends s, which must be UTF-8, as a JSON string. The less-than
// sign and the line separators of JavaScript are escaped, so that a map can be
// embedded in a script.
func appendString(dst []byte, s string) []byte {
	const hex = "0123456789abcdef"
	dst = append(dst, '"')
	start := 0
	for i := 0; i < len(s); i++ {
		c := s[i]
		if plainJSON[c] {
			continue
		}
		if c == 0xE2 && i+2 < len(s) && s[i+1] == 0x80 && s[i+2]&^1 == 0xA8 {
			dst = append(dst, s[start:i]...)
			dst = append(dst, `\u202`...)
			dst = append(dst, hex[s[i+2]&15])
			i += 2
			start = i + 1
			continue
		}
		if c >= utf8.RuneSelf {
			continue
		}
		dst = append(dst, s[start:i]...)
		start = i + 1
		switch c {
		case '"', '\\':
			dst = append(dst, '\\', c)
		case '\n':
			dst = append(dst, `\n`...)
		case '\t':
			dst = append(dst, `\t`...)
		case '\r':
			dst = append(dst, `\r`...)
		default:
			dst = append(dst, '\\', 'u', '0', '0', hex[c>>4], hex[c&15])
		}
	}
	dst = append(dst, s[start:]...)
	return append(dst, '"')
}

// plainJSON marks the bytes that need no escape in a JSON string.
var plainJSON = func() (t [256]bool) {
	for i := range t {
		c := byte(i)
		t[i] = c >= ' ' && c != '"' && c != '\\' && c != '<' && c != 0xE2
	}
	return t
}()
