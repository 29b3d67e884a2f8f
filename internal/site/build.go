// Package site builds the outputs of a project. It finds the pages, resolves
// the sheets of each, plans which sheets are shared, runs the chains and the
// finish, and rewrites the pages. Results are values: output files with their
// contents, and findings. Nothing is written to disk; package source publishes
// the outputs.
//
// Start reading at [Build]. The details are in the packages below: link
// resolves imports, bundle joins and prints pieces, modules follows scripts,
// evidence collects the names in use, emit names the outputs. This package
// decides which page loads which bundle, and in which order.
//
// A [Cache] makes the next build of the same project reuse every result whose
// inputs did not change.
package site

import (
	"context"
	"fmt"
	"path"
	"slices"
	"strings"

	"rinzel/internal/diag"
	"rinzel/internal/diag/code"
	"rinzel/internal/emit"
	"rinzel/internal/graph"
	"rinzel/internal/inventory"
	"rinzel/internal/modules"
	"rinzel/internal/project"
	"rinzel/internal/source"
)

// Build builds all pages of a project. Errors in the source are findings in the
// result. The error is one of the run itself, such as a cancelled context.
func Build(ctx context.Context, p *project.Project, opts Options) (*Result, error) {
	b, err := newBuilder(ctx, p, opts)
	if err != nil {
		return nil, err
	}
	return b.build(ctx)
}

// build implements [Build].
func (b *builder) build(ctx context.Context) (*Result, error) {
	p := b.project
	res := &Result{Profile: b.profile}
	if b.opts.WithoutPages {
		b.reportFolders()
	} else {
		b.pages = b.findPages()
	}
	if len(b.pages) == 0 && len(p.Settings.Bundles) == 0 && !b.opts.WithoutPages {
		b.report(diag.Diagnostic{Code: code.NoPages, Severity: diag.Error,
			Message: fmt.Sprintf("no HTML page in the source folder %q", p.Settings.Source),
			Fix:     "run it in the folder of the pages; \"rinzel start\" begins a site, or writes settings for one whose pages a server makes; or build one sheet: rinzel build SHEET -o FILE"})
		res.Diagnostics = b.diags.Sorted(p.Tree.Set)
		return res, nil
	}
	if err := b.gatherEvidence(ctx); err != nil {
		return nil, err
	}
	out, err := b.buildSite(ctx, res)
	if err != nil {
		return nil, err
	}
	res.Families, res.InUse = b.families(), b.inUse
	b.reportUnusedChains()
	b.reportUnmatchedKeeps()
	b.reportUnmatchedGlobs()
	b.reportUnreachedComponents()
	b.reportNearMembers(res.Families)
	b.changedPackages()
	b.missingKeyframes()
	b.missingSizes()
	b.showErrors(out, res)
	if b.profile.Names == project.HashedNames {
		out.Add(emit.Manifest(manifestOf(res.Bundles)))
	}
	measured := b.clock.part(partCompress)
	for _, o := range b.cache.packer.Pack(out.Sorted(), b.profile.Compress) {
		out.Add(o)
	}
	measured()
	res.Outputs = out.Sorted()
	b.reportWrongCase(res.Outputs)
	res.Unreached = b.unreached(res.Outputs)
	res.Evidence = b.evidence
	res.Diagnostics, res.Checks = b.findings()
	res.Times = b.clock.times()
	if err := b.failure(); err != nil {
		return nil, err
	}
	b.cache.store.Sweep()
	return res, nil
}

// gatherEvidence collects the names in use, if the profile purges.
func (b *builder) gatherEvidence(ctx context.Context) (err error) {
	if !b.purges() {
		return nil
	}
	b.progress("reading names in use", 0)
	defer b.clock.part(partEvidence)()
	if b.evidence, err = b.gatherer().Gather(ctx, b.pages); err != nil {
		return err
	}
	b.reuseVerdicts(b.evidence.All)
	b.report(b.evidence.Diagnostics...)
	return nil
}

