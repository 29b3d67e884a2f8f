// Package inventory answers questions about the files of a project: which
// exist, what a URL refers to, and which existing file is similar to a missing
// one. It also words the findings about missing files.
package inventory

import (
	"path"
	"slices"
	"strings"
	"sync"

	"rinzel/internal/cache"
	"rinzel/internal/graph"
	"rinzel/internal/project"
	"rinzel/internal/script"
	"rinzel/internal/source"
)

// Inventory is the files of a project as seen through a reader. It is safe for
// concurrent use.
type Inventory struct {
	source.Reader
	project *project.Project
	*shared
}

// shared is the common state of the inventories of one project.
type shared struct {
	mu    sync.Mutex
	of    *source.Listing
	index *Index
	near  *cache.Table[source.Path, string]
	pages *cache.PerFile[*graph.Page]
	parts *cache.PerFile[*graph.Component]

	names     *cache.PerFile[[]string]
	mentioned *cache.Table[struct{}, Names]
}

// Index is an index of the files of the source folder.
type Index struct {
	Files   []source.Path            // in lexical order
	Folders map[string]bool          // paths of all folders with files
	Stems   map[string][]source.Path // files other than pages, sheets and scripts, by name without folder and extension

	known map[source.Path]bool
}

// Has reports whether a file is in the source folder.
func (x *Index) Has(p source.Path) bool { return x.known[p] }

// New returns the inventory of a project, which reads from its tree. Results
// are cached in store.
func New(p *project.Project, store *cache.Store) *Inventory {
	skip := p.Skip()
	exclude := p.Settings.Excludes()
	p.Tree.ListBy(func(dir string) bool { return !skip(dir) },
		func(f source.Path) bool { return project.AnyMatches(exclude, f) })
	return &Inventory{p.Tree, p, &shared{
		near: cache.NewTable[source.Path, string](store), pages: cache.NewPerFile[*graph.Page](store),
		parts: cache.NewPerFile[*graph.Component](store),
		names: cache.NewPerFile[[]string](store), mentioned: cache.NewTable[struct{}, Names](store),
	}}
}

// Through returns the same inventory reading through another reader, so that
// results of work depend on the answers.
func (i *Inventory) Through(r source.Reader) *Inventory { return &Inventory{r, i.project, i.shared} }

// Index returns the files of the source folder that belong to the project.
func (i *Inventory) Index() *Index {
	listing := i.List("")
	i.mu.Lock()
	defer i.mu.Unlock()
	if i.of != listing {
		i.of, i.index = listing, newIndex(listing, i.IsSheet)
	}
	return i.index
}

// newIndex returns the index of a listing.
func newIndex(listing *source.Listing, isSheet func(name string) bool) *Index {
	x := &Index{Files: listing.Files, Folders: make(map[string]bool), Stems: make(map[string][]source.Path),
		known: make(map[source.Path]bool, len(listing.Files))}
	for _, p := range listing.Files {
		x.known[p] = true
		if !IsScript(p.Name) && !isSheet(p.Name) && !IsPage(p.Name) {
			stem := strings.TrimSuffix(path.Base(p.Name), path.Ext(p.Name))
			x.Stems[stem] = append(x.Stems[stem], p)
		}
		for dir := path.Dir(p.Name); dir != "." && !x.Folders[dir]; dir = path.Dir(dir) {
			x.Folders[dir] = true
		}
	}
	return x
}

// HasFolder reports whether a folder with a name exists anywhere in the source
// folder.
func (x *Index) HasFolder(name string) bool {
	if x.Folders[name] {
		return true
	}
	for dir := range x.Folders {
		if path.Base(dir) == name {
			return true
		}
	}
	return false
}

// Page returns the parsed page of a file.
func (i *Inventory) Page(f *source.File) *graph.Page {
	return i.pages.Get(f, func() *graph.Page { return graph.ReadPage(f) })
}

// IsComponent reports whether a file is a component.
func (i *Inventory) IsComponent(p source.Path) bool { return i.project.Settings.IsComponent(p) }

// Component returns the parsed component of a file.
func (i *Inventory) Component(f *source.File) *graph.Component {
	return i.parts.Get(f, func() *graph.Component { return graph.ReadComponent(f) })
}

// JoinsBundles reports whether a style block of a component is removed from it, to
// join the bundles of the pages that reach it: what compiles the component needs it
// neither for its attributes, nor for its language.
func (i *Inventory) JoinsBundles(b *graph.StyleBlock) bool {
	s := i.project.Settings
	return !b.Special && !s.Components.Inside && s.ReadsBlock(b.Language)
}

// Sheets returns the files of the source folder that have a sheet, see
// [Inventory.HasSheet], in lexical order.
func (i *Inventory) Sheets() []source.Path {
	return slices.DeleteFunc(slices.Clone(i.List("").Files), func(p source.Path) bool { return !i.HasSheet(p) })
}

// HasSheet reports whether a file is a sheet, or a component, whose style blocks are
// one.
func (i *Inventory) HasSheet(p source.Path) bool { return i.IsSheet(p.Name) || i.IsComponent(p) }

// Excluded reports whether a file is excluded from the project.
func (i *Inventory) Excluded(p source.Path) bool {
	return project.AnyMatches(i.project.Settings.Excludes(), p)
}

// IsFile reports whether a path is a file of the project, of an installed
// package or of a root.
func (i *Inventory) IsFile(p source.Path) bool {
	if p.Root == "" && !strings.Contains(p.Name, project.PackageFolder+"/") {
		return i.Index().Has(p)
	}
	return i.Exists(p)
}

