// Package build turns a project into its outputs: it finds the pages, works
// out the sheets that each one reaches, takes them through the chains and the
// finish, and returns files and findings as values. It writes nothing.
package build

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"io/fs"
	"path"
	"path/filepath"
	"runtime"
	"slices"
	"strings"
	"sync"
	"sync/atomic"

	"golang.org/x/sync/errgroup"

	"rinzel/internal/diag"
	"rinzel/internal/diag/code"
	"rinzel/internal/graph"
	"rinzel/internal/pipeline"
	"rinzel/internal/project"
	"rinzel/internal/source"
	"rinzel/internal/step/check"
	"rinzel/internal/step/prefix"
	"rinzel/internal/step/purge"
)

// Options say what to build.
type Options struct {
	Profile  string   // empty for development
	Evidence []string // globs beside those of the settings
	// Memory keeps what is worked out for the next build with the same options; nil to
	// keep nothing.
	Memory *Memory
	// Ledger has the result tell what became of each selector when it was purged.
	Ledger bool
}

// Result is what came of a build. Outputs must not be written unless it is [Result.Writable].
type Result struct {
	Profile     project.Profile
	Outputs     []Output
	Bundles     []Bundle // shared ones before those of one page
	Pages       []Page
	Purging     string // why purging was left out although the profile has it; else empty
	Diagnostics []diag.Diagnostic
	// Checks is how many findings of the checks are not among the diagnostics,
	// since nothing is wrong for certain: [Check] has them.
	Checks int
	Ledger []Judged // what became of each selector, bundle by bundle, if it was asked for
	Kept   []Kept   // sheets that several pages reach and each has in a bundle of its own
	// Broken are the pages with errors of their own, where the profile is for no release and
	// other pages have none: the outputs may be written, and these pages show what is wrong.
	Broken []string
	// Unreached is how many files of the source folder no output is made from.
	Unreached int
	// UnreachedSheets are the sheets among them, and Unstyled the pages that load no style at all, as people are shown them.
	UnreachedSheets, Unstyled []string
	// Evidence is how many files of each ending were read for names in use, if the profile purges.
	Evidence map[string]int
}

// Add adds what another build of the same project and profile made.
func (r *Result) Add(o *Result, files *source.Set) {
	r.Profile, r.Purging = o.Profile, o.Purging
	r.Outputs, r.Bundles, r.Ledger = append(r.Outputs, o.Outputs...), append(r.Bundles, o.Bundles...), append(r.Ledger, o.Ledger...)
	r.Checks += o.Checks
	var list diag.List
	list.Add(r.Diagnostics...)
	list.Add(o.Diagnostics...)
	r.Diagnostics = list.Sorted(files)
}

// Writable reports whether the outputs may be written: there is no error, or only pages that
// show their own.
func (r *Result) Writable() bool { return len(r.Broken) > 0 || !diag.HasErrors(r.Diagnostics) }

// Page is a page and the bundles that it loads.
type Page struct {
	Name    string   // as people are shown it
	Bundles []string // logical names, in the order of its links
	Late    []string // logical names of those that its scripts load
}

// Kind tells the kinds of outputs apart.
type Kind string

// The kinds of outputs, in the order in which they are listed.
const (
	StyleKind    Kind = "style"
	MapKind      Kind = "map"
	PageKind     Kind = "page"
	ScriptKind   Kind = "script" // that was changed or made; others are assets
	AssetKind    Kind = "asset"
	ManifestKind Kind = "manifest"
	PackedKind   Kind = "packed" // the compressed form of another
)

var kindOrder = []Kind{StyleKind, MapKind, ScriptKind, PageKind, AssetKind, ManifestKind, PackedKind}

// Output is a file to be written.
type Output struct {
	Path string // relative to the output folder
	Kind Kind
	Data []byte
	Copy *source.Copy // the file that it is a copy of; nil if Data is its content

	owner source.Span // what asked for it, for when two do
	from  source.Path // the file it is a copy of, of an asset
}

// Size returns how many bytes the file has.
func (o *Output) Size() int64 {
	if o.Copy != nil {
		return o.Copy.Size
	}
	return int64(len(o.Data))
}

