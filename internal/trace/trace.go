// Package trace follows declarations and rules through all steps: from a place
// in a source to the places in the outputs where they are, or to the step that
// removed them and the reason, and from a place in an output back to its source.
// Start reading at [New] and [Tracer.Find].
package trace

import (
	"bytes"
	"context"
	"fmt"
	"path"
	"path/filepath"
	"slices"
	"strings"

	"rinzel/internal/css/ast"
	"rinzel/internal/css/print"
	"rinzel/internal/css/property"
	"rinzel/internal/css/selector"
	"rinzel/internal/diag"
	"rinzel/internal/emit"
	"rinzel/internal/graph"
	"rinzel/internal/link"
	"rinzel/internal/project"
	"rinzel/internal/site"
	"rinzel/internal/source"
	"rinzel/internal/step/compose"
	"rinzel/internal/step/minify"
	"rinzel/internal/step/purge"
)

// This file traces a declaration or rule through all steps, from its source to
// the outputs or back.

// Place is a position in a source or output file.
type Place struct {
	File string // path in the working folder
	Line int    // from 1
	// Column counts from 1, in UTF-16 code units, as in the inspectors of
	// browsers; 0 means the first declaration or rule of the line.
	Column int
}

// Trace is the path of a declaration or rule from its source to the outputs.
type Trace struct {
	Found source.Span // the declaration, selectors or prelude in the source
	Kind  string      // "declaration", "rule", or the name of an at-rule with "@"
	// Origin is where the sheet has it from, by its own source map; the zero Place
	// if it has none.
	Origin Place
	Asked  *Written // the asked place of an output; nil if the question was about a source
	Stale  bool     // the output on disk is not what a build makes of the sources now
	Traced []Traced // one for each bundle or style element with the sheet; of an output only that one
}

// Traced is the path of a declaration or rule into a bundle.
type Traced struct {
	Bundle  string          // logical name; of a style element the page
	Imports [][]source.Span // that lead to the sheet, for each path, the nearest first; empty for a link
	// By has the mixin calls and iterations of loops that made it, for each of its
	// forms, innermost first.
	By      [][]diag.Related
	Steps   []TracedStep // those that changed it, in order
	Written []Written    // where it is in the outputs; empty if it is gone
	Gone    *Gone        // why it is not in the outputs
}

// TracedStep is a declaration or rule after a step.
type TracedStep struct {
	Step  string
	Texts []string // with the selectors around; several if the step multiplied it
}

// Written is a place in an output.
type Written struct {
	File         string // path in the working folder; of an adopted bundle its logical name
	Line, Column int    // from 1, columns in characters; 0 if it is unknown
	Text         string // the declaration or rule as written
}

// Gone is the reason why a declaration or rule is in no output.
type Gone struct {
	Step  string // name of the stage that does not have it anymore
	Cause Cause
	// Why are the reasons of purging, by selector.
	Why []purge.Verdict
	// Instead is the declaration or rule that replaces it, if it was
	// replaced, and InsteadAt where that one is from.
	Instead   string
	InsteadAt source.Span
}

// Cause is why something is gone.
type Cause string

// The causes.
const (
	NotMade   Cause = "not made"   // a definition, a false condition, a mixin without a call
	LeftOut   Cause = "left out"   // by without() or only() of an import
	Unused    Cause = "unused"     // purged
	Replaced  Cause = "replaced"   // by a later declaration, a shorthand, or an equal rule
	NoEffect  Cause = "no effect"  // minified away
	NotNeeded Cause = "not needed" // no target needs it
)

// Tracer traces places of one build. It is not safe for concurrent use.
type Tracer struct {
	project *project.Project
	res     *site.Result
	printed map[int]*printedText // by the index in Staged
}

// New builds a project for tracing. If the sources have errors, they are
// returned, and there is no tracer. The error is one of the run itself.
func New(ctx context.Context, p *project.Project, profile string) (*Tracer, []diag.Diagnostic, error) {
	return newTracer(p, func(opts site.Options) (*site.Result, error) {
		opts.Profile = profile
		return site.Build(ctx, p, opts)
	})
}

