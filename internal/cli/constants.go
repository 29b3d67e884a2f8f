package cli

import (
	"context"
	"fmt"
	"path"
	"slices"
	"strings"

	"github.com/bmatcuk/doublestar/v4"
	"github.com/mattn/go-runewidth"
	"github.com/spf13/cobra"

	"rinzel/internal/diag"
	"rinzel/internal/project"
	"rinzel/internal/query"
	"rinzel/internal/source"
)

// inspectFlags are the common flags of the commands that answer questions.
type inspectFlags struct {
	settings string
	json     bool
}

// add adds the flags to a command.
func (f *inspectFlags) add(cmd *cobra.Command) {
	cmd.Flags().StringVar(&f.settings, "settings", "",
		"settings file (default rinzel.toml in this folder, if there is one)")
	cmd.Flags().BoolVar(&f.json, "json", false, "write result and findings as JSON to standard output")
}

// inspection prints the answer to a question about a project.
type inspection struct {
	std     IO
	flags   inspectFlags
	project *project.Project
	answer  any  // the answer as JSON
	files   bool // the question is about all files
}

// inspect opens the project, lets ask find and print the answer, and prints
// findings.
func inspect(flags inspectFlags, std IO, ask func(*inspection) ([]diag.Diagnostic, error)) error {
	p, diags, err := project.Open(project.Options{Settings: flags.settings})
	if err != nil {
		return err
	}
	defer p.Close()
	in := &inspection{std: std, flags: flags, project: p}
	if !diag.HasErrors(diags) {
		more, err := ask(in)
		if err != nil {
			return err
		}
		diags = append(diags, more...)
	}
	switch {
	case flags.json && in.answer == nil:
		in.answer = map[string]any{"version": 1, "diagnostics": jsonDiagnostics(p.Tree.Set, diags)}
		fallthrough
	case flags.json:
		if err := writeJSON(std.Out, in.answer); err != nil {
			return err
		}
	default:
		renderer := diag.Renderer{Files: p.Tree.Set, Color: std.ErrColor}
		if err := showFindings(std.Err, renderer, diags, "--json lists all"); err != nil {
			return err
		}
	}
	if diag.HasErrors(diags) {
		return errSources
	}
	return nil
}

// paint colours a text, if colours are on.
func (in *inspection) paint(sgr, s string) string {
	if !in.std.OutColor {
		return s
	}
	return "\x1b[" + sgr + "m" + s + "\x1b[0m"
}

// position returns a position as file:line.
func (in *inspection) position(at source.Span) string {
	f := in.project.Tree.Set.File(at.Start.File)
	line, _ := f.Position(at.Start.Off)
	return diag.Printable(fmt.Sprintf("%s:%d", f.Name, line))
}

// positionOf returns a position as file:line:column.
func (in *inspection) positionOf(at source.Pos) string {
	f := in.project.Tree.Set.File(at.File)
	if f == nil {
		return "nowhere"
	}
	line, column := f.Position(at.Off)
	return diag.Printable(fmt.Sprintf("%s:%d:%d", f.Name, line, column))
}

// newConstants returns the constants command.
func newConstants(std IO) *cobra.Command {
	var flags inspectFlags
	var at string
	cmd := &cobra.Command{
		Use:   "constants [FILTER]",
		Short: "List the constants of the site, with their definitions and uses",
		Long: `Constants lists the constants of all sheets that pages link: value, number of
rules that read it, where it is set, and which definition it overrides. It warns
about values equal to their default, keys that are set again after @drop, and
unused constants.

With FILTER, a name, the start of a name, or a glob such as "tone.*" or
"*radius*", it shows for each match what it is derived from, down to design
tokens and plain values, and what reads it: constants, rules, and custom
properties with the rules that read these.

--at FILE:LINE[:COLUMN] lists the constants that the rule or declaration at a
place depends on, also through custom properties.`,
		Example: `  rinzel constants
  rinzel constants tone
  rinzel constants "kit-*"
  rinzel constants --at styles/board.css:12`,
		Args: atMost(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			filter := ""
			if len(args) > 0 {
				filter = args[0]
			}
			return inspect(flags, std, func(in *inspection) ([]diag.Diagnostic, error) {
				if at != "" {
					return in.constantsAt(cmd.Context(), filter, at)
				}
				return in.constants(cmd.Context(), filter)
			})
		},
	}
	flags.add(cmd)
	cmd.Flags().StringVar(&at, "at", "", "list the constants that the rule at a `place` depends on: FILE:LINE[:COLUMN]")
	return cmd
}