// planSite resolves the sheets of each page, and plans the bundles.
func (b *builder) planSite(ctx context.Context) (*siteWork, error) {
	w := &siteWork{pages: b.pages, perPage: make([][]*unit, len(b.pages)), programs: make([]*modules.Program, len(b.pages))}
	err := b.inParallel(ctx, "reading pages and sheets", len(b.pages), func(i int) {
		w.programs[i] = b.scripts.Program(b.pages[i])
		w.perPage[i] = b.units(ctx, b.pages[i], w.programs[i])
	})
	if err != nil {
		return nil, err
	}
	w.named = b.namedBundles()
	for _, n := range w.named {
		w.programs = append(w.programs, n.runs)
	}
	return w, b.planBundles(ctx, w)
}

// buildSite builds the bundles of all pages, and rewrites the pages that link
// them.
func (b *builder) buildSite(ctx context.Context, res *Result) (*emit.Set, error) {
	w, err := b.planSite(ctx)
	if err != nil {
		return nil, err
	}
	err = b.inParallel(ctx, "making bundles", len(w.bundles), func(i int) { b.makeBundle(ctx, w.bundles[i]) })
	if err != nil {
		return nil, err
	}
	w.loading.makeModules(w.perPage, w.named)
	rewritten, err := b.rewrittenScripts(ctx, w.loading)
	if err != nil {
		return nil, err
	}
	made := make([]*pageResult, len(b.pages))
	err = b.inParallel(ctx, "writing pages", len(b.pages), func(i int) {
		defer b.clock.part(partRewrite)()
		made[i] = b.page(ctx, b.pages[i], w.perPage[i], w.programs[i], w.loading, rewritten)
	})
	if err != nil {
		return nil, err
	}
	out := b.gather(w, made, rewritten, res)
	return out, b.finishFiles(ctx, out)
}

// siteWork is the state of a site build.
type siteWork struct {
	pages    []*graph.Page
	perPage  [][]*unit
	programs []*modules.Program // of the pages, followed by those of the named bundles
	named    []*named
	unshared []Unshared
	loading  *loading
	bundles  []*styles // all bundles
}

// planBundles decides which bundles there are.
func (b *builder) planBundles(ctx context.Context, w *siteWork) (err error) {
	var own []*styles
	for _, n := range w.named {
		own = append(own, b.stylesOf(ctx, n))
	}
	b.assets.collect(w.programs)
	all := slices.Concat(w.perPage...)
	if b.purges() {
		if err := b.measure(ctx, all); err != nil {
			return err
		}
	}
	plan := b.plan(all)
	w.unshared = plan.unshared
	w.loading = b.load(ctx, w.programs)
	w.loading.markProbed(w.perPage)
	w.bundles = slices.Concat(plan.bundles, own, w.loading.bundles, w.loading.order)
	b.findCustomBases(w.bundles)
	if b.purges() {
		if b.uses, err = b.usesOf(ctx, w.bundles); err != nil {
			return err
		}
	}
	if err := b.failure(); err != nil {
		return err
	}
	return b.makeFinish()
}

// gather collects everything that was built into one set of outputs.
func (b *builder) gather(w *siteWork, made []*pageResult, rewritten *scriptOutputs, res *Result) *emit.Set {
	out := &emit.Set{Files: b.files, Report: b.report, Rewritten: rewritten.data, Was: rewritten.was,
		Others: rewritten.others}
	empty := make(map[*unit]bool)
	for _, u := range slices.Concat(w.perPage...) {
		empty[u] = b.checkEmpty(u)
	}
	for _, s := range w.bundles {
		res.Staged = append(res.Staged, s.staged...)
		if s.made.Empty && !s.referenced && !s.named {
			if slices.ContainsFunc(s.units, func(u *unit) bool { return !empty[u] }) || len(s.units) == 0 {
				b.reportEmpty(s)
			}
			continue
		}
		s.addTo(out)
		res.Bundles = append(res.Bundles, s.info)
	}
	res.Verdicts = verdictsOf(w.bundles, made)
	scripts := runScripts(w.programs[:len(made)])
	for i, m := range made {
		out.Add(m.html)
		addAssets(out, m.assets)
		res.Staged = append(res.Staged, m.staged...)
		info := pageInfo(m.page, w.perPage[i], w.loading.bundles)
		info.scripts = scripts[i]
		res.Pages = append(res.Pages, info)
		if b.isUnstyled(m, info) {
			res.Unstyled = append(res.Unstyled, info.Name)
		}
	}
	for _, n := range w.named {
		addAssets(out, b.filesOf(n.runs))
	}
	addAssets(out, rewritten.assets)
	addAssets(out, b.copies())
	for _, o := range rewritten.maps {
		out.Add(o)
	}
	b.reportUnreferencedFiles(w.programs, out)
	res.Unshared = w.unshared
	return out
}

