package minify

import (
	"context"
	"fmt"

	"rinzel/internal/diag"
	"rinzel/internal/diag/code"
	"rinzel/internal/step"
)

// Name is the name of the step.
const Name = "minify"

// Step is the step for the pipeline.
type Step struct{ Options }

// maxNotes limits the number of findings about one unit.
const maxNotes = 10

// Run minifies the rules of a unit, and makes its output compact. It proves that
// the result means the same, undoes what it cannot prove, and reports that.
func (s Step) Run(ctx context.Context, u *step.Unit) error {
	nodes, undone := Proved(u.Nodes, s.Options)
	u.Nodes, u.Compact = nodes, true
	for i, n := range undone {
		d := diag.Diagnostic{Code: code.NotMinified, Severity: diag.Note, Span: n.At,
			Message: "this is not minified completely, because it could not be shown that the result means the same: " + n.Message}
		if i == maxNotes-1 && len(undone) > maxNotes {
			d.Message += fmt.Sprintf(" (and %d more)", len(undone)-maxNotes)
		}
		if i < maxNotes {
			u.Find(d)
		}
	}
	return ctx.Err()
}
