package cli

import (
	"fmt"
	"runtime"
	"runtime/debug"
	"strings"

	"github.com/spf13/cobra"

	"rinzel/internal/browsers"
	"rinzel/internal/css/grammar"
)

// credits names the embedded data, as its licences require.
const credits = `The table of browser facts is made from open data:
  which version supports what: npm package @mdn/browser-compat-data, CC0 1.0
  how much each version is used: npm package caniuse-db by Alexis Deveria, CC BY 4.0
  (creativecommons.org/licenses/by/4.0); shares of versions that were no release are
  added to those of the release before
The definitions of properties and values are made from the specifications of the W3C:
  npm package @webref/css, MIT; copyright (c) the World Wide Web Consortium
`

// newVersion returns the version command.
func newVersion(std IO) *cobra.Command {
	var withCredits bool
	cmd := &cobra.Command{
		Use:     "version",
		Short:   "Print the version and the sources of the browser data",
		Example: "  rinzel version\n  rinzel version --credits",
		Args:    atMost(0),
		RunE: func(*cobra.Command, []string) error {
			_, err := fmt.Fprintf(std.Out, "rinzel %s, %s, %s/%s\nbrowser data from %s\ndefinitions from %s\n",
				version(), runtime.Version(), runtime.GOOS, runtime.GOARCH, strings.Join(browsers.Sources(), ", "),
				grammar.Source())
			if withCredits && err == nil {
				_, err = fmt.Fprint(std.Out, credits)
			}
			return err
		},
	}
	cmd.Flags().BoolVar(&withCredits, "credits", false, "print the authors and licences of the embedded data")
	return cmd
}

// The release sets these when it links the program; empty in other builds.
var released, commit string

// version returns the version of the program, with the commit that it was built from, as
// far as they are known.
func version() string {
	text, revision, changed := released, commit, ""
	if info, ok := debug.ReadBuildInfo(); ok && text == "" {
		text = info.Main.Version
		for _, s := range info.Settings {
			switch {
			case s.Key == "vcs.revision":
				revision = s.Value
			case s.Key == "vcs.modified" && s.Value == "true":
				changed = ", with changes"
			}
		}
	}
	if text == "" || text == "(devel)" {
		text = "(built from source)"
	}
	const length = 12 // of a commit, as pseudo-versions have it
	revision = revision[:min(length, len(revision))]
	if revision == "" || strings.Contains(text, revision) {
		return text
	}
	return text + " of commit " + revision + changed
}
