package site

import (
	"cmp"
	"context"
	"fmt"
	"path"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"rinzel/internal/bundle"
	"rinzel/internal/css/ast"
	"rinzel/internal/css/parse"
	"rinzel/internal/css/print"
	"rinzel/internal/diag"
	"rinzel/internal/emit"
	"rinzel/internal/graph"
	"rinzel/internal/inventory"
	"rinzel/internal/link"
	"rinzel/internal/pipeline"
	"rinzel/internal/project"
	"rinzel/internal/source"
	"rinzel/internal/step"
	"rinzel/internal/step/compose"
)

// This file keeps what each step makes of a bundle.

// Source is the name of the stage before the first step: sheets as they are
// written.
const Source = "source"

// StageNames returns the names of all stages that a project can have: those of
// each build, in order, and those of the steps of its settings.
func StageNames(s *project.Settings) []string {
	names := slices.Concat([]string{Source}, pipeline.Names(pipeline.OnSheet), []string{link.ImportParts, bundle.Join},
		pipeline.Names(pipeline.OnBundle))
	for _, o := range s.OwnSteps {
		if o.On == pipeline.OnSheet || o.On == pipeline.OnBundle {
			names = append(names, o.Name)
		}
	}
	return names
}

// Staged is a bundle, style element or sheet with what each step made of it.
type Staged struct {
	Name    string   // logical name of a bundle; displayed path of a sheet, or of the page of a style element
	Element bool     // it is a style element
	Sheets  []string // displayed paths of its source sheets, in cascade order
	Stages  []Stage  // in order; the first is [Source]

	pieces  []link.Piece
	element graph.Span         // in the page
	trees   []*link.ImportNode // of the linked sheets that its sheets come from
}

// Last returns the last stage: what is written.
func (s *Staged) Last() *Stage { return &s.Stages[len(s.Stages)-1] }

// Joined returns the rules of the bundle before the steps of the finish.
func (s *Staged) Joined() []ast.Node {
	for i := range s.Stages {
		if s.Stages[i].Step == bundle.Join {
			return s.Stages[i].nodes
		}
	}
	return nil
}

// Files returns the source sheets of the bundle, in cascade order. The file of a
// style element is that of its page.
func (s *Staged) Files() (out []*source.File) {
	for _, p := range s.pieces {
		if p.File != nil && !slices.Contains(out, p.File) {
			out = append(out, p.File)
		}
	}
	return out
}

// Parse returns the rules of a source sheet of the bundle as they are written, or
// as steps read them from another language.
func (s *Staged) Parse(f *source.File) []ast.Node {
	if s.Element && inventory.IsPage(f.Path.Name) {
		sheet, _ := parse.Part(f, s.element.Start, s.element.End)
		return sheet.Nodes
	}
	for _, p := range s.pieces {
		if p.File == f && p.Sheet != nil && (p.Sheet.Made != nil || p.Sheet.Blocks != nil) {
			return p.Sheet.Nodes
		}
	}
	sheet, _ := parse.Sheet(f)
	return sheet.Nodes
}

// Origin returns where a position of a source sheet comes from, by the source map
// that the sheet comes with: the name of a file, and the line and column from 1.
// ok is false if the sheet has none, or if the build makes no maps.
func (s *Staged) Origin(at source.Pos) (file string, line, column int, ok bool) {
	for _, p := range s.pieces {
		if p.Input == nil || p.File.ID != at.File {
			continue
		}
		line := p.File.Line(at.Off)
		if m, ok := p.Input.Map.Find(line, p.File.UTF16Column(line, at.Off)); ok {
			return p.Input.Files[m.Source].Name, m.SourceLine + 1, m.SourceColumn + 1, true
		}
	}
	return "", 0, 0, false
}

// Made returns what calls and loops made in the sheets of the bundle.
func (s *Staged) Made() (out []compose.Made) {
	for _, p := range s.pieces {
		out = append(out, p.Made...)
	}
	return out
}

// Imports returns the imports that lead to a sheet of the bundle, for each path
// without repeats: the nearest first, empty if the sheet is linked.
func (s *Staged) Imports(sheet source.Path) (out [][]source.Span) {
	for _, tree := range s.trees {
		for _, trail := range tree.Trails(sheet) {
			if !slices.ContainsFunc(out, func(o []source.Span) bool { return slices.Equal(o, trail) }) {
				out = append(out, trail)
			}
		}
	}
	return out
}

