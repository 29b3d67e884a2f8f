package split

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"rinzel/internal/css/ast"
	"rinzel/internal/css/known"
	"rinzel/internal/css/print"
	"rinzel/internal/css/selector"
	"rinzel/internal/css/token"
)

// Claims are what the order of sheets may decide: the kinds of properties that
// rules set, each with the specificities of the rules, and the names that they
// define. Two sheets compete if both claim the same kind with the same
// specificity. The zero Claims are empty.
type Claims struct {
	// weights are the specificities with which each kind is set; anyWeight
	// competes with all others.
	weights map[string]weightSet
}

// weightSet has specificities in increasing order.
type weightSet []selector.Specificity

// find returns the position of a specificity, and whether it is in the set.
func (w weightSet) find(one selector.Specificity) (int, bool) {
	return slices.BinarySearchFunc(w, one, compareWeights)
}

// has reports whether a specificity is in the set.
func (w weightSet) has(one selector.Specificity) bool {
	_, found := w.find(one)
	return found
}

// compareWeights orders specificities.
func compareWeights(a, b selector.Specificity) int {
	return cmp.Or(cmp.Compare(a.IDs, b.IDs), cmp.Compare(a.Classes, b.Classes), cmp.Compare(a.Types, b.Types))
}

// anyWeight stands for any specificity.
var anyWeight = selector.Specificity{IDs: -1}

// everything is a kind that competes with all others.
const everything = "everything"

// Everything returns claims that compete with all others.
func Everything() *Claims {
	c := new(Claims)
	c.claim(everything, anyWeight)
	return c
}

// Of returns the claims of nodes. inLayer is set if they are in a cascade
// layer. Rules in layers do not compete with rules outside: regardless of
// order, those outside win, or lose if they are important (CSS Cascade 5,
// section 6.1). Between layers, the order of the layers decides.
func Of(nodes []ast.Node, inLayer bool) *Claims {
	c := &Claims{make(map[string]weightSet)}
	c.nodes(nodes, nil, inLayer)
	return c
}

// claim adds a claim.
func (c *Claims) claim(kind string, weight selector.Specificity) {
	if c.weights == nil {
		c.weights = make(map[string]weightSet)
	}
	have := c.weights[kind]
	if i, found := have.find(weight); !found {
		c.weights[kind] = slices.Insert(have, i, weight)
	}
}

// nodes adds the claims of nodes. weights are those of the parent rule; nil
// outside of style rules.
func (c *Claims) nodes(nodes []ast.Node, weights []selector.Specificity, inLayer bool) {
	for _, n := range nodes {
		switch n := n.(type) {
		case *ast.StyleRule:
			c.nodes(n.Nodes, weightsOf(n.Selectors, weights), inLayer)
		case *ast.AtRule:
			c.atRule(n, weights, inLayer)
		case *ast.Declaration:
			if inLayer {
				c.claim("@layer", anyWeight)
				continue
			}
			for _, w := range weights {
				c.claim(kindOf(n), w)
			}
		}
	}
}

// weightsOf returns the specificities of selectors; in a nested rule they
// depend on those of the parent.
func weightsOf(list []ast.Selector, around []selector.Specificity) []selector.Specificity {
	if around != nil {
		return []selector.Specificity{anyWeight}
	}
	var out []selector.Specificity
	for _, s := range list {
		if mayIgnoreArguments(s) {
			return []selector.Specificity{anyWeight}
		}
		if w := selector.Of(s); !slices.Contains(out, w) {
			out = append(out, w)
		}
	}
	return out
}

// atRule adds the claims of an at-rule.
func (c *Claims) atRule(r *ast.AtRule, weights []selector.Specificity, inLayer bool) {
	name := token.Lower(r.Name)
	switch {
	case name == "layer":
		c.claim("@layer", anyWeight)
		inLayer = true
	case name == "scope": // proximity decides before order
		weights = []selector.Specificity{anyWeight}
	case name == "import", name == "charset":
		c.claim(everything, anyWeight)
		return
	case name == "namespace": // see [Item.Alone]
		return
	case known.IsCondition(name):
	case name == "font-face", name == "page":
		c.claim("@"+name, anyWeight)
		return
	default: // @keyframes, @property, @counter-style and other names: the last definition wins
		c.claim("@"+name+" "+nameIn(r.Prelude), anyWeight)
		return
	}
	c.nodes(ast.Body(r), weights, inLayer)
}

