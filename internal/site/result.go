package site

import (
	"rinzel/internal/css/print"
	"rinzel/internal/diag"
	"rinzel/internal/emit"
	"rinzel/internal/evidence"
	"rinzel/internal/project"
	"rinzel/internal/source"
	"rinzel/internal/step/prefix"
	"rinzel/internal/step/purge"
)

// Result is what came of a build. Outputs must not be written unless it is [Result.Writable].
type Result struct {
	Profile     project.Profile
	Outputs     []emit.Output
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
	// Unreached are the files of the source folder that no output is made from.
	Unreached []source.Path
	// Unstyled are the pages that load no style at all, as people are shown them.
	Unstyled []string
	// Evidence is what was read for names in use; nil if the profile does not purge.
	Evidence *evidence.Found
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
	Sources int      // bytes of their text
	Size    int      // bytes of the bundle as written, a map inside it left out
	// Integrity is the hash of the bundle as it is written, in the form that pages
	// name it.
	Integrity string
	Rules     purge.Result
	Prefix    []prefix.Change

	pages []string // their paths in the output folder
}

// Judged is what became of a selector, or of a definition by name, in a bundle.
type Judged struct {
	Bundle string // its logical name; of a style element the page
	purge.Verdict
}

// Text returns a selector or definition as it is written.
func (j *Judged) Text() string {
	if j.Selector == nil {
		return j.Name
	}
	return print.Selector(j.Selector)
}

// Kept is a sheet that several pages reach and some have in a bundle of their own.
type Kept struct {
	Sheet string // as people are shown it
	Pages []string
	// On the page On the sheet Behind stands before it and may set the same: What.
	// What is empty if too little would be shared.
	On, Behind, What string
}
