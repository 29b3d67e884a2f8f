package serve

import (
	"bytes"
	"context"
	"errors"
	"io"
	"log"
	"net/http"
	"net/http/httputil"
	"net/url"
	"regexp"
	"strings"
	"time"

	"github.com/klauspost/compress/gzip"
)

// This file passes requests on to other servers: to those of [Snapshot.Proxy],
// and to the application server of [Options.Application].

// Route passes the requests below a URL path on to another server.
type Route struct {
	// Path is the URL path; a request matches if its path is the same, or
	// continues after a slash.
	Path string
	// Target is the URL of the server. Its path precedes that of the request.
	Target *url.URL
}

// matches reports whether a request path belongs to the route.
func (r Route) matches(urlPath string) bool {
	rest, ok := strings.CutPrefix(urlPath, strings.TrimSuffix(r.Path, "/"))
	return ok && (rest == "" || rest[0] == '/')
}

// routeOf returns the most specific of the routes that match a request path.
func (n *Snapshot) routeOf(urlPath string) *Route {
	var out *Route
	for i := range n.Proxy {
		if r := &n.Proxy[i]; r.matches(urlPath) && (out == nil || len(r.Path) > len(out.Path)) {
			out = r
		}
	}
	return out
}

// viaName identifies this server in the Via header (RFC 9110, section 7.6.3).
const viaName = "rinzel"

// newTransport returns the transport of requests to other servers. Contents
// pass unchanged, compressed or not.
func newTransport() *http.Transport {
	t := http.DefaultTransport.(*http.Transport).Clone()
	t.DisableCompression = true
	return t
}

// forward passes a request on to target, and the response back as it arrives.
// Event streams and web sockets pass as well. With inject, pages get the client
// script.
//
// The other server is asked under its own name. Where it refers to itself in
// redirects and cookies, the browser is referred to this server.
func (s *Server) forward(w http.ResponseWriter, r *http.Request, target *url.URL, inject bool) {
	if strings.Contains(r.Header.Get("Via"), viaName) {
		http.Error(w, "the server "+target.String()+" is this one", http.StatusLoopDetected)
		return
	}
	// Streams have no end. An earlier response on the connection had a deadline.
	_ = http.NewResponseController(w).SetWriteDeadline(time.Time{})
	inject = inject && r.Method == http.MethodGet && loadsPage(r)
	proxy := httputil.ReverseProxy{
		Transport:     s.transport,
		FlushInterval: -1, // pages and events arrive piece by piece
		ErrorLog:      log.New(io.Discard, "", 0),
		Rewrite:       func(p *httputil.ProxyRequest) { prepare(p, target, inject) },
		ModifyResponse: func(res *http.Response) error {
			localize(res, target)
			if inject {
				return s.injectInto(res)
			}
			return nil
		},
		ErrorHandler: func(w http.ResponseWriter, r *http.Request, err error) {
			if !errors.Is(err, context.Canceled) { // the browser is gone
				serveUnreachable(w, r, target, err)
			}
		},
	}
	proxy.ServeHTTP(w, r)
}

// loadsPage reports whether a browser requests a page to display it, and not a
// script that fetches a part of one (Fetch Metadata, section 2.1).
func loadsPage(r *http.Request) bool {
	switch r.Header.Get("Sec-Fetch-Dest") {
	case "document", "iframe", "frame":
		return true
	case "":
		return wantsPage(r)
	}
	return false
}

// prepare completes a request to another server.
func prepare(p *httputil.ProxyRequest, target *url.URL, inject bool) {
	p.SetURL(target)
	p.Out.URL.RawQuery = p.In.URL.RawQuery
	p.SetXForwarded()
	h := p.Out.Header
	h.Add("Via", "1.1 "+viaName)
	// Servers compare these with their own address to detect forged requests.
	own, to := "http://"+p.In.Host, target.Scheme+"://"+target.Host
	for _, name := range []string{"Origin", "Referer"} {
		if rest, ok := strings.CutPrefix(h.Get(name), own); ok && (rest == "" || rest[0] == '/') {
			h.Set(name, to+rest)
		}
	}
	if inject {
		// The page must be sent as a whole, and in a form that can be read: one
		// in the cache of the browser has an old script.
		for _, name := range []string{"If-None-Match", "If-Modified-Since", "If-Range", "Range"} {
			h.Del(name)
		}
		h.Set("Accept-Encoding", "gzip")
	}
}

