package project

import (
	"cmp"
	"errors"
	"fmt"
	"io/fs"
	"maps"
	"math"
	"path"
	"slices"
	"strconv"
	"strings"

	"github.com/bmatcuk/doublestar/v4"
	"github.com/pelletier/go-toml/v2"

	"rinzel/internal/browsers"
	"rinzel/internal/diag"
	"rinzel/internal/diag/code"
	"rinzel/internal/pipeline"
	"rinzel/internal/source"
	"rinzel/internal/std"
	"rinzel/internal/step/check"
	"rinzel/internal/step/lower"
	"rinzel/internal/step/minify"
)

// fileSettings is the structure of the settings file. Other keys are errors.
type fileSettings struct {
	Extends  *string               `toml:"extends"`
	Version  *int                  `toml:"version"`
	Source   *string               `toml:"source"`
	Output   *string               `toml:"output"`
	Base     *string               `toml:"base"`
	Exclude  []string              `toml:"exclude"`
	External []string              `toml:"external"`
	Copy     []string              `toml:"copy"`
	Roots    map[string]string     `toml:"roots"`
	Browsers fileBrowsers          `toml:"browsers"`
	Chain    []fileChain           `toml:"chain"`
	Lower    fileLower             `toml:"lower"`
	Prefix   filePrefix            `toml:"prefix"`
	Minify   fileMinify            `toml:"minify"`
	Split    fileSplit             `toml:"split"`
	Bundles  map[string]fileBundle `toml:"bundles"`
	Assets   fileAssets            `toml:"assets"`
	Purge    filePurge             `toml:"purge"`
	Check    fileCheck             `toml:"check"`
	Serve    fileServe             `toml:"serve"`
	Budget   map[string]any        `toml:"budget"`
	Report   fileReport            `toml:"report"`
	Step     map[string]fileStep   `toml:"step"`
	Cache    fileCache             `toml:"cache"`
	Scripts  fileScripts           `toml:"scripts"`

	Components fileComponents `toml:"components"`

	Profile map[string]fileProfile `toml:"profile"`

	Tokens    []string       `toml:"tokens"`
	Constants map[string]any `toml:"constants"`
	Limits    fileLimits     `toml:"limits"`
}

// fileLimits is [limits] in the settings file.
type fileLimits struct {
	Values     *int `toml:"values"`
	Iterations *int `toml:"iterations"`
	Calls      *int `toml:"calls"`
}

// fileBrowsers is [browsers] in the settings file.
type fileBrowsers struct {
	fileQuery
	Sets map[string]fileQuery `toml:"sets"`
}

// fileQuery selects browsers.
type fileQuery struct {
	Share   *float64          `toml:"share"`
	Recent  *int              `toml:"recent"`
	Floor   map[string]string `toml:"floor"`
	Without []string          `toml:"without"`
}

// fileChain is [[chain]] in the settings file.
type fileChain struct {
	Match string   `toml:"match"`
	Steps []string `toml:"steps"`
}

// fileAssets is [assets] in the settings file.
type fileAssets struct {
	Inline *int `toml:"inline"`
	Shrink bool `toml:"shrink"`
}

// fileLower is [lower] in the settings file.
type fileLower struct {
	Direction *string  `toml:"direction"`
	AsIs      []string `toml:"as-is"`
}

// fileReport is [report] in the settings file.
type fileReport struct {
	History *string `toml:"history"`
}

// filePrefix is [prefix] in the settings file.
type filePrefix struct {
	AsIs []string `toml:"as-is"`
}

// fileMinify is [minify] in the settings file.
type fileMinify struct {
	Size *string `toml:"size"`
}

// filePurge is [purge] in the settings file.
type filePurge struct {
	Evidence   []string `toml:"evidence"`
	Keep       []string `toml:"keep"`
	MaxRemoved *int     `toml:"max-removed"`

	Properties bool `toml:"properties"`
	Structure  bool `toml:"structure"`

	UnreadableScripts *string `toml:"unreadable-scripts"`
}

// fileCheck is [check] in the settings file.
type fileCheck struct {
	InBuild   *string           `toml:"in-build"`
	Libraries bool              `toml:"libraries"`
	Levels    map[string]string `toml:"levels"`
}

