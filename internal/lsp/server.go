package lsp

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"path/filepath"
	"slices"
	"sync"
	"time"

	"github.com/sourcegraph/jsonrpc2"

	"rinzel/internal/project"
	"rinzel/internal/session"
	"rinzel/internal/site"
	"rinzel/internal/source"
)

// pause is how long the server waits for the next edit before it looks for findings.
const pause = 60 * time.Millisecond

// Options configure the server.
type Options struct {
	Settings string // settings file; empty for the one in the folder that the editor has open
	Profile  string // whose targets findings are about; empty for development
	Version  string // of the program
}

// Serve answers an editor until it disconnects. The error is that of the stream.
func Serve(ctx context.Context, stream io.ReadWriteCloser, opts Options) error {
	ctx, cancel := context.WithCancel(ctx)
	defer cancel()
	s := &server{opts: opts, documents: make(map[string]*document), published: make(map[string]bool),
		dirty: make(chan struct{}, 1), exit: cancel}
	conn := jsonrpc2.NewConn(ctx, jsonrpc2.NewBufferedStream(stream, jsonrpc2.VSCodeObjectCodec{}),
		jsonrpc2.HandlerWithError(s.handle))
	s.conn = conn
	go s.work(ctx)
	select {
	case <-conn.DisconnectNotify():
	case <-ctx.Done():
	}
	_ = conn.Close()
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.session != nil {
		return s.session.Close()
	}
	return nil
}

// server is a running server. Requests are handled one after another.
type server struct {
	opts Options
	conn *jsonrpc2.Conn
	exit func()

	mu        sync.Mutex // held by a request, and while findings are looked for
	folder    string     // that the editor has open
	snippets  bool       // the editor knows texts with places for the cursor
	session   *session.Session
	documents map[string]*document // by URI
	shutdown  bool
	facts     facts

	published map[string]bool  // URIs with findings
	fixes     map[string][]fix // by URI

	dirty   chan struct{} // something has changed
	running struct {      // work between requests
		sync.Mutex
		stop func()
	}
}

// handle answers a request.
func (s *server) handle(ctx context.Context, _ *jsonrpc2.Conn, r *jsonrpc2.Request) (any, error) {
	s.interrupt(r.Method)
	s.mu.Lock()
	defer s.mu.Unlock()
	var params json.RawMessage
	if r.Params != nil {
		params = *r.Params
	}
	switch {
	case r.Method == "initialize":
		return s.initialize(params)
	case r.Method == "exit":
		s.exit()
		return nil, nil
	case s.session == nil || s.shutdown:
		const notInitialized = -32002
		return nil, &jsonrpc2.Error{Code: notInitialized, Message: "the server is not initialized, or was shut down"}
	}
	answer, known := methods[r.Method]
	if !known {
		if r.Notif { // optional ones begin with a dollar sign; others are ignored as well
			return nil, nil
		}
		return nil, &jsonrpc2.Error{Code: jsonrpc2.CodeMethodNotFound, Message: fmt.Sprintf("unknown method %q", r.Method)}
	}
	return answer(s, ctx, params)
}

// methods are the methods of the server.
var methods map[string]method

// method answers a request with parameters as JSON.
type method func(*server, context.Context, json.RawMessage) (any, error)

func init() { // a table of methods that refer to it
	methods = map[string]method{
		"initialized": func(s *server, _ context.Context, _ json.RawMessage) (any, error) {
			s.changed()
			return nil, nil
		},
		"shutdown": func(s *server, _ context.Context, _ json.RawMessage) (any, error) {
			s.shutdown = true
			return null, nil
		},
		"textDocument/didOpen":           with((*server).didOpen),
		"textDocument/didChange":         with((*server).didChange),
		"textDocument/didSave":           with((*server).didSave),
		"textDocument/didClose":          with((*server).didClose),
		"textDocument/formatting":        with((*server).formatting),
		"textDocument/completion":        with((*server).completion),
		"textDocument/hover":             with((*server).hover),
		"textDocument/definition":        with((*server).definition),
		"textDocument/references":        with((*server).references),
		"textDocument/rename":            with((*server).rename),
		"textDocument/prepareRename":     with((*server).prepareRename),
		"textDocument/documentColor":     with((*server).documentColors),
		"textDocument/colorPresentation": with((*server).colorPresentations),
		"workspace/symbol":               with((*server).workspaceSymbols),
		"textDocument/codeAction":        with((*server).codeActions),
		"textDocument/documentSymbol":    with((*server).documentSymbols),
		"textDocument/foldingRange":      with((*server).foldingRanges),
		"workspace/didChangeWatchedFiles": with(func(s *server, _ context.Context, p struct {
			Changes []struct {
				URI string `json:"uri"`
			} `json:"changes"`
		}) (any, error) {
			var names []string
			for _, c := range p.Changes {
				if name, ok := nameOf(c.URI); ok {
					names = append(names, name)
				}
			}
			return nil, s.apply(names)
		}),
	}
}

