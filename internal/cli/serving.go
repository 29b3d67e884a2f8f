package cli

import (
	"context"
	"errors"
	"fmt"
	"net/netip"
	"path"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	"rinzel/internal/diag"
	"rinzel/internal/emit"
	"rinzel/internal/inventory"
	"rinzel/internal/project"
	"rinzel/internal/serve"
	"rinzel/internal/session"
	"rinzel/internal/site"
	"rinzel/internal/source"
)

// serving is a run of the serve command.
type serving struct {
	*watching
	flags     serveFlags
	server    *serve.Server
	at        netip.AddrPort
	last      *serve.Snapshot
	addressed bool // the address was printed
	// loads are the paths of the bundles that each page without errors loads,
	// by the path of the page.
	loads map[string][]string

	// In front of an application server:
	project atomic.Pointer[project.Project] // for requests
	mu      sync.Mutex
	linked  []string        // sheets that its pages link, sorted
	asked   []string        // those that the last build was asked for
	hinted  map[string]bool // URL paths of sheets with a hint about base
}

// buildProject builds the project, and makes it known to requests.
func (s *serving) buildProject(ctx context.Context, p *project.Project, cache *site.Cache) (*site.Result, error) {
	s.project.Store(p)
	opts := s.flags.options(cache)
	opts.Linked, opts.WithoutPages, opts.WithoutAlerts = s.linkedSheets(), s.flags.behind != "", true
	if s.flags.write {
		return buildWritten(ctx, p, opts)
	}
	return site.Build(ctx, p, opts)
}

// wants reports whether a path is that of a sheet of the source folder, and
// requests to build it.
func (s *serving) wants(name string) bool {
	p := s.project.Load()
	if p == nil || !strings.EqualFold(path.Ext(name), ".css") || path.Clean(name) != name || !p.Tree.Exists(source.Path{Name: name}) {
		return false
	}
	s.mu.Lock()
	if i, ok := slices.BinarySearch(s.linked, name); !ok {
		s.linked = slices.Insert(s.linked, i, name)
	}
	s.mu.Unlock()
	select {
	case s.wake <- struct{}{}:
	default: // already requested
	}
	return true
}

// passedOn prints a hint if a sheet that comes from the application server would
// be built with another base.
func (s *serving) passedOn(urlPath string) {
	p := s.project.Load()
	if p == nil {
		return
	}
	base, name, ok := "/", strings.TrimPrefix(urlPath, "/"), true
	for !p.Tree.Exists(source.Path{Name: name}) {
		var folder string
		if folder, name, ok = strings.Cut(name, "/"); !ok {
			return
		}
		base += folder + "/"
	}
	s.mu.Lock()
	known := s.hinted[urlPath]
	if s.hinted == nil {
		s.hinted = make(map[string]bool)
	}
	s.hinted[urlPath] = true
	s.mu.Unlock()
	if !known {
		fmt.Fprintf(s.std.Err, "%s comes from the application server: set base = %q in rinzel.toml to build %s\n",
			diag.Printable(urlPath), base, diag.Printable(p.Tree.Show(source.Path{Name: name})))
	}
}

// linkedSheets returns the sheets to build for pages of the application server.
func (s *serving) linkedSheets() []string {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.asked = slices.Clone(s.linked)
	return s.asked
}

// makesPages reports whether an application server may make pages from a file.
func makesPages(name string) bool {
	return inventory.IsTemplate(name) || inventory.IsPage(name) || inventory.IsScript(name)
}

// deliver publishes the outputs to the server.
func (s *serving) deliver(ctx context.Context, r *report, u *session.Update, changes session.Changes) error {
	settings := s.session.Project().Settings
	pagesChanged := s.flags.behind != "" && slices.ContainsFunc(changes.Names, makesPages)
	s.last = serve.NewSnapshot(s.last, settings.Base, s.outputs(u.Result), pagesChanged)
	s.configure(s.last, settings)
	if len(u.Broken) > 0 {
		s.last.Problem = s.problem(r, u)
		for _, page := range u.BrokenPaths {
			s.last.Problem.Pages = append(s.last.Problem.Pages, settings.Base+page)
		}
	}
	s.server.Publish(s.last)
	took := time.Since(changes.At)
	if s.flags.write {
		if err := s.save(ctx, r, u); err != nil {
			return err
		}
	}
	if s.built {
		s.updated(r, u, pagesChanged, took)
		return nil
	}
	s.built = true
	s.announce(r)
	s.listPages()
	if s.flags.behind == "" || len(u.Bundles) > 0 {
		r.total(u.Result, source.Published{}, took)
	}
	return s.waiting()
}

