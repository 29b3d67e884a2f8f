package prefix

import (
	"slices"
	"strconv"
	"strings"

	"rinzel/internal/browsers"
	"rinzel/internal/css/ast"
	"rinzel/internal/css/token"
)

// This file writes features whose early drafts had another syntax, not only a
// prefix. The browser data does not describe these.

// box returns the declarations of the 2009 flexible box draft for a current
// one, for browsers that only support that draft (CSS Flexible Box Layout,
// Working Draft of 23 July 2009). Features that the draft does not have are
// omitted.
func (p *prefixer) box(d *ast.Declaration, name string, block []ast.Node) []ast.Node {
	boxes := p.fitting(p.boxes)
	if len(boxes) == 0 {
		return nil
	}
	var words []string
	for _, v := range ast.Significant(d.Value) {
		words = append(words, token.Lower(v.Text))
	}
	var pairs [][2]string // names without prefix, and values; a value of display gets the prefix
	if write := boxForms[name]; write != nil && len(words) > 0 {
		pairs = write(words)
	}
	var out []ast.Node
	for _, prefix := range boxes {
		for _, pair := range pairs {
			twin := *d
			text := pair[1]
			if twin.Name = prefix + pair[0]; pair[0] == "display" {
				twin.Name, text = d.Name, prefix+pair[1]
			}
			twin.Value = []ast.Value{{Kind: kindOf(text), Text: text, Pos: d.Value[0].Pos}}
			if pair[0] == "display" && holds(block, name, twin.Value) || pair[0] != "display" &&
				p.find(block, twin.Name) != nil {
				continue
			}
			out = append(out, &twin)
			what := twin.Name
			if pair[0] == "display" {
				what = name + ": " + text
			}
			p.note(Change{Property: what, Feature: browsers.Property("box-flex"), Prefix: prefix})
		}
	}
	return out
}

// kindOf returns the token kind of a word or number.
func kindOf(text string) token.Kind {
	if text[0] >= '0' && text[0] <= '9' {
		return token.Number
	}
	return token.Ident
}

// boxForms return the 2009 properties and values for the words of a current
// value.
var boxForms = map[string]func(words []string) [][2]string{
	"display": func(w []string) [][2]string {
		return oneOf("display", w, map[string]string{"flex": "box", "inline-flex": "inline-box"})
	},
	"flex-direction": func(w []string) [][2]string {
		if len(w) != 1 {
			return nil
		}
		return boxDirection(w[0])
	},
	"flex-flow": func(w []string) [][2]string {
		for _, word := range w {
			if out := boxDirection(word); out != nil {
				return out
			}
		}
		return nil
	},
	"justify-content": func(w []string) [][2]string {
		return oneOf("box-pack", w,
			map[string]string{"flex-start": "start", "start": "start", "flex-end": "end", "end": "end", "center": "center",
				"space-between": "justify"})
	},
	"align-items": func(w []string) [][2]string {
		return oneOf("box-align", w,
			map[string]string{"flex-start": "start", "start": "start", "flex-end": "end", "end": "end", "center": "center",
				"baseline": "baseline", "stretch": "stretch"})
	},
	"flex": func(w []string) [][2]string {
		if grow, ok := map[string]string{"none": "0", "initial": "0", "auto": "1"}[w[0]]; ok {
			return [][2]string{{"box-flex", grow}}
		}
		return boxNumber("box-flex", w[:1], 0)
	},
	"flex-grow": func(w []string) [][2]string { return boxNumber("box-flex", w, 0) },
	"order":     func(w []string) [][2]string { return boxNumber("box-ordinal-group", w, 1) }, // it counts from 1
}

// oneOf returns a property with the translation of a single word.
func oneOf(name string, words []string, values map[string]string) [][2]string {
	if value, ok := values[words[0]]; ok && len(words) == 1 {
		return [][2]string{{name, value}}
	}
	return nil
}

// boxDirection translates a flex-direction.
func boxDirection(word string) [][2]string {
	axis, reverse, _ := strings.Cut(word, "-")
	orient, ok := map[string]string{"row": "horizontal", "column": "vertical"}[axis]
	if !ok || reverse != "" && reverse != "reverse" {
		return nil
	}
	direction := "normal"
	if reverse != "" {
		direction = reverse
	}
	return [][2]string{{"box-orient", orient}, {"box-direction", direction}}
}

// boxNumber returns a property with a number that is not negative, increased by
// more.
func boxNumber(name string, words []string, more float64) [][2]string {
	n, err := strconv.ParseFloat(words[0], 64)
	if err != nil || n < 0 || len(words) != 1 || n > 1e6 {
		return nil
	}
	return [][2]string{{name, strconv.FormatFloat(n+more, 'f', -1, 64)}}
}

