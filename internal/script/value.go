package script

import (
	"slices"
	"strings"
)

// This file evaluates the strings that the expressions of a script may yield.

// Hole is the placeholder in a string of [Visitor.Joined] for an unknown part:
// any text, or none.
const Hole = '\uFFFC'

// hole is Hole as a string.
const hole = string(Hole)

// value is the possible results of an expression: strings, with holes for
// unknown parts.
type value []string

// unknown is any string.
var unknown = value{hole}

// Limits of the evaluation.
const (
	maxValues    = 24   // results of an expression; the differences of more are holes
	maxJoined    = 4096 // bytes of one string
	maxEvalDepth = 60
)

// evaluator evaluates expressions.
type evaluator struct {
	*reader
	depth int
}

// joinedStrings calls visit with the strings that are built from parts, and
// their offsets.
func (r *reader) joinedStrings(visit func(text string, offset int)) {
	ev := evaluator{reader: r}
	for _, e := range r.roots {
		if e.kind == callExpr && !ev.joins(e) {
			continue
		}
		for _, text := range ev.eval(e) {
			if text != hole && text != "" {
				visit(text, e.at)
			}
		}
	}
}

// eachPart calls visit with the offsets of the literals in a string.
func eachPart(e *expr, visit func(offset int)) {
	switch e.kind {
	case textExpr:
		visit(e.at)
	case joinExpr, choiceExpr:
		for _, p := range e.parts {
			eachPart(p, visit)
		}
	}
}

// joins reports whether a call is one of a method that builds strings from
// strings.
func (ev *evaluator) joins(e *expr) bool {
	callee := e.parts[0]
	return callee.kind == memberExpr && (callee.text == "join" || stringMethods[callee.text])
}

// eval returns the possible results of an expression.
func (ev *evaluator) eval(e *expr) value {
	if e == nil {
		return unknown
	}
	if e.done {
		return e.value
	}
	if e.busy || ev.depth > maxEvalDepth {
		return unknown
	}
	e.busy = true
	ev.depth++
	v := ev.work(e)
	ev.depth--
	e.busy = false
	e.done, e.value = true, v // it has holes where evaluation was stopped
	return v
}

// work evaluates an expression without the memo.
func (ev *evaluator) work(e *expr) value {
	switch e.kind {
	case textExpr:
		return value{e.text}
	case joinExpr:
		return ev.join(e.parts, "")
	case choiceExpr:
		var out value
		for _, p := range e.parts {
			out = out.or(ev.eval(p))
		}
		return out
	case nameExpr:
		if b := e.scope.find(e.text); b != nil {
			return ev.variable(b)
		}
	case memberExpr:
		return ev.member(e)
	case callExpr:
		return ev.call(e)
	case arrayExpr: // as text it is joined by commas
		return unknown
	}
	return unknown
}

// or returns the strings of both.
func (v value) or(w value) value {
	out := slices.Clone(v)
	for _, text := range w {
		if !slices.Contains(out, text) {
			out = append(out, text)
		}
	}
	if len(out) > maxValues {
		return unknown
	}
	return out
}

// join returns the concatenation of parts with a separator.
func (ev *evaluator) join(parts []*expr, separator string) value {
	out := value{""}
	for i, p := range parts {
		v := ev.eval(p)
		if i > 0 && separator != "" {
			out = out.then(value{separator})
		}
		out = out.then(v)
	}
	return out
}

// then returns each string of v followed by each of w.
func (v value) then(w value) value {
	if len(w) > 1 && len(v)*len(w) > maxValues {
		w = unknown // the strings in it are literals of the script anyway
	}
	out := make(value, 0, len(v)*len(w))
	for _, a := range v {
		for _, b := range w {
			text := a + b
			if strings.HasSuffix(a, hole) && strings.HasPrefix(b, hole) {
				text = a + b[len(hole):]
			}
			if len(text) > maxJoined {
				text = a // no name is that long
			}
			if !slices.Contains(out, text) {
				out = append(out, text)
			}
		}
	}
	return out
}

// variable returns the possible values of a variable.
func (ev *evaluator) variable(b *binding) value {
	if b.done {
		return b.value
	}
	if b.busy {
		return unknown
	}
	b.busy = true
	v := ev.computeVariable(b)
	b.busy = false
	b.done, b.value = true, v
	return v
}

