package serve

import (
	"bufio"
	"compress/gzip"
	"crypto/sha1"
	"encoding/base64"
	"fmt"
	"io"
	"net"
	"net/http"
	"net/http/httptest"
	"net/url"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"rinzel/internal/browsertest"
)

// applicationServer starts a small application server: pages from templates,
// cookies, redirects, streams, web sockets and compressed responses. Requests
// are recorded as text.
func applicationServer(t *testing.T) (address string, requests func() []string) {
	t.Helper()
	var mu sync.Mutex
	var seen []string
	mux := http.NewServeMux()
	page := func(w http.ResponseWriter, title string) {
		w.Header().Set("Content-Type", "text/html; charset=utf-8")
		w.Header().Set("ETag", `"1"`)
		fmt.Fprintf(w, "<!doctype html><html><head><title>%s</title><link rel=stylesheet href=/css/site.css></head>"+
			"<body><p id=boat>%[1]s</p></body></html>", title)
	}
	mux.HandleFunc("/", func(w http.ResponseWriter, r *http.Request) { page(w, "Path "+r.URL.Path+" "+r.URL.RawQuery) })
	mux.HandleFunc("/login", func(w http.ResponseWriter, r *http.Request) {
		if r.Header.Get("Origin") != "" && r.Header.Get("Origin") != "http://"+r.Host {
			http.Error(w, "forged", http.StatusForbidden)
			return
		}
		w.Header().Add("Set-Cookie", "ferry=petrel; Path=/; Domain=127.0.0.1; HttpOnly")
		w.Header().Add("Set-Cookie", "plain=1")
		http.Redirect(w, r, "http://"+r.Host+"/account?x=1#top", http.StatusSeeOther)
	})
	mux.HandleFunc("/account", func(w http.ResponseWriter, r *http.Request) {
		c, err := r.Cookie("ferry")
		if err != nil {
			http.Error(w, "no cookie", http.StatusUnauthorized)
			return
		}
		page(w, "Account of "+c.Value)
	})
	mux.HandleFunc("/packed", func(w http.ResponseWriter, r *http.Request) {
		w.Header().Set("Content-Type", "text/html")
		w.Header().Set("Content-Encoding", "gzip")
		z := gzip.NewWriter(w)
		defer z.Close()
		page(gzipped{w, z}, "Packed")
	})
	mux.HandleFunc("/slow", func(w http.ResponseWriter, r *http.Request) {
		w.Header().Set("Content-Type", "text/html")
		for _, part := range []string{"<!doctype html><ht", "ml><he", "ad><title>Slow</title>", "<p>one", "<p>two"} {
			io.WriteString(w, part)
			w.(http.Flusher).Flush()
			if part == "<p>one" {
				<-r.Context().Done() // the part must arrive before the next is sent
			}
		}
	})
	mux.HandleFunc("/events", func(w http.ResponseWriter, r *http.Request) {
		w.Header().Set("Content-Type", "text/event-stream")
		io.WriteString(w, "data: tide\n\n")
		w.(http.Flusher).Flush()
		<-r.Context().Done()
	})
	mux.HandleFunc("/socket", echoSocket)
	mux.HandleFunc("/nonce", func(w http.ResponseWriter, _ *http.Request) {
		w.Header().Set("Content-Security-Policy", "default-src 'self'; script-src 'strict-dynamic' 'nonce-Kai+1='")
		page(w, "Nonce")
	})
	mux.HandleFunc("/part", func(w http.ResponseWriter, _ *http.Request) {
		w.Header().Set("Content-Type", "text/html")
		io.WriteString(w, "<li>part")
	})
	mux.HandleFunc("/css/site.css", func(w http.ResponseWriter, _ *http.Request) {
		w.Header().Set("Content-Type", "text/css")
		io.WriteString(w, "#boat { color: const(not-built) }")
	})
	mux.HandleFunc("/echo", func(w http.ResponseWriter, r *http.Request) {
		body, _ := io.ReadAll(r.Body)
		fmt.Fprintf(w, "%s %s %s %s", r.Method, r.Host, r.Header.Get("X-Forwarded-Host"), body)
	})
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		mu.Lock()
		seen = append(seen, r.Method+" "+r.RequestURI)
		mu.Unlock()
		mux.ServeHTTP(w, r)
	}))
	t.Cleanup(server.CloseClientConnections)
	t.Cleanup(server.Close)
	return server.URL, func() []string {
		mu.Lock()
		defer mu.Unlock()
		return slices.Clone(seen)
	}
}

