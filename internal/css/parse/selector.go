package parse

import (
	"rinzel/internal/css/ast"
	"rinzel/internal/css/known"
	"rinzel/internal/css/scan"
	"rinzel/internal/css/token"
	"rinzel/internal/source"
)

// selectors parses a selector list from component values (Selectors Level 4,
// section 4.1, with the grammar of section 18). An invalid selector becomes a
// bad selector with a copy of its values.
func (p *parser) selectors(values []ast.Value, relative bool) []ast.Selector {
	// Counting first allows taking the list from the slab at once.
	n := 1
	for i := range values {
		if values[i].Kind == token.Comma {
			n++
		}
	}
	list := p.listSlab.take(p, n)
	for i := range list {
		end := 0
		for end < len(values) && values[end].Kind != token.Comma {
			end++
		}
		list[i] = p.selector(values[:end], relative)
		if end < len(values) {
			values = values[end+1:]
		}
	}
	return list
}

// selector parses one complex selector.
func (p *parser) selector(values []ast.Value, relative bool) ast.Selector {
	// Selectors nest in arguments. All share one stack of parts, of which each
	// uses the part from here on.
	from := len(p.parts)
	r := selectorReader{p: p, values: values}
	ok := r.complex(relative)
	parts := p.parts[from:]
	p.parts = p.parts[:from]
	if ok {
		return p.partSlab.copied(p, parts)
		// An invalid selector keeps its values, for the finding and for printing
		// it.
	}
	at := source.NoPos
	if len(values) > 0 {
		at = values[0].Pos
	}
	bad := ast.Simple{Kind: ast.BadSelector, Pos: at, Args: &ast.Args{Values: p.valueSlab.copied(p, values)}}
	return p.partSlab.copied(p, []ast.Simple{bad})
}

// selectorReader parses one selector; i is the next value.
type selectorReader struct {
	p      *parser
	values []ast.Value
	i      int
}

// push adds a simple selector.
func (r *selectorReader) push(s ast.Simple) { r.p.parts = append(r.p.parts, s) }

// peek returns the value n after the next one, if there is no white space
// between them.
func (r *selectorReader) peek(n int) *ast.Value {
	if r.i+n >= len(r.values) || r.values[r.i+n].Space && n > 0 {
		return &none
	}
	return &r.values[r.i+n]
}

// of kind EOF
var none ast.Value // of kind EOF

// complex parses compounds and combinators to the end. It reports whether
// everything is valid.
func (r *selectorReader) complex(relative bool) bool {
	compound, started := false, false // inside a compound; anything was pushed
	for r.i < len(r.values) {
		v := &r.values[r.i]
		if v.Kind == token.Comment {
			r.i++
			continue
		}
		if symbol, n := r.combinator(); n > 0 {
			// Two combinators in a row are invalid. One at the start is valid
			// in relative selectors: a { > b {} }.
			if !compound && (started || !relative) {
				return false
			}
			r.push(ast.Simple{Kind: ast.Combinator, Name: symbol, Pos: v.Pos})
			r.i += n
			compound, started = false, true
			continue
		}
		// White space before a compound is a descendant combinator, unless
		// another combinator is before it.
		if compound && v.Space {
			r.push(ast.Simple{Kind: ast.Combinator, Name: " ", Pos: v.Pos})
			compound = false
		}
		if !r.simple(!compound) {
			return false
		}
		compound, started = true, true
	}
	// A selector must not end with a combinator.
	return compound
}

// combinator returns the next combinator, and the number of values it consists
// of.
func (r *selectorReader) combinator() (symbol string, n int) {
	v := r.peek(0)
	if v.Kind != token.Delim {
		return "", 0
	}
	switch v.Text {
	case ">", "+", "~":
		return v.Text, 1
	case "|":
		// The column combinator || of Selectors 4, section 16.1. A single bar
		// belongs to a namespace prefix.
		if r.peek(1).IsDelim('|') {
			return "||", 2
		}
	}
	return "", 0
}

// simple parses one simple selector. A type selector must be the first of its
// compound, also before a nesting selector: browsers drop a rule with &p.
func (r *selectorReader) simple(first bool) bool {
	v := r.peek(0)
	switch v.Kind {
	case token.Hash:
		// A hash such as #1a is a valid token, but not a valid ID selector.
		if !scan.StartsIdent(v.Text[1:]) {
			return false
		}
		r.take(1, ast.Simple{Kind: ast.IDSelector, Name: v.Text[1:]})
		return true
	case token.LBracket:
		return r.attribute()
	case token.Colon:
		return r.pseudo()
	case token.Ident:
		return r.typed(first)
	case token.Delim:
		switch v.Text {
		case ".":
			if name := r.peek(1); name.Kind == token.Ident {
				r.take(2, ast.Simple{Kind: ast.ClassSelector, Name: name.Text})
				return true
			}
		case "&":
			// & may be repeated and may follow other simple selectors: .a&.
			r.take(1, ast.Simple{Kind: ast.NestingSelector, Name: "&"})
			return true
		case "*", "|":
			return r.typed(first)
		}
	}
	return false
}

// take pushes s with the position of the next value, and moves n values
// forward.
func (r *selectorReader) take(n int, s ast.Simple) {
	s.Pos = r.values[r.i].Pos
	r.push(s)
	r.i += n
}

