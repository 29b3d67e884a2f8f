package sourcemap

import (
	"encoding/json"
	"errors"
	"fmt"
	"sort"
	"strings"
	"unicode/utf16"
	"unicode/utf8"
)

// Map is a parsed source map.
type Map struct {
	File     string
	Sources  []Source
	Names    []string
	Mappings []Mapping // in output order
}

// Source is a source of a map.
type Source struct {
	URL     string // with the sourceRoot of the map
	Content string // empty if the map does not contain it
}

// Mapping maps the output from a position on to a position in a source. Lines
// and columns are counted from 0, columns in UTF-16 code units.
type Mapping struct {
	Line, Column             int
	Source                   int // index of the source, or -1
	SourceLine, SourceColumn int
	Name                     int // index of the name, or -1
}

// maxMappings limits the mappings of a map.
const maxMappings = 1 << 26

// rawMap is the JSON of a map (ECMA-426, section on the source map format).
type rawMap struct {
	Version        int        `json:"version"`
	File           string     `json:"file"`
	SourceRoot     string     `json:"sourceRoot"`
	Sources        []*string  `json:"sources"`
	SourcesContent []*string  `json:"sourcesContent"`
	Names          []string   `json:"names"`
	Mappings       string     `json:"mappings"`
	Sections       []rawIndex `json:"sections"`
}

// rawIndex is a section of an index map.
type rawIndex struct {
	Offset struct{ Line, Column int } `json:"offset"`
	Map    json.RawMessage            `json:"map"`
}

// Read parses the JSON of a source map, including index maps. The line ")]}'",
// which prevents its use as a script, is skipped.
func Read(data []byte) (*Map, error) {
	var raw rawMap
	if err := json.Unmarshal(withoutGuard(data), &raw); err != nil {
		return nil, fmt.Errorf("source map is not valid JSON: %w", err)
	}
	if raw.Version != 3 {
		return nil, fmt.Errorf("source map has version %d: expected 3", raw.Version)
	}
	m := &Map{File: raw.File, Names: raw.Names}
	if raw.Sections != nil {
		return m, m.readSections(raw.Sections)
	}
	for i, s := range raw.Sources {
		src := Source{}
		if s != nil {
			src.URL = joinRoot(raw.SourceRoot, *s)
		}
		if i < len(raw.SourcesContent) && raw.SourcesContent[i] != nil {
			src.Content = *raw.SourcesContent[i]
		}
		m.Sources = append(m.Sources, src)
	}
	return m, m.decode(raw.Mappings)
}

// joinRoot returns the URL of a source with the root.
func joinRoot(root, s string) string {
	if root == "" {
		return s
	}
	return strings.TrimSuffix(root, "/") + "/" + s
}

// readSections joins the maps of an index map.
func (m *Map) readSections(sections []rawIndex) error {
	for i, s := range sections {
		if strings.Contains(string(s.Map), `"sections"`) {
			return fmt.Errorf("section %d of the source map is itself an index map", i)
		}
		part, err := Read(s.Map)
		if err != nil {
			return fmt.Errorf("section %d: %w", i, err)
		}
		if s.Offset.Line < 0 || s.Offset.Column < 0 {
			return fmt.Errorf("section %d of the source map has a negative offset", i)
		}
		sources, names := len(m.Sources), len(m.Names)
		m.Sources = append(m.Sources, part.Sources...)
		m.Names = append(m.Names, part.Names...)
		for _, p := range part.Mappings {
			if p.Line == 0 {
				p.Column += s.Offset.Column
			}
			p.Line += s.Offset.Line
			if p.Source >= 0 {
				p.Source += sources
			}
			if p.Name >= 0 {
				p.Name += names
			}
			m.Mappings = append(m.Mappings, p)
		}
	}
	return nil
}

// Errors of mappings.
var (
	errDigit    = errors.New("source map contains a character that is not a base64 digit")
	errTooLarge = errors.New("source map contains a number larger than 32 bits")
	errFields   = errors.New("a mapping has 1, 4 or 5 fields")
	errShort    = errors.New("truncated number in the source map")
)

// decode parses the mappings (ECMA-426, section on mappings structure).
func (m *Map) decode(text string) error {
	var last Mapping
	name := 0
	line := 0
	for len(text) > 0 {
		switch text[0] {
		case ';':
			line++
			last.Column = 0
			text = text[1:]
			continue
		case ',':
			text = text[1:]
			continue
		}
		fields, n, rest, err := readSegment(text)
		if err != nil {
			return err
		}
		text = rest
		last.Line = line
		last.Column += fields[0]
		got := Mapping{Line: line, Column: last.Column, Source: -1, Name: -1}
		if n >= 4 {
			last.Source += fields[1]
			last.SourceLine += fields[2]
			last.SourceColumn += fields[3]
			got.Source, got.SourceLine, got.SourceColumn = last.Source, last.SourceLine, last.SourceColumn
		}
		if n == 5 {
			name += fields[4]
			got.Name = name
		}
		if err := m.validate(got, n); err != nil {
			return err
		}
		if m.Mappings = append(m.Mappings, got); len(m.Mappings) > maxMappings {
			return errors.New("too many mappings in the source map")
		}
	}
	sort.SliceStable(m.Mappings,
		func(i, j int) bool { return m.Mappings[i].before(m.Mappings[j].Line, m.Mappings[j].Column) })
	return nil
}