// For is like [New], but builds only what is needed to trace one place, which is
// faster on a large site. progress receives what it does; may be nil.
func For(ctx context.Context, p *project.Project, profile string, at Place,
	progress func(site.Progress)) (*Tracer, []diag.Diagnostic, error) {
	name := path.Clean(filepath.ToSlash(at.File))
	part := site.Part{
		Bundle: func(_ string, sheets []string) bool { return slices.Contains(sheets, name) },
		Page: func(p *graph.Page) bool {
			imports := func(at graph.Span) bool { return strings.Contains(p.File.Text[at.Start:at.End], "@import") }
			return p.File.Name == name || slices.ContainsFunc(p.Styles, imports)
		},
	}
	if rel, ok := inOutput(p, name); ok {
		part.Bundle = func(logical string, _ []string) bool { return logical == rel || logical == emit.UnhashedName(rel) }
		part.Page = func(p *graph.Page) bool { return p.File.Path.Name == rel }
	}
	return newTracer(p, func(opts site.Options) (*site.Result, error) {
		opts.Profile, opts.Progress = profile, progress
		return site.BuildPart(ctx, p, part, opts)
	})
}

// newTracer returns a tracer of a build.
func newTracer(p *project.Project, build func(site.Options) (*site.Result, error)) (*Tracer, []diag.Diagnostic, error) {
	res, err := build(site.Options{KeepStages: true, RecordVerdicts: true, WithoutChecks: true})
	if err != nil {
		return nil, nil, err
	}
	if errs := res.Blocking(); len(errs) > 0 {
		return nil, errs, nil
	}
	return &Tracer{project: p, res: res, printed: make(map[int]*printedText)}, nil, nil
}

// inOutput returns the path in the output folder of a file in the working
// folder. ok is false if it is not in the output folder.
func inOutput(p *project.Project, name string) (rel string, ok bool) {
	return strings.CutPrefix(name, path.Clean(filepath.ToSlash(p.Output))+"/")
}

// Result returns the build.
func (t *Tracer) Result() *site.Result { return t.res }

// Find traces the declaration or rule at a place of a source or output. It
// returns an error if there is none.
func (t *Tracer) Find(at Place) (*Trace, error) {
	name := path.Clean(filepath.ToSlash(at.File))
	if out, ok := t.output(name); ok {
		return t.fromOutput(out, at)
	}
	return t.fromSource(name, at)
}

// output returns the output with a path in the working folder, also by its name
// without a hash.
func (t *Tracer) output(name string) (emit.Output, bool) {
	rel, ok := inOutput(t.project, name)
	if !ok {
		return emit.Output{}, false
	}
	for _, o := range t.res.Outputs {
		if (o.Kind == emit.StyleKind || o.Kind == emit.PageKind) && (o.Path == rel || emit.UnhashedName(o.Path) == rel) {
			return o, true
		}
	}
	return emit.Output{}, false
}

// fromOutput traces a place of an output back.
func (t *Tracer) fromOutput(o emit.Output, at Place) (*Trace, error) {
	name := path.Join(filepath.ToSlash(t.project.Output), o.Path)
	for i := range t.res.Staged {
		text := t.text(i)
		if text == nil || text.file != o.Path {
			continue
		}
		off, ok := text.offset(at)
		if !ok {
			continue
		}
		k := text.at(off, at.Column == 0)
		if k < 0 {
			return nil, fmt.Errorf("%s:%d:%d is in no declaration or rule", name, at.Line, at.Column)
		}
		found := t.spanOf(text.source(k))
		if !found.IsValid() {
			return nil, fmt.Errorf("%s:%d:%d: rinzel added it, it is in no source", name, at.Line, at.Column)
		}
		if n, ok := t.sourceNode(found); ok { // the whole prelude of a rule
			found = n.Span()
		}
		one := t.through(i, found, text.source(k), text.source(k))
		w := text.written(t, k)
		if slices.Contains(one.Written, w) {
			one.Written = []Written{w}
		}
		return &Trace{Found: found, Origin: originOf(&t.res.Staged[i], found), Kind: kindOf(text.source(k)), Asked: &w,
			Stale: t.isStale(o, text), Traced: []Traced{one}}, nil
	}
	return nil, fmt.Errorf("%s:%d is in no style that rinzel built", name, at.Line)
}

// isStale reports whether the styles of an output on disk differ from the build.
func (t *Tracer) isStale(o emit.Output, text *printedText) bool {
	return !bytes.Contains(source.Outputs(t.project.Output, o.Path)[o.Path], []byte(text.text.Text))
}

