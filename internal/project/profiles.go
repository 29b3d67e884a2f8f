package project

import (
	"fmt"
	"maps"
	"slices"

	"rinzel/internal/diag"
	"rinzel/internal/pipeline"
)

// This file reads profiles, which inherit from each other.

// fileProfile is [profile.NAME] in the settings file.
type fileProfile struct {
	Inherits *string   `toml:"inherits"`
	Browsers *string   `toml:"browsers"`
	Finish   *[]string `toml:"finish"`
	Maps     *string   `toml:"maps"`
	Names    *string   `toml:"names"`

	Integrity *bool     `toml:"integrity"`
	Compress  *[]string `toml:"compress"`
	Scripts   *string   `toml:"script-styles"`
}

// profiles reads all profiles.
func (r *reader) profiles(s *Settings, raw map[string]fileProfile) {
	done := make(map[string]bool)
	for _, name := range slices.Sorted(maps.Keys(raw)) {
		r.profile(s, raw, name, nil, done)
	}
}

// profile fills in one profile, after the one that it inherits from. trail has
// the profiles that led here.
func (r *reader) profile(s *Settings, raw map[string]fileProfile, name string, trail []string, done map[string]bool) {
	if done[name] {
		return
	}
	done[name] = true
	p, builtIn := s.Profiles[name]
	from := raw[name]
	key := func(k string) []string { return []string{"profile", name, k} }
	if !builtIn {
		p = r.inherited(s, raw, name, trail, done)
	} else if from.Inherits != nil {
		r.fail(r.positions.value(key("inherits")...), fmt.Sprintf("profile %q is built in and cannot inherit", name), "")
	}
	if from.Finish != nil {
		p.Finish = *from.Finish
		for _, problem := range pipeline.Check(p.Finish, pipeline.OnBundle, s.pipelineSteps()) {
			r.fail(r.positions.element(problem.Index, key("finish")...), problem.Message, problem.Fix)
		}
	}
	if from.Browsers != nil {
		if _, ok := s.TargetSets[*from.Browsers]; !ok {
			fix := diag.DidYouMean(*from.Browsers, slices.Sorted(maps.Keys(s.TargetSets)),
				"sets are defined in [browsers.sets.NAME]")
			r.fail(r.positions.value(key("browsers")...), fmt.Sprintf("unknown browser set %q", *from.Browsers), fix)
		}
		p.Browsers = *from.Browsers
	}
	if from.Maps != nil {
		p.Maps = Maps(r.word(*from.Maps, key("maps")))
	}
	if from.Names != nil {
		p.Names = Names(r.word(*from.Names, key("names")))
	}
	if from.Scripts != nil {
		p.Scripts = ScriptStyles(r.word(*from.Scripts, key("script-styles")))
	}
	if from.Integrity != nil {
		p.Integrity = *from.Integrity
	}
	if from.Compress != nil {
		p.Compress = r.compressions(*from.Compress, key("compress"))
	}
	s.Profiles[name] = p
}

// inherited returns the settings that a profile inherits, under its own name.
func (r *reader) inherited(s *Settings, raw map[string]fileProfile, name string, trail []string,
	done map[string]bool) Profile {
	parent := Development
	if from := raw[name].Inherits; from != nil {
		parent = *from
	}
	if _, ok := raw[parent]; ok && !slices.Contains(append(trail, name), parent) {
		r.profile(s, raw, parent, append(trail, name), done)
	}
	p, ok := s.Profiles[parent]
	if !ok {
		names := slices.Concat(slices.Sorted(maps.Keys(s.Profiles)), slices.Sorted(maps.Keys(raw)))
		fix := diag.DidYouMean(parent, names, "")
		r.fail(r.positions.value("profile", name, "inherits"),
			fmt.Sprintf("profile %q inherits from %q: unknown profile or a cycle", name, parent), fix)
		p = s.Profiles[Development]
	}
	p.Name = name
	return p
}

// compressions reads a list of compression formats.
func (r *reader) compressions(list []string, key []string) (out []Compression) {
	for i, form := range list {
		if c := Compression(form); c != Gzip && c != Brotli || slices.Contains(out, c) {
			r.fail(r.positions.element(i, key...), fmt.Sprintf("compress expects gzip and brotli, each once, got %q", form), "")
			continue
		}
		out = append(out, Compression(form))
	}
	return out
}
