// Package cascade compares what style sheets mean. [Compare] shows that two
// sheets give every element of every document the same declarations, or names
// the first difference that it cannot rule out.
//
// It knows nothing about how one sheet was made from the other. Both are read
// into boxes: the declarations of one selector under the same conditions. A box
// must say the same in both sheets, after declarations that always lose are left
// out, and declarations of different boxes that can meet on one element and
// differ must have the same order.
//
// The answer is sound, not complete: sheets that mean the same may be reported
// as different.
package cascade

import (
	"fmt"

	"rinzel/internal/css/ast"
	"rinzel/internal/css/intern"
	"rinzel/internal/css/property"
	"rinzel/internal/css/selector"
	"rinzel/internal/source"
)

// Browsers are the browsers that sheets are compared for.
type Browsers interface {
	// Needs returns the features that a browser must have to accept a
	// declaration. It accepts the declaration if it has them.
	Needs(d *ast.Declaration) []string
	// Feature reports whether all browsers have a feature.
	Feature(name string) bool
	// Implies reports whether each browser that has all of some features has
	// another one as well.
	Implies(have []string, feature string) bool
	// Selector reports whether all browsers accept a selector.
	Selector(s ast.Selector) bool
}

// Difference is why two sheets were not shown to mean the same.
type Difference struct {
	// Message describes it in one sentence.
	Message string
	// A and B are the positions in the two sheets; the zero Span for a part that
	// one of them lacks.
	A, B source.Span
	// Involved are the declarations that it is about, in both sheets; empty if
	// it is about something else.
	Involved []*ast.Declaration
}

// Compare returns nil if it can be shown that b means the same as a, and
// otherwise the first difference.
func Compare(a, b []ast.Node, browsers Browsers) *Difference {
	if list := Differences(a, b, browsers, 1); len(list) > 0 {
		return list[0]
	}
	return nil
}

// Differences returns up to most differences between two sheets; none if it can
// be shown that they mean the same. A sheet with many differences may have more
// than are found at once.
func Differences(a, b []ast.Node, browsers Browsers, most int) []*Difference {
	c := newComparison(a, b, browsers)
	c.most = most
	x, y := c.read(a, 0), c.read(b, 1)
	c.compareOthers(x, y)
	c.pairs = make([]pair, 0, c.claims/2)
	for _, box := range c.boxes {
		if len(c.found) >= most {
			break
		}
		c.compareBox(box)
	}
	if len(c.found) == 0 {
		c.compareOrder()
	}
	return c.found
}

// newComparison returns the state of comparing two sheets before they are read.
func newComparison(a, b []ast.Node, browsers Browsers) *comparison {
	return &comparison{browsers: browsers, names: make(map[string]nameID), byKey: make(map[boxKey]*box),
		layers: make(map[nameID]string), selectors: intern.NewSelectors(), numbers: intern.NewDeclarations(),
		equal: make(map[[2]int]bool), namespaces: declaresNamespace(a) || declaresNamespace(b)}
}

// comparison is the state of one comparison.
type comparison struct {
	browsers   Browsers
	most       int // differences to look for
	found      []*Difference
	namespaces bool // one of the sheets declares namespaces
	names      map[string]nameID
	texts      []string          // by nameID
	layers     map[nameID]string // the layer of conditions, without those that are not in one
	selectors  *intern.Selectors
	chosen     []*chosen // by the number of a selector
	byKey      map[boxKey]*box
	boxes      []*box // in the order of their first declaration
	pairs      []pair // what both sheets declare
	numbers    *intern.Declarations
	meanings   []*meaning // by the number of a declaration
	equal      map[[2]int]bool
	sizes      [2]int // the number of declarations of each sheet
	claims     int    // of declarations in boxes, in both sheets
}

// nameID is the number of a text: of conditions, or of a selector.
type nameID int32

// id returns the number of a text.
func (c *comparison) id(text string) nameID {
	id, ok := c.names[text]
	if !ok {
		id = nameID(len(c.texts))
		c.names[text] = id
		c.texts = append(c.texts, text)
	}
	return id
}

// boxKey identifies a box: the same elements under the same conditions.
type boxKey struct {
	where, selector nameID
	weight          selector.Specificity
}

// box is what both sheets declare for the same elements.
type box struct {
	boxKey
	of   ast.Selector // nil if it is nested and cannot be written without nesting
	runs [2][]run     // in each sheet, in order

	single [2][1]run // memory for the first run of each sheet
}

// run is the declarations of one rule, numbered from first.
type run struct {
	first int
	nodes []*ast.Declaration
}

// claim is what one declaration of a sheet says about a property.
type claim struct {
	fact
	of    *ast.Declaration
	order int // of the declaration in the sheet
}

// pair is a claim that both sheets make.
type pair struct {
	box      *box
	property *property.Property
	facts    []fact // of the first sheet; nil if they were not needed so far
	of       [2]*ast.Declaration
	order    [2]int
}

// shown describes a declaration of a box for people.
func (c *comparison) shown(b *box, name, value string, important bool) string {
	if important {
		value += " !important"
	}
	text := fmt.Sprintf("%s { %s: %s }", c.texts[b.selector], name, value)
	if where := c.texts[b.where]; where != "" {
		text += " in " + where
	}
	return text
}

// shownClaim describes a claim for people.
func (c *comparison) shownClaim(b *box, f *claim) string {
	return c.shown(b, f.property.Name, f.value, f.of.Important)
}

// compareOthers compares what is not a declaration of a style rule.
func (c *comparison) compareOthers(x, y *sheet) {
	a, b := withoutRepeats(x.others), withoutRepeats(y.others)
	for i := range max(len(a), len(b)) {
		d := &Difference{}
		switch {
		case i >= len(a):
			d.Message, d.B = "only the second sheet has "+b[i].shown(), b[i].at
		case i >= len(b):
			d.Message, d.A = "only the first sheet has "+a[i].shown(), a[i].at
		case a[i].text != b[i].text || a[i].where != b[i].where:
			d.Message = fmt.Sprintf("%s in one sheet, %s in the other", a[i].shown(), b[i].shown())
			d.A, d.B = a[i].at, b[i].at
		default:
			continue
		}
		c.found = append(c.found, d)
		return // what follows is compared with something else
	}
}

// withoutRepeats returns a list without those that are repeated later: of equal
// definitions, only the last has an effect.
func withoutRepeats(list []other) []other {
	type key struct {
		where nameID
		text  string
	}
	seen := make(map[key]bool)
	out := make([]other, len(list))
	n := len(list)
	for i := len(list) - 1; i >= 0; i-- {
		k := key{list[i].where, list[i].text}
		if list[i].repeatable && seen[k] {
			continue
		}
		seen[k] = true
		n--
		out[n] = list[i]
	}
	return out[n:]
}
