package build

import (
	"context"
	"fmt"
	"path"
	"slices"
	"strings"

	"rinzel/internal/css/ast"
	"rinzel/internal/css/print"
	"rinzel/internal/css/value"
	"rinzel/internal/diag"
	"rinzel/internal/diag/code"
	"rinzel/internal/graph"
	"rinzel/internal/project"
	"rinzel/internal/source"
	"rinzel/internal/step/compose"
)

// This file answers questions about a project without building it.

// Constants is what is known of the constants of a project.
type Constants struct {
	Sheets      []SheetConstants // one for each sheet that a page links
	Diagnostics []diag.Diagnostic
}

// SheetConstants are the constants of a linked sheet and of all that it imports.
type SheetConstants struct {
	Sheet     string // as people are shown it
	Constants []Constant
}

// Constant is what is known of one constant.
type Constant struct {
	Path    string
	Value   string // empty if it was dropped
	Dropped bool
	Color   *[3]uint8 // red, green and blue of a value that is a colour, for a swatch
	Set     Setting   // where it got its value, or was dropped
	Others  []Setting // what the value stands in place of, and defaults that gave way
	From    []string  // the constants that its value was worked out from
	Gives   []string  // the constants that were worked out from it
	Rules   int       // how many rules read it
}

// Setting is a rule that sets a constant or gives it a default.
type Setting struct {
	Kind  compose.SetKind
	Value string
	At    source.Span
	Reads int // how many rules and constants read it before the next one was set
}

// ListConstants works out the sheets that the pages link, and returns their
// constants. The findings are those of the sheets, and beside them overrides
// that repeat a default, drops that something puts back, and constants that
// nothing reads. The error is one of our run.
func ListConstants(ctx context.Context, p *project.Project) (*Constants, error) {
	b, err := newBuilder(ctx, p, Options{})
	if err != nil {
		return nil, err
	}
	b.records = true
	out := &Constants{}
	checks := constantChecks{read: make(map[source.Span]bool)}
	for _, from := range b.entryPaths() {
		e := b.entryOf(from)
		if e.record == nil {
			continue // it cannot be read
		}
		out.Sheets = append(out.Sheets, SheetConstants{p.Tree.Show(from), constantsOf(e.record)})
		checks.add(e.record)
		if err := b.ended(); err != nil {
			return nil, err
		}
	}
	b.report(checks.findings(func(at source.Span) bool { return b.isOwn(at) })...)
	out.Diagnostics = b.diags.Sorted(b.project.Tree.Set)
	return out, nil
}

// entryPaths returns the sheets that pages and bundles of the settings reach, in their
// order; if there is neither, the sheets of the source folder that no other imports.
func (b *builder) entryPaths() []source.Path {
	var out []source.Path
	add := func(s reachedSheet) {
		if !slices.Contains(out, s.path) {
			out = append(out, s.path)
		}
	}
	pages := b.findPages()
	for _, p := range pages {
		for _, s := range b.sheetsOf(p) {
			add(s)
		}
	}
	list := b.namedBundles()
	for _, n := range list {
		b.runNamed(n)
		for _, s := range b.scriptSheets(n.runs) {
			add(s)
		}
	}
	if len(pages)+len(list) > 0 {
		return out
	}
	sheets := b.sourceSheets()
	imported := make(map[source.Path]bool)
	for _, from := range sheets {
		b.noteImports(from, imported)
	}
	return slices.DeleteFunc(sheets, func(p source.Path) bool { return imported[p] })
}

// noteImports notes which sheets one imports, as far as its text says so.
func (b *builder) noteImports(from source.Path, imported map[source.Path]bool) {
	sheet, err := b.memory.sheets.Load(from)
	if err != nil {
		return
	}
	for _, n := range sheet.Nodes {
		r, ok := graph.IsImport(n)
		if !ok {
			continue
		}
		if imp, ok := graph.ReadImport(r.Prelude); ok {
			imported[graph.Resolve(b.project.Tree, from, b.project.Settings.Base, imp.Address).Path] = true
		}
	}
}

// reachedSheet is a sheet that a page, or a bundle of the settings, reaches.
type reachedSheet struct {
	path   source.Path
	script string // that imports it, as people are shown it; empty for a link
}