// with decodes the parameters of a method.
func with[P any](f func(*server, context.Context, P) (any, error)) method {
	return func(s *server, ctx context.Context, raw json.RawMessage) (any, error) {
		var p P
		if err := json.Unmarshal(raw, &p); err != nil {
			return nil, &jsonrpc2.Error{Code: jsonrpc2.CodeInvalidParams, Message: err.Error()}
		}
		return f(s, ctx, p)
	}
}

// initialize opens the project in the folder of the editor.
func (s *server) initialize(raw json.RawMessage) (any, error) {
	var p initializeParams
	if err := json.Unmarshal(raw, &p); err != nil {
		return nil, &jsonrpc2.Error{Code: jsonrpc2.CodeInvalidParams, Message: err.Error()}
	}
	if s.session != nil {
		return nil, &jsonrpc2.Error{Code: jsonrpc2.CodeInvalidRequest, Message: "the server is initialized already"}
	}
	root := p.RootURI
	if len(p.WorkspaceFolders) > 0 {
		root = p.WorkspaceFolders[0].URI
	}
	s.folder = "."
	if name, ok := nameOf(root); ok {
		s.folder = name
	}
	if err := s.open(); err != nil {
		return nil, &jsonrpc2.Error{Code: jsonrpc2.CodeInternalError, Message: err.Error()}
	}
	s.snippets = p.Capabilities.TextDocument.Completion.Item.SnippetSupport
	var rename any = true
	if p.Capabilities.TextDocument.Rename.PrepareSupport {
		rename = map[string]any{"prepareProvider": true}
	}
	const incremental = 2
	return map[string]any{
		"serverInfo": map[string]string{"name": "rinzel", "version": s.opts.Version},
		"capabilities": map[string]any{
			"textDocumentSync": map[string]any{"openClose": true, "change": incremental, "save": map[string]any{}},
			"completionProvider": map[string]any{
				"triggerCharacters": []string{"@", "(", ".", "-", ":", " ", "\"", "'", "#"},
			},
			"hoverProvider":              true,
			"definitionProvider":         true,
			"documentSymbolProvider":     true,
			"foldingRangeProvider":       true,
			"colorProvider":              true,
			"referencesProvider":         true,
			"renameProvider":             rename,
			"workspaceSymbolProvider":    true,
			"codeActionProvider":         map[string]any{"codeActionKinds": []string{quickFix}},
			"documentFormattingProvider": true,
		},
	}, nil
}

// open opens the project, with the texts that are not saved yet.
func (s *server) open() error {
	opts := project.Options{Settings: s.opts.Settings}
	if opts.Settings == "" {
		if name := filepath.Join(s.folder, project.FileName); source.Exists(name) {
			opts.Settings = name
		} else {
			opts.Folder = s.folder
		}
	}
	opened, err := session.Open(session.Options{Project: opts,
		Build: func(ctx context.Context, p *project.Project, c *site.Cache) (*site.Result, error) {
			return site.Build(ctx, p, site.Options{Cache: c, Profile: s.opts.Profile})
		},
	})
	if err != nil {
		return err
	}
	if s.session != nil {
		_ = s.session.Close()
	}
	s.session = opened
	for _, d := range s.documents {
		s.session.Overlay(d.name, []byte(d.text))
	}
	return nil
}

// didOpen begins to follow a text.
func (s *server) didOpen(_ context.Context, p openParams) (any, error) {
	name, ok := nameOf(p.TextDocument.URI)
	if !ok {
		return nil, nil
	}
	d := &document{uri: p.TextDocument.URI, name: name, version: p.TextDocument.Version, text: p.TextDocument.Text}
	s.documents[d.uri] = d
	s.overlay(d)
	return nil, nil
}

