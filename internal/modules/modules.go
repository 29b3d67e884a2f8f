// Package modules follows the scripts of pages: which sheets and scripts they
// import, in evaluation order, what they load lazily, and which files they
// refer to. Start reading at [Scripts.Program].
package modules

import (
	"fmt"
	"slices"
	"strings"
	"sync"

	"rinzel/internal/diag"
	"rinzel/internal/diag/code"
	"rinzel/internal/graph"
	"rinzel/internal/inventory"
	"rinzel/internal/script"
	"rinzel/internal/source"
)

// Scripts are the scripts of the pages of one build. It is safe for concurrent
// use.
type Scripts struct {
	Files  *inventory.Inventory
	Base   string // URL path at which the source folder is published
	Parsed graph.Scripts
	Report func(...diag.Diagnostic)

	mu     sync.Mutex
	byMaps map[string]*group         // scripts by the import maps of their pages
	run    map[source.Path][]*Module // those that pages run, once per group

	looked sync.Map // what each file looks for, *LookUp by *source.File
}

// group is the scripts of pages with the same import maps.
type group struct {
	*Scripts
	key      string // the import maps as text
	resolver graph.Modules

	mu    sync.Mutex
	files map[source.Path]*Module
	later map[source.Path]*LazyEntry
}

// Module is a script with resolved imports.
type Module struct {
	once sync.Once
	of   *group
	File *graph.ScriptFile // nil if it cannot be read
	// Component is the component that it is; nil for scripts.
	Component *graph.Component
	Requests  []Request
}

// Request is an import of a file of the project.
type Request struct {
	script.Import
	Span source.Span // the specifier
	Path source.Path
	Use  Use
}

// Use is how a script uses a file.
type Use uint8

// The uses of files.
const (
	Runs         Use = iota // a module that is evaluated first
	RunsLazily              // a script that may be run later
	Styles                  // a sheet that applies before the module is evaluated
	StylesLazily            // a sheet that applies once the script requests it
	UsesSheet               // a sheet as an object, or by URL: import … with { type: "css" }
	UsesFile                // any other file
)

// LazyEntry is what a script loads with import() or by URL: another script with
// its imports, or a sheet.
type LazyEntry struct {
	Path source.Path
	At   source.Span // the reference
	once sync.Once
	runs *Program
}

// Sheets returns the sheets that apply to the page when it is loaded, in order.
func (l *LazyEntry) Sheets() []StyleUse { return l.runs.Sheets }

// Program is everything that scripts run and use.
type Program struct {
	Sheets    []StyleUse    // imported by its modules, in evaluation order
	Lazy      []*LazyEntry  // in the order of first use
	Files     []FileUse     // script files and the files that they refer to, to be copied
	SheetRefs []SheetRef    // sheets used as objects or by URL
	Inline    []*Module     // the inline scripts of the page
	LookUp    *LookUp       // what its scripts look for among the links of the page; nil for nothing
	Plain     []source.Path // files whose names scripts may use
	// Folders are those in which scripts build file names.
	Folders []FolderUse
}

// FileUse is a file that a script consists of or refers to.
type FileUse struct {
	Path source.Path
	At   source.Span // the reference
}

// FolderUse is a folder in which a script builds file names at run time.
type FolderUse struct {
	Name string
	At   source.Span
}

// StyleUse is a sheet that a module imports.
type StyleUse struct {
	Path   source.Path
	At     source.Span
	Direct bool // not imported by a script: the settings name it
}

// SheetRef is a sheet that a script uses as an object or by URL.
type SheetRef struct {
	StyleUse
	Named bool // by a URL that cannot be rewritten
}

// groupOf returns the group of a page.
func (s *Scripts) groupOf(p *graph.Page) *group {
	from, external := s.Files.PageBase(p)
	key := ""
	if !external {
		for _, at := range p.Maps {
			key += from.String() + "\x00" + p.File.Text[at.Start:at.End]
		}
	}
	if key == "" {
		return s.groupWith("", nil, from)
	}
	return s.groupWith(key, p, from)
}

