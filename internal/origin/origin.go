// Package origin leads positions in a text that a step made to the sources that
// it was made from: by the source map of the step, or, without one, by the lines
// that the step left as they were. Start reading at [Text.At].
package origin

import (
	"sort"
	"strings"
	"unicode/utf8"

	"rinzel/internal/source"
	"rinzel/internal/sourcemap"
)

// Text is a text whose positions lead to sources. It is immutable and safe for
// concurrent use.
type Text struct {
	// File is the text itself. It is in no set: only [Text.At] understands its
	// positions.
	File  *source.File
	set   *source.Set // of the sources
	marks []mark      // by their offsets; the first one is at 0
}

// mark leads the text from an offset on, up to the next mark, to a source.
type mark struct {
	off  uint32
	same uint32 // this many bytes of the text are the same in the source
	at   source.Pos
}

// Of returns a source as a text that leads to itself.
func Of(f *source.File, set *source.Set) *Text {
	return &Text{f, set, []mark{{0, uint32(len(f.Text)), f.Pos(0)}}}
}

// At returns the position in a source that an offset leads to, or NoPos if it
// comes from nowhere.
func (t *Text) At(off uint32) source.Pos {
	i := sort.Search(len(t.marks), func(i int) bool { return t.marks[i].off > off }) - 1
	m := t.marks[max(i, 0)]
	if further := off - m.off; m.at.IsValid() && further <= m.same {
		return m.at.Add(int(further))
	}
	return m.at
}

// Move returns the position that one in [Text.File] leads to. Other positions
// are returned as they are.
func (t *Text) Move(at source.Pos) source.Pos {
	if at.File != t.File.ID || !at.IsValid() {
		return at
	}
	return t.At(at.Off)
}

// add adds a mark for what was at a position of a source. Marks must be added in
// order; of those at one offset the first one counts.
func (t *Text) add(off uint32, at source.Pos) {
	if n := len(t.marks); n > 0 && t.marks[n-1].off >= off {
		return
	}
	t.marks = append(t.marks, mark{off: off, at: at})
}

// finish determines how long the text is the same as the sources.
func (t *Text) finish() *Text {
	if len(t.marks) == 0 || t.marks[0].off > 0 {
		first := mark{}
		if len(t.marks) > 0 {
			first.at = t.marks[0].at
		}
		t.marks = append([]mark{first}, t.marks...)
	}
	for i := range t.marks {
		m := &t.marks[i]
		end := uint32(len(t.File.Text))
		if i+1 < len(t.marks) {
			end = t.marks[i+1].off
		}
		if !m.at.IsValid() {
			continue
		}
		from := t.set.File(m.at.File).Text[m.at.Off:]
		m.same = uint32(common(t.File.Text[m.off:end], from))
	}
	return t
}

// common returns the length of the common start of two texts.
func common(a, b string) int {
	n := 0
	for n < len(a) && n < len(b) && a[n] == b[n] {
		n++
	}
	return n
}

// Recorder records where a text comes from while it is printed.
type Recorder struct{ list []recorded }

// recorded is a mapping of a printed text.
type recorded struct {
	line, column int
	from         source.Pos
}

// Add records that the text at a line and column, both from 0, columns in UTF-16
// code units, comes from a source position.
func (r *Recorder) Add(line, column int, from source.Pos, _ string) {
	r.list = append(r.list, recorded{line, column, from})
}

// Text returns the printed text, given the set of the sources.
func (r *Recorder) Text(text string, set *source.Set) *Text {
	t := &Text{File: source.Detached(source.Path{}, "", text), set: set}
	for _, m := range r.list {
		t.add(t.File.UTF16Offset(m.line, m.column), m.from)
	}
	return t.finish()
}

// Mapped returns what a step made of texts, given its source map. source returns
// the text that a source of the map is, by its URL; nil if it is unknown.
func Mapped(text string, m *sourcemap.Map, set *source.Set, of func(url string) *Text) *Text {
	out := &Text{File: source.Detached(source.Path{}, "", text), set: set}
	texts := make([]*Text, len(m.Sources))
	for i, s := range m.Sources {
		texts[i] = of(s.URL)
	}
	var last *stretch
	for _, p := range m.Mappings {
		if p.Source < 0 || texts[p.Source] == nil || p.Line >= out.File.Lines() {
			continue
		}
		from := texts[p.Source]
		if p.SourceLine >= from.File.Lines() {
			continue
		}
		start := out.File.UTF16Offset(p.Line, p.Column)
		out.addStretch(last, start)
		last = &stretch{start, from, from.File.UTF16Offset(p.SourceLine, p.SourceColumn)}
	}
	out.addStretch(last, uint32(len(text)))
	return out.finish()
}

// stretch is a part of a text that was made of a part of another one.
type stretch struct {
	start uint32
	from  *Text
	first uint32 // where it starts there
}

