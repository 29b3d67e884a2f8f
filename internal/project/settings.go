// Package project reads the settings of a project, rinzel.toml, and opens the
// folders that they name.
package project

import (
	"path"
	"slices"
	"strings"

	"rinzel/internal/diag/code"

	"github.com/bmatcuk/doublestar/v4"

	"rinzel/internal/browsers"
	"rinzel/internal/diag"
	"rinzel/internal/pipeline"
	"rinzel/internal/source"
	"rinzel/internal/step/lower"
)

// FileName is the name of the settings file.
const FileName = "rinzel.toml"

// Settings are all settings of a project, defaults filled in.
type Settings struct {
	File   string // as people are shown it; empty if there is none
	Source string // the source folder, relative to the project
	Output string // the output folder, relative to the project
	Base   string // the URL path under which the output is published; starts and ends with /
	Roots  map[string]string
	// Exclude are files of the source folder that are no part of the project.
	Exclude []Glob
	// External are the sheets that others provide: links to them stay as they are.
	External []Glob
	// Copy are files that are copied to the output whether anything names them or not.
	Copy    []Glob
	Targets browsers.Targets
	// TargetSets are further sets of targets, by the names that profiles use.
	TargetSets map[string]browsers.Targets
	Chains     []Chain
	Lower      Lower
	Prefix     Prefix
	Split      Split
	Bundles    []Bundle // in the order of their names
	Inline     int      // bytes up to which an image or font that a sheet names becomes part of the sheet; 0 for none
	Purge      Purge
	Check      Check
	Profiles   map[string]Profile

	Constants []Constant    // that every sheet sees, in the order of the file
	Tokens    []TokenSource // files of design tokens that every sheet sees, in order
	Limits    Limits
}

// Constant is a constant of the settings.
type Constant struct {
	Path []string    // its groups and its own name
	Text string      // the value, as a sheet would have it
	At   source.Span // of the value
}

// TokenSource is a file of design tokens that the settings name.
type TokenSource struct {
	Name string // a path in the source folder, or "root:path"
	At   source.Span
}

// Limits bound what a sheet may grow to; one that is 0 is left to the build.
type Limits struct {
	Values int // that constants, loops and mixins put into one sheet
	Turns  int // of one loop
	Calls  int // of mixins and functions within each other
}

// Chain says which steps the sheets go through whose path matches.
type Chain struct {
	Match string // a glob over the path below the source folder, or "root:glob"
	Steps []string
	At    source.Span // of the glob; the zero Span for the default
}

// Lower are the settings of the step lower.
type Lower struct {
	Direction lower.Direction
	AsIs      map[string]bool // features that are left as they are, as the data about browsers calls them
}

// Prefix are the settings of the step prefix.
type Prefix struct {
	AsIs []string // names that get and lose no prefix, see [prefix.Options]
}

// Purge are the settings of the step purge.
type Purge struct {
	Evidence   []string // globs over paths in the source folder, beside pages and scripts
	EvidenceAt []source.Span
	Keep       []string // patterns of selectors that stay
	KeepAt     []source.Span
	// Properties says that custom properties which nothing reads go as well.
	Properties bool
	// Structure says that elements stand nowhere but where the pages have them.
	Structure bool
	Most      int // percentage of the rules of a bundle that may go; 0 for any
	Unread    Unread
}

// Unread says what purging does about scripts that cannot be read, such as those from another origin.
type Unread string

const (
	// KeepRelated keeps selectors that such a script may mean: see [purge.Options].
	KeepRelated Unread = "keep-related"
	// IgnoreUnread judges as if such scripts used nothing.
	IgnoreUnread Unread = "ignore"
)

// Glob is a pattern over the paths of files below the source folder.
type Glob struct {
	Pattern string
	At      source.Span
}

// Matches reports whether the pattern matches a file: its path, or that of a folder that it is in.
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
	Libraries bool                // sheets under roots are checked as well
	Levels    map[code.Code]Level // by code; others have the level of their own
}

// InBuild says what a build makes of what its checks find.
type InBuild string

const (
	CheckTells InBuild = "warn" // what is wrong for certain is a warning
	CheckStops InBuild = "stop" // it is an error
	CheckOff   InBuild = "off"  // nothing is checked
)

// Level says how a finding of the checks counts.
type Level string

const (
	LevelError   Level = "error"
	LevelWarning Level = "warning"
	LevelNote    Level = "note"
	LevelOff     Level = "off" // it is left out
)

// Severity returns the severity of findings at a level.
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
	// Release says that the output is for visitors: it is production, or inherits from it. What
	// is not as it should be on a page is then an error, and a warning otherwise.
	Release  bool
	Browsers string // the set of targets; empty for Settings.Targets
	Finish   []string
	Maps     Maps
	Names    Names
	// Integrity says that pages name a hash of each bundle that they load.
	Integrity bool
	Compress  []Compression // forms in which text is written as well
	Scripts   ScriptStyles
}

// TargetsOf returns the browsers that a profile is for.
func (s *Settings) TargetsOf(p Profile) browsers.Targets {
	if t, ok := s.TargetSets[p.Browsers]; ok {
		return t
	}
	return s.Targets
}

// Maps says where source maps go.
type Maps string

const (
	NoMaps     Maps = "none"
	FileMaps   Maps = "file"   // beside the style sheet
	InlineMaps Maps = "inline" // inside it
)

// Names says how bundles are named.
type Names string

const (
	PlainNames  Names = "plain"
	HashedNames Names = "hashed" // with a hash of the content
)

// ScriptStyles says how the sheets that scripts import come to the page.
type ScriptStyles string

const (
	// LinkStyles has the page link them, or a script before the code that needs them runs.
	LinkStyles ScriptStyles = "link"
	// AdoptStyles has modules hold them, and put them into the page (CSSOM, adoptedStyleSheets).
	AdoptStyles ScriptStyles = "adopt"
)

// Compression is a form in which a file is written beside itself.
type Compression string

const (
	Gzip   Compression = "gzip"   // with .gz behind the name
	Brotli Compression = "brotli" // with .br
)

// The profiles that are built in.
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
		Chains: []Chain{{Match: "**/*", Steps: pipeline.Defaults(pipeline.OnSheet)}},
		Split:  Split{Shared: 2, Least: 1000},
		Purge:  Purge{Unread: KeepRelated},
		Check:  Check{InBuild: CheckTells, Levels: map[code.Code]Level{}},
		Profiles: map[string]Profile{
			Development: {Name: Development, Maps: InlineMaps, Names: PlainNames, Scripts: LinkStyles},
			Production:  {Name: Production, Release: true, Finish: pipeline.Defaults(pipeline.OnBundle), Maps: FileMaps, Names: HashedNames, Scripts: LinkStyles},
		},
	}
}
