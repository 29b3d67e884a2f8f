// Package diag represents findings about the user's sources as values, and
// renders them for people ([Renderer]). Problems of the run itself, such as I/O
// errors, are ordinary errors, not findings.
package diag

import (
	"cmp"
	"slices"

	"rinzel/internal/diag/code"

	"rinzel/internal/source"
)

// Severity is the severity of a finding.
type Severity uint8

// The severities, in increasing order.
const (
	// Note is information that needs no action.
	Note Severity = iota
	// Warning is a probable mistake; output is written.
	Warning
	// Error is a mistake that would make the output wrong; nothing is written.
	Error
)

// String returns "note", "warning" or "error".
func (s Severity) String() string { return [...]string{"note", "warning", "error"}[s] }

// MarshalText encodes the severity as a word in JSON.
func (s Severity) MarshalText() ([]byte, error) { return []byte(s.String()), nil }

// Diagnostic is one finding about the user's source.
type Diagnostic struct {
	Code     code.Code // stable and documented: "unclosed-block"
	Severity Severity
	Span     source.Span   // the zero Span if the finding has no position
	Message  string        // one sentence in lower case, without a full stop
	Related  []Related     // related positions, such as where a block was opened
	Imports  []source.Span // imports that lead to the sheet, the nearest first
	Fix      string        // what to do about it; empty if unknown
	// Output is what a program of the user's wrote last; empty for other findings.
	Output string
	// Cause identifies the cause of a finding that occurs at several positions,
	// such as a missing file that many pages link. Findings with the same code
	// and cause are shown as one.
	Cause string
	// Undefined is the kind and name of an undefined reference, as in "constant
	// tone"; empty for other findings.
	Undefined string
	Also      []source.Span // further positions with the same cause, including those without a position
}

// Related is a position that helps to understand a finding.
type Related struct {
	Span    source.Span
	Message string
}

// List collects findings. The zero List is empty. It is not safe for concurrent
// use: each worker fills a list of its own.
type List struct {
	all []Diagnostic
}

// Add appends findings.
func (l *List) Add(ds ...Diagnostic) { l.all = append(l.all, ds...) }

// Sorted returns the findings in display order: errors, then warnings, then
// notes; of the same severity by the names of their files in files, then by
// position, with those without a position last. The order in which findings
// were added is irrelevant. Duplicates with the same code, position and message
// are removed. Of findings with the same cause, the first remains and counts
// the others. files may be nil if all findings are about one file.
func (l *List) Sorted(files *source.Set) []Diagnostic {
	order := make([]*Diagnostic, len(l.all)) // diagnostics are large, and sorting moves them often
	for i := range l.all {
		order[i] = &l.all[i]
	}
	slices.SortStableFunc(order, func(a, b *Diagnostic) int {
		if c := cmp.Or(cmp.Compare(b.Severity, a.Severity), compareSpans(files, a.Span, b.Span),
			cmp.Compare(a.Code, b.Code), cmp.Compare(a.Message, b.Message)); c != 0 {
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

// Alike groups findings that say the same about different positions, like
// [List.Sorted] groups those with the same cause.
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

// compareSpans compares spans by the names of their files, then by position.
func compareSpans(files *source.Set, a, b source.Span) int {
	if a.Start.File == b.Start.File {
		return cmp.Compare(a.Start.Off, b.Start.Off)
	}
	byNumber := cmp.Compare(a.Start.File-1, b.Start.File-1) // those without a position last
	if files == nil || !a.IsValid() || !b.IsValid() {
		return byNumber
	}
	return cmp.Or(cmp.Compare(files.File(a.Start.File).Name, files.File(b.Start.File).Name),
		cmp.Compare(a.Start.Off, b.Start.Off), byNumber)
}

// HasErrors reports whether any of ds is an error.
func HasErrors(ds []Diagnostic) bool {
	return slices.ContainsFunc(ds, func(d Diagnostic) bool { return d.Severity == Error })
}
