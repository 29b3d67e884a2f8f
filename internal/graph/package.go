package graph

import (
	"encoding/json"
	"path"
	"strings"

	"rinzel/internal/project"
	"rinzel/internal/source"
)

// This file finds the sheets of installed packages: package:name and
// package:name/sheet.css. The package.json of a package determines the target:
// its "exports", with subpath patterns and conditions as the documentation of
// Node.js specifies them, or its field style.

// manifest is the part of package.json that is used.
type manifest struct {
	Version string          `json:"version"`
	Style   string          `json:"style"`
	Main    string          `json:"main"`
	Module  string          `json:"module"`
	Exports json.RawMessage `json:"exports"`
}

// packaged resolves the part after "package:".
func packaged(files source.Reader, address string) Target {
	name, tail := address, ""
	if i := strings.IndexAny(address, "?#"); i >= 0 {
		name, tail = address[:i], address[i:]
	}
	pkg, sub := splitPackage(name)
	root := project.PackageRoot
	for _, candidate := range project.PackageRoots(files) {
		if files.Exists(source.Path{Root: candidate, Name: path.Join(pkg, "package.json")}) {
			root = candidate
			break
		}
	}
	p, ok := source.Resolve(source.Path{Root: root, Name: "x"}, name)
	if !ok || pkg == "" || pkg == "." || strings.ContainsAny(name, "\x00\\") {
		return Target{Kind: Outside, Path: p, Tail: tail}
	}
	exists := func(file string) bool {
		return fsValid(file) && files.Exists(source.Path{Root: root, Name: path.Join(pkg, file)})
	}
	for _, file := range candidates(readManifest(files, root, pkg), sub) {
		if exists(file) {
			p.Name = path.Join(pkg, file)
			return Target{Kind: Local, Path: p, Tail: tail}
		}
	}
	if sub == "" {
		p.Name = path.Join(pkg, "index.css") // reported as missing
	}
	return Target{Kind: Local, Path: p, Tail: tail}
}

// fsValid reports whether a path stays inside its package.
func fsValid(file string) bool {
	clean := path.Clean(file)
	return file != "" && clean != ".." && !strings.HasPrefix(clean, "../") && !strings.HasPrefix(clean, "/")
}

// splitPackage splits a specifier into the name of the package, with its scope,
// and the subpath.
func splitPackage(name string) (pkg, sub string) {
	parts := strings.SplitN(name, "/", 3)
	if strings.HasPrefix(name, "@") && len(parts) > 1 {
		return parts[0] + "/" + parts[1], strings.Join(parts[2:], "/")
	}
	return parts[0], strings.Join(parts[1:], "/")
}

// PackageOf returns the name of the package, with its scope, that a path in a
// package folder belongs to.
func PackageOf(name string) string {
	pkg, _ := splitPackage(name)
	return pkg
}

// PackageVersion returns the version in the package.json of a folder, or "".
func PackageVersion(files source.Reader, folder source.Path) string {
	if !files.Exists(source.Path{Root: folder.Root, Name: path.Join(folder.Name, "package.json")}) {
		return ""
	}
	return readManifest(files, folder.Root, folder.Name).Version
}

// readManifest reads the package.json of a package.
func readManifest(files source.Reader, root, pkg string) manifest {
	var m manifest
	if f, err := files.Text(source.Path{Root: root, Name: path.Join(pkg, "package.json")}); err == nil {
		_ = json.Unmarshal([]byte(f.Text), &m) // an invalid package.json is ignored
	}
	return m
}

// candidates returns the files that a subpath may refer to; the first that
// exists is used. Existing files that the package does not export are accepted:
// packages often export scripts only.
func candidates(m manifest, sub string) []string {
	var out []string
	add := func(file string) {
		if strings.EqualFold(path.Ext(file), ".css") {
			out = append(out, file)
		}
	}
	if sub != "" {
		for _, name := range []string{"./" + sub, "./" + sub + ".css"} {
			add(exported(m.Exports, name, ofStyles))
		}
		return append(out, sub, sub+".css")
	}
	add(exported(m.Exports, ".", ofStyles))
	add(m.Style)
	add(m.Main)
	return append(out, "index.css")
}

// PackageModule returns the script that a specifier of an installed package names, for
// browsers, relative to the folder of packages that is nearest to the source folder. ok is
// false if it is not in there.
func PackageModule(files source.Reader, specifier string) (name string, ok bool) {
	pkg, sub := splitPackage(specifier)
	inPackage := func(file string) source.Path {
		return source.Path{Root: project.PackageRoot, Name: path.Join(pkg, file)}
	}
	if !files.Exists(inPackage("package.json")) {
		return "", false
	}
	m := readManifest(files, project.PackageRoot, pkg)
	list := []string{exported(m.Exports, ".", ofModules), m.Module, m.Main, "index.js"}
	if sub != "" {
		list = []string{exported(m.Exports, "./"+sub, ofModules), sub, sub + ".js"}
	}
	for _, file := range list {
		if fsValid(file) && files.Exists(inPackage(file)) {
			return inPackage(file).Name, true
		}
	}
	return "", false
}

// The conditions of exports that are used, the first one that a package has.
var (
	ofStyles  = []string{"style", "default"}
	ofModules = []string{"browser", "import", "module", "default"}
)

// exported returns the file that exports define for "." or a "./subpath"; "" if
// they define none.
func exported(exports json.RawMessage, name string, conditions []string) string {
	if len(exports) == 0 {
		return ""
	}
	var byName map[string]json.RawMessage
	if json.Unmarshal(exports, &byName) != nil || !hasSubpaths(byName) {
		if name == "." {
			return chosen(exports, conditions, 0)
		}
		return ""
	}
	if target, ok := byName[name]; ok {
		return chosen(target, conditions, 0)
	}
	// Of several patterns the one with the longest prefix is used.
	best, with := "", ""
	for pattern := range byName {
		before, after, ok := strings.Cut(pattern, "*")
		if ok && strings.HasPrefix(name, before) && strings.HasSuffix(name, after) &&
			len(name) >= len(before)+len(after) && len(pattern) > len(best) {
			best, with = pattern, name[len(before):len(name)-len(after)]
		}
	}
	if best == "" {
		return ""
	}
	return strings.ReplaceAll(chosen(byName[best], conditions, 0), "*", with)
}

// hasSubpaths reports whether the keys of exports are subpaths, not conditions.
func hasSubpaths(exports map[string]json.RawMessage) bool {
	for name := range exports {
		if strings.HasPrefix(name, ".") {
			return true
		}
	}
	return false
}

// chosen returns the file of a target for some conditions: a target is a file, an object
// of conditions, or a list of which the first valid entry is used.
func chosen(target json.RawMessage, conditions []string, depth int) string {
	const deepest = 16
	var file string
	if json.Unmarshal(target, &file) == nil || depth > deepest {
		if !strings.HasPrefix(file, "./") {
			return "" // not a valid target
		}
		return file
	}
	var byCondition map[string]json.RawMessage
	if json.Unmarshal(target, &byCondition) == nil {
		for _, condition := range conditions {
			if inner, ok := byCondition[condition]; ok {
				if file := chosen(inner, conditions, depth+1); file != "" {
					return file
				}
			}
		}
		return ""
	}
	var list []json.RawMessage
	if json.Unmarshal(target, &list) == nil {
		for _, inner := range list {
			if file := chosen(inner, conditions, depth+1); file != "" {
				return file
			}
		}
	}
	return ""
}
