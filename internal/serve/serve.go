// Package serve serves the outputs of builds from memory over HTTP, and keeps
// the pages in browsers current.
//
// A [Server] is an [http.Handler]. Each build is published to it as a
// [Snapshot]: requests are answered from the last one, and browsers learn which
// outputs changed by server-sent events (HTML, section 9.2). The client that
// receives them is a script of its own, which is added to pages only as they
// are served. Start reading at [Server.ServeHTTP].
//
// The package does not build, does not read files except for copied outputs,
// and prints nothing.
package serve

import (
	"context"
	"net/http"
	"net/url"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"time"
)

// Options configure a server. The zero value serves at the root of loopback
// addresses.
type Options struct {
	// Hosts are additional host names under which requests are accepted, see
	// [Server.ServeHTTP].
	Hosts []string
	// Application is the application server that pages come from; nil for none.
	Application *Application
	// Report makes the HTML page of the report on the current sources; nil for
	// none. Its error is shown as text.
	Report func(context.Context) ([]byte, error)
}

// Application is an application server that makes the pages: requests that no
// output answers are passed on to it.
type Application struct {
	URL *url.URL
	// Wants reports whether a path, relative to the base of the outputs, is that
	// of a sheet that can be built, and requests that. It is called when a page
	// links a sheet that is not built; the answer waits for a snapshot that has
	// the sheet in Linked.
	Wants func(name string) bool
	// PassedOn is called with the URL path of each sheet that is not built.
	PassedOn func(urlPath string)
}

// Server serves the last published snapshot. It is safe for concurrent use.
type Server struct {
	opts    Options
	current atomic.Pointer[Snapshot]
	live    *hub
	reports reports

	transport *http.Transport // to other servers

	mu   sync.Mutex
	next chan struct{} // closed when a snapshot is published
}

// New returns a server without a snapshot: all requests are answered with an
// error until one is published.
func New(opts Options) *Server {
	return &Server{opts: opts, live: newHub(), transport: newTransport(), next: make(chan struct{})}
}

// Publish replaces the served snapshot, and sends the differences to the
// connected browsers.
func (s *Server) Publish(n *Snapshot) {
	s.mu.Lock()
	defer s.mu.Unlock()
	before := s.current.Swap(n)
	s.live.publish(before, n)
	close(s.next)
	s.next = make(chan struct{})
}

// published returns a channel that is closed when the next snapshot is
// published.
func (s *Server) published() <-chan struct{} {
	s.mu.Lock()
	defer s.mu.Unlock()
	return s.next
}

// Close ends the event streams. Requests are still answered.
func (s *Server) Close() {
	s.live.close()
	s.transport.CloseIdleConnections()
}

// Clients returns the number of browsers that receive updates.
func (s *Server) Clients() int { return s.live.clients() }

// ownPrefix is the URL path of the resources of the server itself. No output
// has such a path: files in hidden folders are not part of a site.
const ownPrefix = "/.rinzel/"

// responseTime limits how long a response to a slow reader may take.
const responseTime = 2 * time.Minute

// ServeHTTP answers a request.
//
// Requests for a foreign host name are refused, so that a page from elsewhere
// cannot read the project through a DNS name that it controls; so are requests
// that pages of other origins send. Except for paths that other servers answer,
// only GET and HEAD are allowed.
func (s *Server) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	if problem := refuses(r, s.opts.Hosts); problem != "" {
		http.Error(w, problem, http.StatusForbidden)
		return
	}
	n := s.current.Load()
	if own, ok := strings.CutPrefix(r.URL.Path, ownPrefix); ok {
		if isRead(w, r) {
			s.serveOwn(w, r, own, n)
		}
		return
	}
	if n != nil {
		if route := n.routeOf(r.URL.Path); route != nil {
			s.forward(w, r, route.Target, false)
			return
		}
	}
	if s.opts.Application != nil {
		s.serveApplication(w, r, n)
		return
	}
	if !isRead(w, r) {
		return
	}
	if n == nil {
		http.Error(w, "nothing is built yet", http.StatusServiceUnavailable)
		return
	}
	s.serveOutput(w, r, n)
}

