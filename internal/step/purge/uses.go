package purge

import (
	"strings"

	"rinzel/internal/css/ast"
	"rinzel/internal/css/token"
)

// Uses are the uses of definitions by the remaining rules of all sheets of a
// site: animations, fonts, counter styles and registered custom properties. The
// zero Uses are empty.
type Uses struct {
	animations map[string]bool
	fonts      map[string]bool // families in lower case
	counters   map[string]bool
	customs    map[string]bool // named anywhere, including declarations
	read       map[string]bool // custom properties read by something other than custom properties
	// through has reads between custom properties: "--a --b" if the value of
	// --a reads --b.
	through map[string]bool
	closed  map[string]bool // all custom properties that are read in the end; computed by Close
}

// Close determines which custom properties are read, directly or through
// others. Nothing may be added afterwards.
func (u *Uses) Close() {
	u.closed = make(map[string]bool)
	byReader := make(map[string][]string)
	for pair := range u.through {
		reader, read, _ := strings.Cut(pair, " ")
		byReader[reader] = append(byReader[reader], read)
	}
	var follow func(name string)
	follow = func(name string) {
		if u.closed[name] {
			return
		}
		u.closed[name] = true
		for _, next := range byReader[name] {
			follow(next)
		}
	}
	for name := range u.read {
		follow(name)
	}
}

// reads reports whether a custom property is read.
func (u *Uses) reads(name string) bool { return u.closed == nil || u.closed[name] }

// maps returns all sets.
func (u *Uses) maps() []*map[string]bool {
	return []*map[string]bool{&u.animations, &u.fonts, &u.counters, &u.customs, &u.read, &u.through}
}

// Add adds the uses of other.
func (u *Uses) Add(other *Uses) {
	from := other.maps()
	for i, to := range u.maps() {
		for name := range *from[i] {
			set(to, name)
		}
	}
}

// Equal reports whether two are equal.
func (u *Uses) Equal(o *Uses) bool {
	theirs := o.maps()
	for i, m := range u.maps() {
		if len(*m) != len(*theirs[i]) {
			return false
		}
		for name := range *m {
			if !(*theirs[i])[name] {
				return false
			}
		}
	}
	return true
}

// set adds a name to a set.
func set(in *map[string]bool, name string) {
	if *in == nil {
		*in = make(map[string]bool)
	}
	(*in)[name] = true
}

// AddText adds every word of a text, such as that of a style element.
func (u *Uses) AddText(text string) {
	for _, word := range strings.FieldsFunc(text,
		func(r rune) bool { return notInName(r) || r == ':' || r == '.' || r == '#' }) {
		set(&u.animations, word)
		set(&u.counters, word)
		set(&u.customs, word)
		set(&u.read, word)
		set(&u.fonts, strings.ToLower(word))
	}
}

// UsesOf returns the names that nodes use.
func UsesOf(nodes []ast.Node) *Uses {
	u := new(Uses)
	ast.Walk(nodes, func(n ast.Node) bool {
		switch n := n.(type) {
		case *ast.Declaration:
			u.declaration(n)
		case *ast.AtRule:
			if token.EqualFold(n.Name, "font-face") || token.EqualFold(n.Name, "property") {
				return false // a definition does not use its own name
			}
			u.atRule(n)
		}
		return true
	})
	return u
}

// atRule adds the names in an at-rule.
func (u *Uses) atRule(r *ast.AtRule) {
	u.customsIn(r.Prelude, "") // style() of a container query
	if !token.EqualFold(r.Name, "counter-style") {
		return
	}
	for _, n := range ast.Body(r) { // fallback and extends
		if d, ok := n.(*ast.Declaration); ok {
			idents(d.Value, func(name string) { set(&u.counters, name) })
		}
	}
}

// declaration adds the names in a declaration.
func (u *Uses) declaration(d *ast.Declaration) {
	reader := ""
	if d.IsCustom() {
		reader = token.Unescape(d.Name)
	}
	u.customsIn(d.Value, reader)
	_, name := token.SplitVendor(token.Lower(d.Name))
	if d.IsCustom() { // any property may read it
		set(&u.customs, token.Unescape(d.Name))
	}
	switch {
	case d.IsCustom(), name == "animation", name == "animation-name":
		idents(d.Value, func(name string) { set(&u.animations, name) })
	}
	switch {
	case d.IsCustom(), name == "font", name == "font-family":
		u.families(d.Value)
	}
	// list-style, content: counter(), and readers of custom properties
	idents(d.Value, func(name string) { set(&u.counters, name) })
}

