package script

import "strings"

// This file parses operators and operands (ECMA-262, section 13).

// operators are the binary operators, the longest first, with their precedence.
// Those that are irrelevant for strings share one precedence.
var operators = []struct {
	text string
	prec int
}{
	{">>>=", 1}, {"**=", 1}, {"<<=", 1}, {">>=", 1}, {"&&=", 1}, {"||=", 1}, {"??=", 1}, {"===", 5}, {"!==", 5},
	{">>>", 5},
	{"+=", 1}, {"-=", 1}, {"*=", 1}, {"/=", 1}, {"%=", 1}, {"&=", 1}, {"|=", 1}, {"^=", 1}, {"==", 5}, {"!=", 5},
	{"<=", 5}, {">=", 5}, {"&&", 4}, {"||", 3},
	{"??", 3}, {"**", 7}, {"<<", 5}, {">>", 5}, {"=", 1}, {"?", 2}, {"|", 5}, {"^", 5}, {"&", 5}, {"<", 5}, {">", 5},
	{"+", 6}, {"-", 6}, {"*", 7}, {"/", 7}, {"%", 7},
}

// operator returns the current operator, its precedence, and the number of its
// tokens; empty if there is none.
func (r *reader) operator() (text string, prec, tokens int) {
	t := r.tok(0)
	if t.kind == word {
		if w := r.text[t.start:t.end]; w == "in" || w == "instanceof" {
			return w, 5, 1
		}
	}
	if t.kind != punct || r.is(0, "=>") || r.is(0, "?.") {
		return "", 0, 0
	}
	for _, op := range operators {
		if !strings.HasPrefix(r.text[t.start:], op.text) {
			continue
		}
		n := 0
		for end := t.start + len(op.text); r.tok(n).kind != end0 && r.tok(n).start < end; n++ {
		}
		if n == 0 || r.tok(n-1).end != t.start+len(op.text) {
			continue // a longer token, such as "=>"
		}
		return op.text, op.prec, n
	}
	return "", 0, 0
}

// end0 is the kind of the end, under a name that no variable shadows.
const end0 = end

// assignment parses an expression without commas.
func (r *reader) assignment(stop int) *expr {
	e := r.binary(1, stop)
	r.root(e)
	return e
}

// binary parses operators with at least a precedence.
func (r *reader) binary(least, stop int) *expr {
	if r.depth++; r.depth > maxExprDepth {
		r.depth--
		at := r.tok(0).start
		if c := r.closing(stop); c < stop {
			r.i = c + 1
		} else {
			r.i = min(r.i+1, stop)
		}
		return &expr{kind: unknownExpr, at: at}
	}
	defer func() { r.depth-- }()
	left := r.unary(stop)
	for r.i < stop {
		op, prec, n := r.operator()
		if op == "" || prec < least || r.i+n > stop {
			return left
		}
		r.i += n
		switch {
		case prec == 1:
			left = r.assign(left, op, r.binary(1, stop))
		case op == "?":
			left = r.conditional(left, stop)
		case op == "+":
			left = joined(left, r.binary(prec+1, stop))
		case prec == 3 || prec == 4:
			right := r.binary(prec+1, stop)
			if op == "&&" {
				r.root(left)
				left = choice(right, &expr{kind: textExpr, at: left.at}) // a false operand contributes nothing
			} else {
				left = choice(left, right)
			}
		default:
			r.root(left)
			r.root(r.binary(prec+1, stop))
			left = &expr{kind: unknownExpr, at: left.at}
		}
	}
	return left
}

// joined returns an expression for the concatenation of two.
func joined(left, right *expr) *expr {
	if left.kind != joinExpr || left.whole {
		left = &expr{kind: joinExpr, at: left.at, parts: []*expr{left}}
	}
	left.parts = append(left.parts, right)
	left.parts[0].inner, right.inner = true, true
	return left
}

// choice returns an expression for one of parts.
func choice(parts ...*expr) *expr {
	return &expr{kind: choiceExpr, at: parts[0].at, parts: parts}
}

// conditional parses the part after a question mark.
func (r *reader) conditional(test *expr, stop int) *expr {
	r.root(test)
	yes := r.binary(1, stop)
	if !r.is(0, ":") {
		return yes
	}
	r.i++
	return choice(yes, r.binary(1, stop))
}

