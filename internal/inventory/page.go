package inventory

import (
	"path"
	"strings"

	"rinzel/internal/graph"
	"rinzel/internal/source"
)

// PageBase returns the path from which the relative addresses of a page count:
// its own, unless its base element says otherwise. external tells that it says an
// address elsewhere.
func (i *Inventory) PageBase(p *graph.Page) (from source.Path, external bool) {
	from = p.File.Path
	if p.Base == "" {
		return from, false
	}
	t := i.Resolve(from, p.Base)
	switch {
	case t.Kind == graph.External:
		return from, true
	case t.Kind == graph.Local && strings.HasSuffix(strings.TrimSuffix(p.Base, t.Tail), "/"):
		from.Name = path.Join(t.Path.Name, "page")
	case t.Kind == graph.Local:
		from = t.Path
	}
	return from, false
}

// ResolveIn returns what an address in a page leads to. What stands before the base
// element is loaded before browsers know of it.
func (i *Inventory) ResolveIn(p *graph.Page, r graph.Ref) graph.Target {
	if p.Base != "" && r.At.Start < p.BaseAt {
		return i.Resolve(p.File.Path, r.Address)
	}
	from, external := i.PageBase(p)
	if external && !strings.HasPrefix(r.Address, "#") {
		return graph.Target{Kind: graph.External}
	}
	return i.Resolve(from, r.Address)
}

// IsCopied reports whether a file is copied as it is when something names it:
// it exists and is no page, which is built.
func (i *Inventory) IsCopied(p source.Path) bool { return !IsPage(p.Name) && i.Exists(p) }
