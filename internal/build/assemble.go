package build

import (
	"cmp"
	"fmt"
	"maps"
	"path"
	"slices"
	"strings"
	"sync"

	"rinzel/internal/css/ast"
	"rinzel/internal/css/parse"
	"rinzel/internal/css/print"
	"rinzel/internal/css/token"
	"rinzel/internal/diag"
	"rinzel/internal/graph"
	"rinzel/internal/project"
	"rinzel/internal/source"
	"rinzel/internal/step/compose"
	"rinzel/internal/step/lower"
	"rinzel/internal/step/prefix"
	"rinzel/internal/tokens"
)

// entry is a sheet that a page links, with all that it imports, worked out.
// What comes of it does not depend on the page.
type entry struct {
	path     source.Path
	once     sync.Once
	pieces   []piece
	tree     *ImportNode
	diags    []diag.Diagnostic
	checks   []diag.Diagnostic
	sheets   []*composedSheet // whose findings are its own as well
	external int              // pieces that are imports from elsewhere
	record   *compose.Record
	deps     map[source.Path]bool // files that were read for it, or looked for
	// Sheets that were checked, and those of libraries that were not.
	checked, unchecked map[source.Path]bool
}

func newEntry(p source.Path) *entry {
	return &entry{path: p, deps: map[source.Path]bool{p: true}, checked: make(map[source.Path]bool), unchecked: make(map[source.Path]bool)}
}

// piece is a part of a bundle that comes from one source sheet.
type piece struct {
	file  *source.File
	nodes []ast.Node
	// conds are the conditions of the imports that led here, outermost first.
	// Pieces of one import share its condition: they are in one layer.
	conds []*condition
	// external is an import from elsewhere, which stays an import.
	external *ast.AtRule
	prologue bool        // rules that stand before the imports of the sheet
	node     *ImportNode // of the sheet
	prefix   []prefix.Change
	traits   *traits // nil for an import from elsewhere
}

// condition is what an import says of the sheet it brings in.
type condition struct {
	at       source.Pos
	hasLayer bool
	layer    []ast.Value
	supports []ast.Value
	media    []ast.Value
}

func (c *condition) empty() bool {
	return !c.hasLayer && len(c.supports) == 0 && len(c.media) == 0
}

// maxImports is how many imports may lead from a sheet to another, and
// maxPieces how many sheets an entry may reach, each counted as often as it is
// imported: sheets that each import the next one twice reach any number.
const (
	maxImports = 100
	maxPieces  = 20_000
)

// entryOf returns the worked-out entry of a linked sheet.
func (b *builder) entryOf(p source.Path) *entry {
	e := b.memory.entry(p)
	e.once.Do(func() {
		if sheet, err := b.memory.sheets.Load(p); err == nil { // else the link that names it reports it
			if b.records {
				e.record = new(compose.Record)
			}
			b.assemble(e, sheet)
		}
	})
	b.tell(e)
	return e
}

// tell adds what was found in an entry to what the build found, once.
func (b *builder) tell(e *entry) {
	b.mu.Lock()
	defer b.mu.Unlock()
	if b.told[e] {
		return
	}
	b.told[e] = true
	b.diags.Add(e.diags...)
	b.checks.Add(e.checks...)
	for _, c := range e.sheets {
		if !b.told[c] {
			b.told[c] = true
			b.diags.Add(c.diags...)
			b.checks.Add(c.checks...)
		}
	}
	maps.Copy(b.checked, e.checked)
	maps.Copy(b.unchecked, e.unchecked)
}

// assemble works out an entry: a sheet with all that it imports.
func (b *builder) assemble(e *entry, sheet *graph.Sheet) {
	a := assembler{b: b, entry: e, scope: compose.NewScope(), block: isPage(sheet.File.Path.Name)}
	a.presets()
	e.tree = &ImportNode{Sheet: b.project.Tree.Show(e.path), path: e.path}
	a.sheet(sheet, nil, &visit{path: e.path, node: e.tree})
	if b.records {
		a.markRepeated()
	}
	for _, d := range a.scope.Unknown() {
		a.report(d)
	}
	a.idleDrops()
	for i := range e.pieces {
		if e.pieces[i].traits == nil {
			e.pieces[i].traits = new(traits)
		}
	}
}

