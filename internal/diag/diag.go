// Package diag holds findings about the user's sources as values, and the one
// place that renders them for people.
package diag

import (
	"cmp"
	"slices"

	"rinzel/internal/diag/code"

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
	Code     code.Code // stable and documented: "unclosed-block"
	Severity Severity
	Span     source.Span   // the zero Span if the finding has no place
	Message  string        // one sentence, lower case, without a full stop
	Related  []Related     // further places, such as where a block was opened
	Imports  []source.Span // that led to the sheet, the nearest first
	Fix      string        // what to do about it; empty if that is not known
	// Cause names what is wrong, if several places have the same thing wrong: a file that
	// many pages miss. Findings with one code and one cause are shown as one.
	Cause string
	// Undefined is the kind and the name of what the sheet uses and nothing that it imports defines, as in "constant tone"; empty
	// for all other findings.
	Undefined string
	Also      []source.Span // further places that have the same cause; without a place they count as well
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
// before warnings before notes, and within by the names of files, which are those
// of a set, and by place, those without a place last; one that repeats another's code,
// place and message is left out. In which order files were read, and findings added,
// does not count. The set is nil if all are about one file. Of findings with one cause the first
// stays, and says how many others there are.
func (l *List) Sorted(files *source.Set) []Diagnostic {
	order := make([]*Diagnostic, len(l.all)) // they are large, and moved often
	for i := range l.all {
		order[i] = &l.all[i]
	}
	slices.SortStableFunc(order, func(a, b *Diagnostic) int {
		if c := cmp.Or(cmp.Compare(b.Severity, a.Severity), compareSpans(files, a.Span, b.Span), cmp.Compare(a.Code, b.Code), cmp.Compare(a.Message, b.Message)); c != 0 {
			return c
		}
		return cmp.Or(
			slices.CompareFunc(a.Imports, b.Imports, func(a, b source.Span) int { return compareSpans(files, a, b) }),
			slices.CompareFunc(a.Related, b.Related, func(a, b Related) int { return compareSpans(files, a.Span, b.Span) }),
		)
	})
	var out []Diagnostic
	type cause struct {
		code  code.Code
		cause string
	}
	first := make(map[cause]int)
	for i, d := range order {
		if i > 0 && d.Code == order[i-1].Code && d.Span == order[i-1].Span && d.Message == order[i-1].Message {
			continue
		}
		if d.Cause != "" {
			c := cause{d.Code, d.Cause}
			if k, ok := first[c]; ok {
				out[k].Also = append(out[k].Also, d.Span)
				continue
			}
			first[c] = len(out)
		}
		out = append(out, *d)
	}
	return out
}

// Alike returns findings with those that say the same of another place gathered in the first of
// them, as [List.Sorted] gathers those with one cause.
func Alike(list []Diagnostic) []Diagnostic {
	type kind struct {
		code         code.Code
		message, fix string
	}
	var out []Diagnostic
	first := make(map[kind]int)
	for _, d := range list {
		k := kind{d.Code, d.Message, d.Fix}
		if i, met := first[k]; met {
			out[i].Also = append(append(slices.Clip(out[i].Also), d.Span), d.Also...)
			continue
		}
		first[k] = len(out)
		out = append(out, d)
	}
	return out
}

// compareSpans compares places by the names of their files, and within.
func compareSpans(files *source.Set, a, b source.Span) int {
	if a.Start.File == b.Start.File {
		return cmp.Compare(a.Start.Off, b.Start.Off)
	}
	byNumber := cmp.Compare(a.Start.File-1, b.Start.File-1) // those without a place last
	if files == nil || !a.IsValid() || !b.IsValid() {
		return byNumber
	}
	return cmp.Or(cmp.Compare(files.File(a.Start.File).Name, files.File(b.Start.File).Name), cmp.Compare(a.Start.Off, b.Start.Off), byNumber)
}

// HasErrors reports whether any of ds is an error.
func HasErrors(ds []Diagnostic) bool {
	return slices.ContainsFunc(ds, func(d Diagnostic) bool { return d.Severity == Error })
}
