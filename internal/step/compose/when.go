package compose

import (
	"fmt"
	"slices"

	"rinzel/internal/diag/code"

	"rinzel/internal/css/ast"
	"rinzel/internal/css/token"
	"rinzel/internal/css/value"
	"rinzel/internal/source"
)

// This file evaluates @when and @else (CSS Conditional 5, section 4).
// Conditions on constants are decided now; media(), supports() and container()
// are left to the browser as @media, @supports and @container.

// condition is a partially evaluated condition. The zero condition is never
// true.
type condition struct {
	kind  conditionKind
	parts []condition // of allOf and anyOf
	// leaf is the prelude of the @media, @supports or @container rule of a
	// test.
	leaf    []ast.Value
	name    []ast.Value // of the tested container, if given
	asked   ast.Value   // the function of the test: media(…), supports(…) or style(…)
	negated bool        // the test must be false
	at      source.Pos
}

// conditionKind is the kind of a condition.
type conditionKind uint8

// The kinds of conditions.
const (
	never conditionKind = iota
	always
	asksMedia
	asksSupports
	asksStyle     // only in if()
	asksContainer // only in @when
	allOf
	anyOf
)

// decided returns a condition with a known result.
func decided(b bool) condition {
	if b {
		return condition{kind: always}
	}
	return condition{}
}

// not returns the negation of x.
func not(x condition) condition {
	switch x.kind {
	case never, always:
		return decided(x.kind == never)
	case allOf, anyOf:
		// De Morgan: the negation of a conjunction is the disjunction of the
		// negations.
		var parts []condition
		for _, p := range x.parts {
			parts = append(parts, not(p))
		}
		if x.kind == allOf {
			return join(anyOf, parts)
		}
		return join(allOf, parts)
	}
	x.negated = !x.negated
	return x
}

// join returns the conjunction or disjunction of parts.
func join(kind conditionKind, parts []condition) condition {
	// A decided part decides the whole, a neutral part does not matter.
	decided, neutral := never, always // of allOf
	if kind == anyOf {
		decided, neutral = always, never
	}
	out := condition{kind: kind}
	for _, p := range parts {
		switch p.kind {
		case decided:
			return condition{kind: decided}
		case neutral:
		// Equal operators need no brackets.
		case kind:
			out.parts = append(out.parts, p.parts...)
		default:
			out.parts = append(out.parts, p)
		}
	}
	switch len(out.parts) {
	case 0:
		return condition{kind: neutral}
	case 1:
		return out.parts[0]
	}
	return out
}

// A condition may repeat the nodes that it guards at most maxCopies times, and
// contain at most maxTests tests: "or" doubles its context.
const (
	maxCopies = 256
	maxTests  = 64
)

// cost returns how often [condition.wrap] repeats the guarded nodes, how often
// it would for the negation, and the number of tests.
func (x condition) cost() (copies, opposite float64, asked int) {
	switch x.kind {
	case never, always:
		return 1, 1, 0
	case asksMedia, asksSupports, asksStyle, asksContainer:
		return 1, 1, 1
	}
	product, sum, others := 1.0, 0.0, 1.0
	for _, p := range x.parts {
		same, other, n := p.cost()
		// By De Morgan, a disjunction costs what the conjunction of the negated
		// parts does for the opposite.
		if x.kind == anyOf {
			same, other = other, same
		}
		// A conjunction nests its parts. Its negation lists them: each part is
		// guarded by all before it.
		product *= same
		sum += others * other
		others *= same
		asked += n
	}
	if x.kind == anyOf {
		return sum, product, asked
	}
	return product, sum, asked
}

