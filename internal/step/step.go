// Package step lists the steps that sheets and bundles go through, what each
// takes and gives, and which must stand before which. The steps themselves
// are the packages below it; none knows of another.
package step

import (
	"fmt"
	"strings"

	"rinzel/internal/diag"
)

// Stage says what a step works on.
type Stage string

const (
	OnSheet  Stage = "sheet"  // each sheet alone, in its chain
	OnBundle Stage = "bundle" // a bundle as a whole, in the finish
)

// Language is what a step takes or gives.
type Language string

const (
	SheetLanguage Language = "sheet" // CSS with what is finished at build time
	CSS           Language = "CSS"
)

// Step describes one step.
type Step struct {
	Name         string
	On           Stage
	Takes, Gives Language
	Does         string // one line, for help texts
}

// Steps are all steps, in the order in which they may stand in a chain and a finish.
var Steps = []Step{
	{"compose", OnSheet, SheetLanguage, CSS, "finishes what is known at build time: constants, loops, mixins, calculations, colours"},
	{"lower", OnSheet, CSS, CSS, "rewrites syntax that a target lacks: nested rules, media ranges, colours, selectors, properties and values that came later"},
	{"prefix", OnSheet, CSS, CSS, "adds the vendor prefixes that a target needs to properties, values, rules and selectors, drops those that none needs"},
	{"purge", OnBundle, CSS, CSS, "removes the rules that no page or script uses"},
	{"minify", OnBundle, CSS, CSS, "writes the smallest text with the same meaning"},
}

// mustPrecede says why the order is what it is. It checks a user's steps and
// words the error.
var mustPrecede = []struct{ first, then, why string }{
	{"compose", "lower", "a constant may stand in a nested rule"},
	{"compose", "prefix", "a constant may decide which value a property has"},
	{"lower", "prefix", "a nested rule may hold what needs a prefix"},
	{"purge", "minify", "what is removed need not be made small"},
}

// Find returns the step of a name.
func Find(name string) (Step, bool) {
	for _, s := range Steps {
		if s.Name == name {
			return s, true
		}
	}
	return Step{}, false
}

// Names returns the names of the steps of a stage, in order.
func Names(on Stage) []string {
	var names []string
	for _, s := range Steps {
		if s.On == on {
			names = append(names, s.Name)
		}
	}
	return names
}

// Problem is what is wrong with a list of steps.
type Problem struct {
	Index   int // of the step in the list
	Message string
	Mend    string
}

// Check checks the steps of a chain or a finish: each is known, works on what
// the stage works on, stands there once and in its right place.
func Check(names []string, on Stage) []Problem {
	var problems []Problem
	seen := make(map[string]bool)
	for i, name := range names {
		s, ok := Find(name)
		switch {
		case !ok:
			mend := diag.DidYouMean(name, Names(on), "the steps are "+strings.Join(Names(on), ", "))
			problems = append(problems, Problem{i, fmt.Sprintf("there is no step %q", name), mend})
		case s.On != on:
			place := map[Stage]string{OnSheet: "a chain", OnBundle: "finish"}[s.On]
			problems = append(problems, Problem{i,
				fmt.Sprintf("the step %q works on a %s, not on a %s", name, s.On, on), "put it into " + place})
		case seen[name]:
			problems = append(problems, Problem{i, fmt.Sprintf("the step %q stands here a second time", name), "remove it"})
		default:
			problems = append(problems, misplaced(i, name, seen)...)
		}
		seen[name] = true
	}
	return problems
}

// misplaced returns the problem of a step that stands behind one it must precede.
func misplaced(i int, name string, seen map[string]bool) []Problem {
	for _, rule := range mustPrecede {
		if rule.first == name && seen[rule.then] {
			return []Problem{{i,
				fmt.Sprintf("the step %q stands behind %q: %s", name, rule.then, rule.why),
				fmt.Sprintf("write %q before %q", name, rule.then)}}
		}
	}
	return nil
}
