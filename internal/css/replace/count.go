package replace

import (
	"cmp"
	"fmt"
	"math"
	"slices"
	"strings"

	"rinzel/internal/css/ast"
	"rinzel/internal/css/print"
	"rinzel/internal/css/token"
	"rinzel/internal/css/value"
	"rinzel/internal/source"
)

// Group is a heading that [Repeat] values are listed under.
type Group uint8

// The groups of values, in listing order.
const (
	Colors Group = iota
	Lengths
	Times
	Fonts
	Queries // lengths in the conditions of @media and @container
	Groups
)

// String returns the heading.
func (g Group) String() string {
	return [...]string{"colours", "lengths", "times", "fonts", "lengths in conditions"}[g]
}

// Repeat is a value with all its uses.
type Repeat struct {
	Group Group
	Text  string // in its most frequent spelling
	Uses  []Use  // in the order of the sheets
	Color *value.Color
	// From is the text of the colour that this one is a shade or a translucent
	// form of, and Relative its expression in terms of that colour, which is
	// called "old" as in a replacement. Both may be "".
	From, Relative string
	spellings      map[string]int
}

// Use is one occurrence of a value.
type Use struct {
	Property string // or the feature of a condition
	At       source.Span
}

// IsChannels reports whether the value is a list of the channels of a colour,
// in braces.
func (r *Repeat) IsChannels() bool { return r.Color != nil && r.Text[0] == '{' }

// Properties returns the properties of the uses, the most frequent first.
func (r *Repeat) Properties() []string {
	count := make(map[string]int)
	var names []string
	for _, u := range r.Uses {
		if count[u.Property]++; count[u.Property] == 1 {
			names = append(names, u.Property)
		}
	}
	slices.SortStableFunc(names, func(a, b string) int { return count[b] - count[a] })
	return names
}

// Counter counts the values of sheets. The zero Counter is ready to use.
type Counter struct {
	byKey map[string]*Repeat
	order []*Repeat
}

// Add counts the values of nodes.
func (c *Counter) Add(nodes []ast.Node) {
	ast.Walk(nodes, func(n ast.Node) bool {
		switch n := n.(type) {
		case *ast.Declaration:
			c.declaration(n)
		case *ast.AtRule:
			if name := token.Lower(n.Name); name == "media" || name == "container" {
				c.condition(n.Prelude)
			}
		}
		return true
	})
}

// declaration counts the values of a declaration.
func (c *Counter) declaration(d *ast.Declaration) {
	property := token.Lower(d.Name)
	switch property {
	case "font-family":
		for _, family := range ast.SplitAt(d.Value, token.Comma) {
			c.font(family, property)
		}
		return
	case "font":
		families := ast.SplitAt(d.Value, token.Comma)
		if n := len(families[0]); n > 0 {
			c.font(families[0][n-1:], property)
		}
		for _, family := range families[1:] {
			c.font(family, property)
		}
	}
	if d.IsCustom() && c.channels(d, property) {
		return
	}
	c.values(d.Value, property)
}

// channels counts a custom property that contains the channels of a colour for
// rgb(): 43, 108, 176.
func (c *Counter) channels(d *ast.Declaration, property string) bool {
	values := ast.Significant(d.Value)
	var bytes []float64
	for i := range values {
		n, ok := value.Read(&values[i])
		switch {
		case values[i].Kind == token.Comma:
		case ok && n.Unit == "" && n.Value >= 0 && n.Value <= 255 && n.Value == math.Trunc(n.Value):
			bytes = append(bytes, n.Value)
		default:
			return false
		}
	}
	if len(bytes) != 3 || len(values) != 3 && len(values) != 5 {
		return false
	}
	color := value.Color{Alpha: 1, Legacy: true, Channels: [3]float64{bytes[0] / 255, bytes[1] / 255, bytes[2] / 255}}
	text := "{" + print.Values(values) + "}"
	c.add("channels "+text, Colors, text, Use{property, ast.SpanOf(values)}, &color)
	return true
}

// font counts the font family in values. Generic families and keywords do not
// count.
func (c *Counter) font(values []ast.Value, property string) {
	values = ast.Significant(values)
	if len(values) == 0 || values[0].Kind != token.String && values[0].Kind != token.Ident {
		return
	}
	name := strings.ToLower(print.CompactValues(values))
	if !genericFamilies[name] {
		c.add("font "+strings.Trim(name, `"'`), Fonts, print.Values(values), Use{property, ast.SpanOf(values)}, nil)
	}
}

// genericFamilies are family names that are not fonts.
var genericFamilies = map[string]bool{
	"serif": true, "sans-serif": true, "monospace": true, "cursive": true, "fantasy": true, "math": true,
	"system-ui": true, "ui-serif": true, "ui-sans-serif": true, "ui-monospace": true, "ui-rounded": true,
	"inherit": true, "initial": true, "unset": true, "revert": true, "revert-layer": true, "caption": true,
	"icon": true, "menu": true, "message-box": true, "small-caption": true, "status-bar": true,
}

// values counts colours, lengths and times in values.
func (c *Counter) values(values []ast.Value, property string) {
	for i := range values {
		v := &values[i]
		use := Use{property, v.Span()}
		switch key, kind := Key(v, property); kind {
		case Color:
			col, _ := value.ColorOf(v)
			if col.Alpha > 0 || v.Kind != token.Ident { // transparent is not part of a palette
				c.add(key, Colors, print.CompactValues([]ast.Value{bare(v)}), use, &col)
			}
			continue
		case Number:
			c.number(v, key, use)
		}
		EachPictureColor(v, func(color *ast.Value) string {
			key, _ := Key(color, property)
			if col, ok := value.ColorOf(color); ok {
				c.add(key, Colors, color.Text, use, &col)
			}
			return ""
		})
		if v.Inner != nil {
			c.values(v.Inner.Values, property)
		}
	}
}

