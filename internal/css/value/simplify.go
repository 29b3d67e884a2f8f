package value

import (
	"math"
	"slices"

	"rinzel/internal/css/ast"
	"rinzel/internal/css/token"
)

// This file simplifies calculations (CSS Values 4, section 10.10.1) and writes
// them as values.

// simplify returns the calculation with all known parts computed.
func simplify(n *node) *node {
	// Nodes may be shared, so a copy is modified.
	if len(n.args) > 0 {
		copied := *n
		copied.args = make([]*node, len(n.args))
		for i, arg := range n.args {
			copied.args[i] = simplify(arg)
		}
		n = &copied
	}
	switch n.op {
	case sum:
		return simplifySum(n)
	case product:
		return simplifyProduct(n)
	case negate:
		return negated(n)
	case invert:
		return inverse(n)
	case call:
		if num, ok := n.evaluate(); ok {
			return number(num)
		}
		return n.combined()
	}
	return n
}

// simplifySum adds terms with the same unit, or with known sizes.
func simplifySum(n *node) *node {
	var terms []*node
	// Brackets around a sum in a sum are redundant, unless a substitution may
	// change what they group.
	for _, arg := range n.args {
		if arg.op == sum && !arg.fluid && !arg.exposed() {
			terms = append(terms, arg.args...)
		} else {
			terms = append(terms, arg)
		}
	}
	var out []*node
	for _, term := range terms {
		if term.op != leaf || !addTo(out, term.num) {
			out = append(out, term)
		}
	}
	out = withoutZeros(out)
	if len(out) == 1 && !out[0].fluid {
		return out[0]
	}
	return &node{op: sum, args: out, of: n.of, fluid: n.fluid}
}

// exposed reports whether one of the terms is fluid, so that brackets around
// them must be preserved.
func (n *node) exposed() bool {
	return slices.ContainsFunc(n.args, func(arg *node) bool { return arg.fluid })
}

// addTo adds a number to a compatible term. It modifies the slice, but not its
// nodes.
func addTo(terms []*node, num Number) bool {
	for i, t := range terms {
		if t.op != leaf {
			continue
		}
		// Equal units can be added without knowing their size: 1em + 2em.
		if t.num.Unit == num.Unit {
			terms[i] = number(Number{t.num.Value + num.Value, num.Unit})
			return true
		}
		// Others must have a canonical unit: 1in + 1px, but not 1em + 1px.
		a, okA := t.num.resolved()
		b, okB := num.resolved()
		if okA && okB && a.Unit == b.Unit {
			terms[i] = number(Number{a.Value + b.Value, a.Unit})
			return true
		}
	}
	return false
}

// withoutZeros removes zero terms if another one of the same type remains: 0px
// makes a sum with a percentage a length.
func withoutZeros(terms []*node) []*node {
	for i := 0; i < len(terms) && len(terms) > 1; i++ {
		t := terms[i]
		if t.op != leaf || t.num.Value != 0 {
			continue
		}
		alike := func(o *node) bool { return o != t && o.op == leaf && o.of == t.of && !o.of.unknown }
		if slices.ContainsFunc(terms, alike) {
			terms = slices.Delete(slices.Clone(terms), i, i+1)
			i--
			// The next term has moved to this index.
		}
	}
	return terms
}

// simplifyProduct multiplies known factors. If a factor is fluid, only adjacent
// numbers are multiplied, because its substitution may contain a sum.
func simplifyProduct(n *node) *node {
	var factors []*node
	for _, arg := range n.args {
		if arg.op == product && !arg.fluid {
			factors = append(factors, arg.args...)
		} else {
			factors = append(factors, arg)
		}
	}
	if n.fluid {
		// The order of factors must stay: var(--a) may be 1px + 1px, which
		// binds less than the factors around it.
		return &node{op: product, args: multiplyRuns(factors), of: n.of, fluid: true}
	}
	coefficient, others := coefficientOf(factors)
	if num, ok := multiplied(coefficient, others); ok {
		return number(num)
	}
	// An infinite or undefined coefficient cannot be multiplied into a unit.
	if num := (Number{Value: coefficient}); !num.finite() {
		return n
	}
	// 2 * (1px + 1em) is 2px + 2em, which needs no brackets.
	if len(others) == 1 && others[0].op == sum && !others[0].exposed() && scalable(others[0]) {
		return scaledSum(others[0], coefficient, n)
	}
	// 2 * 1em * f() is 2em * f().
	if i := slices.IndexFunc(others, func(f *node) bool { return f.op == leaf }); i >= 0 {
		others[i], coefficient = scaledBy(others[i], coefficient), 1
	}
	// A product must not start with a division.
	if coefficient != 1 || others[0].op == invert {
		others = slices.Insert(others, 0, number(Number{Value: coefficient}))
	}
	if len(others) == 1 {
		return others[0]
	}
	return &node{op: product, args: others, of: n.of}
}

