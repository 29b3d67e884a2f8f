package query

import (
	"context"
	"fmt"

	"rinzel/internal/css/parse"
	"rinzel/internal/css/replace"
	"rinzel/internal/diag"
	"rinzel/internal/project"
	"rinzel/internal/source"
)

// Repeats are the values of a sheet and its imports.
type Repeats struct {
	Sheet       string // displayed path
	Sheets      int    // number of imported sheets
	Values      []*replace.Repeat
	Diagnostics []diag.Diagnostic
}

// ListRepeats returns the values that a sheet and its imports use, after
// composition and replace(), and before prefixing and lowering. The sheet is
// given as a path in the source folder, or "root:path". The error is one of the
// run itself.
func ListRepeats(ctx context.Context, p *project.Project, name string) (*Repeats, error) {
	survey, asked, err := surveyFor(ctx, p, name)
	if err != nil {
		return nil, err
	}
	var counter replace.Counter
	out := &Repeats{Sheet: p.Tree.Show(asked)}
	if e, ok := survey.Entry(ctx, asked, true); ok {
		out.Sheets = e.Tree.Count()
		for _, nodes := range e.Nodes {
			counter.Add(nodes)
		}
	}
	out.Values = counter.Repeats()
	out.Diagnostics = onlyImports(survey.Diagnostics())
	return out, survey.Err(ctx)
}

// RepeatsOf returns the values in list that mean the same as text. The error is
// that text is not a single value.
func RepeatsOf(list []*replace.Repeat, text string) ([]*replace.Repeat, error) {
	want, err := keyOf(text)
	if err != nil {
		return nil, err
	}
	var out []*replace.Repeat
	for _, r := range list {
		if key, err := keyOf(r.Text); err == nil && key == want {
			out = append(out, r)
		}
	}
	return out, nil
}

// keyOf returns the key of a value given as text.
func keyOf(text string) (string, error) {
	var set source.Set
	values, _ := parse.Values(set.Add(source.Path{}, "", text))
	if len(values) != 1 {
		return "", fmt.Errorf("%q is not a single value such as #2b6cb0 or 4px", text)
	}
	key, _ := replace.Key(&values[0], "")
	return key, nil
}
