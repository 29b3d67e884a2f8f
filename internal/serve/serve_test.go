package serve

import (
	"bufio"
	"bytes"
	"compress/gzip"
	"context"
	"encoding/binary"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"net/http/httptest"
	"net/url"
	"strings"
	"sync"
	"testing"
	"time"
	"unicode/utf16"

	"rinzel/internal/diag"
	"rinzel/internal/emit"
	"rinzel/internal/source"
)

// outputsOf returns outputs, given as paths and contents in turn.
func outputsOf(files ...string) []emit.Output {
	var out []emit.Output
	for i := 0; i < len(files); i += 2 {
		kind := emit.AssetKind
		switch {
		case strings.HasSuffix(files[i], ".html"):
			kind = emit.PageKind
		case strings.HasSuffix(files[i], ".css"):
			kind = emit.StyleKind
		}
		out = append(out, emit.Output{Path: files[i], Kind: kind, Data: []byte(files[i+1])})
	}
	return out
}

// harbour is a small site.
var harbour = []string{
	"index.html", "<!doctype html><title>Quay</title><p>Boats</p>", "tickets.html", "<p>Tickets</p>",
	"isles/index.html", "<p>Isles</p>", "isles/gannet.html", "<p>Gannet</p>",
	"css/site.css", "p { color: teal }\n", "css/long.css", strings.Repeat("p { color: teal }\n", 100),
	"img/boat.svg", "<svg/>", "fonts/a.woff2", "font", "data/tide.json", "{}", "old.css", "a { content: \"\xe9\" }",
	"app.js", "const quay = \"Kai\";\n", "note", "x", "UPPER.HTML", "<p>x</p>", "a b/é.html", "<p>é</p>",
}

// started returns a server with a snapshot, and its address.
func started(t *testing.T, base string, files ...string) (*Server, string) {
	t.Helper()
	s := New(Options{Hosts: []string{"quay.test"}})
	s.Publish(NewSnapshot(nil, base, outputsOf(files...), false))
	server := httptest.NewServer(s)
	t.Cleanup(func() {
		s.Close()
		server.Close()
	})
	return s, server.URL
}

// problemOf returns a problem with one error in a sheet, from one offset to
// another.
func problemOf(name, text string, from, to int, message string) *Problem {
	set := new(source.Set)
	f := set.Add(source.Path{Name: name}, name, text)
	span := source.SpanOf(f.Pos(from), to-from)
	return NewProblem(set, []diag.Diagnostic{{Code: "bad-value", Severity: diag.Error, Span: span, Message: message}}, "")
}

// ask sends a request without following redirects.
func ask(t *testing.T, method, address string, headers ...string) (*http.Response, string) {
	t.Helper()
	r, err := http.NewRequest(method, address, nil)
	if err != nil {
		t.Fatal(err)
	}
	r.Header.Set("Accept-Encoding", "identity")
	for i := 0; i < len(headers); i += 2 {
		r.Header.Set(headers[i], headers[i+1])
		if headers[i] == "Host" {
			r.Host = headers[i+1]
		}
	}
	client := http.Client{CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse }}
	res, err := client.Do(r)
	if err != nil {
		t.Fatal(err)
	}
	defer res.Body.Close()
	body, err := io.ReadAll(res.Body)
	if err != nil {
		t.Fatal(err)
	}
	return res, string(body)
}

