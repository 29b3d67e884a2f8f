package cli

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"github.com/mattn/go-runewidth"
	"github.com/spf13/cobra"

	"rinzel/internal/css/replace"
	"rinzel/internal/css/value"
	"rinzel/internal/diag"
	"rinzel/internal/query"
)

// newRepeats returns the repeats command.
func newRepeats(std IO) *cobra.Command {
	var flags inspectFlags
	var all bool
	cmd := &cobra.Command{
		Use:   "repeats SHEET [VALUE]",
		Short: "List the colours, lengths, times and fonts that a sheet repeats",
		Long: `Repeats counts the values of a sheet and of all its imports: which colours,
lengths, times and fonts it uses, how often, in which properties, and where
first. For a colour that is a shade or a translucent form of a more frequent
one, it shows how to derive it, for replace() in an import.

With VALUE it lists every use of that value. SHEET is a path relative to this
folder, or root:path.`,
		Example: `  rinzel repeats package:gauge/gauge.css
  rinzel repeats vendor/gauge.css "#2b6cb0"`,
		Args: cobra.MatchAll(atLeast(1, "a sheet"), atMost(2)),
		RunE: func(cmd *cobra.Command, args []string) error {
			return inspect(flags, std, func(in *inspection) ([]diag.Diagnostic, error) {
				return in.repeats(cmd.Context(), args, all)
			})
		},
	}
	flags.add(cmd)
	cmd.Flags().BoolVar(&all, "all", false, "also list values that are used once")
	return cmd
}

// repeats prints the values of a sheet, or the uses of one of them.
func (in *inspection) repeats(ctx context.Context, args []string, all bool) ([]diag.Diagnostic, error) {
	name, err := sourceName(in.project, args[0])
	if err != nil {
		return nil, err
	}
	found, err := query.ListRepeats(ctx, in.project, name)
	if err != nil {
		return nil, err
	}
	if len(args) > 1 {
		list, err := query.RepeatsOf(found.Values, args[1])
		if err != nil {
			return nil, err
		}
		found.Values = list
	} else if !all {
		bases := make(map[string]bool)
		for _, r := range found.Values {
			bases[r.From] = true
		}
		found.Values = slices.DeleteFunc(found.Values, func(r *replace.Repeat) bool {
			return len(r.Uses) < 2 && r.From == "" && !(r.Color != nil && bases[r.Text])
		})
	}
	switch {
	case in.flags.json:
		in.answer = in.jsonRepeats(found)
	case diag.HasErrors(found.Diagnostics):
	case len(args) > 1:
		in.usesOf(found.Values, args[1])
	default:
		in.repeatTables(found, all)
	}
	return found.Diagnostics, nil
}

// repeatTables prints a table for each group of values, and a replacement of
// the most frequent colour.
func (in *inspection) repeatTables(found *query.Repeats, all bool) {
	out := in.std.Out
	with := ""
	if found.Sheets > 0 {
		with = " with " + diag.Count(found.Sheets, "import")
	}
	if len(found.Values) == 0 {
		fmt.Fprintf(out, "%s%s: no colour, length, time or font occurs twice\n", diag.Printable(found.Sheet), with)
		return
	}
	fmt.Fprintln(out, in.paint("1", diag.Printable(found.Sheet))+with)
	for g := range replace.Groups {
		list := slices.DeleteFunc(slices.Clone(found.Values), func(r *replace.Repeat) bool { return r.Group != g })
		if len(list) == 0 {
			continue
		}
		fmt.Fprintln(out)
		in.repeatTable(g, list, all)
	}
	if text := suggestion(found.Values); text != "" {
		fmt.Fprintf(out, "\nto replace the first colour and the colours derived from it by NEW:\n  %s\n",
			diag.Printable(text))
	}
}

// maxRepeats limits the values of a group, unless all are requested.
const maxRepeats = 20