// fromSource traces a place of a source to all outputs.
func (t *Tracer) fromSource(name string, at Place) (*Trace, error) {
	var file *source.File
	for i := range t.res.Staged {
		s := &t.res.Staged[i]
		if !slices.Contains(s.Sheets, name) {
			continue
		}
		for _, f := range s.Files() {
			if f.Name != name || f == file {
				continue
			}
			file = f
			if at.Line < 1 || at.Line > f.Lines() {
				return nil, fmt.Errorf("%s has %s, not %d", name, diag.Count(f.Lines(), "line"), at.Line)
			}
			nodes := flat(s.Parse(f))
			if k := nodeAt(nodes, f, f.UTF16Offset(at.Line-1, max(0, at.Column-1)), at.Column == 0); k >= 0 {
				return t.everywhere(f, nodes[k].node), nil
			}
		}
	}
	if isPage := func(p site.Page) bool { return p.Name == name }; slices.ContainsFunc(t.res.Pages, isPage) {
		return nil, fmt.Errorf("%s:%d is in no style element", name, at.Line)
	}
	if file == nil {
		return nil, fmt.Errorf("no page and no bundle uses a sheet %q", name)
	}
	return nil, fmt.Errorf("%s:%d has no declaration or rule", name, at.Line)
}

// everywhere traces a node of a source to all outputs.
func (t *Tracer) everywhere(f *source.File, n ast.Node) *Trace {
	out := &Trace{Found: n.Span(), Kind: kindOf(n)}
	for i := range t.res.Staged {
		if slices.Contains(t.res.Staged[i].Files(), f) {
			out.Origin = originOf(&t.res.Staged[i], out.Found)
			out.Traced = append(out.Traced, t.through(i, n.Span(), n, nil))
		}
	}
	return out
}

// originOf returns where a sheet has a declaration or rule from.
func originOf(s *site.Staged, found source.Span) Place {
	file, line, column, _ := s.Origin(found.Start)
	return Place{file, line, column}
}

// kindOf returns what a node is.
func kindOf(n ast.Node) string {
	switch n := n.(type) {
	case *ast.Declaration, *ast.InterpolatedDeclaration:
		return "declaration"
	case *ast.AtRule:
		return "@" + n.Name
	}
	return "rule"
}

// spanOf returns the source span of a node of an output.
func (t *Tracer) spanOf(n ast.Node) source.Span {
	if r, ok := n.(*ast.StyleRule); ok {
		at := lastPart(r)
		return source.SpanOf(at, 1)
	}
	return n.Span()
}

// sourceNode returns the node of a source that a span is in, if it is of the
// same kind.
func (t *Tracer) sourceNode(found source.Span) (ast.Node, bool) {
	for i := range t.res.Staged {
		s := &t.res.Staged[i]
		for _, f := range s.Files() {
			if f.ID == found.Start.File {
				nodes := flat(s.Parse(f))
				if k := nodeAt(nodes, f, found.Start.Off, false); k >= 0 {
					return nodes[k].node, true
				}
				return nil, false
			}
		}
	}
	return nil, false
}

// through follows the node with a source span through a bundle. asked is one of
// its forms in the output, or nil for all.
func (t *Tracer) through(i int, found source.Span, like, asked ast.Node) Traced {
	s := &t.res.Staged[i]
	out := Traced{Bundle: s.Name}
	if f := t.project.Tree.Set.File(found.Start.File); f != nil {
		out.Imports = s.Imports(f.Path)
	}
	var forms [][]flatNode // after each step
	var last []flatNode
	for k := range s.Stages {
		g := &s.Stages[k]
		if g.Step == site.Source {
			continue
		}
		now := matching(g.Nodes(), found, like)
		forms = append(forms, now)
		if len(now) > 0 {
			out.Gone, last = nil, now
		} else if out.Gone == nil {
			out.Gone = t.gone(s, g, last)
		}
	}
	at := slices.IndexFunc(last, func(n flatNode) bool { return n.node == asked })
	out.By = madeBy(s.Made(), found, forms[0], last, at)
	before := ""
	for k, now := range forms {
		if at >= 0 && len(now) == len(last) {
			now = now[at : at+1]
		}
		texts := textsOf(now)
		if joined := strings.Join(texts, "\n"); joined != before {
			before = joined
			if len(now) > 0 {
				out.Steps = append(out.Steps, TracedStep{s.Stages[k+1].Step, texts})
			}
		}
	}
	if out.Gone == nil {
		out.Written = t.writtenAt(i, last)
	}
	return out
}

