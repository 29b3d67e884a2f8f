package compose

import (
	"fmt"
	"maps"
	"slices"
	"strings"

	"rinzel/internal/css/ast"
	"rinzel/internal/diag"
	"rinzel/internal/source"
)

// Scope holds the constants, mixins and functions that are visible at a
// position in a sheet.
type Scope struct {
	outer     *Scope // scope of the parent block; nil outside of all blocks
	values    map[string]*Constant
	members   *Group     // group whose keys the scope contains as well; nil for none
	vars      *loopVars  // of the loop whose body this is
	outermost *outermost // shared state of the scope outside of all blocks

	defs  map[string]*definition // definitions in the block, by key
	call  *call                  // the call whose body this is
	prior *condition             // negation of the conditions of the @when and @else chain that ends here
}

// outermost is the state of the scope outside of all blocks, which inner scopes
// share.
type outermost struct {
	drops []*Drop // all of them
	// waiting are delayed findings about undefined names; later has definitions
	// of such names.
	waiting []waiting
	later   map[string]laterDefinition

	defs   map[string]*definition // definitions so far
	last   map[string]*definition // last definition of each key in the previous pass; nil in the first pass
	looked map[string]bool        // keys that were looked up so far
	stale  bool                   // one of them was defined later, or again

	families families // so far

	// touched is set if something was looked up or defined outside of all
	// blocks.
	touched bool
}

// loopVars are the variables of one iteration of a loop.
type loopVars struct {
	names []string // the key, if there are two, and the item
	iteration
}

// find returns the value of a variable, or nil.
func (t *loopVars) find(name string) *Constant {
	switch {
	case t == nil:
		return nil
	case t.names[len(t.names)-1] == name:
		return t.item
	case t.names[0] == name:
		return t.key
	}
	return nil
}

// local returns a constant that was set in the scope itself.
func (s *Scope) local(name string) (*Constant, bool) {
	if c, ok := s.values[name]; ok {
		return c, true
	}
	if s.members != nil {
		if c, ok := s.members.Find(name); ok {
			return c, true
		}
	}
	c := s.vars.find(name)
	return c, c != nil
}

// Constant is a named value or group. It is immutable.
type Constant struct {
	Value []ast.Value // nil for a group
	Group *Group      // nil for a value
	At    source.Span // position of the name where it was set
	// offer is where a default outside of all blocks was first read. It is the
	// only mutable part of a Constant.
	offer *offer
}

// offer is a default that may have been read, so that setting the constant now
// is too late.
type offer struct {
	read source.Span // the zero Span if it was not read
}

// isRead records a read of a constant.
func (c *Constant) isRead(at source.Span) {
	if c.offer != nil && !c.offer.read.IsValid() {
		c.offer.read = at
	}
}

// Drop is an @drop: it removes an existing key, and blocks defaults that would
// set it later.
type Drop struct {
	Path    string
	At      source.Span
	Matched bool   // there was a key to remove
	Near    string // a similar key, if none was removed
}

// NewScope returns an empty scope outside of all blocks.
func NewScope() *Scope {
	return &Scope{values: make(map[string]*Constant), outermost: new(outermost)}
}

// inner returns the scope of a block in s. It is free until a constant is set
// in it.
func (s *Scope) inner() *Scope { return &Scope{outer: s} }

// Touched reports whether anything was looked up outside of all blocks, or
// defined anywhere, since the last call. If not, the nodes composed in between
// yield the same result in any scope.
func (s *Scope) Touched() bool {
	top := s.top()
	touched := top.touched
	top.touched = false
	return touched
}

// Pass records that nodes without build-time language come here, so that an
// @else after them does not continue an @when before them.
func (s *Scope) Pass() { s.prior = nil }

// touch records a lookup in the outermost scope.
func (s *Scope) touch() {
	if s.outermost != nil {
		s.outermost.touched = true
	}
}

// path is the name of a constant: a group and the keys in it.
type path []string

// Find returns the constant that is visible under a path. ok is false if it is
// not set.
func (s *Scope) Find(p path) (c *Constant, ok bool) {
	for ; s != nil; s = s.outer {
		s.touch()
		if c, ok = s.local(p[0]); ok {
			break
		}
	}
	for _, key := range p[1:] {
		if !ok || c.Group == nil {
			return nil, false
		}
		c, ok = c.Group.Find(key)
	}
	return c, ok
}

// waiting is a delayed finding about an undefined name.
type waiting struct {
	name string // "constant gap", "mixin --card"
	diag diag.Diagnostic
}

// laterDefinition is a definition that comes after a use.
type laterDefinition struct {
	at      source.Span
	inBlock bool // it is local to a block
}

// top returns the outermost state.
func (s *Scope) top() *outermost {
	for s.outer != nil {
		s = s.outer
	}
	return s.outermost
}

