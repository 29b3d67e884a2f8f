package picture

import (
	"bytes"
	"cmp"
	"encoding/binary"
	"image/color"
	"maps"
	"slices"

	"github.com/klauspost/compress/zlib"
)

// Colour types (PNG 3, section 11.2.1).
const (
	grayType      = 0
	rgbType       = 2
	paletteType   = 3
	grayAlphaType = 4
	rgbaType      = 6
)

// form is a way to write pixels: a colour type and a depth.
type form struct {
	*pixels
	kind, depth byte
	palette     []color.NRGBA64 // of a palette type
	index       map[color.NRGBA64]byte
}

// traits are what the pixels of a picture have in common.
type traits struct {
	opaque, gray, eightBits bool
	colours                 map[color.NRGBA64]int // up to 257 of them, with how often they occur
}

// traits looks at all pixels.
func (p *pixels) traits() traits {
	t := traits{true, true, true, make(map[color.NRGBA64]int)}
	low := func(v uint16) bool { return v>>8 == v&0xff }
	for _, c := range p.list {
		t.opaque = t.opaque && c.A == 0xffff
		t.gray = t.gray && c.R == c.G && c.G == c.B
		t.eightBits = t.eightBits && low(c.R) && low(c.G) && low(c.B) && low(c.A)
		if _, ok := t.colours[c]; ok || len(t.colours) <= 256 {
			t.colours[c]++
		}
	}
	return t
}

// forms returns the ways to write the pixels that may be the smallest. With a
// colour profile, gray pictures stay gray, and others do not become gray, because
// the profile is for one of them.
func (p *pixels) forms(profile, wasGray bool) (out []form) {
	t := p.traits()
	if profile {
		t.gray = wasGray
	}
	depth := byte(16)
	if t.eightBits {
		depth = 8
	}
	switch {
	case t.gray && t.opaque:
		out = append(out, form{pixels: p, kind: grayType, depth: p.grayDepth(depth)})
	case t.gray:
		out = append(out, form{pixels: p, kind: grayAlphaType, depth: depth})
	case t.opaque:
		out = append(out, form{pixels: p, kind: rgbType, depth: depth})
	default:
		out = append(out, form{pixels: p, kind: rgbaType, depth: depth})
	}
	if t.eightBits && len(t.colours) <= 256 && !(profile && wasGray) {
		for _, order := range []func(a, b color.NRGBA64) int{
			func(a, b color.NRGBA64) int { return t.colours[b] - t.colours[a] },
			func(a, b color.NRGBA64) int { return luma(a) - luma(b) },
		} {
			out = append(out, p.paletted(t, order))
		}
	}
	return out
}

// luma returns how light a colour is.
func luma(c color.NRGBA64) int { return (2126*int(c.R) + 7152*int(c.G) + 722*int(c.B)) >> 4 }

// grayDepth returns the smallest depth that all values of a gray picture have.
func (p *pixels) grayDepth(depth byte) byte {
	if depth == 16 {
		return 16
	}
	for _, d := range []byte{1, 2, 4} {
		unit := 255 / (1<<d - 1)
		if !slices.ContainsFunc(p.list, func(c color.NRGBA64) bool { return int(c.R>>8)%unit != 0 }) {
			return d
		}
	}
	return 8
}

// paletted returns the form with a palette, in which transparent colours come
// first, so that fewer need an entry for their transparency.
func (p *pixels) paletted(t traits, order func(a, b color.NRGBA64) int) form {
	f := form{pixels: p, kind: paletteType, depth: 8, index: make(map[color.NRGBA64]byte)}
	for c := range t.colours {
		f.palette = append(f.palette, c)
	}
	solid := func(c color.NRGBA64) int {
		if c.A == 0xffff {
			return 1
		}
		return 0
	}
	slices.SortFunc(f.palette, func(a, b color.NRGBA64) int {
		return cmp.Or(solid(a)-solid(b), order(a, b), cmp.Compare(a.R, b.R), cmp.Compare(a.G, b.G), cmp.Compare(a.B, b.B),
			cmp.Compare(a.A, b.A))
	})
	for i, c := range f.palette {
		f.index[c] = byte(i)
	}
	for _, d := range []byte{4, 2, 1} {
		if len(f.palette) <= 1<<d {
			f.depth = d
		}
	}
	return f
}

// encode returns a PNG file, with further chunks before the pixels.
func (f *form) encode(before []chunk) []byte {
	header := binary.BigEndian.AppendUint32(nil, uint32(f.width))
	header = binary.BigEndian.AppendUint32(header, uint32(f.height))
	header = append(header, f.depth, f.kind, 0, 0, 0)
	out := writeChunk([]byte(pngHeader), "IHDR", header)
	for _, c := range before {
		out = writeChunk(out, c.name, c.data)
	}
	if f.kind == paletteType {
		var colours, alphas []byte
		for i, c := range f.palette {
			colours = append(colours, byte(c.R>>8), byte(c.G>>8), byte(c.B>>8))
			if c.A != 0xffff {
				alphas = append(alphas, make([]byte, i-len(alphas))...)
				alphas = append(alphas, byte(c.A>>8))
			}
		}
		out = writeChunk(out, "PLTE", colours)
		if len(alphas) > 0 {
			out = writeChunk(out, "tRNS", alphas)
		}
	}
	return writeChunk(writeChunk(out, "IDAT", f.compressed()), "IEND", nil)
}

