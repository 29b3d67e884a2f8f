package site

import (
	"rinzel/internal/bundle"
	"rinzel/internal/css/ast"
	"rinzel/internal/css/print"
	"rinzel/internal/diag"
	"rinzel/internal/diag/code"
	"rinzel/internal/emit"
	"rinzel/internal/evidence"
	"rinzel/internal/link"
	"rinzel/internal/project"
	"rinzel/internal/source"
	"rinzel/internal/step/compose"
	"rinzel/internal/step/lower"
	"rinzel/internal/step/prefix"
	"rinzel/internal/step/purge"
)

// Result is the result of a build. Its outputs may only be written if it is
// [Result.Writable].
type Result struct {
	Profile     project.Profile
	Outputs     []emit.Output
	Bundles     []Bundle // shared ones before those of single pages
	Pages       []Page
	Purging     string // why purging was skipped although the profile has it; otherwise empty
	Diagnostics []diag.Diagnostic
	// Checks is the number of check findings that are not in Diagnostics,
	// because they are not certain mistakes; see [Check].
	Checks   int
	Verdicts []SelectorVerdict // the verdict of each selector, bundle by bundle, if requested
	Unshared []Unshared        // sheets that several pages use and that are not shared by all of them
	// Broken lists pages with errors of their own, if the profile is not a
	// release and other pages have none: the outputs may be written, and these
	// pages show their errors.
	Broken []string
	// BrokenPaths are the paths of the Broken pages in the output folder.
	BrokenPaths []string
	// Unreached lists the files of the source folder that no output is built
	// from.
	Unreached []source.Path
	// Staged has the stages of all bundles and style elements, in this order, if
	// the build keeps them; also of bundles that are purged to nothing.
	Staged []Staged
	// Unstyled lists the pages without styles, with displayed paths.
	Unstyled []string
	// Times are how long the parts of the build took, if it was measured.
	Times *Times
	// Evidence is the evidence of names in use; nil if the profile does not
	// purge.
	Evidence *evidence.Found
	// Families are the families of classes, by the linked sheet that has them.
	Families []SheetFamilies
	// InUse has the names in use that families were compared with; nil if there are
	// none.
	InUse *evidence.Found
}

// SheetFamilies are the families of a linked sheet and its imports.
type SheetFamilies struct {
	*compose.Families
	Sheet source.Path
	entry *link.Entry
}

// Rules returns the rules of members as they are composed, with their nesting, layers
// and conditions. The build must keep stages.
func (f *SheetFamilies) Rules() []ast.Node {
	var pieces []link.Piece
	for _, p := range f.entry.Distinct {
		if len(p.Stages) == 0 {
			continue
		}
		if p.Nodes = f.Families.Rules(p.Stages[0].Nodes); len(p.Nodes) > 0 {
			pieces = append(pieces, p)
		}
	}
	return bundle.Joined(pieces)
}

// Add merges the result of another build of the same project and profile.
func (r *Result) Add(o *Result, files *source.Set) {
	r.Profile, r.Purging = o.Profile, o.Purging
	r.Outputs, r.Bundles, r.Verdicts = append(r.Outputs, o.Outputs...), append(r.Bundles, o.Bundles...),
		append(r.Verdicts, o.Verdicts...)
	r.Checks += o.Checks
	var list diag.List
	list.Add(r.Diagnostics...)
	list.Add(o.Diagnostics...)
	r.Diagnostics = list.Sorted(files)
}

// Writable reports whether the outputs may be written: there is no error, or
// all errors are shown by the pages they affect.
func (r *Result) Writable() bool { return len(r.Broken) > 0 || !diag.HasErrors(r.Diagnostics) }

// Blocking returns the errors that make questions about the build meaningless:
// all but those about how much purging removes, which are answers themselves.
func (r *Result) Blocking() (out []diag.Diagnostic) {
	for _, d := range r.Diagnostics {
		if d.Severity == diag.Error && d.Code != code.PurgedEmpty && d.Code != code.PurgeLimit {
			out = append(out, d)
		}
	}
	return out
}

// Page is a page and the bundles that it loads.
type Page struct {
	Name    string   // displayed path
	Bundles []string // logical names, in the order of its links
	Lazy    []string // logical names of those that its scripts load

	path    string               // in the output folder
	scripts map[source.Path]bool // that it runs
}

// Path returns the path of the page in the output folder.
func (p *Page) Path() string { return p.path }

// Bundle describes a built bundle.
type Bundle struct {
	Name       string   // logical name: the path without a hash
	Path       string   // path as written
	Pages      []string // displayed paths of the pages that load it; empty for a single sheet
	Inline     bool     // it is inlined into its only page, not written as a file
	Lazy       bool     // scripts of the pages load it, before the code that needs it runs
	Referenced bool     // scripts import it as an object, or refer to it by URL
	Adopted    bool     // a script contains it and adds it to the page
	Named      bool     // it is defined in the settings
	Files      []string // displayed paths of its source sheets, in cascade order
	Sources    int      // size of their texts in bytes
	Size       int      // size of the bundle in bytes, without an embedded map
	// Integrity is the hash of the bundle in the form of integrity attributes.
	Integrity string
	Rules     purge.Result
	// Written are the numbers of rules and lines of its source sheets as they are
	// written, and Joined and Finished those of rules before and after the finish.
	Written, Joined, Finished ast.Counts
	SourceLines, Lines        int
	Prefix                    []prefix.Change
	Lowered                   []lower.Change

	pages []string // output paths
	css   string   // of one that is inlined or adopted
}

// PagePaths returns the paths in the output folder of the pages that load the
// bundle.
func (b *Bundle) PagePaths() []string { return b.pages }

// SelectorVerdict is the purge verdict of a selector, or of a definition by
// name, in a bundle.
type SelectorVerdict struct {
	Bundle string // logical name; of a style element the page
	purge.Verdict
}

// Text returns the selector or definition as text.
func (j *SelectorVerdict) Text() string {
	if j.Selector == nil {
		return j.Name
	}
	return print.Selector(j.Selector)
}

// Unshared is a sheet that several pages use, but that some of them have in a
// bundle of their own.
type Unshared struct {
	Sheet string // displayed path
	Pages []string
	// On page Page, Sheet comes after the sheet After, and both may set
	// Property. Property is empty if the shared bundle would be too small.
	Page, After, Property string
}
