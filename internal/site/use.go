package site

import (
	"maps"
	"runtime"
	"slices"
	"strings"

	"golang.org/x/sync/errgroup"

	"rinzel/internal/css/ast"
	"rinzel/internal/css/known"
	"rinzel/internal/css/parse"
	"rinzel/internal/css/token"
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
// the names. States, such as :hover, count as possible. Then all its bytes are
// used; those of other rules, such as @keyframes, always are.
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
	return r.evidenceOf(&r.Pages[i], r.scriptsRun())
}

// scriptsRun returns the scripts that some page runs.
func (r *Result) scriptsRun() map[source.Path]bool {
	out := make(map[source.Path]bool)
	for i := range r.Pages {
		maps.Copy(out, r.Pages[i].scripts)
	}
	return out
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
	someRun := r.scriptsRun()
	sheets := make(map[string]*usedSheet)
	for i := range r.Bundles {
		b := &r.Bundles[i]
		if css, ok := r.textOf(b); ok {
			sheets[b.Name] = newUsedSheet(css)
		}
	}
	perPage := make([][]Use, len(r.Pages))
	var group errgroup.Group // the functions return no errors
	group.SetLimit(runtime.GOMAXPROCS(0))
	for i := range r.Pages {
		group.Go(func() error {
			p := &r.Pages[i]
			own := r.evidenceOf(p, someRun)
			for _, name := range slices.Concat(p.Bundles, p.Lazy) {
				if s := sheets[name]; s != nil {
					u := s.usedBy(own)
					u.Page, u.Bundle = p.Name, name
					perPage[i] = append(perPage[i], u)
				}
			}
			return nil
		})
	}
	_ = group.Wait()
	return slices.Concat(perPage...)
}

// usedSheet is a bundle as it is written, with the sizes of its rules.
type usedSheet struct {
	nodes []ast.Node
	bytes int
	rules int
}

// newUsedSheet reads a bundle.
func newUsedSheet(css string) *usedSheet {
	css, _, _ = strings.Cut(css, "/*# sourceMappingURL=")
	parsed, _ := parse.Sheet(new(source.Set).Add(source.Path{}, "", css))
	return &usedSheet{parsed.Nodes, len(css), ast.Count(parsed.Nodes).Rules}
}

// usedBy returns what a page uses of the sheet.
func (s *usedSheet) usedBy(e *purge.Evidence) Use {
	u := Use{Rules: s.rules, UsedRules: s.rules, Bytes: s.bytes, UsedBytes: s.bytes}
	ast.Walk(s.nodes, func(n ast.Node) bool {
		switch n := n.(type) {
		case *ast.StyleRule:
			if purge.IsUsed(n, e) {
				return true
			}
			u.UsedRules -= ast.Count([]ast.Node{n}).Rules
			u.UsedBytes -= int(n.RBrace.Off + 1 - n.Pos().Off)
			return false
		case *ast.AtRule:
			return known.HoldsStyleRules(token.Lower(n.Name))
		}
		return false
	})
	return u
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
