package cli

import (
	"fmt"
	"slices"
	"strings"

	"github.com/mattn/go-runewidth"
	"github.com/spf13/cobra"

	"rinzel/internal/browsers"
	"rinzel/internal/diag"
)

// newTargets returns the targets command.
func newTargets(std IO) *cobra.Command {
	var flags inspectFlags
	var set, why string
	cmd := &cobra.Command{
		Use:   "targets",
		Short: "List the targeted browser versions, and the setting that selects each",
		Long: `Targets lists the browser versions that the settings select, with their share of
world use and the setting that selects them.

With --why FEATURE it lists the targets that do not support a feature or need a
prefix for it. FEATURE is a property, a function, or the end of a name in the
compatibility data, such as gap, oklch or selectors.nesting.`,
		Example: `  rinzel targets
  rinzel targets --set old
  rinzel targets --why user-select`,
		Args: atMost(0),
		RunE: func(*cobra.Command, []string) error {
			return inspect(flags, std, func(in *inspection) ([]diag.Diagnostic, error) {
				return nil, in.targets(set, why)
			})
		},
	}
	flags.add(cmd)
	cmd.Flags().StringVar(&set, "set", "", "set of browsers from [browsers.sets]")
	cmd.Flags().StringVar(&why, "why", "", "name of a feature: list targets without it")
	return cmd
}

// targets prints the versions of a set of browsers, or those without a feature.
func (in *inspection) targets(set, why string) error {
	t := in.project.Settings.Targets
	if set != "" {
		var ok bool
		if t, ok = in.project.Settings.TargetSets[set]; !ok {
			var names []string
			for name := range in.project.Settings.TargetSets {
				names = append(names, name)
			}
			message := fmt.Sprintf("unknown browser set %q", set)
			if fix := diag.DidYouMean(set, names, ""); fix != "" {
				message += "; " + fix
			}
			return fmt.Errorf("%s", message)
		}
	}
	if why != "" {
		return in.why(t, why)
	}
	if in.flags.json {
		in.answer = jsonTargets(t)
		return nil
	}
	rows := [][4]string{{"browser", "versions", "share", "selected by"}}
	for _, r := range t.Ranges() {
		rows = append(rows, [4]string{r.Browser, versions(r), fmt.Sprintf("%.2f%%", r.Share), strings.Join(r.By, ", ")})
	}
	fmt.Fprintf(in.std.Out, "%s of world use, by %s\n", in.paint("1", fmt.Sprintf("%.1f%%", t.Share())), t)
	in.rows(rows)
	return nil
}

// rows prints a table with a title row. The third column is a number.
func (in *inspection) rows(rows [][4]string) {
	var widths [4]int
	for _, row := range rows {
		for i, cell := range row {
			widths[i] = max(widths[i], runewidth.StringWidth(cell))
		}
	}
	for i, row := range rows {
		line := fmt.Sprintf("  %s  %s  %s  %s", runewidth.FillRight(row[0], widths[0]),
			runewidth.FillRight(row[1], widths[1]),
			runewidth.FillLeft(row[2], widths[2]), row[3])
		if line = strings.TrimRight(line, " "); i == 0 {
			line = in.paint("2", line)
		}
		fmt.Fprintln(in.std.Out, line)
	}
}

// versions returns a range of versions as text.
func versions(r browsers.Range) string {
	switch {
	case r.Open && r.From == r.To:
		return r.From.String() + " and newer"
	case r.Open:
		return fmt.Sprintf("%s to %s and newer", r.From, r.To)
	case r.From == r.To:
		return r.From.String()
	}
	return fmt.Sprintf("%s to %s", r.From, r.To)
}

// why prints the targets without a feature, and the prefixes they need.
func (in *inspection) why(t browsers.Targets, name string) error {
	const most = 8
	features := browsers.Find(name)
	if p := browsers.Property(name); browsers.Known(p) {
		features = []string{p}
	}
	if len(features) == 0 {
		var known []string
		for _, f := range browsers.Features() {
			known = append(known, f[strings.LastIndexByte(f, '.')+1:])
		}
		message := fmt.Sprintf("no data about %q", name)
		if fix := diag.DidYouMean(name, known, ""); fix != "" {
			message += "; " + fix
		}
		fmt.Fprintln(in.std.Err, message)
		return errSources
	}
	shown := features[:min(len(features), most)]
	if in.flags.json {
		out := []jsonWhy{}
		for _, f := range features {
			out = append(out, jsonWhy{f, orEmpty(t.Unsupported(f)), orEmpty(t.Prefixes(f))})
		}
		in.answer = map[string]any{"version": 1, "features": out}
		return nil
	}
	for _, f := range shown {
		lacking, prefixes := t.Unsupported(f), t.Prefixes(f)
		text := "supported by all targets"
		if len(lacking) > 0 {
			text = "unsupported by " + strings.Join(lacking, ", ")
			if slices.ContainsFunc(lacking, func(s string) bool { return strings.Contains(s, " ") }) {
				text += " and older"
			}
		}
		if len(prefixes) > 0 {
			text += "; some need the prefix " + strings.Join(prefixes, " and ")
		}
		fmt.Fprintf(in.std.Out, "%s: %s\n", in.paint("1", f), text)
	}
	if more := len(features) - len(shown); more > 0 {
		fmt.Fprintf(in.std.Out, "and %s with that name; use a longer name to see them\n", diag.Count(more, "other feature"))
	}
	return nil
}

// jsonWhy is the support of a feature as JSON.
type jsonWhy struct {
	Feature     string   `json:"feature"`
	Unsupported []string `json:"unsupported"`
	Prefixes    []string `json:"prefixes"`
}

// jsonRange is a range of versions as JSON.
type jsonRange struct {
	Browser string   `json:"browser"`
	From    string   `json:"from"`
	To      string   `json:"to"`
	Newer   bool     `json:"andNewer"`
	Share   float64  `json:"share"`
	By      []string `json:"selectedBy"`
}

// jsonTargets returns targets as JSON.
func jsonTargets(t browsers.Targets) any {
	ranges := []jsonRange{}
	for _, r := range t.Ranges() {
		ranges = append(ranges, jsonRange{r.Browser, r.From.String(), r.To.String(), r.Open, r.Share, r.By})
	}
	return map[string]any{"version": 1, "targets": ranges, "share": t.Share(), "diagnostics": []jsonDiagnostic{}}
}