// oldGradient returns the arguments of a gradient in the syntax of prefixed
// gradients (CSS Image Values 3, Working Draft of 8 September 2011, section 4):
// a line is named by its starting side, angles are counted counterclockwise
// from east, and the position of a radial gradient comes first. ok is false if
// the draft has no equivalent.
func oldGradient(name string, args []ast.Value) (with []ast.Value, ok bool) {
	parts := ast.SplitAt(args, token.Comma)
	for i := range parts {
		parts[i] = ast.Significant(parts[i])
		if len(parts[i]) == 0 || i > 0 && len(parts[i]) == 1 && isPosition(&parts[i][0]) {
			return nil, false // a position between two colours
		}
	}
	first := parts[0]
	var lead [][]ast.Value
	if strings.HasSuffix(name, "linear-gradient") {
		lead, ok = oldLine(first)
	} else {
		lead, ok = oldCircle(first)
	}
	if !ok {
		return nil, false
	}
	if lead != nil {
		parts = slices.Concat(lead, parts[1:])
	}
	for i, part := range parts {
		if i > 0 {
			with = append(with, ast.Value{Kind: token.Comma, Text: ",", Pos: args[0].Pos})
		}
		part = slices.Clone(part)
		part[0].Space = false
		with = append(with, part...)
	}
	return with, true
}

// isPosition reports whether v is a length, a percentage or a calculation.
func isPosition(v *ast.Value) bool {
	return v.Kind == token.Dimension || v.Kind == token.Percentage || v.Kind == token.Number || v.IsFunction("calc")
}

// calculations are functions that may return an angle.
var calculations = []string{"calc", "min", "max", "clamp", "var", "env"}

// opposite maps sides to the opposite ones.
var opposite = map[string]string{"top": "bottom", "bottom": "top", "left": "right", "right": "left"}

// oldLine returns the first argument of a linear gradient in the legacy syntax:
// nil if it is a colour, so that there is no direction.
func oldLine(first []ast.Value) (lead [][]ast.Value, ok bool) {
	switch {
	case first[0].IsIdent("to"):
		out := slices.Clone(first[1:])
		for i := range out {
			side := opposite[token.Lower(out[i].Text)]
			if side == "" {
				return nil, false
			}
			out[i].Text = side
		}
		return [][]ast.Value{out}, len(out) > 0
	case first[0].IsIdent("in"), first[0].Kind == token.Function &&
		slices.Contains(calculations, token.Lower(first[0].Name())):
		return nil, false
	case len(first) == 1 && first[0].Kind == token.Dimension:
		n := token.NumberLen(first[0].Text)
		degrees, err := strconv.ParseFloat(first[0].Text[:n], 64)
		turns, known := map[string]float64{"deg": 1, "grad": 0.9, "turn": 360}[token.Lower(first[0].Text[n:])]
		if err != nil || !known {
			return nil, false
		}
		out := first[0]
		out.Text = strconv.FormatFloat(90-degrees*turns, 'f', -1, 64) + "deg"
		return [][]ast.Value{{out}}, true
	}
	return nil, true
}

// shapes are the keywords of the shape and size of a radial gradient.
var shapes = []string{"circle", "ellipse", "closest-side", "closest-corner", "farthest-side", "farthest-corner"}

// oldCircle returns the first argument of a radial gradient as two: position
// and shape. It returns nil if it is a colour.
func oldCircle(first []ast.Value) (lead [][]ast.Value, ok bool) {
	at := slices.IndexFunc(first, func(v ast.Value) bool { return v.IsIdent("at") })
	shape, place := first, []ast.Value(nil)
	if at >= 0 {
		shape, place = first[:at], first[at+1:]
	}
	words, places := 0, 0
	for i := range shape {
		switch {
		case shape[i].Kind == token.Ident && slices.Contains(shapes, token.Lower(shape[i].Text)):
			words++
		case isPosition(&shape[i]):
			places++
		}
	}
	switch {
	case at < 0 && words+places != len(shape), at < 0 && words == 0 && places == 0:
		return nil, true // a colour stop
	case words+places != len(shape) || places > 0:
		return nil, false // a size in lengths had another meaning for circles, and did not exist in the first drafts
	case place == nil:
		place = []ast.Value{{Kind: token.Ident, Text: "center", Pos: first[0].Pos}}
	}
	if len(place) == 0 {
		return nil, false
	}
	lead = [][]ast.Value{place}
	if len(shape) > 0 {
		lead = append(lead, shape)
	}
	return lead, true
}
