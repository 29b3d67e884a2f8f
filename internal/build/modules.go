package build

import (
	"fmt"
	"path"
	"slices"
	"strings"
	"sync"

	"rinzel/internal/diag"
	"rinzel/internal/diag/code"
	"rinzel/internal/graph"
	"rinzel/internal/script"
	"rinzel/internal/source"
)

// This file follows the scripts of pages: which sheets and scripts their modules
// import, in the order in which a browser evaluates them, and what they load later.

// modules are the scripts of pages with the same import maps.
type modules struct {
	b        *builder
	key      string // what tells them from others
	resolver graph.Modules

	mu    sync.Mutex
	files map[source.Path]*module
	later map[source.Path]*later
}

// module is a script with what it names resolved.
type module struct {
	once     sync.Once
	of       *modules
	file     *graph.ScriptFile // nil if it cannot be read
	requests []request
}

// request is an import whose target is a file of the project.
type request struct {
	script.Import
	at   source.Span // of the specifier
	path source.Path
	use  use
}

// use is what a script does with a file that it names.
type use uint8

const (
	runsIt   use = iota // a module that is evaluated before it
	runsLate            // a script that is run later, if at all
	stylesIt            // a sheet that is to style the page before the module is evaluated
	stylesLate
	takesSheet // a sheet as an object, or by its address: import … with { type: "css" }
	takesFile  // any other file
)

// later is what a script loads by import() or by an address: another script with
// all that it imports, or a sheet.
type later struct {
	path   source.Path
	at     source.Span // of what names it
	once   sync.Once
	runs   *program
	number int // in the order in which entries are met
}

// program is what runs when scripts do.
type program struct {
	sheets []styleUse    // that its modules import, in the order in which they are evaluated
	later  []*later      // in the order in which they are met
	files  []asset       // that it is made of or names, to be copied
	taken  []taken       // sheets as objects
	inline []*module     // the scripts that stand in the page
	found  *lookUp       // what its scripts look for among the links of the page; nil for nothing
	plain  []source.Path // files whose names scripts may work with
	// folders are those of which scripts name files that they work out.
	folders []folderUse
}

// styleUse is a sheet that a module imports.
type styleUse struct {
	path   source.Path
	at     source.Span
	direct bool // no script imports it: the settings name it
}

// taken is a sheet that a script takes as an object, or by its address.
type taken struct {
	styleUse
	named bool // by an address that cannot be rewritten
}

// modulesOf returns the scripts of pages with a page's import maps.
func (b *builder) modulesOf(p *graph.Page) *modules {
	from, external := b.baseOf(p)
	key := ""
	if !external {
		for _, at := range p.Maps {
			key += from.String() + "\x00" + p.File.Text[at.Start:at.End]
		}
	}
	if key == "" {
		return b.modulesWith("", nil, from)
	}
	return b.modulesWith(key, p, from)
}

// modulesWith returns the scripts of pages with the import maps of a page, whose
// addresses count from a path, or with none. The key tells these maps from others.
func (b *builder) modulesWith(key string, p *graph.Page, from source.Path) *modules {
	b.mu.Lock()
	defer b.mu.Unlock()
	if m := b.modules[key]; m != nil {
		return m
	}
	m := &modules{b: b, key: key, resolver: graph.Modules{Tree: b.project.Tree, Base: b.project.Settings.Base}, files: make(map[source.Path]*module), later: make(map[source.Path]*later)}
	b.modules[key] = m
	if p == nil {
		return m
	}
	for _, at := range p.Maps {
		if err := m.resolver.AddMap(p.File.Text[at.Start:at.End], from); err != nil {
			b.diags.Add(diag.Diagnostic{Code: code.BadImportMap, Severity: diag.Warning, Span: p.File.Pos(at.Start).To(uint32(at.End)), Message: "this " + err.Error()})
		}
	}
	return m
}