// presets sets the constants that every sheet sees.
func (a *assembler) presets() {
	settings := a.b.project.Settings
	c := a.composer(nil)
	for _, t := range settings.Tokens {
		root, name := project.SplitRoot(t.Name)
		if list, ok := a.tokens(source.Path{Root: root, Name: path.Clean(name)}, t.At, nil); ok {
			c.SetTokens(list, nil, a.scope)
		}
	}
	for _, k := range settings.Constants {
		c.Preset(k.Path, k.Text, k.At, compose.BySetting, a.scope)
	}
}

// composer returns what composes a sheet.
func (a *assembler) composer(here *visit) *compose.Composer {
	limits, own := compose.DefaultLimits, a.b.project.Settings.Limits
	limits.Values = cmp.Or(own.Values, limits.Values)
	limits.Turns = cmp.Or(own.Turns, limits.Turns)
	limits.Calls = cmp.Or(own.Calls, limits.Calls)
	return &compose.Composer{
		Report: func(d diag.Diagnostic) { a.report(d) }, Limits: limits, Record: a.entry.record, Imports: trailOf(here),
		Tokens: func(address string, at source.Span) ([]tokens.Token, bool) {
			t := graph.Resolve(a.b.project.Tree, here.path, a.b.project.Settings.Base, address)
			if d, ok := a.b.badTarget(t, address, at); ok {
				d.Imports = trailOf(here)
				a.report(d)
				return nil, false
			}
			if t.Kind == graph.External {
				a.report(diag.Diagnostic{Code: "bad-tokens", Severity: diag.Error, Span: at, Message: "tokens are read from files of the project, not from elsewhere"})
				return nil, false
			}
			return a.tokens(t.Path, at, here)
		},
	}
}

// tokens returns the design tokens of a file that the source at span names.
func (a *assembler) tokens(p source.Path, at source.Span, here *visit) ([]tokens.Token, bool) {
	a.entry.deps[p] = true
	f, err := a.b.memory.tokens.Load(p)
	if err != nil {
		d := a.b.unreadable(p, err, at)
		d.Imports = trailOf(here)
		a.report(d)
		return nil, false
	}
	a.entry.diags = append(a.entry.diags, f.Diagnostics...)
	return f.Tokens, true
}

// idleDrops warns of each @drop that dropped nothing.
func (a *assembler) idleDrops() {
	for _, d := range a.scope.IdleDrops() {
		mend := ""
		if d.Near != "" {
			mend = fmt.Sprintf("did you mean %q?", d.Near)
		}
		a.report(diag.Diagnostic{Code: "idle-drop", Severity: diag.Warning, Span: d.At,
			Message: fmt.Sprintf("this drops nothing: no %q was set, nor was there a default for it", d.Path), Mend: mend})
	}
}

// assembler follows the imports of one entry.
type assembler struct {
	b     *builder
	entry *entry
	scope *compose.Scope
	full  bool
	block bool // the sheet is a style element of a page
}

// visit is a sheet that is open while its imports are followed.
type visit struct {
	path source.Path
	at   source.Span // of the import that led to it; the zero Span for the entry
	from *visit
	node *ImportNode // in the tree of imports
	// rules and sheets are what the imports that led here say of the parts
	// they want; an import that takes only some sheets says nothing of those
	// that one of them imports. leftOut tells that the sheet itself is not
	// wanted, cut that neither is what it imports.
	rules, sheets []*parts
	given         []*given // what they say of custom properties, the nearest import first
	leftOut, cut  bool
}

func (a *assembler) report(ds ...diag.Diagnostic) { a.entry.diags = append(a.entry.diags, ds...) }

