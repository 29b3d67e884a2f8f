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

// Scope holds the constants, mixins and functions that a place in a sheet sees.
type Scope struct {
	outer     *Scope // of the block around; nil outside of all blocks
	values    map[string]*Constant
	members   *Group     // whose keys the scope holds as well; nil for none
	turning   *loopTurn  // of the loop whose body this is the scope of
	outermost *outermost // what the scope outside of all blocks holds beside

	defs  map[string]*definition // of a block, by their keys
	call  *call                  // the call whose body this is the scope of
	prior *condition             // that no @when or @else of the chain that ends here is true
}

// outermost is what the scope outside of all blocks holds for all within.
type outermost struct {
	drops []*Drop // all that were met
	// waiting are findings about names that were not known, and later where
	// such a name was defined after all.
	waiting []waiting
	later   map[string]laterDefinition

	defs   map[string]*definition // that were met so far
	last   map[string]*definition // that the pass before met, of each key the last one; nil in a first pass
	looked map[string]bool        // keys that were looked for so far
	stale  bool                   // one of them was defined later, or again

	// touched tells that something was looked for outside of all blocks, or defined.
	touched bool
}

// loopTurn is what the names of a loop stand for in one turn.
type loopTurn struct {
	names []string // the key, if there are two, and the item
	turn
}

// find returns what a name stands for, or nil.
func (t *loopTurn) find(name string) *Constant {
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

// own returns the constant of a name that was set in the scope itself.
func (s *Scope) own(name string) (*Constant, bool) {
	if c, ok := s.values[name]; ok {
		return c, true
	}
	if s.members != nil {
		if c, ok := s.members.Find(name); ok {
			return c, true
		}
	}
	c := s.turning.find(name)
	return c, c != nil
}

// Constant is a value or a group that has a name. A Constant is immutable.
type Constant struct {
	Value []ast.Value // of what is no group
	Group *Group      // nil for a value
	At    source.Span // of the name where it was set
	// offer is, of a default outside of all blocks, where it was read first. It is the one part of a
	// Constant that changes.
	offer *offer
}

// offer is a default that something may have read, so that setting the constant now comes too late.
type offer struct {
	read source.Span // the zero Span if nothing has
}

// isRead notes that a constant is read at a place.
func (c *Constant) isRead(at source.Span) {
	if c.offer != nil && !c.offer.read.IsValid() {
		c.offer.read = at
	}
}

// Drop is an @drop: it takes away a key that is there, and keeps away one that
// a default would fill in later.
type Drop struct {
	Path string
	At   source.Span
	Hit  bool   // there was a key to drop
	Near string // a key that may have been meant, of one that dropped nothing
}

// NewScope returns an empty scope outside of all blocks.
func NewScope() *Scope {
	return &Scope{values: make(map[string]*Constant), outermost: new(outermost)}
}

// inner returns the scope of a block within s. It costs nothing until a
// constant is set in it.
func (s *Scope) inner() *Scope { return &Scope{outer: s} }

// Touched reports whether, since the last call, anything was looked for outside of
// all blocks, or defined anywhere. What was composed meanwhile becomes the same in any
// scope if not.
func (s *Scope) Touched() bool {
	top := s.top()
	touched := top.touched
	top.touched = false
	return touched
}

// Pass notes that nodes stood here which are known to say nothing to the build, so
// that no @else goes on with an @when before them.
func (s *Scope) Pass() { s.prior = nil }

// touch notes that a scope is looked at, if it is the one outside of all blocks.
func (s *Scope) touch() {
	if s.outermost != nil {
		s.outermost.touched = true
	}
}

// path is the name of a constant: that of a group, and the keys within it.
type path []string

// Find returns the constant that a place in the scope sees under a path. ok is
// false if nothing set it.
func (s *Scope) Find(p path) (c *Constant, ok bool) {
	for ; s != nil; s = s.outer {
		s.touch()
		if c, ok = s.own(p[0]); ok {
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

// waiting is a finding about a name that is not known.
type waiting struct {
	name string // "constant gap", "mixin --card"
	diag diag.Diagnostic
}

// laterDefinition is where a name was defined.
type laterDefinition struct {
	at      source.Span
	inBlock bool // and so it ends with the block
}

// top returns what the scope outside of all blocks holds.
func (s *Scope) top() *outermost {
	for s.outer != nil {
		s = s.outer
	}
	return s.outermost
}

// defines notes where a name is defined, for findings that wait.
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

// Unknown returns the findings about names that nothing had defined where
// they were used, with the places that define them later or within a block.
func (s *Scope) Unknown() []diag.Diagnostic {
	var out []diag.Diagnostic
	for _, w := range s.outermost.waiting {
		d := w.diag
		if def, ok := s.outermost.later[w.name]; ok {
			d.Undefined = "" // it is, in another place
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

// defined returns the names of all of a kind that a scope holds at last, and
// that may have been meant by one.
func (s *Scope) defined(kind, name string) []string {
	if kind == "constant" {
		return s.near(strings.Split(name, "."))
	}
	return s.namesOf(kind)
}

// knows reports whether a constant or a group of a name is set.
func (s *Scope) knows(name string) bool {
	_, ok := s.Find(path{name})
	return ok
}

// set sets the constant at a path in the scope itself. Groups on the way are
// made, or copied from outer scopes.
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

func (s *Scope) put(name string, c *Constant) {
	if s.values == nil {
		s.values = make(map[string]*Constant)
	}
	s.values[name] = c
}

// drop takes a key out of a group, and keeps it away.
func (s *Scope) drop(p path, at source.Span) {
	last := len(p) - 1
	_, there := s.Find(p)
	d := &Drop{Path: joinPath(p), At: at, Hit: there}
	group := &Constant{Group: &Group{}, At: at}
	if found, ok := s.Find(p[:last]); ok {
		group = found
	}
	s.set(p[:last], &Constant{Group: group.Group.without(p[last], d), At: group.At})
	top := s.top()
	top.drops = append(top.drops, d)
}

// keepsAway reports whether the key at a path was dropped, and notes that a
// default wanted to fill it in.
func (s *Scope) keepsAway(p path) bool {
	for i := len(p) - 1; i > 0; i-- {
		if c, ok := s.Find(p[:i]); ok && c.Group != nil && c.Group.dropped.at(p[i]) != nil {
			c.Group.dropped.at(p[i]).Hit = true
			return true
		}
	}
	return false
}

// IdleDrops returns the drops that dropped nothing so far.
func (s *Scope) IdleDrops() []Drop {
	var out []Drop
	for _, d := range s.outermost.drops {
		if !d.Hit {
			idle := *d
			idle.Near = diag.Nearest(d.Path, s.near(strings.Split(d.Path, ".")))
			out = append(out, idle)
		}
	}
	return out
}

// near returns the paths that one which was not found may be meant to be:
// those that begin with its longest part that exists.
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
		if s.turning != nil {
			for _, name := range s.turning.names {
				all[name] = true
			}
		}
	}
	return slices.Sorted(maps.Keys(all))
}