// groupWith returns the group with the import maps of a page, whose URLs are
// relative to from; or without import maps, for a nil page. key identifies the
// maps.
func (s *Scripts) groupWith(key string, p *graph.Page, from source.Path) *group {
	s.mu.Lock()
	defer s.mu.Unlock()
	if m := s.byMaps[key]; m != nil {
		return m
	}
	if s.byMaps == nil {
		s.byMaps = make(map[string]*group)
	}
	m := &group{Scripts: s, key: key, resolver: graph.Modules{Files: s.Files, Base: s.Base},
		files: make(map[source.Path]*Module), later: make(map[source.Path]*LazyEntry)}
	s.byMaps[key] = m
	if p == nil {
		return m
	}
	for _, at := range p.Maps {
		if err := m.resolver.AddMap(p.File.Text[at.Start:at.End], from); err != nil {
			s.Report(diag.Diagnostic{Code: code.BadImportMap, Severity: diag.Warning, Span: p.SpanOf(at), Message: "this " +
				err.Error()})
		}
	}
	return m
}

// load returns the script at a path.
func (g *group) load(p source.Path) *Module {
	g.mu.Lock()
	mod := g.files[p]
	if mod == nil {
		mod = &Module{of: g}
		g.files[p] = mod
	}
	g.mu.Unlock()
	mod.once.Do(func() {
		var err error
		if g.Files.IsComponent(p) {
			var f *source.File
			if f, err = g.Files.Text(p); err == nil {
				mod.Component = g.Files.Component(f)
				mod.File = mod.Component.Script
			}
		} else {
			mod.File, err = g.Parsed.Load(g.Files, p)
		}
		if err != nil { // it is copied like any file, or missing
			mod.File = nil
			return
		}
		mod.Requests = g.requests(mod.File, p)
		g.noteRun(p, mod)
	})
	return mod
}

// noteRun records that a script is run.
func (s *Scripts) noteRun(p source.Path, mod *Module) {
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.run == nil {
		s.run = make(map[source.Path][]*Module)
	}
	s.run[p] = append(s.run[p], mod)
}

// requests resolves the imports of a script, with URLs relative to from.
func (g *group) requests(file *graph.ScriptFile, from source.Path) []Request {
	var out []Request
	for _, imp := range file.Imports {
		at := file.File.Pos(imp.At.Start).To(uint32(imp.At.End))
		if file.Compiled && !g.isOurs(imp, from) {
			continue
		}
		if r, ok := g.request(imp, from, at); ok {
			out = append(out, r)
		}
	}
	return out
}

// isOurs reports whether an import in a script that a compiler gets concerns a
// build: it has the path of a sheet, or of an existing file.
func (g *group) isOurs(imp script.Import, from source.Path) bool {
	t, bare := g.resolve(imp, from)
	return !bare && (g.Files.IsStyle(imp) || t.Kind == graph.Local && g.Files.Exists(t.Path))
}

// request resolves one import. ok is false if it is not a file of the project.
func (g *group) request(imp script.Import, from source.Path, at source.Span) (r Request, ok bool) {
	t, bare := g.resolve(imp, from)
	styles := g.Files.IsStyle(imp) && !g.Files.IsComponent(t.Path)
	unreadable := styles && imp.Kind != script.Address && imp.Type == "" // for browsers
	switch {
	case bare:
		g.Report(g.bareImport(imp, from, at))
		return r, false
	case t.Kind == graph.External && unreadable:
		g.Report(diag.Diagnostic{Code: code.ExternalImport, Severity: diag.Error, Span: at,
			Message: "a script cannot import an external sheet", Fix: "link it from the page"})
		return r, false
	case t.Kind == graph.External:
		return r, false
	}
	if d, bad := g.Files.BadTarget(t, imp.Specifier, at); bad {
		if !styles {
			d.Severity = diag.Warning
		}
		g.Report(d)
		return r, false
	}
	r = Request{Import: imp, Span: at, Path: t.Path, Use: useOf(imp, styles, t.Path)}
	if unreadable && imp.Binds {
		g.Report(diag.Diagnostic{Code: code.NamedStyleImport, Severity: diag.Error, Span: at,
			Message: "import of a sheet with a name, but without type: \"css\"",
			Fix:     `add with { type: "css" } to get the sheet as an object, or import it without a name to apply it to the page`})
		return r, false
	}
	return r, g.isThere(r)
}

