package cli

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"net"
	"os/exec"
	"path/filepath"
	"runtime"
	"strconv"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"rinzel/internal/project"
	"rinzel/internal/serve"
	"rinzel/internal/session"
)

// loopback is the address that only this machine can connect to.
const loopback = "127.0.0.1"

// serveFlags are the flags of the serve command.
type serveFlags struct {
	buildFlags
	address string
	port    int
	open    bool // in a browser
	write   bool // write the outputs as well
	behind  string
}

// newServe returns the serve command.
func newServe(std IO) *cobra.Command {
	var flags serveFlags
	cmd := &cobra.Command{
		Use:   "serve",
		Short: "Serve the site, and update open pages on every change",
		Long: `Serve builds the site, serves it from memory on this machine, and builds it again
on every change. Open pages are updated in place: style sheets and images are
replaced, text and attributes of the page are patched. A page reloads only if a
script or its structure changed. Nothing is written to the output folder, unless
--write is given.

With --behind URL, the pages come from an application server. Rinzel builds and
serves the sheets that they link, and the bundles of the settings; it passes
everything else on to that server, and updates its pages in the same way.

The report on the styles of a release (rinzel report) is at /.rinzel/report.

Without --port, the port is 7300 or the next free one. Stop with Ctrl-C.`,
		Example: `  rinzel serve
  rinzel serve --open
  rinzel serve --profile production --port 8000
  rinzel serve --behind http://127.0.0.1:3000`,
		Args: cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			return runServe(cmd.Context(), flags, std)
		},
	}
	flags.add(cmd)
	f := cmd.Flags()
	f.StringVar(&flags.address, "address", loopback, "address to listen on; others can connect to any but 127.0.0.1")
	f.IntVar(&flags.port, "port", 0, "port to listen on (default 7300, or the next free one)")
	f.BoolVar(&flags.open, "open", false, "open the site in a browser, unless a tab is already waiting for it")
	f.StringVar(&flags.behind, "behind", "", "URL, host or port of an application server that makes the pages")
	f.BoolVar(&flags.write, "write", false, "also write the outputs to the output folder")
	return cmd
}

// runServe runs the serve command after flag parsing. It returns nil when the
// context is cancelled.
func runServe(ctx context.Context, flags serveFlags, std IO) error {
	if flags.port < 0 || flags.port > 65535 {
		return fmt.Errorf("port %d does not exist: ports are between 1 and 65535", flags.port)
	}
	s := new(serving)
	options := serve.Options{Hosts: []string{strings.ToLower(flags.address)}, Report: s.report}
	if flags.behind != "" {
		flags.behind = serverURL(flags.behind)
		target, err := project.ServerURL(flags.behind)
		if err != nil {
			return fmt.Errorf("the URL of --behind %w", err)
		}
		options.Application = &serve.Application{URL: target, Wants: s.wants, PassedOn: s.passedOn}
	}
	s.flags = flags
	s.watching = &watching{flags: flags.buildFlags, std: std, deliver: s.deliver, failed: s.failed, wake: make(chan struct{}, 1)}
	changes := session.Changes{At: time.Now()}
	var err error
	s.session, err = session.StartWatch(session.Options{Project: project.Options{Settings: flags.settings}, Build: s.buildProject})
	if err != nil {
		return err
	}
	defer s.session.Close()
	s.session.Ignore = func(name string) bool { return isStream(std, name) }
	if flags.behind != "" {
		s.session.Notice = makesPages
	}
	listener, err := serve.Listen(flags.address, flags.port)
	if err != nil {
		return err
	}
	s.at, s.server = listener.Addr().(*net.TCPAddr).AddrPort(), serve.New(options)
	ctx, stop := context.WithCancelCause(ctx)
	defer stop(nil)
	go func() { stop(s.server.Run(ctx, listener)) }()
	err = s.run(ctx, changes)
	if cause := context.Cause(ctx); err == nil && cause != nil && !errors.Is(cause, context.Canceled) {
		return cause
	}
	return err
}

// serverURL completes the URL of a server that is given as a host or a port.
func serverURL(text string) string {
	if _, err := strconv.ParseUint(text, 10, 16); err == nil {
		return "http://" + net.JoinHostPort(loopback, text)
	}
	if !strings.Contains(text, "://") {
		return "http://" + text
	}
	return text
}

// reconnection is how long open tabs take to find a server that was started
// again.
const reconnection = 1500 * time.Millisecond

// openBrowser opens a URL of the server in a browser, unless a tab is connected already.
func openBrowser(server *serve.Server, url string, std IO) {
	time.Sleep(reconnection)
	if server.Clients() > 0 {
		return
	}
	command := map[string][]string{
		"darwin":  {"open"},
		"windows": {"rundll32", "url.dll,FileProtocolHandler"},
	}[runtime.GOOS]
	if command == nil {
		command = []string{cmp.Or(firstProgram("xdg-open", "x-www-browser", "sensible-browser"), "xdg-open")}
	}
	if err := exec.Command(command[0], append(command[1:], url)...).Run(); err != nil {
		fmt.Fprintf(std.Err, "rinzel: cannot open a browser: %v\n", err)
	}
}

// firstProgram returns the first program that is installed, or "".
func firstProgram(names ...string) string {
	for _, name := range names {
		if path, err := exec.LookPath(name); err == nil {
			return filepath.ToSlash(path)
		}
	}
	return ""
}