// gzipped is a response writer that compresses.
type gzipped struct {
	http.ResponseWriter
	z io.Writer
}

func (g gzipped) Write(p []byte) (int, error) { return g.z.Write(p) }

// echoSocket accepts a web socket (RFC 6455) and sends the first message back.
func echoSocket(w http.ResponseWriter, r *http.Request) {
	sum := sha1.Sum([]byte(r.Header.Get("Sec-WebSocket-Key") + "258EAFA5-E914-47DA-95CA-C5AB0DC85B11"))
	conn, rw, err := http.NewResponseController(w).Hijack()
	if err != nil {
		return
	}
	defer conn.Close()
	fmt.Fprintf(rw, "HTTP/1.1 101 Switching Protocols\r\nUpgrade: websocket\r\nConnection: Upgrade\r\nSec-WebSocket-Accept: %s\r\n\r\n",
		base64.StdEncoding.EncodeToString(sum[:]))
	rw.Flush()
	head := make([]byte, 6)
	if _, err := io.ReadFull(rw, head); err != nil {
		return
	}
	message := make([]byte, head[1]&0x7f) // short messages only
	io.ReadFull(rw, message)
	for i := range message {
		message[i] ^= head[2+i%4]
	}
	rw.Write(append([]byte{0x81, byte(len(message))}, message...))
	rw.Flush()
	io.Copy(io.Discard, rw)
}

// inFront returns the address of a server in front of an application server.
// Sheets that are wanted are published by build.
func inFront(t *testing.T, target string, build func(s *Server, name string) bool) (*Server, string) {
	t.Helper()
	u, err := url.Parse(target)
	if err != nil {
		t.Fatal(err)
	}
	var s *Server
	s = New(Options{Application: &Application{URL: u, Wants: func(name string) bool { return build(s, name) },
		PassedOn: func(string) {}}})
	server := httptest.NewServer(s)
	t.Cleanup(func() {
		s.Close()
		server.CloseClientConnections()
		server.Close()
	})
	return s, server.URL
}

// noBuild builds no sheet.
func noBuild(*Server, string) bool { return false }

