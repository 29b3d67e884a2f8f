// Package tokens reads design tokens in the format of the Design Tokens
// Community Group and converts their values to CSS. A group is an object, a
// token an object with a $value. The type of a token is its $type, that of the
// token it is an alias of, or that of its nearest parent group. Composite
// tokens become the value of a CSS property: a border, a shadow, a transition,
// the stops of a gradient; a typography token becomes a group with a key for
// each property. Start reading at [Read].
package tokens

import (
	"errors"
	"fmt"
	"slices"
	"strings"

	"rinzel/internal/css/token"
	"rinzel/internal/diag"
	"rinzel/internal/diag/code"
	"rinzel/internal/source"
)

// Token is a token in CSS.
type Token struct {
	Path  []string    // names of its groups and its own name
	Value string      // CSS value as text
	At    source.Span // its name in the file
	From  []string    // paths of the tokens of the file that it refers to
}

// Read parses a token file. Tokens are in file order. Invalid tokens are
// reported and omitted. An alias of a token that is not in the file becomes
// const(path), for a sheet that has it.
func Read(f *source.File) ([]Token, []diag.Diagnostic) {
	root, err := readJSON(f)
	var bad errJSON
	if errors.As(err, &bad) {
		return nil, []diag.Diagnostic{bad.diag}
	}
	r := reader{root: &root, found: make(map[string]*entry), aliases: make(map[*value]bool)}
	if root.kind != object {
		r.fail(root.at, "expected an object with groups and tokens, got "+root.kind.String(), "")
		return nil, r.diags
	}
	r.group(&root, nil, "")
	for _, e := range r.entries {
		if r.full {
			break
		}
		r.token(e)
	}
	return r.out, r.diags
}

// entry is a token of the file.
type entry struct {
	path  []string
	at    source.Span
	value *value // its $value
	kind  string // its type; empty if it is determined by an alias

	end *value // resolved value, once known
	is  string // resolved type
	bad bool   // an unresolved alias was reported

	open bool // its aliases are being followed
}

// reader reads one token file.
type reader struct {
	root    *value
	entries []*entry
	found   map[string]*entry // by path
	aliases map[*value]bool   // of objects with a reference: whether it refers to a token
	out     []Token
	depth   int      // nesting of values
	written int      // number of values
	full    bool     // there are too many
	from    []string // tokens that the current one refers to
	diags   []diag.Diagnostic
}

// fail reports an error.
func (r *reader) fail(at source.Span, message, fix string) {
	r.diags = append(r.diags,
		diag.Diagnostic{Code: code.BadTokens, Severity: diag.Error, Span: at, Message: message, Fix: fix})
}

// group reads the tokens of a group.
func (r *reader) group(v *value, path []string, kind string) {
	if v.get("$extends") != nil || v.get("$ref") != nil {
		v = r.extended(v, 0)
	}
	if t := v.get("$type"); t != nil {
		kind = t.text
	}
	if r.depth++; r.depth > maxDepth || r.full {
		r.tooMuch(v.at)
		return
	}
	defer func() { r.depth-- }()
	for i := range v.keys {
		k := &v.keys[i]
		switch {
		case k.name == "$root":
			r.member(k, append(slices.Clip(path), "root"), kind)
		case strings.HasPrefix(k.name, "$"):
		default:
			r.member(k, append(slices.Clip(path), constantName(k.name)), kind)
		}
	}
}

// constantName returns the name of a token as the name of a constant, which
// must not contain white space.
func constantName(name string) string { return strings.Join(strings.Fields(name), "-") }

