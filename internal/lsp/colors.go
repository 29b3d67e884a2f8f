package lsp

import (
	"context"
	"fmt"
	"math"
	"strconv"
	"strings"

	"rinzel/internal/css/ast"
	"rinzel/internal/css/grammar"
	"rinzel/internal/css/token"
	"rinzel/internal/css/value"
)

// color is a colour of the protocol: channels in sRGB from 0 to 1.
type color struct {
	Red   float64 `json:"red"`
	Green float64 `json:"green"`
	Blue  float64 `json:"blue"`
	Alpha float64 `json:"alpha"`
}

// colorAt is a colour at a place.
type colorAt struct {
	Range textRange `json:"range"`
	Color color     `json:"color"`
}

// documentColors lists the colours in the values of a sheet: of properties that take
// colours, of custom properties, and of constants.
func (s *server) documentColors(_ context.Context, p onDocument) (any, error) {
	d, nodes := s.parsed(p.TextDocument.URI)
	out := []colorAt{}
	if d == nil {
		return out, nil
	}
	group := 0 // how deep the node is in a group of constants
	var visit func(nodes []ast.Node)
	visit = func(nodes []ast.Node) {
		for _, n := range nodes {
			constants := false
			switch n := n.(type) {
			case *ast.AtRule:
				name := token.Lower(n.Name)
				if constants = name == "const" || name == "default"; constants && n.Block == nil {
					out = append(out, colorsIn(d, n.Prelude)...)
				}
			case *ast.Declaration:
				property, known := grammar.Property(token.Lower(n.Name))
				if group > 0 || n.IsCustom() || known && property.Facts().Color {
					out = append(out, colorsIn(d, n.Value)...)
				}
			}
			if constants || group > 0 {
				group++
				visit(ast.Body(n))
				group--
			} else {
				visit(ast.Body(n))
			}
		}
	}
	visit(nodes)
	return out, nil
}

// colorsIn returns the colours in values, also in functions that are none.
func colorsIn(d *document, values []ast.Value) (out []colorAt) {
	for i := range values {
		v := &values[i]
		c, ok := value.ColorOf(v)
		if !ok {
			out = append(out, colorsIn(d, v.Values())...)
			continue
		}
		span := ast.SpanOf(values[i : i+1])
		rgb := c.Mapped().Channels
		out = append(out, colorAt{rangeIn(d.text, int(span.Start.Off), int(span.End)), color{rgb[0], rgb[1], rgb[2], c.Alpha}})
	}
	return out
}

// presentation is a way to write a colour.
type presentation struct {
	Label    string   `json:"label"`
	TextEdit textEdit `json:"textEdit"`
}

// colorPresentations returns ways to write a colour.
func (s *server) colorPresentations(_ context.Context, p struct {
	Color color     `json:"color"`
	Range textRange `json:"range"`
}) (any, error) {
	out := []presentation{}
	for _, text := range []string{p.Color.hex(), p.Color.rgb()} {
		out = append(out, presentation{text, textEdit{p.Range, text}})
	}
	return out, nil
}

// bytes returns the channels as bytes, with alpha.
func (c color) bytes() (out [4]int) {
	for i, x := range []float64{c.Red, c.Green, c.Blue, c.Alpha} {
		out[i] = int(math.Round(min(max(x, 0), 1) * 255))
	}
	return out
}

// hex returns the colour in hexadecimal notation.
func (c color) hex() string {
	b := c.bytes()
	text := fmt.Sprintf("#%02x%02x%02x", b[0], b[1], b[2])
	if b[3] < 255 {
		text += fmt.Sprintf("%02x", b[3])
	}
	return text
}

// rgb returns the colour as rgb().
func (c color) rgb() string {
	b := c.bytes()
	text := fmt.Sprintf("rgb(%d %d %d", b[0], b[1], b[2])
	if c.Alpha < 1 {
		const digits = 3
		text += " / " + strings.TrimSuffix(strings.TrimRight(strconv.FormatFloat(max(c.Alpha, 0), 'f', digits, 64), "0"), ".")
	}
	return text + ")"
}

// workspaceSymbols lists the constants, mixins, functions and classes of the site whose
// names contain a text.
func (s *server) workspaceSymbols(ctx context.Context, p struct {
	Query string `json:"query"`
}) (any, error) {
	type found struct {
		Name     string   `json:"name"`
		Kind     int      `json:"kind"`
		Location location `json:"location"`
	}
	const most = 300
	out := []found{}
	f := s.known(ctx)
	add := func(n named, kind int) {
		if len(out) == most || !strings.Contains(strings.ToLower(n.name), strings.ToLower(p.Query)) {
			return
		}
		if uri, where, ok := s.place(n.at); ok {
			out = append(out, found{n.name, kind, location{uri, where}})
		}
	}
	for _, c := range f.constants {
		add(named{name: c.path, at: c.at}, symbolConstant)
	}
	for _, m := range f.mixins {
		add(m, symbolFunction)
	}
	for _, v := range f.variables {
		add(v, symbolProperty)
	}
	for i, c := range f.classes {
		if i == 0 || f.classes[i-1].name != c.name { // the first rule with it
			add(c, symbolClass)
		}
	}
	return out, nil
}
