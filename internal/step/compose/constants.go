package compose

import (
	"fmt"
	"slices"
	"strings"

	"rinzel/internal/css/ast"
	"rinzel/internal/css/token"
	"rinzel/internal/diag"
	"rinzel/internal/diag/code"
	"rinzel/internal/source"
)

// joinPath returns a path as text: tone.calm.
func joinPath(p path) string { return strings.Join(p, ".") }

// readPath reads a path at the start of values, and returns how many values it
// consists of. A key may be a number: blue.50 is tokenized as blue and .50.
func readPath(values []ast.Value) (p path, n int) {
	if len(values) == 0 || values[0].Kind != token.Ident {
		return nil, 0
	}
	p = path{token.Unescape(values[0].Text)}
	for n = 1; n < len(values) && !values[n].Space; {
		v := &values[n]
		switch {
		case (v.Kind == token.Number || v.Kind == token.Dimension) && v.Text[0] == '.':
			p = append(p, token.Unescape(v.Text[1:]))
			n++
		case v.IsDelim('.') && n+1 < len(values) && !values[n+1].Space && isKey(values[n+1].Kind):
			p = append(p, token.Unescape(values[n+1].Text))
			n += 2
		default:
			return p, n
		}
	}
	return p, n
}

// isKey reports whether a token can be a key.
func isKey(k token.Kind) bool { return k == token.Ident || k == token.Number || k == token.Dimension }

// set evaluates an @const or @default rule.
func (c *Composer) set(r *ast.AtRule, s *Scope) {
	p, n := readPath(r.Prelude)
	rest := r.Prelude[n:]
	isDefault := token.EqualFold(r.Name, "default")
	form := fmt.Sprintf("write @%s name: value; or @%s name { key: value; }", r.Name, r.Name)
	switch {
	case p == nil:
		c.fail(code.BadConstant, r.Span(), fmt.Sprintf("@%s has no name: expected one before the value", r.Name), form)
	case r.Block != nil && len(rest) == 0:
		c.setGroup(p, r, isDefault, s)
	case r.Block != nil || len(rest) == 0 || rest[0].Kind != token.Colon:
		c.fail(code.BadConstant, ast.SpanOf(r.Prelude[:n]), fmt.Sprintf("expected ':' after the name %q", joinPath(p)), form)
		c.setPlaceholder(p, rest, ast.SpanOf(r.Prelude[:n]), s)
	case len(rest) == 1:
		c.fail(code.BadConstant, ast.SpanOf(r.Prelude[:n]), fmt.Sprintf("constant %q has no value", joinPath(p)), form)
		c.setPlaceholder(p, nil, ast.SpanOf(r.Prelude[:n]), s)
	default:
		kind := ByConst
		if isDefault {
			kind = ByDefault
		}
		c.setValue(p, c.upToStatement(p, rest[1:], s), ast.SpanOf(r.Prelude[:n]), kind, s)
	}
}

// setPlaceholder sets a constant whose rule is invalid, so that its uses are
// not reported as well.
func (c *Composer) setPlaceholder(p path, values []ast.Value, at source.Span, s *Scope) {
	// initial is valid for every property, which avoids findings for the users
	// of the constant.
	if len(values) == 0 {
		values = []ast.Value{{Kind: token.Ident, Text: "initial", Pos: at.Start}}
	}
	if c.mayHold(p, at, s) {
		s.set(p, &Constant{Value: values, At: at})
	}
}

// upToStatement returns the values of a constant up to an at-rule among them,
// which is there because a semicolon is missing. The at-rule is evaluated too,
// so that there is a single finding.
func (c *Composer) upToStatement(p path, values []ast.Value, s *Scope) []ast.Value {
	// @const a: 1 followed by a line "@const b: 2;" is one at-rule for the
	// parser.
	i := slices.IndexFunc(values, func(v ast.Value) bool { return v.Kind == token.AtKeyword })
	if i < 0 {
		return values
	}
	v := &values[i]
	c.fail(code.BadConstant, v.Span(),
		fmt.Sprintf("missing ';' after the value of %q: %q is read as part of it", joinPath(p), v.Text),
		"end the previous line with ';'")
	next := &ast.AtRule{At: v.Pos, Name: v.Text[1:], Prelude: spaced(values[i+1:], false)}
	if len(next.Prelude) > 0 && IsStatement(next) {
		c.buildRule(next, nil, s)
	}
	return values[:i]
}

