package script

import "strings"

// This file finds what a script loads: imports of modules (ECMA-262, sections
// 16.2 and 13.3.10) with their attributes, and URLs relative to the script.

// Kind is how a script refers to another file.
type Kind uint8

// The kinds of imports.
const (
	// Static is an import declaration: import "x", import a from "x".
	Static Kind = iota
	// ReExport is an export declaration with a specifier: export * from "x".
	ReExport
	// Dynamic is an import call: import("x").
	Dynamic
	// Address is new URL("x", import.meta.url).
	Address
)

// Span is a range of bytes of a script.
type Span struct{ Start, End int }

// Import is a reference of a script to another file by a literal.
type Import struct {
	Kind      Kind
	Specifier string // with escapes decoded
	At        Span   // the specifier without its quotes
	Whole     Span   // the declaration with its semicolon, or the call
	Binds     bool   // the declaration declares names
	Type      string // the attribute "type"; empty if there is none
}

// Imports returns the imports of a script in order. Declarations are only
// recognized outside of all brackets. Anything that is not module syntax is
// skipped.
func Imports(text string) []Import {
	if !strings.Contains(text, "import") && !strings.Contains(text, "export") {
		return nil
	}
	r := moduleReader{lex: newLexer(text)}
	for t := r.lex.next(); t.kind != end; t = r.lex.next() {
		r.toks = append(r.toks, t)
	}
	for r.i < len(r.toks) {
		r.statement()
		r.i++
	}
	return r.found
}

// moduleReader reads the imports of a script.
type moduleReader struct {
	lex   *lexer
	toks  []tok
	i     int // index of the current token
	found []Import
}

// at returns the n-th token from the current one; one of kind end after the
// last.
func (r *moduleReader) at(n int) tok {
	if i := r.i + n; i >= 0 && i < len(r.toks) {
		return r.toks[i]
	}
	return tok{start: len(r.lex.text), end: len(r.lex.text)}
}

// is reports whether the tokens from the n-th on are words and punctuators with
// these texts.
func (r *moduleReader) is(n int, texts ...string) bool {
	for k, text := range texts {
		if !r.lex.is(r.at(n+k), text) {
			return false
		}
	}
	return true
}

// literal reports whether the n-th token is a literal that is a complete
// specifier.
func (r *moduleReader) literal(n int) bool {
	t := r.at(n)
	return t.closed && (t.kind == str || t.kind == template && t.end > t.start+1 && r.lex.text[t.start] == '`' &&
		r.lex.text[t.end-1] == '`')
}

// statement checks whether the current token starts a reference.
func (r *moduleReader) statement() {
	if r.is(-1, ".") || r.is(-1, "?.") {
		return // the name of a property
	}
	t := r.at(0)
	switch {
	case r.is(0, "import", "("):
		r.call(2)
	case r.is(0, "import", ".", "defer", "("), r.is(0, "import", ".", "source", "("):
		r.call(4)
	case r.is(0, "import") && t.depth == 0:
		r.declaration()
	case r.is(0, "export") && t.depth == 0:
		r.reExport()
	case r.is(0, "new", "URL", "(") && r.literal(3) && r.is(4, ",", "import", ".", "meta", ".", "url", ")"):
		r.add(Import{Kind: Address, Whole: Span{t.start, r.at(10).end}}, 3)
	}
}

// add records an import whose specifier is the n-th token.
func (r *moduleReader) add(imp Import, n int) {
	t := r.at(n)
	text, at := r.lex.inner(t)
	imp.Specifier, imp.At = text, Span{at, t.end - 1}
	r.found = append(r.found, imp)
}

// call reads an import call whose argument is the n-th token.
func (r *moduleReader) call(n int) {
	imp := Import{Kind: Dynamic, Whole: Span{r.at(0).start, 0}}
	if !r.literal(n) {
		return
	}
	switch {
	case r.is(n+1, ")"):
		imp.Whole.End = r.at(n + 1).end
	case r.is(n+1, ","):
		depth := r.at(n - 1).depth // of its brackets
		k := n + 2
		for ; r.at(k).kind != end && (r.at(k).depth > depth || !r.is(k, ")")); k++ {
			if name := r.name(k); (name == "with") && r.is(k+1, ":", "{") && r.at(k).depth == depth+2 {
				imp.Type = r.typeAttribute(k + 2)
			}
		}
		imp.Whole.End = r.at(k).end
	default:
		return // the specifier is computed
	}
	r.add(imp, n)
}

// name returns the key in the n-th token.
func (r *moduleReader) name(n int) string {
	switch t := r.at(n); t.kind {
	case word:
		return r.lex.text[t.start:t.end]
	case str:
		text, _ := r.lex.inner(t)
		return text
	}
	return ""
}

// typeAttribute returns the attribute "type" in the braces that the n-th token
// opens.
func (r *moduleReader) typeAttribute(n int) string {
	for k := n + 1; r.at(k).kind != end && !r.is(k, "}"); k++ {
		if r.name(k) == "type" && r.is(k+1, ":") && r.literal(k+2) {
			text, _ := r.lex.inner(r.at(k + 2))
			return text
		}
	}
	return ""
}

// declaration reads an import declaration.
func (r *moduleReader) declaration() {
	imp := Import{Kind: Static, Whole: Span{r.at(0).start, 0}}
	n := 1
	if !r.literal(n) {
		imp.Binds = true
		if n = r.from(n); n == 0 {
			return
		}
	}
	r.close(imp, n)
}

// reExport reads an export declaration, if it has a specifier.
func (r *moduleReader) reExport() {
	if !r.is(1, "*") && !r.is(1, "{") {
		return
	}
	if n := r.from(1); n > 0 {
		r.close(Import{Kind: ReExport, Whole: Span{r.at(0).start, 0}, Binds: true}, n)
	}
}

// from returns the index of the specifier after the names of a declaration,
// which start at the n-th token; 0 if there is none.
func (r *moduleReader) from(n int) int {
	for ; ; n++ {
		switch t := r.at(n); {
		case t.kind == word && r.is(n, "from") && r.literal(n+1) && t.depth == 0:
			return n + 1
		case t.kind == word, r.is(n, ","), r.is(n, "*"), r.is(n, "{"), t.kind == str && t.depth > 0:
		case r.is(n, "}"):
			if !r.is(n+1, "from") && !r.is(n+1, ",") {
				return 0
			}
		default:
			return 0
		}
	}
}

// close records a declaration whose specifier is the n-th token, with its
// attributes and semicolon.
func (r *moduleReader) close(imp Import, n int) {
	last := n
	if r.is(n+1, "with", "{") {
		imp.Type = r.typeAttribute(n + 2)
		for last = n + 2; r.at(last).kind != end && !r.is(last, "}"); last++ {
		}
	}
	if r.is(last+1, ";") {
		last++
	}
	imp.Whole.End = r.at(last).end
	r.add(imp, n)
	r.i += last
}
