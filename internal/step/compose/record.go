package compose

import (
	"slices"
	"strings"

	"rinzel/internal/css/ast"
	"rinzel/internal/diag"
	"rinzel/internal/source"
)

// Record is what became known of the constants of a sheet and of all that it
// imports while they were composed. Constants that end with a block are not in it.
type Record struct {
	entries map[string]*Entry
	order   []*Entry
	rules   int // that were met
	sets    int // that were noted
}

// Entry is what is known of one constant.
type Entry struct {
	Path  string
	Sets  []Set    // in order; the value is that of the last one that holds
	From  []string // the constants that its value was worked out from, in order
	Rules int      // how many rules read it

	lastRule int
}

// Set is a rule that sets a constant, gives it a default, or drops it.
type Set struct {
	At      source.Span
	Kind    SetKind
	Value   []ast.Value // not of a drop
	GaveWay bool        // a default that found the constant set or dropped
	Reads   int         // how many rules and constants read it before the next one
}

// SetKind tells what sets a constant.
type SetKind string

// The kinds of rules that set constants.
const (
	ByConst   SetKind = "const"
	ByDefault SetKind = "default"
	ByDrop    SetKind = "drop"
	ByTokens  SetKind = "tokens"   // a file of design tokens
	BySetting SetKind = "settings" // [constants] in the settings
)

// Count returns how often constants were set, given a default or dropped; of no
// record it is 0.
func (r *Record) Count() int {
	if r == nil {
		return 0
	}
	return r.sets
}

// Entries returns all constants in the order in which they were first set.
func (r *Record) Entries() []*Entry { return r.order }

// Current returns the rule that set the value that a constant has at last. ok
// is false if it was dropped, or is only read.
func (e *Entry) Current() (Set, bool) {
	for _, s := range slices.Backward(e.Sets) {
		if !s.GaveWay {
			return s, s.Kind != ByDrop
		}
	}
	return Set{}, false
}

// Overridden returns the rules that set other values before, or gave way.
func (e *Entry) Overridden() []Set {
	last := -1
	for i, s := range e.Sets {
		if !s.GaveWay {
			last = i
		}
	}
	var out []Set
	for i, s := range e.Sets {
		if i != last {
			out = append(out, s)
		}
	}
	return out
}

func (r *Record) entry(path string) *Entry {
	e := r.entries[path]
	if e == nil {
		if r.entries == nil {
			r.entries = make(map[string]*Entry)
		}
		e = &Entry{Path: path}
		r.entries[path] = e
		r.order = append(r.order, e)
	}
	return e
}

func (r *Record) add(path string, s Set) {
	e := r.entry(path)
	e.Sets = append(e.Sets, s)
	r.sets++
}

// records reports whether what happens in a scope is noted.
func (c *Composer) records(s *Scope) bool { return c.Record != nil && s.outer == nil }

// startSetting notes that a constant is worked out from now on, and returns
// what was before.
func (c *Composer) startSetting(p path, s *Scope) (before string) {
	before = c.setting
	if c.records(s) {
		c.setting = joinPath(p)
	}
	return before
}

// noteUse notes that a constant is read. Of a group all keys are.
func (c *Composer) noteUse(p path, s *Scope) {
	if c.Record == nil {
		return
	}
	for s.outer != nil {
		if _, own := s.own(p[0]); own {
			return // of a block
		}
		s = s.outer
	}
	found, ok := s.Find(p)
	if !ok {
		return
	}
	leaves(joinPath(p), found, func(path string, _ *Constant) { c.Record.entry(path).read(c) })
}

func (e *Entry) read(c *Composer) {
	switch {
	case c.setting == e.Path: // it is set to something made of itself
		return
	case c.setting != "":
		setting := c.Record.entry(c.setting)
		if slices.Contains(setting.From, e.Path) {
			return
		}
		setting.From = append(setting.From, e.Path)
	case c.rule == 0 || e.lastRule != c.rule:
		e.Rules++
		e.lastRule = c.rule
	default:
		return
	}
	for i := range slices.Backward(e.Sets) {
		if !e.Sets[i].GaveWay {
			e.Sets[i].Reads++
			return
		}
	}
}

// noteFrom notes the design tokens that one is made of.
func (c *Composer) noteFrom(p path, from []string, prefix path, s *Scope) {
	if !c.records(s) {
		return
	}
	e := c.Record.entry(joinPath(p))
	for _, name := range from {
		if name = joinPath(append(slices.Clip(prefix), name)); !slices.Contains(e.From, name) {
			e.From = append(e.From, name)
		}
	}
}

// leaves visits the values of a constant: of a group all keys at every depth.
func leaves(path string, constant *Constant, visit func(string, *Constant)) {
	if constant.Group == nil {
		visit(path, constant)
		return
	}
	for _, key := range constant.Group.keys {
		leaves(path+"."+key, constant.Group.at(key), visit)
	}
}

// noteSet notes that a constant is set.
func (c *Composer) noteSet(p path, constant *Constant, kind SetKind, s *Scope) {
	if !c.records(s) {
		return
	}
	if constant.Group != nil { // it stands in place of all keys that were there
		set := make(map[string]bool)
		prefix := joinPath(p) + "."
		leaves(joinPath(p), constant, func(path string, _ *Constant) { set[path] = true })
		for _, e := range c.Record.order {
			if _, there := e.Current(); there && strings.HasPrefix(e.Path, prefix) && !set[e.Path] {
				c.Record.add(e.Path, Set{At: constant.At, Kind: ByDrop})
			}
		}
	}
	leaves(joinPath(p), constant, func(path string, leaf *Constant) {
		c.Record.add(path, Set{At: leaf.At, Kind: kind, Value: leaf.Value})
	})
}

// noteDefault notes a default that gives way. Its value is worked out without
// findings, to be compared.
func (c *Composer) noteDefault(p path, at source.Span, s *Scope, value func(*Composer) *Constant) {
	if !c.records(s) {
		return
	}
	leaves(joinPath(p), value(c.quiet()), func(path string, leaf *Constant) {
		c.Record.add(path, Set{At: at, Kind: ByDefault, Value: leaf.Value, GaveWay: true})
	})
}

// quiet returns a composer for values that nobody sees: it reports nothing and
// notes nothing.
func (c *Composer) quiet() *Composer {
	return &Composer{Report: func(diag.Diagnostic) {}, Limits: c.Limits, silent: true}
}

// noteMerged notes the keys of a default group: those that it filled in, and
// those that gave way.
func (c *Composer) noteMerged(p path, offered, made *Constant, s *Scope) {
	if !c.records(s) {
		return
	}
	taken := make(map[string]source.Span)
	leaves(joinPath(p), made, func(path string, leaf *Constant) { taken[path] = leaf.At })
	leaves(joinPath(p), offered, func(path string, leaf *Constant) {
		c.Record.add(path, Set{At: leaf.At, Kind: ByDefault, Value: leaf.Value, GaveWay: taken[path] != leaf.At})
	})
}

// noteDrop notes that keys are dropped.
func (c *Composer) noteDrop(p path, at source.Span, s *Scope) {
	if !c.records(s) {
		return
	}
	path := joinPath(p)
	dropped := false
	for _, e := range c.Record.order {
		if e.Path == path || strings.HasPrefix(e.Path, path+".") {
			c.Record.add(e.Path, Set{At: at, Kind: ByDrop})
			dropped = true
		}
	}
	if !dropped {
		c.Record.add(path, Set{At: at, Kind: ByDrop})
	}
}
