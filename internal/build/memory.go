package build

import (
	"path"
	"slices"
	"strings"
	"sync"

	"github.com/bmatcuk/doublestar/v4"

	"rinzel/internal/css/ast"
	"rinzel/internal/diag"
	"rinzel/internal/diag/code"
	"rinzel/internal/graph"
	"rinzel/internal/pipeline"
	"rinzel/internal/project"
	"rinzel/internal/source"
	"rinzel/internal/split"
	"rinzel/internal/step/check"
	"rinzel/internal/step/prefix"
	"rinzel/internal/step/purge"
)

// Memory is what the builds of a project keep for each other, so that only what
// depends on a change is done again. Builds with one Memory are of the same project
// and with the same options, one after another. What they return is what builds
// without one would.
type Memory struct {
	project *project.Project
	sheets  graph.Sheets
	tokens  graph.TokenFiles
	scripts graph.Scripts
	plan    split.Memo
	checker *check.Checker             // nil before the first build, as the next
	chains  map[string]*pipeline.Chain // on sheets, by the names of their steps

	mu       sync.Mutex
	walked   []source.Path // the files of the source folder; nil if they are not known
	pages    map[*source.File]*graph.Page
	units    map[*graph.Page]*keptUnits
	entries  map[source.Path]*entry
	composed map[source.Path]*composedSheet
	bundles  map[string]*keptBundle // by name
	blocks   map[blockKey]*keptBlock
	evidence *keptEvidence   // all of it; nil if it is not known
	before   *purge.Evidence // by which the bundles were purged, once it is known no more
	uses     *purge.Uses     // that the bundles were made with
	findings map[*source.File]*purge.Evidence
	packed   map[string]packedOutput // by path
	assets   *assetNames
	customs  string // from where addresses in custom properties count, in words
}

// NewMemory returns an empty memory for builds of a project of which nothing has
// been read yet.
func NewMemory(p *project.Project) *Memory {
	p.Tree.NoteLinks = true
	return newMemory(p)
}

func newMemory(p *project.Project) *Memory {
	return &Memory{
		project: p, sheets: graph.Sheets{Tree: p.Tree}, tokens: graph.TokenFiles{Tree: p.Tree}, scripts: graph.Scripts{Tree: p.Tree},
		pages: make(map[*source.File]*graph.Page), units: make(map[*graph.Page]*keptUnits), entries: make(map[source.Path]*entry), composed: make(map[source.Path]*composedSheet),
		bundles: make(map[string]*keptBundle), chains: make(map[string]*pipeline.Chain), blocks: make(map[blockKey]*keptBlock),
		findings: make(map[*source.File]*purge.Evidence), packed: make(map[string]packedOutput), assets: newAssetNames(),
	}
}

// composedSheet is what comes of a sheet by itself, which is the same wherever it is
// imported, since it neither reads nor sets what others see.
type composedSheet struct {
	sheet  *graph.Sheet
	nodes  []ast.Node
	prefix []prefix.Change
	motion check.Motion
	diags  []diag.Diagnostic
	checks []diag.Diagnostic
	kept   bool       // for other places where the sheet is imported
	traits [2]*traits // outside of layers, and in one
}

// keptUnits are the units of a page, with the entries that they are of.
type keptUnits struct {
	reached []*entry
	sheets  []styleUse // that its scripts import, which are among them
	units   []*unit
}

// keptBundle is a bundle with all that it was made from.
type keptBundle struct {
	pieces   []pieceID
	evidence *purge.Evidence
	uses     *purge.Uses
	page     *graph.Page // whose folder its addresses count from, if it is written into it
	made     bundleResult
	within   bool
	files    []Output
	names    namedFiles
	diags    []diag.Diagnostic
}

// pieceID tells pieces apart: two with the same are the same at the same places.
type pieceID struct {
	traits   *traits
	external *ast.AtRule
	conds    string
}

// blockKey names a style element of a page.
type blockKey struct {
	page  *graph.Page
	start int
}

// keptBlock is what came of a style element.
type keptBlock struct {
	css      string
	ok       bool
	entry    *entry // nil if it stays as it is
	evidence *purge.Evidence
	uses     *purge.Uses
	rules    purge.Result
	verdicts []purge.Verdict
	names    namedFiles
}

