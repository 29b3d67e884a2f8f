package graph

import (
	"sync"

	"rinzel/internal/css/ast"
	"rinzel/internal/css/parse"
	"rinzel/internal/css/token"
	"rinzel/internal/diag"
	"rinzel/internal/source"
)

// Sheet is a style sheet that was read.
type Sheet struct {
	File        *source.File
	Nodes       []ast.Node
	Diagnostics []diag.Diagnostic // what was found when it was read
}

// Sheets reads each style sheet once. It is safe for concurrent use.
type Sheets struct {
	Tree *source.Tree

	mu   sync.Mutex
	kept map[source.Path]*sheetReading
}

type sheetReading struct {
	once  sync.Once
	sheet *Sheet
	err   error
}

// Load returns the sheet at a path. The error is as [source.Tree.Text] returns it.
func (s *Sheets) Load(p source.Path) (*Sheet, error) {
	s.mu.Lock()
	if s.kept == nil {
		s.kept = make(map[source.Path]*sheetReading)
	}
	r := s.kept[p]
	if r == nil {
		r = new(sheetReading)
		s.kept[p] = r
	}
	s.mu.Unlock()
	r.once.Do(func() {
		f, err := s.Tree.Text(p)
		if err != nil {
			r.err = err
			return
		}
		tree, diags := parse.Sheet(f)
		r.sheet = &Sheet{f, tree.Nodes, append(diags, checkCharset(f, tree.Nodes)...)}
	})
	return r.sheet, r.err
}

// checkCharset reports a sheet that says it is in another encoding than the
// one in which it was read.
func checkCharset(f *source.File, nodes []ast.Node) []diag.Diagnostic {
	if len(nodes) == 0 {
		return nil
	}
	r, ok := nodes[0].(*ast.AtRule)
	if !ok || r.Name != "charset" || len(r.Prelude) != 1 || r.Prelude[0].Kind != token.String {
		return nil
	}
	name := token.StringValue(r.Prelude[0].Text)
	if token.EqualFold(name, "utf-8") || token.EqualFold(name, "us-ascii") || isASCII(f.Text) {
		return nil
	}
	return []diag.Diagnostic{{
		Code: "charset", Severity: diag.Error, Span: r.Span(),
		Message: "the sheet says that it is in the encoding " + name + ", but holds UTF-8 text",
		Mend:    `write @charset "utf-8"; or leave it out`,
	}}
}

func isASCII(s string) bool {
	for i := 0; i < len(s); i++ {
		if s[i] >= 0x80 {
			return false
		}
	}
	return true
}

// Import is what an @import rule says (CSS Cascade 5, section 2).
type Import struct {
	Address  string
	At       source.Span // of the address
	Layer    []ast.Value // the layer's name; see HasLayer
	HasLayer bool
	Supports []ast.Value // the condition, without the function around it
	Media    []ast.Value
	Parts    []Parts // Rinzel's own: which parts of the sheet are wanted
}

// Parts is without(…) or only(…) in an import: the sheets and rules that are
// not wanted, or the only ones that are.
type Parts struct {
	Only     bool
	Patterns []Pattern
}

// Pattern names sheets by a glob, or rules by a pattern for their selectors.
type Pattern struct {
	Text     string
	Selector bool
	At       source.Span
}

// IsImport reports whether n is an @import rule.
func IsImport(n ast.Node) (*ast.AtRule, bool) {
	r, ok := n.(*ast.AtRule)
	return r, ok && r.Block == nil && token.EqualFold(r.Name, "import")
}

// ReadImport reads the prelude of an @import rule. ok is false if it names no
// address, or its parts are not written as they must be.
func ReadImport(prelude []ast.Value) (imp Import, ok bool) {
	var rest []ast.Value
	for _, v := range prelude {
		if v.Kind != token.Comment {
			rest = append(rest, v)
		}
	}
	if len(rest) == 0 {
		return imp, false
	}
	imp.Address, ok = Address(&rest[0])
	if !ok {
		return imp, false
	}
	imp.At = rest[0].Span()
	rest, imp.Parts, ok = takeParts(rest[1:])
	if !ok {
		return imp, false
	}
	if len(rest) > 0 && (rest[0].IsIdent("layer") || rest[0].IsFunction("layer")) {
		imp.HasLayer, imp.Layer = true, rest[0].Values()
		rest = rest[1:]
	}
	if len(rest) > 0 && rest[0].IsFunction("supports") {
		imp.Supports = rest[0].Values()
		rest = rest[1:]
	}
	if len(rest) > 0 {
		imp.Media = append([]ast.Value(nil), rest...)
		imp.Media[0].Space = false
	}
	return imp, true
}

// takeParts takes without(…) and only(…) out of the values behind the address
// of an import. ok is false if one of them is not written as it must be.
func takeParts(values []ast.Value) (rest []ast.Value, parts []Parts, ok bool) {
	for i := range values {
		v := &values[i]
		isOnly := v.IsFunction("only")
		if !isOnly && !v.IsFunction("without") {
			rest = append(rest, *v)
			continue
		}
		p := Parts{Only: isOnly}
		for k := range v.Values() {
			arg := &v.Inner.Values[k]
			inner := arg.Values()
			switch {
			case arg.Kind == token.Comma:
			case arg.Kind == token.String:
				p.Patterns = append(p.Patterns, Pattern{Text: token.StringValue(arg.Text), At: arg.Span()})
			case arg.IsFunction("selector") && len(inner) == 1 && inner[0].Kind == token.String:
				p.Patterns = append(p.Patterns, Pattern{Text: token.StringValue(inner[0].Text), Selector: true, At: arg.Span()})
			default:
				return nil, nil, false
			}
		}
		if len(p.Patterns) == 0 {
			return nil, nil, false
		}
		parts = append(parts, p)
	}
	return rest, parts, true
}

// Address returns the address that a string, a URL or url("…") or src("…") names.
func Address(v *ast.Value) (string, bool) {
	switch v.Kind {
	case token.String:
		return token.StringValue(v.Text), true
	case token.URL:
		return token.URLValue(v.Text), true
	case token.Function:
		if args := v.Values(); (v.IsFunction("url") || v.IsFunction("src")) && len(args) == 1 && args[0].Kind == token.String {
			return token.StringValue(args[0].Text), true
		}
	}
	return "", false
}