// treesOf returns the import trees of the sheets that pages link; without pages
// those of all linked sheets.
func (b *builder) treesOf(pages []*graph.Page) []*link.ImportNode {
	b.mu.Lock()
	defer b.mu.Unlock()
	var out []*link.ImportNode
	for e := range b.entries {
		isOf := func(p *graph.Page) bool { return slices.Contains(pages, p) }
		if len(pages) == 0 || slices.ContainsFunc(b.reachedBy[e], isOf) {
			out = append(out, e.Tree)
		}
	}
	slices.SortFunc(out, func(a, b *link.ImportNode) int { return cmp.Compare(a.Sheet, b.Sheet) })
	return out
}

// Stage is what a bundle is after a step.
type Stage struct {
	Step string // name of the step; [Source], [link.ImportParts], or [bundle.Join] for the joined sheets
	On   pipeline.Stage
	Took time.Duration // in all its sheets; 0 for the source

	sources []string // the texts of the source stage; otherwise nil
	nodes   []ast.Node
	sheets  [][]ast.Node // of a stage on sheets: nodes by sheet, without conditions of imports
	compact bool
	charset bool // the text declares its encoding
}

// Text returns the text after the step: of the source all texts, one after the
// other; after the last step what is written, without the comment that refers
// to the source map.
func (s *Stage) Text() []byte { return s.print(s.compact) }

// Print returns the text after a step, and its positions without those of an
// encoding that it declares.
func (s *Stage) Print(to print.Mapper) []byte {
	return print.Append(nil, s.nodes, print.Options{Compact: s.compact, Maps: to})
}

// Change is what a step changed in a sheet, or in a bundle as a whole.
type Change struct {
	Sheet string // displayed path; empty for a bundle as a whole
	// Before and After are in one layout, also if they are the source or are
	// minified, so that they can be compared line by line.
	Before, After string
}

// Changes returns what the stage at an index changed, for each sheet: those
// that it did not change have an equal text. The first stage changed nothing.
func (s *Staged) Changes(at int) []Change {
	if at == 0 {
		return nil
	}
	now, before := &s.Stages[at], &s.Stages[at-1]
	if now.On == pipeline.OnBundle {
		return []Change{{Before: string(before.print(false)), After: string(now.print(false))}}
	}
	var out []Change
	for i, sheet := range s.Sheets {
		out = append(out, Change{sheet, before.sheetText(i), now.sheetText(i)})
	}
	return out
}

// sheetText returns a sheet of a stage on sheets, by its index, in one layout.
func (s *Stage) sheetText(i int) string {
	if s.sources != nil {
		return print.Sheet(parseText(s.sources[i]), print.Options{})
	}
	return print.Sheet(s.sheets[i], print.Options{})
}

// print prints the stage.
func (s *Stage) print(compact bool) []byte {
	if s.sources != nil {
		return []byte(strings.Join(s.sources, ""))
	}
	text := print.Append(nil, s.nodes, print.Options{Compact: compact})
	if s.charset {
		text = bundle.DeclareCharset(text)
	}
	return text
}

// Nodes returns the rules after the step; nil for the source.
func (s *Stage) Nodes() []ast.Node { return s.nodes }

// Counts returns the numbers of rules and declarations after the step; of the
// source as they are written, so that a rule in a loop counts once.
func (s *Stage) Counts() ast.Counts {
	var sum ast.Counts
	for _, text := range s.sources {
		n := ast.Count(parseText(text))
		sum.Rules, sum.Declarations = sum.Rules+n.Rules, sum.Declarations+n.Declarations
	}
	if s.sources == nil {
		sum = ast.Count(s.nodes)
	}
	return sum
}