// coefficientOf returns the product of all numeric factors, and the other
// factors.
func coefficientOf(factors []*node) (coefficient float64, others []*node) {
	coefficient = 1
	for _, f := range factors {
		switch {
		case f.op == leaf && f.num.Unit == "":
			coefficient *= f.num.Value
		// Dividing is more precise than multiplying by the reciprocal.
		case f.op == invert && f.args[0].op == leaf && f.args[0].num.Unit == "":
			coefficient /= f.args[0].num.Value
		default:
			others = append(others, f)
		}
	}
	return coefficient, others
}

// scaledSum returns a sum with each term multiplied, as a replacement of n.
func scaledSum(of *node, coefficient float64, n *node) *node {
	scaled := &node{op: sum, of: n.of}
	for _, term := range of.args {
		scaled.args = append(scaled.args, scaledBy(term, coefficient))
	}
	if scaled.args = withoutZeros(scaled.args); len(scaled.args) == 1 {
		return scaled.args[0]
	}
	return scaled
}

// scalable reports whether each term of a sum can be multiplied by a number
// without becoming longer.
func scalable(n *node) bool {
	return !slices.ContainsFunc(n.args, func(t *node) bool { return t.op != leaf })
}

// scaledBy returns a number node multiplied by a number.
func scaledBy(n *node, by float64) *node { return number(Number{n.num.Value * by, n.num.Unit}) }

// multiplied returns the product of known factors, if it is a number or a
// single quantity.
func multiplied(coefficient float64, factors []*node) (Number, bool) {
	// A single quantity may keep its unit, even if that has no canonical one.
	out := Number{Value: coefficient}
	if len(factors) == 1 && factors[0].op == leaf {
		num := factors[0].num
		out = Number{coefficient * num.Value, num.Unit}
		return out, out.finite()
	}
	// Other quantities must have known sizes. Their dimensions must cancel out,
	// except for one: 1px * 1s / 1s is a length.
	var of dimensions
	for _, f := range factors {
		known := f
		if f.op == invert {
			known = f.args[0]
		}
		if known.op != leaf {
			return out, false
		}
		num, ok := known.num.resolved()
		if !ok {
			return out, false
		}
		if f.op == invert {
			out.Value /= num.Value
		} else {
			out.Value *= num.Value
		}
		of = of.times(f.of)
	}
	if !of.single() {
		return out, false
		// Exactly one dimension is left, and its canonical unit is the unit of the
		// result.
	}
	for q, power := range of.powers {
		if power == 1 {
			out.Unit = canonical[q]
		}
	}
	return out, out.finite()
}

// multiplyRuns multiplies adjacent numbers.
func multiplyRuns(factors []*node) []*node {
	var out []*node
	for _, f := range factors {
		last := len(out) - 1
		if last < 0 || out[last].fluid || f.fluid {
			// Nothing may be multiplied across a fluid factor.
			out = append(out, f)
			continue
		}
		num, ok := multiplied(1, []*node{out[last], f})
		isNumber := func(n *node) bool { return n.op == leaf || n.op == invert && n.args[0].op == leaf }
		switch before := out[last]; {
		case before.op == leaf && ok:
			out[last] = number(num)
		// Adjacent divisions are one: / 2 / 3 is / 6.
		case before.op == invert && f.op == invert && isNumber(before) && isNumber(f):
			if num, ok = multiplied(1, []*node{before.args[0], f.args[0]}); ok {
				out[last] = &node{op: invert, args: []*node{number(num)}, of: before.of.times(f.of)}
				continue
			}
			out = append(out, f)
		default:
			out = append(out, f)
		}
	}
	return out
}

// negated returns -n.
func negated(n *node) *node {
	arg := n.args[0]
	switch {
	case arg.op == leaf:
		return number(Number{-arg.num.Value, arg.num.Unit})
	case arg.op == negate:
		return arg.args[0]
	// -(a + b) is -a + -b, which the writer prints as subtractions.
	case arg.op == sum && !arg.exposed():
		out := &node{op: sum, of: arg.of}
		for _, term := range arg.args {
			out.args = append(out.args, negated(&node{op: negate, args: []*node{term}, of: term.of}))
		}
		return out
	// A leading number takes the sign: -(2 * a) is -2 * a.
	case arg.op == product && !arg.fluid && arg.args[0].op == leaf:
		out := *arg
		out.args = slices.Clone(arg.args)
		out.args[0] = number(Number{-out.args[0].num.Value, out.args[0].num.Unit})
		return &out
	}
	return n
}

// inverse returns 1/n.
func inverse(n *node) *node {
	arg := n.args[0]
	switch {
	case arg.op == leaf && arg.num.Unit == "" && arg.num.Value != 0:
		return n // the product divides by it, which is more precise
	case arg.op == invert:
		return arg.args[0]
	}
	return n
}

