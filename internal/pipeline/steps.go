// Package pipeline has the table of all steps ([Steps]), and runs lists of them
// on units: rules of sheets, media lists, style elements and bundles ([Chain]).
// No other package runs a step or knows the names of steps.
//
// A new step needs a package below step, which implements [step.Runner], and a
// row in the table.
package pipeline

import (
	"fmt"
	"slices"
	"strconv"
	"strings"

	"rinzel/internal/diag"
	"rinzel/internal/step"
	"rinzel/internal/step/check"
	"rinzel/internal/step/compose"
	"rinzel/internal/step/lower"
	"rinzel/internal/step/minify"
	"rinzel/internal/step/prefix"
	"rinzel/internal/step/purge"
)

// Stage is where steps run.
type Stage string

// The stages.
const (
	OnSheet  Stage = "sheet"  // in a chain, on each sheet separately
	OnBundle Stage = "bundle" // in the finish, on a bundle as a whole
	// The following are for steps of the user only. They run on what is written.
	OnScript Stage = "script" // on each script
	OnPage   Stage = "page"   // on each page
	OnAsset  Stage = "asset"  // on each other file
)

// Language is the input or output of a step.
type Language string

// The languages. Steps of the user may take others, which are named after the
// extension of their files.
const (
	SheetLanguage Language = "sheet" // CSS with build-time syntax
	CSS           Language = "CSS"
)

// Changes is a set of bits for what a step may change.
type Changes uint8

// What steps may change.
const (
	Declarations Changes = 1 << iota
	Selectors
	Rules   // at-rules, and the set of rules
	Queries // media queries: such a step runs on media lists as well
	Layout  // the layout of the text
)

// Order is a constraint: a step must come before another one.
type Order struct {
	Then string // name of the other step
	Why  string
}

// Step is a row of the table: everything that is known about a step.
type Step struct {
	Name         string
	On           Stage
	Takes, Gives Language
	Does         string // one line for help texts
	Changes      Changes
	Before       []Order
	After        []string // names of steps that must not come later
	ByDefault    bool     // it is part of the default chain, or of the default finish of a release
	Excludable   bool     // comments can exclude parts of a sheet from it, see package asis
	NeedsSite    bool     // it needs the evidence of all pages, so it does not run on a single sheet
	Own          bool     // it is a step of the user's
	// New constructs the step from the settings. It is nil for a step that works
	// on texts before they are parsed, see [Step.IsReader].
	New func(*Settings) (step.Runner, error)
}

// IsReader reports whether a step works on the text of a sheet before it is
// parsed: a step of the user's that takes another language than CSS.
func (s *Step) IsReader() bool { return s.Own && s.On == OnSheet && s.Takes != CSS }

// Settings are what steps are constructed from.
type Settings struct {
	Compose compose.Limits
	Lower   lower.Options
	Prefix  prefix.Options
	Minify  minify.Options
	Purge   purge.Options
	Own     []Step // steps of the user's
}

// Steps are all steps, in their default order.
var Steps = []Step{
	{
		Name: compose.Name, On: OnSheet, Takes: SheetLanguage, Gives: CSS, ByDefault: true,
		Does:    "evaluates what is known at build time: constants, loops, mixins, calculations, colours",
		Changes: Declarations | Selectors | Rules,
		Before: []Order{{lower.Name, "a nested rule may contain a constant"},
			{prefix.Name, "a constant may determine the value of a property"}},
		New: func(s *Settings) (step.Runner, error) { return compose.NewStep(s.Compose), nil },
	},
	{
		Name: lower.Name, Excludable: true, On: OnSheet, Takes: CSS, Gives: CSS, ByDefault: true,
		Does:    "rewrites syntax that a target does not support: nested rules, media ranges, colours, selectors, newer properties and values",
		Changes: Declarations | Selectors | Rules | Queries,
		Before:  []Order{{prefix.Name, "a nested rule may contain something that needs a prefix"}},
		New:     func(s *Settings) (step.Runner, error) { return lower.NewStep(s.Lower), nil },
	},
	{
		Name: prefix.Name, Excludable: true, On: OnSheet, Takes: CSS, Gives: CSS, ByDefault: true,
		Does:    "adds the vendor prefixes that the targets need to properties, values, rules and selectors, and removes those that no target needs",
		Changes: Declarations | Selectors | Rules,
		New:     func(s *Settings) (step.Runner, error) { return prefix.New(s.Prefix), nil },
	},
	{
		Name: purge.Name, Excludable: true, On: OnBundle, Takes: CSS, Gives: CSS, ByDefault: true, NeedsSite: true,
		Does:    "removes the rules that no page or script uses",
		Changes: Declarations | Selectors | Rules,
		Before:  []Order{{minify.Name, "minifying rules that are then removed is wasted work"}},
		New:     func(s *Settings) (step.Runner, error) { return purge.NewStep(s.Purge), nil },
	},
	{
		Name: minify.Name, On: OnBundle, Takes: CSS, Gives: CSS, ByDefault: true,
		Does:    "writes the shortest text with the same meaning, and proves that it has it",
		Changes: Declarations | Selectors | Rules | Layout,
		New:     func(s *Settings) (step.Runner, error) { return minify.Step{Options: s.Minify}, nil },
	},
}

// Find returns the step of the table with a name.
func Find(name string) (Step, bool) { return find(name, nil) }

// find returns the step of the table, or of the user's, with a name.
func find(name string, own []Step) (Step, bool) {
	for _, list := range [][]Step{Steps, own} {
		if i := slices.IndexFunc(list, func(s Step) bool { return s.Name == name }); i >= 0 {
			return list[i], true
		}
	}
	return Step{}, false
}

