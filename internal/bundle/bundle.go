// Package bundle makes one sheet of the pieces that a page, or several pages, load: it joins them in cascade order, changes the
// addresses in them to fit where the bundle is written, takes the whole through the finishing steps, and prints it once,
// with its source map.
//
// [Job.Make] is the place to start reading.
package bundle

import (
	"context"
	"slices"

	"rinzel/internal/css/ast"
	"rinzel/internal/css/print"
	"rinzel/internal/css/token"
	"rinzel/internal/diag"
	"rinzel/internal/link"
	"rinzel/internal/pipeline"
	"rinzel/internal/source"
	"rinzel/internal/sourcemap"
	"rinzel/internal/step"
	"rinzel/internal/step/prefix"
	"rinzel/internal/step/purge"
)

// Job is all that is known of a bundle before it is made.
type Job struct {
	Pieces []link.Piece // in cascade order
	Kind   step.Kind
	Finish *pipeline.Chain
	// At is the link in the page that asks for the bundle, or the style element that it is written into.
	At source.Span
	// Address returns the new address of a file; false to leave the address as it is.
	Address func(URL) (string, bool)
	// Map has a source map be made, which says the names of the files in the set.
	Map *source.Set
	// Charset has a sheet that is not ASCII say its own encoding: a page or server may say another.
	Charset bool
	Report  func(...diag.Diagnostic)
}

// Result is a bundle that was made.
type Result struct {
	CSS     []byte             // without the comment that names the map
	Compact bool               // it is written without spaces that mean nothing
	Map     *sourcemap.Builder // nil without a map
	Files   []string           // the source sheets in it, as people are shown them, in cascade order
	Sources int                // bytes of their text
	Empty   bool               // purging left nothing

	Prefixes []prefix.Change
	Purged   *purge.Result   // nil if it was not purged
	Verdicts []purge.Verdict // of purging it, if they are asked for
}

// Make makes the bundle. The error is that of a step, or of a context that ended.
func (job *Job) Make(ctx context.Context) (Result, error) {
	res := Result{}
	pieces := slices.Clone(job.Pieces)
	seen := make(map[*source.File]bool)
	var parts []step.Part
	for i, p := range pieces {
		res.Prefixes = prefix.Merge(res.Prefixes, p.Prefixes)
		if p.File != nil && !seen[p.File] {
			seen[p.File] = true
			res.Files = append(res.Files, p.File.Name)
			res.Sources += len(p.File.Text)
		}
		pieces[i].Nodes = relocate(p.Nodes, job.Address)
		parts = append(parts, step.Part{File: p.File, Nodes: pieces[i].Nodes})
	}
	checkExternal(pieces, job.Report)
	u := &step.Unit{Kind: job.Kind, Nodes: join(pieces, job.Report), Parts: parts, Composed: true, Report: func(d diag.Diagnostic) { job.Report(d) }}
	if err := job.Finish.Run(ctx, u); err != nil {
		return res, err
	}
	for _, verdicts := range step.Notes[[]purge.Verdict](u) {
		res.Verdicts = append(res.Verdicts, verdicts...)
	}
	for _, rules := range step.Notes[purge.Result](u) {
		res.Purged = &rules
		res.Empty = rules.Rules > 0 && rules.RemovedRules == rules.Rules && !declaresMore(u.Nodes)
	}
	job.print(u, &res)
	return res, nil
}

// declaresMore reports whether anything but comments and empty layers is left.
func declaresMore(nodes []ast.Node) bool {
	return slices.ContainsFunc(nodes, func(n ast.Node) bool {
		switch n := n.(type) {
		case *ast.Comment:
			return false
		case *ast.AtRule:
			return !token.EqualFold(n.Name, "layer") || declaresMore(ast.Body(n))
		}
		return true
	})
}

// print writes the text of the bundle, and gathers its map.
func (job *Job) print(u *step.Unit, res *Result) {
	opts := print.Options{Compact: u.Compact}
	if job.Map != nil {
		res.Map = sourcemap.NewBuilder(job.Map)
		opts.Maps = res.Map
	}
	css := print.Append(make([]byte, 0, job.expect(res, u.Compact)), u.Nodes, opts)
	if job.Charset && !isASCII(css) {
		css = slices.Insert(css, 0, []byte(charsetRule)...)
		if res.Map != nil {
			res.Map.SkipLine()
		}
	}
	res.CSS, res.Compact = css, u.Compact
}

// expect returns how many bytes the text will have, roughly.
func (job *Job) expect(res *Result, compact bool) int {
	size := res.Sources
	if job.Kind == step.Element { // its file is the page, which is longer
		size = int(job.At.End - job.At.Start.Off)
	}
	if compact {
		size -= size / 8
	}
	return size + size/16 + 256
}

// charsetRule says the encoding of a sheet that is a file.
const charsetRule = "@charset \"utf-8\";\n"

func isASCII(text []byte) bool {
	for _, c := range text {
		if c >= 0x80 {
			return false
		}
	}
	return true
}
