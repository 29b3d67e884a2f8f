package picture

import (
	"bytes"
	"encoding/binary"
	"fmt"
	"image"
	"image/color"
	"image/jpeg"
	"image/png"
	"io/fs"
	"math/rand/v2"
	"os"
	"path/filepath"
	"strings"
	"testing"
)

// painted returns pictures of all kinds that a PNG file can have.
func painted() map[string]image.Image {
	r := image.Rect(0, 0, 37, 29)
	rng := rand.New(rand.NewPCG(1, 2))
	out := map[string]image.Image{}
	fill := func(name string, img interface {
		image.Image
		Set(x, y int, c color.Color)
	}, c func(x, y int) color.Color) {
		for y := range r.Dy() {
			for x := range r.Dx() {
				img.Set(x, y, c(x, y))
			}
		}
		out[name] = img
	}
	fill("opaque", image.NewNRGBA(r), func(x, y int) color.Color { return color.NRGBA{uint8(x * 6), uint8(y * 8), uint8(x * y), 255} })
	fill("noise", image.NewNRGBA(r), func(x, y int) color.Color {
		return color.NRGBA{uint8(rng.IntN(256)), uint8(rng.IntN(256)), uint8(rng.IntN(256)), uint8(rng.IntN(256))}
	})
	fill("few colours", image.NewNRGBA(r), func(x, y int) color.Color { return color.NRGBA{uint8(x / 10 * 60), 9, 80, 255} })
	fill("hidden colours", image.NewNRGBA(r), func(x, y int) color.Color { return color.NRGBA{uint8(x), uint8(y), 7, uint8(x % 2 * 255)} })
	fill("gray", image.NewNRGBA(r), func(x, y int) color.Color { return color.NRGBA{uint8(x * 6), uint8(x * 6), uint8(x * 6), 255} })
	fill("black and white", image.NewNRGBA(r), func(x, y int) color.Color { v := uint8((x + y) % 2 * 255); return color.NRGBA{v, v, v, 255} })
	fill("four grays", image.NewGray(r), func(x, y int) color.Color { return color.Gray{uint8(x % 4 * 85)} })
	fill("sixteen grays", image.NewGray(r), func(x, y int) color.Color { return color.Gray{uint8(x % 16 * 17)} })
	fill("gray with alpha", image.NewNRGBA(r), func(x, y int) color.Color { v := uint8(x * 6); return color.NRGBA{v, v, v, uint8(y * 8)} })
	fill("16 bits", image.NewNRGBA64(r), func(x, y int) color.Color {
		return color.NRGBA64{uint16(x * 1777), uint16(y * 999), uint16(x * y), uint16(65535 - x)}
	})
	fill("16 bits opaque", image.NewRGBA64(r), func(x, y int) color.Color { return color.RGBA64{uint16(x * 1777), uint16(y * 999), 1, 65535} })
	fill("16 bits of 8", image.NewNRGBA64(r), func(x, y int) color.Color {
		return color.NRGBA64{uint16(x) * 0x101, uint16(y) * 0x101, 0, 0xffff}
	})
	fill("gray of 16 bits", image.NewGray16(r), func(x, y int) color.Color { return color.Gray16{uint16(x * y * 40)} })
	palette := color.Palette{color.NRGBA{1, 2, 3, 255}, color.NRGBA{9, 8, 7, 0}, color.NRGBA{200, 100, 50, 77}, color.NRGBA{1, 2, 3, 255}}
	fill("palette", image.NewPaletted(r, palette), func(x, y int) color.Color { return palette[(x*y)%4] })
	out["one pixel"] = image.NewNRGBA(image.Rect(0, 0, 1, 1))
	return out
}

// encoded returns a picture as a PNG file.
func encoded(t *testing.T, img image.Image) []byte {
	t.Helper()
	var b bytes.Buffer
	if err := (&png.Encoder{CompressionLevel: png.NoCompression}).Encode(&b, img); err != nil {
		t.Fatal(err)
	}
	return b.Bytes()
}

// with returns a PNG file with chunks before its pixels.
func with(data []byte, chunks ...chunk) []byte {
	const header = len(pngHeader) + 25
	out := bytes.Clone(data[:header])
	for _, c := range chunks {
		out = writeChunk(out, c.name, c.data)
	}
	return append(out, data[header:]...)
}

// decoded returns the pixels of a PNG file.
func decoded(t *testing.T, data []byte) *pixels {
	t.Helper()
	img, err := png.Decode(bytes.NewReader(data))
	if err != nil {
		t.Fatal(err)
	}
	return pixelsOf(img)
}