// load returns the script at a path.
func (m *modules) load(p source.Path) *module {
	m.mu.Lock()
	mod := m.files[p]
	if mod == nil {
		mod = &module{of: m}
		m.files[p] = mod
	}
	m.mu.Unlock()
	mod.once.Do(func() {
		if file, err := m.b.memory.scripts.Load(p); err == nil { // else it is copied as any file, or missing
			mod.file = file
			mod.requests = m.requests(file, p)
			m.b.mu.Lock()
			m.b.run[p] = append(m.b.run[p], mod)
			m.b.mu.Unlock()
		}
	})
	return mod
}

// requests resolves what a script imports, with addresses that count from a path.
func (m *modules) requests(file *graph.ScriptFile, from source.Path) []request {
	var out []request
	for _, imp := range file.Imports {
		at := file.File.Pos(imp.At.Start).To(uint32(imp.At.End))
		if r, ok := m.request(imp, from, at); ok {
			out = append(out, r)
		}
	}
	return out
}

// request resolves one import. ok is false if it leads to no file of the project.
func (m *modules) request(imp script.Import, from source.Path, at source.Span) (r request, ok bool) {
	b := m.b
	t, bare := m.resolve(imp, from)
	styles := graph.IsStyle(imp)
	unreadable := styles && imp.Kind != script.Address && imp.Type == "" // by browsers
	switch {
	case bare:
		b.report(m.bareImport(imp, at))
		return r, false
	case t.Kind == graph.External && unreadable:
		b.report(diag.Diagnostic{Code: code.ExternalImport, Severity: diag.Error, Span: at,
			Message: "a sheet from elsewhere cannot be imported by a script", Mend: "link it from the page"})
		return r, false
	case t.Kind == graph.External:
		return r, false
	}
	if d, bad := b.badTarget(t, imp.Specifier, at); bad {
		if !styles {
			d.Severity = diag.Warning
		}
		b.report(d)
		return r, false
	}
	r = request{Import: imp, at: at, path: t.Path, use: useOf(imp, styles, t.Path)}
	if unreadable && imp.Binds {
		b.report(diag.Diagnostic{Code: code.NamedStyleImport, Severity: diag.Error, Span: at,
			Message: "this import gives a name to a sheet without saying that it is one",
			Mend:    `write with { type: "css" } behind it to get the sheet as an object, or import it without a name to have it style the page`})
		return r, false
	}
	return r, m.there(r, from)
}

func useOf(imp script.Import, styles bool, p source.Path) use {
	switch {
	case styles && (imp.Kind == script.Address || imp.Type != ""):
		return takesSheet
	case styles && imp.Kind == script.Dynamic:
		return stylesLate
	case styles:
		return stylesIt
	case imp.Type != "":
		return takesFile
	case imp.Kind == script.Dynamic, imp.Kind == script.Address && isScript(p.Name):
		return runsLate
	case imp.Kind == script.Address:
		return takesFile
	}
	return runsIt
}

// resolve returns what an import leads to. Addresses are no specifiers: to them no
// import map applies, and they need no dots before them.
func (m *modules) resolve(imp script.Import, from source.Path) (t graph.Target, bare bool) {
	if imp.Kind == script.Address {
		return graph.Resolve(m.b.project.Tree, from, m.b.project.Settings.Base, imp.Specifier), false
	}
	return m.resolver.Resolve(from, imp.Specifier)
}

// bareImport words an import of a name that means nothing to a browser.
func (m *modules) bareImport(imp script.Import, at source.Span) diag.Diagnostic {
	d := diag.Diagnostic{Code: code.BareImport, Severity: diag.Warning, Span: at,
		Message: fmt.Sprintf("browsers do not know where %q is: no import map of the page gives it an address", imp.Specifier),
		Mend:    `write "./" before a path that counts from this script, or name it in an import map`}
	if graph.IsStyle(imp) {
		d.Severity = diag.Error
		d.Message = fmt.Sprintf("%q is no path: one that counts from this script starts with \"./\"", imp.Specifier)
		d.Mend = fmt.Sprintf("write %q, or %q for the sheet of an installed package", "./"+imp.Specifier, "package:"+imp.Specifier)
	}
	return d
}

