package custom

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"strings"
	"unicode/utf8"
)

// process is a running program, or an instance of a module.
type process interface {
	io.Reader      // what it writes to its standard output
	io.WriteCloser // its standard input
	// kill ends it with its children. It may be called several times.
	kill()
	// wait waits until it has ended, and returns the reason if that is an error.
	// It must be called after everything was read.
	wait() error
	// stderr returns what it wrote last to its standard error.
	stderr() string
}

// conversation is an exchange of messages with a process.
type conversation struct {
	process
	plain   bool
	in      *limitedReader
	decoder *json.Decoder
	written tail          // what the process wrote last to its standard output
	sent    chan struct{} // closed when what was sent so far is written; may be nil
	ended   bool
	exit    error
}

// limitedReader reads until a limit. Beyond it, the error is errTooMuch.
type limitedReader struct {
	r    io.Reader
	left int
}

// Errors of steps.
var (
	errTooMuch = fmt.Errorf("it wrote more than %d MB", maxOutput>>20)
	// errEnded means that it ended too early. It may have failed.
	errEnded = errors.New("it ended without a complete answer")
)

// Read reads up to the limit.
func (l *limitedReader) Read(p []byte) (int, error) {
	if l.left <= 0 {
		return 0, errTooMuch
	}
	n, err := l.r.Read(p[:min(len(p), l.left)])
	l.left -= n
	return n, err
}

// newConversation returns a conversation with a process.
func newConversation(p process, plain bool) *conversation {
	c := &conversation{process: p, plain: plain}
	c.in = &limitedReader{r: io.TeeReader(p, &c.written)}
	c.decoder = json.NewDecoder(c.in)
	return c
}

// ask sends a request, answers the questions of the process, and returns its
// response.
func (c *conversation) ask(req *Request, host Host) (Response, error) {
	c.in.left = maxOutput
	if c.plain {
		return c.askPlain(req)
	}
	// Errors of writing are ignored: what counts is what the process answers.
	line, err := json.Marshal(req)
	if err != nil {
		return Response{}, err
	}
	c.send(line)
	for {
		var raw json.RawMessage
		if err := c.decoder.Decode(&raw); err != nil {
			return Response{}, c.unreadable(err)
		}
		if answer, ok, err := question(raw, req.Path, host); err != nil {
			return Response{}, err
		} else if ok {
			c.send(answer)
			continue
		}
		return readResponse(raw)
	}
}

// send writes a line in the background, because the process may write before it
// reads.
func (c *conversation) send(line []byte) {
	before, done := c.sent, make(chan struct{})
	c.sent = done
	go func() {
		defer close(done)
		if before != nil {
			<-before
		}
		_, _ = c.Write(append(line, '\n'))
	}()
}

// askPlain sends the text, and takes what the process writes as the result.
func (c *conversation) askPlain(req *Request) (Response, error) {
	go func() {
		_, _ = c.Write(req.input())
		_ = c.Close()
	}()
	out, err := io.ReadAll(c.in)
	switch {
	case err != nil:
		return Response{}, err
	case req.Text == nil:
		return Response{Data: out}, nil
	case !utf8.Valid(out):
		return Response{}, errors.New("what it wrote is not UTF-8 text")
	}
	text := string(out)
	return Response{Text: &text}, nil
}

// unreadable returns the error of an answer that cannot be decoded.
func (c *conversation) unreadable(err error) error {
	switch {
	case errors.Is(err, errTooMuch):
		return errTooMuch
	case errors.Is(err, io.ErrUnexpectedEOF), errors.Is(err, io.EOF):
		return errEnded
	}
	return fmt.Errorf("its answer is not valid JSON: %s", strings.TrimPrefix(err.Error(), "json: "))
}

// query is the question for a file.
type query struct {
	Get  *string `json:"get"`
	From string  `json:"from"`
}

// reply is the answer to it.
type reply struct {
	Path  string `json:"path"`
	Text  string `json:"text"`
	Error string `json:"error,omitempty"`
}

// question answers a message if it is a question for a file.
func question(raw json.RawMessage, path string, host Host) (answer []byte, ok bool, err error) {
	q := query{From: path}
	if json.Unmarshal(raw, &q) != nil || q.Get == nil {
		return nil, false, nil
	}
	if err := decode(raw, &q); err != nil {
		return nil, false, err
	}
	r := reply{}
	if r.Path, r.Text, err = host.Read(q.From, *q.Get); err != nil {
		r.Error = err.Error()
	}
	answer, err = json.Marshal(r)
	return answer, true, err
}

// readResponse decodes a response.
func readResponse(raw json.RawMessage) (res Response, err error) {
	if err := decode(raw, &res); err != nil {
		return Response{}, err
	}
	for _, f := range res.Findings {
		if f.Severity != "error" && f.Severity != "warning" && f.Severity != "note" {
			return Response{}, fmt.Errorf("its answer has a finding of the severity %q: expected error, warning or note", f.Severity)
		}
		if strings.TrimSpace(f.Message) == "" {
			return Response{}, errors.New("its answer has a finding without a message")
		}
	}
	return res, nil
}

// decode decodes a message. Unknown fields are errors, so that misspelled ones
// are noticed.
func decode(raw json.RawMessage, to any) error {
	d := json.NewDecoder(bytes.NewReader(raw))
	d.DisallowUnknownFields()
	if err := d.Decode(to); err != nil {
		return fmt.Errorf("its answer is not as documented: %s", strings.TrimPrefix(err.Error(), "json: "))
	}
	return nil
}

// finish waits until a process that has answered ends. The error is that it
// failed nevertheless, or wrote more.
func (c *conversation) finish() error {
	if !c.plain {
		_ = c.Close()
		rest, err := io.ReadAll(io.MultiReader(c.decoder.Buffered(), c.in))
		if err != nil {
			return err
		}
		if len(bytes.TrimSpace(rest)) > 0 {
			return errors.New("it wrote more after its answer")
		}
	}
	return c.end()
}

// end ends the process, by closing its input, and returns why it failed, or nil.
// A process that was killed before ends at once.
func (c *conversation) end() error {
	if !c.ended {
		c.ended = true
		_ = c.Close()
		_, _ = io.Copy(io.Discard, c.process)
		c.exit = c.wait()
	}
	return c.exit
}

// last returns what the process wrote last: to its standard error, or otherwise
// to its standard output.
func (c *conversation) last() string {
	if text := c.stderr(); text != "" {
		return text
	}
	return c.written.String()
}
