package cli

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"rinzel/internal/diag"
	"rinzel/internal/project"
	figures "rinzel/internal/report"
	"rinzel/internal/site"
	"rinzel/internal/source"
)

// newReportCommand returns the report command.
func newReportCommand(std IO) *cobra.Command {
	var flags inspectFlags
	var profile, output string
	cmd := &cobra.Command{
		Use:   "report",
		Short: "Write a page about the styles of the site: sizes, use, constants, times, history",
		Long: `Report builds the site, without writing its outputs, and writes one HTML page about
its styles, which needs no other file: sheets, bundles and pages by size; what
each page loads, and uses of it; what purging removes, and why; classes without
rules, and repeated class lists; the tree of imports; constants with their
derivations; what was rewritten and prefixed, and for which targets; findings;
budgets; times; and the history of sizes.

The history has the builds that [report] history in the settings records.
rinzel serve shows the page of the current sources at /.rinzel/report.`,
		Example: `  rinzel report
  rinzel report -o styles.html --profile development
  rinzel report --json > styles.json`,
		Args: atMost(0),
		RunE: func(cmd *cobra.Command, _ []string) error {
			return inspect(flags, std, func(in *inspection) ([]diag.Diagnostic, error) {
				return in.report(cmd.Context(), profile, output)
			})
		},
	}
	flags.add(cmd)
	f := cmd.Flags()
	f.StringVarP(&profile, "profile", "p", project.Production, "settings profile")
	f.StringVarP(&output, "output", "o", project.ReportFile, "file to write, or - for standard output")
	return cmd
}

// report writes the report.
func (in *inspection) report(ctx context.Context, profile, output string) ([]diag.Diagnostic, error) {
	history, err := readHistory(in.project)
	if err != nil {
		return nil, err
	}
	shown := showProgress(in.std)
	r, errs, err := figures.Make(ctx, in.project, profile, history, shown.update)
	shown.end()
	if err != nil || r == nil {
		return errs, err
	}
	if in.flags.json {
		in.answer = r
		return nil, nil
	}
	var page bytes.Buffer
	if err := r.Write(&page); err != nil {
		return nil, err
	}
	if output == stream {
		_, err := in.std.Out.Write(page.Bytes())
		return nil, err
	}
	if err := in.mayOverwrite(output); err != nil {
		return nil, err
	}
	if err := source.WriteFile(filepath.Clean(output), page.Bytes()); err != nil {
		return nil, fmt.Errorf("cannot write: %w", err)
	}
	fmt.Fprintf(in.std.Out, "wrote %s, %s: %s, %s, %s of styles\n", diag.Printable(filepath.ToSlash(output)),
		size(page.Len()), diag.Count(r.Total.Pages, "page"), diag.Count(r.Total.Bundles, "bundle"),
		size(r.Total.Written+r.Total.Inline))
	return nil, nil
}

// report makes the report on the current sources, with the profile for releases.
func (s *serving) report(ctx context.Context) ([]byte, error) {
	p, diags, err := project.Open(project.Options{Settings: s.flags.settings})
	if err != nil {
		return nil, err
	}
	defer p.Close()
	if !diag.HasErrors(diags) {
		history, err := readHistory(p)
		if err != nil {
			return nil, err
		}
		var r *figures.Report
		if r, diags, err = figures.Make(ctx, p, project.Production, history, nil); err != nil {
			return nil, err
		}
		if r != nil {
			var page bytes.Buffer
			err := r.Write(&page)
			return page.Bytes(), err
		}
	}
	var text strings.Builder
	text.WriteString("A release of these sources has errors, so there is no report.\n\n")
	_ = (&diag.Renderer{Files: p.Tree.Set}).Render(&text, diags)
	return nil, errors.New(text.String())
}

// mayOverwrite rejects a file that is not a report, and one that would become a
// page of the site.
func (in *inspection) mayOverwrite(name string) error {
	if have, err := os.ReadFile(name); err == nil && !figures.Is(have) {
		return fmt.Errorf("%s exists and is not a report: name another file with -o", name)
	}
	inside, err := sourceName(in.project, name)
	if root, _ := project.SplitRoot(inside); err != nil || root != "" {
		return nil
	}
	if !project.AnyMatches(in.project.Settings.Excludes(), source.Path{Name: inside}) {
		return fmt.Errorf("%s is in the source folder and would be part of the site: "+
			"name a file outside of it with -o, or exclude it in rinzel.toml", name)
	}
	return nil
}

// readHistory reads the history of sizes that the settings name; none if there
// is none.
func readHistory(p *project.Project) ([]figures.Entry, error) {
	if p.Settings.History == "" {
		return nil, nil
	}
	file := filepath.Join(p.Dir, filepath.FromSlash(p.Settings.History))
	data, err := os.ReadFile(file)
	switch {
	case errors.Is(err, fs.ErrNotExist):
		return nil, nil
	case err != nil:
		return nil, err
	}
	entries, err := figures.ReadHistory(data)
	if err != nil {
		return nil, fmt.Errorf("%s: %w", file, err)
	}
	return entries, nil
}

// recordHistory adds a build to the history that the settings name, if it is one
// for a release and differs from the last one.
func recordHistory(p *project.Project, res *site.Result, now time.Time) error {
	if p.Settings.History == "" || !res.Profile.Release {
		return nil
	}
	history, err := readHistory(p)
	if err != nil {
		return err
	}
	entry := figures.EntryOf(res)
	line := entry.Append(history, now)
	if line == nil {
		return nil
	}
	f, err := os.OpenFile(filepath.Join(p.Dir, filepath.FromSlash(p.Settings.History)),
		os.O_APPEND|os.O_CREATE|os.O_WRONLY, 0o666)
	if err != nil {
		return err
	}
	_, err = f.Write(line)
	return errors.Join(err, f.Close())
}
