package lsp

import (
	"context"
	"path/filepath"
	"strings"

	"rinzel/internal/css/ast"
	"rinzel/internal/css/format"
	"rinzel/internal/css/parse"
	"rinzel/internal/css/token"
	"rinzel/internal/diag"
	"rinzel/internal/source"
)

// parsed returns the nodes of an open sheet; nil for other documents.
func (s *server) parsed(uri string) (*document, []ast.Node) {
	d := s.documents[uri]
	if d == nil || !strings.EqualFold(filepath.Ext(d.name), ".css") {
		return nil, nil
	}
	sheet, _ := parse.Sheet(source.Detached(source.Path{Name: filepath.Base(d.name)}, d.name, d.text))
	return d, sheet.Nodes
}

// onDocument are the parameters of requests about a whole document.
type onDocument struct {
	TextDocument textDocument `json:"textDocument"`
}

// documentSymbols lists the rules and definitions of a sheet.
func (s *server) documentSymbols(_ context.Context, p onDocument) (any, error) {
	d, nodes := s.parsed(p.TextDocument.URI)
	if d == nil {
		return null, nil
	}
	return symbolsOf(d, nodes), nil
}

// symbolsOf returns the symbols of nodes.
func symbolsOf(d *document, nodes []ast.Node) []symbol {
	out := []symbol{}
	for _, n := range nodes {
		kind := symbolClass
		switch n := n.(type) {
		case *ast.StyleRule, *ast.QualifiedRule:
		case *ast.AtRule:
			switch token.Lower(n.Name) {
			case "import", "charset", "layer", "contents", "slot", "take":
				if n.Block == nil {
					continue
				}
			}
			if kind = symbolNamespace; n.Block == nil {
				kind = symbolConstant
			}
			if name := token.Lower(n.Name); name == "mixin" || name == "function" {
				kind = symbolFunction
			}
		case *ast.Declaration:
			if !n.IsCustom() {
				continue
			}
			kind = symbolProperty
		default:
			continue
		}
		head, whole := n.Span(), ast.WholeSpan(n)
		name := strings.Join(strings.Fields(d.text[head.Start.Off:head.End]), " ")
		name = strings.TrimSuffix(name, ";")
		if name == "" {
			continue
		}
		const longest = 80
		if r := []rune(name); len(r) > longest {
			name = string(r[:longest-1]) + "…"
		}
		one := symbol{Name: name, Kind: kind, Range: rangeIn(d.text, int(whole.Start.Off), int(whole.End)),
			SelectionRange: rangeIn(d.text, int(head.Start.Off), int(head.End))}
		if children := symbolsOf(d, ast.Body(n)); len(children) > 0 {
			one.Children = children
		}
		out = append(out, one)
	}
	return out
}

// foldingRanges lists the blocks and comments of several lines.
func (s *server) foldingRanges(_ context.Context, p onDocument) (any, error) {
	d, nodes := s.parsed(p.TextDocument.URI)
	if d == nil {
		return null, nil
	}
	out := []foldingRange{}
	ast.Walk(nodes, func(n ast.Node) bool {
		span := ast.WholeSpan(n)
		where := rangeIn(d.text, int(span.Start.Off), int(span.End))
		kind := ""
		if _, ok := n.(*ast.Comment); ok {
			kind = "comment"
		} else if ast.Body(n) == nil {
			return true
		}
		if where.End.Line > where.Start.Line {
			out = append(out, foldingRange{where.Start.Line, where.End.Line, kind})
		}
		return true
	})
	return out, nil
}

// formatting returns the edit that brings a sheet into the readable form. A sheet with
// errors stays as it is.
func (s *server) formatting(_ context.Context, p onDocument) (any, error) {
	d, nodes := s.parsed(p.TextDocument.URI)
	if d == nil || nodes == nil {
		return null, nil
	}
	text, found, err := format.Sheet(source.Detached(source.Path{Name: filepath.Base(d.name)}, d.name, d.text))
	if err != nil || diag.HasErrors(found) || text == d.text {
		return []textEdit{}, nil
	}
	return []textEdit{{rangeIn(d.text, 0, len(d.text)), text}}, nil
}
