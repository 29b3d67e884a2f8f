package site

import (
	"context"
	"path"
	"slices"
	"strings"

	"rinzel/internal/cache"
	"rinzel/internal/diag"
	"rinzel/internal/diag/code"
	"rinzel/internal/emit"
	"rinzel/internal/graph"
	"rinzel/internal/modules"
	"rinzel/internal/pipeline"
	"rinzel/internal/source"
)

// This file builds components: files with markup, script and style blocks. Style
// blocks join the bundles of the pages that reach the component, or stay in it and
// go through their chain in place.

// componentSheet returns the style blocks of a component that join bundles, as one
// sheet. The error is like that of [source.Tree.Text], or that the build was
// cancelled.
func (b *builder) componentSheet(ctx context.Context, files source.Reader, p source.Path) (*graph.Sheet, error) {
	f, err := files.Text(p)
	if err != nil {
		return nil, err
	}
	sheet := &graph.Sheet{File: f, Blocks: []graph.Span{}}
	c := b.files.Component(f)
	var texts []string // of the blocks
	for i := range c.Styles {
		block := &c.Styles[i]
		if !b.files.JoinsBundles(block) {
			continue
		}
		nodes, made, found, err := b.cache.own.Block(ctx, files, f, block.Text, block.Language)
		if err != nil {
			return nil, err
		}
		sheet.Blocks = append(sheet.Blocks, block.Text)
		sheet.Nodes, sheet.Diagnostics = append(sheet.Nodes, nodes...), append(sheet.Diagnostics, found...)
		texts = append(texts, f.Text[block.Text.Start:block.Text.End])
		for _, m := range made {
			texts[len(texts)-1] = m.Text
			m.Text = strings.Join(texts, "") + b.joiningText(f, c.Styles[i+1:])
			sheet.Made = append(sheet.Made, m)
		}
	}
	return sheet, nil
}

// joiningText returns the texts of blocks that join bundles, as they are written.
func (b *builder) joiningText(f *source.File, blocks []graph.StyleBlock) (out string) {
	for i := range blocks {
		if b.files.JoinsBundles(&blocks[i]) {
			out += f.Text[blocks[i].Text.Start:blocks[i].Text.End]
		}
	}
	return out
}

// componentEdits returns the edits of a component: style blocks that join bundles
// are removed, others replaced by what their chain makes of them, and a component
// whose sheet is loaded by a script imports that script. address returns the URL of
// an output file.
func (b *builder) componentEdits(ctx context.Context, l *loading, c *graph.Component,
	address func(name string) string) (edits []graph.Edit, assets []emit.Asset) {
	text := c.File.Text
	var gone []graph.Span
	for i := range c.Styles {
		block := &c.Styles[i]
		if b.files.JoinsBundles(block) {
			if last := len(gone) - 1; last >= 0 && strings.TrimSpace(text[gone[last].End:block.Whole.Start]) == "" {
				gone[last].End = block.Whole.End
			} else {
				gone = append(gone, block.Whole)
			}
			continue
		}
		m := b.blockInside(ctx, c, block, address)
		assets = append(assets, m.refs.assets...)
		if m.replaces {
			edits = append(edits, graph.Edit{At: block.Text, With: m.css})
			if block.Language != "css" {
				edits = append(edits, graph.Edit{At: withSpaceBefore(text, block.Named)})
			}
		}
	}
	for _, at := range gone {
		edits = append(edits, graph.Edit{At: wholeLines(text, at)})
	}
	if name, ok := l.moduleFor(c.File.Path); ok {
		statement := "import " + quoted(relativeSpecifier(address(name))) + ";"
		if c.ScriptEnd >= 0 { // after its other imports, which are evaluated first
			edits = append(edits, graph.Edit{At: graph.Span{Start: c.ScriptEnd, End: c.ScriptEnd}, With: "\n" + statement + "\n"})
		} else {
			edits = slices.Insert(edits, 0, graph.Edit{With: "<script>\n" + statement + "\n</script>\n"}) // before what starts there
		}
	}
	return edits, assets
}

// wholeLines extends a range by the line breaks after it and the indentation before
// it, if nothing else is in its lines.
func wholeLines(text string, at graph.Span) graph.Span {
	start := len(strings.TrimRight(text[:at.Start], " \t"))
	end := len(text) - len(strings.TrimLeft(text[at.End:], " \t"))
	if start > 0 && text[start-1] != '\n' || end < len(text) && text[end] != '\n' && text[end] != '\r' {
		return at
	}
	rest := strings.TrimLeft(text[end:], "\r\n")
	if end = len(text) - len(rest); rest == "" { // the blank line before the last block goes, too
		start = len(strings.TrimRight(text[:start], " \t\r\n"))
		start += len(text[start:]) - len(strings.TrimLeft(text[start:], "\r"))
		if start < len(text) && text[start] == '\n' {
			start++
		}
	}
	return graph.Span{Start: start, End: end}
}

