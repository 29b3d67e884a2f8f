package replace

import (
	"fmt"
	"math"
	"strconv"
	"strings"

	"rinzel/internal/css/ast"
	"rinzel/internal/css/known"
	"rinzel/internal/css/print"
	"rinzel/internal/css/token"
	"rinzel/internal/css/value"
)

// Kind is the kind of a value, for counting and for finding similar values.
type Kind uint8

// The kinds of values. A Name is a string, or an identifier that is not a
// colour.
const (
	Other Kind = iota
	Color
	Number
	Name
)

// Key returns a canonical text: two values have the same key if they mean the
// same, such as #00f, blue and rgb(0 0 255), or .5rem and 0.50REM. property, in
// lower case, decides whether an identifier is a colour. Values that are not
// counted have no key.
func Key(v *ast.Value, property string) (key string, kind Kind) {
	switch v.Kind {
	case token.Whitespace, token.Comment:
		return "", Other
	case token.Hash, token.Function:
		if c, ok := value.ColorOf(v); ok {
			return colorKey(c), Color
		}
	case token.Ident:
		name := strings.ToLower(token.Unescape(v.Text))
		if c, ok := value.ColorOf(v); ok && !known.Property(property).Names {
			return colorKey(c), Color
		}
		return "name " + name, Name
	case token.String:
		return "name " + strings.ToLower(token.StringValue(v.Text)), Name
	case token.Number, token.Percentage, token.Dimension:
		if n, ok := value.Read(v); ok {
			return "number " + strconv.FormatFloat(n.Value, 'g', -1, 64) + n.Unit, Number
		}
	}
	return "text " + print.CompactValues([]ast.Value{bare(v)}), Other
}

// bare returns v without white space before it.
func bare(v *ast.Value) ast.Value {
	out := *v
	out.Space = false
	return out
}

// colorKey returns the key of a colour: its sRGB channels as bytes, without
// clamping.
func colorKey(c value.Color) string {
	return fmt.Sprintf("color %s %d", opaqueKey(c), thousandths(c.Alpha))
}

// opaqueKey returns the key of a colour without its alpha.
func opaqueKey(c value.Color) string {
	rgb := c.To(value.SRGB)
	return fmt.Sprintf("%d %d %d", toByte(rgb.Channels[0]), toByte(rgb.Channels[1]), toByte(rgb.Channels[2]))
}

// toByte converts a channel to 0 to 255.
func toByte(x float64) int { return int(math.Round(x * 255)) }

// thousandths converts an alpha to thousandths.
func thousandths(x float64) int { return int(math.Round(x * 1000)) }
