package tokens

import (
	"fmt"
	"math"
	"slices"
	"strconv"
	"strings"

	"rinzel/internal/css/token"
	"rinzel/internal/diag"
)

// writer returns the function that writes values of a type as CSS, or nil.
func (r *reader) writer(kind string) func(*value) (string, bool) {
	switch kind {
	case "color":
		return r.color
	case "dimension":
		return r.dimension
	case "duration":
		return r.duration
	case "number":
		return r.number
	case "fontFamily":
		return r.fontFamily
	case "fontWeight":
		return r.fontWeight
	case "cubicBezier":
		return r.cubicBezier
	case "strokeStyle":
		return r.strokeStyle
	case "border":
		return r.border
	case "transition":
		return r.transition
	case "shadow":
		return r.shadow
	case "gradient":
		return r.gradient
	}
	return nil
}

// types are the types of tokens.
var types = []string{"color", "dimension", "duration", "number", "fontFamily", "fontWeight", "cubicBezier",
	"strokeStyle", "border",
	"transition", "shadow", "gradient", "typography"}

// css returns a value of a type, or of the alias that it is, as CSS.
func (r *reader) css(v *value, kind string) (string, bool) {
	end, is, outside := r.resolve(v, kind)
	switch {
	case outside != "":
		return reading(outside), true
	case end == nil:
		return "", false
	}
	r.depth++
	defer func() { r.depth-- }()
	if r.written++; r.depth > maxDepth || r.written > maxParts {
		r.tooMuch(v.at)
		return "", false
	}
	if end.kind == invalid {
		return "", false // after a finding
	}
	if write := r.writer(is); write != nil {
		return write(end)
	}
	fix := diag.DidYouMean(is, types, "the types are "+strings.Join(types, ", "))
	r.fail(end.at, fmt.Sprintf("unknown token type %q", is), fix)
	return "", false
}

// part returns a key of a composite value as CSS.
func (r *reader) part(v *value, name, kind string) (string, bool) {
	p := v.get(name)
	if p == nil {
		r.fail(v.at, fmt.Sprintf("token without %q", name), "")
		return "", false
	}
	return r.css(p, kind)
}

// parts returns several keys of a composite value, separated by spaces.
func (r *reader) parts(v *value, kind string, names ...[2]string) (string, bool) {
	if !r.expect(v, object, kind) {
		return "", false
	}
	var out []string
	for _, name := range names {
		css, ok := r.part(v, name[0], name[1])
		if !ok {
			return "", false
		}
		out = append(out, css)
	}
	return strings.Join(out, " "), true
}

// plain returns a string that is CSS already, unless it contains something that
// could end a value.
func (r *reader) plain(v *value, kind string) (string, bool) {
	if v.text == "" || strings.ContainsAny(v.text, "{};\"'\\\n") || strings.Contains(v.text, "/*") ||
		strings.Count(v.text, "(") != strings.Count(v.text, ")") {
		r.fail(v.at, fmt.Sprintf("%q is not a %s", v.text, kind), "")
		return "", false
	}
	return v.text, true
}

// digits formats a number.
func digits(f float64) string { return strconv.FormatFloat(f, 'f', -1, 64) }

// number returns a number.
func (r *reader) number(v *value) (string, bool) {
	if !r.expect(v, number, "number") {
		return "", false
	}
	return digits(v.num), true
}

