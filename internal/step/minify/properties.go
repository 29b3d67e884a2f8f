package minify

import (
	"rinzel/internal/css/token"
	"rinzel/internal/css/value"
)

// colorProperties are the properties in whose values every hash is a colour,
// and so is every identifier that names one.
var colorProperties = words("color background background-color background-image border border-color border-top border-right " +
	"border-bottom border-left border-top-color border-right-color border-bottom-color border-left-color " +
	"border-block border-inline border-block-color border-inline-color border-block-start border-block-end " +
	"border-inline-start border-inline-end border-block-start-color border-block-end-color " +
	"border-inline-start-color border-inline-end-color outline outline-color box-shadow text-shadow " +
	"text-decoration-color text-emphasis-color column-rule column-rule-color caret-color accent-color fill stroke " +
	"stop-color flood-color lighting-color scrollbar-color")

// placeOf says how the values of a property, in lower case, are read.
func placeOf(property string) place {
	return place{color: colorProperties[property], number: value.PlaceIn(property).Number}
}

func kindOf(color string) token.Kind {
	if color[0] == '#' {
		return token.Hash
	}
	return token.Ident
}