// setValue sets a constant to a value.
func (c *Composer) setValue(p path, values []ast.Value, at source.Span, kind SetKind, s *Scope) {
	if !c.mayHold(p, at, s) {
		return
	}
	// An existing value, also of a caller or a setting, has precedence over a
	// default.
	if _, ok := s.Find(p); kind == ByDefault && (ok || s.isDropped(p)) {
		c.noteDefault(p, at, s, func(quiet *Composer) *Constant { return quiet.constant(values, at, s) })
		return
	}
	if kind == ByConst {
		c.checkLate(p, at, s)
	}
	// While it is evaluated, the constant is recorded as the user of the
	// constants it reads.
	before := c.startSetting(p, s)
	constant := c.constant(values, at, s)
	c.setting = before
	// Only top-level defaults can be overridden too late: inner ones cannot be
	// reached from outside.
	if kind == ByDefault && s.outer == nil {
		constant.offer = new(offer)
	}
	s.set(p, constant)
	c.noteSet(p, constant, kind, s)
}

// checkLate warns about overriding a default, or a key of a default group,
// after it was read.
func (c *Composer) checkLate(p path, at source.Span, s *Scope) {
	if s.outer != nil {
		return
	}
	// What is not a default can be set again at any time.
	if have, ok := s.Find(p); ok && have.offer == nil {
		return
	}
	// Reading a group reads all its keys, so the groups that contain the key
	// count as well.
	var have *Constant // the default that was read: of the key, or of a group that contains it
	for n := len(p); n > 0 && have == nil; n-- {
		// In one file, the order is visible and probably intended.
		if found, ok := s.Find(p[:n]); ok && found.offer != nil && found.offer.read.IsValid() &&
			found.offer.read.Start.File != at.Start.File {
			have = found
		}
	}
	if have == nil {
		return
	}
	c.report(diag.Diagnostic{Code: code.LateConstant, Severity: diag.Warning, Span: at,
		Message: fmt.Sprintf("set too late: the default of %q was already read, and its users are not updated", joinPath(p)),
		Fix:     "move it before the @import that sets the default",
		Related: []diag.Related{{Span: have.offer.read, Message: "read here"}, {Span: have.At, Message: "default set here"}}})
}

// mayHold reports whether the last key of a path can be set: its parents must
// be groups, not values. It returns false after a finding.
func (c *Composer) mayHold(p path, at source.Span, s *Scope) bool {
	for i := 1; i < len(p); i++ {
		if outer, ok := s.Find(p[:i]); ok && outer.Group == nil {
			c.report(diag.Diagnostic{Code: code.BadConstant, Severity: diag.Error, Span: at,
				Message: fmt.Sprintf("%q is a value and cannot have the key %q", joinPath(p[:i]), p[i]),
				Related: []diag.Related{{Span: outer.At, Message: "set here"}}})
			return false
		}
	}
	return true
}

// constant returns the constant for values. A single const() that reads a group
// yields the group.
func (c *Composer) constant(values []ast.Value, at source.Span, s *Scope) *Constant {
	if group := c.groupOf(values, s); group != nil {
		return &Constant{Group: group, At: at}
	}
	value, _ := c.values(values, s, atBuild)
	value = trim(value)
	// The limit was reported. Further values would only take time.
	if c.tooMany {
		return &Constant{At: at}
	}
	if deeper(value, ast.MaxDepth) {
		c.fail(code.TooDeep, at, fmt.Sprintf("the value is nested deeper than %d levels", ast.MaxDepth), "")
		value = nil
	}
	if len(value) > 0 && value[0].Space {
		// The values may be shared with the source.
		value = slices.Clone(value)
		value[0].Space = false
	}
	return &Constant{Value: value, At: at}
}

// isEcho reports whether values contain the placeholder of an invalid constant,
// which was already reported.
func isEcho(values []ast.Value) bool {
	return slices.ContainsFunc(values, func(v ast.Value) bool { return v.IsFunction("const") || isEcho(v.Values()) })
}

// deeper reports whether functions and brackets in values are nested deeper
// than limit.
func deeper(values []ast.Value, limit int) bool {
	return limit < 0 || slices.ContainsFunc(values,
		func(v ast.Value) bool { return v.Inner != nil && deeper(v.Inner.Values, limit-1) })
}