// TestApplicationServer checks what passes between a browser and an application
// server, and what is changed in between.
func TestApplicationServer(t *testing.T) {
	target, requests := applicationServer(t)
	s, address := inFront(t, target, noBuild)
	if _, body := ask(t, "GET", address+"/x?a=b;c", "Accept", "text/html"); !strings.Contains(body, "Path /x a=b;c") {
		t.Errorf("before the first build: %s", body)
	}
	outputs := outputsOf("index.html", "<p>own page", "app.css", "p { top: 1px }", "img/a.svg", "<svg/>")
	s.Publish(NewSnapshot(nil, "/", outputs, false))
	const tag = `<head><script src="/.rinzel/client.js" data-sum="`
	for path, want := range map[string]string{
		"/": "Path / ", "/account%2Fx?y=%20": "Path /account/x y=%20", "/packed": "<title>Packed</title>",
	} {
		res, body := ask(t, "GET", address+path, "Accept", "text/html", "If-None-Match", `"1"`)
		if res.StatusCode != 200 || !strings.Contains(body, want) || !strings.Contains(body, tag) ||
			res.Header.Get("ETag") != "" || res.Header.Get("Cache-Control") != "no-store" ||
			res.Header.Get("Content-Encoding") != "" {
			t.Errorf("%s: %d %v\n%s", path, res.StatusCode, res.Header, body)
		}
	}
	// Outputs that are not pages are served.
	for path, want := range map[string]string{"/app.css": "top: 1px", "/img/a.svg": "<svg/>", "/css/site.css": "not-built"} {
		if _, body := ask(t, "GET", address+path); !strings.Contains(body, want) {
			t.Errorf("%s: %s", path, body)
		}
	}
	// Redirects and cookies lead here, and forms are accepted.
	res, _ := ask(t, "POST", address+"/login", "Origin", address)
	if res.StatusCode != http.StatusSeeOther || res.Header.Get("Location") != "/account?x=1#top" ||
		strings.Join(res.Header.Values("Set-Cookie"), " | ") != "ferry=petrel; Path=/; HttpOnly | plain=1" {
		t.Errorf("login: %d %v", res.StatusCode, res.Header)
	}
	_, account := ask(t, "GET", address+"/account", "Cookie", "ferry=petrel")
	if !strings.Contains(account, "Account of petrel") {
		t.Errorf("account: %s", account)
	}
	host := strings.TrimPrefix(address, "http://")
	post, err := http.Post(address+"/echo", "text/plain", strings.NewReader("body"))
	if err != nil {
		t.Fatal(err)
	}
	body, _ := io.ReadAll(post.Body)
	post.Body.Close()
	if want := "POST " + strings.TrimPrefix(target, "http://") + " " + host + " body"; string(body) != want {
		t.Errorf("echo: %q, want %q", body, want)
	}
	// Scripts that fetch a part of a page get it unchanged.
	if _, body := ask(t, "GET", address+"/part", "Sec-Fetch-Dest", "empty", "Accept", "text/html"); body != "<li>part" {
		t.Errorf("part: %s", body)
	}
	_, page := ask(t, "GET", address+"/nonce", "Accept", "text/html")
	if !strings.Contains(page, ` nonce="Kai+1=" async>`) {
		t.Errorf("nonce: %s", page)
	}
	// What this server refuses never reaches the other.
	n := len(requests())
	for _, headers := range [][]string{{"Host", "evil.test"}, {"Origin", "http://evil.test"}, {"Sec-Fetch-Site", "cross-site"}} {
		if res, _ := ask(t, "GET", address+"/secret", headers...); res.StatusCode != http.StatusForbidden {
			t.Errorf("%v: %d", headers, res.StatusCode)
		}
	}
	if now := requests()[n:]; len(now) > 0 {
		t.Errorf("requests that reached the application server: %q", now)
	}
}

// TestStreams checks that pages, events and web sockets pass piece by piece.
func TestStreams(t *testing.T) {
	target, _ := applicationServer(t)
	s, address := inFront(t, target, noBuild)
	s.Publish(NewSnapshot(nil, "/", nil, false))
	r, _ := http.NewRequest("GET", address+"/slow", nil)
	r.Header.Set("Accept", "text/html")
	res, err := http.DefaultClient.Do(r)
	if err != nil {
		t.Fatal(err)
	}
	defer res.Body.Close()
	text := ""
	for part := make([]byte, 100); !strings.Contains(text, "<p>one"); {
		n, err := res.Body.Read(part)
		if text += string(part[:n]); err != nil {
			t.Fatal(text, err)
		}
	}
	if strings.Count(text, "client.js") != 1 ||
		!strings.HasPrefix(text, "<!doctype html><html><head><script src=") || strings.Contains(text, "two") {
		t.Errorf("the first parts: %s", text)
	}
	events, err := http.Get(address + "/events")
	if err != nil {
		t.Fatal(err)
	}
	defer events.Body.Close()
	if line, err := bufio.NewReader(events.Body).ReadString('\n'); line != "data: tide\n" {
		t.Errorf("%q, %v", line, err)
	}
	conn, err := net.Dial("tcp", strings.TrimPrefix(address, "http://"))
	if err != nil {
		t.Fatal(err)
	}
	defer conn.Close()
	fmt.Fprintf(conn, "GET /socket HTTP/1.1\r\nHost: %s\r\nOrigin: %s\r\nUpgrade: websocket\r\nConnection: Upgrade\r\n"+
		"Sec-WebSocket-Key: dGhlIHNhbXBsZSBub25jZQ==\r\nSec-WebSocket-Version: 13\r\n\r\n", conn.RemoteAddr(), address)
	in := bufio.NewReader(conn)
	upgrade, err := http.ReadResponse(in, nil)
	if err != nil || upgrade.StatusCode != http.StatusSwitchingProtocols ||
		upgrade.Header.Get("Sec-WebSocket-Accept") != "s3pPLMBiTxaQ9kYGzzhZRbK+xOo=" {
		t.Fatalf("%v %v", upgrade, err)
	}
	conn.Write([]byte{0x81, 0x84, 1, 2, 3, 4, 't' ^ 1, 'i' ^ 2, 'd' ^ 3, 'e' ^ 4})
	answer := make([]byte, 6)
	if _, err := io.ReadFull(in, answer); err != nil || string(answer[2:]) != "tide" {
		t.Errorf("%q, %v", answer, err)
	}
}

