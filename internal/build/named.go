package build

import (
	"fmt"
	"path"
	"slices"
	"strings"

	"github.com/bmatcuk/doublestar/v4"

	"rinzel/internal/diag"
	"rinzel/internal/diag/code"
	"rinzel/internal/project"
	"rinzel/internal/source"
)

// This file makes the bundles that the settings name: for pages that a server makes,
// or that are loaded by scripts of their own.

// entryPoint is a sheet or script that a bundle of the settings is made from.
type entryPoint struct {
	path source.Path
	at   source.Span // in the settings
}

// named is a bundle that the settings name.
type named struct {
	file    string
	at      source.Span
	entries []entryPoint
	runs    *program
	made    *styles
}

// namedBundles returns the bundles that the settings name, with the sheets and
// scripts that they are made from.
func (b *builder) namedBundles() []*named {
	var out []*named
	for _, s := range b.project.Settings.Bundles {
		var entries []entryPoint
		for i, glob := range s.From {
			entries = append(entries, b.entryPoints(s, glob, s.At[i])...)
		}
		if len(entries) == 0 {
			continue // which is reported
		}
		if !s.Each() {
			out = append(out, &named{file: s.File, at: s.At[0], entries: entries})
			continue
		}
		for _, e := range entries {
			out = append(out, &named{file: project.FileFor(s.File, e.path.Name), at: e.at, entries: []entryPoint{e}})
		}
	}
	return out
}

// entryPoints returns the files that a path or glob of a bundle names, in lexical
// order. That there is none is reported.
func (b *builder) entryPoints(s project.Bundle, glob string, at source.Span) []entryPoint {
	tree := b.project.Tree
	root, pattern := project.SplitRoot(glob)
	var out []entryPoint
	fail := func(message, mend string) {
		b.report(diag.Diagnostic{Code: code.NoEntry, Severity: diag.Error, Span: at, Message: message, Mend: mend})
	}
	switch {
	case !tree.HasRoot(root):
		fail(fmt.Sprintf("the bundle %q is made from %q, and there is no root %q", s.Name, glob, root), diag.DidYouMean(root, tree.Roots(), "roots are named in [roots]"))
		return nil
	case !strings.ContainsAny(pattern, "*?[{\\"):
		p := source.Path{Root: root, Name: path.Clean(pattern)}
		if !tree.Exists(p) {
			fail(fmt.Sprintf("the bundle %q is made from %q, which does not exist", s.Name, tree.Show(p)), b.nearFile(p))
			return nil
		}
		out = append(out, entryPoint{p, at})
	default:
		b.walkRoot(root, func(p source.Path) {
			if ok, _ := doublestar.Match(pattern, p.Name); ok && isEntry(p.Name) {
				out = append(out, entryPoint{p, at})
			}
		})
		if len(out) == 0 {
			fail(fmt.Sprintf("the bundle %q is made from %q, which matches no sheet and no script", s.Name, glob), "paths are relative to the source folder; ** stands for any folders")
		}
		return out
	}
	if !isEntry(out[0].path.Name) {
		fail(fmt.Sprintf("the bundle %q is made from %q, which is neither a sheet nor a script", s.Name, glob), "a page has bundles of its own")
		return nil
	}
	return out
}

// isEntry reports whether a bundle may be made from a file.
func isEntry(name string) bool { return isScript(name) || strings.EqualFold(path.Ext(name), ".css") }

// walkRoot visits the files of the source folder or of a root.
func (b *builder) walkRoot(root string, visit func(source.Path)) {
	if root == "" {
		b.walk(visit)
		return
	}
	b.project.Tree.Walk(root, func(string) bool { return true }, visit, func(source.Path, error) {})
}

// runNamed works out what the entries of a bundle run, as modules of a page without
// import maps would.
func (b *builder) runNamed(n *named) {
	m := b.modulesWith("", nil, source.Path{})
	r := m.newRun(nil)
	for _, e := range n.entries {
		if isScript(e.path.Name) {
			r.file(e.path, e.at)
		} else {
			r.style(styleUse{e.path, e.at, true})
		}
	}
	r.finish()
	n.runs = r.program
}

// stylesOf returns the bundle itself. What its scripts put into the page by
// themselves is not in it.
func (b *builder) stylesOf(n *named) *styles {
	n.made = &styles{name: n.file, at: n.at, named: true}
	for _, s := range n.runs.sheets {
		if !s.direct && b.profile.Scripts == project.AdoptStyles {
			continue
		}
		e := b.styleEntry(s)
		n.made.pieces = append(n.made.pieces, e.pieces...)
	}
	n.made.pieces = repeated(n.made.pieces)
	return n.made
}

// programsOf returns what pages run, and behind it what bundles of the settings do.
func programsOf(pages []*program, list []*named) []*program {
	out := slices.Clone(pages)
	for _, n := range list {
		out = append(out, n.runs)
	}
	return out
}