// gone returns why a stage has nothing of a node, which was last before it.
func (t *Tracer) gone(s *site.Staged, g *site.Stage, last []flatNode) *Gone {
	out := &Gone{Step: g.Step, Cause: NotNeeded}
	switch g.Step {
	case compose.Name:
		out.Cause = NotMade
	case link.ImportParts:
		out.Cause = LeftOut
	case purge.Name:
		out.Cause = Unused
		for _, l := range last {
			out.Why = append(out.Why, t.verdicts(s, l.selectors())...)
			out.Why = append(out.Why, t.definition(s, l)...)
		}
	case minify.Name:
		out.Cause = NoEffect
		for _, l := range last {
			if by, ok := instead(g.Nodes(), l); ok {
				out.Cause, out.Instead, out.InsteadAt = Replaced, by.text(), by.node.Span()
				break
			}
		}
	}
	return out
}

// definition returns the verdict on the removed definition that a node is in, or
// is: @keyframes or similar, or a custom property.
func (t *Tracer) definition(s *site.Staged, n flatNode) []purge.Verdict {
	for _, v := range t.res.Verdicts {
		if v.Bundle != s.Name || v.Kept || v.Selector != nil {
			continue
		}
		isIt := func(n ast.Node) bool { return n.Span() == v.At }
		if isIt(n.node) || slices.ContainsFunc(n.around, isIt) {
			return []purge.Verdict{v.Verdict}
		}
	}
	return nil
}

// verdicts returns the verdicts on removed selectors in a bundle.
func (t *Tracer) verdicts(s *site.Staged, list []ast.Selector) (out []purge.Verdict) {
	for _, sel := range list {
		for _, v := range t.res.Verdicts {
			if v.Bundle == s.Name && !v.Kept && v.Selector != nil &&
				ast.EqualSelectors([]ast.Selector{v.Selector}, []ast.Selector{sel}) {
				out = append(out, v.Verdict)
				break
			}
		}
	}
	return out
}

// instead returns the declaration that holds instead of one that minify
// removed: of the same property, or of a shorthand of it, for one of the same
// selectors. For a rule, it is a rule with one of the same selectors.
func instead(nodes []ast.Node, gone flatNode) (by flatNode, ok bool) {
	wanted := make(map[string]bool)
	for _, s := range withoutIs(gone.selectors()) {
		wanted[s] = true
	}
	d, isDeclaration := gone.node.(*ast.Declaration)
	for _, n := range flat(nodes) {
		shares := slices.ContainsFunc(withoutIs(n.selectors()), func(s string) bool { return wanted[s] })
		if !shares && len(wanted) > 0 {
			continue
		}
		switch other := n.node.(type) {
		case *ast.Declaration:
			if isDeclaration && property.Of(other.Name).Covers(property.Of(d.Name)) {
				by, ok = n, true
			}
		case *ast.StyleRule:
			if !isDeclaration {
				return n, true
			}
		}
	}
	return by, ok
}

// compactSelector returns a selector as text that does not depend on how minify
// writes it.
func compactSelector(s ast.Selector) string {
	return strings.NewReplacer("::", ":", "*:", ":").Replace(print.Selector(s))
}

// withoutIs returns the selectors that a list with :is() stands for, as text.
func withoutIs(list []ast.Selector) (out []string) {
	const most = 1000
	for _, s := range list {
		out = append(out, compactSelector(s))
		for _, alternative := range selector.WithoutIs(s, most) {
			out = append(out, compactSelector(alternative))
		}
	}
	return out
}

// madeBy returns the calls and iterations that made a node, for each of its
// forms: first after composition, last at the end. If at is the index of one of
// the last, those of the others are left out as far as possible.
func madeBy(made []compose.Made, found source.Span, first, last []flatNode, at int) (out [][]diag.Related) {
	var all []compose.Made
	for _, m := range made {
		if m.At == found.Start {
			all = append(all, m)
		}
	}
	switch {
	case at < 0:
	case len(all) == len(first) && len(first) == len(last): // nothing was merged or split
		all = all[at : at+1]
	default:
		own := slices.DeleteFunc(slices.Clone(all), func(m compose.Made) bool {
			return !slices.ContainsFunc(last[at].selectors(), func(s ast.Selector) bool { return print.Selector(s) == m.Rule })
		})
		if len(own) > 0 {
			all = own
		}
	}
	for _, m := range all {
		out = append(out, m.By)
	}
	return out
}