// sheetsOf returns the sheets of the project that a page links, and those that
// its scripts import.
func (b *builder) sheetsOf(p *graph.Page) []reachedSheet {
	var out []reachedSheet
	for _, g := range p.Groups {
		for _, l := range g.Links {
			if e, _ := b.linkedSheet(p, l); e != nil {
				out = append(out, reachedSheet{path: e.path})
			}
		}
	}
	return append(out, b.scriptSheets(b.program(p))...)
}

// scriptSheets returns the sheets that scripts import, at once and later, each once.
func (b *builder) scriptSheets(runs *program) []reachedSheet {
	var out []reachedSheet
	add := func(s styleUse) {
		by := ""
		if f := b.project.Tree.Set.File(s.at.Start.File); f != nil && !s.direct {
			by = f.Name
		}
		exists := b.project.Tree.Exists(s.path)
		if exists && !slices.ContainsFunc(out, func(r reachedSheet) bool { return r.path == s.path }) {
			out = append(out, reachedSheet{s.path, by})
		}
	}
	for _, s := range runs.sheets {
		add(s)
	}
	for _, l := range runs.later {
		for _, s := range l.runs.sheets {
			add(s)
		}
	}
	for _, t := range runs.taken {
		add(t.styleUse)
	}
	return out
}

// sourceSheets returns the sheets of the source folder in lexical order.
func (b *builder) sourceSheets() []source.Path {
	var out []source.Path
	b.walk(func(p source.Path) {
		if strings.EqualFold(path.Ext(p.Name), ".css") {
			out = append(out, p)
		}
	})
	return out
}

// isOwn reports whether a place is in the source folder or the settings.
func (b *builder) isOwn(at source.Span) bool {
	f := b.project.Tree.Set.File(at.Start.File)
	return f.Path.Root == "" || f.Name == b.project.Settings.File
}

func constantsOf(r *compose.Record) []Constant {
	var out []Constant
	gives := make(map[string][]string)
	for _, e := range r.Entries() {
		for _, from := range e.From {
			gives[from] = append(gives[from], e.Path)
		}
	}
	for _, e := range r.Entries() {
		set, holds := e.Current()
		if !set.At.IsValid() && len(e.Sets) == 0 {
			continue // it is only read, with a fallback
		}
		set.Reads = 0 // nothing took its place
		c := Constant{Path: e.Path, Dropped: !holds, Set: settingOf(set), From: e.From, Gives: gives[e.Path], Rules: e.Rules}
		if holds {
			c.Value, c.Color = print.Values(set.Value), swatch(set.Value)
		}
		for _, o := range e.Overridden() {
			c.Others = append(c.Others, settingOf(o))
		}
		out = append(out, c)
	}
	return out
}

func settingOf(s compose.Set) Setting { return Setting{s.Kind, print.Values(s.Value), s.At, s.Reads} }

// swatch returns the colour that a value is.
func swatch(values []ast.Value) *[3]uint8 {
	if len(values) != 1 {
		return nil
	}
	c, ok := value.ColorOf(&values[0])
	if !ok {
		return nil
	}
	var out [3]uint8
	for i, x := range c.Mapped().Channels {
		out[i] = uint8(x*255 + 0.5)
	}
	return &out
}

// constantChecks gathers what is odd about constants. A rule that sets one may
// do so for several linked sheets; it is read if any of them reads it.
type constantChecks struct {
	read  map[source.Span]bool
	order []compose.Set
	names map[source.Span]string
	found []diag.Diagnostic
}

func (c *constantChecks) add(r *compose.Record) {
	if c.names == nil {
		c.names = make(map[source.Span]string)
	}
	derives := make(map[string]bool)
	for _, e := range r.Entries() {
		for _, from := range e.From {
			derives[from] = true
		}
	}
	for _, e := range r.Entries() {
		c.drops(e)
		set, holds := e.Current()
		if !holds {
			continue
		}
		c.repeats(e, set)
		if _, met := c.read[set.At]; !met {
			c.order = append(c.order, set)
			c.names[set.At] = e.Path
		}
		c.read[set.At] = c.read[set.At] || e.Rules > 0 || derives[e.Path]
	}
}

