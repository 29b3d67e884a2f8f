// Package cli implements the command line. Each command parses flags into
// options, calls the core, and prints the result. [Run] is the entry point.
package cli

import (
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"strings"
	"time"

	"github.com/spf13/cobra"
	"github.com/spf13/pflag"
	"golang.org/x/term"

	"rinzel/internal/diag"
	"rinzel/internal/project"
	"rinzel/internal/source"
)

// The exit statuses.
const (
	exitOK      = 0
	exitSources = 1 // errors in the source
	exitFailure = 2 // wrong usage, or an internal failure
)

// IO are the streams of a run.
type IO struct {
	In                 io.Reader // nil for none
	Out, Err           io.Writer
	OutColor, ErrColor bool // the stream supports colours
	ErrTerminal        bool // Err is a terminal, on which a line can be replaced
}

// Standard returns the streams of the process. Colours are used on terminals,
// unless the environment variable NO_COLOR is set.
func Standard() IO {
	colored := func(f *os.File) bool {
		return os.Getenv("NO_COLOR") == "" && os.Getenv("TERM") != "dumb" && term.IsTerminal(int(f.Fd()))
	}
	terminal := os.Getenv("TERM") != "dumb" && term.IsTerminal(int(os.Stderr.Fd()))
	return IO{os.Stdin, os.Stdout, os.Stderr, colored(os.Stdout), colored(os.Stderr), terminal}
}

// errSources means that the source has errors, which were printed.
var errSources = errors.New("the source has errors")

// patience is how long an interrupted command may take to return. Most take a few
// milliseconds: a busy machine must not make the end of a server look like a failure.
const patience = 400 * time.Millisecond

// Run runs the command line and returns the exit status. If the context is
// cancelled, it returns soon, whatever the command is doing: outputs that are
// being moved to their destinations are completed, other work is abandoned.
func Run(ctx context.Context, args []string, std IO) int {
	done := make(chan int, 1)
	go func() { done <- execute(ctx, args, std) }()
	select {
	case code := <-done:
		return code
	case <-ctx.Done():
	}
	select {
	case code := <-done:
		return code
	case <-time.After(patience):
	}
	if source.HoldPublishing() {
		fmt.Fprintln(std.Err, "rinzel: interrupted")
		return exitFailure
	}
	return stopped(std)
}

// stopped reports that a command was interrupted before it wrote anything.
func stopped(std IO) int {
	fmt.Fprintln(std.Err, "rinzel: interrupted, previous output kept")
	return exitFailure
}

// execute runs the command line.
func execute(ctx context.Context, args []string, std IO) int {
	cmd := newRoot(std)
	cmd.SetArgs(args)
	cmd.SetOut(std.Out)
	cmd.SetErr(std.Err)
	err := cmd.ExecuteContext(ctx)
	switch {
	case err == nil:
		return exitOK
	case errors.Is(err, errSources) || errors.Is(err, errFailOn) || errors.Is(err, errUnformatted):
		return exitSources
	case errors.Is(err, context.Canceled):
		return stopped(std)
	}
	fmt.Fprintf(std.Err, "rinzel: %v\n", err)
	return exitFailure
}

// Command returns the command line, for generators of man pages and completions.
func Command() *cobra.Command { return newRoot(Standard()) }

// newRoot returns the root command.
func newRoot(std IO) *cobra.Command {
	cmd := &cobra.Command{
		Use:   "rinzel",
		Short: "Turn the style sheets of a website into the bundles its pages load",
		Long: `Rinzel turns the style sheets of a website into the bundles that its pages load:
readable with exact source maps in development; prefixed, purged, minified and
hashed in production. It needs no settings to start.`,
		Version: version(),
		Example: `  rinzel start my-site                 begin a site, or in a folder with one write settings for it
  rinzel serve --open                  show it, and each change as you save it
  rinzel build --profile production    build it for release
  rinzel build main.css -o out.css     build one sheet
  rinzel why .notice                   explain why a selector is in the output or not`,
		SilenceUsage:  true,
		SilenceErrors: true,
		Args:          cobra.ArbitraryArgs,
		RunE: func(cmd *cobra.Command, args []string) error {
			if len(args) == 0 {
				return cmd.Help()
			}
			var names []string
			for _, c := range cmd.Commands() {
				names = append(names, c.Name())
			}
			return fmt.Errorf("unknown command %q%s", args[0],
				didYouMean(args[0], names, "\"rinzel --help\" lists the commands"))
		},
	}
	cmd.SetVersionTemplate("rinzel {{.Version}}\n")
	cmd.SetFlagErrorFunc(flagError)
	addGroups(cmd, std)
	cmd.AddCommand(newTopics()...)
	return cmd
}

