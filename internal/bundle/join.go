package bundle

import (
	"fmt"
	"slices"

	"rinzel/internal/css/ast"
	"rinzel/internal/diag"
	"rinzel/internal/diag/code"
	"rinzel/internal/link"
	"rinzel/internal/source"
)

// join joins the nodes of pieces, each wrapped in its conditions. External
// imports and namespaces come first.
func join(pieces []link.Piece, report func(...diag.Diagnostic)) []ast.Node {
	var head, body []ast.Node
	namespaces := namespaceJoiner{report: report, alone: len(pieces) == 1}
	var plain []link.Piece
	for _, p := range pieces {
		if p.External != nil {
			// Only layer statements precede it; see [checkExternal].
			head = append(head, wrap(plain)...)
			plain = nil
			head = append(head, p.External)
			continue
		}
		p.Nodes = namespaces.take(p.Nodes)
		plain = append(plain, p)
	}
	body = append(body, wrap(plain)...)
	return slices.Concat(head, namespaces.rules, body)
}

// Joined returns the joined nodes of pieces, as [Job.Make] joins them, but with
// their URLs as they are. Problems are not reported.
func Joined(pieces []link.Piece) []ast.Node {
	return join(slices.Clone(pieces), func(...diag.Diagnostic) {})
}

// wrap wraps pieces in blocks for their conditions. Pieces with the same
// condition share a block.
func wrap(pieces []link.Piece) []ast.Node {
	var out []ast.Node
	for i := 0; i < len(pieces); {
		if len(pieces[i].Conditions) == 0 {
			out = append(out, pieces[i].Nodes...)
			i++
			continue
		}
		first := pieces[i].Conditions[0]
		var inner []link.Piece
		for i < len(pieces) && len(pieces[i].Conditions) > 0 && pieces[i].Conditions[0] == first {
			p := pieces[i]
			p.Conditions = p.Conditions[1:]
			inner = append(inner, p)
			i++
		}
		out = append(out, first.Wrap(wrap(inner)))
	}
	return out
}

// checkExternal reports an external import that something precedes, if there
// can be only one sheet.
func checkExternal(pieces []link.Piece, report func(...diag.Diagnostic)) {
	var before *source.File
	for i := range pieces {
		p := &pieces[i]
		if p.External != nil && before != nil {
			report(diag.Diagnostic{Code: code.ExternalImport, Severity: diag.Error, Span: p.External.Span(),
				Message: fmt.Sprintf("an external sheet is imported after rules of %q: a single sheet cannot express this order", before.Name),
				Fix:     "import it before all other sheets, or link it from the page"})
			return
		}
		if !p.MayPrecedeExternal() {
			before = p.File
		}
	}
}
