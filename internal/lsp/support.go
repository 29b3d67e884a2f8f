package lsp

import (
	"fmt"
	"strings"

	"rinzel/internal/browsers"
	"rinzel/internal/css/token"
)

// atRuleFeature is the start of the names of features that are at-rules.
const atRuleFeature = "css.at-rules."

// lacking returns which targets lack a feature: "missing in safari 15.4". It is empty if
// none does, or if nothing is known about the feature.
func (s *server) lacking(feature string) string {
	const most = 3
	list := s.session.Project().Settings.Targets.Missing(feature)
	if len(list) == 0 {
		return ""
	}
	text := "missing in " + strings.Join(list[:min(len(list), most)], ", ")
	if n := len(list) - most; n > 0 {
		text += fmt.Sprintf(" and %d more", n)
	}
	return text
}

// support returns which targets lack a feature; "" if nothing is known about it.
func (s *server) support(feature string) string {
	if !browsers.Known(feature) {
		return ""
	}
	if text := s.lacking(feature); text != "" {
		return text
	}
	return "in all targets"
}

// valueFeature returns the feature that a keyword is of a property.
func valueFeature(property, word string) string {
	return browsers.Property(property) + "." + token.Lower(word)
}
