// Package prefix fits vendor prefixes to the targets:
//
//   - a property gets the prefixed twins that a target needs, before it;
//   - a prefixed twin that no target needs is dropped, where the standard
//     property with the same value stands behind it.
package prefix

import (
	"strings"

	"rinzel/internal/browsers"
	"rinzel/internal/css/ast"
	"rinzel/internal/css/token"
)

// Change is what the step did for one property.
type Change struct {
	Property string // with its prefix
	Dropped  bool   // else added
	Count    int
}

// Nodes returns nodes with fitting prefixes, and what was changed in the
// order in which it was first done. Nodes that need nothing are shared, not
// copied. Running it twice changes nothing the second time.
func Nodes(nodes []ast.Node, targets browsers.Targets) ([]ast.Node, []Change) {
	p := &prefixer{targets: targets, prefixes: make(map[string][]string), index: make(map[Change]int)}
	out, _ := ast.Map(nodes, p.rule)
	return out, p.changes
}

type prefixer struct {
	targets  browsers.Targets
	prefixes map[string][]string // by property, as targets need them
	changes  []Change
	index    map[Change]int // by change without its count
}

// rule fits the declarations in the block of n.
func (p *prefixer) rule(n ast.Node) ast.Edit {
	body := ast.Body(n)
	if len(body) == 0 {
		return ast.Keep
	}
	edited, changed := ast.Map(body, func(child ast.Node) ast.Edit {
		if d, ok := child.(*ast.Declaration); ok {
			return p.declaration(d, body)
		}
		return p.rule(child)
	})
	if !changed {
		return ast.Keep
	}
	return ast.Replace(ast.WithBody(n, edited))
}

// declaration returns what stands for one declaration of a block.
func (p *prefixer) declaration(d *ast.Declaration, block []ast.Node) ast.Edit {
	if d.IsCustom() {
		return ast.Keep
	}
	name := token.Lower(d.Name)
	if prefix, standard := split(name); prefix != "" {
		if p.superfluous(d, prefix, standard, block) {
			p.note(Change{Property: name, Dropped: true})
			return ast.Remove
		}
		return ast.Keep
	}
	var out []ast.Node
	for _, prefix := range p.needed(name) {
		if find(block, prefix+name) != nil {
			continue // the author wrote it, and may have meant another value
		}
		twin := *d
		twin.Name = prefix + name
		out = append(out, &twin)
		p.note(Change{Property: twin.Name})
	}
	if out == nil {
		return ast.Keep
	}
	return ast.Splice(append(out, d))
}

// needed returns the prefixes that targets need for a property.
func (p *prefixer) needed(name string) []string {
	list, ok := p.prefixes[name]
	if !ok {
		list = p.targets.Prefixes(browsers.Property(name))
		p.prefixes[name] = list
	}
	return list
}

// superfluous reports whether no target needs d, which is the prefixed form
// of a property: all know the standard one, which stands behind it in the
// block and says the same.
func (p *prefixer) superfluous(d *ast.Declaration, prefix, standard string, block []ast.Node) bool {
	feature := browsers.Property(standard)
	if !browsers.Known(feature) || len(p.targets.Lacking(feature)) > 0 {
		return false
	}
	behind := false
	for _, n := range block {
		o, ok := n.(*ast.Declaration)
		switch {
		case !ok:
		case o == d:
			behind = true
		case behind && token.EqualFold(o.Name, standard):
			return o.Important == d.Important && ast.EqualValues(o.Value, d.Value)
		}
	}
	return false
}

// find returns the declaration of a property in a block.
func find(block []ast.Node, name string) *ast.Declaration {
	for _, n := range block {
		if d, ok := n.(*ast.Declaration); ok && token.EqualFold(d.Name, name) {
			return d
		}
	}
	return nil
}

// split returns the vendor prefix of a property, if it has one, and the rest.
func split(name string) (prefix, standard string) {
	if len(name) < 2 || name[0] != '-' {
		return "", name
	}
	if i := strings.IndexByte(name[1:], '-'); i > 0 {
		return name[:i+2], name[i+2:]
	}
	return "", name
}

func (p *prefixer) note(c Change) {
	i, ok := p.index[c]
	if !ok {
		i = len(p.changes)
		p.index[c] = i
		p.changes = append(p.changes, c)
	}
	p.changes[i].Count++
}
