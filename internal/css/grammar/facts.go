package grammar

import (
	"maps"
	"math"
	"slices"
	"strings"

	"rinzel/internal/css/known"
)

// Facts returns facts about the values of a definition.
func (d Definition) Facts() known.Values {
	return d.table.facts(d.table.expr(d.name, everything[0], everything[1]), "")
}

// FunctionFacts returns facts about the arguments of a function, given its name as the data has it.
// ok is false if the data does not define it.
func FunctionFacts(name string) (v known.Values, ok bool) {
	t := load()
	if t.functions[name+"()"] == "" {
		return v, false
	}
	return t.facts(t.expr("<"+name+"()>", everything[0], everything[1]), strings.ToLower(name)), true
}

// Functions returns the names of all functions, sorted, without their brackets.
func Functions() []string {
	var out []string
	for name := range load().functions {
		out = append(out, strings.TrimSuffix(name, "()"))
	}
	slices.Sort(out)
	return out
}

// Aliases returns the legacy names of properties, sorted.
func Aliases() []string { return slices.Sorted(maps.Keys(load().aliases)) }

// facts collects the facts about an expression. own is the function whose arguments it describes;
// empty for a property.
func (t *table) facts(e *expr, own string) known.Values {
	g := gatherer{table: t, own: own, seen: make(map[visit]bool), whole: true, signed: true}
	g.out.Low, g.out.High = everything[0], everything[1]
	g.walk(e, false)
	if math.IsInf(g.out.High, 1) {
		g.out.High = 0 // no bound
	}
	if !g.numbers {
		g.out.Low = 0 // no dimension is below zero if none is valid in a browser
	}
	g.out.Fractions = g.numbers && g.whole
	g.out.Negative = g.dimensions && g.signed
	return g.out
}

// gatherer collects facts.
type gatherer struct {
	table *table
	own   string // the function that is described
	seen  map[visit]bool
	out   known.Values

	numbers    bool // numbers without a unit may occur
	whole      bool // they must all be integers
	dimensions bool // dimensions or percentages may occur
	signed     bool // they may all be negative
}

// visit is a type that was visited.
type visit struct {
	e        *expr
	function bool
}

// walk visits an expression; inFunction is set inside a function.
func (g *gatherer) walk(e *expr, inFunction bool) {
	if e == nil || g.seen[visit{e, inFunction}] {
		return
	}
	g.seen[visit{e, inFunction}] = true
	switch e.op {
	case reference:
		if e.text == "color" {
			g.out.Color = true
			return
		}
		g.walk(g.table.expr("<"+e.text+">", e.low, e.high), inFunction)
	case basic:
		if !inFunction {
			g.basic(e)
		}
	case function:
		inFunction = inFunction || e.text != g.own
	}
	for _, arg := range e.args {
		g.walk(arg, inFunction)
	}
}

// basic records a basic type.
func (g *gatherer) basic(e *expr) {
	switch e.text {
	case "ident", "custom-ident", "ident-token", "identifier", "any-value", "declaration-value", "whole-value",
		"hash-token", "id":
		g.out.Names = true
	case "integer":
		g.whole = false
		fallthrough
	case "number", "number-token":
		g.numbers = true
		g.out.Low, g.out.High = max(g.out.Low, e.low), min(g.out.High, e.high)
	case "length", "percentage", "angle", "time", "frequency", "resolution", "flex", "decibel", "semitones",
		"dimension", "dimension-token":
		g.dimensions = true
		g.signed = g.signed && e.low < 0
		for _, bound := range []float64{e.low, e.high} {
			if bound != 0 && !math.IsInf(bound, 0) {
				g.out.Bounded = true
			}
		}
	}
}
