package site

import (
	"slices"

	"rinzel/internal/css/ast"
	"rinzel/internal/css/parse"
	"rinzel/internal/css/print"
	"rinzel/internal/emit"
	"rinzel/internal/inventory"
	"rinzel/internal/modules"
	"rinzel/internal/source"
	"rinzel/internal/step/purge"
)

// This file determines what each page uses of the bundles that it loads.

// Use is what a page uses of a bundle. A rule counts as used if one of its
// selectors may match something on the page: its markup, the scripts that it
// runs, and files that are neither pages nor scripts, such as templates, have
// the names. States, such as :hover, count as possible.
type Use struct {
	Page, Bundle     string // displayed path, logical name
	Rules, UsedRules int
	Bytes, UsedBytes int // of the bundle without its reference to a map
}

// UnusedPercent returns the share of a bundle that its page does not use.
func (u *Use) UnusedPercent() int {
	if u.Bytes == 0 {
		return 0
	}
	return 100 * (u.Bytes - u.UsedBytes) / u.Bytes
}

// runScripts records which scripts each page runs.
func runScripts(pages []*modules.Program) []map[source.Path]bool {
	out := make([]map[source.Path]bool, len(pages))
	for i, p := range pages {
		out[i] = make(map[source.Path]bool)
		for _, f := range p.Files {
			out[i][f.Path] = true
		}
	}
	return out
}

// EvidenceOf returns the names in use on one page, with displayed path name; nil
// if the build has no evidence, or no such page.
func (r *Result) EvidenceOf(name string) *purge.Evidence {
	i := slices.IndexFunc(r.Pages, func(p Page) bool { return p.Name == name })
	if i < 0 || r.Evidence == nil {
		return nil
	}
	someRun := make(map[source.Path]bool)
	for _, p := range r.Pages {
		for s := range p.scripts {
			someRun[s] = true
		}
	}
	return r.evidenceOf(&r.Pages[i], someRun)
}

// evidenceOf returns the names in use on one page. someRun has the scripts that
// some page runs; it is not known where the others run.
func (r *Result) evidenceOf(p *Page, someRun map[source.Path]bool) *purge.Evidence {
	return r.Evidence.Of(func(f *source.File) bool {
		switch {
		case inventory.IsPage(f.Path.Name):
			return f.Name == p.Name
		case inventory.IsScript(f.Path.Name):
			return p.scripts[f.Path] || !someRun[f.Path]
		}
		return true
	})
}

// Uses returns what each page uses of each bundle that it loads, page by page;
// nil if the build has no evidence.
func (r *Result) Uses() []Use {
	if r.Evidence == nil {
		return nil
	}
	someRun := make(map[source.Path]bool)
	for _, p := range r.Pages {
		for s := range p.scripts {
			someRun[s] = true
		}
	}
	type sheet struct {
		nodes   []ast.Node
		bytes   int
		compact bool
	}
	sheets := make(map[string]*sheet)
	for i := range r.Bundles {
		b := &r.Bundles[i]
		if css, ok := r.textOf(b); ok {
			parsed, _ := parse.Sheet(new(source.Set).Add(source.Path{}, "", css))
			sheets[b.Name] = &sheet{parsed.Nodes, 0, b.Lines <= 1}
			sheets[b.Name].bytes = len(print.Append(nil, parsed.Nodes, print.Options{Compact: b.Lines <= 1}))
		}
	}
	var out []Use
	for i := range r.Pages {
		p := &r.Pages[i]
		own := r.evidenceOf(p, someRun)
		for _, name := range slices.Concat(p.Bundles, p.Lazy) {
			s := sheets[name]
			if s == nil {
				continue
			}
			kept, counts := purge.Nodes(s.nodes, purge.Options{Evidence: own})
			out = append(out, Use{Page: p.Name, Bundle: name, Rules: counts.Rules,
				UsedRules: counts.Rules - counts.RemovedRules, Bytes: s.bytes,
				UsedBytes: len(print.Append(nil, kept, print.Options{Compact: s.compact}))})
		}
	}
	return out
}

// textOf returns the text of a bundle as built. ok is false if it is in no sheet
// of its own.
func (r *Result) textOf(b *Bundle) (css string, ok bool) {
	if b.css != "" {
		return b.css, true
	}
	for _, o := range r.Outputs {
		if o.Kind == emit.StyleKind && o.Path == b.Path {
			return string(o.Data), true
		}
	}
	return "", false
}
