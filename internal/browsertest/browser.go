// Package browsertest drives a headless Chromium from tests. Only tests import it. [Start] starts a
// browser, [Browser.Open] loads a page, and [Page.Look] compares pages in several states.
package browsertest

import (
	"bufio"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"
	"os/exec"
	"regexp"
	"strings"
	"sync"
	"testing"
	"time"
)

// Required is the environment variable that makes a missing browser a failure instead of a reason
// to skip.
const Required = "RINZEL_BROWSER_REQUIRED"

// patience is the time limit for one answer of the browser. On a busy machine it takes more than a
// minute to describe a page of 20,000 elements.
const patience = 3 * time.Minute

// Browser is a running browser. It is controlled by the DevTools protocol over a pipe.
type Browser struct {
	t     testing.TB
	in    *os.File
	front string // address of the browser's inspector

	mu      sync.Mutex
	lastID  int
	waiting map[int]chan answer
	pages   map[string]*Page // by session
}

// answer is the result of a command.
type answer struct {
	result json.RawMessage
	err    error
}

// message is a command, an answer or an event.
type message struct {
	ID        int             `json:"id,omitempty"`
	Method    string          `json:"method,omitempty"`
	SessionID string          `json:"sessionId,omitempty"`
	Params    json.RawMessage `json:"params,omitempty"`
	Result    json.RawMessage `json:"result,omitempty"`
	Error     *struct {
		Message string `json:"message"`
	} `json:"error,omitempty"`
}

// Start starts a browser for a test and stops it at the end of the test. Without an installed
// browser the test is skipped, or fails if [Required] is set.
func Start(t testing.TB) *Browser {
	t.Helper()
	path := find()
	if path == "" {
		if os.Getenv(Required) != "" {
			t.Fatal("no chromium is installed, and " + Required + " is set")
		}
		t.Skip("no chromium is installed; install Debian's package chromium to run this test")
	}
	b := &Browser{t: t, waiting: make(map[int]chan answer), pages: make(map[string]*Page)}
	toBrowser, in := pipe(t)
	out, fromBrowser := pipe(t)
	b.in = in
	cmd := exec.Command(path, "--headless", "--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run",
		"--disable-background-networking", "--disable-component-update", "--disable-sync", "--hide-scrollbars",
		"--force-color-profile=srgb", "--remote-debugging-pipe", "--remote-debugging-port=0",
		"--remote-allow-origins=*", "--disable-background-timer-throttling", "--disable-renderer-backgrounding",
		"--disable-backgrounding-occluded-windows", "--host-resolver-rules=MAP * ~NOTFOUND, EXCLUDE 127.0.0.1",
		"--user-data-dir="+profileFolder(t), "about:blank")
	cmd.ExtraFiles = []*os.File{toBrowser, fromBrowser}
	stderr, err := cmd.StderrPipe()
	if err != nil {
		t.Fatal(err)
	}
	if err := cmd.Start(); err != nil {
		t.Fatal(err)
	}
	toBrowser.Close()
	fromBrowser.Close()
	front := make(chan string, 1)
	go listen(stderr, front)
	done := make(chan struct{})
	go func() { defer close(done); b.read(out) }()
	t.Cleanup(func() {
		_, _ = b.call("", "Browser.close", nil)
		in.Close()
		waited := make(chan struct{})
		go func() { _ = cmd.Wait(); close(waited) }()
		select {
		case <-waited:
		case <-time.After(10 * time.Second):
			_ = cmd.Process.Kill()
			<-waited
		}
		<-done
		out.Close()
	})
	select {
	case b.front = <-front:
	case <-time.After(patience):
		t.Fatal("the browser did not print the address of its inspector")
	}
	return b
}

// profileFolder returns a new folder for the data of a browser. It is removed at the
// end of the test, as far as that is possible: processes of the browser may write a
// little longer than the first one runs.
func profileFolder(t testing.TB) string {
	dir, err := os.MkdirTemp("", "browser")
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() {
		const tries, pause = 50, 100 * time.Millisecond
		for range tries {
			if os.RemoveAll(dir) == nil {
				return
			}
			time.Sleep(pause)
		}
	})
	return dir
}

// find returns the path of the browser.
func find() string {
	for _, name := range []string{"chromium", "chromium-browser"} {
		if path, err := exec.LookPath(name); err == nil {
			return path
		}
	}
	return ""
}

// pipe returns the two ends of a pipe.
func pipe(t testing.TB) (r, w *os.File) {
	r, w, err := os.Pipe()
	if err != nil {
		t.Fatal(err)
	}
	return r, w
}

// listening matches the address of the inspector.
var listening = regexp.MustCompile(`DevTools listening on ws://([^/]+)/`)