// computeVariable is variable without the memo.
func (ev *evaluator) computeVariable(b *binding) value {
	var v value
	for _, e := range b.values {
		v = v.or(ev.eval(e))
	}
	if b.function != nil {
		v = v.or(ev.parameter(b))
	}
	if b.open || len(v) == 0 {
		v = v.or(unknown)
	}
	// Additions may be joined, or used separately.
	all := v
	for _, e := range b.added {
		w := ev.eval(e)
		all = all.then(w)
		v = v.or(all).or(value{hole}.then(w).then(unknown))
	}
	return v
}

// parameter returns the arguments of a parameter in the calls of the script.
// There may be other callers.
func (ev *evaluator) parameter(b *binding) (v value) {
	f := b.function
	calls := f.calls
	for _, name := range f.names {
		calls = append(slices.Clip(calls), ev.calls[name]...)
	}
	for _, c := range calls {
		if i := b.index + 1; i < len(c.parts) && c.parts[i].kind != spreadExpr {
			v = v.or(ev.eval(c.parts[i]))
		}
	}
	if f.each != nil && b.index == 0 {
		if elements, ok := ev.elements(f.each); ok {
			for _, e := range elements {
				v = v.or(ev.eval(e))
			}
		}
	}
	return v
}

// elements returns the elements of an array. ok is false if they are unknown.
func (ev *evaluator) elements(e *expr) (list []*expr, ok bool) {
	if ev.depth > maxEvalDepth {
		return nil, false
	}
	ev.depth++
	defer func() { ev.depth-- }()
	switch e.kind {
	case arrayExpr:
		return ev.literalElements(e), true
	case nameExpr:
		if b := e.scope.find(e.text); b != nil && len(b.values) == 1 && !b.open && len(b.pushed) == 0 && b.function == nil {
			return ev.elements(b.values[0])
		}
	case callExpr:
		callee := e.parts[0]
		if callee.kind != memberExpr {
			return nil, false
		}
		switch callee.text {
		case "filter", "slice", "reverse", "sort":
			return ev.elements(callee.parts[0])
		case "concat":
			return ev.concatenated(callee.parts[0], e.parts[1:])
		}
	}
	return nil, false
}

// literalElements returns the elements of an array literal.
func (ev *evaluator) literalElements(e *expr) (list []*expr) {
	for _, p := range e.parts {
		if p.kind != spreadExpr {
			list = append(list, p)
		} else if more, ok := ev.elements(p.parts[0]); ok {
			list = append(list, more...)
		} else {
			list = append(list, &expr{kind: unknownExpr, at: p.at})
		}
	}
	return list
}

// concatenated returns the elements of an array followed by those of others. ok
// is false if the first is unknown.
func (ev *evaluator) concatenated(first *expr, others []*expr) (list []*expr, ok bool) {
	if list, ok = ev.elements(first); !ok {
		return nil, false
	}
	for _, arg := range others {
		if more, isArray := ev.elements(arg); isArray {
			list = append(list, more...)
		} else {
			list = append(list, arg)
		}
	}
	return list, true
}

// member returns the possible values of a property.
func (ev *evaluator) member(e *expr) value {
	on := e.parts[0]
	if e.text == "" { // an element, or a property with a computed name
		if list, ok := ev.elements(on); ok {
			var v value
			for _, p := range list {
				v = v.or(ev.eval(p))
			}
			return v
		}
		if props, ok := ev.object(on); ok {
			var v value
			for _, p := range props {
				v = v.or(ev.eval(p.value))
			}
			return v.or(unknown)
		}
		return unknown
	}
	if props, ok := ev.object(on); ok && len(ev.assigned[e.text]) == 0 {
		for _, p := range props {
			if p.name == e.text {
				return ev.eval(p.value)
			}
		}
	}
	v := slices.Clone(unknown)
	const most = 8 // values of a name that many objects have
	if values := ev.names[e.text]; len(values) <= most {
		for _, p := range values {
			v = v.or(ev.eval(p))
		}
	}
	return v
}

// object returns the properties of an object that cannot be anything else.
func (ev *evaluator) object(e *expr) (props []prop, ok bool) {
	switch e.kind {
	case objectExpr:
		return e.props, true
	case nameExpr:
		if b := e.scope.find(e.text); b != nil && len(b.values) == 1 && !b.open && b.values[0].kind == objectExpr {
			return b.values[0].props, true
		}
	}
	return nil, false
}

