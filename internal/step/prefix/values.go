package prefix

import (
	"slices"
	"strings"

	"rinzel/internal/browsers"
	"rinzel/internal/css/ast"
	"rinzel/internal/css/print"
	"rinzel/internal/css/token"
)

// renamed returns the name that a prefix makes of a standard one.
func renamed(prefix, standard string) string {
	if other, ok := strings.CutPrefix(prefix, "="); ok {
		return other
	}
	return prefix + standard
}

// functionFeatures are the functions that have prefixed forms with the same
// arguments. Gradients have not: their directions were turned around.
var functionFeatures = map[string]string{
	"image-set": "css.types.image.image-set", "cross-fade": "css.types.image.cross-fade", "element": "css.types.image.element", "calc": "css.types.calc",
}

// notTheSame are the prefixed forms of keywords and properties that mean another
// thing than the standard one, or take other values: the first grid, whose
// properties were others, and the smoothing of fonts.
var notTheSame = map[string]bool{
	"css.properties.display.grid -ms-": true, "css.properties.display.inline-grid -ms-": true,
	"grid-template-columns =-ms-grid-columns": true, "grid-template-rows =-ms-grid-rows": true,
	"grid-auto-columns =-ms-grid-columns": true, "grid-auto-rows =-ms-grid-rows": true,
	"font-smooth =-webkit-font-smoothing": true,
}

// values returns twins of a declaration whose value holds what a target knows
// under a prefix, one for each prefix. Targets skip those that they do not know.
func (p *prefixer) values(d *ast.Declaration, name string, block []ast.Node) []ast.Node {
	var prefixes []string
	p.visit(d.Value, name, func(feature, _ string) {
		for _, prefix := range p.needed(feature) {
			if !slices.Contains(prefixes, prefix) && !notTheSame[feature+" "+prefix] {
				prefixes = append(prefixes, prefix)
			}
		}
	})
	var out []ast.Node
	for _, prefix := range prefixes {
		value, changed := ast.MapValues(d.Value, func(v *ast.Value) (with ast.Value, changed bool) {
			feature, standard := p.featureOf(v, name)
			if feature == "" || !slices.Contains(p.needed(feature), prefix) {
				return with, false
			}
			with = *v
			with.Text = renamed(prefix, standard)
			if v.Kind == token.Function {
				with.Text += "("
				with.Inner = p.innerOf(v, name, prefix)
			}
			return with, true
		})
		if !changed || holds(block, name, value) {
			continue
		}
		twin := *d
		twin.Value = value
		out = append(out, &twin)
		p.note(Change{Property: name + ": " + renamed(prefix, "")})
	}
	return out
}

// innerOf returns the arguments of a function with what is prefixed in them.
func (p *prefixer) innerOf(v *ast.Value, name, prefix string) *ast.Inner {
	inner, changed := ast.MapValues(v.Inner.Values, func(v *ast.Value) (with ast.Value, changed bool) {
		feature, standard := p.featureOf(v, name)
		if feature == "" || v.Kind != token.Function || !slices.Contains(p.needed(feature), prefix) {
			return with, false
		}
		with = *v
		with.Text = renamed(prefix, standard) + "("
		return with, true
	})
	if !changed {
		return v.Inner
	}
	return &ast.Inner{Values: inner, Close: v.Inner.Close}
}

// visit calls f for each value that is a feature of its own.
func (p *prefixer) visit(values []ast.Value, name string, f func(feature, standard string)) {
	for i := range values {
		v := &values[i]
		if feature, standard := p.featureOf(v, name); feature != "" {
			f(feature, standard)
		}
		if v.Inner != nil {
			p.visit(v.Inner.Values, name, f)
		}
	}
}

// featureOf returns the feature of a value of a property, and its standard
// name; none if it has none of its own.
func (p *prefixer) featureOf(v *ast.Value, property string) (feature, standard string) {
	switch v.Kind {
	case token.Ident:
		keywords := p.keywords[property]
		if keywords == nil {
			return "", ""
		}
		if standard = token.Lower(v.Text); keywords[standard] {
			return browsers.Property(property) + "." + standard, standard
		}
	case token.Function:
		standard = token.Lower(v.Name())
		if feature = functionFeatures[standard]; p.prefixes[feature] == nil {
			feature = ""
		}
		return feature, standard
	}
	return "", ""
}

// holds reports whether a block declares a property with a value.
func holds(block []ast.Node, name string, value []ast.Value) bool {
	text := print.CompactValues(value)
	return slices.ContainsFunc(block, func(n ast.Node) bool {
		d, ok := n.(*ast.Declaration)
		return ok && token.EqualFold(d.Name, name) && print.CompactValues(d.Value) == text
	})
}

// propertyNames returns a declaration of transition or will-change with the
// prefixed names that targets need before the names of properties in it.
// Browsers ignore the names that they do not know.
func (p *prefixer) propertyNames(d *ast.Declaration, name string) (with *ast.Declaration, changed bool) {
	single := name == "transition-property" && !slices.ContainsFunc(d.Value, func(v ast.Value) bool { return v.Kind == token.Comma })
	if name != "transition" && name != "will-change" && !single { // longer lists go with those of other properties
		return d, false
	}
	items := ast.SplitAt(d.Value, token.Comma)
	var out [][]ast.Value
	for _, item := range items {
		for i := range item {
			if item[i].Kind != token.Ident {
				continue
			}
			for _, prefix := range p.needed(browsers.Property(token.Lower(item[i].Text))) {
				twin := slices.Clone(item)
				twin[i].Text = renamed(prefix, token.Lower(item[i].Text))
				if !slices.ContainsFunc(items, func(o []ast.Value) bool { return print.CompactValues(o) == print.CompactValues(twin) }) {
					out = append(out, twin)
					p.note(Change{Property: name + ": " + twin[i].Text})
				}
			}
		}
		out = append(out, item)
	}
	if len(out) == len(items) {
		return d, false
	}
	copied := *d
	copied.Value = nil
	for i, item := range out {
		if i > 0 {
			copied.Value = append(copied.Value, ast.Value{Kind: token.Comma, Text: ",", Pos: item[0].Pos})
		}
		copied.Value = append(copied.Value, item...)
	}
	return &copied, true
}
