package cli

import (
	"encoding/json"
	"io"
	"path"
	"path/filepath"

	"rinzel/internal/diag"
	"rinzel/internal/diag/code"
	"rinzel/internal/emit"
	"rinzel/internal/site"
	"rinzel/internal/source"
)

// jsonResult is the result of a build as JSON. Fields may be added; none is
// renamed or removed without a new version.
type jsonResult struct {
	Version     int              `json:"version"`
	Profile     string           `json:"profile,omitempty"`
	Settings    string           `json:"settings,omitempty"`
	Finish      []string         `json:"finish"`
	Written     bool             `json:"written"`
	Outputs     []jsonOutput     `json:"outputs"`
	Bundles     []jsonBundle     `json:"bundles"`
	Broken      []string         `json:"broken"`  // pages that show their errors
	Removed     []string         `json:"removed"` // outputs of an earlier build that are not part of this one
	Diagnostics []jsonDiagnostic `json:"diagnostics"`
	Unreached   int              `json:"unreached"`          // number of files that no output is built from
	Sheets      []string         `json:"unreachedSheets"`    // sheets among them
	Unstyled    []string         `json:"unstyled"`           // pages without styles
	Evidence    map[string]int   `json:"evidence,omitempty"` // number of evidence files by extension
	// findings of rinzel check that are not among the diagnostics
	CheckFindings int         `json:"checkFindings"`
	Times         []jsonTimed `json:"times,omitempty"`      // with --times: of each part, the slowest first
	SheetTimes    []jsonTimed `json:"sheetTimes,omitempty"` // with --times: of the steps of each sheet
}

// jsonTimed is the time of a part of a build as JSON.
type jsonTimed struct {
	Name         string  `json:"name"`
	Milliseconds float64 `json:"milliseconds"`
	Times        int     `json:"times"`
}

// jsonTimes returns times as JSON.
func jsonTimes(list []site.Timed) (out []jsonTimed) {
	for _, t := range list {
		out = append(out, jsonTimed{t.Name, float64(t.Took.Microseconds()) / 1e3, t.Times})
	}
	return out
}

// jsonOutput is an output as JSON.
type jsonOutput struct {
	Path  string    `json:"path"`
	Kind  emit.Kind `json:"kind"`
	Bytes int64     `json:"bytes"`
	Gzip  int       `json:"gzip,omitempty"` // compressed size in bytes; not of maps and copies
}

// jsonBundle is a bundle as JSON.
type jsonBundle struct {
	Name         string       `json:"name"`
	Path         string       `json:"path"`
	Page         string       `json:"page,omitempty"` // the only page that loads it
	Pages        []string     `json:"pages"`
	Inline       bool         `json:"inline"` // it is inlined into its only page, not written as a file
	Lazy         bool         `json:"lazy"`   // scripts of the pages load it
	Sheets       int          `json:"sheets"`
	SourceBytes  int          `json:"sourceBytes"`
	Bytes        int          `json:"bytes"`
	PurgedBytes  int          `json:"purgedBytes"`
	Rules        int          `json:"rules"`
	RemovedRules int          `json:"removedRules"`
	SourceRules  int          `json:"sourceRules"` // of its sheets as they are written
	FinalRules   int          `json:"finalRules"`  // of the bundle as it is written
	SourceLines  int          `json:"sourceLines"`
	Lines        int          `json:"lines"`
	Prefixes     []jsonPrefix `json:"prefixes"`
}

// jsonPrefix is a change of prefixes as JSON.
type jsonPrefix struct {
	Property string `json:"property"`
	Dropped  bool   `json:"dropped"`
	Reason   string `json:"reason"`
	Count    int    `json:"count"`
}

// jsonPosition is a span as JSON.
type jsonPosition struct {
	File      string `json:"file"`
	Line      int    `json:"line"` // from 1, like the following fields
	Column    int    `json:"column"`
	EndLine   int    `json:"endLine"`
	EndColumn int    `json:"endColumn"`
}

// jsonDiagnostic is a finding as JSON.
type jsonDiagnostic struct {
	Code     code.Code     `json:"code"`
	Severity diag.Severity `json:"severity"`
	*jsonPosition
	Message string        `json:"message"`
	Fix     string        `json:"fix,omitempty"`
	Output  string        `json:"output,omitempty"` // what a step of the settings wrote last
	More    int           `json:"more,omitempty"`   // number of further positions with the same cause
	Related []jsonRelated `json:"related,omitempty"`
}

// jsonRelated is a related position as JSON.
type jsonRelated struct {
	*jsonPosition
	Message string `json:"message"`
}

