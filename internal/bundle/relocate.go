package bundle

import (
	"slices"

	"rinzel/internal/css/ast"
	"rinzel/internal/css/token"
	"rinzel/internal/graph"
	"rinzel/internal/source"
)

// URL is a URL in a sheet.
type URL struct {
	Address string
	At      source.Span
	Custom  string // the custom property whose value contains it; empty for other properties
}

// relocate returns nodes with their URLs rewritten for the location of the
// bundle.
func relocate(nodes []ast.Node, address func(URL) (string, bool)) []ast.Node {
	r := relocator{address: address}
	out, _ := ast.Map(nodes, r.node)
	return out
}

// relocator rewrites URLs.
type relocator struct {
	address func(URL) (string, bool)
	custom  string // the custom property whose value is being visited
}

// node rewrites the URLs in a node.
func (r relocator) node(n ast.Node) ast.Edit {
	if d, ok := n.(*ast.Declaration); ok {
		if d.IsCustom() {
			r.custom = token.Unescape(d.Name)
		}
		values, changed := ast.MapValues(d.Value, r.value)
		if !changed {
			return ast.Keep
		}
		copied := *d
		copied.Value = values
		return ast.Replace(&copied)
	}
	if edited, changed := ast.MapBody(n, r.node); changed {
		return ast.Replace(edited)
	}
	return ast.Keep
}

// value rewrites the URL in a value, if it has one.
func (r relocator) value(v *ast.Value) (with ast.Value, changed bool) {
	if v.Kind != token.URL && v.Kind != token.Function {
		return with, false
	}
	if v.IsFunction("image-set") || v.IsFunction("-webkit-image-set") {
		return r.imageSet(v)
	}
	address, ok := graph.Address(v)
	if !ok {
		return with, false
	}
	to, ok := r.address(URL{address, v.Span(), r.custom})
	if !ok || to == address {
		return with, false
	}
	with = *v
	if v.Kind == token.URL && token.PlainURL(to) {
		with.Text = "url(" + to + ")"
		return with, true
	}
	if v.Kind == token.URL {
		with.Kind, with.Text = token.Function, "url("
	}
	with.Inner = &ast.Inner{Values: []ast.Value{{Kind: token.String, Text: token.Quote(to), Pos: v.Pos}}}
	return with, true
}

// imageSet rewrites the URLs in image-set(), including strings.
func (r relocator) imageSet(v *ast.Value) (with ast.Value, changed bool) {
	args := slices.Clone(v.Inner.Values)
	for i := range args {
		arg := &args[i]
		if arg.Kind != token.String { // the string in type() is not a URL
			if moved, ok := r.value(arg); ok {
				*arg, changed = moved, true
			}
			continue
		}
		address := token.StringValue(arg.Text)
		if to, ok := r.address(URL{address, arg.Span(), r.custom}); ok && to != address {
			arg.Text, changed = token.Quote(to), true
		}
	}
	if !changed {
		return with, false
	}
	with = *v
	with.Inner = &ast.Inner{Values: args, Close: v.Inner.Close}
	return with, true
}
