// Package bundle builds one sheet from the pieces that one or more pages load:
// it joins them in cascade order, rewrites their URLs for the location of the
// bundle, runs the finish, and prints the result with its source map. Start
// reading at [Job.Make].
package bundle

import (
	"bytes"
	"context"
	"slices"
	"strings"
	"time"

	"rinzel/internal/css/ast"
	"rinzel/internal/css/print"
	"rinzel/internal/css/token"
	"rinzel/internal/diag"
	"rinzel/internal/link"
	"rinzel/internal/pipeline"
	"rinzel/internal/source"
	"rinzel/internal/sourcemap"
	"rinzel/internal/step"
	"rinzel/internal/step/lower"
	"rinzel/internal/step/prefix"
	"rinzel/internal/step/purge"
)

// Job describes a bundle to be built.
type Job struct {
	Pieces []link.Piece // in cascade order
	Kind   step.Kind
	Path   source.Path   // of the bundle in the output folder, or of the page of a style element
	Files  source.Reader // what steps may read files through
	Finish *pipeline.Chain
	// At is the position of findings: the link of the page, or the style
	// element.
	At source.Span
	// Address returns the new URL of a file; false leaves it unchanged.
	Address func(URL) (string, bool)
	// Map, if not nil, requests a source map with the file names of the set.
	Map *source.Set
	// Charset makes a sheet that is not ASCII declare its encoding, because a
	// page or server may declare another.
	Charset bool
	Report  func(...diag.Diagnostic)
	// Ran receives the joined pieces, the result of each step of the finish, and
	// how long printing took; may be nil.
	Ran func(step.Stage)
}

// The names of what a job does besides the steps of the finish.
const (
	Join  = "join"
	Print = "print"
)

// Result is a built bundle.
type Result struct {
	CSS     []byte             // without the comment that refers to the map
	Compact bool               // it was printed compactly
	Map     *sourcemap.Builder // nil without a map
	Files   []string           // displayed paths of its source sheets, in cascade order
	Sources int                // size of their texts in bytes
	Empty   bool               // purging removed everything
	// Written counts the rules of the source sheets as they are written, and
	// Joined and Finished those before and after the finish.
	Written, Joined, Finished ast.Counts
	SourceLines, Lines        int // of the source sheets and of CSS

	Prefixes []prefix.Change
	Lowered  []lower.Change
	Purged   *purge.Result   // nil if it was not purged
	Verdicts []purge.Verdict // of purging, if requested
}

// Make builds the bundle. The error is that of a step, or of a cancelled
// context.
func (job *Job) Make(ctx context.Context) (Result, error) {
	start := time.Now()
	res := Result{}
	pieces := slices.Clone(job.Pieces)
	seen, counted := make(map[*source.File]bool), make(map[*source.File]bool)
	var parts []step.Part
	for i, p := range pieces {
		res.Prefixes = prefix.Merge(res.Prefixes, p.Prefixes)
		res.Lowered = lower.Merge(res.Lowered, p.Lowered)
		if p.File != nil && !seen[p.File] {
			seen[p.File] = true
			res.Files = append(res.Files, p.File.Name)
			text := p.File.Text
			if p.Sheet != nil {
				text = p.Sheet.Text()
			}
			res.Sources += len(text)
			res.SourceLines += lines(text)
		}
		if p.File != nil && !p.Prologue && !counted[p.File] {
			counted[p.File] = true
			res.Written = res.Written.Plus(p.Written)
		}
		pieces[i].Nodes = relocate(p.Nodes, job.Address)
		parts = append(parts, step.Part{File: p.File, Nodes: pieces[i].Nodes})
	}
	checkExternal(pieces, job.Report)
	u := &step.Unit{Kind: job.Kind, Nodes: join(pieces, job.Report), Parts: parts, Composed: true, Path: job.Path, Files: job.Files,
		Report: func(d diag.Diagnostic) { job.Report(d) }, Ran: job.Ran}
	res.Joined = ast.Count(u.Nodes)
	job.ran(step.Stage{Step: Join, Nodes: u.Nodes}, start)
	if err := job.Finish.Run(ctx, u); err != nil {
		return res, err
	}
	res.Finished = ast.Count(u.Nodes)
	for _, verdicts := range step.Notes[[]purge.Verdict](u) {
		res.Verdicts = append(res.Verdicts, verdicts...)
	}
	for _, rules := range step.Notes[purge.Result](u) {
		res.Purged = &rules
		res.Empty = rules.Rules > 0 && rules.RemovedRules == rules.Rules && !declaresMore(u.Nodes)
	}
	start = time.Now()
	job.print(u, &res)
	res.Lines = bytes.Count(res.CSS, []byte("\n"))
	job.ran(step.Stage{Step: Print, Nodes: u.Nodes, Compact: u.Compact}, start)
	return res, nil
}

// lines returns the number of lines of a source.
func lines(text string) int {
	n := strings.Count(text, "\n")
	if text != "" && !strings.HasSuffix(text, "\n") {
		n++
	}
	return n
}

// ran reports what the job did since start.
func (job *Job) ran(s step.Stage, start time.Time) {
	if job.Ran != nil {
		s.Took = time.Since(start)
		job.Ran(s)
	}
}

// declaresMore reports whether anything but comments and empty layers remains.
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

// print prints the bundle, and builds its map.
func (job *Job) print(u *step.Unit, res *Result) {
	opts := print.Options{Compact: u.Compact}
	if job.Map != nil {
		res.Map = sourcemap.NewBuilder(job.Map)
		for _, p := range job.Pieces {
			if p.Input != nil {
				res.Map.Follow(p.File.ID, p.Input)
			}
		}
		opts.Maps = res.Map
	}
	css := print.Append(make([]byte, 0, job.expect(res, u.Compact)), u.Nodes, opts)
	if job.Charset {
		length := len(css)
		if css = DeclareCharset(css); len(css) > length && res.Map != nil {
			res.Map.SkipLine()
		}
	}
	res.CSS, res.Compact = css, u.Compact
}

// DeclareCharset returns a sheet that declares its encoding if it is not ASCII.
func DeclareCharset(css []byte) []byte {
	if isASCII(css) {
		return css
	}
	return slices.Insert(css, 0, []byte(charsetRule)...)
}

// expect estimates the size of the text in bytes.
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

// charsetRule declares the encoding of a sheet.
const charsetRule = "@charset \"utf-8\";\n"

// isASCII reports whether text is ASCII.
func isASCII(text []byte) bool {
	for _, c := range text {
		if c >= 0x80 {
			return false
		}
	}
	return true
}