// names returns the names of the steps for which is returns true, in order.
func names(is func(Step) bool) []string {
	var out []string
	for _, s := range Steps {
		if is(s) {
			out = append(out, s.Name)
		}
	}
	return out
}

// Names returns the names of the steps of a stage, in order.
func Names(on Stage) []string { return names(func(s Step) bool { return s.On == on }) }

// Defaults returns the names of the default steps of a stage, in order.
func Defaults(on Stage) []string {
	return names(func(s Step) bool { return s.On == on && s.ByDefault })
}

// HeedComments returns the names of the steps, and of the checks, that comments
// can exclude parts of a sheet from.
func HeedComments() []string {
	return append(names(func(s Step) bool { return s.Excludable }), check.Name)
}

// has reports whether one of the steps in list has a property.
func has(list []string, property func(Step) bool) bool {
	return slices.ContainsFunc(list, func(name string) bool {
		s, ok := Find(name)
		return ok && property(s)
	})
}

// NeedSite reports whether one of the steps needs the evidence of all pages.
func NeedSite(list []string) bool { return has(list, func(s Step) bool { return s.NeedsSite }) }

// Compact reports whether one of the steps makes the output compact.
func Compact(list []string) bool {
	return has(list, func(s Step) bool { return s.Changes&Layout != 0 })
}

// WithoutSite returns the steps that do not need the evidence of all pages.
func WithoutSite(list []string) []string {
	return slices.DeleteFunc(slices.Clone(list), func(name string) bool { return NeedSite([]string{name}) })
}

// OnlySite returns the steps that need the evidence of all pages.
func OnlySite(list []string) []string {
	return slices.DeleteFunc(slices.Clone(list), func(name string) bool { return !NeedSite([]string{name}) })
}

// Problem is an error in a list of steps.
type Problem struct {
	Index   int // of the step in the list
	Message string
	Fix     string
}

// Check checks the steps of a chain or a finish: each must be known, run on the
// stage, occur once, and be in a valid order. own are the steps of the user's.
func Check(list []string, on Stage, own []Step) []Problem {
	c := checking{list: list, on: on, own: own, seen: make(map[string]bool)}
	for i, name := range list {
		s, ok := c.find(name)
		switch {
		case !ok:
			c.unknown(i, name)
		case s.On != on:
			place := "set on = " + strconv.Quote(string(on)) + " in [step." + name + "]"
			if !s.Own {
				place = map[Stage]string{OnSheet: "put it into a chain", OnBundle: "put it into finish"}[s.On]
			}
			c.fail(i, fmt.Sprintf("step %q works on %s, not on %s", name, article(s.On), article(on)), place)
		case c.seen[name]:
			c.fail(i, fmt.Sprintf("step %q is listed twice", name), "remove it")
		default:
			c.misplaced(i, &s)
		}
		c.seen[name] = true
	}
	return c.problems
}

// checking is the state of [Check].
type checking struct {
	list     []string
	on       Stage
	own      []Step
	seen     map[string]bool // the steps so far
	problems []Problem
}

// fail adds a problem of the step at i.
func (c *checking) fail(i int, message, fix string) {
	c.problems = append(c.problems, Problem{i, message, fix})
}

// find returns a step of the table or of the user.
func (c *checking) find(name string) (Step, bool) { return find(name, c.own) }

// unknown adds the problem that the step at i is unknown.
func (c *checking) unknown(i int, name string) {
	names := Names(c.on)
	for _, s := range c.own {
		if s.On == c.on {
			names = append(names, s.Name)
		}
	}
	c.fail(i, fmt.Sprintf("unknown step %q", name),
		diag.DidYouMean(name, names, "the steps are "+strings.Join(names, ", ")))
}

// misplaced adds the problem of a step that is in the wrong place.
func (c *checking) misplaced(i int, s *Step) {
	for _, o := range s.Before {
		if c.seen[o.Then] {
			c.fail(i, fmt.Sprintf("step %q must come before %q: %s", s.Name, o.Then, o.Why),
				fmt.Sprintf("move %q before %q", s.Name, o.Then))
			return
		}
	}
	for _, first := range s.After {
		if slices.Contains(c.list[i+1:], first) {
			c.fail(i, fmt.Sprintf("step %q must come after %q: the settings of the step say so", s.Name, first),
				fmt.Sprintf("move %q after %q", s.Name, first))
			return
		}
	}
	if !s.Own || s.On != OnSheet {
		return
	}
	if s.IsReader() {
		c.readsTooLate(i, s)
		return
	}
	for _, name := range c.list[i+1:] {
		if later, ok := c.find(name); ok && later.Takes != CSS {
			c.fail(i, fmt.Sprintf("step %q takes CSS, but the text is CSS only after %q", s.Name, name),
				fmt.Sprintf("move %q after %q, or set takes = \"sheet\" in [step.%s]", s.Name, name, s.Name))
			return
		}
	}
}

// readsTooLate adds the problem of a step that takes another language than CSS,
// and comes after one that needs CSS or gives it.
func (c *checking) readsTooLate(i int, s *Step) {
	for _, name := range c.list[:i] {
		before, ok := c.find(name)
		if !ok || before.IsReader() && before.Takes != SheetLanguage || before.IsReader() && s.Takes == SheetLanguage {
			continue
		}
		what := "the language " + strconv.Quote(string(s.Takes))
		if s.Takes == SheetLanguage {
			what = "sheets as they are written"
		}
		c.fail(i, fmt.Sprintf("step %q takes %s, but comes after %q", s.Name, what, name),
			fmt.Sprintf("move %q before %q", s.Name, name))
		return
	}
}

// article returns the name of a stage with its article.
func article(on Stage) string {
	if on == OnAsset {
		return "an " + string(on)
	}
	return "a " + string(on)
}