// color returns a colour: an object with a colour space, or, in older files, a
// string.
func (r *reader) color(v *value) (string, bool) {
	if v.kind == text {
		return r.plain(v, "colour")
	}
	space, components := v.get("colorSpace"), v.get("components")
	if v.kind != object || space == nil || components == nil || len(components.list) != 3 {
		r.fail(v.at, "a colour needs a colorSpace and three components",
			`write { "colorSpace": "srgb", "components": [0, 0.5, 0.5] }`)
		return "", false
	}
	var c [3]string
	bytes := space.text == "srgb"
	for i := range components.list {
		n := &components.list[i]
		switch {
		case n.kind == number:
			c[i] = digits(n.num)
			bytes = bytes && n.num >= 0 && n.num <= 1 && math.Abs(n.num*255-math.Round(n.num*255)) < 0.01
		case n.text == "none":
			c[i] = "none"
			bytes = false
		default:
			r.fail(n.at, `a component must be a number or "none", got `+n.kind.String(), "")
			return "", false
		}
	}
	alpha := ""
	if a := v.get("alpha"); a != nil && a.num != 1 {
		alpha = " / " + digits(a.num)
	}
	if bytes {
		for i := range c {
			c[i] = strconv.Itoa(int(math.Round(components.list[i].num * 255)))
		}
		return "rgb(" + strings.Join(c[:], " ") + alpha + ")", true
	}
	return r.inSpace(space, c, alpha)
}

// inSpace returns a colour in the function of its space.
func (r *reader) inSpace(space *value, c [3]string, alpha string) (string, bool) {
	switch space.text {
	case "hsl", "hwb":
		for i := 1; i < 3; i++ {
			if c[i] != "none" {
				c[i] += "%"
			}
		}
		return space.text + "(" + strings.Join(c[:], " ") + alpha + ")", true
	case "lab", "lch", "oklab", "oklch":
		return space.text + "(" + strings.Join(c[:], " ") + alpha + ")", true
	case "srgb", "srgb-linear", "display-p3", "a98-rgb", "prophoto-rgb", "rec2020", "xyz-d50", "xyz-d65":
		return "color(" + space.text + " " + strings.Join(c[:], " ") + alpha + ")", true
	}
	r.fail(space.at, fmt.Sprintf("unknown colour space %q", space.text), "")
	return "", false
}

// measure returns an object with a value and a unit, or, in older files, a
// string.
func (r *reader) measure(v *value, kind string, units ...string) (string, bool) {
	if v.kind == text {
		return r.plain(v, kind)
	}
	if v.kind == number && v.num == 0 {
		return "0" + units[0], true
	}
	n, unit := v.get("value"), v.get("unit")
	if v.kind != object || n == nil || n.kind != number || unit == nil {
		r.fail(v.at, fmt.Sprintf("a %s needs a value and a unit", kind),
			fmt.Sprintf(`write { "value": 8, "unit": %q }`, units[0]))
		return "", false
	}
	if !slices.Contains(units, unit.text) {
		r.fail(unit.at, fmt.Sprintf("the unit of a %s must be %s, got %q", kind, strings.Join(units, " or "), unit.text), "")
		return "", false
	}
	return digits(n.num) + unit.text, true
}

// dimension returns a length.
func (r *reader) dimension(v *value) (string, bool) { return r.measure(v, "dimension", "px", "rem") }

// duration returns a time.
func (r *reader) duration(v *value) (string, bool) { return r.measure(v, "duration", "ms", "s") }

// genericFamilies are font names that are not quoted.
var genericFamilies = []string{"serif", "sans-serif", "monospace", "cursive", "fantasy", "system-ui", "ui-serif",
	"ui-sans-serif",
	"ui-monospace", "ui-rounded", "math", "fangsong"}

// fontFamily returns a list of font names.
func (r *reader) fontFamily(v *value) (string, bool) {
	names := v.list
	if v.kind == text {
		names = []value{*v}
	} else if !r.expect(v, list, "fontFamily") {
		return "", false
	}
	var out []string
	for i := range names {
		if !r.expect(&names[i], text, "fontFamily") {
			return "", false
		}
		name := names[i].text
		if !slices.Contains(genericFamilies, strings.ToLower(name)) {
			name = token.Quote(name)
		}
		out = append(out, name)
	}
	return strings.Join(out, ", "), len(out) > 0
}

