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

// This file handles names that are hoisted: functions, mixins, custom media and
// custom selectors are visible before their definition as well. Outside of all
// blocks they are visible in the sheet and all its imports, in a block only in
// the block. The last definition of a name wins.

// definition is the definition in an @function, @mixin, @custom-media or
// @custom-selector rule.
type definition struct {
	key   string // kind and name: "function --twice", "media --narrow"
	at    source.Span
	scope *Scope // scope of its block; nil outside of all blocks

	callable *callable   // of a mixin or function
	values   []ast.Value // of custom media and custom selectors, with constants evaluated

	state resolution
	query mediaQuery     // result for custom media
	list  []ast.Selector // result for a custom selector
}

// resolution is the state of evaluating a definition, which may refer to other
// definitions.
type resolution uint8

// The states of a definition.
const (
	unresolved resolution = iota
	resolving
	resolved
	unusable // an error was reported
)

// The kinds of definitions.
const (
	functionKind = "function"
	mixinKind    = "mixin"
	mediaKind    = "media"
	selectorKind = "selector"
)

// keyOf returns the key of a definition.
func keyOf(kind, name string) string { return kind + " " + name }

// scopeOf returns the scope of a definition, as seen from s.
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

// define adds a definition to a scope.
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

// definition returns the definition of key that is visible in s, or nil.
func (s *Scope) definition(key string) *definition {
	for ; s.outer != nil; s = s.outer {
		if d := s.defs[key]; d != nil {
			return d
		}
	}
	s.touch()
	return s.outermost.definition(key)
}

// definition returns the last definition of a key outside of all blocks: of the
// previous pass if there was one, otherwise the last one so far.
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

// namesOf returns the visible names of a kind, sorted.
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

// ResolveHoisted calls compose with a new scope. If a hoisted name was used
// before its last definition, it calls compose again with a scope that has all
// definitions from the first call; and if there are families, with one that has
// their members. The caller must discard the results and findings of earlier
// calls then. names returns the names in use, sorted; it is only called if there
// are families or modes, and may be nil. The result is nil without families.
func ResolveHoisted(names func() []string, compose func(*Scope)) *Families {
	s := NewScope()
	compose(s)
	var last map[string]*definition
	if s.outermost.stale {
		last = s.outermost.copies()
		s = NewScope()
		s.outermost.last = last
		compose(s)
	}
	found := &s.outermost.families
	if len(found.list)+len(found.modes)+len(found.takes) == 0 {
		return nil
	}
	var used []string
	if names != nil {
		used = names()
	}
	return found.resolve(last, used, compose)
}

// ResolveAgain is [ResolveHoisted] for the sheets of an earlier result that are all
// unchanged: only the names in use differ. The families need not be collected again.
func ResolveAgain(before *Families, names func() []string, compose func(*Scope)) *Families {
	if before == nil || before.hoisted || names == nil {
		return ResolveHoisted(names, compose)
	}
	return before.first.resolve(nil, names(), compose)
}

// resolve calls compose until the members of the families are complete. last has the last
// definitions of names that were used before them; nil for none.
func (f *families) resolve(last map[string]*definition, used []string, compose func(*Scope)) *Families {
	p := f.newPlan(used)
	plan := p.plan
	const most = 16 // classes that take each other never become complete
	from := f
	out := func() *Families {
		made := &Families{first: f, collected: from, used: p.used, hoisted: last != nil}
		made.names.Store(&used)
		return made
	}
	for i := range most {
		p.take(from)
		s := NewScope()
		s.outermost.last = last
		s.outermost.families.plan = plan
		plan.incomplete, plan.last = false, i == most-1
		compose(s)
		from = &s.outermost.families
		switch {
		case s.outermost.stale: // the block of a family uses a later definition
			last = s.outermost.copies()
			for _, m := range p.members {
				m.made = false
			}
		case !plan.incomplete:
			return out()
		}
	}
	return out()
}

// copies returns the definitions outside of all blocks, unresolved.
func (o *outermost) copies() map[string]*definition {
	out := make(map[string]*definition)
	for key, d := range o.defs {
		copied := *d
		copied.state = unresolved
		out[key] = &copied
	}
	return out
}

// hoist makes the definitions in a block visible in the whole block. Custom
// media and custom selectors that read constants are only visible after their
// definition, because constants are.
func (c *Composer) hoist(nodes []ast.Node, s *Scope) {
	for _, n := range nodes {
		if r, ok := n.(*ast.AtRule); ok && hoisted(r) {
			c.define(r, s)
		}
	}
}

// definitionKind returns the kind of definition of a rule, or "" if it defines
// nothing.
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

// define evaluates a definition.
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

// hoisted reports whether a definition in a block is visible in the whole
// block.
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
		return v.IsFunction("const") || isInterpolated(&v) || readsConstants(v.Values())
	})
}

// resolve evaluates a definition once by calling read, and reports cycles. It
// returns false if the definition is invalid, after a finding.
func (c *Composer) resolve(d *definition, circular string, read func() bool) bool {
	switch d.state {
	case unresolved:
		d.state = resolving
		ok := read()
		switch {
		case !ok:
			d.state = unusable
		case d.state == resolving: // a cycle
			d.state = resolved
		}
	case resolving:
		d.state = unusable
		c.fail(code.BadCustomName, d.at, circular, "")
	}
	return d.state == resolved
}

// block evaluates the nodes of a block in the scope of the block.
func (c *Composer) block(nodes []ast.Node, s *Scope) []ast.Node {
	c.hoist(nodes, s)
	out, _ := ast.Map(nodes, func(n ast.Node) ast.Edit { return c.node(n, s) })
	return out
}

// unknownName reports an undefined name. The finding is delayed, so that it can
// point at a definition inside a block.
func (c *Composer) unknownName(finding code.Code, kind, what, name, shown string, at source.Span, s *Scope) {
	near := s.namesOf(kind)
	if kind == selectorKind {
		for i := range near {
			near[i] = ":" + near[i]
		}
	}
	c.wait(finding, at, keyOf(kind, name), "unknown "+what+" \""+shown+"\"", diag.DidYouMean(shown, near, ""), s)
}

// name returns the defined name.
func (d *definition) name() string {
	_, name, _ := strings.Cut(d.key, " ")
	return name
}
