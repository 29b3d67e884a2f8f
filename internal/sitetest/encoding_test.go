package sitetest

import (
	"golang.org/x/text/encoding"
	"golang.org/x/text/encoding/charmap"
	"golang.org/x/text/encoding/japanese"
	"golang.org/x/text/encoding/unicode"
)

// encodings are the extensions of files in archives that are written in another
// encoding than UTF-8.
var encodings = map[string]encoding.Encoding{
	".latin1": charmap.Windows1252,
	".cp1251": charmap.Windows1251,
	".sjis":   japanese.ShiftJIS,
	".utf16":  unicode.UTF16(unicode.LittleEndian, unicode.UseBOM),
	".utf16b": unicode.UTF16(unicode.BigEndian, unicode.UseBOM),
	".bom":    unicode.UTF8BOM,
}