// Content returns the bytes of the file. The error is that a file which is copied cannot be read, or changed since it was hashed.
func (o *Output) Content() ([]byte, error) {
	if o.Copy != nil {
		return o.Copy.Read()
	}
	return o.Data, nil
}

// Bundle tells what became of the sheets of one entry.
type Bundle struct {
	Name    string   // the logical name: its path without a hash
	Path    string   // as written
	Pages   []string // that load it, as people are shown them; none for a sheet built alone
	Within  bool     // it is written into its one page, and not as a file
	Late    bool     // scripts of the pages load it, before the code runs that needs it
	Taken   bool     // scripts take it as an object, or by its address
	Adopted bool     // a script holds it, and puts it into the page
	Named   bool     // the settings name it
	Files   []string // the source sheets in it, as people are shown them, in cascade order
	Sheets  int      // how many they are
	Sources int      // bytes of their text
	Size    int      // bytes of the bundle as written, a map inside it left out
	// Integrity is the hash of the bundle as it is written, in the form that pages
	// name it.
	Integrity string
	Rules     purge.Result
	Prefix    []prefix.Change

	pages []string // their paths in the output folder
}

// builder is one build under way.
type builder struct {
	project    *project.Project
	profile    project.Profile
	ctx        context.Context // of this one build
	finishOnce sync.Once
	finishing  *pipeline.Chain // see [builder.finish]
	checker    *check.Checker
	opts       Options
	memory     *Memory
	here       string // the working folder; empty if it is not known
	evidence   *purge.Evidence
	uses       *purge.Uses   // nil where not all sheets of the site are known
	keptBy     atomic.Uint64 // see [purge.Result]
	externals  atomic.Uint64 // a bit for each pattern of external that matched, the last for all from the 64th on
	records    bool          // notes where constants are set and read
	checkAll   bool          // checks whatever the settings say of builds

	pages       []*graph.Page            // of the site
	customBases map[string][]source.Path // from which addresses in custom properties count, see baseOfAddress
	indexOnce   sync.Once
	near        sync.Map // mends for missing files, by their paths
	files       *fileIndex

	mu         sync.Mutex
	failed     error // of a step
	diags      diag.List
	checks     diag.List
	checked    map[source.Path]bool
	unchecked  map[source.Path]bool
	reachedBy  map[*entry][]*graph.Page // the pages that link an entry, or run scripts that import it
	pageErrors []pageError
	told       map[any]bool              // entries and sheets whose findings are among those of the build
	modules    map[string]*modules       // scripts, by the import maps of the pages that run them
	run        map[source.Path][]*module // scripts that pages run, as each of those has them
}

// Site builds all pages of a project. The error is one of our run, a
// cancelled context among them; what is wrong with the sources is in the result.
func Site(ctx context.Context, p *project.Project, opts Options) (*Result, error) {
	b, err := newBuilder(ctx, p, opts)
	if err != nil {
		return nil, err
	}
	pages := b.findPages()
	b.pages = pages
	res := &Result{Profile: b.profile}
	if len(pages) == 0 && len(p.Settings.Bundles) == 0 {
		b.report(diag.Diagnostic{Code: code.NoPages, Severity: diag.Error,
			Message: fmt.Sprintf("there is no HTML page in the source folder %q", p.Settings.Source),
			Mend:    "run it where the pages are, name their folder as source in rinzel.toml, name bundles in [bundles], or build one sheet: rinzel build SHEET -o FILE"})
		res.Diagnostics = b.diags.Sorted(b.project.Tree.Set)
		return res, nil
	}
	if err := b.gatherEvidence(ctx, pages); err != nil {
		return nil, err
	}
	out, err := b.site(ctx, pages, res)
	if err != nil {
		return nil, err
	}
	b.idleChains()
	b.idleKeeps()
	b.idleGlobs()
	b.changedPackages()
	b.missingKeyframes()
	b.showErrors(out, res, pages)
	res.Outputs = out.finish(res.Bundles)
	for _, o := range b.memory.compressed(res.Outputs, b.profile.Compress) {
		out.add(o)
	}
	res.Outputs = out.files
	b.otherCase(res.Outputs)
	unreached := b.memory.unreached(res.Outputs)
	res.Unreached = len(unreached)
	for _, f := range unreached {
		if isSheet(f.Name) && f.Root == "" {
			res.UnreachedSheets = append(res.UnreachedSheets, p.Tree.Show(f))
		}
	}
	if b.memory.evidence != nil && b.purges() {
		res.Evidence = b.memory.evidence.kinds
	}
	res.Diagnostics, res.Checks = b.findings()
	return res, nil
}

