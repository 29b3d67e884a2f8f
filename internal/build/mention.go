package build

import (
	"fmt"
	"path"
	"slices"
	"strings"

	"rinzel/internal/diag"
	"rinzel/internal/diag/code"
	"rinzel/internal/graph"
	"rinzel/internal/script"
	"rinzel/internal/source"
)

// This file finds the files that texts name: a string that names an existing file of the project
// counts as a use of it, wherever it stands.

// fileIndex are the files of the source folder.
type fileIndex struct {
	list    []source.Path
	files   map[source.Path]bool
	folders map[string]bool          // below the source folder
	stems   map[string][]source.Path // files that no script or sheet is, by their names without folder and ending
}

// index returns the files of the source folder.
func (b *builder) index() *fileIndex {
	b.indexOnce.Do(func() {
		x := &fileIndex{files: make(map[source.Path]bool), folders: make(map[string]bool), stems: make(map[string][]source.Path)}
		b.walk(func(p source.Path) {
			x.list = append(x.list, p)
			x.files[p] = true
			if !isScript(p.Name) && !isSheet(p.Name) && !isPage(p.Name) {
				stem := strings.TrimSuffix(path.Base(p.Name), path.Ext(p.Name))
				x.stems[stem] = append(x.stems[stem], p)
			}
			for dir := path.Dir(p.Name); dir != "." && !x.folders[dir]; dir = path.Dir(dir) {
				x.folders[dir] = true
			}
		})
		b.files = x
	})
	return b.files
}

// folderUse is a folder of which a script names files that it works out as it runs.
type folderUse struct {
	name string
	at   source.Span
}

// mention is a text that may name a file, with where its address counts from.
type mention struct {
	name  string
	at    source.Span
	bases []source.Path
	// loose says that the ending of a script may be missing, as loaders of scripts have it.
	loose bool
}

// bases returns the paths from which an address in a file may count: from itself, from the page
// that runs it, and from the top of the source folder.
func (r *run) bases(from source.Path) []source.Path {
	out := []source.Path{from}
	if r.page != nil {
		if base, external := r.b.baseOf(r.page); !external && path.Dir(base.Name) != path.Dir(from.Name) {
			out = append(out, base)
		}
	}
	if top := (source.Path{Name: "page"}); path.Dir(from.Name) != "." || from.Root != "" {
		out = append(out, top)
	}
	return out
}

// find returns the file that a text names, if there is one.
func (b *builder) find(m mention) (source.Path, bool) {
	address := m.name
	if i := strings.Index(address, "://"); i > 0 && strings.HasPrefix(address, "http") {
		_, rest, ok := strings.Cut(address[i+len("://"):], "/")
		if !ok {
			return source.Path{}, false
		}
		address = "/" + rest // it may be the address of this site
	}
	for _, base := range m.bases {
		t := graph.Resolve(b.project.Tree, base, b.project.Settings.Base, address)
		if t.Kind != graph.Local {
			continue
		}
		if b.isThere(t.Path) {
			return t.Path, true
		}
		if p := (source.Path{Root: t.Path.Root, Name: t.Path.Name + ".js"}); m.loose && !strings.HasSuffix(address, "/") && path.Ext(t.Path.Name) != ".js" && b.isThere(p) {
			return p, true
		}
	}
	return source.Path{}, false
}

// isThere reports whether a path is that of a file of the project.
func (b *builder) isThere(p source.Path) bool {
	if p.Root == "" && !strings.Contains(p.Name, "node_modules/") {
		return b.index().files[p]
	}
	return b.project.Tree.Exists(p)
}

// mention notes the file that a text names, or the folder.
func (r *run) mention(m mention) {
	if p, ok := r.b.find(m); ok {
		r.uses(p, m.at)
		return
	}
	if dir, ok := r.b.folderIn(m); ok {
		r.folder(dir, m.at)
	}
}

// folderIn returns the folder that a text names or starts with.
func (b *builder) folderIn(m mention) (string, bool) {
	i := strings.LastIndexByte(m.name, '/')
	if i <= 0 || strings.ContainsAny(m.name, ":?#") {
		return "", false
	}
	for _, base := range m.bases {
		t := graph.Resolve(b.project.Tree, base, b.project.Settings.Base, m.name[:i])
		if t.Kind == graph.Local && t.Path.Root == "" && b.index().folders[t.Path.Name] {
			return t.Path.Name, true
		}
	}
	return "", false
}

func (r *run) folder(dir string, at source.Span) {
	if !slices.ContainsFunc(r.program.folders, func(f folderUse) bool { return f.name == dir }) {
		r.program.folders = append(r.program.folders, folderUse{dir, at})
	}
}

