package cli

import (
	"fmt"
	"runtime"
	"runtime/debug"

	"github.com/spf13/cobra"

	"rinzel/internal/browsers"
)

func newVersion(std IO) *cobra.Command {
	return &cobra.Command{
		Use:     "version",
		Short:   "Tell the version, and what the browser facts were taken from",
		Example: "  rinzel version",
		Args:    cobra.NoArgs,
		RunE: func(*cobra.Command, []string) error {
			version := "(built from source)"
			if info, ok := debug.ReadBuildInfo(); ok && info.Main.Version != "" && info.Main.Version != "(devel)" {
				version = info.Main.Version
			}
			_, err := fmt.Fprintf(std.Out, "rinzel %s, %s, %s/%s\nbrowser facts from %s (CC0)\n",
				version, runtime.Version(), runtime.GOOS, runtime.GOARCH, browsers.Source())
			return err
		},
	}
}
