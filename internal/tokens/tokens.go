// Package tokens reads design tokens in the format of the Design Tokens
// Community Group and writes each value as CSS has it.
//
// A group is an object, a token an object with a $value. The type of a token is
// its own $type, that of the token it is an alias of, or that of the nearest group around it.
// Composite tokens become what a property of CSS takes: a border, a shadow, a transition, the
// stops of a gradient; a typography token becomes a group with a key for each property.
package tokens

import (
	"errors"
	"fmt"
	"slices"
	"strings"

	"rinzel/internal/css/token"
	"rinzel/internal/diag"
	"rinzel/internal/source"
)

// Token is a token as CSS has it.
type Token struct {
	Path  []string    // the names of its groups and its own
	Value string      // the text of a value of CSS
	At    source.Span // of its name in the file
	From  []string    // the paths of the tokens of the file that it refers to
}

// Read reads a token file. The tokens come in the order of the file. A token
// that cannot be read is reported and left out. An alias of a token that the
// file does not have becomes const(path), for a sheet that knows it.
func Read(f *source.File) ([]Token, []diag.Diagnostic) {
	root, err := readJSON(f)
	var bad errJSON
	if errors.As(err, &bad) {
		return nil, []diag.Diagnostic{bad.diag}
	}
	r := reader{root: &root, found: make(map[string]*entry)}
	if root.kind != object {
		r.fail(root.at, "expected an object with groups and tokens, found "+root.kind.String(), "")
		return nil, r.diags
	}
	r.group(&root, nil, "")
	for _, e := range r.entries {
		r.token(e)
	}
	return r.out, r.diags
}

// entry is a token as it was found.
type entry struct {
	path  []string
	at    source.Span
	value *value // its $value
	kind  string // its type; empty if only what it is an alias of says it
}

type reader struct {
	root    *value
	entries []*entry
	found   map[string]*entry // by their paths
	out     []Token
	depth   int      // of values within each other
	written int      // values
	from    []string // the tokens that the one in hand refers to
	diags   []diag.Diagnostic
}

func (r *reader) fail(at source.Span, message, mend string) {
	r.diags = append(r.diags, diag.Diagnostic{Code: "bad-tokens", Severity: diag.Error, Span: at, Message: message, Mend: mend})
}

