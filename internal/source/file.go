// Package source represents source files and positions in them, and is the only
// package that accesses the file system. A [Tree] reads the files of a project;
// a [File] is a text with a line table; [Publish] writes outputs atomically.
package source

import (
	"sort"
	"strings"
	"sync"
	"unicode/utf16"
	"unicode/utf8"

	"golang.org/x/text/encoding"
)

// FileID identifies a file in a [Set]. The zero FileID identifies none.
type FileID uint32

// Pos is a position in a source file. The zero Pos means nowhere: the node was
// created by a step.
type Pos struct {
	File FileID // from 1
	Off  uint32 // byte offset in the text
}

// NoPos is the zero Pos.
var NoPos Pos

// IsValid reports whether p is a position in a file.
func (p Pos) IsValid() bool { return p.File != 0 }

// Add returns the position n bytes after p, or NoPos if p is nowhere.
func (p Pos) Add(n int) Pos {
	if !p.IsValid() {
		return p
	}
	return Pos{p.File, p.Off + uint32(n)}
}

// Span is a range of bytes in one file, from Start to End, exclusive.
type Span struct {
	Start Pos
	End   uint32 // byte offset in Start.File
}

// SpanOf returns the span of n bytes from p on.
func SpanOf(p Pos, n int) Span { return Span{p, p.Off + uint32(n)} }

// To returns the span from p to the offset end; if end is before p, an empty
// span at p.
func (p Pos) To(end uint32) Span { return Span{p, max(p.Off, end)} }

// IsValid reports whether s is in a file.
func (s Span) IsValid() bool { return s.Start.IsValid() }

// Path identifies a file by its root and the path in it.
type Path struct {
	Root string // root in the settings; empty for the source folder
	Name string // cleaned, relative, with forward slashes
}

// String returns the path as in an import: "name" or "root:name".
func (p Path) String() string {
	if p.Root == "" {
		return p.Name
	}
	return p.Root + ":" + p.Name
}

// File is the text of a file. It is immutable and safe for concurrent use.
type File struct {
	ID   FileID
	Path Path
	Name string // displayed path: relative to the working folder
	Text string // contents without a byte order mark
	BOM  bool   // a byte order mark came before Text

	encoding encoding.Encoding // nil for UTF-8
	raw      []byte            // original bytes, if it has an encoding

	once  sync.Once
	lines []uint32 // offset of the first byte of each line
	wide  []wide   // all non-ASCII runes in order
}

// wide is a non-ASCII rune: its end, and the difference between the bytes up to
// there and their UTF-16 and rune counts.
type wide struct {
	end          uint32
	extraUTF16   uint32
	extraInRunes uint32
}

// byteOrderMark is U+FEFF in UTF-8.
const byteOrderMark = "\uFEFF"

// newFile returns a File with the given bytes.
func newFile(path Path, name, content string) *File {
	text, bom := strings.CutPrefix(content, byteOrderMark)
	return &File{Path: path, Name: name, Text: text, BOM: bom}
}

// holds reports whether the file was created from the same bytes, decoded the
// same way.
func (f *File) holds(content string) bool {
	if f.encoding != nil {
		return content == string(f.raw)
	}
	text, bom := strings.CutPrefix(content, byteOrderMark)
	return text == f.Text && bom == f.BOM
}

// Pos returns the position of byte off.
func (f *File) Pos(off int) Pos { return Pos{f.ID, uint32(off)} }

// Whole returns the span of the whole file.
func (f *File) Whole() Span { return Span{f.Pos(0), uint32(len(f.Text))} }

// index builds the line table. Line ends are those of CSS Syntax Level 3,
// section 3.3: LF, CR, CRLF; a form feed does not end a line in editors.
func (f *File) index() {
	f.lines = append(make([]uint32, 0, len(f.Text)/32+1), 0)
	var extra16, extraRunes uint32
	for i := 0; i < len(f.Text); i++ {
		switch c := f.Text[i]; {
		case c == '\n', c == '\r' && (i+1 == len(f.Text) || f.Text[i+1] != '\n'):
			f.lines = append(f.lines, uint32(i+1))
		case c >= utf8.RuneSelf:
			r, n := utf8.DecodeRuneInString(f.Text[i:])
			units := 1
			if r > 0xFFFF {
				units = 2
			}
			extra16 += uint32(n - units)
			extraRunes += uint32(n - 1)
			f.wide = append(f.wide, wide{uint32(i + n), extra16, extraRunes})
			i += n - 1
		}
	}
}

