package compose

import (
	"slices"
	"strings"

	"rinzel/internal/css/ast"
	"rinzel/internal/diag"
	"rinzel/internal/source"
)

// Record collects facts about the constants of a sheet and its imports during
// composition. Constants that are local to a block are not included.
type Record struct {
	entries map[string]*Entry
	order   []*Entry
	rules   int // number of rules so far
	sets    int // number of definitions recorded
}

// Entry is the record of one constant.
type Entry struct {
	Path  string
	Sets  []Set    // in order; the last one that is effective determines the value
	From  []string // constants that its value is derived from, in order
	Rules int      // number of rules that read it
	Uses  []Use    // where rules read it, in order, without repeats

	lastRule int
	used     map[Use]bool // those in Uses
}

// Use is a place where a rule reads a constant.
type Use struct {
	At       source.Span // the const(), or the name in brackets
	Property string      // of the declaration with it; empty outside of one
	Rule     string      // selectors of the style rules around, after evaluation; empty outside of one
}

// Set is a definition, default or drop of a constant.
type Set struct {
	At            source.Span
	Kind          SetKind
	Value         []ast.Value // nil for a drop
	WithoutEffect bool        // a default without effect, because the constant was already set or dropped
	Reads         int         // number of rules and constants that read it before the next one
}

// SetKind is what sets a constant.
type SetKind string

// The kinds of definitions.
const (
	ByConst   SetKind = "const"
	ByDefault SetKind = "default"
	ByDrop    SetKind = "drop"
	ByTokens  SetKind = "tokens"   // a design token file
	BySetting SetKind = "settings" // [constants] in the settings
)

// Count returns the number of recorded definitions, defaults and drops; 0 for a
// nil record.
func (r *Record) Count() int {
	if r == nil {
		return 0
	}
	return r.sets
}

// Entries returns all constants in the order in which they were first set.
func (r *Record) Entries() []*Entry { return r.order }

// Current returns the definition of the final value. ok is false if the
// constant was dropped, or was only read.
func (e *Entry) Current() (Set, bool) {
	for _, s := range slices.Backward(e.Sets) {
		if !s.WithoutEffect {
			return s, s.Kind != ByDrop
		}
	}
	return Set{}, false
}

// Overridden returns the definitions without effect on the final value.
func (e *Entry) Overridden() []Set {
	last := -1
	for i, s := range e.Sets {
		if !s.WithoutEffect {
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

// entry returns the entry of a constant, and creates it if necessary.
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

// add records a definition.
func (r *Record) add(path string, s Set) {
	e := r.entry(path)
	e.Sets = append(e.Sets, s)
	r.sets++
}

// records reports whether events in a scope are recorded.
func (c *Composer) records(s *Scope) bool { return c.Record != nil && s.outer == nil }

// startSetting records that a constant is being evaluated, and returns the
// previous one.
func (c *Composer) startSetting(p path, s *Scope) (before string) {
	before = c.setting
	if c.records(s) {
		c.setting = joinPath(p)
	}
	return before
}

// noteUse records that a constant is read. Reading a group reads all its keys.
func (c *Composer) noteUse(p path, at source.Span, s *Scope) {
	if c.Record == nil {
		return
	}
	for s.outer != nil {
		if _, own := s.local(p[0]); own {
			return // local to a block
		}
		s = s.outer
	}
	found, ok := s.Find(p)
	if !ok {
		return
	}
	leaves(joinPath(p), found, func(path string, _ *Constant) { c.Record.entry(path).read(c, at) })
}

// read records a use of the current definition.
func (e *Entry) read(c *Composer, at source.Span) {
	if c.setting == "" {
		use := Use{At: at, Property: c.property, Rule: c.open}
		if !e.used[use] {
			if e.used == nil {
				e.used = make(map[Use]bool)
			}
			e.used[use] = true
			e.Uses = append(e.Uses, use)
		}
	}
	switch {
	case c.setting == e.Path: // it is set to a value that depends on itself
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
		if !e.Sets[i].WithoutEffect {
			e.Sets[i].Reads++
			return
		}
	}
}

// noteFrom records the design tokens that a token refers to.
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

// noteSet records a definition.
func (c *Composer) noteSet(p path, constant *Constant, kind SetKind, s *Scope) {
	if !c.records(s) {
		return
	}
	if constant.Group != nil { // it replaces all existing keys
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

// noteDefault records a default without effect. Its value is evaluated without
// findings, for comparison.
func (c *Composer) noteDefault(p path, at source.Span, s *Scope, value func(*Composer) *Constant) {
	if !c.records(s) {
		return
	}
	leaves(joinPath(p), value(c.quiet()), func(path string, leaf *Constant) {
		c.Record.add(path, Set{At: at, Kind: ByDefault, Value: leaf.Value, WithoutEffect: true})
	})
}

// quiet returns a composer for values that are not output: it reports and
// records nothing.
func (c *Composer) quiet() *Composer {
	return &Composer{Report: func(diag.Diagnostic) {}, Limits: c.Limits, silent: true}
}

// noteMerged records the keys of a default group: those that it set, and those
// without effect.
func (c *Composer) noteMerged(p path, offered, made *Constant, s *Scope) {
	if !c.records(s) {
		return
	}
	taken := make(map[string]source.Span)
	leaves(joinPath(p), made, func(path string, leaf *Constant) { taken[path] = leaf.At })
	leaves(joinPath(p), offered, func(path string, leaf *Constant) {
		c.Record.add(path, Set{At: leaf.At, Kind: ByDefault, Value: leaf.Value, WithoutEffect: taken[path] != leaf.At})
	})
}

// noteDrop records that keys are dropped.
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