// wrap returns nodes guarded by the condition.
func (x condition) wrap(nodes []ast.Node) []ast.Node {
	switch x.kind {
	case never:
		return nil
	case always:
		return nodes
	case allOf:
		// The first part becomes the outermost rule.
		for _, p := range slices.Backward(x.parts) {
			nodes = p.wrap(nodes)
		}
		return nodes
	case anyOf:
		// Each part is guarded by the negation of all parts before it: no rule
		// can test media or support, and the nodes must not apply twice.
		var out []ast.Node
		before := condition{kind: always}
		for _, p := range x.parts {
			out = append(out, join(allOf, []condition{before, p}).wrap(nodes)...)
			before = join(allOf, []condition{before, not(p)})
		}
		return out
	}
	name := "media"
	switch x.kind {
	case asksSupports:
		name = "supports"
	case asksContainer:
		name = "container"
	}
	prelude := x.leaf
	switch {
	// Without brackets of its own, "not (a) and (b)" would be invalid.
	case x.negated && x.kind == asksMedia && isConjunction(prelude):
		// Older browsers support "not" before a media type only.
		prelude = slices.Concat([]ast.Value{{Kind: token.Ident, Text: "not"},
			{Kind: token.Ident, Text: "all", Space: true}, {Kind: token.Ident, Text: "and", Space: true}},
			spaced(prelude, true))
	case x.negated:
		prelude = negated(prelude)
	}
	if len(x.name) > 0 {
		prelude = slices.Concat(x.name, spaced(prelude, true))
		// A container name comes before the condition, also before "not".
	}
	return []ast.Node{&ast.AtRule{At: x.at, Name: name, Prelude: prelude, Block: &ast.Block{Nodes: nodes}}}
}

// isConjunction reports whether a media condition is a single feature, or
// features joined by "and".
func isConjunction(prelude []ast.Value) bool {
	for i := range prelude {
		if v := &prelude[i]; v.Kind != token.LParen && !v.IsIdent("and") {
			return false
		}
	}
	return prelude[0].Kind == token.LParen && !usesNot(prelude)
}

// usesNot reports whether brackets contain more brackets or "not", which only
// newer browsers support.
func usesNot(prelude []ast.Value) bool {
	return slices.ContainsFunc(prelude, func(v ast.Value) bool {
		return slices.ContainsFunc(v.Values(),
			func(inner ast.Value) bool { return inner.IsIdent("not") || inner.Kind == token.LParen })
	})
}

// negated returns the prelude of a conditional rule with "not" before it.
func negated(prelude []ast.Value) []ast.Value {
	// "not" applies to a single feature.
	if len(prelude) > 1 {
		prelude = []ast.Value{bracketed(prelude)}
	}
	out := slices.Clone(prelude)
	out[0].Space = true
	return append([]ast.Value{{Kind: token.Ident, Text: "not"}}, out...)
}

// bracketed returns values in brackets.
func bracketed(values []ast.Value) ast.Value {
	values = slices.Clone(values)
	values[0].Space = false
	return ast.Value{Kind: token.LParen, Text: "(", Pos: values[0].Pos, Inner: &ast.Inner{Values: values}}
}

