package serve

import (
	"bufio"
	"bytes"
	"context"
	"errors"
	"fmt"
	"net"
	"net/http"
	"runtime"
	"strings"
	"syscall"
	"testing"
	"time"
)

// TestHostileClients opens 1,000 connections that send their request slowly, do
// not read the response, or hold event streams that they do not read. Others
// must be served as before, and memory must stay bounded.
func TestHostileClients(t *testing.T) {
	s := New(Options{})
	page := "<!doctype html><title>x</title>" + strings.Repeat("<p>Petrel, Gannet and Shearwater\n", 100_000)
	publish := func(i int) {
		files := outputsOf("index.html", page, "other.html", fmt.Sprint("<p>", i))
		s.Publish(NewSnapshot(s.current.Load(), "/", files, false))
	}
	publish(0)
	l, err := Listen("127.0.0.1", 0)
	if err != nil {
		t.Fatal(err)
	}
	ctx, cancel := context.WithCancel(t.Context())
	done := make(chan error)
	go func() { done <- s.Run(ctx, l) }()
	heap := func() uint64 {
		runtime.GC()
		var m runtime.MemStats
		runtime.ReadMemStats(&m)
		return m.HeapAlloc
	}
	before := heap()
	const host = "Host: 127.0.0.1\r\n"
	for i := range 1000 {
		conn, err := net.Dial("tcp", l.Addr().String())
		if errors.Is(err, syscall.EMFILE) {
			t.Skip("the system allows too few open files")
		}
		if err != nil {
			t.Fatal(err)
		}
		defer conn.Close()
		switch i % 3 {
		case 0:
			fmt.Fprint(conn, "GET / HTTP/1.1\r\n"+host+"X: ") // never ends
		case 1:
			fmt.Fprint(conn, "GET / HTTP/1.1\r\n"+host+"\r\n") // a page of 3 MB, not read
		case 2:
			fmt.Fprintf(conn, "GET /.rinzel/events?sum=%s HTTP/1.1\r\n%s\r\n", s.current.Load().sum, host)
		}
	}
	address := "http://" + l.Addr().String()
	for i := range 100 {
		begin := time.Now()
		publish(i + 1)
		if _, body := ask(t, "GET", address+"/other"); !strings.Contains(body, fmt.Sprint("<p>", i+1)) {
			t.Fatalf("got %s", body)
		}
		if took := time.Since(begin); took > 5*time.Second {
			t.Fatalf("a request took %v", took)
		}
	}
	if grown := int64(heap()) - int64(before); grown > 300<<20 {
		t.Errorf("the heap has grown by %d MB", grown>>20)
	} else {
		t.Logf("the heap has grown by %d MB with 1,000 connections", grown>>20)
	}
	begin := time.Now()
	cancel()
	if err := <-done; err != nil {
		t.Error(err)
	}
	if took := time.Since(begin); took > 2*time.Second {
		t.Errorf("ending took %v", took)
	}
}

// TestHostileRequests sends requests that no browser sends.
func TestHostileRequests(t *testing.T) {
	_, address := started(t, "/quay/", harbour...)
	host := strings.TrimPrefix(address, "http://")
	send := func(text string) *http.Response {
		conn, err := net.Dial("tcp", host)
		if err != nil {
			t.Fatal(err)
		}
		defer conn.Close()
		_ = conn.SetDeadline(time.Now().Add(10 * time.Second))
		fmt.Fprint(conn, text)
		res, err := http.ReadResponse(bufio.NewReader(conn), nil)
		if err != nil {
			return nil // refused without an answer
		}
		return res
	}
	for _, target := range []string{"/quay/../index.html", "/quay/..%2findex.html", "/quay/%2e%2e/%2e%2e/etc/passwd", "/quay/..\\..\\etc\\passwd",
		"/quay/%5c..%5cetc", "/quay/%00", "/quay/index.html%00.css", "/quay/css/%2e%2e/index.html", "//quay/", "/quay//css/site.css",
		"/.rinzel/../quay/", "/.rinzel/", "/.rinzel/events/x", "/quay/.rinzel/client.js", "http://evil.test/quay/", "*", "/quay/%zz",
		"/quay/./index.html", "/.RINZEL/client.js", "/quay/css", "/quay/isles/../../x"} {
		res := send("GET " + target + " HTTP/1.1\r\nHost: " + host + "\r\nConnection: close\r\n\r\n")
		if res != nil && res.StatusCode < 300 {
			t.Errorf("%s: %d", target, res.StatusCode)
		}
	}
	for _, head := range []string{"Host: evil.test", "Host: " + host + "\r\nHost: evil.test", "Host: 127.0.0.1.evil.test", "Host: localhost.evil.test",
		"Host: " + host + "\r\nOrigin: null", "Host: " + host + "\r\nOrigin: http://localhost.evil.test", "Host: ", "Host: [::1].evil.test",
		"Host: " + host + "\r\nX: " + strings.Repeat("x", 2<<20)} {
		res := send("GET /quay/ HTTP/1.1\r\n" + head + "\r\nConnection: close\r\n\r\n")
		if res != nil && res.StatusCode < 400 {
			t.Errorf("%.60q: %d", head, res.StatusCode)
		}
	}
}

// FuzzRequests sends arbitrary paths and hosts: only outputs and the resources of
// the server itself are served.
func FuzzRequests(f *testing.F) {
	for _, path := range []string{"/", "/tickets", "/../x", "/isles", "/%00", "/.rinzel/source?file=x", "//", "/a b/é"} {
		f.Add(path, "127.0.0.1:7300")
	}
	s := New(Options{})
	n := NewSnapshot(nil, "/", outputsOf(harbour...), false)
	s.Publish(n)
	f.Fuzz(func(t *testing.T, path, host string) {
		r, err := http.NewRequest("GET", "http://127.0.0.1/", nil)
		if err != nil || strings.HasPrefix(path, ownPrefix+eventsName) {
			return
		}
		r.URL.Path, r.Host = path, host
		w := &recorded{header: make(http.Header)}
		s.ServeHTTP(w, r)
		if w.status != 0 && w.status != http.StatusOK {
			return
		}
		if strings.HasPrefix(path, ownPrefix) {
			return
		}
		file, _ := n.find(path)
		if file == nil || !bytes.HasSuffix(w.body.Bytes(), file.Data[max(0, len(file.Data)-3):]) {
			t.Errorf("%q: %q", path, w.body.String())
		}
	})
}

// recorded is a response in memory.
type recorded struct {
	header http.Header
	status int
	body   bytes.Buffer
}

func (r *recorded) Header() http.Header         { return r.header }
func (r *recorded) WriteHeader(status int)      { r.status = status }
func (r *recorded) Write(p []byte) (int, error) { return r.body.Write(p) }