// isRead sets the headers and the deadline of all responses that are not those
// of another server; event streams extend the deadline. If the method of a
// request is not allowed, it answers the request and returns false.
func isRead(w http.ResponseWriter, r *http.Request) bool {
	h := w.Header()
	h.Set("Cache-Control", "no-store")
	h.Set("X-Content-Type-Options", "nosniff")
	h.Set("Cross-Origin-Resource-Policy", "same-origin")
	_ = http.NewResponseController(w).SetWriteDeadline(time.Now().Add(responseTime))
	if r.Method == http.MethodGet || r.Method == http.MethodHead {
		return true
	}
	h.Set("Allow", "GET, HEAD")
	http.Error(w, "only GET and HEAD are allowed", http.StatusMethodNotAllowed)
	return false
}

// serveOwn serves the resources of the server itself.
func (s *Server) serveOwn(w http.ResponseWriter, r *http.Request, name string, n *Snapshot) {
	switch name {
	case clientName:
		serveText(w, r, "text/javascript; charset=utf-8", client)
	case moduleName:
		serveText(w, r, "text/javascript; charset=utf-8", clientModule)
	case panelName:
		serveText(w, r, "text/css; charset=utf-8", panelSheet)
	case eventsName:
		s.live.serve(w, r)
	case sinceName:
		s.live.serveSince(w, r)
	case beforeName:
		s.live.serveBefore(w, r)
	case findingsName:
		serveFindings(w, n)
	case sourceName:
		serveSource(w, r, n)
	case reportName:
		s.serveReport(w, r, n)
	default:
		http.NotFound(w, r)
	}
}

// serveText serves a text that is part of the program.
func serveText(w http.ResponseWriter, r *http.Request, mediaType, text string) {
	w.Header().Set("Content-Type", mediaType)
	http.ServeContent(w, r, "", time.Time{}, strings.NewReader(text))
}

// serveApplication answers a request with an output, if there is one that is not a
// page, or passes it on to the application server.
func (s *Server) serveApplication(w http.ResponseWriter, r *http.Request, n *Snapshot) {
	if n == nil || r.Method != http.MethodGet && r.Method != http.MethodHead {
		s.forward(w, r, s.opts.Application.URL, true)
		return
	}
	f := n.asset(r.URL.Path)
	if f == nil {
		if name, ok := strings.CutPrefix(r.URL.Path, n.Base); ok && s.opts.Application.Wants(name) {
			n, f = s.awaitSheet(r, name)
		}
	}
	switch {
	case f != nil:
		isRead(w, r)
		f.serve(w, r, n)
	case n.Problem != nil && slices.ContainsFunc(n.Linked, func(name string) bool { return n.Base+name == r.URL.Path }):
		isRead(w, r)
		http.Error(w, n.Problem.String(), http.StatusInternalServerError)
	default:
		if strings.HasSuffix(r.URL.Path, ".css") {
			s.opts.Application.PassedOn(r.URL.Path)
		}
		s.forward(w, r, s.opts.Application.URL, true)
	}
}

// buildTime limits how long a request waits for a sheet to be built.
const buildTime = 30 * time.Second

// awaitSheet waits until a sheet that was requested is built, and returns its
// file; nil if that failed.
func (s *Server) awaitSheet(r *http.Request, name string) (*Snapshot, *file) {
	end := time.NewTimer(buildTime)
	defer end.Stop()
	for {
		next := s.published()
		n := s.current.Load()
		if f := n.files[name]; f != nil || slices.Contains(n.Linked, name) {
			return n, f
		}
		select {
		case <-next:
		case <-end.C:
			return n, nil
		case <-r.Context().Done():
			return n, nil
		}
	}
}

// serveOutput serves a file of a snapshot.
func (s *Server) serveOutput(w http.ResponseWriter, r *http.Request, n *Snapshot) {
	if len(n.files) == 0 && n.Problem != nil {
		serveProblem(w, r, n)
		return
	}
	f, to := n.find(r.URL.Path)
	switch {
	case to != "":
		if r.URL.RawQuery != "" {
			to += "?" + r.URL.RawQuery
		}
		// Temporary: the redirect must not outlive the page in a cache.
		http.Redirect(w, r, to, http.StatusTemporaryRedirect)
	case f != nil:
		f.serve(w, r, n)
	case n.files[n.Fallback] != nil && wantsPage(r):
		n.files[n.Fallback].serve(w, r, n)
	default:
		serveMissing(w, r, n)
	}
}

// wantsPage reports whether a request is for a page and not for a resource of
// one.
func wantsPage(r *http.Request) bool { return strings.Contains(r.Header.Get("Accept"), "text/html") }
