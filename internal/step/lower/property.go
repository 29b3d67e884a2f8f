package lower

import (
	"slices"
	"strings"

	"rinzel/internal/browsers"
	"rinzel/internal/css/ast"
	"rinzel/internal/css/token"
)

// This file rewrites properties: shorthands that are newer than their
// longhands, display values with two keywords, and logical properties.

// The features of these properties.
const (
	twoOverflows = "css.properties.overflow.multiple_keywords"
	twoDisplays  = "css.properties.display.multi-keyword_values"
)

// propertyFeatures are the features that this rewrite is for.
var propertyFeatures = func() []string {
	out := []string{twoOverflows, twoDisplays, browsers.Property("inset")}
	for name := range placing {
		out = append(out, browsers.Property(name))
	}
	for name := range flow(LeftToRight) {
		out = append(out, browsers.Property(name))
	}
	slices.Sort(out)
	return out
}()

// properties returns the rewrite of declarations.
func (l *lowering) properties() func(*ast.Declaration, site) []ast.Node {
	p := &propertyRewriter{lowering: l, flow: flow(l.Direction), unsupported: make(map[string]bool)}
	return p.declaration
}

// propertyRewriter is the rewrite for the targets.
type propertyRewriter struct {
	*lowering
	flow        map[string][]string // physical properties of logical ones; nil if the direction is unknown
	unsupported map[string]bool     // by name as written: the properties to rewrite
}

// declaration rewrites one declaration.
func (p *propertyRewriter) declaration(d *ast.Declaration, _ site) []ast.Node {
	if d.IsCustom() {
		return nil
	}
	if lacking, known := p.unsupported[d.Name]; known && !lacking {
		return nil
	}
	name := token.Lower(d.Name)
	lacking := true
	var names []string
	switch {
	case name == "overflow":
		if lacking = p.needed(twoOverflows); lacking {
			names = []string{"overflow-x", "overflow-y"}
		}
	case name == "display":
		if lacking = p.needed(twoDisplays); lacking {
			return display(d)
		}
	case name == "inset":
		names = []string{"top", "right", "bottom", "left"}
	case placing[name] != nil:
		names = placing[name]
	case p.flow[name] != nil:
		names = p.flow[name]
	default:
		lacking = false
	}
	if lacking && name != "overflow" && name != "display" {
		lacking = p.needed(browsers.Property(name))
	}
	p.unsupported[d.Name] = lacking
	if !lacking {
		return nil
	}
	return spread(d, name, names)
}

// placing are the shorthands of alignment (CSS Box Alignment 3, sections 5.5
// and 6.5).
var placing = map[string][]string{
	"place-content": {"align-content", "justify-content"}, "place-items": {"align-items", "justify-items"},
	"place-self": {"align-self", "justify-self"},
}

// spread returns the declarations of the longhands: with the whole value if it
// applies to all of them, otherwise with the part for each side. It returns nil
// if the parts are unknown.
func spread(d *ast.Declaration, name string, names []string) []ast.Node {
	parts := ast.Significant(d.Value)
	atOnce := len(names) == 1 || strings.HasPrefix(name, "border-") && !sided(name)
	switch {
	case len(parts) == 0, !atOnce && len(parts) > len(names), name == "overflow" && len(parts) != 2,
		placing[name] != nil && !placed(parts):
		return nil
	case !atOnce && holdsVar(parts) && len(parts) < len(names):
		return nil // var() may stand for several parts
	case !atOnce && holdsFunction(parts,
		func(v *ast.Value) bool { return !slices.Contains(oldFunctions, token.Lower(v.Name())) }):
		return nil // a browser without support for one part skips the whole shorthand, but would not skip all longhands
	}
	out := make([]ast.Node, len(names))
	for i, n := range names {
		one := *d
		one.Name = n
		if !atOnce {
			v := parts[partFor(i, len(parts))]
			v.Space = false
			one.Value = []ast.Value{v}
		}
		out[i] = &one
	}
	return out
}

// oldFunctions are functions that browsers support in all longhands alike.
var oldFunctions = []string{"calc", "min", "max", "clamp", "var", "env", "attr", "rgb", "rgba", "hsl", "hsla"}