// stem notes the files that a literal names without folder and ending, as a script does that puts one
// picture in the place of another: src.replace("logo", "logo-dark"). A plain word may mean something
// else, so that the files are not copied for it; but those that are keep their names.
func (r *run) stem(text string, at source.Span) {
	const short, most = 5, 8 // letters of a name; files of one name
	found := r.b.index().stems[text]
	if len(found) > most {
		return
	}
	for _, p := range found {
		if len(text) < short || !strings.ContainsAny(text, "-_0123456789") {
			r.program.plain = append(r.program.plain, p)
			continue
		}
		r.uses(p, at)
	}
}

// uses notes a file that a text names: a script may be run, a sheet may be linked, and any other
// file may be asked for, each under the name that it has.
func (r *run) uses(p source.Path, at source.Span) {
	switch {
	case isPage(p.Name):
	case isScript(p.Name):
		r.laterOn(p, at)
	case strings.EqualFold(path.Ext(p.Name), ".css"):
		r.program.taken = append(r.program.taken, taken{styleUse{path: p, at: at}, true})
	default:
		r.copy(p, at)
	}
}

// scanned are the endings of files whose text is looked through for the names of others.
var scanned = []string{".json", ".webmanifest", ".svg", ".xml", ".vtt", ".txt", ".csv", ".m3u8", ".mpd", ".gltf", ".topojson", ".geojson", ".appcache", ".atlas", ".fnt", ".obj", ".mtl"}

// scan notes the files that a file names which is copied.
func (r *run) scan(p source.Path) {
	const most = 8 << 20 // bytes of a file that is looked through
	if r.scanned[p] || !slices.Contains(scanned, strings.ToLower(path.Ext(p.Name))) {
		return
	}
	r.scanned[p] = true
	f, err := r.b.project.Tree.Text(p)
	if err != nil || len(f.Text) > most {
		return // it is copied as it is
	}
	bases := r.bases(p)
	graph.FileNames(f.Text, false, func(name string, offset int) {
		if q, ok := r.b.find(mention{name: name, bases: bases}); ok && q != p {
			r.uses(q, source.SpanOf(f.Pos(offset), len(name)))
		}
	})
}

// mentionsIn notes the files that the texts of a page name, and those that files name which it shows.
func (r *run) mentionsIn(p *graph.Page) {
	from, external := r.b.baseOf(p)
	if external {
		return
	}
	for _, m := range p.Mentions {
		at := p.File.Pos(m.At.Start).To(uint32(m.At.End))
		graph.FileNames(m.Text, m.Whole, func(name string, _ int) {
			if q, ok := r.b.find(mention{name: name, bases: []source.Path{from}, loose: true}); ok {
				r.uses(q, at)
			}
		})
	}
	for _, ref := range p.Refs {
		if t := r.b.resolveAt(p, ref); t.Kind == graph.Local && r.b.copyable(t.Path) {
			r.scan(t.Path)
		}
	}
}

// made notes the files whose names a script may make of several parts.
func (r *run) made(l graph.Literal, at source.Span, bases []source.Path) {
	const most = 400 // files that one name may stand for
	name := l.Text
	if i := strings.IndexAny(name, "?#"); i >= 0 {
		name = name[:i]
	}
	hole := string(script.Hole)
	if !strings.Contains(name, hole) {
		r.mention(mention{l.Text, at, bases, false})
		return
	}
	var found []source.Path
	for _, pattern := range r.b.patterns(name, bases) {
		for _, p := range r.b.index().list {
			if fitsPattern(p.Name, pattern) && !slices.Contains(found, p) {
				found = append(found, p)
			}
		}
	}
	if len(found) > most {
		return
	}
	for _, p := range found {
		r.uses(p, at)
	}
	if first, _, _ := strings.Cut(name, hole); strings.Contains(first, "/") {
		if dir, ok := r.b.folderIn(mention{first, at, bases, false}); ok {
			r.folder(dir, at)
		}
	}
}

// patterns returns the patterns over paths that a name with holes stands for, each as the parts
// between its holes. Of a name that starts with a hole only the end of the path is known, which
// must name a folder that there is.
func (b *builder) patterns(name string, bases []source.Path) (out [][]string) {
	parts := strings.Split(name, string(script.Hole))
	if parts[0] == "" {
		for _, part := range parts[1:] {
			dir, _, ok := strings.Cut(strings.TrimPrefix(part, "/"), "/")
			if ok && dir != "" && dir != "." && dir != ".." && b.hasFolder(dir) {
				return [][]string{parts}
			}
		}
		return nil
	}
	i := strings.LastIndexByte(parts[0], '/')
	if i < 0 && len(strings.Trim(parts[0], "./-_")) < 2 {
		return nil
	}
	for _, base := range bases {
		t := graph.Resolve(b.project.Tree, base, b.project.Settings.Base, parts[0][:i+1]+"x")
		if t.Kind != graph.Local || t.Path.Root != "" {
			continue
		}
		start := strings.TrimSuffix(t.Path.Name, "x") + parts[0][i+1:]
		if start != "" {
			out = append(out, append([]string{start}, parts[1:]...))
		}
	}
	return out
}

