package site

import (
	"context"
	"fmt"
	"path"
	"slices"
	"strings"

	"github.com/bmatcuk/doublestar/v4"

	"rinzel/internal/diag"
	"rinzel/internal/diag/code"
	"rinzel/internal/inventory"
	"rinzel/internal/link"
	"rinzel/internal/modules"
	"rinzel/internal/project"
	"rinzel/internal/source"
)

// This file builds the bundles that the settings define, for pages that a
// server renders or for scripts that load them.

// named is a bundle that the settings define.
type named struct {
	file    string
	at      source.Span
	entries []modules.Entry
	runs    *modules.Program
	made    *styles
}

// namedBundles returns the bundles of the settings, with the modules that their
// sheets and scripts run on a page without import maps.
func (b *builder) namedBundles() []*named {
	var out []*named
	add := func(n *named) {
		n.runs = b.scripts.ProgramOf(n.entries)
		out = append(out, n)
	}
	for _, s := range b.project.Settings.Bundles {
		var entries []modules.Entry
		for i, glob := range s.From {
			entries = append(entries, b.entryPoints(s, glob, s.At[i])...)
		}
		if len(entries) == 0 {
			continue // already reported
		}
		if !s.Each() {
			add(&named{file: s.File, at: s.At[0], entries: entries})
			continue
		}
		for _, e := range entries {
			add(&named{file: project.FileFor(s.File, e.Path.Name), at: e.At, entries: []modules.Entry{e}})
		}
	}
	for _, name := range b.opts.Linked {
		p := source.Path{Name: name}
		if b.project.Tree.Exists(p) && !slices.ContainsFunc(out, func(n *named) bool { return n.file == name }) {
			add(&named{file: name, entries: []modules.Entry{{Path: p}}})
		}
	}
	return out
}

// entryPoints returns the files that match a path or glob of a bundle, in
// lexical order. It reports if there is none.
func (b *builder) entryPoints(s project.Bundle, glob string, at source.Span) []modules.Entry {
	tree := b.project.Tree
	root, pattern := project.SplitRoot(glob)
	var out []modules.Entry
	fail := func(message, fix string) {
		b.report(diag.Diagnostic{Code: code.MissingEntry, Severity: diag.Error, Span: at, Message: message, Fix: fix})
	}
	switch {
	case !tree.HasRoot(root):
		fail(fmt.Sprintf("bundle %q: unknown root in %q: %q", s.Name, glob, root),
			diag.DidYouMean(root, tree.Roots(), "roots are set in [roots]"))
		return nil
	case !strings.ContainsAny(pattern, "*?[{\\"):
		p := source.Path{Root: root, Name: path.Clean(pattern)}
		if !tree.Exists(p) {
			fail(fmt.Sprintf("bundle %q: no such file: %q", s.Name, tree.Show(p)), b.files.Near(p))
			return nil
		}
		out = append(out, modules.Entry{Path: p, At: at})
	default:
		for _, p := range b.files.List(root).Files {
			if ok, _ := doublestar.Match(pattern, p.Name); ok && b.isEntry(p) {
				out = append(out, modules.Entry{Path: p, At: at})
			}
		}
		if len(out) == 0 {
			fail(fmt.Sprintf("bundle %q: pattern %q matches no sheet and no script", s.Name, glob),
				"paths are relative to the source folder; ** matches any folders")
		}
		return out
	}
	if !b.isEntry(out[0].Path) {
		fail(fmt.Sprintf("bundle %q: %q is neither a sheet nor a script", s.Name, glob), "pages have their own bundles")
		return nil
	}
	return out
}

// isEntry reports whether a bundle may be built from a file.
func (b *builder) isEntry(p source.Path) bool {
	return inventory.IsScript(p.Name) || b.files.IsSheet(p.Name) || b.files.IsComponent(p)
}

// stylesOf returns the bundle itself, without the sheets that its scripts add
// to the page.
func (b *builder) stylesOf(ctx context.Context, n *named) *styles {
	n.made = &styles{name: n.file, at: n.at, named: true, plain: b.opts.WithoutPages}
	for _, s := range n.runs.Sheets {
		if !s.Direct && b.profile.Scripts == project.AdoptStyles {
			continue
		}
		n.made.pieces = append(n.made.pieces, b.styleEntry(ctx, s).Pieces...)
	}
	n.made.pieces = link.WithoutRepeats(n.made.pieces)
	return n.made
}
