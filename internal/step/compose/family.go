package compose

import (
	"fmt"
	"maps"
	"slices"

	"rinzel/internal/css/ast"
	"rinzel/internal/css/grammar"
	"rinzel/internal/css/token"
	"rinzel/internal/diag"
	"rinzel/internal/diag/code"
	"rinzel/internal/source"
)

// This file evaluates families of classes, which exist as far as they are in use:
//
//	@family .padding-(step) { @slot step: const(space); padding: const(step); }
//	@mode hover- { &:hover { @contents; } }
//	@take .padding-2 .hover-padding-4;

// family evaluates an @family rule: to the rules of its members in use.
func (c *Composer) family(r *ast.AtRule, s *Scope) (out []ast.Node) {
	top := s.top()
	if r.Block == nil || c.inStyle {
		c.fail(code.BadFamily, r.Span(), "@family needs a block, and cannot be inside of a rule", "")
		return nil
	}
	before := c.open
	c.open = textOfValues(r.Prelude) // for the record of constants
	slots, body, ok := c.slots(r, s)
	c.open = before
	if !ok {
		return nil
	}
	p := c.pattern(r, slots, s)
	if p == nil {
		return nil
	}
	for _, o := range slots {
		if !o.used {
			c.report(diag.Diagnostic{Code: code.BadFamily, Severity: diag.Error, Span: o.at,
				Message: fmt.Sprintf("the class name %q has no slot %q", p, o.names[0])})
			return nil
		}
	}
	f := &family{pattern: p, slots: slots, body: body, block: r.Block, at: ast.SpanOf(r.Prelude)}
	index := len(top.families.list)
	top.families.list = append(top.families.list, f)
	top.touched = true
	plan := top.families.plan
	if plan == nil || index >= len(plan.needed) {
		return nil
	}
	for _, m := range plan.needed[index] {
		waits := plan.incomplete
		plan.incomplete = false
		c.makeMember(m, f, s)
		m.made = !plan.incomplete // otherwise it takes a class that is not made yet
		plan.incomplete = plan.incomplete || waits
	}
	c.reportConflicts(plan, index, top)
	for _, m := range plan.plain[index] {
		if !m.invalid {
			out = append(out, f.rule(m.name, m.nodes))
		}
	}
	return out
}

// rule returns the rule of a member.
func (f *family) rule(name string, nodes []ast.Node) *ast.StyleRule {
	class := ast.Simple{Kind: ast.ClassSelector, Name: token.EscapeName(name), Pos: f.at.Start}
	block := *f.block
	block.Nodes = nodes
	return &ast.StyleRule{Selectors: []ast.Selector{{class}}, Block: block}
}

// makeMember evaluates the block of a family for a member.
func (c *Composer) makeMember(m *member, f *family, s *Scope) {
	inner := s.inner()
	free := false
	for i, fill := range m.fills {
		names := f.pattern.slots[i].names
		inner.put(names[0], fill.value)
		if len(names) > 1 {
			inner.put(names[0], keyValue(fill))
			inner.put(names[1], fill.value)
		}
		free = free || fill.free
	}
	rule := f.rule(m.name, f.body)
	c.trail = append(c.trail, frame{at: f.at, member: m.name})
	edit := c.ruleOf(rule, inner)
	c.trail = c.trail[:len(c.trail)-1]
	m.nodes = nil
	for _, n := range edit.Append(nil, rule) {
		m.nodes = append(m.nodes, ast.Body(n)...)
	}
	m.invalid = free && !takesAll(m.nodes) || !c.count(iterationWeight+weight(m.nodes), f.at)
}

// keyValue returns the key of a fill as a value: a number if it is one, otherwise a
// word.
func keyValue(f fill) *Constant {
	if values, ok := freeValue(f.key); ok && values[0].Kind != token.Ident && values[0].Kind != token.Hash {
		values[0].Pos = f.value.At.Start
		return &Constant{Value: values, At: f.value.At}
	}
	return word(f.key, f.value.At)
}

