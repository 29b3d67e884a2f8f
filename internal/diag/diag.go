// Package diag holds findings about the user's sources as values, and the one
// place that renders them for people.
package diag

import (
	"cmp"
	"slices"

	"rinzel/internal/source"
)

// Severity says what a finding means for the run.
type Severity uint8

const (
	// Note tells what was done or left, and needs no action.
	Note Severity = iota
	// Warning tells of something that is probably not meant; output is written.
	Warning
	// Error means that the output would be wrong; none is written.
	Error
)

// String returns "note", "warning" or "error".
func (s Severity) String() string { return [...]string{"note", "warning", "error"}[s] }

// MarshalText makes the severity a word in JSON.
func (s Severity) MarshalText() ([]byte, error) { return []byte(s.String()), nil }

// Diagnostic is one finding about the user's source.
type Diagnostic struct {
	Code     string // stable and documented: "unclosed-block"
	Severity Severity
	Span     source.Span   // the zero Span if the finding has no place
	Message  string        // one sentence, lower case, without a full stop
	Related  []Related     // further places, such as where a block was opened
	Imports  []source.Span // that led to the sheet, the nearest first
	Mend     string        // what to do about it; empty if that is not known
}

// Related is another place that belongs to a finding.
type Related struct {
	Span    source.Span
	Message string
}

// List gathers findings. The zero List is empty. It is not safe for
// concurrent use: each worker fills its own.
type List struct {
	all []Diagnostic
}

// Add appends findings.
func (l *List) Add(ds ...Diagnostic) { l.all = append(l.all, ds...) }

// Sorted returns the findings in the order in which they are shown: errors
// before warnings before notes, and by place within, those without a place
// last; one that repeats
// another's code, place and message is left out.
func (l *List) Sorted() []Diagnostic {
	slices.SortStableFunc(l.all, func(a, b Diagnostic) int {
		return cmp.Or(
			-cmp.Compare(a.Severity, b.Severity),
			cmp.Compare(a.Span.Start.File-1, b.Span.Start.File-1), // those without a place last
			cmp.Compare(a.Span.Start.Off, b.Span.Start.Off),
			cmp.Compare(a.Code, b.Code),
			cmp.Compare(a.Message, b.Message),
		)
	})
	return slices.CompactFunc(l.all, func(a, b Diagnostic) bool {
		return a.Code == b.Code && a.Span == b.Span && a.Message == b.Message
	})
}

// HasErrors reports whether any of ds is an error.
func HasErrors(ds []Diagnostic) bool {
	return slices.ContainsFunc(ds, func(d Diagnostic) bool { return d.Severity == Error })
}
