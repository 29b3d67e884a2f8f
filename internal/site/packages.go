package site

import (
	"encoding/json"
	"fmt"
	"slices"
	"strings"
	"time"

	"rinzel/internal/diag"
	"rinzel/internal/diag/code"
	"rinzel/internal/graph"
	"rinzel/internal/project"
	"rinzel/internal/source"
)

// This file detects installed packages that were modified after the
// installation: other installations of the project do not have these changes.

// lockName is the lock file in the package folder. Installers write it after
// all packages.
const lockName = ".package-lock.json"

// lockSlack is how much later than the lock file a file of the same
// installation may be written.
const lockSlack = time.Minute

// changedPackages warns about packages with sheets in this build that were
// changed after they were installed.
func (b *builder) changedPackages() {
	tree := b.project.Tree
	var sheets []source.Path
	for p := range b.reachedSheets() {
		if project.IsPackageRoot(p.Root) {
			sheets = append(sheets, p)
		}
	}
	slices.SortFunc(sheets, func(a, b source.Path) int { return strings.Compare(a.String(), b.String()) })
	seen := make(map[source.Path]bool) // the folders of packages
	locks := make(map[string]map[string]installed)
	for _, p := range sheets {
		at := source.Path{Root: p.Root, Name: lockName}
		lock, read := locks[p.Root]
		if !read {
			lock = readLock(tree, at)
			locks[p.Root] = lock
		}
		written, ok := tree.Modified(at)
		if lock == nil || !ok {
			continue
		}
		name := packageFolder(p.Name)
		of := lock["node_modules/"+name]
		if folder := (source.Path{Root: p.Root, Name: name}); !seen[folder] {
			seen[folder] = true
			if have := graph.PackageVersion(tree, folder); have != "" && of.Version != "" && have != of.Version {
				b.report(diag.Diagnostic{Code: code.PackageChanged, Severity: diag.Warning,
					Message: fmt.Sprintf("package %q in node_modules has version %s, but the lock file says %s", name, have,
						of.Version),
					Fix: "install the packages again"})
				continue
			}
		}
		if changed, ok := tree.Modified(p); ok && !of.Link && of.Version != "" && changed.After(written.Add(lockSlack)) {
			b.report(diag.Diagnostic{Code: code.PackageChanged, Severity: diag.Warning,
				Message: fmt.Sprintf("%q was changed after package %q was installed: other installations do not have this change", tree.Show(p), name),
				Fix:     "move the change into a sheet of your own, or use set(), replace() or without() in the import, and install the package again"})
		}
	}
}

// packageFolder returns the folder of the package that a path in a package
// folder belongs to. Packages may be nested in others.
func packageFolder(name string) string {
	const inner = "/node_modules/"
	start := strings.LastIndex(name, inner)
	if start >= 0 {
		start += len(inner)
	}
	start = max(start, 0)
	return name[:start] + graph.PackageOf(name[start:])
}

// installed is what a lock file records about a package.
type installed struct {
	Version string `json:"version"`
	Link    bool   `json:"link"` // to a folder of the project, which is meant to be edited
}

// readLock returns the installed packages by folder; nil without a lock file.
func readLock(tree *source.Tree, p source.Path) map[string]installed {
	if !tree.Exists(p) {
		return nil
	}
	f, err := tree.Text(p)
	if err != nil {
		return nil
	}
	var lock struct {
		Packages map[string]installed `json:"packages"`
	}
	if json.Unmarshal([]byte(f.Text), &lock) != nil {
		return nil // an unreadable lock file is ignored
	}
	return lock.Packages
}
