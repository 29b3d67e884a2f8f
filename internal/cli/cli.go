// Package cli is the command line: it turns flags into options, calls the
// core and presents what comes back.
package cli

import (
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"time"

	"github.com/spf13/cobra"
	"github.com/spf13/pflag"
	"golang.org/x/term"

	"rinzel/internal/diag"
	"rinzel/internal/source"
)

// Exit statuses.
const (
	exitOK      = 0
	exitSources = 1 // errors in the user's sources
	exitFailure = 2 // wrong use, or a failure of our own
)

// IO are the streams of a run.
type IO struct {
	In                 io.Reader // nil for nothing
	Out, Err           io.Writer
	OutColor, ErrColor bool // the stream is shown in colour
}

// Standard returns the streams of the process. They are coloured where they
// are a terminal, unless the environment sets NO_COLOR.
func Standard() IO {
	colored := func(f *os.File) bool {
		return os.Getenv("NO_COLOR") == "" && os.Getenv("TERM") != "dumb" && term.IsTerminal(int(f.Fd()))
	}
	return IO{os.Stdin, os.Stdout, os.Stderr, colored(os.Stdout), colored(os.Stderr)}
}

// errSources says that the sources have errors, which were shown.
var errSources = errors.New("the source has errors")

// patience is how long a command that is told to stop may take to end by itself.
const patience = 100 * time.Millisecond

// Run runs the command line and returns the exit status. Once the context ends, it returns soon, whatever the command is at:
// outputs that are being moved into place are moved to the end, and anything else is left where it is.
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

// stopped tells that a command was stopped before it wrote anything.
func stopped(std IO) int {
	fmt.Fprintln(std.Err, "rinzel: interrupted, previous output kept")
	return exitFailure
}

func execute(ctx context.Context, args []string, std IO) int {
	cmd := newRoot(std)
	cmd.SetArgs(args)
	cmd.SetOut(std.Out)
	cmd.SetErr(std.Err)
	err := cmd.ExecuteContext(ctx)
	switch {
	case err == nil:
		return exitOK
	case errors.Is(err, errSources):
		return exitSources
	case errors.Is(err, context.Canceled):
		return stopped(std)
	}
	fmt.Fprintf(std.Err, "rinzel: %v\n", err)
	return exitFailure
}

func newRoot(std IO) *cobra.Command {
	cmd := &cobra.Command{
		Use:   "rinzel",
		Short: "Turn the style sheets of a website into the bundles its pages load",
		Long: `Rinzel turns the style sheets of a website into the bundles that its pages load:
readable with exact source maps in development; prefixed, purged, minified and
hashed in production. It needs no settings to start.`,
		Example: `  rinzel demo                          build a sample site
  rinzel build                         build the site in this folder
  rinzel build --profile production    build it for release
  rinzel watch                         rebuild it on every change
  rinzel build main.css -o out.css     build one sheet
  rinzel bundles                       list the bundles of each page
  rinzel check                         find mistakes, without writing anything
  rinzel constants                     list constants, their definitions and uses
  rinzel imports                       show the import tree
  rinzel targets                       list the targeted browser versions
  rinzel why .notice                   explain why a selector is in the output or not
  rinzel clean                         remove the files that builds wrote`,
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
			return fmt.Errorf("unknown command %q%s", args[0], didYouMean(args[0], names, "\"rinzel --help\" lists the commands"))
		},
	}
	cmd.SetFlagErrorFunc(flagError)
	cmd.AddCommand(newBuild(std), newBundles(std), newCheck(std), newClean(std), newConstants(std), newImports(std), newRepeats(std), newTargets(std), newWatch(std), newWhy(std), newDemo(std), newVersion(std))
	return cmd
}

// didYouMean returns the ending of a message about a name that nothing has.
func didYouMean(name string, names []string, otherwise string) string {
	return "; " + diag.DidYouMean(name, names, otherwise)
}

// flagError words what is wrong with the flags of a command.
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

// atLeast requires n arguments; what says which, as in "a sheet".
func atLeast(n int, what string) cobra.PositionalArgs {
	return func(cmd *cobra.Command, args []string) error {
		if len(args) >= n {
			return nil
		}
		return fmt.Errorf("%s takes %s; see \"%s --help\"", cmd.Name(), what, cmd.CommandPath())
	}
}

// atMost returns a check of how many arguments a command gets.
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
