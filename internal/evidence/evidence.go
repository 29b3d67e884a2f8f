// Package evidence collects the names in use on a site: in pages and scripts,
// in the templates of pages, and in files that the settings name. Purging
// decides by it which rules are unused. Start reading at [Gatherer.Gather].
package evidence

import (
	"cmp"
	"context"
	"fmt"
	"path"
	"runtime"
	"slices"
	"strings"
	"sync"

	"github.com/bmatcuk/doublestar/v4"
	"golang.org/x/sync/errgroup"

	"rinzel/internal/cache"
	"rinzel/internal/diag"
	"rinzel/internal/diag/code"
	"rinzel/internal/graph"
	"rinzel/internal/inventory"
	"rinzel/internal/project"
	"rinzel/internal/source"
	"rinzel/internal/step/purge"
)

// Gatherer collects the evidence of a site.
type Gatherer struct {
	Files    *inventory.Inventory
	Settings project.Purge
	Source   string   // the source folder as the settings name it
	Globs    []string // of evidence, in addition to those of the settings
	Release  bool     // the build is a release
	Cache    *Cache
}

// Cache holds results of a [Gatherer] for the next build of the same project
// with the same options.
type Cache struct {
	found   *cache.Table[struct{}, *Found]
	perFile *cache.PerFile[FileEvidence]
}

// NewCache returns an empty cache in a store.
func NewCache(s *cache.Store) *Cache {
	return &Cache{cache.NewTable[struct{}, *Found](s), cache.NewPerFile[FileEvidence](s)}
}

// Found is the evidence of a site. It is immutable.
type Found struct {
	All         *purge.Evidence
	Files       []FileEvidence // in lexical order of their paths
	Kinds       map[string]int // number of files read by extension
	Diagnostics []diag.Diagnostic

	pages []*graph.Page
	keep  []string // patterns of the settings

	sorted sync.Once
	names  []string // see Names
}

// Names returns the classes of pages, and the words of scripts and other files, which
// may become classes, sorted.
func (f *Found) Names() []string {
	f.sorted.Do(func() { f.names = f.All.Names() })
	return f.names
}

// Of returns the names in use in some of the files.
func (f *Found) Of(include func(*source.File) bool) *purge.Evidence {
	out := purge.NewEvidence(f.keep)
	files := make(map[source.FileID]bool)
	for _, one := range f.Files {
		if include(one.File) {
			out.Add(one.Names)
			files[one.File.ID] = true
		}
	}
	for _, at := range f.All.Unreadable() {
		if files[at.File] {
			out.AddUnreadable(at)
		}
	}
	return out
}

// FileEvidence has the names in one file.
type FileEvidence struct {
	File  *source.File
	Names *purge.Evidence
	// FromData are the template marks that are whole classes, so that nothing is known
	// about them.
	FromData []source.Span
}

// KindsRead lists the number of files read by extension.
func (f *Found) KindsRead() string {
	var list []string
	for kind, n := range f.Kinds {
		list = append(list, fmt.Sprintf("%s\x00%d %s", kind, n, kind))
	}
	slices.Sort(list)
	for i, text := range list {
		_, list[i], _ = strings.Cut(text, "\x00")
	}
	return strings.Join(list, ", ")
}

// gathering is one collection.
type gathering struct {
	*Gatherer
	files *inventory.Inventory
	found *Found
}

// Gather collects the names in use from the pages, from all scripts of the
// source folder, and from the files of settings and globs. The error is that of
// a cancelled context.
func (g *Gatherer) Gather(ctx context.Context, pages []*graph.Page) (*Found, error) {
	var failed error
	same := func(f *Found) bool { return slices.Equal(f.pages, pages) }
	found := g.Cache.found.Get(g.Files.Reader, struct{}{}, same, func(r *cache.Reads) (*Found, bool) {
		now := &gathering{g, g.Files.Through(r), &Found{pages: pages, keep: g.Settings.Keep}}
		failed = now.site(ctx)
		return now.found, failed == nil
	})
	return found, failed
}

// GatherNamed collects the names in use only from the files of settings and
// globs.
func (g *Gatherer) GatherNamed(ctx context.Context) (*Found, error) {
	now := &gathering{g, g.Files, &Found{keep: g.Settings.Keep}}
	files := make(map[source.Path]bool)
	now.match(files)
	now.needSome(files)
	return now.found, now.read(ctx, files)
}

// report adds findings.
func (g *gathering) report(ds ...diag.Diagnostic) {
	g.found.Diagnostics = append(g.found.Diagnostics, ds...)
}

// site reads the files of a site.
func (g *gathering) site(ctx context.Context) error {
	files := make(map[source.Path]bool)
	for _, page := range g.found.pages {
		files[page.File.Path] = true
	}
	mentioned := g.files.Mentioned()
	for _, p := range g.files.List("").Files {
		if inventory.IsScript(p.Name) || g.isTemplateFile(p) || isData(p.Name) && mentioned.Has(path.Base(p.Name)) {
			files[p] = true
		}
	}
	g.match(files)
	g.needSome(files)
	g.pagesOutside(files)
	if err := g.read(ctx, files); err != nil {
		return err
	}
	for _, page := range g.found.pages {
		g.unreadableScripts(page)
	}
	return nil
}

