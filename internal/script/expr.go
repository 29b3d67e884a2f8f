package script

// This file parses the expressions of a script, as far as they determine which
// strings it builds. It is not a full parser of the language: unsupported
// syntax becomes an expression with an unknown value, and no input is an error.
// Statements only matter for scopes (ECMA-262, sections 13 to 16).

// exprKind is the kind of an expression.
type exprKind uint8

// The kinds of expressions.
const (
	unknownExpr  exprKind = iota // of unknown value; its parts are parsed nevertheless
	textExpr                     // a string, or a number as written
	joinExpr                     // strings joined by "+" or a template
	nameExpr                     // a variable
	memberExpr                   // a property, by name or by the value of the second part
	callExpr                     // the callee, then the arguments
	arrayExpr                    // its elements
	objectExpr                   // its properties
	choiceExpr                   // one of its parts: of ?:, ||, && and ??
	functionExpr                 // a function; its parts are its return values
	spreadExpr                   // "..." and its operand
)

// expr is an expression.
type expr struct {
	kind  exprKind
	at    int // start in the text
	text  string
	parts []*expr
	scope *scope    // of a name: its scope
	props []prop    // of an object
	of    *function // of a function
	inner bool      // it is part of a longer string
	whole bool      // of strings: a template, which is a complete operand

	// State of the evaluation.
	busy  bool
	done  bool
	value value
}

// prop is a property of an object. The name is empty if it is computed from
// key.
type prop struct {
	name  string
	key   *expr
	value *expr
}

// function is a function of the script.
type function struct {
	params []*binding
	names  []string // names by which it may be called: of a variable or property
	calls  []*expr  // calls at the place of its definition
	each   *expr    // array with whose elements it is called
}

// binding is a variable. Its value is one of several, in any order; text added
// with "+=" is in the order of the script.
type binding struct {
	values   []*expr
	added    []*expr
	pushed   []*expr // elements added to it, if it is an array
	function *function
	index    int  // position among the parameters of the function
	open     bool // it may have values from outside of the script
	done     bool
	busy     bool
	value    value
}

// scope is a part of a script in which names are declared.
type scope struct {
	names    map[string]*binding
	parent   *scope
	function bool // it has the declarations with var
}

// find returns the variable with a name that is visible in the scope, or nil.
func (s *scope) find(name string) *binding {
	for ; s != nil; s = s.parent {
		if b := s.names[name]; b != nil {
			return b
		}
	}
	return nil
}

// declare returns the variable with a name in a scope, and creates it if
// necessary.
func (s *scope) declare(name string) *binding {
	b := s.names[name]
	if b == nil {
		b = new(binding)
		if s.names == nil {
			s.names = make(map[string]*binding)
		}
		s.names[name] = b
	}
	return b
}

// maxExprDepth limits the nesting of expressions; deeper ones have an unknown
// value.
const maxExprDepth = 400

// reader parses the expressions of a script.
type reader struct {
	lex   *lexer
	text  string
	toks  []tok
	close map[int]int // closing token of each opening bracket
	i     int
	depth int
	scope *scope

	roots     []*expr // expressions that are not part of longer strings
	calls     map[string][]*expr
	functions []*function        // open functions
	returns   *expr              // the function whose body is being parsed
	assigned  map[string][]*expr // values assigned to properties, by name
	names     map[string][]*expr // values of properties in object literals, by name
	keys      func(name string, offset int)
}

// read parses a script.
func read(text string, keys func(name string, offset int)) *reader {
	r := &reader{lex: newLexer(text), text: text, close: make(map[int]int), calls: make(map[string][]*expr),
		assigned: make(map[string][]*expr), names: make(map[string][]*expr), keys: keys, scope: &scope{function: true}}
	var open []int
	for t := r.lex.next(); t.kind != end; t = r.lex.next() {
		n := len(r.toks)
		r.toks = append(r.toks, t)
		if t.kind == punct {
			switch text[t.start] {
			case '(', '[', '{':
				open = append(open, n)
			case ')', ']', '}':
				for len(open) > 0 {
					last := open[len(open)-1]
					open = open[:len(open)-1]
					r.close[last] = n
					if r.toks[last].depth <= t.depth {
						break
					}
				}
			}
		}
	}
	r.statements(len(r.toks))
	return r
}