// knownKeys are the allowed keys of each table, by table name; "*" stands for
// user-defined names.
var knownKeys = map[string][]string{
	"": {"source", "output", "base", "exclude", "external", "copy", "roots", "browsers", "chain",
		"check", "lower", "prefix", "minify", "split", "bundles", "assets", "purge", "profile", "serve", "tokens", "constants",
		"limits", "budget", "report", "step", "cache", "scripts", "components", "extends", "version"},
	"scripts":        {"finish", "drop", "preload"},
	"components":     {"match", "styles"},
	"cache":          {"folder", "url"},
	"report":         {"history"},
	"budget":         budgetKeys,
	"browsers":       {"share", "recent", "floor", "without", "sets"},
	"browsers.floor": browsers.Names,
	"browsers.sets":  nil,
	"chain":          {"match", "steps"},
	"purge":          {"evidence", "keep", "max-removed", "properties", "structure", "unreadable-scripts"},
	"assets":         {"inline", "shrink"},
	"split":          {"shared", "min-bytes", "inline", "page-file", "shared-file"},
	"bundles.*":      {"from", "file"},
	"lower":          {"direction", "as-is"},
	"prefix":         {"as-is"},
	"minify":         {"size"},
	"check":          {"in-build", "libraries", "levels"},
	"serve":          {"fallback", "proxy", "editor"},
	"limits":         {"values", "iterations", "calls"},
	"step.*": {"on", "takes", "gives", "match", "profiles", "run", "module", "protocol", "time", "memory", "env", "inputs",
		"options", "before", "after"},
	"profile.*": {"inherits", "browsers", "finish", "maps", "names", "integrity", "compress", "script-styles"},
}

// maxSettings limits the size of the settings file in bytes.
const maxSettings = 1 << 20

// Read parses a settings file, which extends no other. The settings may only be used if
// no diagnostic is an error.
func Read(f *source.File) (*Settings, []diag.Diagnostic) { return readFrom(f, "", nil) }

// readFrom is Read for a file in a folder on disk, which may extend others.
func readFrom(f *source.File, dir string, open Shared) (*Settings, []diag.Diagnostic) {
	r := &reader{file: f, unfit: make(map[string]bool)}
	table, ok := r.table()
	m := merger{open: open}
	if ok {
		ok = m.extend(r, table, dir)
	}
	r.diags = append(r.diags, m.diags...)
	if !ok {
		return nil, r.diags
	}
	s := Default()
	s.File, s.Given = f.Name, given(table, &r.positions)
	r.fill(s, r.assigned(table))
	var found diag.List
	found.Add(r.diags...)
	return s, found.Sorted(nil)
}

// reader reads one settings file.
type reader struct {
	file      *source.File
	positions positions
	diags     []diag.Diagnostic
	unfit     map[string]bool // paths of values of the wrong type, and of tables with unknown keys, which were reported
}

// fail reports an error.
func (r *reader) fail(at source.Span, message, fix string) {
	r.diags = append(r.diags, diag.Diagnostic{
		Code: code.BadSettings, Severity: diag.Error, Span: at, Message: message, Fix: fix,
	})
}

// refuse reports an error of the TOML parser.
func (r *reader) refuse(err error) {
	var wrong *toml.DecodeError
	if !errors.As(err, &wrong) {
		r.fail(r.file.Whole(), "invalid settings: "+err.Error(), "")
		return
	}
	line, column := wrong.Position()
	r.syntax(line, column, strings.TrimPrefix(wrong.Error(), "toml: "))
}

// lineSpan returns the span from a line and column, both from 1, to the end of
// the line.
func (r *reader) lineSpan(line, column int) source.Span {
	line = min(max(line, 1), r.file.Lines()) - 1
	start := r.file.LineStart(line)
	text := r.file.LineText(line)
	from := min(max(column-1, 0), len(text))
	return source.SpanOf(r.file.Pos(int(start)+from), len(text)-from)
}

