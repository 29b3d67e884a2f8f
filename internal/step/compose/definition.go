package compose

import (
	"maps"
	"slices"
	"strings"

	"rinzel/internal/css/ast"
	"rinzel/internal/css/token"
	"rinzel/internal/diag"
	"rinzel/internal/diag/code"
	"rinzel/internal/source"
)

// This file is about names that hold wherever they are defined: those of functions, mixins, custom
// media and custom selectors. Outside of all blocks they hold for a sheet and all that its imports
// reach, in a block for the block. Of two definitions of one name the last one counts.

// definition is what an @function, @mixin, @custom-media or @custom-selector rule defines.
type definition struct {
	key   string // kind and name: "function --twice", "media --narrow"
	at    source.Span
	scope *Scope // of the block that it stands in; nil outside of all blocks

	callable *callable   // of a mixin or a function
	values   []ast.Value // of custom media and custom selectors, with their constants read

	state resolution
	query mediaQuery     // that the values of custom media come to
	list  []ast.Selector // that the values of a custom selector come to
}

// resolution tells whether the values of a definition, which may refer to other definitions, have
// been worked out.
type resolution uint8

const (
	unresolved resolution = iota
	resolving
	resolved
	unusable // after a finding
)

// The kinds of definitions.
const (
	functionKind = "function"
	mixinKind    = "mixin"
	mediaKind    = "media"
	selectorKind = "selector"
)

func keyOf(kind, name string) string { return kind + " " + name }

// scopeOf returns the scope in which a definition stands, as seen from a place.
func (d *definition) scopeOf(s *Scope) *Scope {
	if d.scope != nil {
		return d.scope
	}
	return s.outside()
}

// outside returns the scope outside of all blocks.
func (s *Scope) outside() *Scope {
	for s.outer != nil {
		s = s.outer
	}
	return s
}

// define makes a definition hold in a scope.
func (s *Scope) define(d *definition) {
	s.defines(d.key, d.at)
	if s.outer != nil {
		d.scope = s
		if s.defs == nil {
			s.defs = make(map[string]*definition)
		}
		s.defs[d.key] = d
		return
	}
	top := s.outermost
	if top.defs == nil {
		top.defs = make(map[string]*definition)
	}
	top.defs[d.key] = d
	top.stale = top.stale || top.looked[d.key]
}

// definition returns the definition that a place sees, or nil.
func (s *Scope) definition(key string) *definition {
	for ; s.outer != nil; s = s.outer {
		if d := s.defs[key]; d != nil {
			return d
		}
	}
	s.touch()
	return s.outermost.definition(key)
}

// definition returns the last definition of a key outside of all blocks: of the pass before, if
// there was one, or else the last so far.
func (o *outermost) definition(key string) *definition {
	own := o.defs[key]
	if last := o.last[key]; last != nil && (own == nil || own.at != last.at) {
		return last
	}
	if o.looked == nil {
		o.looked = make(map[string]bool)
	}
	o.looked[key] = true
	return own
}

// namesOf returns the names of all definitions of a kind that a place sees, sorted.
func (s *Scope) namesOf(kind string) []string {
	all := make(map[string]bool)
	note := func(defs map[string]*definition) {
		for key := range defs {
			if name, ok := strings.CutPrefix(key, kind+" "); ok {
				all[name] = true
			}
		}
	}
	for ; s.outer != nil; s = s.outer {
		note(s.defs)
	}
	note(s.outermost.defs)
	note(s.outermost.last)
	return slices.Sorted(maps.Keys(all))
}

// Settle calls compose with a new scope. If a function, a mixin, custom media or a custom selector was
// looked for before its last definition was met, it calls compose once more, with a scope that knows
// all definitions: what the first call made and reported is to be thrown away then.
func Settle(compose func(*Scope)) {
	s := NewScope()
	compose(s)
	if !s.outermost.stale {
		return
	}
	last := make(map[string]*definition)
	for key, d := range s.outermost.defs {
		copied := *d
		copied.state = unresolved
		last[key] = &copied
	}
	s = NewScope()
	s.outermost.last = last
	compose(s)
}

// hoist makes what the nodes of a block define hold in all of the block. Custom media and custom
// selectors that read constants hold from where they stand, since constants do.
func (c *Composer) hoist(nodes []ast.Node, s *Scope) {
	for _, n := range nodes {
		if r, ok := n.(*ast.AtRule); ok && hoisted(r) {
			c.define(r, s)
		}
	}
}

// definitionKind returns the kind of what a rule defines, or nothing if it defines nothing.
func definitionKind(r *ast.AtRule) string {
	switch token.Lower(r.Name) {
	case "function":
		return functionKind
	case "mixin":
		return mixinKind
	case "custom-media":
		return mediaKind
	case "custom-selector":
		return selectorKind
	}
	return ""
}

// define obeys a rule that defines something.
func (c *Composer) define(r *ast.AtRule, s *Scope) {
	switch definitionKind(r) {
	case mediaKind:
		c.customMedia(r, s)
	case selectorKind:
		c.customSelector(r, s)
	default:
		c.defineCallable(r, s)
	}
}

// hoisted reports whether a rule that stands in a block defines something for all of the block.
func hoisted(r *ast.AtRule) bool {
	switch definitionKind(r) {
	case functionKind, mixinKind:
		return true
	case mediaKind, selectorKind:
		return !readsConstants(r.Prelude)
	}
	return false
}

// readsConstants reports whether values may read a constant.
func readsConstants(values []ast.Value) bool {
	return slices.ContainsFunc(values, func(v ast.Value) bool {
		return v.IsFunction("const") || isSplice(&v) || readsConstants(v.Values())
	})
}

// resolve works a definition out by read, once, and reports one that is made of itself. It returns false if
// the definition is of no use, after a finding.
func (c *Composer) resolve(d *definition, circular string, read func() bool) bool {
	switch d.state {
	case unresolved:
		d.state = resolving
		ok := read()
		switch {
		case !ok:
			d.state = unusable
		case d.state == resolving: // else it met itself
			d.state = resolved
		}
	case resolving:
		d.state = unusable
		c.fail(code.BadCustomName, d.at, circular, "")
	}
	return d.state == resolved
}

// block returns what the nodes of a block make, in the scope of the block.
func (c *Composer) block(nodes []ast.Node, s *Scope) []ast.Node {
	c.hoist(nodes, s)
	out, _ := ast.Map(nodes, func(n ast.Node) ast.Edit { return c.node(n, s) })
	return out
}

// unknownName reports a name that nothing defines. The finding waits, so that it can tell of a place
// that defines the name in a block.
func (c *Composer) unknownName(finding code.Code, kind, what, name, shown string, at source.Span, s *Scope) {
	near := s.namesOf(kind)
	if kind == selectorKind {
		for i := range near {
			near[i] = ":" + near[i]
		}
	}
	c.wait(finding, at, keyOf(kind, name), "unknown "+what+" \""+shown+"\"", diag.DidYouMean(shown, near, ""), s)
}

// name returns the name that is defined.
func (d *definition) name() string {
	_, name, _ := strings.Cut(d.key, " ")
	return name
}
