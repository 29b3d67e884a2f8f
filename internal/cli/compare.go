package cli

import (
	"context"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"path"
	"path/filepath"
	"strconv"
	"strings"
	"unicode/utf8"

	"github.com/spf13/cobra"

	"rinzel/internal/compare"
	"rinzel/internal/css/accept"
	"rinzel/internal/diag"
	"rinzel/internal/source"
)

// errFailOn means that a condition of --fail-on is true, which was printed.
var errFailOn = errors.New("a condition of --fail-on is true")

// compareFlags are the flags of the compare command.
type compareFlags struct {
	inspectFlags
	failOn   []string
	markdown bool
	all      bool
}

// newCompare returns the compare command.
func newCompare(std IO) *cobra.Command {
	var flags compareFlags
	cmd := &cobra.Command{
		Use:   "compare OLD NEW",
		Short: "Compare the styles of two builds or sheets: sizes, rules, and meaning",
		Long: `Compare shows what differs between the styles of two builds: the size of each
sheet, and of all that each page loads, before and after compression; which
rules and declarations are gone, new or changed; and whether sheets with another
text mean the same. They do if all elements of all documents get the same values
in all targets.

OLD and NEW are output folders, style sheets, or two bundles.json that builds
wrote. Sheets are paired by their names without the hash of the content. Of a
bundles.json without its sheets only the sizes are compared.

--fail-on difference fails if a sheet is gone, new, or does not mean the same.
--fail-on growth=5% fails if the styles of some page, or a sheet, if the pages
are not known, grow by more than that, after compression with brotli.`,
		Example: `  rinzel compare public-before public
  rinzel compare before.css after.css --fail-on difference
  rinzel compare last-release/bundles.json public/bundles.json --fail-on growth=5%
  rinzel compare public-before public --markdown > comment.md`,
		Args: func(cmd *cobra.Command, args []string) error {
			if err := atLeast(2, "two folders, two sheets, or two bundles.json")(cmd, args); err != nil {
				return err
			}
			return atMost(2)(cmd, args)
		},
		RunE: func(cmd *cobra.Command, args []string) error {
			conditions, err := flags.conditions()
			if err != nil {
				return err
			}
			var report *compare.Report
			err = inspect(flags.inspectFlags, std, func(in *inspection) ([]diag.Diagnostic, error) {
				var err error
				report, err = in.compare(cmd.Context(), args, &flags)
				return nil, err
			})
			if err != nil {
				return err
			}
			return conditions.check(std.Err, report)
		},
	}
	flags.add(cmd)
	f := cmd.Flags()
	f.StringSliceVar(&flags.failOn, "fail-on", nil, "`condition` for exit status 1: difference, growth=5%; repeatable")
	f.BoolVar(&flags.markdown, "markdown", false, "write the result as Markdown, for a comment")
	f.BoolVar(&flags.all, "all", false, "list all changes, not only the first of each sheet")
	return cmd
}

// failConditions are the conditions of --fail-on.
type failConditions struct {
	difference bool
	growth     float64 // a fraction; negative for none
}

// conditions reads the conditions of --fail-on.
func (f *compareFlags) conditions() (failConditions, error) {
	out := failConditions{growth: -1}
	for _, text := range f.failOn {
		name, value, _ := strings.Cut(text, "=")
		percent, err := strconv.ParseFloat(strings.TrimSuffix(value, "%"), 64)
		switch {
		case text == "difference":
			out.difference = true
		case name == "growth" && strings.HasSuffix(value, "%") && err == nil && percent >= 0:
			out.growth = percent / 100
		default:
			return out, fmt.Errorf("--fail-on takes difference, or growth with a percentage, like growth=5%%, got %q", text)
		}
	}
	if f.json && f.markdown {
		return out, errors.New("--json and --markdown cannot be combined")
	}
	return out, nil
}

// check reports the conditions that are true.
func (c failConditions) check(w io.Writer, r *compare.Report) error {
	failed := false
	if c.difference && r.Differs() {
		failed = true
		fmt.Fprintln(w, "failed: the styles do not mean the same (--fail-on difference)")
	}
	if name, growth := r.MostGrown(); c.growth >= 0 && growth > c.growth {
		failed = true
		fmt.Fprintf(w, "failed: %s grew by %.1f%% (--fail-on growth=%v%%)\n", diag.Printable(name), growth*100, c.growth*100)
	}
	if failed {
		return errFailOn
	}
	return nil
}