// unknownKey reports an unknown key.
func (r *reader) unknownKey(key []string, at source.Span) {
	table := strings.Join(key[:len(key)-1], ".")
	if len(key) > 3 && key[0] == "browsers" && key[1] == "sets" {
		table = strings.Join(slices.Concat(key[:1], key[3:len(key)-1]), ".")
	}
	if len(key) == 3 && (key[0] == "profile" || key[0] == "bundles" || key[0] == "step") {
		table = key[0] + ".*"
	}
	name := key[len(key)-1]
	known := knownKeys[table]
	where := "the settings"
	if len(key) > 1 {
		where = "[" + abridged(strings.Join(key[:len(key)-1], ".")) + "]"
	}
	fix := diag.DidYouMean(name, known, fmt.Sprintf("the keys of %s are %s", where, strings.Join(known, ", ")))
	if misplaced(strings.Join(key, ".")) && diag.Nearest(name, known) == "" {
		fix = aboveTables
	}
	r.unfit[strings.Join(key[:len(key)-1], ".")] = true
	r.fail(at, fmt.Sprintf("unknown key %q in %s", abridged(name), where), fix)
}

// fill replaces the defaults in s by the values of the file.
func (r *reader) fill(s *Settings, raw *fileSettings) {
	r.version(raw.Version)
	r.folder(&s.Source, raw.Source, "source")
	r.folder(&s.Output, raw.Output, "output")
	if raw.Base != nil {
		s.Base = r.base(*raw.Base)
	}
	r.roots(s, raw.Roots)
	s.Exclude, s.External, s.Copy = r.globs(raw.Exclude, "exclude"), r.globs(raw.External, "external"),
		r.globs(raw.Copy, "copy")
	if t, ok := r.targets(raw.Browsers.fileQuery, "browsers"); ok {
		s.Targets = t
	}
	for _, name := range slices.Sorted(maps.Keys(raw.Browsers.Sets)) {
		if t, ok := r.targets(raw.Browsers.Sets[name], "browsers", "sets", name); ok {
			s.TargetSets[name] = t
		}
	}
	r.steps(s, raw.Step)
	for i, c := range raw.Chain {
		r.chain(s, i, c)
	}
	r.purge(s, raw)
	r.split(s, raw.Split)
	s.Shrink = raw.Assets.Shrink
	if n := raw.Assets.Inline; n != nil {
		if s.Inline = *n; *n < 0 || *n > maxInline {
			r.fail(r.positions.value("assets", "inline"),
				fmt.Sprintf("inline must be a number of bytes from 0 to %d, got %d", maxInline, *n), "")
		}
	}
	r.bundles(s, raw.Bundles)
	r.check(s, raw.Check)
	r.serve(s, raw.Serve)
	r.lower(s, raw.Lower)
	r.prefix(s, raw.Prefix)
	if raw.Minify.Size != nil {
		s.Minify.Size = minify.Size(r.word(*raw.Minify.Size, []string{"minify", "size"}))
	}
	r.budgets(s, raw.Budget)
	r.history(s, raw.Report)
	r.profiles(s, raw.Profile)
	r.stepProfiles(s)
	r.components(s, raw.Components)
	r.cache(s, raw.Cache)
	r.scripts(s, raw.Scripts)
	r.tokens(s, raw.Tokens)
	r.constants(s, raw.Constants, nil)
	slices.SortStableFunc(s.Constants, func(a, b Constant) int { // those of shared files come first
		return cmp.Or(cmp.Compare(b.At.Start.File, a.At.Start.File), cmp.Compare(a.At.Start.Off, b.At.Start.Off))
	})
	r.limit(&s.Limits.Values, raw.Limits.Values, "values", 1_000_000_000)
	r.limit(&s.Limits.Iterations, raw.Limits.Iterations, "iterations", 1_000_000_000)
	r.limit(&s.Limits.Calls, raw.Limits.Calls, "calls", maxCalls)
}

// Version is the version of the form of settings files.
const Version = 1

// version checks the version of the form.
func (r *reader) version(n *int) {
	if n == nil || *n == Version {
		return
	}
	message := fmt.Sprintf("settings of version %d are unknown: this program reads version %d", *n, Version)
	fix := fmt.Sprintf("write version = %d", Version)
	if *n > Version {
		fix += ", or use a newer rinzel"
	}
	r.fail(r.positions.value("version"), message, fix)
}

