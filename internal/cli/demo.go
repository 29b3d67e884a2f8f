package cli

import (
	"context"
	"fmt"
	"path/filepath"

	"github.com/spf13/cobra"

	"rinzel/demo"
	"rinzel/internal/project"
	"rinzel/internal/source"
)

// newDemo returns the demo command.
func newDemo(std IO) *cobra.Command {
	return &cobra.Command{
		Use:   "demo [FOLDER]",
		Short: "Write a sample site and build it for production",
		Long: `Demo writes a sample site, a small harbour with passenger ferries, to FOLDER (a
new temporary folder by default), builds it for production, and prints how to
open it.`,
		Example: `  rinzel demo
  rinzel demo harbour`,
		Args: atMost(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			folder := ""
			if len(args) > 0 {
				folder = args[0]
			}
			return runDemo(cmd.Context(), folder, std)
		},
	}
}

// runDemo runs the demo command after flag parsing.
func runDemo(ctx context.Context, folder string, std IO) error {
	dir, err := source.WriteTree(folder, demo.Site())
	if err != nil {
		return fmt.Errorf("the sample site cannot be written: %w", err)
	}
	fmt.Fprintf(std.Out, "sample site: %s\n", dir)
	settings := filepath.Join(dir, project.FileName)
	if err := runBuild(ctx, buildFlags{profile: project.Production, settings: settings}, std); err != nil {
		return err
	}
	page, err := filepath.Abs(filepath.Join(dir, "public", "index.html"))
	if err != nil {
		return err
	}
	_, err = fmt.Fprintf(std.Out,
		"open %s in a browser\nto see changes in %s, reload the page while this runs:\n  cd %s && rinzel watch\n",
		page, filepath.Join(dir, "site"), dir)
	return err
}
