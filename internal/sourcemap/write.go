// Package sourcemap writes and reads source maps as ECMA-426 defines them.
package sourcemap

import (
	"encoding/base64"
	"slices"
	"strings"
	"unicode/utf8"

	"rinzel/internal/css/token"
	"rinzel/internal/source"
)

// Builder gathers mappings in the order in which the output is written. The
// zero Builder is not usable; see [NewBuilder]. It is not safe for concurrent use.
type Builder struct {
	files *source.Set

	buf     []byte // the encoded mappings
	sources []*source.File
	index   map[source.FileID]int
	names   []string
	nameIDs map[string]int
	current cursor // of the file that was mapped to last
	// The fields of the last mapping, to which the next is relative.
	line, column                  int
	source, sourceLine, sourceCol int
	name                          int
	fresh                         bool // no mapping on the line so far
	mapped                        int
}

// cursor finds the line of a place quickly when places come nearly in order.
type cursor struct {
	file       *source.File
	index      int
	line       int
	start, end uint32 // of the line; end is exclusive
	wide       bool   // columns are not simply bytes
}

// NewBuilder returns a Builder for places in the files of a set.
func NewBuilder(files *source.Set) *Builder {
	return &Builder{files: files, index: make(map[source.FileID]int), nameIDs: make(map[string]int), fresh: true}
}

// Add records that the output at a line and column, both from 0 and the column
// in UTF-16 code units, comes from a place. Calls must be made in the order of
// the output. A second mapping of the same place in the output is left out.
//
// written is the identifier that stands in the output, or "" for what is none.
// Where the source has another one, as "mask" for "-webkit-mask", that one is
// the mapping's name.
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

// locate returns the index of the source of a place, and its line and column.
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

// original returns the identifier at a place in a source if it is not the one
// that was written, and "" otherwise. It is called after locate for the place.
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

// Mappings returns how many mappings were added.
func (b *Builder) Mappings() int { return b.mapped }

// SkipLine moves all mappings down by a line, which is put before the output. No mapping can be added any more.
func (b *Builder) SkipLine() { b.buf = slices.Insert(b.buf, 0, ';') }

// JSON returns the map, with the text of all sources in it. file is the name
// of the output relative to the map; name gives the address of a source
// relative to the map.
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

// Comment returns the comment at the end of a style sheet that names the
// address of its map.
func Comment(address string) string { return "/*# sourceMappingURL=" + address + " */\n" }

// DataURL returns a map as an address that holds it.
func DataURL(json []byte) string {
	return "data:application/json;charset=utf-8;base64," + base64.StdEncoding.EncodeToString(json)
}

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

// appendString appends s, which is UTF-8, as a JSON string. The lower-than
// sign and the line separators of JavaScript are escaped, so that a map can
// stand in a script.
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

// plainJSON tells the bytes that stand for themselves in a JSON string.
var plainJSON = func() (t [256]bool) {
	for i := range t {
		c := byte(i)
		t[i] = c >= ' ' && c != '"' && c != '\\' && c != '<' && c != 0xE2
	}
	return t
}()
