package lsp

import (
	"context"
	"path"
	"path/filepath"
	"slices"
	"strings"

	"rinzel/internal/graph"
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
		c.inRoot(p.Tree, root, rest)
		return
	}
	sheets, err := query.StyleSheets(ctx, p)
	if err != nil {
		return
	}
	prefix := ""
	if strings.HasPrefix(c.place.word, "./") {
		prefix = "./"
	}
	for _, sheet := range sheets {
		rel, err := filepath.Rel(path.Dir(here.Name), sheet.Name)
		if err != nil || sheet == here || prefix != "" && strings.HasPrefix(rel, "..") {
			continue
		}
		c.add(prefix+filepath.ToSlash(rel), kindFile, "")
	}
	for _, root := range p.Tree.Roots() {
		if root != project.FolderRoot && (!project.IsPackageRoot(root) || root == project.PackageRoot) {
			c.add(root+":", kindFile, "root")
		}
	}
	slices.SortStableFunc(c.items, func(a, b completionItem) int { return len(a.Label) - len(b.Label) })
}

// inRoot adds the folders and sheets of the folder that a path in a root begins with. Of
// packages, it adds those with a main sheet.
func (c *proposals) inRoot(tree *source.Tree, root, rest string) {
	roots := []string{root}
	if root == project.PackageRoot {
		roots = project.PackageRoots(tree)
	}
	dir := path.Dir(rest + "x")
	for _, real := range roots {
		for _, name := range tree.Siblings(source.Path{Root: real, Name: path.Join(dir, "x")}) {
			full := path.Join(dir, name)
			isFolder := tree.Siblings(source.Path{Root: real, Name: path.Join(full, "x")}) != nil
			isPackage := root == project.PackageRoot && isFolder && isPackageName(full)
			switch {
			case isPackage:
				t := graph.Resolve(tree, source.Path{}, "/", root+":"+full)
				if t.Kind == graph.Local && tree.Exists(t.Path) {
					c.add(root+":"+full, kindFile, t.Path.Name)
					c.add(root+":"+full+"/", kindFile, "package")
				}
			case isFolder && name != project.PackageFolder && !strings.HasPrefix(name, "."):
				c.add(root+":"+full+"/", kindFile, "folder")
			case strings.EqualFold(path.Ext(name), ".css"):
				c.add(root+":"+full, kindFile, "")
			}
		}
	}
}

// isPackageName reports whether a path in a package folder is that of a package.
func isPackageName(name string) bool {
	if strings.HasPrefix(name, "@") {
		return strings.Count(name, "/") == 1
	}
	return !strings.Contains(name, "/")
}
