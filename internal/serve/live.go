package serve

import (
	"bytes"
	"encoding/json"
	"fmt"
	"maps"
	"net/http"
	"slices"
	"strings"
	"sync"
	"time"

	"rinzel/internal/emit"
)

// The names of the event stream, of the list of missed updates, and of sheets
// before the last update, below ownPrefix.
const (
	eventsName = "events"
	sinceName  = "since"
	beforeName = "before"
)

const (
	maxLog     = 1000             // number of updates that a browser can catch up with
	maxStreams = 500              // number of browsers
	maxQueue   = 64               // number of updates that may wait for a slow browser
	beatEvery  = 15 * time.Second // shows browsers that the connection is alive
	retryAfter = 500              // of a lost connection, in milliseconds
)

// update is the difference between two snapshots, as it is sent.
type update struct {
	Sum string `json:"sum"` // of the later one
	// URL paths of files that are new or differ, and of those that are gone.
	Changed []string `json:"changed"`
	Removed []string `json:"removed"`
	// Pages is set if pages of the application server may have changed.
	Pages bool `json:"pages,omitempty"`

	from string // sum of the earlier one
}

// missed is the answer to the question which updates a page missed.
type missed struct {
	Sum     string    `json:"sum"` // of the current snapshot
	Updates []*update `json:"updates"`
	// Reload is set if the snapshot of the page is unknown, for example because
	// the server was restarted in the meantime.
	Reload bool `json:"reload"`
}

// trouble tells pages which problem they have. It is sent when the problem
// changes, and at the start of each stream.
type trouble struct {
	ID string `json:"id"` // of the [Problem]; empty for none
	// URL paths of the pages that have it; empty for all.
	Pages []string `json:"pages"`
}

// event is a server-sent event. Its ID, if any, is the sum of the snapshot that
// it leads to.
type event struct {
	name, id string
	data     any
}

// hub sends events to all streams.
type hub struct {
	mu      sync.Mutex
	sum     string    // of the current snapshot
	log     []*update // the last ones, each from the sum of the one before
	trouble trouble
	// before has the previous versions of sheets that changed, by URL path.
	before  map[string]*file
	streams map[chan event]bool
	closed  bool
}

// newHub returns a hub without streams.
func newHub() *hub {
	return &hub{trouble: trouble{Pages: []string{}}, before: make(map[string]*file), streams: make(map[chan event]bool)}
}

// publish sends the difference between two snapshots; before may be nil.
func (h *hub) publish(before, now *Snapshot) {
	h.mu.Lock()
	defer h.mu.Unlock()
	if now.sum != h.sum {
		u := difference(before, now)
		h.sum = now.sum
		for _, path := range u.Changed {
			if f := before.asset(path); f != nil && f.Kind == emit.StyleKind {
				h.before[path] = f
			}
		}
		h.log = append(h.log, u)
		if len(h.log) > maxLog {
			h.log = slices.Clone(h.log[len(h.log)-maxLog:])
		}
		h.send(event{"update", u.Sum, u})
	}
	t := trouble{ID: now.Problem.hash(), Pages: []string{}}
	if now.Problem != nil {
		t.Pages = append(t.Pages, now.Problem.Pages...)
	}
	if t.ID != h.trouble.ID || !slices.Equal(t.Pages, h.trouble.Pages) {
		h.trouble = t
		h.send(event{"problem", "", t})
	}
}

// send sends an event to all streams.
func (h *hub) send(e event) {
	for s := range h.streams {
		select {
		case s <- e:
		default: // too slow: it reconnects, and catches up
			delete(h.streams, s)
			close(s)
		}
	}
}

// difference returns the difference between two snapshots.
func difference(before, now *Snapshot) *update {
	u := &update{Sum: now.sum, Changed: []string{}, Removed: []string{}}
	if before == nil {
		return u
	}
	u.from, u.Pages = before.sum, now.pages != before.pages
	for _, name := range slices.Sorted(maps.Keys(now.files)) {
		if old, f := before.files[name], now.files[name]; old == nil || old.hash() != f.hash() && !sameCode(old, f) {
			u.Changed = append(u.Changed, now.Base+name)
		}
	}
	for _, name := range slices.Sorted(maps.Keys(before.files)) {
		if now.files[name] == nil {
			u.Removed = append(u.Removed, now.Base+name)
		}
	}
	return u
}

// sameCode reports whether two files are scripts that only differ in the source map
// inside of them: the sources of the map include the styles of a component.
func sameCode(old, now *file) bool {
	code := func(f *file) (string, bool) {
		i := bytes.LastIndex(f.Data, []byte("\n//# sourceMappingURL=data:"))
		return string(f.Data[:max(i, 0)]), i >= 0
	}
	if old.Kind != emit.ScriptKind || now.Kind != emit.ScriptKind {
		return false
	}
	a, first := code(old)
	b, second := code(now)
	return first && second && a == b
}

