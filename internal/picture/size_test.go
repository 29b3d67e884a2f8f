package picture

import (
	"bytes"
	"encoding/base64"
	"image"
	"image/color"
	"image/gif"
	"image/jpeg"
	"image/png"
	"testing"
)

// TestSize checks the sizes of pictures in all formats, with an orientation, and damaged
// ones.
func TestSize(t *testing.T) {
	img := image.NewPaletted(image.Rect(0, 0, 30, 20), color.Palette{color.Black, color.White})
	var asPNG, asJPEG, asGIF bytes.Buffer
	if png.Encode(&asPNG, img) != nil || jpeg.Encode(&asJPEG, img, nil) != nil || gif.Encode(&asGIF, img, nil) != nil {
		t.Fatal("cannot encode")
	}
	webp, err := base64.StdEncoding.DecodeString("UklGRhoAAABXRUJQVlA4TA0AAAAvHcAEAAdQ/P8DiQ==")
	if err != nil {
		t.Fatal(err)
	}
	rotated := func(orientation int) string {
		exif := "Exif\x00\x00" + string(onlyOrientation(orientation))
		return asJPEG.String()[:2] + segment(0xfe, "Tern") + segment(0xe1, exif) + asJPEG.String()[2:]
	}
	for _, test := range []struct {
		name, data    string
		width, height int
	}{
		{"a PNG", asPNG.String(), 30, 20},
		{"a GIF", asGIF.String(), 30, 20},
		{"a JPEG", asJPEG.String(), 30, 20},
		{"a WebP", string(webp), 30, 20},
		{"a JPEG with orientation 3", rotated(3), 30, 20},
		{"a JPEG with orientation 6", rotated(6), 20, 30},
		{"half a PNG", asPNG.String()[:20], 0, 0},
		{"nothing", "", 0, 0},
		{"a text", "boats", 0, 0},
	} {
		width, height, ok := Size([]byte(test.data))
		if width != test.width || height != test.height || ok != (test.width > 0) {
			t.Errorf("%s has the size %d x %d, %v, want %d x %d", test.name, width, height, ok, test.width, test.height)
		}
		for i := range min(len(test.data), 100) { // must not panic
			Size([]byte(test.data[:i]))
		}
	}
}