// there reports whether the file of a request exists, and says so if not.
func (m *modules) there(r request, from source.Path) bool {
	b := m.b
	if b.project.Tree.Exists(r.path) {
		return true
	}
	d := diag.Diagnostic{Code: code.Missing, Severity: diag.Error, Span: r.at, Mend: b.nearFile(r.path), Cause: r.path.String(),
		Message: fmt.Sprintf("the script imports a sheet %q that does not exist", b.project.Tree.Show(r.path))}
	if r.use != stylesIt && r.use != stylesLate && r.use != takesSheet {
		d.Code, d.Severity = code.MissingScript, diag.Warning
		d.Message = fmt.Sprintf("the script names a file %q that does not exist", b.project.Tree.Show(r.path))
	} else {
		b.explainPackage(&d, r.path, r.path.String())
	}
	b.report(d)
	return false
}

// run is a walk over modules in the order in which they are evaluated.
type run struct {
	*modules
	program *program
	page    *graph.Page // from which paths in scripts may count as well; nil if none is known
	seen    map[source.Path]bool
	styled  map[source.Path]bool
	met     map[*later]bool
	scanned map[source.Path]bool // files that were looked through for names
}

func (m *modules) newRun(p *graph.Page) *run {
	return &run{modules: m, program: new(program), page: p, seen: make(map[source.Path]bool), styled: make(map[source.Path]bool), met: make(map[*later]bool), scanned: make(map[source.Path]bool)}
}

// file runs the script at a path, that the source at a span names.
func (r *run) file(p source.Path, at source.Span) {
	if r.seen[p] {
		return
	}
	r.seen[p] = true
	r.copy(p, at)
	if isScript(p.Name) {
		r.script(r.load(p), p)
	}
}

// copy notes a file to be copied, if it is one that is.
func (r *run) copy(p source.Path, at source.Span) {
	if r.b.copyable(p) {
		r.program.files = append(r.program.files, asset{p, plainAssetName(p), at})
		r.scan(p)
	}
}

// script runs a script whose addresses count from a path.
func (r *run) script(mod *module, from source.Path) {
	for _, q := range mod.requests {
		switch q.use {
		case runsIt:
			r.file(q.path, q.at)
		case stylesIt:
			r.style(styleUse{path: q.path, at: q.at})
		case runsLate, stylesLate:
			r.laterOn(q.path, q.at)
		case takesSheet:
			r.program.taken = append(r.program.taken, taken{styleUse: styleUse{path: q.path, at: q.at}})
		case takesFile:
			r.copy(q.path, q.at)
		}
	}
	if mod.file == nil {
		return
	}
	bases := r.bases(from)
	span := func(l graph.Literal) source.Span { return mod.file.File.Pos(l.At.Start).To(uint32(l.At.End)) }
	for _, l := range mod.file.Paths {
		r.mention(mention{l.Text, span(l), bases, strings.Contains(l.Text, "/")})
	}
	for _, l := range mod.file.Words {
		r.stem(l.Text, span(l))
	}
	for _, l := range mod.file.Made {
		r.made(l, span(l), bases)
	}
	r.sourceMap(mod.file, from)
}

// style notes a sheet. A module is evaluated once, so the first import counts.
func (r *run) style(s styleUse) {
	if !r.styled[s.path] {
		r.styled[s.path] = true
		r.program.sheets = append(r.program.sheets, s)
	}
}

// laterOn notes what is loaded later.
func (r *run) laterOn(p source.Path, at source.Span) {
	r.mu.Lock()
	l := r.modules.later[p]
	if l == nil {
		l = &later{path: p, at: at}
		r.modules.later[p] = l
	}
	r.mu.Unlock()
	if r.met[l] {
		return
	}
	r.met[l] = true
	r.program.later = append(r.program.later, l)
}