// nameIn returns the name in a prelude, independent of its spelling: k, "k" and
// \6b are the same.
func nameIn(prelude []ast.Value) string {
	list := ast.Significant(prelude)
	if len(list) != 1 {
		return print.CompactValues(prelude)
	}
	if list[0].Kind == token.String {
		return token.StringValue(list[0].Text)
	}
	return token.Unescape(list[0].Text)
}

// mayIgnoreArguments reports whether a selector takes a forgiving list, in
// which browsers ignore unknown selectors, so that its specificity is not
// known.
func mayIgnoreArguments(s ast.Selector) bool {
	return slices.ContainsFunc(s, func(p ast.Simple) bool {
		if p.Args == nil || len(p.Args.Selectors) < 2 {
			return p.Args != nil && slices.ContainsFunc(p.Args.Selectors, mayIgnoreArguments)
		}
		first := selector.Of(p.Args.Selectors[0])
		return slices.ContainsFunc(p.Args.Selectors, func(arg ast.Selector) bool {
			doubtful := slices.ContainsFunc(arg, func(q ast.Simple) bool {
				return q.Kind == ast.PseudoClass || q.Kind == ast.PseudoElement || q.Kind == ast.BadSelector
			})
			return doubtful || arg.IsBad()
		}) && slices.ContainsFunc(p.Args.Selectors,
			func(arg ast.Selector) bool { return selector.Of(arg) != first || arg.IsBad() })
	})
}

// kinds maps properties to others that set the same, but have a different first
// word.
var kinds = map[string]string{
	"top": "inset", "right": "inset", "bottom": "inset", "left": "inset", "width": "size", "height": "size",
	"inline": "size", "block": "size", "min": "size", "max": "size", "row": "gap", "column": "gap",
	"columns": "gap", "grid": "gap", "align": "place", "justify": "place", "word": "wrap", "overflow": "wrap",
	"line": "font", "corner": "border", "rule": "gap", "white": "text", "page": "break", "print": "color",
	"vertical": "baseline", "alignment": "baseline",
}

// kindOf returns the kind of a property: properties of different kinds never
// set the same. It is conservative.
func kindOf(d *ast.Declaration) string {
	if d.IsCustom() {
		return token.Unescape(d.Name)
	}
	name := token.Lower(d.Name)
	if name == "all" {
		return everything
	}
	_, name = token.SplitVendor(name)
	first, _, _ := strings.Cut(name, "-")
	kind := first
	if k, ok := kinds[first]; ok {
		kind = k
	}
	if d.Important {
		kind += " !important"
	}
	return kind
}

// Overlap returns a kind that both claim, the first alphabetically, in words
// for people; "" if they do not compete.
func (c *Claims) Overlap(o *Claims) string {
	if len(c.weights) == 0 || len(o.weights) == 0 {
		return ""
	}
	if c.weights[everything] != nil || o.weights[everything] != nil {
		return everything
	}
	small, large := c.weights, o.weights
	if len(small) > len(large) {
		small, large = large, small
	}
	found := ""
	for kind, weights := range small {
		other := large[kind]
		if other == nil || found != "" && kind > found {
			continue
		}
		if weights.has(anyWeight) || other.has(anyWeight) || overlap(weights, other) {
			found = kind
		}
	}
	return found
}

// overlap reports whether two sets have a common specificity.
func overlap(a, b weightSet) bool { return slices.ContainsFunc(a, b.has) }

// String lists the claims, for tests and debugging.
func (c *Claims) String() string {
	var out []string
	for kind, weights := range c.weights {
		for _, w := range weights {
			text := fmt.Sprintf("%d,%d,%d", w.IDs, w.Classes, w.Types)
			if w == anyWeight {
				text = "any"
			}
			out = append(out, kind+" "+text)
		}
	}
	slices.Sort(out)
	return strings.Join(out, "; ")
}