// Forget has the next build read files again, which were changed, made or removed, and
// do anew what depends on them. What builds before the last one returned tells of no places any more in files that have changed
// since.
func (m *Memory) Forget(changed []source.Path) {
	m.project.Tree.DropOld()
	is := make(map[source.Path]bool)
	walked := make(map[source.Path]bool, len(m.walked))
	for _, p := range m.walked {
		walked[p] = true
	}
	for _, p := range slices.Concat(changed, m.project.Tree.Linked()) {
		is[p] = true
		m.project.Tree.Forget(p)
		delete(m.composed, p)
		m.sheets.Forget(p)
		m.tokens.Forget(p)
		m.scripts.Forget(p)
		if m.walked != nil && (!m.project.Tree.Exists(p) || !walked[p]) {
			m.walked = nil
		}
	}
	among := func(p source.Path) bool { return is[p] }
	if slices.ContainsFunc(changed, m.isEvidence) && m.evidence != nil {
		m.before, m.evidence = m.evidence.all, nil
	}
	if m.walked == nil || slices.ContainsFunc(changed, mayMention) {
		m.assets = newAssetNames()
		clear(m.bundles)
		clear(m.blocks)
	}
	for f, p := range m.pages {
		if is[f.Path] { // another one stands there now
			delete(m.pages, f)
			delete(m.units, p)
		}
	}
	for f := range m.findings {
		if is[f.Path] {
			delete(m.findings, f)
		}
	}
	for p, e := range m.entries {
		if e.dependsOn(among) {
			delete(m.entries, p)
		}
	}
	for name, kept := range m.bundles {
		if slices.ContainsFunc(kept.names.deps, among) {
			delete(m.bundles, name)
		}
	}
	for key, kept := range m.blocks {
		if is[key.page.File.Path] || slices.ContainsFunc(kept.names.deps, among) || kept.entry != nil && kept.entry.dependsOn(among) {
			delete(m.blocks, key)
		}
	}
	for p := range is {
		m.assets.names.Delete(p)
	}
}

// Index is the files that builds with a memory read or looked for, and the folders that hold them.
type Index struct {
	files, folders, opened map[source.Path]bool
	walked                 map[source.Path]bool // files of the source folder that belong to the project
	exclude                []project.Glob
}

// Index returns what the builds so far read or looked for. It is made anew each time, and stays as it is.
func (m *Memory) Index() Index {
	idx := Index{files: make(map[source.Path]bool), folders: make(map[source.Path]bool), opened: make(map[source.Path]bool), walked: make(map[source.Path]bool), exclude: m.project.Settings.Exclude}
	add := func(p source.Path) {
		idx.files[p] = true
		for dir := path.Dir(p.Name); dir != "." && dir != "/"; dir = path.Dir(dir) {
			folder := source.Path{Root: p.Root, Name: dir}
			if idx.folders[folder] {
				break
			}
			idx.folders[folder] = true
		}
	}
	for _, p := range m.walked {
		add(p)
		idx.walked[p] = true
	}
	m.project.Tree.Opened(func(p source.Path, _ error) {
		add(p)
		idx.opened[p] = true
	})
	return idx
}

// Knows tells whether a path is that of a file that was read or looked for, and whether
// it is that of a folder which held some.
func (i Index) Knows(p source.Path) (file, folder bool) { return i.files[p], i.folders[p] }

// Unread reports whether a path is that of a file of which nothing was read, and which was there before or is no part of the
// project: whatever it holds, a build makes the same.
func (i Index) Unread(p source.Path) bool {
	return !i.opened[p] && (i.walked[p] || project.AnyMatches(i.exclude, p))
}

// dependsOn reports whether one of some files was read for an entry, or looked for.
// What a finding proposes in place of a missing file may depend on any.
func (e *entry) dependsOn(among func(source.Path) bool) bool {
	for p := range e.deps {
		if among(p) {
			return true
		}
	}
	return slices.ContainsFunc(e.diags, func(d diag.Diagnostic) bool { return d.Code == code.Missing || d.Code == code.Unreadable })
}

// isEvidence reports whether names in use may be looked for in a file.
func (m *Memory) isEvidence(p source.Path) bool {
	if !strings.EqualFold(path.Ext(p.Name), ".css") {
		return true
	}
	return slices.ContainsFunc(m.project.Settings.Purge.Evidence, func(glob string) bool {
		root, glob := project.SplitRoot(glob)
		ok, _ := doublestar.Match(glob, p.Name)
		return ok && root == p.Root
	})
}