// tok returns the n-th token from the current one.
func (r *reader) tok(n int) tok {
	if i := r.i + n; i >= 0 && i < len(r.toks) {
		return r.toks[i]
	}
	return tok{start: len(r.text), end: len(r.text)}
}

// is reports whether the n-th token is a word or punctuator.
func (r *reader) is(n int, text string) bool { return r.lex.is(r.tok(n), text) }

// word returns the text of the n-th token if it can be a name.
func (r *reader) word(n int) string {
	t := r.tok(n)
	if t.kind != word || r.text[t.start] >= '0' && r.text[t.start] <= '9' {
		return ""
	}
	return r.text[t.start:t.end]
}

// closing returns the token that closes the current bracket, or stop.
func (r *reader) closing(stop int) int {
	if c, ok := r.close[r.i]; ok && c < stop {
		return c
	}
	return stop
}

// statements parses statements up to the token stop.
func (r *reader) statements(stop int) {
	for r.i < stop {
		before := r.i
		r.statement(stop)
		if r.i == before {
			r.i++
		}
	}
	r.i = stop
}

// in parses something in a scope of its own.
func (r *reader) in(function bool, do func()) {
	r.scope = &scope{parent: r.scope, function: function}
	do()
	r.scope = r.scope.parent
}

// block parses the block of the current brace.
func (r *reader) block(stop int) {
	stop = r.closing(stop)
	r.i++
	r.in(false, func() { r.statements(stop) })
	r.i = min(stop+1, len(r.toks))
}

// statement parses one statement, or a part of one.
func (r *reader) statement(stop int) {
	if r.depth++; r.depth > maxExprDepth {
		r.depth--
		r.i = r.closing(stop)
		return
	}
	defer func() { r.depth-- }()
	switch w := r.word(0); {
	case r.is(0, "{"):
		r.block(stop)
	case r.is(0, ";"), r.is(0, ","), r.is(0, ")"), r.is(0, "]"), r.is(0, "}"), r.is(0, ":"):
		r.i++
	case w == "var", w == "const", w == "let" && (r.word(1) != "" || r.is(1, "[") || r.is(1, "{")):
		r.i++
		r.declarations(w, stop)
	case w == "function", w == "async" && r.word(1) == "function":
		r.functionDeclaration(stop)
	case w == "class" && r.word(1) != "":
		name := r.word(1)
		r.i += 2
		r.scope.declare(name).open = true
		r.class(stop)
	case w == "for" || w == "if" || w == "while" || w == "with" || w == "switch":
		r.i++
		if r.word(0) == "await" {
			r.i++
		}
		if r.is(0, "(") {
			r.head(w, stop)
		}
	case w == "return" || w == "throw":
		r.i++
		if t := r.tok(0); r.i < stop && !r.is(0, ";") && !r.is(0, "}") && !r.newline(t.start) {
			e := r.expression(stop)
			if w == "return" && len(r.functions) > 0 {
				r.returned(e)
			}
		}
	case w == "case":
		r.i++
		r.expression(stop)
	case w == "catch" && r.is(1, "("):
		r.i++
		end := r.closing(stop)
		r.i++
		r.pattern(r.scope, end, false)
		r.i = min(end+1, stop)
	case w == "else" || w == "do" || w == "try" || w == "finally" || w == "default" || w == "break" ||
		w == "continue" || w == "debugger":
		r.i++
	case w == "import" && !r.is(1, "(") && !r.is(1, "."), w == "export" && (r.is(1, "*") || r.is(1, "{")):
		r.importDeclaration(stop)
	case w == "export":
		r.i++
	case w != "" && r.is(1, ":") && !r.is(2, ":"):
		r.i += 2 // a label
	default:
		r.expression(stop)
	}
}

// newline reports whether there is a line end between the last token and an
// offset.
func (r *reader) newline(at int) bool {
	for k := r.tok(-1).end; k < at; k++ {
		if r.text[k] == '\n' {
			return true
		}
	}
	return false
}

// head parses the brackets after a keyword such as "for".
func (r *reader) head(w string, stop int) {
	end := r.closing(stop)
	r.i++
	kind := r.word(0)
	if w == "for" && (kind == "var" || kind == "let" || kind == "const") {
		r.i++
		r.declarations(kind, end)
	}
	r.statements(end)
	r.i = min(end+1, stop)
}

