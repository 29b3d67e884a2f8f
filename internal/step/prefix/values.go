package prefix

import (
	"slices"
	"strings"

	"rinzel/internal/browsers"
	"rinzel/internal/css/ast"
	"rinzel/internal/css/print"
	"rinzel/internal/css/token"
)

// renamed returns the prefixed form of a standard name.
func renamed(prefix, standard string) string {
	if other, ok := strings.CutPrefix(prefix, "="); ok {
		return other
	}
	return prefix + standard
}

// functionFeatures are the functions with prefixed forms, which have the same
// arguments except for gradients; see [oldGradient].
var functionFeatures = map[string]string{
	"image-set": "css.types.image.image-set", "cross-fade": "css.types.image.cross-fade",
	"element": "css.types.image.element", "calc": "css.types.calc",
	"linear-gradient": "css.types.gradient.linear-gradient", "radial-gradient": "css.types.gradient.radial-gradient",
	"repeating-linear-gradient": "css.types.gradient.repeating-linear-gradient",
	"repeating-radial-gradient": "css.types.gradient.repeating-radial-gradient",
}

// notTheSame are prefixed keywords and properties with another meaning or other
// values than the standard ones: the first grid draft, and font smoothing.
var notTheSame = map[string]bool{
	"css.properties.display.grid -ms-": true, "css.properties.display.inline-grid -ms-": true,
	"grid-template-columns =-ms-grid-columns": true, "grid-template-rows =-ms-grid-rows": true,
	"grid-auto-columns =-ms-grid-columns": true, "grid-auto-rows =-ms-grid-rows": true,
	"font-smooth =-webkit-font-smoothing": true,
}

// values returns copies of a declaration whose value contains something that
// targets only know with a prefix, one for each prefix. Other browsers skip
// them.
func (p *prefixer) values(d *ast.Declaration, name string, block []ast.Node) []ast.Node {
	if p.keywords[name] == nil && !slices.ContainsFunc(d.Value, func(v ast.Value) bool { return v.Inner != nil }) {
		return nil
	}
	var prefixes []string
	var features []string
	p.visit(d.Value, name, func(feature string, needed []string) {
		for _, prefix := range p.fitting(needed) {
			if !slices.Contains(prefixes, prefix) && !notTheSame[feature+" "+prefix] {
				prefixes, features = append(prefixes, prefix), append(features, feature)
			}
		}
	})
	var out []ast.Node
	for i, prefix := range prefixes {
		r := valueRenamer{prefixer: p, property: name, prefix: prefix}
		value, changed := ast.MapValues(d.Value, r.value)
		if !changed || r.failed || holds(block, name, value) {
			continue
		}
		twin := *d
		twin.Value = value
		out = append(out, &twin)
		p.note(Change{Property: name + ": " + renamed(prefix, ""), Feature: features[i], Prefix: prefix})
	}
	return out
}

// valueRenamer writes values with one prefix.
type valueRenamer struct {
	*prefixer
	property, prefix string
	failed           bool // something has no prefixed form
}

// value returns a value and its arguments with the prefix.
func (r *valueRenamer) value(v *ast.Value) (with ast.Value, changed bool) {
	_, standard, needed := r.featureOf(v, r.property)
	if !slices.Contains(needed, r.prefix) {
		return with, false
	}
	with = *v
	with.Text = renamed(r.prefix, standard)
	if v.Kind != token.Function {
		return with, true
	}
	with.Text += "("
	args := v.Inner.Values
	if strings.HasSuffix(standard, "-gradient") {
		var ok bool
		if args, ok = oldGradient(standard, args); !ok {
			r.failed = true
			return with, false
		}
	}
	args, _ = ast.MapValues(args, r.value)
	with.Inner = &ast.Inner{Values: args, Close: v.Inner.Close}
	return with, true
}

// visit calls f for each value that is a feature of its own and that a target
// needs a prefix for.
func (p *prefixer) visit(values []ast.Value, name string, f func(feature string, needed []string)) {
	for i := range values {
		v := &values[i]
		if feature, _, needed := p.featureOf(v, name); needed != nil {
			f(feature, needed)
		}
		if v.Inner != nil {
			p.visit(v.Inner.Values, name, f)
		}
	}
}

// featureOf returns the feature of a value of a property, its standard name,
// and the needed prefixes; none if it is not a feature of its own.
func (p *prefixer) featureOf(v *ast.Value, property string) (feature, standard string, needed []string) {
	switch v.Kind {
	case token.Ident:
		keywords := p.keywords[property]
		if keywords == nil {
			return "", "", nil
		}
		standard = token.Lower(v.Text)
		if needed = keywords[standard]; needed != nil {
			feature = browsers.Property(property) + "." + standard
		}
	case token.Function:
		if len(p.functions) == 0 {
			return "", "", nil
		}
		standard = token.Lower(v.Name())
		needed = p.functions[standard]
		feature = functionFeatures[standard]
	}
	return feature, standard, needed
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
// needed prefixed names after the standard ones, so that the lists of other
// properties keep matching. Browsers ignore unknown names. If all targets
// support @supports, [prefixer.guarded] is used instead.
func (p *prefixer) propertyNames(d *ast.Declaration, name string) (with *ast.Declaration, changed bool) {
	switch name {
	case "transition", "will-change":
	case "transition-property":
		if slices.ContainsFunc(d.Value, func(v ast.Value) bool { return v.Kind == token.Comma }) {
			return d, false // longer lists are matched with other properties
		}
	default:
		return d, false
	}
	if !slices.ContainsFunc(d.Value,
		func(v ast.Value) bool { return v.Kind == token.Ident && p.properties[token.Lower(v.Text)] != nil }) {
		return d, false
	}
	items := ast.SplitAt(d.Value, token.Comma)
	var twins [][]ast.Value
	for _, item := range items {
		for i := range item {
			if item[i].Kind != token.Ident {
				continue
			}
			for _, prefix := range p.fitting(p.properties[token.Lower(item[i].Text)]) {
				twin := slices.Clone(item)
				twin[i].Text = renamed(prefix, token.Lower(item[i].Text))
				if !slices.ContainsFunc(items,
					func(o []ast.Value) bool { return print.CompactValues(o) == print.CompactValues(twin) }) {
					twins = append(twins, twin)
					p.note(Change{Property: name + ": " + twin[i].Text, Feature: featureOfName(token.Lower(item[i].Text), prefix),
						Prefix: prefix})
				}
			}
		}
	}
	if len(twins) == 0 {
		return d, false
	}
	copied := *d
	copied.Value = ast.JoinCommas(slices.Concat(items, twins))
	return &copied, true
}