// call returns the possible results of a call.
func (ev *evaluator) call(e *expr) value {
	callee := e.parts[0]
	args := e.parts[1:]
	if callee.kind != memberExpr {
		return ev.called(callee)
	}
	on := callee.parts[0]
	switch callee.text {
	case "join":
		return ev.joinArray(on, args)
	case "concat":
		if _, isArray := ev.elements(on); isArray {
			return unknown
		}
		out := ev.eval(on)
		for _, arg := range args {
			if arg.kind == spreadExpr {
				return out.then(unknown)
			}
			out = out.then(ev.eval(arg))
		}
		return out
	case "toLowerCase", "toLocaleLowerCase":
		return ev.eval(on).each(strings.ToLower)
	case "toUpperCase", "toLocaleUpperCase":
		return ev.eval(on).each(strings.ToUpper)
	case "replace", "replaceAll":
		return ev.replace(on, args, callee.text == "replaceAll")
	case "trim", "trimStart", "trimEnd", "toString", "valueOf", "normalize":
		return ev.eval(on)
	}
	return unknown
}

// replace returns strings after replacing a text by another.
func (ev *evaluator) replace(on *expr, args []*expr, all bool) value {
	if len(args) != 2 || args[0].kind != textExpr {
		return unknown
	}
	n := 1
	if all {
		n = -1
	}
	var out value
	for _, with := range ev.eval(args[1]) {
		out = out.or(ev.eval(on).each(func(text string) string { return strings.Replace(text, args[0].text, with, n) }))
	}
	return out
}

// each returns the strings with a change applied to each, except holes.
func (v value) each(change func(string) string) value {
	out := make(value, len(v))
	for i, text := range v {
		parts := strings.Split(text, hole)
		for k := range parts {
			parts[k] = change(parts[k])
		}
		out[i] = strings.Join(parts, hole)
	}
	return out
}

// called returns the possible results of a function of the script.
func (ev *evaluator) called(callee *expr) value {
	if callee.kind == nameExpr {
		if callee.text == "String" {
			return unknown
		}
		b := callee.scope.find(callee.text)
		if b == nil || b.open || len(b.values) != 1 {
			return unknown
		}
		callee = b.values[0]
	}
	if callee.kind != functionExpr || len(callee.parts) == 0 {
		return unknown
	}
	var v value
	for _, p := range callee.parts {
		v = v.or(ev.eval(p))
	}
	return v
}

// joinArray returns the elements of an array as one text.
func (ev *evaluator) joinArray(array *expr, args []*expr) value {
	separator := value{","}
	if len(args) > 0 {
		separator = ev.eval(args[0])
	}
	if len(separator) != 1 {
		separator = unknown
	}
	elements, ok := ev.elements(array)
	if !ok {
		return ev.joinOpen(array, separator)
	}
	out := value{""}
	for i, p := range elements {
		next := ev.eval(p)
		if i > 0 {
			next = separator.then(next)
		}
		if optional(p) { // it may be filtered out
			next = next.or(value{""})
		}
		out = out.then(next)
	}
	return out
}

// optional reports whether an element may be something other than text.
func optional(e *expr) bool { return e.kind == choiceExpr || e.kind == unknownExpr }

// joinOpen returns the text of an array with unknown elements: its first ones,
// and those added to it.
func (ev *evaluator) joinOpen(array *expr, separator value) value {
	between := unknown.then(separator).then(unknown)
	if array.kind != nameExpr {
		return between.or(unknown)
	}
	b := array.scope.find(array.text)
	if b == nil || len(b.pushed) == 0 {
		return between.or(unknown)
	}
	var start, out value
	for _, e := range b.values {
		if list, ok := ev.elements(e); ok {
			one := value{""}
			for i, p := range list {
				if i > 0 {
					one = one.then(separator)
				}
				one = one.then(ev.eval(p))
			}
			start = start.or(one)
		}
	}
	if len(start) == 0 {
		start = unknown
	}
	out = start
	all := start
	for _, p := range b.pushed {
		next := ev.eval(p)
		if !slices.Equal(all, value{""}) {
			next = separator.then(next)
		}
		all = all.then(next)
		out = out.or(all).or(start.then(next))
	}
	return out.or(between)
}
