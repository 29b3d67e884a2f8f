package minify

import (
	"slices"

	"rinzel/internal/css/ast"
	"rinzel/internal/css/grammar"
	"rinzel/internal/css/print"
	"rinzel/internal/css/property"
	"rinzel/internal/css/token"
)

// This file writes longhands as shorthands, and a shorthand and the longhands
// after it as one shorthand, where that is shorter.

// group is a shorthand with the longhands that it can be written for, in the
// order in which it takes them.
type group struct {
	shorthand string
	longhands []string
	// join returns the value of the shorthand; nil if there is none.
	join func(parts []ast.Value) []ast.Value
	// split returns the values of the longhands; nil if that is not possible.
	split func(list []ast.Value) []ast.Value
}

// groups are the shorthands that set exactly their longhands.
var groups = []group{
	boxGroup("margin", "margin-top", "margin-right", "margin-bottom", "margin-left"),
	boxGroup("padding", "padding-top", "padding-right", "padding-bottom", "padding-left"),
	boxGroup("inset", "top", "right", "bottom", "left"),
	boxGroup("border-width", "border-top-width", "border-right-width", "border-bottom-width", "border-left-width"),
	boxGroup("border-style", "border-top-style", "border-right-style", "border-bottom-style", "border-left-style"),
	boxGroup("border-color", "border-top-color", "border-right-color", "border-bottom-color", "border-left-color"),
	boxGroup("border-radius", "border-top-left-radius", "border-top-right-radius", "border-bottom-right-radius",
		"border-bottom-left-radius"),
	boxGroup("scroll-margin", "scroll-margin-top", "scroll-margin-right", "scroll-margin-bottom",
		"scroll-margin-left"),
	boxGroup("scroll-padding", "scroll-padding-top", "scroll-padding-right", "scroll-padding-bottom",
		"scroll-padding-left"),
	pairGroup("gap", "row-gap", "column-gap"),
	pairGroup("overflow", "overflow-x", "overflow-y"),
	pairGroup("overscroll-behavior", "overscroll-behavior-x", "overscroll-behavior-y"),
	pairGroup("margin-inline", "margin-inline-start", "margin-inline-end"),
	pairGroup("margin-block", "margin-block-start", "margin-block-end"),
	pairGroup("padding-inline", "padding-inline-start", "padding-inline-end"),
	pairGroup("padding-block", "padding-block-start", "padding-block-end"),
	pairGroup("inset-inline", "inset-inline-start", "inset-inline-end"),
	pairGroup("inset-block", "inset-block-start", "inset-block-end"),
	alignGroup("place-content", "align-content", "justify-content"),
	alignGroup("place-items", "align-items", "justify-items"),
	alignGroup("place-self", "align-self", "justify-self"),
	lineGroup("border-top"), lineGroup("border-right"), lineGroup("border-bottom"), lineGroup("border-left"),
	lineGroup("outline"), lineGroup("column-rule"),
	{"flex", []string{"flex-grow", "flex-shrink", "flex-basis"}, func(p []ast.Value) []ast.Value { return flex(spaced(p)) }, nil},
	{"flex-flow", []string{"flex-direction", "flex-wrap"}, joinFlow, nil},
	linesGroup("grid-row"), linesGroup("grid-column"),
}

// boxGroup returns the group of a shorthand of four sides or corners.
func boxGroup(shorthand string, longhands ...string) group {
	return group{shorthand, longhands, func(p []ast.Value) []ast.Value { return sides(spaced(p)) }, splitSides}
}

// pairGroup returns the group of a shorthand of two longhands.
func pairGroup(shorthand string, longhands ...string) group {
	return group{shorthand, longhands, func(p []ast.Value) []ast.Value { return pair(spaced(p)) }, nil}
}

// alignGroup returns the group of an alignment. Some keywords mean something else
// on the other axis, or in a shorthand (CSS Align 3, section 6).
func alignGroup(shorthand string, longhands ...string) group {
	special := words("baseline first last safe unsafe legacy left right")
	return group{shorthand, longhands, func(p []ast.Value) []ast.Value {
		if slices.ContainsFunc(p, func(v ast.Value) bool { return v.Kind != token.Ident || special[token.Lower(v.Text)] }) {
			return nil
		}
		return pair(spaced(p))
	}, nil}
}

// lineGroup returns the group of a border, or of something similar.
func lineGroup(shorthand string) group {
	longhands := []string{shorthand + "-width", shorthand + "-style", shorthand + "-color"}
	join := line
	if shorthand == "outline" {
		join = outline
	}
	return group{shorthand, longhands, func(p []ast.Value) []ast.Value { return join(spaced(p)) }, nil}
}

// linesGroup returns the group of the lines of a grid area.
func linesGroup(shorthand string) group {
	return group{shorthand, []string{shorthand + "-start", shorthand + "-end"}, func(p []ast.Value) []ast.Value {
		slash := ast.Value{Kind: token.Delim, Text: "/", Pos: p[1].Pos}
		return gridLines([]ast.Value{spaced(p[:1])[0], slash, spaced(p[1:])[0]})
	}, nil}
}