// sheet appends the pieces of a sheet: those of its imports, then its own.
func (a *assembler) sheet(s *graph.Sheet, conds []*condition, here *visit) {
	if len(a.entry.pieces) >= maxPieces {
		if !a.full {
			a.full = true
			a.report(diag.Diagnostic{Code: "too-many-imports", Severity: diag.Error, Span: here.at,
				Message: fmt.Sprintf("the imports reach more than %d sheets, each counted as often as it is imported", maxPieces)})
		}
		return
	}
	a.entry.diags = append(a.entry.diags, s.Diagnostics...)
	steps := a.b.project.Settings.ChainOf(s.File.Path)
	w := sheetWork{assembler: a, sheet: s, conds: conds, here: here, composer: a.composer(here), composes: slices.Contains(steps, "compose")}
	if a.keeps(s, here) {
		w.known = a.b.memory.composedSheet(s)
	}
	rest := piece{file: s.File, conds: conds, node: here.node}
	rest.nodes = w.walk()
	if w.known == nil {
		w.known = a.composed(rest.nodes, steps, here)
		if w.known.sheet = s; !w.touched && a.keeps(s, here) {
			w.known = a.b.memory.keepComposed(w.known)
		}
	} else {
		a.scope.Pass()
	}
	if w.known.kept {
		a.entry.sheets = append(a.entry.sheets, w.known)
	} else {
		a.entry.diags = append(a.entry.diags, w.known.diags...)
		a.entry.checks = append(a.entry.checks, w.known.checks...)
	}
	rest.nodes, rest.prefix = w.known.nodes, w.known.prefix
	if len(rest.nodes) > 0 || !w.imported {
		inLayer := slices.ContainsFunc(conds, func(c *condition) bool { return c.hasLayer })
		rest.traits = w.known.traitsIn(inLayer)
		a.entry.pieces = append(a.entry.pieces, rest)
	}
}

// keeps reports whether what comes of a sheet may be kept for other places where
// it is imported: nothing on the way to it says anything about its parts.
func (a *assembler) keeps(s *graph.Sheet, here *visit) bool {
	return !a.b.records && !a.b.checkAll && !here.leftOut && len(here.rules) == 0 && len(here.given) == 0 && s.File.Path == here.path && !a.block
}

// traitsIn returns the traits of a sheet outside of layers or in one.
func (c *composedSheet) traitsIn(layer bool) *traits {
	if layer {
		return c.traits[1]
	}
	return c.traits[0]
}

// sheetWork is one sheet that is gone through.
type sheetWork struct {
	*assembler
	sheet    *graph.Sheet
	conds    []*condition
	here     *visit
	composer *compose.Composer
	composes bool
	known    *composedSheet // nil if it is to be composed
	imported bool           // an import was met
	touched  bool           // it reads or sets what others see
}

// walk follows the imports of the sheet, and returns its own nodes, composed. If what
// comes of them is known it returns none.
func (w *sheetWork) walk() []ast.Node {
	a, here := w.assembler, w.here
	prologue := piece{file: w.sheet.File, conds: w.conds, prologue: true, node: here.node}
	var own []ast.Node
	set := a.entry.record.Count()
	open := true // imports may still follow
	for _, n := range w.sheet.Nodes {
		switch {
		case isCharset(n):
		case w.composes && compose.IsStatement(n):
			w.touched = true
			w.composer.Nodes([]ast.Node{n}, a.scope)
			here.node.Constants += a.entry.record.Count() - set
			set = a.entry.record.Count()
		case isImport(n):
			if !open {
				a.lateImport(n.(*ast.AtRule))
				continue
			}
			w.imported = true
			if len(prologue.nodes) > 0 {
				a.entry.pieces = append(a.entry.pieces, prologue)
				prologue.nodes = nil
			}
			a.follow(n.(*ast.AtRule), w.composer, w.composes, w.conds, here)
			set = a.entry.record.Count()
		case mayPrecedeImport(n, w.imported) && open && !here.leftOut:
			prologue.nodes = append(prologue.nodes, n)
		default:
			open = false
			if !here.leftOut && w.known == nil { // if it is left out it only sets
				own = append(own, w.compose(n)...)
			}
		}
	}
	return append(prologue.nodes, own...)
}

