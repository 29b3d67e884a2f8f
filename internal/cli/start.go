package cli

import (
	"context"
	"errors"
	"fmt"
	"path/filepath"
	"strings"

	"github.com/spf13/cobra"

	"rinzel/internal/project"
	"rinzel/internal/start"
)

// newStart returns the start command.
func newStart(std IO) *cobra.Command {
	var dryRun bool
	cmd := &cobra.Command{
		Use:   "start [FOLDER]",
		Short: "Begin a site, or write settings that fit the site in a folder",
		Long: `Start looks into FOLDER (this folder by default). If it has no site, start writes a
small one: a page, a sheet, a script, and settings. If it has one, start writes only
rinzel.toml, with what it works out from the files, each setting with its reason:
source and output folder, bundles for pages that a server makes, the templates whose
names count as in use, and how to import installed packages.

Files that exist stay as they are. --dry-run shows what would be written.`,
		Example: `  rinzel start my-site
  rinzel start
  rinzel start --dry-run`,
		Args: atMost(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			dir := "."
			if len(args) > 0 {
				dir = args[0]
			}
			return runStart(cmd.Context(), dir, dryRun, std)
		},
	}
	cmd.Flags().BoolVarP(&dryRun, "dry-run", "n", false, "show what would be written")
	return cmd
}

// runStart runs the start command after flag parsing.
func runStart(ctx context.Context, dir string, dryRun bool, std IO) error {
	plan, err := start.Propose(ctx, dir)
	if errors.Is(err, start.ErrSettings) {
		return fmt.Errorf("%s exists: change it, or start in another folder", filepath.Join(dir, project.FileName))
	}
	if err != nil {
		return err
	}
	verb := "wrote"
	if dryRun {
		verb = "would write"
	} else if err := plan.Write(dir); err != nil {
		return err
	}
	for _, f := range plan.Files {
		fmt.Fprintf(std.Out, "%s %s\n", verb, filepath.Join(dir, filepath.FromSlash(f.Name)))
		if !plan.New || dryRun {
			for line := range strings.Lines(f.Text) {
				fmt.Fprintln(std.Out, strings.TrimRight("  "+line, " \n"))
			}
		}
	}
	for _, name := range plan.Kept {
		fmt.Fprintf(std.Out, "%s exists and stays as it is\n", filepath.Join(dir, filepath.FromSlash(name)))
	}
	if dryRun {
		return nil
	}
	fmt.Fprintln(std.Out, "next:")
	if dir != "." {
		fmt.Fprintf(std.Out, "  cd %s\n", shellWord(dir))
	}
	if plan.Server {
		fmt.Fprintln(std.Out, "  rinzel serve --behind URL --open    # with the address of the server that makes the pages")
		_, err = fmt.Fprintln(std.Out, "  rinzel build --profile production   # builds the bundles for release")
		return err
	}
	fmt.Fprintln(std.Out, "  rinzel serve --open                 # shows the site, and each change as you save it")
	_, err = fmt.Fprintln(std.Out, "  rinzel build --profile production   # builds it for release")
	return err
}

// shellWord returns a word of a command line for what people paste: in quotes if it has
// white space.
func shellWord(s string) string {
	if strings.ContainsAny(s, " \t") {
		return `"` + s + `"`
	}
	return s
}