// IsSheet reports whether the file is a style sheet.
func (r *Request) IsSheet() bool {
	return r.Use == Styles || r.Use == StylesLazily || r.Use == UsesSheet
}

// useOf returns how an import uses a file.
func useOf(imp script.Import, styles bool, p source.Path) Use {
	switch {
	case styles && (imp.Kind == script.Address || imp.Type != ""):
		return UsesSheet
	case styles && imp.Kind == script.Dynamic:
		return StylesLazily
	case styles:
		return Styles
	case imp.Type != "":
		return UsesFile
	case imp.Kind == script.Dynamic, imp.Kind == script.Address && inventory.IsScript(p.Name):
		return RunsLazily
	case imp.Kind == script.Address:
		return UsesFile
	}
	return Runs
}

// resolve returns the target of an import. URLs are not specifiers: import maps
// do not apply to them, and they need not start with a dot.
func (g *group) resolve(imp script.Import, from source.Path) (t graph.Target, bare bool) {
	if imp.Kind == script.Address {
		return g.Files.Resolve(from, imp.Specifier), false
	}
	if t, bare = g.resolver.Resolve(from, imp.Specifier); bare && g.Files.IsStyle(imp) {
		if sheet := g.Files.InPackage(from, imp.Specifier); sheet.Kind == graph.Local && g.Files.Exists(sheet.Path) {
			return sheet, false
		}
	}
	return t, bare
}

// bareImport returns the finding about an unresolved import.
func (g *group) bareImport(imp script.Import, from source.Path, at source.Span) diag.Diagnostic {
	d := diag.Diagnostic{Code: code.BareImport, Severity: diag.Warning, Span: at,
		Message: fmt.Sprintf("unresolved import %q: no import map of the page has it", imp.Specifier),
		Fix:     `add "./" if it is a path relative to this script, or add it to an import map`}
	if !g.Files.IsStyle(imp) {
		if address, ok := g.Files.PackageModule(imp.Specifier); ok {
			d.Fix = fmt.Sprintf(`add to the page, before its scripts: <script type="importmap">{"imports": {%q: %q}}</script>`,
				imp.Specifier, address)
		}
		return d
	}
	d.Severity = diag.Error
	relative := "./" + imp.Specifier
	if t := g.Files.Resolve(from, relative); t.Kind == graph.Local && g.Files.Exists(t.Path) {
		d.Message = fmt.Sprintf("unresolved import %q: a path relative to this script starts with \"./\"", imp.Specifier)
		d.Fix = fmt.Sprintf("write %q", relative)
		return d
	}
	d.Message = fmt.Sprintf("no such sheet: %q, in no installed package", imp.Specifier)
	d.Fix = fmt.Sprintf("a path relative to this script starts with \"./\": %q", relative)
	if t := g.Files.InPackage(from, imp.Specifier); t.Kind == graph.Local {
		g.Files.ExplainPackage(&d, t.Path, t.Path.String())
	}
	return d
}

// isThere reports whether the file of a request exists, after reporting it if
// not.
func (g *group) isThere(r Request) bool {
	if g.Files.Exists(r.Path) {
		return true
	}
	d := diag.Diagnostic{Code: code.MissingFile, Severity: diag.Error, Span: r.Span, Fix: g.Files.Near(r.Path),
		Cause:   r.Path.String(),
		Message: fmt.Sprintf("no such sheet: %q, imported by the script", g.Files.Show(r.Path))}
	if !r.IsSheet() {
		d.Code, d.Severity = code.MissingScript, diag.Warning
		d.Message = fmt.Sprintf("no such file: %q, named by the script", g.Files.Show(r.Path))
	} else {
		g.Files.ExplainPackage(&d, r.Path, r.Path.String())
	}
	g.Report(d)
	return false
}

// run visits modules in evaluation order.
type run struct {
	*group
	program *Program
	page    *graph.Page // paths in scripts may be relative to it; nil if unknown
	seen    map[source.Path]bool
	styled  map[source.Path]bool
	met     map[*LazyEntry]bool
	scanned map[source.Path]bool // files that were searched for references
}