// constants prints the constants that match a filter.
func (in *inspection) constants(ctx context.Context, filter string) ([]diag.Diagnostic, error) {
	if _, err := path.Match(filter, ""); err != nil {
		return nil, fmt.Errorf("the filter %q is not a valid glob", filter)
	}
	found, err := query.ListConstants(ctx, in.project)
	if err != nil {
		return nil, err
	}
	all := query.Merge(found.Sheets)
	readers := found.Sheets
	var names []string
	matched, linked := 0, 0
	for i := range found.Sheets {
		s := &found.Sheets[i]
		if len(s.Constants) > 0 {
			linked++
		}
		for _, c := range s.Constants {
			names = append(names, c.Path)
		}
		s.Constants = slices.DeleteFunc(s.Constants, func(c query.Constant) bool { return !matches(filter, c.Path) })
		matched += len(s.Constants)
	}
	if in.flags.json {
		in.answer = in.jsonConstants(found)
		return found.Diagnostics, nil
	}
	list := query.Merge(found.Sheets)
	if filter == "" {
		in.constantTables(list, linked)
	} else {
		d := &derivations{inspection: in, all: all, readers: readers, linked: linked}
		for _, c := range list {
			d.print(c)
		}
	}
	if matched > 0 || diag.HasErrors(found.Diagnostics) {
		return found.Diagnostics, nil
	}
	message := "no sheet sets a constant"
	if filter != "" {
		message = fmt.Sprintf("no constant matches %q", filter)
		if fix := diag.DidYouMean(filter, names, ""); fix != "" {
			message += "; " + fix
		}
	}
	fmt.Fprintln(in.std.Err, message)
	return found.Diagnostics, errSources
}

// matches reports whether a filter is the name of a constant, its start, or a
// glob that matches it.
func matches(filter, name string) bool {
	if strings.HasPrefix(name, filter) {
		return true
	}
	ok, _ := doublestar.Match(filter, name)
	return ok
}

// constantTables prints constants, grouped by sheets. linked is the number of
// sheets with constants.
func (in *inspection) constantTables(list []*query.Shared, linked int) {
	of := make(map[string][]*query.Shared)
	var order []string
	for _, c := range list {
		key := strings.Join(c.Sheets, ", ")
		if of[key] == nil {
			order = append(order, key)
		}
		of[key] = append(of[key], c)
	}
	for _, key := range order {
		fmt.Fprintf(in.std.Out, "%s of %s\n", in.paint("1", diag.Count(len(of[key]), "constant")),
			sheetNames(of[key][0].Sheets, linked))
		in.constantTable(of[key])
	}
}

// sheetNames returns the names of linked sheets; all is the number of linked
// sheets.
func sheetNames(sheets []string, all int) string {
	if len(sheets) == all && all > 1 {
		return "all sheets that pages link"
	}
	return diag.Printable(strings.Join(sheets, ", "))
}

// constantTable prints constants, one per line.
func (in *inspection) constantTable(list []*query.Shared) {
	const widest = 40
	rows := [][4]string{{"constant", "value", "read by", "set at"}}
	for _, c := range list {
		rows = append(rows, [4]string{diag.Printable(c.Path), runewidth.Truncate(valueText(c.Constant), widest, "…"),
			readBy(c.Constant),
			in.position(c.Set.At) + in.note(c.Constant)})
	}
	var widths [3]int
	for _, row := range rows {
		for i := range widths {
			widths[i] = max(widths[i], runewidth.StringWidth(row[i]))
		}
	}
	for i, row := range rows {
		swatch := "  "
		if i > 0 {
			swatch = in.swatch(list[i-1].Color)
		}
		line := fmt.Sprintf("  %s  %s%s  %s  %s", runewidth.FillRight(row[0], widths[0]), swatch,
			runewidth.FillRight(row[1], widths[1]),
			runewidth.FillRight(row[2], widths[2]), row[3])
		if i == 0 {
			line = in.paint("2", line)
		}
		fmt.Fprintln(in.std.Out, line)
	}
}

// swatch returns a coloured block, if colours are on.
func (in *inspection) swatch(c *[3]uint8) string {
	if c == nil || !in.std.OutColor {
		return "  "
	}
	return fmt.Sprintf("\x1b[38;2;%d;%d;%dm■\x1b[0m ", c[0], c[1], c[2])
}

// readBy describes what reads a constant.
func readBy(c query.Constant) string {
	var parts []string
	if c.Rules > 0 {
		parts = append(parts, diag.Count(c.Rules, "rule"))
	}
	if len(c.Derived) > 0 {
		parts = append(parts, diag.Count(len(c.Derived), "constant"))
	}
	if len(parts) == 0 {
		return "nothing"
	}
	return strings.Join(parts, ", ")
}

