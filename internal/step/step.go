// Package step defines what all steps have in common: the [Unit] that they work
// on, and the interface [Runner]. The steps are the packages below this one;
// they do not import each other. Package pipeline has the table of steps.
package step

import (
	"context"
	"time"

	"rinzel/internal/css/ast"
	"rinzel/internal/diag"
	"rinzel/internal/source"
)

// Kind is the kind of a unit.
type Kind uint8

// The kinds of units.
const (
	Sheet   Kind = iota // the rules of one sheet, without its imports
	Media               // a list of media queries: of an import, or of a link
	Element             // a style element, with its imports
	Bundle              // the sheets of one or more pages, in cascade order
)

// kindNames are the names of the kinds in messages.
var kindNames = [...]string{"sheet", "media list", "style element", "bundle"}

// String returns the name of the kind in messages.
func (k Kind) String() string { return kindNames[k] }

// Unit is what steps work on. A step reads and modifies the unit, and reports
// findings, only through these fields and methods.
type Unit struct {
	Kind    Kind
	Nodes   []ast.Node  // its rules; nil for a media list
	Queries []ast.Value // of a media list; otherwise nil
	Path    source.Path // of the sheet, of the page of a style element, or of a bundle in the output folder
	Parts   []Part      // the sheets of a bundle or style element, in order, before they were joined
	// Composed is set if build-time syntax was evaluated: the unit is plain
	// CSS.
	Composed bool
	// Compact is set if the unit is printed without insignificant white
	// space.
	Compact bool
	// Files is what a step may read files through, so that its result depends on
	// them; nil if it must not read any.
	Files source.Reader
	// Report receives findings; may be nil.
	Report func(diag.Diagnostic)
	// Ran receives each step that ran on the unit, and its result; may be nil.
	Ran func(Stage)

	notes []any
}

// Stage is the state of a unit after a step.
type Stage struct {
	Step    string
	Nodes   []ast.Node
	Compact bool // it is printed without insignificant white space
	Took    time.Duration
}

// Part is a sheet in a bundle.
type Part struct {
	File  *source.File // nil if unknown
	Nodes []ast.Node
}

// Note records a fact about the work of a step, see [Notes].
func (u *Unit) Note(note any) { u.notes = append(u.notes, note) }

// Find reports a finding.
func (u *Unit) Find(d diag.Diagnostic) {
	if u.Report != nil {
		u.Report(d)
	}
}

// Notes returns the notes of one type that steps recorded in a unit, in order.
func Notes[T any](u *Unit) []T {
	var out []T
	for _, n := range u.notes {
		if note, ok := n.(T); ok {
			out = append(out, note)
		}
	}
	return out
}

// Runner is a step that is ready to run. It must be safe for concurrent use on
// different units.
type Runner interface {
	// Run runs the step on a unit. The error is one of the run itself, such as
	// a cancelled context; problems of the sources are reported to the unit.
	// After an error the unit must not be used.
	Run(ctx context.Context, u *Unit) error
}

// RunnerFunc is a function that implements [Runner].
type RunnerFunc func(ctx context.Context, u *Unit) error

// Run calls the function.
func (f RunnerFunc) Run(ctx context.Context, u *Unit) error { return f(ctx, u) }
