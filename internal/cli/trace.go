package cli

import (
	"context"
	"fmt"
	"path/filepath"
	"strconv"
	"strings"

	"github.com/mattn/go-runewidth"
	"github.com/spf13/cobra"

	"rinzel/internal/diag"
	"rinzel/internal/project"
	"rinzel/internal/site"
	"rinzel/internal/source"
	"rinzel/internal/trace"
)

// newTrace returns the trace command.
func newTrace(std IO) *cobra.Command {
	var flags inspectFlags
	var profile string
	cmd := &cobra.Command{
		Use:   "trace FILE:LINE[:COLUMN]",
		Short: "Follow a declaration or rule from its source to the outputs, or back",
		Long: `Trace follows one declaration or rule through all steps. FILE is a source sheet,
a page with style elements, or a file in the output folder, also without the
hash in its name. Without COLUMN it is the first declaration or rule of the line.

Of a place in a source it shows, for each bundle, what the steps made of it, and
where it is in the output. If it is in none, it shows the step that removed it,
and why: a name that is not in use, or the declaration that holds instead.

Of a place in an output it shows the source line, the imports, the mixin calls and
loops that made it, and the steps in between.

Columns count from 1. Nothing is written.`,
		Example: `  rinzel trace styles/board.css:12
  rinzel trace public/index.css:1:204
  rinzel trace styles/board.css:12:3 --profile development`,
		Args: cobra.MatchAll(atLeast(1, "a place, like styles/board.css:12:3"), atMost(1)),
		RunE: func(cmd *cobra.Command, args []string) error {
			at, err := readPlace(args[0])
			if err != nil {
				return err
			}
			return inspect(flags, std, func(in *inspection) ([]diag.Diagnostic, error) {
				return in.trace(cmd.Context(), at, profile)
			})
		},
	}
	flags.add(cmd)
	cmd.Flags().StringVarP(&profile, "profile", "p", project.Production, "settings profile")
	return cmd
}

// readPlace reads a place: FILE:LINE or FILE:LINE:COLUMN.
func readPlace(text string) (at trace.Place, err error) {
	parts := strings.Split(text, ":")
	var numbers []int
	for len(parts) > 1 && len(numbers) < 2 {
		n, err := strconv.Atoi(parts[len(parts)-1])
		if err != nil || n < 1 {
			break
		}
		numbers = append([]int{n}, numbers...)
		parts = parts[:len(parts)-1]
	}
	if len(numbers) == 0 || strings.Join(parts, "") == "" {
		return at, fmt.Errorf("expected a file with a line, like styles/board.css:12 or styles/board.css:12:3, got %q", text)
	}
	at.File, at.Line = relative(strings.Join(parts, ":")), numbers[0]
	if len(numbers) > 1 {
		at.Column = numbers[1]
	}
	return at, nil
}

// relative returns a path relative to the working folder, if it is in it.
func relative(name string) string {
	if here, err := filepath.Abs("."); err == nil && filepath.IsAbs(name) {
		if rel, err := filepath.Rel(here, name); err == nil && filepath.IsLocal(rel) {
			return filepath.ToSlash(rel)
		}
	}
	return name
}

