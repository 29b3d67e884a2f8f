package cli

import (
	"cmp"
	"fmt"
	"io"
	"maps"
	"path"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"time"

	"github.com/klauspost/compress/gzip"
	"github.com/mattn/go-runewidth"

	"rinzel/internal/diag"
	"rinzel/internal/diag/code"
	"rinzel/internal/emit"
	"rinzel/internal/project"
	"rinzel/internal/query"
	"rinzel/internal/site"
	"rinzel/internal/source"
	"rinzel/internal/step/prefix"
)

// report prints a build: the settings in force, the findings, the written
// files.
type report struct {
	std     IO
	out     io.Writer // destination of text
	color   bool
	project *project.Project
	flags   buildFlags
}

// newReport returns the report of a build.
func newReport(std IO, p *project.Project, flags buildFlags) *report {
	r := &report{std: std, out: std.Out, color: std.OutColor, project: p, flags: flags}
	if flags.toStream() {
		r.out, r.color = std.Err, std.ErrColor
	}
	if flags.json || flags.markdown || flags.quiet {
		r.out = io.Discard
	}
	return r
}

// paint colours a text, if colours are on.
func (r *report) paint(sgr, s string) string {
	if !r.color {
		return s
	}
	return "\x1b[" + sgr + "m" + s + "\x1b[0m"
}

// header prints the first line of a build: profile, settings file and targets.
// The steps follow if they are not the default ones, or with --verbose.
func (r *report) header(res *site.Result) {
	s := r.project.Settings
	settings := "no settings file"
	if s.File != "" {
		settings = "settings " + s.File
	}
	fmt.Fprintf(r.out, "%s: profile %s, %s, targets: %.0f%% of world use\n", r.paint("1", "rinzel"), res.Profile.Name,
		settings, s.TargetsOf(res.Profile).Share())
	if r.flags.verbose || !r.defaultSteps(res.Profile) {
		fmt.Fprintf(r.out, "steps of sheets: %s; of bundles: %s\n", r.chains(), steps(res.Profile.Finish))
	}
	if res.Profile.Scripts == project.AdoptStyles {
		fmt.Fprintln(r.out, "script styles: added by scripts")
	}
	if res.Purging != "" {
		fmt.Fprintf(r.out, "not purged: %s (--evidence GLOB)\n", res.Purging)
	}
}

// defaultSteps reports whether sheets and bundles go through the default steps
// of the profile.
func (r *report) defaultSteps(profile project.Profile) bool {
	s, standard := r.project.Settings, project.Default()
	if len(s.Chains) > len(standard.Chains) {
		return false
	}
	p, ok := standard.Profiles[profile.Name]
	return !ok || slices.Equal(p.Finish, profile.Finish)
}

func (r *report) chains() string {
	chains := r.project.Settings.Chains
	everywhere := []string{"**/*", "**/*.css", "**"}
	if slices.ContainsFunc(chains[1:], func(c project.Chain) bool { return slices.Contains(everywhere, c.Match) }) {
		chains = chains[1:] // the first is the default, for sheets that no other matches
	}
	var list []string
	for _, c := range chains {
		text := steps(c.Steps)
		if len(r.project.Settings.Chains) > 1 {
			text = c.Match + " " + text
		}
		list = append(list, text)
	}
	return strings.Join(list, " | ")
}

func steps(names []string) string {
	if len(names) == 0 {
		return "no steps"
	}
	return strings.Join(names, ", ")
}

// findings shows diagnostics; the error is errSources if one is an error.
func (r *report) findings(ds []diag.Diagnostic) error {
	if !r.flags.json && !r.flags.markdown {
		renderer := diag.Renderer{Files: r.project.Tree.Set, Color: r.std.ErrColor}
		if err := showFindings(r.std.Err, renderer, ds, "--json lists all"); err != nil {
			return err
		}
	}
	if diag.HasErrors(ds) {
		return errSources
	}
	return nil
}

// refused prints the errors in the settings.
func (r *report) refused(ds []diag.Diagnostic) error {
	_ = r.findings(ds)
	if r.flags.json {
		if err := r.json(&site.Result{Diagnostics: ds}, nil); err != nil {
			return err
		}
	}
	if r.flags.markdown {
		r.markdown(&site.Result{Diagnostics: ds}, true, 0)
	}
	return errSources
}

