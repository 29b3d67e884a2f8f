package cli

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"net"
	"net/netip"
	"os/exec"
	"path/filepath"
	"runtime"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"rinzel/internal/diag"
	"rinzel/internal/project"
	"rinzel/internal/serve"
	"rinzel/internal/session"
	"rinzel/internal/source"
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

Without --port, the port is 7300 or the next free one. Stop with Ctrl-C.`,
		Example: "  rinzel serve\n  rinzel serve --open\n  rinzel serve --profile production --port 8000",
		Args:    cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			return runServe(cmd.Context(), flags, std)
		},
	}
	flags.add(cmd)
	f := cmd.Flags()
	f.StringVar(&flags.address, "address", loopback, "address to listen on; others can connect to any but 127.0.0.1")
	f.IntVar(&flags.port, "port", 0, "port to listen on (default 7300, or the next free one)")
	f.BoolVar(&flags.open, "open", false, "open the site in a browser, unless a tab is already waiting for it")
	f.BoolVar(&flags.write, "write", false, "also write the outputs to the output folder")
	return cmd
}

// runServe runs the serve command after flag parsing. It returns nil when the
// context is cancelled.
func runServe(ctx context.Context, flags serveFlags, std IO) error {
	if flags.port < 0 || flags.port > 65535 {
		return fmt.Errorf("port %d does not exist: ports are between 1 and 65535", flags.port)
	}
	opts := session.Options{Project: project.Options{Settings: flags.settings}, Build: flags.run}
	changes := session.Changes{At: time.Now()}
	sess, err := session.StartWatch(opts)
	if err != nil {
		return err
	}
	defer sess.Close()
	listener, err := serve.Listen(flags.address, flags.port)
	if err != nil {
		return err
	}
	ctx, stop := context.WithCancelCause(ctx)
	defer stop(nil)
	s := &serving{flags: flags, at: listener.Addr().(*net.TCPAddr).AddrPort(), server: serve.New(serve.Options{Hosts: []string{strings.ToLower(flags.address)}})}
	s.watching = &watching{flags: flags.buildFlags, std: std, session: sess, deliver: s.deliver, failed: s.failed}
	sess.Ignore = func(name string) bool { return isStream(std, name) }
	go func() { stop(s.server.Run(ctx, listener)) }()
	err = s.run(ctx, changes)
	if cause := context.Cause(ctx); err == nil && cause != nil && !errors.Is(cause, context.Canceled) {
		return cause
	}
	return err
}

// serving is a run of the serve command.
type serving struct {
	*watching
	flags     serveFlags
	server    *serve.Server
	at        netip.AddrPort
	last      *serve.Snapshot
	addressed bool // the address was printed
}

// deliver publishes the outputs to the server.
func (s *serving) deliver(ctx context.Context, r *report, u *session.Update, start time.Time) error {
	settings := s.session.Project().Settings
	s.last = serve.NewSnapshot(s.last, settings.Base, u.Outputs)
	s.last.Fallback = settings.Serve.Fallback
	s.server.Publish(s.last)
	took := time.Since(start)
	if s.flags.write {
		if err := s.save(ctx, r, u); err != nil {
			return err
		}
	}
	if s.built {
		s.changed(r, "updated", u.Changed, u.Removed, took)
		return nil
	}
	s.built = true
	s.announce(r)
	s.listPages()
	r.total(u.Result, source.Published{}, took)
	return s.waiting()
}

// failed publishes why there are no outputs.
func (s *serving) failed(r *report, u *session.Update) error {
	var text strings.Builder
	renderer := diag.Renderer{Files: r.project.Tree.Set}
	if err := showFindings(&text, renderer, u.Diagnostics, "rinzel build lists all"); err != nil {
		return err
	}
	base := "/"
	if p := s.session.Project(); p.Settings != nil {
		base = p.Settings.Base
	}
	served := "pages show the errors until they are fixed"
	if s.built {
		served = "pages remain as they were"
	}
	s.last = serve.Failed(s.last, base, strings.TrimSpace(text.String()))
	s.server.Publish(s.last)
	s.announce(r)
	_, err := fmt.Fprintf(s.std.Err, "%s: %s\n", diag.Count(errorsIn(u.Diagnostics), "error"), served)
	return err
}

// save writes the outputs to the output folder.
func (s *serving) save(ctx context.Context, r *report, u *session.Update) error {
	_, err := s.flags.buildFlags.write(ctx, s.session.Project(), u.Result, s.std, source.PublishOptions{})
	var foreign *source.ForeignError
	if errors.As(err, &foreign) {
		if err := r.foreign(u.Result, foreign); !errors.Is(err, errSources) {
			return err
		}
		return nil
	}
	return err
}

// url returns the URL of the site.
func (s *serving) url() string {
	host := s.at.Addr()
	if host.IsUnspecified() {
		host = netip.AddrFrom4([4]byte{127, 0, 0, 1})
	}
	base := "/"
	if s.last != nil {
		base = s.last.Base
	}
	return "http://" + netip.AddrPortFrom(host, s.at.Port()).String() + base
}

// announce prints the address, once.
func (s *serving) announce(r *report) {
	if s.addressed {
		return
	}
	s.addressed = true
	fmt.Fprintf(s.std.Out, "serving at %s\n", r.paint("1;36", s.url()))
	if !s.at.Addr().IsLoopback() {
		fmt.Fprintf(s.std.Out, "  other machines can connect, because of --address %s\n", s.flags.address)
	}
	if s.flags.open {
		go openBrowser(s.server, s.url(), s.std)
	}
}

// listPages prints the URL paths of the pages.
func (s *serving) listPages() {
	const most = 12
	pages := s.last.Pages()
	for _, p := range pages[:min(len(pages), most)] {
		fmt.Fprintf(s.std.Out, "  %s\n", diag.Printable(p))
	}
	if more := len(pages) - most; more > 0 {
		fmt.Fprintf(s.std.Out, "  and %s\n", diag.Count(more, "more page"))
	}
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