// assign records the value of a variable or property.
func (r *reader) assign(to *expr, op string, value *expr) *expr {
	r.root(value)
	switch to.kind {
	case nameExpr:
		b := to.scope.find(to.text)
		if b == nil {
			top := to.scope
			for top.parent != nil {
				top = top.parent
			}
			b = top.declare(to.text)
		}
		switch op {
		case "+=":
			if b.added = append(b.added, value); len(b.added) == 1 {
				r.roots = append(r.roots, &expr{kind: nameExpr, at: value.at, text: to.text, scope: to.scope})
			}
		case "=", "||=", "??=", "&&=":
			r.give(b, to.text, value)
		default:
			b.open = true
		}
	case memberExpr:
		if to.text == "" {
			break
		}
		r.key(to.text, to.at)
		if op == "+=" {
			r.roots = append(r.roots, &expr{kind: joinExpr, at: value.at, parts: []*expr{{kind: unknownExpr}, value}})
			break
		}
		r.assigned[to.text] = append(r.assigned[to.text], value)
		r.property(to.text, value)
	case objectExpr, arrayExpr: // a pattern, whose variables get unknown values
		r.spoil(to)
	}
	return value
}

// spoil makes the values of the variables in a pattern unknown.
func (r *reader) spoil(e *expr) {
	switch e.kind {
	case nameExpr:
		if b := e.scope.find(e.text); b != nil {
			b.open = true
		}
	case arrayExpr, spreadExpr:
		for _, p := range e.parts {
			r.spoil(p)
		}
	case objectExpr:
		for _, p := range e.props {
			r.spoil(p.value)
		}
	}
}

// prefixWords are the prefix operators that are words, and whether they return
// their operand.
var prefixWords = map[string]bool{"typeof": false, "void": false, "delete": false, "await": true, "yield": true}

// unary parses an operand with prefix and postfix operators.
func (r *reader) unary(stop int) *expr {
	at := r.tok(0).start
	plain := true // its value is that of the operand
	for r.i < stop {
		w := r.word(0)
		same, isPrefix := prefixWords[w]
		switch {
		case w != "" && isPrefix && !r.is(1, ":") && !r.is(1, ",") && !r.is(1, ")"):
			plain = plain && same
		case r.is(0, "!"), r.is(0, "~"), r.is(0, "+"), r.is(0, "-"), r.is(0, "++"), r.is(0, "--"), r.is(0, "<"):
			plain = false
		default:
			e := r.postfix(stop)
			if plain {
				return e
			}
			r.root(e)
			return &expr{kind: unknownExpr, at: at}
		}
		r.i++
	}
	return &expr{kind: unknownExpr, at: at}
}

// postfix parses an operand with property accesses and calls.
func (r *reader) postfix(stop int) *expr {
	for r.word(0) == "new" && r.i < stop {
		if r.is(1, ".") { // new.target
			r.i += 3
			return &expr{kind: unknownExpr, at: r.tok(-3).start}
		}
		r.i++
	}
	e := r.primary(stop)
	for r.i < stop {
		t := r.tok(0)
		switch {
		case r.is(0, "."), r.is(0, "?.") && r.word(1) != "":
			name := r.word(1)
			if name == "" {
				return e
			}
			if !stringMethods[name] {
				r.root(e)
			}
			e = &expr{kind: memberExpr, at: r.tok(1).start, text: name, parts: []*expr{e}}
			r.i += 2
		case r.is(0, "?."):
			r.i++
		case r.is(0, "[") && e != nil:
			end := r.closing(stop)
			r.i++
			r.root(e)
			key := r.expressionTo(end)
			r.root(key)
			m := &expr{kind: memberExpr, at: e.at, parts: []*expr{e, key}}
			if key.kind == textExpr && key.text != "" {
				m.text, m.parts = key.text, m.parts[:1]
			}
			e = m
			r.i = min(end+1, stop)
		case r.is(0, "("):
			e = r.call(e, stop)
		case t.kind == template && r.text[t.start] == '`':
			r.root(e)
			r.root(r.template(stop)) // the function receives its parts
			e = &expr{kind: unknownExpr, at: e.at}
		case (r.is(0, "++") || r.is(0, "--")) && !r.newline(t.start):
			r.i++
			if e.kind == nameExpr {
				r.spoil(e)
			}
			e = &expr{kind: unknownExpr, at: e.at}
		default:
			return e
		}
	}
	return e
}

// stringMethods are those whose result is derived from the string that they are
// called on.
var stringMethods = map[string]bool{"concat": true, "toLowerCase": true, "toUpperCase": true, "trim": true, "toString": true,
	"toLocaleLowerCase": true, "toLocaleUpperCase": true, "replace": true, "replaceAll": true}

// eachMethods call a function with the elements of an array.
var eachMethods = map[string]bool{"forEach": true, "map": true, "some": true, "every": true, "filter": true, "find": true, "flatMap": true, "findIndex": true}

