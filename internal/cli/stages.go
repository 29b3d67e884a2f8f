package cli

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"github.com/aymanbagabas/go-udiff"
	"github.com/spf13/cobra"

	"rinzel/internal/diag"
	"rinzel/internal/project"
	"rinzel/internal/site"
)

// stagesFlags are the flags of the stages command.
type stagesFlags struct {
	inspectFlags
	profile string
	step    string
	diff    bool
}

// newStages returns the stages command.
func newStages(std IO) *cobra.Command {
	var flags stagesFlags
	cmd := &cobra.Command{
		Use:   "stages PAGE|BUNDLE|SHEET",
		Short: "Show what each step makes of a sheet, a bundle, or the styles of a page",
		Long: `Stages runs the steps and shows the result of each: its size, its rules, the
lines that it changed, and the time that it took. Nothing is written.

Of a page it shows each bundle and style element. A bundle starts with the texts
of all its sheets; import is what without() and only() leave of them, join the
bundle before the steps of the finish. A sheet is built on its own with its
imports. If no page links the sheet, but a sheet imports it, it is shown without
its imports, as the first importing sheet uses it.

--step prints the text after one step, --diff the lines that each step changes,
and both the lines that one step changes. Lines are compared in one layout, so
minify only changes lines if it changes rules.`,
		Example: `  rinzel stages styles/main.css
  rinzel stages index.html --diff
  rinzel stages styles/main.css --step compose
  rinzel stages styles/shared.css --step minify --diff`,
		Args: cobra.MatchAll(atLeast(1, "a page, bundle or sheet"), atMost(1)),
		RunE: func(cmd *cobra.Command, args []string) error {
			return inspect(flags.inspectFlags, std, func(in *inspection) ([]diag.Diagnostic, error) {
				return in.stages(cmd.Context(), args[0], &flags)
			})
		},
	}
	flags.add(cmd)
	f := cmd.Flags()
	f.StringVarP(&flags.profile, "profile", "p", project.Production, "settings profile")
	f.StringVar(&flags.step, "step", "", "print the text after this `step`: source, join, or the name of a step")
	f.BoolVar(&flags.diff, "diff", false, "print the lines that steps change")
	_ = cmd.RegisterFlagCompletionFunc("step",
		cobra.FixedCompletions(site.StageNames(project.Default()), cobra.ShellCompDirectiveNoFileComp))
	return cmd
}

// subject returns what an argument may name.
func (in *inspection) subject(arg string) site.Subject {
	sheet, _ := sourceName(in.project, arg) // it may be a bundle, which is outside of the source folder
	return site.Subject{Name: arg, Sheet: sheet}
}

// stages prints the stages of a page, bundle or sheet.
func (in *inspection) stages(ctx context.Context, name string, flags *stagesFlags) ([]diag.Diagnostic, error) {
	names := site.StageNames(in.project.Settings)
	if flags.step != "" && !slices.Contains(names, flags.step) {
		return nil, fmt.Errorf("unknown step %q; %s", flags.step,
			diag.DidYouMean(flags.step, names, "the stages are "+strings.Join(names, ", ")))
	}
	shown := showProgress(in.std)
	list, res, err := site.Stages(ctx, in.project, in.subject(name),
		site.Options{Profile: flags.profile, Progress: shown.update})
	shown.end()
	if err != nil {
		return nil, err
	}
	errs := res.Blocking()
	has := func(s site.Staged) bool { return indexOf(&s, flags.step) >= 0 }
	if flags.step != "" && len(list) > 0 && !slices.ContainsFunc(list, has) {
		return errs, fmt.Errorf("the step %q does not run on %s in the profile %q", flags.step, name, flags.profile)
	}
	if len(list) == 0 && len(errs) == 0 {
		return nil, errors.New(diag.Printable(name) + " has no styles")
	}
	switch {
	case flags.json:
		in.answer = in.jsonStages(list, flags)
	case flags.step != "" && !flags.diff:
		for i := range list {
			if at := indexOf(&list[i], flags.step); at >= 0 {
				if _, err := in.std.Out.Write(list[i].Stages[at].Text()); err != nil {
					return errs, err
				}
			}
		}
	default:
		for i := range list {
			if i > 0 {
				fmt.Fprintln(in.std.Out)
			}
			in.staged(&list[i], flags)
		}
	}
	return errs, nil
}

// indexOf returns the index of a stage, or -1.
func indexOf(s *site.Staged, step string) int {
	return slices.IndexFunc(s.Stages, func(g site.Stage) bool { return g.Step == step })
}

// stageDiff is what a step changed.
type stageDiff struct {
	added, removed int // lines
	sheets         []sheetDiff
}

// sheetDiff is what a step changed in a sheet, or in a bundle.
type sheetDiff struct {
	sheet string // empty for a bundle
	hunks []*udiff.Hunk
}

// diffStage compares a stage with the previous one.
func diffStage(s *site.Staged, at int) (d stageDiff) {
	for _, c := range s.Changes(at) {
		if c.Before == c.After {
			continue
		}
		u, err := udiff.ToUnifiedDiff("", "", c.Before, udiff.Lines(c.Before, c.After), udiff.DefaultContextLines)
		if err != nil { // the edits do not fit the text: a mistake of the library
			panic(err)
		}
		d.sheets = append(d.sheets, sheetDiff{c.Sheet, u.Hunks})
		for _, h := range u.Hunks {
			for _, l := range h.Lines {
				switch l.Kind {
				case udiff.Insert:
					d.added++
				case udiff.Delete:
					d.removed++
				}
			}
		}
	}
	return d
}