// dataKinds are the extensions of files that scripts and pages get text or
// markup from.
var dataKinds = []string{".json", ".svg", ".vtt", ".xml", ".txt", ".yml", ".yaml", ".csv"}

// isTemplateFile reports whether pages are generated from a file: by its
// extension, or, if that is unknown, because it starts with markup, as
// components do.
func (g *gathering) isTemplateFile(p source.Path) bool {
	if inventory.IsTemplate(p.Name) || g.files.IsComponent(p) {
		return true
	}
	ext := strings.ToLower(path.Ext(p.Name))
	if inventory.MediaType(p.Name) != "" || ext == "" || isData(p.Name) || inventory.IsPage(p.Name) ||
		g.files.IsSheet(p.Name) {
		return false
	}
	head := strings.TrimLeft(g.files.Head(p), " \t\r\n\uFEFF")
	return len(head) > 1 && head[0] == '<' && (head[1] == '!' || 'a' <= head[1]|0x20 && head[1]|0x20 <= 'z')
}

// isData reports whether a file is data.
func isData(name string) bool { return slices.Contains(dataKinds, strings.ToLower(path.Ext(name))) }

// noteUnreadable records an unreadable script, if the settings require that.
func (g *gathering) noteUnreadable(at source.Pos) {
	if g.Settings.UnreadableScripts == project.KeepRelated {
		g.found.All.AddUnreadable(at)
	}
}

// needSome reports an error if there is no evidence.
func (g *gathering) needSome(files map[source.Path]bool) {
	if len(files) > 0 {
		return
	}
	g.report(diag.Diagnostic{Code: code.MissingEvidence, Severity: diag.Error,
		Message: "no evidence found: purging would remove all rules",
		Fix:     "add pages, templates or scripts with --evidence or in [purge] evidence, relative to the source folder"})
}

// match adds the files that match the globs, and reports globs without a match.
func (g *gathering) match(files map[source.Path]bool) {
	globs := slices.Concat(g.Settings.Evidence, g.Globs)
	for i, glob := range globs {
		root, pattern := project.SplitRoot(glob)
		matched := false
		for _, p := range g.files.List(root).Files {
			if ok, _ := doublestar.Match(pattern, p.Name); ok {
				files[p], matched = true, true
			}
		}
		if matched {
			continue
		}
		where, at, severity := "--evidence", source.Span{}, diag.Warning
		if g.Release {
			severity = diag.Error
		}
		if i < len(g.Settings.Evidence) {
			where, at = "[purge]", g.Settings.EvidenceAt[i]
		}
		g.report(diag.Diagnostic{Code: code.MissingEvidence, Severity: severity, Span: at,
			Message: fmt.Sprintf("evidence pattern %q in %s matches no file in the source folder %q", glob, where, g.Source),
			Fix:     cmp.Or(g.files.NearGlob(glob), "paths are relative to the source folder; ** matches any folders")})
	}
}

// pagesOutside reports the pages among the evidence that are not built: purging
// keeps what they use, but they load no bundle.
func (g *gathering) pagesOutside(files map[source.Path]bool) {
	built := make(map[source.Path]bool)
	for _, p := range g.found.pages {
		built[p.File.Path] = true
	}
	var names []string
	for f := range files {
		if inventory.IsPage(f.Name) && !built[f] && !g.isTemplateText(f) {
			names = append(names, g.files.Show(f))
		}
	}
	if len(names) == 0 {
		return
	}
	slices.Sort(names)
	others := ""
	if n := len(names) - 1; n > 0 {
		others = " and " + diag.Count(n, "other page")
	}
	are := "is"
	if others != "" {
		are = "are"
	}
	g.report(diag.Diagnostic{Code: code.PageOutside, Severity: diag.Note,
		Message: fmt.Sprintf("%q%s %s evidence but not built: outside of the source folder", names[0], others, are),
		Fix:     "purging keeps the rules used only there, but these pages link no bundle"})
}

// isTemplateText reports whether a file that is named like a page is a template, or a part
// of a page: pages are made from it, and they are those that are built.
func (g *gathering) isTemplateText(p source.Path) bool {
	f, err := g.files.Text(p)
	return err != nil || !graph.IsWhole(f.Text)
}

// unreadableScripts reports the external scripts of a page, which cannot be
// read.
func (g *gathering) unreadableScripts(page *graph.Page) {
	for _, s := range page.Scripts {
		if s.Address != "" && g.files.ResolveIn(page, s.Ref).Kind == graph.External {
			g.reportUnreadable(page.Position(s.Ref), s.Address, "is external and cannot be searched for names in use")
			g.noteUnreadable(page.File.Pos(s.At.Start))
		}
	}
}