// when evaluates an @when or @else rule. prior is the negation of the
// conditions before it in its chain; nil for @when.
func (c *Composer) when(r *ast.AtRule, prior *condition, s *Scope) []ast.Node {
	isElse := token.EqualFold(r.Name, "else")
	own := condition{kind: always}
	switch {
	case r.Block == nil:
		c.fail(code.BadCondition, r.Span(), fmt.Sprintf("@%s has no block", r.Name), "")
		return nil
	case isElse && prior == nil:
		c.fail(code.BadCondition, r.Span(), "@else must directly follow an @when or @else block",
			"move it directly after the block of an @when or @else")
		return nil
	case !isElse && len(r.Prelude) == 0:
		c.fail(code.BadCondition, r.Span(), "@when has no condition", "write @when and "+(&conditionReader{}).terms("or"))
		return nil
	case len(r.Prelude) > 0:
		reader := conditionReader{c: c, s: s, values: ast.Significant(r.Prelude)}
		var ok bool
		if own, ok = reader.read(); !ok {
			// The @else after an invalid condition must not be reported as
			// well.
			s.touch()
			s.prior = &condition{} // the following @else belongs to an invalid rule
			return nil
		}
	}
	holds := own
	if isElse {
		holds = join(allOf, []condition{*prior, own})
	} else {
		prior = &condition{kind: always}
	}
	rest := join(allOf, []condition{*prior, not(own)})
	s.touch()
	s.prior = &rest
	// The block is not evaluated, as constants in it may not exist in this
	// case.
	if holds.kind == never {
		return nil
	}
	// The opposite counts too, because the next @else guards its block with it.
	if copies, opposite, asked := holds.cost(); copies > maxCopies || opposite > maxCopies || asked > maxTests {
		c.fail(code.BadCondition, r.Span(), "the condition is too complex",
			"nest rules instead of joining all conditions by \"and\" and \"or\"")
		s.touch()
		s.prior = &condition{}
		return nil
	}
	// A function has one result. If only the browser can decide, the calling
	// declaration is repeated instead.
	if of := s.inFunction(); of != nil {
		if c.holds(holds, of) {
			c.block(r.Block.Nodes, s.inner())
		}
		return nil
	}
	made := c.block(r.Block.Nodes, s.inner())
	copies, _, _ := holds.cost()
	// The copies are made by wrap, after the block was counted once.
	if copies > 1 && !c.count(int(copies)*weight(made), r.Span()) {
		return nil
	}
	return holds.wrap(made)
}

// conditionReader reads a condition from values.
type conditionReader struct {
	c      *Composer
	s      *Scope
	values []ast.Value
	inline bool // the condition of an if(), which may test style() as well
}

// read reads terms joined by "and" or "or", up to the end.
func (r *conditionReader) read() (condition, bool) {
	whole := ast.SpanOf(r.values)
	first, ok := r.term()
	if !ok {
		return first, false
	}
	parts := []condition{first}
	word := ""
	for len(r.values) > 0 {
		v := &r.values[0]
		if !v.IsIdent("and") && !v.IsIdent("or") {
			// A common mistake: const(a) > 3.
			if v.IsDelim('<') || v.IsDelim('>') || v.IsDelim('=') {
				r.c.fail(code.BadCondition, v.Span(), "a comparison must be inside the brackets of const()",
					"write const(name > 3)")
				return condition{}, false
			}
			return r.fail(v.Span(), "expected \"and\" or \"or\"")
		}
		// As in media conditions (Media Queries 4, section 3).
		if this := token.Lower(v.Text); word != "" && this != word {
			return r.fail(whole, "\"and\" and \"or\" cannot be mixed without brackets")
		} else {
			word = this
		}
		r.values = r.values[1:]
		part, ok := r.term()
		if !ok {
			return part, false
		}
		parts = append(parts, part)
	}
	if word == "or" {
		return join(anyOf, parts), true
	}
	return join(allOf, parts), true
}

// fail reports an invalid condition.
func (r *conditionReader) fail(at source.Span, message string) (condition, bool) {
	r.c.fail(code.BadCondition, at, message, "use "+r.terms("and")+", joined by and, or, not and brackets")
	return condition{}, false
}

// terms lists the allowed parts of a condition, for messages.
func (r *conditionReader) terms(word string) string {
	last := "container(…)"
	if r.inline {
		last = "style(…)"
	}
	return "const(…), media(…), supports(…) " + word + " " + last
}