// call parses the arguments of a call.
func (r *reader) call(callee *expr, stop int) *expr {
	e := &expr{kind: callExpr, at: callee.at, parts: []*expr{callee}}
	end := r.closing(stop)
	r.i++
	e.parts = r.items(e.parts, end)
	r.i = min(end+1, stop)
	for _, arg := range e.parts[1:] {
		r.root(arg)
	}
	name := callee.text
	switch callee.kind {
	case nameExpr, memberExpr:
		r.calls[name] = append(r.calls[name], e)
	case functionExpr:
		callee.of.calls = append(callee.of.calls, e)
	}
	if callee.kind == memberExpr && len(e.parts) > 1 {
		if arg := e.parts[1]; eachMethods[name] && arg.kind == functionExpr {
			arg.of.each = callee.parts[0]
		}
		if on := callee.parts[0]; (name == "push" || name == "unshift") && on.kind == nameExpr {
			if b := on.scope.find(on.text); b != nil {
				b.pushed = append(b.pushed, e.parts[1:]...)
			}
		}
	}
	return e
}

// item parses an argument or an element, which may be spread.
func (r *reader) item(stop int) *expr {
	if r.is(0, "...") {
		at := r.tok(0).start
		r.i++
		return &expr{kind: spreadExpr, at: at, parts: []*expr{r.assignment(stop)}}
	}
	return r.assignment(stop)
}

// primary parses an operand.
func (r *reader) primary(stop int) *expr {
	t := r.tok(0)
	at := t.start
	if r.i >= stop {
		return &expr{kind: unknownExpr, at: at}
	}
	switch {
	case t.kind == str:
		text, _ := r.lex.inner(t)
		r.i++
		return &expr{kind: textExpr, at: at + 1, text: text}
	case t.kind == template && r.text[t.start] == '`':
		return r.template(stop)
	case t.kind == template: // the rest of a template whose start is missing
		r.i++
	case t.kind == word:
		return r.wordOperand(stop)
	case r.is(0, "("):
		return r.brackets(stop)
	case r.is(0, "["):
		return r.array(stop)
	case r.is(0, "{"):
		return r.object(stop)
	case t.kind == regular:
		r.i++
	}
	return &expr{kind: unknownExpr, at: at}
}

// wordOperand parses an operand that starts with a word.
func (r *reader) wordOperand(stop int) *expr {
	t := r.tok(0)
	text := r.text[t.start:t.end]
	switch {
	case text[0] >= '0' && text[0] <= '9':
		r.i++
		return &expr{kind: textExpr, at: t.start, text: text}
	case text == "function", text == "async" && r.word(1) == "function":
		saved := r.scope
		r.scope = &scope{parent: saved} // its name is only visible in itself
		e := r.functionDeclaration(stop)
		r.scope = saved
		return e
	case text == "class":
		r.i++
		if w := r.word(0); w != "" && w != "extends" {
			r.i++
		}
		r.class(stop)
		return &expr{kind: unknownExpr, at: t.start}
	case text == "async" && r.is(1, "(") && r.arrowAfter(1), text == "async" && r.word(1) != "" && r.is(2, "=>"):
		r.i++
		return r.primary(stop)
	case r.is(1, "=>"):
		f := &function{params: []*binding{{open: true}}}
		f.params[0].function = f
		e := &expr{kind: functionExpr, at: t.start, of: f}
		r.in(true, func() {
			r.scope.names = map[string]*binding{text: f.params[0]}
			r.i += 2
			r.arrowBody(e, stop)
		})
		return e
	case text == "this" || text == "super" || text == "null" || text == "undefined" || text == "true" || text == "false":
		r.i++
		return &expr{kind: unknownExpr, at: t.start}
	}
	r.i++
	return &expr{kind: nameExpr, at: t.start, text: text, scope: r.scope}
}

// arrowAfter reports whether the bracket opened by the n-th token contains the
// parameters of an arrow function.
func (r *reader) arrowAfter(n int) bool {
	c, ok := r.close[r.i+n]
	return ok && c+1 < len(r.toks) && r.lex.is(r.toks[c+1], "=>")
}

// arrowBody parses the body of an arrow function.
func (r *reader) arrowBody(e *expr, stop int) {
	if r.is(0, "{") {
		r.body(e, stop)
		return
	}
	e.parts = append(e.parts, r.assignment(stop))
}

