package cascade

import (
	"slices"
	"strings"

	"rinzel/internal/css/ast"
	"rinzel/internal/css/print"
	"rinzel/internal/source"
)

// This file lists what two sheets declare differently, for people.

// Change is a rule, or a declaration of a rule, that only one of two sheets has,
// or declarations that differ. Rules are compared by selector and conditions, so
// a rule for two selectors counts as two.
type Change struct {
	Where    string // conditions and layers around the rule; empty without any
	Selector string
	// Whole is set if the other sheet has no such rule.
	Whole bool
	// Old and New are the declarations of the first and the second sheet, as
	// "color: red", in order; empty if it has none.
	Old, New []string
	// A and B are the positions of the first of them; the zero Span without one.
	A, B source.Span
}

// Changes returns what differs between the declarations of two sheets, in the
// order of the first one, then of the second. Declarations that always lose do
// not count, nor does how the same values are written. The order of rules, and
// what is not in style rules, is not compared; see [Differences].
func Changes(a, b []ast.Node, browsers Browsers) []Change {
	c := newComparison(a, b, browsers)
	c.read(a, 0)
	c.read(b, 1)
	var out []Change
	for _, box := range c.boxes {
		if change, ok := c.change(box); ok {
			out = append(out, change)
		}
	}
	return out
}

// change returns how a box differs between the sheets. ok is false if it does
// not.
func (c *comparison) change(b *box) (change Change, ok bool) {
	if c.pairUp(b) {
		return change, false
	}
	sides := [2]facts{c.facts(b, 0), c.facts(b, 1)}
	var differing [2][]*ast.Declaration
	note := func(side int, claims []*claim) {
		for _, f := range claims {
			if !slices.Contains(differing[side], f.of) {
				differing[side] = append(differing[side], f.of)
			}
		}
	}
	for side, mine := range sides {
		for _, name := range mine.names {
			theirs := sides[1-side].claims[name]
			if !slices.EqualFunc(mine.claims[name], theirs, c.same) {
				note(side, mine.claims[name])
			}
		}
	}
	change = Change{Where: c.texts[b.where], Selector: c.texts[b.selector],
		Whole: len(b.runs[0]) == 0 || len(b.runs[1]) == 0}
	change.Old, change.A = declared(differing[0])
	change.New, change.B = declared(differing[1])
	return change, len(change.Old)+len(change.New) > 0
}

// declared returns declarations as texts, and the position of the first one.
func declared(list []*ast.Declaration) (texts []string, at source.Span) {
	for i, d := range list {
		if i == 0 {
			at = d.Span()
		}
		text := strings.TrimSpace(print.Sheet([]ast.Node{d}, print.Options{}))
		texts = append(texts, strings.TrimSuffix(text, ";"))
	}
	return texts, at
}