func TestPNG(t *testing.T) {
	kinds := map[string]string{"opaque": "2/8", "noise": "6/8", "few colours": "3/2", "hidden colours": "6/8", "gray": "0/8",
		"black and white": "0/1", "four grays": "0/2", "sixteen grays": "0/4", "gray with alpha": "4/8", "16 bits": "6/16",
		"16 bits opaque": "2/16", "16 bits of 8": "2/8", "gray of 16 bits": "0/16", "palette": "3/2", "one pixel": "4/8"}
	for name, img := range painted() {
		src := encoded(t, img)
		out := Shrink(src)
		if out == nil {
			t.Errorf("%s: not smaller than %d bytes", name, len(src))
			continue
		}
		if !decoded(t, src).shows(out) {
			t.Errorf("%s: the pixels differ", name)
		}
		if got := fmt.Sprintf("%d/%d", out[25], out[24]); got != kinds[name] && len(out) > 100 {
			t.Errorf("%s: colour type and depth are %s, want %s", name, got, kinds[name])
		}
		if again := Shrink(out); again != nil {
			t.Errorf("%s: a second time it becomes smaller: %d, %d", name, len(out), len(again))
		}
	}
}

// names returns the names of the chunks of a PNG file.
func names(t *testing.T, data []byte) string {
	t.Helper()
	chunks, err := readChunks(data)
	if err != nil {
		t.Fatal(err)
	}
	var out []string
	for _, c := range chunks {
		out = append(out, c.name)
	}
	return strings.Join(out, " ")
}

func TestPNGChunks(t *testing.T) {
	src := encoded(t, painted()["gray"])
	text := chunk{"tEXt", []byte("Author\x00Harbour")}
	exifOf := func(orientation int) chunk { return chunk{"eXIf", onlyOrientation(orientation)} }
	tests := []struct {
		name   string
		chunks []chunk
		want   string
	}{
		{"metadata", []chunk{text, {"tIME", make([]byte, 7)}, {"pHYs", make([]byte, 9)}}, "IHDR IDAT IEND"},
		{"gamma", []chunk{{"gAMA", []byte{0, 0, 0xb1, 0x8f}}, text, {"sRGB", []byte{0}}}, "IHDR gAMA sRGB IDAT IEND"},
		{"orientation", []chunk{exifOf(6)}, "IHDR eXIf IDAT IEND"},
		{"no rotation", []chunk{exifOf(1)}, "IHDR IDAT IEND"},
	}
	for _, test := range tests {
		out := Shrink(with(src, test.chunks...))
		if got := names(t, out); got != test.want {
			t.Errorf("%s: %s, want %s", test.name, got, test.want)
		}
	}
	// A profile for colours does not fit gray pixels.
	profile := chunk{"iCCP", []byte("x\x00\x00" + "not compressed")}
	if out := Shrink(with(src, profile)); out == nil || out[25]&2 == 0 || !strings.Contains(names(t, out), "iCCP") {
		t.Errorf("with a profile: %v", out[25])
	}
	if out := Shrink(with(src, chunk{"acTL", make([]byte, 8)})); out != nil {
		t.Error("an animation is changed")
	}
}

// TestDamagedPictures shortens and changes files: none may crash, and none may
// show something else.
func TestDamagedPictures(t *testing.T) {
	src := encoded(t, painted()["few colours"])
	photo := photograph(t)
	rng := rand.New(rand.NewPCG(3, 4))
	for i := range 600 {
		for _, whole := range [][]byte{src, photo} {
			data := bytes.Clone(whole)
			if i%2 == 0 {
				data = data[:rng.IntN(len(data))]
			} else {
				data[rng.IntN(len(data))] ^= byte(1 + rng.IntN(255))
			}
			out := Shrink(data)
			if out == nil {
				continue
			}
			before, _, err := image.Decode(bytes.NewReader(data))
			after, _, err2 := image.Decode(bytes.NewReader(out))
			if (err == nil) != (err2 == nil) || err == nil && !samePixels(before, after) {
				t.Fatalf("change %d: %v, %v", i, err, err2)
			}
		}
	}
}

// samePixels reports whether two pictures are equal.
func samePixels(a, b image.Image) bool {
	if a.Bounds() != b.Bounds() {
		return false
	}
	for y := a.Bounds().Min.Y; y < a.Bounds().Max.Y; y++ {
		for x := a.Bounds().Min.X; x < a.Bounds().Max.X; x++ {
			if a.At(x, y) != b.At(x, y) {
				return false
			}
		}
	}
	return true
}

// photograph returns a JPEG file.
func photograph(t *testing.T) []byte {
	t.Helper()
	var b bytes.Buffer
	if err := jpeg.Encode(&b, painted()["opaque"], nil); err != nil {
		t.Fatal(err)
	}
	return b.Bytes()
}