// failed reports that nothing was written.
func (r *report) failed(res *site.Result) error {
	if r.flags.json {
		if err := r.json(res, nil); err != nil {
			return err
		}
		return errSources
	}
	if r.flags.markdown {
		r.markdown(res, true, 0)
		return errSources
	}
	kept := ""
	if source.IsFolder(r.project.Output) {
		kept = ", previous output kept"
	}
	fmt.Fprintf(r.std.Err, "%s: nothing written%s\n", diag.Count(errorsIn(res.Diagnostics), "error"), kept)
	return errSources
}

// errorsIn returns the number of errors in a list of findings.
func errorsIn(ds []diag.Diagnostic) int {
	count := 0
	for _, d := range ds {
		if d.Severity == diag.Error {
			count++
		}
	}
	return count
}

// foreign reports files in the output folder that Rinzel did not write.
func (r *report) foreign(res *site.Result, e *source.ForeignError) error {
	const most = 5
	var names []string
	for _, p := range e.Paths {
		names = append(names, path.Join(filepath.ToSlash(r.project.Output), p))
	}
	if len(names) > most {
		names = append(names[:most], fmt.Sprintf("and %d more", len(names)-most))
	}
	d := diag.Diagnostic{Code: code.ForeignFile, Severity: diag.Error,
		Message: "the output folder contains files that rinzel did not write and would have to replace: " +
			strings.Join(names, ", "),
		Fix: "move them, or set another output folder with --output or in rinzel.toml"}
	_ = r.findings([]diag.Diagnostic{d})
	res.Diagnostics = append(res.Diagnostics, d)
	return r.failed(res)
}

// summary prints the written files and the savings.
func (r *report) summary(res *site.Result, p source.Published, took time.Duration) error {
	if r.flags.markdown {
		r.markdown(res, false, took)
		return nil
	}
	if r.flags.json && r.flags.dry {
		return r.json(res, nil)
	}
	if r.flags.json {
		return r.json(res, &p)
	}
	if len(res.Broken) == 0 { // otherwise the list would scroll the errors out of sight
		r.written(res)
	}
	if r.flags.prefixes {
		r.prefixes(res)
	}
	if r.flags.purged {
		showShares(r.out, r.paint, query.Shares(r.project.Tree.Set, res.Verdicts))
	}
	if r.flags.times {
		r.times(res.Times)
	}
	r.leftFiles(p)
	r.total(res, p, took)
	return nil
}

// notWritten prints which files are unused, and the evidence.
func (r *report) notWritten(res *site.Result) {
	sheets := unreachedSheets(res, r.project)
	if n := len(res.Unreached) - len(sheets); n > 0 {
		fmt.Fprintf(r.out, "  not copied: %s without a reference (list them: rinzel imports --files; copy them: copy in rinzel.toml)\n", diag.Count(n, "file"))
	}
	if n := len(sheets); n > 0 {
		fmt.Fprintf(r.out, "  not built: %s used by no page and no bundle: %s\n", diag.Count(n, "sheet"),
			diag.Printable(someOf(sheets, 3)))
	}
	if n := len(res.Unstyled); n > 0 {
		fmt.Fprintf(r.out, "  no styles: %s that %s no sheet: %s\n", diag.Count(n, "page"), verbFor(n, "loads", "load"),
			diag.Printable(someOf(res.Unstyled, 3)))
	}
	if kinds := kindsRead(res); len(kinds) > 0 {
		fmt.Fprintf(r.out, "  names in use read from %s\n", evidenceKinds(kinds))
	}
}

// unreachedSheets returns the displayed paths of sheets in the source folder
// that no output is built from.
func unreachedSheets(res *site.Result, p *project.Project) []string {
	var out []string
	for _, f := range res.Unreached {
		if p.Settings.IsSheet(f.Name) || p.Settings.IsComponent(f) {
			out = append(out, p.Tree.Show(f))
		}
	}
	return out
}

// kindsRead returns the number of evidence files by extension; nil if the
// profile does not purge.
func kindsRead(res *site.Result) map[string]int {
	if res.Evidence == nil {
		return nil
	}
	return res.Evidence.Kinds
}