// compare compares the builds in two files or folders, and prints the result.
func (in *inspection) compare(ctx context.Context, args []string, flags *compareFlags) (*compare.Report, error) {
	var builds [2]*compare.Build
	tree := source.NewTree()
	for i, arg := range args {
		b, closer, err := readBuild(tree, []string{"old", "new"}[i], arg)
		if err != nil {
			return nil, err
		}
		defer closer.Close()
		builds[i] = b
	}
	r := compare.Builds(builds[0], builds[1], accept.Of(in.project.Settings.Targets))
	if err := ctx.Err(); err != nil {
		return nil, err
	}
	switch {
	case flags.json:
		in.answer = jsonComparison(r)
	case flags.markdown:
		comparisonMarkdown(in.std.Out, tree.Set, r, flags.all)
	default:
		in.printComparison(tree.Set, r, flags.all)
	}
	return r, nil
}

// readBuild reads the build in a file or folder on disk, as a root of a tree.
func readBuild(tree *source.Tree, root, arg string) (*compare.Build, io.Closer, error) {
	dir, name := arg, ""
	if !source.IsFolder(arg) {
		dir, name = filepath.Split(filepath.Clean(arg))
		if dir == "" {
			dir = "."
		}
	}
	folder, closer, err := source.OpenFolder(root, dir, filepath.Clean(dir))
	if err != nil {
		return nil, nil, fmt.Errorf("%s: %w", arg, notFound(err))
	}
	tree.AddFolder(folder)
	var b *compare.Build
	switch p := (source.Path{Root: root, Name: name}); {
	case name == "":
		b, err = compare.ReadFolder(tree, root)
	case path.Ext(name) == ".json":
		b, err = compare.ReadManifest(tree, p)
	default:
		b, err = compare.ReadSheet(tree, p)
	}
	if err != nil {
		closer.Close()
		return nil, nil, fmt.Errorf("%s: %w", arg, notFound(err))
	}
	return b, closer, nil
}

// notFound words an error about a file.
func notFound(err error) error {
	switch {
	case errors.Is(err, fs.ErrNotExist):
		return errors.New("no such file or folder")
	case errors.Is(err, fs.ErrPermission):
		return errors.New("no permission to read it")
	}
	return err
}

// maxListed limits the number of changes of a sheet that are printed.
const maxListed = 10

// printComparison prints a comparison.
func (in *inspection) printComparison(files *source.Set, r *compare.Report, all bool) {
	out := in.std.Out
	tables := comparisonTables(r)
	widths := make([]int, len(tables[0].head))
	for _, t := range tables {
		for _, row := range append([][]string{t.head}, t.rows...) {
			for i, cell := range row {
				widths[i] = max(widths[i], utf8.RuneCountInString(cell))
			}
		}
	}
	for _, t := range tables {
		fmt.Fprintln(out, in.paint("2", alignedCells(t.head, widths)))
		for _, row := range t.rows {
			fmt.Fprintln(out, alignedCells(row, widths))
		}
	}
	for i := range r.Sheets {
		if p := &r.Sheets[i]; p.State == compare.Different {
			fmt.Fprintln(out, in.paint("1", diag.Printable(p.Name)))
			for _, line := range changeLines(files, p, all) {
				fmt.Fprintf(out, "  %s %s%s\n", in.paint("2", fmt.Sprintf("%-8s", line.kind)),
					diag.Printable(shortened(line.text, all)), diag.Printable(line.at))
			}
		}
	}
	fmt.Fprintln(out, summaryOf(r))
}

// comparisonTable is a table of sizes. The last cell of a row is a text.
type comparisonTable struct {
	head []string
	rows [][]string
}

// comparisonTables returns the table of sheets, and that of pages, if they are
// known.
func comparisonTables(r *compare.Report) []comparisonTable {
	sheets := comparisonTable{head: []string{"sheet", "bytes", "", "brotli", "", ""}}
	for i := range r.Sheets {
		p := &r.Sheets[i]
		sheets.rows = append(sheets.rows, append(sizeCells(p.Name, sizeOfSheet(p.Old), sizeOfSheet(p.New)), stateText(p)))
	}
	if len(r.Pages) == 0 {
		return []comparisonTable{sheets}
	}
	pages := comparisonTable{head: []string{"all styles of the page", "bytes", "", "brotli", "", ""}}
	for _, p := range r.Pages {
		pages.rows = append(pages.rows, append(sizeCells(p.Name, p.Old, p.New), ""))
	}
	return []comparisonTable{sheets, pages}
}

// alignedCells returns the cells of a row as a line. Numbers are aligned to the
// right.
func alignedCells(cells []string, widths []int) string {
	var b strings.Builder
	for i, cell := range cells {
		pad := strings.Repeat(" ", widths[i]-utf8.RuneCountInString(cell))
		if i == 0 || i == len(cells)-1 {
			b.WriteString(cell + pad + "  ")
		} else {
			b.WriteString(pad + cell + "  ")
		}
	}
	return strings.TrimRight(b.String(), " ")
}

