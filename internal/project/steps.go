package project

import (
	"cmp"
	"fmt"
	"io/fs"
	"maps"
	"path"
	"regexp"
	"slices"
	"strings"
	"time"

	"github.com/bmatcuk/doublestar/v4"

	"rinzel/internal/diag"
	"rinzel/internal/pipeline"
	"rinzel/internal/source"
)

// This file reads the steps of the user's: [step.NAME].

// OwnStep is a step of the user's: a program, or a WebAssembly module.
type OwnStep struct {
	pipeline.Step          // without New
	Match         string   // glob for the files that it works on; empty for all
	Profiles      []string // in which it runs; empty for all
	Run           []string // the program with its arguments
	Module        source.Path
	Plain         bool          // it takes and gives the text alone, instead of JSON
	Time          time.Duration // limit of a call
	Memory        int           // limit of the memory of a module in MB
	Env           []string      // environment variables that the program gets in addition
	Inputs        []string      // globs of files that the program depends on, relative to the project folder
	Options       map[string]any
	At            source.Span // its name in the settings
}

// IsModule reports whether the step is a module, not a program.
func (s *OwnStep) IsModule() bool { return s.Module.Name != "" }

// Compiles reports whether the step makes scripts of files in another language.
func (s *OwnStep) Compiles() bool { return s.On == pipeline.OnScript && s.Takes != pipeline.CSS }

// Concerns reports whether the step works on a file in a language, in a profile.
func (s *OwnStep) Concerns(p source.Path, language, profile string) bool {
	if len(s.Profiles) > 0 && !slices.Contains(s.Profiles, profile) {
		return false
	}
	if (s.IsReader() || s.Compiles()) && s.Takes != pipeline.SheetLanguage && string(s.Takes) != language {
		return false
	}
	if s.Match == "" {
		return true
	}
	root, glob := SplitRoot(s.Match)
	ok, _ := doublestar.Match(glob, p.Name)
	return ok && root == p.Root
}

// Language returns the name of the language of a file: its extension in lower
// case, without the dot.
func Language(name string) string { return strings.TrimPrefix(strings.ToLower(path.Ext(name)), ".") }

// IsLanguage reports whether a step of the user's reads files with the extension
// of a name as sheets.
func (s *Settings) IsLanguage(name string) bool {
	if len(s.OwnSteps) == 0 {
		return false
	}
	language := Language(name)
	return language != "" && slices.ContainsFunc(s.OwnSteps, func(o OwnStep) bool {
		return o.IsReader() && string(o.Takes) == language
	})
}

// IsSheet reports whether a file name is that of a style sheet: of CSS, or of a
// language that a step of the user's reads.
func (s *Settings) IsSheet(name string) bool { return Language(name) == "css" || s.IsLanguage(name) }

// OwnStep returns the step of the user's with a name, or nil.
func (s *Settings) OwnStep(name string) *OwnStep {
	i := slices.IndexFunc(s.OwnSteps, func(o OwnStep) bool { return o.Name == name })
	if i < 0 {
		return nil
	}
	return &s.OwnSteps[i]
}

// StepsOf returns the steps of a sheet in a profile: readers are those of the
// user's that work on its text before it is parsed; names are the others. A step
// that takes the language of the file reads it, also if its chain does not list
// it.
func (s *Settings) StepsOf(p source.Path, profile string) (readers []*OwnStep, names []string) {
	return s.StepsFor(p, Language(p.Name), profile)
}

// StepsFor is [Settings.StepsOf] for a sheet in some language, such as a style
// block of a component.
func (s *Settings) StepsFor(p source.Path, language, profile string) (readers []*OwnStep, names []string) {
	list := s.ChainOf(p)
	if len(s.OwnSteps) == 0 {
		return nil, list
	}
	for _, name := range list {
		own := s.OwnStep(name)
		switch {
		case own == nil:
			names = append(names, name)
		case !own.Concerns(p, language, profile):
		case own.IsReader():
			readers = append(readers, own)
		default:
			names = append(names, name)
		}
	}
	if !slices.ContainsFunc(readers, func(o *OwnStep) bool { return string(o.Takes) == language }) {
		for i := range s.OwnSteps {
			if o := &s.OwnSteps[i]; o.IsReader() && string(o.Takes) == language && o.Concerns(p, language, profile) {
				readers = slices.Insert(readers, 0, o)
				break
			}
		}
	}
	return readers, names
}