// TestFiles checks which file is served at each URL, and its media type.
func TestFiles(t *testing.T) {
	_, address := started(t, "/", harbour...)
	_, below := started(t, "/quay/", harbour...)
	for _, test := range []struct {
		path, typ, body string // the body contains this; in a redirect, the location
		status          int
	}{
		{"/", "text/html; charset=utf-8", "<p>Boats</p>", 200},
		{"/index.html", "text/html; charset=utf-8", "<p>Boats</p>", 200},
		{"/tickets", "text/html; charset=utf-8", "<p>Tickets</p>", 200},
		{"/tickets.html?a=b", "text/html; charset=utf-8", "<p>Tickets</p>", 200},
		{"/isles", "", "/isles/", 307},
		{"/isles?a=b", "", "/isles/?a=b", 307},
		{"/isles/", "text/html; charset=utf-8", "<p>Isles</p>", 200},
		{"/isles/gannet", "text/html; charset=utf-8", "<p>Gannet</p>", 200},
		{"/css/site.css", "text/css; charset=utf-8", "p { color: teal }", 200},
		{"/old.css", "text/css", "content", 200}, // not UTF-8
		{"/img/boat.svg", "image/svg+xml; charset=utf-8", "<svg/>", 200},
		{"/fonts/a.woff2", "font/woff2", "font", 200},
		{"/data/tide.json", "application/json", "{}", 200},
		{"/app.js", "text/javascript; charset=utf-8", "Kai", 200},
		{"/note", "application/octet-stream", "x", 200},
		{"/a%20b/%C3%A9.html", "text/html; charset=utf-8", "<p>é</p>", 200},
		{"/a%20b/%C3%A9", "text/html; charset=utf-8", "<p>é</p>", 200},
		{"/css/", "text/plain; charset=utf-8", "no such file: /css/", 404},
		{"/tickets/", "text/plain; charset=utf-8", "no such file", 404},
		{"//tickets", "text/plain; charset=utf-8", "no such file", 404},
	} {
		res, body := ask(t, "GET", address+test.path)
		if test.status == 307 {
			body = res.Header.Get("Location")
		}
		if res.StatusCode != test.status || !strings.Contains(body, test.body) ||
			test.typ != "" && res.Header.Get("Content-Type") != test.typ {
			t.Errorf("%s: %d %s %q, want %d %s %q", test.path, res.StatusCode, res.Header.Get("Content-Type"), body,
				test.status, test.typ, test.body)
		}
	}
	for path, want := range map[string]string{"/quay/tickets": "200 ", "/quay": "307 /quay/", "/": "307 /quay/",
		"/tickets": "404 ", "/quay/isles": "307 /quay/isles/"} {
		res, _ := ask(t, "GET", below+path)
		if got := fmt.Sprint(res.StatusCode, " ", res.Header.Get("Location")); got != want {
			t.Errorf("below /quay/: %s: %s, want %s", path, got, want)
		}
	}
}

// TestNothingElse checks that tricks with paths reach nothing but outputs.
func TestNothingElse(t *testing.T) {
	s, address := started(t, "/", harbour...)
	for _, path := range []string{
		"/../serve.go", "/..%2fserve.go", "/%2e%2e/serve.go", "/..\\serve.go", "/css/../../serve.go",
		"/css/%2e%2e/%2e%2e/etc/passwd", "/%00", "/css/site.css%00.html", "//etc/passwd", "/C:/", "/.rinzel/../serve.go",
		"/.rinzel/serve.go", "/css/./site.css"} {
		r := httptest.NewRequest("GET", "http://localhost/", nil)
		r.URL = &url.URL{Path: path}
		if p, err := url.PathUnescape(path); err == nil {
			r.URL.Path = p
		}
		w := httptest.NewRecorder()
		s.ServeHTTP(w, r)
		if w.Code != 404 {
			t.Errorf("%s: %d %s", path, w.Code, w.Body)
		}
	}
	if res, _ := ask(t, "GET", address+"/%2e%2e/serve.go"); res.StatusCode != 404 { // over a connection as well
		t.Errorf("status %d", res.StatusCode)
	}
}

// TestAccess checks which hosts and origins are refused.
func TestAccess(t *testing.T) {
	_, address := started(t, "/", harbour...)
	own := strings.TrimPrefix(address, "http://")
	port := own[strings.LastIndexByte(own, ':'):]
	for _, test := range []struct {
		headers []string
		status  int
	}{
		{nil, 200},
		{[]string{"Host", "localhost" + port}, 200},
		{[]string{"Host", "LocalHost"}, 200},
		{[]string{"Host", "isle.localhost" + port}, 200},
		{[]string{"Host", "[::1]" + port}, 200},
		{[]string{"Host", "quay.test" + port}, 200},
		{[]string{"Host", "192.168.1.4" + port}, 200}, // cannot be redirected by a DNS server
		{[]string{"Host", "evil.example" + port}, 403},
		{[]string{"Host", "localhost.evil.example"}, 403},
		{[]string{"Host", "127.0.0.1.evil.example"}, 403},
		{[]string{"Origin", address}, 200},
		{[]string{"Origin", "http://evil.example"}, 403},
		{[]string{"Origin", "null"}, 403},
		{[]string{"Origin", "http://127.0.0.1:1"}, 403},
		{[]string{"Sec-Fetch-Site", "cross-site", "Sec-Fetch-Mode", "no-cors"}, 403},
		{[]string{"Sec-Fetch-Site", "cross-site", "Sec-Fetch-Mode", "navigate"}, 200},
		{[]string{"Sec-Fetch-Site", "same-origin", "Sec-Fetch-Mode", "no-cors"}, 200},
	} {
		for _, path := range []string{"/css/site.css", "/.rinzel/since?sum=x", "/.rinzel/client.js"} {
			if res, body := ask(t, "GET", address+path, test.headers...); res.StatusCode != test.status {
				t.Errorf("%s %q: %d %s, want %d", path, test.headers, res.StatusCode, body, test.status)
			}
		}
	}
	for _, method := range []string{"POST", "PUT", "DELETE", "OPTIONS"} {
		if res, _ := ask(t, method, address+"/"); res.StatusCode != 405 || res.Header.Get("Allow") != "GET, HEAD" {
			t.Errorf("%s: %d", method, res.StatusCode)
		}
	}
}

