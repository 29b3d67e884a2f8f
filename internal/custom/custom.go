// Package custom runs the steps that users write: programs, and WebAssembly
// modules in a sandbox. It implements the protocol of docs/steps.md, and knows
// nothing about the texts that the steps work on. Start reading at
// [Runner.Call].
package custom

import (
	"bytes"
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"runtime"
	"slices"
	"strings"
	"sync"
	"time"
)

// Version is the version of the protocol.
const Version = 1

// Definition describes a step: a program, or a module.
type Definition struct {
	Name   string
	Run    []string // the program with its arguments
	Module []byte   // WebAssembly (WASI preview 1); nil for a program
	Plain  bool     // it takes and gives the text alone, instead of JSON
	Dir    string   // folder in which programs run; names of programs with a slash are relative to it
	Env    []string // names of environment variables that programs get in addition to the usual ones
	// Time limits a call, and Memory the memory of a module in MB. Both must be
	// positive.
	Time   time.Duration
	Memory int
	// Compiled is a folder for the compiled code of modules; empty to compile
	// them in each process.
	Compiled string
}

// Request is what a step is asked to do. It is also the JSON that the step
// reads.
type Request struct {
	Version int               `json:"version"`
	Step    string            `json:"step"`
	On      string            `json:"on"`
	Path    string            `json:"path"`
	Profile string            `json:"profile"`
	Targets map[string]string `json:"targets"`
	Options map[string]any    `json:"options"`
	// Text is the text to work on; for other files, Data has the bytes.
	Text *string `json:"text,omitempty"`
	Data []byte  `json:"data,omitempty"`
}

// input returns the bytes that the step works on.
func (r *Request) input() []byte {
	if r.Text != nil {
		return []byte(*r.Text)
	}
	return r.Data
}

// Response is the answer of a step. It is also the JSON that the step writes.
type Response struct {
	// Text or Data is the result, like in the request; nil if nothing changed.
	Text *string `json:"text,omitempty"`
	Data []byte  `json:"data,omitempty"`
	// Map is the source map (ECMA-426) of the text, as an object, or as a string
	// with its JSON; nil for none.
	Map      json.RawMessage `json:"map,omitempty"`
	Findings []Finding       `json:"findings,omitempty"`
	// Read lists files that the step read without asking for them.
	Read []string `json:"read,omitempty"`
	// More is set if the step can take another request.
	More bool `json:"more,omitempty"`
}

// Finding is a problem that a step reports.
type Finding struct {
	Severity string `json:"severity"` // error, warning or note
	Message  string `json:"message"`
	Fix      string `json:"fix,omitempty"`
	// Path is the file, if it is not that of the request.
	Path string `json:"path,omitempty"`
	// Line and Column are the position, both from 1, columns in characters; a
	// line of 0 means none. Length is the number of characters; 0 is 1.
	Line   int `json:"line,omitempty"`
	Column int `json:"column,omitempty"`
	Length int `json:"length,omitempty"`
}

// Host answers questions of steps. It must be safe for concurrent use.
type Host interface {
	// Read returns the path and the text of a file. address is relative to the
	// file from, like the URL of an import.
	Read(from, address string) (path, text string, err error)
}

// Failure is the error that a step failed: it did not give a valid answer.
type Failure struct {
	Reason string // what went wrong, for example "exit status 3"
	Last   string // what the step wrote last; empty if it wrote nothing
}

// Error returns the reason.
func (f *Failure) Error() string { return f.Reason }

// maxOutput limits what a step may write in one call, in bytes.
const maxOutput = 64 << 20

// Runner runs a step. It is safe for concurrent use.
type Runner struct {
	def   Definition
	slots chan struct{} // limits concurrent calls

	compile sync.Once
	module  *module // nil for a program, or if compilation failed
	failed  error   // of compilation

	mu     sync.Mutex
	closed bool
	idle   []*conversation // with steps that can take another request
}

// New returns a runner of a step. The caller must close it.
func New(def Definition) *Runner {
	return &Runner{def: def, slots: make(chan struct{}, runtime.GOMAXPROCS(0))}
}

// Close ends the steps that wait for requests. Later calls fail.
func (r *Runner) Close() {
	r.mu.Lock()
	idle := r.idle
	r.idle, r.closed = nil, true
	r.mu.Unlock()
	for _, c := range idle {
		c.end()
	}
	if r.module != nil {
		r.module.close()
	}
}

