package minify

import (
	"strconv"
	"strings"

	"rinzel/internal/css/ast"
	"rinzel/internal/css/token"
)

// colorProperties are the properties in whose values every hash is a colour,
// and so is every identifier that names one.
var colorProperties = words("color background background-color background-image border border-color border-top border-right " +
	"border-bottom border-left border-top-color border-right-color border-bottom-color border-left-color " +
	"border-block border-inline border-block-color border-inline-color border-block-start border-block-end " +
	"border-inline-start border-inline-end border-block-start-color border-block-end-color " +
	"border-inline-start-color border-inline-end-color outline outline-color box-shadow text-shadow " +
	"text-decoration-color text-emphasis-color column-rule column-rule-color caret-color accent-color fill stroke " +
	"stop-color flood-color lighting-color scrollbar-color")

// numberProperties are the properties that take a number, so that a whole one
// means the same as one with a fraction.
var numberProperties = words("opacity line-height flex flex-grow flex-shrink zoom fill-opacity stroke-opacity " +
	"stop-opacity flood-opacity animation-iteration-count scale aspect-ratio")

// color shortens a hash or an identifier that is taken for a colour.
func color(s string) string {
	if s[0] == '#' {
		return hex(s)
	}
	if short, ok := shorterHex[token.Lower(s)]; ok {
		return hex(short)
	}
	return s
}

// hex shortens a colour in hexadecimal notation, without changing whether it
// has an alpha channel.
func hex(s string) string {
	for i := 1; i < len(s); i++ {
		if !token.IsHex(s[i]) {
			return s
		}
	}
	low := strings.ToLower(s)
	switch len(s) {
	case 7:
		if low[1] == low[2] && low[3] == low[4] && low[5] == low[6] {
			low = "#" + low[1:2] + low[3:4] + low[5:6]
		}
	case 9:
		if low[1] == low[2] && low[3] == low[4] && low[5] == low[6] && low[7] == low[8] {
			low = "#" + low[1:2] + low[3:4] + low[5:6] + low[7:8]
		}
	case 4, 5:
	default:
		return s
	}
	if name, ok := shorterName[low]; ok {
		return name
	}
	return low
}

// rgb returns the short form of an opaque rgb() or rgba() of whole numbers
// from 0 to 255, or "" for any other function.
func rgb(name string, args []ast.Value) string {
	if name != "rgb" && name != "rgba" {
		return ""
	}
	var channels []int
	commas := 0
	for i := range args {
		switch v := &args[i]; v.Kind {
		case token.Comma:
			commas++
		case token.Number:
			n, err := strconv.Atoi(v.Text)
			if err != nil || n < 0 || n > 255 {
				return ""
			}
			channels = append(channels, n)
		default:
			return ""
		}
	}
	if len(channels) != 3 || commas != 0 && commas != 2 {
		return ""
	}
	const digits = "0123456789abcdef"
	out := []byte{'#'}
	for _, c := range channels {
		out = append(out, digits[c>>4], digits[c&15])
	}
	return hex(string(out))
}

// properties say how the values of a property are read.
var properties = func() map[string]context {
	set := make(map[string]context)
	for name := range colorProperties {
		set[name] = context{color: true}
	}
	for name := range numberProperties {
		in := set[name]
		in.number = true
		set[name] = in
	}
	return set
}()

func kindOf(color string) token.Kind {
	if color[0] == '#' {
		return token.Hash
	}
	return token.Ident
}

// shorterName are the colours whose name is shorter than their hexadecimal
// notation (CSS Color 4, section 6.1).
var shorterName = map[string]string{
	"#f00": "red", "#d2b48c": "tan", "#808080": "gray", "#008000": "green", "#000080": "navy",
	"#008080": "teal", "#800080": "purple", "#800000": "maroon", "#808000": "olive", "#c0c0c0": "silver",
	"#ffa500": "orange", "#a52a2a": "brown", "#ffc0cb": "pink", "#dda0dd": "plum", "#fa8072": "salmon",
	"#ee82ee": "violet", "#f5deb3": "wheat", "#f0ffff": "azure", "#f5f5dc": "beige", "#ffe4c4": "bisque",
	"#ff7f50": "coral", "#ffd700": "gold", "#4b0082": "indigo", "#fffff0": "ivory", "#f0e68c": "khaki",
	"#faf0e6": "linen", "#da70d6": "orchid", "#cd853f": "peru", "#a0522d": "sienna", "#fffafa": "snow",
	"#ff6347": "tomato",
}

