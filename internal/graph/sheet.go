package graph

import (
	"context"
	"errors"
	"slices"
	"strings"
	"time"

	"rinzel/internal/cache"
	"rinzel/internal/css/ast"
	"rinzel/internal/css/parse"
	"rinzel/internal/css/token"
	"rinzel/internal/diag"
	"rinzel/internal/diag/code"
	"rinzel/internal/source"
	"rinzel/internal/tokens"
)

// Sheet is a parsed style sheet.
type Sheet struct {
	File        *source.File
	Nodes       []ast.Node
	Diagnostics []diag.Diagnostic // findings of the parser
	// Made has what steps made of the text of the file, in order; nil if the sheet
	// is the file as it is written.
	Made []Made
	// Blocks are the parts of the file that the sheet consists of; nil if it is the
	// whole file.
	Blocks []Span
}

// Text returns the sheet as it is written.
func (s *Sheet) Text() string {
	if s.Blocks == nil {
		return s.File.Text
	}
	var b strings.Builder
	for _, at := range s.Blocks {
		b.WriteString(s.File.Text[at.Start:at.End])
	}
	return b.String()
}

// Made is the text that a step made of a file.
type Made struct {
	Step, Text string
	Took       time.Duration
}

// Sheets are parsed style sheets by path.
type Sheets struct {
	Parsed[*Sheet]
	made *cache.Table[source.Path, *madeSheet]
	// Make returns a sheet that steps make of a file; ok is false if there are none
	// for it. It is nil if there are no such steps at all. The error is like that of
	// [source.Tree.Text], or that the build was cancelled.
	Make func(files source.Reader, p source.Path) (sheet *Sheet, ok bool, err error)
}

// madeSheet is what steps made of a file.
type madeSheet struct {
	sheet *Sheet
	ok    bool
	err   error
}

// NewSheets returns sheets cached in s.
func NewSheets(s *cache.Store) Sheets {
	return Sheets{Parsed: newParsed(s, func(f *source.File) *Sheet {
		tree, diags := parse.Sheet(f)
		return &Sheet{File: f, Nodes: tree.Nodes, Diagnostics: append(diags, checkCharset(f, tree.Nodes)...)}
	}), made: cache.NewTable[source.Path, *madeSheet](s)}
}

// Load returns a sheet, whose text is read through files. The error is that of
// [source.Tree.Text].
func (s *Sheets) Load(files source.Reader, p source.Path) (*Sheet, error) {
	if s.Make != nil {
		made := s.made.Get(files, p, nil, func(r *cache.Reads) (*madeSheet, bool) {
			sheet, ok, err := s.Make(r, p)
			return &madeSheet{sheet, ok, err}, !errors.Is(err, context.Canceled) && !errors.Is(err, context.DeadlineExceeded)
		})
		if made.ok {
			return made.sheet, made.err
		}
	}
	return s.Parsed.Load(files, p)
}

// WithoutMapComments returns nodes without comments that refer to a source map.
// file is where they come from, or nil if that is unknown.
func WithoutMapComments(nodes []ast.Node, file *source.File) []ast.Node {
	if file != nil && !strings.Contains(file.Text, "sourceMappingURL") {
		return nodes
	}
	var drop func(n ast.Node) ast.Edit
	drop = func(n ast.Node) ast.Edit {
		if c, ok := n.(*ast.Comment); ok {
			text := strings.TrimLeft(strings.TrimPrefix(c.Text, "/*"), " \t\r\n")
			if strings.HasPrefix(text, "# sourceMappingURL=") || strings.HasPrefix(text, "@ sourceMappingURL=") {
				return ast.Remove
			}
			return ast.Keep
		}
		if edited, changed := ast.MapBody(n, drop); changed {
			return ast.Replace(edited)
		}
		return ast.Keep
	}
	nodes, _ = ast.Map(nodes, drop)
	return nodes
}

// TokenFile is a parsed file of design tokens.
type TokenFile struct {
	Tokens      []tokens.Token
	Diagnostics []diag.Diagnostic // findings of the parser
}

// TokenFiles are parsed token files by path.
type TokenFiles = Parsed[*TokenFile]

// NewTokenFiles returns token files cached in s.
func NewTokenFiles(s *cache.Store) TokenFiles {
	return newParsed(s, func(f *source.File) *TokenFile {
		list, diags := tokens.Read(f)
		return &TokenFile{list, diags}
	})
}