// compose returns what a node becomes.
func (w *sheetWork) compose(n ast.Node) []ast.Node {
	if !w.composes {
		return []ast.Node{n}
	}
	found := len(w.entry.diags)
	w.scope.Touched()
	out := w.composer.Nodes([]ast.Node{n}, w.scope)
	w.touched = w.touched || w.scope.Touched() || len(w.entry.diags) > found // which tell how it was reached
	return out
}

// composed takes the nodes of a sheet, composed, through what its imports say
// and the steps of its chain.
func (a *assembler) composed(nodes []ast.Node, steps []string, here *visit) *composedSheet {
	out := &composedSheet{diags: parse.BadSelectors(nodes), traits: [2]*traits{new(traits), new(traits)}}
	nodes = give(nodes, here.given)
	out.checks = a.check(here, nodes, a.b.checker.Nodes)
	nodes, out.prefix = a.steps(nodes, steps)
	out.checks = append(out.checks, a.check(here, nodes, a.b.checker.Support)...)
	for _, p := range here.rules {
		nodes = p.rules(nodes)
	}
	if a.b.records {
		here.node.Rules = countRules(nodes)
	}
	out.nodes = nodes
	return out
}

// steps takes the nodes of a piece through the steps of its chain behind compose.
func (a *assembler) steps(nodes []ast.Node, steps []string) (out []ast.Node, changes []prefix.Change) {
	for _, name := range steps {
		switch name {
		case "lower":
			nodes = lower.Nodes(nodes, a.b.lowering)
		case "prefix":
			nodes, changes = a.b.fitting.Nodes(nodes)
		}
	}
	return nodes, changes
}

func isImport(n ast.Node) bool {
	_, ok := graph.IsImport(n)
	return ok
}

func isCharset(n ast.Node) bool {
	r, ok := n.(*ast.AtRule)
	return ok && r.Name == "charset"
}

// mayPrecedeImport reports whether imports may follow n: it is a comment, or
// the statement form of @layer before the first import (CSS Cascade 5,
// section 2: between two imports it makes the second one invalid).
func mayPrecedeImport(n ast.Node, imported bool) bool {
	switch n := n.(type) {
	case *ast.Comment:
		return true
	case *ast.AtRule:
		return !imported && n.Block == nil && token.EqualFold(n.Name, "layer")
	}
	return false
}

func (a *assembler) lateImport(r *ast.AtRule) {
	a.report(diag.Diagnostic{Code: "late-import", Severity: diag.Warning, Span: r.Span(),
		Message: "this import stands behind a rule, where browsers ignore it",
		Mend:    "move it to the top of the sheet, above all rules but @charset; @layer statements stand before the first import"})
}

// follow appends the pieces that an import brings in.
func (a *assembler) follow(r *ast.AtRule, c *compose.Composer, composes bool, conds []*condition, here *visit) {
	prelude := r.Prelude
	if composes {
		prelude = c.ImportPrelude(prelude, a.scope)
	}
	imp, ok := graph.ReadImport(prelude)
	if !ok {
		a.report(diag.Diagnostic{Code: "bad-import", Severity: diag.Error, Span: r.Span(),
			Message: "the import cannot be read: expected an address in quotes or in url(), and behind it perhaps " +
				"without(\"sheet.css\", selector(\".class\")), only(…) or set(--name: value)"})
		return
	}
	if slices.Contains(a.b.project.Settings.ChainOf(here.path), "lower") {
		imp.Media, _ = lower.Media(imp.Media, a.b.lowering)
	}
	cond := &condition{at: r.At, hasLayer: imp.HasLayer, layer: imp.Layer, supports: imp.Supports, media: imp.Media}
	if !cond.empty() {
		conds = append(slices.Clip(conds), cond)
	}
	b := a.b
	target := graph.Resolve(b.project.Tree, here.path, b.project.Settings.Base, imp.Address)
	if target.Kind == graph.External {
		if len(imp.Parts)+len(imp.Given) > 0 {
			a.report(diag.Diagnostic{Code: "bad-import", Severity: diag.Error, Span: imp.At,
				Message: "a sheet from elsewhere is imported as it is: nothing can be left out of it or set in it"})
			return
		}
		here.node.Imports = append(here.node.Imports, &ImportNode{Sheet: imp.Address, At: imp.At, Condition: cond.text(), External: true})
		a.external(r, prelude, conds)
		return
	}
	if d, ok := b.badTarget(target, imp.Address, imp.At); ok {
		d.Imports = trailOf(here)
		a.report(d)
		return
	}
	if a.cycle(target.Path, imp.At, here) {
		return
	}
	a.entry.deps[target.Path] = true
	sheet, err := b.memory.sheets.Load(target.Path)
	if err != nil {
		a.unreadable(target.Path, err, imp.At, here)
		return
	}
	a.imported(sheet, imp, target.Path, cond, conds, here)
}