// group gathers the tokens of a group.
func (r *reader) group(v *value, path []string, kind string) {
	if v.get("$extends") != nil {
		v = r.extended(v, 0)
	}
	if t := v.get("$type"); t != nil {
		kind = t.text
	}
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

// extended returns a group with all that the group has which it extends; its
// own tokens come in place of those, at every depth.
func (r *reader) extended(v *value, depth int) *value {
	from := v.get("$extends")
	if from == nil {
		return v
	}
	path, ok := aliasOf(from)
	base := r.root
	for _, name := range strings.Split(path, ".") {
		if base == nil {
			break
		}
		base = base.get(name)
	}
	if !ok || base == nil || base.kind != object || base.get("$value") != nil {
		r.fail(from.at, fmt.Sprintf("%q is no group that this one could extend", from.text), `write "{group}"`)
		return v
	}
	if depth > maxDepth {
		r.fail(from.at, "the group extends itself", "")
		return v
	}
	return merged(r.extended(base, depth+1), v)
}

// merged returns the group over with all that it lacks and base has.
func merged(base, over *value) *value {
	out := *over
	out.keys = nil
	for _, k := range base.keys {
		own := over.get(k.name)
		switch {
		case own == nil && k.name != "$extends":
			out.keys = append(out.keys, k)
		case own != nil && own.kind == object && k.value.kind == object && own.get("$value") == nil && k.value.get("$value") == nil:
			k.value = *merged(&k.value, own)
			out.keys = append(out.keys, k)
		}
	}
	for _, k := range over.keys {
		if out.get(k.name) == nil && k.name != "$extends" {
			out.keys = append(out.keys, k)
		}
	}
	return &out
}

// constantName returns a token's name as the name of a constant: a name with
// white space could not be written in const().
func constantName(name string) string { return strings.Join(strings.Fields(name), "-") }

// member gathers a token, or the tokens of a group.
func (r *reader) member(k *key, path []string, kind string) {
	name := strings.Join(path, ".")
	switch {
	case k.value.kind != object:
		r.fail(k.at, fmt.Sprintf("%q is neither a token nor a group: expected an object, found %s", name, k.value.kind), `write { "$value": … }`)
	case k.name == "" || strings.ContainsAny(k.name, "{}."):
		r.fail(k.at, fmt.Sprintf("%q cannot name a token or a group", k.name), "a name holds no dot and no curly bracket")
	case k.value.get("$value") == nil:
		r.group(&k.value, path, kind)
	default:
		e := &entry{path: path, at: k.at, value: k.value.get("$value"), kind: kind}
		if own := k.value.get("$type"); own != nil {
			e.kind = own.text
		} else if _, isAlias := aliasOf(e.value); isAlias {
			e.kind = "" // what it stands for says it
		}
		r.entries = append(r.entries, e)
		r.found[name] = e
	}
}

// aliasOf returns the path that a value refers to: "{group.token}", or a
// reference by a JSON pointer.
func aliasOf(v *value) (path string, ok bool) {
	if v.kind == text && strings.HasPrefix(v.text, "{") && strings.HasSuffix(v.text, "}") {
		parts := strings.Split(v.text[1:len(v.text)-1], ".")
		for i, p := range parts {
			if parts[i] = constantName(p); p == "$root" {
				parts[i] = "root"
			}
		}
		return strings.Join(parts, "."), true
	}
	if ref := v.get("$ref"); ref != nil && strings.HasPrefix(ref.text, "#/") {
		parts := strings.Split(strings.TrimSuffix(ref.text[2:], "/$value"), "/")
		for i, p := range parts {
			p = strings.ReplaceAll(strings.ReplaceAll(p, "~1", "/"), "~0", "~")
			if parts[i] = constantName(p); p == "$root" {
				parts[i] = "root"
			}
		}
		return strings.Join(parts, "."), true
	}
	return "", false
}

// token adds what a token comes to.
func (r *reader) token(e *entry) {
	r.from = nil
	v, kind, outside := r.resolve(e.value, e.kind)
	switch {
	case outside != "":
		r.add(e.path, reading(outside), e)
	case v == nil: // after a finding
	case kind == "":
		r.fail(e.at, fmt.Sprintf("the token %q has no $type, and no group around it has one", strings.Join(e.path, ".")), `write "$type" into the token or its group`)
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

// maxAliases is how many aliases may lead to a value, and maxParts how many
// values composite tokens may be made of, each counted as often as it is used.
const (
	maxAliases = 1000
	maxParts   = 1_000_000
)

// resolve follows aliases to a value and its type. outside is the path of one
// that the file does not have.
func (r *reader) resolve(v *value, kind string) (end *value, is, outside string) {
	first := v
	for range maxAliases {
		path, ok := aliasOf(v)
		if !ok {
			return v, kind, ""
		}
		e := r.found[path]
		if e == nil {
			return nil, "", path
		}
		if !slices.Contains(r.from, path) {
			r.from = append(r.from, path)
		}
		v = e.value
		if kind == "" {
			kind = e.kind
		}
	}
	r.fail(first.at, "the alias leads back to itself, or through too many others", "")
	return nil, "", ""
}

// reading returns the use of a constant of a path.
func reading(path string) string {
	parts := strings.Split(path, ".")
	for i, p := range parts {
		if i == 0 || strings.Trim(p, "0123456789") != "" || p == "" {
			parts[i] = token.EscapeName(p)
		}
	}
	return "const(" + strings.Join(parts, ".") + ")"
}

// typography adds a token of fonts as a group of properties.
func (r *reader) typography(e *entry, v *value) {
	properties := []struct{ key, property, kind string }{
		{"fontFamily", "font-family", "fontFamily"}, {"fontSize", "font-size", "dimension"}, {"fontWeight", "font-weight", "fontWeight"},
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

// expect reports a value that is of the wrong kind for a type.
func (r *reader) expect(v *value, want kind, kind string) bool {
	if v.kind == want {
		return true
	}
	r.fail(v.at, fmt.Sprintf("a token of the type %q is %s; found %s", kind, want, v.kind), "")
	return false
}
