package serve_test

import (
	"context"
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"

	"rinzel/internal/emit"
	"rinzel/internal/serve"
)

// TestReport checks that the report is made once for each snapshot, and has the
// script that loads it again.
func TestReport(t *testing.T) {
	made := 0
	var failed error
	s := serve.New(serve.Options{Report: func(context.Context) ([]byte, error) {
		made++
		return fmt.Appendf(nil, "<!doctype html><body><p>report %d</body>", made), failed
	}})
	server := httptest.NewServer(s)
	defer server.Close()
	defer s.Close()
	get := func() (int, string) {
		t.Helper()
		res, err := http.Get(server.URL + serve.ReportAddress)
		if err != nil {
			t.Fatal(err)
		}
		defer res.Body.Close()
		body, err := io.ReadAll(res.Body)
		if err != nil {
			t.Fatal(err)
		}
		return res.StatusCode, string(body)
	}
	if code, _ := get(); code != http.StatusNotFound || made != 0 {
		t.Errorf("before a build: %d", code)
	}
	publish := func(css string) {
		s.Publish(serve.NewSnapshot(nil, "/", []emit.Output{{Path: "a.css", Kind: emit.StyleKind, Data: []byte(css)}}, false))
	}
	publish("a{}")
	for range 2 {
		code, body := get()
		if code != 200 || !strings.Contains(body, "report 1<script>") ||
			!strings.Contains(body, "new EventSource(\"events?sum=") {
			t.Errorf("%d %s", code, body)
		}
	}
	publish("b{}")
	if _, body := get(); !strings.Contains(body, "report 2") {
		t.Errorf("not made again: %s", body)
	}
	publish("c{}")
	failed = errors.New("the sources have <errors>")
	code, body := get()
	if code != http.StatusServiceUnavailable || !strings.Contains(body, "the sources have &lt;errors&gt;") ||
		!strings.Contains(body, "EventSource") {
		t.Errorf("%d %s", code, body)
	}
}
