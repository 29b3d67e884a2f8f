package inventory

import (
	"path"
	"strings"

	"rinzel/internal/graph"
	"rinzel/internal/project"
	"rinzel/internal/source"
)

// Importable is something that the address of an import can begin with, or be.
type Importable struct {
	Address string // with its root; a folder ends in a slash
	Main    string // of a package: its main sheet, in the folder of packages
}

// Importable returns the folders and sheets of the folder that a path in a root begins with:
// for "parts/c", those of "parts". Of packages, it returns those with a main sheet, and
// their folders.
func (i *Inventory) Importable(root, rest string) (out []Importable) {
	roots := []string{root}
	if root == project.PackageRoot {
		roots = project.PackageRoots(i)
	}
	dir := path.Dir(rest + "x")
	for _, real := range roots {
		for _, name := range i.Siblings(source.Path{Root: real, Name: path.Join(dir, "x")}) {
			full := path.Join(dir, name)
			address := root + ":" + full
			isFolder := i.Siblings(source.Path{Root: real, Name: path.Join(full, "x")}) != nil
			switch {
			case root == project.PackageRoot && isFolder && isPackageName(full):
				t := i.Resolve(source.Path{}, address)
				if t.Kind == graph.Local && i.Exists(t.Path) {
					out = append(out, Importable{address, t.Path.Name}, Importable{Address: address + "/"})
				}
			case isFolder && name != project.PackageFolder && !strings.HasPrefix(name, "."):
				out = append(out, Importable{Address: address + "/"})
			case strings.EqualFold(path.Ext(name), ".css"):
				out = append(out, Importable{Address: address})
			}
		}
	}
	return out
}

// isPackageName reports whether a path in a folder of packages is that of a package.
func isPackageName(name string) bool {
	if strings.HasPrefix(name, "@") {
		return strings.Count(name, "/") == 1
	}
	return !strings.Contains(name, "/")
}