// brackets parses an expression in brackets, or the parameters of an arrow
// function.
func (r *reader) brackets(stop int) *expr {
	at := r.tok(0).start
	if r.arrowAfter(0) {
		f := new(function)
		e := &expr{kind: functionExpr, at: at, of: f}
		r.in(true, func() {
			r.parameters(f, stop)
			r.i++ // the arrow
			r.arrowBody(e, stop)
		})
		return e
	}
	end := r.closing(stop)
	r.i++
	e := r.expressionTo(end)
	r.i = min(end+1, stop)
	if e.kind == joinExpr { // it is a complete operand
		r.unroot(e)
		return &expr{kind: choiceExpr, at: at, parts: []*expr{e}}
	}
	return e
}

// unroot leaves an expression to be recorded as part of another one.
func (r *reader) unroot(e *expr) {
	if n := len(r.roots) - 1; n >= 0 && r.roots[n] == e {
		r.roots, e.inner = r.roots[:n], false
	}
}

// items parses a list separated by commas up to a token, after some parts.
func (r *reader) items(parts []*expr, end int) []*expr {
	for r.i < end {
		before := r.i
		parts = append(parts, r.item(end))
		if r.is(0, ",") {
			r.i++
		}
		if r.i == before { // invalid syntax
			r.i++
		}
	}
	return parts
}

// array parses an array.
func (r *reader) array(stop int) *expr {
	e := &expr{kind: arrayExpr, at: r.tok(0).start}
	end := r.closing(stop)
	r.i++
	e.parts = r.items(e.parts, end)
	r.i = min(end+1, stop)
	return e
}

// object parses an object.
func (r *reader) object(stop int) *expr {
	e := &expr{kind: objectExpr, at: r.tok(0).start}
	end := r.closing(stop)
	for r.i++; r.i < end; {
		before := r.i
		r.objectProperty(e, end)
		for r.i < end && !r.is(0, ",") {
			if r.i == before {
				r.i++
			}
			if r.i < end && !r.is(0, ",") {
				r.expression0(end)
			}
		}
		r.i++
	}
	r.i = min(end+1, stop)
	return e
}

// expression0 skips something unexpected.
func (r *reader) expression0(stop int) {
	before := r.i
	r.assignment(stop)
	if r.i == before {
		r.i++
	}
}

// objectProperty parses one property.
func (r *reader) objectProperty(e *expr, stop int) {
	if r.is(0, "...") {
		r.item(stop)
		return
	}
	for (modifiers[r.word(0)] && !r.is(1, ":") && !r.is(1, ",") && !r.is(1, "(") && !r.is(1, "}") && !r.is(1, "=")) ||
		r.is(0, "*") {
		r.i++
	}
	scope, shorthand := r.scope, r.word(0)
	var key *expr
	if r.is(0, "[") {
		inner := r.closing(stop)
		r.i++
		key = r.expressionTo(inner)
		r.root(key)
		r.i = min(inner+1, stop)
	}
	name, at := "", r.tok(0).start
	if key == nil {
		ok := true
		if name, at, ok = r.propertyName(stop); !ok {
			return
		}
	}
	switch {
	case r.is(0, ":"):
		r.i++
		v := r.assignment(stop)
		e.props = append(e.props, prop{name, key, v})
		r.property(name, v)
	case r.is(0, "("):
		f := r.functionFrom(at, stop)
		e.props = append(e.props, prop{name, key, f})
		r.property(name, f)
	case shorthand != "":
		v := &expr{kind: nameExpr, at: at, text: shorthand, scope: scope}
		e.props = append(e.props, prop{name, key, v})
		r.property(name, v)
		if r.is(0, "=") { // of a pattern
			r.i++
			r.assignment(stop)
		}
	}
}

// template parses a template: its parts, and the expressions between them.
func (r *reader) template(stop int) *expr {
	t := r.tok(0)
	e := &expr{kind: joinExpr, at: t.start + 1, whole: true}
	for r.i < stop {
		t = r.tok(0)
		if t.kind != template {
			break
		}
		text, at := r.lex.inner(t)
		e.parts = append(e.parts, &expr{kind: textExpr, at: at, text: text})
		r.i++
		if t.end > t.start && r.text[t.end-1] == '`' && (t.end-1 > t.start) || !t.closed {
			break
		}
		end := r.i // the rest of the template, after the substitution
		for ; end < stop; end++ {
			e := r.toks[end]
			if e.kind == template && r.text[e.start] == '}' && e.depth <= t.depth {
				break
			}
		}
		hole := r.expressionTo(end)
		r.unroot(hole)
		hole.inner = true
		e.parts = append(e.parts, hole)
		r.i = end
	}
	if len(e.parts) == 1 {
		return e.parts[0]
	}
	return e
}
