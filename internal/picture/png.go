package picture

import (
	"bytes"
	"encoding/binary"
	"errors"
	"hash/crc32"
	"image"
	"image/color"
	"image/png"
	"slices"
	"strings"
)

// pngHeader starts all PNG files (PNG 3, section 5.2).
const pngHeader = "\x89PNG\r\n\x1a\n"

// maxPixels limits the pictures that are compressed again.
const maxPixels = 40_000_000

var errPNG = errors.New("not a valid PNG file")

// chunk is a chunk of a PNG file.
type chunk struct {
	name string
	data []byte
}

// colourChunks say how colours are meant (PNG 3, section 11.3.2); they stay.
var colourChunks = strings.Fields("cICP iCCP sRGB gAMA cHRM mDCV cLLI")

// readChunks returns the chunks of a PNG file.
func readChunks(data []byte) (list []chunk, err error) {
	rest := data[len(pngHeader):]
	for len(rest) >= 12 {
		size := binary.BigEndian.Uint32(rest)
		if uint64(size)+12 > uint64(len(rest)) {
			return nil, errPNG
		}
		c := chunk{string(rest[4:8]), rest[8 : 8+size]}
		list = append(list, c)
		rest = rest[12+size:]
		if c.name == "IEND" {
			return list, nil
		}
	}
	return nil, errPNG
}

// shrinkPNG returns a PNG file with the same pixels.
func shrinkPNG(data []byte) ([]byte, error) {
	chunks, err := readChunks(data)
	if err != nil {
		return nil, err
	}
	var before []chunk
	profile := false
	for _, c := range chunks {
		switch {
		case c.name == "acTL", c.name == "fcTL": // an animation
			return nil, errKept
		case slices.Contains(colourChunks, c.name):
			before = append(before, c)
			profile = profile || c.name == "iCCP"
		case c.name == "eXIf":
			short, err := shortExif(c.data)
			if err != nil {
				return nil, err
			}
			if short != nil {
				before = append(before, chunk{c.name, short})
			}
		}
	}
	config, err := png.DecodeConfig(bytes.NewReader(data))
	if err != nil || config.Width*config.Height > maxPixels {
		return nil, errors.Join(err, errKept)
	}
	img, err := png.Decode(bytes.NewReader(data))
	if err != nil {
		return nil, err
	}
	p := pixelsOf(img)
	var best []byte
	for _, f := range p.forms(profile, isGray(chunks)) {
		if out := f.encode(before); best == nil || len(out) < len(best) {
			best = out
		}
	}
	if !p.shows(best) {
		return nil, errPNG
	}
	return best, nil
}

// isGray reports whether a PNG file has a gray colour type.
func isGray(chunks []chunk) bool {
	return len(chunks) > 0 && len(chunks[0].data) == 13 && chunks[0].data[9]&2 == 0
}

// pixels are the pixels of a picture, in 16 bits for each channel.
type pixels struct {
	width, height int
	list          []color.NRGBA64
}

// pixelsOf returns the pixels of a picture, without loss.
func pixelsOf(img image.Image) *pixels {
	b := img.Bounds()
	p := &pixels{b.Dx(), b.Dy(), make([]color.NRGBA64, 0, b.Dx()*b.Dy())}
	for y := b.Min.Y; y < b.Max.Y; y++ {
		for x := b.Min.X; x < b.Max.X; x++ {
			p.list = append(p.list, straight(img, x, y))
		}
	}
	return p
}

// straight returns a pixel with its alpha not multiplied in.
func straight(img image.Image, x, y int) color.NRGBA64 {
	switch img := img.(type) {
	case *image.NRGBA:
		c := img.NRGBAAt(x, y)
		return color.NRGBA64{R: double(c.R), G: double(c.G), B: double(c.B), A: double(c.A)}
	case *image.NRGBA64:
		return img.NRGBA64At(x, y)
	case *image.Paletted:
		if c, ok := img.At(x, y).(color.NRGBA); ok { // a palette with transparency
			return color.NRGBA64{R: double(c.R), G: double(c.G), B: double(c.B), A: double(c.A)}
		}
	}
	r, g, b, a := img.At(x, y).RGBA() // of an opaque colour
	return color.NRGBA64{R: uint16(r), G: uint16(g), B: uint16(b), A: uint16(a)}
}

// double returns a value of 8 bits in 16 bits.
func double(v uint8) uint16 { return uint16(v) * 0x101 }

// shows reports whether a PNG file has these pixels.
func (p *pixels) shows(data []byte) bool {
	img, err := png.Decode(bytes.NewReader(data))
	if err != nil {
		return false
	}
	other := pixelsOf(img)
	return other.width == p.width && other.height == p.height && slices.Equal(other.list, p.list)
}

// writeChunk appends a chunk.
func writeChunk(dst []byte, name string, data []byte) []byte {
	dst = binary.BigEndian.AppendUint32(dst, uint32(len(data)))
	start := len(dst)
	dst = append(append(dst, name...), data...)
	return binary.BigEndian.AppendUint32(dst, crc32.ChecksumIEEE(dst[start:]))
}