// site works out the pages: first the sheets of each, then which of them are
// shared, then all bundles, and then the pages that link them.
func (b *builder) site(ctx context.Context, pages []*graph.Page, res *Result) (*outputs, error) {
	perPage, programs := make([][]*unit, len(pages)), make([]*program, len(pages))
	err := b.inParallel(len(pages), func(i int) {
		programs[i] = b.program(pages[i])
		perPage[i] = b.units(pages[i], programs[i])
	})
	if err != nil {
		return nil, err
	}
	list := b.namedBundles()
	var own []*styles
	for _, n := range list {
		b.runNamed(n)
		own = append(own, b.stylesOf(n))
	}
	b.memory.assets.within(programsOf(programs, list))
	if b.purges() {
		if err := b.measure(ctx, slices.Concat(perPage...)); err != nil {
			return nil, err
		}
	}
	plan := b.plan(slices.Concat(perPage...))
	l := b.load(programsOf(programs, list), pages)
	l.markLinked(perPage)
	bundles := slices.Concat(plan.bundles, own, l.bundles, l.order)
	b.findCustomBases(bundles, pages)
	if b.purges() {
		if b.uses, err = b.usesOf(ctx, bundles, pages); err != nil {
			return nil, err
		}
	}
	if err := b.inParallel(len(bundles), func(i int) { b.make(bundles[i]) }); err != nil {
		return nil, err
	}
	l.makeModules(perPage, list)
	copies := b.scriptCopies(l)
	made := make([]*pageResult, len(pages))
	if err := b.inParallel(len(pages), func(i int) { made[i] = b.page(pages[i], perPage[i], programs[i], l, copies) }); err != nil {
		return nil, err
	}
	out := newOutputs(b)
	out.copies = copies
	empty := make(map[*unit]bool)
	for _, u := range slices.Concat(perPage...) {
		empty[u] = b.checkEmpty(u)
	}
	for _, s := range bundles {
		if s.made.empty && !s.taken && !s.named {
			if slices.ContainsFunc(s.units, func(u *unit) bool { return !empty[u] }) || len(s.units) == 0 {
				b.reportEmpty(s)
			}
			continue
		}
		out.addBundle(s)
		res.Bundles = append(res.Bundles, s.made.info)
	}
	res.Ledger = ledgerOf(bundles, made)
	for i, m := range made {
		out.addPage(m)
		info := pageInfo(m.page, perPage[i], l.bundles)
		res.Pages = append(res.Pages, info)
		if b.isUnstyled(m, info) {
			res.Unstyled = append(res.Unstyled, info.Name)
		}
	}
	for _, n := range list {
		for _, a := range n.runs.files {
			out.addAsset(a)
		}
	}
	for _, a := range b.copies() {
		out.addAsset(a)
	}
	b.unnamedIn(programsOf(programs, list), out)
	res.Kept = plan.kept
	return out, nil
}

// idleChains warns of chains of the settings that no sheet goes through.
func (b *builder) idleChains() {
	chains := b.project.Settings.Chains
	if len(chains) == 1 {
		return // the default
	}
	used, matched := make([]bool, len(chains)), make([]bool, len(chains))
	for p := range b.reachedSheets() {
		last := 0
		for i, c := range chains {
			if c.Matches(p) {
				last, matched[i] = i, true
			}
		}
		used[last] = true
	}
	for i, c := range chains {
		if used[i] || !c.At.IsValid() {
			continue
		}
		d := diag.Diagnostic{Code: code.IdleChain, Severity: diag.Warning, Span: c.At,
			Message: fmt.Sprintf("no sheet goes through this chain: none that is reached matches %q", c.Match), Mend: "paths are relative to the source folder, or to a root as in \"root:**/*.css\""}
		if matched[i] {
			d.Message, d.Mend = "no sheet goes through this chain: a later one matches all that it matches", "the last chain that matches a sheet counts: write the chain for all sheets first"
		}
		b.report(d)
	}
}

