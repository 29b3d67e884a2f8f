package modules

import (
	"path"
	"slices"
	"strings"

	"rinzel/internal/graph"
	"rinzel/internal/inventory"
	"rinzel/internal/script"
	"rinzel/internal/source"
)

// This file finds files that texts mention: a string with the path of an
// existing file of the project counts as a reference, wherever it is.

// mention is a text that may name a file, with the possible bases of its URL.
type mention struct {
	name  string
	at    source.Span
	bases []source.Path
	// loose is set if the extension of a script may be omitted, as with script
	// loaders.
	loose bool
}

// bases returns the paths that a URL in a file may be relative to: the file,
// the page that runs it, and the top of the source folder.
func (r *run) bases(from source.Path) []source.Path {
	out := []source.Path{from}
	if r.page != nil {
		if base, external := r.Files.PageBase(r.page); !external && path.Dir(base.Name) != path.Dir(from.Name) {
			out = append(out, base)
		}
	}
	if top := (source.Path{Name: "page"}); path.Dir(from.Name) != "." || from.Root != "" {
		out = append(out, top)
	}
	return out
}

// find returns the file that a text names, if it exists.
func (r *run) find(m mention) (source.Path, bool) {
	address := m.name
	if i := strings.Index(address, "://"); i > 0 && strings.HasPrefix(address, "http") {
		_, rest, ok := strings.Cut(address[i+len("://"):], "/")
		if !ok {
			return source.Path{}, false
		}
		address = "/" + rest // it may be an absolute URL of this site
	}
	for _, base := range m.bases {
		t := r.Files.Resolve(base, address)
		if t.Kind != graph.Local {
			continue
		}
		if r.Files.IsFile(t.Path) {
			return t.Path, true
		}
		if p := (source.Path{Root: t.Path.Root, Name: t.Path.Name + ".js"}); m.loose &&
			!strings.HasSuffix(address, "/") && path.Ext(t.Path.Name) != ".js" && r.Files.IsFile(p) {
			return p, true
		}
	}
	return source.Path{}, false
}

// mention records the file or folder that a text names.
func (r *run) mention(m mention) {
	if p, ok := r.find(m); ok {
		r.uses(p, m.at)
		return
	}
	if dir, ok := r.folderIn(m); ok {
		r.folder(dir, m.at)
	}
}

// folderIn returns the folder that a text names or starts with.
func (r *run) folderIn(m mention) (string, bool) {
	i := strings.LastIndexByte(m.name, '/')
	if i <= 0 || strings.ContainsAny(m.name, ":?#") {
		return "", false
	}
	for _, base := range m.bases {
		t := r.Files.Resolve(base, m.name[:i])
		if t.Kind == graph.Local && t.Path.Root == "" && r.Files.Index().Folders[t.Path.Name] {
			return t.Path.Name, true
		}
	}
	return "", false
}

// folder records a folder in which scripts build file names.
func (r *run) folder(dir string, at source.Span) {
	if !slices.ContainsFunc(r.program.Folders, func(f FolderUse) bool { return f.Name == dir }) {
		r.program.Folders = append(r.program.Folders, FolderUse{dir, at})
	}
}

// stem records the files that a literal names without folder and extension, as
// in a script that exchanges pictures: src.replace("logo", "logo-dark"). A
// plain word may mean something else, so these files are not copied because of
// it; but if they are copied, they keep their names.
func (r *run) stem(text string, at source.Span) {
	const short, most = 5, 8 // letters of a name; files with the name
	found := r.Files.Index().Stems[text]
	if len(found) > most {
		return
	}
	for _, p := range found {
		if len(text) < short || !strings.ContainsAny(text, "-_0123456789") {
			r.program.Plain = append(r.program.Plain, p)
			continue
		}
		r.uses(p, at)
	}
}

// uses records a reference to a file: a script may be run, a sheet may be
// linked, any other file may be loaded, all by their original names.
func (r *run) uses(p source.Path, at source.Span) {
	switch {
	case inventory.IsPage(p.Name):
	case inventory.IsScript(p.Name):
		r.lazy(p, at)
	case r.Files.IsSheet(p.Name):
		r.program.SheetRefs = append(r.program.SheetRefs, SheetRef{StyleUse{Path: p, At: at}, true})
	default:
		r.copy(p, at)
	}
}

// scanned are the extensions of files that are searched for references.
var scanned = []string{".json", ".webmanifest", ".svg", ".xml", ".vtt", ".txt", ".csv", ".m3u8", ".mpd", ".gltf",
	".topojson", ".geojson", ".appcache", ".atlas", ".fnt", ".obj", ".mtl"}

// scan records the references in a copied file.
func (r *run) scan(p source.Path) {
	const most = 8 << 20 // maximum size of a searched file in bytes
	if r.scanned[p] || !slices.Contains(scanned, strings.ToLower(path.Ext(p.Name))) {
		return
	}
	r.scanned[p] = true
	f, err := r.Files.Text(p)
	if err != nil || len(f.Text) > most {
		return // it is copied unchanged
	}
	bases := r.bases(p)
	graph.FileNames(f.Text, false, func(name string, offset int) {
		if q, ok := r.find(mention{name: name, bases: bases}); ok && q != p {
			r.uses(q, source.SpanOf(f.Pos(offset), len(name)))
		}
	})
}

// mentionsIn records the references in the texts of a page, and in files that
// it shows.
func (r *run) mentionsIn(p *graph.Page) {
	from, external := r.Files.PageBase(p)
	if external {
		return
	}
	for _, m := range p.Mentions {
		at := p.File.Pos(m.At.Start).To(uint32(m.At.End))
		graph.FileNames(m.Text, m.Whole, func(name string, _ int) {
			if q, ok := r.find(mention{name: name, bases: []source.Path{from}, loose: true}); ok {
				r.uses(q, at)
			}
		})
	}
	for _, ref := range p.Refs {
		if t := r.Files.ResolveIn(p, ref); t.Kind == graph.Local && r.Files.IsCopied(t.Path) {
			r.scan(t.Path)
		}
	}
}

// built records the files whose names a script may build from parts.
func (r *run) built(l graph.Literal, at source.Span, bases []source.Path) {
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
	for _, pattern := range r.patterns(name, bases) {
		for _, p := range r.Files.Index().Files {
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
		if dir, ok := r.folderIn(mention{first, at, bases, false}); ok {
			r.folder(dir, at)
		}
	}
}

// patterns returns the path patterns of a name with holes, each as the parts
// between its holes. If a name starts with a hole, only the end of the path is
// known, which must contain the name of an existing folder.
func (r *run) patterns(name string, bases []source.Path) (out [][]string) {
	parts := strings.Split(name, string(script.Hole))
	if parts[0] == "" {
		for _, part := range parts[1:] {
			dir, _, ok := strings.Cut(strings.TrimPrefix(part, "/"), "/")
			if ok && dir != "" && dir != "." && dir != ".." && r.Files.Index().HasFolder(dir) {
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
		t := r.Files.Resolve(base, parts[0][:i+1]+"x")
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

// fitsPattern reports whether a path consists of parts with something between
// them. An empty first part stands for any folders.
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
