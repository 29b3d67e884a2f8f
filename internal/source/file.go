// Package source holds the files that a build reads and the places in them.
// It is the only package that touches the file system.
package source

import (
	"sort"
	"strings"
	"sync"
	"unicode/utf16"
	"unicode/utf8"

	"golang.org/x/text/encoding"
)

// FileID names a file within one [Set]. The zero FileID names none.
type FileID uint32

// Pos is a place in a source file. The zero Pos is "nowhere": the node that
// carries it was made by a step.
type Pos struct {
	File FileID // from 1
	Off  uint32 // bytes from the start of the file's text
}

// NoPos is the zero Pos.
var NoPos Pos

// IsValid reports whether p is a place in a file.
func (p Pos) IsValid() bool { return p.File != 0 }

// Add returns the place n bytes after p, or NoPos if p is nowhere.
func (p Pos) Add(n int) Pos {
	if !p.IsValid() {
		return p
	}
	return Pos{p.File, p.Off + uint32(n)}
}

// Span is a range of bytes in one file, from Start up to but not including End.
type Span struct {
	Start Pos
	End   uint32 // byte offset in Start.File
}

// SpanOf returns the span of n bytes from p on.
func SpanOf(p Pos, n int) Span { return Span{p, p.Off + uint32(n)} }

// To returns the span from p up to the offset end; an end before p gives an
// empty span at p.
func (p Pos) To(end uint32) Span { return Span{p, max(p.Off, end)} }

// IsValid reports whether s lies in a file.
func (s Span) IsValid() bool { return s.Start.IsValid() }

// Path names a file by the folder it lies in and the slash-separated path
// below that folder.
type Path struct {
	Root string // the root's name in the settings; empty for the source folder
	Name string // cleaned, relative, with forward slashes
}

// String returns the path as it is written in an import: "name" or "root:name".
func (p Path) String() string {
	if p.Root == "" {
		return p.Name
	}
	return p.Root + ":" + p.Name
}

// File is one file's text, whose places are byte offsets. A File is
// immutable once made and safe for concurrent use.
type File struct {
	ID   FileID
	Path Path
	Name string // how people are shown it: relative to the working folder
	Text string // the content without a byte order mark
	BOM  bool   // a byte order mark stood before Text

	encoding encoding.Encoding // that it was read in; nil for UTF-8
	raw      []byte            // its bytes, if it has an encoding

	once  sync.Once
	lines []uint32 // offset of the first byte of each line
	wide  []wide   // every rune outside ASCII, in order
}

// wide is a rune of several bytes: where it ends, and how much longer the
// bytes up to there are than their UTF-16 and rune counts.
type wide struct {
	end          uint32
	extraUTF16   uint32
	extraInRunes uint32
}

const byteOrderMark = "\uFEFF"

// newFile makes a File from its bytes.
func newFile(path Path, name, content string) *File {
	text, bom := strings.CutPrefix(content, byteOrderMark)
	return &File{Path: path, Name: name, Text: text, BOM: bom}
}

// holds reports whether the file was made from the bytes of content, which are read in the encoding of before.
func (f *File) holds(content string) bool {
	if f.encoding != nil {
		return content == string(f.raw)
	}
	text, bom := strings.CutPrefix(content, byteOrderMark)
	return text == f.Text && bom == f.BOM
}

// Pos returns the place at byte off.
func (f *File) Pos(off int) Pos { return Pos{f.ID, uint32(off)} }

// Whole returns the span of the whole file.
func (f *File) Whole() Span { return Span{f.Pos(0), uint32(len(f.Text))} }

// index builds the line table. Line ends are those of CSS Syntax Level 3,
// section 3.3: LF, CR, CRLF; a form feed is white space on a line to every
// editor, so it ends none here.
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

// Line returns the line, counted from 0, that holds byte off. Offsets past
// the end belong to the last line.
func (f *File) Line(off uint32) int {
	f.once.Do(f.index)
	return sort.Search(len(f.lines), func(i int) bool { return f.lines[i] > off }) - 1
}

// LineStart returns the offset of the first byte of a line counted from 0.
func (f *File) LineStart(line int) uint32 {
	f.once.Do(f.index)
	return f.lines[line]
}

// Lines returns how many lines the file has; an empty file has one.
func (f *File) Lines() int {
	f.once.Do(f.index)
	return len(f.lines)
}

// LineText returns a line without its end.
func (f *File) LineText(line int) string {
	start := f.LineStart(line)
	end := uint32(len(f.Text))
	if line+1 < len(f.lines) {
		end = f.lines[line+1]
	}
	return strings.TrimRight(f.Text[start:end], "\r\n")
}

// before returns the extras summed over all wide runes that end at or before off.
func (f *File) before(off uint32) wide {
	f.once.Do(f.index)
	i := sort.Search(len(f.wide), func(i int) bool { return f.wide[i].end > off })
	if i == 0 {
		return wide{}
	}
	return f.wide[i-1]
}

// Wide reports whether the file holds characters outside ASCII, so that
// columns are not simply bytes.
func (f *File) Wide() bool {
	f.once.Do(f.index)
	return len(f.wide) > 0
}

// UTF16Column returns the column of byte off in UTF-16 code units from 0, as
// ECMA-426 counts them. line is what [File.Line] returned for off.
func (f *File) UTF16Column(line int, off uint32) int {
	start := f.LineStart(line)
	if len(f.wide) == 0 {
		return int(off - start)
	}
	return int(off-f.before(off).extraUTF16) - int(start-f.before(start).extraUTF16)
}

// UTF16Offset returns the byte at a line and column, both from 0 and the column in UTF-16
// code units. A column behind the end of the line gives its end.
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

// Place returns the line and column of byte off, both from 1 and the column
// in characters, as editors show them.
func (f *File) Place(off uint32) (line, column int) {
	line = f.Line(off)
	start := f.LineStart(line)
	chars := int(off-f.before(off).extraInRunes) - int(start-f.before(start).extraInRunes)
	return line + 1, chars + 1
}

// Set hands out FileIDs and finds files by them. The zero Set is empty and
// ready for use, also by several goroutines at once.
type Set struct {
	mu    sync.RWMutex
	files []*File
}

// Add makes content a file of the set. path says where it lies, name how
// people are shown it.
func (s *Set) Add(path Path, name, content string) *File {
	return s.add(newFile(path, name, content))
}

// add gives a file its number.
func (s *Set) add(f *File) *File {
	s.mu.Lock()
	defer s.mu.Unlock()
	f.ID = FileID(len(s.files) + 1)
	s.files = append(s.files, f)
	return f
}

// Drop has the set give up the text of a file: [Set.File] returns one with the same path and name and without text for its
// number then. The file itself stays as it is for who holds it.
func (s *Set) Drop(f *File) {
	s.mu.Lock()
	defer s.mu.Unlock()
	if i := int(f.ID) - 1; 0 <= i && i < len(s.files) && s.files[i] == f {
		s.files[i] = &File{ID: f.ID, Path: f.Path, Name: f.Name}
	}
}

// File returns the file that id names, or nil for the zero FileID.
func (s *Set) File(id FileID) *File {
	if id == 0 {
		return nil
	}
	s.mu.RLock()
	defer s.mu.RUnlock()
	return s.files[id-1]
}
