package grammar

import (
	"math"
	"slices"

	"rinzel/internal/css/ast"
)

// tracer finds the value that does not match: the furthest one at which any
// part of the definition was tried.
type tracer struct {
	far    []int // path to it: its index in each list, the outermost first
	at     *ast.Value
	misfit Misfit
}

// miss records that a part of the definition does not match at a position.
func (m *matcher) miss(e *expr, at int) {
	t := m.work.tracer
	if t == nil {
		return
	}
	way := append(slices.Clip(m.way), at)
	order := slices.Compare(way, t.far)
	if order < 0 {
		return
	}
	if order > 0 {
		t.far, t.at, t.misfit = way, nil, Misfit{}
		if at < len(m.values) {
			t.at = &m.values[at]
		}
	}
	if e == nil {
		return
	}
	switch e.op {
	case keyword:
		t.misfit.Keywords = append(t.misfit.Keywords, e.text)
	case function:
		t.misfit.Keywords = append(t.misfit.Keywords, e.text+"()")
	case basic:
		t.misfit.Types = append(t.misfit.Types, e.text)
		t.size(e, m.values[at:])
	}
}

// size records a number of the right type that is out of range.
func (t *tracer) size(e *expr, rest []ast.Value) {
	free := expr{op: e.op, text: e.text, low: math.Inf(-1), high: math.Inf(1)}
	if free.low == e.low && free.high == e.high || len(rest) == 0 {
		return
	}
	if _, ok := basics[e.text](rest, &free); ok {
		t.misfit.OutOfRange, t.misfit.Low, t.misfit.High = true, e.low, e.high
	}
}

// found returns the result.
func (t *tracer) found() Misfit {
	m := t.misfit
	m.At = t.at
	for _, list := range []*[]string{&m.Keywords, &m.Types} {
		slices.Sort(*list)
		*list = slices.Compact(*list)
	}
	return m
}
