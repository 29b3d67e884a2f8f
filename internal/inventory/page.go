package inventory

import (
	"path"
	"strings"

	"rinzel/internal/graph"
	"rinzel/internal/source"
)

// PageBase returns the path that the relative URLs of a page are relative to:
// the page, or its base element. external is set if the base is an external
// URL.
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

// ResolveIn returns the target of a URL in a page. URLs before the base element
// are loaded before browsers know it.
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

// IsCopied reports whether a file is copied unchanged if something refers to
// it: it exists and is not a page.
func (i *Inventory) IsCopied(p source.Path) bool { return !IsPage(p.Name) && i.Exists(p) }
