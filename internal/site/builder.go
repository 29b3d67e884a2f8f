package site

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"io/fs"
	"maps"
	"path/filepath"
	"runtime"
	"slices"
	"strings"
	"sync"
	"sync/atomic"

	"golang.org/x/sync/errgroup"

	"rinzel/internal/css/ast"
	"rinzel/internal/diag"
	"rinzel/internal/evidence"
	"rinzel/internal/graph"
	"rinzel/internal/inventory"
	"rinzel/internal/link"
	"rinzel/internal/modules"
	"rinzel/internal/pipeline"
	"rinzel/internal/project"
	"rinzel/internal/source"
	"rinzel/internal/step/check"
	"rinzel/internal/step/compose"
	"rinzel/internal/step/lower"
	"rinzel/internal/step/minify"
	"rinzel/internal/step/prefix"
	"rinzel/internal/step/purge"
)

// Options configure a build.
type Options struct {
	Profile  string   // empty for development
	Evidence []string // globs in addition to those of the settings
	// Cache holds results for the next build with the same options; nil to
	// cache nothing.
	Cache *Cache
	// Linked are paths of sheets in the source folder that pages of an
	// application server link: each is built as a bundle of the same path.
	Linked []string
	// WithoutPages builds no pages, because an application server makes them.
	// The bundles of the settings have plain names in every profile then.
	WithoutPages bool
	// WithoutAlerts leaves errors out of the pages that have them.
	WithoutAlerts bool
	// RecordVerdicts adds a purge verdict for every selector to the result.
	RecordVerdicts bool
	// WithoutChecks leaves out the checks of sheets.
	WithoutChecks bool
	// PurgeOnly leaves out the steps of the finish that do not need the evidence of
	// all pages.
	PurgeOnly bool
	// KeepStages keeps what each step makes of each bundle, see [Result.Staged].
	// Builds that share a cache must agree on it.
	KeepStages bool
	// Measure measures times, see [Result.Times].
	Measure bool
	// Progress is called with what the build does, concurrently; may be nil.
	Progress func(Progress)
}

// builder is the state of one build.
type builder struct {
	project *project.Project
	profile project.Profile
	opts    Options
	cache   *Cache
	files   *inventory.Inventory
	linker  *link.Linker
	scripts *modules.Scripts
	checker *check.Checker
	clock   *clock // nil if nothing is measured
	// finishFile runs the steps on a file that is copied; nil if there are none.
	finishFile func(files source.Reader, p source.Path) *finishedFile
	workDir    string // the working folder; empty if unknown

	pages       []*graph.Page            // of the site
	evidence    *evidence.Found          // nil in a profile that does not purge
	inUse       *evidence.Found          // names for families of classes; nil if nothing asked for them
	uses        *purge.Uses              // nil unless all sheets of the site are known
	finish      *pipeline.Chain          // of bundles and style elements; created once the evidence is complete
	customBases map[string][]source.Path // for URLs in custom properties, see baseOfAddress
	assets      assetNames
	noDataOnce  sync.Once
	forbidden   [2]bool // see dataURLsForbidden

	matchedKeeps atomic.Uint64 // bits of keep patterns, see [purge.Result]
	// linksExternal is set if a page links a sheet outside of the project.
	linksExternal atomic.Bool
	reachedOnce   sync.Once
	reached       map[source.Path]bool // see reachedSheets
	// a bit for each external pattern that matched; the last one is shared by all from the 64th on
	externals atomic.Uint64

	mu         sync.Mutex
	failed     error // of a step
	diags      diag.List
	checks     diag.List
	checked    map[source.Path]bool
	unchecked  map[source.Path]bool
	entries    map[*link.Entry]bool    // entries used by the build
	composed   map[*link.Composed]bool // sheets whose findings have been added
	reachedBy  map[*link.Entry][]*graph.Page
	pageErrors []pageError
}

