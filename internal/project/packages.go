package project

import (
	"fmt"
	"path/filepath"
	"strings"

	"rinzel/internal/source"
)

// PackageRoot is the root of installed packages: those in the folder
// node_modules in the source folder, or in its nearest parent with one.
const PackageRoot = "package"

// PackageFolder is the folder that packages are installed into.
const PackageFolder = "node_modules"

// deepest limits the number of parent folders that are searched.
const deepest = 32

// PackageRoots returns the roots of the package folders, the nearest first.
func PackageRoots(files source.Reader) []string {
	var out []string
	for i := range deepest {
		if name := packageRoot(i); files.HasRoot(name) {
			out = append(out, name)
		} else {
			break
		}
	}
	return out
}

// packageRoot returns the name of the i-th nearest package folder. Users cannot
// define a root with this name.
func packageRoot(i int) string {
	if i == 0 {
		return PackageRoot
	}
	return fmt.Sprintf("%s.%d", PackageRoot, i)
}

// IsPackageRoot reports whether a root is a package folder.
func IsPackageRoot(name string) bool {
	return name == PackageRoot || strings.HasPrefix(name, PackageRoot+".")
}

// openPackages opens the package folders in the source folder and its parents.
func (p *Project) openPackages() {
	dir, err := filepath.Abs(p.SourceDir())
	if err != nil {
		return
	}
	found := 0
	for range deepest {
		modules := filepath.Join(dir, PackageFolder)
		if source.IsFolder(modules) {
			folder, closer, err := source.OpenFolder(packageRoot(found), modules, shown(modules))
			if err == nil { // unreadable ones are ignored
				found++
				p.closers = append(p.closers, closer)
				p.Tree.AddFolder(folder)
			}
		}
		parent := filepath.Dir(dir)
		if parent == dir {
			return
		}
		dir = parent
	}
}

// shown returns a path for display: relative to the working folder, unless that
// is far away.
func shown(dir string) string {
	here, err := filepath.Abs(".")
	if err != nil {
		return dir
	}
	if rel, err := filepath.Rel(here, dir); err == nil {
		return rel
	}
	return dir
}