// didChange follows edits.
func (s *server) didChange(_ context.Context, p changeParams) (any, error) {
	d := s.documents[p.TextDocument.URI]
	if d == nil {
		return nil, nil
	}
	d.version = p.TextDocument.Version
	if err := d.change(p.ContentChanges); err != nil {
		return nil, &jsonrpc2.Error{Code: jsonrpc2.CodeInvalidParams, Message: err.Error()}
	}
	s.overlay(d)
	return nil, nil
}

// didSave reads what else may depend on the file.
func (s *server) didSave(_ context.Context, p struct {
	TextDocument textDocument `json:"textDocument"`
}) (any, error) {
	if d := s.documents[p.TextDocument.URI]; d != nil {
		if filepath.Base(d.name) == project.FileName {
			return nil, s.apply([]string{d.name})
		}
		s.overlay(d)
	}
	return nil, nil
}

// didClose stops following a text: what is on disk counts again.
func (s *server) didClose(_ context.Context, p struct {
	TextDocument textDocument `json:"textDocument"`
}) (any, error) {
	if d := s.documents[p.TextDocument.URI]; d != nil {
		delete(s.documents, d.uri)
		s.session.Overlay(d.name, nil)
		s.changed()
	}
	return nil, nil
}

// overlay makes the session read the text of a document.
func (s *server) overlay(d *document) {
	s.session.Overlay(d.name, []byte(d.text))
	s.changed()
}

// apply makes the session read files again.
func (s *server) apply(names []string) error {
	defer s.changed()
	if slices.ContainsFunc(names, func(name string) bool { return filepath.Base(name) == project.FileName }) {
		return s.open() // there may be a settings file now, or none any more
	}
	return s.session.Apply(names)
}

// changed wakes the search for findings.
func (s *server) changed() {
	select {
	case s.dirty <- struct{}{}:
	default:
	}
}

// interrupt stops work between requests: a request comes first.
func (s *server) interrupt(string) {
	s.running.Lock()
	defer s.running.Unlock()
	if s.running.stop != nil {
		s.running.stop()
		s.running.stop = nil
		select {
		case s.dirty <- struct{}{}: // later again
		default:
		}
	}
}

// rest is how long the server waits for the next edit before it collects the facts about
// the site again, which takes longer than findings.
const rest = 500 * time.Millisecond

// work looks for findings after changes, and then collects facts, until the context ends.
func (s *server) work(ctx context.Context) {
	wait := func(d time.Duration) bool { // false if there is something new
		select {
		case <-ctx.Done():
			return true
		case <-s.dirty:
			return false
		case <-time.After(d):
			return true
		}
	}
	for {
		select {
		case <-ctx.Done():
			return
		case <-s.dirty:
		}
		for !wait(pause) {
		}
		s.whileIdle(ctx, s.find)
		if !s.isReady() || wait(rest) {
			s.refresh(ctx)
		} else {
			s.changed()
		}
	}
}

// isReady reports whether facts about the site were collected: the first request should not
// wait for them.
func (s *server) isReady() bool {
	s.mu.Lock()
	defer s.mu.Unlock()
	return s.facts.known
}

// whileIdle runs a part of the work of the server between requests, which cancel its
// context. It reports whether that was done without an error.
func (s *server) whileIdle(ctx context.Context, run func(context.Context) error) bool {
	ctx, stop := context.WithCancel(ctx)
	defer stop()
	s.running.Lock()
	s.running.stop = stop
	s.running.Unlock()
	defer func() {
		s.running.Lock()
		s.running.stop = nil
		s.running.Unlock()
	}()
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.session == nil || ctx.Err() != nil {
		return false
	}
	return run(ctx) == nil
}

// find looks for findings and publishes them.
func (s *server) find(ctx context.Context) error {
	found, err := s.findings(ctx)
	switch {
	case err == nil:
		s.publish(context.WithoutCancel(ctx), found)
	case !errors.Is(err, context.Canceled):
		_ = s.conn.Notify(ctx, "window/logMessage", map[string]any{"type": 1, "message": err.Error()})
	}
	return err
}