// listen reads the browser's log for the address of its inspector.
func listen(stderr io.Reader, front chan<- string) {
	lines := bufio.NewScanner(stderr)
	for lines.Scan() {
		if m := listening.FindStringSubmatch(lines.Text()); m != nil {
			select {
			case front <- "http://" + m[1]:
			default:
			}
		}
	}
}

// Inspector returns the address of the browser's inspector, whose modules pages of the same origin
// can import.
func (b *Browser) Inspector() string { return b.front }

// read dispatches answers to callers, and events to pages.
func (b *Browser) read(out io.Reader) {
	r := bufio.NewReaderSize(out, 1<<20)
	for {
		raw, err := r.ReadBytes(0)
		if err != nil {
			b.mu.Lock()
			for _, wait := range b.waiting {
				wait <- answer{err: errors.New("the browser has ended")}
			}
			b.waiting = nil
			b.mu.Unlock()
			return
		}
		var m message
		if json.Unmarshal(raw[:len(raw)-1], &m) != nil {
			continue
		}
		b.mu.Lock()
		if wait := b.waiting[m.ID]; m.ID != 0 && wait != nil {
			delete(b.waiting, m.ID)
			a := answer{result: m.Result}
			if m.Error != nil {
				a.err = errors.New(m.Error.Message)
			}
			wait <- a
		} else if p := b.pages[m.SessionID]; p != nil {
			p.event(m)
		}
		b.mu.Unlock()
	}
}

// call sends a command and waits for its answer.
func (b *Browser) call(session, method string, params any) (json.RawMessage, error) {
	raw, err := json.Marshal(params)
	if err != nil {
		return nil, err
	}
	wait := make(chan answer, 1)
	b.mu.Lock()
	if b.waiting == nil {
		b.mu.Unlock()
		return nil, errors.New("the browser has ended")
	}
	b.lastID++
	m := message{ID: b.lastID, Method: method, SessionID: session}
	if params != nil {
		m.Params = raw
	}
	b.waiting[m.ID] = wait
	text, _ := json.Marshal(m)
	_, err = b.in.Write(append(text, 0))
	b.mu.Unlock()
	if err != nil {
		return nil, err
	}
	select {
	case a := <-wait:
		return a.result, a.err
	case <-time.After(patience):
		return nil, fmt.Errorf("%s: no answer in %v", method, patience)
	}
}

// Page is a tab of the browser.
type Page struct {
	b        *Browser
	session  string
	prepared bool // see [Page.Look]
	requests map[string]string

	// guarded by b.mu
	loaded   chan struct{}
	spent    chan struct{} // closed when the time of [Page.spend] has passed
	problems []string
	sheets   []json.RawMessage
}

// Open opens a new tab of 1280 by 800 pixels and loads a URL.
func (b *Browser) Open(url string) *Page {
	b.t.Helper()
	p := &Page{b: b, requests: make(map[string]string)}
	var target struct{ TargetID string }
	p.must("Target.createTarget", map[string]any{"url": "about:blank", "newWindow": true}, &target)
	var attached struct{ SessionID string }
	p.must("Target.attachToTarget", map[string]any{"targetId": target.TargetID, "flatten": true}, &attached)
	p.session = attached.SessionID
	b.mu.Lock()
	b.pages[p.session] = p
	b.mu.Unlock()
	for _, domain := range []string{"Page", "Runtime", "Network", "Log", "DOM", "CSS"} {
		p.must(domain+".enable", nil, nil)
	}
	p.must("Emulation.setDeviceMetricsOverride",
		map[string]any{"width": 1280, "height": 800, "deviceScaleFactor": 1, "mobile": false}, nil)
	p.Load(url)
	return p
}

// Load loads a URL in the tab and waits until the page is complete.
func (p *Page) Load(url string) {
	p.b.t.Helper()
	select {
	case <-p.navigate(url, func() {}):
	case <-time.After(patience):
		p.b.t.Fatalf("%s did not load in %v", url, patience)
	}
}

// navigate loads a URL after calling before, and returns a channel that is closed when the page is
// complete.
func (p *Page) navigate(url string, before func()) <-chan struct{} {
	p.b.t.Helper()
	loaded := make(chan struct{})
	p.b.mu.Lock()
	p.loaded, p.problems, p.sheets, p.requests = loaded, nil, nil, make(map[string]string)
	p.b.mu.Unlock()
	before()
	p.must("Page.navigate", map[string]any{"url": url}, nil)
	return loaded
}