// term reads one condition, optionally negated or in brackets.
func (r *conditionReader) term() (condition, bool) {
	if len(r.values) == 0 {
		return r.fail(source.Span{}, "incomplete condition")
	}
	v := &r.values[0]
	r.values = r.values[1:]
	switch {
	case v.IsIdent("not"):
		x, ok := r.term()
		return not(x), ok
	case v.Kind == token.LParen:
		inner := conditionReader{c: r.c, s: r.s, values: ast.Significant(v.Values()), inline: r.inline}
		return inner.read()
	case v.IsFunction("const"):
		return r.constant(v)
	case v.IsFunction("media"):
		return r.asks(asksMedia, v)
	case v.IsFunction("supports"):
		return r.asks(asksSupports, v)
	// In @when, style() would have to become @container style(), which asks the
	// parent element instead of the element itself.
	case v.IsFunction("style") && r.inline:
		return r.asks(asksStyle, v)
	case v.IsFunction("container") && !r.inline:
		return r.asks(asksContainer, v)
	}
	return r.fail(v.Span(), "expected "+r.terms("or"))
}

// custom returns the condition of media() with custom media in it. The
// resulting queries are tested one by one.
// media(--wide) has the form of a feature without brackets.
func (r *conditionReader) custom(values []ast.Value, v *ast.Value) (condition, bool) {
	if len(values) == 1 && values[0].Kind == token.Ident && dashed(&values[0]) {
		values = []ast.Value{bracketed(values)}
	}
	if !namesMedia(values) {
		return condition{}, false
	}
	query, ok := r.c.mediaList(values, r.s)
	return query.asking(v), ok
}

// asking returns the condition with each test written as a function of its own,
// as in if().
func (x condition) asking(v *ast.Value) condition {
	switch {
	case x.kind == asksMedia:
		x.asked = *v
		x.asked.Inner = &ast.Inner{Values: x.leaf, Close: v.Inner.Close}
	case len(x.parts) > 0:
		parts := make([]condition, len(x.parts))
		for i, p := range x.parts {
			parts[i] = p.asking(v)
		}
		x.parts = parts
	}
	return x
}

// mediaTypes are the media types that may appear in media() without brackets.
var mediaTypes = words("all print screen speech")

// isMediaQuery reports whether the argument of media() is more than a feature
// or a condition: a media type, or a list.
func isMediaQuery(values []ast.Value) bool {
	if slices.ContainsFunc(values, func(v ast.Value) bool { return v.Kind == token.Comma }) {
		return true
	}
	first := &values[0]
	switch {
	case first.Kind != token.Ident:
		return false
	case first.IsIdent("not"), first.IsIdent("only"):
		return len(values) > 1 && values[1].Kind == token.Ident
	}
	// "screen and (…)" starts with a type, a lone identifier is a type only if
	// it is known: media(color) is a feature.
	return len(values) == 1 && mediaTypes[token.Lower(first.Text)] || len(values) > 1 && values[1].IsIdent("and")
}

// asks returns the condition of media(), supports(), container() or style().
func (r *conditionReader) asks(kind conditionKind, v *ast.Value) (condition, bool) {
	// supports() tests the syntax that browsers get, so its calculations must
	// not be folded.
	at := valueContext{asWritten: kind == asksSupports, compared: kind == asksStyle}
	values, _ := r.c.values(ast.Significant(v.Values()), r.s, at)
	if len(values) == 0 {
		return r.fail(v.Span(), "empty brackets")
	}
	if kind == asksMedia && isMediaQuery(values) {
		query, ok := r.c.mediaList(values, r.s)
		return query.asking(v), ok
	}
	if kind == asksMedia {
		if query, ok := r.custom(values, v); ok {
			return query, true
		}
	}
	asked := *v
	asked.Inner = &ast.Inner{Values: values, Close: v.Inner.Close}
	x := condition{kind: kind, asked: asked, at: v.Pos}
	// container(card (width > 30em)) has a name, container((width > 30em)) has
	// none.
	if kind == asksContainer && len(values) > 1 && values[0].Kind == token.Ident && !values[0].IsIdent("not") &&
		values[1].Inner != nil {
		x.name, values = values[:1:1], values[1:]
	}
	// The prelude of the resulting rule needs brackets around a feature, which
	// the function does not.
	first := &values[0]
	switch {
	case first.Kind == token.LParen, first.IsIdent("not"), kind != asksMedia && kind != asksStyle &&
		first.Kind == token.Function:
	default:
		values = []ast.Value{bracketed(values)}
	}
	x.leaf = spaced(values, false)
	return x, true
}

