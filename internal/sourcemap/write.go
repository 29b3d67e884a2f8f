// Package sourcemap writes and reads source maps according to ECMA-426.
// [Builder] writes a map while the output is printed; [Read] parses one; [Move]
// updates one after edits of its output.
package sourcemap

import (
	"encoding/base64"
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
	index   map[source.FileID]int
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
	index      int
	line       int
	start, end uint32 // of the line; end is exclusive
	wide       bool   // columns differ from byte offsets
}

// NewBuilder returns a Builder for positions in the files of a set.
func NewBuilder(files *source.Set) *Builder {
	return &Builder{files: files, index: make(map[source.FileID]int), nameIDs: make(map[string]int), fresh: true}
}

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
	src, srcLine, srcCol := b.locate(from)
	b.buf = appendVLQ(b.buf, column-b.column)
	b.buf = appendVLQ(b.buf, src-b.source)
	b.buf = appendVLQ(b.buf, srcLine-b.sourceLine)
	b.buf = appendVLQ(b.buf, srcCol-b.sourceCol)
	if name := b.original(from, written); name != "" {
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

// locate returns the index of the source of a position, and its line and
// column.
func (b *Builder) locate(at source.Pos) (src, line, column int) {
	c := &b.current
	if c.file == nil || c.file.ID != at.File {
		c.file = b.files.File(at.File)
		i, ok := b.index[at.File]
		if !ok {
			i = len(b.sources)
			b.index[at.File] = i
			b.sources = append(b.sources, c.file)
		}
		c.index, c.start, c.end, c.wide = i, 0, 0, c.file.Wide()
	}
	if at.Off < c.start || at.Off >= c.end {
		c.seek(at.Off)
	}
	if !c.wide {
		return c.index, c.line, int(at.Off - c.start)
	}
	return c.index, c.line, c.file.UTF16Column(c.line, at.Off)
}

// original returns the identifier at a source position if it differs from
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
