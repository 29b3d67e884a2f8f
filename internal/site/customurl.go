package site

import (
	"fmt"
	"maps"
	"path"
	"regexp"
	"slices"
	"strings"

	"rinzel/internal/bundle"
	"rinzel/internal/css/ast"
	"rinzel/internal/css/token"
	"rinzel/internal/diag"
	"rinzel/internal/diag/code"
	"rinzel/internal/graph"
	"rinzel/internal/link"
	"rinzel/internal/source"
)

// This file determines the base of URLs in custom properties. Browsers resolve
// such a URL where var() inserts it into a property: relative to the sheet with
// the var(), not to the sheet that declares the custom property.

// varUse describes how a sheet uses custom properties, by name.
type varUse struct {
	addresses map[string]bool     // declared with a URL in the value
	uses      map[string]bool     // inserted into other properties than custom ones
	through   map[string][]string // custom properties, and those that their values refer to
}

// varUseOf returns how nodes use custom properties.
func varUseOf(nodes []ast.Node) *varUse {
	u := &varUse{make(map[string]bool), make(map[string]bool), make(map[string][]string)}
	ast.Walk(nodes, func(n ast.Node) bool {
		d, ok := n.(*ast.Declaration)
		if !ok {
			return true
		}
		name := token.Unescape(d.Name)
		if d.IsCustom() && hasAddress(d.Value) {
			u.addresses[name] = true
		}
		varsIn(d.Value, func(read string) {
			if d.IsCustom() {
				u.through[name] = append(u.through[name], read)
			} else {
				u.uses[read] = true
			}
		})
		return true
	})
	return u
}

// hasAddress reports whether values contain a relative URL.
func hasAddress(values []ast.Value) bool {
	return slices.ContainsFunc(values, func(v ast.Value) bool {
		if address, ok := graph.Address(&v); ok {
			return address != "" && !strings.HasPrefix(address, "#") && !strings.HasPrefix(address, "data:")
		}
		return v.Inner != nil && hasAddress(v.Inner.Values)
	})
}

// varsIn calls visit with the name of each var(), at any depth.
func varsIn(values []ast.Value, visit func(name string)) {
	for i := range values {
		v := &values[i]
		if v.IsFunction("var") {
			if args := ast.Significant(v.Values()); len(args) > 0 && args[0].Kind == token.Ident {
				visit(token.Unescape(args[0].Text))
			}
		}
		if v.Inner != nil {
			varsIn(v.Inner.Values, visit)
		}
	}
}

// varInText finds var() in the text of a style attribute or element.
var varInText = regexp.MustCompile(`var\(\s*(--[^\s,)]+)`)

// findCustomBases determines the sheets that URLs in custom properties are
// relative to.
func (b *builder) findCustomBases(bundles []*styles) {
	var flow varFlow
	flow.gather(bundles)
	b.customBases = make(map[string][]source.Path)
	for name := range flow.declared {
		names := flow.closure(name)
		var bases []source.Path
		add := func(p source.Path) {
			folder := source.Path{Root: p.Root, Name: path.Join(path.Dir(p.Name), "x")}
			if !slices.Contains(bases, folder) {
				bases = append(bases, folder)
			}
		}
		for _, p := range flow.pieces {
			for used := range traitsOf(p).vars.uses {
				if names[used] {
					add(p.File.Path)
				}
			}
		}
		for _, page := range b.pages {
			if usesAny(page, names) {
				add(page.File.Path)
			}
		}
		slices.SortFunc(bases, func(a, c source.Path) int { return strings.Compare(a.String(), c.String()) })
		b.customBases[name] = bases
	}
}

// varFlow describes how the values of custom properties flow into each other
// across a site.
type varFlow struct {
	pieces   []*link.Piece       // that declare or use custom properties
	declared map[string]bool     // declared with a URL
	readers  map[string][]string // by name: the custom properties whose values refer to it
}

// gather collects the custom properties of the pieces of bundles.
func (f *varFlow) gather(bundles []*styles) {
	f.declared, f.readers = make(map[string]bool), make(map[string][]string)
	for _, s := range bundles {
		for i := range s.pieces {
			p := &s.pieces[i]
			if p.File == nil || !strings.Contains(p.File.Text, "--") {
				continue
			}
			t := traitsOf(p)
			if t.vars == nil {
				t.vars = varUseOf(p.Nodes)
			}
			f.pieces = append(f.pieces, p)
			maps.Copy(f.declared, t.vars.addresses)
			for reader, list := range t.vars.through {
				for _, name := range list {
					f.readers[name] = append(f.readers[name], reader)
				}
			}
		}
	}
}

// closure returns a custom property and all that its value flows into.
func (f *varFlow) closure(name string) map[string]bool {
	all := map[string]bool{name: true}
	for list := []string{name}; len(list) > 0; list = list[1:] {
		for _, r := range f.readers[list[0]] {
			if !all[r] {
				all[r] = true
				list = append(list, r)
			}
		}
	}
	return all
}

// usesAny reports whether a style element of a page inserts one of names into
// another property.
func usesAny(page *graph.Page, names map[string]bool) bool {
	for _, at := range page.Styles {
		for _, m := range varInText.FindAllStringSubmatch(page.File.Text[at.Start:at.End], -1) {
			if names[m[1]] {
				return true
			}
		}
	}
	return false
}

// baseOfAddress returns the path that a URL in a sheet is relative to: the
// sheet, or for a custom property the sheets that use it.
func (b *builder) baseOfAddress(u bundle.URL, own source.Path) (from source.Path, found []diag.Diagnostic) {
	bases := b.customBases[u.Custom]
	if u.Custom == "" || len(bases) == 0 {
		return own, nil
	}
	here := func(p source.Path) bool { return p.Root == own.Root && path.Dir(p.Name) == path.Dir(own.Name) }
	if len(bases) == 1 {
		if here(bases[0]) {
			return own, nil
		}
		return bases[0], nil
	}
	from = bases[0]
	if slices.ContainsFunc(bases, here) {
		from = own
	}
	for _, other := range bases {
		t, o := b.files.Resolve(from, u.Address), b.files.Resolve(other, u.Address)
		if t.Kind == graph.Local && t.Path != o.Path {
			return from, []diag.Diagnostic{{Code: code.AmbiguousURL, Severity: diag.Warning, Span: u.At, Cause: u.Custom,
				Message: fmt.Sprintf("the URL is resolved in each sheet that uses var(%s): to %q in some, to %q in others",
					u.Custom, b.files.Show(t.Path), b.files.Show(o.Path)),
				Fix: "use a URL that starts with a slash, or declare and use the property in sheets of the same folder"}}
		}
	}
	return from, nil
}
