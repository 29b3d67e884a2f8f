package project

import (
	"slices"
	"strings"

	"rinzel/internal/pipeline"
	"rinzel/internal/step/lower"
	"rinzel/internal/step/minify"
)

// words are the possible values of settings that are one of a few words, by key; "*"
// stands for names of the user's. The first one is used instead of an invalid one.
var words = map[string][]string{
	"budget.level":             {string(LevelWarning), string(LevelError)},
	"budget.*.level":           {string(LevelWarning), string(LevelError)},
	"components.styles":        {"bundle", "inside"},
	"profile.*.maps":           {string(NoMaps), string(FileMaps), string(InlineMaps)},
	"profile.*.names":          {string(PlainNames), string(HashedNames)},
	"profile.*.script-styles":  {string(LinkStyles), string(AdoptStyles)},
	"minify.size":              {string(minify.Compressed), string(minify.Uncompressed)},
	"purge.unreadable-scripts": {string(KeepRelated), string(IgnoreUnreadable)},
	"check.in-build":           {string(CheckWarns), string(CheckStops), string(CheckOff)},
	"check.levels.*":           {string(LevelError), string(LevelWarning), string(LevelNote), string(LevelOff)},
	"lower.direction":          {string(lower.LeftToRight), string(lower.RightToLeft)},
	"step.*.on":                {string(pipeline.OnSheet), string(pipeline.OnBundle), string(pipeline.OnScript), string(pipeline.OnPage), string(pipeline.OnAsset)},
	"step.*.gives":             {"sheet", "css"},
	"step.*.protocol":          {"json", "text"},
}

// wordsFor returns the words that are possible for a key; nil for any.
func wordsFor(key []string) []string {
	if list := words[strings.Join(key, ".")]; list != nil {
		return list
	}
	for i := range key {
		pattern := slices.Clone(key)
		pattern[i] = "*"
		if list := words[strings.Join(pattern, ".")]; list != nil {
			return list
		}
	}
	return nil
}
