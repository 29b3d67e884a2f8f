package project

import (
	"fmt"
	"path/filepath"
	"strings"

	"rinzel/internal/source"
)

// PackageRoot is the root under which installed packages are found: those in
// the folder node_modules beside the source folder, or in the nearest one above.
const PackageRoot = "package"

// PackageFolder is the name of the folder that packages are installed into.
const PackageFolder = "node_modules"

// deepest is how many folders above the source folder are looked into.
const deepest = 32

// PackageRoots returns the roots of the folders with packages, the nearest first.
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

// packageRoot returns the name of a root with packages, by how near it is. No
// root of the settings can have it.
func packageRoot(i int) string {
	if i == 0 {
		return PackageRoot
	}
	return fmt.Sprintf("%s.%d", PackageRoot, i)
}

// IsPackageRoot reports whether a root is a folder with packages.
func IsPackageRoot(name string) bool {
	return name == PackageRoot || strings.HasPrefix(name, PackageRoot+".")
}

// openPackages opens the folders with packages in the source folder and above it.
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
			if err == nil { // one that may not be read has nothing for us
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

// shown returns a path as people are shown it: as it is seen from the working
// folder, if that is not above it by far.
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
