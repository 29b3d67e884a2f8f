package cli

import (
	"fmt"
	"io"
	"sync"
	"time"

	"rinzel/internal/site"
)

// The progress of a command is shown from patient on, and at most every
// interval.
const (
	patient  = 500 * time.Millisecond
	interval = 100 * time.Millisecond
)

// progressLine shows the progress of a command on a terminal, in one line that
// is removed at the end. It is safe for concurrent use.
type progressLine struct {
	out io.Writer // nil if it is not a terminal

	mu    sync.Mutex
	now   func() time.Time
	next  time.Time // when the line is written again
	shown bool
}

// showProgress starts the progress of a command.
func showProgress(std IO) *progressLine {
	p := &progressLine{now: time.Now}
	if std.ErrTerminal {
		p.out = std.Err
	}
	p.next = p.now().Add(patient)
	return p
}

// update shows how far the command is, if it is time for it.
func (p *progressLine) update(at site.Progress) {
	p.mu.Lock()
	defer p.mu.Unlock()
	now := p.now()
	if p.out == nil || now.Before(p.next) {
		return
	}
	p.next, p.shown = now.Add(interval), true
	text := at.Doing
	if at.Total > 0 {
		text = fmt.Sprintf("%s: %d of %d", at.Doing, at.Done, at.Total)
	}
	fmt.Fprintf(p.out, "\r\x1b[K%s", text)
}

// end removes the line.
func (p *progressLine) end() {
	p.mu.Lock()
	defer p.mu.Unlock()
	if p.shown {
		fmt.Fprint(p.out, "\r\x1b[K")
		p.shown = false
	}
	p.out = nil
}
