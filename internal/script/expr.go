package script

// This file reads the expressions of a script, as far as they say which strings it makes. It is no
// parser of the whole language: what it cannot read is an expression of unknown value, and no input
// is an error. Statements matter only for the scopes of names (ECMA-262, sections 13 to 16).

// exprKind tells the kinds of expressions apart.
type exprKind uint8

const (
	unknownExpr  exprKind = iota // of unknown value; its parts are read all the same
	textExpr                     // a string, or a number as it is written
	joinExpr                     // strings one after another: of "+" or a template
	nameExpr                     // a variable
	memberExpr                   // a property: of a static name, or else worked out by the second part
	callExpr                     // the callee, then the arguments
	arrayExpr                    // its elements
	objectExpr                   // its properties
	choiceExpr                   // one of its parts: of ?:, ||, && and ??
	functionExpr                 // a function; its parts are what it returns
	spreadExpr                   // "..." and what stands after it
)

// expr is an expression.
type expr struct {
	kind  exprKind
	at    int // where it starts in the text
	text  string
	parts []*expr
	scope *scope    // of a name: where it stands
	props []prop    // of an object
	of    *function // of a function
	inner bool      // it is a part of a string that is made of more
	whole bool      // of strings: it is a template, to whose parts nothing is added

	// For the evaluation.
	busy  bool
	done  bool
	value value
}

// prop is a property of an object. The name is empty if it is worked out by key.
type prop struct {
	name  string
	key   *expr
	value *expr
}

// function is a function of the script.
type function struct {
	params []*binding
	names  []string // by which it may be called: of a variable or property
	calls  []*expr  // that call it where it stands
	each   *expr    // the array whose elements it is called with, one after the other
}

// binding is a variable. Its value is one of several, in any order; and what is added to the
// end of it with "+=" comes in the order of the script.
type binding struct {
	values   []*expr
	added    []*expr
	pushed   []*expr // elements that are added to it, if it is an array
	function *function
	index    int  // among the parameters of the function
	open     bool // it may have values that the script does not show
	done     bool
	busy     bool
	value    value
}

// scope is a part of a script in which names are declared.
type scope struct {
	names    map[string]*binding
	parent   *scope
	function bool // declarations with var belong to it
}

func (s *scope) find(name string) *binding {
	for ; s != nil; s = s.parent {
		if b := s.names[name]; b != nil {
			return b
		}
	}
	return nil
}

// declare returns the variable of a name in a scope, which is made if need be.
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

// maxExprDepth bounds how deep expressions may nest; what is deeper has an unknown value.
const maxExprDepth = 400

// reader reads the expressions of a script.
type reader struct {
	lex   *lexer
	text  string
	toks  []tok
	close map[int]int // the token that closes the bracket which a token opens
	i     int
	depth int
	scope *scope

	roots     []*expr // whose strings nothing else is made of
	calls     map[string][]*expr
	functions []*function        // that are open
	returns   *expr              // the function whose body is read
	assigned  map[string][]*expr // values that properties are given, by name
	names     map[string][]*expr // values of the properties of objects, by name
	keys      func(name string, offset int)
}

// read reads a script.
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

// tok returns the n-th token from here.
func (r *reader) tok(n int) tok {
	if i := r.i + n; i >= 0 && i < len(r.toks) {
		return r.toks[i]
	}
	return tok{start: len(r.text), end: len(r.text)}
}

// is reports whether the n-th token from here is a word or punctuator.
func (r *reader) is(n int, text string) bool { return r.lex.is(r.tok(n), text) }

// word returns the text of the n-th token if it is a word that can name something.
func (r *reader) word(n int) string {
	t := r.tok(n)
	if t.kind != word || r.text[t.start] >= '0' && r.text[t.start] <= '9' {
		return ""
	}
	return r.text[t.start:t.end]
}

// closing returns the token that closes the bracket here, or stop.
func (r *reader) closing(stop int) int {
	if c, ok := r.close[r.i]; ok && c < stop {
		return c
	}
	return stop
}

// statements reads statements up to the token stop.
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

// in reads something in a scope of its own.
func (r *reader) in(function bool, do func()) {
	r.scope = &scope{parent: r.scope, function: function}
	do()
	r.scope = r.scope.parent
}

// block reads the block that the brace here opens.
func (r *reader) block(stop int) {
	stop = r.closing(stop)
	r.i++
	r.in(false, func() { r.statements(stop) })
	r.i = min(stop+1, len(r.toks))
}

// statement reads one statement, or a part of one.
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
	case w == "else" || w == "do" || w == "try" || w == "finally" || w == "default" || w == "break" || w == "continue" || w == "debugger":
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

// newline reports whether a line starts between the last token and an offset.
func (r *reader) newline(at int) bool {
	for k := r.tok(-1).end; k < at; k++ {
		if r.text[k] == '\n' {
			return true
		}
	}
	return false
}

// head reads what stands in the brackets after a word such as "for".
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

// importDeclaration passes over a declaration, and declares the names that it binds.
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

// declarations reads the names and values of a declaration.
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

// give gives a variable a value.
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

// pattern declares the names in a pattern of a declaration, up to the token stop. Their values
// are not known. keys says that the names are keys of what they are taken from.
func (r *reader) pattern(to *scope, stop int, keys bool) {
	for r.i < stop {
		w := r.word(0)
		switch {
		case w != "" && r.is(1, ":"): // a key, after which its name stands
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

func (r *reader) key(name string, offset int) {
	if r.keys != nil && name != "" {
		r.keys(name, offset)
	}
}

// functionDeclaration reads a function from its keyword on.
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

// functionFrom reads the parameters and the body of a function.
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

// parameters reads the parameters that the bracket here opens.
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
			r.i++ // the dots before the rest
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

// body reads the body of a function, which returns what its statements return.
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

// returned notes what the function around returns.
func (r *reader) returned(e *expr) {
	if r.returns != nil && e != nil {
		r.returns.parts = append(r.returns.parts, e)
	}
}

// class reads a class from behind its name.
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

// modifiers are the words that may stand before the name of a member.
var modifiers = map[string]bool{"static": true, "get": true, "set": true, "async": true, "accessor": true}

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

// propertyName reads the name of a property or member. It is empty if it is worked out, the
// strings of which are noted as keys.
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

// property notes the value of a property.
func (r *reader) property(name string, e *expr) {
	if name == "" || e == nil {
		return
	}
	r.names[name] = append(r.names[name], e)
	if e.kind == functionExpr {
		e.of.names = append(e.of.names, name)
	}
}

// root notes an expression whose strings are made of nothing more.
func (r *reader) root(e *expr) {
	if e == nil || e.inner {
		return
	}
	switch e.kind {
	case joinExpr, callExpr:
		e.inner = true // it is noted
		r.roots = append(r.roots, e)
	case choiceExpr:
		e.inner = true
		for _, p := range e.parts {
			r.root(p)
		}
	}
}

// expression reads an expression with commas, of which the last one is its value.
func (r *reader) expression(stop int) *expr {
	e := r.assignment(stop)
	for r.i < stop && r.is(0, ",") {
		r.i++
		e = r.assignment(stop)
	}
	return e
}

// expressionTo reads an expression that ends before the token stop, and passes over what is
// left before it.
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
