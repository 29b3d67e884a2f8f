package value

import (
	"fmt"
	"math"
	"strings"

	"rinzel/internal/css/ast"
	"rinzel/internal/css/known"
	"rinzel/internal/css/token"
	"rinzel/internal/source"
)

// This file parses calculations into expression trees (CSS Values 4, sections
// 10.9 and 10.10).

// op is the kind of a node.
type op uint8

// The kinds of nodes.
const (
	leaf    op = iota // a number
	opaque            // known to browsers only
	sum               // of args
	product           // of args
	negate            // of the one arg
	invert            // of the one arg
	call              // of a math function, with args
)

// node is an expression in a calculation. Nodes are immutable.
type node struct {
	op    op
	num   Number
	value *ast.Value // of opaque; of a call the function
	args  []*node
	of    dimensions
	// fluid is set if browsers substitute tokens for an operand that is not in
	// brackets, such as var(). The tokens may contain operators, so that
	// factors next to it must not be moved.
	fluid bool
	// word is the keyword of round() or clamp(), which is not an operand.
	word string
}

// dimensions is the type of a calculation: the power of each quantity.
type dimensions struct {
	powers  [quantities]int8
	unknown bool // known to browsers only
}

// Problem is an error in a calculation or a colour that makes browsers skip the
// declaration.
type Problem struct {
	At      source.Span
	Message string
	Fix     string
}

// Error returns the message.
func (p *Problem) Error() string { return p.Message }

// constants are the numeric keywords.
var constants = map[string]float64{"e": math.E, "pi": math.Pi}

// reader parses the values of a calculation.
type reader struct {
	values []ast.Value
	named  map[string]float64 // additional keywords: channels of a colour
	at     source.Span        // of the surrounding function
}

// IsMath reports whether v is a math function that this package computes.
func IsMath(v *ast.Value) bool {
	if v.Kind != token.Function {
		return false
	}
	name := token.Lower(v.Name())
	return name == "calc" || functions[name].eval != nil
}

// readMath parses a math function.
func readMath(v *ast.Value, named map[string]float64) (*node, error) {
	name := token.Lower(v.Name())
	r := reader{values: ast.Significant(v.Values()), named: named, at: v.Span()}
	if name == "calc" {
		n, err := r.sum()
		if err == nil && len(r.values) > 0 {
			err = r.unexpected()
		}
		return n, err
	}
	n := &node{op: call, value: v}
	if name == "round" && len(r.values) > 0 && r.values[0].Kind == token.Ident {
		switch word := token.Lower(r.values[0].Text); word {
		case "nearest", "up", "down", "to-zero":
			n.word = word
			r.values = r.values[1:]
			if len(r.values) == 0 || r.values[0].Kind != token.Comma {
				return nil, r.unexpected()
			}
			r.values = r.values[1:]
		}
	}
	for {
		arg, err := r.sum()
		if err != nil {
			return nil, err
		}
		n.args = append(n.args, arg)
		if len(r.values) == 0 {
			break
		}
		if r.values[0].Kind != token.Comma {
			return nil, r.unexpected()
		}
		r.values = r.values[1:]
	}
	return n, n.check(name, v)
}

// unexpected returns the error for the next value.
func (r *reader) unexpected() error {
	p := &Problem{At: r.at, Message: "incomplete calculation: expected a number after the operator"}
	if len(r.values) > 0 {
		v := &r.values[0]
		p.At = v.Span()
		p.Message = fmt.Sprintf("expected an operator, got %q", v.Text)
		if _, ok := Read(v); ok && (v.Text[0] == '+' || v.Text[0] == '-') {
			p.Message = fmt.Sprintf("expected an operator before %q, which is read as one number", v.Text)
			p.Fix = fmt.Sprintf("put white space around the sign: %c %s", v.Text[0], strings.TrimLeft(v.Text, "+-"))
		}
	}
	return p
}

// sum parses terms joined by + and -.
func (r *reader) sum() (*node, error) {
	first, err := r.product()
	if err != nil {
		return nil, err
	}
	var n *node
	for len(r.values) > 0 {
		v := &r.values[0]
		if !v.IsDelim('+') && !v.IsDelim('-') {
			break
		}
		if !v.Space || len(r.values) > 1 && !r.values[1].Space {
			return nil, &Problem{At: v.Span(),
				Message: fmt.Sprintf("'%s' without white space around it is not an operator", v.Text),
				Fix:     "put white space before and after it"}
		}
		r.values = r.values[1:]
		arg, err := r.product()
		if err != nil {
			return nil, err
		}
		if v.IsDelim('-') {
			arg = &node{op: negate, args: []*node{arg}, of: arg.of, fluid: arg.fluid}
		}
		if n == nil {
			n = &node{op: sum, args: []*node{first}, of: first.of, fluid: first.fluid}
		}
		n.args = append(n.args, arg)
		n.fluid = n.fluid || arg.fluid
		var ok bool
		if n.of, ok = n.of.plus(arg.of); !ok {
			return nil, r.mismatch(first.of, arg.of)
		}
	}
	if n == nil {
		return first, nil
	}
	return n, nil
}

// mismatch returns the error for a sum of incompatible types.
func (r *reader) mismatch(a, b dimensions) error {
	return &Problem{At: r.at, Message: fmt.Sprintf("the calculation adds %s and %s", a, b)}
}

