package cli

import (
	"fmt"
	"io"

	"rinzel/internal/diag"
	"rinzel/internal/diag/code"
	"rinzel/internal/source"
)

// maxOfKind limits the printed findings with the same code, unless all are
// requested.
const maxOfKind = 20

// showFindings prints findings. Those that say the same about several positions
// are grouped. If it omits some, it tells how to see all.
func showFindings(w io.Writer, r diag.Renderer, ds []diag.Diagnostic, all string) error {
	count := make(map[code.Code]int)
	var shown []diag.Diagnostic
	var more []code.Code // codes with omitted findings
	for _, d := range diag.Alike(ds) {
		switch count[d.Code]++; {
		case count[d.Code] <= maxOfKind:
			shown = append(shown, d)
		case count[d.Code] == maxOfKind+1:
			more = append(more, d.Code)
		}
	}
	if err := r.Render(w, shown); err != nil {
		return err
	}
	for _, of := range more {
		if _, err := fmt.Fprintf(w, "and %d more [%s]; %s\n", count[of]-maxOfKind, of, all); err != nil {
			return err
		}
	}
	return nil
}

// seenFindings are the findings of the last build, so that a watch does not
// repeat them.
type seenFindings map[findingKey]int

// findingKey identifies a finding. It does not include the position, which
// moves with edits before it.
type findingKey struct {
	code          code.Code
	file, message string
}

// keyOf returns the key of a finding.
func keyOf(files *source.Set, d diag.Diagnostic) findingKey {
	key := findingKey{code: d.Code, message: d.Message}
	if f := files.File(d.Span.Start.File); f != nil {
		key.file = f.Name
	}
	return key
}

// fresh returns the new findings and all errors, and the number of others.
func (s seenFindings) fresh(files *source.Set, ds []diag.Diagnostic) (fresh []diag.Diagnostic, others int) {
	left := make(map[findingKey]int)
	for key, n := range s {
		left[key] = n
	}
	for _, d := range ds {
		key := keyOf(files, d)
		if left[key]--; d.Severity < diag.Error && left[key] >= 0 {
			others++
			continue
		}
		fresh = append(fresh, d)
	}
	return fresh, others
}

// seen returns findings as those that were seen.
func seen(files *source.Set, ds []diag.Diagnostic) seenFindings {
	out := make(seenFindings)
	for _, d := range ds {
		out[keyOf(files, d)]++
	}
	return out
}