// newStaged returns the stages of a bundle. finished are those of its job;
// element is the range of a style element in its file, the page.
func newStaged(name string, job *bundle.Job, element graph.Span, finished []step.Stage) Staged {
	out := Staged{Name: name, Element: job.Kind == step.Element, pieces: job.Pieces, element: element}
	first := Stage{Step: Source, On: pipeline.OnSheet, sources: []string{}}
	for _, p := range job.Pieces {
		if p.File == nil || slices.Contains(out.Sheets, p.File.Name) {
			continue
		}
		text := p.File.Text
		if out.Element && inventory.IsPage(p.File.Path.Name) {
			text = text[element.Start:element.End]
		} else if p.Sheet != nil {
			text = p.Sheet.Text()
		}
		if !strings.HasSuffix(text, "\n") {
			text += "\n"
		}
		first.sources = append(first.sources, text)
		out.Sheets = append(out.Sheets, p.File.Name)
	}
	out.Stages = append(out.Stages, first)
	out.Stages = append(out.Stages, out.madeStages(first.sources)...)
	order := stageOrder(out.pieces)
	for i := range order {
		if s, ok := out.sheetStage(order, i); ok {
			out.Stages = append(out.Stages, s)
		}
	}
	for _, s := range finished {
		if s.Step != bundle.Print {
			out.Stages = append(out.Stages, Stage{Step: s.Step, On: pipeline.OnBundle, Took: s.Took, nodes: s.Nodes,
				compact: s.Compact, charset: job.Charset})
		}
	}
	return out
}

// parseText parses a text without reporting findings.
func parseText(text string) []ast.Node {
	sheet, _ := parse.Sheet(new(source.Set).Add(source.Path{}, "", text))
	return sheet.Nodes
}

// keepStages makes a job keep its stages and measure its steps, as far as the
// build does. The function returns the stages after the job.
func (b *builder) keepStages(job *bundle.Job, element graph.Span) func(name string) []Staged {
	var finished []step.Stage
	if b.linker.Stages || b.clock != nil {
		job.Ran = func(s step.Stage) {
			if b.clock != nil {
				b.clock.onBundle(s)
			}
			finished = append(finished, s)
		}
	}
	return func(name string) []Staged {
		if !b.linker.Stages {
			return nil
		}
		return []Staged{newStaged(name, job, element, finished)}
	}
}

// madeStages returns the stages of steps that read sheets from another language.
// texts are those of the sheets as they are written.
func (g *Staged) madeStages(texts []string) (out []Stage) {
	at := make(map[string]int)
	done := make(map[*source.File]bool)
	for _, p := range g.pieces {
		if p.File == nil || p.Sheet == nil || done[p.File] {
			continue
		}
		done[p.File] = true
		for _, m := range p.Sheet.Made {
			i, ok := at[m.Step]
			if !ok {
				i = len(out)
				at[m.Step] = i
				out = append(out, Stage{Step: m.Step, On: pipeline.OnSheet, sources: slices.Clone(texts)})
			}
			out[i].Took += m.Took
			for k := i; k < len(out); k++ {
				out[k].sources[slices.Index(g.Sheets, p.File.Name)] = m.Text
			}
		}
		if last := len(p.Sheet.Made) - 1; last >= 0 && len(out) > 0 {
			texts = slices.Clone(texts)
			texts[slices.Index(g.Sheets, p.File.Name)] = p.Sheet.Made[last].Text
		}
	}
	return out
}

// stageOrder returns the names of the stages of sheets, in order.
func stageOrder(pieces []link.Piece) []string {
	order := append(pipeline.Names(pipeline.OnSheet), link.ImportParts)
	for _, p := range pieces {
		next := 0
		for _, s := range p.Stages {
			at := slices.Index(order, s.Step)
			if at < 0 { // a step of the settings
				at = next
				order = slices.Insert(order, at, s.Step)
			}
			next = max(next, at+1)
		}
	}
	return order
}

// sheetStage returns what the sheets of a bundle are after a step of their
// chains, given by its index in the order of all. ok is false if none has it.
func (g *Staged) sheetStage(order []string, at int) (s Stage, ok bool) {
	name := order[at]
	s = Stage{Step: name, On: pipeline.OnSheet, sheets: make([][]ast.Node, len(g.Sheets))}
	after := make([]link.Piece, len(g.pieces))
	timed := make(map[*source.File]bool)
	for i, p := range g.pieces {
		after[i] = p
		for _, done := range p.Stages {
			if slices.Index(order, done.Step) > at {
				break
			}
			after[i].Nodes = done.Nodes
			if done.Step == name {
				ok = true
				if !timed[p.File] {
					timed[p.File] = true
					s.Took += done.Took
				}
			}
		}
	}
	if !ok {
		return s, false
	}
	s.nodes = bundle.Joined(after)
	for _, p := range after {
		if p.File != nil {
			i := slices.Index(g.Sheets, p.File.Name)
			s.sheets[i] = append(slices.Clip(s.sheets[i]), p.Nodes...)
		}
	}
	return s, true
}