// readSegment parses the fields of one mapping, and returns their number.
func readSegment(text string) (fields [5]int, n int, rest string, err error) {
	for len(text) > 0 && text[0] != ',' && text[0] != ';' {
		if n == len(fields) {
			return fields, n, text, errFields
		}
		if fields[n], text, err = readVLQ(text); err != nil {
			return fields, n, text, err
		}
		n++
	}
	if n != 1 && n != 4 && n != 5 {
		err = errFields
	}
	return fields, n, text, err
}

// validate returns the error in a mapping of n fields.
func (m *Map) validate(got Mapping, n int) error {
	switch {
	case n >= 4 && (got.Source < 0 || got.Source >= len(m.Sources) || got.SourceLine < 0 || got.SourceColumn < 0):
		return fmt.Errorf("mapping of line %d points to nothing", got.Line+1)
	case n == 5 && (got.Name < 0 || got.Name >= len(m.Names)):
		return fmt.Errorf("mapping of line %d has an unlisted name", got.Line+1)
	case got.Column < 0:
		return fmt.Errorf("mapping of line %d has a negative column", got.Line+1)
	}
	return nil
}

// before reports whether a mapping comes before a position.
func (m Mapping) before(line, column int) bool {
	return m.Line < line || m.Line == line && m.Column < column
}

// readVLQ parses a base64 VLQ at the start of text.
func readVLQ(text string) (n int, rest string, err error) {
	var u uint64
	for i, shift := 0, 0; i < len(text); i, shift = i+1, shift+5 {
		d := strings.IndexByte(digits, text[i])
		if d < 0 {
			return 0, "", errDigit
		}
		if shift > 30 {
			return 0, "", errTooLarge
		}
		u |= uint64(d&31) << shift
		if d&32 != 0 {
			continue
		}
		if u>>1 > 1<<31 {
			return 0, "", errTooLarge
		}
		n = int(u >> 1)
		if u&1 != 0 {
			n = -n
		}
		return n, text[i+1:], nil
	}
	return 0, "", errShort
}

// Find returns the mapping of an output position: the last one at or before it
// on the same line.
func (m *Map) Find(line, column int) (Mapping, bool) {
	i := sort.Search(len(m.Mappings), func(i int) bool { return !m.Mappings[i].before(line, column+1) })
	if i == 0 || m.Mappings[i-1].Line != line || m.Mappings[i-1].Source < 0 {
		return Mapping{}, false
	}
	return m.Mappings[i-1], true
}

// IsAbsolute reports whether the URL of a source has a scheme, such as https:,
// and so is not the path of a file.
func IsAbsolute(address string) bool {
	scheme, _, ok := strings.Cut(address, ":")
	return ok && len(scheme) > 1 && strings.Trim(scheme, "abcdefghijklmnopqrstuvwxyz0123456789+-.") == ""
}

// Address returns the URL in the last sourceMappingURL comment of a style
// sheet, or "".
func Address(sheet string) string {
	const mark = "# sourceMappingURL="
	i := strings.LastIndex(sheet, "/*"+mark)
	if i < 0 {
		return ""
	}
	address, _, _ := strings.Cut(sheet[i+len("/*"+mark):], "*/")
	return strings.TrimSpace(address)
}

// ReadDataURL parses a map in a data URL, as written by [DataURL].
func ReadDataURL(address string) (*Map, error) {
	data, err := DecodeDataURL(address)
	if err != nil {
		return nil, err
	}
	return Read(data)
}

// Shares returns how many bytes of an output come from each source of its map,
// by the index of the source; -1 has those that come from none. A mapping holds
// up to the next one, or to the end of its line. A comment that refers to the
// map counts as from none.
func (m *Map) Shares(output []byte) map[int]int {
	shares := make(map[int]int)
	text := string(output)
	if i := strings.LastIndex(text, "/*# sourceMappingURL="); i >= 0 {
		shares[-1] += len(text) - i
		text = text[:i]
	}
	next := 0
	for line := 0; text != ""; line++ {
		length := strings.IndexByte(text, '\n') + 1
		if length == 0 {
			length = len(text)
		}
		written := columns{text: text[:length]}
		from, of := 0, -1
		for ; next < len(m.Mappings) && m.Mappings[next].Line <= line; next++ {
			if m.Mappings[next].Line < line {
				continue
			}
			at := written.offset(m.Mappings[next].Column)
			shares[of] += at - from
			from, of = at, m.Mappings[next].Source
		}
		shares[of] += length - from
		text = text[length:]
	}
	return shares
}

// columns converts ascending columns in UTF-16 code units to byte offsets.
type columns struct {
	text        string
	column, off int
}

// offset returns the offset of a column; the end of the text for one past it.
func (c *columns) offset(column int) int {
	for c.column < column && c.off < len(c.text) {
		r, n := utf8.DecodeRuneInString(c.text[c.off:])
		c.column += max(1, utf16.RuneLen(r))
		c.off += n
	}
	return c.off
}