// reachedSheets returns the sheets that pages and bundles reach.
func (b *builder) reachedSheets() map[source.Path]bool {
	out := make(map[source.Path]bool)
	for what := range b.told {
		if e, ok := what.(*entry); ok {
			for p := range e.deps {
				if strings.EqualFold(path.Ext(p.Name), ".css") || isPage(p.Name) {
					out[p] = true
				}
			}
		}
	}
	return out
}

// Judged is what became of a selector, or of a definition by name, in a bundle.
type Judged struct {
	Bundle string // its logical name; of a style element the page
	purge.Verdict
}

// ledgerOf gathers the verdicts of bundles and of the style elements of pages.
func ledgerOf(bundles []*styles, pages []*pageResult) []Judged {
	var out []Judged
	for _, s := range bundles {
		for _, v := range s.made.verdicts {
			out = append(out, Judged{s.made.info.Name, v})
		}
	}
	for _, p := range pages {
		for _, v := range p.verdicts {
			out = append(out, Judged{p.page.File.Name, v})
		}
	}
	return out
}

// idleKeeps warns of patterns of the settings that match no selector.
func (b *builder) idleKeeps() {
	if !b.purges() {
		return
	}
	const most = 63 // those behind share a bit
	hits := b.keptBy.Load()
	for i, pattern := range b.project.Settings.Purge.Keep {
		if i >= most || hits&(1<<i) != 0 || i >= len(b.project.Settings.Purge.KeepAt) {
			continue
		}
		b.report(diag.Diagnostic{Code: code.IdleKeep, Severity: diag.Warning, Span: b.project.Settings.Purge.KeepAt[i],
			Message: fmt.Sprintf("this keeps nothing: no selector has a part that %q matches, and no sheet is so called", pattern),
			Mend:    "write a class, ID or element as selectors have it, or a root with the sheets to keep: \".is-*\", \"#app\", \"kit:**\""})
	}
}

// pageInfo tells which bundles a page loads.
func pageInfo(p *graph.Page, units []*unit, late []*styles) Page {
	info := Page{Name: p.File.Name}
	for _, u := range units {
		for _, s := range u.loads {
			if !s.made.empty {
				info.Bundles = append(info.Bundles, s.made.info.Name)
			}
		}
	}
	for _, s := range late {
		if slices.Contains(s.pages, p) && !s.made.empty {
			info.Late = append(info.Late, s.made.info.Name)
		}
	}
	return info
}

// inParallel calls do with each number below n, some at a time. The error is
// that of a context that was cancelled.
func inParallel(ctx context.Context, n int, do func(i int)) error {
	group, ctx := errgroup.WithContext(ctx)
	group.SetLimit(runtime.GOMAXPROCS(0))
	for i := range n {
		group.Go(func() error {
			do(i)
			return ctx.Err()
		})
	}
	return group.Wait()
}

// inParallel calls do with each number below n, some at a time. The error is that the build has failed, or was cancelled.
func (b *builder) inParallel(n int, do func(i int)) error {
	if err := inParallel(b.ctx, n, do); err != nil {
		return err
	}
	return b.failure()
}