// sourceMap notes the map of a script.
func (r *run) sourceMap(f *graph.ScriptFile, from source.Path) {
	if f.Map.Text == "" || strings.HasPrefix(f.Map.Text, "data:") {
		return
	}
	if t := graph.Resolve(r.b.project.Tree, from, r.b.project.Settings.Base, f.Map.Text); t.Kind == graph.Local {
		r.copy(t.Path, f.File.Pos(f.Map.At.Start).To(uint32(f.Map.At.End)))
	}
}

// programOf returns what runs when what is loaded later is. It does not depend on the
// page, but for paths that may count from it.
func (m *modules) programOf(l *later) *program {
	l.once.Do(func() {
		r := m.newRun(nil)
		if isScript(l.path.Name) {
			r.file(l.path, l.at)
		} else if strings.EqualFold(path.Ext(l.path.Name), ".css") {
			r.style(styleUse{path: l.path, at: l.at})
		} else {
			r.copy(l.path, l.at)
		}
		l.runs = r.program
	})
	return l.runs
}

// program works out what the scripts of a page run. What they load later, and what
// that loads, is in its list.
func (b *builder) program(p *graph.Page) *program {
	m := b.modulesOf(p)
	r := m.newRun(p)
	for i, s := range p.Scripts {
		at := refSpan(p, s.Ref)
		if s.Text.End > 0 {
			mod := b.inlineScript(m, p, i)
			r.program.inline = append(r.program.inline, mod)
			b.checkClassic(p, s, mod, source.SpanOf(p.File.Pos(s.Text.Start), 0))
			from, _ := b.baseOf(p)
			r.script(mod, from)
			continue
		}
		t := b.resolveAt(p, s.Ref)
		if t.Kind != graph.Local || strings.TrimSpace(s.Address) == "" {
			continue
		}
		if !b.project.Tree.Exists(t.Path) && !isTemplate(s.Address) {
			d := diag.Diagnostic{Code: code.MissingScript, Severity: diag.Warning, Span: at,
				Message: fmt.Sprintf("the page loads a script %q that does not exist", b.project.Tree.Show(t.Path)), Mend: b.nearFile(t.Path), Cause: t.Path.String()}
			unclosed(&d, s.Address)
			b.report(d)
			continue
		}
		r.file(t.Path, at)
		if isScript(t.Path.Name) {
			b.checkClassic(p, s, m.load(t.Path), at)
		}
	}
	r.mentionsIn(p)
	r.lookUps(p)
	r.finish()
	return r.program
}

// finish adds what is run later, and by that, to what runs.
func (r *run) finish() {
	for i := 0; i < len(r.program.later); i++ {
		runs := r.programOf(r.program.later[i])
		for _, l := range runs.later {
			if !r.met[l] {
				r.met[l] = true
				r.program.later = append(r.program.later, l)
			}
		}
		r.program.files = append(r.program.files, runs.files...)
		r.program.taken = append(r.program.taken, runs.taken...)
		for _, f := range runs.folders {
			r.folder(f.name, f.at)
		}
		r.program.plain = append(r.program.plain, runs.plain...)
	}
}

// checkClassic warns of a script that imports as only modules may.
func (b *builder) checkClassic(p *graph.Page, s graph.Script, mod *module, at source.Span) {
	if s.Module || mod.file == nil {
		return
	}
	i := slices.IndexFunc(mod.file.Imports, func(imp script.Import) bool { return imp.Kind <= script.ReExport })
	if i < 0 {
		return
	}
	imp := mod.file.Imports[i]
	b.report(diag.Diagnostic{Code: code.ClassicImport, Severity: diag.Warning, Span: at,
		Message: "browsers do not run this script: it imports others, and is not loaded as a module",
		Mend:    `write type="module" in its script element`,
		Related: []diag.Related{{Span: mod.file.File.Pos(imp.At.Start).To(uint32(imp.At.End)), Message: "imported here"}}})
}

// inlineScript returns the i-th script of a page, which stands in it.
func (b *builder) inlineScript(m *modules, p *graph.Page, i int) *module {
	from, _ := b.baseOf(p)
	file := graph.ReadScript(p.File, p.Scripts[i].Text)
	return &module{of: m, file: file, requests: m.requests(file, from)}
}