// sizeOfSheet returns the size of a sheet; zero if there is none.
func sizeOfSheet(s *compare.Sheet) compare.Size {
	if s == nil {
		return compare.Size{}
	}
	return s.Size
}

// sizeCells returns the cells of a row: a name, the new sizes and their changes.
func sizeCells(name string, old, now compare.Size) []string {
	brotli, grown := size(now.Brotli), changeText(old.Brotli, now.Brotli)
	if old.Bytes > 0 && old.Brotli == 0 || now.Bytes > 0 && now.Brotli == 0 {
		brotli, grown = "", "" // one of them is not known
	}
	return []string{diag.Printable(name), size(now.Bytes), changeText(old.Bytes, now.Bytes), brotli, grown}
}

// changeText returns how a size changed: "+120 B +3.1%".
func changeText(old, now int) string {
	switch {
	case old == now:
		return "="
	case old == 0:
		return "+" + size(now)
	case now == 0:
		return "-" + size(old)
	}
	sign, by := "+", now-old
	if by < 0 {
		sign, by = "-", -by
	}
	percent := fmt.Sprintf(" %+.1f%%", float64(now-old)*100/float64(old))
	return sign + size(by) + strings.TrimSuffix(strings.TrimSuffix(percent, " +0.0%"), " -0.0%")
}

// stateText says how a sheet differs.
func stateText(p *compare.Pair) string {
	switch p.State {
	case compare.Equal:
		return "unchanged"
	case compare.Same:
		return "means the same"
	case compare.Unknown:
		return "the text is not known"
	case compare.Gone:
		return "gone"
	case compare.Added:
		return "new"
	}
	gone, added, changed := p.Counts()
	if gone+added+changed == 0 {
		return "differs in the order or in definitions"
	}
	return countsText(gone, added, changed)
}

// countsText says how many rules differ: "3 rules gone, 1 new".
func countsText(gone, added, changed int) string {
	var parts []string
	for _, c := range []struct {
		count int
		what  string
	}{{gone, "gone"}, {added, "new"}, {changed, "changed"}} {
		switch {
		case c.count == 0:
		case len(parts) == 0:
			parts = append(parts, diag.Count(c.count, "rule")+" "+c.what)
		default:
			parts = append(parts, fmt.Sprintf("%d %s", c.count, c.what))
		}
	}
	return strings.Join(parts, ", ")
}

// changeLine is a line about a change; at is its position.
type changeLine struct{ kind, text, at string }

// maxColumns limits the length of a change in a list.
const maxColumns = 120

// shortened returns the start of a text that is too long for a list, unless all
// is wanted.
func shortened(text string, all bool) string {
	if all {
		return text
	}
	return cut(text, maxColumns)
}

// changeLines returns the changes of a sheet as lines, the first ones if not all
// are wanted.
func changeLines(files *source.Set, p *compare.Pair, all bool) (out []changeLine) {
	for i := range p.Changes {
		c := &p.Changes[i]
		name := c.Selector
		if c.Where != "" {
			name = c.Where + " " + name
		}
		switch at := positionIn(files, c.A, c.B); {
		case c.Whole && len(c.New) == 0:
			out = append(out, changeLine{"gone", name + " { " + strings.Join(c.Old, "; ") + " }", at})
		case c.Whole:
			out = append(out, changeLine{"new", name + " { " + strings.Join(c.New, "; ") + " }", at})
		case len(c.Old) == 0:
			out = append(out, changeLine{"gains", name + " { " + strings.Join(c.New, "; ") + " }", at})
		case len(c.New) == 0:
			out = append(out, changeLine{"loses", name + " { " + strings.Join(c.Old, "; ") + " }", at})
		default:
			text := name + " { " + strings.Join(c.Old, "; ") + " } to { " + strings.Join(c.New, "; ") + " }"
			out = append(out, changeLine{"changed", text, at})
		}
	}
	for _, d := range p.Others {
		out = append(out, changeLine{"differs", d.Message, positionIn(files, d.A, d.B)})
	}
	if more := len(out) - maxListed; more > 0 && !all {
		out = append(out[:maxListed], changeLine{"", fmt.Sprintf("and %d more; --all lists them", more), ""})
	}
	return out
}

// positionIn returns a position as " (file:line:column)": that in the new sheet,
// or the old one.
func positionIn(files *source.Set, old, now source.Span) string {
	at := now
	if !at.IsValid() {
		at = old
	}
	f := files.File(at.Start.File)
	if f == nil {
		return ""
	}
	line, column := f.Position(at.Start.Off)
	return fmt.Sprintf("  (%s:%d:%d)", f.Name, line, column)
}

