package cli

import (
	"cmp"
	"fmt"
	"slices"
	"time"

	"rinzel/internal/diag"
	"rinzel/internal/emit"
	"rinzel/internal/pipeline"
	"rinzel/internal/site"
)

// This file prints the list of files that a build writes, and the times of its
// steps.

// mostFiles is the number of files up to which all are listed.
const mostFiles = 40

// fileKind is a kind of files that are listed.
type fileKind struct {
	kind emit.Kind
	name string
	most int // number that is listed if there are more than mostFiles; the others are one line
}

// manyMaps is the number of files from which on source maps are one line.
const manyMaps = 12

// listedKinds are the kinds of files that are listed, in order.
var listedKinds = []fileKind{{emit.StyleKind, "bundle", 8}, {emit.MapKind, "source map", 0},
	{emit.ScriptKind, "script", 3}, {emit.PageKind, "page", 3}, {emit.ManifestKind, "manifest", 1}}

// fileList is the list of files of a build.
type fileList struct {
	*report
	res     *site.Result
	bundles map[string]site.Bundle // by path
	shared  bool                   // several pages load some bundle
	table   table
	pack    packer
}

// written prints the files that a build writes.
func (r *report) written(res *site.Result) {
	l := &fileList{report: r, res: res, bundles: make(map[string]site.Bundle), shared: shared(res.Bundles) > 0}
	for _, b := range res.Bundles {
		l.bundles[b.Path] = b
	}
	wrote := "  wrote "
	if r.flags.dry {
		wrote = "  would write "
	}
	l.table = table{{wrote + diag.Printable(r.destination()), "size", "gzip", "pages", "sheets", "source", "purged",
		"minified", ""}}
	byKind := make(map[emit.Kind][]emit.Output)
	for _, o := range res.Outputs {
		byKind[o.Kind] = append(byKind[o.Kind], o)
	}
	listed := len(res.Outputs) - len(byKind[emit.AssetKind]) - len(byKind[emit.CompressedKind])
	for _, kind := range listedKinds {
		most := listed
		if (listed > mostFiles || kind.kind == emit.MapKind && listed > manyMaps) && !r.flags.files {
			most = kind.most
		}
		l.add(kind, byKind[kind.kind], most)
	}
	for i, line := range l.table.lines() {
		if i == 0 {
			line = r.paint("2", line)
		}
		fmt.Fprintln(r.out, line)
	}
	same, changed := splitChanged(byKind[emit.AssetKind])
	if n := len(same); n > 0 {
		fmt.Fprintf(r.out, "  and %s copied unchanged, %s\n", diag.Count(n, "file"), size(sizeOf(same)))
	}
	_, pages := splitChanged(byKind[emit.PageKind])
	_, scripts := splitChanged(byKind[emit.ScriptKind])
	for _, some := range []struct {
		name string
		list []emit.Output
	}{{"page", pages}, {"script", scripts}, {"other file", changed}} {
		if n := len(some.list); n > 0 {
			fmt.Fprintf(r.out, "  steps on %s: %s, before %s\n", diag.Count(n, some.name), size(sizeOf(some.list)),
				size(sizeBefore(some.list)))
		}
	}
	r.notWritten(res)
	if n := len(byKind[emit.CompressedKind]); n > 0 {
		fmt.Fprintf(r.out, "  and %s compressed as well (%s)\n", diag.Count(n, "file"), compressions(res.Profile.Compress))
	}
}

// sizeOf returns the sum of the sizes of outputs.
func sizeOf(list []emit.Output) (sum int64) {
	for _, o := range list {
		sum += o.Size()
	}
	return sum
}

