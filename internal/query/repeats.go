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

// Repeats is the values of a sheet, and of all that it imports.
type Repeats struct {
	Sheet       string // as people are shown it
	Sheets      int    // how many it imports
	Values      []*replace.Repeat
	Diagnostics []diag.Diagnostic
}

// ListRepeats returns the values that a sheet and its imports use, after constants and replace()
// and before prefixes and fallbacks. The sheet is named by its path in the source folder, or as
// "root:path". The error is one of our run.
func ListRepeats(ctx context.Context, p *project.Project, name string) (*Repeats, error) {
	survey, asked, err := surveyFor(p, name)
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

// RepeatsOf returns those of a list of values that mean the same as text. The error tells that
// text is no single value.
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

// keyOf returns the key of a value that is given as text.
func keyOf(text string) (string, error) {
	var set source.Set
	values, _ := parse.Values(set.Add(source.Path{}, "", text))
	if len(values) != 1 {
		return "", fmt.Errorf("%q is not a single value such as #2b6cb0 or 4px", text)
	}
	key, _ := replace.Key(&values[0], "")
	return key, nil
}