// TestConditions checks HEAD, ranges, entity tags and compression.
func TestConditions(t *testing.T) {
	s, address := started(t, "/", harbour...)
	whole, body := ask(t, "GET", address+"/css/long.css")
	tag := whole.Header.Get("ETag")
	if whole.Header.Get("Cache-Control") != "no-store" || tag == "" {
		t.Errorf("headers: %v", whole.Header)
	}
	res, got := ask(t, "HEAD", address+"/css/long.css")
	if res.StatusCode != 200 || got != "" || res.ContentLength != 1800 {
		t.Errorf("HEAD: %d, %d bytes", res.StatusCode, res.ContentLength)
	}
	res, got = ask(t, "GET", address+"/css/long.css", "Range", "bytes=2-4")
	if res.StatusCode != 206 || got != body[2:5] {
		t.Errorf("range: %d %q", res.StatusCode, got)
	}
	if res, _ := ask(t, "GET", address+"/css/long.css", "If-None-Match", tag); res.StatusCode != 304 {
		t.Errorf("same tag: %d", res.StatusCode)
	}
	for accept, packs := range map[string]bool{
		"gzip, br": true, "br;q=1, GZIP;q=0.5": true, "gzip;q=0": false, "br": false, "": false,
	} {
		res, got := ask(t, "GET", address+"/css/long.css", "Accept-Encoding", accept)
		if packed := res.Header.Get("Content-Encoding") == "gzip"; packed != packs {
			t.Errorf("Accept-Encoding %q: compressed is %v", accept, packed)
		} else if packed {
			z, err := gzip.NewReader(strings.NewReader(got))
			if err != nil {
				t.Fatal(err)
			}
			if unpacked, err := io.ReadAll(z); err != nil || string(unpacked) != body || res.Header.Get("ETag") == tag {
				t.Errorf("Accept-Encoding %q: %v, %d bytes, tag %s", accept, err, len(unpacked), res.Header.Get("ETag"))
			}
		}
	}
	changed := append([]string{}, harbour...)
	changed[11] += "b { top: 0 }\n"
	s.Publish(NewSnapshot(s.current.Load(), "/", outputsOf(changed...), false))
	if res, _ := ask(t, "GET", address+"/css/long.css", "If-None-Match", tag); res.StatusCode != 200 {
		t.Errorf("after a change: %d", res.StatusCode)
	}
}

// TestMissingPage checks the page for missing files, and the fallback.
func TestMissingPage(t *testing.T) {
	s, address := started(t, "/", harbour...)
	res, body := ask(t, "GET", address+"/tikcets.html", "Accept", "text/html")
	near := "<h2>Similar names</h2>\n<ul><li><a href=\"/tickets.html\">"
	if res.StatusCode != 404 || !strings.Contains(body, near) ||
		!strings.Contains(body, `<a href="/isles/">`) || !strings.Contains(body, clientName) {
		t.Errorf("%d\n%s", res.StatusCode, body)
	}
	if _, body = ask(t, "GET", address+"/%3Cscript%3E", "Accept", "text/html"); strings.Contains(body, "<script>") {
		t.Errorf("the path is not escaped:\n%s", body)
	}
	n := NewSnapshot(nil, "/", outputsOf(harbour...), false)
	n.Fallback = "index.html"
	s.Publish(n)
	if res, body = ask(t, "GET", address+"/boats/7", "Accept", "text/html"); res.StatusCode != 200 ||
		!strings.Contains(body, "Boats") {
		t.Errorf("fallback: %d\n%s", res.StatusCode, body)
	}
	if res, _ = ask(t, "GET", address+"/boats/7.png", "Accept", "image/*"); res.StatusCode != 404 {
		t.Errorf("fallback for an image: %d", res.StatusCode)
	}
}