// summaryOf returns the last line of a comparison.
func summaryOf(r *compare.Report) string {
	states := make(map[compare.State]int)
	var gone, added, changed int
	for i := range r.Sheets {
		p := &r.Sheets[i]
		states[p.State]++
		g, a, c := p.Counts()
		gone, added, changed = gone+g, added+a, changed+c
	}
	var parts []string
	for _, s := range []struct {
		state compare.State
		text  string
	}{{compare.Equal, "unchanged"}, {compare.Same, "with the same meaning"}, {compare.Different, "different"},
		{compare.Unknown, "not compared"}, {compare.Gone, "gone"}, {compare.Added, "new"}} {
		if n := states[s.state]; n > 0 {
			parts = append(parts, fmt.Sprintf("%d %s", n, s.text))
		}
	}
	text := diag.Count(len(r.Sheets), "sheet") + ": " + strings.Join(parts, ", ")
	if counts := countsText(gone, added, changed); counts != "" {
		text += "; " + counts
	}
	old, now := r.Totals()
	text += fmt.Sprintf("; %s of CSS", size(now.Bytes))
	if change := changeText(old.Bytes, now.Bytes); change != "=" && change != "" {
		text += " (" + change + ")"
	}
	return text
}

// comparisonMarkdown writes a comparison as Markdown.
func comparisonMarkdown(w io.Writer, files *source.Set, r *compare.Report, all bool) {
	for i, t := range comparisonTables(r) {
		if i > 0 {
			fmt.Fprintln(w)
		}
		fmt.Fprintf(w, "| %s |\n|---|--:|--:|--:|--:|---|\n", strings.Join(t.head, " | "))
		for _, row := range t.rows {
			row[0] = codeSpan(row[0])
			for i := 1; i < len(row); i++ {
				row[i] = strings.ReplaceAll(row[i], "|", `\|`)
			}
			fmt.Fprintf(w, "| %s |\n", strings.Join(row, " | "))
		}
	}
	for i := range r.Sheets {
		p := &r.Sheets[i]
		if p.State != compare.Different {
			continue
		}
		fmt.Fprintf(w, "\n**%s**\n\n", p.Name)
		for _, line := range changeLines(files, p, all) {
			fmt.Fprintf(w, "* %s `%s`\n", line.kind, strings.ReplaceAll(shortened(line.text, all)+line.at, "`", "'"))
		}
	}
	fmt.Fprintf(w, "\n%s\n", summaryOf(r))
}

// jsonSize is a size as JSON. Compressed sizes are omitted if they are not known.
type jsonSize struct {
	Bytes  int `json:"bytes"`
	Gzip   int `json:"gzip,omitempty"`
	Brotli int `json:"brotli,omitempty"`
}

// jsonChange is a change as JSON.
type jsonChange struct {
	Where    string   `json:"where,omitempty"`
	Selector string   `json:"selector"`
	Whole    bool     `json:"wholeRule"`
	Old      []string `json:"old"`
	New      []string `json:"new"`
}

// jsonPair is a sheet in both builds as JSON.
type jsonPair struct {
	Name        string        `json:"name"`
	State       compare.State `json:"state"`
	Old         *jsonSize     `json:"old"`
	New         *jsonSize     `json:"new"`
	Changes     []jsonChange  `json:"changes"`
	Differences []string      `json:"differences"` // apart from changes
}

// jsonPageSizes is the sum of the styles of a page as JSON.
type jsonPageSizes struct {
	Name string   `json:"name"`
	Old  jsonSize `json:"old"`
	New  jsonSize `json:"new"`
}

// jsonComparison returns a comparison as JSON.
func jsonComparison(r *compare.Report) any {
	out := struct {
		Version int             `json:"version"`
		Differs bool            `json:"differs"`
		Sheets  []jsonPair      `json:"sheets"`
		Pages   []jsonPageSizes `json:"pages"`
	}{1, r.Differs(), []jsonPair{}, []jsonPageSizes{}}
	sheetSize := func(s *compare.Sheet) *jsonSize {
		if s == nil {
			return nil
		}
		size := jsonSize(s.Size)
		return &size
	}
	for _, p := range r.Sheets {
		pair := jsonPair{p.Name, p.State, sheetSize(p.Old), sheetSize(p.New), []jsonChange{}, []string{}}
		for _, c := range p.Changes {
			pair.Changes = append(pair.Changes, jsonChange{c.Where, c.Selector, c.Whole, orEmpty(c.Old), orEmpty(c.New)})
		}
		for _, d := range p.Others {
			pair.Differences = append(pair.Differences, d.Message)
		}
		out.Sheets = append(out.Sheets, pair)
	}
	for _, p := range r.Pages {
		out.Pages = append(out.Pages, jsonPageSizes{p.Name, jsonSize(p.Old), jsonSize(p.New)})
	}
	return out
}