// OutputSteps returns the steps of the user's that work on a file that is written,
// in the order in which they run. Those on scripts work on a component only after
// one that compiles it.
func (s *Settings) OutputSteps(on pipeline.Stage, p source.Path, profile string) (out []*OwnStep) {
	if on == pipeline.OnScript && s.IsComponent(p) && !s.Compiled(p, profile) {
		return nil
	}
	for i := range s.OwnSteps {
		switch o := &s.OwnSteps[i]; {
		case o.On != on || !o.Concerns(p, Language(p.Name), profile):
		case o.Compiles():
			out = slices.Insert(out, 0, o)
		default:
			out = append(out, o)
		}
	}
	return out
}

// Compiled reports whether a step makes a script of a component.
func (s *Settings) Compiled(p source.Path, profile string) bool {
	return slices.ContainsFunc(s.OwnSteps, func(o OwnStep) bool {
		return o.Compiles() && o.Concerns(p, Language(p.Name), profile)
	})
}

// fileStep is [step.NAME] in the settings file.
type fileStep struct {
	On       string         `toml:"on"`
	Takes    *string        `toml:"takes"`
	Gives    *string        `toml:"gives"`
	Match    *string        `toml:"match"`
	Profiles []string       `toml:"profiles"`
	Run      []string       `toml:"run"`
	Module   *string        `toml:"module"`
	Protocol *string        `toml:"protocol"`
	Time     *float64       `toml:"time"`
	Memory   *int           `toml:"memory"`
	Env      []string       `toml:"env"`
	Inputs   []string       `toml:"inputs"`
	Options  map[string]any `toml:"options"`
	Before   []string       `toml:"before"`
	After    []string       `toml:"after"`
}

// Limits of the settings of steps, and the defaults.
const (
	defaultTime, maxTime     = 10, 3600 // seconds
	defaultMemory, maxMemory = 256, 4096
)

// stepName matches names of steps and languages.
var stepName = regexp.MustCompile(`^[a-z][a-z0-9]*(-[a-z0-9]+)*$`)

// reserved are names that other parts of a build have in messages.
var reserved = []string{"source", "import", "join", "print"}

// steps reads the steps of the user's, in the order of the file.
func (r *reader) steps(s *Settings, raw map[string]fileStep) {
	names := slices.SortedFunc(maps.Keys(raw), func(a, b string) int {
		return cmp.Compare(r.stepAt(a).Start.Off, r.stepAt(b).Start.Off)
	})
	for _, name := range names {
		if o, ok := r.step(s, name, raw[name]); ok {
			s.OwnSteps = append(s.OwnSteps, o)
		}
	}
	r.stepOrder(s, raw)
}

// stepAt returns the place of a step.
func (r *reader) stepAt(name string) source.Span { return r.positions.key([]string{"step", name}) }