// TestProblem checks what is served while nothing could be built.
func TestProblem(t *testing.T) {
	s := New(Options{})
	server := httptest.NewServer(s)
	defer server.Close()
	if res, _ := ask(t, "GET", server.URL+"/"); res.StatusCode != 503 {
		t.Errorf("before the first build: %d", res.StatusCode)
	}
	failed := Failed(nil, "/", problemOf("a.css", "a {}\n", 0, 1, "<b>"))
	s.Publish(failed)
	res, body := ask(t, "GET", server.URL+"/", "Accept", "text/html")
	if res.StatusCode != 500 || !strings.Contains(body, "&lt;b&gt; <span") ||
		!strings.Contains(body, clientName) {
		t.Errorf("%d\n%s", res.StatusCode, body)
	}
	good := NewSnapshot(failed, "/", outputsOf(harbour...), false)
	s.Publish(good)
	s.Publish(Failed(good, "/", problemOf("a.css", "a {}\n", 0, 1, "again")))
	if res, body = ask(t, "GET", server.URL+"/"); res.StatusCode != 200 || !strings.Contains(body, "Boats") {
		t.Errorf("after a later error: %d\n%s", res.StatusCode, body)
	}
}

// TestInject checks where the client script is added to a page.
func TestInject(t *testing.T) {
	for page, want := range map[string]string{
		"<!doctype html><html><head><title>x": "<!doctype html><html><head>*<title>x",
		"<!DOCTYPE html>\n<!-- a -->\n<p>x":   "<!DOCTYPE html>\n<!-- a -->*\n<p>x",
		"\ufeff<!doctype html><p>":            "\ufeff<!doctype html>*<p>",
		"<p>x":                                "*<p>x",
		"":                                    "*",
		"text":                                "*text",
		"<html lang=en>\n<body><head>":        "<html lang=en>*\n<body><head>",
		"<!doctype html><html><head data-a='>'></head>": "<!doctype html><html><head data-a='>'>*</head>",
		"<?xml version=\"1.0\"?><!doctype html><html>":  "<?xml version=\"1.0\"?><!doctype html><html>*",
	} {
		script := `<script src="/.rinzel/client.js" data-sum="s" data-page="/x&#34;é.html" async></script>`
		script = strings.Replace(script, "é", "&#233;", 1)
		if got := strings.Replace(string(inject([]byte(page), "s", "/x\"é.html")), script, "*", 1); got != want {
			t.Errorf("%q: %q, want %q", page, got, want)
		}
	}
}

// TestInjectUTF16 checks pages in UTF-16, whose bytes must stay aligned.
func TestInjectUTF16(t *testing.T) {
	for _, order := range []binary.AppendByteOrder{binary.LittleEndian, binary.BigEndian} {
		encode := func(text string) (out []byte) {
			for _, unit := range utf16.Encode([]rune(text)) {
				out = order.AppendUint16(out, unit)
			}
			return out
		}
		const start, rest = "\ufeff<!doctype html><html lang=de><head>", "<title>Fähre ⛴🚢</title>"
		want := encode(start + `<script src="/.rinzel/client.js" data-sum="s" data-page="/&#233;.html" async></script>` + rest)
		if got := inject(encode(start+rest), "s", "/é.html"); !bytes.Equal(got, want) {
			t.Errorf("%v: %q", order, got)
		}
	}
}

// TestClientSize checks that the client stays small.
func TestClientSize(t *testing.T) {
	if len(client) > 6<<10 {
		t.Errorf("the client has %d bytes", len(client))
	}
}

// events reads the events of a stream.
func events(t *testing.T, ctx context.Context, address string, headers ...string) <-chan string {
	t.Helper()
	r, err := http.NewRequestWithContext(ctx, "GET", address, nil)
	if err != nil {
		t.Fatal(err)
	}
	for i := 0; i < len(headers); i += 2 {
		r.Header.Set(headers[i], headers[i+1])
	}
	res, err := http.DefaultClient.Do(r)
	if err != nil {
		t.Fatal(err)
	}
	out := make(chan string, 100)
	go func() {
		defer close(out)
		defer res.Body.Close()
		event := ""
		for lines := bufio.NewScanner(res.Body); lines.Scan(); {
			if kind, ok := strings.CutPrefix(lines.Text(), "event: "); ok {
				event = kind
			}
			if data, ok := strings.CutPrefix(lines.Text(), "data: "); ok {
				out <- event + " " + data
			}
		}
	}()
	return out
}

