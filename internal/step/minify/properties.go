package minify

import "rinzel/internal/css/token"

// colorProperties are the properties in whose values every hash is a colour,
// and so is every identifier that names one.
var colorProperties = words("color background background-color background-image border border-color border-top border-right " +
	"border-bottom border-left border-top-color border-right-color border-bottom-color border-left-color " +
	"border-block border-inline border-block-color border-inline-color border-block-start border-block-end " +
	"border-inline-start border-inline-end border-block-start-color border-block-end-color " +
	"border-inline-start-color border-inline-end-color outline outline-color box-shadow text-shadow " +
	"text-decoration-color text-emphasis-color column-rule column-rule-color caret-color accent-color fill stroke " +
	"stop-color flood-color lighting-color scrollbar-color")

// numberProperties are the properties that take a number, so that a whole one
// means the same as one with a fraction.
var numberProperties = words("opacity line-height flex flex-grow flex-shrink zoom fill-opacity stroke-opacity " +
	"stop-opacity flood-opacity animation-iteration-count scale aspect-ratio")

// properties say how the values of a property are read.
var properties = func() map[string]context {
	set := make(map[string]context)
	for name := range colorProperties {
		set[name] = context{color: true}
	}
	for name := range numberProperties {
		in := set[name]
		in.number = true
		set[name] = in
	}
	return set
}()

func kindOf(color string) token.Kind {
	if color[0] == '#' {
		return token.Hash
	}
	return token.Ident
}