// addStretch adds the marks of a stretch up to an end. As long as the two texts
// are the same, it leads where the other one does.
func (t *Text) addStretch(s *stretch, end uint32) {
	if s == nil || end <= s.start {
		return
	}
	t.add(s.start, s.from.At(s.first))
	marks := s.from.marks
	end = min(end, uint32(len(t.File.Text)))
	same := s.first + uint32(common(t.File.Text[s.start:end], s.from.File.Text[s.first:]))
	m := sort.Search(len(marks), func(m int) bool { return marks[m].off > s.first })
	for ; m < len(marks) && marks[m].off < same; m++ {
		t.add(s.start+marks[m].off-s.first, marks[m].at)
	}
}

// Compared returns what a step without a source map made of a text: lines that
// are in both lead to each other, others to what they stand for.
func Compared(text string, from *Text) *Text {
	out := &Text{File: source.Detached(source.Path{}, "", text), set: from.set}
	before, after := linesOf(from.File.Text), linesOf(text)
	lines := match(before, after)
	limit := make([]int, len(lines)+1) // the common line that comes next
	limit[len(lines)] = len(before)
	for i := len(lines) - 1; i >= 0; i-- {
		if limit[i] = lines[i]; lines[i] < 0 {
			limit[i] = limit[i+1]
		}
	}
	next := 0 // line of before that comes after the last common one, and those that were changed
	for i, k := range lines {
		start := out.File.LineStart(i)
		end := start + uint32(len(after[i]))
		if k >= 0 {
			next = k + 1
			out.addStretch(&stretch{start, from, from.File.LineStart(k)}, end+1)
			continue
		}
		first := lineStart(from.File, next)
		out.add(start, from.At(first))
		if next >= limit[i] {
			continue
		}
		// The line was changed: its end may be as it was.
		if same := commonEnd(before[next], after[i]); same > 0 {
			out.addStretch(&stretch{end - uint32(same), from, first + uint32(len(before[next])-same)}, end+1)
		}
		if next+1 < limit[i] {
			next++
		}
	}
	return out.finish()
}

// commonEnd returns the length of the common end of two lines, without the part
// that their start has in common.
func commonEnd(a, b string) int {
	most := min(len(a), len(b))
	most -= min(most, common(a, b))
	n := 0
	for n < most && a[len(a)-1-n] == b[len(b)-1-n] {
		n++
	}
	for n > 0 && !utf8.RuneStart(a[len(a)-n]) {
		n--
	}
	return n
}

// lineStart returns the offset of a line, or of the last one.
func lineStart(f *source.File, line int) uint32 { return f.LineStart(min(line, f.Lines()-1)) }

// linesOf returns the lines of a text, without their ends.
func linesOf(text string) []string {
	lines := strings.Split(strings.NewReplacer("\r\n", "\n", "\r", "\n").Replace(text), "\n")
	return lines
}

// Part is a part of a text that was put together.
type Part struct {
	Text string
	From source.Pos // of its start
}

// Assembled returns a text that was put together of parts of sources.
func Assembled(parts []Part, set *source.Set) *Text {
	var b strings.Builder
	for _, p := range parts {
		b.WriteString(p.Text)
	}
	t := &Text{File: source.Detached(source.Path{}, "", b.String()), set: set}
	off := 0
	for _, p := range parts {
		if p.Text != "" {
			t.add(uint32(off), p.From)
		}
		off += len(p.Text)
	}
	return t.finish()
}

// Piece is a part of a text that was made of another one.
type Piece struct {
	Text string
	Off  uint32 // of what it was made of
}

// Rebuilt returns a text that was made of pieces of another one.
func Rebuilt(pieces []Piece, from *Text) *Text {
	var b strings.Builder
	for _, p := range pieces {
		b.WriteString(p.Text)
	}
	t := &Text{File: source.Detached(source.Path{}, "", b.String()), set: from.set}
	off := 0
	for _, p := range pieces {
		if p.Text != "" {
			t.add(uint32(off), from.At(p.Off))
		}
		off += len(p.Text)
	}
	return t.finish()
}

// Mapper collects the mappings of a source map, in the order of the text.
type Mapper interface {
	// Add records that a line and column, both from 0, columns in UTF-16 code units,
	// comes from a source position.
	Add(line, column int, from source.Pos, written string)
}

// Map adds a mapping for each place at which the text starts to lead somewhere
// else, and for each line.
func (t *Text) Map(to Mapper) {
	next := 0
	for line := range t.File.Lines() {
		start := t.File.LineStart(line)
		if at := t.At(start); at.IsValid() {
			to.Add(line, 0, at, "")
		}
		for ; next < len(t.marks) && t.File.Line(t.marks[next].off) <= line; next++ {
			if m := t.marks[next]; m.at.IsValid() && m.off > start {
				to.Add(line, t.File.UTF16Column(line, m.off), m.at, "")
			}
		}
	}
}