// TestEvents checks updates of connected browsers, and what one gets that
// connects later.
func TestEvents(t *testing.T) {
	ctx, cancel := context.WithTimeout(t.Context(), time.Minute)
	defer cancel()
	s, address := started(t, "/", "index.html", "<p>1", "a.css", "1", "b.css", "1")
	first := s.current.Load()
	stream := events(t, ctx, address+"/.rinzel/events?sum="+first.sum)
	publish := func(files ...string) *Snapshot {
		n := NewSnapshot(s.current.Load(), "/", outputsOf(files...), false)
		s.Publish(n)
		return n
	}
	second := publish("index.html", "<p>1", "a.css", "2", "b.css", "1")
	publish("index.html", "<p>1", "a.css", "2", "b.css", "1") // no change
	third := publish("index.html", "<p>2", "a.css", "2")
	want := []string{
		`problem {"id":"","pages":[]}`,
		fmt.Sprintf(`update {"sum":%q,"changed":["/a.css"],"removed":[]}`, second.sum),
		fmt.Sprintf(`update {"sum":%q,"changed":["/index.html"],"removed":["/b.css"]}`, third.sum),
	}
	for _, w := range want {
		if got := <-stream; got != w {
			t.Fatalf("got  %s\nwant %s", got, w)
		}
	}
	restored := events(t, ctx, address+"/.rinzel/events?sum="+first.sum, "Last-Event-ID", second.sum)
	if got := <-restored; got != want[2] {
		t.Errorf("after reconnecting: %s, want %s", got, want[2])
	}
	unknown := events(t, ctx, address+"/.rinzel/events?sum=x")
	if got := <-unknown; !strings.HasPrefix(got, "reload ") {
		t.Errorf("with an unknown snapshot: %s", got)
	}
	var m missed
	_, body := ask(t, "GET", address+"/.rinzel/since?sum="+first.sum)
	if err := json.Unmarshal([]byte(body), &m); err != nil || m.Reload || len(m.Updates) != 2 || m.Sum != third.sum {
		t.Errorf("since: %v %s", err, body)
	}
	// After an edit that is undone, a page may have files from in between.
	last := publish("index.html", "<p>1", "a.css", "1", "b.css", "1")
	if m = s.live.since(first.sum); m.Reload || len(m.Updates) != 3 {
		t.Errorf("after an undone edit: %+v", m)
	}
	// The same contents from a server that ran before.
	if m = s.live.since(last.hash + ".77"); m.Reload || len(m.Updates) != 0 {
		t.Errorf("after a restart: %+v", m)
	}
	s.Close()
	for range stream { // ends
	}
}

// TestManyStreams checks that the number of streams is limited, that one that
// is not read does not hinder others, and that Run ends at once.
func TestManyStreams(t *testing.T) {
	s := New(Options{})
	s.Publish(NewSnapshot(nil, "/", outputsOf(harbour...), false))
	l, err := Listen("127.0.0.1", 0)
	if err != nil {
		t.Fatal(err)
	}
	ctx, cancel := context.WithCancel(t.Context())
	done := make(chan error)
	go func() { done <- s.Run(ctx, l) }()
	address := "http://" + l.Addr().String()
	var group sync.WaitGroup
	var mu sync.Mutex
	refused := 0
	for range maxStreams + 20 {
		group.Add(1)
		go func() {
			defer group.Done()
			res, err := http.Get(address + "/.rinzel/events?sum=" + s.current.Load().sum)
			if err != nil {
				t.Error(err)
				return
			}
			mu.Lock()
			defer mu.Unlock()
			if res.StatusCode == 503 {
				refused++
			}
			t.Cleanup(func() { res.Body.Close() })
		}()
	}
	group.Wait()
	if refused != 20 || s.Clients() != maxStreams {
		t.Errorf("%d streams refused, %d open", refused, s.Clients())
	}
	begin := time.Now()
	for i := range 200 {
		s.Publish(NewSnapshot(s.current.Load(), "/", outputsOf("index.html", fmt.Sprint("<p>", i)), false))
	}
	if _, body := ask(t, "GET", address+"/"); !strings.Contains(body, "<p>199") {
		t.Errorf("got %s", body)
	}
	if took := time.Since(begin); took > 10*time.Second {
		t.Errorf("200 updates took %v", took)
	}
	begin = time.Now()
	cancel()
	if err := <-done; err != nil {
		t.Error(err)
	}
	if took := time.Since(begin); took > 2*time.Second {
		t.Errorf("ending took %v", took)
	}
}

// TestListen checks that the next free port is used, unless one is requested.
func TestListen(t *testing.T) {
	first, err := Listen("127.0.0.1", 0)
	if err != nil {
		t.Fatal(err)
	}
	defer first.Close()
	second, err := Listen("127.0.0.1", 0)
	if err != nil {
		t.Fatal(err)
	}
	defer second.Close()
	if first.Addr().String() == second.Addr().String() {
		t.Errorf("both listen on %v", first.Addr())
	}
	var port int
	fmt.Sscanf(first.Addr().String(), "127.0.0.1:%d", &port)
	if _, err := Listen("127.0.0.1", port); err == nil || err.Error() != fmt.Sprintf("port %d is in use", port) {
		t.Errorf("error: %v", err)
	}
}