// outputs returns the outputs of a build to serve. Pages with errors remain as
// they were, with the bundles that no other page loads.
func (s *serving) outputs(res *site.Result) []emit.Output {
	loads, shared := make(map[string][]string), make(map[string]bool)
	for i := range res.Bundles {
		b := &res.Bundles[i]
		for _, page := range b.PagePaths() {
			if !slices.Contains(res.BrokenPaths, page) {
				loads[page] = append(loads[page], b.Path)
				shared[b.Path] = true
			}
		}
	}
	out := slices.Clone(res.Outputs)
	keep := func(name string) {
		before := s.last.Output(name)
		if before == nil {
			return
		}
		if i := slices.IndexFunc(out, func(o emit.Output) bool { return o.Path == name }); i >= 0 {
			out[i] = *before
		} else {
			out = append(out, *before)
		}
	}
	for _, page := range res.BrokenPaths {
		if s.last.Output(page) == nil {
			continue
		}
		keep(page)
		for _, name := range s.loads[page] {
			if !shared[name] {
				keep(name)
			}
		}
		loads[page] = s.loads[page]
	}
	s.loads = loads
	return out
}

// updated prints what a later build changed.
func (s *serving) updated(r *report, u *session.Update, pagesChanged bool, took time.Duration) {
	if pagesChanged && len(u.Changed)+len(u.Removed) == 0 {
		fmt.Fprintf(s.std.Out, "%s pages of the application server\n", r.paint("1;32", "reloaded"))
		return
	}
	s.changed(r, "updated", u.Changed, u.Removed, took)
}

// failed publishes why there are no outputs.
func (s *serving) failed(r *report, u *session.Update) error {
	settings := s.session.Project().Settings
	if settings == nil {
		settings = project.Default()
	}
	served := "pages show the errors until they are fixed"
	if s.built {
		served = "pages remain as they were, and show the errors"
	}
	s.last = serve.Failed(s.last, settings.Base, s.problem(r, u))
	s.configure(s.last, settings)
	s.server.Publish(s.last)
	s.announce(r)
	_, err := fmt.Fprintf(s.std.Err, "%s: %s\n", diag.Count(errorsIn(u.Diagnostics), "error"), served)
	return err
}

// configure sets what does not depend on the outputs.
func (s *serving) configure(n *serve.Snapshot, settings *project.Settings) {
	n.Fallback, n.Linked, n.Proxy = settings.Serve.Fallback, s.asked, nil
	for _, p := range settings.Serve.Proxy {
		n.Proxy = append(n.Proxy, serve.Route(p))
	}
}

// problem returns the errors of a build as pages show them.
func (s *serving) problem(r *report, u *session.Update) *serve.Problem {
	editor := ""
	if settings := s.session.Project().Settings; settings != nil {
		editor = settings.Serve.Editor
	}
	return serve.NewProblem(r.project.Tree.Set, u.Diagnostics, editor)
}

// save writes the outputs to the output folder.
func (s *serving) save(ctx context.Context, r *report, u *session.Update) error {
	_, err := s.watching.flags.write(ctx, s.session.Project(), u.Result, s.std, source.PublishOptions{})
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
	if s.last != nil && s.flags.behind == "" {
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
	if s.flags.behind != "" {
		fmt.Fprintf(s.std.Out, "  pages come from %s; the sheets of %s are built when a page links them below %s\n",
			diag.Printable(s.flags.behind), diag.Printable(r.project.SourceDir()), diag.Printable(s.last.Base))
	}
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