// newBuilder returns the builder of one build of p.
func newBuilder(ctx context.Context, p *project.Project, opts Options) (*builder, error) {
	name := cmp.Or(opts.Profile, project.Development)
	profile, ok := p.Settings.Profiles[name]
	if !ok {
		names := slices.Sorted(maps.Keys(p.Settings.Profiles))
		return nil, fmt.Errorf("unknown profile %q: the profiles are %s", name, strings.Join(names, ", "))
	}
	if opts.Cache == nil {
		opts.Cache = NewCache(p)
	}
	if opts.PurgeOnly {
		profile.Finish = pipeline.OnlySite(profile.Finish)
	}
	here, _ := filepath.Abs(".")
	c := opts.Cache
	if c.checker == nil {
		c.checker = check.New(p.Settings.TargetsOf(profile))
	}
	b := &builder{
		project: p, profile: profile, opts: opts, cache: c, files: c.files, checker: c.checker, workDir: here,
		checked: make(map[source.Path]bool), unchecked: make(map[source.Path]bool), entries: make(map[*link.Entry]bool),
		composed:  make(map[*link.Composed]bool),
		reachedBy: make(map[*link.Entry][]*graph.Page),
	}
	b.linker = &link.Linker{Files: c.files, Settings: p.Settings, Limits: b.limits(), Checker: c.checker,
		Chain: b.chainOf, Cache: c.linked, Stages: opts.KeepStages, WithoutChecks: opts.WithoutChecks,
		Maps: profile.Maps != project.NoMaps}
	b.linker.Names = sync.OnceValue(func() []string { return b.namesInUse(ctx) })
	b.addOwnSteps(ctx)
	if opts.Measure {
		b.clock = &clock{parts: make(map[string]*Timed), sheets: make(map[string]*Timed)}
		b.linker.Ran = b.clock.onSheet
	}
	b.scripts = &modules.Scripts{Files: c.files, Base: p.Settings.Base, Parsed: c.scripts, Report: b.report}
	return b, nil
}

// stepSettings returns the settings that steps are constructed from.
func (b *builder) stepSettings() *pipeline.Settings {
	targets, s := b.project.Settings.TargetsOf(b.profile), b.project.Settings
	settings := &pipeline.Settings{
		Compose: b.limits(),
		Lower:   lower.Options{Targets: targets, Direction: s.Lower.Direction, AsIs: s.Lower.AsIs},
		Prefix:  prefix.Options{Targets: targets, AsIs: s.Prefix.AsIs},
		Minify:  minify.Options{Targets: targets, Size: s.Minify.Size},
		Purge: purge.Options{Uses: b.uses, Properties: s.Purge.Properties, Supported: b.supported,
			Verdicts: b.opts.RecordVerdicts, KeepSheet: b.keepSheet},
	}
	for i := range s.OwnSteps {
		settings.Own = append(settings.Own, b.cache.own.Row(&s.OwnSteps[i]))
	}
	if b.evidence != nil {
		settings.Purge.Evidence = b.evidence.All
	}
	return settings
}

// supported reports whether all targets support a selector.
func (b *builder) supported(s ast.Selector) bool { return len(b.checker.Unsupported(s)) == 0 }

// limits returns the limits of generated values, iterations and calls in a
// sheet.
func (b *builder) limits() compose.Limits {
	limits, own := compose.DefaultLimits, b.project.Settings.Limits
	if own.Values > 0 {
		limits.Values = own.Values
	}
	if own.Iterations > 0 {
		limits.Iterations = own.Iterations
	}
	if own.Calls > 0 {
		limits.Calls = own.Calls
	}
	return limits
}

// chainOf returns the chain of a sheet.
func (b *builder) chainOf(p source.Path) (*pipeline.Chain, error) {
	_, names := b.project.Settings.StepsOf(p, b.profile.Name)
	return b.cache.chain(names, b.stepSettings)
}

// makeFinish creates the chain of bundles and style elements.
func (b *builder) makeFinish() (err error) {
	b.finish, err = pipeline.New(b.profile.Finish, b.stepSettings())
	return err
}

// purges reports whether the finish removes unused rules.
func (b *builder) purges() bool { return pipeline.NeedSite(b.profile.Finish) }

// report adds findings to the build.
func (b *builder) report(ds ...diag.Diagnostic) {
	b.mu.Lock()
	defer b.mu.Unlock()
	b.diags.Add(ds...)
}

// fail records that the build failed; the first error is kept.
func (b *builder) fail(err error) {
	b.mu.Lock()
	defer b.mu.Unlock()
	if b.failed == nil {
		b.failed = err
	}
}

