// Package project reads the settings of a project, rinzel.toml, and opens its
// folders. [Open] returns a [Project]; [Read] only parses settings.
package project

import (
	"path"
	"path/filepath"
	"slices"
	"strings"

	"rinzel/internal/diag/code"

	"github.com/bmatcuk/doublestar/v4"

	"rinzel/internal/browsers"
	"rinzel/internal/diag"
	"rinzel/internal/pipeline"
	"rinzel/internal/source"
	"rinzel/internal/step/lower"
	"rinzel/internal/step/minify"
)

// FileName is the name of the settings file.
const FileName = "rinzel.toml"

// Settings are all settings of a project, with defaults filled in.
type Settings struct {
	File string // displayed path; empty if there is no settings file
	// Extends are the paths on disk of the settings files that it extends, the nearest
	// first; missing ones as well.
	Extends []string
	// Given are the values in the settings file and in those that it extends, sorted by
	// their paths.
	Given  []Given
	Source string // source folder relative to the project folder
	Output string // output folder relative to the project folder
	Base   string // URL path at which the output is published; starts and ends with /
	Roots  map[string]string
	// Exclude matches files of the source folder that are not part of the
	// project.
	Exclude []Glob
	// External matches sheets that are provided elsewhere: links to them stay
	// unchanged.
	External []Glob
	// Copy matches files that are copied without a reference.
	Copy       []Glob
	Components Components
	Targets    browsers.Targets
	// TargetSets are additional sets of targets for profiles, by name.
	TargetSets map[string]browsers.Targets
	Chains     []Chain
	Lower      Lower
	Prefix     Prefix
	Minify     Minify
	Split      Split
	Bundles    []Bundle // ordered by name
	Inline     int      // maximum size in bytes of an image or font that is inlined into a sheet; 0 for none
	Shrink     bool     // pictures become smaller in builds for release
	Purge      Purge
	Check      Check
	Serve      Serve
	Profiles   map[string]Profile

	Constants []Constant    // constants of every sheet, in file order
	Tokens    []TokenSource // design token files of every sheet, in order
	Limits    Limits
	Budgets   []Budget // in file order, those for all pages and bundles first
	OwnSteps  []OwnStep
	Cache     Cache
	Scripts   Scripts
	History   string // file of the history of sizes, relative to the project folder; empty for none
}

// ReportFile is the name of the report that the command of the same name
// writes. In the source folder it is not part of the project.
const ReportFile = "style-report.html"

// Excludes returns what matches files that are not part of the project: those
// that the settings exclude, and those that Rinzel writes next to the sources.
func (s *Settings) Excludes() []Glob {
	out := append(slices.Clip(s.Exclude), Glob{Pattern: ReportFile})
	rel, err := filepath.Rel(filepath.FromSlash(s.Source), filepath.FromSlash(s.History))
	if s.History != "" && err == nil {
		out = append(out, Glob{Pattern: filepath.ToSlash(rel)})
	}
	return out
}

// Constant is a constant of the settings.
type Constant struct {
	Path []string    // groups and name
	Text string      // value in CSS syntax
	At   source.Span // the value
}

// TokenSource is a design token file of the settings.
type TokenSource struct {
	Name string // path in the source folder, or "root:path"
	At   source.Span
}

// Limits bound how much a sheet may generate; 0 means the default.
type Limits struct {
	Values     int // number of values inserted by constants, loops and mixins
	Iterations int // of one loop
	Calls      int // nesting depth of mixin and function calls
}

// Chain defines the steps of matching sheets.
type Chain struct {
	Match string // glob for paths in the source folder, or "root:glob"
	Steps []string
	At    source.Span // the glob; the zero Span for the default
}

// Lower are the settings of the step lower.
type Lower struct {
	Direction lower.Direction
	AsIs      map[string]bool // features that are not lowered, by their names in the browser data
}

// Prefix are the settings of the step prefix.
type Prefix struct {
	AsIs []string // names that are not prefixed, see [prefix.Options]
}

// Minify are the settings of the step minify.
type Minify struct{ Size minify.Size }

// Purge are the settings of the step purge.
type Purge struct {
	Evidence   []string // globs for files in the source folder, in addition to pages and scripts
	EvidenceAt []source.Span
	Keep       []string // patterns of selectors that are always kept
	KeepAt     []source.Span
	// Properties enables the removal of unused custom properties.
	Properties bool
	// Structure declares that elements only occur where pages have them.
	Structure         bool
	MaxRemoved        int // maximum percentage of removed rules of a bundle; 0 for no limit
	UnreadableScripts UnreadableScripts
}

// UnreadableScripts determines what purging does about scripts that cannot be
// read, such as external ones.
type UnreadableScripts string

// The treatments of unreadable scripts.
const (
	// KeepRelated keeps selectors that such a script may use: see package
	// purge.
	KeepRelated UnreadableScripts = "keep-related"
	// IgnoreUnreadable assumes that such scripts use nothing.
	IgnoreUnreadable UnreadableScripts = "ignore"
)

