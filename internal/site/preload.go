package site

import (
	"slices"
	"strings"

	"rinzel/internal/graph"
	"rinzel/internal/modules"
	"rinzel/internal/source"
)

// mostPreloaded limits the modules that a page links in advance.
const mostPreloaded = 100

// preloaded returns the URLs of the modules that the modules of a page import
// statically, directly or not, without those that the page has script elements or
// links for. Without such links, a browser only learns of a module once the one
// that imports it has arrived.
func (b *builder) preloaded(p *graph.Page, run map[source.Path]*modules.Module) (addresses []string) {
	if !b.profile.Release || !b.project.Settings.Scripts.Preload {
		return nil
	}
	queue, known := b.linkedModules(p)
	for len(queue) > 0 && len(addresses) < mostPreloaded {
		mod := run[queue[0]]
		queue = queue[1:]
		if mod == nil {
			continue
		}
		for _, r := range mod.Requests {
			if r.Use != modules.Runs || known[r.Path] || strings.ContainsAny(r.Specifier, "?#") || !b.files.Exists(r.Path) {
				continue
			}
			known[r.Path] = true
			queue = append(queue, r.Path)
			addresses = append(addresses, b.addressOf(p, b.fileName(r.Path)))
		}
	}
	return slices.Clip(addresses)
}

// linkedModules returns the modules that a page has script elements for, whose
// imports may be preloaded, and all scripts that it has elements or links for.
func (b *builder) linkedModules(p *graph.Page) (modules []source.Path, known map[source.Path]bool) {
	known = make(map[source.Path]bool)
	for _, s := range p.Scripts {
		if s.Text.End > 0 || s.Address == "" {
			continue
		}
		t := b.files.ResolveIn(p, s.Ref)
		if t.Kind != graph.Local || known[t.Path] {
			continue
		}
		known[t.Path] = true
		if s.Module && !s.CORS && t.Tail == "" {
			modules = append(modules, t.Path)
		}
	}
	for _, r := range p.ModulePreloads {
		known[b.files.ResolveIn(p, r).Path] = true
	}
	return modules, known
}