// newRun returns a run for a page.
func (g *group) newRun(p *graph.Page) *run {
	return &run{group: g, program: new(Program), page: p, seen: make(map[source.Path]bool),
		styled: make(map[source.Path]bool), met: make(map[*LazyEntry]bool), scanned: make(map[source.Path]bool)}
}

// file runs the script at a path, which is named at a span.
func (r *run) file(p source.Path, at source.Span) {
	if r.seen[p] {
		return
	}
	r.seen[p] = true
	r.copy(p, at)
	switch {
	case r.Files.IsComponent(p):
		r.component(p)
	case inventory.IsScript(p.Name):
		r.script(r.load(p), p)
	}
}

// component runs a component: its style blocks apply after those of what it
// imports.
func (r *run) component(p source.Path) {
	mod := r.load(p)
	r.script(mod, p)
	if mod.Component == nil {
		return
	}
	styles := mod.Component.Styles
	if i := slices.IndexFunc(styles, func(b graph.StyleBlock) bool { return r.Files.JoinsBundles(&b) }); i >= 0 {
		r.style(StyleUse{Path: p, At: mod.File.File.Pos(styles[i].Whole.Start).To(uint32(styles[i].Text.Start))})
	}
}

// copy records a file to copy, unless it is a page.
func (r *run) copy(p source.Path, at source.Span) {
	if r.Files.IsCopied(p) {
		r.program.Files = append(r.program.Files, FileUse{p, at})
		r.scan(p)
	}
}

// script runs a script whose URLs are relative to from.
func (r *run) script(mod *Module, from source.Path) {
	for _, q := range mod.Requests {
		switch q.Use {
		case Runs:
			r.file(q.Path, q.Span)
		case Styles:
			r.style(StyleUse{Path: q.Path, At: q.Span})
		case RunsLazily, StylesLazily:
			r.lazy(q.Path, q.Span)
		case UsesSheet:
			r.program.SheetRefs = append(r.program.SheetRefs, SheetRef{StyleUse: StyleUse{Path: q.Path, At: q.Span}})
		case UsesFile:
			r.copy(q.Path, q.Span)
		}
	}
	if mod.File == nil {
		return
	}
	bases := r.bases(from)
	span := func(l graph.Literal) source.Span { return mod.File.File.Pos(l.At.Start).To(uint32(l.At.End)) }
	for _, l := range mod.File.Paths {
		r.mention(mention{l.Text, span(l), bases, strings.Contains(l.Text, "/")})
	}
	for _, l := range mod.File.Words {
		r.stem(l.Text, span(l))
	}
	for _, l := range mod.File.Built {
		r.built(l, span(l), bases)
	}
	r.sourceMap(mod.File, from)
}

// style records a sheet. A module is evaluated once, so the first import
// counts.
func (r *run) style(s StyleUse) {
	if !r.styled[s.Path] {
		r.styled[s.Path] = true
		r.program.Sheets = append(r.program.Sheets, s)
	}
}

// lazy records what is loaded lazily.
func (r *run) lazy(p source.Path, at source.Span) {
	r.mu.Lock()
	l := r.group.later[p]
	if l == nil {
		l = &LazyEntry{Path: p, At: at}
		r.group.later[p] = l
	}
	r.mu.Unlock()
	if r.met[l] {
		return
	}
	r.met[l] = true
	r.program.Lazy = append(r.program.Lazy, l)
}

// sourceMap records the source map of a script.
func (r *run) sourceMap(f *graph.ScriptFile, from source.Path) {
	if f.Map.Text == "" || strings.HasPrefix(f.Map.Text, "data:") {
		return
	}
	if t := r.Files.Resolve(from, f.Map.Text); t.Kind == graph.Local {
		r.copy(t.Path, f.File.Pos(f.Map.At.Start).To(uint32(f.Map.At.End)))
	}
}

// programOf returns what a lazy entry runs. It only depends on the page through
// paths that may be relative to it.
func (g *group) programOf(l *LazyEntry) *Program {
	l.once.Do(func() {
		r := g.newRun(nil)
		if inventory.IsScript(l.Path.Name) || g.Files.IsComponent(l.Path) {
			r.file(l.Path, l.At)
		} else if g.Files.IsSheet(l.Path.Name) {
			r.style(StyleUse{Path: l.Path, At: l.At})
		} else {
			r.copy(l.Path, l.At)
		}
		l.runs = r.program
	})
	return l.runs
}