// leftFiles prints files of earlier builds that were not removed.
func (r *report) leftFiles(p source.Published) {
	if n := len(p.Left); n > 0 {
		fmt.Fprintf(r.out, "  not removed: %s of an earlier build that %s changed since, or could not be removed: %s\n",
			diag.Count(n, "file"), verbFor(n, "was", "were"), diag.Printable(someOf(p.Left, 3)))
	}
}

// verbFor returns the verb for one or for several.
func verbFor(n int, one, several string) string {
	if n == 1 {
		return one
	}
	return several
}

// compressions lists compression formats.
func compressions(forms []project.Compression) string {
	var names []string
	for _, f := range forms {
		names = append(names, string(f))
	}
	return strings.Join(names, ", ")
}

// prefixes prints the prefixes that were added and removed in all bundles, with
// reasons.
func (r *report) prefixes(res *site.Result) {
	counts := make(map[prefix.Change]int)
	var order []prefix.Change
	for _, b := range res.Bundles {
		for _, c := range b.Prefix {
			key := c
			key.Count = 0
			if counts[key] == 0 {
				order = append(order, key)
			}
			counts[key] += c.Count
		}
	}
	t := table{{"  prefix", "", "times", "why"}}
	targets := r.project.Settings.TargetsOf(res.Profile)
	for _, c := range order {
		verb := "added"
		if c.Dropped {
			verb = "dropped"
		}
		t = append(t, []string{"  " + diag.Printable(c.Property), verb, fmt.Sprint(counts[c]), c.Reason(targets)})
	}
	for i, line := range t.lines() {
		if i == 0 {
			line = r.paint("2", line)
		}
		fmt.Fprintln(r.out, line)
	}
}

// table is rows of cells; the first cell of a row is left-aligned, the last one
// is free text, and all others are right-aligned.
type table [][]string

// lines returns the table as lines.
func (t table) lines() []string {
	widths := make([]int, len(t[0]))
	for column := range widths {
		for i, row := range t {
			if w := runewidth.StringWidth(row[column]); i > 0 || column == 0 {
				widths[column] = max(widths[column], w)
			}
		}
		if widths[column] > 0 { // an empty column needs no title
			widths[column] = max(widths[column], runewidth.StringWidth(t[0][column]))
		}
	}
	var lines []string
	for _, row := range t {
		var b strings.Builder
		for column, cell := range row {
			switch {
			case widths[column] == 0:
			case column == 0:
				b.WriteString(runewidth.FillRight(cell, widths[0]))
			case column == len(row)-1:
				b.WriteString("  " + cell)
			default:
				b.WriteString("  " + runewidth.FillLeft(cell, widths[column]))
			}
		}
		lines = append(lines, strings.TrimRight(b.String(), " "))
	}
	return lines
}

// destination returns the place of the outputs, for the title of their list.
func (r *report) destination() string {
	if len(r.flags.sheets) > 0 {
		return ""
	}
	return "to " + filepath.ToSlash(r.project.Output)
}

// shown returns the listed name of an output: relative to the output folder, or
// as the user gave it.
func (r *report) shown(name string) string {
	switch {
	case r.flags.toStream():
		return "standard output"
	}
	return name
}

// total prints the last line of the report.
func (r *report) total(res *site.Result, p source.Published, took time.Duration) {
	parts := built(res)
	if p.Unchanged > 0 {
		parts = append(parts, diag.Count(p.Unchanged, "file")+" unchanged")
	}
	if len(p.Removed) > 0 {
		parts = append(parts, diag.Count(len(p.Removed), "file")+" removed: no longer built")
	}
	if n := len(res.Broken); n > 0 {
		parts = append(parts, r.paint("1;31", diag.Count(n, "page")+" with errors"))
		fmt.Fprintf(r.out, "  %s: %s\n", r.paint("1;31", "pages that show their errors"),
			diag.Printable(someOf(res.Broken, 3)))
	}
	if n := warnings(res); n > 0 {
		parts = append(parts, r.paint("1;33", diag.Count(n, "warning")))
	}
	if res.Checks > 0 {
		parts = append(parts, diag.Count(res.Checks, "finding")+" of rinzel check")
	}
	if r.flags.dry {
		parts = append(parts, "nothing written")
	}
	fmt.Fprintf(r.out, "%s %s, in %s\n", r.paint("1;32", "built"), folded(parts, len("built ")),
		took.Round(time.Millisecond))
}

// lineWidth is the number of columns after which a summary continues on the next
// line.
const lineWidth = 90