// addGroups adds the commands, in the groups and the order in which help lists them.
func addGroups(root *cobra.Command, std IO) {
	for _, g := range []struct {
		title    string
		commands []*cobra.Command
	}{
		{"Begin:", []*cobra.Command{newStart(std), newDemo(std)}},
		{"Work and release:", []*cobra.Command{newServe(std), newWatch(std), newBuild(std), newCompare(std), newClean(std)}},
		{"Write sheets:", []*cobra.Command{newCheck(std), newFormat(std), newLanguageServer(std)}},
		{"Ask about the site:", []*cobra.Command{newWhy(std), newTrace(std), newStages(std), newReportCommand(std), newBundles(std),
			newImports(std), newConstants(std), newFamilies(std), newRepeats(std), newTargets(std)}},
		{"Ask about rinzel:", []*cobra.Command{newSettings(std), newStd(std), newVersion(std)}},
	} {
		root.AddGroup(&cobra.Group{ID: g.title, Title: g.title})
		for _, cmd := range g.commands {
			cmd.GroupID = g.title
			root.AddCommand(cmd)
		}
	}
	const last = "Ask about rinzel:"
	root.SetHelpCommandGroupID(last)
	root.SetCompletionCommandGroupID(last)
}

// didYouMean returns the end of a message about an unknown name.
func didYouMean(name string, names []string, otherwise string) string {
	return "; " + diag.DidYouMean(name, names, otherwise)
}

// flagError words an error in the flags of a command.
func flagError(cmd *cobra.Command, err error) error {
	help := fmt.Sprintf("\"%s --help\" lists its flags", cmd.CommandPath())
	var unknown *pflag.NotExistError
	var missing *pflag.ValueRequiredError
	var invalid *pflag.InvalidValueError
	switch {
	case errors.As(err, &unknown):
		name := unknown.GetSpecifiedName()
		if unknown.GetSpecifiedShortnames() != "" {
			return fmt.Errorf("unknown flag -%s; %s", name, help)
		}
		var names []string
		cmd.Flags().VisitAll(func(f *pflag.Flag) { names = append(names, f.Name) })
		for _, profile := range []string{project.Production, project.Development} {
			if len(name) > 2 && strings.HasPrefix(profile, name) && cmd.Flags().Lookup("profile") != nil {
				return fmt.Errorf("unknown flag --%s; did you mean --profile %s?", name, profile)
			}
		}
		if near := diag.Nearest(name, names); near != "" {
			return fmt.Errorf("unknown flag --%s; did you mean --%s?", name, near)
		}
		return fmt.Errorf("unknown flag --%s; %s", name, help)
	case errors.As(err, &missing):
		return fmt.Errorf("the flag --%s needs a value; %s", missing.GetFlag().Name, help)
	case errors.As(err, &invalid):
		return fmt.Errorf("invalid value %q for the flag --%s; %s", invalid.GetValue(), invalid.GetFlag().Name, help)
	}
	return fmt.Errorf("%w; %s", err, help)
}

// atLeast requires n arguments; what describes them, as in "a sheet".
func atLeast(n int, what string) cobra.PositionalArgs {
	return func(cmd *cobra.Command, args []string) error {
		if len(args) >= n {
			return nil
		}
		return fmt.Errorf("%s takes %s; see \"%s --help\"", cmd.Name(), what, cmd.CommandPath())
	}
}

// atMost limits the number of arguments.
func atMost(n int) cobra.PositionalArgs {
	return func(cmd *cobra.Command, args []string) error {
		if len(args) <= n {
			return nil
		}
		takes := "no arguments"
		if n > 0 {
			takes = "at most " + diag.Count(n, "argument")
		}
		return fmt.Errorf("%s takes %s, got %q as well; see \"%s --help\"", cmd.Name(), takes, args[n], cmd.CommandPath())
	}
}