// takesAll reports whether all declarations are valid: a free value may fit none of
// them.
func takesAll(nodes []ast.Node) bool {
	ok := true
	ast.Walk(nodes, func(n ast.Node) bool {
		if d, is := n.(*ast.Declaration); is && !d.IsCustom() && !grammar.Open(d.Value) {
			if property, known := grammar.Property(token.Lower(d.Name)); known && !property.Valid(d.Value) {
				ok = false
			}
		}
		return ok
	})
	return ok
}

// reportConflicts reports classes that a family claims, and another one, or the same one
// with other modes.
func (c *Composer) reportConflicts(p *plan, family int, top *outermost) {
	for _, x := range p.conflicts {
		if max(x.first.family, x.second.family) != family || x.first.invalid || x.second.invalid {
			continue
		}
		first, at := p.claimant(x.first, top)
		second, here := p.claimant(x.second, top)
		c.report(diag.Diagnostic{Code: code.BadFamily, Severity: diag.Error, Span: here,
			Message: fmt.Sprintf("the class %q can be read in two ways: as a class of %s, and of %s", x.name, first, second),
			Fix:     "use other names, or keys that differ", Related: []diag.Related{{Span: at, Message: "the other one"}}})
	}
}

// claimant returns the family and modes of a class for a message, and the place of its
// last mode, or of its family.
func (p *plan) claimant(m *moded, top *outermost) (text string, at source.Span) {
	fam := top.families.list[m.family]
	text, at = fmt.Sprintf("the family %q", fam.pattern), fam.at
	for i, k := range m.modes {
		mode := p.before[k]
		if i == 0 {
			text += " with the mode"
			if len(m.modes) > 1 {
				text += "s"
			}
		}
		text += fmt.Sprintf(" %q", mode.prefix)
		at = mode.at
	}
	return text, at
}

// mode evaluates an @mode rule: to the rules of the members in use whose last mode it
// is.
func (c *Composer) mode(r *ast.AtRule, s *Scope) (out []ast.Node) {
	const form = "write it like @mode hover- { &:hover { @contents; } }"
	top := s.top()
	if r.Block == nil || c.inStyle {
		c.fail(code.BadFamily, r.Span(), "@mode needs a block, and cannot be inside of a rule", form)
		return nil
	}
	prefix, ok := c.modePrefix(r, s)
	if !ok {
		c.fail(code.BadFamily, r.Span(), "@mode has no name: expected the start of class names, such as hover-", form)
		return nil
	}
	if !hasContents(r.Block.Nodes) {
		c.fail(code.BadFamily, r.Span(), "@mode without @contents: its classes would have no declarations", form)
		return nil
	}
	m := &mode{prefix: prefix, body: r.Block.Nodes, scope: s, at: ast.SpanOf(r.Prelude)}
	index := len(top.families.modes)
	top.families.modes = append(top.families.modes, m)
	top.touched = true
	plan := top.families.plan
	if plan == nil || index >= len(plan.moded) {
		return nil
	}
	for _, use := range plan.moded[index] {
		if nodes, ok := c.inModes(use, plan, top); ok {
			out = append(out, &ast.StyleRule{
				Selectors: []ast.Selector{{{Kind: ast.ClassSelector, Name: token.EscapeName(use.name), Pos: m.at.Start}}},
				Block:     ast.Block{LBrace: r.Block.LBrace, RBrace: r.Block.RBrace, Nodes: nodes}})
		}
	}
	return out
}

// modePrefix returns the start of the class names of a mode.
func (c *Composer) modePrefix(r *ast.AtRule, s *Scope) (prefix string, ok bool) {
	values := r.Prelude
	if len(values) == 0 {
		return "", false
	}
	for i := 0; i < len(values); i++ {
		v := &values[i]
		switch {
		case i > 0 && v.Space:
			return "", false
		case v.Kind == token.Function, v.Kind == token.LParen:
			text, ok := c.interpolated(v, s)
			if !ok {
				return "", false
			}
			if v.Kind == token.Function {
				prefix += token.Unescape(v.Name())
			}
			prefix += text
		case v.Kind == token.Ident, v.Kind == token.Delim, v.Kind == token.Number, v.Kind == token.Dimension,
			v.Kind == token.Percentage, v.Kind == token.Colon:
			prefix += token.Unescape(v.Text)
		default:
			return "", false
		}
	}
	return prefix, true
}

