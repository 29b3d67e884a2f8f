package tokens

import (
	"cmp"
	"fmt"
	"slices"
	"strconv"
	"strings"

	"rinzel/internal/source"
)

// This file resolves references: aliases such as "{tone.calm}", and JSON
// pointers (RFC 6901) such as { "$ref": "#/tone/calm" }, to a token, a group or
// any part of a value.

// aliasOf returns the path in an alias in curly brackets: "{group.token}".
func aliasOf(v *value) (path string, ok bool) {
	if v.kind != text || !strings.HasPrefix(v.text, "{") || !strings.HasSuffix(v.text, "}") {
		return "", false
	}
	parts := strings.Split(v.text[1:len(v.text)-1], ".")
	for i, p := range parts {
		if parts[i] = constantName(p); p == "$root" {
			parts[i] = "root"
		}
	}
	return strings.Join(parts, "."), true
}

// pointer returns the path of a reference from the root of the file.
func pointer(ref *value) (names []string, ok bool) {
	rest, ok := strings.CutPrefix(ref.text, "#/")
	if ref.kind != text || !ok {
		return nil, false
	}
	for _, name := range strings.Split(rest, "/") {
		names = append(names, strings.ReplaceAll(strings.ReplaceAll(name, "~1", "/"), "~0", "~"))
	}
	return names, true
}

// target is what a reference refers to: a token, a group, or a part of the
// value of a token.
type target struct {
	value *value
	token string // path of the token, or of the token that contains the value
	whole bool   // it is a token or its whole value
}

// follow returns the target of a reference, after reporting an unresolved one.
func (r *reader) follow(ref *value) (target, bool) {
	names, ok := pointer(ref)
	if !ok {
		r.fail(ref.at, fmt.Sprintf("reference %q does not point into this file", ref.text),
			`write "#/group/token", or "{group.token}" for a token of an earlier file`)
		return target{}, false
	}
	out := target{value: r.root}
	var path []string
	for i, name := range names {
		if out.value.kind == object && out.value.get("$value") != nil && out.token == "" {
			out.token = strings.Join(path, ".")
			if name == "$value" && i == len(names)-1 {
				out.whole = true
				return out, true
			}
		}
		next := out.value.part(name)
		if next == nil {
			r.fail(ref.at, fmt.Sprintf("unresolved reference %q: unknown %q", ref.text, name), "")
			return target{}, false
		}
		out.value = next
		if name == "$root" {
			name = "root"
		}
		path = append(path, constantName(name))
	}
	if out.token == "" && out.value.kind == object &&
		(out.value.get("$value") != nil || out.value.get("$ref") != nil && r.found[strings.Join(path, ".")] != nil) {
		out.token, out.whole = strings.Join(path, "."), true
	}
	return out, true
}

// part returns a property of an object, or an element of a list; nil if it does
// not exist.
func (v *value) part(name string) *value {
	if n, err := strconv.Atoi(name); err == nil && v.kind == list && 0 <= n && n < len(v.list) {
		return &v.list[n]
	}
	return v.get(name)
}

// refOf returns the reference that a value is, or nil.
func refOf(v *value) *value {
	if v.kind != object {
		return nil
	}
	return v.get("$ref")
}

// resolve follows aliases and references to a value and its type. outside is
// the path of a token that is not in the file. end is nil after a finding, and
// for an outside token.
func (r *reader) resolve(v *value, kind string) (end *value, is, outside string) {
	first := v
	var passed []*entry
	defer func() {
		for _, e := range passed {
			e.open = false
			e.end, e.is, e.bad = end, is, end == nil && outside == ""
		}
	}()
	for range maxParts {
		ref := refOf(v)
		path, isAlias := aliasOf(v)
		switch {
		case ref != nil:
			to, ok := r.follow(ref)
			if r.written++; !ok || r.written > maxParts {
				return nil, "", ""
			}
			if !to.whole {
				v = to.value
				continue
			}
			path = to.token
		case !isAlias:
			return r.dereferenced(v, 0), kind, ""
		}
		e := r.found[path]
		switch {
		case e == nil:
			return nil, "", path
		case e.bad:
			return nil, "", "" // already reported
		case e.open:
			r.fail(first.at, "alias cycle", "")
			return nil, "", ""
		}
		if len(passed) == 0 && !slices.Contains(r.from, path) {
			r.from = append(r.from, path)
		}
		if kind == "" {
			kind = e.kind
		}
		if e.end != nil {
			return e.end, cmp.Or(kind, e.is), ""
		}
		e.open = true
		passed = append(passed, e)
		v = e.value
	}
	r.tooMuch(first.at)
	return nil, "", ""
}