// add adds the rows of files of a kind: the most important ones, up to a number,
// and one row for the others.
func (l *fileList) add(kind fileKind, list []emit.Output, most int) {
	shown := list
	if len(list) > most+1 {
		byWeight := slices.SortedStableFunc(slices.Values(list), func(a, b emit.Output) int {
			return cmp.Or(len(l.bundles[b.Path].Pages)-len(l.bundles[a.Path].Pages), cmp.Compare(b.Size(), a.Size()))
		})
		first := make(map[string]bool)
		for _, o := range byWeight[:most] {
			first[o.Path] = true
		}
		shown = slices.DeleteFunc(slices.Clone(list), func(o emit.Output) bool { return !first[o.Path] })
		list = slices.DeleteFunc(slices.Clone(list), func(o emit.Output) bool { return first[o.Path] })
	} else {
		list = nil
	}
	for _, o := range shown {
		l.table = append(l.table, l.row(o))
	}
	if len(list) == 0 {
		return
	}
	count := diag.Count(len(list), kind.name)
	if most > 0 {
		count = "and " + diag.Count(len(list), "more "+kind.name)
	}
	row := make([]string, len(l.table[0]))
	row[0], row[1] = "  "+count, size(sizeOf(list))
	var sum site.Bundle
	for _, o := range list {
		if b, ok := l.bundles[o.Path]; ok {
			sum.Sources, sum.Size = sum.Sources+b.Sources, sum.Size+b.Size
			sum.Rules.Rules += b.Rules.Rules
			sum.Rules.RemovedBytes += b.Rules.RemovedBytes
		}
	}
	if sum.Sources > 0 {
		describe(row[4:], sum, pipeline.Compact(l.res.Profile.Finish))
		row[4] = ""
	}
	l.table = append(l.table, row)
}

// row returns the row of a file.
func (l *fileList) row(o emit.Output) []string {
	row := make([]string, len(l.table[0]))
	row[0], row[1] = "  "+diag.Printable(l.shown(o.Path)), size(o.Size())
	if o.Kind != emit.MapKind { // visitors do not load maps
		row[2] = size(l.pack.size(o.Data))
	}
	if b, ok := l.bundles[o.Path]; ok {
		if l.shared {
			row[3] = fmt.Sprint(len(b.Pages))
		}
		describe(row[4:], b, pipeline.Compact(l.res.Profile.Finish))
	}
	return row
}

// describe fills the cells of a bundle: its sources, and the savings.
func describe(cells []string, b site.Bundle, minified bool) {
	cells[0], cells[1] = fmt.Sprint(len(b.Files)), size(b.Sources)
	if b.Rules.Rules > 0 {
		cells[2] = size(b.Rules.RemovedBytes)
	}
	if saved := b.Sources - b.Rules.RemovedBytes - b.Size; minified && saved > 0 {
		cells[3] = size(saved)
	}
	if b.Size == 0 {
		cells[4] = "empty: its sheets have no rules"
	}
}

// times prints how long the parts of a build took, and the slowest sheets.
func (r *report) times(t *site.Times) {
	if t == nil {
		return
	}
	const mostSheets = 8
	parts := table{{"  time in", "", "times", "", ""}}
	var sum time.Duration
	for _, p := range t.Parts {
		sum += p.Took
	}
	for _, p := range t.Parts {
		parts = append(parts, []string{"  " + p.Name, milliseconds(p.Took), fmt.Sprint(p.Times),
			fmt.Sprintf("%.0f%%", 100*float64(p.Took)/float64(max(sum, 1))), ""})
	}
	sheets := table{{"  slowest sheets, all steps", "", "steps", "", ""}}
	for i, s := range t.Sheets {
		if i == mostSheets {
			break
		}
		sheets = append(sheets, []string{"  " + diag.Printable(s.Name), milliseconds(s.Took),
			fmt.Sprint(s.Times), "", ""})
	}
	for _, t := range []table{parts, sheets} {
		if len(t) == 1 {
			continue
		}
		for i, line := range t.lines() {
			if i == 0 {
				line = r.paint("2", line)
			}
			fmt.Fprintln(r.out, line)
		}
	}
	fmt.Fprintln(r.out, r.paint("2", "  several parts run at a time, so that their sum is more than the time of the build"))
}

// splitChanged splits outputs into those that are as they were, and those that
// steps changed.
func splitChanged(list []emit.Output) (same, changed []emit.Output) {
	for _, o := range list {
		if o.Was > 0 {
			changed = append(changed, o)
		} else {
			same = append(same, o)
		}
	}
	return same, changed
}

// sizeBefore returns the size of outputs in bytes before steps changed them.
func sizeBefore(list []emit.Output) (sum int64) {
	for _, o := range list {
		sum += o.Was
	}
	return sum
}