// segment returns a segment of a JPEG file.
func segment(marker byte, content string) string {
	return string(binary.BigEndian.AppendUint16([]byte{0xff, marker}, uint16(len(content)+2))) + content
}

func TestJPEG(t *testing.T) {
	photo := string(photograph(t))
	add := func(segments ...string) []byte { return []byte(photo[:2] + strings.Join(segments, "") + photo[2:]) }
	exifOf := func(orientation int) string {
		return segment(0xe1, "Exif\x00\x00"+string(onlyOrientation(orientation)))
	}
	longExif := segment(0xe1, "Exif\x00\x00II*\x00\x08\x00\x00\x00\x02\x00"+
		"\x12\x01\x03\x00\x01\x00\x00\x00\x08\x00\x00\x00"+"\x0f\x01\x02\x00\x04\x00\x00\x00abc\x00"+"\x00\x00\x00\x00"+strings.Repeat("thumbnail", 50))
	wide := segment(0xe1, "Exif\x00\x00II*\x00\x08\x00\x00\x00\x01\x00\x69\x87\x04\x00\x01\x00\x00\x00\x1a\x00\x00\x00\x00\x00\x00\x00"+
		"\x01\x00\x02\xa0\x03\x00\x01\x00\x00\x00\x25\x00\x00\x00\x00\x00\x00\x00")
	icc, adobe := segment(0xe2, "ICC_PROFILE\x00\x01\x01profile"), segment(0xee, "Adobe\x00\x64\x00\x00\x00\x00\x00")
	tests := []struct {
		name     string
		segments []string
		want     []string // the segments that stay; nil if the file stays
		kept     bool
	}{
		{"comments", []string{segment(0xfe, "made in the harbour"), segment(0xed, "Photoshop 3.0\x00abc")}, []string{}, false},
		{"a profile", []string{icc, segment(0xfe, "x"), adobe}, []string{icc, adobe}, false},
		{"an orientation", []string{longExif}, []string{exifOf(8)}, false},
		{"a useless orientation", []string{exifOf(1)}, []string{}, false},
		{"a density", []string{wide, segment(0xfe, "x")}, nil, true},
		{"a second picture", []string{segment(0xe1, "http://ns.adobe.com/xap/1.0/\x00 hdrgm:Version"), segment(0xfe, "x")}, nil, true},
	}
	for _, test := range tests {
		out := Shrink(add(test.segments...))
		switch {
		case test.kept && out != nil:
			t.Errorf("%s: the file is changed", test.name)
		case !test.kept && string(out) != string(add(test.want...)):
			t.Errorf("%s: got %.200q", test.name, out)
		}
	}
	if out := Shrink([]byte(photo + "more after the end")); string(out) != photo {
		t.Error("what follows the picture stays")
	}
	if out := Shrink([]byte(photo)); out != nil {
		t.Error("a file without metadata is changed")
	}
}

// TestTrialPictures shrinks all pictures of a folder: their pixels must stay.
func TestTrialPictures(t *testing.T) {
	dir := os.Getenv("RINZEL_TRIAL")
	if dir == "" {
		t.Skip("the environment variable RINZEL_TRIAL names no folder")
	}
	var files, smaller, before, after int
	err := filepath.WalkDir(dir, func(name string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() || !Is(name) {
			return err
		}
		data, err := os.ReadFile(name)
		if err != nil {
			return err
		}
		out := Shrink(data)
		files, before = files+1, before+len(data)
		if out == nil {
			after += len(data)
			return nil
		}
		smaller, after = smaller+1, after+len(out)
		a, _, err := image.Decode(bytes.NewReader(data))
		b, _, err2 := image.Decode(bytes.NewReader(out))
		if err != nil || err2 != nil {
			t.Errorf("%s: %v, %v", name, err, err2)
		} else if isPNG := strings.HasSuffix(name, "png"); isPNG && !pixelsOf(a).shows(out) || !isPNG && !samePixels(a, b) {
			t.Errorf("%s: the pixels differ", name)
		}
		return nil
	})
	if err != nil {
		t.Fatal(err)
	}
	t.Logf("%d pictures, %d of them smaller: %d kB to %d kB", files, smaller, before>>10, after>>10)
}

func FuzzShrink(f *testing.F) {
	f.Add([]byte(pngHeader))
	f.Add([]byte("\xff\xd8\xff\xd9"))
	f.Fuzz(func(t *testing.T, data []byte) {
		if out := Shrink(data); out != nil && len(out) >= len(data) {
			t.Error("it became larger")
		}
	})
}