// history reads the file of [report] history.
func (r *reader) history(s *Settings, raw fileReport) {
	if raw.History == nil {
		return
	}
	name := path.Clean(*raw.History)
	if *raw.History == "" || strings.Contains(name, `\`) || !fs.ValidPath(name) || name == "." {
		r.fail(r.positions.value("report", "history"), fmt.Sprintf("invalid path %q in history", *raw.History),
			"write a path in the folder of the settings, like \"style-sizes.jsonl\"")
		return
	}
	s.History = name
}

// purge reads [purge].
func (r *reader) purge(s *Settings, raw *fileSettings) {
	s.Purge = Purge{Evidence: raw.Purge.Evidence, Keep: raw.Purge.Keep, Properties: raw.Purge.Properties,
		Structure: raw.Purge.Structure, UnreadableScripts: KeepRelated}
	if raw.Purge.UnreadableScripts != nil {
		s.Purge.UnreadableScripts = UnreadableScripts(r.word(*raw.Purge.UnreadableScripts,
			[]string{"purge", "unreadable-scripts"}))
	}
	if n := raw.Purge.MaxRemoved; n != nil {
		if s.Purge.MaxRemoved = *n; *n < 1 || *n > 100 {
			r.fail(r.positions.value("purge", "max-removed"),
				fmt.Sprintf("max-removed must be a percentage from 1 to 100, got %d", *n), "")
		}
	}
	for i, glob := range s.Purge.Evidence {
		s.Purge.EvidenceAt = append(s.Purge.EvidenceAt, r.positions.element(i, "purge", "evidence"))
		r.validGlob(s.Purge.EvidenceAt[i], glob, "")
	}
	for i := range s.Purge.Keep {
		s.Purge.KeepAt = append(s.Purge.KeepAt, r.positions.element(i, "purge", "keep"))
	}
}

// globs reads a list of patterns.
func (r *reader) globs(list []string, key ...string) (out []Glob) {
	for i, pattern := range list {
		at := r.positions.element(i, key...)
		if r.validGlob(at, pattern, `expected a path or a glob such as "old/**"`) {
			out = append(out, Glob{pattern, at})
		}
	}
	return out
}

// maxInline limits the size of an inlined asset. A larger one should be loaded
// separately.
const maxInline = 100_000

// check reads [check].
func (r *reader) check(s *Settings, raw fileCheck) {
	if raw.InBuild != nil {
		s.Check.InBuild = InBuild(r.word(*raw.InBuild, []string{"check", "in-build"}))
	}
	s.Check.Libraries = raw.Libraries
	var codes []string
	for _, c := range check.Codes {
		codes = append(codes, string(c.Name))
	}
	for _, name := range slices.Sorted(maps.Keys(raw.Levels)) {
		key := []string{"check", "levels", name}
		if !slices.Contains(codes, name) {
			r.fail(r.positions.key(key), fmt.Sprintf("unknown check %q", name),
				diag.DidYouMean(name, codes, "the checks are "+strings.Join(codes, ", ")))
			continue
		}
		s.Check.Levels[code.Code(name)] = Level(r.word(raw.Levels[name], key))
	}
}

// lower reads [lower].
func (r *reader) lower(s *Settings, raw fileLower) {
	if raw.Direction != nil {
		s.Lower.Direction = lower.Direction(r.word(*raw.Direction, []string{"lower", "direction"}))
	}
	s.Lower.AsIs = make(map[string]bool)
	for i, name := range raw.AsIs {
		features := browsers.Find(name)
		if len(features) == 0 {
			r.fail(r.positions.element(i, "lower", "as-is"), fmt.Sprintf("no data about the feature %q", name),
				"use a name that \"rinzel targets --why\" knows: \"nesting\", \"range_syntax\", \"oklch\"")
		}
		for _, f := range features {
			s.Lower.AsIs[f] = true
		}
	}
}

// prefix reads [prefix].
func (r *reader) prefix(s *Settings, raw filePrefix) {
	for i, name := range raw.AsIs {
		bare := strings.TrimSuffix(strings.TrimLeft(name, ":@"), "()")
		if _, rest, ok := strings.Cut(bare, "-"); ok && strings.HasPrefix(bare, "-") {
			_, bare, _ = strings.Cut(rest, "-")
		}
		if bare != strings.ToLower(bare) || len(browsers.Find(bare)) == 0 {
			r.fail(r.positions.element(i, "prefix", "as-is"), fmt.Sprintf("nothing called %q can have a prefix", name),
				"use a property, a value, a function, \"@keyframes\", or a selector with its colons")
		}
	}
	s.Prefix.AsIs = raw.AsIs
}

// maxCalls limits the setting of call depth: each call needs stack space.
const maxCalls = 1000

// limit reads one of [limits].
func (r *reader) limit(to, from *int, key string, most int) {
	if from == nil {
		return
	}
	if *from < 1 || *from > most {
		r.fail(r.positions.value("limits", key),
			fmt.Sprintf("%s must be an integer from 1 to %d, got %d", key, most, *from), "")
		return
	}
	*to = *from
}

// tokens reads the list of token files.
func (r *reader) tokens(s *Settings, names []string) {
	for i, name := range names {
		root, rest := SplitRoot(name)
		at := r.positions.element(i, "tokens")
		switch _, known := s.Roots[root]; {
		case root != "" && !known:
			r.fail(at, fmt.Sprintf("unknown root %q", root), nearRoot(root, s.Roots))
		case rest == "":
			r.fail(at, "empty name of a token file", "")
		default:
			s.Tokens = append(s.Tokens, TokenSource{name, at})
		}
	}
}

// constants reads a table of constants, or of a group of them.
func (r *reader) constants(s *Settings, table map[string]any, path []string) {
	for _, name := range slices.Sorted(maps.Keys(table)) {
		key := append(slices.Clip(path), name)
		where := append([]string{"constants"}, key...)
		if name == "" || strings.ContainsAny(name, ". ") {
			r.fail(r.positions.key(where), fmt.Sprintf("%q is not a valid constant name", name),
				"a name must not contain dots or white space")
			continue
		}
		if group, ok := table[name].(map[string]any); ok {
			r.constants(s, group, key)
			continue
		}
		text, ok := constantText(table[name])
		if !ok {
			r.fail(r.positions.value(where...),
				fmt.Sprintf("constant %q must be a string, a number, a list of them, or a table", strings.Join(key, ".")), "")
			continue
		}
		s.Constants = append(s.Constants, Constant{key, text, r.positions.value(where...)})
	}
}

// constantText returns a value of the settings in CSS syntax.
func constantText(v any) (string, bool) {
	switch v := v.(type) {
	case string:
		return v, strings.TrimSpace(v) != ""
	case int64:
		return strconv.FormatInt(v, 10), true
	case float64:
		return strconv.FormatFloat(v, 'f', -1, 64), !math.IsInf(v, 0) && !math.IsNaN(v)
	case []any:
		var list []string
		for _, item := range v {
			text, ok := constantText(item)
			if _, isList := item.([]any); !ok || isList {
				return "", false
			}
			list = append(list, text)
		}
		return strings.Join(list, ", "), len(list) > 0
	}
	return "", false
}

// folder reads a folder.
func (r *reader) folder(to, from *string, key string) {
	if from == nil {
		return
	}
	if *from == "" {
		r.fail(r.positions.value(key), fmt.Sprintf("%s is empty: expected a folder", key),
			`"." is the folder of the settings file`)
		return
	}
	*to = path.Clean(strings.ReplaceAll(*from, `\`, "/"))
}

// base reads the base URL path.
func (r *reader) base(base string) string {
	if !strings.HasPrefix(base, "/") || strings.ContainsAny(base, "?#\\") {
		r.fail(r.positions.value("base"), fmt.Sprintf("base must be a URL path that starts with /, got %q", base), "")
		return "/"
	}
	return strings.TrimSuffix(path.Clean(base), "/") + "/"
}

// roots reads [roots].
func (r *reader) roots(s *Settings, roots map[string]string) {
	for _, name := range slices.Sorted(maps.Keys(roots)) {
		if owner := reservedRoots[name]; owner != "" {
			r.fail(r.positions.key([]string{"roots", name}), fmt.Sprintf("root %q is reserved for %s", name, owner),
				"use another name")
			continue
		}
		if !validRoot(name) {
			r.fail(r.positions.key([]string{"roots", name}),
				fmt.Sprintf("%q is not a valid root name", name), "use letters, digits and hyphens, but no URL scheme")
			continue
		}
		s.Roots[name] = path.Clean(strings.ReplaceAll(roots[name], `\`, "/"))
	}
}

// reservedRoots are roots that cannot be set, with what they are for.
var reservedRoots = map[string]string{PackageRoot: "installed packages", std.Root: "the sheets of this program"}

// schemes are common URL schemes, which roots must not be named after.
var schemes = []string{"http", "https", "data", "blob", "file", "about", "mailto", "tel", "javascript"}

// IsScheme reports whether name is such a scheme.
func IsScheme(name string) bool { return slices.Contains(schemes, strings.ToLower(name)) }

// validRoot reports whether name is a valid root. A single letter would look
// like a drive.
func validRoot(name string) bool {
	if len(name) < 2 || IsScheme(name) {
		return false
	}
	for _, c := range name {
		if !(c == '-' || c == '_' || '0' <= c && c <= '9' || 'a' <= c|0x20 && c|0x20 <= 'z') {
			return false
		}
	}
	return true
}

// chain reads a [[chain]].
func (r *reader) chain(s *Settings, i int, c fileChain) {
	if r.unfit[fmt.Sprintf("chain#%d.match", i)] {
		return
	}
	if c.Match == "" {
		r.fail(r.positions.nth(i, "chain"), "chain without match: expected a glob of its sheets", `match = "**/*.css"`)
		return
	}
	root, _ := SplitRoot(c.Match)
	r.validGlob(r.positions.nth(i, "chain", "match"), c.Match, "")
	if _, ok := s.Roots[root]; !ok && root != "" {
		r.fail(r.positions.nth(i, "chain", "match"), fmt.Sprintf("unknown root %q", root), nearRoot(root, s.Roots))
	}
	for _, p := range pipeline.Check(c.Steps, pipeline.OnSheet, s.pipelineSteps()) {
		r.fail(r.positions.nthElement(i, p.Index, "chain", "steps"), p.Message, p.Fix)
	}
	s.Chains = append(s.Chains, Chain{c.Match, c.Steps, r.positions.nth(i, "chain", "match")})
}

// nearRoot returns a fix for an unknown root.
func nearRoot(name string, roots map[string]string) string {
	return diag.DidYouMean(name, slices.Sorted(maps.Keys(roots)), "roots are set in [roots]")
}

// SplitRoot splits "root:rest". root is empty if there is none.
func SplitRoot(s string) (root, rest string) {
	name, rest, ok := strings.Cut(s, ":")
	if !ok || !validRoot(name) {
		return "", s
	}
	return name, rest
}

// word returns one of the allowed values of a key.
func (r *reader) word(got string, key []string) string {
	want := wordsFor(key)
	if slices.Contains(want, got) {
		return got
	}
	r.fail(r.positions.value(key...),
		fmt.Sprintf("%s must be one of %s, got %q", key[len(key)-1], strings.Join(want, ", "), got), "")
	return want[0]
}

// ChainOf returns the steps of a sheet: those of the last chain that matches
// its path.
func (s *Settings) ChainOf(p source.Path) []string {
	for _, c := range slices.Backward(s.Chains) {
		if c.Matches(p) {
			return c.Steps
		}
	}
	return nil
}

// Matches reports whether a chain applies to a sheet. A chain without a root
// only matches sheets in roots if it matches everything.
func (c Chain) Matches(p source.Path) bool {
	root, glob := SplitRoot(c.Match)
	everywhere := glob == "**/*" || glob == "**/*.css" || glob == "**"
	if root != p.Root && !(root == "" && everywhere) {
		return false
	}
	ok, _ := doublestar.Match(glob, p.Name)
	return ok
}

// yetToCome is how many versions newer than the data are accepted: some years'
// worth.
const yetToCome = 60

// abridged shortens a name for a message.
func abridged(name string) string {
	const most = 80
	if runes := []rune(name); len(runes) > most {
		return string(runes[:most]) + "…"
	}
	return name
}