// customsIn records the custom properties in values. reader is the custom
// property with this value; empty for other readers.
func (u *Uses) customsIn(values []ast.Value, reader string) {
	idents(values, func(name string) {
		if !ast.IsCustomName(name) {
			return
		}
		set(&u.customs, name)
		if reader == "" {
			set(&u.read, name)
		} else {
			set(&u.through, reader+" "+name)
		}
	})
}

// idents calls visit with the identifiers and strings in values, at any depth.
func idents(values []ast.Value, visit func(name string)) {
	for i := range values {
		switch v := &values[i]; v.Kind {
		case token.Ident:
			visit(token.Unescape(v.Text))
		case token.String:
			visit(token.StringValue(v.Text))
		default:
			idents(v.Values(), visit)
		}
	}
}

// families records the font families that values may name: strings, and
// sequences of identifiers. In a shorthand, the first identifiers may not
// belong to the name.
func (u *Uses) families(values []ast.Value) {
	var run []string
	for i := range values {
		v := &values[i]
		if v.Kind == token.Ident {
			run = append(run, strings.ToLower(token.Unescape(v.Text)))
			for k := range run {
				set(&u.fonts, strings.Join(run[k:], " "))
			}
			continue
		}
		run = nil
		if v.Kind == token.String {
			set(&u.fonts, strings.ToLower(token.StringValue(v.Text)))
		}
		u.families(v.Values())
	}
}

// definition decides about a definition. ok is false for other at-rules.
func (p *purger) definition(r *ast.AtRule) (edit ast.Edit, ok bool) {
	kind := token.Lower(r.Name)
	plain := kind
	if strings.HasSuffix(kind, "-keyframes") {
		plain = "keyframes"
	}
	name := ""
	switch plain {
	case "keyframes", "counter-style", "property":
		for _, v := range ast.Significant(r.Prelude) {
			if v.Kind == token.String {
				name = token.StringValue(v.Text)
			} else {
				name = token.Unescape(v.Text)
			}
			break
		}
	case "font-face":
		name = familyOf(r)
	default:
		return ast.Keep, false
	}
	if p.Uses == nil || name == "" || r.Block == nil {
		return ast.Keep, true
	}
	kept := p.used(plain, name)
	if p.Record != nil {
		p.Record(Verdict{Name: "@" + kind + " " + name, At: r.Span(), Kept: kept})
	}
	if kept {
		return ast.Keep, true
	}
	p.result.RemovedNamed++
	if at := r.Span(); at.IsValid() {
		p.result.RemovedBytes += int(at.End - at.Start.Off)
	}
	return ast.Remove, true
}

// familyOf returns the font family of an @font-face rule.
func familyOf(r *ast.AtRule) string {
	for _, n := range ast.Body(r) {
		d, ok := n.(*ast.Declaration)
		if !ok || !token.EqualFold(d.Name, "font-family") {
			continue
		}
		var parts []string
		idents(d.Value, func(name string) { parts = append(parts, name) })
		return strings.Join(parts, " ")
	}
	return ""
}

// used reports whether a definition is used by remaining rules, or possibly by
// a script or a style attribute.
func (p *purger) used(kind, name string) bool {
	switch kind {
	case "keyframes":
		if p.Uses.animations[name] {
			return true
		}
	case "counter-style":
		if p.Uses.counters[name] {
			return true
		}
	case "property":
		if p.Uses.customs[name] {
			return true
		}
	case "font-face":
		if lower := strings.ToLower(name); p.Uses.fonts[lower] || allIn(p.Uses.fonts, strings.Fields(lower)) {
			return true
		}
	}
	return p.Evidence.mentions(name)
}

// allIn reports whether all words are in a set.
func allIn(in map[string]bool, words []string) bool {
	for _, w := range words {
		if !in[w] {
			return false
		}
	}
	return len(words) > 1
}

// mentions reports whether a script or another file contains all words of a
// name, or a style attribute contains it.
func (e *Evidence) mentions(name string) bool {
	all := true
	for _, word := range strings.Fields(name) {
		if _, ok := e.word(word); !ok {
			all = false
		}
	}
	if all {
		return true
	}
	lower := strings.ToLower(name)
	for _, attr := range []string{"style", "font-family", "values", "to", "from"} {
		for value := range e.attrs[attr] {
			if strings.Contains(strings.ToLower(value), lower) {
				return true
			}
		}
	}
	return false
}