// reportUnreadable reports an unreadable script, and the consequences.
func (g *gathering) reportUnreadable(at source.Span, cause, problem string) {
	d := diag.Diagnostic{Code: code.UnreadableScript, Severity: diag.Note, Span: at, Cause: cause,
		Message: "this script " + problem + "; selectors related to those in use are kept",
		Fix:     "add a copy of it to [purge] evidence and set unreadable-scripts = \"ignore\", or list in keep what else it uses"}
	if g.Settings.UnreadableScripts == project.IgnoreUnreadable {
		d.Message = "this script " + problem
		d.Fix = "add a copy of it to [purge] evidence, or list in keep what only it uses"
	}
	g.report(d)
}

// read reads files according to their types. Files that were read before are
// cached.
func (g *gathering) read(ctx context.Context, files map[source.Path]bool) error {
	list := make([]source.Path, 0, len(files))
	for p := range files {
		list = append(list, p)
	}
	slices.SortFunc(list, func(a, b source.Path) int { return strings.Compare(a.String(), b.String()) })
	found := g.found
	found.Files = make([]FileEvidence, 0, len(list))
	found.Kinds = make(map[string]int)
	for _, p := range list {
		f, err := g.files.Text(p)
		if err != nil {
			d := g.files.Unreadable(p, err, source.Span{})
			d.Message += "; purging needs it as evidence"
			g.report(d)
			continue
		}
		found.Files = append(found.Files, FileEvidence{File: f})
		found.Kinds[strings.ToLower(path.Ext(p.Name))]++
	}
	group, ctx := errgroup.WithContext(ctx)
	group.SetLimit(runtime.GOMAXPROCS(0))
	for i := range found.Files {
		group.Go(func() error {
			f := &found.Files[i]
			*f = g.Cache.perFile.Get(f.File, func() FileEvidence { return g.readFile(f.File) })
			return ctx.Err()
		})
	}
	if err := group.Wait(); err != nil {
		return err
	}
	found.All = purge.NewEvidence(g.Settings.Keep)
	for _, f := range found.Files {
		found.All.Add(f.Names)
		for _, at := range f.Names.Unreadable() {
			g.reportUnreadable(source.SpanOf(at, len("eval")), f.File.Name,
				"runs generated code, which cannot be searched for names in use")
			g.noteUnreadable(at)
		}
	}
	g.fromData()
	return nil
}

// fromData reports classes of templates that are all data, unless keep lists what they are.
func (g *gathering) fromData() {
	var first FileEvidence
	n := 0
	for _, f := range g.found.Files {
		if n == 0 {
			first = f
		}
		n += len(f.FromData)
	}
	if n == 0 || !g.Release || len(g.Settings.Keep) > 0 {
		return
	}
	at := first.FromData[0]
	mark := first.File.Text[at.Start.Off:at.End]
	others := ""
	if n > 1 {
		others = ", also at " + diag.Count(n-1, "other position")
	}
	g.report(diag.Diagnostic{Code: code.ClassesFromData, Severity: diag.Note, Span: at,
		Message: fmt.Sprintf("class %q comes from data%s: purging does not know its values", mark, others),
		Fix:     "list values that occur nowhere else in keep under [purge], or add the files with the data to evidence"})
}

// readFile returns the evidence of one file.
func (g *gathering) readFile(f *source.File) FileEvidence {
	out := FileEvidence{File: f, Names: g.namesIn(f)}
	if !inventory.IsScript(f.Path.Name) {
		purge.FromData(f.Text, func(mark string, at int) {
			out.FromData = append(out.FromData, source.SpanOf(f.Pos(at), len(mark)))
		})
	}
	return out
}

// namesIn returns the names in one file.
func (g *gathering) namesIn(f *source.File) *purge.Evidence {
	e := purge.NewEvidence(nil)
	switch {
	case inventory.IsPage(f.Path.Name):
		e.AddHTML(f)
		if g.Settings.Structure {
			e.AddStructure(f)
		}
	case inventory.IsScript(f.Path.Name):
		e.AddScript(f)
	case g.files.IsComponent(f.Path):
		e.AddTextWithout(f, g.files.Component(f).StyleTexts())
	default:
		e.AddText(f)
	}
	return e
}

// proposed are the extensions of files that may contain classes, and that are not searched
// without a setting: programs of servers, and data of site generators.
var proposed = strings.Fields(".py .rb .go .java .kt .cs .rs .ex .exs .lua .pl .scala .swift .yml .yaml .xml")

// Propose returns globs for file types in the source folder that may contain
// names in use and that no glob covers, sorted.
func (g *Gatherer) Propose() []string {
	matched := &gathering{g, g.Files, &Found{}}
	files := make(map[source.Path]bool)
	matched.match(files)
	var out []string
	for _, f := range g.Files.List("").Files {
		ext := strings.ToLower(path.Ext(f.Name))
		if glob := "**/*" + ext; slices.Contains(proposed, ext) && !files[f] && !matched.isTemplateFile(f) &&
			!slices.Contains(out, glob) {
			out = append(out, glob)
		}
	}
	slices.Sort(out)
	return out
}
