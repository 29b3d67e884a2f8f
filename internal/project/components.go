package project

import (
	"fmt"
	"path"
	"slices"

	"rinzel/internal/source"
)

// This file reads which files are components: markup, script and style blocks in
// one file.

// Components are the settings of component files, see [Settings.IsComponent].
type Components struct {
	Match []Glob
	// Inside makes all style blocks stay in their files.
	Inside bool
}

// fileComponents is [components] in the settings file.
type fileComponents struct {
	Match  []string `toml:"match"`
	Styles *string  `toml:"styles"`
}

// notComponents are the extensions of files that are something else.
var notComponents = []string{"css", "html", "htm", "xhtml", "js", "mjs", "cjs"}

// IsComponent reports whether a file is a component.
func (s *Settings) IsComponent(p source.Path) bool {
	return len(s.Components.Match) > 0 && AnyMatches(s.Components.Match, p) &&
		!slices.Contains(notComponents, Language(p.Name))
}

// ReadsBlock reports whether a style block of a component in a language can be
// read: it is CSS, or a step takes the language.
func (s *Settings) ReadsBlock(language string) bool {
	return language == "css" || s.IsLanguage("x."+language)
}

// components reads [components], once the steps are known.
func (r *reader) components(s *Settings, raw fileComponents) {
	s.Components.Match = r.globs(raw.Match, "components", "match")
	if raw.Styles != nil {
		s.Components.Inside = r.word(*raw.Styles, []string{"components", "styles"}) == "inside"
	}
	for _, g := range s.Components.Match {
		_, pattern := SplitRoot(g.Pattern)
		language := Language(path.Base(pattern))
		switch {
		case slices.Contains(notComponents, language):
			r.fail(g.At, fmt.Sprintf("files with the extension %q are no components", language), "")
		case s.IsLanguage(pattern):
			r.fail(g.At,
				fmt.Sprintf("a step reads files with the extension %q as sheets, so they cannot be components", language),
				"set takes of the step to the language of the style blocks")
		}
	}
	for _, o := range s.OwnSteps {
		if o.Compiles() && len(s.Components.Match) == 0 {
			r.fail(o.At, fmt.Sprintf("step %q compiles components, but there are none", o.Name),
				fmt.Sprintf(`set [components] match = ["**/*.%s"]`, o.Takes))
		}
	}
}