// step reads a step.
func (r *reader) step(s *Settings, name string, raw fileStep) (o OwnStep, ok bool) {
	at := r.stepAt(name)
	found := len(r.diags)
	_, builtIn := pipeline.Find(name)
	switch {
	case builtIn || slices.Contains(reserved, name):
		r.fail(at, fmt.Sprintf("%q is the name of a built-in step", name), "use another name")
	case !stepName.MatchString(name):
		r.fail(at, fmt.Sprintf("%q is not a valid name of a step", name), "use lower-case letters, digits and hyphens")
	}
	if r.unfit["step."+name] {
		return o, false
	}
	key := func(k string) []string { return []string{"step", name, k} }
	o = OwnStep{Profiles: raw.Profiles, Run: raw.Run, Env: raw.Env, Inputs: raw.Inputs, Options: raw.Options, At: at,
		Time: defaultTime * time.Second, Memory: defaultMemory}
	o.Name, o.Own, o.Takes, o.Gives = name, true, pipeline.CSS, pipeline.CSS
	o.Does = "a step of the settings"
	if raw.On == "" {
		r.fail(at, fmt.Sprintf("step %q does not say what it works on", name), `write on = "sheet", or bundle, script, page or asset`)
	} else {
		o.On = pipeline.Stage(r.word(raw.On, key("on")))
	}
	r.stepLanguages(&o, raw, key)
	r.stepCommand(&o, raw, key)
	r.stepLimits(&o, raw, key)
	if raw.Match != nil {
		root, _ := SplitRoot(*raw.Match)
		if _, known := s.Roots[root]; root != "" && !known {
			r.fail(r.positions.value(key("match")...), fmt.Sprintf("unknown root %q", root), nearRoot(root, s.Roots))
		} else {
			r.validGlob(r.positions.value(key("match")...), *raw.Match, `write it like "**/*.png"`)
		}
		o.Match = *raw.Match
	}
	for i, glob := range raw.Inputs {
		const hint = `write paths in the folder of the settings, like "tools/**"`
		if at := r.positions.element(i, key("inputs")...); r.validGlob(at, glob, hint) && !fs.ValidPath(glob) {
			r.fail(at, fmt.Sprintf("invalid glob %q", glob), hint)
		}
	}
	return o, len(r.diags) == found
}

// stepLanguages reads what a step takes and gives.
func (r *reader) stepLanguages(o *OwnStep, raw fileStep, key func(string) []string) {
	if raw.Takes != nil {
		at := r.positions.value(key("takes")...)
		switch takes := strings.TrimPrefix(*raw.Takes, "."); {
		case o.On != pipeline.OnSheet && o.On != pipeline.OnScript:
			r.fail(at, "only steps on sheets and scripts take a language", "remove takes")
		case !stepName.MatchString(takes):
			r.fail(at, fmt.Sprintf("%q is not a language", *raw.Takes), `write "css", "sheet", or the extension of the files`)
		case takes == "html" || takes == "htm" || takes == "xhtml" || takes == "js" || takes == "mjs" || takes == "cjs":
			r.fail(at, fmt.Sprintf("files with the extension %q are no sheets", takes), "")
		case o.On == pipeline.OnScript && (takes == "css" || takes == string(pipeline.SheetLanguage)):
			r.fail(at, fmt.Sprintf("a step on scripts cannot take %q", takes), "write the extension of the components")
		case o.On == pipeline.OnScript:
			o.Takes = pipeline.Language(takes)
		case takes == string(pipeline.SheetLanguage):
			o.Takes, o.Gives = pipeline.SheetLanguage, pipeline.SheetLanguage
		case takes != "css":
			o.Takes, o.Gives = pipeline.Language(takes), pipeline.SheetLanguage
		}
	}
	if raw.Gives != nil {
		at := r.positions.value(key("gives")...)
		if !o.IsReader() {
			r.fail(at, "only steps that take another language than CSS say what they give", "remove gives")
			return
		}
		if r.word(*raw.Gives, key("gives")) == "css" {
			o.Gives = pipeline.CSS
		}
	}
}

