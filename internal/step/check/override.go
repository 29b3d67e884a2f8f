package check

import (
	"slices"

	"rinzel/internal/browsers"
	"rinzel/internal/css/ast"
	"rinzel/internal/css/grammar"
	"rinzel/internal/css/token"
	"rinzel/internal/css/value"
	"rinzel/internal/diag"
	"rinzel/internal/diag/code"
)

// This file finds declarations without effect, because another one of the same
// rule repeats or overrides them. A fallback for browsers that do not support
// the later one is not reported.

// overridden checks the declarations of one block.
func (c *checker) overridden(list []*ast.Declaration) {
	if len(list) < 2 {
		return
	}
	names := c.room[:0]
	for _, d := range list {
		if d.IsCustom() {
			names = append(names, d.Name)
		} else {
			names = append(names, token.Lower(d.Name))
		}
	}
	c.room = names
	if allDistinct(names) {
		return
	}
	before := make(map[string][]int) // not known to be overridden, by name
	for k, name := range names {
		for _, same := range append([]string{name}, grammar.Longhands(name)...) {
			open := before[same]
			kept := open[:0]
			for _, i := range open {
				if dead, ok := c.dead(list[i], list[k], names[i] == name); ok {
					c.reportDead(list[i], list[k], dead, names[i] == name)
				} else {
					kept = append(kept, i)
				}
			}
			before[same] = kept
		}
		before[name] = append(before[name], k)
	}
}

// allDistinct reports whether none of a few names sets what an earlier one
// sets. It returns false for many names.
func allDistinct(names []string) bool {
	const few = 24
	if len(names) > few {
		return false
	}
	for k, name := range names[1:] {
		earlier := names[:k+1]
		if slices.Contains(earlier, name) ||
			slices.ContainsFunc(grammar.Longhands(name), func(long string) bool { return slices.Contains(earlier, long) }) {
			return false
		}
	}
	return true
}

// reportDead reports a declaration without effect.
func (c *checker) reportDead(d, later, dead *ast.Declaration, same bool) {
	other, where := later, "declared again here"
	switch {
	case same && d.Important == later.Important && ast.EqualValues(d.Value, later.Value):
		diagnosed := c.report(code.DuplicateDeclaration, dead.Span(), "remove one of the two",
			"duplicate declaration of %q", d.Name)
		diagnosed.Related = []diag.Related{{Span: later.Span(), Message: where}}
		return
	case dead == later:
		other, where = d, "overridden by this important declaration"
	case !same:
		where = "overridden here"
	}
	winner := later
	if dead == later {
		winner = d
	}
	diagnosed := c.report(code.OverriddenDeclaration, dead.Span(), "remove it, or move it after the other",
		"%q is overridden by %q in the same rule", dead.Name, winner.Name)
	if dead == later {
		diagnosed.Fix = "remove it"
	}
	diagnosed.Related = []diag.Related{{Span: other.Span(), Message: where}}
}

// dead returns which of two declarations of one property has no effect. ok is
// false if some browser may need both.
func (c *checker) dead(d, later *ast.Declaration, same bool) (dead *ast.Declaration, ok bool) {
	if ast.EqualValues(d.Value, later.Value) && same && d.Important == later.Important {
		return d, true
	}
	if def, ok := grammar.Property(token.Lower(later.Name)); ok && !later.IsCustom() {
		if _, fits := def.Match(ast.Significant(later.Value)); !fits && !grammar.Open(later.Value) {
			return nil, false // browsers skip it
		}
	}
	if !everywhere(token.Lower(later.Name), later.Value) || !everywhere(token.Lower(d.Name), d.Value) {
		return nil, false
	}
	if d.Important && !later.Important {
		return later, same
	}
	return d, true
}

// plainUnits are the units that every browser supports.
var plainUnits = []string{"", "%", "px", "em", "ex", "pt", "pc", "in", "cm", "mm", "rem", "s", "ms", "deg", "vw", "vh"}

// everywhere reports whether it is certain that every browser supports a value
// of a property: numbers, strings, URLs, legacy colours, and keywords as old as
// the property.
func everywhere(property string, values []ast.Value) bool {
	return !slices.ContainsFunc(values, func(v ast.Value) bool {
		switch v.Kind {
		case token.Number, token.Dimension, token.Percentage:
			n, ok := value.Read(&v)
			return !ok || !slices.Contains(plainUnits, n.Unit)
		case token.Ident:
			word := token.Lower(v.Text)
			return !plainWord(word) || browsers.Known(browsers.Property(property)+"."+word)
		case token.Hash:
			return len(v.Text) != 4 && len(v.Text) != 7
		case token.String, token.URL, token.Comma, token.Delim, token.Whitespace, token.Comment:
			return false
		}
		return true
	})
}

// plainWords are keywords that most properties had from the start.
var plainWords = []string{
	"none", "auto", "normal", "inherit", "transparent", "block", "inline", "inline-block", "hidden", "visible",
	"solid", "dashed", "dotted", "double", "left", "right", "center", "top", "bottom", "middle", "baseline",
	"bold", "italic", "absolute", "relative", "fixed", "static", "both", "pointer", "default", "underline",
	"uppercase", "lowercase", "capitalize", "nowrap", "pre", "repeat", "no-repeat", "repeat-x", "repeat-y",
	"scroll", "collapse", "separate", "serif", "sans-serif", "monospace", "table", "table-cell", "medium",
	"thin", "thick", "small", "large", "disc", "square", "circle", "decimal", "inside", "outside", "justify",
}

// plainWord reports whether word is one of plainWords.
func plainWord(word string) bool {
	if slices.Contains(plainWords, word) {
		return true
	}
	_, isColor := value.ColorOf(&ast.Value{Kind: token.Ident, Text: word})
	return isColor
}