// since returns the updates after a snapshot. The last snapshot of a server that
// was started again is the same as before if its contents are.
func (h *hub) since(sum string) missed {
	out := missed{Sum: h.sum, Updates: []*update{}}
	if sum == h.sum {
		return out
	}
	for i := range h.log {
		if h.log[i].from == sum && sum != "" {
			out.Updates = h.log[i:]
			return out
		}
	}
	hash, _, _ := strings.Cut(h.sum, ".")
	theirs, _, _ := strings.Cut(sum, ".")
	out.Reload = theirs != hash
	return out
}

// open adds a stream, and returns what it missed after a snapshot. ok is false
// if there are too many, or the hub is closed.
func (h *hub) open(sum string) (s chan event, first []event, ok bool) {
	h.mu.Lock()
	defer h.mu.Unlock()
	if h.closed || len(h.streams) >= maxStreams {
		return nil, nil, false
	}
	s = make(chan event, maxQueue)
	h.streams[s] = true
	m := h.since(sum)
	if m.Reload {
		first = append(first, event{"reload", m.Sum, &update{Sum: m.Sum}})
	}
	for _, u := range m.Updates {
		first = append(first, event{"update", u.Sum, u})
	}
	// Also if there is none: it may have been solved while there was no connection.
	return s, append(first, event{"problem", "", h.trouble}), true
}

// drop removes a stream.
func (h *hub) drop(s chan event) {
	h.mu.Lock()
	defer h.mu.Unlock()
	delete(h.streams, s)
}

// close ends all streams.
func (h *hub) close() {
	h.mu.Lock()
	defer h.mu.Unlock()
	h.closed = true
	for s := range h.streams {
		delete(h.streams, s)
		close(s)
	}
}

// clients returns the number of streams.
func (h *hub) clients() int {
	h.mu.Lock()
	defer h.mu.Unlock()
	return len(h.streams)
}

// serve writes an event stream (HTML, section 9.2). It starts with the updates
// after the snapshot that the browser knows.
func (h *hub) serve(w http.ResponseWriter, r *http.Request) {
	sum := r.Header.Get("Last-Event-ID") // of a connection that the browser restores
	if sum == "" {
		sum = r.URL.Query().Get("sum")
	}
	s, first, ok := h.open(sum)
	if !ok {
		http.Error(w, "too many connections", http.StatusServiceUnavailable)
		return
	}
	defer h.drop(s)
	w.Header().Set("Content-Type", "text/event-stream")
	out := stream{w, http.NewResponseController(w)}
	fmt.Fprintf(w, "retry: %d\n\n", retryAfter)
	for _, e := range first {
		out.send(e)
	}
	if out.flush() != nil {
		return
	}
	beat := time.NewTicker(beatEvery)
	defer beat.Stop()
	for {
		select {
		case e, ok := <-s:
			if !ok {
				return
			}
			out.send(e)
		case <-beat.C:
			fmt.Fprint(w, "event: beat\ndata:\n\n")
		case <-r.Context().Done():
			return
		}
		if out.flush() != nil {
			return
		}
	}
}

// stream writes events.
type stream struct {
	w       http.ResponseWriter
	control *http.ResponseController
}

// send writes an event.
func (s stream) send(e event) {
	data, err := json.Marshal(e.data)
	if err != nil {
		panic(err) // strings can always be encoded
	}
	if e.id != "" {
		fmt.Fprintf(s.w, "id: %s\n", e.id)
	}
	fmt.Fprintf(s.w, "event: %s\ndata: %s\n\n", e.name, data)
}

// flush sends what was written. A browser that does not read for some time is
// disconnected.
func (s stream) flush() error {
	_ = s.control.SetWriteDeadline(time.Now().Add(responseTime))
	return s.control.Flush()
}

// serveSince answers which updates a page missed. Tabs that share a connection
// may have loaded their pages at different times.
func (h *hub) serveSince(w http.ResponseWriter, r *http.Request) {
	h.mu.Lock()
	out := h.since(r.URL.Query().Get("sum"))
	h.mu.Unlock()
	w.Header().Set("Content-Type", "application/json")
	_ = json.NewEncoder(w).Encode(out)
}

// serveBefore serves a sheet as it was before its last change, or nothing: the
// client finds sheets that scripts made from it by their rules.
func (h *hub) serveBefore(w http.ResponseWriter, r *http.Request) {
	h.mu.Lock()
	f := h.before[r.URL.Query().Get("path")]
	h.mu.Unlock()
	w.Header().Set("Content-Type", "text/css; charset=utf-8")
	if f != nil {
		_, _ = w.Write(f.Data) // sheets are not copied
	}
}