// importDeclaration skips an import declaration, and declares its names.
func (r *reader) importDeclaration(stop int) {
	imports := r.word(0) == "import"
	for r.i++; r.i < stop; r.i++ {
		t := r.tok(0)
		if t.kind == str {
			r.i++
			return
		}
		if w := r.word(0); imports && w != "" && w != "from" && w != "as" {
			r.scope.declare(w).open = true
		}
		if r.is(0, ";") || r.is(0, "}") && !r.is(1, "from") && !r.is(1, ",") {
			return
		}
	}
}

// declarations parses the names and values of a declaration.
func (r *reader) declarations(kind string, stop int) {
	to := r.scope
	for kind == "var" && !to.function && to.parent != nil {
		to = to.parent
	}
	for r.i < stop {
		name := r.word(0)
		if name != "" {
			b := to.declare(name)
			r.i++
			switch {
			case r.is(0, "=") && !r.is(1, "="):
				r.i++
				r.give(b, name, r.assignment(stop))
			case r.word(0) == "of":
				r.i++
				b.values = append(b.values, r.element(r.expression(stop)))
			case r.word(0) == "in":
				b.open = true
			}
		} else if r.is(0, "[") || r.is(0, "{") {
			end := r.closing(stop)
			r.i++
			r.pattern(to, end, true)
			r.i = min(end+1, stop)
			if r.is(0, "=") || r.word(0) == "of" {
				r.i++
				r.assignment(stop)
			}
		} else {
			return
		}
		if !r.is(0, ",") {
			return
		}
		r.i++
	}
}

// give assigns a value to a variable.
func (r *reader) give(b *binding, name string, e *expr) {
	b.values = append(b.values, e)
	if e.kind == functionExpr {
		e.of.names = append(e.of.names, name)
	}
}

// element returns an expression for any element of an array.
func (r *reader) element(array *expr) *expr {
	return &expr{kind: memberExpr, at: array.at, parts: []*expr{array, {kind: unknownExpr}}}
}

// pattern declares the names in a pattern, up to the token stop. Their values
// are unknown. keys is set if the names are property names of the destructured
// value.
func (r *reader) pattern(to *scope, stop int, keys bool) {
	for r.i < stop {
		w := r.word(0)
		switch {
		case w != "" && r.is(1, ":"): // a property name, followed by the variable
			r.key(w, r.tok(0).start)
			r.i += 2
		case w != "":
			if keys {
				r.key(w, r.tok(0).start)
			}
			b := to.declare(w)
			b.open = true
			r.i++
			if r.is(0, "=") && !r.is(1, "=") {
				r.i++
				r.give(b, w, r.assignment(stop))
			}
		default:
			r.i++
		}
	}
}

// key records a key.
func (r *reader) key(name string, offset int) {
	if r.keys != nil && name != "" {
		r.keys(name, offset)
	}
}

// functionDeclaration parses a function from its keyword on.
func (r *reader) functionDeclaration(stop int) *expr {
	at := r.tok(0).start
	for r.word(0) == "async" || r.word(0) == "function" || r.is(0, "*") {
		r.i++
	}
	name := ""
	if name = r.word(0); name != "" {
		r.i++
	}
	e := r.functionFrom(at, stop)
	if name != "" {
		to := r.scope
		r.give(to.declare(name), name, e)
	}
	return e
}

// functionFrom parses the parameters and the body of a function.
func (r *reader) functionFrom(at, stop int) *expr {
	f := new(function)
	e := &expr{kind: functionExpr, at: at, of: f}
	r.in(true, func() {
		if r.is(0, "(") {
			r.parameters(f, stop)
		}
		if r.is(0, "{") {
			r.body(e, stop)
		}
	})
	return e
}

// parameters parses the parameters in the current bracket.
func (r *reader) parameters(f *function, stop int) {
	end := r.closing(stop)
	for r.i++; r.i < end; {
		w := r.word(0)
		b := &binding{function: f, index: len(f.params), open: true}
		f.params = append(f.params, b)
		switch {
		case w != "":
			if r.scope.names == nil {
				r.scope.names = make(map[string]*binding)
			}
			r.scope.names[w] = b
			r.i++
			if r.is(0, "=") && !r.is(1, "=") {
				r.i++
				b.values = append(b.values, r.assignment(end))
			}
		case r.is(0, "{") || r.is(0, "["):
			inner := r.closing(end)
			r.i++
			r.pattern(r.scope, inner, true)
			r.i = min(inner+1, end)
			if r.is(0, "=") && !r.is(1, "=") {
				r.i++
				r.assignment(end)
			}
		default:
			r.i++ // the rest operator
			f.params = f.params[:len(f.params)-1]
			continue
		}
		for r.i < end && !r.is(0, ",") {
			r.i++
		}
		r.i++
	}
	r.i = min(end+1, stop)
}