// number counts a length or a time.
func (c *Counter) number(v *ast.Value, key string, use Use) {
	n, _ := value.Read(v)
	if n.Value == 0 {
		return
	}
	switch value.Measures(n.Unit) {
	case "length":
		c.add(key, Lengths, v.Text, use, nil)
	case "time":
		c.add(key, Times, v.Text, use, nil)
	}
}

// condition counts the lengths in a condition.
func (c *Counter) condition(values []ast.Value) {
	for i := range values {
		inner := values[i].Values()
		for k := range inner {
			n, ok := value.Read(&inner[k])
			if !ok || value.Measures(n.Unit) != "length" {
				continue
			}
			name := "width"
			if names := features(inner); len(names) > 0 {
				name = names[0]
			}
			key, _ := Key(&inner[k], "")
			c.add("query "+key, Queries, inner[k].Text, Use{name, inner[k].Span()}, nil)
		}
		c.condition(inner)
	}
}

// add counts one use.
func (c *Counter) add(key string, g Group, text string, use Use, color *value.Color) {
	key = fmt.Sprintf("%d %s", g, key)
	r := c.byKey[key]
	if r == nil {
		if c.byKey == nil {
			c.byKey = make(map[string]*Repeat)
		}
		r = &Repeat{Group: g, Color: color, spellings: make(map[string]int)}
		c.byKey[key] = r
		c.order = append(c.order, r)
	}
	r.Uses = append(r.Uses, use)
	r.spellings[text]++
	if r.Text == "" || r.spellings[text] > r.spellings[r.Text] {
		r.Text = text
	}
}

// Repeats returns the counted values by group, the most frequent first. Colours
// derived from others are related to them.
func (c *Counter) Repeats() []*Repeat {
	slices.SortStableFunc(c.order, func(a, b *Repeat) int {
		return cmp.Or(cmp.Compare(a.Group, b.Group), cmp.Compare(len(b.Uses), len(a.Uses)))
	})
	var bases []*Repeat
	for _, r := range c.order {
		if r.Color == nil {
			continue
		}
		for _, base := range bases {
			if r.IsChannels() && opaqueKey(*base.Color) == opaqueKey(*r.Color) {
				r.From, r.Relative = base.Text, "the channels of old"
				break
			}
			if relative, ok := relation(*base.Color, *r.Color); ok {
				r.From, r.Relative = base.Text, relative
				break
			}
		}
		if r.Color.Alpha == 1 && r.From == "" && !r.IsChannels() {
			bases = append(bases, r)
		}
	}
	return c.order
}

// relation returns a colour as a relative colour in terms of base, which is
// called "old": base with another alpha, or a shade of base with about the same
// hue. It is exact to the byte.
func relation(base, c value.Color) (relative string, ok bool) {
	opaque := c
	opaque.Alpha = 1
	if opaqueKey(base) == opaqueKey(opaque) {
		return fmt.Sprintf("rgb(from old r g b / %s)", decimal(c.Alpha, 3)), c.Alpha < 1
	}
	if c.Alpha != 1 {
		return "", false
	}
	const (
		grey = 0.03 // chroma below which a hue is not visible
		turn = 14   // maximum difference of hues that look alike, in degrees
		dull = 0.35 // minimum share of the chroma in a shade, and
		rich = 2    // maximum
	)
	from, to := base.To(value.Oklch).Channels, c.To(value.Oklch).Channels
	hue := math.Remainder(to[2]-from[2], 360)
	if from[1] < grey || to[1] < grey || math.Abs(hue) > turn || to[1] < dull*from[1] || to[1] > rich*from[1] {
		return "", false
	}
	for digits := 2; digits <= 5; digits++ {
		l, s, h := rounded(to[0]-from[0], digits), rounded(to[1]/from[1], digits), rounded(hue, digits-1)
		made := value.Color{Space: value.Oklch, Alpha: 1, Channels: [3]float64{from[0] + l, from[1] * s, from[2] + h}}
		if opaqueKey(made) != opaqueKey(c) {
			continue
		}
		return fmt.Sprintf("oklch(from old %s %s %s)", plus("l", l, digits), times("c", s, digits),
			plus("h", h, digits-1)), true
	}
	return "", false
}

// rounded rounds x to a number of decimals.
func rounded(x float64, digits int) float64 {
	scale := math.Pow10(digits)
	return math.Round(x*scale) / scale
}

// decimal formats x with at most digits decimals.
func decimal(x float64, digits int) string {
	text := fmt.Sprintf("%.*f", digits, x)
	if strings.Contains(text, ".") {
		text = strings.TrimRight(strings.TrimRight(text, "0"), ".")
	}
	return text
}

// plus returns an expression that adds x to a channel.
func plus(name string, x float64, digits int) string {
	switch {
	case x == 0:
		return name
	case x < 0:
		return fmt.Sprintf("calc(%s - %s)", name, decimal(-x, digits))
	}
	return fmt.Sprintf("calc(%s + %s)", name, decimal(x, digits))
}

// times returns an expression that multiplies a channel by x.
func times(name string, x float64, digits int) string {
	if x == 1 {
		return name
	}
	return fmt.Sprintf("calc(%s * %s)", name, decimal(x, digits))
}