// staged prints the stages of a bundle, style element or sheet.
func (in *inspection) staged(s *site.Staged, flags *stagesFlags) {
	out := in.std.Out
	title := diag.Printable(s.Name)
	if s.Element {
		title += ", style element"
	}
	sheets := ""
	if len(s.Sheets) > 1 || len(s.Sheets) == 1 && s.Sheets[0] != s.Name {
		sheets = ": " + diag.Printable(someOf(s.Sheets, 4))
	}
	fmt.Fprintf(out, "%s%s\n", in.paint("1", title), in.paint("2", sheets))
	if flags.diff {
		for i := range s.Stages {
			if i > 0 && (flags.step == "" || flags.step == s.Stages[i].Step) {
				in.diff(s.Stages[i].Step, diffStage(s, i))
			}
		}
		return
	}
	t := table{{"  after", "bytes", "", "lines", "rules", "declarations", "time", "  lines changed"}}
	before := 0
	for i := range s.Stages {
		g := &s.Stages[i]
		text, counts := g.Text(), g.Counts()
		row := []string{"  " + g.Step, size(len(text)), "", fmt.Sprint(strings.Count(string(text), "\n")),
			fmt.Sprint(counts.Rules), fmt.Sprint(counts.Declarations), "", ""}
		if i > 0 {
			row[2], row[6], row[7] = changeText(before, len(text)), milliseconds(g.Took), "  "+in.changed(diffStage(s, i))
		}
		before = len(text)
		t = append(t, row)
	}
	for i, line := range t.lines() {
		if i == 0 {
			line = in.paint("2", line)
		}
		fmt.Fprintln(out, line)
	}
}

// milliseconds returns a time for display.
func milliseconds(took time.Duration) string {
	ms := float64(took.Microseconds()) / 1e3
	if ms < 10 {
		return fmt.Sprintf("%.1f ms", ms)
	}
	return fmt.Sprintf("%.0f ms", ms)
}

// changed returns the numbers of changed lines.
func (in *inspection) changed(d stageDiff) string {
	if d.added+d.removed == 0 {
		return in.paint("2", "none")
	}
	return in.paint("32", fmt.Sprintf("+%d", d.added)) + " " + in.paint("31", fmt.Sprintf("-%d", d.removed))
}

// diff prints the lines that a step changed.
func (in *inspection) diff(step string, d stageDiff) {
	fmt.Fprintf(in.std.Out, "%s  %s\n", in.paint("1", step), in.changed(d))
	for _, s := range d.sheets {
		if s.sheet != "" {
			fmt.Fprintln(in.std.Out, in.paint("2", diag.Printable(s.sheet)))
		}
		for _, h := range s.hunks {
			slide(h.Lines)
			in.hunk(h)
		}
	}
}

// slide moves runs of added or removed lines down over equal lines, so that a
// rule is shown whole, from its selectors to its brace.
func slide(lines []udiff.Line) {
	for i := 0; i < len(lines); i++ {
		if lines[i].Kind == udiff.Equal {
			continue
		}
		end := i
		for end < len(lines) && lines[end].Kind == lines[i].Kind {
			end++
		}
		for end < len(lines) && lines[end].Kind == udiff.Equal && lines[end].Content == lines[i].Content {
			lines[i].Kind, lines[end].Kind = udiff.Equal, lines[i].Kind
			i, end = i+1, end+1
		}
		i = end - 1
	}
}

// hunk prints changed lines that are close to each other, with some unchanged
// ones around.
func (in *inspection) hunk(h *udiff.Hunk) {
	out := in.std.Out
	from, to := 0, 0
	for _, l := range h.Lines {
		if l.Kind != udiff.Insert {
			from++
		}
		if l.Kind != udiff.Delete {
			to++
		}
	}
	fmt.Fprintln(out, in.paint("36", fmt.Sprintf("@@ -%d,%d +%d,%d @@", h.FromLine, from, h.ToLine, to)))
	for _, l := range h.Lines {
		text := diag.Printable(strings.TrimSuffix(l.Content, "\n"))
		switch l.Kind {
		case udiff.Insert:
			text = in.paint("32", "+"+text)
		case udiff.Delete:
			text = in.paint("31", "-"+text)
		default:
			text = " " + text
		}
		fmt.Fprintln(out, text)
	}
}

// jsonStage is a stage as JSON.
type jsonStage struct {
	Step         string  `json:"step"`
	On           string  `json:"on"`
	Bytes        int     `json:"bytes"`
	Lines        int     `json:"lines"`
	Rules        int     `json:"rules"`
	Declarations int     `json:"declarations"`
	Milliseconds float64 `json:"milliseconds"`
	Added        int     `json:"linesAdded"`
	Removed      int     `json:"linesRemoved"`
	Text         string  `json:"text"`
}

// jsonStages returns stages as JSON.
func (in *inspection) jsonStages(list []site.Staged, flags *stagesFlags) any {
	type staged struct {
		Name    string      `json:"name"`
		Element bool        `json:"styleElement,omitempty"`
		Sheets  []string    `json:"sheets"`
		Stages  []jsonStage `json:"stages"`
	}
	out := []staged{}
	for i := range list {
		s := &list[i]
		one := staged{Name: s.Name, Element: s.Element, Sheets: orEmpty(s.Sheets), Stages: []jsonStage{}}
		for k := range s.Stages {
			g := &s.Stages[k]
			if flags.step != "" && flags.step != g.Step {
				continue
			}
			text, counts, d := string(g.Text()), g.Counts(), diffStage(s, k)
			one.Stages = append(one.Stages, jsonStage{g.Step, string(g.On), len(text), strings.Count(text, "\n"), counts.Rules,
				counts.Declarations, float64(g.Took.Microseconds()) / 1e3, d.added, d.removed, text})
		}
		out = append(out, one)
	}
	return map[string]any{"version": 1, "profile": flags.profile, "stages": out}
}