// Subject names a page, bundle or sheet.
type Subject struct {
	// Name is a displayed path of a page, the logical name or the written path
	// of a bundle, or the path of either in the working folder.
	Name string
	// Sheet is the path of a sheet in the source folder, or "root:path"; empty if
	// it can be none.
	Sheet string
}

// Stages builds a project, and returns what each step makes of a page, bundle or
// sheet: of a page for each of its bundles and style elements. A sheet is built
// on its own with its imports. If no page links it, but a sheet imports it, it
// is the sheet without its imports, as the importing sheet composes it. If the
// sources have errors, they are in the result.
func Stages(ctx context.Context, p *project.Project, of Subject, opts Options) ([]Staged, *Result, error) {
	opts.KeepStages, opts.WithoutChecks = true, true
	b, err := newBuilder(ctx, p, opts)
	if err != nil {
		return nil, nil, err
	}
	isHTML := func(p source.Path) bool { return inventory.IsPage(p.Name) }
	if !slices.ContainsFunc(b.files.List("").Files, isHTML) && len(p.Settings.Bundles) == 0 { // nothing is unused
		b.profile.Finish = pipeline.WithoutSite(b.profile.Finish)
	}
	name := path.Clean(of.Name)
	isName := func(names ...string) bool { return slices.Contains(names, name) }
	isPage := func(p *graph.Page) bool { return isName(p.File.Name, p.File.Path.Name, b.written(p.File.Path.Name)) }
	plain := emit.UnhashedName(name)
	res, err := b.buildPart(ctx, Part{Page: isPage, Bundle: func(logical string, _ []string) bool {
		return isName(logical, b.written(logical)) || plain == logical || plain == b.written(logical)
	}})
	if err != nil {
		return nil, nil, err
	}
	if len(res.Pages)+len(res.Bundles) > 0 {
		return res.Staged, res, nil
	}
	list, err := b.stagesOfSheet(ctx, of)
	if err != nil {
		return nil, nil, err
	}
	res.Diagnostics, res.Checks = b.findings()
	return list, res, nil
}

// written returns the path of an output in the working folder.
func (b *builder) written(output string) string {
	return path.Join(filepath.ToSlash(b.project.Output), output)
}

// stagesOfSheet builds a single sheet.
func (b *builder) stagesOfSheet(ctx context.Context, of Subject) ([]Staged, error) {
	unknown := fmt.Errorf("no page, bundle or sheet has the name %q%s", of.Name, b.nearSubject(of.Name))
	if of.Sheet == "" {
		return nil, unknown
	}
	at, err := b.sheetNamed(of.Sheet)
	if err != nil {
		return nil, err
	}
	if _, err := b.cache.linked.Sheets.Load(b.files, at); err != nil || !b.files.HasSheet(at) {
		return nil, unknown
	}
	job := bundle.Job{Kind: step.Bundle, Path: at, Files: b.files.Reader, Finish: b.finish, Report: func(...diag.Diagnostic) {},
		Address: func(bundle.URL) (string, bool) { return "", false }}
	job.Pieces = b.importedPieces(at)
	if job.Pieces == nil {
		job.Pieces = slices.Clone(b.entryOf(ctx, at).Distinct)
	}
	finished := b.keepStages(&job, graph.Span{})
	if _, err := job.Make(ctx); err != nil {
		return nil, err
	}
	return finished(b.files.Show(at)), nil
}

// importedPieces returns the pieces of a sheet that no page links, from the
// first entry that imports it; nil if there is none.
func (b *builder) importedPieces(at source.Path) (out []link.Piece) {
	entries := make([]*link.Entry, 0, len(b.entries))
	for e := range b.entries {
		if e.Path == at {
			return nil
		}
		entries = append(entries, e)
	}
	slices.SortFunc(entries, func(a, b *link.Entry) int { return cmp.Compare(a.Path.String(), b.Path.String()) })
	for _, e := range entries {
		for _, p := range e.Pieces {
			if p.File != nil && p.File.Path == at {
				p.Conditions = nil
				out = append(out, p)
			}
		}
		if out != nil {
			return out
		}
	}
	return nil
}

// nearSubject returns the end of a message about a name that nothing has.
func (b *builder) nearSubject(name string) string {
	var names []string
	for _, p := range b.files.Sheets() {
		names = append(names, b.files.Show(p))
	}
	for _, p := range b.pages {
		names = append(names, p.File.Name)
	}
	return diag.OrNear(path.Clean(name), names)
}
