package cli

import (
	"fmt"
	"io"
	"strings"

	"github.com/spf13/cobra"

	"rinzel/internal/diag"
	"rinzel/internal/std"
)

// newStd returns the std command.
func newStd(out IO) *cobra.Command {
	return &cobra.Command{
		Use:   "std [SHEET]",
		Short: "List the sheets that are part of rinzel, or print one",
		Long: `Std lists the sheets of the root std, which are part of the program: a sheet
imports them with @import "std:families.css". With SHEET it prints one, to copy it
into a project.`,
		Example: `  rinzel std
  rinzel std modes.css > site/css/modes.css`,
		Args: atMost(1),
		RunE: func(_ *cobra.Command, args []string) error {
			if len(args) == 0 {
				return listStd(out)
			}
			name := strings.TrimPrefix(args[0], std.Root+":")
			text, ok := std.Sheet(name)
			if !ok {
				text, ok = std.Sheet(name + ".css")
			}
			if !ok {
				name = strings.TrimSuffix(name, ".css") + ".css"
				return fmt.Errorf("no sheet %q%s", args[0], didYouMean(name, std.Sheets(), "\"rinzel std\" lists them"))
			}
			_, err := io.WriteString(out.Out, text)
			return err
		},
	}
}

// listStd prints the names and sizes of the sheets, with the start of each one's first
// comment.
func listStd(out IO) error {
	for _, name := range std.Sheets() {
		text, _ := std.Sheet(name)
		about := strings.Join(strings.Fields(strings.TrimPrefix(text, "/*")), " ")
		for _, end := range []string{". ", ": "} {
			about, _, _ = strings.Cut(about, end)
		}
		if _, err := fmt.Fprintf(out.Out, "%-18s  %8s  %s\n", std.Root+":"+name, diag.Size(len(text)), about); err != nil {
			return err
		}
	}
	return nil
}
