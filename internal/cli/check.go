package cli

import (
	"context"
	"errors"
	"fmt"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"rinzel/internal/diag"
	"rinzel/internal/project"
	"rinzel/internal/site"
)

// checkFlags are the flags of the check command.
type checkFlags struct {
	inspectFlags
	sheets  []string
	profile string
	sarif   bool
	every   bool
	fail    string
}

// newCheck returns the check command.
func newCheck(std IO) *cobra.Command {
	var flags checkFlags
	cmd := &cobra.Command{
		Use:   "check [SHEET...]",
		Short: "Check the sheets of the site for mistakes, without writing anything",
		Long: `Check examines the sheets of all pages, or the given ones; a SHEET is a path
relative to this folder or root:path. It finds unknown properties, values,
at-rules and selectors, missing units, invalid colours, duplicate and overridden
declarations, prefixed properties without their standard form, deprecated
features, and features that a target does not support and that have no fallback.

Similar findings are shown once; --all shows each. Severities can be changed in
[check.levels] of the settings. --sarif writes SARIF 2.1.0, the format that code
review systems read.

The exit status is 1 if there is a finding of the severity of --fail or above.`,
		Example: `  rinzel check
  rinzel check styles/main.css
  rinzel check --fail warning
  rinzel check --sarif > findings.sarif`,
		RunE: func(cmd *cobra.Command, args []string) error {
			flags.sheets = args
			return runCheck(cmd.Context(), flags, std)
		},
	}
	flags.add(cmd)
	f := cmd.Flags()
	f.StringVarP(&flags.profile, "profile", "p", project.Development, "profile that selects the target browsers")
	f.BoolVar(&flags.sarif, "sarif", false, "write the findings as SARIF 2.1.0 to standard output")
	f.BoolVar(&flags.every, "all", false, "list similar findings one by one")
	f.StringVar(&flags.fail, "fail", "error", "lowest level that makes the exit status 1: error, warning, note or never")
	return cmd
}

// failLevels are the severities that --fail accepts; never is above all.
var failLevels = map[string]diag.Severity{"error": diag.Error, "warning": diag.Warning, "note": diag.Note,
	"never": diag.Error + 1}

// runCheck runs the check command after flag parsing.
func runCheck(ctx context.Context, flags checkFlags, std IO) error {
	fail, ok := failLevels[flags.fail]
	switch {
	case !ok:
		return fmt.Errorf("--fail expects error, warning, note or never, got %q", flags.fail)
	case flags.json && flags.sarif:
		return errors.New("--json and --sarif both write to standard output: use one of them")
	}
	start := time.Now()
	p, diags, err := project.Open(project.Options{Settings: flags.settings})
	if err != nil {
		return err
	}
	defer p.Close()
	checked := &site.Checked{}
	if !diag.HasErrors(diags) {
		names := make([]string, len(flags.sheets))
		for i, name := range flags.sheets {
			if names[i], err = sourceName(p, name); err != nil {
				return err
			}
		}
		if checked, err = site.Check(ctx, p, names, site.Options{Profile: flags.profile}); err != nil {
			return err
		}
	}
	checked.Diagnostics = append(diags, checked.Diagnostics...)
	if err := showChecked(flags, std, p, checked, time.Since(start)); err != nil {
		return err
	}
	for _, d := range checked.Diagnostics {
		if d.Severity >= fail {
			return errSources
		}
	}
	return nil
}

// showChecked prints the result of a check.
func showChecked(flags checkFlags, std IO, p *project.Project, c *site.Checked, took time.Duration) error {
	switch {
	case flags.sarif:
		return writeJSON(std.Out, sarifOf(p.Tree.Set, c.Diagnostics))
	case flags.json:
		return writeJSON(std.Out,
			map[string]any{"version": 1, "sheets": c.Sheets, "diagnostics": jsonDiagnostics(p.Tree.Set, c.Diagnostics)})
	}
	shown := c.Diagnostics
	if !flags.every {
		shown = diag.Alike(shown)
	}
	renderer := diag.Renderer{Files: p.Tree.Set, Color: std.OutColor}
	if err := renderer.Render(std.Out, shown); err != nil {
		return err
	}
	var counts [diag.Error + 1]int
	for _, d := range c.Diagnostics {
		counts[d.Severity]++
	}
	var parts []string
	for level := diag.Error; ; level-- {
		if counts[level] > 0 {
			parts = append(parts, diag.Count(counts[level], level.String()))
		}
		if level == diag.Note {
			break
		}
	}
	if len(parts) == 0 {
		parts = []string{"no findings"}
	}
	in := inspection{std: std}
	checked := "checked " + diag.Count(c.Sheets, "sheet")
	if c.LeftOut > 0 {
		checked += fmt.Sprintf(", %d in libraries not shown", c.LeftOut)
	}
	_, err := fmt.Fprintf(std.Out, "%s %s, in %s\n", in.paint("1", checked+":"), strings.Join(parts, ", "),
		took.Round(time.Millisecond))
	return err
}