// note describes briefly what a constant overrides.
func (in *inspection) note(c query.Constant) string {
	for _, o := range slices.Backward(c.Others) {
		switch {
		case o.Kind == "drop":
		case o.Reads > 0 && o.Kind == "default":
			return fmt.Sprintf(", too late: %s got %s", diag.Count(o.Reads, "reader"),
				diag.Printable(runewidth.Truncate(o.Value, 30, "…")))
		case o.Kind == "default" && c.Set.Kind != "default":
			return ", overrides the default " + diag.Printable(runewidth.Truncate(o.Value, 30, "…"))
		case o.Kind != "default":
			return ", overrides " + diag.Printable(runewidth.Truncate(o.Value, 30, "…"))
		}
	}
	if c.Set.Kind == "default" {
		return ", a default"
	}
	return ""
}

// valueText returns the displayed value of a constant.
func valueText(c query.Constant) string {
	if c.Dropped {
		return "dropped"
	}
	return diag.Printable(c.Value)
}

// verb describes how a constant got its value.
func verb(s query.Setting, dropped bool) string {
	switch {
	case dropped:
		return "dropped"
	case s.Kind == "default":
		return "a default, set"
	case s.Kind == "tokens":
		return "a design token, set"
	case s.Kind == "settings":
		return "set in the settings"
	}
	return "set"
}

// jsonConstants is a list of constants as JSON.
type jsonConstants struct {
	Version     int              `json:"version"`
	Sheets      []jsonSheet      `json:"sheets"`
	Diagnostics []jsonDiagnostic `json:"diagnostics"`
}

// jsonSheet is a linked sheet as JSON.
type jsonSheet struct {
	Sheet     string         `json:"sheet"`
	Constants []jsonConstant `json:"constants"`
}

// jsonConstant is a constant as JSON.
type jsonConstant struct {
	Name    string `json:"name"`
	Value   string `json:"value"`
	Dropped bool   `json:"dropped,omitempty"`
	jsonSetting
	Others  []jsonSetting     `json:"inPlaceOf,omitempty"`
	From    []string          `json:"from,omitempty"`
	Derived []string          `json:"derived,omitempty"`
	Rules   int               `json:"rules"`
	Uses    []jsonConstantUse `json:"uses"`
}

// jsonConstantUse is a place that reads a constant as JSON.
type jsonConstantUse struct {
	Place    *jsonPosition `json:"place"`
	Rule     string        `json:"rule,omitempty"`
	Property string        `json:"property,omitempty"`
}

// jsonSetting is a definition as JSON.
type jsonSetting struct {
	Kind  string `json:"setBy"`
	Other string `json:"otherValue,omitempty"`
	Reads int    `json:"readBefore,omitempty"` // rules and constants that read the other value
	File  string `json:"file"`
	Line  int    `json:"line"`
}

// jsonSetting returns a definition as JSON.
func (in *inspection) jsonSetting(s query.Setting) jsonSetting {
	f := in.project.Tree.Set.File(s.At.Start.File)
	line, _ := f.Position(s.At.Start.Off)
	return jsonSetting{Kind: string(s.Kind), File: f.Name, Line: line}
}

// jsonConstants returns constants as JSON.
func (in *inspection) jsonConstants(found *query.Constants) jsonConstants {
	out := jsonConstants{Version: 1, Sheets: []jsonSheet{},
		Diagnostics: jsonDiagnostics(in.project.Tree.Set, found.Diagnostics)}
	for _, s := range found.Sheets {
		sheet := jsonSheet{Sheet: s.Sheet, Constants: []jsonConstant{}}
		for _, c := range s.Constants {
			j := jsonConstant{Name: c.Path, Value: c.Value, Dropped: c.Dropped, jsonSetting: in.jsonSetting(c.Set),
				From: c.From, Derived: c.Derived, Rules: c.Rules, Uses: []jsonConstantUse{}}
			for _, u := range c.Uses {
				j.Uses = append(j.Uses, jsonConstantUse{jsonPositionOf(in.project.Tree.Set, u.At), u.Rule, u.Property})
			}
			for _, o := range c.Others {
				other := in.jsonSetting(o)
				other.Other, other.Reads = o.Value, o.Reads
				j.Others = append(j.Others, other)
			}
			sheet.Constants = append(sheet.Constants, j)
		}
		out.Sheets = append(out.Sheets, sheet)
	}
	return out
}