// withSpaceBefore extends a range by the white space before it.
func withSpaceBefore(text string, at graph.Span) graph.Span {
	return graph.Span{Start: len(strings.TrimRight(text[:at.Start], " \t\r\n\f")), End: at.End}
}

// blockInside builds a style block that stays in its component.
func (b *builder) blockInside(ctx context.Context, c *graph.Component, block *graph.StyleBlock,
	address func(name string) string) *madeElement {
	same := func(m *madeElement) bool {
		return m.component == c && b.areCurrent(&m.refs) && (m.entry == nil || b.linker.IsCurrent(m.entry))
	}
	m := b.cache.elements.Get(b.files.Reader, elementKey{c.File.Path, block.Text.Start}, same,
		func(r *cache.Reads) (*madeElement, bool) {
			m, err := b.makeBlock(ctx, c, block, r, address)
			if err != nil {
				b.fail(err)
			}
			return m, err == nil
		})
	if m.entry != nil {
		b.reach(m.entry)
	}
	b.report(m.diags...)
	return m
}

// makeBlock builds a style block that stays in its component. It is not purged: what
// compiles the component may change its selectors.
func (b *builder) makeBlock(ctx context.Context, c *graph.Component, block *graph.StyleBlock, r *cache.Reads,
	address func(name string) string) (*madeElement, error) {
	m := &madeElement{component: c}
	f := c.File
	if !b.project.Settings.ReadsBlock(block.Language) {
		m.diags = append(m.diags, diag.Diagnostic{Code: code.UnknownLanguage, Severity: diag.Note,
			Span:    f.Pos(block.Named.Start).To(uint32(block.Named.End)),
			Message: "no step takes the language of this style block, so it stays as it is",
			Fix:     "add a step with on = \"sheet\" and takes = \"" + block.Language + "\""})
		return m, nil
	}
	nodes, made, found, err := b.cache.own.Block(ctx, r, f, block.Text, block.Language)
	if err != nil {
		return m, err
	}
	if made == nil && len(found) > 0 { // it may be in another language after all
		for _, d := range found {
			d.Severity = min(d.Severity, diag.Warning)
			d.Message += "; the style block is left unchanged"
			m.diags = append(m.diags, d)
		}
		return m, nil
	}
	sheet := &graph.Sheet{File: f, Nodes: nodes, Made: made, Diagnostics: found, Blocks: []graph.Span{block.Text}}
	finish, err := pipeline.New(pipeline.WithoutSite(b.profile.Finish), b.stepSettings())
	if err != nil {
		return m, err
	}
	return m, b.buildElement(ctx, m, element{file: f, sheet: sheet, part: block.Text, finish: finish, compiled: true, output: emit.PlainName(f.Path),
		address: address}, r)
}

// finishComponent adds a component to the outputs.
func (b *builder) finishComponent(ctx context.Context, l *loading, mod *modules.Module,
	add func(func(*scriptOutputs))) {
	c := mod.Component
	p := c.File.Path
	from := emit.PlainName(p)
	address := func(to string) string { return graph.Relative(from, to) }
	edits := b.scriptEdits(l, mod, address)
	more, assets := b.componentEdits(ctx, l, c, address)
	edits = append(edits, more...)
	finished, ok := b.finishScript(ctx, p, mod.File, edits)
	if !ok {
		if len(edits) == 0 {
			return
		}
		finished = finishedScript{data: c.File.Encoded(graph.Apply(c.File.Text, edits)), was: int64(len(c.File.Text))}
	}
	add(func(out *scriptOutputs) {
		finished.addTo(out, p)
		out.assets = append(out.assets, assets...)
		out.others[p] = !b.compiles(p)
	})
}

// compiles reports whether a step makes a script of a component.
func (b *builder) compiles(p source.Path) bool {
	return b.files.IsComponent(p) && b.project.Settings.Compiled(p, b.profile.Name)
}

// fileName returns the output path of a file whose name does not change, except for
// that of a compiled component, which becomes the name of a script.
func (b *builder) fileName(p source.Path) string {
	name := emit.PlainName(p)
	if b.compiles(p) {
		return name + ".js"
	}
	return name
}

// relativeSpecifier returns a URL as the specifier of an import.
func relativeSpecifier(address string) string {
	if strings.HasPrefix(address, "../") || path.IsAbs(address) {
		return address
	}
	return "./" + address
}

// quoted returns a URL as a string of a script.
func quoted(address string) string { return `"` + strings.ReplaceAll(address, `"`, `\"`) + `"` }