// constant decides a condition on a constant: const(name), const(name: value)
// or const(name > number).
func (r *conditionReader) constant(v *ast.Value) (condition, bool) {
	args, chosen := r.c.chosen(ast.Significant(v.Values()), r.s)
	if !chosen {
		return condition{}, false
	}
	p, n := readPath(args)
	if p == nil {
		return r.fail(v.Span(), "const() expects the name of a constant")
	}
	constant, ok := r.s.Find(p)
	if ok {
		constant.isRead(v.Span())
		r.c.noteUse(p, v.Span(), r.s)
	}
	rest := args[n:]
	// An undefined constant is false, without a finding: so a library can ask
	// for a setting.
	if len(rest) == 0 {
		return decided(ok && truthy(constant)), true
	}
	// A comparison needs a value.
	if !ok {
		r.c.unknown(p, ast.SpanOf(args[:n]), r.s)
		return condition{}, false
	}
	operator, rest := operatorOf(rest)
	if len(rest) == 0 || !slices.Contains([]string{":", "=", ">", "<", ">=", "<="}, operator) {
		return r.fail(v.Span(),
			"const() expects a constant, optionally with ':' and a value, or compared with <, >, <=, >= or =")
	}
	want, _ := r.c.values(rest, r.s, atBuild)
	want = spaced(want, false)
	if operator == ":" {
		// A group is never equal to a value.
		return decided(constant.Group == nil && ast.EqualValues(spaced(constant.Value, false), want)), true
	}
	order, ok := compare(constant.Value, want)
	// The constant is a placeholder, and its error was reported.
	if !ok && (isEcho(constant.Value) || isEcho(want)) {
		return condition{}, false
	}
	if !ok {
		return r.fail(v.Span(), fmt.Sprintf("cannot compare %q and %q: both must be numbers of the same type",
			textOfValues(constant.Value), textOfValues(want)))
	}
	return decided(holdsOrder(operator, order)), true
}

// operatorOf returns the operator at the start of values, and the values after
// it.
func operatorOf(values []ast.Value) (operator string, rest []ast.Value) {
	operator, rest = values[0].Text, values[1:]
	// Operators of two characters are two tokens.
	if len(rest) > 0 && operator != ":" && rest[0].IsDelim('=') && !rest[0].Space {
		return operator + "=", rest[1:]
	}
	return operator, rest
}

// holdsOrder reports whether a comparison is true for two numbers with the
// given order, as from [cmp.Compare].
func holdsOrder(operator string, order int) bool {
	switch operator {
	case ">":
		return order > 0
	case "<":
		return order < 0
	case ">=":
		return order >= 0
	case "<=":
		return order <= 0
	}
	return order == 0
}

// truthy reports whether a constant counts as true: it is not none, 0, or
// empty.
func truthy(c *Constant) bool {
	if c.Group != nil {
		return len(c.Group.keys) > 0
	}
	if len(c.Value) == 1 {
		v := &c.Value[0]
		n, isNumber := value.Read(v)
		// The empty string has two quotes.
		return !v.IsIdent("none") && !(isNumber && n.Value == 0) && !(v.Kind == token.String && len(v.Text) == 2)
	}
	return len(c.Value) > 0
}

// compare compares two numbers, percentages or dimensions.
func compare(a, b []ast.Value) (order int, ok bool) {
	if len(a) != 1 || len(b) != 1 {
		return 0, false
	}
	x, okX := value.Read(&a[0])
	y, okY := value.Read(&b[0])
	if !okX || !okY {
		return 0, false
	}
	return x.Compare(y)
}