// spaced returns values with white space between them.
func spaced(values []ast.Value) []ast.Value {
	out := slices.Clone(values)
	for i := range out {
		out[i].Space = i > 0
	}
	return out
}

// joinFlow returns the value of flex-flow without what is the default.
func joinFlow(p []ast.Value) []ast.Value {
	out := spaced(p)
	switch {
	case p[1].IsIdent("nowrap"):
		return out[:1]
	case p[0].IsIdent("row"):
		return out[1:]
	}
	return out
}

// splitSides returns the four values that a list of one to four stands for.
func splitSides(list []ast.Value) []ast.Value {
	if len(list) > 4 || len(list) == 0 || slices.ContainsFunc(list, func(v ast.Value) bool { return v.IsDelim('/') }) {
		return nil
	}
	out := slices.Clone(list)
	for i := len(out); i < 4; i++ {
		out = append(out, out[max(0, i-2)])
	}
	return out
}

// groupsOf are the groups by the names of their longhands and shorthands.
var groupsOf = func() map[string]*group {
	out := make(map[string]*group)
	for i := range groups {
		for _, name := range append([]string{groups[i].shorthand}, groups[i].longhands...) {
			out[name] = &groups[i]
		}
	}
	return out
}()

// combine writes longhands as shorthands where that is shorter.
func (m *minifier) combine(list []claim) []claim {
	var once, twice []*group
	for i := range list {
		g := groupsOf[list[i].property.Name]
		switch {
		case g == nil || slices.Contains(twice, g):
		case slices.Contains(once, g):
			twice = append(twice, g)
		default:
			once = append(once, g)
		}
	}
	for _, g := range twice {
		if combined, ok := m.combineGroup(list, g); ok {
			list = combined
		}
	}
	return list
}

// combineGroup writes the longhands of a group as its shorthand. ok is false if
// that is not possible, or not shorter.
func (m *minifier) combineGroup(list []claim, g *group) (out []claim, ok bool) {
	values := make([]ast.Value, len(g.longhands))
	have := 0
	first, last := -1, -1
	size := 0
	for i := range list {
		c := &list[i]
		at := slices.Index(g.longhands, c.property.Name)
		switch isShorthand := c.property.Name == g.shorthand; {
		case at < 0 && !isShorthand:
			continue
		case !m.isSimple(c) || first >= 0 && c.of.Important != list[first].of.Important:
			return nil, false
		case isShorthand && first >= 0:
			return nil, false
		case isShorthand:
			// If it cannot be split, all longhands must follow.
			if g.split != nil {
				have = copy(values, g.split(c.of.Value))
			}
		case len(c.of.Value) != 1 || grammar.IsWide(c.of.Value):
			return nil, false
		default:
			if values[at].Text == "" {
				have++
			}
			values[at] = c.of.Value[0]
		}
		if first < 0 {
			first = i
		}
		last = i
		size += sizeOf(c.of)
	}
	if have < len(g.longhands) || first == last {
		return nil, false
	}
	return m.withShorthand(list, g, values, first, last, size)
}

// withShorthand returns declarations with a shorthand in place of what it
// stands for, which is between first and last, and has a size in bytes.
func (m *minifier) withShorthand(list []claim, g *group, values []ast.Value, first, last, size int) ([]claim, bool) {
	p := m.pool.property(g.shorthand)
	for i := first + 1; i < last; i++ { // the shorthand comes where the last part was
		if c := &list[i]; !g.has(c.property.Name) && property.Compete(p, c.property) {
			return nil, false
		}
	}
	value := g.join(values)
	d := *list[last].of
	d.Name, d.Value = g.shorthand, value
	for i := first; i <= last; i++ {
		if c := &list[i]; c.property.Name == g.shorthand {
			d.NamePos = c.of.NamePos
		}
	}
	if value == nil || !grammar.IsValid(g.shorthand, value) || !m.accept.Declaration(&d) || sizeOf(&d) >= size {
		return nil, false
	}
	out := make([]claim, 0, len(list))
	for i := range list {
		switch {
		case i == last:
			out = append(out, m.claimOf(&d))
		case i < first || i > last || !g.has(list[i].property.Name):
			out = append(out, list[i])
		}
	}
	return out, true
}

// has reports whether a group is about a property.
func (g *group) has(name string) bool {
	return name == g.shorthand || slices.Contains(g.longhands, name)
}

// isSimple reports whether a declaration can become part of a shorthand: it is
// valid, all browsers accept it, and it does not depend on substitution.
func (m *minifier) isSimple(c *claim) bool {
	values := c.of.Value
	return !hasComment(values) && grammar.IsValid(c.property.Name, values) && m.accept.Declaration(c.of) &&
		!slices.ContainsFunc(values, func(v ast.Value) bool { return v.Kind == token.Comma })
}

// sizeOf returns the size of a declaration in bytes, with its semicolon.
func sizeOf(d *ast.Declaration) int {
	size := len(d.Name) + 2 + len(print.CompactValues(d.Value))
	if d.Important {
		size += len("!important")
	}
	return size
}