// trace prints the path of a declaration or rule.
func (in *inspection) trace(ctx context.Context, at trace.Place, profile string) ([]diag.Diagnostic, error) {
	shown := showProgress(in.std)
	tracer, errs, err := trace.For(ctx, in.project, profile, at, shown.update)
	shown.end()
	if err != nil || diag.HasErrors(errs) {
		return errs, err
	}
	t, err := tracer.Find(at)
	if err != nil {
		return nil, err
	}
	if in.flags.json {
		in.answer = in.jsonTrace(t, profile)
		return nil, nil
	}
	out := in.std.Out
	r := diag.Renderer{Files: in.project.Tree.Set, Color: in.std.OutColor}
	if t.Asked != nil {
		fmt.Fprintf(out, "%s  %s\n", in.paint("1", placeText(t.Asked)), diag.Printable(shortened(t.Asked.Text, false)))
		if t.Stale {
			fmt.Fprintln(out, in.paint("1;33", "the file on disk differs from what a build makes now: build again"))
		}
		fmt.Fprintf(out, "from the %s at %s\n", t.Kind, in.paint("1", r.Position(t.Found)))
	} else {
		fmt.Fprintf(out, "%s  %s\n", in.paint("1", r.Position(t.Found)), t.Kind)
	}
	fmt.Fprint(out, r.Frame(t.Found))
	if at := t.Origin; at.File != "" {
		fmt.Fprintf(out, "  by the source map of the sheet from %s:%d:%d\n", diag.Printable(at.File), at.Line, at.Column)
	}
	for i := range t.Traced {
		in.traced(&t.Traced[i], &r)
	}
	return nil, nil
}

// placeText returns a place of an output.
func placeText(w *trace.Written) string {
	if w.Line == 0 {
		return diag.Printable(w.File)
	}
	return diag.Printable(fmt.Sprintf("%s:%d:%d", w.File, w.Line, w.Column))
}

// traced prints the path into one bundle.
func (in *inspection) traced(t *trace.Traced, r *diag.Renderer) {
	const mostPlaces, mostExpansions, widest = 10, 3, 240
	out := in.std.Out
	fmt.Fprintf(out, "in %s\n", in.paint("1", diag.Printable(t.Bundle)))
	row := func(label, text string) {
		fmt.Fprintf(out, "  %s  %s\n", in.paint("2", fmt.Sprintf("%-8s", label)), text)
	}
	in.imported(t.Imports, r, row)
	for i, by := range t.By {
		if i == mostExpansions {
			row("", fmt.Sprintf("and %d more", len(t.By)-i))
			break
		}
		for _, one := range by {
			row("expanded", fmt.Sprintf("%s: %s", diag.Printable(one.Message), r.Position(one.Span)))
		}
	}
	for _, s := range t.Steps {
		for i, text := range s.Texts {
			if i == mostPlaces {
				row("", fmt.Sprintf("and %d more", len(s.Texts)-i))
				break
			}
			label := s.Step
			if i > 0 {
				label = ""
			}
			row(label, diag.Printable(runewidth.Truncate(text, widest, "…")))
		}
	}
	for i, w := range t.Written {
		if i == mostPlaces {
			row("", fmt.Sprintf("and at %d more places", len(t.Written)-i))
			break
		}
		row("written", placeText(&w))
	}
	if t.Gone != nil {
		in.gone(t.Gone, r, row)
	}
}

// imported prints the imports that lead to a sheet.
func (in *inspection) imported(trails [][]source.Span, r *diag.Renderer, row func(label, text string)) {
	const most = 3
	for i, trail := range trails {
		if i == most {
			row("", fmt.Sprintf("and %d more", len(trails)-i))
			break
		}
		if len(trail) == 0 {
			if len(trails) > 1 {
				row("linked", "by a page")
			}
			continue
		}
		var places []string
		for _, at := range trail {
			places = append(places, r.Position(at))
		}
		row("imported", strings.Join(places, ", by "))
	}
}

// gone prints why something is in no output.
func (in *inspection) gone(g *trace.Gone, r *diag.Renderer, row func(label, text string)) {
	gone := func(s string) string { return in.paint("1;33", s) }
	switch g.Cause {
	case trace.NotMade:
		row(g.Step, gone("no output")+": a definition, a false condition, or a mixin without a call")
	case trace.LeftOut:
		row(g.Step, gone("left out")+" by without() or only()")
	case trace.Unused:
		row(g.Step, gone("removed"))
		w := &whyAnswer{inspection: in}
		if len(g.Why) == 0 {
			row("", "all rules in it are unused")
		}
		for _, v := range g.Why {
			if v.Selector == nil {
				row("", fmt.Sprintf("no remaining rule uses %s", diag.Printable(v.Name)))
			}
			for _, reason := range v.Why {
				row("", w.reason(reason))
			}
		}
	case trace.Replaced:
		row(g.Step, gone("replaced")+" by "+diag.Printable(shortened(g.Instead, false)))
		if at := r.Position(g.InsteadAt); at != "" {
			row("", "from "+at)
		}
	case trace.NoEffect:
		row(g.Step, gone("removed")+": it has no effect")
	default:
		row(g.Step, gone("removed")+": no target needs it")
	}
}