// Glob is a pattern for paths in the source folder.
type Glob struct {
	Pattern string
	At      source.Span
}

// Matches reports whether the pattern matches the path of a file, or of a
// folder that contains it.
func (g Glob) Matches(p source.Path) bool {
	root, pattern := SplitRoot(g.Pattern)
	if root != p.Root {
		return false
	}
	pattern = strings.TrimSuffix(strings.TrimPrefix(pattern, "./"), "/")
	if ok, _ := doublestar.Match(pattern, p.Name); ok {
		return true
	}
	for dir := path.Dir(p.Name); dir != "."; dir = path.Dir(dir) {
		if ok, _ := doublestar.Match(pattern, dir); ok {
			return true
		}
	}
	return false
}

// AnyMatches reports whether one of some patterns matches a file.
func AnyMatches(globs []Glob, p source.Path) bool {
	return slices.ContainsFunc(globs, func(g Glob) bool { return g.Matches(p) })
}

// Check are the settings of the checks.
type Check struct {
	InBuild   InBuild
	Libraries bool                // also check sheets in roots
	Levels    map[code.Code]Level // severities by code; others have their default
}

// InBuild determines how a build treats findings of its checks.
type InBuild string

// The treatments of check findings in a build.
const (
	CheckWarns InBuild = "warn" // certain mistakes are warnings
	CheckStops InBuild = "stop" // they are errors
	CheckOff   InBuild = "off"  // nothing is checked
)

// Level is the severity of a check finding.
type Level string

// The levels.
const (
	LevelError   Level = "error"
	LevelWarning Level = "warning"
	LevelNote    Level = "note"
	LevelOff     Level = "off" // not reported
)

// Severity returns the severity of a level.
func (l Level) Severity() diag.Severity {
	switch l {
	case LevelError:
		return diag.Error
	case LevelWarning:
		return diag.Warning
	}
	return diag.Note
}

// Profile is a named set of settings.
type Profile struct {
	Name string
	// Release is set if the output is for publication: for production, and
	// profiles that inherit from it. Missing files of a page are errors then,
	// and warnings otherwise.
	Release  bool
	Browsers string // set of targets; empty for Settings.Targets
	Finish   []string
	Maps     Maps
	Names    Names
	// Integrity adds integrity attributes to the links of pages.
	Integrity bool
	Compress  []Compression // compressed forms that are written in addition
	Scripts   ScriptStyles
}

// TargetsOf returns the targets of a profile.
func (s *Settings) TargetsOf(p Profile) browsers.Targets {
	if t, ok := s.TargetSets[p.Browsers]; ok {
		return t
	}
	return s.Targets
}

// Maps determines where source maps are written.
type Maps string

// The places of source maps.
const (
	NoMaps     Maps = "none"
	FileMaps   Maps = "file"   // next to the style sheet
	InlineMaps Maps = "inline" // inside the style sheet
)

// Names determines the file names of bundles.
type Names string

// The forms of names.
const (
	PlainNames  Names = "plain"
	HashedNames Names = "hashed" // with a content hash
)

// ScriptStyles determines how sheets that scripts import are applied to pages.
type ScriptStyles string

// The ways to apply them.
const (
	// LinkStyles links them in the page, or by a script before the code that
	// needs them runs.
	LinkStyles ScriptStyles = "link"
	// AdoptStyles puts them into modules that add them to the page (CSSOM,
	// adoptedStyleSheets).
	AdoptStyles ScriptStyles = "adopt"
)

// Compression is a compressed form of a file.
type Compression string

// The compressed forms.
const (
	Gzip   Compression = "gzip"   // file extension .gz
	Brotli Compression = "brotli" // file extension .br
)

// The built-in profiles.
const (
	Development = "development"
	Production  = "production"
)

// Default returns the settings of a project without a settings file.
func Default() *Settings {
	return &Settings{
		Source: ".", Output: "public", Base: "/",
		Roots:   map[string]string{},
		Targets: browsers.Default(), TargetSets: map[string]browsers.Targets{},
		Chains:  []Chain{{Match: "**/*", Steps: pipeline.Defaults(pipeline.OnSheet)}},
		Split:   Split{Shared: 2, MinBytes: 1000},
		Scripts: Scripts{Minify: true, Preload: true},
		Purge:   Purge{UnreadableScripts: KeepRelated},
		Check:   Check{InBuild: CheckWarns, Levels: map[code.Code]Level{}},
		Profiles: map[string]Profile{
			Development: {Name: Development, Maps: InlineMaps, Names: PlainNames, Scripts: LinkStyles},
			Production: {Name: Production, Release: true, Finish: pipeline.Defaults(pipeline.OnBundle), Maps: FileMaps,
				Names: HashedNames, Scripts: LinkStyles},
		},
	}
}