// Resolve returns the target of a URL in the file from.
func (i *Inventory) Resolve(from source.Path, address string) graph.Target {
	return graph.Resolve(i, from, i.project.Settings.Base, address)
}

// walk visits files on disk. Unreadable folders are skipped.
func (i *Inventory) walk(root string, enter func(dir string) bool, visit func(source.Path)) {
	i.project.Tree.Walk(root, enter, visit, func(source.Path, error) {})
}

// SheetsInRoot returns the sheets in the folder of a root, without those of
// packages in it, in lexical order.
func (i *Inventory) SheetsInRoot(root string) []source.Path {
	var out []source.Path
	i.walk(root, func(dir string) bool { return path.Base(dir) != project.PackageFolder }, func(p source.Path) {
		if i.IsSheet(p.Name) {
			out = append(out, p)
		}
	})
	return out
}

// Matching returns the files of the source folder, or of a root, that match a
// glob, including hidden folders if the glob names one.
func (i *Inventory) Matching(g project.Glob) (out []source.Path) {
	visit := func(p source.Path) {
		if g.Matches(p) {
			out = append(out, p)
		}
	}
	root, pattern := project.SplitRoot(g.Pattern)
	if root == "" && strings.HasPrefix(pattern, ".") {
		i.walk(root, func(string) bool { return true }, visit)
		return out
	}
	for _, p := range i.List(root).Files {
		visit(p)
	}
	return out
}

// AnyOnDisk reports whether a glob matches a file of the source folder,
// including files that are not part of the project.
func (i *Inventory) AnyOnDisk(g project.Glob) bool {
	found := false
	i.walk("", func(string) bool { return !found }, func(p source.Path) { found = found || g.Matches(p) })
	return found
}

// WellKnown returns the files with well-known URLs (RFC 8615). Their folder is
// hidden, so they are not in the index.
func (i *Inventory) WellKnown() (out []source.Path) {
	const folder = ".well-known"
	i.walk("", func(dir string) bool { return dir == folder || strings.HasPrefix(dir, folder+"/") }, func(p source.Path) {
		if strings.HasPrefix(p.Name, folder+"/") && !i.Excluded(p) {
			out = append(out, p)
		}
	})
	return out
}

// PackageModule returns the URL path of the script that a specifier of an installed package
// names, if the package is in the source folder: pages can load it.
func (i *Inventory) PackageModule(specifier string) (address string, ok bool) {
	name, ok := graph.PackageModule(i, specifier)
	inSource := source.Path{Name: path.Join(project.PackageFolder, name)}
	if !ok || !i.Exists(inSource) {
		return "", false
	}
	return i.project.Settings.Base + inSource.Name, true
}

// InPackage returns the target of a path that starts with the name of an installed package,
// as scripts write it. It need not exist.
func (i *Inventory) InPackage(from source.Path, name string) graph.Target {
	return i.Resolve(from, project.PackageRoot+":"+name)
}

// IsPage reports whether a file name is that of an HTML page.
func IsPage(name string) bool { return hasExt(name, ".html", ".htm", ".xhtml") }

// IsScript reports whether a file name is that of a script for browsers.
func IsScript(name string) bool { return hasExt(name, ".js", ".mjs", ".cjs") }

// templateKinds are the extensions of files that pages are generated from:
// server pages, components, and templates.
var templateKinds = strings.Fields(`.php .phtml .inc .asp .aspx .ascx .master .cshtml .vbhtml .razor .jsp .jspx .jspf .tag .cfm .erb .rhtml .haml .slim
	.ejs .eta .hbs .handlebars .mustache .njk .nunjucks .liquid .twig .jinja .jinja2 .j2 .tpl .tmpl .gohtml .tera .mako .dust .ftl .ftlh .vm .xsl .xslt .pug .jade
	.eex .heex .leex .jsx .tsx .ts .mts .cts .elm .md .mdx .markdown .rst .adoc .textile .org`)

// IsTemplate reports whether pages are generated from a file, by its extension.
func IsTemplate(name string) bool { return hasExt(name, templateKinds...) }

// IsSheet reports whether a file name is that of a style sheet: of CSS, or of a
// language that a step of the settings reads.
func (i *Inventory) IsSheet(name string) bool {
	return i.project.Settings.IsSheet(name)
}

// IsStyle reports whether a script imports a sheet, see [graph.IsStyle].
func (i *Inventory) IsStyle(imp script.Import) bool {
	if imp.Type != "" {
		return graph.IsStyle(imp)
	}
	name, _, _ := strings.Cut(imp.Specifier, "?")
	name, _, _ = strings.Cut(name, "#")
	return graph.IsStyle(imp) || i.project.Settings.IsLanguage(name)
}

// hasExt reports whether a name has one of some extensions.
func hasExt(name string, list ...string) bool {
	return slices.Contains(list, strings.ToLower(path.Ext(name)))
}

// mediaTypes are the media types of files that may be inlined, by extension.
var mediaTypes = map[string]string{
	".svg": "image/svg+xml", ".png": "image/png", ".jpg": "image/jpeg", ".jpeg": "image/jpeg", ".gif": "image/gif",
	".webp": "image/webp", ".avif": "image/avif",
	".woff": "font/woff", ".woff2": "font/woff2",
}

// MediaType returns the media type of an image or font by its name; "" for
// other files.
func MediaType(name string) string { return mediaTypes[strings.ToLower(path.Ext(name))] }