// stepCommand reads the program or the module of a step.
func (r *reader) stepCommand(o *OwnStep, raw fileStep, key func(string) []string) {
	switch {
	case (len(raw.Run) > 0) == (raw.Module != nil):
		r.fail(o.At, fmt.Sprintf("step %q needs either run or module", o.Name),
			`write run = ["tools/program"], or module = "tools/module.wasm"`)
	case raw.Module != nil:
		name := path.Clean(strings.ReplaceAll(*raw.Module, `\`, "/"))
		if !fs.ValidPath(name) || name == "." {
			r.fail(r.positions.value(key("module")...), fmt.Sprintf("invalid path %q of a module", *raw.Module),
				"write a path in the folder of the settings")
		}
		o.Module = source.Path{Root: FolderRoot, Name: name}
	case raw.Run[0] == "":
		r.fail(r.positions.element(0, key("run")...), "the name of the program is empty", "")
	}
	if raw.Module != nil && len(raw.Env) > 0 {
		r.fail(r.positions.value(key("env")...), "a module has no environment variables of its own", "pass values in options")
	}
	if raw.Protocol != nil {
		o.Plain = r.word(*raw.Protocol, key("protocol")) == "text"
	}
}

// stepLimits reads the limits of a step.
func (r *reader) stepLimits(o *OwnStep, raw fileStep, key func(string) []string) {
	if raw.Time != nil {
		if *raw.Time <= 0 || *raw.Time > maxTime {
			r.fail(r.positions.value(key("time")...), fmt.Sprintf("time must be a number of seconds up to %d, got %v", maxTime, *raw.Time), "")
		} else {
			o.Time = time.Duration(*raw.Time * float64(time.Second))
		}
	}
	if raw.Memory != nil {
		switch {
		case raw.Module == nil:
			r.fail(r.positions.value(key("memory")...), "only the memory of modules can be limited", "remove memory")
		case *raw.Memory < 1 || *raw.Memory > maxMemory:
			r.fail(r.positions.value(key("memory")...), fmt.Sprintf("memory must be a number of MB from 1 to %d, got %d", maxMemory, *raw.Memory), "")
		default:
			o.Memory = *raw.Memory
		}
	}
}

// stepOrder reads the order of steps, once all are known. Steps that work on
// files that are written have no list in which a user orders them: they are put
// in order.
func (r *reader) stepOrder(s *Settings, raw map[string]fileStep) {
	const why = "the settings of the step say so"
	for i := range s.OwnSteps {
		o := &s.OwnSteps[i]
		for k, then := range raw[o.Name].Before {
			if r.isStep(s, o, then, k, "before") {
				o.Before = append(o.Before, pipeline.Order{Then: then, Why: why})
			}
		}
		for k, first := range raw[o.Name].After {
			if r.isStep(s, o, first, k, "after") {
				o.After = append(o.After, first)
			}
		}
	}
	var sorted []OwnStep
	left := slices.Clone(s.OwnSteps)
	waits := func(o OwnStep) bool { // for one that is left
		return slices.ContainsFunc(left, func(other OwnStep) bool {
			return other.Name != o.Name && (slices.Contains(o.After, other.Name) ||
				slices.ContainsFunc(other.Before, func(b pipeline.Order) bool { return b.Then == o.Name }))
		})
	}
	for len(left) > 0 {
		i := slices.IndexFunc(left, func(o OwnStep) bool { return !waits(o) })
		if i < 0 {
			r.fail(left[0].At, fmt.Sprintf("the order of step %q contradicts itself: before and after form a cycle", left[0].Name), "")
			return
		}
		sorted = append(sorted, left[i])
		left = slices.Delete(left, i, i+1)
	}
	s.OwnSteps = sorted
}

// isStep reports whether a name in before or after is that of another step on the
// same kind of file. Otherwise it reports a mistake.
func (r *reader) isStep(s *Settings, o *OwnStep, name string, i int, key string) bool {
	var names []string
	for _, other := range slices.Concat(pipeline.Steps, s.pipelineSteps()) {
		if other.On == o.On && other.Name != o.Name {
			names = append(names, other.Name)
		}
	}
	if slices.Contains(names, name) {
		return true
	}
	r.fail(r.positions.element(i, "step", o.Name, key), fmt.Sprintf("no other step with on = %q is called %q", o.On, name),
		diag.DidYouMean(name, names, ""))
	return false
}

// pipelineSteps returns the steps of the user's as rows of the table.
func (s *Settings) pipelineSteps() (out []pipeline.Step) {
	for _, o := range s.OwnSteps {
		out = append(out, o.Step)
	}
	return out
}

// stepProfiles checks the names of profiles in steps, once all profiles are known.
func (r *reader) stepProfiles(s *Settings) {
	names := slices.Sorted(maps.Keys(s.Profiles))
	for _, o := range s.OwnSteps {
		for i, name := range o.Profiles {
			if !slices.Contains(names, name) {
				r.fail(r.positions.element(i, "step", o.Name, "profiles"), fmt.Sprintf("unknown profile %q", name),
					diag.DidYouMean(name, names, "the profiles are "+strings.Join(names, ", ")))
			}
		}
	}
}
