package grammar

import (
	"slices"

	"rinzel/internal/css/ast"
	"rinzel/internal/css/token"
)

// This file recognizes common valid values quickly: a keyword, number or
// colour, lists of them, and some of them in any order. The general matcher
// decides the rest.

// maxPlain limits the depth of definitions that are followed.
const maxPlain = 60

// plainly reports whether values obviously match an expression, without
// backtracking. false means unknown.
func (t *table) plainly(e *expr, values []ast.Value, depth int) bool {
	if e == nil || depth > maxPlain || len(values) == 0 {
		return false
	}
	depth++
	switch e.op {
	case keyword:
		return len(values) == 1 && values[0].IsIdent(e.text)
	case basic:
		n, ok := basics[e.text](values, e)
		return ok && n == len(values)
	case reference:
		return t.plainly(t.follow(e), values, depth)
	case oneOf:
		if len(values) == 1 && values[0].Kind == token.Ident && e.words[token.Lower(values[0].Text)] {
			return true
		}
		return slices.ContainsFunc(e.others, func(arg *expr) bool { return t.plainly(arg, values, depth) })
	case repeat:
		return t.plainlyRepeated(e, values, depth)
	case someOf, allOf:
		return t.plainlyMixed(e, values, depth)
	case sequence:
		return t.plainlyOne(e, values, depth)
	case function:
		return len(values) == 1 && values[0].IsFunction(e.text) &&
			t.plainly(e.args[0], ast.Significant(values[0].Values()), depth)
	}
	return false
}

// follow returns the target of a reference; nil if the data does not define it.
func (t *table) follow(e *expr) *expr {
	e.once.Do(func() { e.target = t.expr("<"+e.text+">", e.low, e.high) })
	return e.target
}

// plainlyRepeated is plainly for repetitions, each of a single value, or of the
// values between two commas.
func (t *table) plainlyRepeated(e *expr, values []ast.Value, depth int) bool {
	if e.least <= 1 && e.most >= 1 && t.plainly(e.args[0], values, depth) {
		return true
	}
	if e.commas {
		parts := ast.SplitAt(values, token.Comma)
		return e.least <= len(parts) && len(parts) <= e.most && len(parts) > 1 &&
			!slices.ContainsFunc(parts, func(part []ast.Value) bool { return !t.plainly(e.args[0], part, depth) })
	}
	if len(values) < 2 || len(values) < e.least || len(values) > e.most {
		return false
	}
	for i := range values {
		if !t.plainly(e.args[0], values[i:i+1], depth) {
			return false
		}
	}
	return true
}

// plainlyMixed is plainly for parts in any order, each of a single value: each
// value is matched by the first part that accepts it.
func (t *table) plainlyMixed(e *expr, values []ast.Value, depth int) bool {
	const most = 16 // parts
	if len(e.args) > most || len(values) > len(e.args) {
		return false
	}
	var used [most]bool
	for i := range values {
		k := 0
		for k < len(e.args) && (used[k] || !t.plainly(e.args[k], values[i:i+1], depth)) {
			k++
		}
		if k == len(e.args) {
			return false
		}
		used[k] = true
	}
	if e.op == someOf {
		return true
	}
	for k, arg := range e.args {
		if !used[k] && !mayBeEmpty(arg) {
			return false
		}
	}
	return true
}

// plainlyOne is plainly for sequences in which one part matches all values and
// the others are optional.
func (t *table) plainlyOne(e *expr, values []ast.Value, depth int) bool {
	required := -1
	for i, arg := range e.args {
		if mayBeEmpty(arg) {
			continue
		}
		if required >= 0 {
			return false
		}
		required = i
	}
	if required >= 0 {
		return t.plainly(e.args[required], values, depth)
	}
	return slices.ContainsFunc(e.args, func(arg *expr) bool { return t.plainly(arg, values, depth) })
}

// mayBeEmpty reports whether a part is optional.
func mayBeEmpty(e *expr) bool { return e.op == repeat && e.least == 0 && !e.filled }