// TestLinkedSheets checks that a request for a sheet that can be built waits for
// it, and that open pages of the application server are updated.
func TestLinkedSheets(t *testing.T) {
	b := browsertest.Start(t)
	target, _ := applicationServer(t)
	version := func(n int) []string { return []string{"site.css", fmt.Sprintf("#boat { color: rgb(%d, 0, 0) }", n)} }
	publish := func(s *Server, linked []string, files ...string) {
		n := NewSnapshot(s.current.Load(), "/css/", outputsOf(files...), false)
		n.Linked = linked
		s.Publish(n)
	}
	s, address := inFront(t, target, func(s *Server, name string) bool {
		if name != "site.css" {
			return false
		}
		time.AfterFunc(50*time.Millisecond, func() { publish(s, []string{"site.css"}, version(1)...) })
		return true
	})
	publish(s, nil)
	page := b.Open(address + "/quay?x=1")
	until(t, page, `getComputedStyle(boat).color === "rgb(1, 0, 0)"`)
	connected(t, s, 1)
	page.Eval(`window.mark = 1`, new(int))
	for n := range 3 {
		publish(s, []string{"site.css"}, version(n+2)...)
		until(t, page, fmt.Sprintf(`getComputedStyle(boat).color === "rgb(%d, 0, 0)" && mark === 1`, n+2))
	}
	// Errors are shown over its pages.
	s.Publish(Failed(s.current.Load(), "/css/", problemOf("site.css", "x", 0, 1, "an error")))
	until(t, page, inPanel(`panel.querySelector("h2").textContent.includes("an error")`))
	publish(s, []string{"site.css"}, version(5)...)
	until(t, page, `document.documentElement.children.length === 2 && mark === 1`)
	// A change of its templates loads the page again.
	s.Publish(NewSnapshot(s.current.Load(), "/css/", outputsOf(version(5)...), true))
	until(t, page, `window.mark === undefined && getComputedStyle(boat).color === "rgb(5, 0, 0)"`)
	// A sheet that cannot be built is an error, not the unbuilt sheet.
	failed := Failed(nil, "/css/", problemOf("site.css", "x", 0, 1, "an error"))
	failed.Linked = []string{"site.css"}
	s.Publish(failed)
	if res, body := ask(t, "GET", address+"/css/site.css"); res.StatusCode != 500 || !strings.Contains(body, "an error") {
		t.Errorf("%d %s", res.StatusCode, body)
	}
}

// TestUnreachable checks the answers while an application server does not run.
func TestUnreachable(t *testing.T) {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	target := "http://" + l.Addr().String()
	l.Close()
	s, address := inFront(t, target, noBuild)
	s.Publish(NewSnapshot(nil, "/", nil, false))
	res, body := ask(t, "GET", address+"/", "Accept", "text/html")
	if res.StatusCode != http.StatusBadGateway || !strings.Contains(body, `<meta http-equiv="refresh" content="2">`) ||
		!strings.Contains(body, "The server "+target+" does not respond") {
		t.Errorf("%d %s", res.StatusCode, body)
	}
	if res, body := ask(t, "POST", address+"/"); res.StatusCode != http.StatusBadGateway || strings.Contains(body, "<") {
		t.Errorf("%d %s", res.StatusCode, body)
	}
	// A server in front of itself must not call itself forever.
	loop, loopAddress := inFront(t, "http://127.0.0.1:1", noBuild)
	loop.opts.Application.URL, _ = url.Parse(loopAddress)
	if res, body := ask(t, "GET", loopAddress+"/"); res.StatusCode != http.StatusLoopDetected {
		t.Errorf("%d %s", res.StatusCode, body)
	}
}

