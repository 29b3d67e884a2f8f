package link

import (
	"errors"
	"fmt"
	"io/fs"
	"slices"

	"rinzel/internal/css/ast"
	"rinzel/internal/diag"
	"rinzel/internal/diag/code"
	"rinzel/internal/graph"
	"rinzel/internal/source"
	"rinzel/internal/step/compose"
)

// This file follows imports.

// lateImport reports an import after a rule.
func (a *assembler) lateImport(r *ast.AtRule) {
	a.report(diag.Diagnostic{Code: code.LateImport, Severity: diag.Warning, Span: r.Span(),
		Message: "@import after a rule: browsers ignore it",
		Fix:     "move it to the top of the sheet; only @charset and @layer statements may come before it"})
}

// lateNamespace reports a namespace after a rule.
func (a *assembler) lateNamespace(n ast.Node) {
	a.report(diag.Diagnostic{Code: code.LateImport, Severity: diag.Warning, Span: n.Span(),
		Message: "@namespace after a rule: browsers ignore it, so it is removed",
		Fix:     "move it to the top of the sheet, after the imports"})
}

// withMedia returns the prelude of an import with other media queries, which
// are at its end.
func withMedia(prelude, media, with []ast.Value) []ast.Value {
	at := slices.IndexFunc(prelude, func(v ast.Value) bool { return v.Pos == media[0].Pos && v.Text == media[0].Text })
	if at < 0 || ast.EqualValues(media, with) {
		return prelude
	}
	with = slices.Clone(with)
	with[0].Space = prelude[at].Space
	return append(slices.Clip(prelude[:at]), with...)
}

// follow appends the pieces of an import.
func (a *assembler) follow(r *ast.AtRule, c *compose.Composer, composes bool, conds []*Condition, here *visit) {
	prelude := r.Prelude
	if composes {
		prelude = c.ImportPrelude(prelude, a.scope)
	}
	imp, ok := graph.ReadImport(prelude)
	if !ok {
		a.report(diag.Diagnostic{Code: code.BadImport, Severity: diag.Error, Span: r.Span(),
			Message: "invalid @import: expected a quoted URL or url(), optionally followed by " +
				"without(\"sheet.css\", selector(\".class\")), only(…), set(--name: value) or replace(value: value)"})
		return
	}
	own, ok := a.readOverride(imp)
	if !ok {
		return
	}
	imp.Media = here.overrideMedia(imp.Media)
	if media := a.media(here, imp.Media); len(media) > 0 {
		prelude = withMedia(prelude, imp.Media, media)
		imp.Media = media
	}
	cond := &Condition{At: r.At, HasLayer: imp.HasLayer, Layer: imp.Layer, Supports: imp.Supports, Media: imp.Media}
	if !cond.empty() {
		conds = append(slices.Clip(conds), cond)
	}
	target := a.Files.Resolve(here.path, imp.Address)
	if target.Kind == graph.External {
		if len(imp.Parts) > 0 || own != nil {
			a.report(diag.Diagnostic{Code: code.BadImport, Severity: diag.Error, Span: imp.At,
				Message: "without(), only(), set() and replace() cannot be used on an external sheet: it is imported unchanged"})
			return
		}
		here.node.Imports = append(here.node.Imports,
			&ImportNode{Sheet: imp.Address, At: imp.At, Condition: cond.text(), External: true})
		a.external(r, prelude, conds)
		return
	}
	if d, ok := a.Files.BadTarget(target, imp.Address, imp.At); ok {
		d.Imports = trailOf(here)
		a.report(d)
		return
	}
	if a.cycle(target.Path, imp.At, here) {
		return
	}
	a.entry.Reads[target.Path] = true
	sheet, err := a.Cache.Sheets.Load(a.Files, target.Path)
	if err != nil {
		a.unreadable(target.Path, err, imp, here)
		return
	}
	a.imported(sheet, imp, own, target.Path, cond, conds, here)
}

// imported appends the pieces of an imported sheet, and reports the parts of
// the import without effect. own has its replacements, or is nil.
func (a *assembler) imported(sheet *graph.Sheet, imp graph.Import, own *override, p source.Path, cond *Condition,
	conds []*Condition, here *visit) {
	next, parts := here.next(p, imp)
	next.overrides = here.overrides
	if own != nil {
		next.overrides = append([]*override{own}, here.overrides...)
	}
	next.node = &ImportNode{Sheet: a.Files.Show(p), At: imp.At, Condition: cond.text(), Excluded: next.excluded, Path: p}
	here.node.Imports = append(here.node.Imports, next.node)
	a.sheet(sheet, conds, next)
	a.later = append(a.later, func() {
		if own != nil {
			a.report(own.unmatched()...)
			next.node.Replaced = own.replaced()
		}
		for _, p := range parts {
			a.report(p.unmatched()...)
		}
	})
}

// unreadable reports an imported sheet that cannot be read.
func (a *assembler) unreadable(p source.Path, err error, imp graph.Import, here *visit) {
	d := a.Files.Unreadable(p, err, imp.At)
	if errors.Is(err, fs.ErrNotExist) {
		d.Message = fmt.Sprintf("no such sheet: %q", a.Files.Show(p))
		a.Files.ExplainPackage(&d, p, imp.Address)
	}
	d.Imports = trailOf(here)
	a.report(d)
}

// cycle reports an import cycle, or too many nested imports.
func (a *assembler) cycle(p source.Path, at source.Span, here *visit) bool {
	depth := 0
	for v := here; v != nil; v = v.from {
		if depth++; v.path != p {
			continue
		}
		d := diag.Diagnostic{Code: code.ImportCycle, Severity: diag.Error, Span: at,
			Message: fmt.Sprintf("import cycle: %q imports itself through %s", a.Files.Show(p),
				diag.Count(depth-1, "other sheet")),
			Fix: "remove one of the imports, or move the shared part into a sheet of its own"}
		if depth == 1 {
			d.Message = fmt.Sprintf("import cycle: %q imports itself", a.Files.Show(p))
			d.Fix = "remove the import"
		}
		for w := here; w != v; w = w.from {
			d.Related = append(d.Related, diag.Related{Span: w.at, Message: "imported here"})
		}
		a.report(d)
		return true
	}
	if depth >= maxImports {
		a.report(diag.Diagnostic{Code: code.TooManyImports, Severity: diag.Error, Span: at,
			Message: fmt.Sprintf("imports are nested deeper than %d sheets", maxImports)})
		return true
	}
	return false
}

// trailOf returns the imports that led to a sheet, the nearest first.
func trailOf(here *visit) []source.Span {
	const limit = 5
	var out []source.Span
	for v := here; v != nil && v.at.IsValid() && len(out) < limit; v = v.from {
		out = append(out, v.at)
	}
	return out
}
