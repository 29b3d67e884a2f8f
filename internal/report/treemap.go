package report

import (
	"cmp"
	"fmt"
	"math"
	"path"
	"slices"
	"strings"
)

// Treemap shows sheets as rectangles with areas in proportion to their bytes in
// the outputs, grouped by folder.
type Treemap struct {
	Width, Height int
	Groups        []Group
}

// Group is a folder in a treemap.
type Group struct {
	Name  string
	Bytes int
	Color int // number of a colour, from 0
	Label string
	Box
	Cells []Cell
}

// Cell is a sheet in a treemap, or several small ones.
type Cell struct {
	Name  string
	Bytes int
	Share float64 // of all bytes, in percent
	Label string  // as much of the name as fits; empty if nothing does
	Size  string  // the size, if it fits
	Box
}

// Box is a rectangle, in units of the treemap.
type Box struct{ X, Y, W, H float64 }

// Sizes of treemaps.
const (
	mapWidth, mapHeight = 1000, 520
	groupColors         = 8
	charWidth           = 6.4 // average width of a character of a label
	labelHeight         = 15  // of the title of a group
	smallest            = 40  // area of a cell; smaller ones of a group are joined
)

// treemapOf returns the treemap of sheets.
func treemapOf(sheets []Sheet) Treemap {
	m := Treemap{Width: mapWidth, Height: mapHeight}
	total := 0
	groups := make(map[string]*Group)
	for _, s := range sheets {
		if s.Bytes == 0 {
			continue
		}
		total += s.Bytes
		dir, _ := split(s.Name)
		if groups[dir] == nil {
			groups[dir] = &Group{Name: dir}
		}
		g := groups[dir]
		g.Bytes += s.Bytes
		g.Cells = append(g.Cells, Cell{Name: s.Name, Bytes: s.Bytes})
	}
	for _, g := range groups {
		m.Groups = append(m.Groups, *g)
	}
	slices.SortFunc(m.Groups, func(a, b Group) int {
		return cmp.Or(cmp.Compare(b.Bytes, a.Bytes), strings.Compare(a.Name, b.Name))
	})
	weights := make([]float64, len(m.Groups))
	for i := range m.Groups {
		weights[i] = float64(m.Groups[i].Bytes)
	}
	for i, box := range squarify(weights, Box{0, 0, mapWidth, mapHeight}) {
		g := &m.Groups[i]
		g.Box, g.Color = box, i%groupColors
		g.fill(total)
	}
	return m
}

// split splits the displayed path of a sheet into its folder, or the root of the
// program, and its name.
func split(sheet string) (dir, name string) {
	if root, rest, ok := strings.Cut(sheet, ":"); ok && !strings.Contains(sheet, "/") {
		return root, rest
	}
	return path.Dir(sheet), path.Base(sheet)
}

// fill lays out the cells of a group in its box.
func (g *Group) fill(total int) {
	inside := Box{g.X + 1, g.Y + 1, math.Max(0, g.W-2), math.Max(0, g.H-2)}
	if g.W > 70 && g.H > 3*labelHeight {
		g.Label = fitting(g.Name, g.W-8)
		inside.Y, inside.H = inside.Y+labelHeight, inside.H-labelHeight
	}
	scale := inside.W * inside.H / float64(max(g.Bytes, 1))
	kept := slices.IndexFunc(g.Cells, func(c Cell) bool { return float64(c.Bytes)*scale < smallest })
	if kept >= 0 && len(g.Cells)-kept > 1 {
		rest := Cell{Name: fmt.Sprintf("%d small sheets in %s", len(g.Cells)-kept, g.Name)}
		for _, c := range g.Cells[kept:] {
			rest.Bytes += c.Bytes
		}
		g.Cells = append(slices.Clip(g.Cells[:kept]), rest)
		slices.SortStableFunc(g.Cells, func(a, b Cell) int { return b.Bytes - a.Bytes })
	}
	weights := make([]float64, len(g.Cells))
	for i := range g.Cells {
		weights[i] = float64(g.Cells[i].Bytes)
	}
	for i, box := range squarify(weights, inside) {
		c := &g.Cells[i]
		c.Box = Box{box.X + 0.5, box.Y + 0.5, math.Max(0, box.W-1), math.Max(0, box.H-1)}
		c.Share = 100 * float64(c.Bytes) / float64(max(total, 1))
		if c.H > 14 {
			_, name := split(c.Name)
			c.Label = cellLabel(name, c.W-6)
		}
		if size := sizeText(c.Bytes); c.Label != "" && c.H > 30 && float64(len(size))*charWidth < c.W-6 {
			c.Size = size
		}
	}
}

// cellLabel returns the name of a file as far as it fits a width, without its
// extension if that helps.
func cellLabel(name string, width float64) string {
	if label := fitting(name, width); label == name {
		return name
	}
	return fitting(strings.TrimSuffix(name, path.Ext(name)), width)
}

// fitting returns as much of a text as fits a width; empty if that is too little
// to be read.
func fitting(text string, width float64) string {
	most := int(width / charWidth)
	if len(text) <= most {
		return text
	}
	if most < 4 {
		return ""
	}
	return strings.ToValidUTF8(text[:most-1], "") + "…"
}

// squarify divides a box into boxes with areas in proportion to weights, which
// must be in descending order, so that their sides differ as little as possible:
// rows are filled as long as that makes the worst of their boxes less oblong.
func squarify(weights []float64, in Box) []Box {
	out := make([]Box, 0, len(weights))
	sum := 0.0
	for _, w := range weights {
		sum += w
	}
	for len(weights) > 0 && sum > 0 {
		short := math.Min(in.W, in.H)
		scale := in.W * in.H / sum
		n, row := 1, weights[0]
		for n < len(weights) && worst(weights[:n+1], row+weights[n], short, scale) <= worst(weights[:n], row, short, scale) {
			row += weights[n]
			n++
		}
		thick := row / sum * math.Max(in.W, in.H) // of the row
		at := 0.0
		for _, w := range weights[:n] {
			long := w / row * short
			if in.W >= in.H {
				out = append(out, Box{in.X, in.Y + at, thick, long})
			} else {
				out = append(out, Box{in.X + at, in.Y, long, thick})
			}
			at += long
		}
		if in.W >= in.H {
			in.X, in.W = in.X+thick, in.W-thick
		} else {
			in.Y, in.H = in.Y+thick, in.H-thick
		}
		sum -= row
		weights = weights[n:]
	}
	return out
}

// worst returns the largest ratio of the sides of boxes in a row along a side.
func worst(weights []float64, sum, side, scale float64) float64 {
	thick := sum * scale / side
	most := 0.0
	for _, w := range weights {
		long := w * scale / thick
		most = math.Max(most, math.Max(long/thick, thick/long))
	}
	return most
}