// jsonTrace returns a trace as JSON.
func (in *inspection) jsonTrace(t *trace.Trace, profile string) any {
	type jsonStep struct {
		Step  string   `json:"step"`
		Texts []string `json:"texts"`
	}
	type jsonWritten struct {
		File   string `json:"file"`
		Line   int    `json:"line,omitempty"`
		Column int    `json:"column,omitempty"`
		Text   string `json:"text"`
	}
	type jsonBy struct {
		Text  string        `json:"text"`
		Place *jsonPosition `json:"place"`
	}
	type jsonGone struct {
		Step    string        `json:"step"`
		Cause   string        `json:"cause"`
		Why     []jsonVerdict `json:"why,omitempty"`
		Instead string        `json:"instead,omitempty"`
		From    *jsonPosition `json:"insteadPlace,omitempty"`
	}
	type jsonTraced struct {
		Bundle  string            `json:"bundle"`
		Imports [][]*jsonPosition `json:"imports"`
		By      [][]jsonBy        `json:"madeBy"`
		Steps   []jsonStep        `json:"steps"`
		Written []jsonWritten     `json:"written"`
		Gone    *jsonGone         `json:"gone,omitempty"`
	}
	files := in.project.Tree.Set
	answer := map[string]any{"version": 1, "profile": profile, "kind": t.Kind, "place": jsonPositionOf(files, t.Found)}
	written := func(w trace.Written) jsonWritten { return jsonWritten{w.File, w.Line, w.Column, w.Text} }
	if at := t.Origin; at.File != "" {
		answer["origin"] = map[string]any{"file": at.File, "line": at.Line, "column": at.Column}
	}
	if t.Asked != nil {
		answer["asked"], answer["stale"] = written(*t.Asked), t.Stale
	}
	list := []jsonTraced{}
	w := &whyAnswer{inspection: in}
	for _, one := range t.Traced {
		j := jsonTraced{Bundle: one.Bundle, Imports: [][]*jsonPosition{}, By: [][]jsonBy{}, Steps: []jsonStep{}, Written: []jsonWritten{}}
		for _, trail := range one.Imports {
			places := []*jsonPosition{}
			for _, at := range trail {
				places = append(places, jsonPositionOf(files, at))
			}
			j.Imports = append(j.Imports, places)
		}
		for _, by := range one.By {
			expansion := []jsonBy{}
			for _, b := range by {
				expansion = append(expansion, jsonBy{b.Message, jsonPositionOf(files, b.Span)})
			}
			j.By = append(j.By, expansion)
		}
		for _, s := range one.Steps {
			j.Steps = append(j.Steps, jsonStep{s.Step, s.Texts})
		}
		for _, o := range one.Written {
			j.Written = append(j.Written, written(o))
		}
		if g := one.Gone; g != nil {
			j.Gone = &jsonGone{Step: g.Step, Cause: string(g.Cause), Instead: g.Instead, From: jsonPositionOf(files, g.InsteadAt)}
			for _, v := range g.Why {
				j.Gone.Why = append(j.Gone.Why, w.jsonVerdicts([]site.SelectorVerdict{{Bundle: one.Bundle, Verdict: v}})...)
			}
		}
		list = append(list, j)
	}
	answer["bundles"] = list
	return answer
}
