package site

import (
	"cmp"
	"maps"
	"slices"
	"sync"
	"time"

	"rinzel/internal/source"
	"rinzel/internal/step"
)

// This file measures what a build does, and reports its progress.

// Times are how long the parts of a build took. Several run at a time, so their
// sum is more than the time of the build. Results from a cache took no time.
type Times struct {
	Parts  []Timed // steps and other parts, the slowest first
	Sheets []Timed // source sheets, with all steps of their chains, the slowest first
}

// Timed is how long something took.
type Timed struct {
	Name  string // of a step or part; displayed path of a sheet
	Took  time.Duration
	Times int // how often it was done
}

// The parts of a build that are measured besides the steps.
const (
	partEvidence = "evidence" // collecting the names in use
	partRewrite  = "rewrite"  // rewriting the links of pages
	partCompress = "compress" // compressing outputs
)

// clock collects times; a nil clock collects none.
type clock struct {
	mu     sync.Mutex
	parts  map[string]*Timed
	sheets map[string]*Timed
}

// addTime adds a time to those with a name.
func addTime(to map[string]*Timed, name string, took time.Duration) {
	t := to[name]
	if t == nil {
		t = &Timed{Name: name}
		to[name] = t
	}
	t.Took += took
	t.Times++
}

// part measures a part of the build until the returned function is called.
func (c *clock) part(name string) (done func()) {
	if c == nil {
		return func() {}
	}
	start := time.Now()
	return func() {
		c.mu.Lock()
		defer c.mu.Unlock()
		addTime(c.parts, name, time.Since(start))
	}
}

// onSheet adds the time of a step on a sheet.
func (c *clock) onSheet(f *source.File, s step.Stage) {
	c.mu.Lock()
	defer c.mu.Unlock()
	addTime(c.parts, s.Step, s.Took)
	addTime(c.sheets, f.Name, s.Took)
}

// onBundle adds the time of a step on a bundle.
func (c *clock) onBundle(s step.Stage) {
	c.mu.Lock()
	defer c.mu.Unlock()
	addTime(c.parts, s.Step, s.Took)
}

// times returns the collected times.
func (c *clock) times() *Times {
	if c == nil {
		return nil
	}
	slowest := func(m map[string]*Timed) (out []Timed) {
		for _, name := range slices.Sorted(maps.Keys(m)) {
			out = append(out, *m[name])
		}
		slices.SortStableFunc(out, func(a, b Timed) int { return cmp.Compare(b.Took, a.Took) })
		return out
	}
	return &Times{Parts: slowest(c.parts), Sheets: slowest(c.sheets)}
}

// Progress is how far a build is.
type Progress struct {
	Doing       string // what is being done: "reading pages"
	Done, Total int
}

// progress reports that something is being done, and each time that the returned
// function is called that one more of a total is done.
func (b *builder) progress(doing string, total int) (one func()) {
	if b.opts.Progress == nil {
		return func() {}
	}
	var mu sync.Mutex
	done := 0
	b.opts.Progress(Progress{doing, 0, total})
	return func() {
		mu.Lock()
		defer mu.Unlock()
		done++
		b.opts.Progress(Progress{doing, done, total})
	}
}
