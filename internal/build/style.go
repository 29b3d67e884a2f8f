package build

import (
	"slices"
	"strings"

	"rinzel/internal/css/ast"
	"rinzel/internal/css/parse"
	"rinzel/internal/diag"
	"rinzel/internal/graph"
	"rinzel/internal/source"
	"rinzel/internal/step"
)

// This file takes the style elements of pages through the chain and the finish,
// in place.

// styleElements returns the edits that put what comes of a page's style
// elements in their place.
func (b *builder) styleElements(res *pageResult) []graph.Edit {
	var edits []graph.Edit
	for _, at := range res.page.Styles {
		if css, ok := b.styleElement(res, at); ok {
			edits = append(edits, graph.Edit{At: at, With: css})
		}
	}
	return edits
}

// styleElement returns what comes of the text of one. ok is false if it stays as
// it is: what is no clean sheet may be meant for a program that makes a page of it.
func (b *builder) styleElement(res *pageResult, at graph.Span) (css string, ok bool) {
	p := res.page
	key := blockKey{p, at.Start}
	kept := b.memory.block(key, b.evidence, b.uses)
	if kept == nil {
		kept = b.styleAnew(p, at)
		b.memory.keepBlock(key, kept)
	}
	if kept.entry != nil {
		b.tell(kept.entry)
		b.noteReached(p, []*entry{kept.entry})
	}
	b.report(kept.names.diags...)
	b.keptBy.Or(kept.rules.KeptBy)
	res.verdicts = append(res.verdicts, kept.verdicts...)
	res.assets = append(res.assets, kept.names.assets...)
	return kept.css, kept.ok
}

// styleAnew works out what comes of a style element.
func (b *builder) styleAnew(p *graph.Page, at graph.Span) *keptBlock {
	kept := &keptBlock{evidence: b.evidence, uses: b.uses}
	from, external := b.baseOf(p)
	if p.Base != "" && at.Start < p.BaseAt {
		from, external = p.File.Path, false
	}
	if p.IsXML() && strings.ContainsAny(p.File.Text[at.Start:at.End], "&<") {
		return kept // its text is not what it reads as
	}
	if external || isTemplate(p.File.Text[at.Start:at.End]) {
		return kept // its addresses count from elsewhere, or it is no sheet yet
	}
	f, sheet, diags := b.parseBlock(p, from, at)
	if len(diags) > 0 {
		for i := range diags {
			diags[i].Severity = min(diags[i].Severity, diag.Warning)
			diags[i].Message += "; this style element stays as it is"
		}
		kept.names.diags = diags
		return kept
	}
	kept.entry = newEntry(from)
	b.assemble(kept.entry, &graph.Sheet{File: f, Nodes: sheet.Nodes, Diagnostics: diags})
	job := bundleJob{
		report: func(ds ...diag.Diagnostic) { kept.names.diags = append(kept.names.diags, ds...) },
		name:   p.File.Path.Name, pieces: repeated(kept.entry.pieces), kind: step.Element, within: true, at: p.File.Pos(at.Start).To(uint32(at.End)),
		address: b.moved(&kept.names, func(to string) string { return b.addressOf(p, to) }),
	}
	made := b.bundle(job)
	kept.css, kept.ok, kept.rules, kept.verdicts = styleText(made), true, made.info.Rules, made.verdicts
	return kept
}

// styleText returns a sheet as it stands in a style element.
func styleText(made bundleResult) string {
	text := strings.TrimPrefix(string(made.css), charsetRule)
	if made.compact {
		return withinStyle(strings.TrimSuffix(text, "\n"))
	}
	return withinStyle("\n" + text)
}

// templateMarks start what programs put text in the place of. No sheet has them
// but in strings and comments.
var templateMarks = []string{"{{", "{%", "<%", "<?", "${", "[["}

func isTemplate(text string) bool {
	return slices.ContainsFunc(templateMarks, func(mark string) bool { return strings.Contains(text, mark) })
}

// parseBlock parses a style element of a page. Places in it are those of the page, whose text the file shares; addresses
// in it count from a path.
func (b *builder) parseBlock(p *graph.Page, from source.Path, part graph.Span) (*source.File, *ast.Stylesheet, []diag.Diagnostic) {
	f := b.project.Tree.Set.Add(from, p.File.Name, p.File.Text)
	sheet, diags := parse.Part(f, part.Start, part.End)
	return f, sheet, diags
}

// withinStyle returns a sheet as it may stand in a style element, which the
// first end tag in it would end.
func withinStyle(css string) string {
	const end = "</style"
	for i := 0; i+len(end) <= len(css); i++ {
		if strings.EqualFold(css[i:i+len(end)], end) {
			css = css[:i+1] + `\` + css[i+1:]
		}
	}
	return css
}