func newBuilder(ctx context.Context, p *project.Project, opts Options) (*builder, error) {
	name := cmp.Or(opts.Profile, project.Development)
	profile, ok := p.Settings.Profiles[name]
	if !ok {
		var names []string
		for name := range p.Settings.Profiles {
			names = append(names, name)
		}
		slices.Sort(names)
		return nil, fmt.Errorf("there is no profile %q: the profiles are %s", name, strings.Join(names, ", "))
	}
	if opts.Memory == nil {
		opts.Memory = newMemory(p)
	}
	here, _ := filepath.Abs(".")
	targets := p.Settings.TargetsOf(profile)
	if m := opts.Memory; m.checker == nil {
		m.checker = check.New(targets)
	}
	return &builder{
		ctx:     ctx,
		here:    here,
		project: p, profile: profile, opts: opts,
		checker: opts.Memory.checker,
		memory:  opts.Memory,
		checked: make(map[source.Path]bool), unchecked: make(map[source.Path]bool), told: make(map[any]bool), reachedBy: make(map[*entry][]*graph.Page),
		modules: make(map[string]*modules), run: make(map[source.Path][]*module),
	}, nil
}

func (b *builder) report(ds ...diag.Diagnostic) {
	b.mu.Lock()
	defer b.mu.Unlock()
	b.diags.Add(ds...)
}

// walk visits the files of the source folder that belong to the project.
func (b *builder) walk(visit func(source.Path)) {
	files := b.memory.walked
	if files == nil {
		var whole bool
		if files, whole = b.listFiles(); whole {
			b.memory.walked = files
		}
	}
	for _, p := range files {
		visit(p)
	}
}

// listFiles returns the files of the source folder that belong to the project. whole
// is false if some cannot be told, which is reported.
func (b *builder) listFiles() (files []source.Path, whole bool) {
	files, whole = []source.Path{}, true
	skip := b.project.Skip()
	visit := func(p source.Path) {
		if !b.excluded(p) {
			files = append(files, p)
		}
	}
	b.project.Tree.Walk("", func(dir string) bool { return !skip(dir) }, visit, func(p source.Path, err error) {
		if b.excluded(p) {
			return
		}
		whole = false
		if errors.Is(err, fs.ErrNotExist) && p.Name != "." {
			return // it went while the folder around it was read
		}
		d := b.unreadable(p, err, source.Span{})
		d.Message = "the folder " + d.Message
		b.report(d)
	})
	return files, whole
}

// excluded reports whether the settings say that a file is no part of the project.
func (b *builder) excluded(p source.Path) bool {
	return project.AnyMatches(b.project.Settings.Exclude, p)
}

func isPage(name string) bool {
	switch strings.ToLower(path.Ext(name)) {
	case ".html", ".htm", ".xhtml":
		return true
	}
	return false
}

func isScript(name string) bool {
	switch strings.ToLower(path.Ext(name)) {
	case ".js", ".mjs", ".cjs":
		return true
	}
	return false
}

// findPages reads the pages of the source folder, in lexical order of their paths.
func (b *builder) findPages() []*graph.Page {
	var pages []*graph.Page
	b.walk(func(p source.Path) {
		if !isPage(p.Name) {
			return
		}
		f, err := b.project.Tree.Text(p)
		if err != nil {
			b.report(b.unreadable(p, err, source.Span{}))
			return
		}
		page := b.memory.page(f)
		b.sayEncodings(page)
		pages = append(pages, page)
	})
	return pages
}

// sayEncodings tells the tree in which encoding the sheets and scripts of a page are, if they
// do not say so themselves: that of their element, or else that of the page (HTML, section
// 4.12.1.4; CSS Syntax 3, section 3.2).
func (b *builder) sayEncodings(p *graph.Page) {
	say := func(r graph.Ref, label string) {
		if label = cmp.Or(label, p.File.Label()); label == "" || r.Address == "" {
			return
		}
		if t := b.resolveAt(p, r); t.Kind == graph.Local {
			b.project.Tree.SetEncoding(t.Path, label)
		}
	}
	for _, g := range p.Groups {
		for _, l := range g.Links {
			say(l.Href, l.Charset())
		}
	}
	for _, s := range p.Scripts {
		say(s.Ref, s.Charset)
	}
}