// shorterHex are the colours whose hexadecimal notation is shorter than their
// name, or as short as it and alike to more others.
var shorterHex = map[string]string{
	"white": "#fff", "black": "#000", "yellow": "#ff0", "fuchsia": "#f0f", "magenta": "#f0f",
	"lightslategray": "#789", "lightslategrey": "#789",
	"aliceblue": "#f0f8ff", "antiquewhite": "#faebd7", "aquamarine": "#7fffd4", "blanchedalmond": "#ffebcd",
	"blueviolet": "#8a2be2", "burlywood": "#deb887", "cadetblue": "#5f9ea0", "chartreuse": "#7fff00",
	"chocolate": "#d2691e", "cornflowerblue": "#6495ed", "darkblue": "#00008b", "darkcyan": "#008b8b",
	"darkgoldenrod": "#b8860b", "darkgray": "#a9a9a9", "darkgreen": "#006400", "darkkhaki": "#bdb76b",
	"darkmagenta": "#8b008b", "darkolivegreen": "#556b2f", "darkorange": "#ff8c00", "darkorchid": "#9932cc",
	"darksalmon": "#e9967a", "darkseagreen": "#8fbc8f", "darkslateblue": "#483d8b", "darkslategray": "#2f4f4f",
	"darkturquoise": "#00ced1", "darkviolet": "#9400d3", "deeppink": "#ff1493", "deepskyblue": "#00bfff",
	"dodgerblue": "#1e90ff", "firebrick": "#b22222", "floralwhite": "#fffaf0", "forestgreen": "#228b22",
	"gainsboro": "#dcdcdc", "ghostwhite": "#f8f8ff", "goldenrod": "#daa520", "greenyellow": "#adff2f",
	"honeydew": "#f0fff0", "indianred": "#cd5c5c", "lavenderblush": "#fff0f5", "lawngreen": "#7cfc00",
	"lemonchiffon": "#fffacd", "lightblue": "#add8e6", "lightcoral": "#f08080", "lightcyan": "#e0ffff",
	"lightgoldenrodyellow": "#fafad2", "lightgray": "#d3d3d3", "lightgreen": "#90ee90", "lightpink": "#ffb6c1",
	"lightsalmon": "#ffa07a", "lightseagreen": "#20b2aa", "lightskyblue": "#87cefa", "lightsteelblue": "#b0c4de",
	"lightyellow": "#ffffe0", "limegreen": "#32cd32", "mediumaquamarine": "#66cdaa", "mediumblue": "#0000cd",
	"mediumorchid": "#ba55d3", "mediumpurple": "#9370db", "mediumseagreen": "#3cb371", "mediumslateblue": "#7b68ee",
	"mediumspringgreen": "#00fa9a", "mediumturquoise": "#48d1cc", "mediumvioletred": "#c71585",
	"midnightblue": "#191970", "mintcream": "#f5fffa", "mistyrose": "#ffe4e1", "navajowhite": "#ffdead",
	"olivedrab": "#6b8e23", "orangered": "#ff4500", "palegoldenrod": "#eee8aa", "palegreen": "#98fb98",
	"paleturquoise": "#afeeee", "palevioletred": "#db7093", "papayawhip": "#ffefd5", "peachpuff": "#ffdab9",
	"powderblue": "#b0e0e6", "rebeccapurple": "#663399", "rosybrown": "#bc8f8f", "royalblue": "#4169e1",
	"saddlebrown": "#8b4513", "sandybrown": "#f4a460", "seagreen": "#2e8b57", "slateblue": "#6a5acd",
	"slategray": "#708090", "springgreen": "#00ff7f", "steelblue": "#4682b4", "turquoise": "#40e0d0",
	"whitesmoke": "#f5f5f5", "yellowgreen": "#9acd32",
}