// body parses the body of a function, with its return values.
func (r *reader) body(e *expr, stop int) {
	stop = r.closing(stop)
	r.i++
	r.functions = append(r.functions, e.of)
	saved := r.returns
	r.returns = e
	r.statements(stop)
	r.returns = saved
	r.functions = r.functions[:len(r.functions)-1]
	r.i = min(stop+1, len(r.toks))
}

// returned records a return value.
func (r *reader) returned(e *expr) {
	if r.returns != nil && e != nil {
		r.returns.parts = append(r.returns.parts, e)
	}
}

// class parses a class after its name.
func (r *reader) class(stop int) {
	if r.word(0) == "extends" {
		r.i++
		for r.i < stop && !r.is(0, "{") {
			r.i++
		}
	}
	if !r.is(0, "{") {
		return
	}
	end := r.closing(stop)
	r.i++
	r.in(false, func() {
		for r.i < end {
			before := r.i
			r.classMember(end)
			if r.i == before {
				r.i++
			}
		}
	})
	r.i = min(end+1, len(r.toks))
}

// modifiers are the words before the name of a class member.
var modifiers = map[string]bool{"static": true, "get": true, "set": true, "async": true, "accessor": true}

// classMember parses a class member.
func (r *reader) classMember(stop int) {
	for modifiers[r.word(0)] && !r.is(1, "(") && !r.is(1, "=") && !r.is(1, ";") && !r.is(1, "}") || r.is(0, "*") {
		r.i++
	}
	if r.is(0, "{") { // a static block
		r.block(stop)
		return
	}
	name, at, ok := r.propertyName(stop)
	if !ok {
		return
	}
	switch {
	case r.is(0, "("):
		e := r.functionFrom(at, stop)
		e.of.names = append(e.of.names, name)
	case r.is(0, "="):
		r.i++
		r.property(name, r.assignment(stop))
	}
}

// propertyName parses the name of a property or member. It is empty for a
// computed name, whose strings are recorded as keys.
func (r *reader) propertyName(stop int) (name string, at int, ok bool) {
	t := r.tok(0)
	switch {
	case t.kind == word:
		name = r.text[t.start:t.end]
		r.key(name, t.start)
		r.i++
	case t.kind == str:
		name, _ = r.lex.inner(t)
		r.key(name, t.start+1)
		r.i++
	case r.is(0, "["):
		end := r.closing(stop)
		r.i++
		r.root(r.expressionTo(end))
		r.i = min(end+1, stop)
	default:
		return "", t.start, false
	}
	return name, t.start, true
}

// property records the value of a property.
func (r *reader) property(name string, e *expr) {
	if name == "" || e == nil {
		return
	}
	r.names[name] = append(r.names[name], e)
	if e.kind == functionExpr {
		e.of.names = append(e.of.names, name)
	}
}

// root records an expression that is not part of a longer string.
func (r *reader) root(e *expr) {
	if e == nil || e.inner {
		return
	}
	switch e.kind {
	case joinExpr, callExpr:
		e.inner = true // it is recorded
		r.roots = append(r.roots, e)
	case choiceExpr:
		e.inner = true
		for _, p := range e.parts {
			r.root(p)
		}
	}
}

// expression parses an expression with commas, whose value is that of the last
// one.
func (r *reader) expression(stop int) *expr {
	e := r.assignment(stop)
	for r.i < stop && r.is(0, ",") {
		r.i++
		e = r.assignment(stop)
	}
	return e
}

// expressionTo parses an expression that ends before the token stop, and skips
// the rest.
func (r *reader) expressionTo(stop int) *expr {
	e := &expr{kind: unknownExpr, at: r.tok(0).start}
	for r.i < stop {
		before := r.i
		e = r.expression(stop)
		if r.i == before {
			r.i++
		}
	}
	return e
}