// hasFolder reports whether some folder below the source folder has a name.
func (b *builder) hasFolder(name string) bool {
	x := b.index()
	if x.folders[name] {
		return true
	}
	for dir := range x.folders {
		if path.Base(dir) == name {
			return true
		}
	}
	return false
}

// fitsPattern reports whether a path is made of parts with something between them. A first part that
// is empty stands for any folders.
func fitsPattern(name string, parts []string) bool {
	rest := name
	if parts[0] == "" {
		rest = "/" + name // the end of a path starts with a folder
	} else if rest = strings.TrimPrefix(name, parts[0]); len(rest) == len(name) {
		return false
	}
	last := len(parts) - 1
	for k, part := range parts[1:last] {
		i := strings.Index(rest, part)
		if i < 0 || parts[0] == "" && k == 0 && i > 0 && part[0] != '/' && rest[i-1] != '/' {
			return false
		}
		rest = rest[i+len(part):]
	}
	if parts[0] == "" && last == 1 && !strings.HasPrefix(parts[1], "/") {
		return strings.HasSuffix(rest, "/"+parts[1])
	}
	return strings.HasSuffix(rest, parts[last])
}

// unnamedIn offers to copy the files of folders of which scripts name some that they work out.
func (b *builder) unnamedIn(programs []*program, out *outputs) {
	copied := make(map[source.Path]bool)
	for _, o := range out.files {
		copied[o.from] = true
	}
	told := make(map[string]bool)
	for _, p := range programs {
		for _, f := range p.folders {
			if told[f.name] {
				continue
			}
			told[f.name] = true
			var left []string
			for _, q := range b.index().list {
				if strings.HasPrefix(q.Name, f.name+"/") && !copied[q] && !isPage(q.Name) && !isSheet(q.Name) {
					left = append(left, q.Name)
				}
			}
			if len(left) == 0 {
				continue
			}
			b.report(diag.Diagnostic{Code: code.UnnamedFiles, Severity: diag.Note, Span: f.at, Cause: f.name,
				Message: fmt.Sprintf("this script works out names of files in %q, where %s named by nothing, such as %q", f.name, areNot(len(left)), path.Base(left[0])),
				Mend:    fmt.Sprintf("if it asks for them: copy = [\"%s/**\"]", f.name)})
		}
	}
}

func areNot(n int) string {
	if n == 1 {
		return "1 file is"
	}
	return fmt.Sprintf("%d files are", n)
}

func isSheet(name string) bool { return strings.EqualFold(path.Ext(name), ".css") }

// askedFor are files at the top of a site that browsers, search engines and others ask for without
// any page naming them.
var askedFor = []string{"robots.txt", "humans.txt", "ads.txt", "app-ads.txt", "security.txt", "favicon.*", "apple-touch-icon*.png", "browserconfig.xml",
	"crossdomain.xml", "manifest.json", "*.webmanifest", "sitemap*.xml", "sitemap*.xml.gz", "opensearch.xml", "CNAME"}

// copies returns the files that are copied though nothing names them: those that are asked for in any
// case, and those of the settings.
func (b *builder) copies() (out []asset) {
	for _, p := range b.index().list {
		if strings.Contains(p.Name, "/") {
			continue
		}
		for _, pattern := range askedFor {
			if ok, _ := path.Match(pattern, p.Name); ok {
				out = append(out, asset{path: p, name: p.Name})
				break
			}
		}
	}
	b.project.Tree.Walk("", func(dir string) bool { return dir == wellKnown || strings.HasPrefix(dir, wellKnown+"/") }, func(p source.Path) {
		if strings.HasPrefix(p.Name, wellKnown+"/") && !b.excluded(p) {
			out = append(out, asset{path: p, name: p.Name})
		}
	}, func(source.Path, error) {})
	for _, g := range b.project.Settings.Copy {
		for _, p := range b.matching(g) {
			if !isPage(p.Name) && !b.excluded(p) {
				out = append(out, asset{p, plainAssetName(p), g.At})
			}
		}
	}
	return out
}

// wellKnown is the folder for what is asked for in any case (RFC 8615).
const wellKnown = ".well-known"
