// Package step is what the steps have in common: the units that they work on, and the form in which each runs. The steps
// themselves are the packages below it; none knows of another. What steps there are is a table in the package pipeline.
package step

import (
	"context"

	"rinzel/internal/css/ast"
	"rinzel/internal/diag"
	"rinzel/internal/source"
)

// Kind says what a unit is.
type Kind uint8

const (
	Sheet   Kind = iota // the rules of one sheet, without what it imports
	Media               // a list of media queries: of an import, or of a link
	Element             // a style element, with what it imports
	Bundle              // the sheets of a page, or several pages, in cascade order
)

var kindNames = [...]string{"sheet", "media list", "style element", "bundle"}

func (k Kind) String() string { return kindNames[k] }

// Unit is what a list of steps works on. A step reads and changes it, and reports, through the unit alone.
type Unit struct {
	Kind    Kind
	Nodes   []ast.Node  // its rules; nil for a media list
	Queries []ast.Value // of a media list, else nil
	Parts   []Part      // the sheets that a bundle or a style element is made of, in order, before they were joined
	// Composed tells that what is finished when the site is built is finished: the sheet holds CSS.
	Composed bool
	// Compact tells that the unit is to be written without spaces that mean nothing.
	Compact bool
	// Report takes what steps find; nil if nobody asks.
	Report func(diag.Diagnostic)

	notes []any
}

// Part is a sheet in a bundle.
type Part struct {
	File  *source.File // nil if it is not known
	Nodes []ast.Node
}

// Note keeps what a step tells of its work, for whoever asks by [Notes].
func (u *Unit) Note(note any) { u.notes = append(u.notes, note) }

// Find reports a finding.
func (u *Unit) Find(d diag.Diagnostic) {
	if u.Report != nil {
		u.Report(d)
	}
}

// Notes returns the notes of one type that steps have left in a unit, in order.
func Notes[T any](u *Unit) []T {
	var out []T
	for _, n := range u.notes {
		if note, ok := n.(T); ok {
			out = append(out, note)
		}
	}
	return out
}

// Runner is a step that is ready to run, on any number of units at once.
type Runner interface {
	// Run works on a unit. The error is one of our run, such as that of a context which ended; what is wrong with the sources
	// is reported to the unit. After an error the unit is not to be used.
	Run(ctx context.Context, u *Unit) error
}

// RunnerFunc is a function that is a [Runner].
type RunnerFunc func(ctx context.Context, u *Unit) error

// Run calls the function.
func (f RunnerFunc) Run(ctx context.Context, u *Unit) error { return f(ctx, u) }