// judgeBy has what was judged by the evidence before count as judged by other evidence,
// where that makes no difference.
func (m *Memory) judgeBy(now *purge.Evidence) {
	before := m.before
	if m.before = nil; before == nil {
		return
	}
	change := now.Since(before)
	concerned := make(map[*traits]bool)
	concerns := func(t *traits) bool {
		c, ok := concerned[t]
		if !ok {
			c = t.names == nil || change.Concerns(t.names)
			concerned[t] = c
			if !c && t.evidence == before {
				t.evidence = now
			}
		}
		return c
	}
	for _, kept := range m.bundles {
		any := false
		for _, p := range kept.pieces {
			any = p.traits != nil && concerns(p.traits) || any
		}
		if !any && kept.evidence == before {
			kept.evidence = now
		}
	}
}

// relocateBy has bundles be made anew if addresses in custom properties count from elsewhere now.
func (m *Memory) relocateBy(key string) {
	if m.customs != key {
		clear(m.bundles)
		clear(m.blocks)
	}
	m.customs = key
}

// page returns a page that was read.
func (m *Memory) page(f *source.File) *graph.Page {
	p := m.pages[f]
	if p == nil {
		p = graph.ReadPage(f)
		m.pages[f] = p
	}
	return p
}

// entry returns the entry of a sheet, which is worked out when it is new.
func (m *Memory) entry(p source.Path) *entry {
	m.mu.Lock()
	defer m.mu.Unlock()
	e := m.entries[p]
	if e == nil {
		e = newEntry(p)
		m.entries[p] = e
	}
	return e
}

// composedSheet returns what comes of a sheet by itself, if it is known.
func (m *Memory) composedSheet(s *graph.Sheet) *composedSheet {
	m.mu.Lock()
	defer m.mu.Unlock()
	if c := m.composed[s.File.Path]; c != nil && c.sheet == s {
		return c
	}
	return nil
}

// keepComposed keeps what comes of a sheet by itself, and returns what was kept first.
func (m *Memory) keepComposed(c *composedSheet) *composedSheet {
	m.mu.Lock()
	defer m.mu.Unlock()
	if first := m.composed[c.sheet.File.Path]; first != nil && first.sheet == c.sheet {
		return first
	}
	c.kept = true
	m.composed[c.sheet.File.Path] = c
	return c
}

// unitsOf returns the units of a page, if all entries that it reaches are as they were.
func (m *Memory) unitsOf(p *graph.Page, runs *program) *keptUnits {
	m.mu.Lock()
	defer m.mu.Unlock()
	kept := m.units[p]
	if kept == nil || !slices.EqualFunc(kept.sheets, runs.sheets, func(a, b styleUse) bool { return a.path == b.path }) {
		return nil
	}
	for _, e := range kept.reached {
		if m.entries[e.path] != e {
			return nil
		}
	}
	return kept
}

func (m *Memory) keepUnits(p *graph.Page, kept *keptUnits) {
	m.mu.Lock()
	defer m.mu.Unlock()
	m.units[p] = kept
}

// bundle returns a bundle that was made from the same before.
func (m *Memory) bundle(name string, like *keptBundle) *keptBundle {
	m.mu.Lock()
	defer m.mu.Unlock()
	if kept := m.bundles[name]; kept != nil && kept.page == like.page && kept.evidence == like.evidence && kept.uses == like.uses && slices.Equal(kept.pieces, like.pieces) {
		return kept
	}
	return nil
}

func (m *Memory) keepBundle(name string, kept *keptBundle) {
	m.mu.Lock()
	defer m.mu.Unlock()
	m.bundles[name] = kept
}

// block returns what came of a style element before.
func (m *Memory) block(key blockKey, evidence *purge.Evidence, uses *purge.Uses) *keptBlock {
	m.mu.Lock()
	defer m.mu.Unlock()
	if kept := m.blocks[key]; kept != nil && kept.evidence == evidence && kept.uses == uses {
		return kept
	}
	return nil
}

func (m *Memory) keepBlock(key blockKey, kept *keptBlock) {
	m.mu.Lock()
	defer m.mu.Unlock()
	m.blocks[key] = kept
}
