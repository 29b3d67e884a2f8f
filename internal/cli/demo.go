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
	var serveIt bool
	cmd := &cobra.Command{
		Use:   "demo [FOLDER]",
		Short: "Write a sample site and build it for production",
		Long: `Demo writes a sample site, a small harbour with passenger ferries, to FOLDER (a
new temporary folder by default), builds it for production, and prints how to
open it. With --serve, it serves the site instead, and updates open pages when
you change its files.`,
		Example: `  rinzel demo
  rinzel demo harbour
  rinzel demo --serve`,
		Args: atMost(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			folder := ""
			if len(args) > 0 {
				folder = args[0]
			}
			return runDemo(cmd.Context(), folder, serveIt, std)
		},
	}
	cmd.Flags().BoolVar(&serveIt, "serve", false, "serve the sample site, and update open pages on every change")
	return cmd
}

// runDemo runs the demo command after flag parsing.
func runDemo(ctx context.Context, folder string, serveIt bool, std IO) error {
	dir, err := source.WriteTree(folder, demo.Site())
	if err != nil {
		return fmt.Errorf("the sample site cannot be written: %w", err)
	}
	fmt.Fprintf(std.Out, "sample site: %s\n", dir)
	settings := filepath.Join(dir, project.FileName)
	if serveIt {
		flags := serveFlags{buildFlags: buildFlags{profile: project.Development, settings: settings}, address: loopback}
		fmt.Fprintf(std.Out, "change \"sea\" in %s, and watch open pages\n",
			filepath.Join(dir, "site", "harbour.tokens.json"))
		return runServe(ctx, flags, std)
	}
	if err := runBuild(ctx, buildFlags{profile: project.Production, settings: settings}, std); err != nil {
		return err
	}
	page, err := filepath.Abs(filepath.Join(dir, "public", "index.html"))
	if err != nil {
		return err
	}
	enter := ""
	if dir != "." {
		enter = "cd " + shellWord(dir) + " && "
	}
	_, err = fmt.Fprintf(std.Out, "open %s in a browser\nto see changes in %s as you make them:\n  %srinzel serve --open\n",
		page, filepath.Join(dir, "site"), enter)
	return err
}