// chosen returns the arguments of const() with keys in brackets replaced by
// their values, as in const(tone.(key)). ok is false after a finding.
func (c *Composer) chosen(args []ast.Value, s *Scope) (with []ast.Value, ok bool) {
	for i := 2; i < len(args); i++ {
		if v := &args[i]; v.Kind != token.LParen || v.Space || !args[i-1].IsDelim('.') {
			continue
		}
		// The key may be any expression, such as const(tone.(const(name))).
		text, ok := c.interpolated(&args[i], s)
		if !ok {
			return nil, false
		}
		args = slices.Clone(args)
		args[i] = ast.Value{Kind: token.Ident, Text: token.EscapeName(text), Pos: args[i].Pos}
	}
	return args, true
}

// constantPath returns the path if values are exactly const(path).
func (c *Composer) constantPath(values []ast.Value, s *Scope) (p path, ok bool) {
	values = trim(values)
	if len(values) != 1 || !values[0].IsFunction("const") {
		return nil, false
	}
	args, ok := c.chosen(trim(values[0].Values()), s)
	p, n := readPath(args)
	return p, ok && p != nil && n == len(args)
}

// groupOf returns the group if values are exactly const(path) of a group.
func (c *Composer) groupOf(values []ast.Value, s *Scope) *Group {
	p, ok := c.constantPath(values, s)
	if !ok {
		return nil
	}
	if found, ok := s.Find(p); ok {
		// A group is read as a whole: loops and copies depend on all its keys.
		if found.Group != nil {
			found.isRead(ast.SpanOf(values))
			c.noteUse(p, ast.SpanOf(values), s)
		}
		return found.Group
	}
	return nil
}

// setGroup sets a group: @const replaces the existing group, @default adds
// missing keys at every depth.
func (c *Composer) setGroup(p path, r *ast.AtRule, isDefault bool, s *Scope) {
	at := ast.SpanOf(r.Prelude)
	if !c.mayHold(p, at, s) {
		return
	}
	if !isDefault {
		c.checkLate(p, at, s)
	}
	// The keys are evaluated even if the group is not set, for the findings in
	// them.
	group := c.group(p, r.Block.Nodes, s)
	whole := &Constant{Group: group, At: at}
	if isDefault && s.outer == nil {
		group.markDefaults()
		whole.offer = new(offer)
	}
	// @drop also blocks the defaults of a group that is imported later.
	if isDefault && s.isDropped(p) {
		c.noteDefault(p, at, s, func(*Composer) *Constant { return whole })
		return
	}
	// Existing keys remain, missing ones are added, also in nested groups.
	if have, ok := s.Find(p); ok && isDefault {
		if have.Group == nil {
			c.report(diag.Diagnostic{Code: code.BadConstant, Severity: diag.Error, Span: at,
				Message: fmt.Sprintf("expected a group, got the value %q", joinPath(p)),
				Related: []diag.Related{{Span: have.At, Message: "set here"}}})
			return
		}
		group = have.Group.merged(group)
		at = have.At
	}
	if !isDefault {
		c.checkLost(p, group, at, s)
	}
	made := &Constant{Group: group, At: at, offer: whole.offer}
	s.set(p, made)
	if isDefault {
		c.noteMerged(p, whole, made, s)
	} else {
		c.noteSet(p, made, ByConst, s)
	}
}

// checkLost warns about keys of a group that its replacement does not have.
func (c *Composer) checkLost(p path, group *Group, at source.Span, s *Scope) {
	have, ok := s.Find(p)
	// already reported as too late
	if !ok || have.Group == nil || s.outer != nil || have.offer != nil && have.offer.read.IsValid() {
		return
	}
	// Replacing a group loses keys that the author may not know of, as a
	// library added them.
	lost := have.Group.missingIn(group, nil)
	if len(lost) == 0 {
		return
	}
	shown := first(lost, 3)
	key := "key"
	if len(group.keys) > 0 {
		key = group.keys[0]
	}
	c.report(diag.Diagnostic{Code: code.LostKey, Severity: diag.Warning, Span: at,
		Message: fmt.Sprintf("group %q is redefined without %s", joinPath(p), quoted(shown)),
		Related: []diag.Related{{Span: have.At, Message: "previously set here"}},
		Fix:     fmt.Sprintf("to change one key, write @const %s.%s: …; to remove the others, drop them first: @drop %s.%s;", joinPath(p), key, joinPath(p), lost[0])})
}