// repeatTable prints the values of a group.
func (in *inspection) repeatTable(g replace.Group, list []*replace.Repeat, all bool) {
	more := 0
	if !all && len(list) > maxRepeats {
		list, more = list[:maxRepeats], len(list)-maxRepeats
	}
	rows := [][4]string{{g.String(), "uses", "in", "first use"}}
	for _, r := range list {
		rows = append(rows, [4]string{diag.Printable(r.Text), fmt.Sprint(len(r.Uses)),
			diag.Printable(someOf(r.Properties(), 2)), in.position(r.Uses[0].At)})
	}
	var widths [4]int
	for _, row := range rows {
		for i, cell := range row {
			widths[i] = max(widths[i], runewidth.StringWidth(cell))
		}
	}
	for i, row := range rows {
		swatch, made := "", ""
		if g == replace.Colors && in.std.OutColor {
			swatch = "  "
		}
		if i > 0 {
			r := list[i-1]
			if r.Color != nil && in.std.OutColor {
				swatch = in.swatch(bytesOf(r.Color))
			}
			if r.From != "" {
				made = "  " + in.paint("2", diag.Printable(strings.ReplaceAll(r.Relative, "old", r.From)))
			}
		}
		line := fmt.Sprintf("  %s%s  %*s  %s  %s", swatch, runewidth.FillRight(row[0], widths[0]), widths[1], row[1],
			runewidth.FillRight(row[2], widths[2]),
			runewidth.FillRight(row[3], widths[3]))
		line = strings.TrimRight(line, " ") + made
		if i == 0 {
			line = in.paint("2", line)
		}
		fmt.Fprintln(in.std.Out, line)
	}
	if more > 0 {
		fmt.Fprintf(in.std.Out, "  and %d more: --all lists them\n", more)
	}
}

// bytesOf returns a colour as bytes, clamped to sRGB.
func bytesOf(c *value.Color) *[3]uint8 {
	rgb := c.Mapped().To(value.SRGB)
	var out [3]uint8
	for i, x := range rgb.Channels {
		out[i] = uint8(max(0, min(255, x*255+0.5)))
	}
	return &out
}

// someOf returns the first names of a list, and the number of the others.
func someOf(list []string, most int) string {
	if len(list) <= most {
		return strings.Join(list, ", ")
	}
	return fmt.Sprintf("%s +%d", strings.Join(list[:most], ", "), len(list)-most)
}

// suggestion returns the replace() for the most frequent colour with derived
// colours, or "".
func suggestion(list []*replace.Repeat) string {
	for _, base := range list {
		if base.Color == nil || base.From != "" {
			continue
		}
		text, shades := fmt.Sprintf("replace(%s: NEW", base.Text), 0
		for _, r := range list {
			switch {
			case r.From != base.Text:
			case r.IsChannels():
				text += fmt.Sprintf("; %s: {R, G, B}", r.Text)
				shades++
			case r.Color.Alpha == 1: // translucent forms are replaced with it
				text += fmt.Sprintf("; %s: %s", r.Text, strings.ReplaceAll(r.Relative, "old", "NEW"))
				shades++
			}
		}
		if shades > 0 {
			return text + ")"
		}
	}
	return ""
}

// usesOf prints all uses of values.
func (in *inspection) usesOf(list []*replace.Repeat, asked string) {
	if len(list) == 0 {
		fmt.Fprintf(in.std.Out, "the value %s is not used\n", diag.Printable(asked))
		return
	}
	for _, r := range list {
		where := ""
		if r.Group == replace.Queries {
			where = " in conditions"
		}
		fmt.Fprintf(in.std.Out, "%s: %s%s\n", in.paint("1", diag.Printable(r.Text)), diag.Count(len(r.Uses), "use"), where)
		for _, u := range r.Uses {
			fmt.Fprintf(in.std.Out, "  %s  %s\n", in.position(u.At), diag.Printable(u.Property))
		}
	}
}

// jsonRepeats is repeated values as JSON.
type jsonRepeats struct {
	Version     int              `json:"version"`
	Sheet       string           `json:"sheet"`
	Imports     int              `json:"imports"`
	Values      []jsonRepeat     `json:"values"`
	Diagnostics []jsonDiagnostic `json:"diagnostics"`
}

// jsonRepeat is one value as JSON.
type jsonRepeat struct {
	Group    string    `json:"group"`
	Value    string    `json:"value"`
	From     string    `json:"from,omitempty"`
	Relative string    `json:"relative,omitempty"`
	Uses     []jsonUse `json:"uses"`
}

// jsonUse is one use as JSON.
type jsonUse struct {
	Property string `json:"property"`
	File     string `json:"file"`
	Line     int    `json:"line"`
	Column   int    `json:"column"`
}

// jsonRepeats returns repeated values as JSON.
func (in *inspection) jsonRepeats(found *query.Repeats) jsonRepeats {
	out := jsonRepeats{Version: 1, Sheet: found.Sheet, Imports: found.Sheets, Values: []jsonRepeat{},
		Diagnostics: jsonDiagnostics(in.project.Tree.Set, found.Diagnostics)}
	for _, r := range found.Values {
		v := jsonRepeat{Group: r.Group.String(), Value: r.Text, From: r.From, Relative: r.Relative}
		for _, u := range r.Uses {
			f := in.project.Tree.Set.File(u.At.Start.File)
			line, column := f.Position(u.At.Start.Off)
			v.Uses = append(v.Uses, jsonUse{u.Property, f.Name, line, column})
		}
		out.Values = append(out.Values, v)
	}
	return out
}
