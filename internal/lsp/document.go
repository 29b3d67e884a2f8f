package lsp

import (
	"fmt"
	"net/url"
	"path/filepath"
	"strings"
	"unicode/utf8"
)

// document is a text that an editor has open.
type document struct {
	uri     string
	name    string // absolute, on disk
	version int
	text    string
}

// change applies changes in order. The error is that a range is not in the text.
func (d *document) change(changes []contentChange) error {
	for _, c := range changes {
		if c.Range == nil {
			d.text = c.Text
			continue
		}
		from, ok := offsetIn(d.text, c.Range.Start)
		to, ok2 := offsetIn(d.text, c.Range.End)
		if !ok || !ok2 || from > to {
			return fmt.Errorf("the range %v is not in the text", *c.Range)
		}
		d.text = d.text[:from] + c.Text + d.text[to:]
	}
	return nil
}

// offsetIn returns the offset of a position. A column after the end of its line means the
// end, as the specification says. ok is false if there is no such line.
func offsetIn(text string, p position) (offset int, ok bool) {
	if p.Line < 0 || p.Character < 0 {
		return 0, false
	}
	for range p.Line {
		n := lineEnd(text[offset:])
		if offset+n == len(text) {
			return 0, false
		}
		offset += n + endLength(text[offset+n:])
	}
	units := 0
	for units < p.Character && offset < len(text) && text[offset] != '\n' && text[offset] != '\r' {
		c, n := utf8.DecodeRuneInString(text[offset:])
		units++
		if c > 0xFFFF {
			units++
		}
		if units > p.Character { // in the middle of a pair
			break
		}
		offset += n
	}
	return offset, true
}

// lineEnd returns the length of the first line, without its end.
func lineEnd(text string) int {
	if i := strings.IndexAny(text, "\r\n"); i >= 0 {
		return i
	}
	return len(text)
}

// endLength returns the length of the line end at the start of a text.
func endLength(text string) int {
	if strings.HasPrefix(text, "\r\n") {
		return 2
	}
	return 1
}

// positionIn returns the position of an offset.
func positionIn(text string, offset int) position {
	offset = min(max(offset, 0), len(text))
	var p position
	start := 0
	for {
		n := lineEnd(text[start:])
		if start+n >= offset || start+n == len(text) {
			break
		}
		next := start + n + endLength(text[start+n:])
		if next > offset {
			break
		}
		start = next
		p.Line++
	}
	for _, c := range text[start:offset] {
		p.Character++
		if c > 0xFFFF {
			p.Character++
		}
	}
	return p
}

// rangeIn returns the range between two offsets.
func rangeIn(text string, from, to int) textRange {
	return textRange{positionIn(text, from), positionIn(text, to)}
}

// nameOf returns the file on disk that a URI names. ok is false for other schemes.
func nameOf(uri string) (name string, ok bool) {
	u, err := url.Parse(uri)
	if err != nil || u.Scheme != "file" {
		return "", false
	}
	path := u.Path
	if len(path) > 2 && path[0] == '/' && path[2] == ':' { // a drive
		path = path[1:]
	}
	return filepath.Clean(filepath.FromSlash(path)), true
}

// uriOf returns the URI of a file on disk.
func uriOf(name string) string {
	path := filepath.ToSlash(name)
	if !strings.HasPrefix(path, "/") {
		path = "/" + path
	}
	return (&url.URL{Scheme: "file", Path: path}).String()
}