// defines records a definition for delayed findings.
func (s *Scope) defines(name string, at source.Span) {
	top := s.top()
	top.touched = true
	inBlock := s.outer != nil
	if have, ok := top.later[name]; ok && (inBlock || !have.inBlock) || !inBlock && len(top.waiting) == 0 {
		return
	}
	if top.later == nil {
		top.later = make(map[string]laterDefinition)
	}
	top.later[name] = laterDefinition{at, inBlock}
}

// Unknown returns the findings about undefined names, each with the position of
// a later or local definition.
func (s *Scope) Unknown() []diag.Diagnostic {
	var out []diag.Diagnostic
	for _, w := range s.outermost.waiting {
		d := w.diag
		if def, ok := s.outermost.later[w.name]; ok {
			d.Undefined = "" // it is defined elsewhere
			message := "defined here, which is too late"
			d.Fix = "define it before its first use"
			if def.at.Start.File != d.Span.Start.File {
				d.Fix = "define it before this sheet is imported, or import the sheet that defines it before this one"
			}
			if def.inBlock {
				message = "defined here, in a block, and only visible in it"
				d.Fix = "move it out of the block"
			}
			d.Related = append([]diag.Related{{Span: def.at, Message: message}}, d.Related...)
		}
		if d.Fix == "" {
			kind, name, _ := strings.Cut(w.name, " ")
			if near := diag.Nearest(name, s.defined(kind, name)); near != "" {
				if d.Fix = fmt.Sprintf("did you mean %q?", near); kind == "constant" {
					d.Fix = fmt.Sprintf("did you mean %q, which is defined later?", near)
				}
			}
		}
		out = append(out, d)
	}
	return out
}

// defined returns the names of a kind that are visible in the end and similar
// to a name.
func (s *Scope) defined(kind, name string) []string {
	if kind == "constant" {
		return s.near(strings.Split(name, "."))
	}
	return s.namesOf(kind)
}

// knows reports whether a constant or group is set.
func (s *Scope) knows(name string) bool {
	_, ok := s.Find(path{name})
	return ok
}

// set sets the constant at a path in the scope itself. Parent groups are
// created, or copied from outer scopes.
func (s *Scope) set(p path, c *Constant) {
	s.defines("constant "+joinPath(p), c.At)
	for i := len(p) - 1; i > 0; i-- {
		group := &Group{}
		at := c.At
		if outer, ok := s.Find(p[:i]); ok && outer.Group != nil {
			group, at = outer.Group, outer.At
		}
		c = &Constant{Group: group.with(p[i], c), At: at}
	}
	s.put(p[0], c)
}

// put sets a constant in the scope itself.
func (s *Scope) put(name string, c *Constant) {
	if s.values == nil {
		s.values = make(map[string]*Constant)
	}
	s.values[name] = c
}

// drop removes a key from a group, and blocks later defaults for it.
func (s *Scope) drop(p path, at source.Span) {
	last := len(p) - 1
	_, there := s.Find(p)
	d := &Drop{Path: joinPath(p), At: at, Matched: there}
	group := &Constant{Group: &Group{}, At: at}
	if found, ok := s.Find(p[:last]); ok {
		group = found
	}
	s.set(p[:last], &Constant{Group: group.Group.without(p[last], d), At: group.At})
	top := s.top()
	top.drops = append(top.drops, d)
}

// isDropped reports whether the key at a path was dropped, and records that a
// default tried to set it.
func (s *Scope) isDropped(p path) bool {
	for i := len(p) - 1; i > 0; i-- {
		if c, ok := s.Find(p[:i]); ok && c.Group != nil && c.Group.dropped.at(p[i]) != nil {
			c.Group.dropped.at(p[i]).Matched = true
			return true
		}
	}
	return false
}

// UnmatchedDrops returns the drops without effect so far.
func (s *Scope) UnmatchedDrops() []Drop {
	var out []Drop
	for _, d := range s.outermost.drops {
		if !d.Matched {
			idle := *d
			idle.Near = diag.Nearest(d.Path, s.near(strings.Split(d.Path, ".")))
			out = append(out, idle)
		}
	}
	return out
}

// near returns the paths that an undefined path may be a misspelling of: those
// that start with its longest existing prefix.
func (s *Scope) near(p path) []string {
	for i := len(p) - 1; i > 0; i-- {
		if c, ok := s.Find(p[:i]); ok && c.Group != nil {
			var out []string
			for _, key := range c.Group.keys {
				out = append(out, joinPath(append(slices.Clone(p[:i]), key)))
			}
			return out
		}
	}
	all := make(map[string]bool)
	for ; s != nil; s = s.outer {
		for name := range s.values {
			all[name] = true
		}
		if s.vars != nil {
			for _, name := range s.vars.names {
				all[name] = true
			}
		}
	}
	return slices.Sorted(maps.Keys(all))
}
