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
	"net/http"
	"strings"
	"sync/atomic"
	"time"
)

// Options configure a server. The zero value serves at the root of loopback
// addresses.
type Options struct {
	// Hosts are additional host names under which requests are accepted, see
	// [Server.ServeHTTP].
	Hosts []string
}

// Server serves the last published snapshot. It is safe for concurrent use.
type Server struct {
	opts    Options
	current atomic.Pointer[Snapshot]
	live    *hub
}

// New returns a server without a snapshot: all requests are answered with an
// error until one is published.
func New(opts Options) *Server {
	return &Server{opts: opts, live: newHub()}
}

// Publish replaces the served snapshot, and sends the differences to the
// connected browsers.
func (s *Server) Publish(n *Snapshot) {
	before := s.current.Swap(n)
	s.live.publish(before, n)
}

// Close ends the event streams. Requests are still answered.
func (s *Server) Close() { s.live.close() }

// Clients returns the number of browsers that receive updates.
func (s *Server) Clients() int { return s.live.clients() }

// ownPrefix is the URL path of the resources of the server itself. No output
// has such a path: files in hidden folders are not part of a site.
const ownPrefix = "/.rinzel/"

// responseTime limits how long a response to a slow reader may take.
const responseTime = 2 * time.Minute

// ServeHTTP answers a request.
//
// Only GET and HEAD are allowed. Requests for a foreign host name are refused,
// so that a page from elsewhere cannot read the project through a DNS name that
// it controls; so are requests that pages of other origins send.
func (s *Server) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	h := w.Header()
	h.Set("Cache-Control", "no-store")
	h.Set("X-Content-Type-Options", "nosniff")
	h.Set("Cross-Origin-Resource-Policy", "same-origin")
	if problem := refuses(r, s.opts.Hosts); problem != "" {
		http.Error(w, problem, http.StatusForbidden)
		return
	}
	if r.Method != http.MethodGet && r.Method != http.MethodHead {
		h.Set("Allow", "GET, HEAD")
		http.Error(w, "only GET and HEAD are allowed", http.StatusMethodNotAllowed)
		return
	}
	if own, ok := strings.CutPrefix(r.URL.Path, ownPrefix); ok {
		s.serveOwn(w, r, own)
		return
	}
	// The deadline is for each response, as event streams must not have one.
	_ = http.NewResponseController(w).SetWriteDeadline(time.Now().Add(responseTime))
	n := s.current.Load()
	if n == nil {
		http.Error(w, "nothing is built yet", http.StatusServiceUnavailable)
		return
	}
	s.serveOutput(w, r, n)
}

// serveOwn serves the resources of the server itself.
func (s *Server) serveOwn(w http.ResponseWriter, r *http.Request, name string) {
	switch name {
	case clientName:
		serveClient(w, r)
	case eventsName:
		s.live.serve(w, r)
	case sinceName:
		s.live.serveSince(w, r)
	default:
		http.NotFound(w, r)
	}
}

// serveOutput serves a file of a snapshot.
func (s *Server) serveOutput(w http.ResponseWriter, r *http.Request, n *Snapshot) {
	if len(n.files) == 0 && n.Problem != "" {
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
		f.serve(w, r, n, http.StatusOK)
	case n.files[n.Fallback] != nil && wantsPage(r):
		n.files[n.Fallback].serve(w, r, n, http.StatusOK)
	default:
		serveMissing(w, r, n)
	}
}

// wantsPage reports whether a request is for a page and not for a resource of
// one.
func wantsPage(r *http.Request) bool { return strings.Contains(r.Header.Get("Accept"), "text/html") }