// member reads a token, or the tokens of a group.
func (r *reader) member(k *key, path []string, kind string) {
	name := strings.Join(path, ".")
	switch {
	case k.value.kind != object:
		r.fail(k.at, fmt.Sprintf("%q is neither a token nor a group: expected an object, got %s", name, k.value.kind),
			`write { "$value": … }`)
	case k.name == "" || strings.ContainsAny(k.name, "{}."):
		r.fail(k.at, fmt.Sprintf("%q is not a valid name of a token or group", k.name),
			"a name must not contain dots or curly brackets")
	case k.value.get("$value") == nil && !r.isAlias(&k.value):
		r.group(&k.value, path, kind)
	case len(r.entries) >= maxTokens:
		r.tooMuch(k.at)
	default:
		e := &entry{path: path, at: k.at, value: k.value.get("$value"), kind: kind}
		if e.value == nil {
			e.value = &value{at: k.value.at, kind: object, keys: k.value.keys}
		}
		if own := k.value.get("$type"); own != nil {
			e.kind = own.text
		} else if _, isAlias := aliasOf(e.value); isAlias || refOf(e.value) != nil {
			e.kind = "" // determined by its alias
		}
		r.entries = append(r.entries, e)
		r.found[name] = e
	}
}

// isAlias reports whether an object without a value is a token that refers to
// another one. An unresolved one is not a group either.
func (r *reader) isAlias(v *value) bool {
	if v.get("$ref") == nil {
		return false
	}
	is, known := r.aliases[v]
	if !known {
		r.aliases[v] = true // in case of a cycle
		is = r.leadsToToken(v.get("$ref"))
		r.aliases[v] = is
	}
	return is
}

// leadsToToken reports whether a reference refers to a token.
func (r *reader) leadsToToken(ref *value) bool {
	names, ok := pointer(ref)
	to := r.root
	for _, name := range names {
		if to = to.get(name); to == nil || name == "$value" {
			return true
		}
	}
	return !ok || to.get("$value") != nil || r.isAlias(to)
}

// token adds a token with its resolved value.
func (r *reader) token(e *entry) {
	r.from = nil
	v, kind, outside := r.resolve(e.value, e.kind)
	switch {
	case outside != "":
		r.add(e.path, reading(outside), e)
	case v == nil || v.kind == invalid: // after a finding
	case kind == "":
		r.fail(e.at, fmt.Sprintf("token %q has no $type, and neither has a group around it", strings.Join(e.path, ".")),
			`add "$type" to the token or its group`)
	case kind == "typography":
		r.typography(e, v)
	default:
		if css, ok := r.css(v, kind); ok {
			r.add(e.path, css, e)
		}
	}
}

// add adds a token.
func (r *reader) add(path []string, css string, e *entry) {
	r.out = append(r.out, Token{path, css, e.at, r.from})
}

// maxAliases limits the aliases that lead to a value, and maxParts the values
// in composite tokens, counted at each use.
const (
	maxParts  = 1_000_000
	maxTokens = 120_000
)

// reading returns the use of a constant.
func reading(path string) string {
	parts := strings.Split(path, ".")
	for i, p := range parts {
		if i == 0 || strings.Trim(p, "0123456789") != "" || p == "" {
			parts[i] = token.EscapeName(p)
		}
	}
	return "const(" + strings.Join(parts, ".") + ")"
}

// typography adds a typography token as a group of properties.
func (r *reader) typography(e *entry, v *value) {
	properties := []struct{ key, property, kind string }{
		{"fontFamily", "font-family", "fontFamily"}, {"fontSize", "font-size", "dimension"},
		{"fontWeight", "font-weight", "fontWeight"},
		{"letterSpacing", "letter-spacing", "dimension"}, {"lineHeight", "line-height", "number"},
	}
	if !r.expect(v, object, "typography") {
		return
	}
	for _, p := range properties {
		if part := v.get(p.key); part != nil {
			if css, ok := r.css(part, p.kind); ok {
				r.add(append(slices.Clip(e.path), p.property), css, e)
			}
		}
	}
}

// expect reports a value of the wrong kind for a type.
func (r *reader) expect(v *value, want kind, kind string) bool {
	if v.kind == want {
		return true
	}
	r.fail(v.at, fmt.Sprintf("a token of type %q must be %s, got %s", kind, want, v.kind), "")
	return false
}
