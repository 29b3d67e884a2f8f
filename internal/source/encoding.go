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

// This file decodes text in the encodings of the Encoding Standard, which old
// pages, sheets and scripts use, and encodes it again.

// strictUTF8 are the extensions of files that must be UTF-8.
var strictUTF8 = []string{".toml", ".json", ".webmanifest"}

// fallbackLabel is the encoding of text that is not UTF-8 and does not declare
// its encoding: the default of browsers for most locales (HTML, section
// 13.2.3.2).
const fallbackLabel = "windows-1252"

// SetEncoding sets the encoding of a file that is not UTF-8 and does not
// declare one: that of the page that links it, or of the charset attribute of
// its link. Unknown labels are ignored. It has no effect on a file that was
// read before.
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

// labelFor returns the encoding set for a file; if there is none, the first one
// set for any file.
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

// decode returns the text of a file that is not UTF-8, and its encoding. ok is
// false if its format requires UTF-8.
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
			enc = unicode.UTF8 // an ASCII declaration cannot be in UTF-16 (HTML, section 13.2.3.2)
		}
	}
	decoded, err := enc.NewDecoder().Bytes(data)
	if err != nil { // cannot happen: decoders of the standard replace invalid bytes
		return "", nil, false
	}
	return string(decoded), enc, true
}

// UTF-16 is written with the byte order mark that it was read with.
var (
	utf16be = unicode.UTF16(unicode.BigEndian, unicode.UseBOM)
	utf16le = unicode.UTF16(unicode.LittleEndian, unicode.UseBOM)
)

// byteOrder returns the encoding of a byte order mark, or nil.
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

// Declarations of encodings in sheets and XML.
var (
	cssCharset     = regexp.MustCompile(`^@charset "([^"]*)";`)
	xmlDeclaration = regexp.MustCompile(`^<\?xml[^>]*\bencoding\s*=\s*["']([^"']+)["']`)
)

// declared returns the label of the encoding that a file declares; empty if it
// does not.
func declared(ext string, data []byte) string {
	const most = 1024 // the declaration must be in the first bytes
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
			_, name, _ := charset.DetermineEncoding(head, "") // looks for a meta element
			return name
		}
		return "utf-8" // the default of XML
	}
	return ""
}

// Encoded returns a text, such as that of the file after edits, in the encoding
// of the file, with its byte order mark. If the encoding cannot represent the
// text, or does not round-trip, the result is UTF-8 with a byte order mark,
// which has precedence in browsers.
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

// exact reports whether decoding and encoding the file yields the same bytes.
func (f *File) exact() bool {
	if !utf8.ValidString(f.Text) || strings.ContainsRune(f.Text, utf8.RuneError) {
		return false
	}
	again, err := f.encoding.NewEncoder().Bytes([]byte(f.Text))
	return err == nil && bytes.Equal(again, f.raw)
}

// Label returns the name of the file's encoding; empty for UTF-8.
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