// event records an event of the tab. b.mu must be held.
func (p *Page) event(m message) {
	switch m.Method {
	case "Page.loadEventFired":
		if p.loaded != nil {
			close(p.loaded)
			p.loaded = nil
		}
	case "Emulation.virtualTimeBudgetExpired":
		if p.spent != nil {
			close(p.spent)
			p.spent = nil
		}
	case "Runtime.exceptionThrown":
		var e struct {
			ExceptionDetails struct {
				Text      string
				Exception struct{ Description string }
			}
		}
		_ = json.Unmarshal(m.Params, &e)
		first, _, _ := strings.Cut(e.ExceptionDetails.Exception.Description, "\n")
		p.problems = append(p.problems, e.ExceptionDetails.Text+" "+first)
	case "Network.requestWillBeSent":
		var r struct {
			RequestID string
			Request   struct{ URL string }
		}
		_ = json.Unmarshal(m.Params, &r)
		p.requests[r.RequestID] = r.Request.URL
	case "Network.loadingFailed":
		var f struct {
			RequestID, Type, ErrorText string
			Canceled                   bool
		}
		_ = json.Unmarshal(m.Params, &f)
		// such as a missing icon; and there is no network
		if f.Type != "Other" && !f.Canceled && f.ErrorText != "net::ERR_NAME_NOT_RESOLVED" {
			p.problems = append(p.problems, f.ErrorText+" for "+p.requests[f.RequestID])
		}
	case "Network.responseReceived":
		var r struct {
			Response struct {
				Status int
				URL    string
			}
		}
		_ = json.Unmarshal(m.Params, &r)
		if r.Response.Status >= 400 && !strings.HasSuffix(r.Response.URL, "/favicon.ico") {
			p.problems = append(p.problems, fmt.Sprintf("%d for %s", r.Response.Status, r.Response.URL))
		}
	case "CSS.styleSheetAdded":
		p.sheets = append(p.sheets, m.Params)
	}
}

// Problems returns the failed requests and scripts since the page was loaded.
func (p *Page) Problems() []string {
	p.b.mu.Lock()
	defer p.b.mu.Unlock()
	return append([]string(nil), p.problems...)
}

// Sheets returns the headers of the page's style sheets, as defined by the DevTools protocol.
func (p *Page) Sheets() []SheetHeader {
	p.b.mu.Lock()
	defer p.b.mu.Unlock()
	var out []SheetHeader
	for _, raw := range p.sheets {
		var event struct{ Header SheetHeader }
		if json.Unmarshal(raw, &event) == nil {
			out = append(out, event.Header)
		}
	}
	return out
}

// SheetHeader describes a style sheet.
type SheetHeader struct {
	StyleSheetID string `json:"styleSheetId"`
	SourceURL    string `json:"sourceURL"`
	SourceMapURL string `json:"sourceMapURL"`
	Origin       string `json:"origin"`
}

// Eval evaluates an expression in the page, awaits it if it is a promise, and decodes the result
// into out, a pointer.
func (p *Page) Eval(expression string, out any) {
	p.b.t.Helper()
	if err := p.TryEval(expression, out); err != nil {
		p.b.t.Fatal(err)
	}
}

// TryEval is like Eval, but returns an error: the page may be navigating.
func (p *Page) TryEval(expression string, out any) error {
	var r struct {
		Result           struct{ Value json.RawMessage }
		ExceptionDetails *struct {
			Text      string
			Exception struct{ Description string }
		}
	}
	raw, err := p.b.call(p.session, "Runtime.evaluate", map[string]any{
		"expression": expression, "awaitPromise": true, "returnByValue": true,
	})
	if err == nil {
		err = json.Unmarshal(raw, &r)
	}
	if err != nil {
		return fmt.Errorf("Runtime.evaluate: %w", err)
	}
	if e := r.ExceptionDetails; e != nil {
		return fmt.Errorf("%s %s", e.Text, e.Exception.Description)
	}
	if out != nil {
		if err := json.Unmarshal(r.Result.Value, out); err != nil {
			return fmt.Errorf("value of the expression: %w", err)
		}
	}
	return nil
}

// must sends a command and decodes its answer into out, if that is not nil.
func (p *Page) must(method string, params, out any) {
	p.b.t.Helper()
	raw, err := p.b.call(p.session, method, params)
	if err == nil && out != nil {
		err = json.Unmarshal(raw, out)
	}
	if err != nil {
		p.b.t.Fatalf("%s: %v", method, err)
	}
}

// Call sends a command of the DevTools protocol for this tab and decodes its answer into out, if
// that is not nil.
func (p *Page) Call(method string, params, out any) {
	p.b.t.Helper()
	p.must(method, params, out)
}

// Close closes the tab.
func (p *Page) Close() {
	_, _ = p.b.call(p.session, "Page.close", nil)
	p.b.mu.Lock()
	delete(p.b.pages, p.session)
	p.b.mu.Unlock()
}