// addAssets adds assets to copy to a set of outputs.
func addAssets(out *emit.Set, list []emit.Asset) {
	for _, a := range list {
		out.AddAsset(a)
	}
}

// manifestOf returns the manifest entries of the bundles that are files.
func manifestOf(bundles []Bundle) (out []emit.ManifestEntry) {
	for _, b := range bundles {
		if !b.Inline && !b.Adopted {
			out = append(out, emit.ManifestEntry{Name: b.Name, Path: b.Path, Bytes: b.Size, Integrity: b.Integrity,
				Pages: b.pages})
		}
	}
	return out
}

// reachedSheets returns the sheets that pages and bundles use. It must be
// called after all of them are resolved.
func (b *builder) reachedSheets() map[source.Path]bool {
	b.reachedOnce.Do(func() {
		b.reached = make(map[source.Path]bool)
		for e := range b.entries {
			for p := range e.Reads {
				if b.files.HasSheet(p) || inventory.IsPage(p.Name) {
					b.reached[p] = true
				}
			}
		}
	})
	return b.reached
}

// unreached returns the files of the source folder that no output is built
// from.
func (b *builder) unreached(outputs []emit.Output) (out []source.Path) {
	reached := make(map[source.Path]bool)
	for _, o := range outputs {
		reached[o.From] = true
		if o.Kind == emit.PageKind {
			reached[source.Path{Name: o.Path}] = true
		}
	}
	for e := range b.entries {
		for p := range e.Reads {
			reached[p] = true
		}
	}
	for _, f := range b.files.List("").Files {
		if !reached[f] && b.files.Show(f) != b.project.Settings.File && !isAboutProject(f.Name) {
			out = append(out, f)
		}
	}
	return out
}

// aboutProject are files at the top, without their extensions, that are about a project.
var aboutProject = strings.Fields("readme license licence copying notice authors changelog contributing security makefile " +
	"dockerfile package package-lock")

// isAboutProject reports whether a file is about the project, and no part of its site: a
// hidden one, or at the top the manifest, a lock file, a text about it or a licence.
func isAboutProject(name string) bool {
	stem, ext := strings.ToLower(strings.TrimSuffix(name, path.Ext(name))), path.Ext(name)
	return strings.HasPrefix(path.Base(name), ".") ||
		slices.Contains(aboutProject, stem) && slices.Contains([]string{"", ".md", ".txt", ".json"}, ext)
}

// verdictsOf collects the purge verdicts of bundles and of style elements.
func verdictsOf(bundles []*styles, pages []*pageResult) []SelectorVerdict {
	var out []SelectorVerdict
	for _, s := range bundles {
		for _, v := range s.made.Verdicts {
			out = append(out, SelectorVerdict{s.info.Name, v})
		}
	}
	for _, p := range pages {
		for _, v := range p.verdicts {
			out = append(out, SelectorVerdict{p.page.File.Name, v})
		}
	}
	return out
}

// pageInfo returns which bundles a page loads.
func pageInfo(p *graph.Page, units []*unit, late []*styles) Page {
	info := Page{Name: p.File.Name, path: p.File.Path.Name}
	for _, u := range units {
		for _, s := range u.loads {
			if !s.made.Empty {
				info.Bundles = append(info.Bundles, s.info.Name)
			}
		}
	}
	for _, s := range late {
		if slices.Contains(s.pages, p) && !s.made.Empty {
			info.Lazy = append(info.Lazy, s.info.Name)
		}
	}
	return info
}