// Line returns the line of byte off, counted from 0. Offsets past the end are
// in the last line.
func (f *File) Line(off uint32) int {
	f.once.Do(f.index)
	return sort.Search(len(f.lines), func(i int) bool { return f.lines[i] > off }) - 1
}

// LineStart returns the offset of the first byte of a line, counted from 0.
func (f *File) LineStart(line int) uint32 {
	f.once.Do(f.index)
	return f.lines[line]
}

// Lines returns the number of lines; an empty file has one.
func (f *File) Lines() int {
	f.once.Do(f.index)
	return len(f.lines)
}

// LineText returns a line without its line end.
func (f *File) LineText(line int) string {
	start := f.LineStart(line)
	end := uint32(len(f.Text))
	if line+1 < len(f.lines) {
		end = f.lines[line+1]
	}
	return strings.TrimRight(f.Text[start:end], "\r\n")
}

// before returns the sum of the differences of all wide runes that end at or
// before off.
func (f *File) before(off uint32) wide {
	f.once.Do(f.index)
	i := sort.Search(len(f.wide), func(i int) bool { return f.wide[i].end > off })
	if i == 0 {
		return wide{}
	}
	return f.wide[i-1]
}

// Wide reports whether the file contains non-ASCII characters, so that columns
// differ from byte offsets.
func (f *File) Wide() bool {
	f.once.Do(f.index)
	return len(f.wide) > 0
}

// UTF16Column returns the column of byte off in UTF-16 code units from 0, as in
// ECMA-426. line must be the result of [File.Line] for off.
func (f *File) UTF16Column(line int, off uint32) int {
	start := f.LineStart(line)
	if len(f.wide) == 0 {
		return int(off - start)
	}
	return int(off-f.before(off).extraUTF16) - int(start-f.before(start).extraUTF16)
}

// UTF16Offset returns the byte offset of a line and column, both from 0,
// columns in UTF-16 code units. A column past the end of the line yields its
// end.
func (f *File) UTF16Offset(line, column int) uint32 {
	start := f.LineStart(line)
	end := uint32(len(f.Text))
	if line+1 < len(f.lines) {
		end = f.lines[line+1]
	}
	if len(f.wide) == 0 {
		return min(start+uint32(column), end)
	}
	off := start
	for column > 0 && off < end {
		r, n := utf8.DecodeRuneInString(f.Text[off:end])
		column -= max(1, utf16.RuneLen(r))
		off += uint32(n)
	}
	return off
}

// Position returns the line and column of byte off, both from 1, columns in
// characters, as in editors.
func (f *File) Position(off uint32) (line, column int) {
	line = f.Line(off)
	start := f.LineStart(line)
	chars := int(off-f.before(off).extraInRunes) - int(start-f.before(start).extraInRunes)
	return line + 1, chars + 1
}

// Set assigns FileIDs and finds files by them. The zero Set is empty and ready
// to use. It is safe for concurrent use.
type Set struct {
	mu    sync.RWMutex
	files []*File
}

// Add adds a file with contents to the set. path is its location, name its
// displayed path.
func (s *Set) Add(path Path, name, content string) *File {
	return s.add(newFile(path, name, content))
}

// add assigns an ID to a file.
func (s *Set) add(f *File) *File {
	s.mu.Lock()
	defer s.mu.Unlock()
	f.ID = FileID(len(s.files) + 1)
	s.files = append(s.files, f)
	return f
}

// Drop releases the text of a file: [Set.File] returns a file with the same
// path and name but without text afterwards. The file itself stays valid for
// others.
func (s *Set) Drop(f *File) {
	s.mu.Lock()
	defer s.mu.Unlock()
	if i := int(f.ID) - 1; 0 <= i && i < len(s.files) && s.files[i] == f {
		s.files[i] = &File{ID: f.ID, Path: f.Path, Name: f.Name}
	}
}

// File returns the file with an ID, or nil for the zero FileID.
func (s *Set) File(id FileID) *File {
	if id == 0 {
		return nil
	}
	s.mu.RLock()
	defer s.mu.RUnlock()
	return s.files[id-1]
}

// detached is the ID of the files that are in no set.
const detached = ^FileID(0)

// Detached returns a file that is in no set, such as a text that a step made:
// its positions must be replaced before others see them.
func Detached(path Path, name, text string) *File {
	f := newFile(path, name, text)
	f.ID = detached
	return f
}