// localize makes the redirects and cookies of a response lead to this server.
func localize(res *http.Response, target *url.URL) {
	to, err := url.Parse(res.Header.Get("Location"))
	if err == nil && to.Host == target.Host && to.Scheme == target.Scheme {
		to.Scheme, to.Host, to.User = "", "", nil
		if base := strings.TrimSuffix(target.Path, "/"); base != "" {
			if rest, ok := strings.CutPrefix(to.Path, base); ok && strings.HasPrefix(rest, "/") {
				to.Path, to.RawPath = rest, ""
			}
		}
		if to.Path == "" {
			to.Path = "/"
		}
		res.Header.Set("Location", to.String())
	}
	for i, cookie := range res.Header.Values("Set-Cookie") {
		res.Header["Set-Cookie"][i] = localCookie(cookie, target)
	}
}

// localCookie returns a Set-Cookie header without the attributes that bind the
// cookie to the host of another server or, if that is reached by HTTPS, to
// encrypted connections (RFC 6265, section 4.1.2).
func localCookie(cookie string, target *url.URL) string {
	parts := strings.Split(cookie, ";")
	kept := parts[:1]
	for _, part := range parts[1:] {
		name, _, _ := strings.Cut(strings.TrimSpace(part), "=")
		if strings.EqualFold(name, "Domain") || target.Scheme == "https" && strings.EqualFold(name, "Secure") {
			continue
		}
		kept = append(kept, part)
	}
	return strings.Join(kept, ";")
}

// injectInto adds the client script to a response that is a page. The page is
// read, and passed on, as it arrives.
func (s *Server) injectInto(res *http.Response) error {
	h := res.Header
	if !strings.HasPrefix(strings.ToLower(strings.TrimSpace(h.Get("Content-Type"))), "text/html") ||
		res.StatusCode == http.StatusNoContent || res.StatusCode == http.StatusNotModified {
		return nil
	}
	body := io.Reader(res.Body)
	switch strings.ToLower(h.Get("Content-Encoding")) {
	case "":
	case "gzip":
		body = &unpacker{src: res.Body}
	default:
		return nil // not one that was asked for
	}
	for _, name := range []string{"Content-Encoding", "Content-Length", "ETag", "Last-Modified", "Accept-Ranges"} {
		h.Del(name)
	}
	h.Set("Cache-Control", "no-store")
	res.ContentLength = -1
	sum := ""
	if n := s.current.Load(); n != nil {
		sum = n.sum
	}
	res.Body = &injector{src: body, close: res.Body.Close, tag: clientTag(sum, "", nonceOf(h.Values("Content-Security-Policy")))}
	return nil
}

// nonces matches a nonce in a content security policy.
var nonces = regexp.MustCompile(`'nonce-([A-Za-z0-9+/_=-]+)'`)

// nonceOf returns a nonce for scripts of a page (Content Security Policy,
// section 2.3.1), or "".
func nonceOf(policies []string) string {
	for _, policy := range policies {
		for directive := range strings.SplitSeq(policy, ";") {
			if name, _, _ := strings.Cut(strings.TrimSpace(directive), " "); !strings.HasPrefix(name, "script-src") &&
				name != "default-src" {
				continue
			}
			if m := nonces.FindStringSubmatch(directive); m != nil {
				return m[1]
			}
		}
	}
	return ""
}

// unpacker decompresses gzip. The header is read with the first contents, so
// that a response without any yet can be passed on.
type unpacker struct {
	src io.Reader
	z   *gzip.Reader
}

// Read implements [io.Reader].
func (u *unpacker) Read(p []byte) (int, error) {
	if u.z == nil {
		z, err := gzip.NewReader(u.src)
		if err != nil {
			return 0, err
		}
		u.z = z
	}
	return u.z.Read(p)
}

// maxHead is the number of bytes in which the head of a page must start.
const maxHead = 64 << 10

// injector inserts the client script into a page while it is read.
type injector struct {
	src   io.Reader
	close func() error
	tag   []byte

	ready bytes.Buffer
	head  []byte // not passed on before the place of the script is known
	done  bool   // the script was inserted
	err   error

	scanned int // length of head when it was last searched for the place
}

// Read implements [io.Reader].
func (i *injector) Read(p []byte) (int, error) {
	for i.ready.Len() == 0 {
		if i.err != nil {
			return 0, i.err
		}
		n, err := i.src.Read(p)
		i.err = err
		if i.done {
			return n, err
		}
		i.head = append(i.head, p[:n]...)
		full := err != nil || len(i.head) > maxHead
		// Only the end of a tag, or a text, decides.
		if !full && bytes.IndexByte(p[:n], '>') < 0 && len(i.head) < 2*i.scanned {
			continue
		}
		i.scanned = len(i.head)
		if at, ok := injectionPoint(string(i.head)); ok || full {
			i.done = true
			i.ready.Write(i.head[:at])
			i.ready.Write(i.tag)
			i.ready.Write(i.head[at:])
			i.head = nil
		}
	}
	return i.ready.Read(p)
}

// Close implements [io.Closer].
func (i *injector) Close() error { return i.close() }
