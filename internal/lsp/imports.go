package lsp

import (
	"context"
	"path"
	"path/filepath"
	"slices"
	"strings"

	"rinzel/internal/project"
	"rinzel/internal/query"
	"rinzel/internal/source"
)

// imports adds what an @import may name: the sheets of the source folder, and roots; after
// the name of a root, its folders and sheets.
func (s *server) imports(ctx context.Context, c *proposals, d *document) {
	p := s.session.Project()
	here, ok := s.session.PathOf(d.name)
	if !ok || here.Root != "" {
		return
	}
	if root, rest := project.SplitRoot(c.place.word); root != "" {
		found, _ := query.Importable(ctx, p, root, rest) // none in a cancelled request
		for _, one := range found {
			c.add(one.Address, kindFile, one.Main)
		}
		return
	}
	s.relative(ctx, c, here)
	for _, root := range p.Tree.Roots() {
		if root != project.FolderRoot && (!project.IsPackageRoot(root) || root == project.PackageRoot) {
			c.add(root+":", kindFile, "root")
		}
	}
	slices.SortStableFunc(c.items, func(a, b completionItem) int { return len(a.Label) - len(b.Label) })
}

// relative adds the sheets of the source folder, relative to one of them.
func (s *server) relative(ctx context.Context, c *proposals, here source.Path) {
	sheets, err := query.StyleSheets(ctx, s.session.Project())
	if err != nil {
		return
	}
	prefix := ""
	if strings.HasPrefix(c.place.word, "./") {
		prefix = "./"
	}
	for _, sheet := range sheets {
		rel, err := filepath.Rel(path.Dir(here.Name), sheet.Name)
		if err == nil && sheet != here && (prefix == "" || !strings.HasPrefix(rel, "..")) {
			c.add(prefix+filepath.ToSlash(rel), kindFile, "")
		}
	}
}