// imported appends the pieces of a sheet that an import of another brings in,
// and reports what the import says to no effect.
func (a *assembler) imported(sheet *graph.Sheet, imp graph.Import, p source.Path, cond *condition, conds []*condition, here *visit) {
	next, own := here.next(p, imp)
	var givens []*given
	for _, g := range imp.Given {
		givens = append(givens, &given{Given: g, seen: make(map[string]bool)})
	}
	next.given = append(givens, here.given...)
	next.node = &ImportNode{Sheet: a.b.project.Tree.Show(p), At: imp.At, Condition: cond.text(), LeftOut: next.leftOut, path: p}
	here.node.Imports = append(here.node.Imports, next.node)
	a.sheet(sheet, conds, next)
	for _, g := range givens {
		a.report(g.idle()...)
	}
	for _, p := range own {
		for _, d := range p.idle() {
			a.report(d)
		}
	}
}

// counted returns "1 rule" or "2 rules".
func counted(n int, one string) string {
	if n == 1 {
		return "1 " + one
	}
	return fmt.Sprintf("%d %ss", n, one)
}

// unreadable reports a sheet that an import names and that cannot be read.
func (a *assembler) unreadable(p source.Path, err error, at source.Span, here *visit) {
	d := a.b.unreadable(p, err, at)
	if d.Code == "missing" {
		d.Message = fmt.Sprintf("there is no sheet %q", a.b.project.Tree.Show(p))
	}
	d.Imports = trailOf(here)
	a.report(d)
}

// badTarget words what is wrong with an address that leads to no file.
func (b *builder) badTarget(t graph.Target, address string, at source.Span) (diag.Diagnostic, bool) {
	d := diag.Diagnostic{Severity: diag.Error, Span: at}
	switch t.Kind {
	case graph.Within:
		d.Code, d.Message = "bad-address", "the address is empty"
	case graph.Outside:
		d.Code = "outside"
		d.Message = fmt.Sprintf("%q leads outside its folder", address)
		d.Mend = "name the folder it lies in as a root in rinzel.toml, and write \"root:path\""
	case graph.NoRoot:
		d.Code = "unknown-root"
		d.Message = fmt.Sprintf("there is no root %q", t.Root)
		d.Mend = diag.DidYouMean(t.Root, b.project.Tree.Roots(), "roots are named in [roots] in rinzel.toml")
		if t.Root == project.PackageRoot {
			d.Mend = "no folder node_modules is in the source folder or above it: install the package first"
		}
	default:
		return d, false
	}
	return d, true
}

// cycle reports an import of a sheet that is still open, or too many imports
// within each other.
func (a *assembler) cycle(p source.Path, at source.Span, here *visit) bool {
	depth := 0
	for v := here; v != nil; v = v.from {
		if depth++; v.path != p {
			continue
		}
		d := diag.Diagnostic{Code: "import-cycle", Severity: diag.Error, Span: at,
			Message: fmt.Sprintf("%q imports itself, by way of %s", a.b.project.Tree.Show(p), counted(depth-1, "other sheet")),
			Mend:    "remove one of the imports, or move what both need into a sheet of its own"}
		if depth == 1 {
			d.Message = fmt.Sprintf("%q imports itself", a.b.project.Tree.Show(p))
			d.Mend = "remove the import"
		}
		for w := here; w != v; w = w.from {
			d.Related = append(d.Related, diag.Related{Span: w.at, Message: "imported here"})
		}
		a.report(d)
		return true
	}
	if depth >= maxImports {
		a.report(diag.Diagnostic{Code: "too-many-imports", Severity: diag.Error, Span: at,
			Message: fmt.Sprintf("imports lead more than %d sheets deep", maxImports)})
		return true
	}
	return false
}