// Program returns what the scripts of a page run. Lazily loaded scripts, and
// what they load, are in its list.
func (s *Scripts) Program(p *graph.Page) *Program {
	g := s.groupOf(p)
	r := g.newRun(p)
	for i, tag := range p.Scripts {
		at := p.Position(tag.Ref)
		if tag.Text.End > 0 {
			mod := g.inlineScript(p, i)
			r.program.Inline = append(r.program.Inline, mod)
			s.checkClassic(tag, mod, source.SpanOf(p.File.Pos(tag.Text.Start), 0))
			from, _ := s.Files.PageBase(p)
			r.script(mod, from)
			continue
		}
		t := s.Files.ResolveIn(p, tag.Ref)
		if t.Kind != graph.Local || strings.TrimSpace(tag.Address) == "" {
			continue
		}
		if !s.Files.Exists(t.Path) && !graph.IsTemplate(tag.Address) {
			d := diag.Diagnostic{Code: code.MissingScript, Severity: diag.Warning, Span: at,
				Message: fmt.Sprintf("no such script: %q, loaded by the page", s.Files.Show(t.Path)), Fix: s.Files.Near(t.Path),
				Cause: t.Path.String()}
			inventory.RewordUnclosed(&d, tag.Address)
			g.Report(d)
			continue
		}
		r.file(t.Path, at)
		if inventory.IsScript(t.Path.Name) {
			s.checkClassic(tag, g.load(t.Path), at)
		}
	}
	r.mentionsIn(p)
	r.lookUps(p)
	r.finish()
	return r.program
}

// finish adds what is run lazily, recursively.
func (r *run) finish() {
	for i := 0; i < len(r.program.Lazy); i++ {
		runs := r.programOf(r.program.Lazy[i])
		for _, l := range runs.Lazy {
			if !r.met[l] {
				r.met[l] = true
				r.program.Lazy = append(r.program.Lazy, l)
			}
		}
		r.program.Files = append(r.program.Files, runs.Files...)
		r.program.SheetRefs = append(r.program.SheetRefs, runs.SheetRefs...)
		for _, f := range runs.Folders {
			r.folder(f.Name, f.At)
		}
		r.program.Plain = append(r.program.Plain, runs.Plain...)
	}
}

// checkClassic warns about a classic script that uses import.
func (s *Scripts) checkClassic(tag graph.Script, mod *Module, at source.Span) {
	if tag.Module || mod.File == nil {
		return
	}
	i := slices.IndexFunc(mod.File.Imports, func(imp script.Import) bool { return imp.Kind <= script.ReExport })
	if i < 0 {
		return
	}
	imp := mod.File.Imports[i]
	s.Report(diag.Diagnostic{Code: code.ClassicImport, Severity: diag.Warning, Span: at,
		Message: "the script uses import but is not loaded as a module: browsers do not run it",
		Fix:     `add type="module" to its script element`,
		Related: []diag.Related{{Span: mod.File.File.Pos(imp.At.Start).To(uint32(imp.At.End)), Message: "imported here"}}})
}

// inlineScript returns the i-th script of a page, which is inline.
func (g *group) inlineScript(p *graph.Page, i int) *Module {
	from, _ := g.Files.PageBase(p)
	file := graph.ReadScript(p.File, p.Scripts[i].Text)
	return &Module{of: g, File: file, Requests: g.requests(file, from)}
}

// Entry is a script or sheet that the settings name.
type Entry struct {
	Path source.Path
	At   source.Span
}

// ProgramOf returns what some scripts and sheets run, as modules of a page
// without import maps.
func (s *Scripts) ProgramOf(entries []Entry) *Program {
	r := s.groupWith("", nil, source.Path{}).newRun(nil)
	for _, e := range entries {
		if inventory.IsScript(e.Path.Name) || s.Files.IsComponent(e.Path) {
			r.file(e.Path, e.At)
		} else {
			r.style(StyleUse{e.Path, e.At, true})
		}
	}
	r.finish()
	return r.program
}
