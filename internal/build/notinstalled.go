package build

import (
	"fmt"
	"path"
	"slices"
	"strings"

	"rinzel/internal/diag"
	"rinzel/internal/graph"
	"rinzel/internal/project"
	"rinzel/internal/source"
)

// This file words what is wrong with addresses of packages that lead nowhere.

// explainPackage rewords a finding about a missing sheet whose address names a package, or seems to.
func (b *builder) explainPackage(d *diag.Diagnostic, p source.Path, address string) {
	tree := b.project.Tree
	if !project.IsPackageRoot(p.Root) {
		if inPackage, ok := b.packaged(address); ok {
			d.Mend = fmt.Sprintf("sheets of packages are imported by \"package:\": write %q", inPackage)
		}
		return
	}
	name := graph.PackageOf(p.Name)
	manifest := source.Path{Root: p.Root, Name: path.Join(name, "package.json")}
	if !tree.Exists(manifest) && len(tree.Siblings(manifest)) == 0 {
		d.Message = fmt.Sprintf("the package %q is not installed", name)
		d.Mend = "install it first"
		folders := tree.Siblings(source.Path{Root: p.Root, Name: name})
		if near := diag.Nearest(path.Base(name), folders); near != "" {
			d.Mend = fmt.Sprintf("did you mean %q?", project.PackageRoot+":"+path.Join(path.Dir(name), near))
		}
		return
	}
	if strings.TrimPrefix(address, project.PackageRoot+":") == name {
		d.Message = fmt.Sprintf("the package %q does not say which sheet is its main one", name)
		d.Mend = "name a sheet of it"
	}
	if sheets := b.sheetsOfPackage(p.Root, name); len(sheets) > 0 && !strings.HasPrefix(d.Mend, "did you mean") {
		d.Mend = "its sheets are: " + sheets
	}
}

// packaged returns the address in a package that one without "package:" may mean.
func (b *builder) packaged(address string) (string, bool) {
	rest := strings.TrimPrefix(strings.TrimPrefix(strings.TrimLeft(address, "./~ "), "node_modules/"), "/")
	if rest == "" || !b.project.Tree.HasRoot(project.PackageRoot) {
		return "", false
	}
	name := project.PackageRoot + ":" + rest
	t := graph.Resolve(b.project.Tree, source.Path{}, "/", name)
	return name, t.Kind == graph.Local && b.project.Tree.Exists(t.Path)
}

// sheetsOfPackage lists some sheets of a package, as they are imported.
func (b *builder) sheetsOfPackage(root, name string) string {
	const most, deepest = 3, 4
	var sheets []string
	b.project.Tree.Walk(root, func(dir string) bool {
		inside := dir == "." || dir == name || strings.HasPrefix(dir, name+"/") || strings.HasPrefix(name, dir+"/")
		return inside && len(sheets) < 10*most && strings.Count(dir, "/") < deepest && path.Base(dir) != "node_modules"
	}, func(p source.Path) {
		if isSheet(p.Name) && strings.HasPrefix(p.Name, name+"/") {
			sheets = append(sheets, project.PackageRoot+":"+p.Name)
		}
	}, func(source.Path, error) {})
	slices.SortFunc(sheets, func(a, b string) int { return len(a) - len(b) })
	if len(sheets) > most {
		return strings.Join(sheets[:most], ", ") + " and others"
	}
	return strings.Join(sheets, ", ")
}