// Call asks the step once. The error is a [*Failure], or that the context was
// cancelled.
func (r *Runner) Call(ctx context.Context, req Request, host Host) (Response, error) {
	select {
	case r.slots <- struct{}{}:
		defer func() { <-r.slots }()
	case <-ctx.Done():
		return Response{}, ctx.Err()
	}
	req.Version, req.Step = Version, r.def.Name
	if req.Targets == nil {
		req.Targets = map[string]string{}
	}
	if req.Options == nil {
		req.Options = map[string]any{}
	}
	c, err := r.conversation(ctx, &req)
	if err != nil {
		return Response{}, err
	}
	limited, cancel := context.WithTimeout(ctx, r.def.Time)
	defer cancel()
	stop := context.AfterFunc(limited, c.kill)
	defer stop()
	res, err := c.ask(&req, host)
	switch {
	case err == nil && !res.More:
		err = c.finish()
	case err == nil && stop():
		r.keep(c)
		return res, nil
	case err == nil:
		err = limited.Err()
	case errors.Is(err, errEnded):
		err = cmp.Or(c.end(), err)
	}
	if err == nil {
		return res, nil
	}
	c.kill()
	_ = c.end()
	if ctx.Err() != nil {
		return Response{}, ctx.Err()
	}
	failure := &Failure{Reason: err.Error(), Last: c.last()}
	if limited.Err() != nil {
		failure.Reason = fmt.Sprintf("no answer in %s", r.def.Time)
	}
	return Response{}, failure
}

// conversation returns one with a step that is ready for a request.
func (r *Runner) conversation(ctx context.Context, req *Request) (*conversation, error) {
	r.mu.Lock()
	if n := len(r.idle); n > 0 {
		c := r.idle[n-1]
		r.idle = r.idle[:n-1]
		r.mu.Unlock()
		return c, nil
	}
	closed := r.closed
	r.mu.Unlock()
	if closed {
		return nil, &Failure{Reason: "the build has ended"}
	}
	p, err := r.start(ctx, req)
	if err != nil {
		return nil, err
	}
	return newConversation(p, r.def.Plain), nil
}

// keep stores a step for the next request.
func (r *Runner) keep(c *conversation) {
	r.mu.Lock()
	closed := r.closed
	if !closed {
		r.idle = append(r.idle, c)
	}
	r.mu.Unlock()
	if closed {
		c.end()
	}
}

// start starts a program, or an instance of the module.
func (r *Runner) start(ctx context.Context, req *Request) (process, error) {
	env := []string{"RINZEL_STEP=" + r.def.Name, "RINZEL_ON=" + req.On, "RINZEL_PATH=" + req.Path,
		"RINZEL_PROFILE=" + req.Profile}
	if r.def.Module == nil {
		return startProgram(&r.def, env)
	}
	r.compile.Do(func() { r.module, r.failed = compile(context.WithoutCancel(ctx), &r.def) })
	if r.failed != nil {
		return nil, &Failure{Reason: r.failed.Error()}
	}
	return r.module.start(r.def.Name, env), nil
}

// tail is a writer that keeps the start and the end of what is written: some
// programs tell first why they failed, others last. It is safe for concurrent
// use.
type tail struct {
	mu          sync.Mutex
	first, last []byte // last is empty until first is full
}

// maxTail limits the start and the end that are kept, in bytes.
const maxTail = 1000

// Write keeps the end of data, and its start if it is the first.
func (t *tail) Write(data []byte) (int, error) {
	t.mu.Lock()
	defer t.mu.Unlock()
	n := min(len(data), maxTail-len(t.first))
	t.first = append(t.first, data[:n]...)
	rest := data[n:]
	t.last = append(t.last, rest[max(0, len(rest)-maxTail):]...)
	if over := len(t.last) - maxTail; over > 0 {
		t.last = append(t.last[:0], t.last[over:]...)
	}
	return len(data), nil
}

// String returns the first and the last lines, without control characters.
func (t *tail) String() string {
	t.mu.Lock()
	defer t.mu.Unlock()
	text := bytes.ToValidUTF8(slices.Concat(t.first, t.last), []byte("\uFFFD"))
	text = bytes.Map(func(c rune) rune {
		if c < ' ' && c != '\n' && c != '\t' || c == 0x7f {
			return -1
		}
		return c
	}, text)
	lines := strings.Split(strings.TrimSpace(string(text)), "\n")
	if over := len(lines) - firstLines - lastLines; over > 0 || len(t.last) == maxTail {
		lines = slices.Concat(lines[:min(firstLines, len(lines))], []string{"…"}, lines[max(len(lines)-lastLines, min(firstLines, len(lines))):])
	}
	shown := strings.Join(lines, "\n")
	if strings.Trim(shown, "… \t\n") == "" {
		return ""
	}
	return strings.TrimSpace(shown)
}

// The lines that are shown of what a step wrote.
const (
	firstLines = 4
	lastLines  = 6
)