// typed parses a type or universal selector with its namespace prefix.
func (r *selectorReader) typed(first bool) bool {
	if !first {
		return false
	}
	isName := func(v *ast.Value) bool { return v.Kind == token.Ident || v.IsDelim('*') }
	v, name, n := r.peek(0), "", 1
	switch {
	// The prefix a|, and *| for any namespace.
	case isName(v) && r.peek(1).IsDelim('|') && isName(r.peek(2)):
		v, n = r.peek(2), 3
		name = r.peek(0).Text + "|" + v.Text
	// The prefix | means no namespace.
	case v.IsDelim('|') && isName(r.peek(1)):
		v, n = r.peek(1), 2
		name = "|" + v.Text
	case isName(v):
		name = v.Text
	default:
		return false
	}
	kind := ast.TypeSelector
	if v.IsDelim('*') {
		kind = ast.UniversalSelector
	}
	r.take(n, ast.Simple{Kind: kind, Name: name})
	return true
}

// attribute parses [name], [name=value] and similar (section 6).
func (r *selectorReader) attribute() bool {
	v := r.peek(0)
	// Comments may be anywhere in the brackets. Compounds skip them elsewhere,
	// but here peek would find them.
	in := selectorReader{p: r.p, values: dropComments(v.Values())}
	name, ok := in.attributeName()
	if !ok {
		return false
	}
	args := &r.p.argsSlab.take(r.p, 1)[0]
	// [name] alone has no matcher.
	if in.i < len(in.values) {
		if !in.matcher(args) {
			return false
		}
	}
	r.take(1, ast.Simple{Kind: ast.AttributeSelector, Name: name, Args: args})
	return true
}

// attributeName parses the name of an attribute with its namespace prefix.
func (r *selectorReader) attributeName() (string, bool) {
	a, bar, b := r.peek(0), r.peek(1), r.peek(2)
	switch {
	case (a.Kind == token.Ident || a.IsDelim('*')) && bar.IsDelim('|') && b.Kind == token.Ident:
		r.i += 3
		return a.Text + "|" + b.Text, true
	case a.IsDelim('|') && bar.Kind == token.Ident:
		r.i += 2
		return "|" + bar.Text, true
	case a.Kind == token.Ident:
		r.i++
		return a.Text, true
	}
	return "", false
}

// matcher parses the operator, value and modifier of an attribute selector.
func (r *selectorReader) matcher(args *ast.Args) bool {
	op := r.peek(0)
	switch {
	case op.IsDelim('='):
		args.Matcher = "="
		r.i++
	// An operator of two characters is two tokens, which peek returns only if
	// there is no white space between them.
	case op.Kind == token.Delim && len(op.Text) == 1 && r.peek(1).IsDelim('='):
		switch op.Text {
		case "~", "|", "^", "$", "*":
			args.Matcher = op.Text + "="
		default:
			return false
		}
		r.i += 2
	default:
		return false
	}
	v := r.peek(0)
	if v.Kind != token.Ident && v.Kind != token.String {
		return false
	}
	args.Value = *v
	args.Value.Space = false
	r.i++
	// The modifiers are i and s. Others are accepted, because later levels may
	// define them.
	if m := r.peek(0); m.Kind == token.Ident {
		args.Modifier = m.Text
		r.i++
	}
	return r.i == len(r.values)
}

// pseudo parses a pseudo-class or pseudo-element.
func (r *selectorReader) pseudo() bool {
	colons, kind := 1, ast.PseudoClass
	if r.peek(1).Kind == token.Colon {
		colons, kind = 2, ast.PseudoElement
	}
	v := r.peek(colons)
	switch v.Kind {
	case token.Ident:
		s := ast.Simple{Kind: kind, Name: v.Text}
		// The four pseudo-elements of CSS 2 may have a single colon.
		if colons == 1 && ast.IsLegacyElement(v.Text) {
			s.Kind, s.Args = ast.PseudoElement, singleColon
		}
		r.take(colons+1, s)
		return true
	case token.Function:
		r.take(colons+1, ast.Simple{Kind: kind, Name: v.Name(), Args: r.p.pseudoArgs(v)})
		return true
	}
	return false
}

// singleColon are the Args of a pseudo-element in the legacy form.
var singleColon = &ast.Args{SingleColon: true}

// pseudoArgs parses the arguments of a functional pseudo.
func (p *parser) pseudoArgs(v *ast.Value) *ast.Args {
	values := v.Values()
	name := token.Lower(v.Name())
	if takes, relative := known.TakesSelectors(name); takes {
		args := &p.argsSlab.take(p, 1)[0]
		// :is() is valid and matches nothing.
		if len(values) > 0 {
			args.Selectors = p.selectors(values, relative)
		}
		return args
	}
	// For An+B of S, the selectors are after the keyword "of".
	if known.TakesOf(name) {
		for i := range values {
			if i > 0 && values[i].IsIdent("of") && i+1 < len(values) {
				return &ast.Args{Values: values[:i], Selectors: p.selectors(noLead(values[i+1:]), false)}
			}
		}
	}
	args := &p.argsSlab.take(p, 1)[0]
	// Unknown functions keep their arguments as values.
	args.Values = values
	return args
}

// noLead returns values without white space before the first.
func noLead(values []ast.Value) []ast.Value {
	out := append([]ast.Value(nil), values...)
	out[0].Space = false
	return out
}

// dropComments returns values without comments.
func dropComments(values []ast.Value) []ast.Value {
	for i := range values {
		if values[i].Kind != token.Comment {
			continue
		}
		out := append([]ast.Value(nil), values[:i]...)
		for _, v := range values[i:] {
			if v.Kind != token.Comment {
				out = append(out, v)
			}
		}
		return out
	}
	return values
}