// trailOf returns the imports that led to a sheet, the nearest first.
func trailOf(here *visit) []source.Span {
	const limit = 5
	var out []source.Span
	for v := here; v != nil && v.at.IsValid() && len(out) < limit; v = v.from {
		out = append(out, v.at)
	}
	return out
}

// external appends an import that stays one.
func (a *assembler) external(r *ast.AtRule, prelude []ast.Value, conds []*condition) {
	kept := *r
	kept.Prelude = prelude
	own := 0
	if len(conds) > 0 && conds[len(conds)-1].at == r.At {
		own = 1 // its own conditions stay with it
	}
	if len(conds) > own {
		a.report(diag.Diagnostic{Code: "external-import", Severity: diag.Error, Span: r.Span(),
			Message: "a sheet from elsewhere is imported by one that is imported under conditions, which cannot be written as one sheet",
			Mend:    "import it from the outer sheet, with the conditions, or link it from the page"})
		return
	}
	for _, p := range a.entry.pieces {
		if p.external == nil && !p.prologue && len(p.nodes) > 0 {
			a.report(diag.Diagnostic{Code: "external-import", Severity: diag.Error, Span: r.Span(),
				Message: fmt.Sprintf("a sheet from elsewhere is imported behind rules of %q, where one sheet cannot import it", p.file.Name),
				Mend:    "import it before all others, or link it from the page"})
			return
		}
	}
	a.entry.external++
	a.entry.pieces = append(a.entry.pieces, piece{external: &kept})
}

// repeated returns pieces without those that a later one repeats: of two
// that are the same under the same conditions the later decides alone. A piece
// that has to do with layers stays, since layers are ordered by where they
// come first.
func repeated(pieces []piece) []piece {
	last := make(map[string]int)
	count := make(map[*source.File]int)
	for _, p := range pieces {
		if p.file != nil {
			count[p.file]++
		}
	}
	key := func(p piece) string {
		if p.external != nil || p.prologue || count[p.file] < 2 || layered(p) {
			return ""
		}
		return fmt.Sprint(p.file.ID, conditionText(p.conds))
	}
	for i, p := range pieces {
		if k := key(p); k != "" {
			last[k] = i
		}
	}
	var out []piece
	for i, p := range pieces {
		if k := key(p); k != "" && last[k] > i && ast.Equal(p.nodes, pieces[last[k]].nodes, true) {
			continue
		}
		out = append(out, p)
	}
	return out
}

// markRepeated marks the sheets of which no piece is left, since a later import
// of the same one decides alone.
func (a *assembler) markRepeated() {
	left, all := make(map[*ImportNode]bool), make(map[*ImportNode]bool)
	for _, p := range repeated(a.entry.pieces) {
		left[p.node] = true
	}
	for _, p := range a.entry.pieces {
		all[p.node] = true
	}
	for n := range all {
		if n != nil {
			n.Repeated = !left[n]
		}
	}
}

func layered(p piece) bool {
	if slices.ContainsFunc(p.conds, func(c *condition) bool { return c.hasLayer }) {
		return true
	}
	found := false
	ast.Walk(p.nodes, func(n ast.Node) bool {
		r, ok := n.(*ast.AtRule)
		found = found || ok && token.EqualFold(r.Name, "layer")
		return !found
	})
	return found
}

func conditionText(conds []*condition) string {
	var b strings.Builder
	for _, c := range conds {
		fmt.Fprintf(&b, "|%s|%s", print.CompactValues(c.supports), print.CompactValues(c.media))
	}
	return b.String()
}