// hasContents reports whether there is an @contents in nodes.
func hasContents(nodes []ast.Node) bool {
	found := false
	ast.Walk(nodes, func(n ast.Node) bool {
		r, ok := n.(*ast.AtRule)
		found = found || ok && token.EqualFold(r.Name, "contents")
		return !found
	})
	return found
}

// inModes returns the nodes of a member inside of its modes. ok is false if they are
// not known yet, or if the member is invalid.
func (c *Composer) inModes(use *moded, p *plan, top *outermost) (nodes []ast.Node, ok bool) {
	if !use.made {
		p.incomplete = true
		return nil, false
	}
	nodes = use.nodes
	for _, k := range slices.Backward(use.modes) {
		m := p.before[k]
		if k < len(top.families.modes) {
			m = top.families.modes[k]
		}
		nodes = c.inMode(m, nodes)
	}
	return nodes, !use.invalid
}

// inMode evaluates the block of a mode with contents, which are evaluated.
func (c *Composer) inMode(m *mode, contents []ast.Node) []ast.Node {
	inStyle := c.inStyle
	c.inStyle = true
	defer func() { c.inStyle = inStyle }()
	if !c.descend(m.at) {
		return nil
	}
	defer func() { c.depth-- }()
	inner := m.scope.inner()
	inner.call = &call{of: &callable{name: m.prefix, at: m.at}, contents: contents, given: true, caller: NewScope()}
	return c.block(m.body, inner)
}

// take evaluates an @take rule: to the declarations of classes of families.
func (c *Composer) take(r *ast.AtRule, s *Scope) (out []ast.Node) {
	const form = "write it like @take .padding-2 .hover-padding-4;"
	if !c.inStyle || r.Block != nil {
		c.fail(code.BadFamily, r.Span(), "@take must be in a rule, and has no block", form)
		return nil
	}
	names, ok := takenNames(r.Prelude)
	if !ok {
		c.fail(code.BadFamily, r.Span(), "@take expects classes of families, separated by spaces", form)
		return nil
	}
	top := s.top()
	top.touched = true
	for i, name := range names {
		out = append(out, c.taken(name, ast.SpanOf(r.Prelude[i*2:i*2+2]), top)...)
	}
	return out
}

// taken returns the nodes of a class that is named at a span.
func (c *Composer) taken(name string, at source.Span, top *outermost) []ast.Node {
	plan := top.families.plan
	if plan == nil || plan.byName[name] == nil && !plan.unknown[name] {
		top.families.want(name)
		return nil
	}
	use := plan.member(name)
	switch {
	case use == nil, use.made && use.invalid:
		c.fail(code.UnknownMember, at, fmt.Sprintf("no family has the class %q", name),
			diag.DidYouMean(name, slices.Sorted(maps.Keys(plan.byName)), ""))
		return nil
	case !use.made && plan.last:
		c.fail(code.BadFamily, at, fmt.Sprintf("the class %q takes itself, or classes that are nested too deep", name), "")
		return nil
	}
	nodes, ok := c.inModes(use, plan, top)
	if !ok || !c.count(weight(nodes), at) {
		return nil
	}
	return nodes
}

// takenNames returns the names of classes in the prelude of @take.
func takenNames(values []ast.Value) (names []string, ok bool) {
	for len(values) > 1 {
		if !values[0].IsDelim('.') || values[1].Kind != token.Ident || values[1].Space {
			return nil, false
		}
		names = append(names, token.Unescape(values[1].Text))
		values = values[2:]
	}
	return names, len(values) == 0 && len(names) > 0
}