// sided reports whether a border property has a part for each side:
// border-inline-color does, whereas border-inline is one border for both sides.
func sided(name string) bool {
	return !strings.Contains(name, "-start") && !strings.Contains(name, "-end") &&
		(strings.HasSuffix(name, "-color") || strings.HasSuffix(name, "-style") || strings.HasSuffix(name, "-width"))
}

// partFor returns the index of the part for the i-th side: a side without a
// part uses that of the opposite side, or the first.
func partFor(i, parts int) int {
	for i >= parts {
		if i -= 2; i < 0 {
			return 0
		}
	}
	return i
}

// placed reports whether the parts of an alignment shorthand are single
// keywords that mean the same in both longhands.
func placed(parts []ast.Value) bool {
	if len(parts) > 0 && (parts[0].IsIdent("left") || parts[0].IsIdent("right")) {
		return false // invalid in the first longhand, and so in the shorthand
	}
	return !slices.ContainsFunc(parts, func(v ast.Value) bool {
		return v.Kind != token.Ident ||
			slices.Contains([]string{"baseline", "first", "last", "safe", "unsafe", "legacy"}, token.Lower(v.Text))
	})
}

// displays maps values of display with two keywords to one keyword (CSS Display
// 3, section 2).
var displays = map[string]string{
	"block flow": "block", "block flow-root": "flow-root", "inline flow": "inline",
	"inline flow-root": "inline-block", "run-in flow": "run-in", "block flex": "flex",
	"inline flex": "inline-flex", "block grid": "grid", "inline grid": "inline-grid", "block table": "table",
	"inline table": "inline-table", "inline ruby": "ruby", "list-item block": "list-item",
	"list-item flow": "list-item", "list-item block flow": "list-item",
}

// display rewrites a value with two keywords, in any order.
func display(d *ast.Declaration) []ast.Node {
	parts := ast.Significant(d.Value)
	var words []string
	for _, v := range parts {
		words = append(words, token.Lower(v.Text))
	}
	if len(words) < 2 {
		return nil
	}
	for two, one := range displays {
		fields := strings.Fields(two)
		if len(fields) == len(words) &&
			!slices.ContainsFunc(fields, func(w string) bool { return !slices.Contains(words, w) }) {
			copied := *d
			copied.Value = []ast.Value{ident(one, &parts[0], false)}
			return []ast.Node{&copied}
		}
	}
	return nil
}

// flow returns the physical properties of logical ones in horizontal writing
// mode (CSS Logical 1), start before end. It returns nil if the direction is
// unknown.
func flow(direction Direction) map[string][]string {
	if direction == AnyDirection {
		return nil
	}
	inline := [2]string{"left", "right"}
	if direction == RightToLeft {
		inline = [2]string{"right", "left"}
	}
	out := map[string][]string{
		"inline-size": {"width"}, "block-size": {"height"},
		"min-inline-size": {"min-width"}, "min-block-size": {"min-height"},
		"max-inline-size": {"max-width"}, "max-block-size": {"max-height"},
	}
	for axis, sides := range map[string][2]string{"block": {"top", "bottom"}, "inline": inline} {
		add := func(before, after string) { // margin-inline-start, border-inline-start-color
			name := before + axis
			out[name+after] = []string{before + sides[0] + after, before + sides[1] + after}
			out[name+"-start"+after] = []string{before + sides[0] + after}
			out[name+"-end"+after] = []string{before + sides[1] + after}
		}
		for _, box := range []string{"margin-", "padding-", "scroll-margin-", "scroll-padding-"} {
			add(box, "")
		}
		for _, part := range []string{"", "-width", "-style", "-color"} {
			add("border-", part)
		}
		out["inset-"+axis] = sides[:]
		out["inset-"+axis+"-start"], out["inset-"+axis+"-end"] = sides[:1], sides[1:]
	}
	for i, block := range []string{"top", "bottom"} {
		for k, side := range inline {
			corner := [2]string{"start", "end"}
			out["border-"+corner[i]+"-"+corner[k]+"-radius"] = []string{"border-" + block + "-" + side + "-radius"}
		}
	}
	return out
}
