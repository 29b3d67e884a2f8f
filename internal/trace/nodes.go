package trace

import (
	"path"
	"path/filepath"
	"slices"
	"strings"

	"rinzel/internal/css/ast"
	"rinzel/internal/css/parse"
	"rinzel/internal/css/print"
	"rinzel/internal/css/token"
	"rinzel/internal/emit"
	"rinzel/internal/source"
)

// This file finds nodes by their positions in sources and outputs.

// flatNode is a declaration or rule with the rules around it, outermost first.
type flatNode struct {
	node   ast.Node
	around []ast.Node
}

// flat returns the declarations and rules in nodes, parents before children.
func flat(nodes []ast.Node) []flatNode {
	var out []flatNode
	var add func(list, around []ast.Node)
	add = func(list, around []ast.Node) {
		for _, n := range list {
			switch r := n.(type) {
			case *ast.Comment, *ast.BadRule, *ast.BadDeclaration:
				continue
			case *ast.AtRule:
				if token.EqualFold(r.Name, "charset") {
					continue // the printer adds it
				}
			}
			out = append(out, flatNode{n, around})
			add(ast.Body(n), append(slices.Clip(around), n))
		}
	}
	add(nodes, nil)
	return out
}

// selectors returns the selectors of the innermost style rule: the node itself,
// or around it.
func (n flatNode) selectors() []ast.Selector {
	for _, r := range slices.Backward(append(slices.Clip(n.around), n.node)) {
		if rule, ok := r.(*ast.StyleRule); ok {
			return rule.Selectors
		}
	}
	return nil
}

// text returns the node on one line, with the heads of the rules around it: "a {
// color: red }".
func (n flatNode) text() string {
	var b strings.Builder
	for _, r := range n.around {
		b.WriteString(head(r) + " { ")
	}
	if d, ok := n.node.(*ast.Declaration); ok {
		b.WriteString(declarationText(d))
	} else {
		b.WriteString(head(n.node))
	}
	if len(n.around) > 0 {
		b.WriteString(strings.Repeat(" }", len(n.around)))
	}
	return b.String()
}

// declarationText returns a declaration on one line.
func declarationText(d *ast.Declaration) string {
	return strings.TrimSuffix(strings.TrimSpace(print.Sheet([]ast.Node{d}, print.Options{})), ";")
}

// head returns the selectors or the prelude of a rule.
func head(n ast.Node) string {
	switch n := n.(type) {
	case *ast.StyleRule:
		return string(print.AppendSelectors(nil, n.Selectors))
	case *ast.QualifiedRule:
		return print.Values(n.Prelude)
	case *ast.AtRule:
		return strings.TrimSpace("@" + n.Name + " " + print.Values(n.Prelude))
	}
	return strings.TrimSpace(print.Sheet([]ast.Node{n}, print.Options{}))
}

// textsOf returns the different texts of nodes, in order.
func textsOf(list []flatNode) []string {
	var out []string
	for _, n := range list {
		if text := n.text(); !slices.Contains(out, text) {
			out = append(out, text)
		}
	}
	return out
}

// lastPart returns the position of the part of a rule's selectors that is last
// in the source: of a nested rule that was expanded, it is in the nested rule.
func lastPart(r *ast.StyleRule) source.Pos {
	at := r.Pos()
	for _, s := range r.Selectors {
		for i := range s {
			if p := s[i].Pos; p.IsValid() && p.File == at.File && p.Off > at.Off {
				at = p
			}
		}
	}
	return at
}

// matching returns the nodes that come from a node of a source, which has a
// span and is like another one.
func matching(nodes []ast.Node, found source.Span, like ast.Node) []flatNode {
	_, wantRule := like.(*ast.StyleRule)
	var out []flatNode
	for _, n := range flat(nodes) {
		switch r := n.node.(type) {
		case *ast.StyleRule:
			if wantRule && partIn(r, found) {
				out = append(out, n)
			}
		default:
			if !wantRule && n.node.Pos() == found.Start {
				out = append(out, n)
			}
		}
	}
	return out
}

// partIn reports whether the last part of one of a rule's selectors is in a
// span.
func partIn(r *ast.StyleRule, span source.Span) bool {
	return slices.ContainsFunc(r.Selectors, func(s ast.Selector) bool {
		at := lastPart(&ast.StyleRule{Selectors: []ast.Selector{s}})
		return at.File == span.Start.File && at.Off >= span.Start.Off && at.Off < span.End
	})
}

