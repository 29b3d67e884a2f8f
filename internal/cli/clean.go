package cli

import (
	"fmt"
	"path/filepath"

	"github.com/spf13/cobra"

	"rinzel/internal/diag"
	"rinzel/internal/project"
	"rinzel/internal/source"
)

// newClean returns the clean command.
func newClean(std IO) *cobra.Command {
	var opts project.Options
	cmd := &cobra.Command{
		Use:   "clean",
		Short: "Remove the files that builds wrote",
		Long: `Clean removes the files that builds wrote to the output folder, and the folders
that become empty. Builds keep a list of these files in the output folder.
Other files are not touched.`,
		Example: `  rinzel clean
  rinzel clean --output site-for-upload`,
		Args: atMost(0),
		RunE: func(*cobra.Command, []string) error { return runClean(opts, std) },
	}
	f := cmd.Flags()
	f.StringVarP(&opts.Output, "output", "o", "", "output folder")
	f.StringVar(&opts.Settings, "settings", "", "settings file (default rinzel.toml in this folder, if there is one)")
	return cmd
}

// runClean runs the clean command after flag parsing.
func runClean(opts project.Options, std IO) error {
	p, diags, err := project.Open(opts)
	if err != nil {
		return err
	}
	defer p.Close()
	if diag.HasErrors(diags) {
		renderer := diag.Renderer{Files: p.Tree.Set, Color: std.ErrColor}
		if err := renderer.Render(std.Err, diags); err != nil {
			return err
		}
		return errSources
	}
	removed, left, err := source.Clean(p.Output)
	if err != nil {
		return err
	}
	dir := filepath.ToSlash(p.Output)
	if len(left) > 0 {
		fmt.Fprintf(std.Out, "not removed: %s that changed since rinzel wrote them, or could not be removed: %s\n",
			diag.Count(len(left), "file"), diag.Printable(someOf(left, 3)))
	}
	if len(removed)+len(left) == 0 {
		_, err = fmt.Fprintf(std.Out, "%s has no files written by a build\n", diag.Printable(dir))
		return err
	}
	_, err = fmt.Fprintf(std.Out, "removed %s from %s\n", diag.Count(len(removed), "file"), diag.Printable(dir))
	return err
}
