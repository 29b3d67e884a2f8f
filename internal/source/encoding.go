package source

import (
	"bytes"
	"path"
	"regexp"
	"slices"
	"strings"
	"unicode/utf8"

	"golang.org/x/net/html/charset"
	"golang.org/x/text/encoding"
	"golang.org/x/text/encoding/htmlindex"
	"golang.org/x/text/encoding/unicode"
)

// This file reads text in the encodings of the Encoding Standard, which old pages, sheets and
// scripts are written in, and writes it in the encoding that it was read in.

// strictUTF8 are the endings of files whose formats allow no encoding but UTF-8: another
// encoding is an error in them.
var strictUTF8 = []string{".toml", ".json", ".webmanifest"}

// fallbackLabel is the encoding of text that is not UTF-8 and says nothing of its encoding: the
// one that browsers assume for most locales (HTML, section 13.2.3.2).
const fallbackLabel = "windows-1252"

// SetEncoding says in which encoding a file is to be read if it is not UTF-8 and names none
// itself: that of the page that links it, or of the charset attribute of its link. An unknown
// label is ignored. It has no effect on a file that was read before.
func (t *Tree) SetEncoding(p Path, label string) {
	if _, err := htmlindex.Get(label); err != nil {
		return
	}
	t.mu.Lock()
	defer t.mu.Unlock()
	if t.labels == nil {
		t.labels = make(map[Path]string)
	}
	if t.labels[p] == "" {
		t.labels[p] = label
	}
	if t.label == "" {
		t.label = label
	}
}

// labelFor returns the encoding that others say a file is in; of a file of which nobody says
// anything it is that of the first one of which somebody does.
func (t *Tree) labelFor(p Path) string {
	t.mu.Lock()
	defer t.mu.Unlock()
	for _, label := range []string{t.labels[p], t.label} {
		if label != "" {
			return label
		}
	}
	return fallbackLabel
}

// decode returns the text of a file that is not UTF-8, and its encoding. ok is false if its
// format allows no other encoding.
func (t *Tree) decode(p Path, data []byte) (text string, enc encoding.Encoding, ok bool) {
	ext := strings.ToLower(path.Ext(p.Name))
	if slices.Contains(strictUTF8, ext) {
		return "", nil, false
	}
	enc = byteOrder(data)
	if enc == nil {
		label := declared(ext, data)
		if label == "" {
			label = t.labelFor(p)
		}
		var err error
		if enc, err = htmlindex.Get(label); err != nil || strings.HasPrefix(strings.ToLower(label), "utf-16") {
			enc = unicode.UTF8 // what names itself so in ASCII is not UTF-16 (HTML, section 13.2.3.2)
		}
	}
	decoded, err := enc.NewDecoder().Bytes(data)
	if err != nil { // which no decoder of the standard does: it replaces what it cannot read
		return "", nil, false
	}
	return string(decoded), enc, true
}

// UTF-16 is written with the byte order mark that it was read by.
var (
	utf16be = unicode.UTF16(unicode.BigEndian, unicode.UseBOM)
	utf16le = unicode.UTF16(unicode.LittleEndian, unicode.UseBOM)
)

// byteOrder returns the encoding that a byte order mark names, or nil.
func byteOrder(data []byte) encoding.Encoding {
	switch {
	case bytes.HasPrefix(data, []byte("\xFE\xFF")):
		return utf16be
	case bytes.HasPrefix(data, []byte("\xFF\xFE")):
		return utf16le
	case bytes.HasPrefix(data, []byte(byteOrderMark)):
		return unicode.UTF8
	}
	return nil
}

var (
	cssCharset     = regexp.MustCompile(`^@charset "([^"]*)";`)
	xmlDeclaration = regexp.MustCompile(`^<\?xml[^>]*\bencoding\s*=\s*["']([^"']+)["']`)
)

// declared returns the label of the encoding that a file names itself; empty if it names none.
func declared(ext string, data []byte) string {
	const most = 1024 // bytes in which it must stand
	head := data[:min(len(data), most)]
	switch ext {
	case ".css":
		if m := cssCharset.FindSubmatch(head); m != nil {
			return string(m[1])
		}
	case ".html", ".htm", ".xhtml", ".xml", ".svg":
		if m := xmlDeclaration.FindSubmatch(head); m != nil && ext != ".html" && ext != ".htm" {
			return string(m[1])
		}
		if ext == ".html" || ext == ".htm" {
			_, name, _ := charset.DetermineEncoding(head, "") // which looks for a meta element
			return name
		}
		return "utf-8" // the default of XML
	}
	return ""
}

// Encoded returns a text, such as that of the file with edits, as bytes in the encoding of the
// file, with the byte order mark that it had. Where that encoding cannot hold the text, or does
// not give the bytes that were read, the result is UTF-8 with a byte order mark, which browsers
// heed before anything else.
func (f *File) Encoded(text string) []byte {
	if f.encoding == nil {
		if f.BOM {
			text = byteOrderMark + text
		}
		return []byte(text)
	}
	if out, err := f.encoding.NewEncoder().Bytes([]byte(text)); err == nil && f.exact() {
		return out
	}
	return []byte(byteOrderMark + text)
}

// exact reports whether decoding the file lost nothing.
func (f *File) exact() bool {
	if !utf8.ValidString(f.Text) || strings.ContainsRune(f.Text, utf8.RuneError) {
		return false
	}
	again, err := f.encoding.NewEncoder().Bytes([]byte(f.Text))
	return err == nil && bytes.Equal(again, f.raw)
}

// Label returns the name of the encoding that the file was read in, empty for UTF-8.
func (f *File) Label() string {
	switch f.encoding {
	case nil:
		return ""
	case utf16be:
		return "utf-16be"
	case utf16le:
		return "utf-16le"
	}
	name, err := htmlindex.Name(f.encoding)
	if err != nil {
		return ""
	}
	return name
}