// failure returns the error that the build failed with, or nil.
func (b *builder) failure() error {
	b.mu.Lock()
	defer b.mu.Unlock()
	return b.failed
}

// inParallel calls do for each i below n, several at a time. doing describes it
// for the progress. It returns an error if the build failed or was cancelled.
func (b *builder) inParallel(ctx context.Context, doing string, n int, do func(i int)) error {
	group, ctx := errgroup.WithContext(ctx)
	group.SetLimit(runtime.GOMAXPROCS(0))
	oneDone := b.progress(doing, n)
	for i := range n {
		group.Go(func() error {
			do(i)
			oneDone()
			return ctx.Err()
		})
	}
	if err := group.Wait(); err != nil {
		return err
	}
	return b.failure()
}

// entryOf resolves a linked sheet with its imports, and adds its findings to
// the build.
func (b *builder) entryOf(ctx context.Context, p source.Path) *link.Entry {
	e, err := b.linker.Entry(ctx, p)
	if err != nil {
		b.fail(err)
	}
	b.reach(e)
	return e
}

// reach records that the build uses an entry, and adds its findings to the
// build once.
func (b *builder) reach(e *link.Entry) {
	b.mu.Lock()
	defer b.mu.Unlock()
	if b.entries[e] {
		return
	}
	b.entries[e] = true
	b.diags.Add(e.Diagnostics...)
	b.checks.Add(e.Checks...)
	for _, c := range e.Sheets {
		if !b.composed[c] {
			b.composed[c] = true
			b.diags.Add(c.Diagnostics...)
			b.checks.Add(c.Checks...)
		}
	}
	maps.Copy(b.checked, e.Checked)
	maps.Copy(b.unchecked, e.Unchecked)
}

// findings returns the findings of a build and the number of check findings
// that are left out. Check findings that are certain mistakes are included: as
// warnings, unless the settings make them errors.
func (b *builder) findings() (all []diag.Diagnostic, others int) {
	stops := b.project.Settings.Check.InBuild == project.CheckStops
	for _, d := range b.checks.Sorted(b.project.Tree.Set) {
		if d.Severity < diag.Error {
			others++
			continue
		}
		if !stops {
			d.Severity = diag.Warning
		}
		b.report(d)
	}
	return b.sorted(), others
}

// sorted returns the findings in the order in which they are shown, with hints
// that need the whole project.
func (b *builder) sorted() []diag.Diagnostic {
	list := b.diags.Sorted(b.project.Tree.Set)
	b.definedElsewhere(list)
	return list
}

// reportFolders reports folders of the source folder that cannot be read.
func (b *builder) reportFolders() {
	for _, failed := range b.files.List("").Failed {
		if errors.Is(failed.Err, fs.ErrNotExist) && failed.Path.Name != "." {
			continue // it was deleted while its parent was read
		}
		d := b.files.Unreadable(failed.Path, failed.Err, source.Span{})
		d.Message = "cannot read a folder: " + d.Message
		b.report(d)
	}
}

// findPages reads the pages of the source folder, in lexical order of their
// paths.
func (b *builder) findPages() []*graph.Page {
	b.reportFolders()
	var pages []*graph.Page
	for _, p := range b.files.List("").Files {
		if !inventory.IsPage(p.Name) {
			continue
		}
		f, err := b.files.Text(p)
		if err != nil {
			b.report(b.files.Unreadable(p, err, source.Span{}))
			continue
		}
		page := b.files.Page(f)
		b.setDefaultEncodings(page)
		pages = append(pages, page)
	}
	return pages
}

// setDefaultEncodings sets the encoding of sheets and scripts that do not
// declare one: that of their element, or that of the page (HTML, section
// 4.12.1.4; CSS Syntax 3, section 3.2).
func (b *builder) setDefaultEncodings(p *graph.Page) {
	set := func(r graph.Ref, label string) {
		if label = cmp.Or(label, p.File.Label()); label == "" || r.Address == "" {
			return
		}
		if t := b.files.ResolveIn(p, r); t.Kind == graph.Local {
			b.project.Tree.SetEncoding(t.Path, label)
		}
	}
	for _, g := range p.Groups {
		for _, l := range g.Links {
			set(l.Href, l.Charset())
		}
	}
	for _, s := range p.Scripts {
		set(s.Ref, s.Charset)
	}
}
