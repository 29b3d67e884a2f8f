// Package picture makes image files smaller without changing what they show: PNG
// files are compressed again, JPEG files lose metadata, and SVG files what is not
// shown. Start reading at [Shrink] and [ShrinkSVG].
package picture

import (
	"bytes"
	"errors"
	"path"
	"strings"
)

// Version changes when the results of [Shrink] do.
const Version = "1"

// errKept means that a file stays as it is, because it has something that could
// not be kept otherwise.
var errKept = errors.New("the file has parts that must stay")

// Is reports whether [Shrink] knows the kind of a file, by its name.
func Is(name string) bool {
	switch strings.ToLower(path.Ext(name)) {
	case ".png", ".jpg", ".jpeg", ".jpe", ".jfif":
		return true
	}
	return false
}

// IsSVG reports whether a file is one for [ShrinkSVG], by its name.
func IsSVG(name string) bool { return strings.EqualFold(path.Ext(name), ".svg") }

// Shrink returns a smaller file that shows the same: all pixels are equal, and the
// colour profile and the orientation stay. The result is nil if there is none,
// also for files that are damaged or of another kind.
func Shrink(data []byte) []byte {
	var out []byte
	var err error
	switch {
	case bytes.HasPrefix(data, []byte(pngHeader)):
		out, err = shrinkPNG(data)
	case bytes.HasPrefix(data, []byte{0xff, markerSOI}):
		out, err = shrinkJPEG(data)
	}
	if err != nil || len(out) == 0 || len(out) >= len(data) {
		return nil
	}
	return out
}