// checkCharset warns about a sheet that declares another encoding than UTF-8,
// but is UTF-8.
func checkCharset(f *source.File, nodes []ast.Node) []diag.Diagnostic {
	if len(nodes) == 0 {
		return nil
	}
	r, ok := nodes[0].(*ast.AtRule)
	if !ok || r.Name != "charset" || len(r.Prelude) != 1 || r.Prelude[0].Kind != token.String {
		return nil
	}
	name := token.StringValue(r.Prelude[0].Text)
	if f.Label() != "" || token.EqualFold(name, "utf-8") || token.EqualFold(name, "us-ascii") || isASCII(f.Text) {
		return nil
	}
	return []diag.Diagnostic{{
		Code: code.Charset, Severity: diag.Warning, Span: r.Span(),
		Message: "the sheet declares the encoding " + name + ", but is valid UTF-8 and read as such",
		Fix:     `write @charset "utf-8"; or remove it`,
	}}
}

// isASCII reports whether s is ASCII.
func isASCII(s string) bool {
	for i := 0; i < len(s); i++ {
		if s[i] >= 0x80 {
			return false
		}
	}
	return true
}

// Import is the contents of an @import rule (CSS Cascade 5, section 2).
type Import struct {
	Address  string
	At       source.Span // the URL
	Layer    []ast.Value // name of the layer; see HasLayer
	HasLayer bool
	Supports []ast.Value // arguments of supports()
	Media    []ast.Value
	// Rinzel's own: excluded or selected parts of the sheet, values of its
	// custom properties, and the functions replace(…).
	Parts       []Parts
	Assignments []Assignment
	Replace     []ast.Value
}

// Assignment is a value of a custom property, in set() of an import.
type Assignment struct {
	Name  string // with its two hyphens
	Value []ast.Value
	At    source.Span // the name
}

// Parts is without(…) or only(…) of an import: the excluded, or the selected,
// sheets and rules.
type Parts struct {
	Only     bool
	Patterns []Pattern
}

// Pattern matches sheets by a glob, or rules by a pattern for selectors.
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

// ReadImport parses the prelude of an @import rule. ok is false if it has no
// URL, or if a part of it is invalid.
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
	rest, ok = imp.takeOwn(rest[1:])
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

// takeOwn removes without(…), only(…), set(…) and replace(…) from the values
// after the URL of an import. ok is false if one of them is invalid.
func (imp *Import) takeOwn(values []ast.Value) (rest []ast.Value, ok bool) {
	for i := range values {
		v := &values[i]
		switch {
		case v.IsFunction("set"):
			imp.Assignments, ok = appendAssignments(imp.Assignments, v.Values())
		case v.IsFunction("replace"):
			imp.Replace, ok = append(imp.Replace, *v), true
		case v.IsFunction("only"), v.IsFunction("without"):
			var p Parts
			p, ok = readParts(v)
			imp.Parts = append(imp.Parts, p)
		default:
			rest = append(rest, *v)
			continue
		}
		if !ok {
			return nil, false
		}
	}
	return rest, true
}

// readParts parses without(…) or only(…).
func readParts(v *ast.Value) (p Parts, ok bool) {
	p.Only = v.IsFunction("only")
	for i := range v.Values() {
		arg := &v.Inner.Values[i]
		inner := arg.Values()
		switch {
		case arg.Kind == token.Comma:
		case arg.Kind == token.String:
			p.Patterns = append(p.Patterns, Pattern{Text: token.StringValue(arg.Text), At: arg.Span()})
		case arg.IsFunction("selector") && len(inner) == 1 && inner[0].Kind == token.String:
			p.Patterns = append(p.Patterns, Pattern{Text: token.StringValue(inner[0].Text), Selector: true, At: arg.Span()})
		default:
			return p, false
		}
	}
	return p, len(p.Patterns) > 0
}

// appendAssignments parses the arguments of set(…): --name: value; --name:
// value.
func appendAssignments(list []Assignment, values []ast.Value) ([]Assignment, bool) {
	for len(values) > 0 {
		end := slices.IndexFunc(values, func(v ast.Value) bool { return v.Kind == token.Semicolon })
		part := values
		if values = nil; end >= 0 {
			part, values = part[:end], part[end+1:]
		}
		if len(part) == 0 {
			continue
		}
		if len(part) < 3 || part[0].Kind != token.Ident || !ast.IsCustomName(part[0].Text) || part[1].Kind != token.Colon {
			return nil, false
		}
		list = append(list, Assignment{token.Unescape(part[0].Text), part[2:], part[0].Span()})
	}
	return list, len(list) > 0
}

// Address returns the URL in a string, a URL, or url("…") or src("…").
func Address(v *ast.Value) (string, bool) {
	switch v.Kind {
	case token.String:
		return token.StringValue(v.Text), true
	case token.URL:
		return token.URLValue(v.Text), true
	case token.Function:
		if args := v.Values(); (v.IsFunction("url") || v.IsFunction("src")) && len(args) == 1 &&
			args[0].Kind == token.String {
			return token.StringValue(args[0].Text), true
		}
	}
	return "", false
}