// weights are the names of font weights.
var weights = map[string]int{
	"thin": 100, "hairline": 100, "extra-light": 200, "ultra-light": 200, "light": 300, "normal": 400,
	"regular": 400, "book": 400, "medium": 500, "semi-bold": 600, "demi-bold": 600, "bold": 700,
	"extra-bold": 800, "ultra-bold": 800, "black": 900, "heavy": 900, "extra-black": 950, "ultra-black": 950,
}

// fontWeight returns a font weight.
func (r *reader) fontWeight(v *value) (string, bool) {
	if v.kind == number && v.num >= 1 && v.num <= 1000 {
		return digits(v.num), true
	}
	if n, ok := weights[v.text]; ok {
		return strconv.Itoa(n), true
	}
	r.fail(v.at, "a fontWeight must be a number from 1 to 1000, or a name such as bold", "")
	return "", false
}

// cubicBezier returns a timing function.
func (r *reader) cubicBezier(v *value) (string, bool) {
	if len(v.list) != 4 || slices.ContainsFunc(v.list, func(n value) bool { return n.kind != number }) {
		r.fail(v.at, "a cubicBezier must be a list of four numbers", "")
		return "", false
	}
	var out []string
	for _, n := range v.list {
		out = append(out, digits(n.num))
	}
	return "cubic-bezier(" + strings.Join(out, ", ") + ")", true
}

// strokeStyles are the line styles that both the format and CSS have.
var strokeStyles = []string{"solid", "dashed", "dotted", "double", "groove", "ridge", "outset", "inset"}

// strokeStyle returns a line style. CSS has no dash lengths: an object with
// dash lengths becomes a dashed line.
func (r *reader) strokeStyle(v *value) (string, bool) {
	switch {
	case v.kind == text && slices.Contains(strokeStyles, v.text):
		return v.text, true
	case v.kind == object && v.get("dashArray") != nil:
		return "dashed", true
	}
	r.fail(v.at, "a strokeStyle must be one of "+strings.Join(strokeStyles, ", "), "")
	return "", false
}

// border returns a border.
func (r *reader) border(v *value) (string, bool) {
	return r.parts(v, "border", [2]string{"width", "dimension"}, [2]string{"style", "strokeStyle"},
		[2]string{"color", "color"})
}

// transition returns a transition.
func (r *reader) transition(v *value) (string, bool) {
	return r.parts(v, "transition", [2]string{"duration", "duration"}, [2]string{"timingFunction", "cubicBezier"},
		[2]string{"delay", "duration"})
}

// shadow returns one shadow or a list of shadows.
func (r *reader) shadow(v *value) (string, bool) {
	if v.kind == list {
		var out []string
		for i := range v.list {
			css, ok := r.css(&v.list[i], "shadow")
			if !ok {
				return "", false
			}
			out = append(out, css)
		}
		return strings.Join(out, ", "), len(out) > 0
	}
	css, ok := r.parts(v, "shadow", [2]string{"offsetX", "dimension"}, [2]string{"offsetY", "dimension"},
		[2]string{"blur", "dimension"},
		[2]string{"spread", "dimension"}, [2]string{"color", "color"})
	if inset := v.get("inset"); ok && inset != nil && inset.truth {
		css = "inset " + css
	}
	return css, ok
}

// gradient returns the stops of a gradient, as in linear-gradient().
func (r *reader) gradient(v *value) (string, bool) {
	if !r.expect(v, list, "gradient") {
		return "", false
	}
	var out []string
	for i := range v.list {
		stop := &v.list[i]
		end, _, outside := r.resolve(stop, "gradient")
		if outside != "" || end == nil {
			r.fail(stop.at, "a gradient stop needs a color and a position", "")
			return "", false
		}
		color, ok := r.part(end, "color", "color")
		if !ok {
			return "", false
		}
		position := end.get("position")
		if position == nil || position.kind != number {
			r.fail(end.at, "the position of a gradient stop must be from 0 to 1", "")
			return "", false
		}
		out = append(out, color+" "+digits(math.Round(math.Max(0, math.Min(1, position.num))*1e6)/1e4)+"%")
	}
	return strings.Join(out, ", "), len(out) > 0
}