// dereferenced returns a value with all references in it resolved. Aliases are
// preserved.
func (r *reader) dereferenced(v *value, depth int) *value {
	if v == nil || !hasRef(v) {
		return v
	}
	if r.written++; depth > maxDepth || r.written > maxParts {
		r.tooMuch(v.at)
		return &value{at: v.at, kind: invalid}
	}
	if ref := refOf(v); ref != nil {
		to, ok := r.follow(ref)
		switch {
		case !ok:
			return &value{at: v.at, kind: invalid}
		case to.whole:
			if e := r.found[to.token]; e != nil {
				if !slices.Contains(r.from, to.token) {
					r.from = append(r.from, to.token)
				}
				return r.dereferenced(e.value, depth+1)
			}
		}
		return r.dereferenced(to.value, depth+1)
	}
	out := *v
	out.index = nil
	out.keys, out.list = slices.Clone(v.keys), slices.Clone(v.list)
	for i := range out.keys {
		if out.keys[i].value = *r.dereferenced(&out.keys[i].value, depth+1); out.keys[i].value.kind == invalid {
			return &out.keys[i].value
		}
	}
	for i := range out.list {
		if out.list[i] = *r.dereferenced(&out.list[i], depth+1); out.list[i].kind == invalid {
			return &out.list[i]
		}
	}
	return &out
}

// hasRef reports whether a value is or contains a reference.
func hasRef(v *value) bool {
	return refOf(v) != nil || slices.ContainsFunc(v.keys, func(k key) bool { return hasRef(&k.value) }) ||
		slices.ContainsFunc(v.list, func(v value) bool { return hasRef(&v) })
}

// tooMuch reports, once, tokens that grow without bound.
func (r *reader) tooMuch(at source.Span) {
	if !r.full {
		r.full = true
		r.fail(at, "the token depends on itself, or on too many others", "")
	}
}

// extended returns a group merged with the group that it extends or refers to;
// its own tokens have precedence, at every depth.
func (r *reader) extended(v *value, depth int) *value {
	from, base := v.get("$extends"), (*value)(nil)
	if ref := v.get("$ref"); ref != nil {
		from = ref
		to, ok := r.follow(ref)
		if !ok {
			return v
		}
		base = to.value
	} else if from != nil {
		base = r.named(from)
	}
	switch {
	case from == nil:
		return v
	case base == nil || base.kind != object || base.get("$value") != nil:
		r.fail(from.at, fmt.Sprintf("%q is not a group: a group can only extend a group", from.text), `write "{group}"`)
		return v
	case depth > maxDepth:
		r.fail(from.at, "the group extends itself", "")
		return v
	}
	return r.merged(r.extended(base, depth+1), v)
}

// named returns the group of "{group}" or a reference, or nil.
func (r *reader) named(from *value) *value {
	if refOf(from) != nil {
		to, _ := r.follow(refOf(from))
		return to.value
	}
	path, ok := aliasOf(from)
	if !ok {
		return nil
	}
	group := r.root
	for _, name := range strings.Split(path, ".") {
		if group = group.member(name); group == nil {
			break
		}
	}
	return group
}

// member returns the value of the key whose name becomes a constant's name, or
// nil.
func (v *value) member(name string) *value {
	if exact := v.get(name); exact != nil {
		return exact
	}
	for i := range v.keys {
		if constantName(v.keys[i].name) == name {
			return &v.keys[i].value
		}
	}
	return nil
}

// merged returns the group over with the keys of base that it does not have.
func (r *reader) merged(base, over *value) *value {
	out := *over
	out.keys, out.index = nil, nil
	if r.written += len(base.keys) + len(over.keys); r.written > maxParts {
		r.tooMuch(over.at)
		return &out
	}
	extends := func(name string) bool { return name == "$extends" || name == "$ref" }
	for _, k := range base.keys {
		own := over.get(k.name)
		switch {
		case own == nil && !extends(k.name):
			out.keys = append(out.keys, k)
		case own != nil && own.kind == object && k.value.kind == object && own.get("$value") == nil &&
			k.value.get("$value") == nil:
			k.value = *r.merged(&k.value, own)
			out.keys = append(out.keys, k)
		}
	}
	have := make(map[string]bool, len(out.keys))
	for _, k := range out.keys {
		have[k.name] = true
	}
	for _, k := range over.keys {
		if !have[k.name] && !extends(k.name) {
			out.keys = append(out.keys, k)
		}
	}
	return &out
}