// quoted returns names in quotes, separated by commas.
func quoted(names []string) string {
	var out []string
	for _, name := range names {
		if name != "…" {
			name = fmt.Sprintf("%q", name)
		}
		out = append(out, name)
	}
	return strings.Join(out, ", ")
}

// missingIn returns the paths of the keys of g that other does not have, at
// every depth.
func (g *Group) missingIn(other *Group, p path) []string {
	var out []string
	for _, key := range g.keys {
		mine := g.at(key)
		// Clip forces append to copy: p is shared by all keys.
		deeper := append(slices.Clip(p), key)
		theirs, ok := other.Find(key)
		switch {
		case !ok:
			out = append(out, joinPath(deeper))
		// A key that changed from a group to a value is not missing.
		case mine.Group != nil && theirs.Group != nil:
			out = append(out, mine.Group.missingIn(theirs.Group, deeper)...)
		}
	}
	return out
}

// group returns the group that the nodes of a block define, at a path.
func (c *Composer) group(p path, nodes []ast.Node, s *Scope) *Group {
	made := make(map[string]*Constant, len(nodes))
	g := &Group{entries: overlay[Constant]{made}}
	set := func(key string, value *Constant) {
		if made[key] == nil {
			g.keys = append(g.keys, key)
		}
		made[key] = value
	}
	for _, n := range nodes {
		switch n := n.(type) {
		case *ast.Declaration:
			at := source.SpanOf(n.NamePos, len(n.Name))
			key := token.Unescape(n.Name)
			before := c.startSetting(append(slices.Clip(p), key), s)
			set(key, c.constant(n.Value, at, s))
			c.setting = before
		case *ast.QualifiedRule:
			if len(n.Prelude) == 1 && isKey(n.Prelude[0].Kind) {
				key := token.Unescape(n.Prelude[0].Text)
				set(key, &Constant{Group: c.group(append(slices.Clip(p), key), n.Nodes, s), At: n.Prelude[0].Span()})
				continue
			}
			c.fail(code.BadConstant, n.Span(), "expected a key before the group", "write key { … }, without a colon")
		case *ast.Comment:
		default:
			c.fail(code.BadConstant, n.Span(), "expected a key and a value in the group", "write key: value; or key { … }")
		}
	}
	return g
}

// markDefaults marks all keys of a group as defaults.
func (g *Group) markDefaults() {
	for _, key := range g.keys {
		entry := g.at(key)
		entry.offer = new(offer)
		if entry.Group != nil {
			entry.Group.markDefaults()
		}
	}
}

// drop evaluates an @drop rule: it removes a key from a group and blocks later
// defaults for it. So a site can drop a variant of a library before it imports
// the library. Only @const sets the key again.
func (c *Composer) drop(r *ast.AtRule, s *Scope) {
	p, n := readPath(r.Prelude)
	switch {
	case p == nil || n != len(r.Prelude) || r.Block != nil:
		c.fail(code.BadConstant, r.Span(), "@drop expects the path of a key", "write @drop group.key;")
	case len(p) == 1:
		c.fail(code.BadConstant, ast.SpanOf(r.Prelude),
			fmt.Sprintf("@drop removes a key from a group, but %q is not a key in a group", p[0]), "write @drop group.key;")
	default:
		at := ast.SpanOf(r.Prelude)
		if c.mayHold(p, at, s) {
			c.checkLate(p, at, s)
			s.drop(p, at)
			c.noteDrop(p, at, s)
		}
	}
}

// unknown reports an undefined constant. The finding is delayed, so that it can
// point at a later definition: see [Scope.Unknown].
// It may be defined after this rule, or in another sheet, which makes another
// message more helpful.
func (c *Composer) unknown(p path, at source.Span, s *Scope) {
	fix := diag.DidYouMean(joinPath(p), s.near(p), "")
	c.wait(code.UnknownConstant, at, "constant "+joinPath(p), fmt.Sprintf("unknown constant %q", joinPath(p)), fix, s)
}

// wait delays a finding about an undefined name until it is known whether the
// name is defined later.
func (c *Composer) wait(what code.Code, at source.Span, name, message, fix string, s *Scope) {
	if c.silent {
		return
	}
	d := diag.Diagnostic{Code: what, Severity: diag.Error, Span: at, Message: message, Fix: fix, Cause: name,
		Undefined: name}
	// The trail is added now: later, the calls that led here are unknown.
	c.trailed(&d)
	top := s.top()
	top.waiting = append(top.waiting, waiting{name, d})
}
