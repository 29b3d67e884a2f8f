package picture

import (
	"bytes"
	"image"
	_ "image/gif"  // for image.DecodeConfig
	_ "image/jpeg" // for image.DecodeConfig
	_ "image/png"  // for image.DecodeConfig
	"path"
	"slices"
	"strings"

	_ "golang.org/x/image/webp" // for image.DecodeConfig
)

// HasSize reports whether [Size] may find the size of a file, by its name.
func HasSize(name string) bool {
	return slices.Contains([]string{".png", ".jpg", ".jpeg", ".gif", ".webp"}, strings.ToLower(path.Ext(name)))
}

// Size returns the size of a picture in CSS pixels as browsers show it: for a JPEG
// with the orientation of its Exif data. ok is false if the file is not a picture in
// PNG, JPEG, GIF or WebP.
func Size(data []byte) (width, height int, ok bool) {
	config, kind, err := image.DecodeConfig(bytes.NewReader(data))
	if err != nil {
		return 0, 0, false
	}
	if kind == "jpeg" && orientationOf(data) >= firstRotated {
		return config.Height, config.Width, true
	}
	return config.Width, config.Height, true
}

// firstRotated is the first of the orientations in which rows are columns (Exif 2.3,
// tag 274).
const firstRotated = 5

// orientationOf returns the orientation in the Exif data of a JPEG; 0 if it has none.
func orientationOf(data []byte) int {
	const start, marker, header = 2, 0xE1, "Exif\x00\x00"
	for i := start; i+4 <= len(data) && data[i] == 0xFF; {
		if data[i+1] == 0xDA { // the pixels
			return 0
		}
		end := i + 2 + int(data[i+2])<<8 + int(data[i+3])
		if end > len(data) {
			return 0
		}
		if segment := data[i+4 : max(end, i+4)]; data[i+1] == marker && bytes.HasPrefix(segment, []byte(header)) {
			e, _ := readExif(segment[len(header):])
			return e.orientation
		}
		i = end
	}
	return 0
}