// nodeAt returns the index of the innermost declaration or rule that contains an
// offset; -1 if there is none. With anywhere, it is the
// first that starts in the line of the offset.
func nodeAt(nodes []flatNode, f *source.File, off uint32, anywhere bool) int {
	best := -1
	for i, n := range nodes {
		at := ast.WholeSpan(n.node)
		switch {
		case !at.IsValid() || at.Start.File != f.ID:
		case anywhere && f.Line(at.Start.Off) == f.Line(off):
			return i
		case !anywhere && at.Start.Off <= off && off < at.End:
			best = i
		}
	}
	return best
}

// printedText is the text of a bundle or style element in an output.
type printedText struct {
	file  string       // path of the output; empty for an adopted bundle
	start int          // offset of the text in the output
	whole *source.File // the output
	text  *source.File // the style in it
	nodes []flatNode   // of text
	made  []flatNode   // what was printed, parallel to nodes; nil if they do not correspond
}

// text returns the printed text of a bundle or style element; nil if it is in
// no output.
func (t *Tracer) text(i int) *printedText {
	if known, ok := t.printed[i]; ok {
		return known
	}
	p := t.printText(i)
	t.printed[i] = p
	return p
}

// printText finds the text of a bundle or style element in the outputs.
func (t *Tracer) printText(i int) *printedText {
	s := &t.res.Staged[i]
	css := string(s.Last().Text())
	file := t.fileOf(i)
	for _, o := range t.res.Outputs {
		if o.Path != file || o.Kind != emit.StyleKind && o.Kind != emit.PageKind {
			continue
		}
		whole := string(o.Data)
		start := 0
		if o.Kind == emit.PageKind {
			css = strings.ReplaceAll(strings.TrimSpace(css), "</style", `<\/style`)
			if start = strings.Index(whole, css); start < 0 || css == "" {
				return nil
			}
		}
		files := new(source.Set)
		p := &printedText{file: file, start: start, whole: files.Add(source.Path{}, "", whole),
			text: files.Add(source.Path{}, "", css)}
		sheet, _ := parse.Sheet(p.text)
		p.nodes = flat(sheet.Nodes)
		if made := flat(s.Last().Nodes()); len(made) == len(p.nodes) {
			p.made = made
		}
		return p
	}
	return nil
}

// fileOf returns the path of the output with a bundle or style element.
func (t *Tracer) fileOf(i int) string {
	s := &t.res.Staged[i]
	if s.Element {
		for _, p := range t.res.Pages {
			if p.Name == s.Name {
				return p.Path()
			}
		}
		return ""
	}
	for _, b := range t.res.Bundles {
		switch {
		case b.Name != s.Name:
		case b.Inline:
			return b.PagePaths()[0]
		case !b.Adopted:
			return b.Path
		}
	}
	return ""
}

// offset returns the offset in the style of a place in the output. ok is false
// if it is outside of the style.
func (p *printedText) offset(at Place) (off uint32, ok bool) {
	if at.Line < 1 || at.Line > p.whole.Lines() {
		return 0, false
	}
	in := int(p.whole.UTF16Offset(at.Line-1, max(0, at.Column-1))) - p.start
	if in < 0 && at.Column == 0 && p.whole.Line(uint32(p.start)) == at.Line-1 {
		in = 0
	}
	return uint32(max(in, 0)), in >= 0 && in <= len(p.text.Text)
}

// at returns the index of the node at an offset, see [nodeAt].
func (p *printedText) at(off uint32, anywhere bool) int {
	if p.made == nil {
		return -1
	}
	return nodeAt(p.nodes, p.text, off, anywhere)
}

// source returns the node that was printed as the one with an index.
func (p *printedText) source(k int) ast.Node { return p.made[k].node }

// written returns the place of a node in the output.
func (p *printedText) written(t *Tracer, k int) Written {
	n := p.nodes[k]
	line, column := p.whole.Position(uint32(p.start) + n.node.Pos().Off)
	return Written{File: path.Join(filepath.ToSlash(t.project.Output), p.file), Line: line, Column: column,
		Text: n.text()}
}

// writtenAt returns the places of nodes of the last stage in the output of a
// bundle or style element.
func (t *Tracer) writtenAt(i int, matched []flatNode) []Written {
	s := &t.res.Staged[i]
	p := t.text(i)
	if p == nil || p.made == nil {
		var out []Written
		for _, text := range textsOf(matched) {
			out = append(out, Written{File: s.Name, Text: text})
		}
		return out
	}
	var out []Written
	for k, n := range p.made {
		if slices.ContainsFunc(matched, func(m flatNode) bool { return m.node == n.node }) {
			out = append(out, p.written(t, k))
		}
	}
	return out
}