// json prints the result. published is nil if nothing was written.
func (r *report) json(res *site.Result, published *source.Published) error {
	out := jsonResult{
		Version: 1, Profile: res.Profile.Name, Settings: r.project.Settings.File,
		Finish: orEmpty(res.Profile.Finish), Written: published != nil,
		Outputs: []jsonOutput{}, Bundles: []jsonBundle{}, Removed: []string{}, Diagnostics: []jsonDiagnostic{},
		Broken: orEmpty(res.Broken), Unreached: len(res.Unreached), Sheets: orEmpty(unreachedSheets(res, r.project)),
		Unstyled: orEmpty(res.Unstyled), Evidence: kindsRead(res),
	}
	if res.Times != nil {
		out.Times, out.SheetTimes = jsonTimes(res.Times.Parts), jsonTimes(res.Times.Sheets)
	}
	if published != nil {
		out.Removed = orEmpty(published.Removed)
		var pack packer
		for _, o := range res.Outputs {
			jo := jsonOutput{Path: r.outputPath(o.Path), Kind: o.Kind, Bytes: o.Size()}
			if o.Kind != emit.MapKind && o.Kind != emit.CompressedKind && o.Copy == nil {
				jo.Gzip = pack.size(o.Data)
			}
			out.Outputs = append(out.Outputs, jo)
		}
	}
	targets := r.project.Settings.TargetsOf(res.Profile)
	for _, b := range res.Bundles {
		jb := jsonBundle{
			Name: b.Name, Path: b.Path, Pages: orEmpty(b.Pages), Inline: b.Inline, Lazy: b.Lazy, Sheets: len(b.Files),
			SourceBytes: b.Sources, Bytes: b.Size,
			PurgedBytes: b.Rules.RemovedBytes, Rules: b.Rules.Rules, RemovedRules: b.Rules.RemovedRules,
			SourceRules: b.Written.Rules, FinalRules: b.Finished.Rules, SourceLines: b.SourceLines, Lines: b.Lines,
			Prefixes: []jsonPrefix{},
		}
		if len(b.Pages) == 1 {
			jb.Page = b.Pages[0]
		}
		for _, c := range b.Prefix {
			jb.Prefixes = append(jb.Prefixes, jsonPrefix{c.Property, c.Dropped, c.Reason(targets), c.Count})
		}
		out.Bundles = append(out.Bundles, jb)
	}
	out.Diagnostics, out.CheckFindings = jsonDiagnostics(r.project.Tree.Set, res.Diagnostics), res.Checks
	return writeJSON(r.std.Out, out)
}

// writeJSON writes a value as indented JSON.
func writeJSON(w io.Writer, v any) error {
	enc := json.NewEncoder(w)
	enc.SetEscapeHTML(false)
	enc.SetIndent("", "  ")
	return enc.Encode(v)
}

// jsonDiagnostics returns findings as JSON.
func jsonDiagnostics(files *source.Set, list []diag.Diagnostic) []jsonDiagnostic {
	out := []jsonDiagnostic{}
	for _, d := range list {
		jd := jsonDiagnostic{Code: d.Code, Severity: d.Severity, jsonPosition: jsonPositionOf(files, d.Span),
			Message: d.Message, Fix: d.Fix, Output: d.Output, More: len(d.Also)}
		for _, rel := range d.Related {
			jd.Related = append(jd.Related, jsonRelated{jsonPositionOf(files, rel.Span), rel.Message})
		}
		for _, at := range d.Imports {
			jd.Related = append(jd.Related, jsonRelated{jsonPositionOf(files, at), "the sheet is imported here"})
		}
		out = append(out, jd)
	}
	return out
}

// orEmpty returns an empty list for nil.
func orEmpty(list []string) []string {
	if list == nil {
		return []string{}
	}
	return list
}

// jsonPositionOf returns a span as JSON; nil for the zero Span.
func jsonPositionOf(files *source.Set, s source.Span) *jsonPosition {
	f := files.File(s.Start.File)
	if f == nil {
		return nil
	}
	p := &jsonPosition{File: f.Name}
	p.Line, p.Column = f.Position(s.Start.Off)
	p.EndLine, p.EndColumn = f.Position(s.End)
	return p
}

// outputPath returns the path of an output, relative to the working folder or
// absolute.
func (r *report) outputPath(name string) string {
	if len(r.flags.sheets) > 0 {
		return r.shown(name)
	}
	return path.Join(filepath.ToSlash(r.project.Output), name)
}