// combined returns a call of min() or max() with comparable arguments reduced
// to one.
func (n *node) combined() *node {
	name := token.Lower(n.value.Name())
	if name != "min" && name != "max" {
		return n
	}
	var out []*node
	for _, arg := range n.args {
		merged := false
		// Two known arguments are compared even if others are unknown: max(1px,
		// 2px, 1em) is max(2px, 1em).
		for i, have := range out {
			if have.op != leaf || arg.op != leaf {
				continue
			}
			pair := node{op: call, value: n.value, args: []*node{have, arg}}
			if num, ok := pair.evaluate(); ok {
				out[i] = number(num)
				merged = true
				break
			}
		}
		if !merged {
			out = append(out, arg)
		}
	}
	copied := *n
	copied.args = out
	return &copied
}

// writer writes calculations as values.
type writer struct {
	at     *ast.Value // position of the calculation
	digits Precision
}

// token returns a token value.
func (w writer) token(kind token.Kind, text string, space bool) ast.Value {
	return ast.Value{Kind: kind, Text: text, Pos: w.at.Pos, Space: space}
}

// number returns a numeric value.
func (w writer) number(n Number, space bool) ast.Value {
	sign := ""
	if n.Value == 0 && math.Signbit(n.Value) {
		sign = "-" // the sign of zero matters to a division by it
	}
	return w.token(n.kind(), sign+w.digits.text(n.Value)+n.Unit, space)
}

// nested returns values inside a function or brackets.
func (w writer) nested(kind token.Kind, open string, values []ast.Value, space bool) ast.Value {
	v := w.token(kind, open, space)
	v.Inner = &ast.Inner{Values: values}
	return v
}

// terms returns a calculation as the arguments of calc().
func (w writer) terms(n *node) []ast.Value {
	switch {
	case n.op != sum:
		return w.factors(n)
	// A sum of one term has no operator. It stands for the brackets of the
	// source.
	case len(n.args) == 1: // brackets that must be preserved
		return w.terms(n.args[0])
	}
	var out []ast.Value
	for i, arg := range n.args {
		operator := "+"
		switch {
		case i == 0:
			out = append(out, w.factors(arg)...)
			continue
		// Subtracting is shorter than adding a negative term.
		case arg.op == negate:
			operator, arg = "-", arg.args[0]
		case arg.op == leaf && arg.num.Value < 0:
			operator, arg = "-", number(Number{-arg.num.Value, arg.num.Unit})
		case arg.op == product && arg.args[0].op == leaf && arg.args[0].num.Value < 0:
			copied := *arg
			copied.args = slices.Clone(arg.args)
			copied.args[0] = number(Number{-arg.args[0].num.Value, arg.args[0].num.Unit})
			operator, arg = "-", &copied
		}
		// White space around + and - is required (CSS Values 4, section 10.1).
		out = append(out, w.token(token.Delim, operator, true))
		values := w.factors(arg)
		values[0].Space = true
		out = append(out, values...)
	}
	return out
}

// factors returns a product, or an expression that can be a factor.
func (w writer) factors(n *node) []ast.Value {
	args := []*node{n}
	switch n.op {
	case product:
		// The sign of a variable part cannot be written before it: -var(--a) is
		// an identifier and brackets.
		args = n.args
	case negate: // the sign cannot be part of a number
		args = []*node{number(Number{Value: -1}), n.args[0]}
	// A division needs a dividend.
	case invert:
		args = []*node{number(Number{Value: 1}), n}
	}
	var out []ast.Value
	for i, arg := range args {
		operator := "*"
		if arg.op == invert {
			operator, arg = "/", arg.args[0]
		}
		if i > 0 {
			out = append(out, w.token(token.Delim, operator, true))
		}
		v := w.factor(arg)
		v.Space = i > 0
		out = append(out, v)
	}
	return out
}

// factor returns the single value of a factor.
func (w writer) factor(n *node) ast.Value {
	switch n.op {
	case leaf:
		return w.number(n.num, false)
	case opaque:
		v := *n.value
		// The writer determines the white space around the value.
		v.Space = false
		return v
	case call:
		return w.call(n)
	}
	return w.nested(token.LParen, "(", w.terms(n), false)
}

// call returns a call of a math function.
func (w writer) call(n *node) ast.Value {
	var values []ast.Value
	if n.word != "" {
		values = append(values, w.token(token.Ident, n.word, false), w.token(token.Comma, ",", false))
	}
	for i, arg := range n.args {
		if i > 0 {
			values = append(values, w.token(token.Comma, ",", false))
		}
		values = append(values, w.terms(arg)...)
	}
	return w.nested(token.Function, token.Lower(n.value.Name())+"(", values, false)
}