// repeats finds an override that equals the default.
func (c *constantChecks) repeats(e *compose.Entry, set compose.Set) {
	if set.Kind == compose.ByDefault {
		return
	}
	for _, o := range e.Overridden() {
		if o.Kind == compose.ByDefault && ast.EqualValues(o.Value, set.Value) {
			c.found = append(c.found, diag.Diagnostic{Code: code.SameDefault, Severity: diag.Warning, Span: set.At,
				Message: fmt.Sprintf("this sets %q to %q, which is its default", e.Path, print.Values(set.Value)),
				Related: []diag.Related{{Span: o.At, Message: "the default is set here"}}, Mend: "leave it out, or set another value"})
			return
		}
	}
}

// drops finds a drop that something puts back.
func (c *constantChecks) drops(e *compose.Entry) {
	var dropped *compose.Set
	for i := range e.Sets {
		s := &e.Sets[i]
		switch {
		case s.Kind == compose.ByDrop:
			dropped = s
		case dropped != nil && !s.GaveWay:
			c.found = append(c.found, diag.Diagnostic{Code: code.PutBack, Severity: diag.Warning, Span: dropped.At,
				Message: fmt.Sprintf("%q is dropped here, and something sets it again", e.Path),
				Related: []diag.Related{{Span: s.At, Message: "it is put back here"}}, Mend: "drop it behind that, or leave one of the two out"})
			dropped = nil
		}
	}
}

// findings returns what was found, of unread constants only those whose place is
// the project's own: a library has constants that a site has no use for.
func (c *constantChecks) findings(own func(source.Span) bool) []diag.Diagnostic {
	out := c.found
	for _, s := range c.order {
		if !c.read[s.At] && s.Kind != compose.ByTokens && own(s.At) {
			out = append(out, diag.Diagnostic{Code: code.Unread, Severity: diag.Warning, Span: s.At,
				Message: fmt.Sprintf("nothing reads the constant %q", c.names[s.At])})
		}
	}
	return out
}

// Imports is what the pages of a project, or one page or sheet, import.
type Imports struct {
	Entries     []ImportEntry
	Unreached   []string // sheets of the source folder that no page reaches, as people are shown them
	Diagnostics []diag.Diagnostic
}

// ImportEntry is a page, a bundle of the settings, or a sheet that was asked about, with
// the sheets that it reaches.
type ImportEntry struct {
	Name    string // as people are shown it
	Trees   []*ImportNode
	Scripts []string // that import the sheet of each tree; empty for those that are linked
}

// ImportNode is a sheet in a tree of imports.
type ImportNode struct {
	Sheet     string      // as people are shown it, or the address of one from elsewhere
	At        source.Span // of the import; the zero Span for the root of a tree
	Condition string      // layer, support and media under which it is imported
	Rules     int         // that it writes itself
	Constants int         // that it sets itself, with defaults that gave way
	LeftOut   bool        // by without() or only()
	External  bool        // from elsewhere
	Repeated  bool        // a later import of the same sheet decides alone
	Replaced  int         // values that the import puts in place of others, in all that it brings in
	Imports   []*ImportNode

	path source.Path
}

// ListImports returns the import trees of a page or a sheet, by its path in the
// source folder or "root:path"; if name is empty, of all pages. The error is
// one of our run.
func ListImports(ctx context.Context, p *project.Project, name string) (*Imports, error) {
	b, err := newBuilder(ctx, p, Options{})
	if err != nil {
		return nil, err
	}
	b.records = true
	out := &Imports{}
	reached := make(map[source.Path]bool)
	asked, err := b.sheetNamed(name)
	if err != nil {
		return nil, err
	}
	found := name == ""
	note := func(name string, sheets []reachedSheet, blocks []*ImportNode, shown bool) {
		entry := ImportEntry{Name: name}
		for _, s := range sheets {
			entry.Trees, entry.Scripts = append(entry.Trees, b.entryOf(s.path).tree), append(entry.Scripts, s.script)
			markReached(b.entryOf(s.path).tree, reached)
		}
		for _, n := range blocks {
			entry.Trees, entry.Scripts = append(entry.Trees, n), append(entry.Scripts, "")
			markReached(n, reached)
		}
		if shown {
			out.Entries = append(out.Entries, entry)
			found = true
		}
	}
	for _, page := range b.findPages() {
		note(page.File.Name, b.sheetsOf(page), b.blocksOf(page), name == "" || page.File.Path == asked)
	}
	for _, n := range b.namedBundles() {
		b.runNamed(n)
		note(fmt.Sprintf("the bundle %s", n.file), b.scriptSheets(n.runs), nil, name == "")
	}
	if !found {
		if _, err := b.memory.sheets.Load(asked); err != nil {
			b.report(b.unreadable(asked, err, source.Span{}))
		} else {
			out.Entries = []ImportEntry{{Trees: []*ImportNode{b.entryOf(asked).tree}}}
		}
	}
	for _, s := range b.sourceSheets() {
		if !reached[s] {
			out.Unreached = append(out.Unreached, p.Tree.Show(s))
		}
	}
	out.Diagnostics = slices.DeleteFunc(b.diags.Sorted(b.project.Tree.Set), func(d diag.Diagnostic) bool { return !slices.Contains(aboutImports, d.Code) })
	return out, b.ended()
}