// lines returns the scan lines, and the bytes of a pixel for filters.
func (f *form) lines() (lines [][]byte, step int) {
	channels := map[byte]int{grayType: 1, rgbType: 3, paletteType: 1, grayAlphaType: 2, rgbaType: 4}[f.kind]
	bits := channels * int(f.depth)
	for y := range f.height {
		line := make([]byte, 0, (f.width*bits+7)/8)
		var packed, used byte
		for _, c := range f.list[y*f.width : (y+1)*f.width] {
			if f.depth >= 8 {
				line = f.append(line, c)
				continue
			}
			v := f.index[c]
			if f.kind == grayType {
				v = byte(c.R>>8) / (255 / (1<<f.depth - 1))
			}
			packed, used = packed<<f.depth|v, used+f.depth
			if used == 8 {
				line = append(line, packed)
				packed, used = 0, 0
			}
		}
		if used > 0 {
			line = append(line, packed<<(8-used))
		}
		lines = append(lines, line)
	}
	return lines, max(1, bits/8)
}

// append appends a pixel of 8 or 16 bits for each channel.
func (f *form) append(line []byte, c color.NRGBA64) []byte {
	if f.kind == paletteType {
		return append(line, f.index[c])
	}
	list := []uint16{c.R, c.G, c.B, c.A}
	switch f.kind {
	case grayType:
		list = list[:1]
	case rgbType:
		list = list[:3]
	case grayAlphaType:
		list = []uint16{c.R, c.A}
	}
	for _, v := range list {
		line = append(line, byte(v>>8))
		if f.depth == 16 {
			line = append(line, byte(v))
		}
	}
	return line
}

// compressed returns the pixels with the filter that makes them smallest. A fast
// compression chooses the filters that are tried.
func (f *form) compressed() (best []byte) {
	lines, step := f.lines()
	filters := []int{0}
	if f.depth == 8 || f.depth == 16 { // filters work on bytes
		size := make(map[int]int)
		for filter := range adaptive + 1 {
			size[filter] = len(deflated(lines, step, filter, zlib.BestSpeed))
		}
		filters = slices.SortedFunc(maps.Keys(size), func(a, b int) int { return cmp.Or(size[a]-size[b], a-b) })[:tried]
	}
	for _, filter := range filters {
		if out := deflated(lines, step, filter, zlib.BestCompression); best == nil || len(out) < len(best) {
			best = out
		}
	}
	return best
}

// tried is the number of filters that are tried with the best compression.
const tried = 2

// deflated returns lines after a filter, compressed.
func deflated(lines [][]byte, step, filter, level int) []byte {
	var b bytes.Buffer
	w, _ := zlib.NewWriterLevel(&b, level)
	before := make([]byte, len(lines[0]))
	for _, line := range lines {
		_, _ = w.Write(filtered(filter, line, before, step))
		before = line
	}
	_ = w.Close()
	return b.Bytes()
}

// adaptive is a filter for each line on its own; below it are the filters of PNG 3,
// section 9.2, for all lines.
const adaptive = 5

// filtered returns a line after a filter, with the type of the filter before it.
func filtered(filter int, line, before []byte, step int) []byte {
	if filter < adaptive {
		return filterLine(filter, line, before, step)
	}
	var best []byte
	least := 0
	for filter := range adaptive {
		out := filterLine(filter, line, before, step)
		sum := 0
		for _, v := range out[1:] {
			sum += min(int(v), 256-int(v))
		}
		if best == nil || sum < least {
			best, least = out, sum
		}
	}
	return best
}

// filterLine returns a line after one of the filters of PNG.
func filterLine(filter int, line, before []byte, step int) []byte {
	out := make([]byte, len(line)+1)
	out[0] = byte(filter)
	for i, v := range line {
		var left, corner byte
		if i >= step {
			left, corner = line[i-step], before[i-step]
		}
		above := before[i]
		switch filter {
		case 1:
			v -= left
		case 2:
			v -= above
		case 3:
			v -= byte((int(left) + int(above)) / 2)
		case 4:
			v -= paeth(left, above, corner)
		}
		out[i+1] = v
	}
	return out
}

// paeth returns the neighbour that is nearest to a linear estimate (PNG 3, section
// 9.4).
func paeth(left, above, corner byte) byte {
	estimate := int(left) + int(above) - int(corner)
	distance := func(v byte) int { return max(estimate-int(v), int(v)-estimate) }
	switch a, b, c := distance(left), distance(above), distance(corner); {
	case a <= b && a <= c:
		return left
	case b <= c:
		return above
	}
	return corner
}
