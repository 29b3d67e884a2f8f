package site

import (
	"fmt"
	"slices"
	"strings"

	"rinzel/internal/css/ast"
	"rinzel/internal/css/token"
	"rinzel/internal/diag"
	"rinzel/internal/graph"
	"rinzel/internal/project"
	"rinzel/internal/source"
)

// This file finds where an undefined name is defined: in a sheet that the page
// links separately, or that nothing imports. A sheet only sees the definitions
// of its own imports.

// definedElsewhere adds to findings about undefined names which other sheet
// defines them.
func (b *builder) definedElsewhere(list []diag.Diagnostic) {
	var sheets []source.Path
	for i := range list {
		d := &list[i]
		if d.Undefined == "" {
			continue
		}
		from := b.project.Tree.Set.File(d.Span.Start.File)
		if from == nil {
			continue
		}
		if sheets == nil {
			sheets = b.knownSheets()
		}
		kind, name, _ := strings.Cut(d.Undefined, " ")
		candidates := sheets
		// a sheet of a library cannot import one of the site
		if root := from.Path.Root; root != "" && !project.IsPackageRoot(root) {
			candidates = b.files.SheetsInRoot(root)
		}
		b.locateDefinition(d, from.Path, candidates, kind, name)
	}
}

// locateDefinition looks for the definition of a name, or of the most similar
// name, in sheets, and adds it to a finding.
func (b *builder) locateDefinition(d *diag.Diagnostic, from source.Path, sheets []source.Path, kind, name string) {
	var names []string
	found := make(map[string]defined)
	in := make(map[string]source.Path)
	for _, p := range sheets {
		if p == from {
			continue
		}
		for _, def := range b.definitions(p, kind) {
			if def.name == name {
				b.suggestImport(d, def, from, p, kind)
				return
			}
			if _, met := found[def.name]; !met {
				names = append(names, def.name)
				found[def.name], in[def.name] = def, p
			}
		}
	}
	if near := diag.Nearest(name, names); near != "" && d.Fix == "" {
		b.suggestImport(d, found[near], from, in[near], kind)
		d.Fix = fmt.Sprintf("if you mean %q: %s", near, d.Fix)
	}
}

// knownSheets returns the sheets that the build uses, then the other sheets of
// the source folder, in lexical order.
func (b *builder) knownSheets() []source.Path {
	var out []source.Path
	reached := b.reachedSheets()
	for p := range reached {
		if b.files.HasSheet(p) {
			out = append(out, p)
		}
	}
	slices.SortFunc(out, func(a, b source.Path) int { return strings.Compare(a.String(), b.String()) })
	if len(b.pages) == 0 && !b.linker.CheckAll {
		return out // of single sheets: other files in the folder may be their outputs
	}
	for _, p := range b.files.Sheets() {
		if !reached[p] {
			out = append(out, p)
		}
	}
	return out
}

// suggestImport adds to a finding where a name is defined and how to import it.
func (b *builder) suggestImport(d *diag.Diagnostic, def defined, from, to source.Path, kind string) {
	address := graph.Relative(from.Name, to.Name)
	if from.Root != to.Root {
		address = to.String()
	}
	message := "defined here, in a sheet that this one does not import"
	d.Fix = fmt.Sprintf("add @import %q; at the top of the sheet", address)
	if b.isLinked(to) {
		message = "defined here, in a sheet that is linked separately: linked sheets do not share definitions"
	}
	if kind == "constant" {
		d.Fix += ", or set it in [constants] in rinzel.toml for all sheets"
	}
	d.Related = append([]diag.Related{{Span: def.at, Message: message}}, d.Related...)
}

// isLinked reports whether a sheet is the entry of a bundle.
func (b *builder) isLinked(p source.Path) bool {
	for e := range b.entries {
		if e.Path == p {
			return true
		}
	}
	return false
}

// defined is a definition in a sheet, outside of all blocks.
type defined struct {
	name string // of a constant its path
	at   source.Span
}

// definitions returns the definitions of a kind in a sheet.
func (b *builder) definitions(p source.Path, kind string) []defined {
	sheet, err := b.cache.linked.Sheets.Load(b.files, p)
	if err != nil {
		return nil
	}
	var out []defined
	for _, n := range sheet.Nodes {
		r, ok := n.(*ast.AtRule)
		if !ok || len(r.Prelude) == 0 {
			continue
		}
		at := ast.SpanOf(r.Prelude[:1])
		switch token.Lower(r.Name) {
		case "const", "default":
			if kind == "constant" {
				out = appendPaths(out, constantPath(r.Prelude), at, r)
			}
		case kind, "custom-" + kind:
			out = append(out, defined{definedName(r), at})
		}
	}
	return out
}

// constantPath returns the path at the start of the prelude of @const.
func constantPath(prelude []ast.Value) string {
	name := ""
	for i := range prelude {
		v := &prelude[i]
		if v.Kind == token.Colon || v.Space {
			break
		}
		name += token.Unescape(v.Text)
	}
	return name
}

// appendPaths appends the path of a constant, and the paths of the keys in its
// block.
func appendPaths(list []defined, name string, at source.Span, n ast.Node) []defined {
	list = append(list, defined{name, at})
	for _, inner := range ast.Body(n) {
		switch inner := inner.(type) {
		case *ast.Declaration:
			list = append(list, defined{name + "." + token.Unescape(inner.Name), source.SpanOf(inner.NamePos, len(inner.Name))})
		case *ast.QualifiedRule: // a group in a group
			if len(inner.Prelude) == 1 {
				list = appendPaths(list, name+"."+token.Unescape(inner.Prelude[0].Text), inner.Prelude[0].Span(), inner)
			}
		}
	}
	return list
}

// definedName returns the name that a rule defines, without the colon of a
// custom selector.
func definedName(r *ast.AtRule) string {
	v := &r.Prelude[0]
	if v.Kind == token.Colon && len(r.Prelude) > 1 {
		v = &r.Prelude[1]
	}
	if v.Kind == token.Function {
		return token.Unescape(v.Name())
	}
	return token.Unescape(v.Text)
}