// blocksOf returns the trees of the style elements of a page that import sheets.
func (b *builder) blocksOf(p *graph.Page) []*ImportNode {
	var out []*ImportNode
	for _, at := range p.Styles {
		kept := b.styleAnew(p, at)
		if kept.entry == nil || len(kept.entry.tree.Imports) == 0 {
			continue
		}
		line, _ := p.File.Place(uint32(at.Start))
		kept.entry.tree.Sheet = fmt.Sprintf("the style element in line %d", line)
		out = append(out, kept.entry.tree)
	}
	return out
}

// Unreached returns the files of the source folder that no page and no bundle of the
// settings reaches, as people are shown them: sheets, scripts, images and all others. The
// error is one of our run.
func Unreached(ctx context.Context, p *project.Project) ([]string, error) {
	memory := NewMemory(p)
	res, err := Site(ctx, p, Options{Memory: memory})
	if err != nil {
		return nil, err
	}
	var out []string
	for _, f := range memory.unreached(res.Outputs) {
		out = append(out, p.Tree.Show(f))
	}
	return out, nil
}

// unreached returns the files of the source folder that no output of a build is made from.
func (m *Memory) unreached(outputs []Output) (out []source.Path) {
	tree := m.project.Tree
	reached := make(map[source.Path]bool)
	for _, o := range outputs {
		reached[o.from] = true
		if o.Kind == PageKind {
			reached[source.Path{Name: o.Path}] = true
		}
	}
	for _, e := range m.entries {
		for dep := range e.deps {
			reached[dep] = true
		}
	}
	for _, kept := range m.blocks {
		if kept.entry != nil {
			for dep := range kept.entry.deps {
				reached[dep] = true
			}
		}
	}
	for _, f := range m.walked {
		if !reached[f] && tree.Show(f) != m.project.Settings.File && !strings.HasPrefix(path.Base(f.Name), ".") {
			out = append(out, f)
		}
	}
	return out
}

// aboutImports are the codes of findings about imports. Others mean nothing in
// an answer about them: a part of a library alone lacks the constants of the rest.
var aboutImports = []code.Code{
	code.BadAddress, code.BadImport, code.ExternalImport, code.IdlePart, code.ImportCycle, code.LateImport, code.Missing, code.MissingScript, code.NoEntry, code.NotUTF8, code.Outside,
	code.TooManyImports, code.UnknownRoot, code.Unreadable,
}

func markReached(n *ImportNode, reached map[source.Path]bool) {
	if !n.External {
		reached[n.path] = true
	}
	for _, c := range n.Imports {
		markReached(c, reached)
	}
}

// text returns the condition as an import has it.
func (c *condition) text() string {
	var parts []string
	if c.hasLayer {
		layer := "layer"
		if len(c.layer) > 0 {
			layer += "(" + print.Values(c.layer) + ")"
		}
		parts = append(parts, layer)
	}
	if len(c.supports) > 0 {
		parts = append(parts, "supports("+print.Values(c.supports)+")")
	}
	if len(c.media) > 0 {
		parts = append(parts, print.Values(c.media))
	}
	return strings.Join(parts, " ")
}

// countRules returns how many style rules nodes hold.
func countRules(nodes []ast.Node) int {
	n := 0
	ast.Walk(nodes, func(node ast.Node) bool {
		if _, ok := node.(*ast.StyleRule); ok {
			n++
		}
		return true
	})
	return n
}