// product parses factors joined by * and /.
func (r *reader) product() (*node, error) {
	first, err := r.term()
	if err != nil {
		return nil, err
	}
	var n *node
	for len(r.values) > 0 {
		v := &r.values[0]
		if !v.IsDelim('*') && !v.IsDelim('/') {
			break
		}
		r.values = r.values[1:]
		arg, err := r.term()
		if err != nil {
			return nil, err
		}
		if v.IsDelim('/') {
			arg = &node{op: invert, args: []*node{arg}, of: arg.of.inverse(), fluid: arg.fluid}
		}
		if n == nil {
			n = &node{op: product, args: []*node{first}, of: first.of, fluid: first.fluid}
		}
		n.args = append(n.args, arg)
		n.of = n.of.times(arg.of)
		n.fluid = n.fluid || arg.fluid
	}
	if n == nil {
		return first, nil
	}
	return n, nil
}

// term parses a number, a function, or a calculation in brackets.
func (r *reader) term() (*node, error) {
	if len(r.values) == 0 {
		return nil, r.unexpected()
	}
	v := &r.values[0]
	r.values = r.values[1:]
	if n, ok := Read(v); ok {
		if _, known := units[n.Unit]; !known && n.Unit != "" {
			return &node{op: opaque, value: v, of: dimensions{unknown: true}}, nil
		}
		return number(n), nil
	}
	switch {
	case v.Kind == token.Ident:
		name := token.Lower(v.Text)
		if f, ok := constants[name]; ok {
			return number(Number{Value: f}), nil
		}
		if f, ok := r.named[name]; ok {
			return number(Number{Value: f}), nil
		}
		n := &node{op: opaque, value: v, of: dimensions{unknown: true}}
		if name == "infinity" || name == "-infinity" || name == "nan" {
			n.of = dimensions{}
		}
		return n, nil
	case v.Kind == token.LParen, v.IsFunction("calc"):
		inner := reader{values: ast.Significant(v.Values()), named: r.named, at: v.Span()}
		n, err := inner.sum()
		if err == nil && len(inner.values) > 0 {
			err = inner.unexpected()
		}
		if err == nil && n.fluid {
			n = &node{op: sum, args: []*node{n}, of: n.of} // the brackets are preserved
		}
		return n, err
	case IsMath(v):
		return readMath(v, r.named)
	case v.Kind == token.Function:
		return &node{op: opaque, value: v, of: dimensions{unknown: true}, fluid: substituted(v)}, nil
	}
	return nil, &Problem{At: v.Span(), Message: fmt.Sprintf("expected a number, a function or brackets, got %q", v.Text)}
}

// substituted reports whether browsers substitute tokens for a function.
func substituted(v *ast.Value) bool {
	if v.Kind != token.Function {
		return false
	}
	name := token.Lower(v.Name())
	return known.Substitutes(name) || name == "const"
}

// number returns the node of a number with a known unit.
func number(n Number) *node {
	out := &node{op: leaf, num: n}
	if n.Unit != "" {
		out.of.powers[units[n.Unit].of] = 1
	}
	return out
}

// plus returns the type of a sum. ok is false for incompatible types (CSS
// Values 4, section 10.8: a percentage may resolve to the type that it is added
// to).
func (d dimensions) plus(o dimensions) (dimensions, bool) {
	if d.unknown || o.unknown {
		return dimensions{unknown: true}, true
	}
	if d == o {
		return d, true
	}
	for q := range percent {
		if a, b := d.resolvedTo(q), o.resolvedTo(q); a == b {
			return a, true
		}
	}
	return d, false
}

// resolvedTo returns the type with percentages resolved against a quantity.
func (d dimensions) resolvedTo(q quantity) dimensions {
	d.powers[q] += d.powers[percent]
	d.powers[percent] = 0
	return d
}

// times returns the type of a product.
func (d dimensions) times(o dimensions) dimensions {
	d.unknown = d.unknown || o.unknown
	for q, power := range o.powers {
		d.powers[q] = clampPower(int(d.powers[q]) + int(power))
	}
	return d
}

// clampPower limits a power, which input can drive up.
func clampPower(n int) int8 { return int8(max(-100, min(100, n))) }

// inverse returns the type of 1/x.
func (d dimensions) inverse() dimensions {
	for q, power := range d.powers {
		d.powers[q] = -power
	}
	return d
}

// isNumber reports whether the type is a plain number, as far as is known.
func (d dimensions) isNumber() bool { return d.unknown || d == dimensions{} }

// single reports whether the type is valid for a value: a number, or a single
// quantity.
func (d dimensions) single() bool {
	if d.isNumber() {
		return true
	}
	total := 0
	for _, power := range d.powers {
		if power < 0 {
			return false
		}
		total += int(power)
	}
	return total == 1
}

// String names the type in messages.
func (d dimensions) String() string {
	var parts []string
	for q, power := range d.powers {
		switch {
		case power == 1:
			parts = append(parts, quantityNames[q])
		case power != 0:
			parts = append(parts, fmt.Sprintf("%s to the power of %d", quantityNames[q], power))
		}
	}
	if len(parts) == 0 {
		return "a number"
	}
	return strings.Join(parts, " times ")
}

// TypeOf returns the type of a math function: "number", "percentage", "length",
// "angle", "time", "frequency" or "resolution". ok is false if only browsers
// know it, or if the calculation is invalid; see [Fold] for the reason.
func TypeOf(v *ast.Value) (name string, ok bool) {
	n, err := readMath(v, nil)
	if err != nil || n.of.unknown || !n.of.single() {
		return "", false
	}
	for q, power := range n.of.powers {
		if power == 1 {
			_, name, _ = strings.Cut(quantityNames[q], " ")
			return name, true
		}
	}
	return "number", true
}