// TestProxy checks which requests routes match, and where they lead.
func TestProxy(t *testing.T) {
	target, requests := applicationServer(t)
	s, address := started(t, "/", harbour...)
	route := func(path, to string) Route {
		u, err := url.Parse(to)
		if err != nil {
			t.Fatal(err)
		}
		return Route{path, u}
	}
	n := NewSnapshot(nil, "/", outputsOf(harbour...), false)
	n.Proxy = []Route{route("/api", target), route("/api/v2/", target+"/inner/"), route("/login", target)}
	s.Publish(n)
	for _, test := range []struct{ method, path, want string }{
		{"GET", "/api", "GET /api"}, {"POST", "/api/tides?x=1", "POST /api/tides?x=1"}, {"GET", "/api/v2/x", "GET /inner/api/v2/x"},
		{"DELETE", "/api/x", "DELETE /api/x"}, {"GET", "/apis", ""}, {"GET", "/tickets", ""}, {"GET", "/x/api", ""},
	} {
		before := len(requests())
		res, body := ask(t, test.method, address+test.path, "Accept", "text/html")
		got := strings.Join(requests()[before:], " ")
		if got != test.want || strings.Contains(body, "client.js") && test.want != "" {
			t.Errorf("%s %s reached %q, want %q (%d %s)", test.method, test.path, got, test.want, res.StatusCode, body)
		}
	}
	if res, _ := ask(t, "GET", address+"/login"); res.Header.Get("Location") != "/account?x=1#top" {
		t.Errorf("redirect to %q", res.Header.Get("Location"))
	}
}

// TestInjectorReads checks that the client script is added at the same place
// however a page is cut into pieces.
func TestInjectorReads(t *testing.T) {
	for _, page := range []string{"<!doctype html><!-- <head> --><html lang=en><head data-a='>'><title>x</title>", "<p>x", "", "text",
		"\ufeff \n<!DOCTYPE html>\n<p>", strings.Repeat(" ", maxHead+10) + "<p>", "<he", "<head", "<!-- open", "<html><!doc"} {
		want := string(inject([]byte(page), "s", ""))
		for size := 1; size < 40; size++ {
			i := &injector{src: iotestReader{strings.NewReader(page), size}, close: func() error { return nil },
				tag: clientTag("s", "", "")}
			got, err := io.ReadAll(i)
			if err != nil || (string(got) != want && len(page) <= maxHead) || strings.Count(string(got), "client.js") != 1 {
				t.Fatalf("%q in pieces of %d: %v\n%.300q, want\n%.300q", page, size, err, got, want)
			}
		}
	}
}

// iotestReader reads at most a number of bytes at a time.
type iotestReader struct {
	src  io.Reader
	size int
}

func (r iotestReader) Read(p []byte) (int, error) { return r.src.Read(p[:min(len(p), r.size)]) }

// TestNonce checks which nonces are read from content security policies.
func TestNonce(t *testing.T) {
	for policy, want := range map[string]string{
		"script-src 'nonce-abc=' 'self'": "abc=", "style-src 'nonce-a'; script-src-elem 'nonce-b'": "b", "default-src 'nonce-c'": "c",
		"style-src 'nonce-a'": "", "script-src 'self'": "", "": "", "script-src 'nonce-\"><x'": "",
	} {
		if got := nonceOf([]string{policy}); got != want {
			t.Errorf("%q: %q, want %q", policy, got, want)
		}
	}
}