// folded joins parts with commas, on lines of at most lineWidth columns if that
// is possible. The first starts in a column; the others are indented by the same.
func folded(parts []string, indent int) string {
	var b strings.Builder
	column := indent
	for i, part := range parts {
		width := runewidth.StringWidth(escapes.ReplaceAllString(part, ""))
		switch {
		case i == 0:
		case column+len(", ")+width > lineWidth:
			b.WriteString(",\n" + strings.Repeat(" ", indent))
			column = indent
		default:
			b.WriteString(", ")
			column += len(", ")
		}
		b.WriteString(part)
		column += width
	}
	return b.String()
}

// escapes matches the escape sequences of colours.
var escapes = regexp.MustCompile("\x1b\\[[0-9;]*m")

// warnings returns the number of warnings.
func warnings(res *site.Result) (n int) {
	for _, d := range res.Diagnostics {
		if d.Severity == diag.Warning {
			n++
		}
	}
	return n
}

// built lists what a build produced: pages and bundles, and the effects of the
// steps.
func built(res *site.Result) []string {
	var from, to, rules, removed, named, prefixed int
	var fromLines, toLines, written, finished int
	for _, b := range res.Bundles {
		from += b.Sources
		to += b.Size
		fromLines, toLines = fromLines+b.SourceLines, toLines+b.Lines
		written, finished = written+b.Written.Rules, finished+b.Finished.Rules
		rules += b.Rules.Rules
		removed += b.Rules.RemovedRules
		named += b.Rules.RemovedNamed
		for _, c := range b.Prefix {
			if !c.Dropped {
				prefixed += c.Count
			}
		}
	}
	var parts []string
	add := func(n int, text string) {
		if n > 0 {
			parts = append(parts, text)
		}
	}
	pages := 0
	for _, o := range res.Outputs {
		if o.Kind == emit.PageKind {
			pages++
		}
	}
	add(pages, diag.Count(pages, "page"))
	parts = append(parts, diag.Count(len(res.Bundles), "bundle"))
	add(shared(res.Bundles), fmt.Sprintf("%d of them shared", shared(res.Bundles)))
	parts = append(parts, fmt.Sprintf("%s of CSS built from %s", size(to), size(from)))
	add(written, fmt.Sprintf("%s in %s became %d in %d", diag.Count(written, "rule"), diag.Count(fromLines, "line"),
		finished, toLines))
	add(rules, fmt.Sprintf("%d of %d rules purged", removed, rules))
	add(named, diag.Count(named, "definition")+" purged")
	add(prefixed, diag.Count(prefixed, "vendor prefix")+" added")
	return parts
}

// evidenceKinds lists the types of evidence files, the most frequent first.
func evidenceKinds(kinds map[string]int) string {
	names := slices.SortedFunc(maps.Keys(kinds),
		func(a, b string) int { return cmp.Or(kinds[b]-kinds[a], strings.Compare(a, b)) })
	const most = 8
	var list []string
	for _, name := range names[:min(len(names), most)] {
		list = append(list, fmt.Sprintf("%d %s", kinds[name], cmp.Or(name, "without an extension")))
	}
	return diag.Printable(strings.Join(list, ", ") + etc(len(names)-most))
}

// etc returns the number of names that are not listed.
func etc(n int) string {
	if n <= 0 {
		return ""
	}
	return fmt.Sprintf(" and %d more", n)
}

// shared returns the number of bundles that several pages load.
func shared(bundles []site.Bundle) int {
	n := 0
	for _, b := range bundles {
		if len(b.Pages) > 1 {
			n++
		}
	}
	return n
}

// packer measures compressed sizes. Its writer, which needs hundreds of
// kilobytes, is reused.
type packer struct{ w *gzip.Writer }

// size returns the size of data after gzip compression.
func (p *packer) size(data []byte) int {
	var n counter
	if p.w == nil {
		p.w = gzip.NewWriter(&n)
	} else {
		p.w.Reset(&n)
	}
	_, _ = p.w.Write(data)
	_ = p.w.Close()
	return int(n)
}

// counter counts the bytes written to it.
type counter int

// Write counts p.
func (c *counter) Write(p []byte) (int, error) {
	*c += counter(len(p))
	return len(p), nil
}

// size returns a number of bytes for display.
func size[N int | int64](n N) string { return diag.Size(int64(n)) }