// unreadable words the error of reading a file that the source at span names.
func (b *builder) unreadable(p source.Path, err error, at source.Span) diag.Diagnostic {
	tree := b.project.Tree
	show := tree.Show(p)
	d := diag.Diagnostic{Code: code.Unreadable, Severity: diag.Error, Span: at}
	var encoding *source.EncodingError
	switch {
	case errors.As(err, &encoding):
		f := encoding.File
		d.Code = code.NotUTF8
		d.Message = fmt.Sprintf("%q %v", show, source.ErrNotUTF8)
		d.Mend = "save it in the encoding UTF-8"
		end := source.SpanOf(f.Pos(len(f.Text)), 0)
		if at.IsValid() {
			d.Related = []diag.Related{{Span: end, Message: "the first byte that is not UTF-8 follows here"}}
		} else {
			d.Span = end
		}
	case errors.Is(err, fs.ErrNotExist):
		d.Code = code.Missing
		d.Message = fmt.Sprintf("there is no file %q", show)
		d.Mend = b.nearFile(p)
	case errors.Is(err, fs.ErrPermission):
		d.Message = fmt.Sprintf("%q may not be read", show)
		d.Mend = "give yourself the right to read it"
	case errors.Is(err, source.ErrOutside):
		d.Code = code.Outside
		d.Message = fmt.Sprintf("%q %v", show, source.ErrOutside)
		d.Mend = "name the folder it lies in as a root in rinzel.toml"
	default:
		d.Message = fmt.Sprintf("%q %v", show, err)
	}
	return d
}

// nearFile proposes a file with a name near to that of one that is missing.
func (b *builder) nearFile(p source.Path) string {
	if known, ok := b.near.Load(p); ok { // many pages may lack the same file
		return known.(string)
	}
	near := b.findNear(p)
	b.near.Store(p, near)
	return near
}

func (b *builder) findNear(p source.Path) string {
	tree := b.project.Tree
	dir, name := path.Split(p.Name)
	if near := diag.Nearest(name, tree.Siblings(p)); near != "" {
		return fmt.Sprintf("did you mean %q?", tree.Show(source.Path{Root: p.Root, Name: path.Join(dir, near)}))
	}
	if near, ok := b.elsewhere(p); ok {
		return fmt.Sprintf("did you mean %q?", tree.Show(near))
	}
	if tree.Siblings(p) != nil || dir == "" {
		return ""
	}
	parent := source.Path{Root: p.Root, Name: path.Clean(dir)}
	if near := diag.Nearest(path.Base(parent.Name), tree.Siblings(parent)); near != "" {
		near = path.Join(path.Dir(parent.Name), near, name)
		return fmt.Sprintf("did you mean %q?", tree.Show(source.Path{Root: p.Root, Name: near}))
	}
	return fmt.Sprintf("there is no folder %q either", tree.Show(parent))
}

// elsewhere returns a file of another folder that has the name of a missing one, or else a name like
// it: the one whose folders have most in common.
func (b *builder) elsewhere(p source.Path) (near source.Path, ok bool) {
	if p.Root != "" {
		return source.Path{}, false
	}
	base := path.Base(p.Name)
	var names []string
	for _, f := range b.index().list {
		if strings.EqualFold(path.Ext(f.Name), path.Ext(base)) {
			names = append(names, path.Base(f.Name))
		}
	}
	if !slices.Contains(names, base) {
		base = diag.Nearest(base, names)
	}
	most := -1
	for _, f := range b.index().list {
		if path.Base(f.Name) != base {
			continue
		}
		if n := foldersInCommon(f.Name, p.Name); n > most {
			near, most = f, n
		}
	}
	return near, most >= 0
}

// foldersInCommon counts the folders that lead to both of two files, from the top or from the files up.
func foldersInCommon(a, b string) (n int) {
	as, bs := strings.Split(path.Dir(a), "/"), strings.Split(path.Dir(b), "/")
	for n < min(len(as), len(bs)) && as[n] == bs[n] {
		n++
	}
	end := 0
	for end < min(len(as), len(bs))-n && as[len(as)-1-end] == bs[len(bs)-1-end] {
		end++
	}
	return n + end
}

// purges reports whether the finish removes unused rules.
func (b *builder) purges() bool { return pipeline.NeedSite(b.profile.Finish) }
